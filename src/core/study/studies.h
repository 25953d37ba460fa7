// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <memory>
#include <optional>

#include "clearance/envelope_check.h"
#include "clearance/travel_check.h"
#include "kinematics/gauges.h"
#include "study/prepared.h"

/// What is computed on a prepared document, in one order for all who ask. Each call belongs to one thread; any number
/// of them may share the solids and the geometry.
namespace cooperage::study {

/// What studies share and report to.
struct Tools {
  shape::ShapeStore& store;
  clearance::GeometryCache& cache;
  Progress* progress = nullptr;
};

/// A run of a prepared document, ready to go: what is worked out already is not worked out again.
Result<std::unique_ptr<kinematics::TravelRun>> runOf(const PreparedPtr& source, int run);

/// A run that was computed, with what it takes to ask it for more.
struct RunStudy {
  PreparedPtr prepared;
  int run = -1;
  std::unique_ptr<kinematics::TravelRun> travel;
  std::unique_ptr<kinematics::Measurer> measurer;
  kinematics::RunResult result;
  std::optional<clearance::CheckGeometry> geometry;  ///< if it was needed
  double seconds = 0;                                ///< of the travel, geometry apart
};

struct RunAsk {
  clearance::Need need = clearance::Need::measures;
  bool geometry = false;  ///< whether the run's own gauges ask for it or not
  /// Told before the first row comes; gives what is told of each row. May be empty.
  std::function<kinematics::RowSink(const kinematics::TravelRun&, const kinematics::Measurer&)> begin;
};

/// Computes a run: geometry where its gauges or a stop at contact ask for it, the travel, the table, the end at the
/// first contact. One that was cancelled says so in result.travel.cancelled.
/// @return an error if the document does not close, has no such run, or geometry can't be read
Result<RunStudy> runStudy(const PreparedPtr& source, int run, const Tools& tools, const RunAsk& ask = {});

/// Another run of the same result for a thread of its own: nothing is computed again.
RunStudy twinOf(const RunStudy& run);

/// Checks a run that was computed: geometry of all links that are checked is made first.
/// @return an error if geometry can't be read; one that was cancelled says so in the result
Result<clearance::CheckResult> checkStudy(RunStudy& run, const Tools& tools,
                                          const clearance::CheckOptions& options = {});

/// An envelope and what it leaves to the links that were not swept.
struct EnvelopeStudy {
  kinematics::Travel travel;
  clearance::Envelope envelope;
  std::vector<clearance::EnvelopeGap> gaps;  ///< if asked for
};
/// @param gaps to all other links, which takes their geometry
Result<EnvelopeStudy> envelopeStudy(const PreparedPtr& source, int run, const Tools& tools,
                                    const clearance::EnvelopeOptions& options, bool gaps);

}  // namespace cooperage::study
