// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Part of resolve.cpp, in its own file by length: curves, and the rows of programmes and cam laws.
#include "model/resolver_base.h"

namespace cooperage::model {

class CurveResolver : public ResolverBase {
 public:
  using ResolverBase::ResolverBase;

 protected:
  bool curve(const Link& link, const Curve& c) {
    out_.curveList.push_back({c.id, c.name, linkIndex_[link.id], {}, nullptr, nullptr, 0, {}});
    if (!oneCurve(link, c)) return false;
    out_.curveList.back().seat = curveSeat_[c.id];
    out_.curveList.back().curve = curves_[c.id].second;
    return true;
  }
  bool oneCurve(const Link& link, const Curve& c) {
    const std::string object = "curve " + link.name + "/" + c.name;
    auto& known = curves_[c.id];
    known = {linkIndex_[link.id], nullptr};
    const auto seat = seatIndex_.find(c.seat);
    if (seat == seatIndex_.end()) return fail("missing-seat", object, "its seat is gone; choose another");
    curveSeat_[c.id] = out_.links.back().seats[static_cast<std::size_t>(seat->second.second)].frame;
    const auto figure = [&](const char* key, const Dimension& d, double& v) {
      const auto it = c.figures.find(key);
      return it == c.figures.end() || read(it->second, d, object, key, v);
    };
    if (c.kind == "circle") {
      double x = 0, y = 0, r = 0;
      if (!figure("centre x", dimension::kLength, x) || !figure("centre y", dimension::kLength, y) ||
          !figure("radius", dimension::kLength, r))
        return false;
      if (!(r > 0)) return fail("figure", object, "the radius must be greater than zero");
      known.second = curves::circle({x, y}, r);
      return true;
    }
    if (c.kind == "formula") return formulaCurve(c, object, known.second);
    if (c.kind == "cam-law") return camLaw(link, c, object, known.second);
    if (c.kind == "edges") {  // its curve comes with the geometry
      out_.curveList.back().body = c.body;
      out_.curveList.back().edges = c.edges;
      return true;
    }
    if (c.kind != "chain") {
      warn("curve", object, fmt::format("this version does not compute the kind '{}'", c.kind));
      return true;
    }
    std::vector<curves::Piece> pieces;
    for (const CurvePiece& p : c.pieces) {
      curves::Piece piece;
      using Kind = curves::Piece::Kind;
      piece.kind = p.kind == "arc" ? Kind::arc : p.kind == "spline" ? Kind::spline : Kind::line;
      piece.ccw = p.ccw;
      const auto point = [&](const Pair& at, Eigen::Vector2d& v) {
        return read(at[0], dimension::kLength, object, "x", v[0]) && read(at[1], dimension::kLength, object, "y", v[1]);
      };
      for (const Pair& at : p.points) {
        piece.points.emplace_back();
        if (!point(at, piece.points.back())) return false;
      }
      if (!point(p.centre, piece.centre)) return false;
      pieces.push_back(std::move(piece));
    }
    auto made = curves::chain(pieces, c.closed, link.name + "/" + c.name);
    if (!made.ok()) return error_ = made.error(), false;
    known.second = *made;
    return true;
  }
  bool formulaCurve(const Curve& c, const std::string& object, curves::CurvePtr& into) {
    curves::FormulaParts parts;
    if (!read(c.figures.at("u from"), dimension::kPlain, object, "u", parts.low) ||
        !read(c.figures.at("u to"), dimension::kPlain, object, "u", parts.high))
      return false;
    if (!(parts.high > parts.low)) return fail("figure", object, "the range of u is empty");
    const char* keys[] = {"x", "y", "z"};
    for (std::size_t k = 0; k < 3; ++k) {
      const auto it = c.figures.find(keys[k]);
      if (it == c.figures.end()) continue;
      if (!it->second.formula) {
        if (!read(it->second, dimension::kLength, object, keys[k], parts.constants[k])) return false;
        continue;
      }
      std::shared_ptr<const Resolved::FormulaR> f;
      const Quantity trial{0.5 * (parts.low + parts.high) + 0.123 * (parts.high - parts.low), {}, false};
      if (!readFormula(
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
        return fail("curve", object, "its formulas have no finite value everywhere between both ends of u");
      if (!(p[1].norm() > 0)) return fail("curve", object, "it stands still at some u; its formulas must move with u");
    }
    return true;
  }

  /// A cam's law: its rows are those of a programme over the turn (or the slide) of the cam.
  bool camLaw(const Link& link, const Curve& c, const std::string& object, curves::CurvePtr& into) {
    elements::CamSpec spec;
    using Spec = elements::CamSpec;
    spec.form = c.form == "linear" ? Spec::Form::linear : c.form == "barrel" ? Spec::Form::barrel : Spec::Form::disc;
    spec.follower = c.follower == "point"  ? Spec::Follower::point
                    : c.follower == "flat" ? Spec::Follower::flat
                                           : Spec::Follower::roller;
    spec.swing = c.swing;
    spec.hand = c.hand;
    const std::pair<const char*, double*> figures[] = {{"base", &spec.base},        {"roller", &spec.roller},
                                                       {"offset", &spec.offset},    {"pivot x", &spec.pivot[0]},
                                                       {"pivot y", &spec.pivot[1]}, {"arm", &spec.arm}};
    for (const auto& [key, v] : figures) {
      const auto it = c.figures.find(key);
      if (it != c.figures.end() && !read(it->second, dimension::kLength, object, key, *v)) return false;
    }
    const Dimension over = c.form == "linear" ? dimension::kLength : dimension::kAngle;
    const Dimension lift = c.swing ? dimension::kAngle : dimension::kLength;
    std::vector<Resolved::RowR> rows;
    for (const ProgrammeRow& given : c.rows) {
      Resolved::RowR r;
      r.law = given.law;
      if (!motion::isLaw(given.law)) return fail("law", object, fmt::format("there is no motion law '{}'", given.law));
      for (const auto& [key, f] : given.figures) {
        const auto d = camRowDimension(c, given.law, key);
        if (!d) return fail("figure", object, fmt::format("a row '{}' of a cam takes no '{}'", given.law, key));
        double v = 0;
        if (!read(f, *d, object, key, v)) return false;
        r.figures[key == "over" ? "time" : key == "lift" ? "by" : key] = v;
      }
      if (!(r.figures["time"] > 0)) return fail("figure", object, "'over' of a row must be greater than zero");
      if (given.law == "dwell" || given.law == "polynomial") {
        if (given.law == "dwell" && r.figures.count("by") && r.figures["by"] != 0)
          return fail("figure", object, "a dwell has no lift");
      } else if (r.figures.count("by") == 0) {
        return fail("missing", object, fmt::format("the row '{}' lacks 'lift'", given.law));
      }
      for (const Field& f : given.list) {
        r.list.emplace_back();
        if (!read(f, lift, object, "coefficients", r.list.back())) return false;
      }
      for (const Pair& p : given.points) {
        r.points.emplace_back();
        if (!read(p[0], over, object, "points", r.points.back().first) ||
            !read(p[1], lift, object, "points", r.points.back().second))
          return false;
      }
      rows.push_back(std::move(r));
    }
    auto law = motion::Programme::compile(rows, 0, false, link.name + "/" + c.name);
    if (!law.ok()) return error_ = {law.error().code, object, object + ": " + law.error().text}, false;
    spec.law = std::make_shared<const motion::Programme>(std::move(law).value());
    if (const auto s = elements::checkCam(spec, link.name + "/" + c.name); !s.ok()) return error_ = s.error(), false;
    into = elements::camProfile(spec);
    out_.curveList.back().cam = std::make_shared<const Spec>(std::move(spec));
    return true;
  }
  bool row(const ProgrammeRow& row, const Dimension& value, const std::string& object, Resolved::RowR& r) {
    r.law = row.law;
    if (!motion::isLaw(row.law))
      return fail("law", object, fmt::format("there is no motion law '{}' in this version", row.law));
    for (const std::string& key : motion::figuresOf(row.law)) {
      const bool either = key == "to" || key == "by";
      if (!either && key != "formula" && row.figures.count(key) == 0)
        return fail("missing", object, fmt::format("the row '{}' lacks '{}'", row.law, key));
      if (key == "to" && row.figures.count("to") + row.figures.count("by") != 1)
        return fail("missing", object, fmt::format("the row '{}' needs either 'to' or 'by'", row.law));
    }
    for (const auto& [key, f] : row.figures) {
      const auto d = motion::figureDimension(row.law, key, value);
      if (!d) continue;
      if (key == "formula") {
        if (!f.formula) return fail("formula", object, "the formula is a plain number; use a dwell instead");
        for (const Symbol& s : f.formula->references())
          if (s.id != 0 && !findById(m_.parameters, s.id))
            return fail("formula", object,
                        fmt::format("{} can't be used here: a drive's formula knows the time and parameters",
                                    nameOf(m_, s, false)));
        const auto time = [](const Symbol& s) {
          return s.id == 0 ? std::optional<Quantity>(Quantity{0.37, {}, false}) : std::nullopt;
        };
        std::shared_ptr<const Resolved::FormulaR> formula;
        if (!readFormula(f, *d, object, "formula", time, formula)) return false;
        r.formula = [formula](const Jet& t) { return formula->at([&](const Symbol&) { return t; }); };
        continue;
      }
      double v = 0;
      if (!read(f, *d, object, key, v)) return false;
      if (key == "time" && !(v > 0)) return fail("figure", object, "the time of a row must be greater than zero");
      if (key == "acceleration" && !(v > 0))
        return fail("figure", object, "the acceleration of a row must be greater than zero");
      r.figures[key] = v;
    }
    for (const Field& f : row.list) {
      double v = 0;
      if (!read(f, value, object, "coefficients", v)) return false;
      r.list.push_back(v);
    }
    r.interpolation = row.interpolation;
    for (const Pair& p : row.points) {
      r.points.emplace_back();
      if (!read(p[0], dimension::kTime, object, "points", r.points.back().first) ||
          !read(p[1], value, object, "points", r.points.back().second))
        return false;
    }
    if (row.law == "table" && r.points.size() < 2) return fail("missing", object, "a table needs two points or more");
    return true;
  }
};

}  // namespace cooperage::model
