// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Cholesky>

#include "contact/push_model.h"

namespace cooperage::contact {

/// The gaps that are held, at the pose where a model stands: how they change, and what sets values, rates and
/// accelerations on them by least change in the model's metric. Worked out once a pose.
class HeldGaps {
 public:
  explicit HeldGaps(PushModel& model) : model_(model) {}
  /// Their rows at the model's pose. What has no gap there has a row of zeros.
  HeldGaps& at(const std::vector<GapKey>& held);
  /// The same with what least() and multipliers() need.
  HeldGaps& solved(const std::vector<GapKey>& held);

  const Eigen::MatrixXd& byValue() const { return byValue_; }
  const Eigen::VectorXd& byTime() const { return byTime_; }
  const Eigen::VectorXd& gaps() const { return gaps_; }
  int size() const { return static_cast<int>(keys_.size()); }

  // after solved():
  /// The least x in the metric with byValue x = b; where these contradict one another, the one nearest to it.
  Eigen::VectorXd least(const Eigen::VectorXd& b) const;
  /// What the gaps push with to make it.
  Eigen::VectorXd multipliers(const Eigen::VectorXd& b) const;
  /// What they push with to hold a load. @param blocked whether it is held altogether
  Eigen::VectorXd against(const Eigen::VectorXd& load, bool& blocked) const;
  /// What the gaps leave of the change of values that makes another row grow; zero where they leave none.
  Eigen::VectorXd leftOf(const Eigen::VectorXd& row) const;
  /// Do they determine all values that they depend on?
  bool determine() const { return determine_; }
  /// Dofs that they move, and to which they leave other ways.
  std::vector<int> open() const;

 private:
  PushModel& model_;
  std::vector<GapKey> keys_;
  long stamp_ = -1;  ///< of the model's pose
  bool solved_ = false, determine_ = true;
  GapRow row_;
  Eigen::MatrixXd byValue_, metric_;
  Eigen::VectorXd byTime_, gaps_;
  // in coordinates in which the metric is the identity
  Eigen::LLT<Eigen::MatrixXd> llt_;
  Eigen::MatrixXd normals_, inverse_;
};

}  // namespace cooperage::contact
