// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/sweep_field.h"

#include <openvdb/tools/VolumeToMesh.h>
#include <tbb/parallel_for.h>

namespace cooperage::clearance {
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

Field::Field(const MeshDistance& body, const Vec3& low, const Vec3& high, double h, double outer, double level,
             double band, Progress* progress) {
  background_ = outer / h;
  low_ = (low - Vec3::Constant(outer)) / h;
  for (std::size_t a = 0; a < 3; ++a) {
    const auto k = static_cast<Eigen::Index>(a);
    blocks_[a] = std::max(1, static_cast<int>(std::ceil((high[k] - low[k] + 2 * outer) / h / kBlock)));
  }
  const auto cancelled = [&] { return progress && progress->cancelled(); };
  const auto n = [&](std::size_t a) { return static_cast<std::size_t>(blocks_[a]); };
  // starting from the triangle of the place before, little of the tree is looked at
  const auto query = [&](const Vec3& at, int& triangle) {
    return static_cast<float>(body.signedDistanceFrom(h * at, triangle) / h);
  };
  coarse_.resize((n(0) + 1) * (n(1) + 1) * (n(2) + 1));
  tbb::parallel_for(std::size_t(0), n(0) + 1, [&](std::size_t i) {
    for (std::size_t j = 0; j <= n(1) && !cancelled(); ++j) {
      int hint = -1;
      for (std::size_t k = 0; k <= n(2); ++k)
        coarse_[(i * (n(1) + 1) + j) * (n(2) + 1) + k] =
            query(low_ + double(kBlock) * Vec3(double(i), double(j), double(k)), hint);
    }
  });
  if (cancelled()) return;
  // a block is fine if any of its places may lie in the band
  const double reach = band + 0.5 * std::sqrt(3.0) * kBlock, about = level / h;
  fine_.assign(n(0) * n(1) * n(2), -1);
  std::vector<std::array<std::size_t, 3>> chosen;
  int triangle = -1;
  for (std::size_t i = 0; i < n(0); ++i)
    for (std::size_t j = 0; j < n(1); ++j)
      for (std::size_t k = 0; k < n(2); ++k) {
        double least = 1e300;
        for (std::size_t c = 0; c < 8; ++c) {
          const float v = coarse_[((i + (c >> 2)) * (n(1) + 1) + j + ((c >> 1) & 1)) * (n(2) + 1) + k + (c & 1)];
          least = std::min(least, std::abs(static_cast<double>(v) - about));
        }
        if (least > reach) continue;
        if (cancelled()) return;
        const Vec3 middle = low_ + double(kBlock) * Vec3(double(i) + 0.5, double(j) + 0.5, double(k) + 0.5);
        if (std::abs(static_cast<double>(query(middle, triangle)) - about) > reach) continue;
        fine_[(i * n(1) + j) * n(2) + k] = static_cast<int>(chosen.size());
        chosen.push_back({i, j, k});
      }
  values_.resize(chosen.size() * kValues);
  tbb::parallel_for(std::size_t(0), chosen.size(), [&](std::size_t b) {
    if (cancelled()) return;
    const Vec3 corner = low_ + double(kBlock) * Vec3(double(chosen[b][0]), double(chosen[b][1]), double(chosen[b][2]));
    float* out = values_.data() + b * kValues;
    int hint = -1;
    // to and fro: every place is a voxel from the one before
    for (std::size_t i = 0; i < kSide; ++i)
      for (std::size_t jj = 0; jj < kSide; ++jj) {
        const std::size_t j = i % 2 ? kSide - 1 - jj : jj;
        for (std::size_t kk = 0; kk < kSide; ++kk) {
          const std::size_t k = (i + jj) % 2 ? kSide - 1 - kk : kk;
          out[(i * kSide + j) * kSide + k] = query(corner + Vec3(double(i), double(j), double(k)), hint);
        }
      }
  });
}

double Field::bytes(const Vec3& size, double area, double h, double outer, double band) {
  const Vec3 n = size / h + Vec3::Constant(2 * outer / h);
  const double coarse = n.prod() / (kBlock * kBlock * kBlock);
  const double layers = 2 * (band / kBlock + 1), blocks = std::min(coarse, area / (h * h) / (kBlock * kBlock) * layers);
  return coarse * (sizeof(float) + sizeof(int)) + blocks * kValues * sizeof(float);
}

}  // namespace cooperage::clearance
