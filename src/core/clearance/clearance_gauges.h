// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "clearance/geometry.h"
#include "kinematics/gauges.h"

namespace cooperage::clearance {

/// For clearance gauges: distance, or minus the depth. Starts from the nearest place of the pose before.
kinematics::ClearanceAt clearanceWith(const CheckGeometry& geometry);
/// The same at many poses at once, on all cores. Not for two threads at once.
kinematics::ClearanceAlong clearanceAlong(const CheckGeometry& geometry);

}  // namespace cooperage::clearance
