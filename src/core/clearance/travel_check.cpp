// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/travel_check.h"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <atomic>
#include <set>

#include "base/index.h"
#include "clearance/joined_links.h"
#include "clearance/least_clearance.h"
#include "clearance/pair_memory.h"
#include "clearance/windows.h"

namespace cooperage::clearance {

using kinematics::TravelStep;
using model::Resolved;

namespace {

constexpr int kPlayDepth = 12;       // halvings of an interval before joined links count as touching in it
constexpr std::size_t kPieces = 16;  // of the travel, so that two cores share one costly pair

struct Pair {
  int a = -1, b = -1;
  bool joined = false, remembered = false;
  PairReport report;
  std::vector<Interference> windows;
  PairMemory::Key key;
  PairMemory::Way way;
  kinematics::PairPath path;
  std::shared_ptr<Guided> guided;
};

class TravelCheck {
 public:
  TravelCheck(kinematics::TravelRun& run, kinematics::Measurer& measurer, const kinematics::RunResult& result,
              const CheckGeometry& geometry, Progress* progress, const CheckOptions& options)
      : run_(run),
        measurer_(measurer),
        result_(result),
        travel_(result.travel),
        geometry_(geometry),
        progress_(progress),
        options_(options),
        r_(run.resolved()),
        intervals_(run, result.travel) {}

  CheckResult go() {
    const auto& settings = run_.settings();
    out_.accuracy = settings.accuracy;
    out_.tolerance = geometry_.tolerance;
    out_.messages = travel_.messages;
    if (travel_.steps.empty()) return std::move(out_);
    makePairs();
    tbb::parallel_for(std::size_t(0), pairs_.size(),
                      [&](std::size_t i) { pairs_[i].path = intervals_.path(pairs_[i].a, pairs_[i].b); });
    const bool interference = settings.wants(model::RunCheck::interference) || options_.onlyFirst;
    if (interference) goOver();
    if (interference && !cancelled()) lookCloser();
    if (interference) {
      report();
      sortWindows();
    }
    if (options_.onlyFirst) {
      out_.cancelled = cancelled();
      return std::move(out_);
    }
    if (settings.wants(model::RunCheck::clearance) && !cancelled()) leastClearances();
    if (settings.wants(model::RunCheck::requirements) && !cancelled())
      out_.requirements = judge(run_, measurer_, result_);
    if (settings.wants(model::RunCheck::stops)) stops();
    for (const auto& link : geometry_.links)
      for (const auto& part : link->parts())
        if (const auto fault = part->fault()) out_.messages.push_back(*fault);
    out_.cancelled = cancelled();
    return std::move(out_);
  }

 private:
  bool cancelled() const { return progress_ && progress_->cancelled(); }
  const LinkGeometry& geometryOf(int link) const { return *geometry_.links[u(link)]; }
  double duration() const { return std::max(1e-12, travel_.steps.back().t - travel_.steps.front().t); }

  void makePairs() {
    const auto& nodes = run_.system().nodeOfLink;
    const auto& settings = run_.settings();
    std::set<LinkPair> excluded;
    for (const auto& [a, b] : settings.leaveOut) excluded.insert(ordered(a, b));
    std::set<LinkPair> sides;
    for (int a : settings.sideA)
      for (int b : settings.sideB)
        if (a != b) sides.insert(ordered(a, b));
    const bool sided = !settings.sideA.empty() || !settings.sideB.empty();
    const std::set<LinkPair> joined = joinedLinks(r_);
    const int n = static_cast<int>(r_.links.size());
    for (int a = 0; a < n; ++a)
      for (int b = a + 1; b < n; ++b) {
        if (geometryOf(a).empty() || geometryOf(b).empty()) continue;
        if (excluded.count({a, b})) {
          out_.leftOut.push_back({a, b, "left out by hand"});
        } else if (sided && !sides.count({a, b})) {
          out_.leftOut.push_back({a, b, "not in the two lists of links to check"});
        } else if (nodes[u(a)] == nodes[u(b)]) {
          out_.leftOut.push_back({a, b, "never move against one another"});
        } else {
          Pair p;
          p.a = a;
          p.b = b;
          p.joined = joined.count({a, b}) > 0;
          p.report.linkA = a;
          p.report.linkB = b;
          p.report.joined = p.joined;
          p.guided = std::make_shared<Guided>(geometryOf(a).parts().size() * geometryOf(b).parts().size());
          pairs_.push_back(std::move(p));
        }
      }
  }

  double tolerance(const Pair& p) const { return p.joined ? run_.settings().fitDepth : 0; }

  /// Times of all steps and knots; `smooth` tells where a knot parts the row of intervals.
  std::vector<double> intervalEnds(std::vector<std::size_t>& knots) const {
    std::vector<double> t, at;
    for (const auto& s : travel_.steps) t.push_back(s.t);
    const double first = t.front(), last = t.back();
    for (std::size_t k = 0; k < r_.drives.size(); ++k) {
      const int active = run_.activeDrive(static_cast<int>(k));
      if (active < 0) continue;
      for (double knot : run_.programme(active).breaks())
        if (knot > first && knot < last) at.push_back(knot);
    }
    t.insert(t.end(), at.begin(), at.end());
    std::sort(t.begin(), t.end());
    const double same = 1e-12 * (last - first);
    t.erase(std::unique(t.begin(), t.end(), [&](double x, double y) { return y - x <= same; }), t.end());
    t.back() = last;
    for (double knot : at) {
      const auto it = std::lower_bound(t.begin(), t.end(), knot - 2 * same);
      knots.push_back(static_cast<std::size_t>(it - t.begin()));
    }
    return t;
  }
  /// Pieces of the row of intervals: without a knot inside, several for each core.
  static std::vector<std::pair<std::size_t, std::size_t>> piecesOf(std::size_t intervals,
                                                                   std::vector<std::size_t> cuts) {
    const std::size_t most = std::max<std::size_t>(16, (intervals / kPieces + 15) / 16 * 16);
    for (std::size_t i = most; i < intervals; i += most) cuts.push_back(i);
    cuts.push_back(0);
    cuts.push_back(intervals);
    std::sort(cuts.begin(), cuts.end());
    cuts.erase(std::unique(cuts.begin(), cuts.end()), cuts.end());
    std::vector<std::pair<std::size_t, std::size_t>> out;
    for (std::size_t i = 0; i + 1 < cuts.size(); ++i) out.emplace_back(cuts[i], cuts[i + 1]);
    return out;
  }

  /// Pairs that were checked before, on the same way: see PairMemory.
  void recall() {
    if (!options_.memory) return;
    std::vector<std::vector<double>> ways(r_.links.size());
    std::vector<Pose> poses;
    for (const auto& s : travel_.steps) {
      measurer_.linkPoses(s, poses);
      for (std::size_t l = 0; l < poses.size(); ++l) {
        ways[l].push_back(s.t);
        ways[l].insert(ways[l].end(), poses[l].R.data(), poses[l].R.data() + 9);
        ways[l].insert(ways[l].end(), poses[l].p.data(), poses[l].p.data() + 3);
      }
    }
    std::vector<std::shared_ptr<const std::vector<double>>> kept;
    for (auto& w : ways) kept.push_back(std::make_shared<const std::vector<double>>(std::move(w)));
    MotionSources sources(run_);
    const std::lock_guard lock(options_.memory->mutex);
    options_.memory->reused = 0;
    options_.memory->begin();
    for (Pair& p : pairs_) {
      p.way = {kept[u(p.a)], kept[u(p.b)], sources.of(p.a, p.b)};
      p.key.tolerance = tolerance(p);
      for (const int l : {p.a, p.b}) {
        for (const auto& part : geometryOf(l).parts()) p.key.parts.push_back(part.get());
        p.key.parts.push_back(nullptr);
      }
      const auto* found = options_.memory->find(p.key, p.way);
      if (!found) continue;
      p.remembered = true;
      p.report = found->report;
      p.windows = found->windows;
      p.report.linkA = p.a;
      p.report.linkB = p.b;
      for (auto& w : p.windows) {
        w.linkA = p.a;
        w.linkB = p.b;
      }
      ++options_.memory->reused;
    }
  }

  void remember() {
    if (!options_.memory || cancelled()) return;
    const std::lock_guard lock(options_.memory->mutex);
    for (const Pair& p : pairs_)
      if (!p.remembered)
        options_.memory->keep(p.key, {{geometry_.links[u(p.a)], geometry_.links[u(p.b)]}, p.way, p.report, p.windows});
  }

  void goOver() {
    recall();
    std::vector<std::size_t> knots;
    const auto ends = intervalEnds(knots);
    if (ends.size() < 2) return;
    const auto ranges = piecesOf(ends.size() - 1, knots);
    const std::size_t pieces = ranges.size();
    std::vector<Pair*> open;
    for (Pair& p : pairs_)
      if (!p.remembered) open.push_back(&p);
    intervals_.findRanges(ends, ranges, [this] { return cancelled(); });
    if (cancelled()) return;
    std::vector<std::vector<Stretch>> found(open.size() * pieces);
    std::atomic<std::size_t> done{0};
    tbb::parallel_for(std::size_t(0), found.size(), [&](std::size_t task) {
      // pieces of time outside, pairs inside: neighbours in time share their poses
      const std::size_t piece = task / open.size(), p = task % open.size();
      const Pair& pair = *open[p];
      PairTravel travel = travelOf(pair);
      if (!travel.over(ends, ranges[piece].first, ranges[piece].second)) return;
      found[p * pieces + piece] = travel.stretches();
      const std::size_t count = ++done;
      if (progress_) progress_->report(0.8 * static_cast<double>(count) / static_cast<double>(found.size()));
    });
    if (cancelled()) return;
    for (std::size_t p = 0; p < open.size(); ++p)
      for (std::size_t k = 0; k < pieces; ++k)
        for (const Stretch& s : found[p * pieces + k]) {
          auto& all = open[p]->report.stretches;
          if (!all.empty() && all.back().verdict == s.verdict && all.back().proven == s.proven) {
            all.back().to = s.to;
            all.back().coarse = all.back().coarse || s.coarse;
          } else
            all.push_back(s);
        }
  }

  const std::vector<std::vector<Pose>>& stepPoses() {
    if (poses_.empty()) {
      poses_.resize(travel_.steps.size());
      for (std::size_t i = 0; i < poses_.size(); ++i) measurer_.linkPoses(travel_.steps[i], poses_[i]);
    }
    return poses_;
  }

  void lookCloser() {
    stepPoses();
    tbb::parallel_for(std::size_t(0), pairs_.size(), [&](std::size_t i) {
      if (pairs_[i].remembered) return;
      findPlay(pairs_[i]);
      findWindows(pairs_[i]);
    });
    remember();
  }

  PairTravel travelOf(const Pair& p) {
    return {p.a, p.b, geometryOf(p.a), geometryOf(p.b), tolerance(p), p.path, intervals_, *p.guided, progress_};
  }

  /// Joined links are not looked into more closely once they are known to be no deeper than they may; whether they
  /// touch at all is then asked at the steps, and where they don't, between them.
  void findPlay(Pair& p) {
    const auto& s = p.report.stretches;
    const auto is = [&](Verdict v) { return [v](const Stretch& x) { return x.verdict == v; }; };
    if (!p.joined || std::none_of(s.begin(), s.end(), is(Verdict::meeting)) ||
        std::any_of(s.begin(), s.end(), is(Verdict::overlap)))
      return;
    PairTravel travel = travelOf(p);
    p.report.apart = !travel.neverFree() && std::all_of(poses_.begin(), poses_.end(), [&](const std::vector<Pose>& at) {
      return !cancelled() && travel.freeAt(at[u(p.a)], at[u(p.b)]);
    });
    std::vector<std::size_t> knots;
    const auto ends = intervalEnds(knots);
    const std::function<bool(double, double, int)> apart = [&](double t0, double t1, int depth) {
      if (cancelled()) return false;
      if (const auto m = intervals_.over(t0, t1, intervals_.obstacle().empty()); m && travel.staysBeyond(*m, 0))
        return true;
      const double t = 0.5 * (t0 + t1);
      return depth < kPlayDepth && apart(t0, t, depth + 1) && apart(t, t1, depth + 1);
    };
    for (std::size_t i = 0; i + 1 < ends.size() && p.report.apart; ++i) p.report.apart = apart(ends[i], ends[i + 1], 0);
  }

  void findWindows(Pair& p) {
    const auto& s = p.report.stretches;
    if (std::none_of(s.begin(), s.end(), [](const Stretch& x) { return x.verdict == Verdict::overlap; })) return;
    PairTravel travel = travelOf(p);
    p.windows = windowsOf(travel, s, geometryOf(p.a), geometryOf(p.b), intervals_, duration(),
                          0.25 * run_.settings().accuracy, [this] { return cancelled(); });
  }

  void report() {
    double all = 0, proven = 0;
    const Part* loose = nullptr;  // a body whose mesh is not proven to be true
    for (Pair& p : pairs_) {
      PairReport& r = p.report;
      const Part* mesher = mesherOf(p);
      if (mesher) loose = mesher;
      for (std::size_t i = 0; i < r.stretches.size(); ++i) {
        const Stretch& s = r.stretches[i];
        // only what a proof has decided counts as proven; a rim is as good as known
        const bool decided = s.proven && s.verdict != Verdict::unsure;
        const bool rim = isRim(r.stretches, i);
        all += s.to - s.from;
        if (!mesher && (decided || (rim && intervals_.obstacle().empty()))) proven += s.to - s.from;
        r.proven = r.proven && !mesher && (decided || rim);
        if (!rim) r.worst = std::max(r.worst, s.verdict);
      }
      for (Interference w : p.windows) {
        w.from = w.first = run_.axisAt(w.fromTime);
        w.to = run_.axisAt(w.toTime);
        w.deepest.at = run_.axisAt(w.deepest.time);
        w.deepest.proven = w.deepest.proven && !mesher;
        out_.interference.push_back(std::move(w));
      }
      if (r.worst == Verdict::free) {
        ++out_.pairsFree;
        out_.pairsProven += r.proven ? 1 : 0;
      }
      if (r.worst == Verdict::meeting) (r.apart ? out_.withPlay : out_.touching).emplace_back(p.a, p.b);
      if (r.worst == Verdict::unsure) out_.unsure.emplace_back(p.a, p.b);
      out_.pairs.push_back(r);
    }
    out_.provenShare = all > 0 ? proven / all : 1;
    if (!(proven < all)) return;
    if (loose)
      out_.notProven =
          fmt::format("body {} has free-form faces, whose mesh is as true as the mesher says", loose->object());
    else
      out_.notProven = intervals_.obstacle().empty()
                           ? fmt::format(
                                 "over {:.2g} % of the travel links are too near to contact, or the poses to "
                                 "singular ones, to decide",
                                 100 * (1 - out_.provenShare))
                           : intervals_.obstacle();
  }

  /// The body of a pair whose mesh is only as true as the mesher says, if there is one.
  const Part* mesherOf(const Pair& p) const {
    for (const int link : {p.a, p.b})
      for (const auto& part : geometryOf(link).parts())
        if (!part->now().certain()) return part.get();
    return nullptr;
  }

  void sortWindows() {
    std::stable_sort(out_.interference.begin(), out_.interference.end(),
                     [](const Interference& x, const Interference& y) { return x.deepest.depth > y.deepest.depth; });
  }

  void leastClearances() {
    std::vector<std::size_t> knots;
    const auto ends = intervalEnds(knots);
    const ClearanceSearch search{run_, travel_, intervals_, stepPoses(), ends, progress_};
    std::vector<PairClearance> found(pairs_.size());
    tbb::parallel_for(std::size_t(0), pairs_.size(), [&](std::size_t i) {
      const Pair& p = pairs_[i];
      found[i] = leastClearance(search, p.a, geometryOf(p.a), p.b, geometryOf(p.b), travelOf(p));
      found[i].proven = found[i].proven && !mesherOf(p);
    });
    for (const auto& c : found)
      if (c.least < 1e299) out_.clearances.push_back(c);
    std::stable_sort(out_.clearances.begin(), out_.clearances.end(),
                     [](const PairClearance& x, const PairClearance& y) { return x.least < y.least; });
  }

  void stops() {
    for (std::size_t i = 0; i < r_.joints.size(); ++i) {
      const auto& j = r_.joints[i];
      const auto& values = model::infoOf(j.kind).values;
      for (std::size_t v = 0; v < values.size(); ++v) {
        if (!j.low[v] && !j.high[v]) continue;
        if (result_.rows.empty()) continue;
        const auto [least, greatest] = rangeOf(run_, measurer_, result_, {static_cast<int>(i), static_cast<int>(v)});
        if (!std::isfinite(least.value)) continue;
        out_.stops.push_back(
            {j.name, values[v].name, least.value, greatest.value, j.low[v], j.high[v], model::dimensionOf(values[v])});
      }
    }
  }

  kinematics::TravelRun& run_;
  kinematics::Measurer& measurer_;
  const kinematics::RunResult& result_;
  const kinematics::Travel& travel_;
  const CheckGeometry& geometry_;
  Progress* progress_;
  CheckOptions options_;
  const Resolved& r_;
  Intervals intervals_;
  std::vector<Pair> pairs_;
  std::vector<std::vector<Pose>> poses_;  ///< of all links at each step, once asked for
  CheckResult out_;
};

}  // namespace

CheckResult checkTravel(kinematics::TravelRun& run, kinematics::Measurer& measurer, const kinematics::RunResult& result,
                        const CheckGeometry& geometry, Progress* progress, const CheckOptions& options) {
  return TravelCheck(run, measurer, result, geometry, progress, options).go();
}

}  // namespace cooperage::clearance
