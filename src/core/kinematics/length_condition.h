// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "model/resolve.h"

namespace cooperage::kinematics {

/// How far a link on ground can turn by the lengths of one planar loop of four joints: turns fully, or swings.
struct LengthCondition {
  model::Id link = 0, joint = 0;  ///< the link, and the joint on ground about which it turns
  std::vector<model::Id> loop;    ///< the links of the loop, from ground on
  bool full = false;              ///< it turns fully
  /// Else the values of its joint between which it swings, as it is assembled; rad.
  double low = 0, high = 0;
};

/// The length conditions of all four-bars and slider-cranks of a planar mechanism (Norton, Design of Machinery, ch. 2
/// and 4: Grashof; the toggle positions of a link lie where the two other moving links are in line).
/// @param poses X_GL of all links in a pose in which the loops are closed
std::vector<LengthCondition> lengthConditions(const model::Resolved& r, const std::vector<Pose>& poses);

}  // namespace cooperage::kinematics
