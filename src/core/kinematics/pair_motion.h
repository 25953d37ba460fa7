// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cmath>

#include "base/geometry.h"

namespace cooperage::kinematics {

/// How one link moves against another over an interval, seen from the other at the middle of it: a point X of the link
/// stays within restOf(X, 0) of X + s (shift + turn x X), s from -1 to 1. So `shift` and `turn` are rates times half
/// the interval, and `rest` is all that is not linear.
struct PairMotion {
  Vec3 turn{0, 0, 0}, shift{0, 0, 0};
  double rest = 0;
  /// Another `bend` times the distance from an axis: what a turn about it leaves over.
  double bend = 0;
  Vec3 axisAt{0, 0, 0}, axis{0, 0, 1};
  /// Square to the plane in which all of it happens, of unit length, or zero: then nothing moves along it.
  Vec3 normal{0, 0, 0};

  /// What is not linear along a direction, as a share of restOf().
  double shareAlong(const Vec3& n) const {
    if (normal.squaredNorm() == 0) return 1;
    const double s = n.dot(normal);
    return std::sqrt(std::max(0.0, 1 - s * s)) + 1e-9;
  }
  /// What is not linear of a ball of points, m.
  double restOf(const Vec3& centre, double radius) const {
    return bend > 0 ? rest + bend * (axis.cross(centre - axisAt).norm() + radius) : rest;
  }
};

}  // namespace cooperage::kinematics
