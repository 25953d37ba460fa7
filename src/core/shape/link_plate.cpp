// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/link_plate.h"

#include <BRepAlgoAPI_Cut.hxx>
#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <BRepPrimAPI_MakePrism.hxx>
#include <Geom_BSplineCurve.hxx>
#include <ShapeExtend_WireData.hxx>
#include <ShapeFix_Wire.hxx>
#include <TColStd_Array1OfInteger.hxx>
#include <TColStd_Array1OfReal.hxx>
#include <TColgp_Array1OfPnt.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <cmath>
#include <gp_Elips.hxx>
#include <gp_Pln.hxx>

#include "base/geometry.h"
#include "drawing/link_plate.h"
#include "drawing/nurbs.h"
#include "model/mechanism.h"
#include "shape/flat_part.h"
#include "shape/occt_units.h"

namespace cooperage::shape {
namespace {

using drawing::Vec2;

constexpr double kNear = 1e-6;  // m: ends no further apart are one, as where links are joined

struct PlateMaker {
  double width, thickness, bore, pin, low;  // mm
  drawing::PlateSource source;              // m
  drawing::Loops loops;

  explicit PlateMaker(const std::vector<double>& f)
      : width(f[0] * kToMm),
        thickness(f[1] * kToMm),
        bore(f[2] * kToMm),
        pin(f[3] * kToMm),
        low(f[4] * f[5] * kToMm),
        source(drawing::decoded(f, model::elementFigures(model::BodyKind::linkPlate).size())),
        loops(drawing::loopsOf(source.outlines, kNear)) {}

  gp_Pnt point(const Vec2& x) const { return {x.x() * kToMm, x.y() * kToMm, low}; }

  TopoDS_Edge edge(const drawing::Piece& p) const {
    if (p.kind == drawing::Piece::Kind::line) return BRepBuilderAPI_MakeEdge(point(p.a), point(p.b)).Edge();
    if (p.kind == drawing::Piece::Kind::conic) return conic(p);
    return spline(*p.spline);
  }
  /// By its principal axes; it runs counter-clockwise there, from whichever of its ends comes first.
  TopoDS_Edge conic(const drawing::Piece& p) const {
    Eigen::Matrix2d m;
    m.col(0) = p.u;
    m.col(1) = p.v;
    const Eigen::JacobiSVD<Eigen::Matrix2d> axes(m, Eigen::ComputeFullU | Eigen::ComputeFullV);
    const Vec2 x = axes.matrixU().col(0), y(-x.y(), x.x());
    const double a = axes.singularValues()[0], b = axes.singularValues()[1];
    const gp_Elips ellipse(gp_Ax2(point(p.centre), gp_Dir(0, 0, 1), gp_Dir(x.x(), x.y(), 0)), a * kToMm, b * kToMm);
    if (drawing::isFullTurn(p)) return round(ellipse, std::nullopt);
    const auto angle = [&](const Vec2& at) { return std::atan2(y.dot(at - p.centre) / b, x.dot(at - p.centre) / a); };
    const bool counter = (m.determinant() > 0) == (p.to > p.from);
    double from = angle(counter ? p.start() : p.end()), to = angle(counter ? p.end() : p.start());
    if (to <= from) to += 2 * kPi;
    return round(ellipse, std::pair(from, to));
  }
  static TopoDS_Edge round(const gp_Elips& e, const std::optional<std::pair<double, double>>& range) {
    constexpr double kRound = 1e-12;  // a circle is one, so that its faces are cylinders
    if (e.MajorRadius() - e.MinorRadius() < kRound * e.MajorRadius()) {
      const gp_Circ circle(e.Position(), e.MajorRadius());
      return range ? BRepBuilderAPI_MakeEdge(circle, range->first, range->second).Edge()
                   : BRepBuilderAPI_MakeEdge(circle).Edge();
    }
    return range ? BRepBuilderAPI_MakeEdge(e, range->first, range->second).Edge() : BRepBuilderAPI_MakeEdge(e).Edge();
  }
  TopoDS_Edge spline(const drawing::Nurbs& n) const {
    const int count = static_cast<int>(n.points.size());
    TColgp_Array1OfPnt poles(1, count);
    TColStd_Array1OfReal weights(1, count);
    for (int i = 0; i < count; ++i) {
      poles.SetValue(i + 1, point(n.points[static_cast<std::size_t>(i)]));
      weights.SetValue(i + 1, n.weights.empty() ? 1 : n.weights[static_cast<std::size_t>(i)]);
    }
    std::vector<double> knots;
    std::vector<int> times;
    for (const double k : n.knots)
      if (!knots.empty() && k == knots.back()) {
        ++times.back();
      } else {
        knots.push_back(k);
        times.push_back(1);
      }
    TColStd_Array1OfReal knotList(1, static_cast<int>(knots.size()));
    TColStd_Array1OfInteger timeList(1, static_cast<int>(times.size()));
    for (std::size_t i = 0; i < knots.size(); ++i) {
      knotList.SetValue(static_cast<int>(i) + 1, knots[i]);
      timeList.SetValue(static_cast<int>(i) + 1, times[i]);
    }
    return BRepBuilderAPI_MakeEdge(new Geom_BSplineCurve(poles, weights, knotList, timeList, n.degree)).Edge();
  }

  TopoDS_Wire wire(const drawing::Outline& o) const {
    Handle(ShapeExtend_WireData) data = new ShapeExtend_WireData;
    for (const auto& p : o.pieces) data->Add(edge(p));
    ShapeFix_Wire fix;
    fix.Load(data);
    fix.SetPrecision(kNear * kToMm);
    fix.ClosedWireMode() = true;
    fix.FixReorder();
    fix.FixConnected();
    return fix.Wire();
  }

  /// How many closed lines run about a point.
  int about(const Vec2& x, std::size_t but = static_cast<std::size_t>(-1)) const {
    int n = 0;
    for (std::size_t i = 0; i < loops.closed.size(); ++i) n += i != but && drawing::runsAbout(loops.closed[i], x);
    return n;
  }
  /// The hole that was drawn for a pin, -1 if there is none.
  int holeAt(const Vec2& x) const {
    int best = -1;
    for (std::size_t i = 0; i < loops.closed.size(); ++i)
      if (drawing::runsAbout(loops.closed[i], x) && about(loops.closed[i].start(), i) % 2 == 1)
        best = static_cast<int>(i);
    return best;
  }

  /// What is inside of closed lines; a hole in which the link's own pin stands is filled.
  TopoDS_Shape regions() const {
    std::vector<bool> filled(loops.closed.size(), false);
    for (const auto& p : source.places)
      if (p.carries)
        if (const int hole = holeAt(p.at); hole >= 0) filled[static_cast<std::size_t>(hole)] = true;
    TopoDS_Shape out;
    for (std::size_t i = 0; i < loops.closed.size(); ++i) {
      const int depth = about(loops.closed[i].start(), i);
      if (depth % 2 == 1) continue;
      BRepBuilderAPI_MakeFace face(plane(), wire(loops.closed[i]), true);
      for (std::size_t k = 0; k < loops.closed.size(); ++k)
        if (k != i && !filled[k] && about(loops.closed[k].start(), k) == depth + 1 &&
            drawing::runsAbout(loops.closed[i], loops.closed[k].start()))
          face.Add(holeOf(wire(loops.closed[k])));
      add(out, BRepPrimAPI_MakePrism(face.Face(), gp_Vec(0, 0, thickness)).Shape());
    }
    return out;
  }
  gp_Pln plane() const { return gp_Pln(gp_Pnt(0, 0, low), gp_Dir(0, 0, 1)); }
  /// On a face of this plane a rim runs counter-clockwise, whichever way its line was drawn; a hole the other way.
  TopoDS_Wire holeOf(const TopoDS_Wire& w) const {
    const TopoDS_Face own = BRepBuilderAPI_MakeFace(plane(), w, true).Face();
    return TopoDS::Wire(TopExp_Explorer(own, TopAbs_WIRE).Current().Reversed());
  }
  static void add(TopoDS_Shape& to, const TopoDS_Shape& s) { to = to.IsNull() ? s : flat::fuse(to, s); }

  Result<TopoDS_Shape> strips() const {
    TopoDS_Shape out;
    for (const auto& chain : loops.open)
      for (const auto& p : chain.pieces) {
        if (p.kind == drawing::Piece::Kind::line) {
          if ((p.b - p.a).norm() > 0) add(out, bar({p.a, p.b}));
          continue;
        }
        const auto radius = p.kind == drawing::Piece::Kind::conic ? drawing::radiusOf(p) : std::nullopt;
        if (!radius)
          return Error{"plate", "", "only lines and arcs are made thick where they are open; close the others"};
        add(out, bow(p, *radius * kToMm));
        for (const Vec2& end : {p.start(), p.end()}) add(out, boss(end));
      }
    return out;
  }
  TopoDS_Shape bar(const std::vector<Vec2>& ends) const {
    std::vector<flat::Point2> mm;
    for (const Vec2& x : ends) mm.emplace_back(x * kToMm);
    return flat::flatPart(flat::roundedRim(mm, width / 2, low), {}, thickness);
  }
  TopoDS_Shape boss(const Vec2& x) const {
    return flat::cylinderAt(x.x() * kToMm, x.y() * kToMm, width / 2, low, thickness);
  }
  /// The strip about an arc, without its round ends.
  TopoDS_Shape bow(const drawing::Piece& p, double r) const {
    const double inner = std::max(0.0, r - width / 2), outer = r + width / 2;
    const auto scaled = [&](double radius) {
      drawing::Piece out = p;
      out.u *= radius / r;
      out.v *= radius / r;
      return out;
    };
    drawing::Outline o;
    const drawing::Piece rim = scaled(outer);
    o.pieces.push_back(rim);
    if (inner > 1e-9) {
      const drawing::Piece back = drawing::reversed(scaled(inner));
      o.pieces.push_back(drawing::Piece::line(rim.end(), back.start()));
      o.pieces.push_back(back);
      o.pieces.push_back(drawing::Piece::line(back.end(), rim.start()));
    } else {
      o.pieces.push_back(drawing::Piece::line(rim.end(), p.centre));
      o.pieces.push_back(drawing::Piece::line(p.centre, rim.start()));
    }
    o.closed = true;
    return BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(plane(), wire(o), true).Face(), gp_Vec(0, 0, thickness))
        .Shape();
  }

  /// Where bores go that were not drawn.
  std::vector<flat::Point2> bores() const {
    std::vector<flat::Point2> out;
    for (const auto& p : source.places)
      if (!p.carries && bore > 0 && holeAt(p.at) < 0) out.emplace_back(p.at * kToMm);
    return out;
  }

  Result<TopoDS_Shape> make() const {
    TopoDS_Shape out;
    const auto holes = bores();
    const bool single = loops.closed.empty() && loops.open.size() == 1 && loops.open[0].pieces.size() == 1 &&
                        loops.open[0].pieces[0].kind == drawing::Piece::Kind::line;
    const auto onEnd = [&](const Vec2& x) {
      return std::any_of(loops.open.begin(), loops.open.end(), [&](const auto& o) {
        return std::any_of(o.pieces.begin(), o.pieces.end(), [&](const auto& p) {
          return (p.start() - x).norm() <= kNear || (p.end() - x).norm() <= kNear;
        });
      });
    };
    const bool plain =
        single && flat::boresFit(holes, bore, width) &&
        std::all_of(source.places.begin(), source.places.end(), [&](const auto& p) { return onEnd(p.at); });
    if (plain) {
      const auto& line = loops.open[0].pieces[0];
      out = flat::flatPart(flat::roundedRim({line.a * kToMm, line.b * kToMm}, width / 2, low),
                           flat::rounds(holes, bore, low), thickness);
    } else {
      out = regions();
      auto open = strips();
      if (!open.ok()) return open;
      if (!open->IsNull()) add(out, *open);
      for (const auto& p : source.places)
        if (about(p.at) == 0 && !onEnd(p.at)) add(out, boss(p.at));
      if (out.IsNull()) return Error{"plate", "", "there are no lines to make it along, and nothing is pinned to it"};
      out = flat::bored(flat::unified(out), holes, bore, low, thickness);
    }
    for (const auto& p : source.places)
      if (p.carries && pin > 0)
        add(out,
            flat::cylinderAt(p.at.x() * kToMm, p.at.y() * kToMm, pin / 2, p.from * kToMm, (p.to - p.from) * kToMm));
    return out;
  }
};

}  // namespace

Result<TopoDS_Shape> linkPlate(const std::vector<double>& figures) {
  if (figures.size() <= model::elementFigures(model::BodyKind::linkPlate).size())
    return Error{"plate", "", "a link plate is made along the lines of a link, and there are none"};
  return PlateMaker(figures).make();
}

}  // namespace cooperage::shape
