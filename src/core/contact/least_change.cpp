// SPDX-License-Identifier: GPL-3.0-or-later
#include "contact/least_change.h"

#include <Eigen/Cholesky>
#include <Eigen/QR>
#include <algorithm>
#include <cmath>

#include "base/index.h"

namespace cooperage::contact {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

LeastChange leastChange(const MatrixXd& M, const VectorXd& d, const MatrixXd& A, const VectorXd& b, double tolerance) {
  LeastChange out;
  out.x = d;
  const Index n = d.size(), rows = A.rows();
  if (rows == 0 || n == 0) {
    for (Index i = 0; i < rows && n == 0; ++i)
      if (b[i] < -tolerance) {
        out.possible = false;
        out.conflict = {static_cast<int>(i)};
      }
    return out;
  }
  // in coordinates in which the metric is the identity: y = L^T x
  const Eigen::LLT<MatrixXd> llt(M);
  const MatrixXd N = llt.matrixL().solve(A.transpose());  // columns: normals
  VectorXd size(rows);
  for (Index i = 0; i < rows; ++i) size[i] = N.col(i).norm();
  VectorXd y = llt.matrixU() * d;
  std::vector<int>& active = out.active;
  std::vector<double>& u = out.multiplier;
  const int most = 50 * static_cast<int>(rows + n) + 50;
  for (int round = 0; round < most; ++round) {
    int worst = -1;
    double least = -tolerance;
    for (Index i = 0; i < rows; ++i) {
      if (std::find(active.begin(), active.end(), static_cast<int>(i)) != active.end()) continue;
      const double value = N.col(i).dot(y) + b[i];
      if (value < least) {
        least = value;
        worst = static_cast<int>(i);
      }
    }
    if (worst < 0) break;
    const auto contradicts = [&](const VectorXd& r) {
      out.possible = false;
      out.conflict = {worst};
      for (std::size_t k = 0; k < active.size(); ++k)
        if (r.size() > static_cast<Index>(k) && std::abs(r[static_cast<Index>(k)]) > 1e-9)
          out.conflict.push_back(active[k]);
    };
    if (size[worst] < 1e-14) {  // nothing moves it
      contradicts(VectorXd());
      break;
    }
    double multiplier = 0;  // of the row that is taken in
    bool done = false;
    for (int inner = 0; inner < most && !done; ++inner) {
      const Index k = static_cast<Index>(active.size());
      VectorXd z = N.col(worst), r(k);
      if (k > 0) {
        MatrixXd B(n, k);
        for (Index j = 0; j < k; ++j) B.col(j) = N.col(active[static_cast<std::size_t>(j)]);
        const Eigen::ColPivHouseholderQR<MatrixXd> qr(B);
        r = qr.solve(N.col(worst));
        z -= B * r;
      }
      const bool free = z.norm() > 1e-9 * size[worst];
      // how far until a multiplier of those that hold would have to pull
      double dual = 1e300;
      int leaving = -1;
      for (Index j = 0; j < k; ++j)
        if (r[j] > 1e-12 && u[static_cast<std::size_t>(j)] / r[j] < dual) {
          dual = u[static_cast<std::size_t>(j)] / r[j];
          leaving = static_cast<int>(j);
        }
      const double broken = N.col(worst).dot(y) + b[worst];
      const double primal = free ? -broken / z.dot(N.col(worst)) : 1e300;
      if (!free && leaving < 0) {
        contradicts(r);
        break;
      }
      const double step = std::min(primal, dual);
      if (free) y += step * z;
      for (Index j = 0; j < k; ++j) u[static_cast<std::size_t>(j)] -= step * r[j];
      multiplier += step;
      if (primal <= dual) {
        active.push_back(worst);
        u.push_back(multiplier);
        done = true;
      } else {
        active.erase(active.begin() + leaving);
        u.erase(u.begin() + leaving);
      }
    }
    if (!out.possible || !done) {
      out.possible = false;
      break;
    }
  }
  // the rows that hold hold to rounding
  if (!active.empty()) {
    const Index k = static_cast<Index>(active.size());
    MatrixXd B(n, k);
    VectorXd off(k);
    for (Index j = 0; j < k; ++j) {
      B.col(j) = N.col(active[static_cast<std::size_t>(j)]);
      off[j] = -(B.col(j).dot(y) + b[active[static_cast<std::size_t>(j)]]);
    }
    y += B.transpose().completeOrthogonalDecomposition().solve(off);
  }
  out.x = llt.matrixU().solve(y);
  return out;
}

}  // namespace cooperage::contact
