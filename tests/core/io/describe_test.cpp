// SPDX-License-Identifier: GPL-3.0-or-later
// Every key that is described: the schema knows it, and what it holds comes back from the file.
#include "model/describe.h"

#include <gmock/gmock.h>

#include <filesystem>
#include <nlohmann/json.hpp>

#include "io/coop_file.h"
#include "model/edits.h"
#include "model/resolve.h"

namespace cooperage::io {
namespace {

using namespace model;

/// Notes what each key holds, as text; objects by their names.
class Noted {
 public:
  static constexpr bool kAll = true;
  explicit Noted(const Mechanism& m) : m_(m) {}
  std::map<std::string, std::string> keys;

  void field(const char* key, const Field& f, const Measures&) { note(key, fieldText(m_, f)); }
  void field(const char* key, const std::optional<Field>& f, const Measures&) { note(key, f ? fieldText(m_, *f) : ""); }
  void must(const char* key, const Field& f, const Measures&) { note(key, fieldText(m_, f)); }
  void fields(const char* key, const std::vector<Field>& list, const Measures&) {
    for (const Field& f : list) note(key, fieldText(m_, f));
  }
  void points(const char* key, const std::vector<Pair>& list, const Measures&, const Measures&) {
    for (const Pair& p : list) note(key, fieldText(m_, p[0]) + " " + fieldText(m_, p[1]));
  }
  template <std::size_t N>
  void list(const char* key, const std::array<Field, N>& figures, const Measures&) {
    for (const Field& f : figures) note(key, fieldText(m_, f));
  }
  void flag(const char* key, bool on, bool) { note(key, on ? "on" : "off"); }
  void whole(const char* key, int n, int, bool) { note(key, std::to_string(n)); }
  template <class E>
  void choice(const char* key, E value, E) {
    note(key, wordFor(value));
  }
  template <class E>
  void word(const char* key, const Word<E>& w, bool) {
    note(key, w.text());
  }
  template <class E>
  void words(const char* key, const std::vector<Word<E>>& list) {
    for (const auto& w : list) note(key, w.text());
  }
  void text(const char* key, const std::string& text) { note(key, text); }
  void ref(const char* key, Id id, Ref, const char*) { note(key, name(id)); }
  void ref(const char* key, const std::optional<Id>& id, Ref, const char*) { note(key, id ? name(*id) : ""); }
  void ref(const char* key, const std::optional<Symbol>& s, Ref, const char*) { note(key, s ? name(s->id) : ""); }
  void later(const char* key, Id id, Id) { note(key, name(id)); }
  void refs(const char* key, const std::vector<Id>& ids, Ref to) {
    note(key, "");
    for (const Id id : ids)
      if (is(id, to)) note(key, name(id));
  }
  void refs(const char* key, const std::optional<std::vector<Id>>& ids, Ref to) {
    refs(key, ids ? *ids : std::vector<Id>{}, to);
  }
  void pairsOf(const char* key, const std::vector<std::pair<Id, Id>>& pairs, Ref) {
    for (const auto& [a, b] : pairs) note(key, name(a) + " " + name(b));
  }
  void sides(const char* key, const std::vector<Id>& first, const std::vector<Id>& second, Ref) {
    for (const Id id : first) note(key, name(id));
    note(key, "against");
    for (const Id id : second) note(key, name(id));
  }
  void byName(const char* key, const std::vector<std::pair<Id, Field>>& list, Ref) {
    for (const auto& [id, f] : list) note(key, name(id) + " " + fieldText(m_, f));
  }
  void byValue(const char* key, const std::map<std::string, Field>& values, const Joint&) {
    for (const auto& [name, f] : values) note(key, name + " " + fieldText(m_, f));
  }
  void byValue(const char* key, const std::map<std::string, Stops>& values, const Joint&) {
    for (const auto& [name, s] : values)
      note(key, name + " " + (s.low ? fieldText(m_, *s.low) : "") + " " + (s.high ? fieldText(m_, *s.high) : ""));
  }
  template <class F>
  void group(const char* key, F inner) {
    const std::string before = within_;
    within_ += std::string(key) + ".";
    inner(*this);
    within_ = before;
  }
  template <class T, class F>
  void group(const char* key, const std::optional<T>& part, F inner) {
    const T none{};
    group(key, [&](Noted& in) { inner(in, part ? *part : none); });
  }

 private:
  void note(const char* key, const std::string& text) { keys[within_ + key] += text + ";"; }
  std::string name(Id id) const { return id == 0 ? "" : nameOf(m_, {id, ""}, false); }
  bool is(Id id, Ref to) const {
    return to == Ref::joint     ? findById(m_.joints, id) != nullptr
           : to == Ref::camPair ? findById(m_.camPairs, id) != nullptr
           : to == Ref::contact ? findById(m_.contacts, id) != nullptr
           : to == Ref::drive   ? findById(m_.drives, id) != nullptr
                                : findById(m_.couplings, id) != nullptr;
  }
  const Mechanism& m_;
  std::string within_;
};

/// Gives each key something that is not what it normally is.
class Filled {
 public:
  static constexpr bool kAll = true;
  explicit Filled(const Mechanism& m) : m_(m) {}

  void field(const char*, Field& f, const Measures&) { f = next(); }
  void field(const char*, std::optional<Field>& f, const Measures&) { f = next(); }
  void must(const char*, Field& f, const Measures&) { f = next(); }
  void fields(const char*, std::vector<Field>& list, const Measures&) { list = {next(), next()}; }
  void points(const char*, std::vector<Pair>& list, const Measures&, const Measures&) {
    list = {{next(), next()}, {next(), next()}};
  }
  template <std::size_t N>
  void list(const char*, std::array<Field, N>& figures, const Measures&) {
    for (Field& f : figures) f = next();
  }
  void flag(const char*, bool& on, bool normally) { on = !normally; }
  void whole(const char*, int& n, int normally, bool) { n = normally + 7; }
  template <class E>
  void choice(const char*, E& value, E normally) {
    value = static_cast<E>(static_cast<int>(normally) + 1);
  }
  template <class E>
  void word(const char*, Word<E>& w, bool) {
    w = static_cast<E>(1);
  }
  template <class E>
  void words(const char*, std::vector<Word<E>>& list) {
    list = {static_cast<E>(1), Word<E>::read("of a later version")};
  }
  void text(const char*, std::string&) {}  // a file that is named stands in place of points
  void ref(const char*, Id& id, Ref to, const char*) { id = one(to); }
  void ref(const char*, std::optional<Id>& id, Ref to, const char*) { id = one(to); }
  void ref(const char*, std::optional<Symbol>& s, Ref to, const char*) {
    s = Symbol{one(to), to == Ref::value ? infoOf(m_.joints.front()->kind).values.front().name : ""};
  }
  void later(const char*, Id& id, Id) { id = m_.gauges.back()->id; }
  void refs(const char*, std::vector<Id>& ids, Ref to) {
    if (const Id id = one(to)) ids.push_back(id);
  }
  void refs(const char*, std::optional<std::vector<Id>>& ids, Ref to) { ids = {one(to)}; }
  void pairsOf(const char*, std::vector<std::pair<Id, Id>>& pairs, Ref) {
    pairs = {{m_.links[1]->id, m_.links[0]->id}};
  }
  void sides(const char*, std::vector<Id>& first, std::vector<Id>& second, Ref) {
    first = {m_.links[0]->id};
    second = {m_.links[1]->id};
  }
  void byName(const char*, std::vector<std::pair<Id, Field>>& list, Ref to) { list = {{one(to), next()}}; }
  void byValue(const char*, std::map<std::string, Field>& values, const Joint& j) {
    values = {{infoOf(j.kind).values[0].name, next()}};
  }
  void byValue(const char*, std::map<std::string, Stops>& values, const Joint& j) {
    values = {{infoOf(j.kind).values[0].name, Stops{next(), next()}}};
  }
  template <class F>
  void group(const char*, F inner) {
    inner(*this);
  }
  template <class T, class F>
  void group(const char*, std::optional<T>& part, F inner) {
    inner(*this, part.emplace());
  }

 private:
  Field next() { return Field(count_ += 0.25); }
  Id one(Ref to) const {
    switch (to) {
      case Ref::link: return m_.links.back()->id;
      case Ref::seat: return m_.links.front()->seats.front()->id;
      case Ref::joint:
      case Ref::value: return m_.joints.front()->id;
      case Ref::coupling: return m_.couplings.empty() ? 0 : m_.couplings.front()->id;
      case Ref::camPair: return m_.camPairs.empty() ? 0 : m_.camPairs.front()->id;
      case Ref::contact: return m_.contacts.empty() ? 0 : m_.contacts.front()->id;
      case Ref::drive: return m_.drives.front()->id;
      case Ref::gauge: return m_.gauges.front()->id;
    }
    return 0;
  }
  const Mechanism& m_;
  double count_ = 1;
};

Mechanism demo(const std::string& name) {
  return *loadCoop(std::filesystem::path(COOPERAGE_DEMO) / name / (name + ".coop"));
}

/// Fills the last object of a list, writes the document, reads it back, and compares key by key.
template <class T, class Describe>
void comesBack(std::vector<std::shared_ptr<const T>> Mechanism::*list, Describe describe) {
  for (const char* name : {"hoop-press", "stave-lifter", "cask-turner"}) {
    SCOPED_TRACE(name);
    Mechanism m = demo(name);
    ASSERT_FALSE((m.*list).empty());
    T x = *(m.*list).back();
    Filled filled(m);
    describe(filled, x);
    (m.*list).back() = std::make_shared<const T>(x);
    const auto again = readCoop(writeCoop(m));
    ASSERT_TRUE(again.ok()) << again.error().text;
    Noted before(m), after(*again);
    describe(before, std::as_const(*(m.*list).back()));
    describe(after, std::as_const(*((*again).*list).back()));
    EXPECT_EQ(before.keys, after.keys);
    EXPECT_TRUE((*again.*list).back()->extra.empty());
  }
}

TEST(Describe, WhatEachKeyHoldsComesBackFromTheFile) {
  comesBack(&Mechanism::joints, [](auto& a, auto& x) { describeJoint(a, x); });
  comesBack(&Mechanism::drives, [](auto& a, auto& x) { describeDrive(a, x); });
  comesBack(&Mechanism::gauges, [](auto& a, auto& x) { describeGauge(a, x); });
  comesBack(&Mechanism::requirements, [](auto& a, auto& x) { describeRequirement(a, x); });
  comesBack(&Mechanism::runs, [](auto& a, auto& x) { describeRun(a, x); });
}

TEST(Describe, PathsComeBackToo) {
  Mechanism m = demo("stave-lifter");
  ASSERT_FALSE(m.paths.empty());
  Path p = *m.paths.back();
  Filled filled(m);
  describePath(filled, p);
  m.paths.back() = std::make_shared<const Path>(p);
  const auto again = readCoop(writeCoop(m));
  ASSERT_TRUE(again.ok()) << again.error().text;
  Noted before(m), after(*again);
  describePath(before, *m.paths.back());
  describePath(after, *again->paths.back());
  EXPECT_EQ(before.keys, after.keys);
}

TEST(Describe, ContactsAndForcesComeBackToo) {
  Mechanism m = demo("stave-lifter");
  Contact c;
  c.id = newId();
  c.name = "push";
  Filled filled(m);
  describeContact(filled, c);
  m.contacts = {std::make_shared<const Contact>(c)};
  Force held, pressed;
  held.id = newId();
  held.name = "held";
  held.of = Symbol{m.joints.front()->id, infoOf(m.joints.front()->kind).values.front().name};
  held.effort = *parseField(m, "-0.2 N*m");
  describeForce(filled, held);
  pressed.id = newId();
  pressed.name = "pressed";
  pressed.on = m.links.front()->seats.front()->id;
  pressed.force[2] = *parseField(m, "5 kN");
  pressed.moment[0] = Field(3);
  m.forces = {std::make_shared<const Force>(held), std::make_shared<const Force>(pressed)};
  model::Run off = *m.runs.front();
  off.off.push_back(c.id);
  m.runs.front() = std::make_shared<const model::Run>(off);
  const std::string text = writeCoop(m);
  const auto again = readCoop(text);
  ASSERT_TRUE(again.ok()) << again.error().text;
  EXPECT_EQ(writeCoop(*again), text);
  Noted before(m), after(*again);
  describeContact(before, *m.contacts.back());
  describeContact(after, *again->contacts.back());
  for (std::size_t i = 0; i < 2; ++i) {
    describeForce(before, *m.forces[i]);
    describeForce(after, *again->forces[i]);
  }
  EXPECT_EQ(before.keys, after.keys);
  EXPECT_THAT(text, testing::HasSubstr("\"-0.2 N*m\""));
  const auto r = resolve(*again);
  ASSERT_TRUE(r.ok()) << r.error().text;
  EXPECT_DOUBLE_EQ(r->forces[1].force[2].value, 5000);
  EXPECT_DOUBLE_EQ(r->forces[1].moment[0].value, 3e-3);  // N mm of the document
  EXPECT_EQ(r->runs.front().offContacts, std::vector<int>{0});
  // a link on both sides is named
  Contact both = c;
  both.sideB = both.sideA;
  m.contacts = {std::make_shared<const Contact>(both)};
  const auto bad = resolve(m);
  ASSERT_FALSE(bad.ok());
  EXPECT_EQ(bad.error().code, "same-link");
  // taking its only link away takes the contact
  Mechanism n = *again;
  const auto less = model::removed(n, {n.contacts[0]->sideB[0]});
  ASSERT_TRUE(less.ok()) << less.error().text;
  EXPECT_TRUE(less->contacts.empty());
}

TEST(Describe, MassesSpringsAndFrictionComeBackToo) {
  Mechanism m = demo("stave-lifter");
  Filled filled(m);
  const Symbol turn{m.joints.front()->id, infoOf(m.joints.front()->kind).values.front().name};
  const auto named = [&](auto x, const char* name, auto describe) {
    x.id = newId();
    x.name = name;
    describe(x);
    return std::make_shared<const decltype(x)>(x);
  };
  m.gravity = Triple{Field(0), Field(0), *parseField(m, "-9.81 m/s^2")};
  m.materials = {named(Material(), "cork", [&](Material& x) { describeMaterial(filled, x); })};
  m.springs = {named(Spring(), "between",
                     [&](Spring& x) {
                       x.seats = {m.links[0]->seats[0]->id, m.links[1]->seats[0]->id};
                       describeSpring(filled, x);
                     }),
               named(Spring(), "along", [&](Spring& x) {
                 x.of = turn;
                 describeSpring(filled, x);
                 x.stiffness.reset();
               })};
  m.frictions = {named(Friction(), "rubs", [&](Friction& x) {
    x.of = turn;
    describeFriction(filled, x);
  })};
  m = changedLink(m, m.links[1]->id, [&](Link& l) {
    describeMass(filled, l.mass.emplace());
    for (auto& b : l.bodies) {
      auto copy = std::make_shared<Body>(*b);
      copy->material = "cork";
      copy->density = *parseField(m, "0.3 kg/m^3");
      b = copy;
    }
  });
  const std::string text = writeCoop(m);
  const auto again = readCoop(text);
  ASSERT_TRUE(again.ok()) << again.error().text;
  EXPECT_EQ(writeCoop(*again), text);
  Noted before(m), after(*again);
  const auto both = [&](const auto& describe) {
    describe(before, m);
    describe(after, *again);
  };
  both([](Noted& n, const Mechanism& x) {
    describeMaterial(n, *x.materials[0]);
    describeSpring(n, *x.springs[0]);
    describeSpring(n, *x.springs[1]);
    describeFriction(n, *x.frictions[0]);
    describeMass(n, *x.links[1]->mass);
  });
  EXPECT_EQ(before.keys, after.keys);
  for (const auto& x : again->springs) EXPECT_TRUE(x->extra.empty());
  EXPECT_EQ(again->links[1]->bodies[0]->material, "cork");
  ASSERT_TRUE(again->gravity);
  // plain numbers stand in the document's units, whatever these are changed to
  const auto r = resolve(*again);
  ASSERT_FALSE(r.ok()) << "the figures of the inertia are of no body";
  EXPECT_EQ(r.error().code, "mass");
  // a material that goes by another name does so where it is used; one that is gone is none
  const auto renamed = model::renamed(*again, again->materials[0]->id, "bark");
  ASSERT_TRUE(renamed.ok()) << renamed.error().text;
  EXPECT_EQ(renamed->links[1]->bodies[0]->material, "bark");
  const auto less = model::removed(*again, {again->materials[0]->id, again->joints[0]->id});
  ASSERT_TRUE(less.ok()) << less.error().text;
  EXPECT_EQ(less->links[1]->bodies[0]->material, "");
  EXPECT_EQ(less->springs.size(), 1u);
  EXPECT_TRUE(less->frictions.empty());
}

TEST(Describe, GaugesOfLoadsComeBackToo) {
  Mechanism m = demo("stave-lifter");
  const auto add = [&](GaugeKind kind, std::vector<Symbol> of, const std::function<void(Gauge&)>& more = {}) {
    Gauge g;
    g.id = newId();
    g.name = wordFor(kind);
    g.kind = kind;
    g.of = std::move(of);
    if (more) more(g);
    m.gauges.push_back(std::make_shared<const Gauge>(g));
  };
  const auto joint = m.joints.front();
  add(GaugeKind::driveForce, {{m.drives.front()->id, ""}});
  add(GaugeKind::drivePower, {{m.drives.front()->id, ""}});
  add(GaugeKind::reaction, {{joint->id, ""}}, [&](Gauge& g) {
    g.component = Component::my;
    g.on = findSeat(m, joint->seats[0])->link->id;
  });
  add(GaugeKind::energy, {}, [](Gauge& g) { g.part = EnergyPart::kinetic; });
  add(GaugeKind::massCentre, {{m.links[1]->id, ""}}, [](Gauge& g) { g.component = Component::x; });
  add(GaugeKind::shaking, {}, [](Gauge& g) { g.component = Component::fx; });
  const std::string text = writeCoop(m);
  const auto again = readCoop(text);
  ASSERT_TRUE(again.ok()) << again.error().text;
  EXPECT_EQ(writeCoop(*again), text);
  const auto r = resolve(*again);
  ASSERT_TRUE(r.ok()) << r.error().text;
  // a gauge of a drive goes with it
  const auto less = model::removed(*again, {again->drives[0]->id});
  ASSERT_TRUE(less.ok()) << less.error().text;
  EXPECT_EQ(less->gauges.size() + 2, again->gauges.size());
}

/// Keys of an object in the schema, those within it too: "sweep.from".
std::set<std::string> schemaKeys(const char* object, const std::set<std::string>& head) {
  const auto json = nlohmann::json::parse(*readFile(std::filesystem::path(COOPERAGE_DOCS) / "cooperage.schema.json"));
  std::set<std::string> out;
  for (const auto& [key, of] : json["definitions"][object]["properties"].items()) {
    if (head.count(key)) continue;
    if (!of.contains("properties"))
      out.insert(key);
    else
      for (const auto& [inner, x] : of["properties"].items()) out.insert(key + "." + inner);
  }
  return out;
}
template <class T, class Describe>
std::set<std::string> described(Describe describe) {
  const Mechanism none;
  Noted noted(none);
  T x;
  if constexpr (std::is_same_v<T, Joint>) {
    x.home["turn"] = Field(1);
    x.stops["turn"] = {};
  }
  if constexpr (std::is_same_v<T, model::Run>) {
    x.start = {{0, Field(1)}};
    x.ghostMarks = {Field(1)};
    x.leaveOut = {{0, 0}};
  }
  if constexpr (std::is_same_v<T, Gauge> || std::is_same_v<T, Force>) x.overPoints = {{Field(1), Field(1)}};
  if constexpr (std::is_same_v<T, Spring>) x.points = {{Field(1), Field(1)}};
  describe(noted, std::as_const(x));
  std::set<std::string> out;
  for (const auto& [key, text] : noted.keys) out.insert(key);
  return out;
}

TEST(Describe, TheSchemaHasTheSameKeys) {
  EXPECT_EQ(described<Joint>([](auto& a, auto& x) { describeJoint(a, x); }),
            schemaKeys("joint", {"name", "kind", "between", "lead", "curve", "surface"}));
  EXPECT_EQ(described<Contact>([](auto& a, auto& x) { describeContact(a, x); }), schemaKeys("contact", {"name"}));
  EXPECT_EQ(described<Force>([](auto& a, auto& x) { describeForce(a, x); }),
            schemaKeys("force", {"name", "of", "effort", "on", "force", "moment"}));
  EXPECT_EQ(described<Spring>([](auto& a, auto& x) { describeSpring(a, x); }),
            schemaKeys("spring", {"name", "between", "of"}));
  EXPECT_EQ(described<Friction>([](auto& a, auto& x) { describeFriction(a, x); }),
            schemaKeys("friction", {"name", "of"}));
  EXPECT_EQ(described<Material>([](auto& a, auto& x) { describeMaterial(a, x); }), schemaKeys("material", {"name"}));
  EXPECT_EQ(described<Drive>([](auto& a, auto& x) { describeDrive(a, x); }),
            schemaKeys("drive", {"name", "value", "gauge", "programme"}));
  EXPECT_EQ(described<Gauge>([](auto& a, auto& x) { describeGauge(a, x); }),
            schemaKeys("gauge", {"name", "kind", "of", "formula"}));
  EXPECT_EQ(described<Requirement>([](auto& a, auto& x) { describeRequirement(a, x); }),
            schemaKeys("requirement", {"name"}));
  EXPECT_EQ(described<Path>([](auto& a, auto& x) { describePath(a, x); }), schemaKeys("path", {"name"}));
  EXPECT_EQ(described<model::Run>([](auto& a, auto& x) { describeRun(a, x); }), schemaKeys("run", {"name"}));
}

}  // namespace
}  // namespace cooperage::io
