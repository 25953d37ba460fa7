// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "base/geometry.h"
#include "base/result.h"
#include "model/resolve.h"

namespace cooperage::kinematics {

/// One configuration of a system: all scalar joint values, and a rotation for every ball. Entries of q that belong to a
/// ball are unused (a ball steps on the rotation itself). Turns are unwrapped, in rad; slides in m.
struct Configuration {
  std::vector<double> q;
  std::vector<Mat3> balls;
};

/// A mechanism compiled for solving: flat arrays, links that can't move against one another merged into nodes, a
/// spanning tree over the joints and one closure of six rows for every joint left over. Node 0 is ground. Immutable:
/// any number of Solvers, one a thread, may share one.
///
/// Axes: everything is held about `middle`, the mean of the seats, so that a mechanism far from the origin keeps its
/// digits; linkPose() gives ground axes again.
class System {
 public:
  struct Dof {  ///< one elementary motion; a ball takes three in a row
    model::Motion motion;
    int joint;      ///< compiled joint
    int ball = -1;  ///< index of the ball
    double scale;   ///< one unit of the scaled unknown: 1 rad, or `size` m
  };
  struct Joint {
    int source;  ///< index in Resolved::joints, -1 for the free joint of a link with no way to ground
    int nodeA, nodeB;
    Pose atA, atB;  ///< seat (with offset) in node A; seat (with flip undone) in node B: X_B atB = X_A atA J
    std::vector<model::Motion> motions;
    int firstDof = 0, dofs = 0;
    int ball = -1;
    bool inTree = false, forward = true;  ///< forward: A is the parent
  };
  struct Loop {
    int joint;  ///< the closing joint
    struct Member {
      int dof;
      double sign;
    };
    std::vector<Member> members;  ///< dofs whose motion changes the closure
  };
  struct LinearRow {  ///< sum of coefficient * (q - home) = constant; couplings and screws
    std::vector<int> dofs;
    std::vector<double> coefficients;
    int coupling;  ///< index in Resolved::couplings, or -1
    int joint;     ///< screw joint, or -1
  };

  static Result<System> compile(const model::Resolved& resolved);

  int dofCount() const { return static_cast<int>(dofs.size()); }
  int rowCount() const { return 6 * static_cast<int>(loops.size()) + static_cast<int>(linear.size()); }
  /// Index of the dof of a joint's scalar value, or -1 (value of a ball, of ground or of a disabled joint).
  int dofOf(const model::Resolved::ValueRef& value) const;
  /// Compiled joint of a joint of the mechanism, or -1 (fixed, disabled).
  int compiledJoint(int source) const { return jointOf[static_cast<std::size_t>(source)]; }
  /// Values measured from the placements: the start guess of the home pose.
  Configuration measured() const { return start; }

  std::vector<int> nodeOfLink;
  std::vector<Pose> linkInNode;  ///< X_NL
  std::vector<Pose> nodeStart;   ///< from the placements, about the middle
  std::vector<Joint> joints;
  std::vector<int> treeOrder;  ///< joints, parents first
  std::vector<Dof> dofs;
  std::vector<Loop> loops;
  std::vector<LinearRow> linear;
  std::vector<int> jointOf;
  std::vector<int> floating;    ///< compiled free joints, one for each group with no way to ground
  std::vector<int> floatLinks;  ///< the link that stands for each group
  int nodeCount = 1, ballCount = 0;
  Vec3 middle = Vec3::Zero();
  double size = 1;  ///< largest distance of two seats of one link, m
  std::vector<Message> messages;

 private:
  Configuration start;
  friend class Compiler;
};

/// The named angles of a ball's rotation: R = Rx(tilt_x) Ry(tilt_y) Rz(turn), rad.
Vec3 ballAngles(const Mat3& R);
Mat3 ballRotation(const Vec3& angles);

/// J of one elementary motion.
inline Pose elementary(model::Motion motion, double q) {
  switch (motion) {
    case model::Motion::turnX: return {rotationAbout(0, q), Vec3::Zero()};
    case model::Motion::turnY: return {rotationAbout(1, q), Vec3::Zero()};
    case model::Motion::turnZ: return {rotationAbout(2, q), Vec3::Zero()};
    case model::Motion::slideX: return {Mat3::Identity(), Vec3(q, 0, 0)};
    case model::Motion::slideY: return {Mat3::Identity(), Vec3(0, q, 0)};
    case model::Motion::slideZ: return {Mat3::Identity(), Vec3(0, 0, q)};
    case model::Motion::ball: break;
  }
  return {};
}
inline bool isTurn(model::Motion m) {
  return m == model::Motion::turnX || m == model::Motion::turnY || m == model::Motion::turnZ ||
         m == model::Motion::ball;
}
/// Coordinate axis of an elementary motion: 0, 1 or 2.
inline int axisOf(model::Motion m) {
  switch (m) {
    case model::Motion::turnX:
    case model::Motion::slideX: return 0;
    case model::Motion::turnY:
    case model::Motion::slideY: return 1;
    default: return 2;
  }
}

}  // namespace cooperage::kinematics
