// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/geometry.h"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <BRepAdaptor_Curve.hxx>
#include <BRepAdaptor_Surface.hxx>
#include <BRep_Tool.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <algorithm>

#include "base/index.h"
#include "elements/figures.h"
#include "shape/element_mesh.h"

namespace cooperage::clearance {
namespace {

constexpr double kUseless = 20;    // times coarser than what is asked for: no check rests on that
constexpr double kWorthwhile = 4;  // a mesh that is hardly coarser than what is asked for saves nothing

/// True if all faces are flat and all edges straight: then the mesh is the body. Faces without a surface (read from a
/// file of triangles) are what they are.
bool isFlat(const TopoDS_Shape& shape) {
  for (TopExp_Explorer e(shape, TopAbs_EDGE); e.More(); e.Next()) {
    const BRepAdaptor_Curve curve(TopoDS::Edge(e.Current()));
    if (curve.Is3DCurve() && curve.GetType() != GeomAbs_Line) return false;
  }
  for (TopExp_Explorer f(shape, TopAbs_FACE); f.More(); f.Next()) {
    TopLoc_Location at;
    if (BRep_Tool::Surface(TopoDS::Face(f.Current()), at).IsNull()) continue;
    if (BRepAdaptor_Surface(TopoDS::Face(f.Current())).GetType() != GeomAbs_Plane) return false;
  }
  return true;
}

}  // namespace

Result<PartPtr> Part::make(const model::Resolved::BodyR& body, const std::string& linkName, shape::ShapeStore& store,
                           double deflection, Progress* progress) {
  auto solid = store.body(body, linkName, progress);
  if (!solid.ok()) return solid.error();
  auto part = std::make_shared<Part>();
  part->solid = *solid;
  part->placement = body.placement;
  part->name = body.name;
  part->convex = convexOf(body);
  part->object_ = linkName + "/" + body.name;
  part->meshes_ = store.meshes();
  part->deflection_ = deflection;
  using model::BodyKind;
  for (const BodyKind k : {BodyKind::cylinder, BodyKind::disc, BodyKind::roller, BodyKind::shaft, BodyKind::pin})
    part->revolves = part->revolves || (body.kind == k && body.cuts.empty());
  for (const BodyKind k : {BodyKind::gear, BodyKind::ringGear, BodyKind::bevelGear, BodyKind::worm})
    if (body.kind == k && body.cuts.empty()) part->fold = static_cast<int>(std::lround(body.figures[1]));
  if (body.kind == BodyKind::rack && body.cuts.empty()) {
    const elements::GearSpec g = elements::rackOf(body.figures);
    part->row = kPi * g.module / std::cos(g.helix);
    part->rowAlong = body.placement.R.col(0);
    part->figures_ = body.figures;
  }
  part->axisAt = body.placement.p;
  part->axis = body.placement.R.col(2);

  // what is there to look at may do: the mesh that the accuracy asks for can take seconds
  const bool flat = isFlat((*solid)->shape);
  const double shown = flat ? 0 : shape::displayDeflection((*solid)->shape);
  // refused at once where no finer mesh than a useless one can be had
  const double many = flat || (*solid)->mesher ? 0 : shape::trianglesFor((*solid)->shape, deflection);
  if (many > shape::kMostTriangles && shown > kUseless * deflection)
    return Error{"mesh", part->object_,
                 fmt::format("body {}: a mesh with an accuracy of {:.3g} mm would take the memory of about {:.2g} "
                             "triangles, more than there is; "
                             "ask for a coarser accuracy",
                             part->object_, deflection * 1e3, many)};
  std::optional<shape::Mesh> at;
  // what makes its own mesh makes a fine one as quickly; a simple body may never need one
  if (flat || (!(*solid)->mesher && (part->convex || shown > kWorthwhile * deflection)))
    at = shape::displayMesh((*solid)->shape);
  if (at) {
    part->rough_ = part->placed(*at, shown);
    if (flat) part->fine_ = part->rough_.get();
  } else {
    auto mesh = part->meshes_->get(*solid, deflection, progress);
    if (!mesh.ok()) {
      Error e = mesh.error();
      if (!e.cancelled) e.text = "body " + part->object_ + ": " + e.text;
      return e;
    }
    part->rough_ = part->placed(**mesh, flat ? 0 : deflection);
    part->fine_ = part->rough_.get();
  }
  part->bound();
  return PartPtr(part);
}

void Part::bound() {
  const Facets& f = *rough_;
  // the body may stand out of its mesh by the error
  low = f.low() - Vec3::Constant(f.error());
  high = f.high() + Vec3::Constant(f.error());
  centre = 0.5 * (f.low() + f.high());
  radius = 0;
  for (const Vec3& v : f.mesh().vertices) radius = std::max(radius, (v - centre).norm());
  radius += f.error();
}

PartPtr Part::longer(const Vec3& about, int teeth) const {
  if (row == 0) return nullptr;
  auto part = std::make_shared<Part>();
  std::vector<double> figures = figures_;
  figures[1] = teeth;
  auto mesh = shape::elementMesh(model::BodyKind::rack, figures, deflection_);
  if (!mesh) return nullptr;
  part->placement = placement;
  part->placement.p += std::round((about - placement.p).dot(rowAlong) / row) * row * rowAlong;
  part->name = name;
  part->object_ = object_;
  part->deflection_ = deflection_;
  part->row = row;
  part->rowAlong = rowAlong;
  part->rough_ = part->placed(std::move(*mesh), deflection_);
  part->fine_ = part->rough_.get();
  part->bound();
  return part;
}

std::unique_ptr<Facets> Part::placed(shape::Mesh mesh, double error) const {
  for (Vec3& v : mesh.vertices) v = placement * v;
  // the bound may be a little more than what was asked for: the tolerances of the body's edges
  const bool certain = error == 0 || mesh.bound.has_value();
  if (error > 0 && mesh.bound) error = *mesh.bound;
  return std::make_unique<Facets>(std::move(mesh), error, certain);
}

const Facets& Part::fine(Progress* progress) const {
  if (const Facets* f = fine_) return *f;
  const std::lock_guard lock(making_);
  if (const Facets* f = fine_) return *f;
  auto mesh = meshes_->get(solid, deflection_, progress);
  if (!mesh.ok()) {
    if (!mesh.error().cancelled) {
      fault_ =
          Message{Severity::warning,
                  "mesh",
                  {object_},
                  fmt::format("body {}: {}; it is checked by the mesh that is shown, with an accuracy of {:.2g} mm",
                              object_, mesh.error().text, rough_->error() * 1e3)};
      fine_ = rough_.get();
    }
    return *rough_;
  }
  made_ = placed(**mesh, deflection_);
  fine_ = made_.get();
  return *made_;
}

std::optional<Message> Part::fault() const {
  const std::lock_guard lock(making_);
  return fault_;
}

bool Part::turnsInItself(const Pose& pose, const Vec3& at, const Vec3& about) const {
  constexpr double kSame = 1e-9;  // rad, or of the radius
  return (pose.R * axis).cross(about).norm() < kSame && (pose * axisAt - at).cross(about).norm() < kSame * radius;
}

double Part::signedDistance(const Facets& facets, const Vec3& point) const {
  if (hasClosedForm()) return convex->signedDistance(point);
  return facets.distance().signedDistance(point);
}

LinkGeometry::LinkGeometry(std::vector<PartPtr> parts) : parts_(std::move(parts)) {
  if (parts_.empty()) return;
  Vec3 low = Vec3::Constant(1e300), high = -low;
  for (const auto& p : parts_) {
    low = low.cwiseMin(p->low);
    high = high.cwiseMax(p->high);
  }
  centre_ = 0.5 * (low + high);
  for (const auto& p : parts_) radius_ = std::max(radius_, (p->centre - centre_).norm() + p->radius);
}

Result<std::shared_ptr<const LinkGeometry>> GeometryCache::get(const model::Resolved::LinkR& link,
                                                               shape::ShapeStore& store, double deflection,
                                                               Progress* progress) {
  std::vector<PartPtr> parts;
  for (const auto& b : link.bodies) {
    auto solid = store.body(b, link.name, progress);
    if (!solid.ok()) return solid.error();
    // the names too: messages are about them
    std::string key = fmt::format("{} {} {}/{}", deflection, static_cast<const void*>(solid->get()), link.name, b.name);
    for (int i = 0; i < 9; ++i) key += fmt::format(" {}", b.placement.R.data()[i]);
    for (int i = 0; i < 3; ++i) key += fmt::format(" {}", b.placement.p[i]);
    {
      const std::lock_guard lock(mutex_);
      if (const auto known = known_.find(key)) {
        parts.push_back(known);
        continue;
      }
    }
    // unlocked: links are made at the same time
    auto made = Part::make(b, link.name, store, deflection, progress);
    if (!made.ok()) return made.error();
    const std::lock_guard lock(mutex_);
    ++made_;
    parts.push_back(known_.keep(key, *made));
    if (progress && progress->cancelled()) return Error{"cancelled", "", "cancelled", true};
  }
  return std::make_shared<const LinkGeometry>(std::move(parts));
}

Result<CheckGeometry> geometryFor(const model::Resolved& resolved, int run, shape::ShapeStore& store,
                                  GeometryCache& cache, Progress* progress, Need need) {
  const auto& settings = resolved.runs[u(run)];
  CheckGeometry g;
  g.deflection = 0.25 * settings.accuracy;
  g.tolerance = 2 * g.deflection + settings.fitDepth;
  const bool all = need == Need::all || need == Need::fine || settings.stopAtContact ||
                   (need == Need::checks &&
                    (settings.wants(model::RunCheck::interference) || settings.wants(model::RunCheck::clearance)));
  g.whole = all;
  std::vector<char> needed(resolved.links.size(), all ? 1 : 0);
  for (const auto& gauge : resolved.gauges)
    if (gauge.kind == model::GaugeKind::clearance)
      for (const int l : gauge.links) needed[u(l)] = 1;
  g.links.assign(resolved.links.size(), std::make_shared<const LinkGeometry>());
  std::vector<char> finely(resolved.links.size(), need == Need::fine ? 1 : 0);
  for (const auto& gauge : resolved.gauges)
    if (gauge.kind == model::GaugeKind::clearance)
      for (const int l : gauge.links) finely[u(l)] = 1;
  std::vector<std::optional<Error>> errors(resolved.links.size());
  tbb::parallel_for(std::size_t(0), resolved.links.size(), [&](std::size_t l) {
    if (!needed[l] || (progress && progress->cancelled())) return;
    auto one = cache.get(resolved.links[l], store, g.deflection, progress);
    if (!one.ok()) {
      errors[l] = one.error();
      return;
    }
    g.links[l] = *one;
    // distances of simple bodies are exact: they are meshed only where a hole has a say
    if (finely[l])
      for (const auto& p : (*one)->parts())
        if (need == Need::fine || !p->convex) p->fine(progress);
  });
  if (progress && progress->cancelled()) return Error{"cancelled", "", "cancelled", true};
  for (auto& e : errors)
    if (e) return std::move(*e);
  return g;
}

}  // namespace cooperage::clearance
