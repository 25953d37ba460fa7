// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <array>
#include <functional>
#include <vector>

#include "base/progress.h"

namespace cooperage::clearance {

/// The part of a plane where a function is below a level, in triangles: fine along the rim, coarse elsewhere. m.
struct PlaneRegion {
  std::vector<Eigen::Vector2d> points;
  std::vector<double> values;                 ///< of the function there; at the rim its level
  std::vector<char> rim;                      ///< is the point on the rim?
  std::vector<std::array<int, 3>> triangles;  ///< counter-clockwise
  std::vector<std::array<int, 2>> edges;      ///< of the rim, the region on their left
};

/// What a region is cut by.
struct PlaneCut {
  /// Any thread asks it. It changes by no more than the way (1-Lipschitz), as distances do.
  std::function<double(const Eigen::Vector2d&)> value;
  double level = 0;
  /// The region carries a top of height sqrt(level^2 - value^2), as a ball has it: triangles follow that, too.
  bool round = false;
  double tolerance = 0;  ///< of the rim's chords, and of the top, m
  double base = 0;       ///< triangles at the rim are no larger, m
};

/// Halves right triangles, the longest side first and with their neighbours, so that the parts always fit together
/// (newest vertex bisection: Mitchell, Optimal multilevel iterative methods for adaptive grids, 1992). A triangle that
/// the rim passes by is halved until the values at six of its places keep the rim out, or it is smaller than a quarter
/// of the tolerance; one that the rim crosses until its chord, looked at in the middle, is true to the tolerance.
/// @param low, high of a box that holds the region @return nothing but what was made so far after a cancel
PlaneRegion planeRegion(const PlaneCut& cut, const Eigen::Vector2d& low, const Eigen::Vector2d& high,
                        Progress* progress);

/// Rims as closed outlines: outer ones counter-clockwise, holes clockwise. Points that keep to a straight line by
/// `tolerance` are left out.
std::vector<std::vector<Eigen::Vector2d>> rimsOf(const PlaneRegion& region, double tolerance);

}  // namespace cooperage::clearance
