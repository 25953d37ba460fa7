// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>

#include "shape/axis_span.h"

namespace cooperage::shape {

/// How a solid stands in a link so that its bores and pins lie on the link's pivots: as it is, if they do; else so that
/// most do, the middle of one of its bores on the first pivot that it has.
/// @param pivots in link axes, z the axis of each
/// @param rounds of the solid
/// @return X_LB, solid axes to link axes; none: no two of its axes have the distance of two pivots, or it has none
std::optional<Pose> poseOnPivots(const std::vector<Pose>& pivots, const RoundFaces& rounds);

}  // namespace cooperage::shape
