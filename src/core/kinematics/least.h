// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "kinematics/solver.h"

namespace cooperage::kinematics {

/// Least-motion corrections over all rows at once, used where loops may be far open or rows contradict one another;
/// Solver::close() is the fast way near a closed pose. The step is -J^T (J J^T + lambda)^-1 r in scaled unknowns
/// (Levenberg-Marquardt in the space of rows; Nocedal and Wright, Numerical Optimization, ch. 10), sparse.
class LeastMotion {
 public:
  explicit LeastMotion(Solver& solver) : solver_(solver) {}

  /// Closes the loops from a guess; fixed dofs stay.
  /// @param weights one a row (as Solver::residual()), or null for equal ones
  /// @return the worst row that remains, weighted
  double close(Configuration& c, const std::vector<bool>& fixed, const std::vector<double>* weights = nullptr,
               int iterations = 120);

 private:
  Solver& solver_;
};

/// Worst turn (rad) and worst length (of size) of the closures, after Solver::forward(); scalar rows count as lengths.
struct Openness {
  double angle = 0, length = 0;
};
Openness opennessOf(const Solver& solver);

}  // namespace cooperage::kinematics
