// SPDX-License-Identifier: GPL-3.0-or-later
#include "motion/programme.h"

#include <gmock/gmock.h>

#include <random>

#include "base/geometry.h"
#include "rows.h"

namespace cooperage::motion {
namespace {

constexpr double kRounding = 1e-12;

Programme make(const std::vector<RowFigures>& rows, double start = 0) {
  return Programme::compile(rows, start, false, "d").value();
}

TEST(Programme, RowsFollowOneAnotherFromTheStartValue) {
  const auto p = make({row("poly-345", {{"to", 2}, {"time", 1}}), row("dwell", {{"time", 0.5}}),
                       row("cycloidal", {{"by", -3}, {"time", 2}})},
                      1);
  EXPECT_NEAR(p.at(0).position, 1, kRounding);
  EXPECT_NEAR(p.at(1.2).position, 2, kRounding);
  EXPECT_NEAR(p.at(3.5).position, -1, kRounding);
  EXPECT_NEAR(p.at(9).position, -1, kRounding);
  EXPECT_NEAR(p.at(9).velocity, 0, kRounding);
}

// Areas: 180 deg/s reached at 300 deg/s^2 takes 0.6 s and covers 54 deg; 2 s at speed 360 deg; run-down again 54 deg.
TEST(Programme, RunUpPlateauAndRunDownHaveExactAreas) {
  const double deg = kPi / 180;
  const auto p = make({row("run-up", {{"speed", 180 * deg}, {"acceleration", 300 * deg}}),
                       row("constant-speed", {{"speed", 180 * deg}, {"time", 2}}),
                       row("run-down", {{"acceleration", 300 * deg}})});
  EXPECT_NEAR(p.knots()[1], 0.6, kRounding);
  EXPECT_NEAR(p.at(0.6).position, 54 * deg, kRounding);
  EXPECT_NEAR(p.at(2.6).position, 414 * deg, kRounding);
  EXPECT_NEAR(p.end(), 3.2, kRounding);
  EXPECT_NEAR(p.at(3.2).position, 468 * deg, kRounding);
  EXPECT_NEAR(p.at(0.6).acceleration, 0, kRounding) << "at a knot the rates are those of the row that begins";
}

TEST(Programme, ReversedMirrorsAboutTheStart) {
  const auto forward = make({row("poly-345", {{"to", 2}, {"time", 1}})}, 0.5);
  const auto back = Programme::compile({row("poly-345", {{"to", 2}, {"time", 1}})}, 0.5, true, "d").value();
  for (double t : {0.0, 0.3, 0.8, 1.0}) {
    EXPECT_NEAR(back.at(t).position - 0.5, 0.5 - forward.at(t).position, kRounding);
    EXPECT_NEAR(back.at(t).velocity, -forward.at(t).velocity, kRounding);
  }
}

/// Displacements as the handbooks print them (VDI 2143 Part 1; Norton, Cam Design and Manufacturing Handbook, ch. 2,
/// 3).
double handbook(LawKind law, double x) {
  const double p = kPi;
  if (law == LawKind::linear) return x;
  if (law == LawKind::parabolic) return x < 0.5 ? 2 * x * x : 1 - 2 * (1 - x) * (1 - x);
  if (law == LawKind::harmonic) return 0.5 * (1 - std::cos(p * x));
  if (law == LawKind::cycloidal) return x - std::sin(2 * p * x) / (2 * p);
  if (law == LawKind::smoothStep) return x * x * (3 - 2 * x);
  if (law == LawKind::poly345) return std::pow(x, 3) * (10 - 15 * x + 6 * x * x);
  if (law == LawKind::poly4567) return std::pow(x, 4) * (35 - 84 * x + 70 * x * x - 20 * x * x * x);
  if (law == LawKind::modifiedSine) {
    if (x <= 0.125) return (p * x - 0.25 * std::sin(4 * p * x)) / (4 + p);
    if (x <= 0.875) return (2 + p * x - 2.25 * std::sin((4 * p * x + p) / 3)) / (4 + p);
    return (4 + p * x - 0.25 * std::sin(4 * p * x)) / (4 + p);
  }
  if (law == LawKind::modifiedTrapezoid) {
    if (x > 0.5) return 1 - handbook(law, 1 - x);
    const double wave = 1 / (2 * p * (2 + p));
    if (x <= 0.125) return 2 * x / (2 + p) - wave * std::sin(4 * p * x);
    const auto middle = [&](double y) { return 4 * p / (2 + p) * y * y - (p - 2) / (2 + p) * y; };
    if (x <= 0.375) return handbook(law, 0.125) + middle(x) - middle(0.125);
    return (2 + 2 * p) / (2 + p) * x + wave * std::sin(4 * p * x) - p / (2 * (2 + p));
  }
  if (law == LawKind::trapezoidSpeed) {
    if (x > 2.0 / 3) return 1 - handbook(law, 1 - x);
    return x < 1.0 / 3 ? 0.5 * 4.5 * x * x : 0.25 + 1.5 * (x - 1.0 / 3);
  }
  ADD_FAILURE() << wordFor(law);
  return 0;
}

TEST(Programme, EveryMoveFollowsItsHandbookFormulaAtAThousandTimes) {
  std::mt19937 random(7);
  std::uniform_real_distribution<double> share(0, 1);
  for (const LawKind law : Law::kinds()) {
    const double from = 0.4, by = -1.7, time = 2.3;
    const auto p = make({row(wordFor(law), {{"by", by}, {"time", time}})}, from);
    double worst = 0;
    for (int i = 0; i < 1000; ++i) {
      const double x = share(random);
      worst = std::max(worst, std::abs(p.at(x * time).position - (from + by * handbook(law, x))));
    }
    EXPECT_LT(worst, 1e-14 * 100) << wordFor(law);
  }
}

TEST(Programme, EveryOtherRowFollowsItsFormulaAtAThousandTimes) {
  std::mt19937 random(11);
  std::uniform_real_distribution<double> time(0, 3);
  auto formula = row("formula", {{"time", 3}});
  formula.formula = [](const Jet& t) { return Jet(0.9) * sin(Jet(2) * t); };
  auto speed = row("speed-formula", {{"time", 3}});
  speed.formula = [](const Jet& t) { return Jet(kPi) * (Jet(1) - exp(Jet(-1) * t)); };
  auto polynomial = row("polynomial", {{"time", 3}});
  polynomial.list = {0.1, -2, 3, 0.5};
  const auto f = make({formula}), v = make({speed}), q = make({polynomial});
  const auto s =
      make({row("sine", {{"mean", 0.3}, {"amplitude", 2}, {"frequency", 1.5}, {"phase", 0.4}, {"time", 3}})});
  const auto c = make({row("constant-speed", {{"speed", -0.7}, {"time", 3}})}, 5);
  for (int i = 0; i < 1000; ++i) {
    const double t = time(random), x = t / 3;
    ASSERT_NEAR(f.at(t).position, 0.9 * std::sin(2 * t), kRounding);
    ASSERT_NEAR(f.at(t).jerk, -0.9 * 8 * std::cos(2 * t), kRounding);
    ASSERT_NEAR(v.at(t).position, kPi * (t - 1 + std::exp(-t)), 1e-11) << "integrated";
    ASSERT_NEAR(v.at(t).velocity, kPi * (1 - std::exp(-t)), kRounding);
    ASSERT_NEAR(q.at(t).position, 0.1 - 2 * x + 3 * x * x + 0.5 * x * x * x, kRounding);
    ASSERT_NEAR(s.at(t).position, 0.3 + 2 * std::sin(2 * kPi * 1.5 * t + 0.4), kRounding);
    ASSERT_NEAR(c.at(t).position, 5 - 0.7 * t, kRounding);
  }
}

TEST(Programme, ATableOfFiftyPointsHitsEachOfThem) {
  auto table = row("table", {});
  std::mt19937 random(3);
  std::uniform_real_distribution<double> step(0.02, 0.2), value(-3, 3);
  double t = 0;
  for (int i = 0; i < 50; ++i) {
    table.points.emplace_back(t, value(random));
    t += step(random);
  }
  for (const auto how : {curves::Interpolation::spline, curves::Interpolation::linear}) {
    table.interpolation = how;
    const auto p = make({table});
    for (const auto& [at, v] : table.points)
      EXPECT_NEAR(p.at(at).position, v, kRounding) << wordFor(how) << " at " << at;
  }
}

TEST(Programme, JumpsOfTheSpeedAreFoundWhereTheyAre) {
  const auto smooth = make({row("poly-345", {{"to", 2}, {"time", 1}}), row("dwell", {{"time", 1}})});
  EXPECT_TRUE(smooth.jumps().empty());
  const auto hard =
      make({row("dwell", {{"time", 0.5}}), row("linear", {{"by", 2}, {"time", 1}}), row("dwell", {{"time", 1}})});
  const auto jumps = hard.jumps();
  ASSERT_EQ(jumps.size(), 2u);
  EXPECT_NEAR(jumps[0].t, 0.5, kRounding);
  EXPECT_NEAR(jumps[0].to - jumps[0].from, 2, kRounding);
  EXPECT_NEAR(jumps[1].t, 1.5, kRounding);
  EXPECT_NEAR(jumps[1].to, 0, kRounding);
  // a steady drive turns from the first moment on, and stops at its end
  const auto steady = make({row("constant-speed", {{"speed", 3}, {"time", 2}})});
  ASSERT_EQ(steady.jumps().size(), 1u);
  EXPECT_NEAR(steady.jumps()[0].t, 2, kRounding);
  const auto back = Programme::compile({row("linear", {{"by", 2}, {"time", 1}})}, 0, true, "d").value();
  ASSERT_EQ(back.jumps().size(), 2u);
  EXPECT_NEAR(back.jumps()[0].to, -2, kRounding) << "reversed";
}

}  // namespace
}  // namespace cooperage::motion
