// SPDX-License-Identifier: GPL-3.0-or-later
// Gear trains, screws and racks against Willis's formula and plain arithmetic (Norton, Design of Machinery, ch. 9).
#include "../maker.h"

namespace cooperage::kinematics {
namespace {

using namespace cooperage::test;

/// Sun 24, planet 18 on a carrier, ring 60, all about z; joints sun, arm, ring, planet.
Maker planetary() {
  Maker m;
  m.hinge("sun", "g", "sun wheel", 0, 0);
  m.hinge("arm", "g", "carrier", 0, 0);
  m.hinge("ring", "g", "ring wheel", 0, 0);
  m.hinge("planet", "carrier", "planet wheel", 0.042, 0);
  m.add("couplings", {{"name", "sun and planet"},
                      {"kind", "gear"},
                      {"values", {"sun.turn", "planet.turn"}},
                      {"teeth", {24, 18}},
                      {"carrier", "carrier"},
                      {"module", "2 mm"}});
  m.add("couplings", {{"name", "planet and ring"},
                      {"kind", "gear"},
                      {"values", {"planet.turn", "ring.turn"}},
                      {"teeth", {18, 60}},
                      {"carrier", "carrier"},
                      {"internal", true}});
  return m;
}
Json& jointNamed(Maker& m, const std::string& name) {
  for (Json& j : m.json()["joints"])
    if (j["name"] == name) return j;
  throw std::logic_error("no joint");
}

// (sun - arm)/(ring - arm) = -60/24
TEST(Trains, WillisHoldsForAllThreeHolds) {
  struct Case {
    const char *held, *driven, *read;
    double ratio;
  };
  for (const Case& c : {Case{"ring", "sun", "arm", 24.0 / 84}, Case{"sun", "arm", "ring", 84.0 / 60},
                        Case{"arm", "sun", "ring", -24.0 / 60}, Case{"ring", "arm", "sun", 84.0 / 24}}) {
    Maker m = planetary();
    jointNamed(m, c.held)["held"] = true;
    m.steady(std::string(c.driven) + ".turn", 7);
    m.gauge("ratio", "velocity-ratio", {std::string(c.read) + ".turn", std::string(c.driven) + ".turn"});
    m.run(9, 37);  // ten turns
    const auto r = runFirst(m.read());
    ASSERT_TRUE(r.travel.completed) << said(r);
    EXPECT_LT(worstShare(r, std::string(c.read) + ".turn", [&](std::size_t i) { return 7 * r.rows[i][0] * c.ratio; }),
              kClosedForm);
    EXPECT_LT(worstShare(r, "ratio", [&](std::size_t) { return c.ratio; }), kClosedForm);
  }
}

TEST(Trains, WithTwoInputsTheThirdFollowsTheirSum) {
  Maker m = planetary();
  m.follow("sun.turn", "3*t + 0.5*sin(5*t)", "a");
  m.follow("ring.turn", "-2*t", "b");
  m.run(4, 40);
  const auto r = runFirst(m.read());
  ASSERT_TRUE(r.travel.completed) << said(r);
  const auto arm = [&](std::size_t i) {
    const Jet t(r.rows[i][0], 1, 0, 0);
    return (Jet(24) * (Jet(3) * t + Jet(0.5) * sin(Jet(5) * t)) - Jet(120) * t) / Jet(84);
  };
  EXPECT_LT(worstShare(r, "arm.turn", [&](std::size_t i) { return arm(i).v; }), kClosedForm);
  EXPECT_LT(worstShare(r, "arm.turn acc", [&](std::size_t i) { return arm(i).d2; }), kClosedForm);
}

TEST(Trains, SignsThatDisagreeWithTheGeometryAndWrongCentresAreSaid) {
  Maker m = planetary();
  m.json()["couplings"][0]["flip"] = true;
  const auto r = model::resolve(m.read());
  ASSERT_TRUE(r.ok());
  EXPECT_TRUE(
      std::any_of(r->messages.begin(), r->messages.end(), [](const Message& w) { return w.code == "gear-sign"; }));
  Maker n = planetary();
  n.json()["couplings"][0]["module"] = "2.5 mm";
  const auto s = model::resolve(n.read());
  ASSERT_TRUE(s.ok());
  EXPECT_TRUE(std::any_of(s->messages.begin(), s->messages.end(),
                          [](const Message& w) { return w.code == "centre-distance"; }));
  n.json()["couplings"][0]["carrier"] = "ring wheel";  // which carries nothing
  EXPECT_FALSE(model::resolve(n.read()).ok());
}

// stepped planets: in = sun 20, planet 40 and 16 on one shaft, ring 76 held: 1 + (40*76)/(20*16) turns of the sun for
// one of the arm
TEST(Trains, SteppedPlanets) {
  Maker m;
  m.hinge("sun", "g", "sun wheel", 0, 0);
  m.hinge("arm", "g", "carrier", 0, 0);
  m.hinge("planet", "carrier", "planet wheel", 0.06, 0);
  m.add("couplings", {{"name", "first"},
                      {"kind", "gear"},
                      {"values", {"sun.turn", "planet.turn"}},
                      {"teeth", {20, 40}},
                      {"carrier", "carrier"}});
  m.add("couplings", {{"name", "second"},
                      {"kind", "gear"},
                      {"values", {"planet.turn", "g"}},
                      {"teeth", {16, 76}},
                      {"internal", true},
                      {"carrier", "carrier"}});
  m.steady("sun.turn", 10);
  m.run(3, 11);
  const auto r = runFirst(m.read());
  ASSERT_TRUE(r.travel.completed) << said(r);
  EXPECT_LT(worstShare(r, "arm.turn", [&](std::size_t i) { return 10 * r.rows[i][0] / (1 + 40.0 * 76 / (20 * 16)); }),
            kClosedForm);
}

// A bevel differential: half the sum of both sides is the cage.
TEST(Trains, BevelDifferential) {
  Maker m;
  m.hinge("left", "g", "left wheel", 0, 0);
  m.hinge("right", "g", "right wheel", 0, 0);
  m.hinge("cage", "g", "box", 0, 0);
  m.joint("pinion", "revolute", "box", "pinion wheel", {0.02, 0, 0}, Vec3::UnitX(), Vec3::UnitY());
  m.add("couplings", {{"name", "l"},
                      {"kind", "gear"},
                      {"values", {"left.turn", "pinion.turn"}},
                      {"teeth", {30, 14}},
                      {"type", "bevel"},
                      {"carrier", "box"}});
  m.add("couplings", {{"name", "r"},
                      {"kind", "gear"},
                      {"values", {"right.turn", "pinion.turn"}},
                      {"teeth", {30, 14}},
                      {"type", "bevel"},
                      {"carrier", "box"},
                      {"flip", true}});
  m.steady("cage.turn", 5, "engine");
  m.follow("left.turn", "5*t + sin(t)", "bend");
  m.run(4, 20);
  const auto r = runFirst(m.read());
  ASSERT_TRUE(r.travel.completed) << said(r);
  EXPECT_LT(worstShare(r, "right.turn", [&](std::size_t i) { return 5 * r.rows[i][0] - std::sin(r.rows[i][0]); }),
            kClosedForm);
  EXPECT_LT(worstShare(r, "pinion.turn", [&](std::size_t i) { return -30.0 / 14 * std::sin(r.rows[i][0]); }),
            kClosedForm);
}

TEST(Trains, RackBeltChainScrewAndRatio) {
  Maker m;
  m.hinge("p", "g", "pinion", 0, 0);
  m.slide("rack", "g", "bar", 0, 0.02, 1, 0);
  m.hinge("b", "g", "pulley", 0.3, 0);
  m.hinge("k", "g", "sprocket", 0.6, 0);
  m.slide("n", "g", "nut", 0, 0.1, 1, 0);
  m.hinge("v", "g", "dial", 0.9, 0);
  m.add("couplings",
        {{"name", "1"}, {"kind", "rack"}, {"values", {"p.turn", "rack.slide"}}, {"radius", "18 mm"}, {"flip", true}});
  m.add("couplings", {{"name", "2"},
                      {"kind", "belt"},
                      {"values", {"p.turn", "b.turn"}},
                      {"radii", {"40 mm", "100 mm"}},
                      {"crossed", true}});
  m.add("couplings", {{"name", "3"}, {"kind", "belt"}, {"values", {"b.turn", "k.turn"}}, {"teeth", {17, 51}}});
  m.add("couplings", {{"name", "4"}, {"kind", "screw"}, {"values", {"k.turn", "n.slide"}}, {"lead", "6 mm"}});
  m.add("couplings", {{"name", "5"}, {"kind", "ratio"}, {"values", {"n.slide", "v.turn"}}, {"ratio", "200 rev/m"}});
  m.steady("p.turn", 30);
  m.run(2, 8);
  const auto r = runFirst(m.read());
  ASSERT_TRUE(r.travel.completed) << said(r);
  const double p = 60, b = -0.4 * p, k = b / 3, n = 0.006 * k / (2 * kPi);
  EXPECT_NEAR(last(r, "rack.slide"), -0.018 * p, 1e-12);
  EXPECT_NEAR(last(r, "b.turn"), b, 1e-9);
  EXPECT_NEAR(last(r, "k.turn"), k, 1e-9);
  EXPECT_NEAR(last(r, "n.slide"), n, 1e-12);
  EXPECT_NEAR(last(r, "v.turn"), 200 * 2 * kPi * n, 1e-9);
}

// A spindle in a nut: the joint screw advances by its lead; the ram turns not.
TEST(Trains, ScrewPress) {
  Maker m;
  m.joint("thread", "screw", "g", "spindle", {0, 0, 0.3})["lead"] = "8 mm";
  m.joint("swivel", "revolute", "spindle", "ram", {0, 0, 0.1});
  m.joint("guide", "prismatic", "g", "ram", {0.1, 0, 0}, Vec3::UnitZ(), Vec3::UnitX());
  m.follow("thread.turn", "40 rad*(1-cos(t))");
  m.run(3, 12);
  const auto r = runFirst(m.read());
  ASSERT_TRUE(r.travel.completed) << said(r);
  const auto turn = [&](std::size_t i) { return 40 * (1 - std::cos(r.rows[i][0])); };
  EXPECT_LT(worstShare(r, "guide.slide", [&](std::size_t i) { return 0.008 * turn(i) / (2 * kPi); }), kClosedForm);
  EXPECT_LT(worstShare(r, "swivel.turn", [&](std::size_t i) { return -turn(i); }), kClosedForm);
  EXPECT_LT(
      worstShare(r, "guide.slide acc", [&](std::size_t i) { return 0.008 * 40 * std::cos(r.rows[i][0]) / (2 * kPi); }),
      kClosedForm);
}

TEST(Trains, TableAndFormulaCouplingsWithTheirRates) {
  Maker m;
  m.hinge("in", "g", "wheel", 0, 0);
  m.slide("out", "g", "bar", 0, 0.1, 1, 0);
  m.slide("step", "g", "foot", 0, 0.2, 1, 0);
  m.add("couplings",
        {{"name", "f"}, {"kind", "formula"}, {"value", "out.slide"}, {"formula", "20 mm*(1-cos(2*'in'.turn))"}});
  m.add("couplings", {{"name", "t"},
                      {"kind", "table"},
                      {"values", {"in.turn", "step.slide"}},
                      {"interpolation", "periodic"},
                      {"points", Json::array({Json::array({"0 deg", "0 mm"}), Json::array({"90 deg", "4 mm"}),
                                              Json::array({"180 deg", "6 mm"}), Json::array({"360 deg", "10 mm"})})}});
  m.follow("in.turn", "0.3 + t + 0.1*sin(3*t)");
  m.gauge("jerk", "joint-jerk", "out.slide");
  m.gauge("own", "formula", "out.slide", {{"formula", "2*out.slide + 1 mm*'in'.turn"}});
  m.json()["gauges"][1].erase("of");
  m.run(13, 60);
  const auto r = runFirst(m.read());
  ASSERT_TRUE(r.travel.completed) << said(r);
  const auto out = [&](std::size_t i) {
    const Jet t(r.rows[i][0], 1, 0, 0);
    return Jet(0.02) * (Jet(1) - cos(Jet(2) * (Jet(0.3) + t + Jet(0.1) * sin(Jet(3) * t))));
  };
  EXPECT_LT(worstShare(r, "out.slide", [&](std::size_t i) { return out(i).v; }), kClosedForm);
  EXPECT_LT(worstShare(r, "out.slide rate", [&](std::size_t i) { return out(i).d1; }), kClosedForm);
  EXPECT_LT(worstShare(r, "out.slide acc", [&](std::size_t i) { return out(i).d2; }), kClosedForm);
  EXPECT_LT(worstShare(r, "jerk", [&](std::size_t i) { return out(i).d3; }), kClosedForm);
  EXPECT_LT(worstShare(r, "own",
                       [&](std::size_t i) {
                         const double t = r.rows[i][0];
                         return 2 * out(i).v + 1e-3 * (0.3 + t + 0.1 * std::sin(3 * t));
                       }),
            kClosedForm);
  // the table repeats, a turn higher each time: whole turns give whole rises
  for (const auto& row : r.rows) {
    const double q = row[column(r, "in.turn")], s = row[column(r, "step.slide")];
    EXPECT_GT(s, 0.010 * std::floor(q / (2 * kPi)) - 1e-3);
    EXPECT_LT(s, 0.010 * std::ceil(q / (2 * kPi)) + 1e-3);
  }
}

TEST(Trains, ACouplingRestsWithItsJointAndHeldJointsHold) {
  Maker m = planetary();
  jointNamed(m, "sun")["enabled"] = false;
  jointNamed(m, "ring")["held"] = true;
  m.steady("arm.turn", 1);
  m.run(1, 4);
  const auto r = runFirst(m.read());
  ASSERT_TRUE(r.travel.completed) << said(r);
  EXPECT_NEAR(last(r, "ring.turn"), 0, 1e-15);
  EXPECT_NEAR(last(r, "planet.turn"), -60.0 / 18, 1e-9) << "ring held: the planet rolls in it";
}

TEST(Trains, DependentDrivesAreToldFromContradictingOnes) {
  Maker m = planetary();
  jointNamed(m, "ring")["held"] = true;
  m.steady("sun.turn", 7, "a");
  m.steady("arm.turn", 2, "b");  // 7 * 24/84 = 2: agrees
  m.run(1, 10);
  const auto agree = runFirst(m.read());
  EXPECT_TRUE(agree.travel.completed) << said(agree);
  EXPECT_TRUE(std::any_of(agree.travel.messages.begin(), agree.travel.messages.end(),
                          [](const Message& w) { return w.code == "redundant-drive" && w.objects[0] == "b"; }));
  m.json()["drives"][1]["programme"][0]["speed"] = 2.5;
  const auto part = runFirst(m.read());
  ASSERT_TRUE(part.travel.ended.has_value());
  EXPECT_EQ(part.travel.ended->kind, EndKind::drivesContradict);
}

}  // namespace
}  // namespace cooperage::kinematics
