// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>

/// The few decompositions that home, mobility and drag need, in one place: they are used at human pace, not per pose.
namespace cooperage::kinematics {

/// Number of singular values above an absolute tolerance (rows are scaled to size 1).
int numericalRank(const Eigen::MatrixXd& a, double tolerance);
/// Orthonormal columns that span the null space.
Eigen::MatrixXd nullSpace(const Eigen::MatrixXd& a, double tolerance);
/// Orthonormal columns that span the range.
Eigen::MatrixXd rangeOf(const Eigen::MatrixXd& a, double tolerance);
/// The s that minimises |A s + r|^2 + lambda |s|^2 (Levenberg); lambda = 0: the shortest of the least-squares
/// solutions.
Eigen::VectorXd leastSquaresStep(const Eigen::MatrixXd& a, const Eigen::VectorXd& r, double lambda);

}  // namespace cooperage::kinematics
