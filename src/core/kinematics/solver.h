// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "base/index.h"
#include "kinematics/system.h"

namespace cooperage::kinematics {

/// Solves poses, rates, accelerations and jerks of one System. Workspace of one thread: all memory is taken in the
/// constructor and by pick(), none per pose.
///
/// pick() decides the rank and splits what is to be solved into small blocks, each solved after those it depends on:
/// independent rows and columns by elimination, loop by loop, with complete pivoting; blocks as the strong components
/// of their matching (Dulmage and Mendelsohn 1958; Tarjan 1972). Loops of parallel axes are solved in their plane,
/// where a pose is an angle and two figures; others as chains of placements, with geometric Jacobians (columns: screw
/// of every dof; Angeles, Fundamentals of Robotic Mechanical Systems, ch. 5). Derivatives of order n come from the same
/// matrix with what the lower orders leave on the right-hand side. Rows are made independent of units by the system's
/// size.
class Solver {
 public:
  struct Options {
    double tolerance = 1e-13;     ///< of size and rad, for the picked rows; rounding is about 1e-15
    double accept = 1e-10;        ///< worst residual with which a pose counts as closed
    double fitAngle = 1e-4;       ///< rad, and
    double fitLength = 1e-4;      ///< of size: what rows that were dropped may be out
    double rankTolerance = 1e-4;  ///< pivots below it are no rank at a generic pose
    int iterations = 12;
  };

  /// @param driven dofs whose value is prescribed: their q is never changed
  Solver(const System& system, const std::vector<int>& driven);
  Solver(const System& system, const std::vector<int>& driven, Options options);

  /// Decides rank, rows, columns and blocks at a configuration, which should be a generic one. Rows that turn out to
  /// be needed (dropped ones that don't agree within the fit) are taken in with a finer tolerance.
  void pick(const Configuration& c);
  /// Chooses rows and columns anew, as many of every loop as before. Undriven values that were left over
  /// stay so; a spin between two balls may be left in other figures of a ball.
  void pickAgain(const Configuration& c);
  int rank() const { return rank_; }
  /// Undriven dofs that no row determines: they stay where they are.
  const std::vector<int>& leftOver() const { return left_; }
  const std::vector<bool>& isDriven() const { return driven_; }
  int blockCount() const { return static_cast<int>(blocks_.size()); }

  struct Outcome {
    bool closed = false;
    double correction = 0;  ///< largest change, scaled
    double ratio = 0;       ///< greatest change in a block over a tenth of the block's step (given `from`)
    double residual = 0;    ///< worst row, dropped ones included
    int worstLoop = -1;
  };
  /// Closes the loops by Newton on the picked rows, block by block.
  /// @param from the pose before the step, to compare the change with; may be null
  Outcome close(Configuration& c, const Configuration* from = nullptr);
  /// close() with rates and accelerations at the solution, in one go.
  Outcome step(Configuration& c, std::vector<double>& qd, std::vector<double>& qdd, const Configuration* from);

  /// Rates and accelerations (and jerks) of all dofs at a closed configuration; driven ones are given, left-over ones
  /// are set to zero. For a ball: angular velocity and its derivatives in the axes of the first seat.
  /// @param qddd jerks; null if not wanted
  /// @return false if the picked rows are singular here
  bool rates(const Configuration& c, std::vector<double>& qd, std::vector<double>& qdd,
             std::vector<double>* qddd = nullptr);

  /// Remembers the signs of the blocks' determinants, after close(), step() or rates().
  void markSigns() { marked_ = signs_; }
  /// True if no determinant has changed its sign since.
  bool signsKept() const { return marked_ == signs_; }
  /// Least ratio of a pivot to the same pivot where the rows were picked.
  double pivotShare() const;
  /// Least pivot of all blocks, scaled, after close(), step() or rates(): zero at a singular pose.
  double leastPivot() const;

  /// Adds a scaled tangent step to a configuration: q += factor * scale * step, balls turned.
  void add(Configuration& c, const std::vector<double>& scaledStep, double factor) const;

  /// Poses of all nodes in space, motions of all dofs, closures of all loops.
  void forward(const Configuration& c);
  const Pose& nodePose(int node) const { return pose_[u(node)]; }
  /// Link axes to ground axes, after forward().
  Pose linkPose(int link) const;
  /// Motion of all nodes with three derivatives, about the middle.
  void motion(const Configuration& c, const std::vector<double>& qd, const std::vector<double>& qdd,
              const std::vector<double>& qddd, std::vector<PoseJet>& out) const;
  /// Motion per unit of a dof about the middle, after forward(), of the joint's second link against its first.
  const Twist& dofTwist(int dof) const { return twist_[u(dof)]; }
  /// Velocity of a point of a node per scaled unit of all dofs, after forward(). @param out 3 x dofCount(), of size
  void pointJacobian(int node, const Vec3& point, Eigen::MatrixXd& out) const;
  /// Angular velocity of a node and velocity of its point that is at the middle.
  struct NodeRate {
    Vec3 w{0, 0, 0}, v{0, 0, 0};
  };
  /// Rates of all nodes for rates of all dofs (see rates()), after forward().
  void nodeRates(const std::vector<double>& qd, std::vector<NodeRate>& out) const;

  /// Scaled columns of all rows, after forward(). Loops: six figures a member, in the order of System::Loop::members.
  void assemble(const Configuration& c);
  using Column = Eigen::Matrix<double, 6, 1>;
  const std::vector<Column>& loopColumns(int loop) const { return columns_[u(loop)]; }
  /// Scaled derivative of a scalar row to each of its dofs.
  const std::vector<double>& scalarGradient(int row) const { return gradient_[u(row)]; }
  /// Residuals of all rows, after forward(): six a loop, then scalars; turns in rad, lengths of size.
  const std::vector<double>& residual() const { return residual_; }
  /// Position gap (m) and angle gap (rad) of a loop's closing joint, after forward().
  double gapLength(int loop) const;
  double gapAngle(int loop) const;

  /// A row that is solved: of a loop, in the axes of loopAxes(), or of a scalar relation.
  struct PlanRow {
    int loop = -1, scalar = -1;
    int row = 0;  ///< 0 to 2 turns about, 3 to 5 shifts along the loop's axes
  };
  /// As many rows as dofs; what other blocks decide comes before it.
  struct PlanBlock {
    std::vector<int> dofs;
    std::vector<PlanRow> rows;
  };
  /// What pick() chose, in the order in which it is solved.
  std::vector<PlanBlock> plan() const;
  /// Axes in which a loop's rows stand, after forward(): those of its plane (z its normal), or of the closing joint's
  /// first seat.
  Mat3 loopAxes(int loop) const;
  /// Where a loop's closing joint ends, about the middle, after forward(): rows of shifts are of this point.
  const Vec3& loopEnd(int loop) const { return loopEnd_[u(loop)]; }

  const System& system() const { return system_; }
  const Options& options() const { return options_; }
  /// Values from which linear rows count.
  void setHome(const Configuration& home);

 private:
  /// Values of all dofs and their derivatives; those of an order are written when it is solved.
  struct Derivatives {
    const double* q = nullptr;
    double* d[4] = {nullptr, nullptr, nullptr, nullptr};  ///< 1 to 3; null: not wanted
    double at(int order, int dof) const { return order == 0 ? q[dof] : d[order][dof]; }
    ScalarJet jet(int dof, int orders) const {
      ScalarJet j{q[dof], 0, 0, 0};
      for (int n = 1; n <= orders; ++n) j[u(n)] = d[n][dof];
      return j;
    }
  };

  /// A loop, or a scalar row, as something to be solved.
  struct Unit {
    int loop = -1, scalar = -1;
    int count = 0;             ///< rows picked
    std::vector<int> rows;     ///< which: 0..5 of a loop in space, 0 angle, 1 and 2 position in a plane
    std::vector<int> columns;  ///< dofs that it was matched with
  };
  struct PlanarEntry {
    int column, joint;
    int slide;  ///< -1: the turn
    double sign;
  };
  struct PlanarLoop {
    int loop, joint;
    int angleRow = -1, row[2] = {-1, -1};  ///< in the block
    bool turnsLast = false;                ///< the closing joint's turn follows from the angles
    double around = 0;                     ///< whole turns between the angles
    std::vector<PlanarEntry> entries;
  };
  struct SpaceLoop {
    int loop;
    int row[6];                ///< in the block, or -1
    std::vector<int> columns;  ///< of each member in the block, or -1
  };
  struct Vec2 {
    double x = 0, y = 0;
  };
  struct Block {
    int n = 0;
    std::vector<int> dofs;    ///< unknowns, by column
    std::vector<int> inputs;  ///< what else moves its loops
    std::vector<int> nodes;   ///< planar tree joints that move with them, parents first
    std::vector<PlanarLoop> planar;
    std::vector<SpaceLoop> space;
    std::vector<std::pair<int, int>> scalars;  ///< and its row in the block, or -1
    std::vector<double> lu, rhs;
    std::vector<int> perm;
    double pivot = 1, pivotAtPick = 1;
    bool usedLater = false;  ///< other blocks start from its nodes
    double dropped = 0;      ///< worst row that is not solved, over what it may be out
    double droppedSize = 0;
    int worstLoop = -1;
    double turns = 0;  ///< largest angle in it, rad: its last digit is what a closure can be true to
  };
  /// A node in its plane: angle, position, and derivatives.
  struct PlanarState {
    double c = 1, s = 0;
    double w[4] = {0, 0, 0, 0};
    Vec2 p[4];
  };
  /// A joint in its plane, as flat as it can be: what every pose reads.
  struct PlanarStep {
    int a = 0, b = 0, from = 0, to = 0;
    double sign = 1;  ///< 1 if the tree goes from A to B
    int turn = -1;    ///< dof, or -1
    double sense = 1, angle = 0;
    Vec2 at, back;
    int slides = 0;
    int slide[2] = {-1, -1};
    Vec2 direction[2];
  };
  /// Vectors of a joint in its plane, turned with their nodes.
  struct PlanarVectors {
    Vec2 shift, back, direction[2];
  };

  void choose(const Configuration& c, double tolerance, bool again);
  void eliminate(double tolerance, bool again, std::vector<Unit>& units);
  void matchColumns(std::vector<Unit>& units) const;
  void makeBlocks(std::vector<Unit>& units, const Configuration& c);
  void fillBlock(Block& block, const std::vector<const Unit*>& units);
  void projectLoop(int loop, std::vector<Column>& out) const;

  void moveNode(int joint, const Derivatives& d, bool again);
  void moveNode(int joint, const Derivatives& d, int order);
  void turnVectors(int joint, const Derivatives& d);
  Vec2 shiftRate(int joint, const Derivatives& d, int order) const;
  static Vec2 turned(const PlanarState& s, const Vec2& v, int order);
  static Vec2 rotated(const PlanarState& s, double x, double y) { return {s.c * x - s.s * y, s.s * x + s.c * y}; }

  double evaluate(Block& block, const Derivatives& d, const Configuration& c, bool again = false);
  void fillMatrix(Block& block, const Derivatives& d);
  bool factor(Block& block, int index);
  void substitute(Block& block) const;
  void bias(Block& block, const Derivatives& d, const Configuration& c, int order);
  void deriveBlock(Block& block, const Derivatives& d, const Configuration& c);
  void correct(const Block& block, Configuration& c) const;
  void turnLast(const Block& block, Configuration& c) const;
  bool refine(Block& block, int index, Configuration& c, const Derivatives& d);
  bool newtonBlock(int index, Configuration& c, const Derivatives& d, const Configuration* from, Outcome& out);
  void stillNodes(const Derivatives& d);
  void clearFree(const Derivatives& d) const;
  void loopChain(const System::Loop& loop, const Derivatives& d, const Configuration& c, std::vector<Column>& columns,
                 Column& residual);
  void loopBias(const System::Loop& loop, const Derivatives& d, const Configuration& c, int order, Column& out) const;
  PoseJet jointJet(const System::Joint& j, const Derivatives& d, const Configuration& c, int orders) const;
  double scalarResidual(int row, const double* q) const;
  void scalarGradientAt(int row, const double* q, double* out) const;
  double scalarBias(int row, const Derivatives& d, int order) const;

  const System& system_;
  Options options_;
  std::vector<bool> driven_;
  std::vector<double> home_;      // right-hand side of each linear row
  std::vector<double> rowScale_;  // of each scalar row: its largest share of a value that isn't driven
  // in space
  std::vector<Pose> pose_;
  std::vector<Twist> twist_;
  std::vector<double> residual_;
  std::vector<Vec3> loopEnd_;
  std::vector<std::vector<Column>> columns_;
  std::vector<std::vector<double>> gradient_;
  // the plan
  int rank_ = 0;
  std::vector<int> left_;
  std::vector<Unit> units_;
  std::vector<Block> blocks_;
  std::vector<int> still_;  // planar tree joints that move with driven and left-over dofs only
  std::vector<int> stage_;  // block of each planar tree joint
  std::vector<signed char> signs_, marked_;
  std::vector<int> blockOfDof_, columnOfDof_;
  // workspace
  std::vector<PlanarState> plane_;
  std::vector<PlanarVectors> vectors_;
  std::vector<PlanarStep> steps_;
  std::vector<double> scale_;  // of each dof
  std::vector<std::vector<Column>> chain_;
};

}  // namespace cooperage::kinematics
