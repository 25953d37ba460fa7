// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/mesh_bound.h"

#include <BRepAdaptor_Curve.hxx>
#include <BRepAdaptor_Curve2d.hxx>
#include <BRepAdaptor_Surface.hxx>
#include <BRep_Tool.hxx>
#include <Poly_PolygonOnTriangulation.hxx>
#include <Poly_Triangulation.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <algorithm>
#include <cmath>
#include <gp_Circ.hxx>
#include <gp_Cone.hxx>
#include <gp_Cylinder.hxx>
#include <gp_Elips.hxx>
#include <gp_Sphere.hxx>
#include <gp_Torus.hxx>
#include <gp_Vec.hxx>

namespace cooperage::shape {
namespace {

/// Bounds of second derivatives.
struct Bends {
  double uu = 0, uv = 0, vv = 0;
};
/// Of a surface between two v; none if it isn't one that is known.
std::optional<Bends> bendsOf(const BRepAdaptor_Surface& s, double low, double high) {
  switch (s.GetType()) {
    case GeomAbs_Plane: return Bends{};
    case GeomAbs_Cylinder: return Bends{s.Cylinder().Radius(), 0, 0};
    case GeomAbs_Cone: {
      const double sine = std::sin(s.Cone().SemiAngle()), r = s.Cone().RefRadius();
      return Bends{std::max(std::abs(r + low * sine), std::abs(r + high * sine)), std::abs(sine), 0};
    }
    case GeomAbs_Sphere: return Bends{};  // told by the size of its triangles
    case GeomAbs_Torus:
      return Bends{s.Torus().MajorRadius() + s.Torus().MinorRadius(), s.Torus().MinorRadius(), s.Torus().MinorRadius()};
    default: return {};
  }
}

/// Most that the distance from a surface bends near it: its greatest curvature, a little more beside it; none if
/// unknown.
std::optional<double> curvatureOf(const BRepAdaptor_Surface& s) {
  constexpr double kBeside = 1.01;  // for places up to a hundredth of the radius off the surface
  if (s.GetType() == GeomAbs_Sphere) return kBeside / s.Sphere().Radius();
  if (s.GetType() != GeomAbs_Torus) return {};
  const double r = s.Torus().MinorRadius(), hole = s.Torus().MajorRadius() - r;
  if (!(hole > 0)) return {};
  return kBeside / std::min(r, hole);
}

/// Square of the radius of the smallest ball about a triangle: a place in it is that far from its corners, on the mean
/// of their weights, at most.
double around2(const gp_Pnt& a, const gp_Pnt& b, const gp_Pnt& c) {
  double x = a.SquareDistance(b), y = b.SquareDistance(c), z = c.SquareDistance(a);
  if (y > x) std::swap(x, y);
  if (z > x) std::swap(x, z);
  if (y + z <= x) return x / 4;
  const double area4 = gp_Vec(a, b).Crossed(gp_Vec(a, c)).SquareMagnitude();  // twice the area, squared
  return x * y * z / (4 * area4);
}

/// Greatest distance of the chords of an edge from a plane curve; none if it isn't one that is known.
std::optional<double> chordsOf(const TopoDS_Edge& edge, const Handle(Poly_Triangulation) & tri,
                               const TopLoc_Location& location) {
  const BRepAdaptor_Curve curve(edge);
  double bend = 0;
  switch (curve.GetType()) {
    case GeomAbs_Line: return 0.0;
    case GeomAbs_Circle: bend = curve.Circle().Radius(); break;
    case GeomAbs_Ellipse: bend = curve.Ellipse().MajorRadius(); break;
    default: return {};
  }
  const Handle(Poly_PolygonOnTriangulation) polygon = BRep_Tool::PolygonOnTriangulation(edge, tri, location);
  if (polygon.IsNull() || !polygon->HasParameters()) return {};
  double step = 0;
  for (int i = 2; i <= polygon->NbNodes(); ++i)
    step = std::max(step, std::abs(polygon->Parameter(i) - polygon->Parameter(i - 1)));
  return bend * step * step / 8;
}

/// Is an edge straight in the parameters of its face? Lines and circles that lie on a cylinder or a cone are its
/// rulings and parallels, whatever the file writes for them.
bool isStraight(const TopoDS_Edge& edge, const TopoDS_Face& face, GeomAbs_SurfaceType surface) {
  if (BRepAdaptor_Curve2d(edge, face).GetType() == GeomAbs_Line) return true;
  const auto curve = BRepAdaptor_Curve(edge).GetType();
  return (surface == GeomAbs_Cylinder || surface == GeomAbs_Cone) && (curve == GeomAbs_Line || curve == GeomAbs_Circle);
}

std::optional<double> boundOfFace(const TopoDS_Face& face) {
  TopLoc_Location location;
  const Handle(Poly_Triangulation) tri = BRep_Tool::Triangulation(face, location);
  if (tri.IsNull()) return {};
  const BRepAdaptor_Surface surface(face);
  const bool plane = surface.GetType() == GeomAbs_Plane;
  if (!bendsOf(surface, 0, 0)) return {};
  double worst = 0, off = BRep_Tool::Tolerance(face);
  for (TopExp_Explorer e(face, TopAbs_EDGE); e.More(); e.Next()) {
    const TopoDS_Edge edge = TopoDS::Edge(e.Current());
    if (BRep_Tool::Degenerated(edge)) continue;
    off = std::max(off, BRep_Tool::Tolerance(edge));
    if (plane) {
      const auto chords = chordsOf(edge, tri, location);
      if (!chords) return {};
      worst = std::max(worst, *chords);
    } else if (!isStraight(edge, face, surface.GetType())) {
      return {};
    }
  }
  for (TopExp_Explorer v(face, TopAbs_VERTEX); v.More(); v.Next())
    off = std::max(off, BRep_Tool::Tolerance(TopoDS::Vertex(v.Current())));
  if (plane) return worst + off;
  if (!tri->HasUVNodes()) return {};
  const auto curvature = curvatureOf(surface);
  for (int i = 1; i <= tri->NbTriangles(); ++i) {
    int n[3];
    tri->Triangle(i).Get(n[0], n[1], n[2]);
    double lowU = 1e300, highU = -1e300, lowV = 1e300, highV = -1e300;
    for (const int k : n) {
      const gp_Pnt2d p = tri->UVNode(k);
      lowU = std::min(lowU, p.X());
      highU = std::max(highU, p.X());
      lowV = std::min(lowV, p.Y());
      highV = std::max(highV, p.Y());
    }
    const Bends b = *bendsOf(surface, lowV, highV);
    const double du = highU - lowU, dv = highV - lowV;
    double one = (b.uu * du * du + 2 * b.uv * du * dv + b.vv * dv * dv) / 8;
    const double far2 = curvature ? around2(tri->Node(n[0]), tri->Node(n[1]), tri->Node(n[2])) : 0;
    if (surface.GetType() == GeomAbs_Sphere) {  // its plane comes no nearer to the middle, however large it is
      const double radius = surface.Sphere().Radius();
      one = radius - std::sqrt(std::max(0.0, radius * radius - far2));
    } else if (curvature) {
      if (far2 * *curvature * *curvature < 0.04) one = std::min(one, 0.5 * *curvature * far2);
    }
    worst = std::max(worst, one);
  }
  return worst + off;
}

}  // namespace

std::optional<double> meshBound(const TopoDS_Shape& shape) {
  double worst = 0;
  for (TopExp_Explorer f(shape, TopAbs_FACE); f.More(); f.Next()) {
    const auto one = boundOfFace(TopoDS::Face(f.Current()));
    if (!one) return {};
    worst = std::max(worst, *one);
  }
  return worst;
}

}  // namespace cooperage::shape
