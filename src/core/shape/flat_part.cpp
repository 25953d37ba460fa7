// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/flat_part.h"

#include <BRepAlgoAPI_Cut.hxx>
#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakePolygon.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakePrism.hxx>
#include <ShapeUpgrade_UnifySameDomain.hxx>
#include <TopoDS.hxx>
#include <gp_Ax2.hxx>
#include <gp_Circ.hxx>

namespace cooperage::shape::flat {

TopoDS_Shape cylinderAt(double x, double y, double radius, double from, double length) {
  return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(x, y, from), gp_Dir(0, 0, 1)), radius, length).Shape();
}

TopoDS_Shape unified(const TopoDS_Shape& s) {
  ShapeUpgrade_UnifySameDomain unify(s);
  unify.Build();
  return unify.Shape();
}

TopoDS_Shape prism(const std::vector<Point2>& polygon, double z, double thickness) {
  BRepBuilderAPI_MakePolygon wire;
  for (const Point2& p : polygon) wire.Add(gp_Pnt(p.x(), p.y(), z));
  wire.Close();
  return BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(wire.Wire()).Face(), gp_Vec(0, 0, thickness)).Shape();
}

TopoDS_Shape strip(const Point2& a, const Point2& b, double width, double z, double thickness) {
  const Point2 d = (b - a).normalized() * width / 2, n(-d.y(), d.x());
  return prism({a + n, a - n, b - n, b + n}, z, thickness);
}

TopoDS_Shape fuse(const TopoDS_Shape& a, const TopoDS_Shape& b) { return BRepAlgoAPI_Fuse(a, b).Shape(); }
TopoDS_Shape bored(TopoDS_Shape s, const std::vector<Point2>& at, double bore, double z, double thickness) {
  if (bore > 0)
    for (const Point2& p : at) s = BRepAlgoAPI_Cut(s, cylinderAt(p.x(), p.y(), bore / 2, z - 1, thickness + 2)).Shape();
  return s;
}

TopoDS_Shape roundEnded(const Point2& a, const Point2& b, double width, double z, double thickness) {
  TopoDS_Shape s = strip(a, b, width, z, thickness);
  for (const Point2& p : {a, b}) s = fuse(s, cylinderAt(p.x(), p.y(), width / 2, z, thickness));
  return unified(s);
}

static gp_Pnt flatPoint(const Point2& p, double z) { return {p.x(), p.y(), z}; }

TopoDS_Wire roundedRim(const std::vector<Point2>& hull, double radius, double z) {
  BRepBuilderAPI_MakeWire wire;
  const std::size_t n = hull.size();
  const auto normal = [&](std::size_t i) {
    const Point2 d = (hull[(i + 1) % n] - hull[i]).normalized();
    return Point2(d.y(), -d.x());
  };
  for (std::size_t i = 0; i < n; ++i) {
    const Point2 &a = hull[i], &b = hull[(i + 1) % n];
    const Point2 out = normal(i) * radius, next = normal((i + 1) % n) * radius;
    wire.Add(BRepBuilderAPI_MakeEdge(flatPoint(a + out, z), flatPoint(b + out, z)).Edge());
    const gp_Circ circle(gp_Ax2(flatPoint(b, z), gp_Dir(0, 0, 1)), radius);
    if ((out - next).norm() < 1e-9 * radius) continue;
    wire.Add(BRepBuilderAPI_MakeEdge(circle, flatPoint(b + out, z), flatPoint(b + next, z)).Edge());
  }
  return wire.Wire();
}

TopoDS_Shape flatPart(const TopoDS_Wire& rim, const std::vector<TopoDS_Wire>& holes, double thickness) {
  BRepBuilderAPI_MakeFace face(rim, true);
  for (const TopoDS_Wire& h : holes) face.Add(TopoDS::Wire(h.Reversed()));
  return BRepPrimAPI_MakePrism(face.Face(), gp_Vec(0, 0, thickness)).Shape();
}
TopoDS_Wire round(const Point2& at, double radius, double z) {
  return BRepBuilderAPI_MakeWire(
             BRepBuilderAPI_MakeEdge(gp_Circ(gp_Ax2(flatPoint(at, z), gp_Dir(0, 0, 1)), radius)).Edge())
      .Wire();
}
bool boresFit(const std::vector<Point2>& at, double bore, double width) {
  if (bore >= width) return false;
  for (std::size_t i = 0; i < at.size(); ++i)
    for (std::size_t k = 0; k < i; ++k)
      if ((at[i] - at[k]).norm() <= bore) return false;
  return true;
}
std::vector<TopoDS_Wire> rounds(const std::vector<Point2>& at, double bore, double z) {
  std::vector<TopoDS_Wire> out;
  if (bore > 0)
    for (const Point2& p : at) out.push_back(round(p, bore / 2, z));
  return out;
}

}  // namespace cooperage::shape::flat
