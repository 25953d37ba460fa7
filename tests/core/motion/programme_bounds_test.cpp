// SPDX-License-Identifier: GPL-3.0-or-later
// Bounds that proofs between the steps stand on: never less than what a dense look at the law finds, and not far more.
#include <gmock/gmock.h>

#include <random>

#include "base/geometry.h"
#include "motion/programme.h"
#include "rows.h"

namespace cooperage::motion {
namespace {

/// Greatest distance from the tangent in the middle that a dense look finds.
double seen(const Programme& p, double t0, double t1) {
  const double middle = 0.5 * (t0 + t1);
  const MotionState m = p.at(middle);
  double most = 0;
  for (int i = 0; i <= 2000; ++i) {
    const double t = t0 + (t1 - t0) * i / 2000;
    most = std::max(most, std::abs(p.at(t).position - m.position - m.velocity * (t - middle)));
  }
  return most;
}

/// Rows of any law but formulas, with jumps of speed and of value among them.
Programme any(std::mt19937_64& random) {
  const auto figure = [&](double low, double high) {
    return std::uniform_real_distribution<double>(low, high)(random);
  };
  std::vector<RowFigures> rows;
  for (int k = 0; k < 4; ++k) {
    const double time = figure(0.05, 2);
    switch (std::uniform_int_distribution<int>(0, 15)(random)) {
      case 0: rows.push_back(row("dwell", {{"time", time}})); break;
      case 1: rows.push_back(row("constant-speed", {{"speed", figure(-40, 40)}, {"time", time}})); break;
      case 2:
        rows.push_back(row(
            "sine",
            {{"amplitude", figure(-2, 2)}, {"frequency", figure(0.1, 20)}, {"phase", figure(-3, 3)}, {"time", time}}));
        break;
      case 3: {
        RowFigures r = row("polynomial", {{"time", time}});
        for (int i = 0; i < 9; ++i) r.list.push_back(figure(-5, 5));
        rows.push_back(r);
        break;
      }
      case 4: {
        RowFigures r = row("spline", {{"by", figure(0.5, 3)}, {"time", 1}});
        double t = 0;
        for (int i = 0; i < 5; ++i) r.points.emplace_back(t += figure(0.002, 0.19), figure(-1, 1));
        rows.push_back(r);
        break;
      }
      case 5: {
        RowFigures r = row("table", {});
        double t = 0;
        for (int i = 0; i < 6; ++i) {
          r.points.emplace_back(t, figure(-1, 1));
          t += figure(0.01, 0.4);
        }
        r.interpolation = std::uniform_int_distribution<int>(0, 1)(random) == 0 ? curves::Interpolation::linear
                                                                                : curves::Interpolation::spline;
        rows.push_back(r);
        break;
      }
      default: {
        const auto& kinds = Law::kinds();
        rows.push_back(row(wordFor(kinds[std::uniform_int_distribution<std::size_t>(0, kinds.size() - 1)(random)]),
                           {{"by", figure(-6, 6)}, {"time", time}}));
      }
    }
  }
  return Programme::compile(rows, figure(-1, 1), figure(0, 1) < 0.3, "d").value();
}

// Switched off: half of what the acceleration adds; what jumps of speed add.
TEST(ProgrammeBounds, NoProgrammeLeavesWhatIsSaidOfIt) {
  std::mt19937_64 random(1);
  for (int k = 0; k < 400; ++k) {
    const Programme p = any(random);
    for (int i = 0; i < 10; ++i) {
      std::uniform_real_distribution<double> place(0, p.end() * 1.05);
      double a = place(random), b = place(random);
      if (a > b) std::swap(a, b);
      if (i % 2 == 0) b = a + 1e-3 * (b - a);
      EXPECT_LE(seen(p, a, b), p.deviation(a, b) * (1 + 1e-9) + 1e-13) << "programme " << k << ", " << a << " to " << b;
    }
  }
}

// q = sin(2 pi f t): over a short interval about the crest the bound is half h^2 w^2 of a unit amplitude, to 1 %.
TEST(ProgrammeBounds, AreTightWhereTheIntervalIsShort) {
  const Programme p =
      Programme::compile({row("sine", {{"amplitude", 1}, {"frequency", 0.5}, {"time", 10}})}, 0, false, "d").value();
  const double w = kPi, h = 1e-3, bound = 0.5 * h * h * w * w;
  EXPECT_NEAR(p.deviation(0.5 - h, 0.5 + h), bound, 0.01 * bound);
  // cycloidal, rise 1 in time 1: no acceleration at its ends and in its middle, where a few samples see none either
  const Programme c = Programme::compile({row("cycloidal", {{"by", 1}, {"time", 1}})}, 0, false, "d").value();
  EXPECT_GE(c.deviation(0, 1), 0.5 * 0.25 * 2 * kPi);
}

TEST(ProgrammeBounds, OfAFormulaThereIsNone) {
  RowFigures r = row("formula", {{"time", 1}});
  r.formula = [](const Jet& t) { return t * t; };
  EXPECT_FALSE(std::isfinite(Programme::compile({r}, 0, false, "d").value().deviation(0.2, 0.4)));
}

}  // namespace
}  // namespace cooperage::motion
