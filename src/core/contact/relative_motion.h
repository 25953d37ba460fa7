// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "base/geometry.h"

namespace cooperage::contact {

/// How axes A lie and move in axes B: x_B = R x_A + p. Rates and accelerations are those of the turn (w, alpha) and of
/// A's origin (v, a), in axes B.
struct RelativeMotion {
  Mat3 R = Mat3::Identity();
  Vec3 p{0, 0, 0};
  Vec3 w{0, 0, 0}, v{0, 0, 0}, alpha{0, 0, 0}, a{0, 0, 0};

  Vec3 point(const Vec3& x) const { return R * x + p; }
  /// Velocity in B of the point of A that is at a place of B.
  Vec3 velocityAt(const Vec3& x) const { return v + w.cross(x - p); }
};

}  // namespace cooperage::contact
