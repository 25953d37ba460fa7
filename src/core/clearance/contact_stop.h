// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>

#include "clearance/travel_check.h"

namespace cooperage::clearance {

/// Ends a run at the first contact of any pair that is checked, where the run asks to stop there: cuts off what comes
/// after it, adds the pose of contact as the last row and says which links meet. Nothing happens if there is none.
/// @return the first window of contact, or none
std::optional<Interference> stopAtContact(kinematics::TravelRun& run, kinematics::Measurer& measurer,
                                          const CheckGeometry& geometry, kinematics::RunResult& result,
                                          Progress* progress);

}  // namespace cooperage::clearance
