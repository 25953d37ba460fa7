// SPDX-License-Identifier: GPL-3.0-or-later
// Curves and rows of programmes of a document being worked out.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "model/outlines.h"
#include "model/resolving.h"

namespace cooperage::model {

static bool oneCurve(Resolving& ctx, const Link& link, const Curve& c);
static bool formulaCurve(Resolving& ctx, const Curve& c, const std::string& object, curves::CurvePtr& into);
static bool camLaw(Resolving& ctx, const Link& link, const Curve& c, const std::string& object, curves::CurvePtr& into);

void findUsedCurves(Resolving& ctx) {
  for (const auto& p : ctx.m.camPairs) ctx.used.insert({p->cam, p->follower});
  for (const auto& j : ctx.m.joints) ctx.used.insert(j->curve);
  for (const auto& l : ctx.m.links)
    for (const auto& b : l->bodies) ctx.used.insert(b->curve);
}

/// What is only drawn is not made into a curve on which things run: there may be very many, and they may have corners.
static bool checkDrawn(Resolving& ctx, const Curve& c, const std::string& object) {
  drawing::Outline outline;
  const bool plain =
      c.kind == CurveKind::chain && !hasFormula(c) &&
      std::all_of(c.pieces.begin(), c.pieces.end(), [](const CurvePiece& p) { return p.kind == PieceKind::line; });
  if (plain || (c.kind != CurveKind::circle && c.kind != CurveKind::chain)) return true;
  return outlineOf(ctx, c, object, outline);
}

bool resolveSheets(Resolving& ctx) {
  for (const auto& s : ctx.m.sheets) {
    const std::string object = "sheet " + s->name;
    Resolved::SheetR r;
    r.id = s->id;
    double depth = 0;
    if (!ctx.frame(s->at, s->axis, s->ref, object, r.frame) ||
        !ctx.read(s->depth, dimension::kLength, object, "depth", depth))
      return false;
    r.frame.p += depth * r.frame.R.col(2);
    if (s->on) {
      const auto link = ctx.linkIndex.find(*s->on);
      if (link == ctx.linkIndex.end()) return ctx.fail("missing-link", object, "the link that carries it is gone");
      r.link = link->second;
    }
    for (const auto& c : s->curves)
      if (!checkDrawn(ctx, *c, "curve " + s->name + "/" + c->name)) return false;
    ctx.out.sheets.push_back(r);
  }
  return true;
}

bool resolveCurve(Resolving& ctx, const Link& link, const Curve& c) {
  auto& made = ctx.out.curveList.emplace_back();
  made.id = c.id;
  made.name = c.name;
  made.link = ctx.linkIndex[link.id];
  if (!oneCurve(ctx, link, c)) return false;
  ctx.out.curveList.back().seat = ctx.curveSeat[c.id];
  ctx.out.curveList.back().curve = ctx.curves[c.id].second;
  return true;
}
/// A piece on which something runs, over its own parameter; that of a curve must rise.
static curves::Piece runPiece(const drawing::Piece& drawn) {
  const drawing::Piece p = drawn.high() < drawn.low()
                               ? drawing::Piece::conic(drawn.centre, drawn.u, -drawn.v, -drawn.from, -drawn.to)
                               : drawn;
  curves::Piece piece;
  piece.kind = curves::Piece::Kind::general;
  piece.breaks = p.spans();
  piece.own = [p](double t) {
    const auto x = p.at(t);
    curves::CurvePoint out;
    for (std::size_t k = 0; k < out.size(); ++k) out[k] = {x[k].x(), x[k].y(), 0};
    return out;
  };
  return piece;
}

static bool oneCurve(Resolving& ctx, const Link& link, const Curve& c) {
  const std::string object = "curve " + link.name + "/" + c.name;
  auto& known = ctx.curves[c.id];
  known = {ctx.linkIndex[link.id], nullptr};
  const auto seat = ctx.seatIndex.find(c.seat);
  if (seat == ctx.seatIndex.end()) return ctx.fail("missing-seat", object, "its seat is gone; choose another");
  ctx.curveSeat[c.id] = ctx.out.links.back().seats[static_cast<std::size_t>(seat->second.second)].frame;
  if (c.outline && ctx.used.count(c.id) == 0 && c.kind != CurveKind::formula) return checkDrawn(ctx, c, object);
  const auto figure = [&](const char* key, const Dimension& d, double& v) {
    const auto it = c.figures.find(key);
    return it == c.figures.end() || ctx.read(it->second, d, object, key, v);
  };
  if (c.kind == CurveKind::circle) {
    double x = 0, y = 0, r = 0;
    if (!figure("centre x", dimension::kLength, x) || !figure("centre y", dimension::kLength, y) ||
        !figure("radius", dimension::kLength, r))
      return false;
    if (!(r > 0)) return ctx.fail("figure", object, "the radius must be greater than zero");
    known.second = curves::circle({x, y}, r);
    return true;
  }
  if (c.kind == CurveKind::formula) return formulaCurve(ctx, c, object, known.second);
  if (c.kind == CurveKind::camLaw) return camLaw(ctx, link, c, object, known.second);
  if (c.kind == CurveKind::edges) {  // its curve comes with the geometry
    ctx.out.curveList.back().body = c.body;
    ctx.out.curveList.back().edges = c.edges;
    return true;
  }
  if (c.kind != CurveKind::chain) {
    ctx.warn("curve", object, fmt::format("this version does not compute the kind '{}'", c.kind.text()));
    return true;
  }
  std::vector<curves::Piece> pieces;
  for (const CurvePiece& p : c.pieces) {
    curves::Piece piece;
    if (p.kind == PieceKind::ellipse || p.kind == PieceKind::nurbs) {
      std::vector<drawing::Vec2> points;
      drawing::Piece drawn;
      if (!piecePoints(ctx, p, object, points) || !drawnPiece(ctx, p, object, points, drawn)) return false;
      pieces.push_back(runPiece(drawn));
      continue;
    }
    piece.kind = p.kind == PieceKind::arc      ? curves::Piece::Kind::arc
                 : p.kind == PieceKind::spline ? curves::Piece::Kind::spline
                                               : curves::Piece::Kind::line;
    piece.ccw = p.ccw;
    const auto point = [&](const Pair& at, Eigen::Vector2d& v) {
      return ctx.read(at[0], dimension::kLength, object, "x", v[0]) &&
             ctx.read(at[1], dimension::kLength, object, "y", v[1]);
    };
    for (const Pair& at : p.points) {
      piece.points.emplace_back();
      if (!point(at, piece.points.back())) return false;
    }
    if (!point(p.centre, piece.centre)) return false;
    pieces.push_back(std::move(piece));
  }
  auto made = curves::chain(pieces, c.closed, link.name + "/" + c.name);
  if (!made.ok()) return ctx.error = made.error(), false;
  known.second = *made;
  return true;
}
static bool formulaCurve(Resolving& ctx, const Curve& c, const std::string& object, curves::CurvePtr& into) {
  curves::FormulaParts parts;
  if (!ctx.read(c.figures.at("u from"), dimension::kPlain, object, "u", parts.low) ||
      !ctx.read(c.figures.at("u to"), dimension::kPlain, object, "u", parts.high))
    return false;
  if (!(parts.high > parts.low)) return ctx.fail("figure", object, "the range of u is empty");
  const char* keys[] = {"x", "y", "z"};
  for (std::size_t k = 0; k < 3; ++k) {
    const auto it = c.figures.find(keys[k]);
    if (it == c.figures.end()) continue;
    if (!it->second.formula) {
      if (!ctx.read(it->second, dimension::kLength, object, keys[k], parts.constants[k])) return false;
      continue;
    }
    std::shared_ptr<const Resolved::FormulaR> f;
    const Quantity trial{0.5 * (parts.low + parts.high) + 0.123 * (parts.high - parts.low), {}, false};
    if (!ctx.readFormula(
            it->second, dimension::kLength, object, keys[k],
            [&](const Symbol& s) { return s.id == 0 ? std::optional<Quantity>(trial) : std::nullopt; }, f))
      return false;
    parts.parts[k] = f->expression;
    parts.constants[k] = f->scale;
    const auto known = f->parameters;
    const auto before = parts.lookup;
    parts.lookup = [known, before](const Symbol& s) {
      const auto p = known.find(s.id);
      return p != known.end() ? Jet(p->second) : before ? before(s) : Jet(0);
    };
  }
  into = curves::formula(std::move(parts));
  for (int i = 0; i <= 32; ++i) {
    const auto p = into->at(into->low() + (into->high() - into->low()) * i / 32);
    if (!p[0].allFinite() || !p[1].allFinite())
      return ctx.fail("curve", object, "its formulas have no finite value everywhere between both ends of u");
    if (!(p[1].norm() > 0))
      return ctx.fail("curve", object, "it stands still at some u; its formulas must move with u");
  }
  return true;
}

/// A cam's law: its rows are those of a programme over the turn (or the slide) of the cam.
static bool camLaw(Resolving& ctx, const Link& link, const Curve& c, const std::string& object,
                   curves::CurvePtr& into) {
  elements::CamSpec spec;
  using Spec = elements::CamSpec;
  spec.form = c.form == CamForm::linear   ? Spec::Form::linear
              : c.form == CamForm::barrel ? Spec::Form::barrel
                                          : Spec::Form::disc;
  spec.follower = c.follower == ContactKind::point  ? Spec::Follower::point
                  : c.follower == ContactKind::flat ? Spec::Follower::flat
                                                    : Spec::Follower::roller;
  spec.swing = c.swing;
  spec.hand = c.hand;
  const std::pair<const char*, double*> figures[] = {{"base", &spec.base},        {"roller", &spec.roller},
                                                     {"offset", &spec.offset},    {"pivot x", &spec.pivot[0]},
                                                     {"pivot y", &spec.pivot[1]}, {"arm", &spec.arm}};
  for (const auto& [key, v] : figures) {
    const auto it = c.figures.find(key);
    if (it != c.figures.end() && !ctx.read(it->second, dimension::kLength, object, key, *v)) return false;
  }
  const Dimension over = c.form == CamForm::linear ? dimension::kLength : dimension::kAngle;
  const Dimension lift = c.swing ? dimension::kAngle : dimension::kLength;
  std::vector<Resolved::RowR> rows;
  for (const ProgrammeRow& given : c.rows) {
    Resolved::RowR r;
    r.law = given.law;
    if (!given.law.known())
      return ctx.fail("law", object, fmt::format("there is no motion law '{}'", given.law.text()));
    for (const auto& [key, f] : given.figures) {
      const auto d = camRowDimension(c, given.law, key);
      if (!d)
        return ctx.fail("figure", object, fmt::format("a row '{}' of a cam takes no '{}'", given.law.text(), key));
      double v = 0;
      if (!ctx.read(f, *d, object, key, v)) return false;
      r.figures[key == "over" ? "time" : key == "lift" ? "by" : key] = v;
    }
    if (!(r.figures["time"] > 0)) return ctx.fail("figure", object, "'over' of a row must be greater than zero");
    if (given.law == motion::LawKind::dwell || given.law == motion::LawKind::polynomial) {
      if (given.law == motion::LawKind::dwell && r.figures.count("by") && r.figures["by"] != 0)
        return ctx.fail("figure", object, "a dwell has no lift");
    } else if (r.figures.count("by") == 0) {
      return ctx.fail("missing", object, fmt::format("the row '{}' lacks 'lift'", given.law.text()));
    }
    for (const Field& f : given.list) {
      r.list.emplace_back();
      if (!ctx.read(f, lift, object, "coefficients", r.list.back())) return false;
    }
    for (const Pair& p : given.points) {
      r.points.emplace_back();
      if (!ctx.read(p[0], over, object, "points", r.points.back().first) ||
          !ctx.read(p[1], lift, object, "points", r.points.back().second))
        return false;
    }
    rows.push_back(std::move(r));
  }
  auto law = motion::Programme::compile(rows, 0, false, link.name + "/" + c.name);
  if (!law.ok()) return ctx.error = {law.error().code, object, object + ": " + law.error().text}, false;
  spec.law = std::make_shared<const motion::Programme>(std::move(law).value());
  if (const auto s = elements::checkCam(spec, link.name + "/" + c.name); !s.ok()) return ctx.error = s.error(), false;
  into = elements::camProfile(spec);
  ctx.out.curveList.back().cam = std::make_shared<const Spec>(std::move(spec));
  return true;
}
bool resolveRow(Resolving& ctx, const ProgrammeRow& row, const Dimension& value, const std::string& object,
                Resolved::RowR& r) {
  r.law = row.law;
  if (!row.law.known())
    return ctx.fail("law", object, fmt::format("there is no motion law '{}' in this version", row.law.text()));
  for (const std::string& key : motion::figuresOf(row.law)) {
    const bool either = key == "to" || key == "by";
    if (!either && key != "formula" && row.figures.count(key) == 0)
      return ctx.fail("missing", object, fmt::format("the row '{}' lacks '{}'", row.law.text(), key));
    if (key == "to" && row.figures.count("to") + row.figures.count("by") != 1)
      return ctx.fail("missing", object, fmt::format("the row '{}' needs either 'to' or 'by'", row.law.text()));
  }
  for (const auto& [key, f] : row.figures) {
    const auto d = motion::figureDimension(row.law, key, value);
    if (!d) continue;
    if (key == "formula") {
      if (!f.formula) return ctx.fail("formula", object, "the formula is a plain number; use a dwell instead");
      for (const Symbol& s : f.formula->references())
        if (s.id != 0 && !findById(ctx.m.parameters, s.id))
          return ctx.fail("formula", object,
                          fmt::format("{} can't be used here: a drive's formula knows the time and parameters",
                                      nameOf(ctx.m, s, false)));
      const auto time = [](const Symbol& s) {
        return s.id == 0 ? std::optional<Quantity>(Quantity{0.37, {}, false}) : std::nullopt;
      };
      std::shared_ptr<const Resolved::FormulaR> formula;
      if (!ctx.readFormula(f, *d, object, "formula", time, formula)) return false;
      r.formula = [formula](const Jet& t) { return formula->at([&](const Symbol&) { return t; }); };
      continue;
    }
    double v = 0;
    if (!ctx.read(f, *d, object, key, v)) return false;
    if (key == "time" && !(v > 0)) return ctx.fail("figure", object, "the time of a row must be greater than zero");
    if (key == "acceleration" && !(v > 0))
      return ctx.fail("figure", object, "the acceleration of a row must be greater than zero");
    r.figures[key] = v;
  }
  for (const Field& f : row.list) {
    double v = 0;
    if (!ctx.read(f, value, object, "coefficients", v)) return false;
    r.list.push_back(v);
  }
  r.interpolation = row.interpolation;
  for (const Pair& p : row.points) {
    r.points.emplace_back();
    if (!ctx.read(p[0], dimension::kTime, object, "points", r.points.back().first) ||
        !ctx.read(p[1], value, object, "points", r.points.back().second))
      return false;
  }
  if (row.law == motion::LawKind::table && r.points.size() < 2)
    return ctx.fail("missing", object, "a table needs two points or more");
  return true;
}

}  // namespace cooperage::model
