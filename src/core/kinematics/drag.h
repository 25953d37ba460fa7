// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "kinematics/home.h"

namespace cooperage::kinematics {

/// Pulls a point of a link by hand: it follows the pointer in the least-squares sense while all joints stay closed.
/// Stops halt it. Drives don't act; held joints do. A link with no way to ground moves freely.
class Drag {
 public:
  Drag(const System& system, const model::Resolved& resolved, const Configuration& start, int link,
       const Vec3& grabbed);

  /// One pull. @param target where the grabbed point should come, ground axes, m
  /// @return the pose reached; never one with an open joint
  const Configuration& pull(const Vec3& target);
  const Configuration& configuration() const { return current_; }
  std::vector<Pose> linkPoses();

 private:
  bool withinStops(const Configuration& c) const;
  Vec3 grabbedPoint();

  const System& system_;
  const model::Resolved& resolved_;
  Solver solver_;
  Configuration current_;
  std::vector<bool> fixed_;
  int node_;
  Vec3 local_;
};

}  // namespace cooperage::kinematics
