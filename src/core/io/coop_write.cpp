// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "io/coop_file.h"

namespace cooperage::io {
namespace {

using namespace model;
using Json = nlohmann::ordered_json;
constexpr std::size_t kLine = 118;  // an object that fits stays on one line

class Writer {
 public:
  explicit Writer(const Mechanism& m) : m_(m) {}

  Json run() {
    Json j;
    j["format"] = "cooperage";
    j["version"] = 1;
    j["title"] = m_.title;
    j["units"] = {{"length", m_.units.length},
                  {"angle", m_.units.angle},
                  {"mass", m_.units.mass},
                  {"time", m_.units.time},
                  {"force", m_.units.force}};
    list(j, "parameters", m_.parameters, [&](const Parameter& p) {
      Json o{{"name", p.name}, {"value", field(p.value)}};
      return with(std::move(o), p.extra);
    });
    list(j, "links", m_.links, [&](const Link& l) { return link(l); });
    list(j, "joints", m_.joints, [&](const Joint& x) { return joint(x); });
    list(j, "couplings", m_.couplings, [&](const Coupling& c) { return coupling(c); });
    list(j, "cam_pairs", m_.camPairs, [&](const CamPair& c) { return camPair(c); });
    if (!m_.programmes.empty())
      list(j, "programmes", m_.programmes, [&](const NamedProgramme& p) {
        Json o{{"name", p.name}, {"programme", rows(p.rows)}};
        return with(std::move(o), p.extra);
      });
    list(j, "drives", m_.drives, [&](const Drive& d) { return drive(d); });
    list(j, "gauges", m_.gauges, [&](const Gauge& g) { return gauge(g); });
    list(j, "requirements", m_.requirements, [&](const Requirement& r) { return requirement(r); });
    if (!m_.paths.empty()) list(j, "paths", m_.paths, [&](const Path& p) { return path(p); });
    list(j, "runs", m_.runs, [&](const Run& r) { return oneRun(r); });
    return with(std::move(j), m_.extra);
  }

 private:
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

  Json body(const Body& b) const {
    Json o{{"name", b.name}};
    if (b.kind == BodyKind::file) {
      o["file"] = b.file;
      o["solid"] = b.solid;
      if (!b.cuts.empty()) {
        o["cuts"] = Json::array();
        for (const Cut& c : b.cuts) o["cuts"].push_back(cut(c));
      }
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
  static Json source(const SeatSource& s, const Link& l) {
    const auto body = findById(l.bodies, s.body);
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
    list(o, "seats", l.seats, [&](const Seat& s) {
      Json j{{"name", s.name}, {"at", fields(s.at)}, {"axis", fields(s.axis)}, {"ref", fields(s.ref)}};
      // a seat whose body has gone to another link, or has been taken away, has lost what it came from
      if (s.source && findById(l.bodies, s.source->body)) j["from"] = source(*s.source, l);
      if (s.broken) j["broken"] = true;
      return with(std::move(j), s.extra);
    });
    if (!l.curves.empty()) list(o, "curves", l.curves, [&](const Curve& c) { return curve(c); });
    return with(std::move(o), l.extra);
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
  Json curve(const Curve& c) const {
    const auto s = findSeat(m_, c.seat);
    Json o{{"name", c.name}, {"seat", s ? s->seat->name : ""}, {"kind", c.kind.text()}};
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
        else
          piece[wordFor(p.kind)] = points;
        o["pieces"].push_back(std::move(piece));
      }
    }
    return with(std::move(o), c.extra);
  }

  Json camPair(const CamPair& c) const {
    Json o{{"name", c.name}, {"kind", wordFor(c.kind)}, {"cam", name(c.cam)}, {"follower", name(c.follower)}};
    if (c.kind == ContactKind::roller) o["radius"] = field(c.radius);
    o["side"] = c.inside ? "inside" : "outside";
    if (!c.enabled) o["enabled"] = false;
    return with(std::move(o), c.extra);
  }

  Json joint(const Joint& x) const {
    Json o{{"name", x.name}, {"kind", infoOf(x.kind).name}, {"between", {name(x.seats[0]), name(x.seats[1])}}};
    for (const auto& [key, f] : x.home) o["home"][key] = field(f);
    for (const auto& [key, s] : x.stops)
      o["stops"][key] = Json::array({s.low ? field(*s.low) : Json(), s.high ? field(*s.high) : Json()});
    if (x.held) o["held"] = true;
    if (!x.enabled) o["enabled"] = false;
    if (x.flip) o["flip"] = true;
    const auto set = [](const Field& f) { return f.formula || f.number != 0; };
    if (set(x.slideOffset) || set(x.turnOffset))
      o["offset"] = {{"slide", field(x.slideOffset)}, {"turn", field(x.turnOffset)}};
    if (x.kind == JointKind::screw) o["lead"] = field(x.lead);
    if (x.kind == JointKind::pointCurve) {
      const auto c = findCurve(m_, x.curve);
      o["curve"] = c ? c->curve->name : "";
    }
    if (x.kind == JointKind::pointSurface) {
      const auto b = findBody(m_, x.surfaceBody);
      o["surface"] = {{"body", b ? b->body->name : ""}, {"face", x.surfaceFace}};
    }
    return with(std::move(o), x.extra);
  }

  Json coupling(const Coupling& c) const {
    static const char* kKinds[] = {"linear", "gear", "ratio", "rack", "belt", "screw", "table", "formula"};
    Json o{{"name", c.name}, {"kind", kKinds[static_cast<int>(c.kind)]}};
    Json figures = Json::array(), values = Json::array();
    for (const Field& f : c.figures) figures.push_back(field(f));
    for (const Symbol& s : c.values) values.push_back(name(s));
    if (c.kind == CouplingKind::linear) {
      Json terms = Json::array();
      for (std::size_t i = 0; i < c.values.size(); ++i) terms.push_back(Json::array({values[i], figures[i]}));
      o["terms"] = std::move(terms);
    } else if (c.kind == CouplingKind::formula) {
      o["value"] = values[0];
      o["formula"] = field(c.formula);
    } else {
      o["values"] = values;
    }
    switch (c.kind) {
      case CouplingKind::gear:
        o["teeth"] = figures;
        if (c.internal) o["internal"] = true;
        if (c.flip) o["flip"] = true;
        if (c.carrier != 0) o["carrier"] = name(c.carrier);
        if (!c.type.empty()) o["type"] = c.type.text();
        if (c.module) o["module"] = field(*c.module);
        break;
      case CouplingKind::table:
        o["points"] = Json::array();
        for (const Pair& p : c.points) o["points"].push_back(fields(p));
        o["interpolation"] = c.interpolation.text();
        break;
      case CouplingKind::ratio: o["ratio"] = figures[0]; break;
      case CouplingKind::rack:
        o["radius"] = figures[0];
        if (c.flip) o["flip"] = true;
        break;
      case CouplingKind::screw: o["lead"] = figures[0]; break;
      case CouplingKind::belt:
        o[c.teeth ? "teeth" : "radii"] = figures;
        if (c.flip) o["crossed"] = true;
        if (!c.sides.empty()) o["sides"] = c.sides;
        break;
      case CouplingKind::formula:
      case CouplingKind::linear: break;
    }
    for (Id id : c.bodies)
      if (const auto b = findBody(m_, id)) o["bodies"].push_back(b->link->name + "/" + b->body->name);
    if (!c.enabled) o["enabled"] = false;
    return with(std::move(o), c.extra);
  }

  Json drive(const Drive& d) const {
    Json o{{"name", d.name}};
    if (d.gauge != 0)
      o["gauge"] = name(d.gauge);
    else
      o["value"] = name(d.value);
    if (d.shared != 0)
      o["programme"] = name(d.shared);
    else
      o["programme"] = rows(d.programme);
    if (d.reverse) o["reverse"] = true;
    if (!d.enabled) o["enabled"] = false;
    return with(std::move(o), d.extra);
  }

  Json gauge(const Gauge& g) const {
    Json o{{"name", g.name}, {"kind", g.kind.text()}};
    if (g.kind == GaugeKind::formula) {
      o["formula"] = field(g.formula);
    } else if (g.of.size() == 1) {
      o["of"] = name(g.of[0]);
    } else if (!g.of.empty()) {
      o["of"] = Json::array();
      for (const Symbol& s : g.of) o["of"].push_back(name(s));
    }
    if (g.in) o["in"] = name(*g.in);
    if (!g.component.empty()) o["component"] = g.component.text();
    if (g.about) o["about"] = name(*g.about);
    if (g.overFormula) o["over"]["formula"] = field(*g.overFormula);
    if (!g.overFile.empty()) {
      o["over"]["file"] = g.overFile;
    } else {
      for (const Pair& p : g.overPoints) o["over"]["points"].push_back(fields(p));
    }
    if (g.lane != 0) o["lane"] = name(g.lane);
    if (g.dwellWithin) o["dwell_within"] = field(*g.dwellWithin);
    if (g.flagged) o["flag"] = true;
    return with(std::move(o), g.extra);
  }

  Json path(const Path& p) const {
    Json o{{"name", p.name}, {"of", name(p.of)}};
    if (p.in) o["in"] = name(*p.in);
    if (p.tick) o["ticks"] = field(*p.tick);
    if (p.bySpeed) o["by_speed"] = true;
    return with(std::move(o), p.extra);
  }

  Json requirement(const Requirement& r) const {
    const auto g = findById(m_.gauges, r.gauge);
    Json o{{"name", r.name}, {"gauge", g ? g->name : ""}, {"measure", r.measure.text()}};
    if (r.at) o["at"] = field(*r.at);
    if (r.min) o["min"] = field(*r.min);
    if (r.max) o["max"] = field(*r.max);
    return with(std::move(o), r.extra);
  }

  Json oneRun(const Run& r) const {
    Json o{{"name", r.name}};
    if (r.duration) o["duration"] = field(*r.duration);
    if (r.turns) o["turns"] = field(*r.turns);
    if (r.sweep)
      o["sweep"] = {{"drive", name(r.sweep->drive)},
                    {"from", field(r.sweep->from)},
                    {"to", field(r.sweep->to)},
                    {"speed", field(r.sweep->speed)}};
    o["steps"] = r.steps;
    if (r.stepSize) o["step"] = field(*r.stepSize);
    if (r.stepRate) o["rate"] = field(*r.stepRate);
    o["axis"] = r.axis == 0 ? "time" : name(r.axis);
    if (r.drives) {
      o["drives"] = Json::array();
      for (Id id : *r.drives) o["drives"].push_back(name(id));
    }
    for (Id id : r.off)
      o["off"][findById(m_.joints, id)     ? "joints"
               : findById(m_.camPairs, id) ? "cam_pairs"
                                           : "couplings"]
          .push_back(name(id));
    for (const auto& [id, f] : r.start) o["start"][name(id)] = field(f);
    if (r.ghostEvery > 0) o["ghosts"]["every"] = r.ghostEvery;
    for (const Field& f : r.ghostMarks) o["ghosts"]["at"].push_back(field(f));
    if (r.atLimit != AtLimit::stop) o["at_limit"] = wordFor(r.atLimit);
    if (r.pastStops) o["past_stops"] = true;
    if (r.stopAtContact) o["stop_at_contact"] = true;
    if (r.accuracy) o["accuracy"] = field(*r.accuracy);
    if (r.fitDepth) o["fit_depth"] = field(*r.fitDepth);
    if (r.fitAngle) o["fit"]["angle"] = field(*r.fitAngle);
    if (r.fitLength) o["fit"]["length"] = field(*r.fitLength);
    o["check"] = r.check;
    for (const auto& [a, b] : r.leaveOut) o["pairs"]["leave_out"].push_back(Json::array({name(a), name(b)}));
    if (!r.sideA.empty() || !r.sideB.empty()) {
      Json sides = Json::array({Json::array(), Json::array()});
      for (Id id : r.sideA) sides[0].push_back(name(id));
      for (Id id : r.sideB) sides[1].push_back(name(id));
      o["pairs"]["between"] = sides;
    }
    return with(std::move(o), r.extra);
  }

  const Mechanism& m_;
};

void print(const Json& j, int indent, std::string& out) {
  const std::string flat = j.dump(-1, ' ', false, Json::error_handler_t::replace);
  std::string spaced;
  bool quoted = false;
  for (std::size_t i = 0; i < flat.size(); ++i) {
    spaced += flat[i];
    if (quoted && flat[i] == '\\') {
      spaced += flat[++i];
      continue;
    }
    if (flat[i] == '"') quoted = !quoted;
    if (!quoted && (flat[i] == ',' || flat[i] == ':')) spaced += ' ';
  }
  const bool nested = j.is_structured() && !j.empty();
  if (!nested || (indent > 0 && spaced.size() + static_cast<std::size_t>(indent) <= kLine)) {
    out += spaced;
    return;
  }
  const std::string pad(static_cast<std::size_t>(indent) + 1, ' ');
  out += j.is_object() ? "{" : "[";
  bool first = true;
  for (const auto& [key, value] : j.items()) {
    out += first ? "\n" : ",\n";
    first = false;
    out += pad;
    if (j.is_object()) out += Json(key).dump() + ": ";
    print(value, indent + 1, out);
  }
  out += "\n" + std::string(static_cast<std::size_t>(indent), ' ') + (j.is_object() ? "}" : "]");
}

}  // namespace

std::string writeCoop(const Mechanism& mechanism) {
  std::string out;
  print(Writer(mechanism).run(), 0, out);
  return out + "\n";
}

}  // namespace cooperage::io
