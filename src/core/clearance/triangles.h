// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>

#include "base/geometry.h"

namespace cooperage::clearance {

using Triangle = std::array<Vec3, 3>;

/// Nearest point of a triangle (Ericson, Real-Time Collision Detection, 5.1.5).
/// @param feature 0 to 2 corner, 3 to 5 edge (ab, bc, ca), 6 face
Vec3 nearestOnTriangle(const Vec3& p, const Vec3& a, const Vec3& b, const Vec3& c, int& feature);

/// Squared least distance of two triangles, with the points where they come nearest; 0 where they cross.
/// @param best answers are of no interest from this squared distance on: then something not smaller comes back
double triangleDistance2(const Triangle& a, const Triangle& b, double best, Vec3& onA, Vec3& onB);

}  // namespace cooperage::clearance
