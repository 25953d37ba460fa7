// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/readings.h"

#include <random>

#include "../maker.h"
#include "kinematics/step_check.h"
#include "model/edits.h"

namespace cooperage::test {
namespace {

using namespace kinematics;

template <class F>
Samples sampled(F f, double from, double to, int n) {
  Samples s;
  for (int i = 0; i <= n; ++i) {
    s.x.push_back(from + (to - from) * i / n);
    s.y.push_back(f(s.x.back()));
  }
  return s;
}

TEST(Readings, OfASine) {
  const auto s = sampled([](double x) { return 3 * std::sin(x) + 0.5; }, 0, 4 * kPi, 400);
  const auto r = kinematics::read(s);
  ASSERT_TRUE(r);
  EXPECT_NEAR(r->mean, 0.5, 1e-12);
  EXPECT_NEAR(r->range(), 6, 1e-3);
  ASSERT_EQ(r->extremes.size(), 4u);
  for (std::size_t i = 0; i < 4; ++i) {
    EXPECT_NEAR(r->extremes[i].x, kPi / 2 + kPi * static_cast<double>(i), 1e-4) << "between the samples";
    EXPECT_NEAR(r->extremes[i].y, i % 2 ? -2.5 : 3.5, 1e-6);
    EXPECT_EQ(r->extremes[i].highest, i % 2 == 0);
  }
  ASSERT_EQ(r->zeros.size(), 4u);
  EXPECT_NEAR(r->zeros[0], kPi + std::asin(0.5 / 3), 1e-4);
  EXPECT_TRUE(r->dwells.empty());
}

TEST(Readings, DwellsAndTheWayBetweenThem) {
  // rests at 0 until 1, rises by a cycloid to 5 at 3, rests until 4
  const auto f = [](double x) {
    const double u = std::clamp((x - 1) / 2, 0.0, 1.0);
    return 5 * (u - std::sin(2 * kPi * u) / (2 * kPi));
  };
  const auto r = kinematics::read(sampled(f, 0, 4, 4000), {5e-3, {}});
  ASSERT_TRUE(r);
  ASSERT_EQ(r->dwells.size(), 2u);
  // within a thousandth of 5 mm: u^3 2 pi^2 / 3 = 0.002 (twice the share), u = 0.0673
  const double flat = 2 * std::cbrt(0.002 * 3 / (2 * kPi * kPi));
  EXPECT_NEAR(r->dwells[0].from, 0, 1e-12);
  EXPECT_NEAR(r->dwells[0].to, 1 + flat, 0.01);
  EXPECT_NEAR(r->dwells[1].from, 3 - flat, 0.01);
  EXPECT_NEAR(r->dwells[1].to, 4, 1e-12);
  EXPECT_NEAR(r->dwells[1].level - r->dwells[0].level, 5, 0.01);
}

// The slow start of a move is no rest: an index of 5 in 2 is one of 5 in 2, whatever the steps.
TEST(Readings, RestsEndWhereTheMotionBegins) {
  const auto f = [](double x) {
    const double u = std::clamp((x - 1.013) / 2, 0.0, 1.0);
    return 5 * u * u * u * (10 - 15 * u + 6 * u * u);
  };
  for (const int n : {97, 400, 4001, 100000}) {
    const auto s = sampled(f, 0, 4, n);
    const auto r = kinematics::read(s, {0, {0, 1.013, 3.013}});
    ASSERT_TRUE(r);
    ASSERT_EQ(r->dwells.size(), 2u) << n;
    EXPECT_NEAR(r->dwells[0].to, 1.013, 1e-12) << n;
    EXPECT_NEAR(r->dwells[1].from, 3.013, 1e-12) << n;
    EXPECT_NEAR(r->dwells[1].level - r->dwells[0].level, 5, 1e-8);
    // without them to within a step
    const auto plain = kinematics::read(s);
    ASSERT_EQ(plain->dwells.size(), 2u) << n;
    EXPECT_NEAR(plain->dwells[0].to, 1.013, 4.0 / n + 2e-3);
  }
  EXPECT_TRUE(kinematics::read(sampled([](double x) { return std::sin(x); }, 0, 20, 100000))->dwells.empty());
}

TEST(Readings, ARestAtZeroIsOneZero) {
  const auto f = [](double x) { return x < 1 || x > 3 ? 0 : std::sin(kPi * (x - 1)) ; };
  const auto r = kinematics::read(sampled(f, 0, 4, 400));
  ASSERT_TRUE(r);
  ASSERT_GE(r->zeros.size(), 3u);
  EXPECT_LE(r->zeros.size(), 4u);
  EXPECT_EQ(r->zeros[0], 0);
  EXPECT_NEAR(r->zeros[1], 2, 1e-9);
  EXPECT_NEAR(r->zeros[2], 3, 0.02);
  EXPECT_TRUE(std::none_of(r->zeros.begin(), r->zeros.end(), [](double x) { return x > 0 && x < 1; }));
}

TEST(Readings, HolesAndFallingAxes) {
  auto s = sampled([](double x) { return x * x; }, 2, -2, 40);
  EXPECT_NEAR(*valueAt(s, 0.55), 0.3025, 0.003);
  EXPECT_FALSE(valueAt(s, 2.5));
  EXPECT_FALSE(valueAt(s, -2.5));
  EXPECT_NEAR(*valueAt(s, -2), 4, 1e-12);
  for (std::size_t i = 10; i < 15; ++i) s.y[i] = std::nan("");
  EXPECT_FALSE(valueAt(s, s.x[12]));
  const auto r = kinematics::read(s);
  ASSERT_TRUE(r);
  EXPECT_NEAR(r->least, 0, 1e-12);
  EXPECT_FALSE(kinematics::read(Samples{{0, 1}, {std::nan(""), std::nan("")}}));
}

model::Mechanism steps(int n) {
  auto m = read(sliderCrank(20, 70, 5));
  return model::changed<model::Run>(m, &model::Mechanism::runs, m.runs[0]->id, [&](model::Run& r) { r.steps = n; });
}

TEST(Readings, TooFewStepsAreRecognisedAndEnoughAreNot) {
  const auto coarseOf = [](int n) {
    auto run = TravelRun::prepare(model::resolve(steps(n)).value(), 0).value();
    Measurer measurer(*run);
    const auto result = tabulate(*run, measurer);
    return checkSteps(*run, measurer, result).coarse;
  };
  const auto coarse = coarseOf(8);
  ASSERT_EQ(coarse.size(), 3u) << "all three gauges";
  for (const auto& c : coarse) {
    EXPECT_GT(c.share, 0.01);
    EXPECT_GT(c.suggested, 16);
  }
  int most = 0;
  for (const auto& c : coarse) most = std::max(most, c.suggested);
  EXPECT_TRUE(coarseOf(most).empty()) << most << " steps were to be enough";
  EXPECT_TRUE(coarseOf(360).empty());
}

StepCheck checkedSteps(const model::Mechanism& m) {
  auto run = TravelRun::prepare(model::resolve(m).value(), 0).value();
  Measurer measurer(*run);
  const auto result = tabulate(*run, measurer);
  return checkSteps(*run, measurer, result);
}

// A disc that runs up at 4 rad/s^2 for half a second and goes on: its acceleration falls from 4 to 0 there.
TEST(StepCheck, AJumpOfAProgrammeIsToldWithItsPlaceAndItsDriveAndIsNotCoarse) {
  for (const int n : {10, 37, 1000}) {
    Maker m;
    m.hinge("in", "g", "disc", 0, 0);
    m.add("drives", {{"name", "motor"},
                     {"value", "in.turn"},
                     {"programme",
                      {{{"law", "run-up"}, {"speed", 2}, {"acceleration", 4}},
                       {{"law", "constant-speed"}, {"speed", 2}, {"time", 0.5}}}}});
    m.gauge("acc", "joint-acceleration", "in.turn");
    m.run(1, n);
    const auto steps = checkedSteps(m.read());
    ASSERT_EQ(steps.jumps.size(), 1u) << n;
    EXPECT_TRUE(steps.coarse.empty()) << n;
    EXPECT_NEAR(steps.jumps[0].at, 0.5, 1e-7);
    EXPECT_NEAR(steps.jumps[0].from, 4, 1e-9);
    EXPECT_NEAR(steps.jumps[0].to, 0, 1e-9);
    EXPECT_THAT(steps.jumps[0].cause, testing::HasSubstr("drive motor"));
  }
}

// A stadium of two straights and two arcs: where they meet, the curvature and with it the follower's acceleration jump.
TEST(StepCheck, TheJointOfACamsPiecesIsTheCauseOfAJump) {
  Maker m;
  const double r = 0.02, half = 0.01;
  m.hinge("shaft", "g", "cam", 0, 0);
  m.seat("cam", "plane", Vec3::Zero(), Vec3::UnitZ(), Vec3::UnitX());
  const auto arc = [&](double x, double from, double to) {
    return Json{{"arc", {{"from", {x, from * r}}, {"to", {x, to * r}}, {"centre", {x, 0}}, {"ccw", true}}}};
  };
  m.find("cam")["curves"].push_back({{"name", "rim"},
                                     {"seat", "plane"},
                                     {"kind", "chain"},
                                     {"closed", true},
                                     {"pieces",
                                      {{{"line", {{-half, -r}, {half, -r}}}},
                                       arc(half, -1, 1),
                                       {{"line", {{half, r}, {-half, r}}}},
                                       arc(-half, 1, -1)}}});
  m.slide("guide", "g", "follower", 0, r, 0, 1);
  m.seat("follower", "foot", {0, r, 0}, Vec3::UnitZ(), Vec3::UnitX());
  m.add(
      "cam_pairs",
      {{"name", "contact"}, {"kind", "point"}, {"cam", "cam/rim"}, {"follower", "follower/foot"}, {"side", "outside"}});
  m.steady("shaft.turn", 1);
  m.gauge("acc", "joint-acceleration", "guide.slide");
  m.run(1.5, 211);
  const auto steps = checkedSteps(m.read());
  ASSERT_EQ(steps.jumps.size(), 1u);
  EXPECT_TRUE(steps.coarse.empty());
  // the point is on the straight's end when tan q = half / r; there y = r / cos q, y'' = r (2 / cos^3 q - 1 / cos q)
  const double q = std::atan(half / r), c = std::cos(q);
  EXPECT_NEAR(steps.jumps[0].at, q, 1e-6);
  EXPECT_NEAR(steps.jumps[0].from, r * (2 / (c * c * c) - 1 / c), 1e-6);
  EXPECT_THAT(steps.jumps[0].cause, testing::HasSubstr("cam pair contact"));
  EXPECT_THAT(steps.jumps[0].cause, testing::HasSubstr("straight"));
  EXPECT_THAT(steps.jumps[0].cause, testing::HasSubstr("radius 20 mm"));
}

TEST(Readings, APathIsSmoothWhateverTheSteps) {
  // the crank's pin draws a circle of 20 mm; seen from the rod's big end it rests
  auto run = TravelRun::prepare(model::resolve(steps(6)).value(), 0).value();
  Measurer measurer(*run);
  const auto travel = run->run();
  const auto& links = run->resolved().links;
  int crank = 0, rod = 0;
  for (std::size_t l = 0; l < links.size(); ++l) {
    if (links[l].name == "crank") crank = static_cast<int>(l);
    if (links[l].name == "rod") rod = static_cast<int>(l);
  }
  const auto path = pathOf(*run, measurer, travel, {crank, 1}, -1, 1e-5);
  EXPECT_GT(path.points.size(), 40u) << "poses between the steps";
  EXPECT_EQ(path.steps.size(), 7u);
  for (std::size_t i = 0; i < path.points.size(); ++i) {
    EXPECT_NEAR(path.points[i].head<2>().norm(), 0.020, 1e-12);
    EXPECT_NEAR(path.speed[i], 0.020 * 2 * kPi, 1e-10);
    if (i > 0) {
      const double chord = (path.points[i] - path.points[i - 1]).norm();
      EXPECT_LT(0.020 - std::sqrt(0.020 * 0.020 - chord * chord / 4), 1.05e-5) << "height of the arc over its chord";
    }
  }
  const auto still = pathOf(*run, measurer, travel, {rod, 0}, crank, 1e-5);
  for (const Vec3& p : still.points) EXPECT_NEAR((p - Vec3(0.020, 0, 0)).norm(), 0, 1e-12);
}

}  // namespace
}  // namespace cooperage::test
