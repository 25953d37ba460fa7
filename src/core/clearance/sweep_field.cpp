// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/sweep_field.h"

#include <openvdb/tools/Dense.h>
#include <openvdb/tools/MeshToVolume.h>
#include <openvdb/tools/VolumeToMesh.h>

namespace cooperage::clearance {

/// A body's signed distance field in link axes, voxel h.
openvdb::FloatGrid::Ptr fieldOf(const shape::Mesh& mesh, double h, double outside, double inside) {
  std::vector<openvdb::Vec3s> points;
  points.reserve(mesh.vertices.size());
  for (const Vec3& v : mesh.vertices)
    points.emplace_back(static_cast<float>(v.x() / h), static_cast<float>(v.y() / h), static_cast<float>(v.z() / h));
  std::vector<openvdb::Vec3I> triangles;
  triangles.reserve(mesh.triangles.size());
  for (const auto& t : mesh.triangles)
    triangles.emplace_back(static_cast<unsigned>(t[0]), static_cast<unsigned>(t[1]), static_cast<unsigned>(t[2]));
  const openvdb::tools::QuadAndTriangleDataAdapter<openvdb::Vec3s, openvdb::Vec3I> adapter(points, triangles);
  return openvdb::tools::meshToVolume<openvdb::FloatGrid>(
      adapter, *openvdb::math::Transform::createLinearTransform(1.0), static_cast<float>(outside / h),
      static_cast<float>(inside / h));
}

shape::Mesh meshOf(const openvdb::FloatGrid& grid, double h, double iso, double adaptivity) {
  std::vector<openvdb::Vec3s> points;
  std::vector<openvdb::Vec3I> triangles;
  std::vector<openvdb::Vec4I> quads;
  openvdb::tools::volumeToMesh(grid, points, triangles, quads, iso / h, adaptivity);
  shape::Mesh mesh;
  for (const auto& p : points) mesh.vertices.emplace_back(h * p.x(), h * p.y(), h * p.z());
  // its faces are wound clockwise seen from outside
  const auto add = [&](unsigned a, unsigned b, unsigned c) {
    mesh.triangles.push_back({static_cast<int>(a), static_cast<int>(c), static_cast<int>(b)});
  };
  for (const auto& t : triangles) add(t[0], t[1], t[2]);
  for (const auto& q : quads) {
    add(q[0], q[1], q[2]);
    add(q[0], q[2], q[3]);
  }
  return mesh;
}

Field::Field(const openvdb::FloatGrid& grid, double background) : background_(background) {
  const openvdb::CoordBBox box = grid.evalActiveVoxelBoundingBox();
  low_ = Vec3(box.min().x(), box.min().y(), box.min().z());
  nx_ = box.dim().x();
  ny_ = box.dim().y();
  nz_ = box.dim().z();
  openvdb::tools::Dense<float, openvdb::tools::LayoutZYX> dense(box);
  openvdb::tools::copyToDense(grid, dense);
  values_.assign(dense.data(), dense.data() + dense.valueCount());
}

double Field::bytes(const Vec3& size, double h, double band) {
  const Vec3 n = size / h + Vec3::Constant(2 * band / h);
  return n.prod() * sizeof(float);
}

}  // namespace cooperage::clearance
