// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/windows.h"

#include <TopExp_Explorer.hxx>
#include <algorithm>

namespace cooperage::clearance {
namespace {

std::size_t u(int i) { return static_cast<std::size_t>(i); }
constexpr double kShortMeeting = 0.02;  // of the run: faces that meet for longer are not just coming to overlap
constexpr int kMostFaces = 60;          // of both bodies: OCCT goes over all pairs of faces

int faceCount(const Part& p) {
  int n = 0;
  for (TopExp_Explorer e(p.solid->shape, TopAbs_FACE); e.More(); e.Next()) ++n;
  return n;
}

class Windows {
 public:
  Windows(PairTravel& pair, const std::vector<Stretch>& stretches, const LinkGeometry& a, const LinkGeometry& b,
          Intervals& intervals, double duration, const std::function<bool()>& cancelled)
      : pair_(pair),
        stretches_(stretches),
        a_(a),
        b_(b),
        intervals_(intervals),
        duration_(duration),
        cancelled_(cancelled),
        distance_(a, b) {}

  std::vector<Interference> go() {
    const auto& s = stretches_;
    const auto bad = [](const Stretch& x) { return x.verdict == Verdict::overlap || x.verdict == Verdict::unsure; };
    for (std::size_t i = 0; i < s.size();) {
      if (!bad(s[i])) {
        ++i;
        continue;
      }
      std::size_t j = i;
      while (j + 1 < s.size() && bad(s[j + 1])) ++j;
      std::size_t first = j + 1, last = i;
      for (std::size_t k = i; k <= j; ++k)
        if (s[k].verdict == Verdict::overlap) {
          first = std::min(first, k);
          last = std::max(last, k);
        }
      if (first <= j) window(i, j, first, last);
      i = j + 1;
      if (cancelled_()) break;
    }
    return std::move(out_);
  }

 private:
  Gap gapAt(double t) {
    if (!intervals_.poses(t, poses_)) return {};
    return distance_.at(poses_[u(pair_.a())], poses_[u(pair_.b())]);
  }
  Depth depthAt(double t, bool roughly) {
    if (!intervals_.poses(t, poses_)) return {};
    return depthOf(a_, poses_[u(pair_.a())], b_, poses_[u(pair_.b())], roughly);
  }
  double surfacesAt(const Part& x, const Part& y, double t) {
    if (!intervals_.poses(t, poses_)) return 0;
    const auto g = surfaceGap(x, poses_[u(pair_.a())], y, poses_[u(pair_.b())]);
    return g ? g->distance : -1;
  }

  /// End of a window between a pose with and one without contact. Parts that come to meet count from where their
  /// surfaces first touch; parts that are made to meet from where the overlap is more than their fit.
  /// @param apart time of a pose where they are apart, or none within reach
  double edge(double inside, double outside, bool apart, bool& exact) {
    double in = inside, off = outside;
    bool figures = true;
    const double fine = 1e-13 * duration_;
    const auto meet = [&](double t) {
      if (!apart) return pair_.overlapAt(t);
      const Gap g = gapAt(t);
      figures = figures && g.exact;
      return !(g.distance > 0);
    };
    for (int k = 0; k < 60 && std::abs(in - off) > fine; ++k) {
      const double mid = 0.5 * (in + off);
      (meet(mid) ? in : off) = mid;
      if (cancelled_()) return in;
    }
    exact = apart && figures;
    if (apart && !exact) exact = polish(in, outside);
    return in;
  }

  /// Moves an end found on meshes to where the surfaces themselves meet: they do so a little earlier.
  bool polish(double& in, double outside) {
    const double sign = outside < in ? -1 : 1, span = std::abs(in - outside);
    const Gap near = gapAt(in + sign * 1e-6 * span);
    if (near.partA < 0) return false;
    const Part &x = *a_.parts()[u(near.partA)], &y = *b_.parts()[u(near.partB)];
    if (!polishable(x, y)) return false;
    // out from the mesh's contact until the surfaces are apart
    double step = 1e-3 * span, off = in;
    double gap = surfacesAt(x, y, in);
    if (gap < 0) return false;
    const double start = in;
    while (!(gap > 1e-9)) {
      off = start + sign * std::min(step, span);
      gap = surfacesAt(x, y, off);
      if (gap < 0 || (step >= span && !(gap > 1e-9)) || cancelled_()) return false;
      if (gap > 1e-9) break;
      in = off;
      step *= 4;
    }
    if (off == in) return false;  // the meshes touch where the surfaces don't: a facet stands out of a hollow face
    // secants from outside, to where the gap is half of what it may be; after one that has gone too far, near it
    constexpr double kGap = 1e-9;  // m
    double before = 0, beforeAt = off;
    bool tooFar = false;
    for (int k = 0; k < 40 && std::abs(in - off) > 1e-8 * duration_ && gap > kGap; ++k) {
      double next = tooFar && k % 3 != 0 ? in + 0.1 * (off - in) : 0.5 * (in + off);
      if (!tooFar && before > gap) {
        const double guess = off + (off - beforeAt) * (gap - 0.5 * kGap) / (before - gap);
        if ((guess - off) * (guess - in) < 0) next = guess;
      }
      const double g = surfacesAt(x, y, next);
      if (g < 0 || cancelled_()) return false;
      tooFar = !(g > 0);
      if (tooFar) {
        in = next;
        continue;
      }
      before = gap;
      beforeAt = off;
      off = next;
      gap = g;
    }
    // so near that the rest of the way is straight
    if (gap <= kGap && before > gap) {
      const double end = off + (off - beforeAt) * gap / (before - gap);
      in = (end - off) * (end - in) < 0 ? end : off;
    }
    return true;
  }

  void window(std::size_t i, std::size_t j, std::size_t first, std::size_t last) {
    const auto& s = stretches_;
    Interference w;
    w.linkA = pair_.a();
    w.linkB = pair_.b();
    const double inFirst = 0.5 * (s[first].from + s[first].to), inLast = 0.5 * (s[last].from + s[last].to);
    bool exactFrom = true, exactTo = true;
    w.fromTime = s.front().from;
    w.toTime = s.back().to;
    if (i > 0) {
      std::size_t k = i;  // back over meeting faces to where the two are apart
      while (k > 0 && s[k - 1].verdict == Verdict::meeting) --k;
      const bool apart =
          k > 0 && s[k - 1].verdict == Verdict::free && s[i].from - s[k].from < kShortMeeting * duration_;
      w.fromTime = edge(inFirst, apart ? s[k - 1].to : s[i - 1].to, apart, exactFrom);
    }
    if (j + 1 < s.size()) {
      std::size_t k = j;
      while (k + 1 < s.size() && s[k + 1].verdict == Verdict::meeting) ++k;
      const bool apart =
          k + 1 < s.size() && s[k + 1].verdict == Verdict::free && s[k].to - s[j].to < kShortMeeting * duration_;
      w.toTime = edge(inLast, apart ? s[k + 1].from : s[j + 1].from, apart, exactTo);
    }
    w.exact = exactFrom && exactTo;
    depth(w);
    out_.push_back(std::move(w));
  }

  void depth(Interference& w) {
    constexpr int kSamples = 13;
    constexpr double kGolden = 0.6180339887498949;
    Depth best;
    double at = w.fromTime;
    const double span = (w.toTime - w.fromTime) / (kSamples - 1);
    double most = -1;
    for (int k = 0; k < kSamples; ++k) {
      if (cancelled_()) return;
      const double t = w.fromTime + span * k, d = depthAt(t, true).depth;
      w.profile.emplace_back(t, d);
      if (d > most) {
        most = d;
        at = t;
      }
    }
    const auto take = [&](double t) {
      const Depth d = depthAt(t, false);
      if (d.depth > best.depth) {
        best = d;
        at = t;
      }
      return d.depth;
    };
    double a = std::max(w.fromTime, at - span), b = std::min(w.toTime, at + span);
    take(at);
    double x = b - kGolden * (b - a), y = a + kGolden * (b - a), dx = take(x), dy = take(y);
    for (int k = 0; k < 12 && b - a > 1e-9 * duration_; ++k) {  // the depth is smooth enough near its peak
      const bool left = dx > dy;
      if (left) {
        b = y;
        y = x;
        dy = dx;
        dx = take(x = b - kGolden * (b - a));
      } else {
        a = x;
        x = y;
        dx = dy;
        dy = take(y = a + kGolden * (b - a));
      }
      if (cancelled_()) return;
    }
    w.deepest.time = at;
    w.deepest.depth = best.depth;
    w.deepest.point = best.point;
    // roughly taken: its peak is the one that was found finely
    if (most > 0)
      for (auto& p : w.profile) p.second *= best.depth / most;
  }

  PairTravel& pair_;
  const std::vector<Stretch>& stretches_;
  const LinkGeometry &a_, &b_;
  Intervals& intervals_;
  double duration_;
  const std::function<bool()>& cancelled_;
  LinkDistance distance_;
  std::vector<Pose> poses_;
  std::vector<Interference> out_;
};

}  // namespace

bool polishable(const Part& a, const Part& b) {
  if (a.convex && b.convex) return true;
  return faceCount(a) + faceCount(b) <= kMostFaces;
}

std::vector<Interference> windowsOf(PairTravel& pair, const std::vector<Stretch>& stretches, const LinkGeometry& a,
                                    const LinkGeometry& b, Intervals& intervals, double duration,
                                    const std::function<bool()>& cancelled) {
  return Windows(pair, stretches, a, b, intervals, duration, cancelled).go();
}

}  // namespace cooperage::clearance
