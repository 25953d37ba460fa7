// SPDX-License-Identifier: GPL-3.0-or-later
// Motion laws against the figures of the textbooks, against integrals of their accelerations, and against differences.
#include "motion/law.h"

#include <gmock/gmock.h>
#include <rapidcheck/gtest.h>

#include <cmath>

#include "base/geometry.h"
#include "motion/programme.h"

namespace cooperage::motion {
namespace {

struct Textbook {
  LawKind law;
  double cv, ca, cj;  ///< as printed
  double digit;       ///< half a unit of the last printed digit
};
// VDI 2143 Part 1 and Norton, table 3-3 (trapezoidal acceleration and sine as modified by Neklutin).
const Textbook kPrinted[] = {
    {LawKind::harmonic, 1.571, 4.935, 15.50, 0.005},     {LawKind::cycloidal, 2.000, 6.283, 39.48, 0.005},
    {LawKind::poly345, 1.875, 5.774, 60.00, 0.005},      {LawKind::poly4567, 2.188, 7.513, 52.50, 0.005},
    {LawKind::modifiedSine, 1.760, 5.528, 69.47, 0.005}, {LawKind::modifiedTrapezoid, 2.000, 4.888, 61.43, 0.005},
    {LawKind::parabolic, 2.000, 4.000, 0, 0.005},        {LawKind::smoothStep, 1.500, 6.000, 12.00, 0.005}};

TEST(Laws, CharacteristicFiguresAreThoseOfTheTextbooks) {
  for (const Textbook& t : kPrinted) {
    const LawFigures f = Law::named(t.law)->figures();
    EXPECT_NEAR(f.cv, t.cv, 0.0005 + 1e-9) << wordFor(t.law);
    EXPECT_NEAR(f.ca, t.ca, 0.0005 + 1e-9) << wordFor(t.law);
    EXPECT_NEAR(f.cj, t.cj, t.digit + 1e-9) << wordFor(t.law);
  }
  EXPECT_FALSE(Law::named(LawKind::cycloidal)->figures().accelerationJumps);
  EXPECT_FALSE(Law::named(LawKind::modifiedSine)->figures().accelerationJumps);
  EXPECT_TRUE(Law::named(LawKind::harmonic)->figures().accelerationJumps);
  EXPECT_TRUE(Law::named(LawKind::parabolic)->figures().accelerationJumps);
  EXPECT_TRUE(Law::named(LawKind::linear)->figures().speedJumps);
  // a third, a third, a third: plateau 1.5, acceleration 4.5
  EXPECT_NEAR(Law::named(LawKind::trapezoidSpeed)->figures().cv, 1.5, 1e-12);
  EXPECT_NEAR(Law::named(LawKind::trapezoidSpeed)->figures().ca, 4.5, 1e-12);
}

TEST(Laws, BoundaryValuesAreExact) {
  for (const LawKind kind : Law::kinds()) {
    const Law law = *Law::named(kind);
    EXPECT_EQ(law.at(0)[0], 0) << wordFor(kind);
    EXPECT_EQ(law.at(1)[0], 1) << wordFor(kind);
    if (kind != LawKind::linear) {
      EXPECT_EQ(law.at(0)[1], 0) << wordFor(kind);
      EXPECT_EQ(law.at(1)[1], 0) << wordFor(kind);
    }
    if (!law.figures().accelerationJumps && kind != LawKind::linear) {
      EXPECT_NEAR(law.at(0)[2], 0, 1e-15) << wordFor(kind);
      EXPECT_NEAR(law.at(1)[2], 0, 1e-15) << wordFor(kind);
    }
  }
}

/// s(x) = s'(0) x + integral of (x - t) s''(t) dt, by five-point Gauss panels whose ends meet every joint of pieces.
TEST(Laws, IntegralOfTheAccelerationReturnsTheDisplacement) {
  const double gx[] = {-0.9061798459386640, -0.5384693101056831, 0, 0.5384693101056831, 0.9061798459386640};
  const double gw[] = {0.2369268850561891, 0.4786286704993665, 0.5688888888888889, 0.4786286704993665,
                       0.2369268850561891};
  for (const LawKind kind : Law::kinds()) {
    const Law law = *Law::named(kind);
    for (int x = 6; x <= 48; x += 6) {
      double sum = law.at(0)[1] * x / 48.0;
      for (int i = 0; i < x; ++i)
        for (int k = 0; k < 5; ++k) {
          const double t = (i + 0.5 + 0.5 * gx[k]) / 48.0;
          sum += gw[k] / 96.0 * (x / 48.0 - t) * law.at(t)[2];
        }
      EXPECT_NEAR(sum, law.at(x / 48.0)[0], 1e-10) << wordFor(kind) << " at " << x / 48.0;
    }
  }
}

RC_GTEST_PROP(Laws, EveryDerivativeIsThatOfTheOneBefore, ()) {
  const auto kind = *rc::gen::elementOf(Law::kinds());
  const Law law = *Law::named(kind);
  // between the joints, which lie on multiples of an eighth and of a third
  const int cell = *rc::gen::inRange(0, 24);
  const double x = (cell + 0.1 + 0.8 * (*rc::gen::inRange(0, 1001)) / 1000.0) / 24.0, h = 1e-4;
  for (std::size_t n = 0; n < 5; ++n) {
    const double slope = (law.at(x + h)[n] - law.at(x - h)[n]) / (2 * h);
    const double size = std::pow(14.0, static_cast<double>(n + 1));  // fastest sine: 4 pi
    RC_ASSERT(std::abs(slope - law.at(x)[n + 1]) < 1e-5 * size);
  }
}

RC_GTEST_PROP(Laws, AQuinticMeetsItsBoundaryValues, ()) {
  const auto figure = [] { return *rc::gen::inRange(-400, 400) / 100.0; };
  const double v0 = figure(), a0 = figure(), v1 = figure(), a1 = figure();
  const Law law = Law::quintic(v0, a0, v1, a1);
  RC_ASSERT(std::abs(law.at(0)[1] - v0) < 1e-13);
  RC_ASSERT(std::abs(law.at(0)[2] - a0) < 1e-13);
  RC_ASSERT(std::abs(law.at(1)[0] - 1) < 1e-13);
  RC_ASSERT(std::abs(law.at(1)[1] - v1) < 1e-11);
  RC_ASSERT(std::abs(law.at(1)[2] - a1) < 1e-11);
}

TEST(Laws, QuinticBetweenRestsIsThe345Polynomial) {
  const Law a = Law::quintic(0, 0, 0, 0), b = *Law::named(LawKind::poly345);
  for (double x : {0.1, 0.4, 0.77}) EXPECT_NEAR(a.at(x)[0], b.at(x)[0], 1e-14);
}

TEST(Laws, ASplineGoesThroughItsPointsAndRestsAtItsEnds) {
  const Law law = Law::spline({{0.2, 0.1}, {0.5, 0.7}, {0.8, 0.6}});
  EXPECT_NEAR(law.at(0.2)[0], 0.1, 1e-14);
  EXPECT_NEAR(law.at(0.5)[0], 0.7, 1e-14);
  EXPECT_NEAR(law.at(0.8)[0], 0.6, 1e-14);
  EXPECT_NEAR(law.at(0)[1], 0, 1e-14);
  EXPECT_NEAR(law.at(1)[1], 0, 1e-12);
  for (double x : {0.2, 0.5, 0.8})
    EXPECT_NEAR(law.at(x - 1e-9)[2], law.at(x + 1e-9)[2], 1e-5) << "acceleration goes on";
}

// Rest to a speed, the speed, and back to rest by a quintic: the value after it is that of the areas.
TEST(Programme, MovesBetweenRestSpeedAndReversal) {
  const auto p =
      Programme::compile({{LawKind::quintic, {{"by", 1}, {"time", 1}, {"end_speed", 2}}, {}, {}, {}, nullptr},
                          {LawKind::constantSpeed, {{"speed", 2}, {"time", 0.5}}, {}, {}, {}, nullptr},
                          {LawKind::quintic, {{"by", 1}, {"time", 1}, {"end_acceleration", -3}}, {}, {}, {}, nullptr}},
                         0, false, "d")
          .value();
  EXPECT_NEAR(p.at(1).velocity, 2, 1e-12);
  EXPECT_NEAR(p.at(1).acceleration, 0, 1e-12);
  EXPECT_NEAR(p.at(1.5).position, 2, 1e-12);
  EXPECT_NEAR(p.at(1.5 + 1e-12).velocity, 2, 1e-9) << "it begins with the speed that there is";
  EXPECT_NEAR(p.at(2.5).position, 3, 1e-12);
  EXPECT_NEAR(p.at(2.5).velocity, 0, 1e-11);
  EXPECT_NEAR(p.at(2.5).acceleration, -3, 1e-11);
}

TEST(Programme, ATableIsAbsoluteAndHitsItsPoints) {
  std::vector<std::pair<double, double>> points;
  for (int i = 0; i < 50; ++i) points.emplace_back(0.1 * i, std::sin(0.37 * i) + 0.01 * i);
  const auto p =
      Programme::compile({{LawKind::table, {}, {}, points, curves::Interpolation::spline, nullptr}}, 0, false, "d")
          .value();
  for (const auto& [t, v] : points) EXPECT_NEAR(p.at(t).position, v, 1e-12);
}

}  // namespace
}  // namespace cooperage::motion
