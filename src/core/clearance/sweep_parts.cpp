// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/sweep_parts.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/index.h"
#include "clearance/distance.h"

namespace cooperage::clearance {
namespace {

constexpr double kRough = 1e-4;  // m: mesh of a body that is only measured

Status closedShell(const shape::Mesh& mesh, const SweptPart& part) {
  std::vector<std::pair<int, int>> there, back;
  for (const auto& t : mesh.triangles)
    for (std::size_t k = 0; k < 3; ++k) {
      there.emplace_back(t[k], t[(k + 1) % 3]);
      back.emplace_back(t[(k + 1) % 3], t[k]);
    }
  std::sort(there.begin(), there.end());
  std::sort(back.begin(), back.end());
  if (there == back) return Done{};
  return Error{
      "open-shell", part.name,
      fmt::format("body {} is an open shell: it has no inside to sweep; close it, or leave its link out", part.name)};
}

/// Box about the vertices, and the area; @param more all round, m
void size(SweptPart& part, const shape::Mesh& placed, double more) {
  part.low = Vec3::Constant(1e300);
  part.high = -part.low;
  for (const Vec3& v : placed.vertices) {
    part.low = part.low.cwiseMin(v);
    part.high = part.high.cwiseMax(v);
  }
  part.low -= Vec3::Constant(more);
  part.high += Vec3::Constant(more);
  part.area = 0;
  for (const auto& t : placed.triangles) {
    const Vec3& a = placed.vertices[u(t[0])];
    part.area += 0.5 * (placed.vertices[u(t[1])] - a).cross(placed.vertices[u(t[2])] - a).norm();
  }
}

Result<shape::Mesh> placedMesh(const SweptPart& part, shape::ShapeStore& store, double deflection, Progress* progress) {
  auto mesh = store.mesh(part.solid, deflection, progress);
  if (!mesh.ok()) return mesh.error();
  shape::Mesh placed = **mesh;
  for (Vec3& v : placed.vertices) v = part.placement * v;
  return placed;
}

/// Share of a part's surface behind which the material is thinner than a wall.
class Walls {
 public:
  explicit Walls(const shape::Mesh& mesh) : mesh_(mesh), field_(mesh) {
    double area = 0;
    for (const auto& t : mesh.triangles) {
      const auto& v = mesh.vertices;
      area += 0.5 * (v[u(t[1])] - v[u(t[0])]).cross(v[u(t[2])] - v[u(t[0])]).norm();
      upTo_.push_back(area);
    }
  }
  double shareThinnerThan(double wall) const {
    int thin = 0;
    for (int i = 0; i < kPlaces; ++i) {
      const auto k = std::min(
          static_cast<std::size_t>(std::lower_bound(upTo_.begin(), upTo_.end(), (i + 0.5) / kPlaces * upTo_.back()) -
                                   upTo_.begin()),
          upTo_.size() - 1);
      const auto& t = mesh_.triangles[k];
      const Vec3 &a = mesh_.vertices[u(t[0])], &b = mesh_.vertices[u(t[1])], &c = mesh_.vertices[u(t[2])];
      const Vec3 n = (b - a).cross(c - a);
      if (n.norm() > 0 && field_.signedDistance((a + b + c) / 3 - wall * n.normalized()) > 0) ++thin;
    }
    return static_cast<double>(thin) / kPlaces;
  }

 private:
  static constexpr int kPlaces = 1500;
  const shape::Mesh& mesh_;
  MeshDistance field_;
  std::vector<double> upTo_;
};

}  // namespace

Result<std::vector<SweptPart>> sweptParts(const model::Resolved& resolved, const std::vector<int>& links,
                                          shape::ShapeStore& store, Progress* progress) {
  std::vector<SweptPart> out;
  for (const int link : links)
    for (const auto& body : resolved.links[u(link)].bodies) {
      SweptPart part;
      part.link = link;
      part.placement = body.placement;
      part.name = resolved.links[u(link)].name + "/" + body.name;
      auto solid = store.body(body, resolved.links[u(link)].name, progress);
      if (!solid.ok()) return solid.error();
      part.solid = *solid;
      part.convex = convexOf(body);
      if (part.convex && part.convex->hasClosedForm()) part.closed = part.convex;
      const auto rough = placedMesh(part, store, kRough, progress);
      if (!rough.ok()) return rough.error();
      size(part, *rough, kRough);
      out.push_back(std::move(part));
    }
  if (out.empty()) return Error{"envelope", "", "the chosen link has no bodies; there is nothing to sweep"};
  return out;
}

Status meshPart(SweptPart& part, shape::ShapeStore& store, double deflection, Progress* progress) {
  auto mesh = placedMesh(part, store, part.closed ? kRough : deflection, progress);
  if (!mesh.ok()) return mesh.error();
  if (const Status s = closedShell(*mesh, part); !s.ok()) return s;
  size(part, *mesh, part.closed ? kRough : 0);
  part.mesh = std::make_shared<const shape::Mesh>(std::move(*mesh));
  return Done{};
}

Result<double> thickEnough(const SweptPart& part, shape::ShapeStore& store, double accuracy, double finest,
                           Progress* progress) {
  constexpr double kThinShare = 0.02;  // of the surface: an edge is thin everywhere
  const auto rough = placedMesh(part, store, kRough, progress);
  if (!rough.ok()) return rough.error();
  const Walls walls(*rough);
  double fits = accuracy;
  while (walls.shareThinnerThan(2 * fits) > kThinShare && fits > 1e-7) fits *= 0.8;
  if (fits == accuracy || fits >= finest) return fits;
  return Error{"envelope", part.name,
               fmt::format("body {} has walls thinner than two cubes of {:.3g} mm; ask for an accuracy of {:.2g} mm or "
                           "finer",
                           part.name, accuracy * 1e3, fits * 1e3)};
}

}  // namespace cooperage::clearance
