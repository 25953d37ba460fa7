// SPDX-License-Identifier: GPL-3.0-or-later
// Makers of gears and planetary stages: phases and distances, couplings and their signs, trains against Willis' rule,
// and the way back by making again.
#include <rapidcheck/gtest.h>

#include "kinematics/train.h"
#include "machines.h"

namespace cooperage::model {
namespace {

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
  d.held = HeldPart::sun;
  EXPECT_NEAR(last(runFirst(stage(d, "stage carrier.turn")), "stage ring.turn rate"), 1 + 24.0 / 60, 1e-12);
  d.held = HeldPart::carrier;
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
