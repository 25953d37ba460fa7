// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/convex.h"
#include "../any_pose.h"

#include <gmock/gmock.h>
#include <rapidcheck/gtest.h>

#include <cstdlib>
#include <random>

namespace cooperage::clearance {
namespace {

using test::anyPose;
using test::figure;

Convex make(model::BodyKind kind, std::vector<double> figures) {
  model::Resolved::BodyR b{};
  b.kind = kind;
  b.figures = std::move(figures);
  return *convexOf(b);
}
Convex box(double x, double y, double z) { return make(model::BodyKind::box, {x, y, z}); }
Convex cylinder(double r, double l) { return make(model::BodyKind::cylinder, {r, l}); }
Convex ball(double r) { return make(model::BodyKind::sphere, {r}); }

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

// A round side all but touching a flat one, from 10 fm to a micrometre: the distance of a line and a plane less the
// radius. Steps to and fro get nowhere there.
TEST(ConvexGap, OfARoundSideBesideAFlatOneIsKnownToRounding) {
  std::mt19937_64 random(5);
  const auto figure = [&](double low, double high) {
    return std::pow(10, std::uniform_real_distribution<double>(std::log10(low), std::log10(high))(random));
  };
  for (int i = 0; i < 3000; ++i) {
    const double radius = figure(3e-4, 5e-3), thickness = figure(3e-5, 1e-3), gap = figure(1e-14, 1e-6),
                 turn = 3 * figure(1e-3, 1), along = figure(1e-3, 0.04);
    Pose p;
    p.R = rotationOf(Vec3(0, 0, turn));
    p.p = p.R * Vec3(along, radius + thickness / 2 + gap, 0);
    const auto g = convexGap(cylinder(radius, 0.02), box(0.1, thickness, 0.01), p);
    ASSERT_TRUE(g.certain) << gap;
    ASSERT_NEAR(std::max(0.0, g.gap), gap, 1e-13) << gap;
  }
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

/// Is a point in a body, by the body's own figures and nothing of the program's? Its axes.
struct Plain {
  model::BodyKind kind;
  std::vector<double> f;
  double outside(const Vec3& p) const {
    if (kind == model::BodyKind::sphere) return p.norm() - f[0];
    if (kind == model::BodyKind::cylinder) return std::max(p.head<2>().norm() - f[0], std::abs(p.z()) - f[1] / 2);
    if (kind == model::BodyKind::box) return (p.cwiseAbs() - 0.5 * Vec3(f[0], f[1], f[2])).maxCoeff();
    const double x = std::clamp(p.x(), 0.0, f[0]);
    return std::max(std::hypot(p.x() - x, p.y()) - f[1] / 2, std::abs(p.z()) - f[2] / 2);
  }
  /// Farthest that the body reaches along a unit direction.
  double reach(const Vec3& n) const {
    if (kind == model::BodyKind::sphere) return f[0];
    if (kind == model::BodyKind::cylinder) return f[0] * n.head<2>().norm() + f[1] / 2 * std::abs(n.z());
    if (kind == model::BodyKind::box) return 0.5 * Vec3(f[0], f[1], f[2]).dot(n.cwiseAbs());
    return std::max(0.0, f[0] * n.x()) + f[1] / 2 * n.head<2>().norm() + f[2] / 2 * std::abs(n.z());
  }
};

// Each answer is looked at by figures of its own: both places in their bodies, a plane that parts the bodies by the
// distance, or one place in both. Pairs at random, all but parallel, square to one another, on a grid, and brought to
// within a hair of touching. COOPERAGE_CONVEX sets how many; a million take a minute.
// Switched off: the certificate, every answer taken for certain.
TEST(ConvexGap, EveryAnswerCarriesItsProof) {
  const char* asked = std::getenv("COOPERAGE_CONVEX");
  const int cases = asked ? std::atoi(asked) : 20000;
  std::mt19937_64 random(11);
  const auto figure = [&](double low, double high) {
    return std::uniform_real_distribution<double>(low, high)(random);
  };
  const auto any = [&]() -> Plain {
    switch (std::uniform_int_distribution<int>(0, 3)(random)) {
      case 0: return {model::BodyKind::box, {figure(.01, .2), figure(.01, .2), figure(.01, .2)}};
      case 1: return {model::BodyKind::cylinder, {figure(.01, .1), figure(.01, .2)}};
      case 2: return {model::BodyKind::bar, {figure(.05, .2), figure(.01, .06), figure(.005, .03), 0}};
      default: return {model::BodyKind::sphere, {figure(.01, .1)}};
    }
  };
  int uncertain = 0, wrong = 0, apart = 0;
  for (int k = 0; k < cases; ++k) {
    const Plain pa = any(), pb = any();
    const Convex a = make(pa.kind, pa.f), b = make(pb.kind, pb.f);
    Vec3 turn(figure(-3, 3), figure(-3, 3), figure(-3, 3));
    const int manner = k % 6;
    if (manner == 1) turn *= 1e-8;
    if (manner == 2) turn = Vec3::Zero();
    if (manner == 3) turn = Vec3(kPi / 2, 0, 0);
    if (manner == 4) turn = Vec3(kPi / 2, 1e-9, 0) * std::uniform_int_distribution<int>(1, 2)(random);
    Pose p{rotationOf(turn), Vec3(figure(-1, 1), figure(-1, 1), figure(-1, 1)).normalized() * figure(0, 0.35)};
    if (manner == 5) {
      p.p = p.p.normalized() * 0.5;
      const double wanted = std::pow(10, -figure(3, 9));
      for (int i = 0; i < 40; ++i) {
        const auto g = convexGap(a, b, p);
        if (!(g.gap > wanted)) break;
        p.p -= (g.gap - 0.5 * wanted) * g.along;
      }
    }
    const auto g = convexGap(a, b, p);
    if (!g.certain) {
      ++uncertain;
      continue;
    }
    if (g.gap > 0) {
      ++apart;
      const double places = std::max(pa.outside(g.onA), pb.outside(p.inverse() * g.onB));
      const Vec3 n = g.along;
      const double plane = -(n.dot(Vec3::Zero()) + pa.reach(n)) + n.dot(p.p) - pb.reach(p.R.transpose() * -n);
      const double high = (g.onB - g.onA).norm();
      // the distance lies between what the plane leaves and how far the places are apart; the plane may be a little off
      // its best, the places may lag behind it where faces are parallel
      if (places > 1e-12 || high < g.gap - 1e-11 || plane > g.gap + 1e-11 || high - g.gap > 1e-10) ++wrong;
    } else if (g.gap <= -1e299 && (pa.outside(g.onA) > 1e-12 || pb.outside(p.inverse() * g.onA) > 1e-12)) {
      ++wrong;
    }
  }
  EXPECT_EQ(wrong, 0);
  EXPECT_LE(uncertain, cases / 10000);
  EXPECT_GT(apart, cases / 3);
}

}  // namespace
}  // namespace cooperage::clearance
