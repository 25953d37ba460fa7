// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/pair_travel.h"

#include <algorithm>

namespace cooperage::clearance {
namespace {

std::size_t u(int i) { return static_cast<std::size_t>(i); }
constexpr int kProofDepth = 4;  // how far an interval is halved to enclose it, before it is only estimated
constexpr int kFreeDepth = 6;   // how far meeting parts are halved to see whether they are free after all
constexpr std::size_t kMostAtOnce = 16, kMostKept = 8192;
constexpr int kSurely = 8;       // intervals after which parts that touched are taken to go on touching
constexpr double kTouch = 5e-8;  // m, each: faces that lie on one another are no overlap, whatever rounding says

}  // namespace

double shrinkOf(const Part& part, double tolerance) { return part.error + 0.5 * tolerance + kTouch; }

Intervals::Ptr Intervals::over(double t0, double t1, bool onlyProven) {
  const std::lock_guard lock(mutex_);
  const auto it = known_.find({t0, t1, onlyProven});
  if (it != known_.end()) return it->second;
  if (known_.size() > kMostKept) known_.clear();  // pairs go along in time: what lies behind is not asked again
  auto m = std::make_shared<kinematics::IntervalMotion>();
  Ptr p;
  if (enclosure_.over(t0, t1, *m, onlyProven)) p = std::move(m);
  known_[{t0, t1, onlyProven}] = p;
  return p;
}

bool Intervals::poses(double t, std::vector<Pose>& out) {
  const std::lock_guard lock(mutex_);
  return enclosure_.poses(t, out);
}

void Intervals::clear() {
  const std::lock_guard lock(mutex_);
  known_.clear();
}

PairTravel::PairTravel(int a, int b, const LinkGeometry& ga, const LinkGeometry& gb, double tolerance,
                       const kinematics::PairPath& path, Intervals& intervals, double smallest)
    : a_(a), b_(b), ga_(ga), gb_(gb), intervals_(intervals), smallest_(smallest), joined_(tolerance > 0), path_(path) {
  for (const auto& x : ga.parts())
    for (const auto& y : gb.parts()) {
      PartPair p{};
      p.x = x.get();
      p.y = y.get();
      p.errors = x->error + y->error;
      p.shrinkX = shrinkOf(*x, tolerance);
      p.shrinkY = shrinkOf(*y, tolerance);
      parts_.push_back(p);
    }
}

/// Parts of revolution about the one turn that lies between the links look the same at all poses.
void PairTravel::settleStill(const kinematics::IntervalMotion& m) {
  knowsStill_ = true;
  if (!path_.onePin || !m.proven || path_.steps.empty()) return;
  const auto& t = m.twists[u(path_.steps[0].dof)];
  const auto about = [&](const Part& part, const Pose& pose) {
    if (!part.revolves) return false;
    const Vec3 axis = pose.R * part.axis, at = pose * part.axisAt;
    return axis.cross(t.w).norm() < 1e-9 && (at - t.at).cross(t.w).norm() < 1e-9 * part.radius;
  };
  for (PartPair& p : parts_) p.still = about(*p.x, m.links[u(a_)]) || about(*p.y, m.links[u(b_)]);
  const Pose toA = m.links[u(a_)].inverse(), toB = m.links[u(b_)].inverse();
  constexpr std::size_t kMost = 2000;
  for (PartPair& p : parts_) {
    if (p.still) continue;
    p.onPin = MeshTree::nearOnAxis(p.x->shrunk(p.shrinkX), toA * t.at, toA.R * t.w, p.y->shrunk(p.shrinkY), toB * t.at,
                                   toB.R * t.w, 0, kMost);
    p.onPinWhole = MeshTree::nearOnAxis(p.x->whole(), toA * t.at, toA.R * t.w, p.y->whole(), toB * t.at, toB.R * t.w,
                                        p.errors + 2 * kTouch, kMost);
  }
}

bool PairTravel::apartShrunk(PartPair& p, const Pose& bInA, const Motion& motion) {
  const MeshTree &x = p.x->shrunk(p.shrinkX), &y = p.y->shrunk(p.shrinkY);
  return p.onPin ? MeshTree::apart(*p.onPin, x, y, bInA, motion, 0, &p.inner)
                 : MeshTree::apart(x, y, bInA, motion, 0, &p.inner);
}

bool PairTravel::apartWhole(PartPair& p, const Pose& bInA, const Motion& motion) {
  const double margin = p.errors + 2 * kTouch;
  return p.onPinWhole ? MeshTree::apart(*p.onPinWhole, p.x->whole(), p.y->whole(), bInA, motion, margin, &p.whole)
                      : MeshTree::apart(p.x->whole(), p.y->whole(), bInA, motion, margin, &p.whole);
}

bool PairTravel::overlap(PartPair& p, const Pose& pa, const Pose& pb) {
  if ((pa * p.x->centre - pb * p.y->centre).norm() > p.x->radius + p.y->radius) return false;
  if (!apartShrunk(p, pa.inverse() * pb, {})) return true;
  const double deep = p.shrinkX + p.shrinkY;
  return contained(*p.x, pa, *p.y, pb, deep) || contained(*p.y, pb, *p.x, pa, deep);
}

bool PairTravel::overlapAt(const Pose& pa, const Pose& pb) {
  return std::any_of(parts_.begin(), parts_.end(), [&](PartPair& p) { return overlap(p, pa, pb); });
}

bool PairTravel::freeAt(const Pose& pa, const Pose& pb) {
  return std::all_of(parts_.begin(), parts_.end(), [&](PartPair& p) {
    if ((pa * p.x->centre - pb * p.y->centre).norm() > p.x->radius + p.y->radius + p.errors) return true;
    return apartWhole(p, pa.inverse() * pb, {});
  });
}

bool PairTravel::overlapAt(double t) {
  if (!intervals_.poses(t, poses_)) return false;
  return overlapAt(poses_[u(a_)], poses_[u(b_)]);
}

/// A pin in its bore touches all along: no need to try each time whether it is free.
bool PairTravel::worthTrying() const { return meetingFor_ < kSurely || meetingFor_ % kSurely == 0; }

PairTravel::Found PairTravel::query(const kinematics::IntervalMotion& m, bool tryFree) {
  ++queries_;
  const Pose &pa = m.links[u(a_)], &pb = m.links[u(b_)];
  if (!knowsStill_) settleStill(m);
  Found found = Found::free;
  {  // the links as wholes first
    const auto motion = m.pair(path_, a_, b_, gb_.centre(), gb_.radius());
    const Vec3 c = pa.inverse() * (pb * gb_.centre());
    const double way =
        (motion.shift + motion.turn.cross(c)).norm() + motion.restOf(c, gb_.radius()) + motion.turn.norm() * gb_.radius();
    if ((c - ga_.centre()).norm() > ga_.radius() + gb_.radius() + way) return Found::free;
  }
  everNear_ = true;
  const Pose bInA = pa.inverse() * pb;
  for (PartPair& p : parts_) {
    if (p.still) {
      if (p.known < 0) {
        const bool far = MeshTree::apart(p.x->whole(), p.y->whole(), bInA, {}, p.errors + 2 * kTouch, &p.whole);
        const bool inside = contained(*p.x, pa, *p.y, pb, 0) || contained(*p.y, pb, *p.x, pa, 0);
        p.known = far && !inside ? 0 : overlap(p, pa, pb) ? 2 : 1;
      }
      if (p.known == 2) return Found::open;
      if (p.known == 1) found = Found::meeting;
      continue;
    }
    const Motion motion = m.pair(path_, a_, b_, p.y->centre, p.y->radius);
    const Vec3 c = bInA * p.y->centre;
    const double way =
        (motion.shift + motion.turn.cross(c)).norm() + motion.restOf(c, p.y->radius) + motion.turn.norm() * p.y->radius;
    if ((c - p.x->centre).norm() > p.x->radius + p.y->radius + way) continue;
    if (tryFree && apartWhole(p, bInA, motion)) {
      // no surface meets the other: inside or outside for the whole interval
      if (!contained(*p.x, pa, *p.y, pb, 0) && !contained(*p.y, pb, *p.x, pa, 0)) continue;
      return Found::open;
    }
    if (!apartShrunk(p, bInA, motion)) return Found::open;
    const double deep = p.shrinkX + p.shrinkY;
    if (contained(*p.x, pa, *p.y, pb, deep) || contained(*p.y, pb, *p.x, pa, deep)) return Found::open;
    found = Found::meeting;
  }
  return found;
}

void PairTravel::push(double t0, double t1, Verdict v, bool proven) {
  if (!stretches_.empty() && stretches_.back().verdict == v && stretches_.back().proven == proven &&
      stretches_.back().to == t0) {
    stretches_.back().to = t1;
    return;
  }
  stretches_.push_back({t0, t1, v, proven});
}

/// Is one question enough for an interval?
bool PairTravel::settled(double t0, double t1, bool several) {
  const auto m = intervals_.over(t0, t1, several || intervals_.obstacle().empty());
  if (!m) return false;
  const bool tryFree = worthTrying();
  const Found f = query(*m, tryFree);
  if (f == Found::open) return false;
  if (f == Found::meeting && tryFree && !joined_ && freeAt(m->links[u(a_)], m->links[u(b_)])) return false;
  meetingFor_ = f == Found::meeting ? meetingFor_ + 1 : 0;
  push(t0, t1, f == Found::free ? Verdict::free : Verdict::meeting, m->proven);
  return true;
}

bool PairTravel::split(double t0, double t1, int depth) {
  if (cancelled_()) return false;
  const double t = 0.5 * (t0 + t1);
  const bool mayProve = intervals_.obstacle().empty() && depth < kProofDepth;
  const auto m = intervals_.over(t0, t1, mayProve);
  if (!m && mayProve) return split(t0, t, depth + 1) && split(t, t1, depth + 1);  // half of it may be enclosed
  if (!m) {
    push(t0, t1, Verdict::unsure, false);
    return true;
  }
  const bool last = t1 - t0 <= smallest_ || --budget_ < 0;
  const Pose &pa = m->links[u(a_)], &pb = m->links[u(b_)];
  const bool tryFree = worthTrying();
  const Found f = query(*m, tryFree);
  if (f == Found::free) {
    meetingFor_ = 0;
    push(t0, t1, Verdict::free, m->proven);
    return true;
  }
  if (f == Found::meeting) {
    if (!tryFree || joined_ || last || depth >= kFreeDepth || !freeAt(pa, pb)) {
      ++meetingFor_;
      push(t0, t1, Verdict::meeting, m->proven);
      return true;
    }
    return split(t0, t, depth + 1) && split(t, t1, depth + 1);
  }
  // most often only the bound was too weak: half the interval tells more than the pose in its middle
  const bool hit = (depth >= 1 || last) && overlapAt(pa, pb);
  if (last || (hit && overlapAt(t0) && overlapAt(t1))) {
    push(t0, t1, hit ? Verdict::overlap : Verdict::unsure, m->proven);
    return true;
  }
  return split(t0, t, depth + 1) && split(t, t1, depth + 1);
}

bool PairTravel::over(const std::vector<double>& ends, std::size_t first, std::size_t last,
                      const std::function<bool()>& cancelled) {
  cancelled_ = cancelled;
  for (std::size_t at = first; at < last;) {
    if (cancelled()) return false;
    // aligned, so that pairs share their intervals
    std::size_t size = grain_;
    while (size > 1 && ((at - first) % size != 0 || at + size > last)) size /= 2;
    if (settled(ends[at], ends[at + size], size > 1)) {
      at += size;
      if (++eased_ >= 2 && size == grain_ && grain_ < kMostAtOnce) {
        grain_ *= 2;
        eased_ = 0;
      }
      continue;
    }
    eased_ = 0;
    if (size > 1) {
      grain_ = size / 2;
      continue;
    }
    if (!split(ends[at], ends[at + 1], 0)) return false;
    ++at;
  }
  return true;
}

}  // namespace cooperage::clearance
