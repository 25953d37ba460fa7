// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "base/result.h"
#include "model/mechanism.h"

namespace cooperage::model {

/// What keeps the gears, racks and worms of couplings from meshing as they stand: other modules, axes too near or too far
/// apart or at another angle than their cones, faces that are not beside one another. A figure, a parameter or another
/// pair of the same stage may have changed one of a pair since it was made.
/// @param poses X_GL of all links
/// @return one warning a coupling and reason, which names the coupling
std::vector<Message> meshProblems(const Mechanism& m, const std::vector<Pose>& poses);

}  // namespace cooperage::model
