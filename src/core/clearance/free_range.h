// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "clearance/travel_check.h"

namespace cooperage::clearance {

/// How far a drive goes to one side, and what ends it there.
struct FreeEnd {
  double value = 0;  ///< of the driven joint value, SI
  /// contact, stop, dead-point, cannot-close: what ends it; turn: a whole turn is free; search: as far as was looked
  kinematics::EndKind kind = kinematics::EndKind::search;
  std::string by;              ///< the links or the joint, in words
  std::optional<double> stop;  ///< the drive's own stop on this side: a contact may come before it
};
struct FreeRange {
  double home = 0;
  FreeEnd low, high;
  Dimension dimension;
  int joint = -1;  ///< index of the driven joint
  int value = 0;   ///< and which of its values
};
/// From home, how far a drive can go to either side until the first contact, the first stop of any joint, or until the
/// mechanism goes no farther. Other drives stand still. Turns are looked at over a whole turn to either side, slides
/// over twice the size of the mechanism.
/// @param run whose accuracy, fit and pairs hold
/// @return error if links overlap at home already, or the drive is not on a joint value
Result<FreeRange> findFreeRange(const model::Resolved& resolved, int run, int drive, shape::ShapeStore& store,
                                GeometryCache& cache, Progress* progress);

}  // namespace cooperage::clearance
