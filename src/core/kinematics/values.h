// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "kinematics/system.h"

namespace cooperage::kinematics {

/// A named value of a joint with its derivatives from the motion of the joint's dofs: scalar dofs as they are; angles
/// of a ball from R = Rx(tilt_x) Ry(tilt_y) Rz(turn) by the chain rule; swing, the angle of both axes. NaN where an
/// angle has no derivative (tilt_y at 90 degrees, swing at 0).
/// @param qd, qdd, qddd  of all dofs; a ball: angular velocity and its derivatives in the axes of the first seat
/// @param joint compiled joint; value as in the file format
ScalarJet valueOf(const System& system, int joint, int value, const Configuration& c, const double* qd,
                  const double* qdd, const double* qddd);

}  // namespace cooperage::kinematics
