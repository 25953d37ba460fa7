// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <BRepAlgoAPI_Cut.hxx>
#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <ShapeUpgrade_UnifySameDomain.hxx>
#include <Standard_Failure.hxx>
#include <gp_Ax2.hxx>

#include "shape/solid.h"

namespace cooperage::shape {
namespace {

constexpr double kMm = 1e3;

TopoDS_Shape cylinderAt(double x, double radius, double from, double length) {
  return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(x, 0, from), gp_Dir(0, 0, 1)), radius, length).Shape();
}

TopoDS_Shape bar(double length, double width, double thickness, double bore) {
  const double z = -thickness / 2;
  TopoDS_Shape s = BRepPrimAPI_MakeBox(gp_Pnt(0, -width / 2, z), length, width, thickness).Shape();
  s = BRepAlgoAPI_Fuse(s, cylinderAt(0, width / 2, z, thickness)).Shape();
  s = BRepAlgoAPI_Fuse(s, cylinderAt(length, width / 2, z, thickness)).Shape();
  ShapeUpgrade_UnifySameDomain unify(s);
  unify.Build();
  s = unify.Shape();
  if (bore > 0)
    for (double x : {0.0, length}) s = BRepAlgoAPI_Cut(s, cylinderAt(x, bore / 2, z - 1, thickness + 2)).Shape();
  return s;
}

}  // namespace

Result<TopoDS_Shape> elementShape(model::BodyKind kind, const std::vector<double>& f) {
  try {
    switch (kind) {
      case model::BodyKind::box: {
        const double x = f[0] * kMm, y = f[1] * kMm, z = f[2] * kMm;
        return TopoDS_Shape(BRepPrimAPI_MakeBox(gp_Pnt(-x / 2, -y / 2, -z / 2), x, y, z).Shape());
      }
      case model::BodyKind::cylinder: return cylinderAt(0, f[0] * kMm, -f[1] * kMm / 2, f[1] * kMm);
      case model::BodyKind::sphere: return TopoDS_Shape(BRepPrimAPI_MakeSphere(f[0] * kMm).Shape());
      case model::BodyKind::bar: return bar(f[0] * kMm, f[1] * kMm, f[2] * kMm, f[3] * kMm);
      case model::BodyKind::file: break;
    }
  } catch (const Standard_Failure& e) {
    return Error{"element", model::elementName(kind),
                 fmt::format("a {} of these figures can't be made ({}); change them", model::elementName(kind),
                             e.GetMessageString())};
  }
  return Error{"element", "", "no element of that kind"};
}

}  // namespace cooperage::shape
