// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Part of coop_read.cpp, in its own file by length: units, names and figures; links with bodies, seats and curves; cam
// pairs.
#include "io/json_object.h"
#include "model/resolve.h"

namespace cooperage::io {

using namespace model;

class PartReader {
 protected:
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
  /// Of what may go without: its kind with a number.
  template <class T>
  std::string nameOr(Object& o, const std::vector<std::shared_ptr<const T>>& list, const std::string& kind) {
    if (o.find("name")) return name(o);
    std::size_t n = list.size() + 1;
    while (findByName(list, fmt::format("{} {}", kind, n))) ++n;
    return fmt::format("{} {}", kind, n);
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

  void declareSheets(Object& root) {
    each(root, "sheets", "sheet", [&](Object& o, std::size_t) {
      Sheet s;
      s.id = newId();
      s.name = name(o);
      unique(m_.sheets, s.name, o);
      m_.sheets.push_back(std::make_shared<const Sheet>(std::move(s)));
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
    b.material = o.text("material", "");
    b.density = optionalField(o, "density");
    if (o.find("file")) {
      b.kind = BodyKind::file;
      b.file = o.text("file");
      b.solid = o.whole("solid", 0);
      if (b.solid < 0) fail(o.name(), "'solid' should be 0 or more");
      for (const Json& cut : o.array("cuts")) b.cuts.push_back(this->cut(cut, o));
      for (const Json& stretch : o.array("stretches")) b.stretches.push_back(this->stretch(stretch, o));
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
      for (std::size_t i = 0; i < 3; ++i) b.figures[elementFigures(b.kind)[i].name] = size[i];
      return;
    }
    const auto kind = elementNamed(element);
    if (!kind) fail(o.name(), fmt::format("this version knows no element '{}'", element));
    b.kind = *kind;
    if (b.kind == BodyKind::plate) {
      std::size_t n = 0;
      for (const Json& p : o.array("pivots")) {
        if (!p.is_array() || p.size() != 2) fail(o.name(), "'pivots' should be a list of pairs [x, y]");
        const std::string pivot = "pivot " + std::to_string(++n);
        b.figures[pivot + " x"] = field(p[0], o, pivot + " x");
        b.figures[pivot + " y"] = field(p[1], o, pivot + " y");
      }
    }
    for (const ElementFigure& f : elementFigures(b.kind)) {
      if (!f.mayBeZero)
        b.figures[f.name] = field(o.need(f.name), o, f.name);
      else if (const auto given = optionalField(o, f.name))
        b.figures[f.name] = *given;
      else if (f.otherwise == 0)
        b.figures[f.name] = Field(0);
    }
    if (b.kind == BodyKind::cam) camCurves_[b.id] = o.text("curve");
  }

  /// A length of geometry as it was found: a number in document units or a text with a unit.
  double length(const Json& json, const Object& o, const char* key) {
    if (json.is_number()) return json.get<double>() * m_.units.factor(dimension::kLength);
    const Field f = field(json, o, key);
    const auto v = f.formula->evaluate([](const Symbol&) { return Error{"name", "", "no parameters here"}; });
    const auto si = v.ok() ? toSi(*v, dimension::kLength, m_.units) : Result<double>(v.error());
    if (!si.ok()) fail(o.name(), std::string(key) + ": " + si.error().text);
    return *si;
  }
  double length(Object& o, const char* key) {
    const Json* j = o.find(key);
    return j ? length(*j, o, key) : 0;
  }
  Vec3 vector(Object& o, const char* key, bool lengths) {
    const Json& j = o.need(key);
    if (!j.is_array() || j.size() != 3) fail(o.name(), fmt::format("'{}' should be a list of 3 figures", key));
    Vec3 out;
    for (std::size_t i = 0; i < 3; ++i) {
      if (!lengths && !j[i].is_number()) fail(o.name(), fmt::format("'{}' should be a list of 3 numbers", key));
      out[static_cast<Eigen::Index>(i)] = lengths ? length(j[i], o, key) : j[i].get<double>();
    }
    return out;
  }
  Stretch stretch(const Json& json, const Object& owner) {
    Object o(json, owner.name());
    Stretch s;
    s.at = vector(o, "at", true);
    s.axis = vector(o, "axis", false);
    s.by = field(o.need("by"), o, "by");
    if (!(s.axis.norm() > 0)) fail(o.name(), "the axis of a stretch is zero");
    return s;
  }
  Cut cut(const Json& json, const Object& owner) {
    Object o(json, owner.name());
    Cut c;
    const std::string keep = o.text("keep", "inside");
    if (keep != "inside" && keep != "outside") fail(o.name(), "'keep' should be inside or outside");
    c.inside = keep == "inside";
    for (const Json& j : o.array("tools")) {
      Object t(j, owner.name());
      CutTool tool;
      const std::string kind = t.text("kind");
      if (kind != "plane" && kind != "cylinder") fail(o.name(), "a cut is made by a 'plane' or a 'cylinder'");
      tool.cylinder = kind == "cylinder";
      tool.at = vector(t, "at", true);
      tool.axis = vector(t, "axis", false);
      tool.radius = length(t, "radius");
      if (!(tool.axis.norm() > 0)) fail(o.name(), "the axis of a cut is zero");
      if (tool.cylinder && !(tool.radius > 0)) fail(o.name(), "the radius of a cut must be greater than zero");
      c.tools.push_back(tool);
    }
    if (c.tools.empty()) fail(o.name(), "a cut needs a tool");
    return c;
  }
  SeatSource source(const Json& json, const Object& owner, const Link& l) {
    Object o(json, owner.name());
    SeatSource s;
    const std::string body = o.text("body");
    auto found = findByName(l.bodies, body);
    if (!found) found = findByName(l.aside, body);
    if (!found) fail(o.name(), fmt::format("the link {} has no body '{}'", l.name, body));
    s.body = found->id;
    s.word = o.text("place", "");
    Feature& f = s.feature;
    f.kind = Word<FeatureKind>::read(o.text("kind"));
    f.inward = o.flag("inward", false);
    f.at = vector(o, "at", true);
    f.axis = vector(o, "axis", false);
    f.radius = length(o, "radius");
    f.length = length(o, "length");
    if (o.find("area")) {
      const Json& area = o.need("area");
      if (!area.is_number()) fail(o.name(), "'area' should be a number of square metres");
      f.area = area.get<double>();
    }
    f.beside = o.text("beside", "");
    if (o.find("shift")) s.inFeature.p = vector(o, "shift", true);
    if (const Json* turn = o.find("turn")) {
      if (!turn->is_array() || turn->size() != 4) fail(o.name(), "'turn' should be a list of 4 figures");
      Eigen::Vector4d q;
      for (std::size_t i = 0; i < 4; ++i) {
        if (!(*turn)[i].is_number()) fail(o.name(), "'turn' should be a list of 4 numbers");
        q[static_cast<Eigen::Index>(i)] = (*turn)[i].get<double>();
      }
      if (!(q.norm() > 1e-12)) fail(o.name(), "'turn' is a quaternion of length zero");
      s.inFeature.R = toPose(Vec3::Zero(), q).R;
    }
    return s;
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
    for (const Json& json : o.array("aside")) l.aside.push_back(std::make_shared<const Body>(body(json, l.name, i++)));
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
      if (const Json* from = s.find("from")) seat.source = source(*from, s, l);
      seat.broken = s.flag("broken", false);
      seat.extra = s.extra();
      l.seats.push_back(std::make_shared<const Seat>(std::move(seat)));
    }
    if (const Json* json = o.find("mass")) {
      Object m(*json, "mass of link " + l.name);
      TypedMass& mass = l.mass.emplace();
      mass.value = field(m.need("value"), m, "value");
      fields(m, "centre", mass.centre);
      fields(m, "inertia", mass.inertia);
      mass.extra = m.extra();
    }
    curves(o, "link " + l.name, l.curves, &l);
    i = 0;
    for (const Json& json : o.array("dimensions")) {
      Object d(json, fmt::format("dimension {} of link {}", ++i, l.name));
      l.dimensions.push_back(std::make_shared<const DrawnDimension>(dimension(d, l)));
    }
    for (auto* bodies : {&l.bodies, &l.aside})
      for (auto& b : *bodies)
        if (const auto named = camCurves_.find(b->id); named != camCurves_.end()) {
          const auto c = findByName(l.curves, named->second);
          if (!c) fail(o.name(), fmt::format("body {}: the link has no curve '{}'", b->name, named->second));
          auto copy = std::make_shared<Body>(*b);
          copy->curve = c->id;
          b = std::move(copy);
        }
    l.extra = o.extra();
    m_.links.push_back(std::make_shared<const Link>(std::move(l)));
  }

  Pair pair(const Json& json, const Object& o, const char* what) {
    if (!json.is_array() || json.size() != 2) fail(o.name(), fmt::format("{} should be a list of two figures", what));
    return {field(json[0], o, what), field(json[1], o, what)};
  }
  DrawnDimension dimension(Object& o, const Link& l) {
    DrawnDimension d;
    d.id = newId();
    d.kind = Word<DimensionKind>::read(o.text("kind"));
    for (const Json& json : o.array("of")) {
      Object e(json, o.name());
      DimensionEnd end;
      if (e.find("seat")) {
        const auto s = findByName(l.seats, e.text("seat"));
        if (!s) fail(o.name(), fmt::format("the link {} has no seat '{}'", l.name, e.text("seat")));
        end.object = s->id;
      } else {
        const auto c = findByName(l.curves, e.text("curve"));
        if (!c) fail(o.name(), fmt::format("the link {} has no curve '{}'", l.name, e.text("curve")));
        end = {c->id, e.whole("piece", 0)};
      }
      d.of.push_back(end);
    }
    d.value = field(o.need("value"), o, "value");
    d.step = optionalField(o, "step");
    d.extra = o.extra();
    return d;
  }

  /// @param link of a sheet's curves none
  void curves(Object& owner, const std::string& where, std::vector<std::shared_ptr<const Curve>>& into,
              const Link* link) {
    std::set<std::string> names;
    std::size_t i = 0;
    for (const Json& json : owner.array("curves")) {
      Object o(json, fmt::format("curve {} of {}", ++i, where));
      Curve c = curve(o, link);
      if (!names.insert(c.name).second) fail(o.name(), "the name is used twice");
      into.push_back(std::make_shared<const Curve>(std::move(c)));
    }
  }
  Curve curve(Object& o, const Link* l) {
    Curve c;
    c.id = newId();
    c.name = name(o);
    if (l) {
      o.rename("curve " + l->name + "/" + c.name);
      const std::string seatName = o.text("seat");
      const auto s = findByName(l->seats, seatName);
      if (!s) fail(o.name(), fmt::format("the link {} has no seat '{}'", l->name, seatName));
      c.seat = s->id;
      c.outline = o.flag("outline", false);
      if (o.find("sheet")) {
        const auto sheet = findByName(m_.sheets, o.text("sheet"));
        if (!sheet) fail(o.name(), fmt::format("there is no sheet '{}'", o.text("sheet")));
        c.sheet = sheet->id;
      }
    } else {
      o.rename("curve " + c.name);
      c.construction = o.flag("construction", false);
    }
    c.layer = o.text("layer", "");
    c.gone = o.flag("gone", false);
    c.kind = Word<CurveKind>::read(o.text("kind"));
    if (c.kind == CurveKind::circle) {
      if (const Json* j = o.find("centre")) {
        const Pair p = pair(*j, o, "'centre'");
        c.figures["centre x"] = p[0];
        c.figures["centre y"] = p[1];
      }
      c.figures["radius"] = field(o.need("radius"), o, "radius");
    } else if (c.kind == CurveKind::formula) {
      const Pair range = pair(o.need("u"), o, "'u'");
      c.figures["u from"] = range[0];
      c.figures["u to"] = range[1];
      curveParameter_ = true;
      for (const char* key : {"x", "y", "z"})
        if (auto f = optionalField(o, key)) c.figures[key] = *f;
      curveParameter_ = false;
    } else if (c.kind == CurveKind::chain) {
      c.closed = o.flag("closed", false);
      for (const Json& json : o.array("pieces")) c.pieces.push_back(piece(json, o));
      if (c.pieces.empty()) fail(o.name(), "'pieces' is empty");
    } else if (c.kind == CurveKind::text) {
      if (l) fail(o.name(), "a text stands on a sheet, not in a link");
      c.text = o.text("text");
      const Pair at = pair(o.need("at"), o, "'at'");
      c.figures = {{"x", at[0]}, {"y", at[1]}, {"height", field(o.need("height"), o, "height")}};
    } else if (!l && c.kind.known()) {
      fail(o.name(), "a curve on a sheet is a circle, a chain, a formula or a text");
    } else if (c.kind == CurveKind::edges) {
      const std::string body = o.text("body");
      const auto b = findByName(l->bodies, body);
      if (!b) fail(o.name(), fmt::format("the link {} has no body '{}'", l->name, body));
      c.body = b->id;
      for (const Json& edge : o.array("edges")) {
        if (!edge.is_number_integer()) fail(o.name(), "'edges' should be a list of whole numbers");
        c.edges.push_back(edge.get<int>());
      }
      if (c.edges.empty()) fail(o.name(), "'edges' is empty");
    } else if (c.kind == CurveKind::camLaw) {
      camLaw(o, c);
    }
    c.extra = o.extra();
    return c;
  }
  void camLaw(Object& o, Curve& c) {
    c.figures["base"] = field(o.need("base"), o, "base");
    const std::string form = o.text("form", "disc");
    const auto known = valueNamed<CamForm>(form);
    if (!known) fail(o.name(), fmt::format("'{}' is none of disc, linear, barrel", form));
    c.form = *known;
    std::size_t i = 0;
    for (const Json& json : o.array("rows")) c.rows.push_back(row(json, o, i++));
    Object f(o.need("follower"), o.name());
    const std::string follower = f.text("kind");
    const auto touches = valueNamed<ContactKind>(follower);
    if (!touches || *touches == ContactKind::rolling)
      fail(o.name(), fmt::format("'{}' is none of point, roller, flat", follower));
    c.follower = *touches;
    if (c.follower == ContactKind::roller) c.figures["roller"] = field(f.need("radius"), f, "radius");
    const std::string motion = f.text("motion", "slide");
    if (motion != "slide" && motion != "swing") fail(o.name(), fmt::format("'{}' is none of slide, swing", motion));
    c.swing = motion == "swing";
    if (auto offset = optionalField(f, "offset")) c.figures["offset"] = *offset;
    if (c.swing) {
      const Pair p = pair(f.need("pivot"), f, "'pivot'");
      c.figures["pivot x"] = p[0];
      c.figures["pivot y"] = p[1];
      if (auto arm = optionalField(f, "arm")) c.figures["arm"] = *arm;
      c.hand = f.whole("hand", 1);
    }
  }

  ProgrammeRow row(const Json& json, const Object& owner, std::size_t i) {
    Object o(json, fmt::format("{}, row {}", owner.name(), i + 1));
    ProgrammeRow r;
    r.law = Word<motion::LawKind>::read(o.text("law"));
    for (const char* key : {"to", "by", "time", "speed", "acceleration", "mean", "amplitude", "frequency", "phase",
                            "up", "down", "formula", "end_speed", "end_acceleration", "over", "lift"})
      if (auto f = optionalField(o, key)) r.figures[key] = *f;
    for (const Json& f : o.array("coefficients")) r.list.push_back(field(f, o, "coefficients"));
    for (const Json& p : o.array("points")) r.points.push_back(pair(p, o, "a point"));
    r.interpolation = Word<curves::Interpolation>::read(o.text("interpolation", ""));
    r.file = o.text("file", "");
    r.extra = o.extra();
    return r;
  }

  CurvePiece piece(const Json& json, const Object& owner) {
    Object o(json, owner.name());
    CurvePiece p;
    if (const Json* arc = o.find("arc")) {
      Object a(*arc, owner.name());
      p.kind = PieceKind::arc;
      p.points = {pair(a.need("from"), a, "'from'"), pair(a.need("to"), a, "'to'")};
      p.centre = pair(a.need("centre"), a, "'centre'");
      p.ccw = a.flag("ccw", true);
      return p;
    }
    if (const Json* ellipse = o.find("ellipse")) {
      Object e(*ellipse, owner.name());
      p.kind = PieceKind::ellipse;
      p.points = {pair(e.need("u"), e, "'u'"), pair(e.need("v"), e, "'v'")};
      p.centre = pair(e.need("centre"), e, "'centre'");
      p.from = field(e.need("from"), e, "from");
      p.to = field(e.need("to"), e, "to");
      return p;
    }
    if (const Json* nurbs = o.find("nurbs")) {
      Object n(*nurbs, owner.name());
      p.kind = PieceKind::nurbs;
      p.degree = n.whole("degree", 3);
      for (const Json& point : n.array("points")) p.points.push_back(pair(point, n, "a point"));
      for (auto [key, into] : {std::pair{"knots", &p.knots}, {"weights", &p.weights}})
        for (const Json& v : n.array(key)) {
          if (!v.is_number()) fail(o.name(), fmt::format("'{}' should be a list of numbers", key));
          into->push_back(v.get<double>());
        }
      return p;
    }
    p.kind = o.find("spline") ? PieceKind::spline : PieceKind::line;
    for (const Json& point : o.array(p.kind == PieceKind::spline ? "spline" : "line"))
      p.points.push_back(pair(point, o, "a point"));
    if (p.points.size() < 2 || (p.kind == PieceKind::line && p.points.size() != 2))
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
    const std::string kind = o.text("kind");
    const auto known = valueNamed<ContactKind>(kind);
    if (!known) fail(o.name(), fmt::format("'{}' is none of point, roller, flat, rolling", kind));
    c.kind = *known;
    c.cam = curveNamed(o.text("cam"), o);
    c.follower = c.kind == ContactKind::rolling ? curveNamed(o.text("follower"), o) : seat(o.need("follower"), o);
    if (c.kind == ContactKind::roller) c.radius = field(o.need("radius"), o, "radius");
    const std::string side = o.text("side", "outside");
    if (side != "outside" && side != "inside") fail(o.name(), "'side' should be outside or inside");
    c.inside = side == "inside";
    c.enabled = o.flag("enabled", true);
    c.extra = o.extra();
    m_.camPairs.push_back(std::make_shared<const CamPair>(std::move(c)));
  }

  Id bodyNamed(const Json& json, const Object& o) {
    const std::string text = json.is_string() ? json.get<std::string>() : std::string();
    const std::size_t slash = text.find('/');
    if (slash == std::string::npos) fail(o.name(), "a body is named LINK/BODY");
    const auto l = linkNamed(text.substr(0, slash), o);
    const auto b = findByName(l->bodies, text.substr(slash + 1));
    if (!b) fail(o.name(), fmt::format("the link {} has no body '{}'", l->name, text.substr(slash + 1)));
    return b->id;
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

  Mechanism m_;
  std::map<Id, std::string> camCurves_;  ///< profiles of cams, by body
  bool curveParameter_ = false;          ///< `u` is a name just now
};

}  // namespace cooperage::io
