// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/windows.h"

#include <TopExp_Explorer.hxx>
#include <algorithm>

#include "base/numeric.h"
#include "base/index.h"

namespace cooperage::clearance {
namespace {

constexpr double kShortMeeting = 0.02;  // of the run: faces that meet for longer are not just coming to overlap
constexpr int kMostSpans = 40;          // stretches of a window that are halved at most
constexpr int kMostFaces = 60;          // of both bodies: OCCT goes over all pairs of faces

int faceCount(const Part& p) {
  int n = 0;
  for (TopExp_Explorer e(p.solid->shape, TopAbs_FACE); e.More(); e.Next()) ++n;
  return n;
}

class Windows {
 public:
  Windows(PairTravel& pair, const std::vector<Stretch>& stretches, const LinkGeometry& a, const LinkGeometry& b,
          Intervals& intervals, double duration, double within, const std::function<bool()>& cancelled)
      : pair_(pair),
        stretches_(stretches),
        a_(a),
        b_(b),
        intervals_(intervals),
        duration_(duration),
        within_(within),
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
    return depthOf(a_, poses_[u(pair_.a())], b_, poses_[u(pair_.b())], roughly ? within_ : 1e300, roughly);
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
    // as near as times can be told: after a long dwell a fast move is short against the run
    const double fine = 4e-16 * std::max(std::abs(inside), std::abs(outside));
    const auto meet = [&](double t) {
      if (!apart) return pair_.overlapAt(t);
      const Gap g = gapAt(t);
      figures = g.exact;  // of the last ones: far inside, a yes is a yes
      return !(g.distance > 0);
    };
    for (int k = 0; k < 100 && std::abs(in - off) > fine; ++k) {
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

  /// A time beside an overlap at which the two are apart, if they come to meet there: no farther off than faces that do
  /// more than coming to overlap would meet. Of links that are joined nobody has asked whether they are free.
  /// @param rim where the overlap may begin or end; meeting: up to where they meet beyond it
  /// @param outside a time where they are free, if `free`
  std::optional<double> apartBeside(double rim, double meeting, double outside, bool free) {
    const double most = kShortMeeting * duration_, reach = std::min(most, std::abs(outside - rim));
    if (free && std::abs(meeting - rim) < most) return outside;
    for (double step = 1e-7 * duration_; step < reach; step *= 4) {
      const double t = rim + (outside < rim ? -step : step);
      if (gapAt(t).distance > 0) return t;
    }
    return {};
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
      const bool free = k > 0 && s[k - 1].verdict == Verdict::free;
      const auto apart = apartBeside(s[i].from, s[k].from, free ? s[k - 1].to : s[k].from, free);
      w.fromTime = edge(inFirst, apart ? *apart : s[i - 1].to, apart.has_value(), exactFrom);
    }
    if (j + 1 < s.size()) {
      std::size_t k = j;
      while (k + 1 < s.size() && s[k + 1].verdict == Verdict::meeting) ++k;
      const bool free = k + 1 < s.size() && s[k + 1].verdict == Verdict::free;
      const auto apart = apartBeside(s[j].to, s[k].to, free ? s[k + 1].from : s[k].to, free);
      w.toTime = edge(inLast, apart ? *apart : s[j + 1].from, apart.has_value(), exactTo);
    }
    w.exact = exactFrom && exactTo;
    depth(w);
    out_.push_back(std::move(w));
  }

  /// A stretch of a window, by how deep it can be in it at most.
  struct Span {
    double from, to, most;
    bool operator<(const Span& o) const { return most < o.most; }
  };

  /// Depth over the window: looked at a few times for the picture; then stretches are halved, those first that could be
  /// deeper, as long as the motion in them could bring the bodies deeper than what was found.
  void depth(Interference& w) {
    constexpr int kPlaces = 13;
    w.deepest.proven = true;
    const double span = (w.toTime - w.fromTime) / (kPlaces - 1);
    std::vector<Span> spans;
    for (int k = 0; k < kPlaces; ++k) {
      if (cancelled_()) return;
      const double t = w.fromTime + span * k;
      w.profile.emplace_back(t, take(w, t).depth);
    }
    for (int k = 0; k + 1 < kPlaces; ++k) look(w, w.fromTime + span * k, w.fromTime + span * (k + 1), spans);
    const double accuracy = within_;
    for (int used = 0; !spans.empty(); ++used) {
      const Span s = spans.front();
      const double open = s.most - w.deepest.depth;
      if (open <= accuracy || open <= kRelative * w.deepest.depth || used >= kMostSpans || cancelled_()) break;
      std::pop_heap(spans.begin(), spans.end());
      spans.pop_back();
      const double middle = 0.5 * (s.from + s.to);
      if (!(s.from < middle && middle < s.to)) continue;
      look(w, s.from, middle, spans);
      look(w, middle, s.to, spans);
    }
    climb(w, span);
    w.deepest.atMost = spans.empty() ? w.deepest.depth : std::max(w.deepest.depth, spans.front().most);
    if (std::none_of(w.profile.begin(), w.profile.end(), [&](const auto& p) { return p.first == w.deepest.time; })) {
      w.profile.emplace_back(w.deepest.time, w.deepest.depth);
      std::sort(w.profile.begin(), w.profile.end());
    }
  }
  Depth take(Interference& w, double t) {
    const Depth d = depthAt(t, true);
    if (d.depth > w.deepest.depth) {
      w.deepest.time = t;
      w.deepest.depth = d.depth;
      w.deepest.point = d.point;
    }
    return d;
  }
  /// Adds a stretch to those that could be deeper than what is known, with its middle looked at.
  void look(Interference& w, double from, double to, std::vector<Span>& spans) {
    const auto m = intervals_.over(from, to);
    if (!m) {
      w.deepest.proven = false;
      return;
    }
    w.deepest.proven = w.deepest.proven && m->proven;
    const double most = take(w, 0.5 * (from + to)).atMost + pair_.wayOf(*m);
    if (most <= w.deepest.depth) return;
    spans.push_back({from, to, most});
    std::push_heap(spans.begin(), spans.end());
  }
  /// From the deepest pose to the peak beside it, finely.
  void climb(Interference& w, double span) {
    Depth best;
    const auto at = [&](double t) {
      const Depth d = depthAt(t, false);
      if (d.depth > best.depth) {
        best = d;
        w.deepest.time = t;
      }
      return d.depth;
    };
    const double peak = w.deepest.time;
    double a = std::max(w.fromTime, peak - span), b = std::min(w.toTime, peak + span);
    at(peak);
    int steps = 12;  // smooth enough near its peak
    goldenSection(a, b, at, [&](double width) { return steps-- > 0 && width > 1e-9 * duration_ && !cancelled_(); });
    if (best.depth < w.deepest.depth) {
      w.deepest.time = peak;
      return;
    }
    w.deepest.depth = best.depth;
    w.deepest.point = best.point;
  }

  PairTravel& pair_;
  const std::vector<Stretch>& stretches_;
  const LinkGeometry &a_, &b_;
  Intervals& intervals_;
  double duration_, within_;
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
                                    const LinkGeometry& b, Intervals& intervals, double duration, double within,
                                    const std::function<bool()>& cancelled) {
  return Windows(pair, stretches, a, b, intervals, duration, within, cancelled).go();
}

}  // namespace cooperage::clearance
