// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/principal_axes.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <random>

namespace cooperage {
namespace {

/// A symmetric matrix with given eigenvalues about turned axes.
Mat3 withValues(const Vec3& values, const Mat3& axes) { return axes * values.asDiagonal() * axes.transpose(); }

TEST(PrincipalAxes, ValuesRiseAndTheirAxesAreThoseTheMatrixWasMadeFrom) {
  std::mt19937 random(11);
  std::uniform_real_distribution<double> figure(-2, 2);
  for (int i = 0; i < 200; ++i) {
    const Mat3 axes = rotationOf(Vec3(figure(random), figure(random), figure(random)));
    Vec3 values(figure(random), figure(random), figure(random));
    const Mat3 m = withValues(values, axes);
    std::sort(values.data(), values.data() + 3);
    for (const bool directly : {false, true}) {
      const PrincipalAxes found = directly ? principalAxesDirectly(m) : principalAxes(m);
      const double rounding = directly ? 1e-6 : 1e-12;
      EXPECT_LT((found.values - values).norm(), rounding);
      EXPECT_LT((m * found.axes - found.axes * found.values.asDiagonal()).norm(), rounding);
      EXPECT_LT((found.axes.transpose() * found.axes - Mat3::Identity()).norm(), rounding);
    }
  }
}

// The scatter of a flat ring of points: pi r^2 / 2 across each direction of its plane, nothing along its axis.
TEST(PrincipalAxes, ARingOfPointsHasItsAxisFirst) {
  const Vec3 axis = Vec3(1, 2, -2) / 3;
  const Vec3 x = anyPerpendicular(axis), y = axis.cross(x);
  Mat3 scatter = Mat3::Zero();
  constexpr int n = 12;
  for (int k = 0; k < n; ++k) {
    const Vec3 p = std::cos(2 * kPi * k / n) * x + std::sin(2 * kPi * k / n) * y;
    scatter += p * p.transpose();
  }
  const PrincipalAxes found = principalAxes(scatter);
  EXPECT_NEAR(found.values[0], 0, 1e-14);
  EXPECT_NEAR(found.values[1], n / 2.0, 1e-13);
  EXPECT_NEAR(found.values[2], n / 2.0, 1e-13);
  EXPECT_NEAR(std::abs(found.axes.col(0).dot(axis)), 1, 1e-14);
}

}  // namespace
}  // namespace cooperage
