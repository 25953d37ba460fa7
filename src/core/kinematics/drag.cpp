// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/drag.h"

#include <algorithm>

#include "base/index.h"
#include "kinematics/dense.h"
#include "kinematics/least.h"

namespace cooperage::kinematics {

namespace {

std::vector<int> heldDofs(const System& system, const model::Resolved& resolved, int node) {
  std::vector<int> fixed;
  const auto hold = [&](const System::Joint& j) {
    for (int k = 0; k < j.dofs; ++k) fixed.push_back(j.firstDof + k);
  };
  for (std::size_t i = 0; i < resolved.joints.size(); ++i) {
    const int index = system.compiledJoint(static_cast<int>(i));
    if (index >= 0 && resolved.joints[i].held) hold(system.joints[u(index)]);
  }
  // other free groups stay where they are while the grabbed one is pulled
  int root = node;
  while (root != 0 && system.joints[u(system.upJoint[u(root)])].source >= 0) {
    const auto& j = system.joints[u(system.upJoint[u(root)])];
    root = j.forward ? j.nodeA : j.nodeB;
  }
  for (int f : system.floating)
    if (system.joints[u(f)].nodeB != root) hold(system.joints[u(f)]);
  return fixed;
}
}  // namespace

Drag::Drag(const System& system, const model::Resolved& resolved, const Configuration& start, int link,
           const Vec3& grabbed)
    : system_(system),
      resolved_(resolved),
      solver_(system, heldDofs(system, resolved, system.nodeOfLink[u(link)])),
      current_(start),
      fixed_(heldDofs(system, resolved, system.nodeOfLink[u(link)])) {
  solver_.setHome(start);
  solver_.forward(start);
  node_ = system.nodeOfLink[u(link)];
  local_ = solver_.nodePose(node_).inverse() * (grabbed - system.middle);
  for (std::size_t i = 0; i < resolved.joints.size(); ++i) {
    const auto& j = resolved.joints[i];
    if (system.compiledJoint(static_cast<int>(i)) < 0) continue;
    for (std::size_t v = 0; v < j.low.size(); ++v) {
      if (!j.low[v] && !j.high[v]) continue;
      const auto& kind = model::infoOf(j.kind).values[v];
      stops_.push_back({static_cast<int>(i), static_cast<int>(v),
                        system.dofOf({static_cast<int>(i), static_cast<int>(v)}), j.low[v] ? *j.low[v] : -1e300,
                        j.high[v] ? *j.high[v] : 1e300, kind.angle ? 1e-9 : 1e-9 * system.size});
    }
  }
}

bool Drag::withinStops(const Configuration& c) const {
  return std::all_of(stops_.begin(), stops_.end(), [&](const Stop& s) {
    const double q = jointValue(system_, c, s.joint, s.value, resolved_);
    return q >= s.low - s.slack && q <= s.high + s.slack;
  });
}

/// Directions in which the mechanism can move now, the given values staying where they are.
bool Drag::directions(const std::vector<bool>& resting, Eigen::MatrixXd& N) {
  std::vector<int> driven = fixed_;
  for (int k = 0; k < system_.dofCount(); ++k)
    if (resting[u(k)]) driven.push_back(k);
  Solver free(system_, driven, solver_.options());
  free.setHome(current_);
  free.pick(current_);
  std::vector<int> all = free.leftOver();
  const std::vector<int> left = all;
  all.insert(all.end(), driven.begin(), driven.end());
  Solver direct(system_, all, solver_.options());
  direct.setHome(current_);
  direct.pick(current_);
  N.setZero(system_.dofCount(), static_cast<Eigen::Index>(left.size()));
  std::vector<double> qd(u(system_.dofCount())), qdd(qd.size());
  for (std::size_t k = 0; k < left.size(); ++k) {
    std::fill(qd.begin(), qd.end(), 0.0);
    std::fill(qdd.begin(), qdd.end(), 0.0);
    qd[u(left[k])] = system_.dofs[u(left[k])].scale;
    if (!direct.rates(current_, qd, qdd)) return false;
    auto column = N.col(static_cast<Eigen::Index>(k));
    for (int i = 0; i < system_.dofCount(); ++i) column[i] = qd[u(i)] / system_.dofs[u(i)].scale;
    column.normalize();
  }
  return N.cols() > 0;
}

/// A step along the free directions, closed again: the value that moves most leads, as far as that is possible.
bool Drag::close(Configuration& c, const std::vector<double>& step, double share) {
  solver_.add(c, step, share);
  if (solver_.close(c).closed) return true;
  std::vector<bool> fixed(u(system_.dofCount()), false);
  for (int d : fixed_) fixed[u(d)] = true;
  if (LeastMotion(solver_).close(c, fixed, nullptr, 30) > 1e-9) {
    const Openness o = opennessOf(solver_);
    if (o.angle > solver_.options().fitAngle || o.length > solver_.options().fitLength) return false;
  }
  solver_.pick(c);
  return solver_.close(c).closed;
}

const Configuration& Drag::pull(const Vec3& targetInGround) {
  const Vec3 target = targetInGround - system_.middle;
  const int n = system_.dofCount();
  if (n == 0) return current_;
  constexpr double kLimit = 0.2;  // scaled; a long pull is cut into pieces short enough to stay on this branch
  Eigen::MatrixXd N, P;
  std::vector<bool> resting(u(n), false);
  solver_.pick(current_);
  for (int iteration = 0; iteration < 30; ++iteration) {
    solver_.forward(current_);
    const Vec3 point = grabbedPoint();
    const Vec3 miss = (target - point) / system_.size;
    if (miss.norm() < 1e-9) break;
    solver_.pointJacobian(node_, point, P);
    // values on a stop rest if the pull presses them against it (active set)
    std::fill(resting.begin(), resting.end(), false);
    Eigen::VectorXd step;
    bool can = false;
    for (std::size_t pass = 0; pass <= stops_.size(); ++pass) {
      can = directions(resting, N);
      if (!can) break;
      // a little damping keeps freedoms that do not help from running away
      step = N * leastSquaresStep(P * N, -miss, 1e-6);
      bool pressed = false;
      for (const Stop& s : stops_) {
        if (s.dof < 0 || resting[u(s.dof)]) continue;
        const double q = current_.q[u(s.dof)], slack = 10 * s.slack;
        if ((q <= s.low + slack && step[s.dof] < -1e-12) || (q >= s.high - slack && step[s.dof] > 1e-12))
          resting[u(s.dof)] = pressed = true;
      }
      if (!pressed) break;
    }
    if (!can) break;
    const double largest = step.cwiseAbs().maxCoeff();
    if (!(largest > 1e-10)) break;
    double share = std::min(1.0, kLimit / largest);
    // up to the first stop on the way, exactly
    for (const Stop& s : stops_) {
      if (s.dof < 0 || step[s.dof] == 0) continue;
      const double q = current_.q[u(s.dof)], move = step[s.dof] * system_.dofs[u(s.dof)].scale;
      const double room = move > 0 ? s.high - q : s.low - q;
      if (std::abs(move * share) > std::abs(room)) share = std::abs(room / move);
    }
    const std::vector<double> steps(step.data(), step.data() + n);
    bool moved = false;
    for (int k = 0; k < 8; ++k, share *= 0.4) {
      Configuration next = current_;
      if (!close(next, steps, share)) {
        solver_.pick(current_);
        continue;
      }
      if (!withinStops(next)) continue;
      solver_.forward(next);
      if ((target - grabbedPoint()).norm() >= miss.norm() * system_.size * (1 - 1e-9)) continue;
      std::swap(current_, next);
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
