// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "kinematics/system.h"

namespace cooperage::kinematics {

/// Position and motion of one node about the system's middle: a point x of it moves with v + w x (x - p).
struct NodeMotion {
  Vec3 w = Vec3::Zero(), v = Vec3::Zero();  ///< angular velocity; velocity of the node's origin
  Vec3 alpha = Vec3::Zero(), a = Vec3::Zero();
};

/// Solves poses, rates and accelerations of one System. Workspace of one thread: all memory is taken in the
/// constructor and by pick(), none per pose.
///
/// The closures are linearised as geometric Jacobian (columns: screw of every dof; e.g. Angeles, Fundamentals of
/// Robotic Mechanical Systems, ch. 5); rows are made independent of units by the system's size.
class Solver {
 public:
  struct Options {
    double tolerance = 1e-13;  ///< of size and rad, for the picked rows; rounding is about 1e-15
    double accept = 1e-10;     ///< worst residual with which a pose counts as closed
    double misfit = 1e-4;      ///< of dropped rows: what imported axes may be out, rad and of size
    double rankTolerance = 1e-8;
    int iterations = 12;
  };

  /// @param driven dofs whose value is prescribed: their q is never changed
  Solver(const System& system, const std::vector<int>& driven);
  Solver(const System& system, const std::vector<int>& driven, Options options);

  /// Chooses the independent rows and columns at a configuration; undriven columns that are left over stay where
  /// they are. Call at a generic pose, and again when dropped rows stop agreeing.
  void pick(const Configuration& c);
  int rank() const { return static_cast<int>(rows_.size()); }
  /// Undriven dofs that no row determines.
  const std::vector<int>& leftOver() const { return left_; }
  const std::vector<bool>& isDriven() const { return driven_; }

  struct Outcome {
    bool closed = false;
    double correction = 0;  ///< largest change, scaled
    double residual = 0;    ///< worst row of all
    int worstLoop = -1;
  };
  /// Closes the loops by Newton on the picked rows.
  Outcome close(Configuration& c);

  /// Rates and accelerations of all dofs at a closed configuration; driven ones are given in qd and qdd, left-over ones
  /// are set to zero. For a ball: angular velocity and acceleration in the axes of the first seat.
  /// @return false if the picked rows are singular here
  bool rates(const Configuration& c, std::vector<double>& qd, std::vector<double>& qdd);

  /// Sign (1, -1, 0) and size of the determinant of the picked rows, after close() or rates().
  double determinantSign() const { return sign_; }
  double smallestPivot() const { return smallestPivot_; }

  /// Adds a scaled tangent step to a configuration: q += scale * step, balls turned.
  void add(Configuration& c, const std::vector<double>& scaledStep, double factor) const;

  /// Poses of all nodes, and of the axes of all dofs.
  void forward(const Configuration& c);
  const Pose& nodePose(int node) const { return pose_[static_cast<std::size_t>(node)]; }
  /// Link axes to ground axes, after forward() or close().
  Pose linkPose(int link) const;
  /// Motion of all nodes, after forward().
  void motion(const std::vector<double>& qd, const std::vector<double>& qdd, std::vector<NodeMotion>& out) const;
  /// Axis and a point of a dof about the middle, after forward(); along the motion of the joint's second link.
  const Vec3& dofAxis(int dof) const { return axis_[static_cast<std::size_t>(dof)]; }
  const Vec3& dofOrigin(int dof) const { return origin_[static_cast<std::size_t>(dof)]; }

  /// Scaled Jacobian (rows of rowCount(), all dofs) and residual at a configuration, after forward(). Row-major.
  void assemble(const Configuration& c);
  const std::vector<double>& jacobian() const { return A_; }
  const std::vector<double>& residual() const { return residual_; }
  /// Position gap (m) and angle gap (rad) of a loop's closing joint, after assemble().
  double gapLength(int loop) const;
  double gapAngle(int loop) const;

  const System& system() const { return system_; }
  const Options& options() const { return options_; }
  /// Values of the linear rows' right-hand sides: sum of coefficient * q at home.
  void setHome(const Configuration& home);

 private:
  double& at(int row, int column) { return A_[static_cast<std::size_t>(row * columns_ + column)]; }
  bool factor();
  void solve(std::vector<double>& b) const;
  void biases(const std::vector<double>& qd);
  std::pair<double, int> worst() const;

  const System& system_;
  Options options_;
  int columns_, rowsAll_;
  std::vector<bool> driven_;
  std::vector<double> home_;  // right-hand side of each linear row
  std::vector<Pose> pose_;
  std::vector<Vec3> axis_, origin_;
  std::vector<double> A_, residual_, work_;
  std::vector<Vec3> loopPoint_;
  std::vector<int> rows_, cols_, left_;
  std::vector<double> lu_, rhs_, step_;
  std::vector<int> perm_;
  double sign_ = 0, smallestPivot_ = 0;
  mutable std::vector<NodeMotion> bias_;
  std::vector<double> gamma_, zero_;
};

}  // namespace cooperage::kinematics
