// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include <Eigen/Core>

#include "shape/solid.h"

namespace cooperage::clearance {

/// The shadow of a mesh along a coordinate axis: closed polygons in the plane of the two axes that follow it (along x:
/// y and z), outer rims counter-clockwise, holes clockwise. m.
struct Outline {
  std::vector<std::vector<Eigen::Vector2d>> rims;
  double area = 0;   ///< m^2
  double error = 0;  ///< greatest distance of a rim from the true one, m
};
/// Triangles are painted on a raster whose cells are at most `cell` wide (and at most 4000 across); the rims run
/// between lit and dark cells, smoothed to half a cell.
Outline outlineOf(const shape::Mesh& mesh, int axis, double cell);

}  // namespace cooperage::clearance
