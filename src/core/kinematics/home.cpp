// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/home.h"

#include <fmt/format.h>

#include <algorithm>

#include "kinematics/dense.h"

namespace cooperage::kinematics {

using model::Resolved;

namespace {
std::size_t u(int i) { return static_cast<std::size_t>(i); }

double worstOf(const std::vector<double>& v) {
  double worst = 0;
  for (double x : v) worst = std::max(worst, std::isfinite(x) ? std::abs(x) : 1e300);
  return worst;
}
double squares(const std::vector<double>& v) {
  double sum = 0;
  for (double x : v) sum += x * x;
  return sum;
}
}  // namespace

double closeFromAfar(const System& system, Solver& solver, Configuration& c, const std::vector<bool>& fixed) {
  const int rows = system.rowCount(), cols = system.dofCount();
  if (rows == 0) return 0;
  using RowMajor = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;
  solver.forward(c);
  double error = squares(solver.residual());
  double damping = 1e-3;
  int stuck = 0;
  for (int iteration = 0; iteration < 200 && worstOf(solver.residual()) > 1e-14; ++iteration) {
    solver.assemble(c);
    Eigen::MatrixXd A = Eigen::Map<const RowMajor>(solver.jacobian().data(), rows, cols);
    for (int k = 0; k < cols; ++k)
      if (fixed[u(k)]) A.col(k).setZero();
    const Eigen::VectorXd r = Eigen::Map<const Eigen::VectorXd>(solver.residual().data(), rows);
    // Levenberg far away; near the end the least motion, rank decided by the matrix
    const double lambda = error > 1e-12 ? damping * std::min(1.0, std::sqrt(error)) : 0.0;
    const Eigen::VectorXd step = leastSquaresStep(A, r, lambda);
    const double largest = step.cwiseAbs().maxCoeff();
    if (!std::isfinite(largest)) break;
    const std::vector<double> s(step.data(), step.data() + cols);
    Configuration next = c;
    solver.add(next, s, std::min(1.0, 0.5 / std::max(largest, 1e-300)));
    solver.forward(next);
    const double after = squares(solver.residual());
    if (after < error) {
      stuck = after > 0.98 * error ? stuck + 1 : 0;
      c = next;
      error = after;
      damping = std::max(damping * 0.2, 1e-12);
      if (stuck > 30) break;
    } else {
      damping *= 8;
      if (lambda == 0 || damping > 1e6) break;
    }
  }
  solver.forward(c);
  return worstOf(solver.residual());
}

namespace {

Error cannotClose(const System& system, const Resolved& resolved, Solver& solver) {
  int worst = -1;
  double most = 0;
  for (std::size_t i = 0; i < system.loops.size(); ++i) {
    const double gap = solver.gapLength(static_cast<int>(i)) / system.size + solver.gapAngle(static_cast<int>(i));
    if (gap > most) {
      most = gap;
      worst = static_cast<int>(i);
    }
  }
  if (worst < 0)
    return {"cannot-close", "", "home can't be closed: the home values and couplings contradict one another"};
  const auto& j = resolved.joints[u(system.joints[u(system.loops[u(worst)].joint)].source)];
  return {"cannot-close", j.name,
          fmt::format("joint {} can't be closed at home: {:.6g} mm and {:.4g} deg remain open; change a length, a "
                      "placement or a home value",
                      j.name, solver.gapLength(worst) * 1e3, solver.gapAngle(worst) * 180 / kPi)};
}

void reportMisfit(const System& system, const Resolved& resolved, Solver& solver, std::vector<Message>& messages) {
  for (std::size_t i = 0; i < system.loops.size(); ++i) {
    const int loop = static_cast<int>(i);
    const double angle = solver.gapAngle(loop), length = solver.gapLength(loop);
    if (angle < 1e-9 && length < 1e-9 * system.size) continue;
    const auto& j = resolved.joints[u(system.joints[u(system.loops[i].joint)].source)];
    messages.push_back({Severity::note,
                        "misfit",
                        {j.name},
                        fmt::format("joint {}: its axes are {:.3g} deg and {:.3g} mm out; tolerated within the fit",
                                    j.name, angle * 180 / kPi, length * 1e3)});
  }
}

}  // namespace

Result<Home> assemble(const System& system, const Resolved& resolved, const HomeOptions& options) {
  Home home;
  home.messages = system.messages;
  home.configuration = system.measured();
  Configuration& c = home.configuration;
  std::vector<bool> fixed(u(system.dofCount()), false);
  std::vector<std::pair<int, double>> imposed;
  std::vector<std::pair<int, Vec3>> imposedBalls;
  for (std::size_t i = 0; i < resolved.joints.size(); ++i) {
    const auto& source = resolved.joints[i];
    const int index = system.compiledJoint(static_cast<int>(i));
    if (index < 0) continue;
    const System::Joint& j = system.joints[u(index)];
    if (j.ball >= 0) {
      Vec3 angles = ballAngles(c.balls[u(j.ball)]);
      bool any = false;
      for (int k = 0; k < 3; ++k)
        if (source.home[u(k)]) {
          angles[k] = *source.home[u(k)];
          any = true;
        }
      if (any || source.held) {
        if (any) imposedBalls.emplace_back(j.ball, angles);
        for (int k = 0; k < 3; ++k) fixed[u(j.firstDof + k)] = true;
      }
      continue;
    }
    for (int k = 0; k < j.dofs; ++k) {
      if (source.home[u(k)]) imposed.emplace_back(j.firstDof + k, *source.home[u(k)]);
      if (source.home[u(k)] || source.held) fixed[u(j.firstDof + k)] = true;
    }
  }
  for (int f : system.floating) {
    const System::Joint& j = system.joints[u(f)];
    for (int k = 0; k < j.dofs; ++k) fixed[u(j.firstDof + k)] = true;
  }
  Solver solver(system, {});
  // couplings and screws count from home, so they say nothing about home itself: keep them met at every trial
  const auto close = [&](Configuration& trial) {
    for (int pass = 0; pass < 3; ++pass) {
      solver.setHome(trial);
      closeFromAfar(system, solver, trial, fixed);
    }
    solver.forward(trial);
    return worstOf(solver.residual());
  };
  const double accept = std::max(1e-10, std::min(options.fitAngle, options.fitLength * 10));
  for (const auto& [ball, angles] : imposedBalls) c.balls[u(ball)] = ballRotation(angles);
  // steps of an imposed value are short enough (0.1 rad, 0.1 of size) that the nearest closed pose is on the same
  // branch
  const Configuration start = c;
  double farthest = 0;
  for (const auto& [dof, value] : imposed)
    farthest = std::max(farthest, std::abs(value - start.q[u(dof)]) / system.dofs[u(dof)].scale);
  const double longest = farthest > 0.1 ? 0.1 / farthest : 1.0;
  double reached = 0, step = longest;
  if (!imposed.empty()) close(c);  // with the imposed values still where the placements have them
  Configuration last = c;
  while (reached < 1) {
    const double next = std::min(1.0, reached + step);
    Configuration trial = last;
    for (const auto& [dof, value] : imposed) {
      const double from = start.q[u(dof)];
      trial.q[u(dof)] = next >= 1 ? value : from + (value - from) * next;
    }
    if (close(trial) <= accept) {
      last = trial;
      reached = next;
      step = std::min(2 * step, longest);
    } else if (step > longest / 128 && !imposed.empty()) {
      step /= 2;
    } else {
      return cannotClose(system, resolved, solver);
    }
  }
  c = last;
  solver.setHome(c);
  solver.forward(c);
  reportMisfit(system, resolved, solver, home.messages);
  return home;
}

double jointValue(const System& system, const Configuration& c, int sourceJoint, int value, const Resolved& resolved) {
  const int index = system.compiledJoint(sourceJoint);
  if (index < 0) return 0;
  const System::Joint& j = system.joints[u(index)];
  if (j.ball < 0) return c.q[u(j.firstDof + value)];
  const Mat3& R = c.balls[u(j.ball)];
  (void)resolved;
  if (value == 3) return std::atan2(std::hypot(R(0, 2), R(1, 2)), R(2, 2));  // angle of the two axes
  return ballAngles(R)[value];
}

}  // namespace cooperage::kinematics
