// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "base/pose_jet.h"
#include "base/result.h"
#include "curves/interpolation.h"

namespace cooperage::curves {

/// Slopes of the cubic spline through points: continuous curvature inside, given slopes or no curvature at the ends, or
/// periodic. (de Boor, A Practical Guide to Splines, ch. IV.)
/// @param t      rising parameters of the points
/// @param first, last slopes at the ends, or null
std::vector<Eigen::Vector2d> cubicSlopes(const std::vector<double>& t, const std::vector<Eigen::Vector2d>& x,
                                         const Eigen::Vector2d* first, const Eigen::Vector2d* last, bool periodic);

/// A function given by points.
class Table {
 public:
  /// @param points rising in the first figure
  /// @param between a spline where nothing is said
  static Result<Table> make(std::vector<std::pair<double, double>> points, const Word<Interpolation>& between,
                            const std::string& object);
  /// Value and its first three derivatives; past the ends straight on.
  ScalarJet at(double x) const;
  /// Greatest size of the second derivative between two places, those where two straight pieces meet apart.
  double mostSecond(double x0, double x1) const;
  /// Places of its points, within their range.
  const std::vector<double>& places() const { return x_; }
  /// By how much the slope jumps at one of its points; nothing but at points of straight pieces.
  double slopeJump(std::size_t point) const;

 private:
  double secondInPiece(std::size_t piece, double x0, double x1) const;
  std::vector<double> x_, y_, slope_;
  bool linear_ = false, periodic_ = false;
};

}  // namespace cooperage::curves
