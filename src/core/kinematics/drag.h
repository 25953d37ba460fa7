// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "kinematics/home.h"

namespace cooperage::kinematics {

/// Pulls a point of a link by hand: it follows the pointer in the least-squares sense while all joints, couplings and
/// contacts stay closed. Values on their stops stay there as long as the pull presses against them. Drives don't act;
/// held joints do. A link with no way to ground moves freely.
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
  struct Stop {
    int joint, value, dof;  ///< dof -1: an angle of a ball
    double low, high, slack;
  };
  bool withinStops(const Configuration& c) const;
  Vec3 grabbedPoint() const { return solver_.nodePose(node_) * local_; }
  bool close(Configuration& c, const std::vector<double>& step, double share);
  bool directions(const std::vector<bool>& resting, Eigen::MatrixXd& N);

  const System& system_;
  const model::Resolved& resolved_;
  Solver solver_;
  Configuration current_;
  std::vector<int> fixed_;
  std::vector<Stop> stops_;
  int node_;
  Vec3 local_;
};

}  // namespace cooperage::kinematics
