// SPDX-License-Identifier: GPL-3.0-or-later
#include "run_data.h"
#include "../text.h"

#include <QObject>
#include <algorithm>
#include <cmath>

namespace cooperage::app {

using namespace model;

namespace {

constexpr std::size_t kGhosts = 24;  ///< more can't be told apart

/// A path of very many steps, as fine as a picture can show it.
kinematics::PointPath thinned(kinematics::PointPath path) {
  constexpr std::size_t kFine = 4000;
  if (path.points.size() <= kFine) return path;
  double length = 0;
  for (std::size_t i = 1; i < path.points.size(); ++i) length += (path.points[i] - path.points[i - 1]).norm();
  kinematics::PointPath out;
  for (std::size_t i = 0; i < path.points.size(); ++i) {
    const bool last = i + 1 == path.points.size();
    if (!out.points.empty() && !last && (path.points[i] - out.points.back()).norm() < length / kFine) continue;
    out.points.push_back(path.points[i]);
    out.times.push_back(path.times[i]);
    out.speed.push_back(path.speed[i]);
  }
  return out;
}

/// Paths, ghosts, the nearest pose of an end, requirements, and what is too coarse: all that is drawn beside the table.
void readOff(RunData& run, SharedProgress& progress) {
  auto& travel = *run.travel;
  const auto& result = run.result;
  const auto& r = travel.resolved();
  if (result.travel.steps.empty()) return;
  for (const auto& p : r.paths)
    run.paths.push_back(thinned(kinematics::pathOf(travel, *run.measurer, result.travel, p.seat, p.in,
                                                   2e-4 * travel.system().size, &progress)));
  const auto& settings = travel.settings();
  const auto ghost = [&](const kinematics::TravelStep& s) {
    run.ghosts.emplace_back();
    run.measurer->linkPoses(s, run.ghosts.back());
  };
  if (settings.ghostEvery > 0)
    for (std::size_t i = 0, stride = std::max(static_cast<std::size_t>(settings.ghostEvery),
                                              result.travel.steps.size() / kGhosts);
         i < result.travel.steps.size(); i += stride)
      ghost(result.travel.steps[i]);
  for (double mark : settings.ghostMarks) {
    kinematics::TravelStep s;
    const double t = travel.timeOf(mark);
    if (t <= result.travel.steps.back().t && travel.poseAt(result.travel, t, s)) ghost(s);
  }
  if (const auto& ended = result.travel.ended; ended && !ended->nearest.q.empty()) {
    const std::vector<double> zero(ended->nearest.q.size(), 0.0);
    run.measurer->linkPoses({ended->t, ended->nearest, zero, zero}, run.nearest);
  }
  if (progress.cancelled()) return;
  run.requirements = kinematics::judge(travel, *run.measurer, result);
  run.steps = kinematics::checkSteps(travel, *run.measurer, result, &progress);
}
}  // namespace

double RunData::accuracyOf(int column) const {
  const auto& gauges = travel->resolved().gauges;
  const int gauge = column - measurer->firstGauge();
  return gauge >= 0 && gauge < static_cast<int>(gauges.size()) &&
                 gauges[static_cast<std::size_t>(gauge)].kind == GaugeKind::clearance
             ? travel->settings().accuracy
             : 0;
}

QString RunData::text(int column, double value, const DocumentUnits& units) const {
  return figureText(value, result.columns[static_cast<std::size_t>(column)].dimension, units, 0, accuracyOf(column));
}

QString speedsText(const kinematics::PointPath& path, const DocumentUnits& units) {
  double change = 0;
  for (std::size_t k = 1; k < path.speed.size(); ++k)
    change = std::max(change, std::abs(path.speed[k] - path.speed[k - 1]));
  const auto [least, most] = std::minmax_element(path.speed.begin(), path.speed.end());
  return QObject::tr("%1 to %2")
      .arg(figureText(*least, dimension::kSpeed, units, *most, change),
           figureText(*most, dimension::kSpeed, units, *most, change));
}

QString endWords(const kinematics::Ended& ended) {
  const QString joint = q(ended.joint);
  if (ended.kind == kinematics::EndKind::stop) return QObject::tr("stop: %1").arg(joint);
  if (ended.kind == kinematics::EndKind::contact) return QObject::tr("contact");
  if (ended.kind == kinematics::EndKind::drivesContradict) return QObject::tr("drives contradict");
  if (ended.kind == kinematics::EndKind::cannotClose) return QObject::tr("can't close: %1 would open").arg(joint);
  return QObject::tr("dead point: %1 would open").arg(joint);
}

kinematics::Samples PartialRun::samples(const std::string& column) const {
  kinematics::Samples out;
  std::size_t c = 0;
  while (c < columns_.size() && columns_[c].name != column) ++c;
  const std::lock_guard<std::mutex> lock(mutex_);
  out.x = axis_;
  out.y.reserve(rows_.size());
  for (const auto& row : rows_) out.y.push_back(c < row.size() ? row[c] : std::nan(""));
  return out;
}

Computed computeRun(const study::PreparedPtr& prepared, int index, const study::Tools& tools, SharedProgress& progress,
                    const std::function<void(std::shared_ptr<PartialRun>)>& partial) {
  Computed out;
  const double start = processorTime();
  study::RunAsk ask;
  if (partial)
    ask.begin = [&](const kinematics::TravelRun& travel, const kinematics::Measurer& measurer) -> kinematics::RowSink {
      auto rows =
          std::make_shared<PartialRun>(measurer.columns(), travel.axisAt(0), travel.axisAt(travel.settings().duration));
      partial(rows);
      return [rows](const std::vector<double>& row, double axis) { rows->add(row, axis); };
    };
  auto study = study::runStudy(prepared, index, tools, ask);
  if (!study.ok()) {
    out.refused = !study.error().cancelled;
    out.problem = study.error().cancelled ? QObject::tr("Cancelled") : q(study.error().text);
    return out;
  }
  out.run =
      std::make_shared<RunData>(std::move(study).value(), prepared->resolved->runs[static_cast<std::size_t>(index)].id);
  if (!out.run->result.travel.cancelled) readOff(*out.run, progress);
  if (out.run->result.travel.cancelled || progress.cancelled()) out.problem = QObject::tr("Cancelled");
  out.run->wholeTime = 1e3 * (processorTime() - start);
  return out;
}

}  // namespace cooperage::app
