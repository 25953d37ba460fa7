// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <array>
#include <vector>

#include "base/result.h"

namespace cooperage::drawing {

using Vec2 = Eigen::Vector2d;

/// A rational B-spline in the plane (Piegl and Tiller, The NURBS Book, ch. 3 and 4).
struct Nurbs {
  int degree = 3;
  std::vector<double> knots;    ///< never falling, as many as points and degree and one
  std::vector<Vec2> points;     ///< of control
  std::vector<double> weights;  ///< greater than zero, one a point; empty: all one

  double low() const { return knots[static_cast<std::size_t>(degree)]; }
  double high() const { return knots[points.size()]; }
  /// Knots within its range, each once: between two of them it is smooth.
  std::vector<double> spans() const;
  /// Place and derivatives to the parameter, order 0 to 4.
  std::array<Vec2, 5> at(double u) const;
};

/// @return an error that says what is wrong with its figures
Status check(const Nurbs& spline);

/// The cubic through points with given slopes at them (to the parameter), as pieces of Bezier end to end.
/// @param t rising parameters of the points
Nurbs throughPoints(const std::vector<double>& t, const std::vector<Vec2>& points, const std::vector<Vec2>& slopes);

}  // namespace cooperage::drawing
