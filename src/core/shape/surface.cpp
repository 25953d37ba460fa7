// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/surface.h"

#include <fmt/format.h>

#include <BRepTools.hxx>
#include <BRep_Tool.hxx>
#include <GeomAPI_ProjectPointOnSurf.hxx>
#include <Geom_Surface.hxx>
#include <Standard_Failure.hxx>
#include <TopExp.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Face.hxx>

#include "shape/edge_curve.h"

namespace cooperage::shape {

namespace {

constexpr double kMillimetre = 1e-3;

class FaceSurface final : public model::Surface {
 public:
  FaceSurface(Handle(Geom_Surface) surface, const TopoDS_Face& face, const Pose& placement)
      : surface_(std::move(surface)), placement_(placement) {
    BRepTools::UVBounds(face, low_[0], high_[0], low_[1], high_[1]);
  }
  void at(double u, double v, Partials& out) const override {
    for (int i = 0; i < 4; ++i)
      for (int j = 0; i + j < 4; ++j) {
        Vec3& d = out[static_cast<std::size_t>(i)][static_cast<std::size_t>(j)];
        if (i + j == 0) {
          const gp_Pnt p = surface_->Value(u, v);
          d = placement_ * (kMillimetre * Vec3(p.X(), p.Y(), p.Z()));
          continue;
        }
        const gp_Vec p = surface_->DN(u, v, i, j);
        d = placement_.R * (kMillimetre * Vec3(p.X(), p.Y(), p.Z()));
      }
  }
  std::pair<double, double> nearest(const Vec3& x) const override {
    const Vec3 p = placement_.inverse() * x / kMillimetre;
    GeomAPI_ProjectPointOnSurf project(gp_Pnt(p.x(), p.y(), p.z()), surface_, low_[0], high_[0], low_[1], high_[1]);
    double u = 0.5 * (low_[0] + high_[0]), v = 0.5 * (low_[1] + high_[1]);
    if (project.NbPoints() > 0) project.LowerDistanceParameters(u, v);
    return {u, v};
  }

 private:
  Handle(Geom_Surface) surface_;
  Pose placement_;
  double low_[2] = {0, 0}, high_[2] = {1, 1};
};

}  // namespace

Result<std::shared_ptr<const model::Surface>> surfaceOf(const SolidPtr& solid, int index, const Pose& placement) {
  TopTools_IndexedMapOfShape faces;
  TopExp::MapShapes(solid->shape, TopAbs_FACE, faces);
  if (index < 0 || index >= faces.Extent())
    return Error{
        "surface", "",
        fmt::format("there is no face {}; the body has {} (0 to {})", index, faces.Extent(), faces.Extent() - 1)};
  try {
    const TopoDS_Face face = TopoDS::Face(faces(index + 1));
    const Handle(Geom_Surface) surface = BRep_Tool::Surface(face);  // placed where the face is
    if (surface.IsNull()) return Error{"surface", "", "the face has no surface, only a mesh"};
    return std::shared_ptr<const model::Surface>(std::make_shared<FaceSurface>(surface, face, placement));
  } catch (const Standard_Failure& e) {
    return Error{"surface", "", fmt::format("the face's surface can't be used: {}", e.GetMessageString())};
  }
}

namespace {


Status attachCurves(model::Resolved& resolved, const SolidOf& solidOf) {
  for (auto& c : resolved.curveList) {
    if (c.curve || c.edges.empty()) continue;
    const auto& link = resolved.links[static_cast<std::size_t>(c.link)];
    for (const auto& b : link.bodies) {
      if (b.id != c.body) continue;
      const SolidPtr solid = solidOf(link, b);
      if (!solid) break;
      std::vector<std::string> remarks;
      const std::string name = link.name + "/" + c.name;
      auto curve = edgeCurve(solid, c.edges, c.seat.inverse() * b.placement, name, &remarks);
      if (!curve.ok()) return curve.error();
      c.curve = *curve;
      for (const std::string& text : remarks)
        resolved.messages.push_back({Severity::warning, "kink", {"curve " + name}, text});
    }
    if (!c.curve) continue;
    for (auto& j : resolved.joints)
      if (j.curveId == c.id) j.curve = c.curve;
    for (auto& p : resolved.camPairs) {
      if (p.camCurve == c.id) p.cam = c.curve;
      if (p.followerCurve == c.id) p.follower = c.curve;
    }
  }
  return Done{};
}

}  // namespace

Status attachGeometry(model::Resolved& resolved, const SolidOf& solidOf) {
  if (auto s = attachCurves(resolved, solidOf); !s.ok()) return s;
  for (auto& j : resolved.joints) {
    if (j.kind != model::JointKind::pointSurface || !j.enabled || j.surface) continue;
    const auto& link = resolved.links[static_cast<std::size_t>(j.linkA)];
    for (const auto& b : link.bodies) {
      if (b.id != j.surfaceBody) continue;
      const SolidPtr solid = solidOf(link, b);
      if (!solid) break;
      auto surface = surfaceOf(solid, j.surfaceFace, b.placement);
      if (!surface.ok())
        return Error{surface.error().code, j.name,
                     fmt::format("joint {}: body {}: {}", j.name, b.name, surface.error().text)};
      j.surface = *surface;
    }
  }
  return Done{};
}

}  // namespace cooperage::shape
