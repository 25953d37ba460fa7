// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/witness.h"

namespace cooperage::clearance {
namespace {

constexpr int kWayHalvings = 10;     // of the way of a place
constexpr int kRounds = 80;          // of the climb
constexpr double kFirstStep = 1e-6;  // m; grows and shrinks as it goes

/// How deep a place lies inside both bodies, beyond what they must be shrunk by; axes of A.
class Depths {
 public:
  explicit Depths(const OverlapQuestion& q) : q_(q), aInB_(q.bInA.inverse()) {}
  double inA(const Vec3& p) const { return -q_.a.part.signedDistance(q_.a.facets, p) - q_.shrinkA; }
  double inB(const Vec3& p) const { return -q_.b.part.signedDistance(q_.b.facets, aInB_ * p) - q_.shrinkB; }
  double both(const Vec3& p) const {
    const double a = inA(p);
    return std::min(a, inB(p));
  }
  Vec3 toB(const Vec3& p) const { return aInB_ * p; }

 private:
  const OverlapQuestion& q_;
  Pose aInB_;
};

/// Does a straight way stay deeper inside than a margin? A distance changes by no more than the way.
template <class DepthAt>
bool staysInside(const DepthAt& depth, const Vec3& from, const Vec3& to, double margin, int halvings) {
  const Vec3 middle = 0.5 * (from + to);
  const double d = depth(middle) - margin;
  if (!(d > 0)) return false;
  if (d > 0.5 * (to - from).norm()) return true;
  return halvings > 0 && staysInside(depth, from, middle, margin, halvings - 1) &&
         staysInside(depth, middle, to, margin, halvings - 1);
}

bool stays(const OverlapQuestion& q, const Depths& depths, const Vec3& p) {
  // carried along by B it goes through A, or carried along by A through B
  const Vec3 v = q.ofB.shift + q.ofB.turn.cross(p);
  if (staysInside([&](const Vec3& x) { return depths.inA(x); }, p - v, p + v, q.ofB.restOf(p, 0), kWayHalvings))
    return true;
  const Vec3 x = depths.toB(p), w = q.ofA.shift + q.ofA.turn.cross(x);
  return staysInside([&](const Vec3& y) { return depths.inB(q.bInA * y); }, x - w, x + w, q.ofA.restOf(x, 0),
                     kWayHalvings);
}

}  // namespace

bool Witness::found(const OverlapQuestion& q, const std::vector<Vec3>& starts) {
  const Depths depths(q);
  Vec3 best = Vec3::Zero();
  double most = -1e300;
  const auto consider = [&](const Vec3& p) {
    const double d = depths.both(p);
    if (d <= most) return false;
    most = d;
    best = p;
    return true;
  };
  if (place_ && consider(q.bInA * *place_) && most > 0 && stays(q, depths, best)) return true;
  for (const Vec3& p : starts) consider(p);
  double step = kFirstStep;
  // Depths have ridges that lie askew: axes that turn from round to round find a way along any of them.
  const Mat3 turn = rotationOf(Vec3(0.7, 0.4, 0.9));
  Mat3 axes = Mat3::Identity();
  int failed = 0;
  for (int round = 0; round < kRounds && most > -1e299; ++round, axes = turn * axes) {
    const Vec3 from = best;
    bool better = false;
    for (int axis = 0; axis < 3; ++axis)
      for (const double sign : {1.0, -1.0}) better = consider(from + sign * step * axes.col(axis)) || better;
    // along the way that helped, farther
    if (better) consider(from + 2 * (best - from));
    if (better && most > 0 && stays(q, depths, best)) {
      place_ = q.bInA.inverse() * best;
      return true;
    }
    failed = better ? 0 : failed + 1;
    if (better)
      step *= 2;
    else if (failed % 2 == 0)
      step *= 0.4;
    if (step < 1e-9) break;
  }
  if (most > 0) place_ = q.bInA.inverse() * best;
  return most > 0 && stays(q, depths, best);
}

}  // namespace cooperage::clearance
