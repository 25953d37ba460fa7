// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/least.h"

#include <Eigen/SparseCholesky>
#include <algorithm>
#include <cmath>

#include "base/index.h"

namespace cooperage::kinematics {

namespace {
using Sparse = Eigen::SparseMatrix<double>;

Sparse jacobian(const Solver& solver, const std::vector<bool>& fixed, const std::vector<double>* weights) {
  const System& s = solver.system();
  std::vector<Eigen::Triplet<double>> entries;
  const auto put = [&](int row, int dof, double value) {
    if (!fixed[u(dof)] && value != 0) entries.emplace_back(row, dof, weights ? value * (*weights)[u(row)] : value);
  };
  const int loops = static_cast<int>(s.loops.size());
  for (int i = 0; i < loops; ++i) {
    const auto& columns = solver.loopColumns(i);
    const auto& members = s.loops[u(i)].members;
    for (std::size_t k = 0; k < members.size(); ++k)
      for (int r = 0; r < 6; ++r) put(6 * i + r, members[k].dof, columns[k][r]);
  }
  for (int i = 0; i < static_cast<int>(s.scalars.size()); ++i) {
    const auto& gradient = solver.scalarGradient(i);
    for (std::size_t k = 0; k < gradient.size(); ++k) put(6 * loops + i, s.scalars[u(i)].dofs[k], gradient[k]);
  }
  Sparse J(s.rowCount(), s.dofCount());
  J.setFromTriplets(entries.begin(), entries.end());
  return J;
}

double weigh(const Solver& solver, const std::vector<double>* weights, Eigen::VectorXd& r, double& squares) {
  r = Eigen::Map<const Eigen::VectorXd>(solver.residual().data(), static_cast<Eigen::Index>(solver.residual().size()));
  if (weights) r.array() *= Eigen::Map<const Eigen::ArrayXd>(weights->data(), r.size());
  squares = r.squaredNorm();
  const double worst = r.size() == 0 ? 0 : r.cwiseAbs().maxCoeff();
  return std::isfinite(squares) ? worst : 1e300;
}
}  // namespace

double LeastMotion::close(Configuration& c, const std::vector<bool>& fixed, const std::vector<double>* weights,
                          int iterations) {
  const System& s = solver_.system();
  if (s.rowCount() == 0) return 0;
  solver_.forward(c);
  Eigen::VectorXd r, after;
  double error = 0, next = 0;
  double worst = weigh(solver_, weights, r, error);
  double damping = 1e-3;
  int slow = 0;
  Eigen::SimplicialLDLT<Sparse> ldlt;
  Configuration trial = c;
  std::vector<double> step(u(s.dofCount()));
  for (int iteration = 0; iteration < iterations && worst > 1e-12 && worst < 1e300; ++iteration) {
    solver_.assemble(c);
    const Sparse J = jacobian(solver_, fixed, weights);
    // Levenberg far away; near the end hardly damped, so that it converges as Newton does
    const double lambda = std::max(1e-10, damping * std::min(1.0, std::sqrt(error)));
    Sparse N = J * J.transpose();
    for (int i = 0; i < N.rows(); ++i) N.coeffRef(i, i) += lambda;
    ldlt.compute(N);
    if (ldlt.info() != Eigen::Success) break;
    Eigen::Map<Eigen::VectorXd> x(step.data(), s.dofCount());
    x = -(J.transpose() * ldlt.solve(r));
    const double largest = step.empty() ? 0 : x.cwiseAbs().maxCoeff();
    if (!std::isfinite(largest) || largest < 1e-15) break;
    trial = c;
    solver_.add(trial, step, std::min(1.0, 0.5 / largest));
    solver_.forward(trial);
    const double now = weigh(solver_, weights, after, next);
    if (now < 1e300 && next < error) {
      slow = next > 0.98 * error ? slow + 1 : 0;
      std::swap(c, trial);
      std::swap(r, after);
      error = next;
      worst = now;
      damping = std::max(damping * 0.2, 1e-12);
      if (slow > 30) break;
    } else {
      if (lambda <= 1e-10 && worst < 1e-9) break;  // at rounding, or rows that contradict one another
      damping = std::max(damping, 1e-9) * 8;
      if (damping > 1e6) break;
      solver_.forward(c);
    }
  }
  solver_.forward(c);
  return weigh(solver_, weights, r, error);
}

Openness opennessOf(const Solver& solver) {
  Openness o;
  const auto& r = solver.residual();
  const std::size_t loops = 6 * solver.system().loops.size();
  for (std::size_t i = 0; i < r.size(); ++i) {
    double& worst = i < loops && i % 6 < 3 ? o.angle : o.length;
    if (!(std::abs(r[i]) <= worst)) worst = std::isfinite(r[i]) ? std::abs(r[i]) : 1e300;
  }
  return o;
}

}  // namespace cooperage::kinematics
