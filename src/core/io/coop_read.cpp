// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/gauge_kinds.h"
#include "io/coop_file.h"
#include "io/coop_read_parts.h"
#include "model/describe.h"

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
    declareSheets(root);
    each(root, "parameters", "parameter", [&](Object& o, std::size_t i) { parameter(o, i); });
    each(root, "links", "link", [&](Object& o, std::size_t) { link(o); });
    each(root, "joints", "joint", [&](Object& o, std::size_t i) { joint(o, i); });
    each(root, "couplings", "coupling", [&](Object& o, std::size_t) { coupling(o); });
    each(root, "cam_pairs", "cam pair", [&](Object& o, std::size_t i) { camPair(o, i); });
    each(root, "contacts", "contact", [&](Object& o, std::size_t) { contact(o); });
    if (root.find("gravity")) fields(root, "gravity", m_.gravity.emplace());
    each(root, "materials", "material",
         [&](Object& o, std::size_t) { add(o, m_.materials, [](Into& in, Material& x) { describeMaterial(in, x); }); });
    each(root, "springs", "spring", [&](Object& o, std::size_t) { spring(o); });
    each(root, "forces", "force", [&](Object& o, std::size_t) { force(o); });
    each(root, "friction", "friction", [&](Object& o, std::size_t) {
      add(
          o, m_.frictions,
          [&](Into& in, Friction& x) {
            x.of = jointValue(o.need("of"), o);
            describeFriction(in, x);
          },
          "friction");
    });
    each(root, "programmes", "programme", [&](Object& o, std::size_t) { programme(o); });
    each(root, "gauges", "gauge", [&](Object& o, std::size_t) { gauge(o); });
    lanes();
    each(root, "drives", "drive", [&](Object& o, std::size_t) { drive(o); });
    gaugesOfDrives();
    each(root, "requirements", "requirement", [&](Object& o, std::size_t) { requirement(o); });
    each(root, "sheets", "sheet", [&](Object& o, std::size_t i) { sheet(o, i); });
    each(root, "paths", "path", [&](Object& o, std::size_t) { path(o); });
    each(root, "runs", "run", [&](Object& o, std::size_t) { oneRun(o); });
    each(root, "groups", "group", [&](Object& o, std::size_t) { group(o); });
    m_.extra = root.extra();
    return std::move(m_);
  }

 private:
  /// Fills what model/describe.h describes.
  class Into {
   public:
    static constexpr bool kAll = true;
    Into(Reader& reader, Object& o) : reader_(reader), o_(o) {}

    void field(const char* key, Field& f, const Measures&) {
      if (const Json* j = o_.find(key)) f = reader_.field(*j, o_, key);
    }
    void field(const char* key, std::optional<Field>& f, const Measures&) { f = reader_.optionalField(o_, key); }
    void must(const char* key, Field& f, const Measures&) { f = reader_.field(o_.need(key), o_, key); }
    void fields(const char* key, std::vector<Field>& list, const Measures&) {
      for (const Json& j : o_.array(key)) list.push_back(reader_.field(j, o_, key));
    }
    void points(const char* key, std::vector<Pair>& list, const Measures&, const Measures&) {
      for (const Json& j : o_.array(key)) list.push_back(reader_.pair(j, o_, "a point"));
    }
    void flag(const char* key, bool& on, bool normally) { on = o_.flag(key, normally); }
    void whole(const char* key, int& n, int normally, bool) { n = o_.whole(key, normally); }
    template <class E>
    void choice(const char* key, E& value, E normally) {
      const auto known = valueNamed<E>(o_.text(key, wordFor(normally)));
      if (!known) fail(o_.name(), fmt::format("'{}' should be {}", key, fmt::join(wordsOf(E{}), " or ")));
      value = *known;
    }
    template <class E>
    void word(const char* key, Word<E>& w, bool must) {
      w = Word<E>::read(must ? o_.text(key) : o_.text(key, ""));
    }
    template <class E>
    void words(const char* key, std::vector<Word<E>>& list) {
      if (!o_.find(key)) return;
      list.clear();
      for (const Json& j : o_.array(key))
        list.push_back(Word<E>::read(asText(j, o_, fmt::format("an entry of '{}'", key))));
    }
    void text(const char* key, std::string& text) { text = o_.text(key, ""); }
    void ref(const char* key, Id& id, Ref to, const char* none) {
      if (!none) {
        id = named(o_.need(key), to);
        return;
      }
      const std::string text = o_.text(key, none);
      if (text != none || reader_.find(text, to) != 0) id = reader_.named(text, to, o_);
    }
    void ref(const char* key, std::optional<Id>& id, Ref to, const char* none) {
      if (!o_.find(key)) return;
      const std::string text = o_.text(key);
      if (text != none || reader_.find(text, to) != 0) id = reader_.named(text, to, o_);
    }
    void ref(const char* key, std::optional<Symbol>& s, Ref to, const char*) {
      if (const Json* j = o_.find(key)) s = to == Ref::value ? reader_.jointValue(*j, o_) : Symbol{named(*j, to), ""};
    }
    template <std::size_t N>
    void list(const char* key, std::array<Field, N>& figures, const Measures&) {
      reader_.fields(o_, key, figures);
    }
    void later(const char* key, Id&, Id of) {
      if (o_.find(key)) reader_.laneOf_.emplace_back(of, o_.text(key));
    }
    void refs(const char* key, std::vector<Id>& ids, Ref to) {
      for (const Json& j : o_.array(key)) ids.push_back(named(j, to));
    }
    void refs(const char* key, std::optional<std::vector<Id>>& ids, Ref to) {
      if (!o_.find(key)) return;
      ids.emplace();
      refs(key, *ids, to);
    }
    void pairsOf(const char* key, std::vector<std::pair<Id, Id>>& pairs, Ref to) {
      for (const Json& j : o_.array(key)) {
        if (!j.is_array() || j.size() != 2) fail(o_.name(), fmt::format("'{}' holds pairs of {}s", key, kWhat[to]));
        pairs.emplace_back(named(j[0], to), named(j[1], to));
      }
    }
    void sides(const char* key, std::vector<Id>& first, std::vector<Id>& second, Ref to) {
      if (!o_.find(key)) return;
      const Json& both = o_.array(key);
      if (both.size() != 2 || !both[0].is_array() || !both[1].is_array())
        fail(o_.name(), fmt::format("'{}' holds two lists of {}s", key, kWhat[to]));
      for (const Json& j : both[0]) first.push_back(named(j, to));
      for (const Json& j : both[1]) second.push_back(named(j, to));
    }
    void byName(const char* key, std::vector<std::pair<Id, Field>>& list, Ref to) {
      each(key, fmt::format("{}s", kWhat[to]), [&](const std::string& name, const Json& j) {
        list.emplace_back(reader_.named(name, to, o_), reader_.field(j, o_, key));
      });
    }
    void byValue(const char* key, std::map<std::string, Field>& values, const Joint& joint) {
      each(key, "values", [&](const std::string& name, const Json& j) {
        has(joint, name);
        values[name] = reader_.field(j, o_, fmt::format("{} {}", key, name));
      });
    }
    void byValue(const char* key, std::map<std::string, Stops>& values, const Joint& joint) {
      each(key, "values", [&](const std::string& name, const Json& j) {
        has(joint, name);
        if (!j.is_array() || j.size() != 2) fail(o_.name(), fmt::format("{} of {} should be [low, high]", key, name));
        if (!j[0].is_null()) values[name].low = reader_.field(j[0], o_, "stop " + name);
        if (!j[1].is_null()) values[name].high = reader_.field(j[1], o_, "stop " + name);
      });
    }
    template <class F>
    void group(const char* key, F inner) {
      const Json* j = o_.find(key);
      if (!j) return;
      Object o(*j, o_.name());
      Into into(reader_, o);
      inner(into);
    }
    template <class T, class F>
    void group(const char* key, std::optional<T>& part, F inner) {
      group(key, [&](Into& in) { inner(in, part.emplace()); });
    }

   private:
    Id named(const Json& json, Ref to) {
      return to == Ref::seat ? reader_.seat(json, o_) : reader_.named(asText(json, o_, article(to)), to, o_);
    }
    static std::string article(Ref to) { return std::string("a ") + kWhat[to]; }
    void has(const Joint& joint, const std::string& value) {
      if (valueIndex(joint.kind, value) < 0)
        fail(o_.name(), fmt::format("a {} joint has no value '{}'", infoOf(joint.kind).name, value));
    }
    template <class F>
    void each(const char* key, const std::string& what, F read) {
      const Json* j = o_.find(key);
      if (!j) return;
      if (!j->is_object()) fail(o_.name(), fmt::format("'{}' should be an object of {}", key, what));
      for (const auto& [name, value] : j->items()) read(name, value);
    }
    Reader& reader_;
    Object& o_;
  };

  /// What a reference names, in messages.
  struct What {
    const char* operator[](Ref to) const {
      constexpr const char* kNames[] = {"link",    "seat",  "joint", "coupling",   "cam pair",
                                        "contact", "drive", "gauge", "joint value"};
      return kNames[static_cast<int>(to)];
    }
  };
  static constexpr What kWhat{};
  /// 0 if there is none of that name.
  Id find(const std::string& text, Ref to) const {
    const auto in = [&](const auto& list) {
      const auto found = findByName(list, text);
      return found ? found->id : Id(0);
    };
    switch (to) {
      case Ref::link: return in(m_.links);
      case Ref::joint: return in(m_.joints);
      case Ref::coupling: return in(m_.couplings);
      case Ref::camPair: return in(m_.camPairs);
      case Ref::contact: return in(m_.contacts);
      case Ref::drive: return in(m_.drives);
      case Ref::gauge: return in(m_.gauges);
      case Ref::seat:
      case Ref::value: break;
    }
    return 0;
  }
  Id named(const std::string& text, Ref to, const Object& o) const {
    const Id id = find(text, to);
    if (id == 0) fail(o.name(), fmt::format("there is no {} '{}'", kWhat[to], text));
    return id;
  }
  static std::string asText(const Json& j, const Object& o, const std::string& what) {
    if (!j.is_string()) fail(o.name(), what + " should be a text");
    return j.get<std::string>();
  }

  void joint(Object& o, std::size_t i) {
    Joint j = *m_.joints[i];
    o.find("name");
    o.find("kind");
    const Json& between = o.array("between");
    if (between.size() != 2) fail(o.name(), "'between' should name two seats");
    j.seats = {seat(between[0], o), seat(between[1], o)};
    Into into(*this, o);
    describeJoint(into, j);
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
      d.gauge = named(o.text("gauge"), Ref::gauge, o);
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
    Into into(*this, o);
    describeDrive(into, d);
    d.extra = o.extra();
    m_.drives.push_back(std::make_shared<const Drive>(std::move(d)));
  }

  void contact(Object& o) {
    Contact c;
    c.id = newId();
    c.name = name(o);
    unique(m_.contacts, c.name, o);
    o.need("between");
    Into into(*this, o);
    describeContact(into, c);
    if (c.sideA.empty() || c.sideB.empty()) fail(o.name(), "each list of 'between' should name a link");
    c.extra = o.extra();
    m_.contacts.push_back(std::make_shared<const Contact>(std::move(c)));
  }

  void force(Object& o) {
    Force f;
    f.id = newId();
    f.name = nameOr(o, m_.forces, "force");
    unique(m_.forces, f.name, o);
    if (o.find("of")) {
      f.of = jointValue(o.need("of"), o);
      f.effort = field(o.need("effort"), o, "effort");
      if (o.find("on")) fail(o.name(), "acts either on a joint value ('of') or on a seat ('on'), not on both");
    } else {
      f.on = seat(o.need("on"), o);
      fields(o, "force", f.force);
      fields(o, "moment", f.moment);
    }
    Into into(*this, o);
    describeForce(into, f);
    f.extra = o.extra();
    m_.forces.push_back(std::make_shared<const Force>(std::move(f)));
  }

  /// An object of a list, by its description and its name.
  /// @param kind what it is called where it may go without a name
  template <class T, class F>
  void add(Object& o, std::vector<std::shared_ptr<const T>>& list, F fill, const char* kind = nullptr) {
    T x;
    x.id = newId();
    x.name = kind ? nameOr(o, list, kind) : name(o);
    unique(list, x.name, o);
    Into into(*this, o);
    fill(into, x);
    x.extra = o.extra();
    list.push_back(std::make_shared<const T>(std::move(x)));
  }

  void spring(Object& o) {
    add(
        o, m_.springs,
        [&](Into& in, Spring& s) {
          if (o.find("of")) {
            s.of = jointValue(o.need("of"), o);
            if (o.find("between")) fail(o.name(), "acts either along a joint value ('of') or 'between' two seats");
          } else {
            const Json& between = o.array("between");
            if (between.size() != 2) fail(o.name(), "'between' should name two seats, or 'of' a joint value");
            s.seats = {seat(between[0], o), seat(between[1], o)};
          }
          describeSpring(in, s);
          if (!s.stiffness && s.points.empty() && !s.damping && !s.preload)
            fail(o.name(), "'stiffness' is missing, or 'points' of its pull, or 'damping'");
        },
        "spring");
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

  /// Drives may be of gauges and gauges of drives: these are named when all drives are known.
  void gaugesOfDrives() {
    for (const auto& [id, drive] : driveOf_) {
      auto& g = *std::find_if(m_.gauges.begin(), m_.gauges.end(), [of = id](const auto& x) { return x->id == of; });
      auto copy = *g;
      const Json none = Json::object();
      copy.of = {{named(drive, Ref::drive, Object(none, "gauge " + g->name)), ""}};
      g = std::make_shared<const Gauge>(std::move(copy));
    }
  }

  /// Gauges may be drawn in the lane of one that comes after them: read when all are known.
  void lanes() {
    for (const auto& [id, lane] : laneOf_) {
      auto& g = *std::find_if(m_.gauges.begin(), m_.gauges.end(), [of = id](const auto& x) { return x->id == of; });
      auto copy = *g;
      const Json none = Json::object();
      copy.lane = named(lane, Ref::gauge, Object(none, "gauge " + g->name));
      g = std::make_shared<const Gauge>(std::move(copy));
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
      if (g.kind == model::GaugeKind::contactForce) {
        if (const Id contact = find(text, Ref::contact)) return {contact, ""};
        if (const Id pair = find(text, Ref::camPair)) return {pair, ""};
        fail(o.name(), fmt::format("there is no cam pair or contact '{}'", text));
      }
      if (g.kind == model::GaugeKind::pressureAngle || g.kind == model::GaugeKind::curvature) {
        const auto p = findByName(m_.camPairs, text);
        if (!p) fail(o.name(), fmt::format("there is no cam pair '{}'", text));
        return {p->id, ""};
      }
      if (g.kind == model::GaugeKind::transmissionAngle || g.kind == model::GaugeKind::reaction) {
        const auto joint = findByName(m_.joints, text);
        if (!joint) fail(o.name(), fmt::format("there is no joint '{}'", text));
        return {joint->id, ""};
      }
      if (isOfJoint(g.kind) || g.kind == model::GaugeKind::velocityRatio) return jointValue(j, o);
      if (isOfLink(g.kind) || g.kind == model::GaugeKind::clearance || g.kind == model::GaugeKind::massCentre)
        return {linkNamed(text, o)->id, ""};
      return {seat(j, o), ""};
    };
    if (g.kind == model::GaugeKind::formula) {
      g.formula = field(o.need("formula"), o, "formula");
    } else if (model::isOfDrive(g.kind)) {
      o.need("of");
      driveOf_.emplace_back(g.id, o.text("of"));
    } else if (o.find("of") || !(g.kind == model::GaugeKind::energy || g.kind == model::GaugeKind::massCentre ||
                                 g.kind == model::GaugeKind::shaking)) {
      const Json& of = o.need("of");
      if (of.is_array())
        for (const Json& j : of) g.of.push_back(one(j));
      else
        g.of.push_back(one(of));
    }
    Into into(*this, o);
    describeGauge(into, g);
    g.extra = o.extra();
    m_.gauges.push_back(std::make_shared<const Gauge>(std::move(g)));
  }

  void path(Object& o) {
    Path p;
    p.id = newId();
    p.name = name(o);
    unique(m_.paths, p.name, o);
    Into into(*this, o);
    describePath(into, p);
    p.extra = o.extra();
    m_.paths.push_back(std::make_shared<const Path>(std::move(p)));
  }

  void sheet(Object& o, std::size_t i) {
    Sheet s = *m_.sheets[i];
    o.find("name");
    fields(o, "at", s.at);
    fields(o, "axis", s.axis);
    fields(o, "ref", s.ref);
    Into into(*this, o);
    describeSheet(into, s);
    curves(o, "sheet " + s.name, s.curves, nullptr);
    s.extra = o.extra();
    m_.sheets[i] = std::make_shared<const Sheet>(std::move(s));
  }

  void group(Object& o) {
    Group g;
    g.id = newId();
    g.name = name(o);
    unique(m_.groups, g.name, o);
    g.file = o.text("file", "");
    // what was taken away since is none of it any more
    const auto take = [&](const char* key, const auto& objects) {
      const Json* list = o.find(key);
      if (!list) return;
      if (!list->is_object()) fail(o.name(), fmt::format("'{}' should hold names here and there", key));
      for (const auto& [here, there] : list->items()) {
        const auto x = findByName(objects, here);
        const bool two = there.is_array() && there.size() == 2 && there[0].is_string() && there[1].is_string();
        if (!two && !there.is_string()) fail(o.name(), fmt::format("'{}' of '{}' should be a name", key, here));
        if (x)
          g.members.push_back({x->id, (two ? there[0] : there).template get<std::string>(),
                               two ? there[1].template get<std::string>() : std::string()});
      }
    };
    take("parameters", m_.parameters);
    take("links", m_.links);
    take("joints", m_.joints);
    take("couplings", m_.couplings);
    take("cam_pairs", m_.camPairs);
    take("contacts", m_.contacts);
    g.extra = o.extra();
    m_.groups.push_back(std::make_shared<const Group>(std::move(g)));
  }

  void requirement(Object& o) {
    Requirement r;
    r.id = newId();
    r.name = name(o);
    unique(m_.requirements, r.name, o);
    Into into(*this, o);
    describeRequirement(into, r);
    r.extra = o.extra();
    m_.requirements.push_back(std::make_shared<const Requirement>(std::move(r)));
  }

  void oneRun(Object& o) {
    Run r;
    r.id = newId();
    r.name = name(o);
    unique(m_.runs, r.name, o);
    Into into(*this, o);
    describeRun(into, r);
    r.extra = o.extra();
    m_.runs.push_back(std::make_shared<const Run>(std::move(r)));
  }

  std::vector<std::pair<Id, std::string>> laneOf_, driveOf_;
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
