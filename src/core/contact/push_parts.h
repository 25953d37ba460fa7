// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Within contact/ only: what the files of PushRun share.
#include "contact/least_change.h"
#include "contact/push_run.h"

namespace cooperage::contact::push {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;
using kinematics::Configuration;

inline bool has(const std::vector<GapKey>& list, const GapKey& k) {
  return std::find(list.begin(), list.end(), k) != list.end();
}

/// Values of the pushed dofs in a configuration.
inline VectorXd valuesIn(const Configuration& c, const std::vector<int>& dofs) {
  VectorXd q(static_cast<Index>(dofs.size()));
  for (std::size_t k = 0; k < dofs.size(); ++k) q[static_cast<Index>(k)] = c.q[static_cast<std::size_t>(dofs[k])];
  return q;
}

/// The least change from an anchor by the gaps as they are and grow at a pose.
struct LinearStep {
  LeastChange change;
  double worst = 0;  ///< the deepest overlap, negative
};
/// @param rows those that do not lead out of an overlap are dropped from them
LinearStep linearStep(const MatrixXd& metric, const VectorXd& way, std::vector<GapRow>& rows, double tolerance);

}  // namespace cooperage::contact::push
