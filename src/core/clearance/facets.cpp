// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/facets.h"

#include <algorithm>
#include <numeric>

#include "base/index.h"

namespace cooperage::clearance {
namespace {

std::vector<Vec3> samplesOf(const shape::Mesh& mesh) {
  std::vector<int> root(mesh.vertices.size());
  std::iota(root.begin(), root.end(), 0);
  const auto find = [&](int i) {
    while (root[u(i)] != i) i = root[u(i)] = root[u(root[u(i)])];
    return i;
  };
  std::vector<char> used(mesh.vertices.size(), 0);
  for (const auto& t : mesh.triangles)
    for (std::size_t k = 0; k < 3; ++k) {
      used[u(t[k])] = 1;
      root[u(find(t[k]))] = find(t[(k + 1) % 3]);
    }
  std::vector<Vec3> out;
  for (std::size_t i = 0; i < root.size(); ++i)
    if (used[i] && root[i] == static_cast<int>(i)) out.push_back(mesh.vertices[i]);
  return out;
}

}  // namespace

Facets::Facets(shape::Mesh mesh, double error, bool certain)
    : mesh_(std::move(mesh)), error_(error), certain_(certain), low_(Vec3::Constant(1e300)), high_(-low_) {
  for (const Vec3& v : mesh_.vertices) {
    low_ = low_.cwiseMin(v);
    high_ = high_.cwiseMax(v);
  }
  samples_ = samplesOf(mesh_);
}

const MeshTree& Facets::whole() const {
  std::call_once(wholeOnce_, [this] { whole_ = std::make_unique<MeshTree>(mesh_); });
  return *whole_;
}

const MeshTree& Facets::shrunk(double amount) const {
  const std::lock_guard lock(mutex_);
  auto& tree = shrunk_[amount];
  if (!tree) tree = std::make_unique<MeshTree>(whole(), clearance::shrunk(mesh_, amount, distance()));
  return *tree;
}

const MeshDistance& Facets::distance() const {
  std::call_once(distanceOnce_, [this] { distance_ = std::make_unique<MeshDistance>(mesh_); });
  return *distance_;
}

}  // namespace cooperage::clearance
