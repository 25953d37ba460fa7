// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/outlines.h"

#include <fmt/format.h>

#include <cmath>

#include "base/index.h"
#include "model/resolving.h"

namespace cooperage::model {
namespace {

using drawing::Piece;
using drawing::Vec2;

/// The arc between two ends about a centre; a whole turn where they are the same.
std::optional<Piece> arcPiece(const Vec2& a, const Vec2& b, const Vec2& centre, bool ccw) {
  const double ra = (a - centre).norm(), rb = (b - centre).norm();
  if (!(ra > 0) || std::abs(ra - rb) > 1e-6 * std::max(ra, rb)) return std::nullopt;
  const Vec2 u = a - centre, v(-u.y(), u.x()), e = b - centre;
  double sweep = (ccw ? 1 : -1) * std::atan2(u.x() * e.y() - u.y() * e.x(), u.dot(e));
  while (sweep <= 1e-12) sweep += 2 * kPi;
  return Piece::conic(centre, u, ccw ? v : Vec2(-v), 0, sweep);
}

/// A spline of the file, tangent to its neighbours, as a cubic (see curves::chain).
class SplineSlopes {
 public:
  SplineSlopes(const std::vector<std::vector<Vec2>>& points, const std::vector<Piece>& pieces,
               const std::vector<CurvePiece>& given, bool closed)
      : points_(points), pieces_(pieces), given_(given), closed_(closed) {}

  drawing::Nurbs cubic(std::size_t i) const {
    const std::size_t n = given_.size();
    const auto& x = points_[i];
    std::vector<double> t{0};
    for (std::size_t k = 1; k < x.size(); ++k) t.push_back(t.back() + (x[k] - x[k - 1]).norm());
    std::optional<Vec2> first, last;
    if (i > 0 || closed_) first = slope((i + n - 1) % n, true);
    if (i + 1 < n || closed_) last = slope((i + 1) % n, false);
    const bool periodic = closed_ && n == 1 && x.size() > 3;
    return drawing::throughPoints(
        t, x, curves::cubicSlopes(t, x, first ? &*first : nullptr, last ? &*last : nullptr, periodic));
  }

 private:
  std::optional<Vec2> slope(std::size_t i, bool atEnd) const {
    if (given_[i].kind == PieceKind::spline) return std::nullopt;
    const Piece& p = pieces_[i];
    return Vec2(p.at(atEnd ? p.high() : p.low())[1].normalized());
  }
  const std::vector<std::vector<Vec2>>& points_;
  const std::vector<Piece>& pieces_;
  const std::vector<CurvePiece>& given_;
  bool closed_;
};

}  // namespace

bool drawnPiece(Resolving& ctx, const CurvePiece& p, const std::string& object, const std::vector<Vec2>& points,
                Piece& into) {
  Vec2 centre;
  if (!ctx.read(p.centre[0], dimension::kLength, object, "x", centre[0]) ||
      !ctx.read(p.centre[1], dimension::kLength, object, "y", centre[1]))
    return false;
  if (p.kind == PieceKind::line) {
    into = Piece::line(points[0], points[1]);
  } else if (p.kind == PieceKind::arc) {
    const auto arc = arcPiece(points[0], points[1], centre, p.ccw);
    if (!arc) return ctx.fail("curve", object, "the ends of an arc are not as far from its centre as one another");
    into = *arc;
  } else if (p.kind == PieceKind::ellipse) {
    double from = 0, to = 0;
    if (!ctx.read(p.from, dimension::kAngle, object, "from", from) ||
        !ctx.read(p.to, dimension::kAngle, object, "to", to))
      return false;
    const double across = points[0].x() * points[1].y() - points[0].y() * points[1].x();
    if (!(std::abs(across) > 0) || from == to) return ctx.fail("curve", object, "an ellipse has no size");
    into = Piece::conic(centre, points[0], points[1], from, to);
  } else {
    drawing::Nurbs s{p.degree, p.knots, points, p.weights};
    if (const auto ok = drawing::check(s); !ok.ok()) return ctx.fail("curve", object, "a spline: " + ok.error().text);
    into = Piece::of(std::move(s));
  }
  return true;
}

bool piecePoints(Resolving& ctx, const CurvePiece& p, const std::string& object, std::vector<Vec2>& into) {
  into.resize(p.points.size());
  for (std::size_t i = 0; i < p.points.size(); ++i)
    if (!ctx.read(p.points[i][0], dimension::kLength, object, "x", into[i][0]) ||
        !ctx.read(p.points[i][1], dimension::kLength, object, "y", into[i][1]))
      return false;
  return true;
}

bool outlineOf(Resolving& ctx, const Curve& c, const std::string& object, drawing::Outline& into) {
  into = {};
  if (c.kind == CurveKind::circle) {
    Vec2 centre(0, 0);
    double radius = 0;
    for (const auto& [key, v] : {std::pair{"centre x", &centre[0]}, {"centre y", &centre[1]}, {"radius", &radius}}) {
      const auto it = c.figures.find(key);
      if (it != c.figures.end() && !ctx.read(it->second, dimension::kLength, object, key, *v)) return false;
    }
    if (!(radius > 0)) return ctx.fail("figure", object, "the radius must be greater than zero");
    into = {{Piece::arc(centre, radius, 0, 2 * kPi)}, true};
    return true;
  }
  if (c.kind != CurveKind::chain) return ctx.fail("curve", object, "has no outline of lines and arcs");
  std::vector<std::vector<Vec2>> points(c.pieces.size());
  into.pieces.resize(c.pieces.size());
  into.closed = c.closed;
  for (std::size_t i = 0; i < c.pieces.size(); ++i) {
    if (!piecePoints(ctx, c.pieces[i], object, points[i])) return false;
    if (c.pieces[i].kind != PieceKind::spline && !drawnPiece(ctx, c.pieces[i], object, points[i], into.pieces[i]))
      return false;
  }
  const SplineSlopes slopes(points, into.pieces, c.pieces, c.closed);
  for (std::size_t i = 0; i < c.pieces.size(); ++i) {
    if (c.pieces[i].kind != PieceKind::spline) continue;
    for (std::size_t k = 1; k < points[i].size(); ++k)
      if (!((points[i][k] - points[i][k - 1]).norm() > 1e-12))
        return ctx.fail("curve", object, "a spline has two equal points one after the other");
    into.pieces[i] = Piece::of(slopes.cubic(i));
  }
  return true;
}

bool hasFormula(const Curve& c) {
  const auto is = [](const Field& f) { return f.formula != nullptr; };
  for (const auto& [key, f] : c.figures)
    if (is(f)) return true;
  for (const CurvePiece& p : c.pieces) {
    if (is(p.from) || is(p.to) || is(p.centre[0]) || is(p.centre[1])) return true;
    for (const Pair& x : p.points)
      if (is(x[0]) || is(x[1])) return true;
  }
  return false;
}

Result<drawing::Outline> outlineOf(const Mechanism& m, const Curve& curve) {
  Resolving ctx(m);
  drawing::Outline out;
  if (!outlineOf(ctx, curve, "curve " + curve.name, out)) return ctx.error;
  return out;
}

Curve curveOf(const drawing::Outline& outline, const DocumentUnits& units) {
  const double length = units.factor(dimension::kLength), angle = units.factor(dimension::kAngle);
  const auto pair = [&](const Vec2& x) { return Pair{Field(x.x() / length), Field(x.y() / length)}; };
  Curve c;
  if (outline.pieces.size() == 1 && isFullTurn(outline.pieces[0]))
    if (const auto r = radiusOf(outline.pieces[0])) {
      const Pair centre = pair(outline.pieces[0].centre);
      c.kind = CurveKind::circle;
      c.figures = {{"centre x", centre[0]}, {"centre y", centre[1]}, {"radius", Field(*r / length)}};
      return c;
    }
  c.kind = CurveKind::chain;
  c.closed = outline.closed;
  for (const Piece& p : outline.pieces) {
    CurvePiece& made = c.pieces.emplace_back();
    if (p.kind == Piece::Kind::line) {
      made.points = {pair(p.a), pair(p.b)};
    } else if (p.kind == Piece::Kind::spline) {
      made.kind = PieceKind::nurbs;
      made.degree = p.spline->degree;
      made.knots = p.spline->knots;
      made.weights = p.spline->weights;
      for (const Vec2& x : p.spline->points) made.points.push_back(pair(x));
    } else if (radiusOf(p) && !isFullTurn(p)) {
      made.kind = PieceKind::arc;
      made.points = {pair(p.start()), pair(p.end())};
      made.centre = pair(p.centre);
      made.ccw = (p.u.x() * p.v.y() - p.u.y() * p.v.x()) * (p.to - p.from) > 0;
    } else {
      made.kind = PieceKind::ellipse;
      made.centre = pair(p.centre);
      made.points = {pair(p.u), pair(p.v)};
      made.from = Field(p.from / angle);
      made.to = Field(p.to / angle);
    }
  }
  return c;
}

}  // namespace cooperage::model
