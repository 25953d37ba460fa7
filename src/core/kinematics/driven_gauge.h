// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "base/result.h"
#include "kinematics/system.h"

namespace cooperage::kinematics {

/// A driven angle or distance becomes a joint of its own between the two links: a chain of elementary motions that
/// leaves all six freedoms and has the gauge's value as one of its dofs. It adds as many unknowns as rows, so that
/// counts of freedoms stay, and the solver drives it like any other value.
///
///   distance         turn x, turn y, slide z = value, ball; x = the first seat's axis, so that planar motion stays
///                    clear of the chain's own singular pose
///                    (of a planar mechanism as distance-axis, about the plane's normal)
///   distance-plane   slide x, slide y, slide z = value, ball
///   distance-axis    slide z, turn z, slide x = value, ball
///   angle about c    three slides, turn z = value (about c), turn y, turn x (axis of the other seat)
///   angle            three slides, turn z, turn y = value, turn z
///
/// @param linkA, linkB receive the links between which the joint lies: frames of `joint` are in link axes
/// @return index of the value's dof among the joint's, or an error where the gauge has no direction as placed
Result<int> drivenJoint(const model::Resolved& resolved, int drive, System::Joint& joint, int& linkA, int& linkB);

/// Reads the chain's values from the placement of its second frame in its first.
/// @param q its dofs; @param ball receives the rotation of a chain that ends in a ball
void measureDriven(const model::Resolved::GaugeR& gauge, const Pose& J, double* q, Mat3* ball);

}  // namespace cooperage::kinematics
