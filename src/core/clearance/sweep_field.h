// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <openvdb/openvdb.h>

#include <array>

#include "clearance/distance.h"

/// Signed distance fields on grids, for the sweep only: OpenVDB stays out of the other headers.
namespace cooperage::clearance {

/// Closed surface of a grid where its value is `iso` (m). @param adaptivity 0 to 1: fewer triangles where it is flat
shape::Mesh meshOf(const openvdb::FloatGrid& grid, double h, double iso, double adaptivity = 0);

/// A body's signed distance field in link axes, in voxels: exact at every voxel near the surface that a sweep will
/// have, at every fourth voxel elsewhere. There it tells which poses matter, to half a voxel.
class Field {
 public:
  Field() = default;
  /// @param low, high box of the body, m
  /// @param h voxel, m
  /// @param outer how far around the box the field reaches, m
  /// @param level distance (m) around which it is fine, by `band` voxels either way
  /// @param progress ends it; what is there then is worth nothing
  Field(const MeshDistance& body, const Vec3& low, const Vec3& high, double h, double outer, double level, double band,
        Progress* progress);
  /// About how much memory the field of a body takes, bytes. @param area of its surface, m^2
  static double bytes(const Vec3& size, double area, double h, double outer, double band);

  double background() const { return background_; }  ///< voxels: what sample() says beyond its end
  /// Distance in voxels at a place in voxels.
  double sample(const Vec3& at) const {
    const Vec3 p = 1.0 / kBlock * (at - low_);
    const double fx = std::floor(p.x()), fy = std::floor(p.y()), fz = std::floor(p.z());
    if (!(fx >= 0 && fy >= 0 && fz >= 0 && fx < blocks_[0] && fy < blocks_[1] && fz < blocks_[2])) return background_;
    const auto bx = static_cast<std::size_t>(fx), by = static_cast<std::size_t>(fy), bz = static_cast<std::size_t>(fz);
    const int fine =
        fine_[(bx * static_cast<std::size_t>(blocks_[1]) + by) * static_cast<std::size_t>(blocks_[2]) + bz];
    const float x = static_cast<float>(p.x() - fx), y = static_cast<float>(p.y() - fy),
                z = static_cast<float>(p.z() - fz);
    if (fine < 0) {
      const auto nz = static_cast<std::size_t>(blocks_[2]) + 1, plane = (static_cast<std::size_t>(blocks_[1]) + 1) * nz;
      return between(coarse_.data() + bx * plane + by * nz + bz, plane, nz, x, y, z);
    }
    const float u = kBlock * x, v = kBlock * y, w = kBlock * z;
    const auto i = static_cast<std::size_t>(u), j = static_cast<std::size_t>(v), k = static_cast<std::size_t>(w);
    return between(values_.data() + static_cast<std::size_t>(fine) * kValues + (i * kSide + j) * kSide + k,
                   kSide * kSide, kSide, u - static_cast<float>(i), v - static_cast<float>(j),
                   w - static_cast<float>(k));
  }

 private:
  static constexpr int kBlock = 4;
  static constexpr std::size_t kSide = kBlock + 1, kValues = kSide * kSide * kSide;
  static double between(const float* v, std::size_t plane, std::size_t line, float x, float y, float z) {
    const auto along = [z](const float* a) { return a[0] + z * (a[1] - a[0]); };
    const float a = along(v), b = along(v + line), c = along(v + plane), d = along(v + plane + line);
    const float low = a + y * (b - a), high = c + y * (d - c);
    return static_cast<double>(low + x * (high - low));
  }

  Vec3 low_{0, 0, 0};
  std::array<int, 3> blocks_{0, 0, 0};
  double background_ = 0;
  std::vector<float> coarse_;  ///< at the corners of the blocks
  std::vector<int> fine_;      ///< of each block: where its values begin, in blocks, or -1
  std::vector<float> values_;
};

}  // namespace cooperage::clearance
