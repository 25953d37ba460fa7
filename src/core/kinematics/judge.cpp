// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>
#include <limits>
#include <unordered_map>

#include "base/index.h"
#include "kinematics/gauges.h"

namespace cooperage::kinematics {

namespace {

/// Times of a travel at which laws of its drives go over into others.
std::vector<double> breaksOf(const TravelRun& run) {
  std::vector<double> out;
  for (std::size_t d = 0; d < run.resolved().drives.size(); ++d)
    if (const int k = run.activeDrive(static_cast<int>(d)); k >= 0)
      for (const double t : run.programme(k).breaks()) out.push_back(t);
  if (run.pushed())
    for (const PushEvent& e : run.pushed()->events()) out.push_back(e.t);
  std::sort(out.begin(), out.end());
  return out;
}

/// A quantity at the steps of a travel. @param column of the table that holds it
Course courseOf(TravelRun& run, const RunResult& result, std::size_t column) {
  Course c;
  for (const auto& row : result.rows) {
    c.times.push_back(row[0]);
    c.values.push_back(row[column]);
  }
  if (!run.settings().reverseAtLimit) c.breaks = breaksOf(run);
  return c;
}

/// Gauges between the steps of a run. Requirements look at the same times again and again, for the least and the
/// greatest of each gauge: a pose is worked out once, and all the gauges are read there. Distances of bodies, which are
/// dear, are measured when they are asked for.
class Between {
 public:
  /// @param gauges that will be asked for
  Between(TravelRun& run, Measurer& measurer, const RunResult& result, const std::vector<int>& gauges)
      : run_(run), measurer_(measurer), result_(result), place_(run.resolved().gauges.size(), kDear) {
    for (const int g : gauges) {
      if (isDear(g) || place_[u(g)] != kDear) continue;
      place_[u(g)] = gauges_.size();
      gauges_.push_back(g);
    }
  }
  bool isDear(int gauge) const { return run_.resolved().gauges[u(gauge)].kind == model::GaugeKind::clearance; }

  double at(int gauge, double t) {
    if (isDear(gauge)) {
      TravelStep s;
      return run_.poseAt(result_.travel, t, s) ? measurer_.gauge(gauge, s) : kNone;
    }
    const auto [place, fresh] = rows_.emplace(t, values_.size());
    if (fresh) {
      values_.resize(values_.size() + gauges_.size(), kNone);
      if (run_.poseAt(result_.travel, t, step_)) measurer_.gauges(gauges_, step_, &values_[place->second]);
    }
    return values_[place->second + place_[u(gauge)]];
  }

  Extreme extreme(int gauge, double sign) {
    Course c = courseOf(run_, result_, u(measurer_.firstGauge() + gauge));
    c.at = [this, gauge](double t) { return at(gauge, t); };
    c.dear = isDear(gauge);
    return extremeOf(c, sign);
  }

 private:
  static constexpr std::size_t kDear = static_cast<std::size_t>(-1);
  TravelRun& run_;
  Measurer& measurer_;
  const RunResult& result_;
  std::vector<int> gauges_;                       ///< that are read at each time
  std::vector<std::size_t> place_;                ///< of each gauge of the run among them
  std::unordered_map<double, std::size_t> rows_;  ///< time: where its row begins in values_
  std::vector<double> values_;
  TravelStep step_;
};

double mean(const RunResult& result, std::size_t column) {
  double sum = 0, time = 0;
  for (std::size_t i = 1; i < result.rows.size(); ++i) {
    const double dt = result.rows[i][0] - result.rows[i - 1][0];
    const double v = 0.5 * (result.rows[i][column] + result.rows[i - 1][column]);
    if (!std::isfinite(v)) continue;
    sum += v * dt;
    time += dt;
  }
  return time > 0 ? sum / time : kNone;
}

}  // namespace

std::pair<Extreme, Extreme> rangeOf(TravelRun& run, Measurer& measurer, const RunResult& result,
                                    const model::Resolved::ValueRef& value) {
  std::size_t column = 1;
  for (int j = 0; j < value.joint; ++j) column += 3 * model::infoOf(run.resolved().joints[u(j)].kind).values.size();
  column += 3 * u(value.value);
  const auto& info = model::infoOf(run.resolved().joints[u(value.joint)].kind).values[u(value.value)];
  const bool wraps =
      info.angle && info.drivable && run.system().dofOf(value) < 0;  // a ball's angle, counted on in rows
  Course c = courseOf(run, result, column);
  std::unordered_map<double, double> known;  // the least and the greatest are looked for at the same times
  const auto measure = [&](double t) {
    TravelStep s;
    if (!run.poseAt(result.travel, t, s)) return kNone;
    const double v = measurer.valueAt(value, s);
    if (!wraps) return v;
    const auto next = std::lower_bound(result.rows.begin(), result.rows.end() - 1, s.t,
                                       [](const auto& row, double x) { return row[0] < x; });
    return (*next)[column] + std::remainder(v - (*next)[column], 2 * kPi);
  };
  c.at = [&](double t) {
    const auto [at, fresh] = known.emplace(t, kNone);
    if (fresh) at->second = measure(t);
    return at->second;
  };
  return {extremeOf(c, -1), extremeOf(c, 1)};
}

std::pair<Extreme, Extreme> rangeOf(TravelRun& run, Measurer& measurer, const RunResult& result, int gauge) {
  Between between(run, measurer, result, {gauge});
  return {between.extreme(gauge, -1), between.extreme(gauge, 1)};
}

std::vector<RequirementResult> judge(TravelRun& run, Measurer& measurer, const RunResult& result) {
  std::vector<RequirementResult> out;
  if (result.rows.empty()) return out;
  std::vector<int> gauges;
  for (const auto& q : run.resolved().requirements) gauges.push_back(q.gauge);
  Between between(run, measurer, result, gauges);
  for (const auto& q : run.resolved().requirements) {
    RequirementResult r{
        q.name, kNone, false, run.axisAt(result.rows.back()[0]), run.resolved().gauges[u(q.gauge)].dimension,
        q.min,  q.max};
    const std::size_t column = u(measurer.firstGauge() + q.gauge);
    const auto low = [&] { return between.extreme(q.gauge, -1); };
    const auto high = [&] { return between.extreme(q.gauge, 1); };
    if (q.measure == model::Measure::range) {
      const Extreme a = low(), b = high();
      r.value = b.value - a.value;
      r.where = run.axisAt(b.t);
    } else if (q.measure == model::Measure::min || q.measure == model::Measure::max) {
      const Extreme e = q.measure == model::Measure::min ? low() : high();
      r.value = e.value;
      r.where = run.axisAt(e.t);
    } else if (q.measure == model::Measure::mean) {
      r.value = mean(result, column);
    } else if (q.measure == model::Measure::end) {
      r.value = result.rows.back()[column];
    } else if (q.measure == model::Measure::at) {
      const double t = run.timeOf(*q.at);
      r.where = *q.at;
      if (t <= result.rows.back()[0] + 1e-12) r.value = between.at(q.gauge, t);
    } else {  // always: the worst place against either bound
      const Extreme a = low(), b = high();
      const double below = q.min ? *q.min - a.value : -std::numeric_limits<double>::infinity();
      const double above = q.max ? b.value - *q.max : -std::numeric_limits<double>::infinity();
      const Extreme& e = above >= below ? b : a;
      r.value = e.value;
      r.where = run.axisAt(e.t);
      r.met = r.isBounded() && std::isfinite(e.value) && below <= 0 && above <= 0;
      out.push_back(r);
      continue;
    }
    r.met = r.isBounded() && std::isfinite(r.value) && (!q.min || r.value >= *q.min) && (!q.max || r.value <= *q.max);
    out.push_back(r);
  }
  return out;
}

}  // namespace cooperage::kinematics
