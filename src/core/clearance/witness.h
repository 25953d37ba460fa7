// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "clearance/nearest.h"

namespace cooperage::clearance {

/// Two parts that are to overlap by more than they may, over a whole interval of motion.
struct OverlapQuestion {
  Meshed a, b;
  double shrinkA, shrinkB;  ///< a place counts as inside from this deep on, m
  Pose bInA;                ///< link axes of B in those of A, in the middle of the interval
  Motion ofB;               ///< of B against A, axes of A
  Motion ofA;               ///< of A against B, axes of B
};

/// A place of one body that stays inside the other for a whole interval: as long as there is one, the two overlap, how
/// often the motion goes to and fro. Keeps the place, since the next interval most often has it too.
class Witness {
 public:
  /// @param starts places to look from, axes of A; the best is climbed from
  /// @return true if such a place was found; false says nothing
  bool found(const OverlapQuestion& q, const std::vector<Vec3>& starts);

 private:
  std::optional<Vec3> place_;  ///< axes of B
};

}  // namespace cooperage::clearance
