// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/step_check.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>

#include "base/index.h"

namespace cooperage::kinematics {
namespace {

/// A gauge at a time between the steps; NaN where it can't be had.
double valueBetween(TravelRun& run, Measurer& measurer, const RunResult& result, int gauge, double t) {
  TravelStep s;
  return run.poseAt(result.travel, t, s) ? measurer.gauge(gauge, s) : std::numeric_limits<double>::quiet_NaN();
}

/// "radius 30 mm", "straight".
std::string bend(double curvature) {
  return std::abs(curvature) < 1e-9 ? "straight"
                                    : fmt::format("radius {} mm", formatNumber(1e3 / std::abs(curvature), 4));
}

/// What makes a gauge jump at a time: a break of a drive's programme, or a joint of the pieces of a cam.
std::string causeAt(TravelRun& run, const RunResult& result, double before, double after) {
  const auto& r = run.resolved();
  const double slack = 1e-6 * std::max(1e-9, result.rows.back()[0] - result.rows.front()[0]);
  for (std::size_t d = 0; d < r.drives.size(); ++d) {
    const int k = run.activeDrive(static_cast<int>(d));
    if (k < 0) continue;
    for (const double t : run.programme(k).breaks())
      if (t >= before - slack && t <= after + slack)
        return fmt::format("drive {}: its programme jumps there", r.drives[d].name);
  }
  if (run.pushed())
    for (const PushEvent& e : run.pushed()->events())
      if (e.kind == PushEvent::Kind::falls && e.t >= before - slack && e.t <= after + slack)
        return fmt::format("contact {}: {} falls there", e.contact, fmt::join(e.links, " or "));
  TravelStep a, b;
  if (!run.poseAt(result.travel, before, a) || !run.poseAt(result.travel, after, b)) return "";
  for (const auto& j : run.system().joints) {
    if (j.pair < 0) continue;
    const auto& pair = r.camPairs[u(j.pair)];
    const auto& curve = *pair.cam;
    const double from = a.c.q[u(j.firstDof)], to = b.c.q[u(j.firstDof)], period = curve.high() - curve.low();
    const double low = std::min(from, to), high = std::max(from, to), width = 1e-6 * period;
    for (const double corner : curve.corners()) {
      double at = corner;
      if (curve.closed()) at += period * std::round((0.5 * (low + high) - corner) / period);
      if (at < low - width || at > high + width) continue;
      const double left = curve.curvature(at - width), right = curve.curvature(at + width);
      if (std::abs(left - right) <= 1e-6 * std::max(std::abs(left), std::abs(right))) continue;
      return fmt::format("cam pair {}: its curve goes from {} to {} there", pair.name, bend(to > from ? left : right),
                         bend(to > from ? right : left));
    }
  }
  return "";
}

/// The jump in an interval, if what it changes by stays as the interval is halved; a smooth curve changes by half as
/// much in half the time.
std::optional<Jump> jumpIn(TravelRun& run, Measurer& measurer, const RunResult& result, int gauge, double a, double b,
                           double from, double to) {
  const double whole = std::abs(to - from);
  constexpr int kBisections = 26;
  for (int k = 0; k < kBisections; ++k) {
    const double m = 0.5 * (a + b), v = valueBetween(run, measurer, result, gauge, m);
    if (!std::isfinite(v)) return std::nullopt;
    if (std::abs(v - from) > std::abs(to - v)) {
      b = m;
      to = v;
    } else {
      a = m;
      from = v;
    }
    if (k == 8 && std::abs(to - from) < 0.05 * whole) return std::nullopt;
  }
  if (std::abs(to - from) < 0.05 * whole) return std::nullopt;
  return Jump{gauge, run.axisAt(0.5 * (a + b)), from, to, causeAt(run, result, a, b)};
}

}  // namespace

StepCheck checkSteps(TravelRun& run, Measurer& measurer, const RunResult& result, Progress* progress) {
  StepCheck out;
  const std::size_t n = result.rows.size();
  if (n < 3) return out;
  constexpr std::size_t kTried = 6;
  for (std::size_t g = 0; g < run.resolved().gauges.size(); ++g) {
    if (run.resolved().gauges[g].kind == model::GaugeKind::clearance) continue;  // a distance of bodies is dear
    const std::size_t column = u(measurer.firstGauge()) + g;
    double low = 1e300, high = -1e300;
    std::vector<std::pair<double, std::size_t>> bends;  // second difference, step before the middle
    for (std::size_t i = 0; i < n; ++i) {
      const double v = result.rows[i][column];
      if (!std::isfinite(v)) continue;
      low = std::min(low, v);
      high = std::max(high, v);
      if (i == 0 || i + 1 == n) continue;
      const double bent = std::abs(result.rows[i - 1][column] - 2 * v + result.rows[i + 1][column]);
      if (std::isfinite(bent)) bends.emplace_back(bent, i);
    }
    const double range = high - low, scale = std::max(std::abs(high), std::abs(low));
    if (!(range > 1e-9 * scale) || bends.empty()) continue;
    const std::size_t tried = std::min(kTried, bends.size());
    std::partial_sort(bends.begin(), bends.begin() + static_cast<std::ptrdiff_t>(tried), bends.end(),
                      [](const auto& a, const auto& b) { return a.first > b.first; });
    // a few places spread over the travel too: a peak between two steps bends nothing
    std::vector<std::size_t> places;
    for (std::size_t k = 0; k < tried; ++k) places.insert(places.end(), {bends[k].second - 1, bends[k].second});
    for (std::size_t k = 0; k < kTried; ++k) places.push_back((n - 2) * k / (kTried - 1));
    std::sort(places.begin(), places.end());
    places.erase(std::unique(places.begin(), places.end()), places.end());
    const int gauge = static_cast<int>(g);
    Coarseness worst{gauge, 0, 0, 0};
    for (std::size_t i : places) {
      if (progress && progress->cancelled()) return out;
      const double a = result.rows[i][0], b = result.rows[i + 1][0];
      if (!(b > a)) continue;
      const double exact = valueBetween(run, measurer, result, gauge, 0.5 * (a + b));
      const double from = result.rows[i][column], to = result.rows[i + 1][column];
      const double share = std::abs(exact - 0.5 * (from + to)) / range;
      if (!(share > 0.01)) continue;
      if (auto jump = jumpIn(run, measurer, result, gauge, a, b, from, to)) {
        const bool known = std::any_of(out.jumps.begin(), out.jumps.end(), [&](const Jump& j) {
          return j.gauge == gauge && std::abs(j.at - jump->at) <= 1e-6 * std::abs(result.axis.back() - result.axis[0]);
        });
        if (!known) out.jumps.push_back(std::move(*jump));
        continue;
      }
      if (!(share > worst.share)) continue;
      worst.share = share;
      worst.at = run.axisAt(0.5 * (a + b));
    }
    if (worst.share <= 0.01) continue;
    const double factor = std::ceil(std::sqrt(std::min(worst.share, 4.0) / 0.002));
    worst.suggested = static_cast<int>(std::min(1e6, static_cast<double>(n - 1) * factor));
    out.coarse.push_back(worst);
  }
  return out;
}

}  // namespace cooperage::kinematics
