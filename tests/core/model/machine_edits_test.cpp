// SPDX-License-Identifier: GPL-3.0-or-later
// Makers of gears, trains, belts, screws and cams: phases and distances, couplings and their signs, trains against
// Willis' rule, and the way back by making again.
#include "model/machine_edits.h"

#include <rapidcheck/gtest.h>

#include "../maker.h"
#include "elements/figures.h"
#include "kinematics/train.h"

namespace cooperage::model {
namespace {

using namespace cooperage::test;
constexpr double kDegree = kPi / 180;

std::vector<Pose> homePoses(const Mechanism& m) {
  const auto a = analysed(m);
  std::vector<Pose> out;
  for (std::size_t l = 0; l < a.r.links.size(); ++l) out.push_back(a.r.links[l].placement);
  return out;
}
Id jointOf(const Mechanism& m, const std::string& name) { return findByName(m.joints, name)->id; }

/// Two shafts on ground; the second one's axis, and whether its joint counts the other way or names its links turned
/// round, may be varied.
Maker shafts(double distance, const Vec3& axis = Vec3::UnitZ(), bool swapped = false, double angle = 0.3) {
  Maker m;
  m.hinge("in", "g", "a", 0, 0);
  const Vec3 at(distance * std::cos(angle), distance * std::sin(angle), 0.004);
  if (swapped)
    m.joint("out", "revolute", "b", "g", at, axis);
  else
    m.joint("out", "revolute", "g", "b", at, axis);
  m.steady("in.turn", 1);
  m.run(2, 20);
  return m;
}
GearDraft draft(const Mechanism& m, GearDraft::Kind kind, int za, int zb) {
  GearDraft d;
  d.kind = kind;
  d.joints = {jointOf(m, "in"), jointOf(m, "out")};
  d.module = Field(0.002);
  d.width = Field(0.012);
  d.teeth = {Field(za), Field(zb)};
  return d;
}
/// Where a body stands at a time of a run, in ground axes.
Pose bodyAt(const Resolved& r, const std::vector<Pose>& poses, Id body) {
  for (std::size_t l = 0; l < r.links.size(); ++l)
    for (const auto& b : r.links[l].bodies)
      if (b.id == body) return poses[l] * b.placement;
  ADD_FAILURE() << "no body";
  return {};
}

/// Teeth of a spur pair stand over spaces: the second's angle is that which the first asks for, to a fraction of a
/// pitch.
void expectMesh(const Mechanism& m, Id coupling, double tolerance = 1e-9) {
  const auto c = findById(m.couplings, coupling);
  auto p = prepare(m);
  ASSERT_TRUE(p.run);
  kinematics::Measurer measurer(*p.run);
  const auto result = kinematics::tabulate(*p.run, measurer);
  ASSERT_TRUE(result.travel.completed) << said(result);
  const auto look = pairLook(m, coupling, homePoses(m));
  ASSERT_TRUE(look.ok());
  EXPECT_NEAR(look->distance, elements::pairSize(look->first, look->second).centre, 1e-9);
  for (const auto& step : result.travel.steps) {
    std::vector<Pose> poses;
    measurer.linkPoses(step, poses);
    const Pose a = bodyAt(p.resolved, poses, c->bodies[0]), b = bodyAt(p.resolved, poses, c->bodies[1]);
    const Vec3 z = a.R.col(2), d = b.p - a.p;
    EXPECT_NEAR(std::abs(d.dot(z)), 0, 1e-9) << "in one plane";
    const Vec3 e1 = d.normalized(), e2 = z.cross(e1);
    const auto angle = [&](const Vec3& v) { return std::atan2(v.dot(e2), v.dot(e1)); };
    const double wanted = elements::meshingTurn(look->first, look->second, angle(a.R.col(0)), 0);
    const double pitch = 2 * kPi / look->second.teeth;
    double off = angle(b.R.col(0)) - wanted;
    off -= pitch * std::round(off / pitch);
    EXPECT_NEAR(off, 0, tolerance);
  }
}

TEST(GearMaker, SpurPairStandsAtTheRightDistanceAndPhase) {
  for (bool swapped : {false, true})
    for (double sign : {1.0, -1.0}) {
      const auto m = shafts(0.05, sign * Vec3::UnitZ(), swapped).read();
      const auto d = draft(m, GearDraft::Kind::spur, 17, 34);
      const auto made = withGears(m, d, homePoses(m));
      ASSERT_TRUE(made.ok()) << made.error().text;
      expectMesh(*made, d.coupling);
      const auto resolved = resolve(*made).value();
      for (const auto& msg : resolved.messages) EXPECT_NE(msg.code, "gear-sign") << msg.text;
    }
}

TEST(GearMaker, RingsTakeTheirPinionsInside) {
  const auto m = shafts(0.03).read();
  const auto d = draft(m, GearDraft::Kind::ring, 20, 60);
  const auto made = withGears(m, d, homePoses(m));
  ASSERT_TRUE(made.ok()) << made.error().text;
  expectMesh(*made, d.coupling);
  EXPECT_TRUE(findById(made->couplings, d.coupling)->internal);
}

TEST(GearMaker, AxesThatStayAreMetByAShift) {
  const auto m = shafts(0.0515).read();  // 51 mm would be plain
  auto d = draft(m, GearDraft::Kind::spur, 17, 34);
  d.moveAxis = false;
  const auto made = withGears(m, d, homePoses(m));
  ASSERT_TRUE(made.ok()) << made.error().text;
  expectMesh(*made, d.coupling);
  EXPECT_GT(pairLook(*made, d.coupling, homePoses(*made))->second.shift, 0.2);
  const auto far = shafts(0.08).read();
  d = draft(far, GearDraft::Kind::spur, 17, 34);
  d.moveAxis = false;
  const auto refused = withGears(far, d, homePoses(far));
  ASSERT_FALSE(refused.ok());
  EXPECT_THAT(refused.error().text, testing::HasSubstr("80 mm apart"));
}

TEST(GearMaker, MadeAgainWithOtherTeethAndFlipped) {
  const auto m = shafts(0.05).read();
  auto d = draft(m, GearDraft::Kind::spur, 17, 34);
  const auto once = withGears(m, d, homePoses(m)).value();
  auto again = gearDraftOf(once, d.coupling);
  ASSERT_TRUE(again);
  again->teeth = {Field(20), Field(45)};
  const auto twice = withGears(once, *again, homePoses(once));
  ASSERT_TRUE(twice.ok()) << twice.error().text;
  expectMesh(*twice, d.coupling);
  EXPECT_EQ(twice->couplings.size(), 1u);
  EXPECT_EQ(findByName(twice->links, "a")->bodies.size(), 1u);
  again->flip = true;
  const auto flipped = withGears(once, *again, homePoses(once)).value();
  EXPECT_NE(findById(flipped.couplings, d.coupling)->flip, findById(twice->couplings, d.coupling)->flip);
  const auto r = resolve(flipped).value();
  EXPECT_TRUE(std::any_of(r.messages.begin(), r.messages.end(), [](const auto& x) { return x.code == "gear-sign"; }));
  // written, read, written: the same
  EXPECT_EQ(io::writeCoop(test::read(io::writeCoop(*twice))), io::writeCoop(*twice));
}

TEST(GearMaker, BevelConesShareTheirApexAndTurnAgainstOneAnother) {
  Maker maker;
  maker.joint("in", "revolute", "g", "a", {0, 0, 0.05}, Vec3::UnitZ());
  maker.joint("out", "revolute", "g", "b", {0.06, 0, 0}, Vec3::UnitX());
  maker.steady("in.turn", 1);
  maker.run(1, 10);
  const auto m = maker.read();
  const auto d = draft(m, GearDraft::Kind::bevel, 20, 40);
  const auto made = withGears(m, d, homePoses(m));
  ASSERT_TRUE(made.ok()) << made.error().text;
  const auto r = resolve(*made).value();
  const Pose a = r.links[1].placement * r.links[1].bodies[0].placement,
             b = r.links[2].placement * r.links[2].bodies[0].placement;
  EXPECT_LT(a.p.norm(), 1e-9);
  EXPECT_LT(b.p.norm(), 1e-9);
  EXPECT_NEAR(r.links[1].bodies[0].figures[2], std::atan(0.5), 1e-6);
  const auto result = runFirst(*made);
  // seen from the apex both would turn the same way if they slipped; rolling turns them against one another
  EXPECT_NEAR(result.rows.back()[column(result, "out.turn rate")], -0.5, 1e-12);
}

// A right-hand worm that turns about +a draws the teeth of its wheel against a.
TEST(GearMaker, WormTurnsItsWheelByItsHand) {
  for (double hand : {1.0, -1.0}) {
    Maker maker;
    maker.joint("in", "revolute", "g", "a", {0, 0, 0}, Vec3::UnitY());
    maker.joint("out", "revolute", "g", "b", {0.05, 0, 0}, Vec3::UnitZ());
    maker.steady("in.turn", 1);
    maker.run(1, 10);
    const auto m = maker.read();
    auto d = draft(m, GearDraft::Kind::worm, 2, 40);
    d.helix = Field(hand * 8 * kDegree);
    const auto made = withGears(m, d, homePoses(m));
    ASSERT_TRUE(made.ok()) << made.error().text;
    const auto result = runFirst(*made);
    // teeth at -x of the wheel move by w x r: about +z they move to -y there, so a right hand gives +
    EXPECT_NEAR(result.rows.back()[column(result, "out.turn rate")], hand * 2.0 / 40, 1e-12);
    const auto look = pairLook(*made, d.coupling, homePoses(*made));
    ASSERT_TRUE(look.ok());
    EXPECT_NEAR(look->distance, elements::crossedCentre(look->first, look->second), 1e-9);
    EXPECT_NEAR(look->second.helix, hand * 8 * kDegree, 1e-8);
  }
}

TEST(GearMaker, RackFollowsItsPinion) {
  Maker maker;
  maker.hinge("in", "g", "a", 0, 0);
  maker.slide("out", "g", "b", 0.01, -0.03, 1, 0);
  maker.steady("in.turn", 1);
  maker.run(1, 10);
  const auto m = maker.read();
  const auto d = draft(m, GearDraft::Kind::rack, 20, 15);
  const auto made = withGears(m, d, homePoses(m));
  ASSERT_TRUE(made.ok()) << made.error().text;
  const auto result = runFirst(*made);
  // the gear's lowest point moves to +x when it turns counter-clockwise
  EXPECT_NEAR(result.rows.back()[column(result, "out.slide")], 0.02, 1e-12);
  const auto r = resolve(*made).value();
  const Pose rack = r.links[2].placement * r.links[2].bodies[0].placement,
             gear = r.links[1].placement * r.links[1].bodies[0].placement;
  EXPECT_NEAR(rack.p.y(), -0.02, 1e-12) << "pitch line under the pitch circle";
  EXPECT_GT(rack.R.col(1).y(), 0.99) << "teeth look at the gear";
  // a tooth of the gear straight down would stand over a space
  const double turn = std::atan2(gear.R(1, 0), gear.R(0, 0)) + kPi / 2, pitch = kPi * 0.002;
  double off = rack.p.x() - gear.p.x() - 0.02 * turn - 0.5 * pitch;
  off -= pitch * std::round(off / pitch);
  EXPECT_NEAR(off, 0, 1e-9);
}

/// A planetary stage on ground, its carrier driven or its sun.
Mechanism stage(const PlanetaryDraft& given, const std::string& driven) {
  Maker maker;
  maker.seat("g", "axis", {0, 0, 0.1}, Vec3::UnitZ(), Vec3::UnitX());
  const auto m = maker.read();
  PlanetaryDraft d = given;
  d.module = Field(0.002);
  d.width = Field(0.01);
  d.seat = findByName(m.links, "g")->seats[0]->id;
  auto made = withPlanetary(m, d, homePoses(m));
  if (!made.ok()) {
    ADD_FAILURE() << made.error().text;
    return m;
  }
  auto json = Json::parse(io::writeCoop(*made));
  json["drives"] = {{{"name", "motor"},
                     {"value", driven},
                     {"programme", {{{"law", "constant-speed"}, {"speed", 1}, {"time", 1e6}}}}}};
  json["runs"] = {{{"name", "run"}, {"duration", 3}, {"steps", 30}}};
  return test::read(json.dump());
}

// Willis: with the ring held, the sun turns 1 + zr/zs times as fast as the carrier.
TEST(PlanetaryMaker, RatiosAndPhasesOfAStage) {
  PlanetaryDraft d;
  d.sun = 24;
  d.planet = 18;
  d.ring = 60;
  d.planets = 3;
  const auto m = stage(d, "stage sun.turn");
  const auto a = analysed(m);
  EXPECT_EQ(a.m.left, 0) << "driven by its sun alone";
  const auto result = runFirst(m);
  ASSERT_TRUE(result.travel.completed) << said(result);
  EXPECT_NEAR(last(result, "stage carrier.turn rate"), 1 / (1 + 60.0 / 24), 1e-12);
  for (const auto& c : m.couplings) expectMesh(m, c->id, 1e-7);
  // held sun: ring to carrier 1 + zs/zr
  d.held = "sun";
  EXPECT_NEAR(last(runFirst(stage(d, "stage carrier.turn")), "stage ring.turn rate"), 1 + 24.0 / 60, 1e-12);
  d.held = "carrier";
  EXPECT_NEAR(last(runFirst(stage(d, "stage sun.turn")), "stage ring.turn rate"), -24.0 / 60, 1e-12);
}

TEST(PlanetaryMaker, SteppedPlanets) {
  PlanetaryDraft d;
  d.sun = 24;
  d.planet = 30;
  d.second = 18;
  d.ring = 72;
  d.planets = 2;
  const auto m = stage(d, "stage sun.turn");
  // sun to carrier: 1 + (zr zp1) / (zs zp2)
  EXPECT_NEAR(last(runFirst(m), "stage carrier.turn rate"), 1 / (1 + 72.0 * 30 / (24 * 18)), 1e-12);
  for (const auto& c : m.couplings) expectMesh(m, c->id, 1e-7);
}

TEST(PlanetaryMaker, WhatDoesNotCloseIsRefusedWithFigures) {
  Maker maker;
  maker.seat("g", "axis", {0, 0, 0}, Vec3::UnitZ(), Vec3::UnitX());
  const auto m = maker.read();
  PlanetaryDraft d;
  d.module = Field(0.002);
  d.width = Field(0.01);
  d.seat = findByName(m.links, "g")->seats[0]->id;
  d.ring = 61;
  EXPECT_THAT(withPlanetary(m, d, homePoses(m)).error().text, testing::HasSubstr("60 teeth"));
  d.ring = 60;
  d.planets = 5;
  EXPECT_THAT(withPlanetary(m, d, homePoses(m)).error().text, testing::HasSubstr("(24 + 60) / 5"));
  d.planets = 7;
  EXPECT_THAT(withPlanetary(m, d, homePoses(m)).error().text, testing::HasSubstr("meet"));
}

/// Two stages in a row: the first carrier bears the second sun. 1,000 turns of the input keep the phase.
TEST(Train, TwoStagesAgreeWithWillisAndKeepTheirPhase) {
  Maker maker;
  maker.seat("g", "first", {0, 0, 0}, Vec3::UnitZ(), Vec3::UnitX());
  maker.seat("g", "second", {0, 0, 0.06}, Vec3::UnitZ(), Vec3::UnitX());
  auto m = maker.read();
  PlanetaryDraft d;
  d.module = Field(0.002);
  d.width = Field(0.01);
  d.name = "one";
  d.seat = findByName(m.links, "g")->seats[0]->id;
  m = withPlanetary(m, d, homePoses(m)).value();
  d.name = "two";
  d.sun = 20;
  d.planet = 22;
  d.ring = 64;
  d.planets = 4;
  d.seat = findByName(m.links, "g")->seats[1]->id;
  d.inputLink = findByName(m.links, "one carrier")->id;
  auto made = withPlanetary(m, d, homePoses(m));
  ASSERT_TRUE(made.ok()) << made.error().text;
  const double ratio = 1 / (1 + 60.0 / 24) / (1 + 64.0 / 20);
  const auto table = kinematics::trainTable(*made, {jointOf(*made, "one sun"), "turn"});
  ASSERT_TRUE(table.ok()) << table.error().text;
  EXPECT_FALSE(table->free);
  EXPECT_GE(table->rows.size(), 10u);
  bool found = false;
  for (const auto& row : table->rows) {
    EXPECT_NEAR(row.solved, row.willis, 1e-12) << row.value;
    if (row.value != "two carrier.turn") continue;
    found = true;
    EXPECT_NEAR(row.willis, ratio, 1e-12);
  }
  EXPECT_TRUE(found);
  auto json = Json::parse(io::writeCoop(*made));
  const double turns = 1000 * 2 * kPi;
  json["drives"] = {{{"name", "motor"},
                     {"value", "one sun.turn"},
                     {"programme", {{{"law", "linear"}, {"by", turns}, {"time", 100}}}}}};
  json["runs"] = {{{"name", "run"}, {"duration", 100}, {"steps", 500}}};
  const auto result = runFirst(test::read(json.dump()));
  ASSERT_TRUE(result.travel.completed) << said(result);
  const auto at = [&](std::size_t i, const char* name) { return result.rows[i][column(result, name)]; };
  const std::size_t end = result.rows.size() - 1;
  EXPECT_NEAR(at(end, "two carrier.turn") - at(0, "two carrier.turn"), ratio * turns, 1e-9);
}

TEST(Train, ADifferentialSharesItsInput) {
  Maker maker;
  maker.seat("g", "axis", {0, 0, 0}, Vec3::UnitZ(), Vec3::UnitX());
  auto m = maker.read();
  DifferentialDraft d;
  d.module = Field(0.002);
  d.width = Field(0.006);
  d.seat = findByName(m.links, "g")->seats[0]->id;
  auto made = withDifferential(m, d, homePoses(m));
  ASSERT_TRUE(made.ok()) << made.error().text;
  EXPECT_EQ(analysed(*made).m.freedoms, 2);
  const auto table = kinematics::trainTable(*made, {jointOf(*made, "differential cage"), "turn"});
  ASSERT_TRUE(table.ok());
  EXPECT_TRUE(table->free) << "one side must be given too";
  // one side held: the other turns twice as fast as the cage. The left joint counts about the same axis.
  Mechanism held = changedJoint(*made, jointOf(*made, "differential left"), [](Joint& j) { j.held = true; });
  const auto whole = kinematics::trainTable(held, {jointOf(held, "differential cage"), "turn"});
  ASSERT_TRUE(whole.ok()) << whole.error().text;
  int right = 0;
  for (const auto& row : whole->rows) {
    EXPECT_NEAR(row.solved, row.willis, 1e-12) << row.value;
    if (row.value != "differential right.turn") continue;
    ++right;
    EXPECT_NEAR(row.willis, 2, 1e-12);
  }
  EXPECT_EQ(right, 1);
}

TEST(Couple, EveryKindWorksOnJointsThatAreThere) {
  const auto m = shafts(0.05).read();
  const std::vector<Symbol> turns{{jointOf(m, "in"), "turn"}, {jointOf(m, "out"), "turn"}};
  for (CouplingKind kind : {CouplingKind::linear, CouplingKind::gear, CouplingKind::ratio, CouplingKind::belt,
                            CouplingKind::table, CouplingKind::formula}) {
    const auto made = withCoupling(m, kind, turns, newId());
    ASSERT_TRUE(made.ok()) << made.error().text;
    const auto r = resolve(*made);
    ASSERT_TRUE(r.ok()) << r.error().text;
    EXPECT_EQ(analysed(*made).m.freedoms, 1);
    // any kind can become any other
    for (CouplingKind other : {CouplingKind::gear, CouplingKind::formula, CouplingKind::table, CouplingKind::ratio}) {
      const auto changed = withCouplingKind(*made, made->couplings[0]->id, other);
      ASSERT_TRUE(changed.ok()) << changed.error().text;
      EXPECT_TRUE(resolve(*changed).ok());
    }
  }
  EXPECT_FALSE(withCoupling(m, CouplingKind::rack, turns, newId()).ok());
  EXPECT_FALSE(withCoupling(m, CouplingKind::gear, {turns[0]}, newId()).ok());
}

TEST(Couple, BeltsOverThreeWheels) {
  Maker maker;
  maker.hinge("a", "g", "la", 0, 0);
  maker.hinge("b", "g", "lb", 0.3, 0);
  maker.hinge("c", "g", "lc", 0.1, 0.2);
  maker.steady("a.turn", 1);
  maker.run(1, 10);
  const auto m = maker.read();
  BeltDraft d;
  d.joints = {jointOf(m, "a"), jointOf(m, "b"), jointOf(m, "c")};
  d.sizes = {Field(0.04), Field(0.08), Field(0.02)};
  d.sides = {1, 1, -1};
  d.width = Field(0.02);
  const auto made = withBelt(m, d, homePoses(m));
  ASSERT_TRUE(made.ok()) << made.error().text;
  const auto result = runFirst(*made);
  EXPECT_NEAR(last(result, "b.turn rate"), 0.5, 1e-12);
  EXPECT_NEAR(last(result, "c.turn rate"), -2, 1e-12) << "its back lies on the belt";
  EXPECT_EQ(io::writeCoop(test::read(io::writeCoop(*made))), io::writeCoop(*made));
}

// A right-hand screw that turns by +1 about its axis draws a nut that can't turn against the axis by lead / 2 pi.
TEST(Couple, RightAndLeftScrewDrawsItsNutsTogether) {
  Maker maker;
  maker.joint("spindle", "revolute", "g", "screw", {0, 0, 0}, Vec3::UnitX());
  maker.slide("left", "g", "jaw one", 0.05, 0, 1, 0);
  maker.slide("right", "g", "jaw two", -0.05, 0, 1, 0);
  maker.steady("spindle.turn", 1);
  maker.run(1, 10);
  const auto m = maker.read();
  ScrewDraft d;
  d.turn = jointOf(m, "spindle");
  d.slides = {jointOf(m, "left"), jointOf(m, "right")};
  d.lead = Field(0.004);
  d.diameter = Field(0.016);
  d.length = Field(0.2);
  d.starts = Field(1);
  const auto made = withScrew(m, d, homePoses(m));
  ASSERT_TRUE(made.ok()) << made.error().text;
  const auto result = runFirst(*made);
  EXPECT_NEAR(last(result, "left.slide rate"), -0.004 / (2 * kPi), 1e-15);
  EXPECT_NEAR(last(result, "right.slide rate"), 0.004 / (2 * kPi), 1e-15);
}

TEST(CamMaker, EveryFollowerComesBackToItsLaw) {
  struct Case {
    bool swing;
    std::string kind, form;
  };
  for (const Case& c : {Case{false, "roller", "disc"},
                        {false, "flat", "disc"},
                        {false, "point", "disc"},
                        {true, "roller", "disc"},
                        {false, "roller", "barrel"}}) {
    SCOPED_TRACE(c.form + " " + c.kind);
    Maker maker;
    maker.hinge("shaft", "g", "cam", 0, 0);
    if (c.swing)
      maker.hinge("out", "g", "follower", 0.08, 0.02);
    else if (c.form == "barrel")
      maker.joint("out", "prismatic", "g", "follower", {0.05, 0, 0}, Vec3::UnitZ(), Vec3::UnitX());
    else
      maker.slide("out", "g", "follower", 0.005, 0.09, 0, -1);
    maker.steady("shaft.turn", 1);
    maker.run(2 * kPi, 120);
    const auto m = maker.read();
    CamDraft d;
    d.cam = jointOf(m, "shaft");
    d.follower = jointOf(m, "out");
    d.kind = c.kind;
    d.form = c.form;
    d.base = Field(0.04);
    d.roller = Field(0.008);
    d.thickness = Field(c.form == "barrel" ? 0.06 : 0.01);
    d.arm = Field(0.06);
    const auto made = withCam(m, d, homePoses(m));
    ASSERT_TRUE(made.ok()) << made.error().text;
    const auto r = resolve(*made).value();
    const auto result = runFirst(*made);
    ASSERT_TRUE(result.travel.completed) << said(result);
    const auto& law = *r.curveList.at(0).cam->law;
    const std::string value = c.swing ? "out.turn" : "out.slide";
    const double sign = c.form == "disc" && !c.swing ? -1 : 1;  // the slide counts towards the cam
    EXPECT_LT(worstShare(result, value, [&](std::size_t i) { return sign * law.at(result.rows[i][0]).position; }),
              1e-7);
    EXPECT_EQ(io::writeCoop(test::read(io::writeCoop(*made))), io::writeCoop(*made));
  }
}

// Two circles roll on one another as a pair of wheels does; what can't be a contact is refused by name.
TEST(ContactMaker, CurvesRollAndSeatsFollow) {
  auto maker = shafts(0.05, Vec3::UnitZ(), false, 0);
  const auto circle = [&](const char* link, const char* seat, double radius) {
    maker.find(link)["curves"].push_back({{"name", "rim"}, {"seat", seat}, {"kind", "circle"}, {"radius", radius}});
  };
  circle("a", "in", 0.02);
  circle("b", "out", 0.03);
  maker.seat("b", "mark", {0.02, 0, 0});
  const auto m = maker.read();
  const Id first = findByName(m.links, "a")->curves[0]->id, second = findByName(m.links, "b")->curves[0]->id;
  const Id seat = findByName(findByName(m.links, "b")->seats, "mark")->id;
  const auto rolling = withRolling(m, first, second, newId());
  ASSERT_TRUE(rolling.ok()) << rolling.error().text;
  EXPECT_EQ(analysed(*rolling).m.freedoms, 1);
  const auto result = runFirst(*rolling);
  ASSERT_TRUE(result.travel.completed) << said(result);
  EXPECT_NEAR(last(result, "out.turn rate"), -2.0 / 3, 1e-9);
  EXPECT_EQ(io::writeCoop(test::read(io::writeCoop(*rolling))), io::writeCoop(*rolling));
  // the mark stands where the first rim passes: it follows it as a point
  const auto contact = withContact(m, first, seat, "point", Field(0), newId());
  ASSERT_TRUE(contact.ok()) << contact.error().text;
  ASSERT_EQ(contact->camPairs.size(), 1u);
  EXPECT_EQ(contact->camPairs[0]->kind, "point");
  EXPECT_TRUE(resolve(*contact).ok());
  const auto own = withContact(m, second, seat, "point", Field(0), newId());
  ASSERT_FALSE(own.ok());
  EXPECT_THAT(own.error().text, testing::HasSubstr("both on b"));
  EXPECT_FALSE(withRolling(m, first, first, newId()).ok());
  EXPECT_FALSE(withRolling(m, first, seat, newId()).ok());
}

// Two seats alone: shafts are put about them, and gears on these.
TEST(GearMaker, SeatsBearNewShafts) {
  Maker maker;
  maker.seat("g", "left", {0, 0, 0}, Vec3::UnitZ(), Vec3::UnitX());
  maker.seat("g", "right", {0.051, 0, 0}, Vec3::UnitZ(), Vec3::UnitX());
  auto m = maker.read();
  auto poses = homePoses(m);
  GearDraft d;
  d.module = Field(0.002);
  d.width = Field(0.01);
  d.teeth = {Field(17), Field(34)};
  d.moveAxis = false;
  for (std::size_t k = 0; k < 2; ++k) {
    d.joints[k] = newId();
    auto with = withShaft(m, findByName(m.links, "g")->seats[k]->id, d.joints[k], poses);
    ASSERT_TRUE(with.ok()) << with.error().text;
    m = *with;
  }
  EXPECT_EQ(poses.size(), 3u);
  const auto made = withGears(m, d, poses);
  ASSERT_TRUE(made.ok()) << made.error().text;
  EXPECT_EQ(analysed(*made).m.freedoms, 1);
  EXPECT_NEAR(pairLook(*made, d.coupling, poses)->distance, 0.051, 1e-12);
  EXPECT_FALSE(withShaft(m, newId(), newId(), poses).ok());
}

// A figure typed in the card of a coupling takes its elements along.
TEST(MachineFigures, OfACouplingTakeItsElementsAlong) {
  const auto m = shafts(0.05).read();
  const auto d = draft(m, GearDraft::Kind::spur, 17, 34);
  const auto pair = withGears(m, d, homePoses(m)).value();
  const auto more = withCouplingFigure(pair, d.coupling, 1, Field(51), homePoses(pair));
  expectMesh(more, d.coupling);
  EXPECT_EQ(pairLook(more, d.coupling, homePoses(more))->second.teeth, 51);
  EXPECT_NEAR(last(runFirst(more), "out.turn rate"), -1.0 / 3, 1e-12);
  // teeth that can't be change the coupling alone, and the resolver names them
  EXPECT_EQ(findById(withCouplingFigure(pair, d.coupling, 1, Field(2), homePoses(pair)).couplings, d.coupling)
                ->figures[1]
                .number,
            2);
  BeltDraft belt;
  belt.joints = {jointOf(m, "in"), jointOf(m, "out")};
  belt.sizes = {Field(0.01), Field(0.02)};
  belt.width = Field(0.01);
  const auto driven = withBelt(m, belt, homePoses(m)).value();
  const auto wider = withCouplingFigure(driven, belt.coupling, 0, Field(0.015), homePoses(driven));
  EXPECT_EQ(findBody(wider, belt.bodies[0])->body->figures.at("radius").number, 0.015);
  EXPECT_NEAR(last(runFirst(wider), "out.turn rate"), 0.75, 1e-12);
}

// Other document units rewrite plain numbers of all kinds of figures; every size stays.
TEST(MachineFigures, KeepTheirSizesInOtherUnits) {
  for (const char* name : {"croze-cutter", "cask-turner", "head-clamp", "bung-borer"}) {
    const auto m = io::loadCoop(std::string(COOPERAGE_DEMO) + "/" + name + "/" + name + ".coop");
    ASSERT_TRUE(m.ok()) << m.error().text;
    DocumentUnits units = m->units;
    units.length = "in";
    units.angle = "rad";
    const auto a = resolve(*m), b = resolve(withUnits(*m, units));
    ASSERT_TRUE(a.ok()) << a.error().text;
    ASSERT_TRUE(b.ok()) << name << ": " << b.error().text;
    for (std::size_t l = 0; l < a->links.size(); ++l)
      for (std::size_t k = 0; k < a->links[l].bodies.size(); ++k)
        for (std::size_t i = 0; i < a->links[l].bodies[k].figures.size(); ++i)
          EXPECT_NEAR(b->links[l].bodies[k].figures[i], a->links[l].bodies[k].figures[i],
                      1e-9 * (1e-3 + std::abs(a->links[l].bodies[k].figures[i])))
              << name << ' ' << a->links[l].bodies[k].name << ' ' << i;
    for (std::size_t c = 0; c < a->curveList.size(); ++c)
      for (double u : {0.3, 2.0, 4.4})
        EXPECT_LT((a->curveList[c].curve->at(u)[0] - b->curveList[c].curve->at(u)[0]).norm(), 1e-10) << name;
    for (std::size_t c = 0; c < a->couplings.size(); ++c)
      for (std::size_t i = 0; i < a->couplings[c].coefficients.size(); ++i)
        EXPECT_NEAR(b->couplings[c].coefficients[i], a->couplings[c].coefficients[i], 1e-9) << name;
  }
}

TEST(MachineFigures, CurvesAreRenamedAndTakenAwayWithWhatHangsOnThem) {
  const auto m = io::loadCoop(std::string(COOPERAGE_DEMO) + "/croze-cutter/croze-cutter.coop").value();
  const auto link = findByName(m.links, "cam shaft");
  const Id curve = link->curves.at(0)->id;
  const auto named = renamed(m, curve, "feed law");
  ASSERT_TRUE(named.ok()) << named.error().text;
  EXPECT_EQ(findCurve(*named, curve)->curve->name, "feed law");
  EXPECT_THAT(io::writeCoop(*named), testing::HasSubstr("cam shaft/feed law"));
  const auto gone = removed(m, {curve});
  ASSERT_TRUE(gone.ok()) << gone.error().text;
  EXPECT_TRUE(gone->camPairs.empty());
  for (const auto& b : findByName(gone->links, "cam shaft")->bodies) EXPECT_NE(b->kind, BodyKind::cam);
  for (const auto& g : gone->gauges) EXPECT_NE(g->name, "pressure angle");
  EXPECT_TRUE(resolve(*gone).ok());
}

RC_GTEST_PROP(GearMaker, AnyPairMeshesWhereverItsShaftsStand, ()) {
  const int za = *rc::gen::inRange(12, 40), zb = *rc::gen::inRange(12, 80);
  const double angle = *rc::gen::inRange(-31, 31) * 0.1;
  const bool swapped = *rc::gen::arbitrary<bool>();
  const auto m = shafts(0.04 + 1e-3 * *rc::gen::inRange(0, 50), (swapped ? -1 : 1) * Vec3::UnitZ(),
                        *rc::gen::arbitrary<bool>(), angle)
                     .read();
  const auto d = draft(m, GearDraft::Kind::spur, za, zb);
  const auto made = withGears(m, d, homePoses(m));
  RC_ASSERT(made.ok());
  const auto result = runFirst(*made);
  RC_ASSERT(result.travel.completed);
  const auto resolved = resolve(*made).value();
  for (const auto& msg : resolved.messages) RC_ASSERT(msg.code != "gear-sign");
  expectMesh(*made, d.coupling);
}

}  // namespace
}  // namespace cooperage::model
