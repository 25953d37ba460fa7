// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/readings.h"

#include <random>

#include "../support.h"
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
  const auto r = kinematics::read(sampled(f, 0, 4, 4000));
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
    return tooCoarse(*run, measurer, result);
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
