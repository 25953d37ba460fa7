// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/stretch.h"

#include <fmt/format.h>

#include <BRepAdaptor_Curve.hxx>
#include <BRepTools_Modification.hxx>
#include <BRepTools.hxx>
#include <BRepTools_Modifier.hxx>
#include <BRep_Tool.hxx>
#include <BndLib_Add3dCurve.hxx>
#include <BndLib_AddSurface.hxx>
#include <Bnd_Box.hxx>
#include <Geom2d_Line.hxx>
#include <GeomAdaptor_Curve.hxx>
#include <GeomAdaptor_Surface.hxx>
#include <Geom_Line.hxx>
#include <Geom_RectangularTrimmedSurface.hxx>
#include <Standard_Failure.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_DataMapOfShapeInteger.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>
#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>

#include "base/units.h"
#include "shape/cut.h"
#include "shape/occt_units.h"

namespace cooperage::shape {
namespace {

constexpr double kOnPlane = 1e-6;   ///< mm: what is nearer to the plane than that lies in it
constexpr double kParallel = 1e-9;  ///< sine of the angle up to which directions count as the same

enum class Side { behind, beyond, across };

bool isAlong(const gp_Dir& d, const gp_Dir& axis) { return gp_Vec(d).Crossed(gp_Vec(axis)).Magnitude() < kParallel; }
bool isSquareTo(const gp_Dir& d, const gp_Dir& axis) { return std::abs(d.Dot(axis)) < kParallel; }

/// A surface without the bounds that were put on it, in the axes of the solid.
Handle(Geom_Surface) surfaceOf(const TopoDS_Face& face) {
  Handle(Geom_Surface) s = BRep_Tool::Surface(face);
  while (const auto trimmed = Handle(Geom_RectangularTrimmedSurface)::DownCast(s)) s = trimmed->BasisSurface();
  return s;
}

/// What a move along the axis is in the parameters of a surface that stays on itself; none: it doesn't.
std::optional<gp_Vec2d> moveWithin(const Handle(Geom_Surface) & surface, const gp_Dir& axis, double by) {
  const GeomAdaptor_Surface s(surface);
  switch (s.GetType()) {
    case GeomAbs_Plane: {
      const gp_Ax3 at = s.Plane().Position();
      if (!isSquareTo(at.Direction(), axis)) return std::nullopt;
      return gp_Vec2d(by * axis.Dot(at.XDirection()), by * axis.Dot(at.YDirection()));
    }
    case GeomAbs_Cylinder: {
      const gp_Dir along = s.Cylinder().Position().Direction();
      if (!isAlong(along, axis)) return std::nullopt;
      return gp_Vec2d(0, by * axis.Dot(along));
    }
    case GeomAbs_SurfaceOfExtrusion:
      if (!isAlong(s.Direction(), axis)) return std::nullopt;
      return gp_Vec2d(0, by * axis.Dot(s.Direction()));
    default: return std::nullopt;
  }
}

/// Which side of the plane each piece of a solid is on.
class Parting {
 public:
  /// @param touching the side to which corners in the plane belong
  Parting(const TopoDS_Shape& solid, const gp_Pnt& at, const gp_Dir& axis, Side touching)
      : axis_(axis), touching_(touching) {
    toPlane_.SetTransformation(gp_Ax3(at, axis));
    TopTools_IndexedMapOfShape vertices, edges, faces;
    TopExp::MapShapes(solid, TopAbs_VERTEX, vertices);
    TopExp::MapShapes(solid, TopAbs_EDGE, edges);
    TopExp::MapShapes(solid, TopAbs_FACE, faces);
    for (int i = 1; i <= vertices.Extent(); ++i) sides_.Bind(vertices(i), code(vertex(TopoDS::Vertex(vertices(i)))));
    for (int i = 1; i <= edges.Extent() && why_.empty(); ++i) sides_.Bind(edges(i), code(edge(TopoDS::Edge(edges(i)))));
    for (int i = 1; i <= faces.Extent() && why_.empty(); ++i) sides_.Bind(faces(i), code(face(TopoDS::Face(faces(i)))));
  }
  Side of(const TopoDS_Shape& piece) const { return static_cast<Side>(sides_.Find(piece)); }
  const gp_Dir& axis() const { return axis_; }
  /// Why the section is not constant at the plane; empty: it is.
  const std::string& why() const { return why_; }
  bool isCut() const { return last_ > -kNone && first_ < kNone; }
  /// Over what length about the plane it is constant, mm.
  double length() const { return first_ - last_; }

 private:
  static constexpr double kNone = std::numeric_limits<double>::max();
  static int code(Side s) { return static_cast<int>(s); }
  Side noted(Side s, double low, double high) {
    if (s == Side::behind) last_ = std::max(last_, high);
    if (s == Side::beyond) first_ = std::min(first_, low);
    return s;
  }
  Side vertex(const TopoDS_Vertex& v) {
    const double z = BRep_Tool::Pnt(v).Transformed(toPlane_).Z();
    const bool beyond = z > kOnPlane || (z >= -kOnPlane && touching_ == Side::beyond);
    return noted(beyond ? Side::beyond : Side::behind, z, z);
  }
  Side edge(const TopoDS_Edge& e) {
    TopoDS_Vertex a, b;
    TopExp::Vertices(e, a, b);
    double from = 0, to = 0;
    const Handle(Geom_Curve) curve = BRep_Tool::Curve(e, from, to);
    if (curve.IsNull()) return a.IsNull() ? Side::behind : of(a);
    Bnd_Box box;
    const Handle(Geom_Curve) local = Handle(Geom_Curve)::DownCast(curve->Transformed(toPlane_));
    BndLib_Add3dCurve::AddOptimal(GeomAdaptor_Curve(local, from, to), 0, box);
    const double low = box.CornerMin().Z(), high = box.CornerMax().Z();
    const bool behind = (!a.IsNull() && of(a) == Side::behind) || (!b.IsNull() && of(b) == Side::behind),
               beyond = (!a.IsNull() && of(a) == Side::beyond) || (!b.IsNull() && of(b) == Side::beyond);
    if (high <= kOnPlane && !beyond) return noted(Side::behind, low, high);
    if (low >= -kOnPlane && !behind) return noted(Side::beyond, low, high);
    const GeomAdaptor_Curve c(curve, from, to);
    if (c.GetType() == GeomAbs_Line && isAlong(c.Line().Direction(), axis_)) return Side::across;
    why_ = c.GetType() == GeomAbs_Line ? "an edge runs through it aslant"
           : c.GetType() == GeomAbs_Circle
               ? fmt::format("a round edge of {} runs through it", millimetres(2 * c.Circle().Radius() * kFromMm))
               : "a curved edge runs through it";
    return Side::across;
  }
  Side face(const TopoDS_Face& f) {
    bool behind = false, beyond = false;
    for (TopExp_Explorer e(f, TopAbs_EDGE); e.More(); e.Next()) {
      const Side s = of(e.Current());
      behind = behind || s != Side::beyond;
      beyond = beyond || s != Side::behind;
    }
    const Handle(Geom_Surface) surface = surfaceOf(f);
    if (behind && beyond) {
      if (!moveWithin(surface, axis_, 1)) why_ = "a face runs through it aslant or curved";
      return Side::across;
    }
    // a dome reaches further than its rim
    if (GeomAdaptor_Surface(surface).GetType() != GeomAbs_Plane) {
      Bnd_Box box;
      const Handle(Geom_Surface) local = Handle(Geom_Surface)::DownCast(surface->Transformed(toPlane_));
      double u0 = 0, u1 = 0, v0 = 0, v1 = 0;
      BRepTools::UVBounds(f, u0, u1, v0, v1);
      BndLib_AddSurface::Add(GeomAdaptor_Surface(local, u0, u1, v0, v1), 0, box);
      const double low = box.CornerMin().Z(), high = box.CornerMax().Z();
      if (beyond ? low < -kOnPlane : high > kOnPlane) {
        why_ = "a curved face reaches through it";
        return Side::across;
      }
      return noted(beyond ? Side::beyond : Side::behind, low, high);
    }
    return beyond ? Side::beyond : Side::behind;
  }
  gp_Dir axis_;
  Side touching_;
  gp_Trsf toPlane_;
  TopTools_DataMapOfShapeInteger sides_;
  std::string why_;
  double last_ = -kNone, first_ = kNone;  ///< how far up what is behind reaches, how far down what is beyond
};

/// Moves what is beyond the plane, and what runs across along itself.
class Drawing : public BRepTools_Modification {
 public:
  Drawing(const Parting& parting, double by) : parting_(parting), by_(by), move_(gp_Vec(parting.axis()) * by) {}

  Standard_Boolean NewSurface(const TopoDS_Face& f, Handle(Geom_Surface) & s, TopLoc_Location& l, Standard_Real& tol,
                              Standard_Boolean& wires, Standard_Boolean& turned) override {
    s = parting_.of(f) == Side::across ? surfaceOf(f) : BRep_Tool::Surface(f);
    if (parting_.of(f) == Side::beyond) s = Handle(Geom_Surface)::DownCast(s->Translated(move_));
    l.Identity();
    tol = BRep_Tool::Tolerance(f);
    wires = turned = false;
    return true;
  }
  Standard_Boolean NewCurve(const TopoDS_Edge& e, Handle(Geom_Curve) & c, TopLoc_Location& l,
                            Standard_Real& tol) override {
    double from = 0, to = 0;
    c = BRep_Tool::Curve(e, from, to);
    l.Identity();
    tol = BRep_Tool::Tolerance(e);
    if (c.IsNull()) return true;
    if (parting_.of(e) == Side::across) c = new Geom_Line(GeomAdaptor_Curve(c).Line());
    if (parting_.of(e) == Side::beyond) c = Handle(Geom_Curve)::DownCast(c->Translated(move_));
    return true;
  }
  Standard_Boolean NewPoint(const TopoDS_Vertex& v, gp_Pnt& p, Standard_Real& tol) override {
    p = BRep_Tool::Pnt(v);
    if (parting_.of(v) == Side::beyond) p.Translate(move_);
    tol = BRep_Tool::Tolerance(v);
    return true;
  }
  Standard_Boolean NewCurve2d(const TopoDS_Edge& e, const TopoDS_Face& f, const TopoDS_Edge&, const TopoDS_Face&,
                              Handle(Geom2d_Curve) & c, Standard_Real& tol) override {
    double from = 0, to = 0;
    c = BRep_Tool::CurveOnSurface(e, f, from, to);
    if (c.IsNull()) return false;
    tol = BRep_Tool::Tolerance(e);
    if (parting_.of(f) != Side::across) return true;
    const gp_Vec2d move = *moveWithin(surfaceOf(f), parting_.axis(), by_);
    if (parting_.of(e) == Side::beyond) c = Handle(Geom2d_Curve)::DownCast(c->Translated(move));
    if (parting_.of(e) == Side::across) {
      // as long as it needs to be: the parameter is the length, on the edge and on the face
      const gp_Vec2d way(c->Value(from), c->Value(to));
      const gp_Dir2d d(way);
      c = new Geom2d_Line(c->Value(from).Translated(gp_Vec2d(d) * -from), d);
    }
    return true;
  }
  Standard_Boolean NewParameter(const TopoDS_Vertex& v, const TopoDS_Edge& e, Standard_Real& p,
                                Standard_Real& tol) override {
    p = BRep_Tool::Parameter(v, e);
    tol = BRep_Tool::Tolerance(v);
    if (parting_.of(e) == Side::across && parting_.of(v) == Side::beyond) {
      double from = 0, to = 0;
      p += by_ * GeomAdaptor_Curve(BRep_Tool::Curve(e, from, to)).Line().Direction().Dot(parting_.axis());
    }
    return true;
  }
  GeomAbs_Shape Continuity(const TopoDS_Edge& e, const TopoDS_Face& f1, const TopoDS_Face& f2, const TopoDS_Edge&,
                           const TopoDS_Face&, const TopoDS_Face&) override {
    return BRep_Tool::Continuity(e, f1, f2);
  }

 private:
  const Parting& parting_;
  const double by_;
  const gp_Vec move_;
};

Error refused(const std::string& why) { return Error{"stretch", "", why}; }

}  // namespace

Result<TopoDS_Shape> stretched(const TopoDS_Shape& solid, const Vec3& at, const Vec3& axis, double by) {
  if (!(axis.norm() > 0)) return refused("the plane has no normal");
  if (isFaceted(solid)) return refused("it is made of triangles only; take a STEP file of it");
  try {
    const gp_Pnt p(at.x() * kToMm, at.y() * kToMm, at.z() * kToMm);
    const gp_Dir n(axis.x(), axis.y(), axis.z());
    std::string why;
    // corners in the plane go with what is beyond, or stay, as the section allows
    for (const Side touching : {Side::behind, Side::beyond}) {
      const Parting parting(solid, p, n, touching);
      if (!parting.why().empty()) {
        if (why.empty()) why = parting.why();
        continue;
      }
      if (!parting.isCut()) continue;
      if (-by * kToMm >= parting.length() - kOnPlane)
        return refused(fmt::format("its section is constant over {} there: it can be made shorter by less than that",
                                   millimetres(parting.length() * kFromMm)));
      if (by == 0) return solid;
      BRepTools_Modifier modifier(solid, new Drawing(parting, by * kToMm));
      if (!modifier.IsDone()) return refused("the solid can't be drawn out there");
      return modifier.ModifiedShape(solid);
    }
    if (why.empty()) return refused("the plane doesn't cut the solid; move it");
    return refused("its section is not constant at the plane: " + why +
                   "; move the plane to where its sides are straight");
  } catch (const Standard_Failure& e) {
    return refused(std::string("the solid can't be drawn out there: ") + e.GetMessageString());
  }
}

namespace {
/// Where the plane of the i-th stretch stands when those before it are done.
Vec3 planeOf(const std::vector<model::Resolved::StretchR>& stretches, std::size_t i) {
  Vec3 at = stretches[i].at;
  for (std::size_t k = 0; k < i; ++k) {
    const Vec3 axis = stretches[k].axis.normalized();
    if ((stretches[i].at - stretches[k].at).dot(axis) > kOnPlane * kFromMm) at += stretches[k].by * axis;
  }
  return at;
}
}  // namespace

Result<TopoDS_Shape> stretched(const TopoDS_Shape& solid, const std::vector<model::Resolved::StretchR>& stretches) {
  Result<TopoDS_Shape> out = solid;
  for (std::size_t i = 0; i < stretches.size() && out.ok(); ++i)
    out = stretched(*out, planeOf(stretches, i), stretches[i].axis, stretches[i].by);
  return out;
}

Vec3 unstretched(const std::vector<model::Resolved::StretchR>& stretches, const Vec3& place) {
  Vec3 out = place;
  for (std::size_t i = stretches.size(); i-- > 0;) {
    const Vec3 axis = stretches[i].axis.normalized();
    const double beyond = (out - planeOf(stretches, i)).dot(axis);
    if (beyond > std::max(stretches[i].by, 0.0))
      out -= stretches[i].by * axis;
    else if (beyond > 0)
      out -= beyond * axis;
    else if (beyond > stretches[i].by)  // shortened: what is near the plane is beyond it
      out -= stretches[i].by * axis;
  }
  return out;
}

Result<Vec3> placeBehind(const TopoDS_Shape& solid, const Vec3& at, const Vec3& axis) {
  const Vec3 n = axis.normalized();
  const gp_Pnt p(at.x() * kToMm, at.y() * kToMm, at.z() * kToMm);
  gp_Trsf toFace;
  toFace.SetTransformation(gp_Ax3(p, gp_Dir(n.x(), n.y(), n.z())));
  // heights at which edges begin and end: between two of them the section is the same kind all through
  std::vector<double> heights;
  for (TopExp_Explorer e(solid, TopAbs_EDGE); e.More(); e.Next()) {
    double from = 0, to = 0;
    const Handle(Geom_Curve) curve = BRep_Tool::Curve(TopoDS::Edge(e.Current()), from, to);
    if (curve.IsNull()) continue;
    Bnd_Box box;
    const Handle(Geom_Curve) local = Handle(Geom_Curve)::DownCast(curve->Transformed(toFace));
    BndLib_Add3dCurve::AddOptimal(GeomAdaptor_Curve(local, from, to), 0, box);
    for (const double z : {box.CornerMin().Z(), box.CornerMax().Z()})
      if (z <= kOnPlane) heights.push_back(z);
  }
  std::sort(heights.rbegin(), heights.rend());
  for (std::size_t i = 1; i < heights.size(); ++i) {
    if (heights[i - 1] - heights[i] < 2 * kOnPlane) continue;
    const Vec3 place = at + (heights[i - 1] + heights[i]) / 2 * kFromMm * n;
    if (stretched(solid, place, axis, 0).ok()) return place;
  }
  return refused("its section is not constant anywhere behind that face");
}

}  // namespace cooperage::shape
