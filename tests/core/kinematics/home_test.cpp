// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/home.h"

#include "../support.h"

namespace cooperage::kinematics {
namespace {

using namespace cooperage::test;

Result<Home> homeOf(const std::string& text) {
  const auto r = model::resolve(read(text));
  if (!r.ok()) return r.error();
  const auto s = System::compile(*r);
  return assemble(*s, *r);
}
double valueAt(const std::string& text, int joint, int value) {
  const auto r = model::resolve(read(text)).value();
  const auto s = System::compile(r).value();
  const auto h = assemble(s, r);
  if (!h.ok()) {
    ADD_FAILURE() << h.error().text;
    return 0;
  }
  return jointValue(s, h->configuration, joint, value, r);
}

TEST(Home, PartsThatDontMeetYetAreBroughtTogether) {
  auto text = sliderCrank(34, 120, 0, 40);
  const auto at = text.find("\"name\":\"block\",\"placement\":{\"at\":[");
  text.insert(at + 34, "3");  // the block stands about 30 times too far out
  const double x = valueAt(text, 3, 0), q = valueAt(text, 0, 0);
  EXPECT_NEAR(0.120, std::hypot(x - 0.034 * std::cos(q), 0.034 * std::sin(q)), 1e-12);
}

TEST(Home, AnImposedValueIsMetOnTheBranchOfThePlacements) {
  auto text = sliderCrank(34, 120, 0, 0);
  const std::string joint = R"("name":"main","kind":"revolute","between":["frame/o","crank/o"])";
  text.replace(text.find(joint), joint.size(), joint + R"(,"home":{"turn":170})");
  const double q = 170 * kPi / 180;
  EXPECT_NEAR(valueAt(text, 0, 0), q, 1e-13);
  EXPECT_NEAR(valueAt(text, 3, 0), 0.034 * std::cos(q) + std::sqrt(0.12 * 0.12 - std::pow(0.034 * std::sin(q), 2)),
              1e-12);
}

TEST(Home, WhatCantCloseNamesTheJointAndTheGap) {
  auto text = sliderCrank(34, 120, 11, 40);
  const std::string guide = R"({"name":"guide","at":[0,11,0])";
  text.replace(text.find(guide), guide.size(), R"({"name":"guide","at":[0,200,0])");
  const auto h = homeOf(text);
  ASSERT_FALSE(h.ok());
  EXPECT_THAT(h.error().text, testing::HasSubstr("mm"));
  EXPECT_FALSE(h.error().object.empty());
}

TEST(Home, ACrankTiltedByThreeThousandthsOfADegreeMovesWithItsMisfitShown) {
  auto text = sliderCrank(34, 120, 0, 40);
  const std::string seat = R"({"name":"pin","at":[34,0,0]})";
  const auto tilted = [&](double degrees) {
    auto t = text;
    t.replace(t.find(seat), seat.size(),
              R"({"name":"pin","at":[34,0,0],"axis":[)" + formatNumber(std::sin(degrees * kPi / 180)) + ",0," +
                  formatNumber(std::cos(degrees * kPi / 180)) + "]}");
    return t;
  };
  const auto slight = homeOf(tilted(0.003));
  ASSERT_TRUE(slight.ok());
  EXPECT_THAT(slight->messages, testing::Contains(testing::Field(&Message::code, "misfit")));
  const auto strong = homeOf(tilted(2));
  ASSERT_FALSE(strong.ok());
  EXPECT_THAT(strong.error().text, testing::HasSubstr("deg"));
}

// Signs as the file format fixes them: T2 = T1 * offset * J * flip.
TEST(Home, OffsetAndFlipFollowTheFilesFormula) {
  const auto text = [](const std::string& joint, const std::string& place) {
    return R"({"format":"cooperage","version":1,"links":[{"name":"g","ground":true,"seats":[{"name":"s"}]},
      {"name":"a",)" +
           place + R"("seats":[{"name":"s"}]}],"joints":[{"name":"j","between":["g/s","a/s"],)" + joint + "}]}";
  };
  const auto pose = [](const std::string& t) {
    const auto r = model::resolve(read(t)).value();
    const auto s = System::compile(r).value();
    const auto h = assemble(s, r);
    Solver solver(s, {});
    solver.forward(h->configuration);
    return solver.linkPose(1);
  };
  const Pose slid = pose(text(R"("kind":"revolute","home":{"turn":90},"offset":{"slide":5,"turn":0})", ""));
  EXPECT_NEAR(slid.p.z(), 0.005, 1e-15);
  EXPECT_NEAR((slid.R * Vec3::UnitX() - Vec3::UnitY()).norm(), 0, 1e-14);
  const Pose flipped = pose(text(R"("kind":"prismatic","home":{"slide":7},"flip":true)", ""));
  EXPECT_NEAR(flipped.p.z(), 0.007, 1e-15);
  EXPECT_NEAR((flipped.R * Vec3::UnitZ() + Vec3::UnitZ()).norm(), 0, 1e-14) << "half a turn about ref";
  EXPECT_NEAR((flipped.R * Vec3::UnitX() - Vec3::UnitX()).norm(), 0, 1e-14);
  const Pose screwed = pose(text(R"("kind":"screw","lead":"6 mm","home":{"turn":0,"slide":0})", ""));
  EXPECT_NEAR(screwed.p.norm(), 0, 1e-15);
}

TEST(BallAngles, AreThoseOfRxRyRz) {
  const Vec3 a(0.3, -0.8, 1.9);
  const Mat3 R = (Eigen::AngleAxisd(a[0], Vec3::UnitX()) * Eigen::AngleAxisd(a[1], Vec3::UnitY()) *
                  Eigen::AngleAxisd(a[2], Vec3::UnitZ()))
                     .toRotationMatrix();
  EXPECT_NEAR((ballAngles(R) - a).norm(), 0, 1e-14);
  EXPECT_NEAR((ballRotation(a) - R).norm(), 0, 1e-14);
}

}  // namespace
}  // namespace cooperage::kinematics
