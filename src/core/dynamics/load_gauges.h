// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>

#include "kinematics/load_measure.h"
#include "kinematics/travel.h"

namespace cooperage::dynamics {

/// Measures the gauges of masses and loads of a run; null where it has none, so that nothing of this is computed.
std::unique_ptr<kinematics::LoadMeasure> loadMeasure(kinematics::TravelRun& run);

}  // namespace cooperage::dynamics
