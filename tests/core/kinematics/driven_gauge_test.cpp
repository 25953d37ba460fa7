// SPDX-License-Identifier: GPL-3.0-or-later
// Drives of angles and distances in the place of joint values, against closed forms.
#include "../support.h"
#include "kinematics/mobility.h"

namespace cooperage::test {
namespace {

using namespace kinematics;

/// A crank of 60 mm about the origin, an arm of 50 mm at its end; the frame has an anchor at (100, 0).
std::string arm(const std::string& gauges, const std::string& drives, const std::string& run, double first = 40,
                double second = 70) {
  const auto turn = [](double degrees) {
    return "[" + formatNumber(std::cos(degrees * kDegree / 2)) + ",0,0," +
           formatNumber(std::sin(degrees * kDegree / 2)) + "]";
  };
  const double x = 60 * std::cos(first * kDegree), y = 60 * std::sin(first * kDegree);
  return R"({"format":"cooperage","version":1,"units":{"length":"mm","angle":"deg"},"links":[
   {"name":"frame","ground":true,"seats":[{"name":"o"},{"name":"anchor","at":[100,0,0]},
     {"name":"x","axis":[1,0,0],"ref":[0,1,0]},{"name":"wall","at":[-20,0,0],"axis":[1,0,0],"ref":[0,1,0]}]},
   {"name":"crank","placement":{"turn":)" +
         turn(first) +
         R"(},"seats":[{"name":"o"},{"name":"pin","at":[60,0,0]},{"name":"along","axis":[1,0,0],"ref":[0,1,0]}]},
   {"name":"arm","placement":{"at":[)" +
         formatNumber(x) + "," + formatNumber(y) + R"(,0],"turn":)" + turn(first + second) +
         R"(},"seats":[{"name":"pin"},{"name":"tip","at":[50,0,0]},{"name":"along","axis":[1,0,0],"ref":[0,1,0]}]}],
   "joints":[{"name":"shoulder","kind":"revolute","between":["frame/o","crank/o"]},
     {"name":"elbow","kind":"revolute","between":["crank/pin","arm/pin"]}],
   "gauges":[)" +
         gauges + R"(],"drives":[)" + drives + R"(],"runs":[)" + run + "]}";
}
const char* kRun = R"({"name":"r","duration":"1 s","steps":40})";

TEST(DrivenGauge, ADistanceFollowsTheLawOfCosines) {
  const auto m = read(arm(R"({"name":"d","kind":"distance","of":["frame/anchor","crank/pin"]})",
                          R"({"name":"stretch","gauge":"d","programme":[{"law":"poly-345","to":"130 mm","time":"1 s"}]},
                             {"name":"hold","value":"elbow.turn","programme":[]})",
                          kRun));
  const auto r = runFirst(m);
  ASSERT_TRUE(r.travel.completed) << said(r);
  const auto d = column(r, "d"), turn = column(r, "shoulder.turn"), rate = column(r, "shoulder.turn rate");
  const double first = std::sqrt(0.06 * 0.06 + 0.1 * 0.1 - 2 * 0.006 * std::cos(40 * kDegree));
  EXPECT_NEAR(r.rows.front()[d], first, 1e-12);
  EXPECT_NEAR(r.rows.back()[d], 0.130, 1e-12);
  for (const auto& row : r.rows) {
    const double c = (0.06 * 0.06 + 0.1 * 0.1 - row[d] * row[d]) / (2 * 0.06 * 0.1);
    EXPECT_NEAR(row[turn], std::acos(c), 1e-11);
    const double x = row[0], v = (0.130 - first) * 30 * x * x * (1 - x) * (1 - x);
    EXPECT_NEAR(row[rate], row[d] * v / (0.006 * std::sin(std::acos(c))), 1e-9) << "d' = r a sin(q) q' / d";
  }
}

TEST(DrivenGauge, AnAngleOnAMovingLinkKeepsTheArmUpright) {
  for (const char* about : {"frame/o", "arm/pin"}) {
    const auto m = read(
        arm(std::string(R"({"name":"lean","kind":"angle","of":["frame/x","arm/along"],"about":")") + about + R"("})",
            R"({"name":"sweep","value":"shoulder.turn","programme":[{"law":"cycloidal","by":"120 deg","time":"1 s"}]},
           {"name":"upright","gauge":"lean","programme":[{"law":"harmonic","to":"90 deg","time":"0.4 s"},{"law":"dwell","time":"0.6 s"}]})",
            kRun));
    const auto r = runFirst(m);
    ASSERT_TRUE(r.travel.completed) << about << said(r);
    const auto lean = column(r, "lean"), first = column(r, "shoulder.turn"), second = column(r, "elbow.turn");
    EXPECT_NEAR(r.rows.front()[lean], 110 * kDegree, 1e-12);
    for (const auto& row : r.rows) {
      EXPECT_NEAR(row[lean], row[first] + row[second], 1e-11) << about;
      if (row[0] >= 0.4) {
        EXPECT_NEAR(row[lean], 90 * kDegree, 1e-11);
      }
    }
    EXPECT_NEAR(r.rows.back()[second], (90 - 160) * kDegree, 1e-11);
  }
}

TEST(DrivenGauge, DistancesFromAPlaneAndFromAnAxis) {
  const std::string hold = R"({"name":"hold","value":"elbow.turn","programme":[]})";
  const auto plane = runFirst(read(
      arm(R"({"name":"g","kind":"distance-plane","of":["frame/wall","crank/pin"]})",
          R"({"name":"a","gauge":"g","programme":[{"law":"poly-345","to":"30 mm","time":"1 s"}]},)" + hold, kRun)));
  ASSERT_TRUE(plane.travel.completed) << said(plane);
  EXPECT_NEAR(plane.rows.back()[column(plane, "shoulder.turn")], std::acos(10.0 / 60), 1e-11);
  // the axis along ground's x: the pin's height
  const auto axis = runFirst(read(
      arm(R"({"name":"g","kind":"distance-axis","of":["frame/x","crank/pin"]})",
          R"({"name":"a","gauge":"g","programme":[{"law":"poly-345","to":"20 mm","time":"1 s"}]},)" + hold, kRun)));
  ASSERT_TRUE(axis.travel.completed) << said(axis);
  EXPECT_NEAR(axis.rows.back()[column(axis, "shoulder.turn")], std::asin(20.0 / 60), 1e-11);
}

TEST(DrivenGauge, AnUnsignedAngleBetweenTwoLinks) {
  const auto r =
      runFirst(read(arm(R"({"name":"g","kind":"angle","of":["crank/along","arm/along"]})",
                        R"({"name":"a","gauge":"g","programme":[{"law":"poly-345","to":"100 deg","time":"1 s"}]},
             {"name":"hold","value":"shoulder.turn","programme":[]})",
                        kRun)));
  ASSERT_TRUE(r.travel.completed) << said(r);
  EXPECT_NEAR(r.rows.back()[column(r, "elbow.turn")], 100 * kDegree, 1e-11);
}

TEST(DrivenGauge, InALoopItDrivesAsTheJointWould) {
  // the block of a slider-crank pushed by its distance from the crank's axis: the same as pushing its slide
  const std::string base = sliderCrank(20, 70, 0, 30);
  const auto with = [&](const std::string& drive, const std::string& gauge) {
    auto json = base;
    const auto d = json.find(R"("drives":[)"), e = json.find(R"("gauges":[)");
    json.replace(d, e - d, R"("drives":[)" + drive + "],");
    json.replace(json.find(R"("gauges":[)"), 10, R"("gauges":[)" + gauge);
    const auto axis = json.find(R"(,"axis":"motor")");
    json.erase(axis, 15);
    return runFirst(read(json));
  };
  const std::string to = R"("programme":[{"law":"cycloidal","by":"-12 mm","time":"1 s"}])";
  const auto one = with(R"({"name":"push","value":"slide.slide",)" + to + "}", "");
  const auto two = with(R"({"name":"push","gauge":"d",)" + to + "}",
                        R"({"name":"d","kind":"distance","of":["frame/o","block/pin"]},)");
  ASSERT_TRUE(one.travel.completed && two.travel.completed) << said(one) << said(two);
  for (std::size_t i = 0; i < one.rows.size(); ++i)
    for (const char* name : {"main.turn", "main.turn rate", "main.turn acc", "slide.slide"})
      EXPECT_NEAR(one.rows[i][column(one, name)], two.rows[i][column(two, name)],
                  1e-9 * (1 + std::abs(one.rows[i][column(one, name)])))
          << name << " in row " << i;
}

TEST(DrivenGauge, CountsAreThoseOfTheMechanism) {
  const auto m = read(arm(R"({"name":"d","kind":"distance","of":["frame/anchor","crank/pin"]})",
                          R"({"name":"stretch","gauge":"d","programme":[]})", kRun));
  const auto r = model::resolve(m).value();
  const auto system = System::compile(r).value();
  const auto home = assemble(system, r).value();
  const auto mobility = analyse(system, r, home);
  EXPECT_EQ(mobility.freedoms, 2);
  EXPECT_EQ(mobility.driven, 1);
  EXPECT_EQ(mobility.left, 1);
  EXPECT_EQ(mobility.redundant, 0);
  ASSERT_EQ(mobility.leftFreedoms.size(), 1u);
  EXPECT_THAT(mobility.leftFreedoms[0], testing::HasSubstr("arm"));
}

TEST(DrivenGauge, OutOfReachEndsWithTheReason) {
  const auto r =
      runFirst(read(arm(R"({"name":"d","kind":"distance","of":["frame/anchor","crank/pin"]})",
                        R"({"name":"stretch","gauge":"d","programme":[{"law":"linear","to":"200 mm","time":"1 s"}]},
             {"name":"hold","value":"elbow.turn","programme":[]})",
                        R"({"name":"r","duration":"1 s","steps":40,"axis":"stretch"})")));
  ASSERT_TRUE(r.travel.ended.has_value());
  EXPECT_EQ(r.travel.ended->kind, kinematics::EndKind::deadPoint);
  EXPECT_NEAR(r.travel.ended->at, 0.160, 1e-9) << "stretched out: 60 + 100";
  EXPECT_NEAR(r.travel.ended->gap, 0.040, 1e-6);
}

TEST(DrivenGauge, WhatCannotBeDrivenIsRefusedByName) {
  const auto refusal = [](const std::string& gauge, const std::string& drive) {
    const auto m = io::readCoop(arm(gauge, drive, kRun));
    if (!m.ok()) return m.error().text;
    const auto r = model::resolve(*m);
    if (!r.ok()) return r.error().text;
    const auto run = TravelRun::prepare(*r, 0);
    return run.ok() ? std::string() : run.error().text;
  };
  const std::string d = R"({"name":"a","gauge":"g","programme":[]})";
  EXPECT_THAT(refusal(R"({"name":"g","kind":"point-velocity","of":"arm/tip"})", d),
              testing::HasSubstr("can't be driven"));
  EXPECT_THAT(refusal(R"({"name":"g","kind":"distance","of":["frame/o","crank/o"]})", d),
              testing::HasSubstr("is zero"));
  EXPECT_THAT(refusal(R"({"name":"g","kind":"angle","of":["frame/o","crank/o"]})", d), testing::HasSubstr("parallel"));
  EXPECT_THAT(refusal(R"({"name":"g","kind":"distance","of":["frame/o","frame/anchor"]})", d),
              testing::HasSubstr("on one link"));
  EXPECT_THAT(refusal(R"({"name":"g","kind":"angle","of":["frame/x","crank/along"],"about":"arm/pin"})", d),
              testing::HasSubstr("third link"));
  EXPECT_THAT(refusal("", R"({"name":"a","gauge":"nowhere","programme":[]})"),
              testing::HasSubstr("no gauge 'nowhere'"));
  EXPECT_THAT(refusal("", R"({"name":"a","programme":[]})"), testing::HasSubstr("'value' is missing"));
}

}  // namespace
}  // namespace cooperage::test
