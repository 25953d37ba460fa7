// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "session.h"

namespace cooperage::app {

/// A run computed on a snapshot, in the thread of a job.
struct Computed {
  std::shared_ptr<RunData> run;
  std::optional<clearance::CheckGeometry> geometry;
  QString problem;
};

/// @param withGeometry bodies are meshed for a check; a clearance gauge asks for that too
/// @param partial called with the run's rows to be filled, before the first comes; may be empty
Computed computeRun(const model::MechanismPtr& source, const model::Resolved& resolved, int index, bool withGeometry,
                    shape::ShapeStore& store, clearance::GeometryCache& cache, SharedProgress& progress,
                    const std::function<void(std::shared_ptr<PartialRun>)>& partial = {});

}  // namespace cooperage::app
