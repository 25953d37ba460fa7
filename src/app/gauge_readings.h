// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>

#include "kinematics/readings.h"
#include "workbench/workbench.h"

namespace cooperage::app {

/// What is read off a gauge over a run, for its card and its lane alike: extremes between the steps, as requirements
/// have them, and dwells within the gauge's own tolerance, which end where its drives' programmes say.
std::optional<kinematics::Readings> readingsOf(const RunData& run, const model::Mechanism& m, model::Id gauge);

/// What depths and gaps of the pose that is shown are true to, m: the accuracy of the chosen run.
double accuracyOfPose(const Workbench& bench);

}  // namespace cooperage::app
