// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/drag.h"

#include <algorithm>

#include "kinematics/dense.h"

namespace cooperage::kinematics {

namespace {
std::size_t u(int i) { return static_cast<std::size_t>(i); }
}  // namespace

Drag::Drag(const System& system, const model::Resolved& resolved, const Configuration& start, int link,
           const Vec3& grabbed)
    : system_(system), resolved_(resolved), solver_(system, {}), current_(start) {
  solver_.setHome(start);
  solver_.forward(start);
  node_ = system.nodeOfLink[u(link)];
  local_ = solver_.nodePose(node_).inverse() * (grabbed - system.middle);
  fixed_.assign(u(system.dofCount()), false);
  for (std::size_t i = 0; i < resolved.joints.size(); ++i) {
    const int index = system.compiledJoint(static_cast<int>(i));
    if (index < 0 || !resolved.joints[i].held) continue;
    const auto& j = system.joints[u(index)];
    for (int k = 0; k < j.dofs; ++k) fixed_[u(j.firstDof + k)] = true;
  }
  // other free groups stay where they are while this one is pulled
  for (int f : system.floating) {
    const auto& j = system.joints[u(f)];
    if (j.nodeB == node_) continue;
    for (int k = 0; k < j.dofs; ++k) fixed_[u(j.firstDof + k)] = true;
  }
}

Vec3 Drag::grabbedPoint() { return solver_.nodePose(node_) * local_; }

bool Drag::withinStops(const Configuration& c) const {
  for (std::size_t i = 0; i < resolved_.joints.size(); ++i) {
    const auto& j = resolved_.joints[i];
    if (system_.compiledJoint(static_cast<int>(i)) < 0) continue;
    for (std::size_t v = 0; v < j.low.size(); ++v) {
      if (!j.low[v] && !j.high[v]) continue;
      const double q = jointValue(system_, c, static_cast<int>(i), static_cast<int>(v), resolved_);
      if ((j.low[v] && q < *j.low[v] - 1e-9) || (j.high[v] && q > *j.high[v] + 1e-9)) return false;
    }
  }
  return true;
}

const Configuration& Drag::pull(const Vec3& targetInGround) {
  const Vec3 target = targetInGround - system_.middle;
  const int n = system_.dofCount(), m = system_.rowCount();
  if (n == 0) return current_;
  using RowMajor = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;
  double limit = 0.2;  // scaled; a long pull is cut into pieces short enough to stay on this branch
  for (int iteration = 0; iteration < 24; ++iteration) {
    solver_.forward(current_);
    solver_.assemble(current_);
    const Vec3 point = grabbedPoint();
    const Vec3 miss = (target - point) / system_.size;
    if (miss.norm() < 1e-9) break;
    Eigen::MatrixXd A = Eigen::Map<const RowMajor>(solver_.jacobian().data(), m, n);
    Eigen::MatrixXd P = Eigen::MatrixXd::Zero(3, n);
    std::vector<NodeMotion> motion;
    std::vector<double> unit(u(n), 0.0), zero(u(n), 0.0);
    for (int k = 0; k < n; ++k) {
      if (fixed_[u(k)]) {
        A.col(k).setZero();
        continue;
      }
      unit[u(k)] = system_.dofs[u(k)].scale;
      solver_.motion(unit, zero, motion);
      unit[u(k)] = 0;
      const NodeMotion& x = motion[u(node_)];
      P.col(k) = (x.v + x.w.cross(point - solver_.nodePose(node_).p)) / system_.size;
    }
    Eigen::MatrixXd N = nullSpace(A, 1e-7);
    for (int k = 0; k < n; ++k)
      if (fixed_[u(k)]) N.row(k).setZero();
    if (N.cols() == 0) break;
    const Eigen::MatrixXd B = P * N;
    // a little damping keeps freedoms that do not help from running away
    Eigen::VectorXd step = N * leastSquaresStep(B, -miss, 1e-6);
    const double largest = step.cwiseAbs().maxCoeff();
    if (!(largest > 1e-10)) break;
    if (largest > limit) step *= limit / largest;
    const std::vector<double> s(step.data(), step.data() + n);
    bool moved = false;
    for (double share = 1; share > 1e-3; share *= 0.4) {
      Configuration next = current_;
      solver_.add(next, s, share);
      const double worst = closeFromAfar(system_, solver_, next, fixed_);
      if (worst > 1e-9 || !withinStops(next)) continue;
      solver_.forward(next);
      if ((target - grabbedPoint()).norm() >= miss.norm() * system_.size * (1 - 1e-9)) continue;
      current_ = next;
      moved = true;
      break;
    }
    if (!moved) break;
  }
  solver_.forward(current_);
  return current_;
}

std::vector<Pose> Drag::linkPoses() {
  solver_.forward(current_);
  std::vector<Pose> poses(resolved_.links.size());
  for (std::size_t i = 0; i < poses.size(); ++i) poses[i] = solver_.linkPose(static_cast<int>(i));
  return poses;
}

}  // namespace cooperage::kinematics
