// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/swept.h"

#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakeVertex.hxx>
#include <BRepPrimAPI_MakePrism.hxx>
#include <BRep_Builder.hxx>
#include <GC_MakeArcOfCircle.hxx>
#include <Geom2d_Line.hxx>
#include <GeomAPI_Interpolate.hxx>
#include <Geom_BSplineCurve.hxx>
#include <Geom_BSplineSurface.hxx>
#include <Geom_Circle.hxx>
#include <Geom_Line.hxx>
#include <Geom_Plane.hxx>
#include <Geom_TrimmedCurve.hxx>
#include <Precision.hxx>
#include <TColStd_HArray1OfReal.hxx>
#include <TColgp_Array2OfPnt.hxx>
#include <TColgp_HArray1OfPnt.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Edge.hxx>
#include <TopoDS_Face.hxx>
#include <TopoDS_Shell.hxx>
#include <TopoDS_Solid.hxx>
#include <TopoDS_Vertex.hxx>
#include <TopoDS_Wire.hxx>
#include <gp_Circ.hxx>
#include <gp_Pln.hxx>

namespace cooperage::shape {
namespace {

using Vec2 = Eigen::Vector2d;
gp_Pnt flat(const Vec2& p, double z) { return {p.x(), p.y(), z}; }

Handle(Geom_BSplineCurve)
    through(const std::vector<gp_Pnt>& points, const std::vector<double>& at, const gp_Vec& first, const gp_Vec& last) {
  const int n = static_cast<int>(points.size());
  Handle(TColgp_HArray1OfPnt) p = new TColgp_HArray1OfPnt(1, n);
  Handle(TColStd_HArray1OfReal) t = new TColStd_HArray1OfReal(1, n);
  for (int i = 0; i < n; ++i) {
    p->SetValue(i + 1, points[static_cast<std::size_t>(i)]);
    t->SetValue(i + 1, at[static_cast<std::size_t>(i)]);
  }
  GeomAPI_Interpolate make(p, t, false, Precision::Confusion() * 1e-3);
  make.Load(first, last, false);
  make.Perform();
  return make.Curve();
}

/// The piece as points with parameters, arcs and lines sampled too.
OutlinePiece sampledPiece(const OutlinePiece& p) {
  if (p.points.size() > 2) return p;
  const Vec2 a = p.points[0], b = p.points[1];
  if (!p.arc) return pieceOf([&](double t) { return std::pair<Vec2, Vec2>(a + t * (b - a), b - a); }, 0.0, 1.0, 3);
  const Vec2 from = a - p.centre, to = b - p.centre;
  const double radius = from.norm(), start = std::atan2(from.y(), from.x());
  double sweep = std::atan2(from.x() * to.y() - from.y() * to.x(), from.dot(to));
  if (p.first.x() > 0 && sweep <= 0) sweep += 2 * kPi;  // first.x holds the sense: +1 counter-clockwise
  if (p.first.x() < 0 && sweep >= 0) sweep -= 2 * kPi;
  const int n = std::max(4, static_cast<int>(std::ceil(std::abs(sweep) / 0.12)) + 1);
  return pieceOf(
      [&](double t) {
        const Vec2 r = radius * Vec2(std::cos(start + sweep * t), std::sin(start + sweep * t));
        return std::pair<Vec2, Vec2>(p.centre + r, sweep * Vec2(-r.y(), r.x()));
      },
      0.0, 1.0, n);
}

Handle(Geom_Curve) planeCurve(const OutlinePiece& p, double z, double& from, double& to) {
  if (p.points.size() == 2) {
    const Vec2 &a = p.points[0], &b = p.points[1];
    from = 0;
    if (!p.arc) {
      to = (b - a).norm();
      return new Geom_Line(flat(a, z), gp_Dir(b.x() - a.x(), b.y() - a.y(), 0));
    }
    const Vec2 r = a - p.centre, e = b - p.centre;
    const bool ccw = p.first.x() > 0;
    const gp_Ax2 axes(flat(p.centre, z), gp_Dir(0, 0, ccw ? 1 : -1), gp_Dir(r.x(), r.y(), 0));
    to = (ccw ? 1 : -1) * std::atan2(r.x() * e.y() - r.y() * e.x(), r.dot(e));
    if (to <= 1e-12) to += 2 * kPi;
    return new Geom_Circle(axes, r.norm());
  }
  std::vector<gp_Pnt> points;
  for (const Vec2& x : p.points) points.push_back(flat(x, z));
  from = p.at.front();
  to = p.at.back();
  return through(points, p.at, gp_Vec(p.first.x(), p.first.y(), 0), gp_Vec(p.last.x(), p.last.y(), 0));
}

TopoDS_Vertex vertex(const gp_Pnt& p) {
  TopoDS_Vertex v;
  BRep_Builder().MakeVertex(v, p, Precision::Confusion());
  return v;
}
TopoDS_Edge edgeOf(const Handle(Geom_Curve) & c, const TopoDS_Vertex& a, const TopoDS_Vertex& b, double from,
                   double to) {
  TopoDS_Edge e;
  BRep_Builder builder;
  builder.MakeEdge(e, c, Precision::Confusion());
  builder.Add(e, a.Oriented(TopAbs_FORWARD));
  builder.Add(e, b.Oriented(TopAbs_REVERSED));
  builder.Range(e, from, to);
  return e;
}

TopoDS_Wire wireOf(const std::vector<OutlinePiece>& outline, double z) {
  BRep_Builder builder;
  TopoDS_Wire wire;
  builder.MakeWire(wire);
  std::vector<TopoDS_Vertex> v;
  for (const OutlinePiece& p : outline) v.push_back(vertex(flat(p.points.front(), z)));
  for (std::size_t i = 0; i < outline.size(); ++i) {
    double from = 0, to = 0;
    const Handle(Geom_Curve) c = planeCurve(outline[i], z, from, to);
    builder.Add(wire, edgeOf(c, v[i], v[(i + 1) % v.size()], from, to));
  }
  wire.Closed(true);
  return wire;
}

/// Lateral face of a round hole or rim and its two edges.
struct RoundSide {
  TopoDS_Face face;
  TopoDS_Edge low, high;
};
RoundSide roundFace(double radius, double z0, double z1) {
  const TopoDS_Edge circle = BRepBuilderAPI_MakeEdge(gp_Circ(gp_Ax2(gp_Pnt(0, 0, z0), gp_Dir(0, 0, 1)), radius)).Edge();
  BRepPrimAPI_MakePrism prism(circle, gp_Vec(0, 0, z1 - z0));
  return {TopoDS::Face(prism.Shape()), TopoDS::Edge(prism.FirstShape()), TopoDS::Edge(prism.LastShape())};
}
TopoDS_Wire wireOf(const TopoDS_Edge& e) {
  TopoDS_Wire w;
  BRep_Builder builder;
  builder.MakeWire(w);
  builder.Add(w, e.Oriented(TopAbs_FORWARD));
  w.Closed(true);
  return w;
}

/// The faces of the outline along the stations, with all edges shared. Long helices are parted: faces that go round
/// more than a quarter are slow to mesh.
class Sweep {
 public:
  Sweep(const std::vector<OutlinePiece>& outline, const std::vector<Station>& stations) {
    std::vector<Handle(Geom_BSplineCurve)> sections;
    for (const OutlinePiece& piece : outline) {
      const OutlinePiece p = sampledPiece(piece);
      std::vector<gp_Pnt> points;
      for (const Vec2& x : p.points) points.push_back(flat(x, 0));
      sections.push_back(through(points, p.at, gp_Vec(p.first.x(), p.first.y(), 0), gp_Vec(p.last.x(), p.last.y(), 0)));
    }
    constexpr std::size_t kIntervals = 8;
    for (std::size_t from = 0; from + 1 < stations.size(); from += kIntervals) {
      const std::size_t to = std::min(from + kIntervals, stations.size() - 1);
      const std::vector<Station> part(stations.begin() + static_cast<std::ptrdiff_t>(from),
                                      stations.begin() + static_cast<std::ptrdiff_t>(to) + 1);
      rows_.emplace_back();
      for (const auto& s : sections) rows_.back().push_back(surfaceOf(s, part));
    }
    build();
  }
  std::vector<TopoDS_Face> faces;
  TopoDS_Wire low, high;  ///< counter-clockwise

 private:
  using Surface = Handle(Geom_BSplineSurface);
  static Surface surfaceOf(const Handle(Geom_BSplineCurve) & section, const std::vector<Station>& stations) {
    const int n = section->NbPoles(), count = static_cast<int>(stations.size());
    const auto place = [&](const gp_Pnt& x, const Station& s) {
      const double c = s.scale * std::cos(s.turn), w = s.scale * std::sin(s.turn);
      return gp_Pnt(c * x.X() - w * x.Y(), w * x.X() + c * x.Y(), s.z);
    };
    TColStd_Array1OfReal uKnots(1, section->NbKnots());
    TColStd_Array1OfInteger uMults(1, section->NbKnots());
    section->Knots(uKnots);
    section->Multiplicities(uMults);
    if (count == 2 && stations[0].turn == stations[1].turn) {
      TColgp_Array2OfPnt poles(1, n, 1, 2);
      for (int i = 1; i <= n; ++i)
        for (int k = 0; k < 2; ++k) poles(i, k + 1) = place(section->Pole(i), stations[static_cast<std::size_t>(k)]);
      TColStd_Array1OfReal vKnots(1, 2);
      TColStd_Array1OfInteger vMults(1, 2);
      vKnots(1) = 0;
      vKnots(2) = 1;
      vMults.Init(2);
      return new Geom_BSplineSurface(poles, uKnots, vKnots, uMults, vMults, section->Degree(), 1);
    }
    // every pole of the section runs along a helix of its own
    std::vector<double> at;
    for (int k = 0; k < count; ++k) at.push_back(k);
    std::vector<Handle(Geom_BSplineCurve)> helices;
    for (int i = 1; i <= n; ++i) {
      std::vector<gp_Pnt> way;
      for (const Station& s : stations) way.push_back(place(section->Pole(i), s));
      const double turn = stations[1].turn - stations[0].turn, rise = stations[1].z - stations[0].z;  // even steps
      const auto slope = [&](const gp_Pnt& x) { return gp_Vec(-turn * x.Y(), turn * x.X(), rise); };
      helices.push_back(through(way, at, slope(way.front()), slope(way.back())));
    }
    const auto& helix = helices.front();
    TColgp_Array2OfPnt poles(1, n, 1, helix->NbPoles());
    for (int i = 1; i <= n; ++i)
      for (int k = 1; k <= helix->NbPoles(); ++k) poles(i, k) = helices[static_cast<std::size_t>(i - 1)]->Pole(k);
    TColStd_Array1OfReal vKnots(1, helix->NbKnots());
    TColStd_Array1OfInteger vMults(1, helix->NbKnots());
    helix->Knots(vKnots);
    helix->Multiplicities(vMults);
    return new Geom_BSplineSurface(poles, uKnots, vKnots, uMults, vMults, section->Degree(), helix->Degree());
  }

  void build() {
    BRep_Builder builder;
    const std::size_t n = rows_.front().size();
    struct Bounds {
      double u0, u1, v0, v1;
    };
    const auto bounds = [](const Surface& s) {
      Bounds b{};
      s->Bounds(b.u0, b.u1, b.v0, b.v1);
      return b;
    };
    const auto across = [&](const Surface& s, bool end, const std::vector<TopoDS_Vertex>& v, std::size_t j) {
      const Bounds b = bounds(s);
      return edgeOf(s->VIso(end ? b.v1 : b.v0), v[j], v[(j + 1) % n], b.u0, b.u1);
    };
    std::vector<TopoDS_Vertex> below;
    std::vector<TopoDS_Edge> lower;
    for (std::size_t j = 0; j < n; ++j) {
      const Bounds b = bounds(rows_[0][j]);
      below.push_back(vertex(rows_[0][j]->Value(b.u0, b.v0)));
    }
    builder.MakeWire(low);
    for (std::size_t j = 0; j < n; ++j) {
      lower.push_back(across(rows_[0][j], false, below, j));
      builder.Add(low, lower.back());
    }
    low.Closed(true);
    for (const auto& row : rows_) {
      std::vector<TopoDS_Vertex> above;
      std::vector<TopoDS_Edge> along, upper;
      for (std::size_t j = 0; j < n; ++j) {
        const Bounds b = bounds(row[j]);
        above.push_back(vertex(row[j]->Value(b.u0, b.v1)));
        along.push_back(edgeOf(row[j]->UIso(b.u0), below[j], above[j], b.v0, b.v1));
      }
      for (std::size_t j = 0; j < n; ++j) upper.push_back(across(row[j], true, above, j));
      for (std::size_t j = 0; j < n; ++j) {
        const std::size_t next = (j + 1) % n;
        TopoDS_Face face;
        builder.MakeFace(face, row[j], Precision::Confusion());
        const auto lie = [&](const TopoDS_Edge& e, const gp_Pnt2d& from, const gp_Dir2d& way) {
          builder.UpdateEdge(e, new Geom2d_Line(from, way), face, Precision::Confusion());
        };
        const Bounds c = bounds(row[j]);
        lie(lower[j], gp_Pnt2d(0, c.v0), gp_Dir2d(1, 0));
        lie(upper[j], gp_Pnt2d(0, c.v1), gp_Dir2d(1, 0));
        lie(along[j], gp_Pnt2d(c.u0, 0), gp_Dir2d(0, 1));
        // the next piece's edge along: same parameter, at this face's end
        lie(along[next], gp_Pnt2d(c.u1, 0), gp_Dir2d(0, 1));
        TopoDS_Wire wire;
        builder.MakeWire(wire);
        builder.Add(wire, lower[j]);
        builder.Add(wire, along[next]);
        builder.Add(wire, upper[j].Reversed());
        builder.Add(wire, along[j].Reversed());
        wire.Closed(true);
        builder.Add(face, wire);
        faces.push_back(face);
      }
      below = above;
      lower = upper;
    }
    builder.MakeWire(high);
    for (const auto& e : lower) builder.Add(high, e);
    high.Closed(true);
  }
  std::vector<std::vector<Surface>> rows_;  ///< along the axis, then around
};

TopoDS_Face cap(const TopoDS_Wire& outer, const TopoDS_Wire* inner, double z) {
  BRepBuilderAPI_MakeFace make(gp_Pln(gp_Pnt(0, 0, z), gp_Dir(0, 0, 1)), outer);
  if (inner) make.Add(TopoDS::Wire(inner->Reversed()));
  return make.Face();
}

TopoDS_Shape solidOf(const std::vector<TopoDS_Shape>& faces) {
  BRep_Builder builder;
  TopoDS_Shell shell;
  builder.MakeShell(shell);
  for (const TopoDS_Shape& f : faces) builder.Add(shell, f);
  shell.Closed(true);
  TopoDS_Solid solid;
  builder.MakeSolid(solid);
  builder.Add(solid, shell);
  return solid;
}

}  // namespace

OutlinePiece straight(const Vec2& a, const Vec2& b) {
  OutlinePiece p;
  p.at = {0, 1};
  p.points = {a, b};
  p.first = p.last = Vec2::Zero();
  return p;
}

OutlinePiece arcPiece(const Vec2& a, const Vec2& b, const Vec2& centre) {
  OutlinePiece p = straight(a, b);
  p.arc = true;
  p.centre = centre;
  const Vec2 r = a - centre, e = b - centre;
  p.first = Vec2(r.x() * e.y() - r.y() * e.x() >= 0 ? 1 : -1, 0);
  return p;
}

OutlinePiece turnedPiece(const OutlinePiece& p, double angle) {
  OutlinePiece out = p;
  const Eigen::Rotation2Dd turn(angle);
  for (Vec2& x : out.points) x = turn * x;
  out.centre = turn * out.centre;
  if (p.arc) return out;
  out.first = turn * out.first;
  out.last = turn * out.last;
  return out;
}

OutlinePiece mirrored(const OutlinePiece& p) {
  OutlinePiece out = p;
  const std::size_t n = p.points.size();
  const auto flip = [](const Vec2& v) { return Vec2(v.x(), -v.y()); };
  for (std::size_t i = 0; i < n; ++i) {
    out.points[i] = flip(p.points[n - 1 - i]);
    out.at[i] = -p.at[n - 1 - i];
  }
  out.centre = flip(p.centre);
  if (p.arc) return out;  // mirrored and run backwards: the sense stays
  out.first = -flip(p.last);
  out.last = -flip(p.first);
  return out;
}

std::vector<OutlinePiece> circleOutline(double radius) {
  const Vec2 a(radius, 0), b(-radius, 0);
  OutlinePiece half = arcPiece(a, b, Vec2::Zero());
  half.first = Vec2(1, 0);
  OutlinePiece other = arcPiece(b, a, Vec2::Zero());
  other.first = Vec2(1, 0);
  return {half, other};
}

TopoDS_Shape prismSolid(const std::vector<OutlinePiece>& outline, const std::vector<std::vector<OutlinePiece>>& holes,
                        double z, const gp_Vec& along) {
  BRepBuilderAPI_MakeFace make(gp_Pln(gp_Pnt(0, 0, z), gp_Dir(0, 0, 1)), wireOf(outline, z));
  for (const auto& hole : holes) make.Add(TopoDS::Wire(wireOf(hole, z).Reversed()));
  return BRepPrimAPI_MakePrism(make.Face(), along).Shape();
}

TopoDS_Shape sweptSolid(const std::vector<OutlinePiece>& outline, const std::vector<Station>& stations, double bore,
                        double rim) {
  const double z0 = stations.front().z, z1 = stations.back().z;
  Sweep sweep(outline, stations);
  std::vector<TopoDS_Shape> faces;
  const auto outward = [&](const TopoDS_Face& f, bool yes) { faces.push_back(yes ? TopoDS_Shape(f) : f.Reversed()); };
  if (rim > 0) {
    const RoundSide round = roundFace(rim, z0, z1);
    const TopoDS_Wire low = wireOf(round.low), high = wireOf(round.high);
    for (const auto& f : sweep.faces) outward(f, false);
    outward(round.face, false);  // a swept circle bounds its inside
    faces.push_back(cap(low, &sweep.low, z0).Reversed());
    faces.push_back(cap(high, &sweep.high, z1));
    return solidOf(faces);
  }
  for (const auto& f : sweep.faces) outward(f, true);
  if (bore > 0) {
    const RoundSide round = roundFace(bore, z0, z1);
    const TopoDS_Wire low = wireOf(round.low), high = wireOf(round.high);
    outward(round.face, true);
    faces.push_back(cap(sweep.low, &low, z0).Reversed());
    faces.push_back(cap(sweep.high, &high, z1));
    return solidOf(faces);
  }
  faces.push_back(cap(sweep.low, nullptr, z0).Reversed());
  faces.push_back(cap(sweep.high, nullptr, z1));
  return solidOf(faces);
}

}  // namespace cooperage::shape
