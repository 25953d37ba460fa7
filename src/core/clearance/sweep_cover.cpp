// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/sweep_cover.h"

#include <openvdb/tools/Interpolation.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <mutex>

namespace cooperage::clearance {
namespace {

constexpr std::size_t kPlaces = 4096;  // of a body
constexpr double kLooks = 4e6;         // in all; about a second

}  // namespace

std::vector<Vec3> placesOn(const SweptBody& body, const shape::Mesh& mesh, const Pose& toBody) {
  std::vector<double> upTo;
  double area = 0;
  const auto corner = [&](const std::array<int, 3>& t, std::size_t k) -> const Vec3& {
    return mesh.vertices[static_cast<std::size_t>(t[k])];
  };
  for (const auto& t : mesh.triangles) {
    area += 0.5 * (corner(t, 1) - corner(t, 0)).cross(corner(t, 2) - corner(t, 0)).norm();
    upTo.push_back(area);
  }
  std::vector<Vec3> out;
  const auto add = [&](const Vec3& p) {
    const Vec3 own = toBody * p;
    if (!body.closed || body.closed->ownSignedDistance(own) <= 0) out.push_back(own);
  };
  // corners reach farthest; between them evenly over the area (R2 sequence of Roberts, 2018)
  const std::size_t every = 1 + mesh.vertices.size() / kPlaces;
  for (std::size_t i = 0; i < mesh.vertices.size(); i += every) add(mesh.vertices[i]);
  for (std::size_t i = 0; i < kPlaces && area > 0; ++i) {
    const double n = static_cast<double>(i);
    const auto t = std::min(
        static_cast<std::size_t>(
            std::lower_bound(upTo.begin(), upTo.end(), (n + 0.5) / static_cast<double>(kPlaces) * area) - upTo.begin()),
        upTo.size() - 1);
    double a = std::fmod(0.5 + n * 0.7548776662466927, 1.0), b = std::fmod(0.5 + n * 0.5698402909980532, 1.0);
    if (a + b > 1) {
      a = 1 - a;
      b = 1 - b;
    }
    const auto& f = mesh.triangles[t];
    add(corner(f, 0) + a * (corner(f, 1) - corner(f, 0)) + b * (corner(f, 2) - corner(f, 0)));
  }
  return out;
}

std::optional<Uncovered> uncovered(const openvdb::FloatGrid& space, double h, double clearance,
                                   const std::vector<SweptBody>& bodies, const std::vector<std::vector<Vec3>>& places,
                                   Progress* progress) {
  double poses = 0;
  for (const SweptBody& b : bodies) poses += static_cast<double>(b.inverse.size());
  const auto looks = static_cast<std::size_t>(std::clamp(kLooks / poses, 16.0, 8192.0));
  // fields end a few voxels inside: a place need not be seen deeper than that
  const double inside = std::min(clearance / h, sweep_grid::kBand - 1);
  Uncovered worst;
  std::mutex mutex;
  for (std::size_t b = 0; b < bodies.size(); ++b) {
    const auto& on = places[b];
    if (on.empty()) continue;
    const std::size_t n = std::min(looks, on.size()), step = std::max<std::size_t>(1, on.size() / n);
    tbb::parallel_for(std::size_t(0), bodies[b].inverse.size(), [&](std::size_t k) {
      if (progress && progress->cancelled()) return;
      const auto values = space.getConstAccessor();
      const Pose pose = bodies[b].inverse[k].inverse();
      double most = 0;
      for (std::size_t i = 0; i < n; ++i) {
        const Vec3 x = pose * on[(i * step + k) % on.size()] / h;
        float v = 0;
        openvdb::tools::BoxSampler::sample(values, openvdb::Vec3R(x.x(), x.y(), x.z()), v);
        most = std::max(most, static_cast<double>(v) + inside);
      }
      if (most <= 1) return;
      const std::lock_guard lock(mutex);
      if (most * h > worst.out) worst = {static_cast<int>(b), static_cast<int>(k), most * h};
    });
  }
  if (worst.body < 0) return {};
  return worst;
}

}  // namespace cooperage::clearance
