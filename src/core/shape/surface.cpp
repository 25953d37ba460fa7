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

Status attachSurfaces(
    model::Resolved& resolved,
    const std::function<SolidPtr(const model::Resolved::LinkR&, const model::Resolved::BodyR&)>& solidOf) {
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
