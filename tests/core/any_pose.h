// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <rapidcheck.h>

#include "base/geometry.h"

/// Arbitrary places for property tests; to be called within a property.
namespace cooperage::test {

/// @return m, in steps of a tenth of a millimetre, from low to high of them
inline double figure(int low, int high) { return 1e-4 * *rc::gen::inRange(low, high); }
inline Vec3 anyVector(int reach) {
  const double x = figure(-reach, reach), y = figure(-reach, reach);
  return {x, y, figure(-reach, reach)};
}
inline Pose anyPose(int reach) {
  const Vec3 turn = anyVector(30000);
  return {rotationOf(turn), anyVector(reach)};
}

}  // namespace cooperage::test
