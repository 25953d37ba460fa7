// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <BRepAlgoAPI_Common.hxx>
#include <BRepAlgoAPI_Cut.hxx>
#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepBndLib.hxx>
#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakePolygon.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakePrism.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
#include <ShapeUpgrade_UnifySameDomain.hxx>
#include <Standard_Failure.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <algorithm>
#include <gp_Ax2.hxx>
#include <gp_Circ.hxx>

#include "shape/cut.h"
#include "shape/machine_elements.h"
#include "shape/solid.h"
#include "shape/occt_units.h"

namespace cooperage::shape {
namespace {

TopoDS_Shape cylinderAt(double x, double y, double radius, double from, double length) {
  return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(x, y, from), gp_Dir(0, 0, 1)), radius, length).Shape();
}

TopoDS_Shape unified(const TopoDS_Shape& s) {
  ShapeUpgrade_UnifySameDomain unify(s);
  unify.Build();
  return unify.Shape();
}

using Point2 = Eigen::Vector2d;

TopoDS_Shape prism(const std::vector<Point2>& polygon, double z, double thickness) {
  BRepBuilderAPI_MakePolygon wire;
  for (const Point2& p : polygon) wire.Add(gp_Pnt(p.x(), p.y(), z));
  wire.Close();
  return BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(wire.Wire()).Face(), gp_Vec(0, 0, thickness)).Shape();
}

/// The body with parallel sides about the segment from a to b, without its round ends.
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

/// A strip with both round ends: a bar without bores, or the hole of a slot.
TopoDS_Shape roundEnded(const Point2& a, const Point2& b, double width, double z, double thickness) {
  TopoDS_Shape s = strip(a, b, width, z, thickness);
  for (const Point2& p : {a, b}) s = fuse(s, cylinderAt(p.x(), p.y(), width / 2, z, thickness));
  return unified(s);
}

gp_Pnt flatPoint(const Point2& p, double z) { return {p.x(), p.y(), z}; }

/// The rim at a distance about a convex polygon (two points: a strip), counter-clockwise: lines and arcs.
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

/// A flat part of even thickness with holes, without boolean operations: milliseconds instead of tens of them.
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
/// Bores that neither meet one another nor break through the rim.
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

/// Convex hull, counter-clockwise (monotone chain).
std::vector<Point2> hull(std::vector<Point2> p) {
  std::sort(p.begin(), p.end(),
            [](const Point2& a, const Point2& b) { return a.x() < b.x() || (a.x() == b.x() && a.y() < b.y()); });
  std::vector<Point2> out;
  const auto turnsRight = [&](const Point2& c) {
    const Point2 &a = out[out.size() - 2], &b = out.back();
    return (b.x() - a.x()) * (c.y() - a.y()) - (b.y() - a.y()) * (c.x() - a.x()) <= 1e-9;
  };
  for (int pass = 0; pass < 2; ++pass) {
    const std::size_t start = out.size();
    for (const Point2& c : p) {
      while (out.size() >= start + 2 && turnsRight(c)) out.pop_back();
      out.push_back(c);
    }
    out.pop_back();
    std::reverse(p.begin(), p.end());
  }
  return out;
}

TopoDS_Shape plate(const std::vector<Point2>& pivots, double width, double thickness, double bore) {
  const double z = -thickness / 2;
  const std::vector<Point2> rim = hull(pivots);
  if (rim.size() > 1 && boresFit(pivots, bore, width))
    return flatPart(roundedRim(rim, width / 2, z), rounds(pivots, bore, z), thickness);
  TopoDS_Shape s;
  if (rim.size() > 2) s = prism(rim, z, thickness);
  for (std::size_t i = 0; i < rim.size(); ++i) {
    const Point2 &a = rim[i], &b = rim[(i + 1) % rim.size()];
    const TopoDS_Shape side = strip(a, b, width, z, thickness), end = cylinderAt(a.x(), a.y(), width / 2, z, thickness);
    s = s.IsNull() ? fuse(side, end) : fuse(fuse(s, side), end);
  }
  return bored(unified(s), pivots, bore, z, thickness);
}

TopoDS_Shape made(model::BodyKind kind, const std::vector<double>& mm) {
  const auto& f = mm;
  using model::BodyKind;
  switch (kind) {
    case BodyKind::box: return BRepPrimAPI_MakeBox(gp_Pnt(-f[0] / 2, -f[1] / 2, -f[2] / 2), f[0], f[1], f[2]).Shape();
    case BodyKind::cylinder: return cylinderAt(0, 0, f[0], -f[1] / 2, f[1]);
    case BodyKind::sphere: return BRepPrimAPI_MakeSphere(f[0]).Shape();
    case BodyKind::bar: {
      const std::vector<Point2> ends{{0, 0}, {f[0], 0}};
      const double z = -f[2] / 2;
      if (boresFit(ends, f[3], f[1])) return flatPart(roundedRim(ends, f[1] / 2, z), rounds(ends, f[3], z), f[2]);
      return bored(roundEnded(ends[0], ends[1], f[1], -f[2] / 2, f[2]), ends, f[3], -f[2] / 2, f[2]);
    }
    case BodyKind::plate: {
      std::vector<Point2> pivots;
      for (std::size_t i = 0; i + 4 < f.size(); i += 2) pivots.emplace_back(f[i], f[i + 1]);
      return plate(pivots, f[f.size() - 3], f[f.size() - 2], f[f.size() - 1]);
    }
    case BodyKind::slottedBar: {
      const double z = -f[2] / 2;
      if (f[5] < f[1] && f[3] < f[1] && f[4] > 0 && f[0] - f[4] - f[5] / 2 > f[3] / 2) {
        auto holes = rounds({{0, 0}}, f[3], z);
        holes.push_back(roundedRim({{f[0] - f[4], 0}, {f[0], 0}}, f[5] / 2, z));
        return flatPart(roundedRim({{0, 0}, {f[0], 0}}, f[1] / 2, z), holes, f[2]);
      }
      const TopoDS_Shape bar = roundEnded({0, 0}, {f[0], 0}, f[1], -f[2] / 2, f[2]);
      const TopoDS_Shape slot = roundEnded({f[0] - f[4], 0}, {f[0], 0}, f[5], -f[2] / 2 - 1, f[2] + 2);
      return bored(BRepAlgoAPI_Cut(bar, slot).Shape(), {{0, 0}}, f[3], -f[2] / 2, f[2]);
    }
    case BodyKind::disc:
    case BodyKind::roller: return bored(cylinderAt(0, 0, f[0], -f[1] / 2, f[1]), {{0, 0}}, f[2], -f[1] / 2, f[1]);
    case BodyKind::shaft: {
      TopoDS_Shape s = cylinderAt(0, 0, f[0], -f[1] / 2, f[1]);
      if (f[2] > f[0] && f[3] > 0) s = unified(fuse(s, cylinderAt(0, 0, f[2], -f[1] / 2 + f[4], f[3])));
      return s;
    }
    case BodyKind::pin: {
      TopoDS_Shape s = cylinderAt(0, 0, f[0], -f[1] / 2, f[1]);
      if (f[2] > f[0] && f[3] > 0) s = unified(fuse(s, cylinderAt(0, 0, f[2], f[1] / 2, f[3])));
      return s;
    }
    default: return {};
  }
}

gp_Pnt pointOf(const Vec3& v) { return {v.x() * kToMm, v.y() * kToMm, v.z() * kToMm}; }
gp_Dir dirOf(const Vec3& v) { return {v.x(), v.y(), v.z()}; }

/// The inside of a tool, large enough to reach over the whole shape.
TopoDS_Shape insideOf(const model::CutTool& t, const gp_Pnt& middle, double reach) {
  const gp_Dir axis = dirOf(t.axis);
  // the tool's point may lie far off: along the plane or the axis it can be anywhere
  const gp_Pnt at = pointOf(t.at);
  const gp_Vec toMiddle(at, middle);
  const double along = toMiddle.Dot(gp_Vec(axis));
  if (t.cylinder) {
    const gp_Pnt foot = at.Translated(gp_Vec(axis) * (along - reach));
    return BRepPrimAPI_MakeCylinder(gp_Ax2(foot, axis), t.radius * kToMm, 2 * reach).Shape();
  }
  const gp_Pnt foot = middle.Translated(gp_Vec(axis) * -along);
  const gp_Ax2 axes(foot, axis.Reversed());
  const gp_Pnt corner = foot.Translated(gp_Vec(axes.XDirection()) * -reach + gp_Vec(axes.YDirection()) * -reach);
  return BRepPrimAPI_MakeBox(gp_Ax2(corner, axes.Direction(), axes.XDirection()), 2 * reach, 2 * reach,
                             2 * reach + std::abs(along))
      .Shape();
}

}  // namespace

Result<TopoDS_Shape> elementShape(model::BodyKind kind, const std::vector<double>& figures,
                                  const curves::CurvePtr& profile, const elements::CamSpec* cam) {
  try {
    if (kind == model::BodyKind::cam) return camShape(profile, cam, figures);
    if (const TopoDS_Shape s = machineElement(kind, figures); !s.IsNull()) return s;
    std::vector<double> mm;
    for (double f : figures) mm.push_back(f * kToMm);
    const TopoDS_Shape s = made(kind, mm);
    if (!s.IsNull()) return s;
  } catch (const Standard_Failure& e) {
    return Error{"element", model::elementName(kind),
                 fmt::format("a {} of these figures can't be made ({}); change them", model::elementName(kind),
                             e.GetMessageString())};
  }
  return Error{"element", "", "no element of that kind"};
}

Result<TopoDS_Shape> cutShape(const TopoDS_Shape& shape, const model::Cut& cut) {
  const Error refused{"cut", "", "the solid can't be cut there; move the plane or choose other faces"};
  if (isFaceted(shape)) return Error{"cut", "", "a mesh of triangles can't be cut; use a STEP, IGES or BREP file"};
  try {
    Bnd_Box box;
    BRepBndLib::Add(shape, box, false);
    if (box.IsVoid()) return refused;
    double x0 = 0, y0 = 0, z0 = 0, x1 = 0, y1 = 0, z1 = 0;
    box.Get(x0, y0, z0, x1, y1, z1);
    const gp_Pnt middle((x0 + x1) / 2, (y0 + y1) / 2, (z0 + z1) / 2);
    const double reach = std::sqrt(box.SquareExtent()) + 1;
    TopoDS_Shape inside;
    for (const model::CutTool& t : cut.tools) {
      const TopoDS_Shape tool = insideOf(t, middle, reach);
      inside = inside.IsNull() ? tool : TopoDS_Shape(BRepAlgoAPI_Common(inside, tool).Shape());
    }
    const TopoDS_Shape out =
        cut.inside ? BRepAlgoAPI_Common(shape, inside).Shape() : BRepAlgoAPI_Cut(shape, inside).Shape();
    if (!TopExp_Explorer(out, TopAbs_SOLID).More())
      return Error{"cut", "", "nothing of the solid lies on that side of the cut; move it"};
    return out;
  } catch (const Standard_Failure&) {
    return refused;
  }
}

Result<model::CutTool> cutToolOf(const model::Feature& face) {
  model::CutTool t;
  t.at = face.at;
  t.axis = face.axis;
  t.radius = face.radius;
  t.cylinder = face.kind == model::FeatureKind::cylinder;
  if (face.kind != model::FeatureKind::plane && face.kind != model::FeatureKind::cylinder)
    return Error{"cut", "", "only flat and cylindrical faces can cut a solid; pick others"};
  return t;
}

bool isFaceted(const TopoDS_Shape& shape) {
  for (TopExp_Explorer e(shape, TopAbs_FACE); e.More(); e.Next()) {
    TopLoc_Location l;
    if (BRep_Tool::Surface(TopoDS::Face(e.Current()), l).IsNull()) return true;
  }
  return false;
}

}  // namespace cooperage::shape
