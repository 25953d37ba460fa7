// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/dense.h"

#include <Eigen/Cholesky>
#include <Eigen/QR>
#include <Eigen/SVD>

namespace cooperage::kinematics {

namespace {
Eigen::Index above(const Eigen::VectorXd& values, double tolerance) { return (values.array() > tolerance).count(); }
constexpr Eigen::Index kExact = 120;  // singular values up to this size, pivoted QR (faster, as safe here) above
}  // namespace

int numericalRank(const Eigen::MatrixXd& a, double tolerance) {
  if (a.size() == 0) return 0;
  if (a.cols() > kExact) {
    const Eigen::ColPivHouseholderQR<Eigen::MatrixXd> qr(a);
    return static_cast<int>(above(qr.matrixQR().diagonal().cwiseAbs(), tolerance));
  }
  const Eigen::JacobiSVD<Eigen::MatrixXd> svd(a);
  return static_cast<int>(above(svd.singularValues(), tolerance));
}

Eigen::MatrixXd nullSpace(const Eigen::MatrixXd& a, double tolerance) {
  if (a.cols() == 0) return Eigen::MatrixXd(0, 0);
  if (a.rows() == 0) return Eigen::MatrixXd::Identity(a.cols(), a.cols());
  if (a.cols() > kExact) {
    const Eigen::ColPivHouseholderQR<Eigen::MatrixXd> qr(a.transpose());
    const Eigen::Index rank = above(qr.matrixQR().diagonal().cwiseAbs(), tolerance);
    const Eigen::MatrixXd q = qr.householderQ();
    return q.rightCols(a.cols() - rank);
  }
  const Eigen::JacobiSVD<Eigen::MatrixXd> svd(a, Eigen::ComputeFullV);
  return svd.matrixV().rightCols(a.cols() - above(svd.singularValues(), tolerance));
}

Eigen::MatrixXd rangeOf(const Eigen::MatrixXd& a, double tolerance) {
  if (a.size() == 0) return Eigen::MatrixXd(a.rows(), 0);
  const Eigen::JacobiSVD<Eigen::MatrixXd> svd(a, Eigen::ComputeThinU);
  return svd.matrixU().leftCols(above(svd.singularValues(), tolerance));
}

Eigen::VectorXd leastSquaresStep(const Eigen::MatrixXd& a, const Eigen::VectorXd& r, double lambda) {
  if (lambda > 0)
    return -(a.transpose() * a + lambda * Eigen::MatrixXd::Identity(a.cols(), a.cols()))
                .ldlt()
                .solve(a.transpose() * r);
  Eigen::CompleteOrthogonalDecomposition<Eigen::MatrixXd> qr(a);
  qr.setThreshold(1e-9);
  return -qr.solve(r);
}

}  // namespace cooperage::kinematics
