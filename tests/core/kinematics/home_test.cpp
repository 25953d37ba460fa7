// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/home.h"

#include "../maker.h"

namespace cooperage::kinematics {
namespace {

using namespace cooperage::test;

Result<Home> homeOf(const std::string& text) {
  const auto r = model::resolve(test::read(text));
  if (!r.ok()) return r.error();
  const auto s = System::compile(*r);
  return assemble(*s, *r);
}
double valueAt(const std::string& text, int joint, int value) {
  const auto r = model::resolve(test::read(text)).value();
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

// Bars that were brought together end to end stand in one line: pulled along it they meet a saddle, not a pose.
TEST(Home, LinksInOneLineFoldUntilTheirLoopCloses) {
  const auto chain = [](double a, double b, double c, double ground) {
    const auto n = [](double v) { return formatNumber(v); };
    return R"({"format":"cooperage","version":1,"units":{"length":"mm","angle":"deg"},"links":[
      {"name":"g","ground":true,"seats":[{"name":"o"},{"name":"r","at":[)" +
           n(ground) + R"(,0,0]}]},
      {"name":"crank","seats":[{"name":"0"},{"name":"1","at":[)" +
           n(a) + R"(,0,0]}]},
      {"name":"rod","placement":{"at":[)" +
           n(a) + R"(,0,0]},"seats":[{"name":"0"},{"name":"1","at":[)" + n(b) + R"(,0,0]}]},
      {"name":"rocker","placement":{"at":[)" +
           n(a + b) + R"(,0,0]},"seats":[{"name":"0"},{"name":"1","at":[)" + n(c) + R"(,0,0]}]}],
      "joints":[{"name":"in","kind":"revolute","between":["g/o","crank/0"]},{"name":"p","kind":"revolute","between":["crank/1","rod/0"]},
       {"name":"q","kind":"revolute","between":["rod/1","rocker/0"]},{"name":"out","kind":"revolute","between":["rocker/1","g/r"]}]})";
  };
  for (const auto& [a, b, c, ground] :
       {std::array{30.0, 90.0, 60.0, 100.0}, std::array{60.0, 60.0, 60.0, 60.0}, std::array{40.0, 120.0, 80.0, 30.0}}) {
    const auto r = model::resolve(test::read(chain(a, b, c, ground))).value();
    const auto s = System::compile(r).value();
    const auto h = assemble(s, r);
    ASSERT_TRUE(h.ok()) << h.error().text;
    Solver solver(s, {});
    solver.forward(h->configuration);
    const Vec3 end = solver.linkPose(3) * Vec3(1e-3 * c, 0, 0);
    EXPECT_NEAR((end - Vec3(1e-3 * ground, 0, 0)).norm(), 0, 1e-12);
    EXPECT_NEAR((solver.linkPose(1) * Vec3(1e-3 * a, 0, 0) - solver.linkPose(2).p).norm(), 0, 1e-12);
  }
  // what is too short stays open, with its gap
  const auto open = homeOf(chain(30, 40, 20, 200));
  ASSERT_FALSE(open.ok());
  EXPECT_THAT(open.error().text, testing::HasSubstr("110 mm"));
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
    const auto r = model::resolve(test::read(t)).value();
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

/// A four-bar whose crank stands at one angle in the placements and is asked for another at home.
std::string fourBarAsked(double crank, double placed, double asked) {
  // drawn open: the rocker's end is not where the coupler's is
  return R"({"format":"cooperage","version":1,"units":{"length":"mm","angle":"deg"},"links":[
    {"name":"g","ground":true,"seats":[{"name":"o"},{"name":"r","at":[110.4,0,0]}]},
    {"name":"crank","placement":{"at":[0,0,0],"turn":[)" +
         formatNumber(std::cos(placed / 2)) + ",0,0," + formatNumber(std::sin(placed / 2)) +
         R"(]},"seats":[{"name":"o"},{"name":"p","at":[)" + formatNumber(crank) + R"(,0,0]}]},
    {"name":"coupler","placement":{"at":[)" +
         formatNumber(crank * std::cos(placed)) + "," + formatNumber(crank * std::sin(placed)) +
         R"(,0]},"seats":[{"name":"p"},{"name":"q","at":[120.7,0,0]}]},
    {"name":"rocker","placement":{"at":[110.4,0,0]},"seats":[{"name":"r"},{"name":"q","at":[88.1,0,0]}]}],
   "joints":[{"name":"in","kind":"revolute","between":["g/o","crank/o"],"home":{"turn":)" +
         formatNumber(asked * 180 / kPi) + R"(}},
    {"name":"p","kind":"revolute","between":["crank/p","coupler/p"]},
    {"name":"q","kind":"revolute","between":["coupler/q","rocker/q"]},
    {"name":"out","kind":"revolute","between":["g/r","rocker/r"]}]})";
}

/// Distance of the crank's pin from the rocker's pivot, mm: the coupler and the rocker span 32.6 to 208.8.
double span(double crank, double angle) { return std::hypot(110.4 - crank * std::cos(angle), crank * std::sin(angle)); }

TEST(Home, TheValuesThatAreAskedForAreReachedWhereTheWayToThemIsOpen) {
  const double asked = kPi / 3;
  ASSERT_LT(span(80, 0), 120.7 - 88.1) << "at the placements it can't be closed";
  const auto text = fourBarAsked(80, 0, asked);
  EXPECT_NEAR(valueAt(text, 0, 0), asked, 1e-13);
  // the angle at the rocker's pivot by the cosine law, either way round
  const double f = span(80, asked), rocker = valueAt(text, 3, 0);
  const double line = std::atan2(80 * std::sin(asked), 80 * std::cos(asked) - 110.4);
  const double open = std::acos((f * f + 88.1 * 88.1 - 120.7 * 120.7) / (2 * f * 88.1));
  EXPECT_NEAR(std::abs(std::remainder(rocker - line, 2 * kPi)), open, 1e-9);
}

RC_GTEST_PROP(Home, TheGapIsTheOneAtTheHomeThatWasAskedFor, ()) {
  const double crank = *rc::gen::inRange(150, 400), asked = 0.01 * *rc::gen::inRange(-300, 300);
  const double f = span(crank, asked);
  const double gap = f > 208.8 ? f - 208.8 : f < 32.6 ? 32.6 - f : 0;
  RC_PRE(gap == 0 || gap > 0.1);
  const auto h = homeOf(fourBarAsked(crank, 0.3, asked));
  RC_ASSERT(h.ok() == (gap == 0));
  if (gap == 0) return;
  const auto mm = h.error().text.find(" mm");
  RC_ASSERT(mm != std::string::npos);
  const auto from = h.error().text.rfind(' ', mm - 1) + 1;
  RC_ASSERT(std::abs(std::stod(h.error().text.substr(from, mm - from)) - gap) < 1e-3 * gap);
}

}  // namespace
}  // namespace cooperage::kinematics
