// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "base/pose_jet.h"
#include "base/result.h"
#include "model/resolve.h"

namespace cooperage::kinematics {

/// One configuration of a system: all scalar joint values, and a rotation for every ball. Entries of q that belong to a
/// ball are unused (a ball steps on the rotation itself). Turns are unwrapped, in rad; slides in m.
struct Configuration {
  std::vector<double> q;
  std::vector<Mat3> balls;
};

/// One elementary motion of a compiled joint.
struct Element {
  model::Motion motion;
  curves::CurvePtr curve;                          ///< of curve and contactFrame
  std::shared_ptr<const curves::Rolling> rolling;  ///< of rolling
  std::shared_ptr<const model::Surface> surface;   ///< of surface, in the axes of the joint's first frame
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
    int source;      ///< index in Resolved::joints, or -1
    int pair = -1;   ///< index in Resolved::camPairs of a contact
    int drive = -1;  ///< index in Resolved::drives of one that drives a gauge
    // all three -1: the free joint of a link with no way to ground
    int nodeA, nodeB;
    Pose atA, atB;  ///< seat (with offset) in node A; seat (with flip undone) in node B: X_B atB = X_A atA J
    std::vector<Element> elements;
    int firstDof = 0, dofs = 0;
    int ball = -1, ballAt = 0;            ///< index of the ball, and which of the joint's dofs is its first
    bool inTree = false, forward = true;  ///< forward: A is the parent
  };
  struct Loop {
    int joint;                      ///< the closing joint
    std::vector<int> pathA, pathB;  ///< tree joints from the last common node down to either side
    int apex = 0;                   ///< that node
    struct Member {
      int dof;
      double sign;
    };
    std::vector<Member> members;  ///< dofs whose motion changes the closure: of pathA, of pathB, of the closing joint
    int cluster = -1;             ///< if all its joints work in one plane
  };
  /// A relation between scalar values: sum of coefficient * (q - home) = 0 of couplings and screws; or, absolute,
  /// q1 = table(q0) and q0 = formula(others).
  struct ScalarRow {
    std::vector<int> dofs;
    std::vector<double> coefficients;
    int coupling;      ///< index in Resolved::couplings, or -1
    int joint;         ///< screw joint, or -1
    double scale = 1;  ///< residuals are divided by it
    std::shared_ptr<const curves::Table> table;
    std::shared_ptr<const model::Resolved::FormulaR> formula;
    std::vector<std::pair<Symbol, int>> names;  ///< what the formula calls its dofs; -1: a value that is zero
    bool absolute() const { return table || formula; }
  };
  /// Nodes whose axes stay parallel move in one plane of their root: two figures and an angle say where they are.
  struct Cluster {
    int root;
    Mat3 basis;  ///< x, y, normal in the root's axes
  };
  struct PlanarNode {
    int cluster = -1;
    Mat3 basis = Mat3::Identity();  ///< of the plane, in the node's own axes, where its angle is zero
  };
  /// A joint of a cluster in figures of the plane, in units of `size`: p_B = p_A + R_A (at + slides) - R_B back,
  /// angle_B = angle_A + angle + sense * turn.
  struct PlanarJoint {
    bool usable = false;
    int cluster = -1;
    Eigen::Vector2d at, back;
    int slides = 0;
    Eigen::Vector2d direction[2];
    int slideDof[2] = {-1, -1};
    int turnDof = -1;
    double sense = 1;  ///< of the turn about the plane's normal
    double angle = 0;  ///< of the bases of A and B against one another where the turn is zero
  };

  static Result<System> compile(const model::Resolved& resolved);

  int dofCount() const { return static_cast<int>(dofs.size()); }
  int rowCount() const { return 6 * static_cast<int>(loops.size()) + static_cast<int>(scalars.size()); }
  /// Index of the dof of a joint's scalar value, or -1 (value of a ball, of ground or of a disabled joint).
  int dofOf(const model::Resolved::ValueRef& value) const;
  /// Index of the dof that a drive moves, or -1 (disabled, or its joint is).
  int dofOfDrive(const model::Resolved& resolved, int drive) const;
  /// Compiled joint of a joint of the mechanism, or -1 (fixed, disabled).
  int compiledJoint(int source) const { return jointOf[static_cast<std::size_t>(source)]; }
  /// Values measured from the placements: the start guess of the home pose.
  const Configuration& measured() const { return start; }
  /// What a message calls a compiled joint: its own name, its cam pair's, or its link's.
  std::string nameOf(int joint, const model::Resolved& resolved) const;

  std::vector<int> nodeOfLink;
  std::vector<Pose> linkInNode;  ///< X_NL
  std::vector<Pose> nodeStart;   ///< from the placements, about the middle
  std::vector<Joint> joints;
  std::vector<int> treeOrder;  ///< joints, parents first
  std::vector<int> upJoint;    ///< of each node, the tree joint that leads to it; -1 for ground
  std::vector<Dof> dofs;
  std::vector<Loop> loops;
  std::vector<ScalarRow> scalars;
  std::vector<Cluster> clusters;
  std::vector<PlanarNode> planarNodes;    ///< one a node
  std::vector<PlanarJoint> planarJoints;  ///< one a joint
  std::vector<int> jointOf;
  std::vector<int> drivenDof;   ///< one a drive of a gauge, -1 for all others
  std::vector<int> floating;    ///< compiled free joints, one for each group with no way to ground
  std::vector<int> floatLinks;  ///< the link that stands for each group
  int nodeCount = 1, ballCount = 0;
  Vec3 middle{0, 0, 0};
  double size = 1;  ///< largest distance of two seats of one link, m
  std::vector<Message> messages;
  Configuration start;
};

/// Steps of compile(), in their order after the tree is known.
void findClusters(System& system);
void measureStart(System& system);

/// The named angles of a ball's rotation: R = Rx(tilt_x) Ry(tilt_y) Rz(turn), rad.
Vec3 ballAngles(const Mat3& R);
Mat3 ballRotation(const Vec3& angles);

/// How many dofs an elementary motion takes.
inline int dofsOf(model::Motion m) { return m == model::Motion::ball ? 3 : m == model::Motion::surface ? 2 : 1; }

/// J of one elementary motion. @param q its dofs; unused by a ball
Pose elementary(const Element& e, const double* q, const Mat3& ball);
/// J with derivatives. @param q value, rate, acceleration, jerk of each of its dofs
PoseJet elementaryJet(const Element& e, const ScalarJet* q, const Mat3& ball);
/// Motion per unit of each dof, in the axes before it: turning `w`, and velocity `v` of the point `at` of what follows.
struct Twist {
  Vec3 w, v, at;
};
void twistsOf(const Element& e, const double* q, Twist* out);

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
