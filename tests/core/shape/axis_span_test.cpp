// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/axis_span.h"

#include <gtest/gtest.h>

#include "../support.h"
#include "fastened_stand.h"
#include "sample_assemblies.h"

namespace cooperage::shape {
namespace {

/// A bar of 100 mm between its pivots, 8 mm thick, bores of 10 mm.
RoundPart bar(const Pose& pose, bool splines = false) {
  const auto s = elementShape(model::BodyKind::bar, {0.1, 0.02, 0.008, 0.01});
  EXPECT_TRUE(s.ok());
  return {{roundFacesOf(splines ? demo::asSplines(*s) : *s), pose}};
}

TEST(AxisSpan, ABoreReachesThroughItsBar) {
  const Pose pose{rotationOf(Vec3(0.2, 0.5, -0.3)), Vec3(0.05, -0.02, 0.3)};
  for (const bool splines : {false, true}) {
    const auto span = spanOf(bar(pose, splines), pose * Vec3(0.1, 0, 0.002), pose.R * Vec3::UnitZ());
    ASSERT_TRUE(span);
    EXPECT_NEAR(span->low, -0.006, 1e-8);
    EXPECT_NEAR(span->high, 0.002, 1e-8);
    EXPECT_EQ(span->pieces, 1);
    EXPECT_FALSE(spanOf(bar(pose, splines), pose * Vec3(0.05, 0, 0), pose.R * Vec3::UnitZ())) << "between the pivots";
  }
}

TEST(AxisSpan, TwoCheeksAreTwoPiecesAndApartByWhatLiesBetween) {
  RoundPart fork = bar(Pose{Mat3::Identity(), Vec3(0, 0, 0.02)});
  fork.push_back(bar(Pose{Mat3::Identity(), Vec3(0, 0, -0.01)}).front());
  RoundFace like;
  like.radius = 0.005;
  like.inward = true;
  const auto span = spanOf(fork, Vec3::Zero(), Vec3::UnitZ(), &like);
  ASSERT_TRUE(span);
  EXPECT_EQ(span->pieces, 2);
  EXPECT_NEAR(span->low, -0.014, 1e-9);
  EXPECT_NEAR(span->high, 0.024, 1e-9);
  like.radius = 0.004;
  EXPECT_FALSE(spanOf(fork, Vec3::Zero(), Vec3::UnitZ(), &like)) << "no bore of that radius";
  const auto eye = spanOf(bar(Pose{Mat3::Identity(), Vec3(0, 0, 0.04)}), Vec3::Zero(), Vec3::UnitZ());
  ASSERT_TRUE(eye);
  EXPECT_NEAR(gapBetween(*span, *eye), 0.012, 1e-9);
  EXPECT_EQ(gapBetween(*span, *span), 0);
}

}  // namespace
}  // namespace cooperage::shape
