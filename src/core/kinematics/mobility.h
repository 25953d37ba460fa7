// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "kinematics/home.h"

namespace cooperage::kinematics {

/// What a mechanism can do at home.
struct Mobility {
  int freedoms = 0;       ///< dimension of the displacements really reached, drives not counted, idle ones included
  int driven = 0;         ///< freedoms that the enabled drives take
  int left = 0;           ///< freedoms less driven, idle ones included
  int idle = 0;           ///< left-over freedoms that move no joint's centre
  int redundant = 0;      ///< freedoms - (6 (links - 1) - sum of (6 - joint freedoms) - coupling rows)
  int instantaneous = 0;  ///< nullity at the home pose
  std::vector<std::string> leftFreedoms;  ///< "crank turns", "roller turns about its own axis"
  struct Redundant {
    std::string joint;
    int rows = 0;      ///< redundant rows that the cure would remove
    std::string cure;  ///< "cylindrical (1), spherical (2)"
  };
  std::vector<Redundant> redundantJoints;
  std::vector<std::string> stuckDrives;      ///< drives on joints that cannot move
  std::vector<std::string> redundantDrives;  ///< drives whose value the others decide already
  std::vector<Message> messages;
};

/// Counts freedoms at the home pose: null directions of the closures are stepped a small finite amount and corrected,
/// so that a shaky but rigid truss has none.
Mobility analyse(const System& system, const model::Resolved& resolved, const Home& home);

}  // namespace cooperage::kinematics
