// SPDX-License-Identifier: GPL-3.0-or-later
#include <BRepAdaptor_Curve.hxx>
#include <BRepAdaptor_Surface.hxx>
#include <BRepGProp.hxx>
#include <BRep_Tool.hxx>
#include <GProp_GProps.hxx>
#include <Standard_Failure.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <gp_Cylinder.hxx>
#include <gp_Pln.hxx>
#include <gp_Sphere.hxx>
#include <limits>

#include "shape/cut.h"
#include "shape/face_features.h"
#include "shape/occt_units.h"

namespace cooperage::shape {
namespace {

Snap make(const char* word, const Vec3& at, const Vec3& axis) { return {word, at, axis, anyPerpendicular(axis)}; }

/// Axis of a cylindrical or conical face: its middle and both ends, as far as the face reaches.
void alongAxis(const TopoDS_Face& face, const gp_Ax1& axis, std::vector<Snap>& out) {
  const Vec3 origin = point(axis.Location()), z = direction(axis.Direction());
  double low = std::numeric_limits<double>::infinity(), high = -low;
  for (TopExp_Explorer e(face, TopAbs_EDGE); e.More(); e.Next()) {
    const BRepAdaptor_Curve c(TopoDS::Edge(e.Current()));
    for (int i = 0; i <= 16; ++i) {
      const double u = c.FirstParameter() + (c.LastParameter() - c.FirstParameter()) * i / 16;
      const double s = z.dot(point(c.Value(u)) - origin);
      low = std::min(low, s);
      high = std::max(high, s);
    }
  }
  if (!(high >= low)) return;
  out.push_back(make(kAxisMiddle, origin + 0.5 * (low + high) * z, z));
  out.push_back(make("axis end", origin + high * z, z));
  out.push_back(make("axis end", origin + low * z, z));
}

/// Places of a face that its file holds as a spline surface: those of the form that it has.
void recognised(const TopoDS_Face& face, std::vector<Snap>& out) {
  const model::Feature f = featureOf(face);
  if (f.kind == model::FeatureKind::cylinder || f.kind == model::FeatureKind::cone)
    alongAxis(face,
              gp_Ax1(gp_Pnt(f.at.x() / kFromMm, f.at.y() / kFromMm, f.at.z() / kFromMm),
                     gp_Dir(f.axis.x(), f.axis.y(), f.axis.z())),
              out);
  else if (f.kind == model::FeatureKind::sphere)
    out.push_back(make("centre", f.at, Vec3::UnitZ()));
  else if (f.kind == model::FeatureKind::plane)
    out.push_back(make("middle", f.at, f.axis));
}

std::vector<Snap> faceSnaps(const TopoDS_Face& face) {
  std::vector<Snap> out;
  const BRepAdaptor_Surface s(face);
  switch (s.GetType()) {
    case GeomAbs_Cylinder: alongAxis(face, s.Cylinder().Axis(), out); break;
    case GeomAbs_Cone: alongAxis(face, s.Cone().Axis(), out); break;
    case GeomAbs_Torus:
      out.push_back(make("centre", point(s.Torus().Location()), direction(s.Torus().Axis().Direction())));
      break;
    case GeomAbs_Sphere: out.push_back(make("centre", point(s.Sphere().Location()), Vec3::UnitZ())); break;
    case GeomAbs_Plane: {
      Vec3 n = direction(s.Plane().Axis().Direction());
      if (!s.Plane().Direct()) n = -n;
      if (face.Orientation() == TopAbs_REVERSED) n = -n;
      GProp_GProps props;
      BRepGProp::SurfaceProperties(face, props);
      Snap middle{"middle", point(props.CentreOfMass()), n, direction(s.Plane().XAxis().Direction())};
      out.push_back(middle);
      break;
    }
    default: recognised(face, out); break;
  }
  // circles on the face's rim are places too: a bore's mouth on a plate
  for (TopExp_Explorer e(face, TopAbs_EDGE); e.More(); e.Next()) {
    const BRepAdaptor_Curve c(TopoDS::Edge(e.Current()));
    if (c.GetType() != GeomAbs_Circle) continue;
    const Vec3 at = point(c.Circle().Location());
    bool known = false;
    for (const Snap& k : out) known = known || (k.at - at).norm() < 1e-9;
    if (!known) out.push_back(make("centre", at, direction(c.Circle().Axis().Direction())));
  }
  return out;
}

std::vector<Snap> edgeSnaps(const TopoDS_Edge& edge) {
  std::vector<Snap> out;
  const BRepAdaptor_Curve c(edge);
  if (c.GetType() == GeomAbs_Circle) {
    out.push_back(make("centre", point(c.Circle().Location()), direction(c.Circle().Axis().Direction())));
    return out;
  }
  const double a = c.FirstParameter(), b = c.LastParameter();
  gp_Pnt p;
  gp_Vec t;
  for (const auto& [u, word] : {std::pair{0.5 * (a + b), "middle"}, {a, "end"}, {b, "end"}}) {
    c.D1(u, p, t);
    if (t.Magnitude() > 1e-12) out.push_back(make(word, point(p), direction(gp_Dir(t))));
  }
  return out;
}

}  // namespace

std::vector<TopoDS_Face> facesBeside(const TopoDS_Shape& solid, const TopoDS_Edge& edge) {
  std::vector<TopoDS_Face> out;
  for (TopExp_Explorer f(solid, TopAbs_FACE); f.More(); f.Next())
    for (TopExp_Explorer e(f.Current(), TopAbs_EDGE); e.More(); e.Next())
      if (e.Current().IsSame(edge)) {
        out.push_back(TopoDS::Face(f.Current()));
        break;
      }
  return out;
}

std::vector<Snap> snapsOf(const TopoDS_Shape& s) {
  try {
    if (s.IsNull() || isFaceted(s)) return {};
    if (s.ShapeType() == TopAbs_FACE) return faceSnaps(TopoDS::Face(s));
    if (s.ShapeType() == TopAbs_EDGE && !BRep_Tool::Degenerated(TopoDS::Edge(s))) return edgeSnaps(TopoDS::Edge(s));
    if (s.ShapeType() == TopAbs_VERTEX)
      return {make("corner", point(BRep_Tool::Pnt(TopoDS::Vertex(s))), Vec3::UnitZ())};
  } catch (const Standard_Failure&) {
    return {};  // a sub-shape without usable geometry simply offers no place
  }
  return {};
}

}  // namespace cooperage::shape
