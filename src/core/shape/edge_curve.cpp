// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/edge_curve.h"

#include <fmt/format.h>

#include <BRepAdaptor_Curve.hxx>
#include <BRepTools.hxx>
#include <BRepTools_WireExplorer.hxx>
#include <BRep_Tool.hxx>
#include <Eigen/SVD>
#include <Geom_Curve.hxx>
#include <Standard_Failure.hxx>
#include <TColStd_Array1OfReal.hxx>
#include <TopExp.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Edge.hxx>
#include <TopoDS_Face.hxx>
#include <TopoDS_Wire.hxx>
#include <algorithm>
#include <cmath>
#include <set>

#include "base/principal_axes.h"

namespace cooperage::shape {
namespace {

constexpr double kMetre = 1e-3;
constexpr double kKink = 2 * kPi / 180;
using Vec2 = Eigen::Vector2d;
using curves::Piece;

Vec3 vec(const gp_XYZ& p) { return {p.X(), p.Y(), p.Z()}; }

TopTools_IndexedMapOfShape edgesOf(const SolidPtr& solid) {
  TopTools_IndexedMapOfShape map;
  TopExp::MapShapes(solid->shape, TopAbs_EDGE, map);
  return map;
}

/// Both ends of an edge with the tangents there, in the solid's axes, m; tangents along the edge's own sense.
struct Ends {
  Vec3 at[2], way[2];
};
Ends endsOf(const TopoDS_Edge& e) {
  const BRepAdaptor_Curve c(e);
  Ends out;
  for (int k = 0; k < 2; ++k) {
    gp_Pnt p;
    gp_Vec d;
    c.D1(k == 0 ? c.FirstParameter() : c.LastParameter(), p, d);
    out.at[k] = kMetre * vec(p.XYZ());
    out.way[k] = vec(d.XYZ()).normalized();
  }
  return out;
}

/// The edge as a piece from start to end (`backwards`: from its end to its start), in the seat's plane.
Piece pieceOf(const TopoDS_Edge& e, bool backwards, const Pose& toSeat) {
  auto c = std::make_shared<BRepAdaptor_Curve>(e);
  const double from = c->FirstParameter(), to = c->LastParameter();
  const auto flat = [&](double u) { return Vec2((toSeat * Vec3(kMetre * vec(c->Value(u).XYZ()))).head<2>()); };
  Piece p;
  if (c->GetType() == GeomAbs_Line) {
    p.points = {flat(from), flat(to)};
  } else if (c->GetType() == GeomAbs_Circle && to - from < 2 * kPi - 1e-9) {
    const gp_Circ circle = c->Circle();
    p.kind = Piece::Kind::arc;
    p.points = {flat(from), flat(to)};
    p.centre = (toSeat * Vec3(kMetre * vec(circle.Location().XYZ()))).head<2>();
    p.ccw = (toSeat.R * vec(circle.Axis().Direction().XYZ())).z() > 0;
  } else {
    p.kind = Piece::Kind::general;
    const double sign = backwards ? -1 : 1;
    p.own = [c, toSeat, sign](double t) {
      curves::CurvePoint out;
      const double u = sign * t;
      out[0] = toSeat * Vec3(kMetre * vec(c->Value(u).XYZ()));
      double factor = 1;
      for (std::size_t n = 1; n < out.size(); ++n) {
        factor *= sign;
        out[n] = factor * kMetre * (toSeat.R * vec(c->DN(u, static_cast<int>(n)).XYZ()));
      }
      for (Vec3& v : out) v.z() = 0;
      return out;
    };
    TColStd_Array1OfReal knots(1, c->NbIntervals(GeomAbs_C3) + 1);
    c->Intervals(knots, GeomAbs_C3);
    constexpr int kSteps = 8;
    for (int i = knots.Lower(); i < knots.Upper(); ++i)
      for (int k = 0; k < kSteps; ++k) p.breaks.push_back(knots(i) + (knots(i + 1) - knots(i)) * k / kSteps);
    p.breaks.push_back(knots(knots.Upper()));
    if (backwards) {
      std::reverse(p.breaks.begin(), p.breaks.end());
      for (double& b : p.breaks) b = -b;
    }
    return p;
  }
  if (backwards) {
    std::swap(p.points[0], p.points[1]);
    p.ccw = !p.ccw;
  }
  return p;
}

}  // namespace

Result<curves::CurvePtr> edgeCurve(const SolidPtr& solid, const std::vector<int>& edges, const Pose& toSeat,
                                   const std::string& name, std::vector<std::string>* remarks) {
  const auto wrong = [&](const std::string& text) { return Error{"curve", name, "curve " + name + ": " + text}; };
  try {
    const auto map = edgesOf(solid);
    std::vector<TopoDS_Edge> left;
    double size = 0;
    for (int i : edges) {
      if (i < 0 || i >= map.Extent())
        return wrong(fmt::format("there is no edge {}; the body has {} (0 to {})", i, map.Extent(), map.Extent() - 1));
      left.push_back(TopoDS::Edge(map(i + 1)));
      const BRepAdaptor_Curve c(left.back());
      for (int k = 0; k <= 8; ++k) {
        const Vec3 p =
            toSeat *
            Vec3(kMetre * vec(c.Value(c.FirstParameter() + (c.LastParameter() - c.FirstParameter()) * k / 8).XYZ()));
        size = std::max(size, p.head<2>().norm());
        if (std::abs(p.z()) > 1e-6 + 1e-5 * size)
          return wrong(fmt::format("edge {} leaves the plane of its seat by {:.4g} mm", i, std::abs(p.z()) * 1e3));
      }
    }
    std::vector<Piece> pieces;
    Ends here = endsOf(left.front());
    const Vec3 start = here.at[0];
    Vec3 end = here.at[1];
    pieces.push_back(pieceOf(left.front(), false, toSeat));
    left.erase(left.begin());
    while (!left.empty()) {  // the edge whose end is nearest goes on
      std::size_t best = 0;
      bool backwards = false;
      double least = 1e300;
      for (std::size_t i = 0; i < left.size(); ++i) {
        const Ends e = endsOf(left[i]);
        for (int k = 0; k < 2; ++k)
          if (const double d = (e.at[k] - end).norm(); d < least) {
            least = d;
            best = i;
            backwards = k == 1;
          }
      }
      const Ends e = endsOf(left[best]);
      end = e.at[backwards ? 0 : 1];
      pieces.push_back(pieceOf(left[best], backwards, toSeat));
      left.erase(left.begin() + static_cast<std::ptrdiff_t>(best));
    }
    const bool closed = (end - start).norm() < 1e-5 * std::max(size, 1e-3);
    return curves::chain(pieces, closed, name, kKink, remarks);
  } catch (const Standard_Failure& e) {
    return wrong(fmt::format("its edges can't be used: {}", e.GetMessageString()));
  }
}

std::vector<int> edgesAround(const SolidPtr& solid, int face) {
  TopTools_IndexedMapOfShape faces;
  TopExp::MapShapes(solid->shape, TopAbs_FACE, faces);
  std::vector<int> out;
  if (face < 0 || face >= faces.Extent()) return out;
  const auto map = edgesOf(solid);
  const TopoDS_Face f = TopoDS::Face(faces(face + 1));
  for (BRepTools_WireExplorer e(BRepTools::OuterWire(f), f); e.More(); e.Next())
    out.push_back(map.FindIndex(e.Current()) - 1);
  return out;
}

std::vector<int> tangentEdges(const SolidPtr& solid, int first) {
  const auto map = edgesOf(solid);
  if (first < 0 || first >= map.Extent()) return {};
  std::vector<Ends> ends;
  for (int i = 1; i <= map.Extent(); ++i) ends.push_back(endsOf(TopoDS::Edge(map(i))));
  // the plane of the first edge, if it bends; else of the first two that do
  Vec3 normal = Vec3::Zero();
  const auto bend = [&](int edge) {
    const BRepAdaptor_Curve c(TopoDS::Edge(map(edge + 1)));
    const Ends& e = ends[static_cast<std::size_t>(edge)];
    const Vec3 middle = kMetre * vec(c.Value(0.5 * (c.FirstParameter() + c.LastParameter())).XYZ());
    const Vec3 n = (middle - e.at[0]).cross(e.at[1] - e.at[0]);
    return n.norm() > 1e-9 * (e.at[1] - e.at[0]).squaredNorm() && n.norm() > 1e-14 ? Vec3(n.normalized())
                                                                                   : Vec3(Vec3::Zero());
  };
  normal = bend(first);
  std::vector<int> out{first};
  std::set<int> used{first};
  for (int side = 1; side >= 0; --side) {  // onwards from the end, then back from the start
    Vec3 at = ends[static_cast<std::size_t>(first)].at[side];
    Vec3 way = ends[static_cast<std::size_t>(first)].way[side] * (side == 1 ? 1 : -1);
    for (bool found = true; found;) {
      found = false;
      for (int i = 0; i < map.Extent() && !found; ++i) {
        if (used.count(i)) continue;
        const Ends& e = ends[static_cast<std::size_t>(i)];
        for (int k = 0; k < 2 && !found; ++k) {
          const Vec3 on = e.way[k] * (k == 0 ? 1 : -1);
          if ((e.at[k] - at).norm() > 1e-6 || std::atan2(on.cross(way).norm(), on.dot(way)) > kKink) continue;
          const Vec3 n = bend(i);
          if (normal.norm() > 0.5 &&
              (std::abs(on.dot(normal)) > 1e-3 || (n.norm() > 0.5 && n.cross(normal).norm() > 1e-3)))
            continue;
          if (normal.norm() < 0.5) normal = n;
          at = e.at[1 - k];
          way = e.way[1 - k] * (k == 0 ? 1 : -1);
          used.insert(i);
          if (side == 1)
            out.push_back(i);
          else
            out.insert(out.begin(), i);
          found = true;
        }
      }
    }
  }
  return out;
}

Result<Outline> outlineAt(const SolidPtr& solid, const TopoDS_Shape& picked) {
  Outline out;
  if (picked.ShapeType() == TopAbs_FACE) {
    TopTools_IndexedMapOfShape faces;
    TopExp::MapShapes(solid->shape, TopAbs_FACE, faces);
    out.edges = edgesAround(solid, faces.FindIndex(picked) - 1);
  } else if (picked.ShapeType() == TopAbs_EDGE) {
    out.edges = tangentEdges(solid, edgesOf(solid).FindIndex(picked) - 1);
  }
  if (out.edges.empty()) return Error{"curve", "", "pick a face or an edge"};
  const auto plane = planeOfEdges(solid, out.edges);
  if (!plane.ok()) return plane.error();
  out.plane = *plane;
  return out;
}

Result<Pose> planeOfEdges(const SolidPtr& solid, const std::vector<int>& edges) {
  const auto map = edgesOf(solid);
  std::vector<Vec3> points;
  for (int i : edges) {
    if (i < 0 || i >= map.Extent()) continue;
    const BRepAdaptor_Curve c(TopoDS::Edge(map(i + 1)));
    for (int k = 0; k <= 8; ++k)
      points.push_back(kMetre *
                       vec(c.Value(c.FirstParameter() + (c.LastParameter() - c.FirstParameter()) * k / 8).XYZ()));
  }
  if (points.empty()) return Error{"curve", "", "there are no such edges"};
  Vec3 middle = Vec3::Zero();
  for (const Vec3& p : points) middle += p / static_cast<double>(points.size());
  Mat3 spread = Mat3::Zero();
  for (const Vec3& p : points) spread += (p - middle) * (p - middle).transpose();
  const PrincipalAxes principal = principalAxes(spread);
  const Vec3& s = principal.values;
  if (s[1] < 1e-12 * s[2]) return Error{"curve", "", "the edges lie on one line; pick a closed outline"};
  if (s[0] > 1e-9 * s[2]) return Error{"curve", "", "the edges do not lie in one plane"};
  Vec3 axis = principal.axes.col(0);
  int most = 0;
  axis.cwiseAbs().maxCoeff(&most);
  if (axis[most] < 0) axis = -axis;
  Pose pose;
  Vec3 ref = std::abs(axis.x()) < 0.9 ? Vec3::UnitX() : Vec3::UnitY();
  axesFrom(axis, ref, pose.R);
  pose.p = middle;
  return pose;
}

}  // namespace cooperage::shape
