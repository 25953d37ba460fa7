// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Part of coop_write.cpp, in its own file by length: names and figures, what is described key by key, links with
// bodies, seats and curves, sheets.
#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "io/coop_file.h"
#include "model/describe.h"

namespace cooperage::io {

using namespace model;

class PartWriter {
 protected:
  using Json = nlohmann::ordered_json;
  explicit PartWriter(const Mechanism& m) : m_(m) {}
  static Json with(Json o, const Extra& extra) {
    for (const auto& [key, text] : extra) o[key] = Json::parse(text);
    return o;
  }
  template <class T, class F>
  static void list(Json& j, const char* key, const std::vector<std::shared_ptr<const T>>& items, F write) {
    Json array = Json::array();
    for (const auto& item : items) array.push_back(write(*item));
    j[key] = std::move(array);
  }
  Json field(const Field& f) const {
    if (f.formula) return fieldText(m_, f);
    if (f.number == std::floor(f.number) && std::abs(f.number) < 1e15) return static_cast<std::int64_t>(f.number);
    return f.number;
  }
  template <std::size_t N>
  Json fields(const std::array<Field, N>& f) const {
    Json array = Json::array();
    for (const Field& x : f) array.push_back(field(x));
    return array;
  }
  Json placement(const Placement& p) const { return {{"at", fields(p.at)}, {"turn", fields(p.turn)}}; }
  static Json colour(const Colour& c) {
    const auto byte = [](double x) { return static_cast<int>(std::lround(255 * x)); };
    return fmt::format("#{:02x}{:02x}{:02x}", byte(c.r), byte(c.g), byte(c.b));
  }
  std::string name(Id id, const char* member = "") const { return nameOf(m_, {id, member}, false); }
  std::string name(const Symbol& s) const { return nameOf(m_, s, false); }

  /// Writes what model/describe.h describes. An object within is written where it holds something worth it.
  class From {
   public:
    static constexpr bool kAll = false;
    From(const PartWriter& writer, Json& o) : w_(writer), o_(o) {}
    bool isWorthIt() const { return worth_; }

    void field(const char* key, const Field& f, const Measures&) {
      o_[key] = w_.field(f);
      worth_ = worth_ || f.formula || f.number != 0;
    }
    void field(const char* key, const std::optional<Field>& f, const Measures&) {
      if (f) put(key) = w_.field(*f);
    }
    void must(const char* key, const Field& f, const Measures&) { put(key) = w_.field(f); }
    void fields(const char* key, const std::vector<Field>& list, const Measures&) {
      for (const Field& f : list) put(key).push_back(w_.field(f));
    }
    void points(const char* key, const std::vector<Pair>& list, const Measures&, const Measures&) {
      for (const Pair& p : list) put(key).push_back(w_.fields(p));
    }
    template <std::size_t N>
    void list(const char* key, const std::array<Field, N>& figures, const Measures&) {
      if (std::any_of(figures.begin(), figures.end(), [](const Field& f) { return f.formula || f.number != 0; }))
        put(key) = w_.fields(figures);
    }
    void flag(const char* key, bool on, bool normally) {
      if (on != normally) put(key) = on;
    }
    void whole(const char* key, int n, int normally, bool always) {
      if (always || n != normally) put(key) = n;
    }
    template <class E>
    void choice(const char* key, E value, E normally) {
      if (value != normally) put(key) = wordFor(value);
    }
    template <class E>
    void word(const char* key, const Word<E>& w, bool) {
      if (!w.empty()) put(key) = w.text();
    }
    template <class E>
    void words(const char* key, const std::vector<Word<E>>& list) {
      put(key) = Json::array();
      for (const auto& w : list) put(key).push_back(w.text());
    }
    void text(const char* key, const std::string& text) {
      if (!text.empty()) put(key) = text;
    }
    void ref(const char* key, Id id, Ref, const char* none) {
      put(key) = id == 0 ? std::string(none ? none : "") : w_.name(id);
    }
    void ref(const char* key, const std::optional<Id>& id, Ref, const char*) {
      if (id) put(key) = w_.name(*id);
    }
    void ref(const char* key, const std::optional<Symbol>& s, Ref, const char*) {
      if (s) put(key) = w_.name(*s);
    }
    void later(const char* key, Id id, Id) {
      if (id != 0) put(key) = w_.name(id);
    }
    void refs(const char* key, const std::vector<Id>& ids, Ref to) {
      for (const Id id : ids)
        if (w_.is(id, to)) put(key).push_back(w_.name(id));
    }
    void refs(const char* key, const std::optional<std::vector<Id>>& ids, Ref to) {
      if (!ids) return;
      put(key) = Json::array();
      refs(key, *ids, to);
    }
    void pairsOf(const char* key, const std::vector<std::pair<Id, Id>>& pairs, Ref) {
      for (const auto& [a, b] : pairs) put(key).push_back(Json::array({w_.name(a), w_.name(b)}));
    }
    void sides(const char* key, const std::vector<Id>& first, const std::vector<Id>& second, Ref) {
      if (first.empty() && second.empty()) return;
      Json both = Json::array({Json::array(), Json::array()});
      for (const Id id : first) both[0].push_back(w_.name(id));
      for (const Id id : second) both[1].push_back(w_.name(id));
      put(key) = std::move(both);
    }
    void byName(const char* key, const std::vector<std::pair<Id, Field>>& list, Ref) {
      for (const auto& [id, f] : list) put(key)[w_.name(id)] = w_.field(f);
    }
    void byValue(const char* key, const std::map<std::string, Field>& values, const Joint&) {
      for (const auto& [name, f] : values) put(key)[name] = w_.field(f);
    }
    void byValue(const char* key, const std::map<std::string, Stops>& values, const Joint&) {
      for (const auto& [name, s] : values)
        put(key)[name] = Json::array({s.low ? w_.field(*s.low) : Json(), s.high ? w_.field(*s.high) : Json()});
    }
    template <class F>
    void group(const char* key, F inner) {
      Json o = Json::object();
      From from(w_, o);
      inner(from);
      if (from.isWorthIt()) put(key) = std::move(o);
    }
    template <class T, class F>
    void group(const char* key, const std::optional<T>& part, F inner) {
      if (part) group(key, [&](From& in) { inner(in, *part); });
    }

   private:
    Json& put(const char* key) {
      worth_ = true;
      return o_[key];
    }
    const PartWriter& w_;
    Json& o_;
    bool worth_ = false;
  };
  /// Is it of that kind? Lists of several kinds are written kind by kind.
  bool is(Id id, Ref to) const {
    switch (to) {
      case Ref::joint: return findById(m_.joints, id) != nullptr;
      case Ref::camPair: return findById(m_.camPairs, id) != nullptr;
      case Ref::coupling: return findById(m_.couplings, id) != nullptr;
      case Ref::contact: return findById(m_.contacts, id) != nullptr;
      case Ref::link:
      case Ref::seat:
      case Ref::drive:
      case Ref::gauge:
      case Ref::value: break;
    }
    return true;
  }

  Json body(const Body& b) const {
    Json o{{"name", b.name}};
    if (b.kind == BodyKind::file) {
      o["file"] = b.file;
      o["solid"] = b.solid;
      if (!b.cuts.empty()) {
        o["cuts"] = Json::array();
        for (const Cut& c : b.cuts) o["cuts"].push_back(cut(c));
      }
      for (const Stretch& s : b.stretches)
        o["stretches"].push_back({{"at", lengths(s.at)}, {"axis", numbers(s.axis)}, {"by", field(s.by)}});
    } else {
      o["element"] = elementName(b.kind);
      const auto figure = [&](const std::string& key) {
        const auto it = b.figures.find(key);
        return it == b.figures.end() ? Json(0) : field(it->second);
      };
      if (b.kind == BodyKind::box)
        o["size"] = Json::array({figure("size x"), figure("size y"), figure("size z")});
      else
        for (const auto& f : elementFigures(b.kind))
          if (f.otherwise == 0 || b.figures.count(f.name)) o[f.name] = figure(f.name);
      if (b.kind == BodyKind::cam) {
        const auto c = findCurve(m_, b.curve);
        o["curve"] = c ? c->curve->name : "";
      }
      if (b.kind == BodyKind::plate) {
        o["pivots"] = Json::array();
        for (int i = 1; i <= pivotCount(b); ++i)
          o["pivots"].push_back(
              Json::array({figure(fmt::format("pivot {} x", i)), figure(fmt::format("pivot {} y", i))}));
      }
    }
    o["placement"] = placement(b.placement);
    if (b.colour) o["colour"] = colour(*b.colour);
    if (b.hidden) o["hidden"] = true;
    if (!b.material.empty()) o["material"] = b.material;
    if (b.density) o["density"] = field(*b.density);
    return with(std::move(o), b.extra);
  }

  /// Geometry as it was found keeps its size whatever the document's units: texts with a unit.
  static Json length(double m) { return formatNumber(tidy(m * 1e3, 1e9)) + " mm"; }
  /// So many digits that reading and writing again gives the same text.
  static double tidy(double x, double digits) {
    const double rounded = std::round(x * digits) / digits;
    return rounded == 0 ? 0.0 : rounded;
  }
  static Json lengths(const Vec3& v) { return Json::array({length(v.x()), length(v.y()), length(v.z())}); }
  static Json numbers(const Vec3& v) { return Json::array({v.x(), v.y(), v.z()}); }
  static Json cut(const Cut& c) {
    Json o{{"keep", c.inside ? "inside" : "outside"}, {"tools", Json::array()}};
    for (const CutTool& t : c.tools) {
      Json tool{{"kind", t.cylinder ? "cylinder" : "plane"}, {"at", lengths(t.at)}, {"axis", numbers(t.axis)}};
      if (t.cylinder) tool["radius"] = length(t.radius);
      o["tools"].push_back(std::move(tool));
    }
    return o;
  }
  static std::shared_ptr<const Body> bodyOf(const Link& l, const SeatSource& s) {
    const auto body = findById(l.bodies, s.body);
    return body ? body : findById(l.aside, s.body);
  }
  static Json source(const SeatSource& s, const Link& l) {
    const auto body = bodyOf(l, s);
    const Feature& f = s.feature;
    Json o{{"body", body ? body->name : ""}, {"place", s.word}, {"kind", f.kind.text()}};
    if (f.inward) o["inward"] = true;
    o["at"] = lengths(f.at);
    o["axis"] = numbers(f.axis);
    if (f.radius != 0) o["radius"] = length(f.radius);
    if (f.length != 0) o["length"] = length(f.length);
    if (f.area != 0) o["area"] = f.area;
    if (!f.beside.empty()) o["beside"] = f.beside;
    Quat q(s.inFeature.R);
    if (q.w() < 0) q.coeffs() = -q.coeffs();
    if (s.inFeature.p.norm() > 1e-12) o["shift"] = lengths(s.inFeature.p);
    if (q.vec().norm() > 1e-12)
      o["turn"] = Json::array({tidy(q.w(), 1e12), tidy(q.x(), 1e12), tidy(q.y(), 1e12), tidy(q.z(), 1e12)});
    return o;
  }

  Json link(const Link& l) const {
    Json o{{"name", l.name}};
    if (l.ground) o["ground"] = true;
    if (l.hidden) o["hidden"] = true;
    o["placement"] = placement(l.placement);
    if (l.colour) o["colour"] = colour(*l.colour);
    list(o, "bodies", l.bodies, [&](const Body& b) { return body(b); });
    if (!l.aside.empty()) list(o, "aside", l.aside, [&](const Body& b) { return body(b); });
    list(o, "seats", l.seats, [&](const Seat& s) {
      Json j{{"name", s.name}, {"at", fields(s.at)}, {"axis", fields(s.axis)}, {"ref", fields(s.ref)}};
      // a seat whose body has gone to another link, or has been taken away, has lost what it came from
      if (s.source && bodyOf(l, *s.source)) j["from"] = source(*s.source, l);
      if (s.broken) j["broken"] = true;
      return with(std::move(j), s.extra);
    });
    if (!l.curves.empty()) list(o, "curves", l.curves, [&](const Curve& c) { return curve(c); });
    if (!l.dimensions.empty())
      list(o, "dimensions", l.dimensions, [&](const DrawnDimension& d) { return dimension(l, d); });
    if (l.mass) {
      Json mass = Json::object();
      From from(*this, mass);
      describeMass(from, *l.mass);
      o["mass"] = with(std::move(mass), l.mass->extra);
    }
    return with(std::move(o), l.extra);
  }

  Json dimension(const Link& l, const DrawnDimension& d) const {
    Json of = Json::array();
    for (const DimensionEnd& e : d.of) {
      if (const auto s = findById(l.seats, e.object))
        of.push_back({{"seat", s->name}});
      else if (const auto c = findById(l.curves, e.object))
        of.push_back({{"curve", c->name}, {"piece", e.piece}});
    }
    Json o{{"kind", d.kind.text()}, {"of", std::move(of)}, {"value", field(d.value)}};
    if (d.step) o["step"] = field(*d.step);
    return with(std::move(o), d.extra);
  }

  Json row(const ProgrammeRow& r) const {
    Json row{{"law", r.law.text()}};
    for (const char* key : {"to", "by", "speed", "acceleration", "mean", "amplitude", "frequency", "phase", "up",
                            "down", "formula", "end_speed", "end_acceleration", "time", "over", "lift"}) {
      const auto it = r.figures.find(key);
      if (it != r.figures.end()) row[key] = field(it->second);
    }
    if (!r.list.empty()) {
      row["coefficients"] = Json::array();
      for (const Field& f : r.list) row["coefficients"].push_back(field(f));
    }
    if (!r.file.empty()) {
      row["file"] = r.file;
    } else if (!r.points.empty()) {
      row["points"] = Json::array();
      for (const Pair& p : r.points) row["points"].push_back(fields(p));
    }
    if (!r.interpolation.empty()) row["interpolation"] = r.interpolation.text();
    return with(std::move(row), r.extra);
  }
  Json rows(const std::vector<ProgrammeRow>& list) const {
    Json out = Json::array();
    for (const ProgrammeRow& r : list) out.push_back(row(r));
    return out;
  }
  void camLaw(const Curve& c, Json& o) const {
    const auto figure = [&](const char* key) {
      const auto it = c.figures.find(key);
      return it == c.figures.end() ? Json(0) : field(it->second);
    };
    if (c.form != CamForm::disc) o["form"] = wordFor(c.form);
    o["base"] = figure("base");
    o["rows"] = Json::array();
    for (const ProgrammeRow& r : c.rows) o["rows"].push_back(row(r));
    Json f{{"kind", wordFor(c.follower)}};
    if (c.follower == ContactKind::roller) f["radius"] = figure("roller");
    f["motion"] = c.swing ? "swing" : "slide";
    if (c.figures.count("offset")) f["offset"] = figure("offset");
    if (c.swing) {
      f["pivot"] = Json::array({figure("pivot x"), figure("pivot y")});
      if (c.figures.count("arm")) f["arm"] = figure("arm");
      f["hand"] = c.hand;
    }
    o["follower"] = std::move(f);
  }
  static Json nurbs(const CurvePiece& p, Json points) {
    Json o{{"degree", p.degree}, {"points", std::move(points)}, {"knots", p.knots}};
    if (!p.weights.empty()) o["weights"] = p.weights;
    return o;
  }
  Json sheet(const Sheet& s) const {
    Json o{{"name", s.name}, {"at", fields(s.at)}, {"axis", fields(s.axis)}, {"ref", fields(s.ref)}};
    From from(*this, o);
    describeSheet(from, s);
    list(o, "curves", s.curves, [&](const Curve& c) { return curve(c); });
    return with(std::move(o), s.extra);
  }
  Json curve(const Curve& c) const {
    const auto s = findSeat(m_, c.seat);
    Json o{{"name", c.name}};
    if (c.seat != 0) o["seat"] = s ? s->seat->name : "";
    if (c.outline) o["outline"] = true;
    if (const auto drawn = findById(m_.sheets, c.sheet)) o["sheet"] = drawn->name;
    if (!c.layer.empty()) o["layer"] = c.layer;
    if (c.construction) o["construction"] = true;
    if (c.gone) o["gone"] = true;
    o["kind"] = c.kind.text();
    const auto figure = [&](const char* key) {
      const auto it = c.figures.find(key);
      return it == c.figures.end() ? Json(0) : field(it->second);
    };
    if (c.kind == CurveKind::circle) {
      o["centre"] = Json::array({figure("centre x"), figure("centre y")});
      o["radius"] = figure("radius");
    } else if (c.kind == CurveKind::formula) {
      o["u"] = Json::array({figure("u from"), figure("u to")});
      for (const char* key : {"x", "y", "z"})
        if (c.figures.count(key)) o[key] = figure(key);
    } else if (c.kind == CurveKind::text) {
      o["text"] = c.text;
      o["at"] = Json::array({figure("x"), figure("y")});
      o["height"] = figure("height");
    } else if (c.kind == CurveKind::camLaw) {
      camLaw(c, o);
    } else if (c.kind == CurveKind::edges) {
      const auto b = findBody(m_, c.body);
      o["body"] = b ? b->body->name : "";
      o["edges"] = c.edges;
    } else if (c.kind == CurveKind::chain) {
      o["closed"] = c.closed;
      o["pieces"] = Json::array();
      for (const CurvePiece& p : c.pieces) {
        Json points = Json::array();
        for (const Pair& x : p.points) points.push_back(fields(x));
        Json piece = Json::object();
        if (p.kind == PieceKind::arc)
          piece["arc"] = {{"from", points[0]}, {"to", points[1]}, {"centre", fields(p.centre)}, {"ccw", p.ccw}};
        else if (p.kind == PieceKind::ellipse)
          piece["ellipse"] = {{"centre", fields(p.centre)},
                              {"u", points[0]},
                              {"v", points[1]},
                              {"from", field(p.from)},
                              {"to", field(p.to)}};
        else if (p.kind == PieceKind::nurbs)
          piece["nurbs"] = nurbs(p, std::move(points));
        else
          piece[wordFor(p.kind)] = points;
        o["pieces"].push_back(std::move(piece));
      }
    }
    return with(std::move(o), c.extra);
  }

  const Mechanism& m_;
};

}  // namespace cooperage::io
