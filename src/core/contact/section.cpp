// SPDX-License-Identifier: GPL-3.0-or-later
#include "contact/section.h"

#include <BRepAdaptor_Curve.hxx>
#include <BRepAdaptor_Surface.hxx>
#include <BRepAlgoAPI_Section.hxx>
#include <BRepBndLib.hxx>
#include <BRepTools.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
#include <Geom2d_Curve.hxx>
#include <Standard_Failure.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <fmt/format.h>
#include <gp_Circ.hxx>
#include <gp_Cylinder.hxx>
#include <gp_Pln.hxx>

#include <algorithm>
#include <cmath>
#include <optional>

#include "base/index.h"
#include "base/units.h"
#include "contact/per_solid.h"

namespace cooperage::contact {
namespace {

constexpr double kMm = 1e-3;        // m
constexpr double kLevel = 1e-4;     // mm: flat faces nearer than that are on one height
constexpr double kVertical = 1e-7;  // how far a normal may lean
constexpr double kArcs = 1e-8;      // m
constexpr double kJoin = 1e-3;      // mm: ends of edges nearer than that are one

/// The plane in the solid's axes, mm.
struct Plane {
  Vec3 x, y, z, o;
  explicit Plane(const Pose& p) : x(p.R.col(0)), y(p.R.col(1)), z(p.R.col(2)), o(p.p / kMm) {}
  double height(const gp_Pnt& p) const { return (Vec3(p.X(), p.Y(), p.Z()) - o).dot(z); }
  Vec2 flat(const gp_Pnt& p) const {
    const Vec3 d = Vec3(p.X(), p.Y(), p.Z()) - o;
    return kMm * Vec2(d.dot(x), d.dot(y));
  }
  Vec2 flat(const gp_Vec& v) const {
    const Vec3 d(v.X(), v.Y(), v.Z());
    return {d.dot(x), d.dot(y)};
  }
  double slope(const gp_Vec& d) const { return Vec3(d.X(), d.Y(), d.Z()).dot(z); }
  double along(const gp_Dir& d) const { return Vec3(d.X(), d.Y(), d.Z()).dot(z); }
};

struct FaceSpan {
  double low = 1e300, high = -1e300;  // mm
  bool level = false;                 // square to the normal
  TopoDS_Face face;
  bool upright = false;
};

FaceSpan spanOf(const TopoDS_Face& face, const Plane& plane) {
  FaceSpan out;
  out.face = face;
  const BRepAdaptor_Surface s(face);
  if (s.GetType() == GeomAbs_Plane) {
    const double along = std::abs(plane.along(s.Plane().Axis().Direction()));
    out.level = std::abs(along - 1) < kVertical;
    out.upright = along < kVertical;
  } else if (s.GetType() == GeomAbs_Cylinder) {
    out.upright = std::abs(std::abs(plane.along(s.Cylinder().Axis().Direction())) - 1) < kVertical;
  } else {
    double u0, u1, v0, v1;
    BRepTools::UVBounds(face, u0, u1, v0, v1);
    out.upright = true;
    for (int i = 0; i <= 6 && out.upright; ++i)
      for (int k = 0; k <= 2 && out.upright; ++k) {
        gp_Pnt p;
        gp_Vec du, dv;
        s.D1(u0 + (u1 - u0) * i / 6, v0 + (v1 - v0) * k / 2, p, du, dv);
        const gp_Vec n = du.Crossed(dv);
        const double size = n.Magnitude();
        if (size > 1e-12) out.upright = std::abs(Vec3(n.X(), n.Y(), n.Z()).dot(plane.z)) < 1e-5 * size;
      }
  }
  // the ends of edges bound what is upright or level; of anything else points along its edges and on it
  for (TopExp_Explorer e(face, TopAbs_EDGE); e.More(); e.Next()) {
    const TopoDS_Edge edge = TopoDS::Edge(e.Current());
    if (BRep_Tool::Degenerated(edge)) continue;
    const BRepAdaptor_Curve c(edge);
    const int n = c.GetType() == GeomAbs_Line ? 1 : 16;
    for (int i = 0; i <= n; ++i) {
      const double h = plane.height(c.Value(c.FirstParameter() + (c.LastParameter() - c.FirstParameter()) * i / n));
      out.low = std::min(out.low, h);
      out.high = std::max(out.high, h);
    }
  }
  if (!out.upright && !out.level) {
    double u0, u1, v0, v1;
    BRepTools::UVBounds(face, u0, u1, v0, v1);
    for (int i = 0; i <= 8; ++i)
      for (int k = 0; k <= 8; ++k) {
        const double h = plane.height(s.Value(u0 + (u1 - u0) * i / 8, v0 + (v1 - v0) * k / 8));
        out.low = std::min(out.low, h);
        out.high = std::max(out.high, h);
      }
  }
  return out;
}

/// An edge of a section as pieces in the plane, from its first to its last end.
Loop piecesOf(const TopoDS_Edge& edge, const Plane& plane) {
  const BRepAdaptor_Curve c(edge);
  const double first = c.FirstParameter(), last = c.LastParameter();
  const Vec2 a = plane.flat(c.Value(first)), b = plane.flat(c.Value(last));
  Loop out;
  if (c.GetType() == GeomAbs_Line) {
    if ((b - a).norm() > 1e-9) out.push_back({a, b, 0, {0, 0}, true});
  } else if (c.GetType() == GeomAbs_Circle) {
    const gp_Circ circle = c.Circle();
    Piece p{a, b, circle.Radius() * kMm, plane.flat(circle.Location()), plane.along(circle.Axis().Direction()) > 0};
    const double sweep = last - first;
    if (sweep > 2 * kPi - 1e-9)
      p.to = p.from;
    else if (sweep * p.radius < 1e-9)
      return out;
    out.push_back(p);
  } else {
    appendArcs(
        [&](double u, Vec2& x, Vec2& t) {
          gp_Pnt p;
          gp_Vec d;
          c.D1(u, p, d);
          x = plane.flat(p);
          t = plane.flat(d).normalized();
        },
        first, last, kArcs, out);
  }
  return out;
}

/// Where the edges of a face cross a height, in its parameters.
std::vector<Vec2> crossings(const TopoDS_Face& face, const Plane& plane, double height) {
  std::vector<Vec2> out;
  for (TopExp_Explorer e(face, TopAbs_EDGE); e.More(); e.Next()) {
    const TopoDS_Edge edge = TopoDS::Edge(e.Current());
    if (BRep_Tool::Degenerated(edge)) continue;
    double first, last;
    const Handle(Geom2d_Curve) flat = BRep_Tool::CurveOnSurface(edge, face, first, last);
    if (flat.IsNull()) return {};
    const BRepAdaptor_Curve c(edge);
    const int n = c.GetType() == GeomAbs_Line ? 1 : 16;
    const auto over = [&](double s) { return plane.height(c.Value(s)) - height; };
    for (int i = 0; i < n; ++i) {
      double low = first + (last - first) * i / n, high = first + (last - first) * (i + 1) / n;
      const bool rises = over(low) < 0;
      if (rises == (over(high) < 0)) continue;
      for (int k = 0; k < 60; ++k) {
        const double mid = 0.5 * (low + high);
        ((over(mid) < 0) == rises ? low : high) = mid;
      }
      const gp_Pnt2d p = flat->Value(0.5 * (low + high));
      out.emplace_back(p.X(), p.Y());
    }
  }
  return out;
}

/// A face that is upright, cut at a height: from one of its edges to the next, along what is level in it.
/// @return none where its parameters do not run level and upright
std::optional<std::vector<Loop>> cutFace(const TopoDS_Face& face, const Plane& plane, double height) {
  const BRepAdaptor_Surface s(face);
  const std::vector<Vec2> found = crossings(face, plane, height);
  std::vector<Loop> out;
  if (found.empty() || found.size() % 2 != 0) return std::nullopt;
  // along which the height does not change
  Vec2 along(1, 0);
  if (s.GetType() == GeomAbs_Plane) {
    const gp_Ax3 axes = s.Plane().Position();
    along = Vec2(plane.along(axes.YDirection()), -plane.along(axes.XDirection())).normalized();
  } else {
    gp_Pnt p;
    gp_Vec du, dv;
    const double u0 = s.FirstUParameter(), u1 = s.LastUParameter(), v0 = s.FirstVParameter(), v1 = s.LastVParameter();
    bool byU = true, byV = true;
    for (int i = 0; i <= 6; ++i)
      for (int k = 0; k <= 6; ++k) {
        s.D1(u0 + (u1 - u0) * i / 6, v0 + (v1 - v0) * k / 6, p, du, dv);
        const auto level = [&](const gp_Vec& d) { return std::abs(plane.slope(d)) < 1e-9 * d.Magnitude(); };
        const auto upright = [&](const gp_Vec& d) { return plane.flat(d).norm() < 1e-9 * d.Magnitude(); };
        byU = byU && level(du) && upright(dv);
        byV = byV && level(dv) && upright(du);
      }
    if (!byU && !byV) return std::nullopt;
    if (!byU) along = Vec2(0, 1);
  }
  std::vector<std::pair<double, Vec2>> order;
  for (const Vec2& x : found) order.emplace_back(x.dot(along), x);
  std::sort(order.begin(), order.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
  for (std::size_t i = 0; i < order.size(); i += 2) {
    const Vec2 a = order[i].second, b = order[i + 1].second;
    const double from = order[i].first, to = order[i + 1].first;
    const auto value = [&](const Vec2& x) { return s.Value(x.x(), x.y()); };
    const Vec2 pa = plane.flat(value(a)), pb = plane.flat(value(b));
    Loop pieces;
    if (s.GetType() == GeomAbs_Plane) {
      if ((pb - pa).norm() > 1e-9) pieces.push_back({pa, pb, 0, {0, 0}, true});
    } else if (s.GetType() == GeomAbs_Cylinder) {
      const gp_Cylinder c = s.Cylinder();
      const bool ccw = (plane.along(c.Axis().Direction()) > 0) == c.Direct();
      Piece piece{pa, pb, c.Radius() * kMm, plane.flat(c.Location()), ccw};
      if (to - from > 2 * kPi - 1e-9)
        piece.to = piece.from;
      else if ((to - from) * piece.radius < 1e-9)
        continue;
      pieces.push_back(piece);
    } else {
      appendArcs(
          [&](double at, Vec2& x, Vec2& tangent) {
            const Vec2 place = a + (at - from) / (to - from) * (b - a);
            gp_Pnt p;
            gp_Vec du, dv;
            s.D1(place.x(), place.y(), p, du, dv);
            x = plane.flat(p);
            tangent = plane.flat(along.x() > 0.5 ? du : dv).normalized();
          },
          from, to, kArcs, pieces);
    }
    if (!pieces.empty()) out.push_back(std::move(pieces));
  }
  return out;
}

/// The same by OCCT's section.
Result<std::vector<Loop>> sectionOfFace(const TopoDS_Face& face, const Plane& plane, double height) {
  const Vec3 o = plane.o + height * plane.z;
  BRepAlgoAPI_Section section(face, gp_Pln(gp_Pnt(o.x(), o.y(), o.z()), gp_Dir(plane.z.x(), plane.z.y(), plane.z.z())),
                              Standard_False);
  section.Approximation(Standard_False);
  section.Build();
  if (!section.IsDone()) return Error{"section", "", "it can't be cut"};
  std::vector<Loop> out;
  for (TopExp_Explorer e(section.Shape(), TopAbs_EDGE); e.More(); e.Next()) {
    Loop pieces = piecesOf(TopoDS::Edge(e.Current()), plane);
    if (!pieces.empty()) out.push_back(std::move(pieces));
  }
  return out;
}

Loop reversed(const Loop& pieces) {
  Loop out(pieces.rbegin(), pieces.rend());
  for (Piece& p : out) {
    std::swap(p.from, p.to);
    p.ccw = !p.ccw;
  }
  return out;
}

/// Twice the signed area by chords, arcs in parts.
double signedArea(const Loop& loop) {
  double sum = 0;
  for (const Piece& p : loop) {
    if (p.radius > 0) {
      const Vec2 a = p.from - p.centre, b = p.to - p.centre;
      double s = std::atan2(cross(a, b), a.dot(b));
      if ((p.to - p.from).norm() < 1e-12) s = p.ccw ? 2 * kPi : -2 * kPi;
      if (p.ccw && s <= 0) s += 2 * kPi;
      if (!p.ccw && s >= 0) s -= 2 * kPi;
      sum += cross(p.centre, p.to - p.from) + p.radius * p.radius * s;
    } else {
      sum += cross(p.from, p.to);
    }
  }
  return sum;
}

/// Chains pieces into closed loops. @return false if an end finds no other
bool chain(std::vector<Loop> edges, std::vector<Loop>& loops) {
  const double join = kJoin * kMm;
  while (!edges.empty()) {
    Loop loop = std::move(edges.back());
    edges.pop_back();
    const auto closed = [&] {
      return (loop.size() > 1 || loop[0].radius > 0) && (loop.back().to - loop.front().from).norm() < join;
    };
    while (!closed()) {
      double least = join;
      std::size_t best = edges.size();
      bool turn = false;
      for (std::size_t i = 0; i < edges.size(); ++i) {
        const double straight = (edges[i].front().from - loop.back().to).norm();
        const double back = (edges[i].back().to - loop.back().to).norm();
        if (std::min(straight, back) < least) {
          least = std::min(straight, back);
          best = i;
          turn = back < straight;
        }
      }
      if (best == edges.size()) return false;
      Loop next = turn ? reversed(edges[best]) : std::move(edges[best]);
      edges.erase(edges.begin() + static_cast<std::ptrdiff_t>(best));
      loop.insert(loop.end(), next.begin(), next.end());
    }
    // ends meet to the last digit
    for (std::size_t i = 0; i < loop.size(); ++i) {
      Piece& p = loop[i];
      Piece& next = loop[(i + 1) % loop.size()];
      if (loop.size() == 1) {
        p.to = p.from;
        break;
      }
      if (p.radius > 0 && next.radius == 0)
        next.from = p.to;
      else
        p.to = next.from;
    }
    loops.push_back(std::move(loop));
  }
  return true;
}

/// Neighbours that are one line or one arc become one piece: a section is parted where its faces are.
void mergePieces(Loop& loop) {
  for (bool merged = true; merged && loop.size() > 1;) {
    merged = false;
    for (std::size_t i = 0; i < loop.size() && loop.size() > 1; ++i) {
      const std::size_t k = (i + 1) % loop.size();
      Piece &a = loop[i], &b = loop[k];
      if (a.radius == 0 && b.radius == 0) {
        const Vec2 d = (a.to - a.from).normalized(), e = (b.to - b.from).normalized();
        if (std::abs(cross(d, e)) > 1e-10 || d.dot(e) < 0) continue;
      } else if (!(a.radius > 0 && b.radius > 0 && a.ccw == b.ccw && std::abs(a.radius - b.radius) < 1e-12 &&
                   (a.centre - b.centre).norm() < 1e-12)) {
        continue;
      }
      if (a.radius > 0 && (b.to - a.from).norm() < 1e-12 && loop.size() > 2) continue;
      a.to = b.to;
      if (a.radius > 0 && loop.size() == 2) a.to = a.from;
      loop.erase(loop.begin() + static_cast<std::ptrdiff_t>(k));
      merged = true;
      break;
    }
  }
}

/// Outer loops counter-clockwise, holes clockwise, by how many others each lies in.
void orient(std::vector<Loop>& loops) {
  std::vector<Outline> alone;
  for (Loop& l : loops) {
    if (signedArea(l) < 0) l = reversed(l);
    alone.emplace_back(std::vector<Loop>{l});
  }
  for (std::size_t i = 0; i < loops.size(); ++i) {
    int inside = 0;
    for (std::size_t k = 0; k < loops.size(); ++k)
      if (k != i && alone[k].isInside(loops[i][0].from)) ++inside;
    if (inside % 2 == 1) loops[i] = reversed(loops[i]);
  }
}

/// The same pieces, in whatever order.
bool sameLoops(const std::vector<Loop>& a, const std::vector<Loop>& b) {
  std::vector<const Piece*> pieces;
  std::size_t count = 0;
  for (const Loop& l : b)
    for (const Piece& p : l) pieces.push_back(&p);
  for (const Loop& l : a)
    for (const Piece& p : l) {
      ++count;
      constexpr double kSame = 1e-10;
      if (std::none_of(pieces.begin(), pieces.end(), [&](const Piece* o) {
            return (o->from - p.from).norm() < kSame && (o->to - p.to).norm() < kSame && o->ccw == p.ccw &&
                   std::abs(o->radius - p.radius) < kSame && (o->centre - p.centre).norm() < kSame;
          }))
        return false;
    }
  return count == pieces.size();
}

Result<Slabs> cut(const TopoDS_Shape& shape, const Pose& pose) {
  const Plane plane(pose);
  std::vector<FaceSpan> faces;
  std::vector<double> levels;
  for (TopExp_Explorer e(shape, TopAbs_FACE); e.More(); e.Next()) {
    faces.push_back(spanOf(TopoDS::Face(e.Current()), plane));
    levels.push_back(faces.back().low);
    levels.push_back(faces.back().high);
  }
  std::sort(levels.begin(), levels.end());
  levels.erase(std::unique(levels.begin(), levels.end(), [](double a, double b) { return b - a < kLevel; }),
               levels.end());
  Slabs out;
  for (std::size_t i = 0; i + 1 < levels.size(); ++i) {
    const double low = levels[i], high = levels[i + 1];
    bool straight = true;
    for (const FaceSpan& f : faces)
      if (!f.level && !f.upright && f.low < high - kLevel && f.high > low + kLevel) straight = false;
    if (!straight) {
      out.aslant.emplace_back(low * kMm, high * kMm);
      continue;
    }
    const double middle = 0.5 * (low + high);
    std::vector<Loop> edges;
    // face by face: of a whole solid OCCT compares all edges of the section with one another, minutes for a gear
    for (const FaceSpan& f : faces) {
      if (!f.upright || f.low > middle || f.high < middle) continue;
      auto pieces = cutFace(f.face, plane, middle);
      if (!pieces) {
        auto section = sectionOfFace(f.face, plane, middle);
        if (!section.ok()) return section.error();
        pieces = std::move(section).value();
      }
      for (Loop& l : *pieces) edges.push_back(std::move(l));
    }
    if (edges.empty()) continue;  // nothing between two heights
    Slab slab{low * kMm, high * kMm, {}};
    if (!chain(std::move(edges), slab.loops)) return Error{"section", "", "its outline is open"};
    for (Loop& l : slab.loops) mergePieces(l);
    orient(slab.loops);
    Slab* before = out.slabs.empty() ? nullptr : &out.slabs.back();
    if (before && slab.low - before->high < kLevel * kMm && sameLoops(before->loops, slab.loops))
      before->high = slab.high;
    else
      out.slabs.push_back(std::move(slab));
  }
  return out;
}

}  // namespace

Result<std::shared_ptr<const Slabs>> slabsOf(const shape::SolidPtr& solid, const Pose& plane) {
  static PerSolid<Slabs> known;
  if (auto slabs = known.find(solid, plane)) return slabs;
  try {
    auto made = cut(solid->shape, plane);
    if (!made.ok()) return made.error();
    return known.keep(solid, plane, std::move(made).value());
  } catch (const Standard_Failure& f) {
    return Error{"section", "", fmt::format("it can't be cut: {}", f.GetMessageString())};
  }
}

namespace {

/// Two arcs, or one, through two places with their tangents, tangent to one another where they meet.
bool biarc(const Vec2& a, const Vec2& ta, const Vec2& b, const Vec2& tb, Piece& first, Piece& second) {
  const Vec2 v = b - a, t = ta + tb;
  // equal legs: |v|^2 - 2 d v.(ta + tb) + 2 d^2 (ta.tb - 1) = 0
  const double k = 2 * (1 - ta.dot(tb)), vt = v.dot(t), vv = v.squaredNorm();
  double d = 0;
  if (k < 1e-14) {
    if (vt <= 0) return false;
    d = vv / (2 * vt);
  } else {
    d = (-vt + std::sqrt(vt * vt + k * vv)) / k;
  }
  if (!(d > 0)) return false;
  const Vec2 joint = 0.5 * (a + b + d * (ta - tb));
  const auto arc = [](const Vec2& from, const Vec2& tangent, const Vec2& to, bool atStart) {
    // the circle through both, tangent at one of them
    const Vec2 n = left(tangent), c = atStart ? Vec2(to - from) : Vec2(from - to);
    const double across = n.dot(c);
    Piece p{from, to, 0, {0, 0}, true};
    if (std::abs(across) < 1e-13) return p;  // straight to less than an atom
    const double r = c.squaredNorm() / (2 * across);
    p.centre = (atStart ? from : to) + r * n;
    p.radius = std::abs(r);
    p.ccw = r > 0;
    return p;
  };
  first = arc(a, ta, joint, true);
  second = arc(joint, tb, b, false);
  return true;
}

double offArc(const Piece& p, const Vec2& x) {
  if (p.radius > 0) return std::abs((x - p.centre).norm() - p.radius);
  return std::abs(cross((p.to - p.from).normalized(), x - p.from));
}

}  // namespace

void appendArcs(const std::function<void(double, Vec2&, Vec2&)>& at, double from, double to, double tolerance,
                Loop& out) {
  const std::function<void(double, double, int)> fit = [&](double u0, double u1, int depth) {
    Vec2 a, ta, b, tb;
    at(u0, a, ta);
    at(u1, b, tb);
    if ((b - a).norm() < 1e-10) return;
    Piece first, second;
    bool good = biarc(a, ta, b, tb, first, second);
    for (int i = 1; i < 8 && good; ++i) {
      Vec2 x, t;
      at(u0 + (u1 - u0) * i / 8, x, t);
      good = std::min(offArc(first, x), offArc(second, x)) <= tolerance;
    }
    if (!good && depth < 24) {
      const double mid = 0.5 * (u0 + u1);
      fit(u0, mid, depth + 1);
      fit(mid, u1, depth + 1);
      return;
    }
    if (!good) {
      out.push_back({a, b, 0, {0, 0}, true});
      return;
    }
    for (const Piece& p : {first, second})
      if ((p.to - p.from).norm() > 1e-11) out.push_back(p);
  };
  fit(from, to, 0);
}

}  // namespace cooperage::contact
