// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "clearance/pair_travel.h"
#include "clearance/travel_check.h"

namespace cooperage::clearance {

/// What the search for least clearances goes over, the same for all pairs.
struct ClearanceSearch {
  kinematics::TravelRun& run;
  const kinematics::Travel& travel;
  Intervals& intervals;
  const std::vector<std::vector<Pose>>& poses;  ///< of all links at each step of the travel
  const std::vector<double>& ends;              ///< of intervals in which no programme has a knot, s
  Progress* progress;
};

/// The least distance of two links over a travel: at its steps, between them as far as motion can be enclosed, and
/// polished on the bodies themselves where they have few faces. `least` stays 1e300 if there is nothing to measure.
/// @param pair of these links, with no tolerance of its own beside the errors of their meshes
PairClearance leastClearance(const ClearanceSearch& search, int linkA, const LinkGeometry& a, int linkB,
                             const LinkGeometry& b, PairTravel pair);

}  // namespace cooperage::clearance
