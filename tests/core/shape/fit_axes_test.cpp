// SPDX-License-Identifier: GPL-3.0-or-later
// Where a solid stands so that its bores lie on the pivots of a link.
#include "shape/fit_axes.h"

#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <cmath>

#include "shape/solid.h"

namespace cooperage::shape {
namespace {

RoundFace bore(const Vec3& middle, const Vec3& axis, double radius = 0.004) {
  RoundFace f;
  f.low = middle - 0.005 * axis.normalized();
  f.high = middle + 0.005 * axis.normalized();
  f.radius = radius;
  f.inward = true;
  return f;
}
Pose pivot(double x, double y) { return {Mat3::Identity(), Vec3(x, y, 0)}; }
double figure(int from, int to) { return *rc::gen::inRange(from, to) * 1e-3; }

/// How far a pivot is from the nearest of the axes where the solid stands.
double off(const Pose& pivot, const RoundFaces& rounds, const Pose& stands) {
  double best = 1;
  for (const RoundFace& r : rounds) {
    const Vec3 p = stands * r.low, a = (stands * r.high - p).normalized();
    best = std::min(best, (pivot.p - p).cross(a).norm() + pivot.R.col(2).cross(a).norm());
  }
  return best;
}

// Three bores that were drawn anywhere in their file come onto three pivots, whatever other bores there are.
RC_GTEST_PROP(FitAxes, BoresComeOntoThePivotsFromAnywhere, ()) {
  const std::vector<Pose> pivots{pivot(0, 0), pivot(0.03 + figure(0, 50), figure(-20, 20)),
                                 pivot(0.1 + figure(0, 50), 0.03 + figure(0, 20))};
  const Vec3 axis(figure(-1000, 1000), figure(-1000, 1000), 0.5);
  const Pose file{Mat3(Eigen::AngleAxisd(figure(-3000, 3000), axis.normalized())),
                  Vec3(figure(-200, 200), figure(-200, 200), figure(-200, 200))};
  RoundFaces rounds;
  rounds.push_back(bore(file * Vec3(0.5, 0.4, 0), file.R.col(2), 0.02));   // none of the pivots'
  rounds.push_back(bore(file * Vec3(0.02, 0.3, 0), file.R.col(0), 0.01));  // nor that, which lies across
  for (const Pose& p : pivots) rounds.push_back(bore(file * p.p, file.R.col(2)));
  const auto stands = poseOnPivots(pivots, rounds);
  RC_ASSERT(stands.has_value());
  for (const Pose& p : pivots) RC_ASSERT(off(p, rounds, *stands) < 1e-9);
}

TEST(FitAxes, WhatLiesRightStaysAsItIs) {
  const std::vector<Pose> pivots{pivot(0, 0), pivot(0.08, 0)};
  const RoundFaces rounds{bore({0.08, 0, 0.02}, Vec3::UnitZ()), bore({0, 0, 0.02}, -Vec3::UnitZ())};
  const auto stands = poseOnPivots(pivots, rounds);
  ASSERT_TRUE(stands);
  EXPECT_EQ(stands->p, Vec3(0, 0, 0));
  EXPECT_EQ(stands->R, Mat3(Mat3::Identity()));
}

TEST(FitAxes, OfOnePivotTheWidestBoreTakesIt) {
  const RoundFaces rounds{bore({0.3, 0, 0}, Vec3::UnitX(), 0.002), bore({0, 0.2, 0}, Vec3::UnitY(), 0.009)};
  const auto stands = poseOnPivots({pivot(0.05, 0.01)}, rounds);
  ASSERT_TRUE(stands);
  EXPECT_LT((*stands * Vec3(0, 0.2, 0) - Vec3(0.05, 0.01, 0)).norm(), 1e-12);
  EXPECT_LT(off(pivot(0.05, 0.01), {rounds[1]}, *stands), 1e-12);
}

TEST(FitAxes, NoneWhereTheDistancesDiffer) {
  const std::vector<Pose> pivots{pivot(0.01, 0), pivot(0.09, 0)};
  EXPECT_FALSE(poseOnPivots(pivots, {bore({1, 0, 0}, Vec3::UnitZ()), bore({1.0801, 0, 0}, Vec3::UnitZ())}));
  EXPECT_FALSE(poseOnPivots(pivots, {}));
  RoundFace cone = bore({0, 0, 0}, Vec3::UnitZ());
  cone.cone = true;
  EXPECT_FALSE(poseOnPivots({pivot(0, 0)}, {cone})) << "a countersink is no bore";
  EXPECT_TRUE(poseOnPivots({}, {})) << "without a pivot it stays";
}

// An eye of a real solid is one axis, however many faces lie about it.
TEST(FitAxes, ABarOfAnyLengthFitsItsOwnPivots) {
  for (const double length : {0.05, 0.08, 0.2}) {
    const auto bar = elementShape(model::BodyKind::bar, {length, 0.02, 0.006, 0.008});
    const auto rounds = roundFacesOf(*bar);
    const std::vector<Pose> pivots{pivot(0.01, 0.02), pivot(0.01, 0.02 + length)};
    const auto stands = poseOnPivots(pivots, *rounds);
    ASSERT_TRUE(stands);
    for (const Pose& p : pivots) EXPECT_LT(off(p, *rounds, *stands), 1e-9);
  }
}

}  // namespace
}  // namespace cooperage::shape
