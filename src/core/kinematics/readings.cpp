// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/readings.h"

#include <algorithm>
#include <cmath>
#include <deque>

#include "base/index.h"

namespace cooperage::kinematics {

namespace {

/// Top of the parabola through three points; the middle one if they lie on a line.
LocalExtreme vertex(const Samples& c, std::size_t i) {
  const double x0 = c.x[i - 1] - c.x[i], x2 = c.x[i + 1] - c.x[i];
  const double d0 = c.y[i - 1] - c.y[i], d2 = c.y[i + 1] - c.y[i];
  LocalExtreme e{c.x[i], c.y[i], d0 + d2 < 0};
  const double det = x0 * x2 * (x0 - x2);
  if (det == 0) return e;
  const double a = (d0 * x2 - d2 * x0) / det, b = (d2 * x0 * x0 - d0 * x2 * x2) / det;
  if (a == 0) return e;
  const double dx = -b / (2 * a);
  if (dx < std::min(x0, x2) || dx > std::max(x0, x2)) return e;
  e.x += dx;
  e.y += dx * (b + a * dx);
  return e;
}

/// For each sample the last one up to which the curve stays within a band: a window that slides, with its least and
/// greatest at hand.
std::vector<std::size_t> reachOf(const std::vector<double>& y, double band) {
  const std::size_t n = y.size();
  std::vector<std::size_t> reach(n);
  std::deque<std::size_t> low, high;
  std::size_t end = 0;  // one after the window
  for (std::size_t i = 0; i < n; ++i) {
    end = std::max(end, i);
    while (end < n && std::isfinite(y[end])) {
      const double least = low.empty() ? y[end] : std::min(y[low.front()], y[end]);
      const double most = high.empty() ? y[end] : std::max(y[high.front()], y[end]);
      if (most - least > band) break;
      while (!low.empty() && y[low.back()] >= y[end]) low.pop_back();
      while (!high.empty() && y[high.back()] <= y[end]) high.pop_back();
      low.push_back(end);
      high.push_back(end++);
    }
    reach[i] = end > i ? end - 1 : i;
    if (!low.empty() && low.front() == i) low.pop_front();
    if (!high.empty() && high.front() == i) high.pop_front();
  }
  return reach;
}

constexpr double kRest = 1e-9;  ///< of the range: what rests changes by no more, but for rounding

/// The end of a rest is a break of the motion: the one after its last sample and before the next; else, where a slow
/// start was taken for rest, the last one before it after which there is a change beyond rounding.
/// @param last index of the rest's last sample, inner: of its other end; out: which way out of the rest is, +1 or -1
double atBreak(const Samples& c, const std::vector<double>& breaks, std::size_t last, std::size_t inner, int out,
               double range) {
  const std::size_t next = out > 0 ? last + 1 : last - 1;
  const double end = c.x[last], low = std::min(end, c.x[next]), high = std::max(end, c.x[next]);
  double best = end;
  bool found = false;
  for (const double b : breaks) {
    if (b < low || b > high || (found && std::abs(b - end) > std::abs(best - end))) continue;
    best = b;
    found = true;
  }
  if (std::abs(c.y[last] - c.y[inner]) <= 0.1 * kRest * range) return best;
  // it has begun to move within: from the last break inside on
  const double reach = std::abs(end - c.x[inner]);
  double within = -1;
  for (const double b : breaks) {
    const double before = (end - b) * (c.x[next] > end ? 1 : -1);
    if (before < 0 || before > 0.1 * reach) continue;
    if (within < 0 || before < within) {
      within = before;
      best = b;
    }
  }
  return best;
}

/// The longest stretches first; a shorter one counts only if the curve has left the level in between, so that the slow
/// start and end of a move are no dwells of their own.
void findDwells(const Samples& c, const DwellOptions& options, Readings& out) {
  const std::size_t n = c.x.size();
  const bool rests = !(options.within > kRest * out.range());
  const double band = 2 * std::max(options.within, kRest * out.range());
  const double length = (rests ? 1e-3 : 0.05) * std::abs(c.x.back() - c.x.front());
  const auto reach = reachOf(c.y, band);
  struct Window {
    std::size_t from, to;
    double level;
  };
  std::vector<Window> found;
  for (std::size_t i = 0; i < n; ++i)
    if ((i == 0 || reach[i - 1] < reach[i]) && reach[i] >= i + 2 && std::abs(c.x[reach[i]] - c.x[i]) >= length)
      found.push_back({i, reach[i], 0});
  std::stable_sort(found.begin(), found.end(), [&](const Window& a, const Window& b) {
    return std::abs(c.x[a.to] - c.x[a.from]) > std::abs(c.x[b.to] - c.x[b.from]);
  });
  std::vector<Window> taken;
  constexpr std::size_t kMost = 64;
  for (Window w : found) {
    double sum = 0;
    for (std::size_t k = w.from; k <= w.to; ++k) sum += c.y[k];
    w.level = sum / static_cast<double>(w.to - w.from + 1);
    const bool apart = std::all_of(taken.begin(), taken.end(), [&](const Window& t) {
      if (w.from <= t.to && t.from <= w.to) return false;
      for (std::size_t k = std::min(w.to, t.to); k <= std::max(w.from, t.from); ++k)
        if (std::abs(c.y[k] - t.level) > 6 * band) return true;
      return false;
    });
    if (apart) taken.push_back(w);
    if (taken.size() == kMost) break;
  }
  std::sort(taken.begin(), taken.end(), [](const Window& a, const Window& b) { return a.from < b.from; });
  for (const Window& w : taken) {
    Dwell d{c.x[w.from], c.x[w.to], w.level};
    if (rests) {
      if (w.from > 0) d.from = atBreak(c, options.breaks, w.from, w.to, -1, out.range());
      if (w.to + 1 < n) d.to = atBreak(c, options.breaks, w.to, w.from, 1, out.range());
    }
    out.dwells.push_back(d);
  }
}

}  // namespace

Samples samplesOf(const RunResult& result, int column) {
  Samples s;
  s.x.assign(result.axis.begin(), result.axis.begin() + static_cast<std::ptrdiff_t>(result.rows.size()));
  s.y.reserve(result.rows.size());
  for (const auto& row : result.rows) s.y.push_back(row[u(column)]);
  return s;
}

std::optional<Readings> read(const Samples& c, const DwellOptions& dwells) {
  Readings out;
  bool any = false;
  double area = 0, width = 0;
  const std::size_t n = c.x.size();
  for (std::size_t i = 0; i < n; ++i) {
    if (!std::isfinite(c.y[i])) continue;
    if (!any || c.y[i] < out.least) {
      out.least = c.y[i];
      out.leastAt = c.x[i];
    }
    if (!any || c.y[i] > out.greatest) {
      out.greatest = c.y[i];
      out.greatestAt = c.x[i];
    }
    any = true;
    if (c.y[i] == 0 && (i == 0 || !std::isfinite(c.y[i - 1]))) out.zeros.push_back(c.x[i]);
    if (i == 0 || !std::isfinite(c.y[i - 1])) continue;
    const double dx = std::abs(c.x[i] - c.x[i - 1]);
    area += 0.5 * (c.y[i] + c.y[i - 1]) * dx;
    width += dx;
    if (c.y[i] == 0) {
      if (c.y[i - 1] != 0) out.zeros.push_back(c.x[i]);  // of a rest at zero where it begins
    } else if (c.y[i - 1] * c.y[i] < 0) {
      out.zeros.push_back(c.x[i - 1] + (c.x[i] - c.x[i - 1]) * c.y[i - 1] / (c.y[i - 1] - c.y[i]));
    }
  }
  if (!any) return std::nullopt;
  out.mean = width > 0 ? area / width : out.least;
  const double small = 1e-9 * out.range();
  int last = 0;            // direction of the last change that is more than rounding
  std::size_t turned = 0;  // where it ended
  for (std::size_t i = 1; i < n; ++i) {
    const double d = c.y[i] - c.y[i - 1];
    if (!std::isfinite(d) || std::abs(d) <= small) continue;
    const int now = d > 0 ? 1 : -1;
    if (last != 0 && now != last && turned > 0 && turned + 1 < n) {
      LocalExtreme e = i - turned <= 1 ? vertex(c, turned) : LocalExtreme{c.x[turned], c.y[turned], last > 0};
      e.highest = last > 0;
      out.extremes.push_back(e);
    }
    last = now;
    turned = i;
  }
  if (n > 1 && out.range() > 0) findDwells(c, dwells, out);
  return out;
}

std::optional<double> valueAt(const Samples& c, double x) {
  if (c.x.size() < 2) return std::nullopt;
  const bool rising = c.x.back() >= c.x.front();
  const auto it = rising ? std::lower_bound(c.x.begin(), c.x.end(), x)
                         : std::lower_bound(c.x.begin(), c.x.end(), x, std::greater<double>());
  if (it == c.x.end()) return std::nullopt;
  const auto i = static_cast<std::size_t>(it - c.x.begin());
  if (*it == x) return std::isfinite(c.y[i]) ? std::optional<double>(c.y[i]) : std::nullopt;
  if (i == 0) return std::nullopt;
  const double v = c.y[i - 1] + (c.y[i] - c.y[i - 1]) * (x - c.x[i - 1]) / (c.x[i] - c.x[i - 1]);
  return std::isfinite(v) ? std::optional<double>(v) : std::nullopt;
}

PointPath pathOf(TravelRun& run, Measurer& measurer, const Travel& travel, const std::pair<int, int>& seat, int in,
                 double tolerance, Progress* progress) {
  PointPath out;
  const Vec3 local = run.resolved().links[u(seat.first)].seats[u(seat.second)].frame.p;
  struct At {
    double t;
    Vec3 p, v, a;
  };
  const auto measure = [&](const TravelStep& s) {
    const VecJet x = measurer.relativeMotion(seat.first, in, s).point(local);
    return At{s.t, x[0], x[1], x[2]};
  };
  const auto add = [&](const At& a) {
    out.points.push_back(a.p);
    out.times.push_back(a.t);
    out.speed.push_back(a.v.norm());
  };
  // halving until the point halfway lies on the chord
  const std::function<void(const At&, const At&, int)> between = [&](const At& a, const At& b, int depth) {
    const Vec3 way = b.p - a.p;
    const double dt = b.t - a.t, far = way.norm();
    if (depth == 0 || far < tolerance) return;
    // both ends bend so little, and lead so straight on, that the middle need not be looked at
    const double bend = std::max(a.a.cross(way).norm(), b.a.cross(way).norm()) / far * dt * dt / 8;
    if (bend < 0.3 * tolerance && (a.v * dt - way).norm() < 0.2 * far && (b.v * dt - way).norm() < 0.2 * far) return;
    TravelStep s;
    if (!run.poseAt(travel, 0.5 * (a.t + b.t), s)) return;
    const At m = measure(s);
    const Vec3 chord = b.p - a.p;
    const double length = chord.norm();
    const double off = (m.p - a.p).cross(chord).norm() / length;
    // a curve that bends back within the step is off along the chord, not beside it
    const double along = (m.p - a.p).dot(chord) / length;
    if (off < tolerance && along > 0.1 * length && along < 0.9 * length) return;
    between(a, m, depth - 1);
    add(m);
    between(m, b, depth - 1);
  };
  std::optional<At> before;
  for (const TravelStep& s : travel.steps) {
    if (progress && progress->cancelled()) return out;
    const At now = measure(s);
    if (before) between(*before, now, 6);
    out.steps.push_back(out.points.size());
    add(now);
    before = now;
  }
  return out;
}

}  // namespace cooperage::kinematics
