// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <cmath>

#include "curves/curve.h"
#include "curves/table.h"

namespace cooperage::curves {
namespace {

using V = Eigen::Vector2d;

/// A square with rounded corners, 100 by 60, radius 10 (m here): perimeter 2 (80 + 40) + 2 pi 10.
std::vector<Piece> roundedBox() {
  const double w = 50, h = 30, r = 10;
  const auto line = [](V a, V b) { return Piece{Piece::Kind::line, {a, b}, V::Zero(), true}; };
  const auto arc = [](V a, V b, V c) { return Piece{Piece::Kind::arc, {a, b}, c, true}; };
  return {line({-w + r, -h}, {w - r, -h}), arc({w - r, -h}, {w, -h + r}, {w - r, -h + r}),
          line({w, -h + r}, {w, h - r}),   arc({w, h - r}, {w - r, h}, {w - r, h - r}),
          line({w - r, h}, {-w + r, h}),   arc({-w + r, h}, {-w, h - r}, {-w + r, h - r}),
          line({-w, h - r}, {-w, -h + r}), arc({-w, -h + r}, {-w + r, -h}, {-w + r, -h + r})};
}

TEST(Chain, TangentPiecesAreOneCurveByArcLength) {
  const auto c = chain(roundedBox(), true, "box").value();
  const double whole = 2 * (80 + 40) + 2 * kPi * 10;
  EXPECT_NEAR(c->high() - c->low(), whole, 1e-9);
  EXPECT_NEAR(c->lengthTo(c->high()), whole, 1e-9);
  EXPECT_TRUE(c->closed());
  EXPECT_EQ(c->windingSign(), 1) << "counter-clockwise: the inside is on the left";
  for (double u = 0; u < whole; u += 3.7) {
    EXPECT_NEAR(c->at(u)[1].norm(), 1, 1e-12) << "arc length";
    const double k = c->curvature(u);
    EXPECT_TRUE(std::abs(k) < 1e-12 || std::abs(k - 0.1) < 1e-12) << k;
    EXPECT_NEAR((c->at(u + whole)[0] - c->at(u)[0]).norm(), 0, 1e-9) << "it counts on over many rounds";
  }
  const double u = c->nearest(Vec3(60, 5, 0));
  EXPECT_NEAR((c->at(u)[0] - Vec3(50, 5, 0)).norm(), 0, 1e-9);
  EXPECT_NEAR((c->at(c->farthest(Vec3(1, 1, 0)))[0] - (Vec3(40, 20, 0) + 10 * Vec3(1, 1, 0).normalized())).norm(), 0,
              1e-6);
}

TEST(Chain, GapsAndKinksAreNamedWithPlaceAndSize) {
  auto gap = roundedBox();
  gap[1].points[0] += V(0, 0.5);
  const auto a = chain(gap, true, "box");
  ASSERT_FALSE(a.ok());
  EXPECT_NE(a.error().text.find("box"), std::string::npos);
  auto kink = roundedBox();
  kink[2].points[1] = V(51, 20);
  kink[3].points[0] = V(51, 20);
  EXPECT_FALSE(chain(kink, true, "box").ok());
}

TEST(Offset, OfACircleIsACircleWithAllItsDerivatives) {
  const auto c = circle({1, 2}, 3);
  const auto out = offset(c, -0.5), plain = circle({1, 2}, 3.5);  // outside a counter-clockwise circle is to the right
  for (double u = -7; u < 7; u += 0.9)
    for (std::size_t n = 0; n < 4; ++n) EXPECT_NEAR((out->at(u)[n] - plain->at(u)[n]).norm(), 0, 1e-12) << n;
}

TEST(Curves, DerivativesEqualDifferences) {
  const auto c = offset(chain(roundedBox(), true, "box").value(), -4);
  for (double u = 81; u < 95; u += 1.3) {  // along an arc
    const double h = 1e-3;
    for (std::size_t n = 0; n < 3; ++n) {
      const Vec3 d = (8 * (c->at(u + h)[n] - c->at(u - h)[n]) - (c->at(u + 2 * h)[n] - c->at(u - 2 * h)[n])) / (12 * h);
      EXPECT_NEAR((d - c->at(u)[n + 1]).norm(), 0, 1e-9) << n;
    }
  }
}

TEST(Rolling, AWheelOnALineDrawsACycloid) {
  Piece line{Piece::Kind::line, {V(0, 0), V(50, 0)}, V::Zero(), true};
  const auto rail = chain({line}, false, "rail").value();
  const auto wheel = circle({0, 0}, 2);
  const Rolling r(rail, wheel, 0, -kPi / 2, 1);  // the wheel's lowest point on the rail's beginning
  for (double u = 0; u < 30; u += 1.1) {
    // the wheel's centre goes along, and it turns back by u / R
    const Pose p = r.at(u).pose();
    EXPECT_NEAR(std::abs(p.p.y()), 2, 1e-9);
    EXPECT_NEAR(p.p.x(), u, 1e-9);
    EXPECT_NEAR(std::abs(std::remainder(std::atan2(p.R(1, 0), p.R(0, 0)), 2 * kPi)),
                std::abs(std::remainder(u / 2, 2 * kPi)), 1e-9);
    const double h = 1e-4;
    const Vec3 v = (r.at(u + h).p[0] - r.at(u - h).p[0]) / (2 * h);
    EXPECT_NEAR((v - r.at(u).p[1]).norm(), 0, 1e-7);
  }
}

TEST(Table, SplineGoesThroughItsPointsAndReproducesACubic) {
  // a natural spline through points of a straight line is the line; through others it hits every point
  const auto t = Table::make({{0, 0}, {1, 2}, {2, -1}, {4, 3}}, Interpolation::spline, "t").value();
  EXPECT_NEAR(t.at(1)[0], 2, 1e-14);
  EXPECT_NEAR(t.at(2)[0], -1, 1e-14);
  EXPECT_NEAR(t.at(0)[2], 0, 1e-12) << "no curvature at its ends";
  EXPECT_NEAR(t.at(2 - 1e-9)[2], t.at(2 + 1e-9)[2], 1e-6) << "continuous curvature inside";
  EXPECT_NEAR(t.at(5)[0], 3 + t.at(4)[1], 1e-12) << "straight on past its end";
  const auto p = Table::make({{0, 0}, {1, 0.4}, {2, 1}}, Interpolation::periodic, "p").value();
  EXPECT_NEAR(p.at(7.3)[0], p.at(1.3)[0] + 3, 1e-12);
  EXPECT_NEAR(p.at(2 - 1e-9)[1], p.at(2 + 1e-9)[1], 1e-6);
  EXPECT_FALSE(Table::make({{0, 0}, {0, 1}}, Interpolation::spline, "x").ok()) << "not rising";
}

}  // namespace
}  // namespace cooperage::curves
