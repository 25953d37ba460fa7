// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/travel.h"

#include <rapidcheck/gtest.h>

#include "../support.h"

namespace cooperage::kinematics {
namespace {

using namespace cooperage::test;

// Offset slider-crank: x = r cos q + sqrt(l^2 - (r sin q - e)^2), derivatives by the rules of calculus (Jet).
TEST(Travel, OffsetSliderCrankEqualsTheClosedFormAtEveryStep) {
  const double r = 0.034, l = 0.120, e = 0.011, start = 30 * kPi / 180, w = 2 * kPi;
  const auto result = runFirst(test::read(sliderCrank(34, 120, 11)));
  ASSERT_TRUE(result.travel.completed);
  ASSERT_EQ(result.rows.size(), 73u);
  const auto x = [&](std::size_t i) {
    // the joint counts the crank's turn from the seats: home is 30 degrees
    const Jet q(start + w * result.rows[i][0], w, 0, 0);
    const Jet y = Jet(r) * sin(q) - Jet(e);
    return Jet(r) * cos(q) + sqrt(Jet(l * l) - y * y);
  };
  EXPECT_LT(worstShare(result, "slide.slide", [&](std::size_t i) { return x(i).v; }), kClosedForm);
  EXPECT_LT(worstShare(result, "slide.slide rate", [&](std::size_t i) { return x(i).d1; }), kClosedForm);
  EXPECT_LT(worstShare(result, "slide.slide acc", [&](std::size_t i) { return x(i).d2; }), kClosedForm);
  // a point of the rod, 60 mm along and 10 mm beside it
  const auto point = [&](std::size_t i) {
    const Jet q(start + w * result.rows[i][0], w, 0, 0);
    const Jet px = Jet(r) * cos(q), py = Jet(r) * sin(q);
    const Jet c = (x(i) - px) / Jet(l), s = (Jet(e) - py) / Jet(l);
    return std::pair{px + Jet(0.06) * c - Jet(0.01) * s, py + Jet(0.06) * s + Jet(0.01) * c};
  };
  EXPECT_LT(worstShare(result, "middle x", [&](std::size_t i) { return point(i).first.v; }), kClosedForm);
  EXPECT_LT(
      worstShare(result, "middle v", [&](std::size_t i) { return std::hypot(point(i).first.d1, point(i).second.d1); }),
      kClosedForm);
  // the same point's acceleration as the crank sees it: its coordinates turned back by q
  EXPECT_LT(worstShare(result, "middle a in crank",
                       [&](std::size_t i) {
                         const Jet q(start + w * result.rows[i][0], w, 0, 0);
                         const auto p = point(i);
                         return (p.first * cos(q) + p.second * sin(q)).d2;
                       }),
            kClosedForm);
}

// Four-bar of links a, b (coupler), c, d: rocker angle by the cosine law (Freudenstein's geometry), from first
// principles.
TEST(Travel, FourBarRockerEqualsTheCosineLaw) {
  const double a = 40, b = 110, c = 80, d = 120;
  const auto rocker = [&](double q) {  // angle of the rocker at the far ground pivot
    const double x = a * std::cos(q) - d, y = a * std::sin(q), f = std::hypot(x, y);
    return std::atan2(y, x) - std::acos((c * c + f * f - b * b) / (2 * c * f));
  };
  const double q0 = 1.0, r0 = rocker(q0);
  const auto n = [](double v) { return formatNumber(v); };
  const double px = a * std::cos(q0), py = a * std::sin(q0),
               k = std::atan2(c * std::sin(r0) - py, d + c * std::cos(r0) - px);
  const auto turn = [&](double w) { return "[" + n(std::cos(w / 2)) + ",0,0," + n(std::sin(w / 2)) + "]"; };
  const auto m = test::read(
      R"({"format":"cooperage","version":1,"links":[{"name":"g","ground":true,"seats":[{"name":"a"},{"name":"d","at":[)" +
      n(d) + R"(,0,0]}]},
    {"name":"crank","placement":{"at":[0,0,0],"turn":)" +
      turn(q0) + R"(},"seats":[{"name":"0"},{"name":"1","at":[)" + n(a) + R"(,0,0]}]},
    {"name":"coupler","placement":{"at":[)" +
      n(px) + "," + n(py) + R"(,0],"turn":)" + turn(k) + R"(},"seats":[{"name":"0"},{"name":"1","at":[)" + n(b) +
      R"(,0,0]}]},
    {"name":"rocker","placement":{"at":[)" +
      n(d) + R"(,0,0],"turn":)" + turn(r0) + R"(},"seats":[{"name":"0"},{"name":"1","at":[)" + n(c) + R"(,0,0]}]}],
    "joints":[{"name":"in","kind":"revolute","between":["g/a","crank/0"]},{"name":"p","kind":"revolute","between":["crank/1","coupler/0"]},
    {"name":"q","kind":"revolute","between":["coupler/1","rocker/1"]},{"name":"out","kind":"revolute","between":["g/d","rocker/0"]}],
    "drives":[{"name":"m","value":"in.turn","programme":[{"law":"constant-speed","speed":"30 rpm","time":"4 s"}]}],
    "runs":[{"name":"two turns","duration":"4 s","steps":200}]})");
  const auto result = runFirst(m);
  ASSERT_TRUE(result.travel.completed);
  const double w = kPi;
  const std::size_t in = column(result, "in.turn");
  EXPECT_NEAR(result.rows.back()[in] - result.rows.front()[in], 4 * kPi, 1e-12) << "turns count on over revolutions";
  EXPECT_LT(worstShare(result, "out.turn",
                       [&](std::size_t i) {
                         double angle = rocker(q0 + w * result.rows[i][0]);
                         while (angle - r0 > kPi) angle -= 2 * kPi;
                         while (angle - r0 < -kPi) angle += 2 * kPi;
                         return angle;
                       }),
            kClosedForm);
}

TEST(Travel, ADeadPointIsReachedExactlyAndNamed) {
  // crank 34 longer than the rod 30 with the slide at 0: the crank can rise to sin q = 30/34
  auto text = sliderCrank(34, 30, 0, 10);
  const auto result = runFirst(test::read(text));
  EXPECT_FALSE(result.travel.completed);
  ASSERT_TRUE(result.travel.ended.has_value());
  EXPECT_EQ(result.travel.ended->kind, EndKind::deadPoint);
  EXPECT_NEAR(result.travel.ended->at, std::asin(30.0 / 34.0), 1e-9);
  EXPECT_FALSE(result.travel.ended->joint.empty());
  EXPECT_NEAR(result.axis.back(), result.travel.ended->at, 1e-12) << "the last row stands where it ended";
}

TEST(Travel, AStopTouchedBetweenTwoStepsEndsTheRun) {
  // the slide's upper stop lies 0.1 mm under its greatest value, which falls between two of only 7 steps
  const double r = 34, l = 120;
  auto text = sliderCrank(r, l, 0, -90);
  text.replace(text.find("\"steps\":72"), 10, "\"steps\":7");
  const std::string slide = R"("kind":"prismatic","between":["frame/guide","block/guide"])";
  text.replace(text.find(slide), slide.size(), slide + R"(,"stops":{"slide":[null,153.9]})");
  const auto result = runFirst(test::read(text));
  ASSERT_TRUE(result.travel.ended.has_value());
  EXPECT_EQ(result.travel.ended->kind, EndKind::stop);
  EXPECT_EQ(result.travel.ended->joint, "slide");
  // x = 153.9 by the cosine law: l^2 = x^2 + r^2 - 2 x r cos q, before the inner dead point q = 0
  const double q = -std::acos((153.9 * 153.9 + r * r - l * l) / (2 * 153.9 * r));
  EXPECT_NEAR(result.travel.ended->at, q, 1e-9);
}

TEST(Travel, TwoDrivesThatPartEndTheRunWhereTheyDo) {
  const auto m = test::read(
      R"({"format":"cooperage","version":1,"links":[{"name":"g","ground":true,"seats":[{"name":"s"}]},{"name":"n","seats":[{"name":"s"}]}],
    "joints":[{"name":"j","kind":"revolute","between":["g/s","n/s"]}],
    "drives":[{"name":"d","value":"j.turn","programme":[{"law":"linear","to":30,"time":1},{"law":"dwell","time":1}]},
     {"name":"e","value":"j.turn","programme":[{"law":"linear","to":60,"time":2}]}],"runs":[{"name":"r","duration":2,"steps":7}]})");
  const auto result = runFirst(m);
  ASSERT_TRUE(result.travel.ended.has_value());
  EXPECT_EQ(result.travel.ended->kind, EndKind::drivesContradict);
  EXPECT_NEAR(result.travel.ended->at, 1.0, 1e-6) << "alike for a second, then one dwells";
}

TEST(Travel, TheSamePoseHoweverManySteps) {
  const auto end = [](int steps) {
    auto text = sliderCrank(34, 120, 11);
    text.replace(text.find("\"steps\":72"), 10, "\"steps\":" + std::to_string(steps));
    const auto result = runFirst(test::read(text));
    return result.rows.back()[column(result, "small.turn")];
  };
  const double reference = end(36);
  for (int steps : {1, 7, 360, 3600}) EXPECT_NEAR(end(steps), reference, 1e-9) << steps;
}

TEST(Travel, CursorPosesDoNotDependOnTheWayThere) {
  const auto m = test::read(sliderCrank(34, 120, 11));
  auto run = TravelRun::prepare(*model::resolve(m), 0).value();
  const Travel travel = run->run();
  TravelStep a, b;
  ASSERT_TRUE(run->poseAt(travel, 0.4321, a));
  ASSERT_TRUE(run->poseAt(travel, 0.9, b));
  ASSERT_TRUE(run->poseAt(travel, 0.1, b));
  ASSERT_TRUE(run->poseAt(travel, 0.4321, b));
  EXPECT_EQ(a.c.q, b.c.q);
}

// RSSR with a spherical pair at each end of the coupler: the distance of the two ball centres is the coupler's length
// (second method: both cranks from their own angles), and the coupler's spin is the one idle freedom.
TEST(Travel, SpatialFourLinkKeepsItsCouplerLength) {
  const auto m = test::read(R"({"format":"cooperage","version":1,"links":[
    {"name":"g","ground":true,"seats":[{"name":"a","at":[0,0,0],"axis":[0,0,1]},{"name":"b","at":[100,20,0],"axis":[0,1,0],"ref":[1,0,0]}]},
    {"name":"in","seats":[{"name":"0"},{"name":"ball","at":[25,0,5]}]},
    {"name":"rod","placement":{"at":[25,0,5]},"seats":[{"name":"0"},{"name":"1","at":[82,25,35]}]},
    {"name":"out","placement":{"at":[100,20,0]},"seats":[{"name":"0","axis":[0,1,0],"ref":[1,0,0]},{"name":"ball","at":[7,5,40]}]}],
    "joints":[{"name":"A","kind":"revolute","between":["g/a","in/0"]},{"name":"S1","kind":"spherical","between":["in/ball","rod/0"]},
    {"name":"S2","kind":"spherical","between":["rod/1","out/ball"]},{"name":"B","kind":"revolute","between":["g/b","out/0"]}],
    "drives":[{"name":"m","value":"A.turn","programme":[{"law":"constant-speed","speed":"60 rpm","time":"1 s"}]}],
    "gauges":[{"name":"length","kind":"distance","of":["in/ball","out/ball"]},{"name":"v","kind":"point-velocity","of":"out/ball","component":"size"}],
    "runs":[{"name":"turn","duration":"1 s","steps":90}]})");
  const auto resolved = model::resolve(m);
  ASSERT_TRUE(resolved.ok());
  auto run = TravelRun::prepare(*resolved, 0).value();
  EXPECT_EQ(run->mobility().freedoms, 2);
  EXPECT_EQ(run->mobility().idle, 1);
  Measurer measurer(*run);
  const auto result = tabulate(*run, measurer);
  ASSERT_TRUE(result.travel.completed);
  const double length = std::sqrt(82.0 * 82 + 25 * 25 + 35 * 35) * 1e-3;
  const std::size_t d = column(result, "length"), q = column(result, "A.turn"), s = column(result, "B.turn");
  for (const auto& row : result.rows) {
    EXPECT_NEAR(row[d], length, 1e-12);
    const Vec3 p = rotationAbout(2, row[q]) * Vec3(0.025, 0, 0.005);
    const Vec3 r = Vec3(0.1, 0.02, 0) + rotationAbout(1, row[s]) * Vec3(0.007, 0.005, 0.04);
    EXPECT_NEAR((p - r).norm(), length, 1e-12);
  }
}

/// A random slider-crank that can turn all the way round.
rc::Gen<std::vector<double>> sizes() {
  return rc::gen::map(rc::gen::tuple(rc::gen::inRange(10, 60), rc::gen::inRange(0, 100), rc::gen::inRange(-9, 9),
                                     rc::gen::inRange(-170, 170)),
                      [](const std::tuple<int, int, int, int>& t) {
                        const double r = std::get<0>(t);
                        return std::vector<double>{r, r + 15 + std::get<1>(t), static_cast<double>(std::get<2>(t)),
                                                   static_cast<double>(std::get<3>(t))};
                      });
}

RC_GTEST_PROP(TravelLaws, LoopsStayClosedAndRatesEqualDifferences, ()) {
  const auto s = *sizes();
  auto m = test::read(test::sliderCrank(s[0], s[1], s[2], s[3]));
  auto run = TravelRun::prepare(*model::resolve(m), 0).value();
  const Travel travel = run->run();
  RC_ASSERT(travel.completed);
  const double h = 1e-4;
  for (double t : {0.11, 0.37, 0.81}) {
    TravelStep a, b, now;
    RC_ASSERT(run->poseAt(travel, t, now));
    RC_ASSERT(run->poseAt(travel, t - h, a));
    RC_ASSERT(run->poseAt(travel, t + h, b));
    for (std::size_t k = 0; k < now.c.q.size(); ++k) {
      const double scale = run->system().dofs[k].scale;
      // third derivatives grow like w^3 (r/(l-r-e))^2: a wide yet telling bound for a central difference
      RC_ASSERT(std::abs((b.c.q[k] - a.c.q[k]) / (2 * h) - now.qd[k]) < 2e-3 * scale);
      RC_ASSERT(std::abs((b.qd[k] - a.qd[k]) / (2 * h) - now.qdd[k]) < 5e-2 * scale);
    }
    run->solver().forward(now.c);
    for (double r : run->solver().residual()) RC_ASSERT(std::abs(r) < 1e-10);
  }
}

RC_GTEST_PROP(TravelLaws, OrderOfLinksAndJointsAndAShiftOf1kmChangeNothing, ()) {
  const auto s = *sizes();
  auto m = test::read(test::sliderCrank(s[0], s[1], s[2], s[3]));
  const auto reference = test::runFirst(m);
  std::reverse(m.joints.begin(), m.joints.end());
  std::reverse(m.links.begin(), m.links.end());
  for (auto& l : m.links) {
    auto copy = std::make_shared<model::Link>(*l);
    copy->placement.at[0].number += 1e6;  // mm
    l = copy;
  }
  const auto moved = test::runFirst(m);
  RC_ASSERT(moved.rows.size() == reference.rows.size());
  const std::size_t a = test::column(reference, "small.turn"), b = test::column(moved, "small.turn");
  for (std::size_t i = 0; i < moved.rows.size(); ++i)
    RC_ASSERT(std::abs(moved.rows[i][b] - reference.rows[i][a]) < 1e-7);  // 1 km leaves 1e-13 m of 0.1 m, twice over
}

}  // namespace
}  // namespace cooperage::kinematics
