// SPDX-License-Identifier: GPL-3.0-or-later
#include "contact/planar_way.h"

#include <algorithm>
#include <cmath>

#include "base/index.h"

namespace cooperage::contact {
namespace {

constexpr double kCone = 0.05;  // rad: how far a normal may lie beyond an arc that is passed by

bool isFacing(const Feature& f, const Vec2& direction) {
  return f.isCorner() || inCone(f, direction, kCone * std::max(f.radius, 1e-3));
}
/// Does a round come through a side, from a centre to another in the side's axes? @param own side's normal in the
/// round's axes, reversed
bool through(const Feature& round, const Feature& side, const Vec2& from, const Vec2& to, const Vec2& own, double met) {
  const double g0 = (from - side.at).dot(side.normal) - round.radius,
               g1 = (to - side.at).dot(side.normal) - round.radius;
  if (!((g0 > met && g1 < -met) || (g0 < -met && g1 > met))) return false;
  const double share = g0 / (g0 - g1), foot = (from + share * (to - from) - side.at).dot(side.along);
  const double room = 0.02 * (to - from).norm();
  return foot >= -room && foot <= side.length + room && isFacing(round, own);
}

/// May they have met on a straight way? Through a side, or closer past another round than the radii.
bool onStraight(const Feature& a, const Feature& b, const PlanarMotion& from, const PlanarMotion& to, double met) {
  using Kind = Feature::Kind;
  const auto inA = [&](const Vec2& x) { return Vec2(to.c * x.x() + to.s * x.y(), -to.s * x.x() + to.c * x.y()); };
  if (a.kind == Kind::round && b.kind == Kind::side)
    return through(a, b, from.point(a.at), to.point(a.at), inA(-b.normal), met);
  if (a.kind == Kind::side && b.kind == Kind::round)
    return through(b, a, from.back(b.at), to.back(b.at), -to.direction(a.normal), met);
  if (a.kind != Kind::round || b.kind != Kind::round || (a.isCorner() && b.isCorner())) return false;
  const Vec2 start = from.point(a.at) - b.at, way = to.point(a.at) - b.at - start;
  const double share = -start.dot(way) / std::max(way.squaredNorm(), 1e-300), least = a.radius + b.radius - met;
  if (!(share > 0 && share < 1)) return false;
  const Vec2 nearest = start + share * way;
  const double d = nearest.norm();
  if (d >= least || d < 1e-12 || start.norm() < least || (start + way).norm() < least) return false;
  return isFacing(b, nearest / d) && isFacing(a, inA(-nearest / d));
}

constexpr double kSteep = 4;     // how far a cubic's end rate may exceed what the other end and the way make likely
constexpr double kLongTurn = 1;  // rad
constexpr double kEnds = 1e-9;   // m: how far a foot may lie beyond the end of what it stands on
constexpr double kSure = 1e-10;  // m: what is taken for rounding, at least
/// Of a cubic's third derivative over the way: the cubic's own error is about turn / 400 of it.
constexpr double kOfThird = 0.01, kLeastTurn = 0.05;

/// A cubic through values and rates at 0 and 1.
struct Cubic {
  double third = 0, second = 0, first = 0, start = 0;
  Cubic(double x0, double x1, double r0, double r1)
      : third(2 * (x0 - x1) + r0 + r1), second(3 * (x1 - x0) - 2 * r0 - r1), first(r0), start(x0) {}
  double at(double x) const { return start + x * (first + x * (second + x * third)); }
  double rate(double x) const { return first + x * (2 * second + x * 3 * third); }
};

}  // namespace

PlanarWay::PlanarWay(const PlanarMotion& from, const PlanarMotion& to, double duration, const Vec2& middle,
                     double reach, double part) {
  const double turn = std::atan2(from.c * to.s - from.s * to.c, from.c * to.c + from.s * to.s);
  const Vec2 x0 = from.point(middle), x1 = to.point(middle);
  const Vec2 v0 = duration * from.velocityAt(x0);
  Vec2 v1 = duration * to.velocityAt(x1);
  const double w0 = duration * from.w;
  double w1 = duration * to.w;
  // rates may grow beyond all bounds at the end (a pawl about to fall)
  const double likely = kSteep * (v0.norm() + (x1 - x0).norm() + reach * (std::abs(w0) + std::abs(turn)));
  if (const double steep = v1.norm() + reach * std::abs(w1); steep > likely) {
    v1 *= likely / steep;
    w1 *= likely / steep;
  }
  long_ = std::abs(turn) + std::max(std::abs(w0), std::abs(w1)) > 3 * kLongTurn;
  const Cubic angle(0, turn, w0, w1), x(x0.x(), x1.x(), v0.x(), v1.x()), y(x0.y(), x1.y(), v0.y(), v1.y());
  const double length = std::max({(x1 - x0).norm(), v0.norm(), v1.norm()}) +
                        reach * std::max({std::abs(turn), std::abs(w0), std::abs(w1)});
  parts_ = std::clamp(static_cast<int>(std::ceil(length / part)), 1, kMost);
  long_ = long_ || length > 2 * kMost * part;
  const double third = 6 * (std::hypot(x.third, y.third) + reach * std::abs(angle.third));
  slack_ = kSure + kOfThird * std::max(std::abs(turn), kLeastTurn) * third;
  for (int i = 0; i <= parts_; ++i) {
    PlanarMotion& m = at_[u(i)];
    if (i == 0 || i == parts_) {
      m = i == 0 ? from : to;
      m.w *= duration / parts_;
      m.v *= duration / parts_;
      continue;
    }
    const double s = static_cast<double>(i) / parts_, by = angle.at(s), c = std::cos(by), sn = std::sin(by);
    m.c = from.c * c - from.s * sn;
    m.s = from.s * c + from.c * sn;
    m.w = angle.rate(s) / parts_;
    const Vec2 place(x.at(s), y.at(s)), arm = m.direction(middle);
    m.p = place - arm;
    m.v = Vec2(x.rate(s), y.rate(s)) / parts_ - m.w * left(arm);
  }
}

/// Is their gap, or how deep the one lies behind the other, more than they move by on the way?
bool PlanarWay::passesBy(const Feature& a, const Feature& b) const {
  Gap g;
  const PlanarMotion& mid = at_[u(parts_ / 2)];
  if (!gapOf(a, b, mid, kEnds, g)) return true;
  double way = slack_;
  for (const PlanarMotion* end : {&at_[0], &at_[u(parts_)]})
    way = std::max(way, a.kind == Feature::Kind::side ? (end->back(b.at) - mid.back(b.at)).norm()
                                                      : (end->point(a.at) - mid.point(a.at)).norm());
  return std::abs(g.size) > 1.5 * way;
}

bool PlanarWay::mayMeet(const Outline& a, const Outline& b, const FeaturePair& pair, std::vector<int>& work) const {
  const Feature &fa = a.features()[u(pair.a)], &fb = b.features()[u(pair.b)];
  if (passesBy(fa, fb)) return false;
  Gap before, g;
  bool had = false;
  for (int i = 0; i <= parts_; ++i) {
    const bool has = gapOf(fa, fb, at_[u(i)], kEnds, g) && g.within;
    if (i > 0) {
      if (onStraight(fa, fb, at_[u(i - 1)], at_[u(i)], 0.1 * slack_)) return true;
      if (has && had && before.rate < 0 && g.rate > 0 && before.size >= 0) {
        const Cubic gap(before.size, g.size, before.rate, g.rate);
        double least = std::min(before.size, g.size);
        for (int k = 1; k < 16; ++k) least = std::min(least, gap.at(k / 16.0));
        if (least < 0.1 * std::min(before.size, g.size)) return true;
      }
      if (has && i < parts_ && g.size < -slack_ && depthOf(a, b, at_[u(i)], pair, g, work) != Depth::none) return true;
    }
    before = g;
    had = has;
  }
  return false;
}

}  // namespace cooperage::contact
