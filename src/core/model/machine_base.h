// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "model/edits.h"

/// What machine elements stand on where there is nothing yet: a frame with seats, shafts and slides.
namespace cooperage::model {

/// One axis of a frame, and what is put on it.
struct BaseAxis {
  enum class Carries { nothing, shaft, slide };
  Carries carries = Carries::shaft;
  Vec3 at{0, 0, 0}, axis{0, 0, 1};  ///< m, in the base's own axes; of a slide its direction
};
struct MachineBase {
  Mechanism mechanism;
  std::vector<Id> made;  ///< one an axis: its seat if it carries nothing, else the joint
};
/// Puts axes on the first link that stands still, or on a new one called frame.
/// @param at where the base's own axes come, in ground axes
/// @param poses X_GL of all links; those of new ones are put at the end
Result<MachineBase> withMachineBase(const Mechanism& m, const std::vector<BaseAxis>& axes, const Pose& at,
                                    std::vector<Pose>& poses);

/// The axis of a joint where it stands on its first link: z along it, ground axes.
Result<Pose> axisOf(const Mechanism& m, Id joint, const std::vector<Pose>& poses);

/// The axis of the second joint turned until it stands at an angle to that of the first: about the line that is square
/// to both, through the place where they are nearest. The seat on the first of its links turns, and the second link
/// with it.
/// @param angle rad, above 0 and below pi
/// @param poses X_GL of all links at home; moved along
Result<Mechanism> withShaftAngle(const Mechanism& m, Id first, Id second, double angle, std::vector<Pose>& poses);
/// The angle of two joints' axes, rad, 0 to pi.
Result<double> shaftAngleOf(const Mechanism& m, Id first, Id second, const std::vector<Pose>& poses);

}  // namespace cooperage::model
