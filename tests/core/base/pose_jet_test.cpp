// SPDX-License-Identifier: GPL-3.0-or-later
// Products, inverses and chains of moving placements against differences of the placements themselves.
#include "base/pose_jet.h"

#include <gtest/gtest.h>

#include <functional>
#include <random>

namespace cooperage {
namespace {

/// A cubic in time with its derivatives.
struct Cubic {
  double a, b, c, d;
  ScalarJet at(double t) const {
    return {a + t * (b + t * (c + t * d)), b + t * (2 * c + t * 3 * d), 2 * c + 6 * d * t, 6 * d};
  }
};

class PoseJets : public testing::Test {
 protected:
  double figure() { return std::uniform_real_distribution<double>(-1, 1)(random_); }
  Cubic cubic() { return {figure(), figure(), figure(), figure()}; }
  Pose pose() { return {rotationOf(Vec3(figure(), figure(), figure())), Vec3(figure(), figure(), figure())}; }
  /// A turn, a slide and another turn with fixed placements between them.
  std::function<PoseJet(double)> chain() {
    const Cubic q1 = cubic(), q2 = cubic(), q3 = cubic();
    const Pose p = pose(), r = pose();
    return [=](double t) { return turnJet(2, q1.at(t)) * p * slideJet(0, q2.at(t)) * (r * turnJet(1, q3.at(t))); };
  }
  /// Each derivative against the difference of the one below it, of fourth order.
  static void expectDerivatives(const std::function<PoseJet(double)>& f, double t) {
    constexpr double h = 2.5e-4;
    const PoseJet now = f(t), b2 = f(t - 2 * h), b1 = f(t - h), a1 = f(t + h), a2 = f(t + 2 * h);
    for (std::size_t n = 0; n < 3; ++n) {
      const Mat3 D = (8 * (a1.R[n] - b1.R[n]) - (a2.R[n] - b2.R[n])) / (12 * h);
      const Vec3 d = (8 * (a1.p[n] - b1.p[n]) - (a2.p[n] - b2.p[n])) / (12 * h);
      EXPECT_LT((D - now.R[n + 1]).norm(), 1e-9 * (1 + now.R[n + 1].norm())) << "R, order " << n + 1;
      EXPECT_LT((d - now.p[n + 1]).norm(), 1e-9 * (1 + now.p[n + 1].norm())) << "p, order " << n + 1;
    }
  }
  static void expectSame(const PoseJet& a, const PoseJet& b, double within) {
    for (std::size_t n = 0; n < 4; ++n) {
      EXPECT_LT((a.R[n] - b.R[n]).norm(), within) << "R, order " << n;
      EXPECT_LT((a.p[n] - b.p[n]).norm(), within) << "p, order " << n;
    }
  }
  std::mt19937 random_{5};
};

TEST_F(PoseJets, AChainsDerivativesAreThoseOfItsPoses) {
  for (int i = 0; i < 20; ++i) expectDerivatives(chain(), figure());
}

TEST_F(PoseJets, AnInverseUndoesAndMovesAsItShould) {
  for (int i = 0; i < 20; ++i) {
    const auto f = chain();
    const double t = figure();
    expectSame(f(t) * inverse(f(t)), PoseJet(), 1e-9);
    expectSame(inverse(f(t)) * f(t), PoseJet(), 1e-9);
    expectDerivatives([&](double x) { return inverse(f(x)); }, t);
  }
}

TEST_F(PoseJets, AStillPlacementIsAMovingOneAtRest) {
  for (int i = 0; i < 20; ++i) {
    const auto f = chain();
    const Pose p = pose();
    const double t = figure();
    expectSame(p * f(t), PoseJet(p) * f(t), 1e-12);
    expectSame(f(t) * p, f(t) * PoseJet(p), 1e-12);
    const Pose twice = f(t).pose() * p;
    EXPECT_LT((twice.R - (f(t) * p).R[0]).norm() + (twice.p - (f(t) * p).p[0]).norm(), 1e-12);
  }
}

TEST_F(PoseJets, WhatDependsOnAMovingParameterMovesByTheChainRule) {
  for (int i = 0; i < 20; ++i) {
    const auto f = chain();
    const Cubic u = cubic();
    expectDerivatives([&](double t) { return along(f(u.at(t)[0]), u.at(t)); }, figure());
  }
}

// Of a turn about z by q: angular velocity q', its derivative q'', both along z in any fixed outer axes.
TEST_F(PoseJets, SpinOfATurnIsItsRateAboutItsAxis) {
  for (int i = 0; i < 20; ++i) {
    const Cubic q = cubic();
    const Pose p = pose();
    const double t = figure();
    const PoseJet moving = p * turnJet(2, q.at(t));
    EXPECT_LT((moving.spin() - q.at(t)[1] * p.R.col(2)).norm(), 1e-12);
    EXPECT_LT((moving.spinRate() - q.at(t)[2] * p.R.col(2)).norm(), 1e-12);
  }
}

TEST_F(PoseJets, TurnsOneAfterAnotherAddTheirAngularVelocities) {
  for (int i = 0; i < 20; ++i) {
    const Cubic q = cubic(), s = cubic(), r = cubic();
    const Pose p = pose();
    const double t = figure();
    const PoseJet first = turnJet(0, q.at(t)) * slideJet(2, s.at(t)) * p, both = first * turnJet(2, r.at(t));
    EXPECT_LT((both.spin() - first.spin() - r.at(t)[1] * both.R[0].col(2)).norm(), 1e-12);
    EXPECT_LT((first.spin() - q.at(t)[1] * Vec3::UnitX()).norm(), 1e-12);
  }
}

TEST_F(PoseJets, APointFollowsItsPlacement) {
  const auto f = chain();
  const Vec3 x(0.3, -0.2, 0.5);
  for (int i = 0; i < 20; ++i) {
    const double t = figure();
    const VecJet moving = f(t).point(x);
    EXPECT_LT((moving[0] - f(t).pose() * x).norm(), 1e-12);
    constexpr double h = 1e-5;
    EXPECT_LT(((f(t + h).point(x)[0] - f(t - h).point(x)[0]) / (2 * h) - moving[1]).norm(),
              1e-7 * (1 + moving[3].norm()));
  }
}

TEST_F(PoseJets, ABallTurnsWithTheAngularVelocityThatItIsGiven) {
  for (int i = 0; i < 20; ++i) {
    const Vec3 w(figure(), figure(), figure()), w1(figure(), figure(), figure()), w2(figure(), figure(), figure());
    const PoseJet ball = ballJet(pose().R, w, w1, w2);
    EXPECT_LT((ball.spin() - w).norm(), 1e-12);
    EXPECT_LT((ball.spinRate() - w1).norm(), 1e-12);
    // a rotation stays one: R R^T = 1 holds in all orders
    expectSame(inverse(ball) * ball, PoseJet(), 1e-9);
  }
}

TEST_F(PoseJets, ThereAndBackIsNowhere) {
  for (int i = 0; i < 20; ++i) {
    const Pose p = pose(), back = p * p.inverse();
    EXPECT_LT((back.R - Mat3::Identity()).norm() + back.p.norm(), 1e-14);
    const Vec3 z = p.R.col(2);
    EXPECT_NEAR(anyPerpendicular(z).dot(z), 0, 1e-15);
    EXPECT_NEAR(anyPerpendicular(z).norm(), 1, 1e-15);
  }
}

}  // namespace
}  // namespace cooperage
