// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/collision.h"

#include <fcl/geometry/bvh/BVH_model.h>
#include <fcl/narrowphase/collision.h>
#include <fcl/narrowphase/distance.h>

#include <algorithm>
#include <mutex>

namespace cooperage::clearance {

struct LinkGeometry::Part {
  using Model = fcl::BVHModel<fcl::OBBRSSd>;
  shape::Mesh mesh;  // link axes
  std::shared_ptr<Model> inner;
  Vec3 low = Vec3::Zero(), high = Vec3::Zero(), centre = Vec3::Zero();
  double radius = 0;
  bool revolves = false;  ///< about its own axis
  Vec3 axisAt = Vec3::Zero(), axis = Vec3::UnitZ();

  /// Made when first asked for: most parts never come near enough to another.
  const MeshDistance& distance() const {
    std::call_once(distanceOnce_, [this] { distance_ = std::make_unique<MeshDistance>(mesh); });
    return *distance_;
  }
  Model* whole() const;

 private:
  mutable std::once_flag distanceOnce_, wholeOnce_;
  mutable std::unique_ptr<MeshDistance> distance_;
  mutable std::shared_ptr<Model> whole_;
};

namespace {

std::shared_ptr<LinkGeometry::Part::Model> modelOf(const shape::Mesh& mesh) {
  std::vector<fcl::Vector3d> points(mesh.vertices.begin(), mesh.vertices.end());
  std::vector<fcl::Triangle> triangles;
  triangles.reserve(mesh.triangles.size());
  for (const auto& t : mesh.triangles)
    triangles.emplace_back(static_cast<std::size_t>(t[0]), static_cast<std::size_t>(t[1]),
                           static_cast<std::size_t>(t[2]));
  auto model = std::make_shared<LinkGeometry::Part::Model>();
  model->beginModel(static_cast<int>(triangles.size()), static_cast<int>(points.size()));
  model->addSubModel(points, triangles);
  model->endModel();
  return model;
}

}  // namespace

LinkGeometry::Part::Model* LinkGeometry::Part::whole() const {
  std::call_once(wholeOnce_, [this] { whole_ = modelOf(mesh); });
  return whole_.get();
}

namespace {

fcl::Transform3d transformOf(const Pose& p) {
  fcl::Transform3d t = fcl::Transform3d::Identity();
  t.linear() = p.R;
  t.translation() = p.p;
  return t;
}

bool far(const LinkGeometry::Part& a, const Pose& pa, const LinkGeometry::Part& b, const Pose& pb) {
  return (pa * a.centre - pb * b.centre).norm() > a.radius + b.radius;
}

/// One part wholly within the other crosses no surface: its first corner tells.
bool contained(const LinkGeometry::Part& inner, const Pose& pi, const LinkGeometry::Part& outer, const Pose& po,
               double tolerance) {
  if (inner.radius > outer.radius) return false;
  const Vec3 p = po.inverse() * (pi * inner.mesh.vertices.front());
  if ((p.array() < outer.low.array()).any() || (p.array() > outer.high.array()).any()) return false;
  return outer.distance().signedDistance(p) < -tolerance;
}

bool crosses(const LinkGeometry& a, const Pose& pa, const LinkGeometry& b, const Pose& pb, bool whole) {
  if ((pa * a.centre() - pb * b.centre()).norm() > a.radius() + b.radius()) return false;
  const auto ta = transformOf(pa), tb = transformOf(pb);
  for (const auto& x : a.parts())
    for (const auto& y : b.parts()) {
      if (far(*x, pa, *y, pb)) continue;
      fcl::CollisionRequestd request(1, false);
      fcl::CollisionResultd result;
      fcl::collide(whole ? x->whole() : x->inner.get(), ta, whole ? y->whole() : y->inner.get(), tb, request, result);
      if (result.isCollision()) return true;
      if (contained(*x, pa, *y, pb, 1e-5) || contained(*y, pb, *x, pa, 1e-5)) return true;
    }
  return false;
}

/// Maximises min-distance to a surface over the common volume of two parts.
class DepthSearch {
 public:
  DepthSearch(const LinkGeometry::Part& a, const LinkGeometry::Part& b, const Pose& aToB)
      : a_(a), b_(b), toA_(aToB.inverse()), toB_(aToB) {}

  /// @return depth and the place in axes of B
  Depth run() {
    Vec3 low = Vec3::Constant(1e300), high = -low;
    for (int i = 0; i < 8; ++i) {
      const Vec3 &l = a_.low, &h = a_.high;
      const Vec3 corner = toB_ * Vec3(i & 1 ? h.x() : l.x(), i & 2 ? h.y() : l.y(), i & 4 ? h.z() : l.z());
      low = low.cwiseMin(corner);
      high = high.cwiseMax(corner);
    }
    low_ = low.cwiseMax(b_.low);
    high_ = high.cwiseMin(b_.high);
    if ((low_.array() > high_.array()).any()) return best_;
    constexpr int kGrid = 9;
    for (int i = 0; i < kGrid; ++i)
      for (int j = 0; j < kGrid; ++j)
        for (int k = 0; k < kGrid; ++k)
          consider(low_ + ((high_ - low_).array() * Vec3(i + 0.5, j + 0.5, k + 0.5).array() / kGrid).matrix());
    // thin overlaps lie between grid points: corners and edge middles of both surfaces find them
    points(a_.mesh, toB_);
    points(b_.mesh, Pose{});
    climb((high_ - low_).maxCoeff() / kGrid);
    return best_;
  }

 private:
  double value(const Vec3& p) const {
    const double b = b_.distance().signedDistance(p);
    if (b > 1e-12) return -1;
    const double a = a_.distance().signedDistance(toA_ * p);
    if (a > 1e-12) return -1;
    return std::max(-a, -b);
  }
  void consider(const Vec3& p) {
    const double v = value(p);
    if (v > best_.depth) best_ = {v, p};
  }
  void points(const shape::Mesh& mesh, const Pose& pose) {
    const auto inside = [&](const Vec3& p) {
      return (p.array() >= low_.array() - 1e-9).all() && (p.array() <= high_.array() + 1e-9).all();
    };
    for (const auto& t : mesh.triangles) {
      const Vec3 a = pose * mesh.vertices[static_cast<std::size_t>(t[0])],
                 b = pose * mesh.vertices[static_cast<std::size_t>(t[1])],
                 c = pose * mesh.vertices[static_cast<std::size_t>(t[2])];
      const Vec3 tl = a.cwiseMin(b).cwiseMin(c), th = a.cwiseMax(b).cwiseMax(c);
      if ((tl.array() > high_.array()).any() || (th.array() < low_.array()).any()) continue;
      for (const Vec3& p : {a, Vec3(0.5 * (a + b)), Vec3(0.5 * (b + c)), Vec3((a + b + c) / 3)})
        if (inside(p)) consider(p);
    }
  }
  /// Compass search from the best point, the step halved down to 1e-7 of the overlap.
  void climb(double step) {
    if (!(best_.depth > 0)) return;
    const double smallest = 1e-4 * step;
    while (step > smallest) {
      const Vec3 from = best_.point;
      const double before = best_.depth;
      for (int axis = 0; axis < 3; ++axis)
        for (double sign : {1.0, -1.0}) consider(from + sign * step * Vec3::Unit(axis));
      if (best_.depth <= before * (1 + 1e-9)) step *= 0.5;
    }
  }

  const LinkGeometry::Part &a_, &b_;
  Pose toA_, toB_;
  Vec3 low_, high_;
  Depth best_;
};

}  // namespace

Result<std::shared_ptr<const LinkGeometry>> LinkGeometry::make(const model::Resolved::LinkR& link,
                                                               shape::ShapeStore& store, double deflection,
                                                               double tolerance, Progress* progress) {
  auto g = std::make_shared<LinkGeometry>();
  Vec3 low = Vec3::Constant(1e300), high = -low;
  for (const auto& body : link.bodies) {
    auto solid = store.body(body, link.name, progress);
    if (!solid.ok()) return solid.error();
    auto mesh = store.mesh(*solid, deflection);
    if (!mesh.ok()) {
      Error e = mesh.error();
      e.text = "body " + link.name + "/" + body.name + ": " + e.text;
      return e;
    }
    auto part = std::make_shared<Part>();
    part->mesh = **mesh;
    for (Vec3& v : part->mesh.vertices) v = body.placement * v;
    part->low = Vec3::Constant(1e300);
    part->high = -part->low;
    for (const Vec3& v : part->mesh.vertices) {
      part->low = part->low.cwiseMin(v);
      part->high = part->high.cwiseMax(v);
    }
    using model::BodyKind;
    for (const BodyKind k : {BodyKind::cylinder, BodyKind::disc, BodyKind::roller, BodyKind::shaft, BodyKind::pin})
      part->revolves = part->revolves || (body.kind == k && body.cuts.empty());
    part->axisAt = body.placement.p;
    part->axis = body.placement.R.col(2);
    part->inner = modelOf(shrunk(part->mesh, 0.5 * tolerance));
    part->centre = 0.5 * (part->low + part->high);
    part->radius = 0.5 * (part->high - part->low).norm();
    low = low.cwiseMin(part->low);
    high = high.cwiseMax(part->high);
    g->parts_.push_back(std::move(part));
    if (progress && progress->cancelled()) return Error{"cancelled", "", "cancelled", true};
  }
  if (!g->parts_.empty()) {
    g->centre_ = 0.5 * (low + high);
    g->radius_ = 0.5 * (high - low).norm();
  }
  return std::shared_ptr<const LinkGeometry>(g);
}

std::vector<const shape::Mesh*> LinkGeometry::meshes() const {
  std::vector<const shape::Mesh*> out;
  for (const auto& p : parts_) out.push_back(&p->mesh);
  return out;
}

bool overlapBeyondTolerance(const LinkGeometry& a, const Pose& pa, const LinkGeometry& b, const Pose& pb) {
  return crosses(a, pa, b, pb, false);
}
bool overlapAtAll(const LinkGeometry& a, const Pose& pa, const LinkGeometry& b, const Pose& pb) {
  return crosses(a, pa, b, pb, true);
}

namespace {

/// Does the part, seen from the other, differ between two poses of that other by a turn about the part's axis alone?
/// @param before, now poses of the other part in the axes of the part that revolves
bool onlyTurns(const LinkGeometry::Part& part, const Pose& before, const Pose& now, double small) {
  if (!part.revolves) return false;
  const Mat3 turn = now.R * before.R.transpose();
  if ((turn * part.axis - part.axis).norm() > 1e-9) return false;
  return (now.p - part.axisAt - turn * (before.p - part.axisAt)).norm() < small;
}

}  // namespace

PairOverlap::PairOverlap(const LinkGeometry& a, const LinkGeometry& b)
    : a_(a), b_(b), known_(a.parts().size() * b.parts().size()) {}

bool PairOverlap::at(const Pose& pa, const Pose& pb) {
  if ((pa * a_.centre() - pb * b_.centre()).norm() > a_.radius() + b_.radius()) return false;
  const auto ta = transformOf(pa), tb = transformOf(pb);
  const Pose aToB = pb.inverse() * pa, bToA = aToB.inverse();
  std::size_t n = 0;
  for (const auto& x : a_.parts())
    for (const auto& y : b_.parts()) {
      Known& known = known_[n++];
      if (far(*x, pa, *y, pb)) continue;
      const double small = 1e-9 * (x->radius + y->radius);
      const bool same =
          known.any && (onlyTurns(*y, known.aToB, aToB, small) || onlyTurns(*x, known.aToB.inverse(), bToA, small));
      if (!same) {
        fcl::CollisionRequestd request(1, false);
        fcl::CollisionResultd result;
        fcl::collide(x->inner.get(), ta, y->inner.get(), tb, request, result);
        known.hit = result.isCollision() || contained(*x, pa, *y, pb, 1e-5) || contained(*y, pb, *x, pa, 1e-5);
        known.any = true;
      }
      known.aToB = aToB;
      if (known.hit) return true;
    }
  return false;
}

double gap(const LinkGeometry& a, const Pose& pa, const LinkGeometry& b, const Pose& pb) {
  double least = 1e300;
  const auto ta = transformOf(pa), tb = transformOf(pb);
  for (const auto& x : a.parts())
    for (const auto& y : b.parts()) {
      if ((pa * x->centre - pb * y->centre).norm() - x->radius - y->radius >= least) continue;
      fcl::DistanceRequestd request;
      fcl::DistanceResultd result;
      fcl::distance(x->whole(), ta, y->whole(), tb, request, result);
      least = std::min(least, std::max(0.0, result.min_distance));
      if (contained(*x, pa, *y, pb, 0) || contained(*y, pb, *x, pa, 0)) least = 0;
      if (least == 0) return 0;
    }
  return least;
}

Depth depthOf(const LinkGeometry& a, const Pose& pa, const LinkGeometry& b, const Pose& pb) {
  Depth best;
  const Pose aToB = pb.inverse() * pa;
  for (const auto& x : a.parts())
    for (const auto& y : b.parts()) {
      if (far(*x, pa, *y, pb)) continue;
      const Depth d = DepthSearch(*x, *y, aToB).run();
      if (d.depth > best.depth) best = {d.depth, pb * d.point};
    }
  return best;
}

}  // namespace cooperage::clearance
