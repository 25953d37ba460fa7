// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "kinematics/gauges.h"

/// Whether a run's steps are fine enough for its gauges, and where finer ones would not help.
namespace cooperage::kinematics {

/// How far a curve drawn straight from step to step is from the motion.
struct Coarseness {
  int gauge = -1;
  double share = 0;   ///< largest error over the range of the gauge
  double at = 0;      ///< where, on the travel axis
  int suggested = 0;  ///< number of steps that brings it below a five-hundredth (the error falls with the square)
};

/// A gauge that is one thing just before a place and another just after it, however fine the steps are.
struct Jump {
  int gauge = -1;
  double at = 0;            ///< on the travel axis
  double from = 0, to = 0;  ///< SI
  std::string cause;        ///< "drive main: its programme jumps there"; empty if nothing is found
};

struct StepCheck {
  std::vector<Coarseness> coarse;
  std::vector<Jump> jumps;
};

/// Gauges whose drawn curve misses the exact value halfway between two steps by more than a hundredth of their range.
/// Halfway values are solved where the curve bends most. Where the miss does not shrink as the interval is halved, it
/// is a jump: told with its place, and with the break of a programme or the joint of a cam's pieces that lies there.
StepCheck checkSteps(TravelRun& run, Measurer& measurer, const RunResult& result, Progress* progress = nullptr);

}  // namespace cooperage::kinematics
