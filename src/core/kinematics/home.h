// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "kinematics/solver.h"

namespace cooperage::kinematics {

/// The home pose: all loops closed, imposed values met, nearest to the placements.
struct Home {
  Configuration configuration;
  std::vector<Message> messages;  ///< misfit within the fit, left over and so on
};

struct HomeOptions {
  double fitAngle = 1e-4;   ///< rad, what redundant rows may be out
  double fitLength = 1e-5;  ///< of size
};

/// Closes the mechanism at home. Imposed home values are approached step by step from the placements, so that the
/// branch that the placements choose is kept.
/// @return the pose, or an error that names the joint that can't close and its gap
Result<Home> assemble(const System& system, const model::Resolved& resolved, const HomeOptions& options = {});

/// Closes the loops from a guess with least motion (damped Gauss-Newton on all rows, in the least-squares sense); fixed
/// dofs stay. Used where loops may be far open; Solver::close() is the fast way near a closed pose.
/// @return the worst row that remains
double closeFromAfar(const System& system, Solver& solver, Configuration& c, const std::vector<bool>& fixed);

/// Joint value as the user sees it: scalar dofs as they are, angles of a ball from its rotation, swing last.
double jointValue(const System& system, const Configuration& c, int sourceJoint, int value,
                  const model::Resolved& resolved);

}  // namespace cooperage::kinematics
