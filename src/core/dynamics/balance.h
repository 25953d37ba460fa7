// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/LU>
#include <vector>

#include "dynamics/wrench.h"
#include "kinematics/solver.h"

namespace cooperage::dynamics {

/// What closed loops, relations and drives bear, so that every link gets the force that its motion takes.
///
/// Along each dof q of the tree the forces that the nodes beyond it need do the work Q = sum of wrench * twist. With J
/// the rows of all closures and relations, Q = J' lambda + effort: the rows that pick() chose give lambda, block by
/// block from the last to the first (the transpose of the order in which poses are solved), and what is left along a
/// driven dof is its drive's effort. Rows that pick() dropped depend on the chosen ones; each of them is a set of
/// reactions that are in balance with themselves, so that no force is known that has a part in one.
/// (Lanczos, The Variational Principles of Mechanics, ch. III; Featherstone, Rigid Body Dynamics Algorithms, ch. 8.)
///
/// Workspace of one thread. Memory is taken when rows are picked, none per pose.
class Balance {
 public:
  /// @param driven dofs along which something holds or drives
  /// @param generic a configuration at which the rank is that of the motion
  Balance(const kinematics::System& system, const std::vector<int>& driven, const kinematics::Solver::Options& options,
          const kinematics::Configuration& home, const kinematics::Configuration& generic);

  /// Goes to a closed configuration. @return false where the chosen rows are singular: at a dead point no effort is
  /// enough
  bool go(const kinematics::Configuration& c);

  struct Solution {
    std::vector<Wrench> joint;     ///< on the second node of each compiled joint, from the first
    std::vector<double> left;      ///< along each dof, what is left for drives: N m or N
    std::vector<double> relation;  ///< of each scalar row; its effort along its k-th dof is relationEffort()
  };
  /// @param required what each node's motion takes less what acts on it from outside
  /// @param given efforts along dofs that are known: springs and the like
  void solve(const std::vector<Wrench>& required, const std::vector<double>& given, Solution& out);
  double relationEffort(const Solution& s, int row, std::size_t k) const;

  /// Sets of joint wrenches that are in balance with themselves at this pose, each scaled so that its greatest is 1
  /// (N at the system's size, or N m), those of flat loops left out: see flat().
  const std::vector<Solution>& selfBalanced();
  /// What counts as no part in them: more where the geometry misses its fit.
  double noPart() const { return noPart_; }
  /// Is a joint in a loop whose joints all work in one plane? Then forces square to it, and moments about its
  /// directions, are borne several times over. The plane's normal, ground axes.
  bool flat(int joint, Vec3& normal) const;

  const kinematics::Solver& solver() const { return solver_; }

 private:
  using Column = kinematics::Solver::Column;
  struct Entry {
    int column;  ///< in the block
    int member;
  };
  struct LoopPart {
    int loop;
    std::vector<std::pair<int, int>> rows;  ///< in the block, and of the loop's axes
    std::vector<Entry> entries;
  };
  struct ScalarPart {
    int scalar, row;
    std::vector<std::pair<int, std::size_t>> entries;  ///< column in the block, which of the row's dofs
  };
  struct Block {
    std::vector<int> dofs;
    std::vector<LoopPart> loops;
    std::vector<ScalarPart> scalars;
    Eigen::MatrixXd matrix;
    Eigen::PartialPivLU<Eigen::MatrixXd> lu;
    Eigen::VectorXd rhs, bears;  ///< what is asked of its rows, and what they bear
    double pivot = 0, pivotAtPick = 0;
  };
  struct Dropped {
    int loop = -1, row = 0, scalar = -1;
  };
  void readPlan();
  bool factor();
  Column direction(int loop, int row) const;
  void borne(Solution& out);
  void wrenches(Solution& out);

  const kinematics::System& system_;
  kinematics::Solver solver_;
  std::vector<Block> blocks_;
  std::vector<Dropped> dropped_;
  std::vector<int> flatLoop_;  ///< of each joint, a flat loop that it is in, or -1
  std::vector<Mat3> axes_;     ///< of each loop at the pose
  // while solving
  std::vector<Wrench> node_;
  std::vector<double> work_;     ///< scaled
  std::vector<Column> closure_;  ///< multipliers of each loop, ground axes
  std::vector<Solution> self_;
  bool selfKnown_ = false;
  double noPart_ = 1e-6;
};

}  // namespace cooperage::dynamics
