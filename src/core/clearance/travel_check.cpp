// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/travel_check.h"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <atomic>
#include <set>

namespace cooperage::clearance {

using kinematics::TravelStep;
using model::Resolved;

namespace {

std::size_t u(int i) { return static_cast<std::size_t>(i); }

struct Pair {
  int a, b;
  bool jointed;
  std::vector<char> hit;  // by step
};

bool wants(const Resolved::RunR& run, const char* what) {
  return std::find(run.check.begin(), run.check.end(), what) != run.check.end();
}

class TravelCheck {
 public:
  TravelCheck(kinematics::TravelRun& run, kinematics::Measurer& measurer, const kinematics::RunResult& result,
              const CheckGeometry& geometry, Progress* progress)
      : run_(run), measurer_(measurer), result_(result), geometry_(geometry), progress_(progress), r_(run.resolved()) {}

  CheckResult go() {
    const auto& settings = run_.settings();
    out_.accuracy = settings.accuracy;
    out_.tolerance = geometry_.tolerance;
    out_.messages = result_.travel.messages;
    if (result_.travel.steps.empty()) return std::move(out_);
    poses_.resize(result_.travel.steps.size());
    for (std::size_t i = 0; i < poses_.size(); ++i) measurer_.linkPoses(result_.travel.steps[i], poses_[i]);
    makePairs();
    const bool interference = wants(settings, "interference");
    if (interference) findHits();
    if (interference && !cancelled()) refine();
    if (wants(settings, "clearance") && !cancelled()) leastClearances();
    if (wants(settings, "requirements") && !cancelled()) out_.requirements = judge(run_, measurer_, result_);
    if (wants(settings, "stops")) stops();
    out_.cancelled = cancelled();
    return std::move(out_);
  }

 private:
  bool cancelled() const { return progress_ && progress_->cancelled(); }

  void makePairs() {
    const auto& nodes = run_.system().nodeOfLink;
    std::set<std::pair<int, int>> excluded, jointed;
    const auto ordered = [](int a, int b) { return std::make_pair(std::min(a, b), std::max(a, b)); };
    for (const auto& [a, b] : run_.settings().leaveOut) excluded.insert(ordered(a, b));
    for (const auto& j : r_.joints) jointed.insert(ordered(j.linkA, j.linkB));
    const int n = static_cast<int>(r_.links.size());
    for (int a = 0; a < n; ++a)
      for (int b = a + 1; b < n; ++b) {
        if (geometry_.links[u(a)]->empty() || geometry_.links[u(b)]->empty()) continue;
        if (excluded.count({a, b})) {
          out_.leftOut.push_back({a, b, "left out by hand"});
          continue;
        }
        if (nodes[u(a)] == nodes[u(b)]) {
          out_.leftOut.push_back({a, b, "never move against one another"});
          continue;
        }
        pairs_.push_back({a, b, jointed.count({a, b}) > 0, {}});
      }
  }

  void findHits() {
    constexpr std::size_t kChunk = 30;  // poses: small enough that two cores share the few costly pairs
    for (Pair& pair : pairs_) pair.hit.assign(poses_.size(), 0);
    const std::size_t chunks = (poses_.size() + kChunk - 1) / kChunk, total = chunks * pairs_.size();
    std::atomic<std::size_t> done{0};
    tbb::parallel_for(std::size_t(0), total, [&](std::size_t task) {
      Pair& pair = pairs_[task / chunks];
      const auto &ga = *geometry_.links[u(pair.a)], &gb = *geometry_.links[u(pair.b)];
      PairOverlap overlap(ga, gb);
      const std::size_t first = task % chunks * kChunk, last = std::min(first + kChunk, poses_.size());
      for (std::size_t i = first; i < last; ++i) {
        if (cancelled()) return;
        pair.hit[i] = overlap.at(poses_[i][u(pair.a)], poses_[i][u(pair.b)]) ? 1 : 0;
      }
      const std::size_t count = ++done;
      if (progress_) progress_->report(0.8 * static_cast<double>(count) / static_cast<double>(total));
    });
  }

  bool overlapAt(const Pair& pair, double t, bool whole) {
    TravelStep s;
    if (!run_.poseAt(result_.travel, t, s)) return false;
    measurer_.linkPoses(s, scratch_);
    const auto &ga = *geometry_.links[u(pair.a)], &gb = *geometry_.links[u(pair.b)];
    return whole ? overlapAtAll(ga, scratch_[u(pair.a)], gb, scratch_[u(pair.b)])
                 : overlapBeyondTolerance(ga, scratch_[u(pair.a)], gb, scratch_[u(pair.b)]);
  }
  Depth depthAt(const Pair& pair, double t) {
    TravelStep s;
    if (!run_.poseAt(result_.travel, t, s)) return {};
    measurer_.linkPoses(s, scratch_);
    return depthOf(*geometry_.links[u(pair.a)], scratch_[u(pair.a)], *geometry_.links[u(pair.b)], scratch_[u(pair.b)]);
  }
  double time(std::size_t step) const { return result_.travel.steps[step].t; }

  /// End of a contact window between a pose with and one without contact. Parts that are not made to meet count from
  /// the first overlap; mating parts from the depth that is more than their fit.
  double edge(const Pair& pair, double inside, double outside) {
    const bool whole = !pair.jointed && !overlapAt(pair, outside, true);
    double in = inside, off = outside;
    for (int k = 0; k < 40 && std::abs(in - off) > 1e-9 * run_.settings().duration; ++k) {
      const double mid = 0.5 * (in + off);
      (overlapAt(pair, mid, whole) ? in : off) = mid;
    }
    return in;
  }

  void refine() {
    for (Pair& pair : pairs_) {
      bool any = false;
      for (std::size_t i = 0; i < pair.hit.size();) {
        if (!pair.hit[i]) {
          ++i;
          continue;
        }
        std::size_t j = i;
        while (j + 1 < pair.hit.size() && pair.hit[j + 1]) ++j;
        window(pair, i, j);
        any = true;
        i = j + 1;
        if (cancelled()) return;
      }
      if (any) continue;
      if (touches(pair))
        out_.touching.emplace_back(pair.a, pair.b);
      else
        ++out_.pairsFree;
    }
    std::stable_sort(out_.interference.begin(), out_.interference.end(),
                     [](const Interference& x, const Interference& y) { return x.deepest.depth > y.deepest.depth; });
  }

  bool touches(const Pair& pair) {
    const auto &ga = *geometry_.links[u(pair.a)], &gb = *geometry_.links[u(pair.b)];
    const std::size_t n = poses_.size();
    for (const std::size_t i : {std::size_t(0), n / 3, 2 * n / 3, n - 1}) {
      const auto &pa = poses_[i][u(pair.a)], &pb = poses_[i][u(pair.b)];
      if ((pa * ga.centre() - pb * gb.centre()).norm() > ga.radius() + gb.radius() + 1e-6) continue;
      if (overlapAtAll(ga, pa, gb, pb) || gap(ga, pa, gb, pb) <= 1e-6) return true;
    }
    return false;
  }

  void window(const Pair& pair, std::size_t first, std::size_t last) {
    Interference w{};
    w.linkA = pair.a;
    w.linkB = pair.b;
    w.fromTime = first == 0 ? time(0) : edge(pair, time(first), time(first - 1));
    w.toTime = last + 1 == poses_.size() ? time(last) : edge(pair, time(last), time(last + 1));
    w.from = run_.axisAt(w.fromTime);
    w.to = run_.axisAt(w.toTime);
    w.first = w.from;
    Depth best;
    double at = time(first);
    const std::size_t stride = std::max<std::size_t>(1, (last - first) / 12);
    for (std::size_t i = first; i <= last; i += stride) {
      const Depth d =
          depthOf(*geometry_.links[u(pair.a)], poses_[i][u(pair.a)], *geometry_.links[u(pair.b)], poses_[i][u(pair.b)]);
      if (d.depth > best.depth) {
        best = d;
        at = time(i);
      }
      if (cancelled()) return;
    }
    const double span = static_cast<double>(stride) * run_.settings().duration / run_.settings().steps;
    double a = std::max(w.fromTime, at - span), b = std::min(w.toTime, at + span);
    for (int k = 0; k < 14 && b - a > 0; ++k) {  // the depth is smooth enough near its peak
      const double x = a + 0.382 * (b - a), y = a + 0.618 * (b - a);
      const Depth dx = depthAt(pair, x), dy = depthAt(pair, y);
      if (dx.depth > best.depth) {
        best = dx;
        at = x;
      }
      if (dy.depth > best.depth) {
        best = dy;
        at = y;
      }
      (dx.depth > dy.depth ? b : a) = dx.depth > dy.depth ? y : x;
    }
    w.deepest = {run_.axisAt(at), at, best.depth, best.point};
    out_.interference.push_back(w);
  }

  void leastClearances() {
    std::vector<PairClearance> found(pairs_.size());
    tbb::parallel_for(std::size_t(0), pairs_.size(), [&](std::size_t p) {
      const Pair& pair = pairs_[p];
      PairClearance c{pair.a, pair.b, 1e300, 0};
      const auto &ga = *geometry_.links[u(pair.a)], &gb = *geometry_.links[u(pair.b)];
      for (std::size_t i = 0; i < poses_.size() && c.least > 0; ++i) {
        if (cancelled()) return;
        const auto &pa = poses_[i][u(pair.a)], &pb = poses_[i][u(pair.b)];
        if ((pa * ga.centre() - pb * gb.centre()).norm() - ga.radius() - gb.radius() > c.least) continue;
        const double d = gap(ga, pa, gb, pb);
        if (d < c.least) c = {pair.a, pair.b, d, result_.axis[i]};
      }
      found[p] = c;
    });
    for (const auto& c : found)
      if (c.least < 1e299) out_.clearances.push_back(c);
  }

  void stops() {
    for (std::size_t i = 0; i < r_.joints.size(); ++i) {
      const auto& j = r_.joints[i];
      const auto& values = model::infoOf(j.kind).values;
      for (std::size_t v = 0; v < values.size(); ++v) {
        if (!j.low[v] && !j.high[v]) continue;
        const std::string name = j.name + "." + values[v].name;
        for (std::size_t c = 0; c < result_.columns.size(); ++c) {
          if (result_.columns[c].name != name) continue;
          StopUse s{j.name, values[v].name, 1e300, -1e300, j.low[v], j.high[v], model::dimensionOf(values[v])};
          for (const auto& row : result_.rows) {
            s.least = std::min(s.least, row[c]);
            s.greatest = std::max(s.greatest, row[c]);
          }
          out_.stops.push_back(s);
        }
      }
    }
  }

  kinematics::TravelRun& run_;
  kinematics::Measurer& measurer_;
  const kinematics::RunResult& result_;
  const CheckGeometry& geometry_;
  Progress* progress_;
  const Resolved& r_;
  std::vector<std::vector<Pose>> poses_;
  std::vector<Pose> scratch_;
  std::vector<Pair> pairs_;
  CheckResult out_;
};

}  // namespace

Result<std::shared_ptr<const LinkGeometry>> GeometryCache::get(const Resolved::LinkR& link, shape::ShapeStore& store,
                                                               double deflection, double tolerance,
                                                               Progress* progress) {
  std::string key = fmt::format("{} {}", deflection, tolerance);
  for (const auto& b : link.bodies) {
    auto solid = store.body(b, link.name, progress);
    if (!solid.ok()) return solid.error();
    key += fmt::format("|{}", static_cast<const void*>(solid->get()));
    for (int i = 0; i < 9; ++i) key += fmt::format(" {}", b.placement.R.data()[i]);
    for (int i = 0; i < 3; ++i) key += fmt::format(" {}", b.placement.p[i]);
  }
  const auto it = known_.find({key});
  if (it != known_.end()) return it->second;
  auto made = LinkGeometry::make(link, store, deflection, tolerance, progress);
  if (made.ok()) {
    if (known_.size() > 500) known_.clear();  // a long session of slider moves must not eat the memory
    known_[{key}] = *made;
  }
  return made;
}

Result<CheckGeometry> geometryFor(const Resolved& resolved, int run, shape::ShapeStore& store, GeometryCache& cache,
                                  Progress* progress) {
  const auto& settings = resolved.runs[u(run)];
  CheckGeometry g;
  g.deflection = 0.5 * settings.accuracy;
  g.tolerance = 2 * g.deflection + settings.fitDepth;
  // meshes of gears and threads take seconds: only where something is measured on them
  const bool measured =
      std::any_of(resolved.gauges.begin(), resolved.gauges.end(), [](const auto& x) { return x.kind == "clearance"; });
  const bool needed = measured || wants(settings, "interference") || wants(settings, "clearance");
  for (const auto& link : resolved.links) {
    if (!needed) {
      g.links.push_back(std::make_shared<const LinkGeometry>());
      continue;
    }
    auto one = cache.get(link, store, g.deflection, g.tolerance, progress);
    if (!one.ok()) return one.error();
    g.links.push_back(*one);
    if (progress && progress->cancelled()) return Error{"cancelled", "", "cancelled", true};
  }
  return g;
}

CheckResult checkTravel(kinematics::TravelRun& run, kinematics::Measurer& measurer, const kinematics::RunResult& result,
                        const CheckGeometry& geometry, Progress* progress) {
  return TravelCheck(run, measurer, result, geometry, progress).go();
}

kinematics::ClearanceAt clearanceWith(const CheckGeometry& geometry) {
  return [geometry](int a, int b, const std::vector<Pose>& poses) {
    const auto &ga = *geometry.links[u(a)], &gb = *geometry.links[u(b)];
    if (ga.empty() || gb.empty()) return std::numeric_limits<double>::quiet_NaN();
    const double d = gap(ga, poses[u(a)], gb, poses[u(b)]);
    return d > 0 ? d : -depthOf(ga, poses[u(a)], gb, poses[u(b)]).depth;
  };
}

}  // namespace cooperage::clearance
