// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <vector>

#include "clearance/pair_travel.h"
#include "clearance/travel_check.h"

namespace cooperage::clearance {

/// Contact windows of one pair: the stretches of overlap with their ends located and their depth followed.
/// Axis figures (from, to, first, deepest.at) are left for the caller.
/// @param stretches of the pair over the whole travel
/// @param duration of the run, s
/// @param within depth and its bound need be no nearer to one another, m
std::vector<Interference> windowsOf(PairTravel& pair, const std::vector<Stretch>& stretches, const LinkGeometry& a,
                                    const LinkGeometry& b, Intervals& intervals, double duration, double within,
                                    const std::function<bool()>& cancelled);

/// Few enough faces for an exact distance of surfaces in milliseconds.
bool polishable(const Part& a, const Part& b);

}  // namespace cooperage::clearance
