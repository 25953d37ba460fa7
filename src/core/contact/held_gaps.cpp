// SPDX-License-Identifier: GPL-3.0-or-later
#include "contact/held_gaps.h"

#include <Eigen/QR>

#include "base/index.h"

namespace cooperage::contact {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

HeldGaps& HeldGaps::at(const std::vector<GapKey>& held) {
  if (stamp_ == model_.stamp() && keys_ == held) return *this;
  stamp_ = model_.stamp();
  keys_ = held;
  solved_ = false;
  const Index m = static_cast<Index>(held.size());
  byValue_.resize(m, model_.size());
  byTime_.resize(m);
  gaps_.resize(m);
  for (Index i = 0; i < m; ++i) {
    if (!model_.one(held[u(static_cast<int>(i))], row_)) {
      byValue_.row(i).setZero();
      byTime_[i] = gaps_[i] = 0;
      continue;
    }
    byValue_.row(i) = row_.byValue;
    byTime_[i] = row_.byTime;
    gaps_[i] = row_.gap;
  }
  return *this;
}

HeldGaps& HeldGaps::solved(const std::vector<GapKey>& held) {
  at(held);
  if (solved_) return *this;
  solved_ = true;
  model_.metric(metric_);
  llt_.compute(metric_);
  normals_ = byValue_.transpose();
  llt_.matrixL().solveInPlace(normals_);
  Index rank = 0;
  if (const double size = held.size() == 1 ? normals_.squaredNorm() : 0; size > 0) {  // one gap, most often
    inverse_ = normals_.transpose() / size;
    rank = 1;
  } else if (!held.empty()) {
    inverse_ = normals_.completeOrthogonalDecomposition().pseudoInverse();
    Eigen::ColPivHouseholderQR<MatrixXd> qr(normals_);
    qr.setThreshold(1e-9);
    rank = qr.rank();
  }
  // moving values: those that a held gap depends on
  const double size = held.empty() ? 0 : byValue_.cwiseAbs().maxCoeff();
  Index moving = 0;
  for (Index k = 0; k < byValue_.cols() && !held.empty(); ++k)
    if (byValue_.col(k).cwiseAbs().maxCoeff() > 1e-12 * size) ++moving;
  determine_ = rank >= moving;
  return *this;
}

std::vector<int> HeldGaps::open() const {
  std::vector<int> out;
  if (keys_.empty()) return out;
  const double size = byValue_.cwiseAbs().maxCoeff();
  const MatrixXd left = MatrixXd::Identity(byValue_.cols(), byValue_.cols()) -
                        byValue_.completeOrthogonalDecomposition().pseudoInverse() * byValue_;
  for (Index k = 0; k < byValue_.cols(); ++k)
    if (byValue_.col(k).cwiseAbs().maxCoeff() > 1e-12 * size && left.row(k).cwiseAbs().maxCoeff() > 1e-9)
      out.push_back(model_.pushed()[static_cast<std::size_t>(k)]);
  return out;
}

VectorXd HeldGaps::least(const VectorXd& b) const {
  VectorXd y = inverse_.transpose() * b;
  llt_.matrixU().solveInPlace(y);
  return y;
}

VectorXd HeldGaps::multipliers(const VectorXd& b) const { return inverse_ * (inverse_.transpose() * b); }

VectorXd HeldGaps::against(const VectorXd& load, bool& blocked) const {
  VectorXd f = load;
  llt_.matrixL().solveInPlace(f);
  const double whole = f.norm();
  VectorXd force = -(inverse_ * f);
  blocked = (f + normals_ * force).norm() < 1e-7 * whole;
  return force;
}

VectorXd HeldGaps::leftOf(const VectorXd& row) const {
  VectorXd y = row;
  llt_.matrixL().solveInPlace(y);
  const double whole = y.norm();
  if (!keys_.empty()) y -= normals_ * (inverse_ * y);
  if (!(y.norm() > 1e-9 * whole)) return VectorXd::Zero(row.size());
  llt_.matrixU().solveInPlace(y);
  return y;
}

}  // namespace cooperage::contact
