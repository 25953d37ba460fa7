// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>

#include "kinematics/solver.h"

namespace cooperage::kinematics {

/// The home pose: all loops closed, imposed values met, nearest to the placements.
struct Home {
  Configuration configuration;
  double misfit = 0;              ///< worst row, of redundant rows within the fit: rad or of size
  std::vector<Message> messages;  ///< misfit within the fit, left over and so on
};

/// A loop that stays open at home.
struct OpenLoop {
  Configuration configuration;  ///< where it is least open
  int joint = -1;               ///< its widest joint, by its place in the document; -1: none, or a cam pair
  double gap = 0, angle = 0;    ///< m, rad
};

struct HomeOptions {
  double fitAngle = 1e-4;   ///< rad, what redundant rows may be out
  double fitLength = 1e-5;  ///< of size
  /// Worst length row that is tolerated: axes that are out turn into gaps over the size.
  double lengthRow() const { return fitLength + fitAngle; }
  /// What the solver takes from them: pivots that a tilt within the fit leaves are no rank.
  Solver::Options solver() const {
    Solver::Options o;
    o.fitAngle = std::max(1e-10, fitAngle);
    o.fitLength = std::max(1e-10, lengthRow());
    o.rankTolerance = std::max(1e-8, 2 * fitAngle);
    return o;
  }
};

/// Closes the mechanism at home. Imposed home values are approached step by step from the placements, so that the
/// branch that the placements choose is kept; free links move least, grounded and held ones stay.
/// @param open if it can't be closed: where it is least open
/// @return the pose, or an error that names the joint that can't close and its gap
Result<Home> assemble(const System& system, const model::Resolved& resolved, const HomeOptions& options = {},
                      OpenLoop* open = nullptr);

/// All ways in which the mechanism closes with the imposed and held home values: the one of assemble() first, then by
/// distance from it. Found from many starts (fixed ones, so that the same file gives the same list); meant for loops
/// with few unknowns and no freedom left, where their number is small.
/// @param driven dofs that stay at their home value beside the imposed ones: those of the drives
std::vector<Configuration> waysToClose(const System& system, const model::Resolved& resolved, const Home& home,
                                       const std::vector<int>& driven, int most = 64);

/// Dofs whose home value is imposed or held, and those of free joints.
std::vector<bool> fixedAtHome(const System& system, const model::Resolved& resolved);

/// Joint value as the user sees it: scalar dofs as they are, angles of a ball from its rotation, swing last.
double jointValue(const System& system, const Configuration& c, int sourceJoint, int value,
                  const model::Resolved& resolved);

/// Scaled displacement between two configurations, one figure a dof.
std::vector<double> difference(const System& system, const Configuration& from, const Configuration& to);

}  // namespace cooperage::kinematics
