// SPDX-License-Identifier: GPL-3.0-or-later
// Travels that closed forms go through: fast and slow trains, fine and coarse leads, change points on a step; and what
// is said where one can't go on.
#include <fmt/format.h>

#include "../maker.h"

namespace cooperage::kinematics {
namespace {

using namespace cooperage::test;
using testing::HasSubstr;

std::string n(double x) { return fmt::format("{:.17g}", x); }

/// A driven hinge, and others that each turn `ratio` times as fast as the one before.
std::string train(double ratio, int stages) {
  std::string links = R"({"name":"g","ground":true,"seats":[{"name":"s"}]})", joints, couplings;
  for (int k = 0; k <= stages; ++k) {
    const std::string id = std::to_string(k);
    links += R"(,{"name":"w)" + id + R"(","seats":[{"name":"s"}]})";
    joints += std::string(k ? "," : "") + R"({"name":"j)" + id + R"(","kind":"revolute","between":["g/s","w)" + id +
              R"(/s"]})";
    if (k > 0)
      couplings += std::string(k > 1 ? "," : "") + R"({"name":"c)" + id + R"(","kind":"ratio","values":["j)" +
                   std::to_string(k - 1) + R"(.turn","j)" + id + R"(.turn"],"ratio":)" + n(ratio) + "}";
  }
  return R"({"format":"cooperage","version":1,"units":{"length":"m","angle":"rad"},"links":[)" + links +
         R"(],"joints":[)" + joints + R"(],"couplings":[)" + couplings +
         R"(],"drives":[{"name":"d","value":"j0.turn","programme":[{"law":"poly-345","to":1,"time":1}]}],
         "runs":[{"name":"r","duration":1,"steps":20}]})";
}
double valueOf(const RunResult& r, const std::string& column) {
  for (std::size_t c = 0; c < r.columns.size(); ++c)
    if (r.columns[c].name == column) return r.rows.back()[c];
  ADD_FAILURE() << "no column " << column;
  return 0;
}

TEST(WaysThrough, TrainsOfAnyRatioEitherWay) {
  for (const double ratio : {1e4, -1e4, 1e6, 1e-4, 1e-6, 1.0})
    for (const int stages : {1, 2}) {
      const double each = stages == 1 ? ratio : std::copysign(std::sqrt(std::abs(ratio)), ratio);
      const auto r = runFirst(test::read(train(each, stages)));
      EXPECT_TRUE(r.travel.completed) << ratio << " in " << stages;
      const double expected = std::pow(each, stages);
      EXPECT_NEAR(valueOf(r, "j" + std::to_string(stages) + ".turn"), expected,
                  1e-9 * std::max(1.0, std::abs(expected)))
          << ratio << " in " << stages;
    }
}

TEST(WaysThrough, LeadsFromAMicrometreToAMetreDrivenFromEitherSide) {
  for (const double lead : {1e-6, 1e-4, 2e-3, 1e-1, 1.0})
    for (const bool byNut : {false, true}) {
      const double turn = 10 * 2 * kPi, slide = 10 * lead;
      const auto r =
          runFirst(test::read(R"({"format":"cooperage","version":1,"units":{"length":"m","angle":"rad"},"links":[
        {"name":"g","ground":true,"seats":[{"name":"s"},{"name":"t"}]},{"name":"screw","seats":[{"name":"s"}]},
        {"name":"nut","seats":[{"name":"t"}]}],
        "joints":[{"name":"R","kind":"revolute","between":["g/s","screw/s"]},{"name":"H","kind":"prismatic","between":["g/t","nut/t"]}],
        "couplings":[{"name":"c","kind":"screw","values":["R.turn","H.slide"],"lead":)" +
                              n(lead) + R"(}],"drives":[{"name":"d","value":")" + (byNut ? "H.slide" : "R.turn") +
                              R"(","programme":[{"law":"linear","to":)" + n(byNut ? slide : turn) +
                              R"(,"time":1}]}],"runs":[{"name":"r","duration":1,"steps":10}]})"));
      EXPECT_TRUE(r.travel.completed) << lead << byNut;
      EXPECT_NEAR(valueOf(r, "R.turn"), turn, 1e-9 * turn) << lead << byNut;
      EXPECT_NEAR(valueOf(r, "H.slide"), slide, 1e-9 * slide) << lead << byNut;
    }
}

/// A parallelogram: at 0 and 180 degrees all four pins lie in line, and it could go over into its crossed form.
std::string parallelogram(double from, const std::string& rows, double time, int steps, double base = 0.3,
                          double arm = 0.1) {
  const double c = std::cos(from), s = std::sin(from);
  const std::string q = "[" + n(std::cos(from / 2)) + ",0,0," + n(std::sin(from / 2)) + "]";
  return R"({"format":"cooperage","version":1,"units":{"length":"m","angle":"rad"},"links":[
    {"name":"g","ground":true,"seats":[{"name":"a"},{"name":"d","at":[)" +
         n(base) + R"(,0,0]}]},
    {"name":"crank","placement":{"turn":)" +
         q + R"(},"seats":[{"name":"a"},{"name":"b","at":[)" + n(arm) + R"(,0,0]}]},
    {"name":"coupler","placement":{"at":[)" +
         n(arm * c) + "," + n(arm * s) + R"(,0]},"seats":[{"name":"b"},{"name":"c","at":[)" + n(base) + R"(,0,0]}]},
    {"name":"rocker","placement":{"at":[)" +
         n(base) + R"(,0,0],"turn":)" + q + R"(},"seats":[{"name":"d"},{"name":"c","at":[)" + n(arm) + R"(,0,0]}]}],
   "joints":[{"name":"A","kind":"revolute","between":["g/a","crank/a"],"home":{"turn":)" +
         n(from) + R"(}},{"name":"B","kind":"revolute","between":["crank/b","coupler/b"]},
    {"name":"C","kind":"revolute","between":["coupler/c","rocker/c"]},{"name":"D","kind":"revolute","between":["g/d","rocker/d"]}],
   "drives":[{"name":"d","value":"A.turn","programme":[)" +
         rows + R"(]}],"runs":[{"name":"r","duration":)" + n(time) + R"(,"steps":)" + std::to_string(steps) + "}]}";
}
std::string move(const char* law, double to, double time) {
  return R"({"law":")" + std::string(law) + R"(","to":)" + n(to) + R"(,"time":)" + n(time) + "}";
}

// From 60 degrees: of 48 and 144 steps one falls on 180 degrees, and to within 1e-12 beside it.
TEST(WaysThrough, AChangePointOnAStepIsPassedStraightOn) {
  for (const double off : {0.0, 1e-12, -1e-12, 1e-9, -1e-6})
    for (const int steps : {48, 60, 144}) {
      const double from = kPi / 3 + off, way = 4 * kPi / 3;
      const auto r = runFirst(test::read(parallelogram(from, move("linear", from + way, 1), 1, steps)));
      ASSERT_TRUE(r.travel.completed) << off << ", " << steps;
      for (const auto& s : r.travel.steps) {
        EXPECT_NEAR(s.c.q[3], s.c.q[0], 1e-9) << off << ", " << steps << " at " << s.t;
        EXPECT_NEAR(s.qd[3], s.qd[0], 1e-8) << off << ", " << steps << " at " << s.t;
        EXPECT_NEAR(s.qdd[3], 0, 1e-4) << off << ", " << steps << " at " << s.t;
      }
    }
}

// Two turns by steps of 5 degrees, each change point on one of them: rows that are lost on a singular pose come back.
TEST(WaysThrough, ChangePointsOnStepsArePassedTurnAfterTurn) {
  for (const int steps : {144, 143, 288}) {
    const double from = kPi / 6;
    const auto r =
        runFirst(test::read(parallelogram(from, move("linear", from + 4 * kPi, 4 * kPi), 4 * kPi, steps, 0.1, 0.04)));
    ASSERT_TRUE(r.travel.completed) << steps << said(r);
    for (const auto& s : r.travel.steps) {
      EXPECT_NEAR(s.c.q[3], s.c.q[0], 1e-9) << steps << " at " << s.t;
      EXPECT_NEAR(s.qd[3], s.qd[0], 1e-8) << steps << " at " << s.t;
    }
  }
}

// It may end on the point, rest on it, turn back there, or go on faster: the rocker does as the crank does.
TEST(WaysThrough, WhatTheDriveDoesOnAChangePointIsDone) {
  const double from = kPi / 3;
  const std::string dwell = R"(,{"law":"dwell","time":0.5},)";
  struct Case {
    const char* what;
    std::string rows;
    double time, last;
  };
  for (const char* law : {"linear", "cycloidal", "poly-345"}) {
    const std::string there = move(law, kPi, 1);
    const Case cases[] = {
        {"ends", there, 1, kPi},
        {"rests, goes on", there + dwell + move(law, 5, 1), 2.5, 5},
        {"rests, turns back", there + dwell + move(law, from, 1), 2.5, from},
        {"turns back", there + "," + move(law, from, 1), 2, from},
        {"faster", there + "," + move(law, 5, 0.25), 1.25, 5},
        {"over it, back, over it", move(law, 4, 1) + "," + move(law, from, 1) + "," + move(law, 4, 1), 3, 4}};
    for (const Case& c : cases)
      for (const int steps : {7, 25, 100}) {
        const auto r = runFirst(test::read(parallelogram(from, c.rows, c.time, steps)));
        ASSERT_TRUE(r.travel.completed) << law << " " << c.what << ", " << steps << said(r);
        EXPECT_NEAR(r.travel.steps.back().c.q[0], c.last, 1e-12);
        for (const auto& s : r.travel.steps) {
          EXPECT_NEAR(s.c.q[3], s.c.q[0], 1e-9) << law << " " << c.what << ", " << steps << " at " << s.t;
          EXPECT_NEAR(s.qd[3], s.qd[0], 1e-8) << law << " " << c.what << ", " << steps << " at " << s.t;
          EXPECT_NEAR(s.qdd[3], s.qdd[0], 1e-4) << law << " " << c.what << ", " << steps << " at " << s.t;
        }
      }
  }
}

// Between the steps, too, forwards and backwards in time.
TEST(WaysThrough, PosesBesideAChangePointAreThoseOfThePath) {
  const double from = kPi / 3;
  const auto r =
      model::resolve(
          test::read(parallelogram(
              from, move("cycloidal", kPi, 1) + R"(,{"law":"dwell","time":0.5},)" + move("cycloidal", 5, 1), 2.5, 25)))
          .value();
  auto run = TravelRun::prepare(r, 0).value();
  const auto travel = run->run();
  ASSERT_TRUE(travel.completed);
  TravelStep s;
  for (int k = 0; k <= 500; ++k) {
    const double t = 0.8 + 0.9 * (k % 2 ? k : 500 - k) / 500;
    ASSERT_TRUE(run->poseAt(travel, t, s)) << t;
    EXPECT_NEAR(s.c.q[3], s.c.q[0], 1e-9) << t;
    EXPECT_NEAR(s.qd[3], s.qd[0], 1e-8) << t;
  }
}

// Home on the point itself: nothing tells which way the rocker goes.
TEST(WaysThrough, AStartOnAChangePointIsNamed) {
  const auto r = runFirst(test::read(parallelogram(0, move("linear", kPi / 2, 1), 1, 12)));
  EXPECT_THAT(said(r), HasSubstr("it starts at a singular pose"));
  EXPECT_THAT(said(runFirst(test::read(parallelogram(0.1, move("linear", 1, 1), 1, 12)))),
              testing::Not(HasSubstr("it starts at a singular pose")));
}

TEST(WaysThrough, NoEndIsToldAsOpenByNothing) {
  const auto r = runFirst(test::read(sliderCrank(60, 50, 0, 30)));
  ASSERT_TRUE(r.travel.ended.has_value());
  const std::string text = r.travel.messages.back().text;
  EXPECT_THAT(text, HasSubstr("drive motor gets no farther than"));
  EXPECT_THAT(text, testing::Not(HasSubstr("by 0 mm")));
  // the crank reaches as far as the rod: sin(q) = 50/60
  EXPECT_NEAR(r.travel.ended->drives.at(0).second, std::asin(50.0 / 60), 1e-9);
}

TEST(WaysThrough, ALawWithoutAValueIsNamed) {
  const std::string text =
      R"({"format":"cooperage","version":1,"links":[{"name":"g","ground":true,"seats":[{"name":"s"}]},
    {"name":"arm","seats":[{"name":"s"}]}],"joints":[{"name":"J","kind":"revolute","between":["g/s","arm/s"]}],
    "drives":[{"name":"m","value":"J.turn","programme":[{"law":"formula","formula":"LAW"}]}],
    "runs":[{"name":"r","duration":1,"steps":4}]})";
  const auto with = [&](const std::string& law) {
    std::string t = text;
    return t.replace(t.find("LAW"), 3, law);
  };
  const auto atOnce = TravelRun::prepare(*model::resolve(test::read(with("log(t)"))), 0);
  ASSERT_FALSE(atOnce.ok());
  EXPECT_THAT(atOnce.error().text, HasSubstr("drive m"));
  const auto later = runFirst(test::read(with("sqrt(0.6-t)")));
  ASSERT_TRUE(later.travel.ended.has_value());
  EXPECT_THAT(later.travel.messages.back().text, HasSubstr("drive m has no value"));
  EXPECT_NEAR(later.travel.ended->t, 0.6, 1e-6);
}

// cos(11 pi x) (1 + x/100): its greatest values lie between 40 steps. Closed form of the last crest by Newton:
// tan(11 pi x) = 0.01 / (11 pi (1 + 0.01 x)).
TEST(Extremes, OfAWaveThatTheStepsHardlySee) {
  Course c;
  const double w = 11 * kPi;
  c.at = [&](double x) { return std::cos(w * x) * (1 + 0.01 * x); };
  for (int i = 0; i <= 40; ++i) {
    c.times.push_back(i / 40.0);
    c.values.push_back(c.at(i / 40.0));
  }
  double x = 10.0 / 11;
  for (int i = 0; i < 20; ++i) x = 10.0 / 11 + std::atan(0.01 / (w * (1 + 0.01 * x))) / w;
  const Extreme e = extremeOf(c, 1);
  EXPECT_NEAR(e.value, c.at(x), 1e-14);
  EXPECT_NEAR(e.t, x, 1e-9);
  EXPECT_NEAR(extremeOf(c, -1).value, -1.01, 1e-12) << "at the end";
}

}  // namespace
}  // namespace cooperage::kinematics
