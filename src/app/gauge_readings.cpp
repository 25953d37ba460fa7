// SPDX-License-Identifier: GPL-3.0-or-later
#include "gauge_readings.h"

#include <cmath>

#include "model/edits.h"

namespace cooperage::app {

using namespace model;

namespace {

void takeExtremes(const RunData& run, std::size_t index, kinematics::Readings& out) {
  const auto& gauge = run.travel->resolved().gauges[index];
  // what would hold the window up is read off the steps: distances of bodies, and runs of very many steps
  constexpr std::size_t kMost = 4000;
  if (gauge.kind == GaugeKind::clearance || run.result.rows.size() > kMost) return;
  auto known = run.ranges.find(gauge.id);
  if (known == run.ranges.end())
    known = run.ranges
                .emplace(gauge.id, kinematics::rangeOf(*run.travel, *run.measurer, run.result, static_cast<int>(index)))
                .first;
  const auto& [least, greatest] = known->second;
  if (!std::isfinite(least.value) || !std::isfinite(greatest.value)) return;
  out.least = least.value;
  out.leastAt = run.travel->axisAt(least.t);
  out.greatest = greatest.value;
  out.greatestAt = run.travel->axisAt(greatest.t);
}

}  // namespace

std::optional<kinematics::Readings> readingsOf(const RunData& run, const Mechanism& m, Id gauge) {
  const auto& r = run.travel->resolved();
  std::size_t index = 0;
  while (index < r.gauges.size() && r.gauges[index].id != gauge) ++index;
  if (index == r.gauges.size()) return std::nullopt;
  kinematics::DwellOptions dwells;
  if (const auto g = findById(m.gauges, gauge); g && g->dwellWithin)
    if (const auto within = evaluateField(m, *g->dwellWithin, r.gauges[index].dimension); within.ok())
      dwells.within = std::abs(*within);
  for (std::size_t d = 0; d < r.drives.size(); ++d)
    if (const int k = run.travel->activeDrive(static_cast<int>(d)); k >= 0)
      for (const double t : run.travel->programme(k).breaks()) dwells.breaks.push_back(run.travel->axisAt(t));
  auto out =
      kinematics::read(kinematics::samplesOf(run.result, run.measurer->firstGauge() + static_cast<int>(index)), dwells);
  if (out) takeExtremes(run, index, *out);
  return out;
}

double accuracyOfPose(const Workbench& bench) {
  const int run = bench.runs().currentRun();
  const auto& runs = bench.solution().resolved().runs;
  return run >= 0 && run < static_cast<int>(runs.size()) ? runs[static_cast<std::size_t>(run)].accuracy
                                                         : model::Resolved::RunR().accuracy;
}

}  // namespace cooperage::app
