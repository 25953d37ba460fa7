// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include <Eigen/Core>

namespace cooperage::contact {

/// The least change x - d in a metric M that satisfies rows A x + b >= 0, by the dual active-set method of Goldfarb and
/// Idnani (Mathematical Programming 27, 1983). Begins at d and takes in the row that is broken most, so that rows that
/// contradict one another are found with a certificate: positive multipliers with which they sum to nothing (Farkas).
struct LeastChange {
  Eigen::VectorXd x;
  std::vector<int> active;         ///< rows that hold with equality and push
  std::vector<double> multiplier;  ///< of these, positive
  bool possible = true;
  std::vector<int> conflict;  ///< rows that contradict one another, where it is not possible
};

/// @param M symmetric, positive definite
/// @param tolerance by how much a row may stay broken
LeastChange leastChange(const Eigen::MatrixXd& M, const Eigen::VectorXd& d, const Eigen::MatrixXd& A,
                        const Eigen::VectorXd& b, double tolerance);

}  // namespace cooperage::contact
