// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "kinematics/home.h"

namespace cooperage::kinematics {

/// What a mechanism can do at home.
struct Mobility {
  int freedoms = 0;   ///< dimension of the displacements really reached, drives not counted, idle ones included
  int driven = 0;     ///< freedoms that the enabled drives take
  int left = 0;       ///< freedoms less driven, idle ones included
  int byContact = 0;  ///< freedoms that no drive takes and contacts may move; not counted as left
  std::vector<std::string> contactFreedoms;  ///< as leftFreedoms; these are named there no more
  int idle = 0;                              ///< left-over freedoms that move no joint's centre
  int redundant = 0;                      ///< freedoms - (6 (links - 1) - sum of (6 - joint freedoms) - coupling rows)
  int instantaneous = 0;                  ///< nullity at the home pose
  std::vector<std::string> leftFreedoms;  ///< "crank - frame: turn", "turns about its own axis: roller"
  /// How a link moves at first, ground axes: velocity of a place fixed in it, and spin; of any scale.
  struct LinkMotion {
    model::Id link = 0;
    Vec3 at{0, 0, 0}, velocity{0, 0, 0}, spin{0, 0, 0};
  };
  std::vector<std::vector<LinkMotion>> leftMotions;  ///< of each of leftFreedoms; empty where it isn't known
  bool planar = false;  ///< the redundant rows are all of links that are held in parallel planes more than once
  struct Cure {
    std::optional<model::JointKind> kind;  ///< of the joint instead of its own; none: it can be left out
    int less = 0;                          ///< redundant rows
  };
  struct Redundant {
    std::string joint;
    int rows = 0;      ///< redundant rows that the best cure would remove
    std::string cure;  ///< "cylindrical (1 less), spherical (2 less)"
    std::vector<Cure> cures;
  };
  std::vector<Redundant> redundantJoints;
  std::vector<std::string> stuckDrives;      ///< drives on joints that cannot move
  std::vector<std::string> redundantDrives;  ///< drives whose value the others decide already
  std::vector<Message> messages;
  Configuration generic;  ///< a pose near home at which the rank is the one of the motion
};

/// Counts freedoms at the home pose: null directions of the closures are stepped a small finite amount and corrected,
/// so that a shaky but rigid truss has none.
Mobility analyse(const System& system, const model::Resolved& resolved, const Home& home,
                 const HomeOptions& options = {});

}  // namespace cooperage::kinematics
