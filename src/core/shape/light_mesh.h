// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <memory>
#include <vector>

#include <TopoDS_Shape.hxx>

namespace cooperage::shape {

/// A mesh with few triangles, to look at where the part is small in the picture or the picture moves. Never measured
/// on. All in mm, in the shape's axes.
struct LightMesh {
  using Point = std::array<float, 3>;
  std::vector<Point> points, normals;     ///< a point on an edge is there once for each face beside it
  std::vector<unsigned> triangles;        ///< three indices each, counter-clockwise seen from outside
  std::vector<std::vector<Point>> edges;  ///< polylines
  double error = 0;   ///< what it is off the mesh for display by quadric error, mm (Garland and Heckbert 1997)
  long fullSize = 0;  ///< triangles of that mesh
};
using LightMeshPtr = std::shared_ptr<const LightMesh>;

/// Made from the mesh that meshForDisplay() gave the shape, true to a hundredth of its size.
/// @return null if that mesh is small already, or can't be made much lighter
LightMeshPtr lightMesh(const TopoDS_Shape& shape);

}  // namespace cooperage::shape
