// SPDX-License-Identifier: GPL-3.0-or-later
#include "contact/planar_gap.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/index.h"

namespace cooperage::contact {

bool inCone(const Feature& f, const Vec2& direction, double slack, double* room) {
  const double along = direction.dot(f.normal);
  if (f.half >= kPi - 1e-12 || (!room && along >= f.cosHalf)) return true;
  const double off = std::atan2(std::abs(cross(f.normal, direction)), along) - f.half;
  const double within = slack - off * std::max(f.radius, 1e-3);
  if (room) *room = std::min(*room, within);
  return within >= 0;
}

namespace {

struct PointMotion {
  Vec2 x, v, a;
};
/// A point of A as B sees it.
PointMotion moved(const Vec2& x, const PlanarMotion& m) {
  const Vec2 r = m.direction(x);
  return {r + m.p, m.v + m.w * left(r), m.a + m.alpha * left(r) - m.w * m.w * r};
}
/// A point of B as A sees it.
PointMotion movedBack(const Vec2& x, const PlanarMotion& m) {
  const auto toA = [&](const Vec2& d) { return Vec2(m.c * d.x() + m.s * d.y(), -m.s * d.x() + m.c * d.y()); };
  PointMotion o;
  o.x = m.back(x);
  const Vec2 v = toA(m.v);
  o.v = -v - m.w * left(o.x);
  o.a = -toA(m.a) + m.w * left(v) - m.alpha * left(o.x) - m.w * left(o.v);
  return o;
}

/// A round feature whose centre moves against a side that stands.
bool roundOnSide(const Feature& round, const Feature& side, const PointMotion& c, const Vec2& towards, double slack,
                 Gap& out, double* room) {
  const Vec2 d = c.x - side.at;
  const double foot = d.dot(side.along);
  out.size = d.dot(side.normal) - round.radius;
  out.rate = c.v.dot(side.normal);
  out.acceleration = c.a.dot(side.normal);
  const bool cone = inCone(round, towards, slack, room);
  if (room) *room = std::min({*room, foot + slack, side.length + slack - foot});
  out.within = foot >= -slack && foot <= side.length + slack && (round.isCorner() || cone);
  out.facing = out.within && cone;
  return true;
}

/// Two features with centres: a corner against an arc needs no normal of its own, two corners need both.
void judge(const Feature& a, const Vec2& inA, const Feature& b, const Vec2& inB, double slack, Gap& out, double* room) {
  const bool coneA = inCone(a, inA, slack, room), coneB = inCone(b, inB, slack, room);
  const bool both = a.isCorner() == b.isCorner();
  out.within = (coneA || (a.isCorner() && !both)) && (coneB || (b.isCorner() && !both));
  out.facing = out.within && coneA && coneB;
}

}  // namespace

bool gapOf(const Feature& a, const Feature& b, const PlanarMotion& m, double slack, Gap& out, double* room) {
  using Kind = Feature::Kind;
  if (room) *room = std::numeric_limits<double>::infinity();
  if (a.kind == Kind::notch || b.kind == Kind::notch) return false;
  if (a.kind == Kind::round && b.kind == Kind::side) {
    const PointMotion c = moved(a.at, m);
    const Vec2 towards = -b.normal;
    // in A's own axes: where its surface faces
    const Vec2 own{m.c * towards.x() + m.s * towards.y(), -m.s * towards.x() + m.c * towards.y()};
    roundOnSide(a, b, c, own, slack, out, room);
    out.normal = b.normal;
    out.onA = c.x - a.radius * b.normal;
    return true;
  }
  if (a.kind == Kind::side && b.kind == Kind::round) {
    const PointMotion c = movedBack(b.at, m);
    const Vec2 outwards = m.direction(a.normal);
    roundOnSide(b, a, c, -outwards, slack, out, room);
    out.normal = -outwards;
    out.onA = b.at + (out.size + b.radius) * out.normal;
    return true;
  }
  if (a.kind == Kind::side || b.kind == Kind::side || (a.kind == Kind::hollow && b.kind == Kind::hollow)) return false;
  const PointMotion c = moved(a.at, m);
  const Vec2 d = c.x - b.at;
  const double distance = d.norm();
  if (distance < 1e-12) return false;
  const Vec2 e = d / distance;
  const double along = c.v.dot(e), across = c.v.dot(left(e));
  const double bend = c.a.dot(e) + across * across / distance;  // second derivative of the distance
  const auto inA = [&](const Vec2& x) { return Vec2(m.c * x.x() + m.s * x.y(), -m.s * x.x() + m.c * x.y()); };
  if (a.kind == Kind::round && b.kind == Kind::round) {
    out.size = distance - a.radius - b.radius;
    out.rate = along;
    out.acceleration = bend;
    out.normal = e;
    out.onA = c.x - a.radius * e;
    judge(a, inA(-e), b, e, slack, out, room);
    return true;
  }
  // a round in a hollow: it touches where the line of their centres goes on
  const bool hollowB = b.kind == Kind::hollow;
  const double play = hollowB ? b.radius - a.radius : a.radius - b.radius;
  if (play < 1e-9) return false;  // as round as the hollow, or rounder: the hollow's ends touch
  out.size = play - distance;
  out.rate = -along;
  out.acceleration = -bend;
  out.normal = -e;
  if (hollowB) {
    out.onA = c.x + a.radius * e;
    judge(a, inA(e), b, e, slack, out, room);
  } else {
    out.onA = c.x - a.radius * e;
    judge(a, inA(-e), b, -e, slack, out, room);
  }
  return true;
}

Depth depthOf(const Outline& a, const Outline& b, const PlanarMotion& m, const FeaturePair& pair, const Gap& gap,
              std::vector<int>& work) {
  const double depth = -gap.size;
  const double within = 1e-9 + 1e-6 * depth;
  const auto judge = [&](const Outline& o, const Vec2& x) {
    const double reach = depth * (1 + 1e-6) + 1e-9, s = o.signedWithin(x, reach, work);
    if (s == reach) return o.isInside(x) ? Depth::nearest : Depth::none;
    if (s > -kOn) return Depth::none;  // what touches another side lies on it, not within
    return -s >= depth - within ? Depth::nearest : Depth::inside;
  };
  // the deepest point is one of the round feature; of two round ones either, but a corner sooner than an arc
  if (a.features()[u(pair.a)].kind != Feature::Kind::round || b.features()[u(pair.b)].isCorner())
    return judge(a, m.back(gap.onA - gap.size * gap.normal));
  return judge(b, gap.onA);
}

}  // namespace cooperage::contact
