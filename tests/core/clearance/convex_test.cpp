// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/convex.h"

#include <gmock/gmock.h>
#include <rapidcheck/gtest.h>

#include <random>

namespace cooperage::clearance {
namespace {

Convex make(model::BodyKind kind, std::vector<double> figures) {
  model::Resolved::BodyR b{};
  b.kind = kind;
  b.figures = std::move(figures);
  return *convexOf(b);
}
Convex box(double x, double y, double z) { return make(model::BodyKind::box, {x, y, z}); }
Convex cylinder(double r, double l) { return make(model::BodyKind::cylinder, {r, l}); }
Convex ball(double r) { return make(model::BodyKind::sphere, {r}); }

double figure(int low, int high) { return 1e-4 * *rc::gen::inRange(low, high); }
Pose anyPose(int reach) {
  const Vec3 turn(figure(-30000, 30000), figure(-30000, 30000), figure(-30000, 30000));
  return {rotationOf(turn), Vec3(figure(-reach, reach), figure(-reach, reach), figure(-reach, reach))};
}

RC_GTEST_PROP(ConvexGap, OfTwoBallsIsTheDistanceOfTheirMiddlesLessTheRadii, ()) {
  const double a = figure(10, 500), b = figure(10, 500);
  const Pose p = anyPose(3000);
  const double expected = p.p.norm() - a - b;
  if (p.p.norm() > 1e-6) RC_ASSERT(std::abs(convexGap(ball(a), ball(b), p).gap - expected) < 1e-14);
}

RC_GTEST_PROP(ConvexGap, OfABallAndABoxIsTheClosedForm, ()) {
  const Vec3 half(figure(50, 800), figure(50, 800), figure(50, 800));
  const double r = figure(10, 300);
  const Pose p = anyPose(3000);
  const double outside = (p.p.cwiseAbs() - half).cwiseMax(0.0).norm();
  if (!(outside > 1e-6)) return;
  const auto g = convexGap(box(2 * half.x(), 2 * half.y(), 2 * half.z()), ball(r), p);
  RC_ASSERT(std::abs(g.gap - (outside - r)) < 1e-13);
  if (g.gap > 0) RC_ASSERT(std::abs((g.onA - g.onB).norm() - g.gap) < 1e-12);
}

RC_GTEST_PROP(ConvexGap, OfABallAndACylinderIsTheClosedForm, ()) {
  const double radius = figure(50, 800), half = figure(50, 800), r = figure(10, 300);
  const Pose p = anyPose(3000);
  const double across = std::max(0.0, p.p.head<2>().norm() - radius), along = std::max(0.0, std::abs(p.p.z()) - half);
  const double outside = std::hypot(across, along);
  if (!(outside > 1e-6)) return;
  RC_ASSERT(std::abs(convexGap(cylinder(radius, 2 * half), ball(r), p).gap - (outside - r)) < 1e-12);
}

// Two long cylinders whose axes are askew: distance of the lines less the radii, while the feet lie within them.
RC_GTEST_PROP(ConvexGap, OfCrossedCylindersIsTheDistanceOfTheirAxesLessTheRadii, ()) {
  const double a = figure(50, 300), b = figure(50, 300), h = a + b + figure(1, 500), angle = figure(3000, 28000);
  const Pose p{rotationAbout(0, angle), Vec3(h, figure(-500, 500), figure(-500, 500))};
  RC_ASSERT(std::abs(convexGap(cylinder(a, 2), cylinder(b, 2), p).gap - (h - a - b)) < 1e-11);
}

// The two points are an upper bound; planes between the bodies are lower ones, and the best of them, climbed to from
// where the points lead, must be the distance itself (duality).
RC_GTEST_PROP(ConvexGap, ItsTwoPointsAndTheBestPlaneProveIt, ()) {
  const auto any = [] {
    switch (*rc::gen::inRange(0, 3)) {
      case 0: return box(figure(50, 900), figure(50, 900), figure(50, 900));
      case 1: return cylinder(figure(50, 500), figure(50, 900));
      default: return make(model::BodyKind::bar, {figure(300, 900), figure(50, 300), figure(50, 300), 0});
    }
  };
  const Convex a = any(), b = any();
  const Pose p = anyPose(2000);
  const auto g = convexGap(a, b, p);
  if (!(g.gap > 1e-4)) return;  // nearer, the direction between two points is rounding
  RC_ASSERT((g.onB - g.onA).norm() > g.gap - 1e-12);
  RC_ASSERT((g.onB - g.onA).norm() < g.gap + 1e-6);
  const auto plane = [&](const Vec3& n) { return n.dot(p * b.support(p.R.transpose() * -n)) - n.dot(a.support(n)); };
  Vec3 n = (g.onB - g.onA).normalized();
  double best = plane(n), radius = 1e-3;
  std::mt19937 random(1);
  std::normal_distribution<double> normal;
  for (int k = 0; k < 4000; ++k) {
    const Vec3 trial = (n + radius * Vec3(normal(random), normal(random), normal(random))).normalized();
    const double d = plane(trial);
    RC_ASSERT(d < g.gap + 1e-12);
    if (d > best) {
      best = d;
      n = trial;
    } else if (k % 20 == 19) {
      radius *= 0.85;
    }
  }
  RC_ASSERT(best > g.gap - 1e-7);
}

// Square to one another, on a lattice: everything is degenerate, and the closed form is plain.
RC_GTEST_PROP(ConvexGap, OfBoxesSquareToOneAnotherIsTheClosedForm, ()) {
  const auto any = [](int low, int high) { return 0.01 * *rc::gen::inRange(low, high); };
  const Vec3 a(any(1, 6), any(1, 6), any(1, 6)), b(any(1, 6), any(1, 6), any(1, 6)),
      p(any(-6, 7), any(-6, 7), any(-6, 7));
  const Vec3 out = (p.cwiseAbs() - 0.5 * (a + b));
  const double gap = convexGap(box(a.x(), a.y(), a.z()), box(b.x(), b.y(), b.z()), {Mat3::Identity(), p}).gap;
  if (out.maxCoeff() > 1e-9)
    RC_ASSERT(std::abs(gap - out.cwiseMax(0.0).norm()) < 1e-14);
  else if (out.maxCoeff() < -1e-9)
    RC_ASSERT(gap < 0);
  else
    RC_ASSERT(gap < 1e-12);
}

// A thin blade inside a plate of the same thickness and height, turned by next to nothing.
RC_GTEST_PROP(ConvexGap, OfABladeInAPlateIsNone, ()) {
  const double turn = 1e-7 * *rc::gen::inRange(-4000, 4001);
  const Convex blade = box(0.01, 1e-4, 0.02), plate = box(0.03, 1e-4, 0.02);
  const Pose p = Pose{rotationAbout(2, turn), Vec3::Zero()} * Pose{Mat3::Identity(), Vec3(0.23, 0, 0)};
  const Pose inPlate = Pose{Mat3::Identity(), Vec3(-0.23, 0, 0)} * p;
  RC_ASSERT(convexGap(plate, blade, inPlate).gap < 0);
}

TEST(ConvexGap, CoresThatOverlapSaySo) {
  EXPECT_LT(convexGap(box(1, 1, 1), cylinder(0.2, 3), {Mat3::Identity(), Vec3(0.3, 0.2, 0.1)}).gap, 0);
  EXPECT_LT(convexGap(box(1, 1, 1), ball(0.1), Pose{}).gap, 0);
}

// Half of a bar's face lies over the other's bore: what is nearest there is not the bar.
TEST(ConvexGap, AHoleIsKnown) {
  const Convex bar = make(model::BodyKind::bar, {0.1, 0.04, 0.01, 0.02});
  EXPECT_TRUE(bar.inHole(Vec3(0.003, 0.002, 0.005), 1e-9));
  EXPECT_FALSE(bar.inHole(Vec3(0.05, 0.002, 0.005), 1e-9));
}

}  // namespace
}  // namespace cooperage::clearance
