// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "model/resolve.h"

namespace cooperage::model {

/// What turns or slides about a joint: the joint seen from the link that carries the element.
struct Shaft {
  int joint = -1;   ///< index among Resolved::joints
  int link = -1;    ///< that carries the element
  int base = -1;    ///< that holds its bearing
  double sign = 1;  ///< of the joint's first value against a turn or slide of `link` about `frame`'s z
  Pose seat;        ///< X_LS on `link`
  Pose frame;       ///< X_GS, at home
};
/// @param beside another joint: the link that both have in common is the base
Result<Shaft> shaftOf(const Resolved& r, Id joint, Id beside, const std::vector<Pose>& poses);

/// The link that carries the axes of two joints and moves; 0 if both stand on ground.
Id carrierOf(const Mechanism& m, Id jointA, Id jointB);

}  // namespace cooperage::model
