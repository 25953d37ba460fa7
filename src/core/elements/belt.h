// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "base/result.h"
#include "curves/curve.h"

namespace cooperage::elements {

/// A pulley or sprocket under a belt, in the plane of the belt.
struct BeltWheel {
  Eigen::Vector2d at;
  double radius = 0;  ///< to the belt's neutral line (pitch radius), m
  int side = 1;       ///< +1: the belt runs round it counter-clockwise, -1: clockwise (its back lies on the wheel)
};

/// The closed way of a belt: straight pieces tangent to the wheels, arcs around them.
struct BeltPath {
  std::vector<curves::Piece> pieces;  ///< arc round the first wheel, straight to the second, arc ...
  std::vector<double> wrap;           ///< angle of wrap of each wheel, rad
  double length = 0;                  ///< m
};

/// @param wheels in the order in which the belt passes them. Two with the same sides: open; with different ones:
/// crossed.
/// @return an error naming the two wheels that overlap
Result<BeltPath> beltPath(const std::vector<BeltWheel>& wheels, const std::string& name);

/// Pitch radius of a sprocket: p / (2 sin(pi/z)).
double sprocketRadius(double pitch, int teeth);
/// Teeth of a sprocket as lines and arcs, closed, counter-clockwise, about the origin: seats for rollers, flanks, tips.
std::vector<curves::Piece> sprocketOutline(double pitch, int teeth, double roller);

}  // namespace cooperage::elements
