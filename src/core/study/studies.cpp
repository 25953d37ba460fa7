// SPDX-License-Identifier: GPL-3.0-or-later
#include "study/studies.h"
#include "clearance/clearance_gauges.h"
#include "clearance/contact_stop.h"

#include <algorithm>
#include <chrono>

#include "dynamics/load_gauges.h"

namespace cooperage::study {
namespace {

std::unique_ptr<kinematics::Measurer> measurerOf(RunStudy& study) {
  auto loads = dynamics::loadMeasure(*study.travel);
  if (!study.geometry)
    return std::make_unique<kinematics::Measurer>(*study.travel, kinematics::ClearanceAt(),
                                                  kinematics::ClearanceAlong(), std::move(loads));
  return std::make_unique<kinematics::Measurer>(*study.travel, clearance::clearanceWith(*study.geometry),
                                                clearance::clearanceAlong(*study.geometry), std::move(loads));
}

}  // namespace

Result<std::unique_ptr<kinematics::TravelRun>> runOf(const PreparedPtr& source, int run) {
  if (run < 0 || run >= static_cast<int>(source->resolved->runs.size()))
    return Error{"run", "", "there is no such run"};
  // what closes only without the joints that a run switches off is for the run to say
  const auto pushed = source->contacts ? contact::pushedBy(source->contacts) : kinematics::MakePushed();
  if (!source->closes()) return kinematics::TravelRun::prepare(*source->resolved, run, nullptr, pushed);
  const kinematics::Assembled assembled = source->assembled();
  return kinematics::TravelRun::prepare(*source->resolved, run, &assembled, pushed);
}

Result<RunStudy> runStudy(const PreparedPtr& source, int run, const Tools& tools, const RunAsk& ask) {
  auto travel = runOf(source, run);
  if (!travel.ok()) return travel.error();
  RunStudy out;
  out.prepared = source;
  out.run = run;
  out.travel = std::move(travel).value();
  const auto& resolved = *source->resolved;
  const bool measured = std::any_of(resolved.gauges.begin(), resolved.gauges.end(),
                                    [](const auto& g) { return g.kind == model::GaugeKind::clearance; });
  if (ask.geometry || measured || out.travel->settings().stopAtContact) {
    auto geometry = clearance::geometryFor(resolved, run, tools.store, tools.cache, tools.progress, ask.need);
    if (!geometry.ok()) return geometry.error();
    out.geometry = std::move(geometry).value();
  }
  out.measurer = measurerOf(out);
  kinematics::RowSink sink;
  if (ask.begin) sink = ask.begin(*out.travel, *out.measurer);
  const auto start = std::chrono::steady_clock::now();
  out.result = kinematics::tabulate(*out.travel, *out.measurer, tools.progress, sink);
  for (Message& m : out.measurer->loadMessages()) out.result.travel.messages.push_back(std::move(m));
  out.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
  if (out.geometry && !out.result.travel.cancelled)
    clearance::stopAtContact(*out.travel, *out.measurer, *out.geometry, out.result, tools.progress);
  return out;
}

RunStudy twinOf(const RunStudy& run) {
  RunStudy out;
  out.prepared = run.prepared;
  out.run = run.run;
  out.travel = run.travel->twin();
  out.result = run.result;
  out.geometry = run.geometry;
  out.seconds = run.seconds;
  out.measurer = measurerOf(out);
  return out;
}

Result<clearance::CheckResult> checkStudy(RunStudy& run, const Tools& tools, const clearance::CheckOptions& options) {
  auto geometry = clearance::geometryFor(*run.prepared->resolved, run.run, tools.store, tools.cache, tools.progress,
                                         clearance::Need::checks);
  if (!geometry.ok()) return geometry.error();
  run.geometry = std::move(geometry).value();
  run.measurer = measurerOf(run);
  return clearance::checkTravel(*run.travel, *run.measurer, run.result, *run.geometry, tools.progress, options);
}

Result<EnvelopeStudy> envelopeStudy(const PreparedPtr& source, int run, const Tools& tools,
                                    const clearance::EnvelopeOptions& options, bool gaps) {
  auto travel = runOf(source, run);
  if (!travel.ok()) return travel.error();
  kinematics::Measurer measurer(**travel);
  EnvelopeStudy out;
  out.travel = (*travel)->run(tools.progress);
  auto swept = clearance::sweep(**travel, measurer, out.travel, tools.store, options, tools.progress);
  if (!swept.ok()) return swept.error();
  out.envelope = std::move(swept).value();
  if (!gaps) return out;
  auto geometry =
      clearance::geometryFor(*source->resolved, run, tools.store, tools.cache, tools.progress, clearance::Need::all);
  if (!geometry.ok()) return geometry.error();
  auto left =
      clearance::checkEnvelope(**travel, measurer, out.travel, *geometry, options, out.envelope, tools.progress);
  if (!left.ok()) return left.error();
  out.gaps = std::move(left).value();
  return out;
}

}  // namespace cooperage::study
