// SPDX-License-Identifier: GPL-3.0-or-later
#include "lane_list.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "../text.h"
#include "../theme.h"

namespace cooperage::app {

using namespace model;

namespace {
/// A curve less another, where both have values.
kinematics::Samples less(const kinematics::Samples& a, const kinematics::Samples& b) {
  kinematics::Samples out = a;
  for (std::size_t i = 0; i < a.x.size(); ++i) {
    const auto v = kinematics::valueAt(b, a.x[i]);
    out.y[i] = v ? a.y[i] - *v : std::nan("");
  }
  return out;
}

/// The one that is farthest from zero.
std::optional<double> largestOf(const kinematics::Samples& s) {
  std::optional<double> out;
  for (const double y : s.y)
    if (std::isfinite(y) && (!out || std::abs(y) > std::abs(*out))) out = y;
  return out;
}

void fit(Lane& l) {
  l.low = 1e300;
  l.high = -1e300;
  const auto take = [&](double v) {
    if (!std::isfinite(v) || std::abs(v) > 1e290) return;
    l.low = std::min(l.low, v);
    l.high = std::max(l.high, v);
  };
  for (const auto& c : l.curves) {
    for (double v : c.now.y) take(v);
    for (double v : c.before.y) take(v);
    for (double v : c.over.y) take(v);
  }
  if (l.low > l.high) l.low = l.high = 0;
  const double reach = l.high - l.low;  // a bound close by is shown too
  for (const auto& b : l.bands) {
    if (!b.shown) continue;
    if (b.low && *b.low > l.low - 0.6 * reach) take(*b.low);
    if (b.high && *b.high < l.high + 0.6 * reach) take(*b.high);
  }
  if (l.kind == Lane::programme) {
    l.low = std::min(l.low, 0.0);
    l.high = std::max(l.high, 0.0);
  }
  const double scale = std::max(std::abs(l.low), std::abs(l.high));
  if (l.high - l.low < l.least) {
    const double middle = 0.5 * (l.low + l.high);
    l.low = middle - 0.5 * l.least;
    l.high = middle + 0.5 * l.least;
  }
  const double span = std::max(l.high - l.low, std::max(1e-12, 1e-6 * scale));
  l.low -= 0.08 * span;
  l.high += 0.08 * span;
}

void programmes(const RunData& run, std::vector<Lane>& out) {
  const auto& r = run.travel->resolved();
  for (int d : run.travel->settings().drives) {
    const int active = run.travel->activeDrive(d);
    if (active < 0) continue;
    const auto& drive = r.drives[static_cast<std::size_t>(d)];
    const auto& programme = run.travel->programme(active);
    Lane l;
    l.kind = Lane::programme;
    l.title = q(drive.name);
    l.id = drive.id;
    l.drive = active;
    l.colour = theme().accent;
    LaneCurve c;
    c.title = l.title;
    c.dimension = drive.dimension + dimension::kPerSecond;
    c.colour = l.colour;
    c.now.x = run.result.axis;
    const bool turnsBack = run.travel->settings().reverseAtLimit;
    for (const auto& s : run.result.travel.steps) {
      // at a limit the programmes run back: then the rate of the motion tells
      const int dof = run.travel->system().dofOfDrive(r, d);
      c.now.y.push_back(turnsBack && dof >= 0 ? s.qd[static_cast<std::size_t>(dof)] : programme.at(s.t).velocity);
    }
    c.now.x.resize(std::min(c.now.x.size(), c.now.y.size()));
    c.now.y.resize(c.now.x.size());
    l.curves.push_back(std::move(c));
    const double last = run.result.rows.empty() ? 0 : run.result.rows.back()[0];
    for (double k : programme.knots())
      if (k <= last + 1e-12) l.knots.push_back(run.travel->axisAt(k));
    for (const auto& j : programme.jumps())
      if (j.t <= last + 1e-12) l.jumps.emplace_back(run.travel->axisAt(j.t), QObject::tr("speed jumps"));
    out.push_back(std::move(l));
  }
}

void gauges(const Workbench& bench, const RunData& run, bool difference, std::vector<Lane>& out) {
  const auto& m = *bench.document().mechanism();
  const auto& r = run.travel->resolved();
  const RunData* before = bench.runs().before();
  int colour = 0;
  std::map<Id, std::size_t> laneOf;
  for (std::size_t g = 0; g < r.gauges.size(); ++g) {
    const auto& gauge = r.gauges[g];
    LaneCurve c;
    c.gauge = gauge.id;
    c.title = q(gauge.name);
    c.column = run.measurer->firstGauge() + static_cast<int>(g);
    c.dimension = gauge.dimension;
    c.colour = theme().curve[colour++ % 6];
    c.now = kinematics::samplesOf(run.result, c.column);
    c.accuracy = run.accuracyOf(c.column);
    if (before && before != &run && before->result.axisDimension == run.result.axisDimension)
      for (std::size_t b = 0; b < before->travel->resolved().gauges.size(); ++b)
        if (before->travel->resolved().gauges[b].id == gauge.id)
          c.before = kinematics::samplesOf(before->result, before->measurer->firstGauge() + static_cast<int>(b));
    if (gauge.over || !gauge.overPoints.empty()) {
      c.over.x = c.now.x;
      for (const auto& s : run.result.travel.steps) c.over.y.push_back(run.measurer->overlay(static_cast<int>(g), s));
      c.over.y.resize(c.over.x.size(), std::nan(""));
    }
    kinematics::Samples change;
    if (!c.before.x.empty()) {
      change = less(c.now, c.before);
      c.largest = largestOf(change);
    }
    if (difference && !c.before.x.empty()) {
      c.now = std::move(change);
      c.isDifference = true;
      c.before = {};
      c.over = {};
      c.title = QObject::tr("%1, difference").arg(c.title);
    }
    const auto known = findById(m.gauges, gauge.id);
    const auto host = known ? laneOf.find(known->lane) : laneOf.end();
    if (host != laneOf.end() && out[host->second].curves.front().dimension == c.dimension) {
      out[host->second].title += QStringLiteral(", ") + c.title;
      out[host->second].curves.push_back(std::move(c));
      continue;
    }
    laneOf[gauge.id] = out.size();
    Lane l;
    l.kind = Lane::gauge;
    if (gauge.kind == GaugeKind::clearance) l.least = 2 * run.travel->settings().accuracy;
    l.title = c.title;
    l.id = gauge.id;
    l.colour = c.colour;
    if (!difference)
      for (std::size_t i = 0; i < r.requirements.size(); ++i) {
        const auto& req = r.requirements[i];
        if (req.gauge != static_cast<int>(g)) continue;
        Band b{q(req.name), req.min, req.max, true, true, {}};
        b.shown = req.measure == Measure::always || req.measure == Measure::min || req.measure == Measure::max;
        if (req.measure == Measure::max) b.low.reset();  // the greatest may not lie below it, but the curve may
        if (req.measure == Measure::min) b.high.reset();
        for (const auto& judged : run.requirements)
          if (judged.name == req.name) b.met = !judged.fails();
        if (b.shown) b.violations = violationsOf(c.now, b);
        l.bands.push_back(std::move(b));
      }
    l.curves.push_back(std::move(c));
    out.push_back(std::move(l));
  }
}

void marks(const RunData& run, std::vector<Lane>& out) {
  std::map<std::pair<std::string, std::string>, std::vector<int>> kinds;
  const auto& list = run.result.travel.marks;
  for (std::size_t i = 0; i < list.size(); ++i)  // what happens at one pair of links stands in one lane
    kinds[list[i].links.empty() ? std::pair{list[i].object, list[i].code}
                                : std::pair{list[i].links[0] + " \u2013 " + list[i].links[1], std::string("push")}]
        .push_back(static_cast<int>(i));
  for (const auto& [key, members] : kinds) {
    Lane l;
    l.kind = Lane::marks;
    l.title = key.second == "contact-lost" ? QObject::tr("%1: contact lost").arg(q(key.first))
              : key.second == "past-stop"  ? QObject::tr("%1: past its stop").arg(q(key.first))
              : key.second == "push"       ? QObject::tr("%1: contact").arg(q(key.first))
                                           : QObject::tr("change points");
    l.mark = members;
    l.colour = key.second == "push" ? theme().accent : theme().warn;
    out.push_back(std::move(l));
  }
}

void bars(const Workbench& bench, const RunData& run, std::vector<Lane>& out) {
  const CheckData* c = bench.checks().check();
  if (!c) return;
  const auto& links = run.travel->resolved().links;
  std::map<std::pair<int, int>, std::vector<int>> pairs;
  for (std::size_t i = 0; i < c->result.interference.size(); ++i)
    pairs[{c->result.interference[i].linkA, c->result.interference[i].linkB}].push_back(static_cast<int>(i));
  for (const auto& r : c->result.pairs)
    if (r.worst == clearance::Verdict::unsure) pairs[{r.linkA, r.linkB}];
  for (const auto& [pair, list] : pairs) {
    if (std::max(pair.first, pair.second) >= static_cast<int>(links.size())) continue;
    Lane l;
    l.kind = Lane::bars;
    l.title = q(links[static_cast<std::size_t>(pair.first)].name) + QStringLiteral(" \u2013 ") +
              q(links[static_cast<std::size_t>(pair.second)].name);
    l.interference = list;
    for (const auto& r : c->result.pairs)
      if (list.empty() && r.linkA == pair.first && r.linkB == pair.second)
        for (const auto& s : r.stretches)
          if (s.verdict == clearance::Verdict::unsure)
            l.unsure.emplace_back(run.travel->axisAt(s.from), run.travel->axisAt(s.to));
    l.colour = theme().bad;
    out.push_back(std::move(l));
  }
}

}  // namespace

std::vector<Violation> violationsOf(const kinematics::Samples& curve, const Band& band) {
  std::vector<Violation> out;
  const auto outside = [&](double v) {
    return std::isfinite(v) ? std::max(band.low ? *band.low - v : -1e300, band.high ? v - *band.high : -1e300) : -1e300;
  };
  bool open = false;
  for (std::size_t i = 0; i < curve.x.size(); ++i) {
    const double now = outside(curve.y[i]);
    const double was = i == 0 ? now : outside(curve.y[i - 1]);
    const auto crossing = [&] {
      if (was < -1e290 || now < -1e290) return curve.x[i];
      return curve.x[i - 1] + (curve.x[i] - curve.x[i - 1]) * was / (was - now);
    };
    if (now > 0 && !open) {
      out.push_back({i == 0 ? curve.x[0] : crossing(), curve.x[i]});
      open = true;
    } else if (now > 0) {
      out.back().to = curve.x[i];
    } else if (open) {
      out.back().to = crossing();
      open = false;
    }
  }
  return out;
}

std::vector<Lane> lanesOf(const Workbench& bench, bool difference) {
  std::vector<Lane> out;
  if (const auto partial = bench.runs().partial()) {
    int colour = 0;
    for (const auto& g : bench.solution().resolved().gauges) {
      Lane l;
      l.title = q(g.name);
      l.id = g.id;
      LaneCurve c;
      c.gauge = g.id;
      c.title = l.title;
      c.dimension = g.dimension;
      c.colour = l.colour = theme().curve[colour++ % 6];
      c.now = partial->samples(g.name);
      l.curves.push_back(std::move(c));
      fit(l);
      out.push_back(std::move(l));
    }
    return out;
  }
  const RunData* run = bench.runs().run();
  if (!run || run->result.rows.empty()) return out;
  programmes(*run, out);
  const bool checking = bench.selection().stage() == Stage::check;  // then what meets comes first
  if (checking) bars(bench, *run, out);
  gauges(bench, *run, difference, out);
  marks(*run, out);
  if (!checking) bars(bench, *run, out);
  for (Lane& l : out) fit(l);
  return out;
}

}  // namespace cooperage::app
