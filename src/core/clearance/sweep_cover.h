// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "clearance/sweep_grid.h"
#include "shape/solid.h"

namespace cooperage::clearance {

/// A place of a swept body that the found space does not hold.
struct Uncovered {
  int body = -1, pose = -1;
  double out = 0;  ///< m: how far outside it lies, or more: fields end near the surface
};

/// Places on the surface of a body, its own axes; those that its mesh has beyond the body itself are left out.
/// @param toBody axes of the mesh to those of the body
std::vector<Vec3> placesOn(const SweptBody& body, const shape::Mesh& mesh, const Pose& toBody);

/// Looks places of every body up in the space that all are said to sweep, in every pose. Poses and places are taken as
/// they are: nothing that the space was made by (cubes, fields, which pose can matter where) is made use of.
/// @param places of each body, its axes; a share of them is looked at in each pose, another in the next
/// @param h voxel, m
/// @return that which lies farthest outside, if any does by more than a voxel
std::optional<Uncovered> uncovered(const openvdb::FloatGrid& space, double h, double clearance,
                                   const std::vector<SweptBody>& bodies, const std::vector<std::vector<Vec3>>& places,
                                   Progress* progress);

}  // namespace cooperage::clearance
