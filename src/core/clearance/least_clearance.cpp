// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/least_clearance.h"

#include <algorithm>
#include <functional>

#include "base/index.h"
#include "base/numeric.h"
#include "clearance/nearest.h"
#include "clearance/windows.h"

namespace cooperage::clearance {

namespace {

class Search {
 public:
  Search(const ClearanceSearch& over, int a, const LinkGeometry& ga, int b, const LinkGeometry& gb, PairTravel& pair)
      : over_(over), a_(a), b_(b), ga_(ga), gb_(gb), pair_(pair), distance_(ga, gb, over.progress) {
    best_.linkA = a;
    best_.linkB = b;
    best_.least = 1e300;
  }

  PairClearance go() {
    atSteps();
    if (cancelled()) return best_;
    best_.proven = true;
    const auto& steps = over_.travel.steps;
    for (std::size_t i = 1; i < steps.size(); ++i) span_ = std::max(span_, steps[i].t - steps[i - 1].t);
    if (best_.least > 0 && best_.least < 1e299) lookBetween();
    if (best_.least > 0 && best_.least < 1e299) polish(best_.time);
    if (best_.least < 1e299) best_.at = over_.run.axisAt(best_.time);
    return best_;
  }

 private:
  bool cancelled() const { return over_.progress && over_.progress->cancelled(); }

  void take(const Gap& g, double t) {
    if (g.distance >= best_.least) return;
    best_.least = g.distance;
    best_.time = t;
    best_.onA = g.onA;
    best_.onB = g.onB;
    best_.exact = g.exact;
  }

  void atSteps() {
    double known = 0;
    Pose knownAt;
    for (std::size_t i = 0; i < over_.poses.size() && best_.least > 0; ++i) {
      if (cancelled()) return;
      const auto &pa = over_.poses[i][u(a_)], &pb = over_.poses[i][u(b_)];
      const Pose rel = pa.inverse() * pb;
      // no point of the second link has gone farther than this since the last distance was taken
      const double moved =
          (rel * gb_.centre() - knownAt * gb_.centre()).norm() + (rel.R - knownAt.R).norm() * gb_.radius();
      if (i > 0 && known - moved >= best_.least) continue;
      const Gap g = distance_.at(pa, pb);
      known = g.distance;
      knownAt = rel;
      take(g, over_.travel.steps[i].t);
    }
  }

  /// Looks for a place between the steps where the distance is less than what is known: intervals in which it is proven
  /// not to be are done with, others are looked at in their middle and halved, until the motion in them is too little
  /// to matter.
  void lookBetween() {
    best_.within = pair_.errors() + 0.125 * over_.run.settings().accuracy;
    constexpr std::size_t kAtOnce = 16;
    const std::size_t intervals = over_.ends.empty() ? 0 : over_.ends.size() - 1;
    for (std::size_t i = 0; i < intervals; i += kAtOnce) goOver(i, std::min(i + kAtOnce, intervals));
  }

  /// Several intervals at once where that is enough.
  void goOver(std::size_t first, std::size_t last) {
    if (cancelled() || best_.least == 0) return;
    const auto& ends = over_.ends;
    if (last == first + 1) return halve(ends[first], ends[last], 0);
    const auto m = over_.intervals.over(ends[first], ends[last], true);
    if (m && pair_.staysBeyond(*m, best_.least - best_.within)) return;
    const std::size_t middle = (first + last) / 2;
    goOver(first, middle);
    goOver(middle, last);
  }

  void halve(double t0, double t1, int depth) {
    const auto m = over_.intervals.over(t0, t1);
    if (!m || cancelled() || best_.least == 0) {
      best_.proven = false;
      return;
    }
    best_.proven = best_.proven && (m->proven || depth < 4);
    if (pair_.staysBeyond(*m, best_.least - best_.within)) {
      best_.proven = best_.proven && m->proven;
      return;
    }
    const double t = 0.5 * (t0 + t1);
    const double before = best_.least;
    take(distance_.at(m->links[u(a_)], m->links[u(b_)]), t);
    if (best_.least < before) span_ = t1 - t0;
    if (pair_.wayOf(*m) <= best_.within || !(t0 < t && t < t1)) {
      best_.proven = best_.proven && m->proven;
      return;
    }
    halve(t0, t, depth + 1);
    halve(t, t1, depth + 1);
  }

  void polish(double at) {
    std::vector<Pose> poses;
    const auto gap = [&](double t) {
      if (!over_.intervals.poses(t, poses)) return 1e300;
      const Gap g = distance_.at(poses[u(a_)], poses[u(b_)]);
      take(g, t);
      return g.distance;
    };
    const double first = over_.travel.steps.front().t, last = over_.travel.steps.back().t;
    const double duration = std::max(1e-12, last - first);
    int steps = 45;
    const auto [a, b] = goldenSection(
        std::max(first, at - span_), std::min(last, at + span_), [&](double x) { return -gap(x); },
        [&](double width) { return steps-- > 0 && width > 1e-9 * duration && !cancelled(); });
    const double t = 0.5 * (a + b);
    if (!over_.intervals.poses(t, poses) || cancelled()) return;
    const Gap g = distance_.at(poses[u(a_)], poses[u(b_)]);
    if (g.exact || g.partA < 0 || g.distance == 0) return;
    const Part &px = *ga_.parts()[u(g.partA)], &py = *gb_.parts()[u(g.partB)];
    if (!polishable(px, py)) return;
    if (auto s = surfaceGap(px, poses[u(a_)], py, poses[u(b_)])) take(*s, t);
  }

  const ClearanceSearch& over_;
  const int a_, b_;
  const LinkGeometry &ga_, &gb_;
  PairTravel& pair_;
  LinkDistance distance_;
  PairClearance best_;
  double span_ = 0;  ///< beside the place that was found, as far as it has been looked at, s
};

}  // namespace

PairClearance leastClearance(const ClearanceSearch& search, int linkA, const LinkGeometry& a, int linkB,
                             const LinkGeometry& b, PairTravel pair) {
  return Search(search, linkA, a, linkB, b, pair).go();
}

}  // namespace cooperage::clearance
