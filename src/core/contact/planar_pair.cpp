// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>

#include "base/index.h"
#include "contact/bodies.h"
#include "contact/pair_gaps.h"
#include "contact/planar_way.h"

namespace cooperage::contact {
namespace {

constexpr double kTouching = 1e-6;  // m: what is no deeper does no more than touch
constexpr double kPart = 0.15;      // of a quarter of the thinnest part: in which points go nearly straight
constexpr double kOverlap = 1e-6;   // m: bodies that share less of their height pass one another

Vec3 lifted(const Vec2& x) { return {x.x(), x.y(), 0}; }

PlanarMotion planar(const RelativeMotion& m) {
  PlanarMotion out;
  const Vec2 direction(m.R(0, 0), m.R(1, 0));
  const double size = direction.norm();
  out.c = direction.x() / size;
  out.s = direction.y() / size;
  out.p = m.p.head<2>();
  out.w = m.w.z();
  out.v = m.v.head<2>();
  out.alpha = m.alpha.z();
  out.a = m.a.head<2>();
  return out;
}

PairGap spatial(const Gap& g) { return {g.size, lifted(g.normal), lifted(g.onA), g.acceleration, g.within, g.facing}; }

LinkWeight weightOf(const LinkOutlines& o) {
  LinkWeight out;
  for (const auto& part : o.parts) out.mass += part->outline.area() * (part->high - part->low);
  for (const auto& part : o.parts)
    out.centre += part->outline.area() * (part->high - part->low) / out.mass * lifted(part->outline.centroid());
  double second = 0;
  for (const auto& part : o.parts)
    second += part->outline.area() * (part->high - part->low) / out.mass *
              (part->outline.gyration2() + (lifted(part->outline.centroid()) - out.centre).squaredNorm());
  out.centre = o.axes * out.centre;
  out.second = second * Mat3::Identity();
  return out;
}

/// Do outlines cross, deeper than touching, or lies one in the other? Arcs by chords.
bool overlap(const Outline& a, const Outline& b, const PlanarMotion& m) {
  const auto inside = [](const Outline& o, const Vec2& x) {
    return o.isInside(x) && o.distanceToBoundary(x) > kTouching;
  };
  if (inside(b, m.point(a.loops()[0][0].from)) || inside(a, m.back(b.loops()[0][0].from))) return true;
  for (const Feature& f : a.features()) {
    if (f.kind != Feature::Kind::side) continue;
    const Vec2 p = m.point(f.at), d = m.direction(f.along);
    for (const Feature& g : b.features()) {
      if (g.kind != Feature::Kind::side) continue;
      const double det = cross(d, g.along);
      if (std::abs(det) < 1e-6) continue;
      const Vec2 r = g.at - p;
      const double s = cross(r, g.along) / det, t = cross(r, d) / det, room = kTouching / std::abs(det);
      if (s > room && s < f.length - room && t > room && t < g.length - room) return true;
    }
  }
  return false;
}
/// The shortest way along a direction on which the hulls come apart.
double wayOut(const Outline& a, const Outline& b, const PlanarMotion& m) {
  const auto support = [](const Outline& o, const Vec2& along) {
    double most = -1e300;
    for (const Loop& l : o.loops())
      for (const Piece& p : l)
        most = std::max({most, p.from.dot(along), p.radius > 0 && p.ccw ? p.centre.dot(along) + p.radius : -1e300});
    return most;
  };
  double least = 1e300;
  constexpr int kDirections = 180;
  for (int i = 0; i < kDirections; ++i) {
    const double angle = 2 * kPi * i / kDirections;
    const Vec2 e(std::cos(angle), std::sin(angle)), inA(m.c * e.x() + m.s * e.y(), -m.s * e.x() + m.c * e.y());
    least = std::min(least, support(b, e) + support(a, -inA) - m.p.dot(e));
  }
  return least;
}

class PlanarPair final : public PairGaps {
 public:
  PlanarPair(std::shared_ptr<const LinkOutlines> a, std::shared_ptr<const LinkOutlines> b, double height)
      : a_(std::move(a)), b_(std::move(b)), height_(height) {
    double thin = 1e300;
    for (std::size_t i = 0; i < a_->parts.size(); ++i)
      for (std::size_t k = 0; k < b_->parts.size(); ++k) {
        const auto &pa = *a_->parts[i], &pb = *b_->parts[k];
        if (std::min(pa.high + height, pb.high) - std::max(pa.low + height, pb.low) < kOverlap) continue;
        parts_.emplace_back(static_cast<int>(i), static_cast<int>(k));
        thin = std::min({thin, pa.outline.thinnest(), pb.outline.thinnest()});
      }
    flat = true;
    axesA = a_->axes;
    axesB = b_->axes;
    quarter = 0.25 * thin;
    around(*a_, centreA, reachA);
    around(*b_, centreB, reachB);
    weightA = weightOf(*a_);
    weightB = weightOf(*b_);
  }
  bool meet() const { return !parts_.empty(); }

  void candidates(const RelativeMotion& motion, double reach, double, std::vector<PlaceKey>& out) const override {
    const PlanarMotion m = planar(motion);
    std::vector<int> around;
    for (const auto& [i, k] : parts_) {
      const Outline &a = a_->parts[u(i)]->outline, &b = b_->parts[u(k)]->outline;
      for (std::size_t fa = 0; fa < a.features().size(); ++fa) {
        const Feature& f = a.features()[fa];
        const Vec2 x = m.point(f.boundAt);
        const double far = b.reach() + f.bound + reach;
        if ((x - b.middle()).squaredNorm() > far * far) continue;
        b.near(x, f.bound + reach, around);
        for (const int fb : around) out.push_back({i, k, {static_cast<int>(fa), fb}});
      }
    }
  }
  void find(const RelativeMotion& motion, double ahead, double depth, const std::vector<PlaceKey>& among,
            Workspace& work, std::vector<Found>& out) const override {
    const PlanarMotion m = planar(motion);
    Gap g;
    for (const PlaceKey& key : among) {
      if (!gapOf(featureA(key), featureB(key), m, kSlack, g) || !g.within) continue;
      if (g.size > ahead || g.size < -depth) continue;
      Depth judged = Depth::nearest;
      if (g.size < -kOn)
        judged =
            depthOf(a_->parts[u(key.partA)]->outline, b_->parts[u(key.partB)]->outline, m, key.features, g, work.list);
      if (judged != Depth::none) out.push_back({key, spatial(g), judged == Depth::nearest});
    }
  }
  bool at(const PlaceKey& key, const RelativeMotion& m, bool, PairGap& out) const override {
    Gap g;
    if (!gapOf(featureA(key), featureB(key), planar(m), kSlack, g)) return false;
    out = spatial(g);
    return true;
  }
  double room(const PlaceKey& key, const RelativeMotion& m) const override {
    Gap g;
    double room;
    return gapOf(featureA(key), featureB(key), planar(m), kSlack, g, &room) ? room : std::nan("");
  }
  bool mayHaveMet(const RelativeMotion& from, const RelativeMotion& to, double duration,
                  const std::vector<PlaceKey>& among, const std::vector<PlaceKey>& held,
                  Workspace& work) const override {
    const PlanarWay way(planar(from), planar(to), duration, centreA.head<2>(), reachA, kPart * quarter);
    if (way.isLong()) return true;
    return std::any_of(among.begin(), among.end(), [&](const PlaceKey& key) {
      return std::find(held.begin(), held.end(), key) == held.end() &&
             way.mayMeet(a_->parts[u(key.partA)]->outline, b_->parts[u(key.partB)]->outline, key.features, work.list);
    });
  }
  double crossing(const RelativeMotion& motion) const override {
    const PlanarMotion m = planar(motion);
    double most = 0;
    for (const auto& [i, k] : parts_) {
      const Outline &a = a_->parts[u(i)]->outline, &b = b_->parts[u(k)]->outline;
      if (overlap(a, b, m)) most = std::max(most, wayOut(a, b, m));
    }
    return most;
  }
  bool goesOn(const PlaceKey& from, const PlaceKey& to) const override {
    return from.partA == to.partA && from.partB == to.partB && featureA(from).run == featureA(to).run &&
           featureB(from).run == featureB(to).run;
  }
  Vec3 placeOf(const PlaceKey& key, const PairGap& gap) const override {
    // the middle of the heights that both have
    const auto &pa = *a_->parts[u(key.partA)], &pb = *b_->parts[u(key.partB)];
    return {gap.onA.x(), gap.onA.y(),
            0.5 * (std::max(pa.low + height_, pb.low) + std::min(pa.high + height_, pb.high))};
  }

 private:
  const Feature& featureA(const PlaceKey& key) const {
    return a_->parts[u(key.partA)]->outline.features()[u(key.features.a)];
  }
  const Feature& featureB(const PlaceKey& key) const {
    return b_->parts[u(key.partB)]->outline.features()[u(key.features.b)];
  }
  static void around(const LinkOutlines& o, Vec3& centre, double& reach) {
    double area = 0;
    Vec2 at(0, 0);
    for (const auto& part : o.parts) {
      at += part->outline.area() * part->outline.centroid();
      area += part->outline.area();
    }
    at /= area;
    reach = 0;
    for (const auto& part : o.parts) reach = std::max(reach, part->outline.reachFrom(at));
    centre = lifted(at);
  }
  std::shared_ptr<const LinkOutlines> a_, b_;
  double height_;
  std::vector<std::pair<int, int>> parts_;
};

}  // namespace

std::shared_ptr<const PairGaps> planarPair(std::shared_ptr<const LinkOutlines> a, std::shared_ptr<const LinkOutlines> b,
                                           double height) {
  auto out = std::make_shared<PlanarPair>(std::move(a), std::move(b), height);
  return out->meet() ? out : nullptr;
}

}  // namespace cooperage::contact
