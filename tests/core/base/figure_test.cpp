// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/figure.h"

#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <cmath>
#include <limits>

namespace cooperage {
namespace {

const DocumentUnits kUnits{"mm", "deg", "kg", "s", "N"};
const Dimension kTurnJerk{0, 1, 0, -3};

TEST(Figure, NoiseIsNothingAndNothingHasNoSign) {
  EXPECT_EQ(figure(4.2441e-09 * kDegree, dimension::kTurnAcceleration, kUnits), "0");
  EXPECT_EQ(figure(2.7e-43, dimension::kSpeed, kUnits), "0");
  EXPECT_EQ(figure(-9.8e-15 * kDegree, dimension::kAngle, kUnits), "0");
  EXPECT_EQ(figure(-1e-8 * kDegree, dimension::kAngle, kUnits, {kDegree, 0}), "0.0000");
  EXPECT_EQ(figure(-1e-5, dimension::kLength, kUnits, {0, 1e-4}), "0.0");
  EXPECT_EQ(figure(std::nan(""), dimension::kLength, kUnits), "no value");
  // a plain number may be small: it has no size to be compared with
  EXPECT_EQ(figure(3.2e-13, dimension::kPlain, kUnits), "3.2e-13");
}

TEST(Figure, NoDigitIsFinerThanHalfTheAccuracy) {
  EXPECT_EQ(figure(3.0637e-3, dimension::kLength, kUnits, {0, 0.05e-3}), "3.1");
  EXPECT_EQ(figure(3.0685e-3, dimension::kLength, kUnits, {0, 0.02e-3}), "3.07");
  EXPECT_EQ(figure(3.0685e-3, dimension::kLength, kUnits, {0, 0.01e-3}), "3.07");
  EXPECT_EQ(figure(1234.6e-3, dimension::kLength, kUnits, {0, 60e-3}), "1200");
  EXPECT_EQ(figureWithUnit(3.0685e-3, dimension::kLength, kUnits, {0, 1e-7}), "3.0685 mm");
  EXPECT_EQ(figureWithUnit(41.3 * kDegree, dimension::kAngle, kUnits, {kDegree * 90, 0}), "41.300\u00b0");
}

RC_GTEST_PROP(Figure, ReadsBackWithinItsLastDigit, ()) {
  const double size = std::pow(10.0, *rc::gen::inRange(-8, 6)), v = size * 1e-6 * *rc::gen::inRange(-1000000, 1000000);
  const double accuracy = *rc::gen::arbitrary<bool>() ? 0 : size * std::pow(10.0, *rc::gen::inRange(-6, 0));
  const double range = *rc::gen::arbitrary<bool>() ? 0 : size;
  const std::string text = figure(v * 1e-3, dimension::kLength, kUnits, {range * 1e-3, accuracy * 1e-3});
  const double read = std::stod(text), off = std::abs(read - v);
  const double largest = std::max(std::abs(v), range);
  RC_ASSERT(off <= std::max({0.51e-4 * largest, 1.05 * accuracy, 0.51e-9, 1.01e-8 * (range == 0)}));
  RC_ASSERT(!(read == 0 && text.front() == '-'));
}

}  // namespace
}  // namespace cooperage
