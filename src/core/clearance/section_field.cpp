// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/section_field.h"

#include <tbb/parallel_for.h>

#include <algorithm>

#include "base/index.h"

namespace cooperage::clearance {
namespace {

/// Signed distance from a section, own axes: outside of it, or in one of its bores, positive.
double sectionDistance(const Convex& c, const Vec3& p) {
  double d = c.ownSignedDistance(Vec3(p.x(), p.y(), 0));
  for (const Vec3& h : c.holes) d = std::max(d, h.z() - (p.head<2>() - h.head<2>()).norm());
  return d;
}

}  // namespace

bool SectionField::build(const Vec2& middle, double half, bool everywhere) {
  std::vector<Near> all;
  for (std::size_t b = 0; b < bodies_.size(); ++b)
    for (std::size_t k = 0; k < bodies_[b].inverse.size(); ++k)
      all.push_back({static_cast<int>(b), static_cast<int>(k), 0});
  root_ = std::make_unique<Square>();
  everywhere_ = everywhere;
  divide(*root_, middle, half, all);
  return !cancelled();
}

double SectionField::value(const Vec2& x) const {
  const Square* s = root_.get();
  while (s->parts) s = &(*s->parts)[(x.x() > s->middle.x() ? 1U : 0U) + (x.y() > s->middle.y() ? 2U : 0U)];
  const Vec3 at(x.x(), x.y(), 0);
  double best = 1e300;
  thread_local std::vector<std::pair<double, std::size_t>> order;
  order.clear();
  for (std::size_t i = 0; i < s->near.size(); ++i) {
    const double d = distance(s->near[i], at);
    best = std::min(best, d);
    if (between_ && d < best + way_) order.emplace_back(d, i);
  }
  if (!between_) return best;
  // between two poses it comes no nearer than by half of their way
  std::sort(order.begin(), order.end());
  for (const auto& [d, i] : order) {
    if (d - way_ >= best) break;
    const Near& n = s->near[i];
    const SweptBody& body = bodies_[u(n.body)];
    const auto other = [&](int pose) {
      return pose < 0 || pose >= static_cast<int>(body.inverse.size()) ? 1e300 : distance({n.body, pose, 0}, at);
    };
    if (other(n.pose - 1) < d - same_ || other(n.pose + 1) < d - same_) continue;  // its neighbour tells
    best = std::min(
        best, body.leastAround(u(n.pose), at, 6, [&](const Vec3& p) { return sectionDistance(*body.closed, p); }));
  }
  return best;
}

double SectionField::distance(const Near& n, const Vec3& at) const {
  const SweptBody& b = bodies_[u(n.body)];
  return sectionDistance(*b.closed, b.inverse[u(n.pose)] * at);
}

void SectionField::divide(Square& s, const Vec2& middle, double half, const std::vector<Near>& from) const {
  if (cancelled()) return;
  const double reach = std::sqrt(2.0) * half;
  s.middle = middle;
  double best = 1e300;
  std::vector<Near> near;
  near.reserve(from.size());
  for (Near n : from) {
    n.least = distance(n, Vec3(middle.x(), middle.y(), 0));
    best = std::min(best, n.least);
    near.push_back(n);
  }
  // neither they nor what lies beside them comes nearer anywhere in the square
  near.erase(
      std::remove_if(near.begin(), near.end(), [&](const Near& n) { return n.least > best + 2 * reach + 2 * way_; }),
      near.end());
  leaveOutSame(near, middle, half);
  leaveOut(near, middle, half, best);
  near.shrink_to_fit();
  const bool rim = std::abs(best - level_) < reach + way_, top = everywhere_ && best < level_;
  if (near.size() <= 6 || half <= (rim ? 1 : 8) * least_ || !(rim || top)) {
    s.near = std::move(near);
    return;
  }
  s.parts = std::make_unique<std::array<Square, 4>>();
  const auto part = [&](std::size_t k) {
    const double h = 0.5 * half;
    divide((*s.parts)[k], middle + Vec2(k & 1 ? h : -h, k & 2 ? h : -h), h, near);
  };
  if (half > 16 * least_)
    tbb::parallel_for(std::size_t(0), std::size_t(4), part);
  else
    for (std::size_t k = 0; k < 4; ++k) part(k);
}

std::optional<SectionField::Round> SectionField::roundIn(const Near& n, const Vec3& centre, double half) const {
  const SweptBody& body = bodies_[u(n.body)];
  const Convex& c = *body.closed;
  const Pose& inverse = body.inverse[u(n.pose)];
  const Vec2 p = (inverse * centre).head<2>();
  const double reach = std::sqrt(2.0) * half, outer = c.ownSignedDistance(Vec3(p.x(), p.y(), 0));
  const auto bore = [&](const Vec3& h) { return h.z() - (p - h.head<2>()).norm(); };
  const auto known = [&](const Vec2& own, double radius, bool isBore) {
    return Round{(inverse.inverse() * Vec3(own.x(), own.y(), 0)).head<2>(), radius, isBore};
  };
  for (const Vec3& h : c.holes) {
    double others = outer;
    for (const Vec3& o : c.holes)
      if (&o != &h) others = std::max(others, bore(o));
    if (bore(h) - reach >= others + reach) return known(h.head<2>(), h.z(), true);
  }
  if (c.corners.size() != 2) return {};
  for (const std::size_t k : {0U, 1U}) {
    const Vec2 &end = c.corners[k], way = c.corners[1 - k] - end;
    if ((p - end).dot(way) + reach * way.norm() > 0) continue;  // the other half of the plane
    bool alone = true;
    for (const Vec3& h : c.holes)
      alone = alone && ((h.head<2>() - end).norm() == 0 || bore(h) + reach <= outer - reach);
    if (alone) return known(end, c.rim, false);
  }
  return {};
}

/// Leaves out poses that stand where another stands as far as a square is concerned: a link that turns about its bore
/// has the same bore, and the same round end about it, in all poses. (Another's distance is no less than that from
/// its bore, and equal to that from its round end where both of them tell it.)
void SectionField::leaveOutSame(std::vector<Near>& near, const Vec2& middle, double half) const {
  constexpr std::size_t kMost = 8;  // of places that are kept in mind
  if (near.size() < 3) return;
  const Vec3 centre(middle.x(), middle.y(), 0);
  std::vector<Round> known;
  const auto same = [&](const Near& n) {
    const auto r = roundIn(n, centre, half);
    if (!r) return false;
    for (const Round& k : known)
      if (k.bore == r->bore && k.radius == r->radius && (k.at - r->at).norm() <= same_) return true;
    if (known.size() < kMost) known.push_back(*r);
    return false;
  };
  near.erase(std::remove_if(near.begin(), near.end(), same), near.end());
}

/// Leaves out poses that come nowhere in a square nearer than one other. The distance of a convex section is a convex
/// function: that of the one is no more than between its corners (and that of its bores no more than in the middle
/// and the way to the corners), those of others no less than that of a tangent.
void SectionField::leaveOut(std::vector<Near>& near, const Vec2& middle, double half, double best) const {
  if (near.size() < 3) return;
  const auto corner = [&](std::size_t c) { return Vec3(c & 1 ? half : -half, c & 2 ? half : -half, 0); };
  const Vec3 centre(middle.x(), middle.y(), 0);
  std::array<double, 4> most{};
  double least = 1e300;
  const Near* champion = nullptr;
  for (const Near& n : near) {
    if (n.least > best + same_) continue;
    const SweptBody& b = bodies_[u(n.body)];
    const Pose& inverse = b.inverse[u(n.pose)];
    double bores = -1e300;
    for (const Vec3& h : b.closed->holes)
      bores = std::max(bores, h.z() - ((inverse * centre).head<2>() - h.head<2>()).norm() + std::sqrt(2.0) * half);
    std::array<double, 4> one{};
    for (std::size_t c = 0; c < 4; ++c) {
      const Vec3 p = inverse * (centre + corner(c));
      one[c] = std::max(bores, b.closed->ownSignedDistance(Vec3(p.x(), p.y(), 0)));
    }
    const double sum = one[0] + one[1] + one[2] + one[3];
    if (sum >= least) continue;
    least = sum;
    most = one;
    champion = &n;
  }
  if (!champion) return;
  const Near one = *champion;
  const auto beaten = [&](const Near& n) {
    if (n.body == one.body && n.pose == one.pose) return false;
    const SweptBody& b = bodies_[u(n.body)];
    const Pose& inverse = b.inverse[u(n.pose)];
    Vec3 p = inverse * centre;
    p.z() = 0;
    const auto behind = [&](double distance, const Vec3& normal) {
      const Vec3 slope = inverse.R.transpose() * normal;
      bool all = true;
      for (std::size_t c = 0; c < 4 && all; ++c) all = most[c] <= distance + same_ + slope.dot(corner(c));
      return all;
    };
    if (behind(b.closed->ownSignedDistance(p), b.closed->ownOutward(p))) return true;
    if (b.closed->corners.size() != 4) return false;
    for (const Eigen::Index k : {0, 1})
      if (behind(std::abs(p[k]) - std::abs(b.closed->corners[0][k]), Vec3::Unit(k) * (p[k] < 0 ? -1 : 1))) return true;
    return false;
  };
  near.erase(std::remove_if(near.begin(), near.end(), beaten), near.end());
}

}  // namespace cooperage::clearance
