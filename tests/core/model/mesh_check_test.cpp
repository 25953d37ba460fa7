// SPDX-License-Identifier: GPL-3.0-or-later
// Whether what couplings couple still meshes, and what makers must not make: racks on their own carriage, stages whose
// gears lie in other planes than their ring.
#include "model/mesh_check.h"

#include "machines.h"

namespace cooperage::model {
namespace {

std::string problemsOf(const Mechanism& m) {
  std::string out;
  for (const Message& x : meshProblems(m, homePoses(m))) out += x.text + "\n";
  return out;
}

Mechanism pairOf(GearDraft::Kind kind, int za, int zb, double distance) {
  const auto m = shafts(distance).read();
  return withGears(m, draft(m, kind, za, zb), homePoses(m)).value();
}

Mechanism bevels() {
  Maker maker;
  maker.joint("in", "revolute", "g", "a", {0, 0, 0.05}, Vec3::UnitZ());
  maker.joint("out", "revolute", "g", "b", {0.06, 0, 0}, Vec3::UnitX());
  maker.steady("in.turn", 1);
  const auto m = maker.read();
  return withGears(m, draft(m, GearDraft::Kind::bevel, 20, 40), homePoses(m)).value();
}

PlanetaryDraft planetary(const Mechanism& m, std::size_t seat, const std::string& name) {
  PlanetaryDraft d;
  d.module = Field(0.002);
  d.width = Field(0.01);
  d.name = name;
  d.seat = findByName(m.links, "g")->seats[seat]->id;
  return d;
}

/// The first stage's carrier bears the second one's sun; the second seat is 35 mm further on.
Mechanism twoStages() {
  Maker maker;
  maker.seat("g", "first", {0, 0, 0.06}, Vec3::UnitZ(), Vec3::UnitX());
  maker.seat("g", "second", {0, 0, 0.025}, Vec3::UnitZ(), Vec3::UnitX());
  auto m = maker.read();
  m = withPlanetary(m, planetary(m, 0, "one"), homePoses(m)).value();
  auto d = planetary(m, 1, "two");
  d.sun = 20;
  d.planet = 22;
  d.ring = 64;
  d.planets = 4;
  d.inputLink = findByName(m.links, "one carrier")->id;
  return withPlanetary(m, d, homePoses(m)).value();
}

Id bodyNamed(const Mechanism& m, const std::string& link, const std::string& start) {
  for (const auto& b : findByName(m.links, link)->bodies)
    if (b->name.rfind(start, 0) == 0) return b->id;
  ADD_FAILURE() << link << "/" << start;
  return 0;
}

Mechanism differential() {
  Maker maker;
  maker.seat("g", "axis", {0, 0, 0}, Vec3::UnitZ(), Vec3::UnitX());
  const auto m = maker.read();
  DifferentialDraft d;
  d.module = Field(0.002);
  d.width = Field(0.006);
  d.seat = findByName(m.links, "g")->seats[0]->id;
  return withDifferential(m, d, homePoses(m)).value();
}

TEST(MeshCheck, NothingIsSaidOfWhatMakersMake) {
  EXPECT_EQ(problemsOf(pairOf(GearDraft::Kind::spur, 20, 30, 0.05)), "");
  EXPECT_EQ(problemsOf(pairOf(GearDraft::Kind::ring, 20, 60, 0.04)), "");
  EXPECT_EQ(problemsOf(bevels()), "");
  EXPECT_EQ(problemsOf(twoStages()), "");
  EXPECT_EQ(problemsOf(differential()), "");
}

TEST(MeshCheck, AFigureOfOneGearThatTheOtherDoesNotHaveIsTold) {
  const auto spur = pairOf(GearDraft::Kind::spur, 20, 30, 0.05);
  const auto changedFigure = [](const Mechanism& m, Id body, const char* key, double v) {
    return changedBody(m, body, [&](Body& b) { b.figures[key] = Field(v); });
  };
  const Id a = spur.couplings[0]->bodies[0];
  EXPECT_THAT(problemsOf(changedFigure(spur, a, "module", 0.0025)),
              testing::HasSubstr("coupling a - b: modules 2.5 and 2 mm don't mesh"));
  EXPECT_THAT(problemsOf(changedFigure(spur, a, "teeth", 22)),
              testing::HasSubstr("50 mm apart and the teeth ask for 52"));
  EXPECT_THAT(problemsOf(changedFigure(spur, a, "teeth", 16)), testing::HasSubstr("lose touch"));
  // both of them by a parameter: the axes stay where they were
  const auto both =
      changedFigure(changedFigure(spur, a, "module", 0.0025), spur.couplings[0]->bodies[1], "module", 0.0025);
  EXPECT_THAT(problemsOf(both), testing::HasSubstr("ask for 62.5 mm"));
  const auto aside = changedBody(spur, a, [](Body& b) { b.placement.at[2] = Field(0.04); });
  EXPECT_THAT(problemsOf(aside), testing::HasSubstr("along their axes"));
  // a bevel pair whose shaft is turned
  const auto cones = bevels();
  const auto turned = changedLink(cones, findByName(cones.links, "b")->id, [](Link& l) {
    l.placement.turn = {Field(std::cos(0.05)), Field(0), Field(std::sin(0.05)), Field(0)};
  });
  std::vector<Pose> poses = homePoses(cones);
  poses[2] = *poseOf(turned, findByName(turned.links, "b")->placement);
  const auto told = meshProblems(turned, poses);
  ASSERT_FALSE(told.empty());
  EXPECT_THAT(told[0].text, testing::HasSubstr("cones ask for 90 deg"));
  // one gear of a stage
  const auto stages = twoStages();
  EXPECT_THAT(
      problemsOf(changedFigure(stages, bodyNamed(stages, "one planet 2", "gear"), "module", 0.0025)),
      testing::AllOf(testing::HasSubstr("one sun - one planet 2"), testing::HasSubstr("one planet 2 - one ring")));
}

/// The mechanism with a motor on one value, so that its travel can be run.
Mechanism drivenBy(const Mechanism& m, const std::string& value) {
  auto json = Json::parse(io::writeCoop(m));
  json["drives"] = {
      {{"name", "motor"}, {"value", value}, {"programme", {{{"law", "constant-speed"}, {"speed", 1}, {"time", 1e6}}}}}};
  json["runs"] = {{{"name", "run"}, {"duration", 3}, {"steps", 30}}};
  return test::read(json.dump());
}

// A stage has one module: given in any of its pairs it moves the planets' axes out, and all teeth mesh as before.
TEST(MeshCheck, AStageTakesAnotherModuleAsAWhole) {
  const auto m = twoStages();
  for (const char* pair : {"one carrier - two planet 1", "two planet 3 - two ring"}) {
    const auto c = findByName(m.couplings, pair);
    ASSERT_TRUE(c) << pair;
    SCOPED_TRACE(pair);
    EXPECT_EQ(trainOf(m, c->id).size(), 8u) << "four planets, two pairs each";
    auto poses = homePoses(m);
    const auto made = withTrainModule(m, c->id, Field(0.0025), poses);
    ASSERT_TRUE(made.ok()) << made.error().text;
    EXPECT_EQ(problemsOf(*made), "");
    const auto now = homePoses(*made);
    for (std::size_t l = 0; l < now.size(); ++l) EXPECT_LT((now[l].p - poses[l].p).norm(), 1e-12) << l;
    const auto r = resolve(*made).value();
    const auto radius = [&](const std::string& link, const char* body) {
      return bodyAt(r, now, bodyNamed(*made, link, body)).p.head<2>().norm();
    };
    EXPECT_NEAR(radius("two planet 2", "gear"), 0.5 * 0.0025 * (20 + 22), 1e-12);
    EXPECT_NEAR(radius("two carrier", "pin"), 0.5 * 0.0025 * (20 + 22), 1e-12) << "the pins go along";
    EXPECT_NEAR(radius("one planet 2", "gear"), 0.5 * 0.002 * (24 + 18), 1e-12) << "the first stage is another train";
    const auto driven = drivenBy(*made, "one sun.turn");
    for (const auto& k : driven.couplings) expectMesh(driven, k->id, 1e-7);
  }
}

TEST(MeshCheck, ADifferentialTakesAnotherModuleAsAWhole) {
  const auto m = differential();
  auto poses = homePoses(m);
  const auto made = withTrainModule(m, m.couplings[1]->id, Field(0.003), poses);
  ASSERT_TRUE(made.ok()) << made.error().text;
  EXPECT_EQ(trainOf(m, m.couplings[1]->id).size(), 4u);
  EXPECT_EQ(problemsOf(*made), "");
  const auto r = resolve(*made).value();
  for (const auto& l : made->links)
    for (const auto& b : l->bodies)
      if (b->kind == BodyKind::bevelGear) {
        EXPECT_LT(bodyAt(r, homePoses(*made), b->id).p.norm(), 1e-12) << l->name << ": its tip stays on the apex";
      }
}

// Edited again with nothing changed, or with another width, a pair leaves the turn of gears that mesh with others.
TEST(MeshCheck, APairOfAStageCanBeEditedWithoutTurningItsGears) {
  const auto m = twoStages();
  for (const auto& c : m.couplings) {
    auto d = gearDraftOf(m, c->id).value();
    d.width = Field(0.008);
    const auto made = withGears(m, d, homePoses(m));
    ASSERT_TRUE(made.ok()) << made.error().text;
    EXPECT_EQ(problemsOf(*made), "") << c->name;
    const auto before = resolve(m).value(), after = resolve(*made).value();
    for (const Id body : c->bodies) {
      const Pose was = bodyAt(before, homePoses(m), body), now = bodyAt(after, homePoses(*made), body);
      EXPECT_LT((was.p - now.p).norm(), 1e-9) << c->name;
      EXPECT_LT((was.R - now.R).norm(), 1e-8) << c->name;
    }
  }
}

TEST(MeshCheck, TeethBesideTheOthersSpacesAreTold) {
  const auto m = pairOf(GearDraft::Kind::spur, 20, 30, 0.05);
  const auto turned = changedBody(m, m.couplings[0]->bodies[1], [&](Body& b) {
    const Pose p = *poseOf(m, b.placement);
    b.placement = placementOf({p.R * rotationAbout(2, 3 * kPi / 180), p.p}, m.units);
  });
  EXPECT_THAT(problemsOf(turned), testing::HasSubstr("its teeth stand 3 deg beside the other's spaces"));
  const auto angle =
      changedBody(m, m.couplings[0]->bodies[1], [&](Body& b) { b.figures["pressure angle"] = Field(25 * kPi / 180); });
  EXPECT_THAT(problemsOf(angle), testing::HasSubstr("pressure angles of 20 and 25 deg don't mesh"));
}

TEST(MeshCheck, AStageOnASunOfAnotherPlaneLiesInItsOwn) {
  const auto m = twoStages();
  const auto r = resolve(m).value();
  const auto poses = homePoses(m);
  const auto plane = [&](const std::string& link, const std::string& body) {
    return bodyAt(r, poses, bodyNamed(m, link, body)).p.z();
  };
  EXPECT_NEAR(plane("one carrier", "gear"), 0.025, 1e-12) << "the second sun";
  for (int i = 1; i <= 4; ++i) EXPECT_NEAR(plane("two planet " + std::to_string(i), "gear"), 0.025, 1e-12);
  EXPECT_NEAR(plane("two ring", "ring"), 0.025, 1e-12);
  EXPECT_NEAR(plane("one sun", "gear"), 0.06, 1e-12);
  const auto driven = drivenBy(m, "one sun.turn");
  for (const auto& c : driven.couplings) expectMesh(driven, c->id, 1e-7);
  // about another axis it is refused
  Maker maker;
  maker.seat("g", "first", {0, 0, 0.06}, Vec3::UnitZ(), Vec3::UnitX());
  maker.seat("g", "second", {0.01, 0, 0.025}, Vec3::UnitZ(), Vec3::UnitX());
  auto aside = maker.read();
  aside = withPlanetary(aside, planetary(aside, 0, "one"), homePoses(aside)).value();
  auto d = planetary(aside, 1, "two");
  d.inputLink = findByName(aside.links, "one carrier")->id;
  const auto refused = withPlanetary(aside, d, homePoses(aside));
  ASSERT_FALSE(refused.ok());
  EXPECT_THAT(refused.error().text, testing::HasSubstr("another axis, 10 mm aside"));
}

// The pinion turns on the carriage; the rack belongs to the bed on which the carriage slides. Rolling without slip: the
// carriage goes r times the pinion's turn.
TEST(RackMaker, APinionThatRidesOnACarriageRunsOnARackOfItsBed) {
  for (const bool swapped : {false, true}) {
    Maker maker;
    maker.slide("out", swapped ? "carriage" : "g", swapped ? "g" : "carriage", -0.03, 0, -1, 0);
    maker.joint("in", "revolute", "carriage", "pinion", {0, 0, 0.025});
    maker.steady("in.turn", 0.1);
    maker.run(1, 10);
    const auto m = maker.read();
    const auto made = withGears(m, draft(m, GearDraft::Kind::rack, 20, 20), homePoses(m));
    ASSERT_TRUE(made.ok()) << made.error().text;
    const Id rack = made->couplings[0]->bodies[1];
    EXPECT_EQ(findBody(*made, rack)->link->name, "g");
    EXPECT_EQ(problemsOf(*made), "");
    const auto r = resolve(*made).value();
    auto p = prepare(*made);
    ASSERT_TRUE(p.run);
    kinematics::Measurer measurer(*p.run);
    const auto result = kinematics::tabulate(*p.run, measurer);
    ASSERT_TRUE(result.travel.completed) << said(result);
    // the pinion's point on the pitch line stands still: v + w x r = 0
    const auto& step = result.travel.steps[5];
    std::vector<Pose> poses;
    measurer.linkPoses(step, poses);
    int pinion = 0;
    for (std::size_t l = 0; l < r.links.size(); ++l)
      if (r.links[l].name == "pinion") pinion = static_cast<int>(l);
    const Pose rackAt = bodyAt(r, poses, rack);
    const auto motion = measurer.relativeMotion(pinion, -1, step);
    Vec3 contact = motion.p[0];
    contact.y() = rackAt.p.y();
    EXPECT_NEAR(std::abs(contact.y() - motion.p[0].y()), 0.02, 1e-9);
    EXPECT_LT((motion.p[1] + motion.spin().cross(contact - motion.p[0])).norm(), 1e-12);
  }
}

TEST(CamRows, TheNextDwellGivesWaySoThatTheTurnStaysWhole) {
  Maker maker;
  maker.hinge("shaft", "g", "cam", 0, 0);
  maker.slide("out", "g", "follower", 0.005, 0.09, 0, -1);
  maker.steady("shaft.turn", 1);
  maker.run(1, 10);
  const auto plain = maker.read();
  CamDraft d;
  d.cam = jointOf(plain, "shaft");
  d.follower = jointOf(plain, "out");
  d.base = Field(0.04);
  d.roller = Field(0.008);
  const auto m = withCam(plain, d, homePoses(plain)).value();
  const auto curve = findByName(m.links, "cam")->curves.at(0);
  const auto rows = [&](const Mechanism& of, const char* key) {
    std::vector<double> out;
    for (const auto& r : findCurve(of, curve->id)->curve->rows)
      out.push_back(r.figures.count(key) ? *evaluateField(of, r.figures.at(key), *camRowDimension(*curve, r.law, key))
                                         : 0);
    return out;
  };
  const auto near = [](const std::vector<double>& v) { return testing::Pointwise(testing::DoubleNear(1e-9), v); };
  ASSERT_THAT(rows(m, "over"), near({120 * kDegree, 60 * kDegree, 120 * kDegree, 60 * kDegree}));
  const auto wider = withCamFigure(m, curve->id, 0, "over", *parseField(m, "140 deg"));
  EXPECT_THAT(rows(wider, "over"), near({140 * kDegree, 40 * kDegree, 120 * kDegree, 60 * kDegree}));
  EXPECT_TRUE(resolve(wider).ok());
  const auto last = withCamFigure(m, curve->id, 2, "over", *parseField(m, "100 deg"));
  EXPECT_THAT(rows(last, "over"), near({120 * kDegree, 60 * kDegree, 100 * kDegree, 80 * kDegree}));
  // no dwell has so much: the next row with room does
  const auto most = withCamFigure(m, curve->id, 0, "over", *parseField(m, "200 deg"));
  EXPECT_THAT(rows(most, "over"), near({200 * kDegree, 60 * kDegree, 40 * kDegree, 60 * kDegree}));
  // a dwell itself: the other one
  const auto dwell = withCamFigure(m, curve->id, 1, "over", *parseField(m, "50 deg"));
  EXPECT_THAT(rows(dwell, "over"), near({120 * kDegree, 50 * kDegree, 120 * kDegree, 70 * kDegree}));
  const auto higher = withCamFigure(m, curve->id, 0, "lift", *parseField(m, "25 mm"));
  EXPECT_THAT(rows(higher, "lift"), near({0.025, 0, -0.025, 0}));
  EXPECT_TRUE(resolve(higher).ok());
}

TEST(Mobility, AJointBetweenTwoGroundedLinksIsToldAndOneThatAddsNothingMayBeLeftOut) {
  Maker maker;
  maker.link("bed", true);
  maker.hinge("idle", "g", "bed", 0, 0);
  maker.hinge("in", "g", "arm", 0, 0);
  maker.joint("again", "revolute", "g", "arm", {0, 0, 0.1});
  const auto a = analysed(maker.read());
  std::string said;
  for (const auto& x : a.m.messages) said += x.text + "\n";
  EXPECT_THAT(said, testing::HasSubstr("joint idle: both its links are ground"));
  ASSERT_FALSE(a.m.redundantJoints.empty());
  for (const auto& j : a.m.redundantJoints) {
    EXPECT_THAT(j.cure, testing::HasSubstr("left out (5 less)")) << j.joint;
    EXPECT_EQ(j.rows, 5);
  }
  // the knuckles of a four-bar are all needed
  for (const auto& j : analysed(FourBar{0.02, 0.06, 0.05, 0.07, 0.6}.make().read()).m.redundantJoints)
    EXPECT_THAT(j.cure, testing::Not(testing::HasSubstr("left out"))) << j.joint;
}

}  // namespace
}  // namespace cooperage::model
