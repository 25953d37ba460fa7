// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/jet.h"

#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include "base/geometry.h"

namespace cooperage {
namespace {

// d/dt of t^2 sin t by hand: 2t sin t + t^2 cos t; 2 sin t + 4t cos t - t^2 sin t; 6 cos t - 6t sin t - t^2 cos t.
TEST(Jet, ProductRuleUpToTheThirdDerivative) {
  const double t = 1.3, s = std::sin(t), c = std::cos(t);
  const Jet x(t, 1, 0, 0), y = x * x * sin(x);
  EXPECT_NEAR(y.v, t * t * s, 1e-14);
  EXPECT_NEAR(y.d1, 2 * t * s + t * t * c, 1e-14);
  EXPECT_NEAR(y.d2, 2 * s + 4 * t * c - t * t * s, 1e-14);
  EXPECT_NEAR(y.d3, 6 * c - 6 * t * s - t * t * c, 1e-13);
}

TEST(Jet, InverseFunctionsUndoTheirFunction) {
  const Jet x(0.4, 1.7, -0.3, 0.9);
  for (const Jet& y : {asin(sin(x)), atan(tan(x)), log(exp(x)), sqrt(x * x), acos(cos(x))}) {
    EXPECT_NEAR(y.v, x.v, 1e-13);
    EXPECT_NEAR(y.d1, x.d1, 1e-12);
    EXPECT_NEAR(y.d2, x.d2, 1e-12);
    EXPECT_NEAR(y.d3, x.d3, 1e-11);
  }
}

RC_GTEST_PROP(Rotation, VectorAndMatrixUndoEachOther, ()) {
  const auto part = rc::gen::map(rc::gen::inRange(-1000, 1000), [](int i) { return i / 1000.0; });
  const Vec3 v(*part, *part, *part);
  RC_PRE(v.norm() < 3.1);
  RC_ASSERT((rotationVector(rotationOf(v)) - v).norm() < 1e-9);
}

}  // namespace
}  // namespace cooperage
