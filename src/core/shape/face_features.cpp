// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/face_features.h"

#include <BRepAdaptor_Curve.hxx>
#include <BRepAdaptor_Surface.hxx>
#include <BRepGProp.hxx>
#include <BRepTools.hxx>
#include <BRep_Tool.hxx>
#include <GProp_GProps.hxx>
#include <Poly_Triangulation.hxx>
#include <Standard_Failure.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedDataMapOfShapeListOfShape.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>
#include <algorithm>
#include <gp_Cone.hxx>
#include <gp_Cylinder.hxx>
#include <gp_Pln.hxx>
#include <gp_Sphere.hxx>
#include <gp_Torus.hxx>
#include <limits>
#include <set>

#include "shape/dense_fit.h"
#include "shape/occt_units.h"

namespace cooperage::shape {
namespace {

constexpr double kAlike = 1e-3;  // relative: radii and directions that count as the same

/// Points of a face with their outward normals: nodes of its mesh, else a grid.
struct Samples {
  std::vector<Vec3> points, normals;
};
Samples sample(const TopoDS_Face& face) {
  Samples out;
  const BRepAdaptor_Surface s(face);
  double u0 = 0, u1 = 0, v0 = 0, v1 = 0;
  BRepTools::UVBounds(face, u0, u1, v0, v1);
  const double sign = face.Orientation() == TopAbs_REVERSED ? -1 : 1;
  for (int i = 0; i <= 8; ++i)
    for (int j = 0; j <= 8; ++j) {
      gp_Pnt p;
      gp_Vec du, dv;
      s.D1(u0 + (u1 - u0) * i / 8, v0 + (v1 - v0) * j / 8, p, du, dv);
      const gp_Vec n = du.Crossed(dv);
      // a pole, or two directions that are one: no normal to be had
      if (du.Magnitude() * (u1 - u0) < 1e-6 || dv.Magnitude() * (v1 - v0) < 1e-6) continue;
      if (n.Magnitude() < 1e-9 * du.Magnitude() * dv.Magnitude()) continue;
      out.points.push_back(point(p));
      out.normals.push_back(sign * Vec3(n.X(), n.Y(), n.Z()).normalized());
    }
  return out;
}

/// Extent along the axis and around it, from the rim and the samples.
void measureRound(const TopoDS_Face& face, Face& f) {
  double low = std::numeric_limits<double>::infinity(), high = -low;
  std::vector<double> angles;
  const Vec3 x = anyPerpendicular(f.feature.axis), y = f.feature.axis.cross(x);
  const auto take = [&](const Vec3& p) {
    const Vec3 d = p - f.feature.at;
    low = std::min(low, d.dot(f.feature.axis));
    high = std::max(high, d.dot(f.feature.axis));
    angles.push_back(std::atan2(d.dot(y), d.dot(x)));
  };
  for (TopExp_Explorer e(face, TopAbs_EDGE); e.More(); e.Next()) {
    if (BRep_Tool::Degenerated(TopoDS::Edge(e.Current()))) continue;
    const BRepAdaptor_Curve c(TopoDS::Edge(e.Current()));
    for (int i = 0; i <= 24; ++i)
      take(point(c.Value(c.FirstParameter() + (c.LastParameter() - c.FirstParameter()) * i / 24)));
  }
  if (!(high >= low)) return;
  f.feature.at += 0.5 * (low + high) * f.feature.axis;
  f.feature.length = high - low;
  std::sort(angles.begin(), angles.end());
  double gap = angles.front() + 2 * kPi - angles.back();
  for (std::size_t i = 1; i < angles.size(); ++i) gap = std::max(gap, angles[i] - angles[i - 1]);
  f.angle = gap < 0.5 ? 2 * kPi : 2 * kPi - gap;
}

void recognise(const TopoDS_Face& face, Face& f) {
  TopLoc_Location location;
  if (BRep_Tool::Surface(face, location).IsNull()) {  // triangles only
    f.feature.kind = model::FeatureKind::free;
    return;
  }
  const BRepAdaptor_Surface s(face);
  model::Feature& out = f.feature;
  out.kind = model::FeatureKind::free;
  const auto inwardBy = [&](const Vec3& p, const Vec3& n) {
    const Vec3 d = p - out.at;
    return n.dot(d - d.dot(out.axis) * out.axis) < 0;
  };
  const Samples samples = sample(face);
  switch (s.GetType()) {
    case GeomAbs_Plane: out.kind = model::FeatureKind::plane; break;
    case GeomAbs_Cylinder:
      out.kind = model::FeatureKind::cylinder;
      out.at = point(s.Cylinder().Location());
      out.axis = direction(s.Cylinder().Axis().Direction());
      out.radius = s.Cylinder().Radius() * kFromMm;
      break;
    case GeomAbs_Cone:
      out.kind = model::FeatureKind::cone;
      out.at = point(s.Cone().Apex());
      out.axis = direction(s.Cone().Axis().Direction());
      f.halfAngle = std::abs(s.Cone().SemiAngle());
      break;
    case GeomAbs_Sphere:
      out.kind = model::FeatureKind::sphere;
      out.at = point(s.Sphere().Location());
      out.radius = s.Sphere().Radius() * kFromMm;
      break;
    case GeomAbs_Torus:
      out.kind = model::FeatureKind::torus;
      out.at = point(s.Torus().Location());
      out.axis = direction(s.Torus().Axis().Direction());
      out.radius = s.Torus().MinorRadius() * kFromMm;
      break;
    default: {
      const auto fit = fitSurface(samples.points, samples.normals, kAlike);
      out.kind = fit.kind;
      out.at = fit.at;
      out.axis = fit.axis;
      out.radius = fit.radius;
      f.halfAngle = fit.halfAngle;
      break;
    }
  }
  GProp_GProps props;
  BRepGProp::SurfaceProperties(face, props);
  out.area = props.Mass() * 1e-6;
  const Vec3 middle = point(props.CentreOfMass());
  if (out.kind == model::FeatureKind::plane) {
    out.at = middle;
    if (!samples.normals.empty()) out.axis = samples.normals[samples.normals.size() / 2];
  } else if (out.kind == model::FeatureKind::cylinder || out.kind == model::FeatureKind::cone) {
    if (!samples.points.empty())
      out.inward = inwardBy(samples.points[40 % samples.points.size()], samples.normals[40 % samples.normals.size()]);
    measureRound(face, f);
  } else if (out.kind == model::FeatureKind::sphere) {
    if (!samples.points.empty()) out.inward = samples.normals[0].dot(samples.points[0] - out.at) < 0;
    f.share = out.area / (4 * kPi * out.radius * out.radius);
  } else if (out.kind == model::FeatureKind::free || out.kind == model::FeatureKind::torus) {
    if (out.kind == model::FeatureKind::free) out.at = middle;
  }
}

void box(const std::vector<Vec3>& points, Vec3& low, Vec3& high) {
  low = Vec3::Constant(std::numeric_limits<double>::infinity());
  high = -low;
  for (const Vec3& p : points) {
    low = low.cwiseMin(p);
    high = high.cwiseMax(p);
  }
}

void takeMesh(const TopoDS_Face& face, Face& f) {
  TopLoc_Location location;
  const Handle(Poly_Triangulation) tri = BRep_Tool::Triangulation(face, location);
  std::vector<Vec3> nodes;
  if (!tri.IsNull()) {
    const gp_Trsf t = location.Transformation();
    for (int i = 1; i <= tri->NbNodes(); ++i) nodes.push_back(point(tri->Node(i).Transformed(t)));
    if (f.feature.kind == model::FeatureKind::plane)
      for (int i = 1; i <= tri->NbTriangles(); ++i) {
        int a = 0, b = 0, c = 0;
        tri->Triangle(i).Get(a, b, c);
        f.triangles.push_back({nodes[static_cast<std::size_t>(a - 1)], nodes[static_cast<std::size_t>(b - 1)],
                               nodes[static_cast<std::size_t>(c - 1)]});
      }
  } else if (f.feature.area > 0) {
    nodes = sample(face).points;
  }
  box(nodes, f.low, f.high);
}

std::string kindOf(const TopoDS_Face& face) {
  TopLoc_Location location;
  if (BRep_Tool::Surface(face, location).IsNull()) return "free";
  switch (BRepAdaptor_Surface(face).GetType()) {
    case GeomAbs_Plane: return "plane";
    case GeomAbs_Cylinder: return "cylinder";
    case GeomAbs_Cone: return "cone";
    case GeomAbs_Sphere: return "sphere";
    case GeomAbs_Torus: return "torus";
    default: return "free";
  }
}

using Neighbours = TopTools_IndexedDataMapOfShapeListOfShape;

std::string beside(const TopoDS_Shape& part, const Neighbours& edges, const Neighbours& corners) {
  std::multiset<std::string> kinds;
  TopTools_IndexedMapOfShape seen;
  const auto add = [&](const TopTools_ListOfShape& faces) {
    for (const TopoDS_Shape& f : faces)
      if (!f.IsSame(part) && seen.Add(f) == seen.Extent()) kinds.insert(kindOf(TopoDS::Face(f)));
  };
  if (part.ShapeType() == TopAbs_VERTEX && corners.Contains(part)) add(corners.FindFromKey(part));
  for (TopExp_Explorer e(part, TopAbs_EDGE); e.More(); e.Next())
    if (edges.Contains(e.Current())) add(edges.FindFromKey(e.Current()));
  std::string out;
  for (const auto& k : kinds) out += (out.empty() ? "" : " ") + k;
  return out;
}

model::Feature ofEdge(const TopoDS_Edge& edge) {
  model::Feature f;
  const BRepAdaptor_Curve c(edge);
  GProp_GProps props;
  BRepGProp::LinearProperties(edge, props);
  f.length = props.Mass() * kFromMm;
  f.kind = model::FeatureKind::curve;
  f.at = point(props.CentreOfMass());
  if (c.GetType() == GeomAbs_Circle) {
    f.kind = model::FeatureKind::circle;
    f.at = point(c.Circle().Location());
    f.axis = direction(c.Circle().Axis().Direction());
    f.radius = c.Circle().Radius() * kFromMm;
  } else if (c.GetType() == GeomAbs_Line) {
    f.kind = model::FeatureKind::line;
    f.axis = direction(c.Line().Direction());
  }
  return f;
}

model::Feature ofFace(const TopoDS_Face& face) {
  Face f;
  recognise(face, f);
  return f.feature;
}

model::Feature plain(const TopoDS_Shape& part) {
  model::Feature f;
  f.kind = model::FeatureKind::corner;
  if (part.ShapeType() == TopAbs_FACE) return ofFace(TopoDS::Face(part));
  if (part.ShapeType() == TopAbs_EDGE && !BRep_Tool::Degenerated(TopoDS::Edge(part))) return ofEdge(TopoDS::Edge(part));
  if (part.ShapeType() == TopAbs_VERTEX) f.at = point(BRep_Tool::Pnt(TopoDS::Vertex(part)));
  return f;
}

void neighbours(const TopoDS_Shape& solid, Neighbours& edges, Neighbours& corners) {
  TopExp::MapShapesAndAncestors(solid, TopAbs_EDGE, TopAbs_FACE, edges);
  TopExp::MapShapesAndAncestors(solid, TopAbs_VERTEX, TopAbs_FACE, corners);
}

bool parallel(const model::Feature& a, const model::Feature& b) {
  if (a.kind == model::FeatureKind::sphere || a.kind == model::FeatureKind::corner ||
      a.kind == model::FeatureKind::free || a.kind == model::FeatureKind::curve)
    return true;
  const double along = a.axis.normalized().dot(b.axis.normalized());
  return a.kind == model::FeatureKind::plane ? along > 1 - 1e-6 : std::abs(along) > 1 - 1e-6;
}

/// How far apart two places are: for what has an axis, across it counts as well as along.
double apart(const model::Feature& a, const model::Feature& b) { return (a.at - b.at).norm(); }

}  // namespace

SolidFacesPtr facesOf(const TopoDS_Shape& solid) {
  auto out = std::make_shared<SolidFaces>();
  std::vector<Vec3> corners;
  int index = 0;
  for (TopExp_Explorer e(solid, TopAbs_FACE); e.More(); e.Next(), ++index) {
    Face f;
    f.index = index;
    try {
      recognise(TopoDS::Face(e.Current()), f);
      takeMesh(TopoDS::Face(e.Current()), f);
    } catch (const Standard_Failure&) {
      f.feature.kind = model::FeatureKind::free;  // a face without usable geometry carries no contact
      continue;
    }
    corners.push_back(f.low);
    corners.push_back(f.high);
    out->faces.push_back(std::move(f));
  }
  box(corners, out->low, out->high);
  return out;
}

model::Feature featureOf(const TopoDS_Shape& solid, const TopoDS_Shape& part) {
  try {
    model::Feature f = plain(part);
    Neighbours edges, corners;
    neighbours(solid, edges, corners);
    f.beside = beside(part, edges, corners);
    return f;
  } catch (const Standard_Failure&) {
    return {};
  }
}

model::Feature featureOf(const TopoDS_Shape& part) {
  try {
    return plain(part);
  } catch (const Standard_Failure&) {
    return {};
  }
}

std::vector<std::vector<Vec3>> linesOf(const TopoDS_Shape& shape) {
  std::vector<std::vector<Vec3>> out;
  TopTools_IndexedMapOfShape edges;
  TopExp::MapShapes(shape, TopAbs_EDGE, edges);
  for (int i = 1; i <= edges.Extent(); ++i) {
    const TopoDS_Edge& edge = TopoDS::Edge(edges(i));
    if (BRep_Tool::Degenerated(edge)) continue;
    try {
      const BRepAdaptor_Curve c(edge);
      const int pieces = c.GetType() == GeomAbs_Line ? 1 : 20;
      std::vector<Vec3> line;
      for (int k = 0; k <= pieces; ++k)
        line.push_back(point(c.Value(c.FirstParameter() + (c.LastParameter() - c.FirstParameter()) * k / pieces)));
      out.push_back(std::move(line));
    } catch (const Standard_Failure&) {
      continue;  // an edge without a curve can't be drawn
    }
  }
  return out;
}

std::vector<Found> findAgain(const TopoDS_Shape& solid, const model::Feature& wanted, double tolerance) {
  std::vector<Found> out;
  const bool edge = wanted.kind == model::FeatureKind::line || wanted.kind == model::FeatureKind::circle ||
                    wanted.kind == model::FeatureKind::curve;
  const TopAbs_ShapeEnum type = wanted.kind == model::FeatureKind::corner ? TopAbs_VERTEX
                                : edge                                    ? TopAbs_EDGE
                                                                          : TopAbs_FACE;
  TopTools_IndexedMapOfShape parts;
  TopExp::MapShapes(solid, type, parts);
  Neighbours edges, corners;
  neighbours(solid, edges, corners);
  for (int i = 1; i <= parts.Extent(); ++i) {
    try {
      Found found{parts(i), plain(parts(i))};
      const model::Feature& f = found.feature;
      if (f.kind != wanted.kind || f.inward != wanted.inward || !parallel(wanted, f)) continue;
      found.feature.beside = beside(parts(i), edges, corners);
      found.distance = apart(f, wanted);
      const bool radius = std::abs(f.radius - wanted.radius) <= tolerance + 1e-6 * wanted.radius;
      found.same = radius && found.distance <= tolerance;
      found.alike = radius && !found.same;
      out.push_back(std::move(found));
    } catch (const Standard_Failure&) {
      continue;  // a piece without usable geometry can't be what a seat came from
    }
  }
  // the neighbourhood decides between pieces at one place: both rims of a chamfer, halves of a bore
  const auto rank = [&](const Found& f) {
    return std::make_tuple(!f.same, !f.alike, f.feature.beside != wanted.beside, f.distance,
                           std::abs(f.feature.area - wanted.area) + std::abs(f.feature.length - wanted.length));
  };
  std::stable_sort(out.begin(), out.end(), [&](const Found& a, const Found& b) { return rank(a) < rank(b); });
  return out;
}

}  // namespace cooperage::shape
