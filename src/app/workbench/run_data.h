// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QString>
#include <map>
#include <mutex>

#include "../jobs.h"
#include "kinematics/readings.h"
#include "kinematics/step_check.h"
#include "study/studies.h"

namespace cooperage::app {

/// What is drawn beside the table of a run.
struct RunPicture {
  double wholeTime = 0;  ///< processor time of all that was worked out, ms: short ones are done again by themselves
  kinematics::StepCheck steps;               ///< whether they are fine enough
  std::vector<kinematics::PointPath> paths;  ///< one a path of the document
  std::vector<std::vector<Pose>> ghosts;     ///< poses of all links
  std::vector<Pose> nearest;                 ///< where it can't go on: the nearest pose, one joint open
  std::vector<kinematics::RequirementResult> requirements;
};

/// A computed run with what it was computed from. Only the interface thread touches it once it is here.
struct RunData : study::RunStudy, RunPicture {
  RunData(study::RunStudy&& study, model::Id of)
      : RunStudy(std::move(study)), source(this->prepared->mechanism), id(of) {}
  model::MechanismPtr source;
  model::Id id = 0;  ///< of the run
  /// How true the figures of a column are, SI: distances of bodies to the run's accuracy, all else to rounding (0).
  double accuracyOf(int column) const;
  /// A figure of a column with its unit, and no digit that it does not carry.
  QString text(int column, double value, const DocumentUnits& units) const;
  /// Extremes between the steps, of gauges that were asked for.
  mutable std::map<model::Id, std::pair<kinematics::Extreme, kinematics::Extreme>> ranges;
};

/// Slowest and fastest of a path. They are read off at the steps: no finer than the speed changes from one to the next.
QString speedsText(const kinematics::PointPath& path, const DocumentUnits& units);

/// Rows of a run that is being computed, as they come.
class PartialRun {
 public:
  PartialRun(std::vector<kinematics::Column> columns, double from, double to)
      : columns_(std::move(columns)), from_(from), to_(to) {}
  void add(const std::vector<double>& row, double axis) {
    const std::lock_guard<std::mutex> lock(mutex_);
    rows_.push_back(row);
    axis_.push_back(axis);
  }
  /// Samples of a column so far.
  kinematics::Samples samples(const std::string& column) const;
  /// The run's travel axis from end to end.
  double from() const { return from_; }
  double to() const { return to_; }

 private:
  const std::vector<kinematics::Column> columns_;
  const double from_, to_;
  mutable std::mutex mutex_;
  std::vector<std::vector<double>> rows_;
  std::vector<double> axis_;
};
/// Why a travel ends early, in a few words: "stop: ram", "contact", "dead point: pin would open".
QString endWords(const kinematics::Ended& ended);

/// A run computed on a snapshot, in the thread of a job.
struct Computed {
  std::shared_ptr<RunData> run;
  QString problem;
  bool refused = false;  ///< it can't be run; else the problem is that it was cancelled
};

/// The run with all that is drawn beside its table.
/// @param partial called with the run's rows to be filled, before the first comes; may be empty
Computed computeRun(const study::PreparedPtr& prepared, int index, const study::Tools& tools, SharedProgress& progress,
                    const std::function<void(std::shared_ptr<PartialRun>)>& partial = {});

}  // namespace cooperage::app
