// SPDX-License-Identifier: GPL-3.0-or-later
// Another document put into one: two copies side by side, one of them turned over, refreshed from their source; what
// can't be done by its name.
#include "io/reuse.h"

#include <nlohmann/json.hpp>

#include "../../scratch_folder.h"
#include "../support.h"
#include "model/edits.h"
#include "model/joint_edits.h"

namespace cooperage::io {
namespace {

using namespace cooperage::test;
using testing::HasSubstr;

/// A slider-crank of 100 mm rod, 5 mm off, whose crank is a parameter.
std::string source(const std::string& crank = "30 mm") {
  std::string text = sliderCrank(30, 100, 5, 30, R"(,"parameters":[{"name":"r","value":")" + crank + R"("}])");
  const std::string pin = R"("name":"pin","at":[30,0,0])";
  const auto at = text.find(pin);
  EXPECT_NE(at, std::string::npos);
  return text.replace(at, pin.size(), R"("name":"pin","at":["r",0,0])");
}

/// A bench with two places for a mechanism: at the left, and 300 mm right of it, half a metre up and aslant.
model::Mechanism bench() {
  return read(R"({"format":"cooperage","version":1,"title":"bench","units":{"length":"mm","angle":"deg"},"links":[
    {"name":"bench","ground":true,"seats":[{"name":"left","at":[0,0,0]},
      {"name":"right","at":[300,500,0],"axis":[0,0,1],"ref":[0.6,0.8,0]}]}]})");
}
model::Id seatNamed(const model::Mechanism& m, const std::string& link, const std::string& seat) {
  return model::findByName(model::findByName(m.links, link)->seats, seat)->id;
}
Result<std::pair<model::Mechanism, model::Id>> put(const model::Mechanism& m, const std::string& text, const char* name,
                                                   const char* seat, bool mirrored = false, const char* file = "") {
  ReuseHow how;
  how.name = name;
  how.onto = seatNamed(m, "bench", seat);
  how.seat = "o";
  how.mirrored = mirrored;
  how.file = file;
  return withReused(m, read(text), how);
}
/// With a motor, a reading of each slider, and a run over a turn.
model::Mechanism driven(const model::Mechanism& m) {
  auto doc = nlohmann::ordered_json::parse(writeCoop(m));
  doc["drives"] = nlohmann::ordered_json::parse(
      R"([{"name":"motor","value":"first main.turn","programme":[{"law":"constant-speed","speed":"60 rpm","time":"1 s"}]}])");
  doc["gauges"] = nlohmann::ordered_json::parse(R"([
    {"name":"first","kind":"joint-value","of":"first slide.slide"},{"name":"second","kind":"joint-value","of":"second slide.slide"},
    {"name":"second x","kind":"point-position","of":"second rod/middle","component":"x"},
    {"name":"second y","kind":"point-position","of":"second rod/middle","component":"y"}])");
  doc["runs"] = nlohmann::ordered_json::parse(R"([{"name":"turn","duration":"1 s","steps":72}])");
  return read(doc.dump());
}

double gauge(const kinematics::RunResult& run, const char* name, std::size_t step) {
  return run.rows[step][column(run, name)];
}

// Both move by closed form; the second, with a longer crank and turned over, is coupled to run twice as fast.
TEST(Reuse, TwoCopiesOneTurnedOverWithAnotherParameterCoupled) {
  auto first = put(bench(), source(), "first", "left");
  ASSERT_TRUE(first.ok()) << first.error().text;
  auto both = put(first->first, source(), "second", "right", true);
  ASSERT_TRUE(both.ok()) << both.error().text;
  const auto other = model::withParameters(both->first, {"second_r=40 mm"});
  ASSERT_TRUE(other.ok()) << other.error().text;
  model::Coupling c;
  c.id = model::newId();
  c.name = "twice";
  c.kind = model::CouplingKind::ratio;
  c.values = {*model::findJointValue(*other, "first main.turn"), *model::findJointValue(*other, "second main.turn")};
  c.figures = {model::Field(2)};
  auto m = *other;
  m.couplings.push_back(std::make_shared<const model::Coupling>(c));
  m = driven(m);
  ASSERT_FALSE(testing::Test::HasFailure());
  const auto run = runFirst(m);
  ASSERT_EQ(run.travel.steps.size(), 73u);
  const auto reach = [](double r, double q) {
    const double x = r * std::cos(q), y = r * std::sin(q) - 0.005;
    return x + std::sqrt(0.1 * 0.1 - y * y);
  };
  const double from = gauge(run, "second main.turn", 0) - 2 * gauge(run, "first main.turn", 0);
  for (std::size_t i = 0; i < run.travel.steps.size(); ++i) {
    const double turn = gauge(run, "first main.turn", i), q = gauge(run, "second main.turn", i);
    EXPECT_NEAR(q, from + 2 * turn, 1e-12);
    EXPECT_NEAR(gauge(run, "first", i), reach(0.03, turn), 1e-9);
    EXPECT_NEAR(gauge(run, "second", i), reach(0.04, q), 1e-9);
    // a point of its rod, mirrored in the seat's x and put on it
    const double px = 0.04 * std::cos(q), py = 0.04 * std::sin(q), sx = reach(0.04, q);
    const double a = std::atan2(0.005 - py, sx - px), u = 0.05, v = 0.01;
    const double lx = px + u * std::cos(a) - v * std::sin(a), ly = -(py + u * std::sin(a) + v * std::cos(a));
    EXPECT_NEAR(gauge(run, "second x", i), 0.3 + 0.6 * lx - 0.8 * ly, 1e-9);
    EXPECT_NEAR(gauge(run, "second y", i), 0.5 + 0.8 * lx + 0.6 * ly, 1e-9);
  }
}

TEST(Reuse, NamesAreKeptApartAndTheDocumentIsWholeByItself) {
  auto m = bench();
  for (int i = 0; i < 3; ++i) m = put(m, source(), "pump", "left")->first;
  ASSERT_EQ(m.groups.size(), 3u);
  EXPECT_EQ(m.groups[2]->name, "pump 3");
  std::set<std::string> names;
  for (const auto& l : m.links) EXPECT_TRUE(names.insert(l->name).second) << l->name;
  EXPECT_EQ(names.count("pump 2 rod"), 1u);
  for (const auto& p : m.parameters) EXPECT_TRUE(names.insert(p->name).second && isParameterName(p->name)) << p->name;
  const std::string text = writeCoop(m);
  const auto again = readCoop(text);
  ASSERT_TRUE(again.ok()) << again.error().text;
  EXPECT_EQ(writeCoop(*again), text);
  // a link that bears the name already
  auto taken = bench();
  model::Link l;
  l.id = model::newId();
  l.name = "pump crank";
  taken.links.push_back(std::make_shared<const model::Link>(l));
  EXPECT_TRUE(model::findByName(put(taken, source(), "pump", "left")->first.links, "pump crank 2"));
  // with its links a group goes
  std::vector<model::Id> all;
  for (const auto& member : m.groups[1]->members) all.push_back(member.id);
  const auto without = model::removed(m, all);
  ASSERT_TRUE(without.ok()) << without.error().text;
  EXPECT_EQ(without->groups.size(), 2u);
}

TEST(Reuse, ARefreshedCopyTakesWhatHasChangedAndKeepsWhatIsItsOwn) {
  auto m = put(put(bench(), source(), "first", "left", false, "crank.coop")->first, source(), "second", "right", true,
               "crank.coop")
               ->first;
  m = *model::withParameters(m, {"second_r=40 mm"});
  m = driven(m);
  // a seat of its own on a link of the group, that a gauge needs
  m = model::changedLink(m, model::findByName(m.links, "first rod")->id, [](model::Link& l) {
    model::Seat s;
    s.id = model::newId();
    s.name = "mine";
    s.at = {model::Field(50), model::Field(0), model::Field(0)};
    l.seats.push_back(std::make_shared<const model::Seat>(s));
  });
  model::Gauge g;
  g.id = model::newId();
  g.name = "own";
  g.kind = model::GaugeKind::pointPosition;
  g.of = {{seatNamed(m, "first rod", "mine"), ""}};
  m.gauges.push_back(std::make_shared<const model::Gauge>(g));
  m = *model::renamed(m, model::findByName(m.links, "first block")->id, "piston");

  // the source has a longer crank now, and one link more
  auto next = read(source("35 mm"));
  model::Link more;
  more.id = model::newId();
  more.name = "cover";
  next.links.push_back(std::make_shared<const model::Link>(more));
  auto fresh = m;
  for (const char* name : {"first", "second"}) {
    const auto done = withRefreshed(fresh, model::findByName(fresh.groups, name)->id, read(writeCoop(next)));
    ASSERT_TRUE(done.ok()) << done.error().text;
    fresh = *done;
  }
  EXPECT_EQ(model::fieldText(fresh, model::findByName(fresh.parameters, "first_r")->value), "35 mm");
  EXPECT_EQ(model::fieldText(fresh, model::findByName(fresh.parameters, "second_r")->value), "40 mm") << "its own";
  EXPECT_TRUE(model::findByName(fresh.links, "piston"));
  EXPECT_FALSE(model::findByName(fresh.links, "first block"));
  EXPECT_TRUE(model::findByName(fresh.links, "second cover"));
  EXPECT_TRUE(model::findByName(fresh.gauges, "own"));
  const auto was = runFirst(m), now = runFirst(fresh);
  for (std::size_t i = 0; i < now.travel.steps.size(); i += 9) {
    const double q = gauge(now, "first main.turn", i), y = 0.035 * std::sin(q) - 0.005;
    EXPECT_NEAR(gauge(now, "first", i), 0.035 * std::cos(q) + std::sqrt(0.01 - y * y), 1e-9);
    EXPECT_NEAR(gauge(now, "second", i), gauge(was, "second", i), 1e-9) << "the other copy as it was, where it was";
    EXPECT_NEAR(gauge(now, "second x", i), gauge(was, "second x", i), 1e-9);
  }
  // refreshed again from the same source it is the same
  const auto same = withRefreshed(fresh, fresh.groups[0]->id, read(writeCoop(next)));
  ASSERT_TRUE(same.ok()) << same.error().text;
  EXPECT_EQ(writeCoop(*same), writeCoop(fresh));
}

TEST(Reuse, WhatTheSourceHasNoMoreIsNamedWithWhatNeedsIt) {
  auto m = driven(put(put(bench(), source(), "first", "left")->first, source(), "second", "right")->first);
  auto next = read(source());
  next = *model::removed(next, {model::findByName(next.joints, "slide")->id});
  const auto no = withRefreshed(m, m.groups[0]->id, next);
  ASSERT_FALSE(no.ok());
  EXPECT_THAT(no.error().text, HasSubstr("first slide"));
  EXPECT_THAT(no.error().text, HasSubstr("gauge first"));
}

TEST(Reuse, WhatCantBeDoneIsNamed) {
  const auto text = [](const auto& result) { return result.ok() ? std::string("done") : result.error().text; };
  EXPECT_THAT(text(withReused(bench(), read(source()), {})), HasSubstr("choose a seat"));
  auto loose = source();
  loose.replace(loose.find(R"("ground":true,)"), 14, "");
  EXPECT_THAT(text(put(bench(), loose, "x", "left")), HasSubstr("no link that is ground"));
  ReuseHow how;
  const auto m = bench();
  how.onto = seatNamed(m, "bench", "left");
  how.seat = "nowhere";
  EXPECT_THAT(text(withReused(m, read(source()), how)), HasSubstr("no seat 'nowhere'"));
  auto space = source();
  space.replace(space.find(R"("kind":"revolute","between":["rod/small")"), 17, R"("kind":"spherical")");
  EXPECT_THAT(text(put(bench(), space, "x", "left", true)), HasSubstr("only a planar mechanism"));
  // a figure without a unit means something else in the other document's units
  auto inches = source();
  inches.replace(inches.find("30 mm"), 5, "30");
  inches.replace(inches.find(R"("length":"mm")"), 13, R"("length":"cm")");
  inches.replace(inches.find(R"("value":"30")"), 12, R"("value":30)");
  EXPECT_THAT(text(put(bench(), inches, "x", "left")), HasSubstr("parameter r"));
}

TEST(Reuse, AGroupThatIsWrittenWrongIsNamed) {
  const auto why = [](const std::string& group) {
    const auto m =
        readCoop(R"({"format":"cooperage","version":1,"links":[{"name":"a","ground":true}],"groups":[)" + group + "]}");
    return m.ok() ? std::string("read") : m.error().text;
  };
  EXPECT_EQ(why(R"({"name":"g","links":{"a":"b"}})"), "read");
  EXPECT_EQ(why(R"({"name":"g","links":{"gone":"b"}})"), "read") << "what was taken away is none of it any more";
  EXPECT_THAT(why(R"({"name":"g","links":["a"]})"), HasSubstr("'links' should hold names"));
  EXPECT_THAT(why(R"({"name":"g","links":{"a":3}})"), HasSubstr("'links' of 'a'"));
  EXPECT_THAT(why(R"({"name":"twice"},{"name":"twice"})"), HasSubstr("twice"));
}

// Sizes stay where the other document counts in other units.
TEST(Reuse, OtherUnitsAreConverted) {
  const auto m = read(source());
  const auto inches = model::withUnits(m, [&] {
    auto u = m.units;
    u.length = "in";
    u.angle = "rad";
    return u;
  }());
  const auto a = put(bench(), source(), "a", "right"), b = put(bench(), writeCoop(inches), "a", "right");
  ASSERT_TRUE(b.ok()) << b.error().text;
  const auto ra = model::resolve(a->first), rb = model::resolve(b->first);
  for (std::size_t l = 0; l < ra->links.size(); ++l)
    for (std::size_t s = 0; s < ra->links[l].seats.size(); ++s)
      EXPECT_NEAR((ra->links[l].seats[s].frame.p - rb->links[l].seats[s].frame.p).norm(), 0, 1e-12);
}

TEST(Reuse, NoDocumentIsPutIntoItself) {
  ScratchFolder folder;
  const auto in = [&](const char* name) { return folder / name; };
  ASSERT_TRUE(saveCoop(read(source()), in("leaf.coop")).ok());
  auto middle = put(bench(), source(), "leaf", "left", false, "leaf.coop")->first;
  ASSERT_TRUE(saveCoop(middle, in("middle.coop")).ok());
  auto top = put(bench(), writeCoop(middle), "middle", "left", false, "middle.coop");
  // the middle one's ground has no seat "o": by its own
  ASSERT_FALSE(top.ok());
  ReuseHow how;
  auto m = bench();
  how.onto = seatNamed(m, "bench", "left");
  how.file = "middle.coop";
  how.name = "m";
  m = withReused(m, read(writeCoop(middle)), how)->first;
  ASSERT_TRUE(saveCoop(m, in("top.coop")).ok());
  EXPECT_TRUE(mayReuse(in("top.coop"), in("leaf.coop")).ok());
  EXPECT_TRUE(mayReuse(in("other.coop"), in("top.coop")).ok());
  EXPECT_THAT(mayReuse(in("leaf.coop"), in("leaf.coop")).error().text, HasSubstr("can't be put into itself"));
  const auto cycle = mayReuse(in("leaf.coop"), in("top.coop"));
  ASSERT_FALSE(cycle.ok());
  EXPECT_THAT(cycle.error().text, HasSubstr("top.coop > middle.coop > leaf.coop"));
}

}  // namespace
}  // namespace cooperage::io
