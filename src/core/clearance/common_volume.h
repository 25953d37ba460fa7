// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "clearance/geometry.h"

namespace cooperage::clearance {

/// The space that two links share in one pose.
struct CommonVolume {
  double volume = 0;                       ///< m^3
  Vec3 centroid{0, 0, 0};                  ///< ground axes
  Vec3 boxLow{0, 0, 0}, boxHigh{0, 0, 0};  ///< extents, ground axes
  shape::Mesh mesh;                        ///< its surface, ground axes; empty without a common volume
};

/// Boolean common of the bodies themselves, by OCCT: exact to its tolerance of 1e-7 mm, hundredths of a second to
/// minutes. Bodies of one link that overlap each other count once.
/// @param deflection of the mesh, m
/// @return an error that names a body which is only triangles, or whose shapes can't be intersected
Result<CommonVolume> commonVolume(const LinkGeometry& a, const Pose& poseA, const LinkGeometry& b, const Pose& poseB,
                                  double deflection, Progress* progress);

}  // namespace cooperage::clearance
