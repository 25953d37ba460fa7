// SPDX-License-Identifier: GPL-3.0-or-later
// Couplings on joints that are there, belts, screws, cams, contacts; new shafts; figures changed later.
#include "kinematics/train.h"
#include "machines.h"

namespace cooperage::model {
namespace {

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
    ContactKind kind;
    CamForm form;
  };
  for (const Case& c : {Case{false, ContactKind::roller, CamForm::disc},
                        {false, ContactKind::flat, CamForm::disc},
                        {false, ContactKind::point, CamForm::disc},
                        {true, ContactKind::roller, CamForm::disc},
                        {false, ContactKind::roller, CamForm::barrel}}) {
    SCOPED_TRACE(wordFor(c.form) + " " + wordFor(c.kind));
    Maker maker;
    maker.hinge("shaft", "g", "cam", 0, 0);
    if (c.swing)
      maker.hinge("out", "g", "follower", 0.08, 0.02);
    else if (c.form == CamForm::barrel)
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
    d.thickness = Field(c.form == CamForm::barrel ? 0.06 : 0.01);
    d.arm = Field(0.06);
    const auto made = withCam(m, d, homePoses(m));
    ASSERT_TRUE(made.ok()) << made.error().text;
    const auto r = resolve(*made).value();
    const auto result = runFirst(*made);
    ASSERT_TRUE(result.travel.completed) << said(result);
    const auto& law = *r.curveList.at(0).cam->law;
    const std::string value = c.swing ? "out.turn" : "out.slide";
    const double sign = c.form == CamForm::disc && !c.swing ? -1 : 1;  // the slide counts towards the cam
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
  const auto contact = withContact(m, first, seat, ContactKind::point, Field(0), newId());
  ASSERT_TRUE(contact.ok()) << contact.error().text;
  ASSERT_EQ(contact->camPairs.size(), 1u);
  EXPECT_EQ(contact->camPairs[0]->kind, ContactKind::point);
  EXPECT_TRUE(resolve(*contact).ok());
  const auto own = withContact(m, second, seat, ContactKind::point, Field(0), newId());
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

}  // namespace
}  // namespace cooperage::model
