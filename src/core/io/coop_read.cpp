// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/gauge_kinds.h"
#include "io/coop_file.h"
#include "io/coop_read_parts.h"

namespace cooperage::io {
namespace {

class Reader : public PartReader {
 public:
  Mechanism run(const Json& json) {
    Object root(json, "");
    if (root.text("format", "") != "cooperage")
      fail("", "is no Cooperage document (\"format\" should be \"cooperage\")");
    const int version = root.whole("version", 0);
    if (version > 1)
      fail("", fmt::format("was written by a later version (file version {}, this one reads up to 1)", version));
    if (version < 1) fail("", "\"version\" should be 1");
    m_.title = root.text("title", "");
    units(root);
    declare(root);
    each(root, "parameters", "parameter", [&](Object& o, std::size_t i) { parameter(o, i); });
    each(root, "links", "link", [&](Object& o, std::size_t) { link(o); });
    each(root, "joints", "joint", [&](Object& o, std::size_t i) { joint(o, i); });
    each(root, "couplings", "coupling", [&](Object& o, std::size_t) { coupling(o); });
    each(root, "cam_pairs", "cam pair", [&](Object& o, std::size_t i) { camPair(o, i); });
    each(root, "programmes", "programme", [&](Object& o, std::size_t) { programme(o); });
    each(root, "gauges", "gauge", [&](Object& o, std::size_t) { gauge(o); });
    lanes();
    each(root, "drives", "drive", [&](Object& o, std::size_t) { drive(o); });
    each(root, "requirements", "requirement", [&](Object& o, std::size_t) { requirement(o); });
    each(root, "paths", "path", [&](Object& o, std::size_t) { path(o); });
    each(root, "runs", "run", [&](Object& o, std::size_t) { oneRun(o); });
    m_.extra = root.extra();
    return std::move(m_);
  }

 private:
  void joint(Object& o, std::size_t i) {
    Joint j = *m_.joints[i];
    o.find("name");
    o.find("kind");
    const Json& between = o.array("between");
    if (between.size() != 2) fail(o.name(), "'between' should name two seats");
    j.seats = {seat(between[0], o), seat(between[1], o)};
    const auto checkValue = [&](const std::string& key) {
      if (valueIndex(j.kind, key) < 0)
        fail(o.name(), fmt::format("a {} joint has no value '{}'", infoOf(j.kind).name, key));
    };
    if (const Json* home = o.find("home")) {
      if (!home->is_object()) fail(o.name(), "'home' should be an object of values");
      for (const auto& [key, value] : home->items()) {
        checkValue(key);
        j.home[key] = field(value, o, "home " + key);
      }
    }
    if (const Json* stops = o.find("stops")) {
      if (!stops->is_object()) fail(o.name(), "'stops' should be an object of values");
      for (const auto& [key, value] : stops->items()) {
        checkValue(key);
        if (!value.is_array() || value.size() != 2) fail(o.name(), "stops of " + key + " should be [low, high]");
        if (!value[0].is_null()) j.stops[key].low = field(value[0], o, "stop " + key);
        if (!value[1].is_null()) j.stops[key].high = field(value[1], o, "stop " + key);
      }
    }
    j.held = o.flag("held", false);
    j.enabled = o.flag("enabled", true);
    j.flip = o.flag("flip", false);
    if (const Json* offset = o.find("offset")) {
      Object inner(*offset, o.name());
      j.slideOffset = optionalField(inner, "slide").value_or(Field(0));
      j.turnOffset = optionalField(inner, "turn").value_or(Field(0));
    }
    if (j.kind == JointKind::screw) j.lead = field(o.need("lead"), o, "lead");
    const auto first = findSeat(m_, j.seats[0])->link;
    if (j.kind == JointKind::pointCurve) {
      const std::string curve = o.text("curve");
      const auto c = findByName(first->curves, curve);
      if (!c) fail(o.name(), fmt::format("the link {} has no curve '{}'", first->name, curve));
      j.curve = c->id;
    }
    if (j.kind == JointKind::pointSurface) {
      Object s(o.need("surface"), o.name());
      const std::string body = s.text("body");
      const auto b = findByName(first->bodies, body);
      if (!b) fail(o.name(), fmt::format("the link {} has no body '{}'", first->name, body));
      j.surfaceBody = b->id;
      j.surfaceFace = s.whole("face", 0);
    }
    j.extra = o.extra();
    m_.joints[i] = std::make_shared<const Joint>(std::move(j));
  }

  void coupling(Object& o) {
    static const std::map<std::string, CouplingKind> kKinds{
        {"linear", CouplingKind::linear}, {"gear", CouplingKind::gear},      {"ratio", CouplingKind::ratio},
        {"rack", CouplingKind::rack},     {"belt", CouplingKind::belt},      {"screw", CouplingKind::screw},
        {"table", CouplingKind::table},   {"formula", CouplingKind::formula}};
    Coupling c;
    c.id = newId();
    const std::string kind = o.text("kind");
    c.name = o.text("name", kind);
    const auto it = kKinds.find(kind);
    if (it == kKinds.end()) fail(o.name(), fmt::format("this version can't compute the coupling '{}'", kind));
    c.kind = it->second;
    c.enabled = o.flag("enabled", true);
    const auto two = [&](const char* key) {
      const Json& list = o.array(key);
      if (list.size() != c.values.size())
        fail(o.name(), fmt::format("'{}' should be a list of {}", key, c.values.size()));
      for (const Json& f : list) c.figures.push_back(field(f, o, key));
    };
    if (c.kind == CouplingKind::linear) {
      for (const Json& term : o.array("terms")) {
        if (!term.is_array() || term.size() != 2) fail(o.name(), "a term is [JOINT.VALUE, figure]");
        c.values.push_back(jointValue(term[0], o, true));
        c.figures.push_back(field(term[1], o, "terms"));
      }
      if (c.values.empty()) fail(o.name(), "'terms' is empty");
    } else if (c.kind == CouplingKind::formula) {
      c.values.push_back(jointValue(o.need("value"), o));
      c.formula = field(o.need("formula"), o, "formula");
    } else {
      const Json& values = o.array("values");
      const bool many = c.kind == CouplingKind::belt;
      if (values.size() < 2 || (values.size() > 2 && !many))
        fail(o.name(),
             many ? "'values' should name two joint values or more" : "'values' should name two joint values");
      for (const Json& v : values) c.values.push_back(jointValue(v, o, true));
    }
    switch (c.kind) {
      case CouplingKind::gear:
        two("teeth");
        c.internal = o.flag("internal", false);
        c.flip = o.flag("flip", false);
        if (o.find("carrier")) c.carrier = linkNamed(o.text("carrier"), o)->id;
        c.type = Word<model::GearType>::read(o.text("type", ""));
        c.module = optionalField(o, "module");
        break;
      case CouplingKind::ratio: c.figures = {field(o.need("ratio"), o, "ratio")}; break;
      case CouplingKind::rack:
        c.figures = {field(o.need("radius"), o, "radius")};
        c.flip = o.flag("flip", false);
        break;
      case CouplingKind::screw: c.figures = {field(o.need("lead"), o, "lead")}; break;
      case CouplingKind::belt:
        c.teeth = o.find("teeth") != nullptr;
        two(c.teeth ? "teeth" : "radii");
        c.flip = o.flag("crossed", false);
        for (const Json& side : o.array("sides")) {
          if (!side.is_number() || std::abs(side.get<double>()) != 1)
            fail(o.name(), "'sides' should be a list of 1 and -1");
          c.sides.push_back(side.get<double>() > 0 ? 1 : -1);
        }
        if (!c.sides.empty() && c.sides.size() != c.values.size())
          fail(o.name(), fmt::format("'sides' should be a list of {}", c.values.size()));
        break;
      case CouplingKind::table:
        for (const Json& p : o.array("points")) c.points.push_back(pair(p, o, "a point"));
        c.interpolation = Word<curves::Interpolation>::read(o.text("interpolation", "spline"));
        break;
      case CouplingKind::formula:
      case CouplingKind::linear: break;
    }
    for (const Json& body : o.array("bodies")) c.bodies.push_back(bodyNamed(body, o));
    c.extra = o.extra();
    m_.couplings.push_back(std::make_shared<const Coupling>(std::move(c)));
  }

  void drive(Object& o) {
    Drive d;
    d.id = newId();
    d.name = name(o);
    unique(m_.drives, d.name, o);
    if (o.find("gauge")) {
      d.gauge = gaugeNamed(o.text("gauge"), o);
      if (o.find("value")) fail(o.name(), "drives either a 'value' or a 'gauge', not both");
    } else if (o.find("value")) {
      d.value = jointValue(o.need("value"), o);
    } else {
      fail(o.name(), "'value' is missing: name a joint value, or a gauge as 'gauge'");
    }
    const Json* programme = o.find("programme");
    if (programme && programme->is_string()) {
      const auto shared = findByName(m_.programmes, programme->get<std::string>());
      if (!shared) fail(o.name(), fmt::format("there is no programme '{}'", programme->get<std::string>()));
      d.shared = shared->id;
    } else {
      std::size_t i = 0;
      for (const Json& json : o.array("programme")) d.programme.push_back(row(json, o, i++));
    }
    d.reverse = o.flag("reverse", false);
    d.enabled = o.flag("enabled", true);
    d.extra = o.extra();
    m_.drives.push_back(std::make_shared<const Drive>(std::move(d)));
  }

  void programme(Object& o) {
    NamedProgramme p;
    p.id = newId();
    p.name = name(o);
    unique(m_.programmes, p.name, o);
    std::size_t i = 0;
    for (const Json& json : o.array("programme")) p.rows.push_back(row(json, o, i++));
    p.extra = o.extra();
    m_.programmes.push_back(std::make_shared<const NamedProgramme>(std::move(p)));
  }

  Id gaugeNamed(const std::string& text, const Object& o) {
    const auto g = findByName(m_.gauges, text);
    if (!g) fail(o.name(), fmt::format("there is no gauge '{}'", text));
    return g->id;
  }
  /// Gauges may be drawn in the lane of one that comes after them: read when all are known.
  void lanes() {
    for (const auto& [id, lane] : laneOf_) {
      const auto g = findById(m_.gauges, id);
      Object o(lane.second, "gauge " + g->name);
      auto copy = *g;
      copy.lane = gaugeNamed(lane.first, o);
      for (auto& x : m_.gauges)
        if (x->id == id) x = std::make_shared<const Gauge>(copy);
    }
  }

  void gauge(Object& o) {
    Gauge g;
    g.id = newId();
    g.name = name(o);
    unique(m_.gauges, g.name, o);
    g.kind = Word<model::GaugeKind>::read(o.text("kind"));
    if (!g.kind.known()) {  // of a later version: kept as it is written, without a value
      g.extra = o.extra();
      m_.gauges.push_back(std::make_shared<const Gauge>(std::move(g)));
      return;
    }
    const auto one = [&](const Json& j) -> Symbol {
      if (!j.is_string()) fail(o.name(), "'of' should name what is measured");
      const auto text = j.get<std::string>();
      if (text.find('/') != std::string::npos) return {seat(j, o), ""};
      if (g.kind == model::GaugeKind::pressureAngle || g.kind == model::GaugeKind::curvature) {
        const auto p = findByName(m_.camPairs, text);
        if (!p) fail(o.name(), fmt::format("there is no cam pair '{}'", text));
        return {p->id, ""};
      }
      if (g.kind == model::GaugeKind::transmissionAngle) {
        const auto joint = findByName(m_.joints, text);
        if (!joint) fail(o.name(), fmt::format("there is no joint '{}'", text));
        return {joint->id, ""};
      }
      if (isOfJoint(g.kind) || g.kind == model::GaugeKind::velocityRatio) return jointValue(j, o);
      if (isOfLink(g.kind) || g.kind == model::GaugeKind::clearance) return {linkNamed(text, o)->id, ""};
      return {seat(j, o), ""};
    };
    if (g.kind == model::GaugeKind::formula) {
      g.formula = field(o.need("formula"), o, "formula");
    } else {
      const Json& of = o.need("of");
      if (of.is_array())
        for (const Json& j : of) g.of.push_back(one(j));
      else
        g.of.push_back(one(of));
    }
    if (o.find("in")) {
      const std::string in = o.text("in");
      if (in != "ground" || findByName(m_.links, in)) g.in = linkNamed(in, o)->id;
    }
    g.component = Word<model::Component>::read(o.text("component", ""));
    if (const Json* about = o.find("about")) g.about = Symbol{seat(*about, o), ""};
    if (const Json* over = o.find("over")) {
      Object x(*over, o.name());
      if (x.find("formula")) g.overFormula = field(x.need("formula"), o, "over");
      for (const Json& p : x.array("points")) g.overPoints.push_back(pair(p, o, "a point"));
      g.overFile = x.text("file", "");
    }
    g.dwellWithin = optionalField(o, "dwell_within");
    g.flagged = o.flag("flag", false);
    if (o.find("lane")) laneOf_.emplace_back(g.id, std::pair{o.text("lane"), Json::object()});
    g.extra = o.extra();
    m_.gauges.push_back(std::make_shared<const Gauge>(std::move(g)));
  }

  void path(Object& o) {
    Path p;
    p.id = newId();
    p.name = name(o);
    unique(m_.paths, p.name, o);
    p.of = seat(o.need("of"), o);
    if (o.find("in")) {
      const std::string in = o.text("in");
      if (in != "ground" || findByName(m_.links, in)) p.in = linkNamed(in, o)->id;
    }
    p.tick = optionalField(o, "ticks");
    p.bySpeed = o.flag("by_speed", false);
    p.extra = o.extra();
    m_.paths.push_back(std::make_shared<const Path>(std::move(p)));
  }

  void requirement(Object& o) {
    Requirement r;
    r.id = newId();
    r.name = name(o);
    unique(m_.requirements, r.name, o);
    const std::string g = o.text("gauge");
    const auto found = findByName(m_.gauges, g);
    if (!found) fail(o.name(), fmt::format("there is no gauge '{}'", g));
    r.gauge = found->id;
    r.measure = Word<model::Measure>::read(o.text("measure"));
    r.min = optionalField(o, "min");
    r.max = optionalField(o, "max");
    r.at = optionalField(o, "at");
    r.extra = o.extra();
    m_.requirements.push_back(std::make_shared<const Requirement>(std::move(r)));
  }

  Id driveNamed(const std::string& text, const Object& o) {
    const auto d = findByName(m_.drives, text);
    if (!d) fail(o.name(), fmt::format("there is no drive '{}'", text));
    return d->id;
  }
  static std::string asText(const Json& j, const Object& o, const char* what) {
    if (!j.is_string()) fail(o.name(), fmt::format("{} should be a text", what));
    return j.get<std::string>();
  }

  void oneRun(Object& o) {
    Run r;
    r.id = newId();
    r.name = name(o);
    unique(m_.runs, r.name, o);
    r.duration = optionalField(o, "duration");
    r.turns = optionalField(o, "turns");
    r.stepSize = optionalField(o, "step");
    r.stepRate = optionalField(o, "rate");
    if (const Json* off = o.find("off")) {
      Object x(*off, o.name());
      const auto read = [&](const char* key, const auto& list, const char* what) {
        for (const Json& j : x.array(key)) {
          const std::string text = asText(j, o, what);
          const auto found = findByName(list, text);
          if (!found) fail(o.name(), fmt::format("there is no {} '{}'", what, text));
          r.off.push_back(found->id);
        }
      };
      read("joints", m_.joints, "joint");
      read("couplings", m_.couplings, "coupling");
      read("cam_pairs", m_.camPairs, "cam pair");
    }
    if (const Json* ghosts = o.find("ghosts")) {
      Object x(*ghosts, o.name());
      r.ghostEvery = x.whole("every", 0);
      for (const Json& j : x.array("at")) r.ghostMarks.push_back(field(j, o, "ghosts"));
    }
    r.steps = o.whole("steps", 360);
    if (const Json* sweep = o.find("sweep")) {
      Object s(*sweep, o.name());
      r.sweep = Sweep{driveNamed(s.text("drive"), o), field(s.need("from"), o, "from"), field(s.need("to"), o, "to"),
                      field(s.need("speed"), o, "speed")};
    }
    const std::string axis = o.text("axis", "time");
    if (axis != "time" || findByName(m_.drives, axis)) r.axis = driveNamed(axis, o);
    if (o.find("drives")) {
      r.drives.emplace();
      for (const Json& j : o.array("drives")) r.drives->push_back(driveNamed(asText(j, o, "a drive"), o));
    }
    if (const Json* start = o.find("start")) {
      if (!start->is_object()) fail(o.name(), "'start' should be an object of drives");
      for (const auto& [key, value] : start->items())
        r.start.emplace_back(driveNamed(key, o), field(value, o, "start"));
    }
    const auto atLimit = valueNamed<model::AtLimit>(o.text("at_limit", "stop"));
    if (!atLimit) fail(o.name(), "'at_limit' should be stop or reverse");
    r.atLimit = *atLimit;
    r.pastStops = o.flag("past_stops", false);
    r.stopAtContact = o.flag("stop_at_contact", false);
    r.accuracy = optionalField(o, "accuracy");
    r.fitDepth = optionalField(o, "fit_depth");
    if (const Json* fit = o.find("fit")) {
      Object f(*fit, o.name());
      r.fitAngle = optionalField(f, "angle");
      r.fitLength = optionalField(f, "length");
    }
    if (o.find("check")) {
      r.check.clear();
      for (const Json& j : o.array("check")) r.check.push_back(asText(j, o, "an entry of 'check'"));
    }
    if (const Json* pairs = o.find("pairs")) {
      Object p(*pairs, o.name());
      for (const Json& pair : p.array("leave_out")) {
        if (!pair.is_array() || pair.size() != 2) fail(o.name(), "'leave_out' holds pairs of links");
        r.leaveOut.emplace_back(linkNamed(asText(pair[0], o, "a link"), o)->id,
                                linkNamed(asText(pair[1], o, "a link"), o)->id);
      }
      if (p.find("between")) {
        const auto& sides = p.array("between");
        if (sides.size() != 2 || !sides[0].is_array() || !sides[1].is_array())
          fail(o.name(), "'between' holds two lists of links");
        for (const Json& j : sides[0]) r.sideA.push_back(linkNamed(asText(j, o, "a link"), o)->id);
        for (const Json& j : sides[1]) r.sideB.push_back(linkNamed(asText(j, o, "a link"), o)->id);
      }
    }
    r.extra = o.extra();
    m_.runs.push_back(std::make_shared<const Run>(std::move(r)));
  }

  std::vector<std::pair<Id, std::pair<std::string, Json>>> laneOf_;
};

}  // namespace

Result<Mechanism> readCoop(std::string_view text) {
  if (text.find_first_not_of(" \t\r\n") == std::string_view::npos) return Error{"file", "", "the file is empty"};
  try {
    return Reader().run(Json::parse(text));
  } catch (const Json::parse_error& e) {
    const auto line =
        1 + std::count(text.begin(), text.begin() + static_cast<std::ptrdiff_t>(std::min(e.byte, text.size())), '\n');
    return Error{"file", "", fmt::format("is no readable JSON: something is wrong in line {}", line)};
  } catch (const Json::exception& e) {
    return Error{"file", "", fmt::format("can't be read: {}", e.what())};
  } catch (const Trouble& t) {
    return t.error;
  }
}

}  // namespace cooperage::io
