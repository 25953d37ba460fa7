// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <openvdb/openvdb.h>

#include "shape/solid.h"

/// Signed distance fields on grids, for the sweep only: OpenVDB stays out of the other headers.
namespace cooperage::clearance {

/// A body's signed distance field in link axes, in voxels of h (m), true within `outside` and `inside` of its surface.
openvdb::FloatGrid::Ptr fieldOf(const shape::Mesh& mesh, double h, double outside, double inside);

/// Closed surface of a grid where its value is `iso` (m). @param adaptivity 0 to 1: fewer triangles where it is flat
shape::Mesh meshOf(const openvdb::FloatGrid& grid, double h, double iso, double adaptivity = 0);

/// A field as a dense array in voxels: trilinear samples cost a tenth of what they do in the tree.
class Field {
 public:
  Field() = default;
  Field(const openvdb::FloatGrid& grid, double background);
  /// Memory of the field of a body, bytes.
  static double bytes(const Vec3& size, double h, double band);
  /// Distance in voxels at a place in voxels.
  double sample(const Vec3& at) const {
    const Vec3 p = at - low_;
    const double fx = std::floor(p.x()), fy = std::floor(p.y()), fz = std::floor(p.z());
    if (!(fx >= 0 && fy >= 0 && fz >= 0 && fx < nx_ - 1 && fy < ny_ - 1 && fz < nz_ - 1)) return background_;
    const float x = static_cast<float>(p.x() - fx), y = static_cast<float>(p.y() - fy),
                z = static_cast<float>(p.z() - fz);
    const auto ny = static_cast<std::size_t>(ny_), nz = static_cast<std::size_t>(nz_), plane = ny * nz;
    const float* v = values_.data() + (static_cast<std::size_t>(fx) * ny + static_cast<std::size_t>(fy)) * nz +
                     static_cast<std::size_t>(fz);
    const auto along = [z](const float* a) { return a[0] + z * (a[1] - a[0]); };
    const float a = along(v), b = along(v + nz_), c = along(v + plane), d = along(v + plane + nz);
    const float low = a + y * (b - a), high = c + y * (d - c);
    return static_cast<double>(low + x * (high - low));
  }

 private:
  Vec3 low_ = Vec3::Zero();
  int nx_ = 0, ny_ = 0, nz_ = 0;
  double background_ = 0;
  std::vector<float> values_;
};

}  // namespace cooperage::clearance
