// SPDX-License-Identifier: GPL-3.0-or-later
#include "io/coop_file.h"
#include "io/json_object.h"

namespace cooperage::io {
namespace {

using namespace model;
class Reader {
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
    if (const Json* list = root.find("programmes")) programmes_ = *list;
    each(root, "drives", "drive", [&](Object& o, std::size_t) { drive(o); });
    each(root, "gauges", "gauge", [&](Object& o, std::size_t) { gauge(o); });
    each(root, "requirements", "requirement", [&](Object& o, std::size_t) { requirement(o); });
    each(root, "runs", "run", [&](Object& o, std::size_t) { oneRun(o); });
    m_.extra = root.extra();
    if (!programmes_.is_null()) m_.extra.emplace_back("programmes", programmes_.dump());
    return std::move(m_);
  }

 private:
  template <class F>
  void each(Object& root, const char* key, const char* kind, F read) {
    std::size_t i = 0;
    for (const Json& json : root.array(key)) {
      Object o(json, fmt::format("{} {}", kind, i + 1));
      if (const Json* name = o.find("name"))
        if (name->is_string()) o.rename(fmt::format("{} {}", kind, name->get<std::string>()));
      read(o, i++);
    }
  }

  std::string name(Object& o) {
    std::string text = o.text("name");
    if (text.empty()) fail(o.name(), "the name is empty");
    if (text.find('/') != std::string::npos) fail(o.name(), "a name can't hold a '/'");
    return text;
  }
  template <class T>
  void unique(const std::vector<std::shared_ptr<const T>>& list, const std::string& name, Object& o) {
    if (findByName(list, name)) fail(o.name(), "the name is used twice");
  }

  void units(Object& root) {
    const Json* json = root.find("units");
    if (!json) return;
    Object o(*json, "units");
    const auto one = [&](const char* key, std::string& into, const Dimension& d) {
      into = o.text(key, into);
      const auto unit = findUnit(into);
      if (!unit || !(unit->dimension == d)) fail("units", fmt::format("'{}' is no unit of {}", into, key));
    };
    one("length", m_.units.length, dimension::kLength);
    one("angle", m_.units.angle, dimension::kAngle);
    one("mass", m_.units.mass, dimension::kMass);
    one("time", m_.units.time, dimension::kTime);
    one("force", m_.units.force, dimension::kForce);
  }

  /// Parameters and joints by name first: formulas anywhere may name them.
  void declare(Object& root) {
    each(root, "parameters", "parameter", [&](Object& o, std::size_t) {
      Parameter p;
      p.id = newId();
      p.name = o.text("name");
      if (!isParameterName(p.name))
        fail(o.name(), "the name should be letters, digits and _ and no unit, function, pi or t");
      unique(m_.parameters, p.name, o);
      m_.parameters.push_back(std::make_shared<const Parameter>(p));
    });
    each(root, "joints", "joint", [&](Object& o, std::size_t) {
      Joint j;
      j.id = newId();
      j.name = name(o);
      unique(m_.joints, j.name, o);
      const std::string kind = o.text("kind");
      const auto found = jointKindNamed(kind);
      if (!found) fail(o.name(), fmt::format("this version knows no joint kind '{}'", kind));
      j.kind = *found;
      m_.joints.push_back(std::make_shared<const Joint>(j));
    });
  }

  Field field(const Json& json, const Object& o, const std::string& key) {
    if (json.is_number()) {
      const double v = json.get<double>();
      if (!std::isfinite(v)) fail(o.name(), key + " is not a finite number");
      return Field(v);
    }
    if (!json.is_string()) fail(o.name(), key + " should be a number or a text with a formula");
    auto e = Expression::parse(json.get<std::string>(), [&](std::string_view n) -> std::optional<Symbol> {
      if (curveParameter_ && n == "u") return Symbol{0, "u"};
      return resolveName(m_, n);
    });
    if (!e.ok()) fail(o.name(), key + ": " + e.error().text);
    return Field(std::move(e).value());
  }
  std::optional<Field> optionalField(Object& o, const char* key) {
    const Json* j = o.find(key);
    if (!j || j->is_null()) return std::nullopt;
    return field(*j, o, key);
  }
  template <std::size_t N>
  void fields(Object& o, const char* key, std::array<Field, N>& into) {
    const Json* j = o.find(key);
    if (!j) return;
    if (!j->is_array() || j->size() != N) fail(o.name(), fmt::format("'{}' should be a list of {} figures", key, N));
    for (std::size_t i = 0; i < N; ++i) into[i] = field((*j)[i], o, key);
  }
  Placement placement(Object& o) {
    Placement p;
    if (const Json* j = o.find("placement")) {
      Object inner(*j, o.name());
      fields(inner, "at", p.at);
      fields(inner, "turn", p.turn);
    }
    return p;
  }
  std::optional<Colour> colour(Object& o) {
    if (!o.find("colour")) return std::nullopt;
    const std::string text = o.text("colour");
    unsigned r = 0, g = 0, b = 0;
    if (text.size() != 7 || std::sscanf(text.c_str(), "#%02x%02x%02x", &r, &g, &b) != 3)
      fail(o.name(), "'colour' should look like \"#c2762e\"");
    return Colour{r / 255.0, g / 255.0, b / 255.0};
  }

  void parameter(Object& o, std::size_t i) {
    Parameter p = *m_.parameters[i];
    o.find("name");
    p.value = field(o.need("value"), o, "value");
    p.extra = o.extra();
    m_.parameters[i] = std::make_shared<const Parameter>(std::move(p));
  }

  Body body(const Json& json, const std::string& linkName, std::size_t i) {
    Object o(json, fmt::format("body {} of link {}", i + 1, linkName));
    Body b;
    b.id = newId();
    b.name = o.text("name", "body " + std::to_string(i + 1));
    o.rename("body " + linkName + "/" + b.name);
    b.placement = placement(o);
    b.colour = colour(o);
    b.hidden = o.flag("hidden", false);
    if (o.find("file")) {
      b.kind = BodyKind::file;
      b.file = o.text("file");
      b.solid = o.whole("solid", 0);
      if (b.solid < 0) fail(o.name(), "'solid' should be 0 or more");
    } else {
      element(o, b);
    }
    b.extra = o.extra();
    return b;
  }
  void element(Object& o, Body& b) {
    const std::string element = o.text("element");
    if (element == "box") {
      b.kind = BodyKind::box;
      std::array<Field, 3> size;
      o.need("size");
      fields(o, "size", size);
      for (std::size_t i = 0; i < 3; ++i) b.figures[elementFigures(b.kind)[i]] = size[i];
      return;
    }
    if (element == "cylinder")
      b.kind = BodyKind::cylinder;
    else if (element == "sphere")
      b.kind = BodyKind::sphere;
    else if (element == "bar")
      b.kind = BodyKind::bar;
    else
      fail(o.name(), fmt::format("this version knows no element '{}'", element));
    for (const std::string& key : elementFigures(b.kind)) {
      if (key == "bore") {
        b.figures[key] = optionalField(o, "bore").value_or(Field(0));
        continue;
      }
      b.figures[key] = field(o.need(key.c_str()), o, key);
    }
  }

  void link(Object& o) {
    Link l;
    l.id = newId();
    l.name = name(o);
    unique(m_.links, l.name, o);
    l.ground = o.flag("ground", false);
    l.hidden = o.flag("hidden", false);
    l.placement = placement(o);
    l.colour = colour(o);
    std::size_t i = 0;
    for (const Json& json : o.array("bodies"))
      l.bodies.push_back(std::make_shared<const Body>(body(json, l.name, i++)));
    i = 0;
    for (const Json& json : o.array("seats")) {
      Object s(json, fmt::format("seat {} of link {}", ++i, l.name));
      Seat seat;
      seat.id = newId();
      seat.name = name(s);
      s.rename("seat " + l.name + "/" + seat.name);
      unique(l.seats, seat.name, s);
      fields(s, "at", seat.at);
      fields(s, "axis", seat.axis);
      fields(s, "ref", seat.ref);
      seat.extra = s.extra();
      l.seats.push_back(std::make_shared<const Seat>(std::move(seat)));
    }
    i = 0;
    for (const Json& json : o.array("curves")) {
      Object c(json, fmt::format("curve {} of link {}", ++i, l.name));
      l.curves.push_back(std::make_shared<const Curve>(curve(c, l)));
    }
    l.extra = o.extra();
    m_.links.push_back(std::make_shared<const Link>(std::move(l)));
  }

  Pair pair(const Json& json, const Object& o, const char* what) {
    if (!json.is_array() || json.size() != 2) fail(o.name(), fmt::format("{} should be a list of two figures", what));
    return {field(json[0], o, what), field(json[1], o, what)};
  }
  Curve curve(Object& o, const Link& l) {
    Curve c;
    c.id = newId();
    c.name = name(o);
    o.rename("curve " + l.name + "/" + c.name);
    unique(l.curves, c.name, o);
    const std::string seatName = o.text("seat");
    const auto s = findByName(l.seats, seatName);
    if (!s) fail(o.name(), fmt::format("the link {} has no seat '{}'", l.name, seatName));
    c.seat = s->id;
    c.kind = o.text("kind");
    if (c.kind == "circle") {
      if (const Json* j = o.find("centre")) {
        const Pair p = pair(*j, o, "'centre'");
        c.figures["centre x"] = p[0];
        c.figures["centre y"] = p[1];
      }
      c.figures["radius"] = field(o.need("radius"), o, "radius");
    } else if (c.kind == "formula") {
      const Pair range = pair(o.need("u"), o, "'u'");
      c.figures["u from"] = range[0];
      c.figures["u to"] = range[1];
      curveParameter_ = true;
      for (const char* key : {"x", "y", "z"})
        if (auto f = optionalField(o, key)) c.figures[key] = *f;
      curveParameter_ = false;
    } else if (c.kind == "chain") {
      c.closed = o.flag("closed", false);
      for (const Json& json : o.array("pieces")) c.pieces.push_back(piece(json, o));
      if (c.pieces.empty()) fail(o.name(), "'pieces' is empty");
    }
    c.extra = o.extra();
    return c;
  }
  CurvePiece piece(const Json& json, const Object& owner) {
    Object o(json, owner.name());
    CurvePiece p;
    if (const Json* arc = o.find("arc")) {
      Object a(*arc, owner.name());
      p.kind = "arc";
      p.points = {pair(a.need("from"), a, "'from'"), pair(a.need("to"), a, "'to'")};
      p.centre = pair(a.need("centre"), a, "'centre'");
      p.ccw = a.flag("ccw", true);
      return p;
    }
    p.kind = o.find("spline") ? "spline" : "line";
    for (const Json& point : o.array(p.kind.c_str())) p.points.push_back(pair(point, o, "a point"));
    if (p.points.size() < 2 || (p.kind == "line" && p.points.size() != 2))
      fail(o.name(), "a piece is a line of two points, an arc, or a spline of two or more");
    return p;
  }

  Id curveNamed(const std::string& text, const Object& o) {
    const std::size_t slash = text.find('/');
    if (slash == std::string::npos) fail(o.name(), fmt::format("'{}' should be LINK/CURVE", text));
    const auto l = linkNamed(text.substr(0, slash), o);
    const auto c = findByName(l->curves, text.substr(slash + 1));
    if (!c) fail(o.name(), fmt::format("the link {} has no curve '{}'", l->name, text.substr(slash + 1)));
    return c->id;
  }
  void camPair(Object& o, std::size_t i) {
    CamPair c;
    c.id = newId();
    c.name = o.text("name", fmt::format("cam pair {}", i + 1));
    unique(m_.camPairs, c.name, o);
    c.kind = o.text("kind");
    if (c.kind != "point" && c.kind != "roller" && c.kind != "flat" && c.kind != "rolling")
      fail(o.name(), fmt::format("'{}' is none of point, roller, flat, rolling", c.kind));
    c.cam = curveNamed(o.text("cam"), o);
    c.follower = c.kind == "rolling" ? curveNamed(o.text("follower"), o) : seat(o.need("follower"), o);
    if (c.kind == "roller") c.radius = field(o.need("radius"), o, "radius");
    const std::string side = o.text("side", "outside");
    if (side != "outside" && side != "inside") fail(o.name(), "'side' should be outside or inside");
    c.inside = side == "inside";
    c.enabled = o.flag("enabled", true);
    c.extra = o.extra();
    m_.camPairs.push_back(std::make_shared<const CamPair>(std::move(c)));
  }

  std::shared_ptr<const Link> linkNamed(const std::string& text, const Object& o) {
    auto l = findByName(m_.links, text);
    if (!l) fail(o.name(), fmt::format("there is no link '{}'", text));
    return l;
  }
  Id seat(const Json& json, const Object& o) {
    if (!json.is_string()) fail(o.name(), "a seat is named LINK/SEAT");
    const auto text = json.get<std::string>();
    const std::size_t slash = text.find('/');
    if (slash == std::string::npos) fail(o.name(), fmt::format("'{}' should be LINK/SEAT", text));
    const auto l = linkNamed(text.substr(0, slash), o);
    const auto s = findByName(l->seats, text.substr(slash + 1));
    if (!s) fail(o.name(), fmt::format("the link {} has no seat '{}'", l->name, text.substr(slash + 1)));
    return s->id;
  }
  Symbol jointValue(const Json& json, const Object& o, bool orGround = false) {
    if (!json.is_string()) fail(o.name(), "a joint value is named JOINT.VALUE");
    const auto text = json.get<std::string>();
    if (const auto s = findJointValue(m_, text)) return *s;
    if (orGround)
      if (const auto l = findByName(m_.links, text)) return {l->id, ""};
    const std::size_t dot = text.rfind('.');
    const auto j = findByName(m_.joints, text.substr(0, dot));
    if (j && dot != std::string::npos)
      fail(o.name(), fmt::format("the joint {} is {} and has no value '{}'", j->name, infoOf(j->kind).name,
                                 text.substr(dot + 1)));
    fail(o.name(), fmt::format("there is no joint value '{}'", text));
  }

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
      if (list.size() != 2) fail(o.name(), fmt::format("'{}' should be a list of two", key));
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
      if (values.size() != 2) fail(o.name(), "'values' should name two joint values");
      for (const Json& v : values) c.values.push_back(jointValue(v, o, true));
    }
    switch (c.kind) {
      case CouplingKind::gear:
        two("teeth");
        c.internal = o.flag("internal", false);
        c.flip = o.flag("flip", false);
        if (o.find("carrier")) c.carrier = linkNamed(o.text("carrier"), o)->id;
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
        break;
      case CouplingKind::table:
        for (const Json& p : o.array("points")) c.points.push_back(pair(p, o, "a point"));
        c.interpolation = o.text("interpolation", "spline");
        break;
      case CouplingKind::formula:
      case CouplingKind::linear: break;
    }
    c.extra = o.extra();
    m_.couplings.push_back(std::make_shared<const Coupling>(std::move(c)));
  }

  ProgrammeRow row(const Json& json, const Object& owner, std::size_t i) {
    Object o(json, fmt::format("{}, row {}", owner.name(), i + 1));
    ProgrammeRow r;
    r.law = o.text("law");
    for (const char* key : {"to", "by", "time", "speed", "acceleration", "mean", "amplitude", "frequency", "phase",
                            "up", "down", "formula", "end_speed", "end_acceleration"})
      if (auto f = optionalField(o, key)) r.figures[key] = *f;
    if (const Json* list = o.find("coefficients")) {
      if (!list->is_array()) fail(o.name(), "'coefficients' should be a list");
      for (const Json& f : *list) r.list.push_back(field(f, o, "coefficients"));
    }
    r.extra = o.extra();
    return r;
  }

  void drive(Object& o) {
    Drive d;
    d.id = newId();
    d.name = name(o);
    unique(m_.drives, d.name, o);
    if (!o.find("value")) fail(o.name(), "'value' is missing: this version drives joint values only");
    d.value = jointValue(o.need("value"), o);
    const Json* programme = o.find("programme");
    if (programme && programme->is_string()) fail(o.name(), "named programmes are not read by this version");
    std::size_t i = 0;
    for (const Json& json : o.array("programme")) d.programme.push_back(row(json, o, i++));
    d.reverse = o.flag("reverse", false);
    d.enabled = o.flag("enabled", true);
    d.extra = o.extra();
    m_.drives.push_back(std::make_shared<const Drive>(std::move(d)));
  }

  void gauge(Object& o) {
    Gauge g;
    g.id = newId();
    g.name = name(o);
    unique(m_.gauges, g.name, o);
    g.kind = o.text("kind");
    const auto one = [&](const Json& j) -> Symbol {
      if (!j.is_string()) fail(o.name(), "'of' should name what is measured");
      const auto text = j.get<std::string>();
      if (text.find('/') != std::string::npos) return {seat(j, o), ""};
      if (g.kind == "pressure-angle" || g.kind == "curvature") {
        const auto p = findByName(m_.camPairs, text);
        if (!p) fail(o.name(), fmt::format("there is no cam pair '{}'", text));
        return {p->id, ""};
      }
      if (g.kind == "transmission-angle" || g.kind == "reaction") {
        const auto joint = findByName(m_.joints, text);
        if (!joint) fail(o.name(), fmt::format("there is no joint '{}'", text));
        return {joint->id, ""};
      }
      if (g.kind.rfind("joint-", 0) == 0 || g.kind == "velocity-ratio") return jointValue(j, o);
      if (g.kind.rfind("link-", 0) == 0 || g.kind == "clearance") return {linkNamed(text, o)->id, ""};
      if (g.kind.rfind("point-", 0) == 0 || g.kind.rfind("distance", 0) == 0 || g.kind == "angle")
        return {seat(j, o), ""};
      fail(o.name(), fmt::format("this version can't compute the kind '{}'", g.kind));
    };
    if (g.kind == "formula") {
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
    g.component = o.text("component", "");
    if (const Json* about = o.find("about")) g.about = Symbol{seat(*about, o), ""};
    g.extra = o.extra();
    m_.gauges.push_back(std::make_shared<const Gauge>(std::move(g)));
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
    r.measure = o.text("measure");
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
    r.atLimit = o.text("at_limit", "stop");
    if (r.atLimit != "stop" && r.atLimit != "reverse") fail(o.name(), "'at_limit' should be stop or reverse");
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
    }
    r.extra = o.extra();
    m_.runs.push_back(std::make_shared<const Run>(std::move(r)));
  }

  Mechanism m_;
  Json programmes_;
  bool curveParameter_ = false;  ///< `u` is a name just now
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
