// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstddef>
#include <vector>

namespace cooperage::clearance {

/// What holds for a pair of links over a stretch of the travel.
enum class Verdict {
  free,     ///< the gap is more than the errors of the meshes
  meeting,  ///< they touch, or overlap no deeper than the tolerance
  unsure,   ///< nearer than the accuracy can tell in the smallest interval
  overlap   ///< deeper than the tolerance in its middle
};
struct Stretch {
  double from = 0, to = 0;  ///< s
  Verdict verdict = Verdict::free;
  bool proven = true;   ///< for the whole stretch; else from estimated motion, or overlap at one pose of it
  bool coarse = false;  ///< unsure: longer intervals than the smallest are among it
};

/// Smallest intervals beside an overlap are its rim, not something that is not known.
bool isRim(const std::vector<Stretch>& stretches, std::size_t i);

}  // namespace cooperage::clearance
