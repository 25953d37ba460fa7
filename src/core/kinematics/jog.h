// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "kinematics/home.h"
#include "kinematics/least.h"

namespace cooperage::kinematics {

/// Moves one joint value by hand, with no drive and no run: all else follows with the least motion, joints, couplings
/// and contacts stay closed, held joints hold, and stops halt it. The system and the mechanism must outlive it.
class Jog {
 public:
  /// @param start a closed pose @param home the home pose, from which couplings count
  /// @param joint, value index of the joint and of a value that is not an angle of a ball
  Jog(const System& system, const model::Resolved& resolved, const Configuration& start, const Configuration& home,
      int joint, int value);

  /// False if the value is no single freedom (angles of a ball, fixed joints) or is held.
  bool canMove() const { return dof_ >= 0; }
  /// Goes to a value, in small steps. @return the value reached: less far where a stop or the mechanism ends it
  double moveTo(double wanted);
  /// Why the last move ended early: a joint's name, or empty.
  const std::string& endedBy() const { return endedBy_; }
  double value() const { return current_.q[static_cast<std::size_t>(dof_)]; }
  const Configuration& configuration() const { return current_; }
  std::vector<Pose> linkPoses();

 private:
  bool step(double to);
  std::string brokenStop(const Configuration& c) const;

  const System& system_;
  const model::Resolved& resolved_;
  Solver solver_;
  LeastMotion least_;
  Configuration current_;
  std::vector<bool> fixed_;
  int dof_ = -1;
  double slack_ = 0;
  std::string endedBy_;
};

}  // namespace cooperage::kinematics
