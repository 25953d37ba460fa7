// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/jog.h"

#include "../support.h"
#include "kinematics/mobility.h"

namespace cooperage::kinematics {
namespace {

using namespace cooperage::test;

struct JogBench {
  model::Resolved r;
  System system;
  Home home;
  explicit JogBench(const std::string& text)
      : r(model::resolve(test::read(text)).value()),
        system(System::compile(r).value()),
        home(assemble(system, r).value()) {}
  Jog jog(int joint, int value) { return {system, r, home.configuration, home.configuration, joint, value}; }
};

TEST(Jog, TheSliderFollowsTheCrankByTheClosedForm) {
  const double a = 0.034, l = 0.12, e = 0.011;
  JogBench b(sliderCrank(34, 120, 11));
  auto jog = b.jog(0, 0);
  ASSERT_TRUE(jog.canMove());
  for (const double q : {0.9, 2.5, 4.0, -3.0}) {
    EXPECT_NEAR(jog.moveTo(q), q, 1e-12);
    const double y = a * std::sin(q);
    EXPECT_NEAR(jog.linkPoses()[3].p.x(), a * std::cos(q) + std::sqrt(l * l - (y - e) * (y - e)), 1e-9);
  }
}

TEST(Jog, AStopHaltsItAndIsNamed) {
  auto text = sliderCrank(34, 120, 11);
  const std::string joint = R"("name":"main","kind":"revolute")";
  text.replace(text.find(joint), joint.size(), joint + R"(,"stops":{"turn":[-10,75]})");
  JogBench b(text);
  auto jog = b.jog(0, 0);
  EXPECT_NEAR(jog.moveTo(3), 75 * kPi / 180, 1e-7);
  EXPECT_EQ(jog.endedBy(), "main");
  EXPECT_NEAR(jog.moveTo(-3), -10 * kPi / 180, 1e-7);
}

TEST(Jog, ADeadPointEndsItAsFarAsTheLengthsReach) {
  // driven by its slide, a slider-crank reaches crank and rod in line: the slide's greatest value
  JogBench b(sliderCrank(34, 120, 11));
  int slide = -1;
  for (std::size_t i = 0; i < b.r.joints.size(); ++i)
    if (b.r.joints[i].kind == model::JointKind::prismatic) slide = static_cast<int>(i);
  ASSERT_GE(slide, 0);
  auto jog = b.jog(slide, 0);
  const double before = b.home.configuration.q[static_cast<std::size_t>(b.system.dofOf({slide, 0}))];
  const double now = jog.moveTo(before + 1);
  const double x = std::sqrt(0.154 * 0.154 - 0.011 * 0.011);
  EXPECT_NEAR(jog.linkPoses()[3].p.x(), x, 1e-5);
  EXPECT_LT(now, before + 1);
  EXPECT_FALSE(jog.endedBy().empty());
}

TEST(Jog, HeldValuesAndAnglesOfABallAreRefused) {
  auto text = sliderCrank(34, 120, 11);
  const std::string joint = R"("name":"main","kind":"revolute")";
  text.replace(text.find(joint), joint.size(), joint + R"(,"held":true)");
  JogBench b(text);
  EXPECT_FALSE(b.jog(0, 0).canMove());
}

TEST(Mobility, HundredsOfLooseLinksCountSixEachBesideTheRest) {
  auto text = sliderCrank(34, 120, 11);
  const std::string links = R"("links":[)";
  std::string loose;
  for (int i = 0; i < 300; ++i)
    loose += R"({"name":"stave )" + std::to_string(i) + R"(","placement":{"at":[)" + std::to_string(i) + ",50,0]}},";
  text.replace(text.find(links), links.size(), links + loose);
  JogBench b(text);
  const auto m = analyse(b.system, b.r, b.home);
  EXPECT_EQ(m.freedoms, 6 * 300 + 1);
  EXPECT_EQ(m.driven, 1);
  EXPECT_EQ(m.left, 6 * 300);
  EXPECT_EQ(m.redundant, 3);
  EXPECT_EQ(m.generic.q.size(), static_cast<std::size_t>(b.system.dofCount()));
}

}  // namespace
}  // namespace cooperage::kinematics
