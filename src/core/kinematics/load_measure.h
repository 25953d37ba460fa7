// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "base/pose_jet.h"
#include "base/result.h"

namespace cooperage::kinematics {

struct TravelStep;

/// Gauges of masses and loads, at one pose after the other. Made by what lies above kinematics; asked only where such a
/// gauge is measured.
class LoadMeasure {
 public:
  virtual ~LoadMeasure() = default;
  /// Does it ask its run for poses? Then it can't measure while that is on its way.
  virtual bool asksRun() const = 0;
  /// Goes to a pose. @param nodes motion of all nodes, see Solver::motion()
  virtual void at(const TravelStep& step, const std::vector<PoseJet>& nodes) = 0;
  /// A gauge there, by its index; NaN where it has no value.
  virtual double gauge(int index) = 0;
  /// What there is to say of the poses so far: reactions that are undetermined and the like.
  virtual std::vector<Message> messages() const = 0;
};

}  // namespace cooperage::kinematics
