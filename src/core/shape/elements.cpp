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
#include "shape/flat_part.h"
#include "shape/link_plate.h"
#include "shape/machine_elements.h"
#include "shape/solid.h"
#include "shape/occt_units.h"

namespace cooperage::shape {
namespace {

/// Convex hull, counter-clockwise (monotone chain).
std::vector<flat::Point2> hull(std::vector<flat::Point2> p) {
  if (p.empty()) return p;
  std::sort(p.begin(), p.end(), [](const flat::Point2& a, const flat::Point2& b) {
    return a.x() < b.x() || (a.x() == b.x() && a.y() < b.y());
  });
  std::vector<flat::Point2> out;
  const auto turnsRight = [&](const flat::Point2& c) {
    const flat::Point2 &a = out[out.size() - 2], &b = out.back();
    return (b.x() - a.x()) * (c.y() - a.y()) - (b.y() - a.y()) * (c.x() - a.x()) <= 1e-9;
  };
  for (int pass = 0; pass < 2; ++pass) {
    const std::size_t start = out.size();
    for (const flat::Point2& c : p) {
      while (out.size() >= start + 2 && turnsRight(c)) out.pop_back();
      out.push_back(c);
    }
    out.pop_back();
    std::reverse(p.begin(), p.end());
  }
  return out;
}

TopoDS_Shape plate(const std::vector<flat::Point2>& pivots, double width, double thickness, double bore) {
  const double z = -thickness / 2;
  const std::vector<flat::Point2> rim = hull(pivots);
  if (rim.size() > 1 && flat::boresFit(pivots, bore, width))
    return flat::flatPart(flat::roundedRim(rim, width / 2, z), flat::rounds(pivots, bore, z), thickness);
  TopoDS_Shape s;
  if (rim.size() > 2) s = flat::prism(rim, z, thickness);
  for (std::size_t i = 0; i < rim.size(); ++i) {
    const flat::Point2 &a = rim[i], &b = rim[(i + 1) % rim.size()];
    const TopoDS_Shape side = flat::strip(a, b, width, z, thickness),
                       end = flat::cylinderAt(a.x(), a.y(), width / 2, z, thickness);
    s = s.IsNull() ? flat::fuse(side, end) : flat::fuse(flat::fuse(s, side), end);
  }
  return flat::bored(flat::unified(s), pivots, bore, z, thickness);
}

TopoDS_Shape made(model::BodyKind kind, const std::vector<double>& mm) {
  const auto& f = mm;
  using model::BodyKind;
  switch (kind) {
    case BodyKind::box: return BRepPrimAPI_MakeBox(gp_Pnt(-f[0] / 2, -f[1] / 2, -f[2] / 2), f[0], f[1], f[2]).Shape();
    case BodyKind::cylinder: return flat::cylinderAt(0, 0, f[0], -f[1] / 2, f[1]);
    case BodyKind::sphere: return BRepPrimAPI_MakeSphere(f[0]).Shape();
    case BodyKind::bar: {
      const std::vector<flat::Point2> ends{{0, 0}, {f[0], 0}};
      const double z = -f[2] / 2;
      if (flat::boresFit(ends, f[3], f[1]))
        return flat::flatPart(flat::roundedRim(ends, f[1] / 2, z), flat::rounds(ends, f[3], z), f[2]);
      return flat::bored(flat::roundEnded(ends[0], ends[1], f[1], -f[2] / 2, f[2]), ends, f[3], -f[2] / 2, f[2]);
    }
    case BodyKind::plate: {
      std::vector<flat::Point2> pivots;
      for (std::size_t i = 0; i + 4 < f.size(); i += 2) pivots.emplace_back(f[i], f[i + 1]);
      return plate(pivots, f[f.size() - 3], f[f.size() - 2], f[f.size() - 1]);
    }
    case BodyKind::slottedBar: {
      const double z = -f[2] / 2;
      if (f[5] < f[1] && f[3] < f[1] && f[4] > 0 && f[0] - f[4] - f[5] / 2 > f[3] / 2) {
        auto holes = flat::rounds({{0, 0}}, f[3], z);
        holes.push_back(flat::roundedRim({{f[0] - f[4], 0}, {f[0], 0}}, f[5] / 2, z));
        return flat::flatPart(flat::roundedRim({{0, 0}, {f[0], 0}}, f[1] / 2, z), holes, f[2]);
      }
      const TopoDS_Shape bar = flat::roundEnded({0, 0}, {f[0], 0}, f[1], -f[2] / 2, f[2]);
      const TopoDS_Shape slot = flat::roundEnded({f[0] - f[4], 0}, {f[0], 0}, f[5], -f[2] / 2 - 1, f[2] + 2);
      return flat::bored(BRepAlgoAPI_Cut(bar, slot).Shape(), {{0, 0}}, f[3], -f[2] / 2, f[2]);
    }
    case BodyKind::disc:
    case BodyKind::roller:
      return flat::bored(flat::cylinderAt(0, 0, f[0], -f[1] / 2, f[1]), {{0, 0}}, f[2], -f[1] / 2, f[1]);
    case BodyKind::shaft: {
      TopoDS_Shape s = flat::cylinderAt(0, 0, f[0], -f[1] / 2, f[1]);
      if (f[2] > f[0] && f[3] > 0)
        s = flat::unified(flat::fuse(s, flat::cylinderAt(0, 0, f[2], -f[1] / 2 + f[4], f[3])));
      return s;
    }
    case BodyKind::pin: {
      TopoDS_Shape s = flat::cylinderAt(0, 0, f[0], -f[1] / 2, f[1]);
      if (f[2] > f[0] && f[3] > 0) s = flat::unified(flat::fuse(s, flat::cylinderAt(0, 0, f[2], f[1] / 2, f[3])));
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
    if (kind == model::BodyKind::linkPlate) return linkPlate(figures);
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
