// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "model/resolve.h"

namespace cooperage::kinematics {

/// One member of a train of couplings, per turn of the input.
struct TrainRow {
  std::string value;  ///< JOINT.VALUE
  model::Id joint = 0;
  bool slides = false;  ///< a slide of an input that turns
  double solved = 0;    ///< rate per rate of the input, as the solver has it at home; rad or m a rad
  double willis = 0;    ///< from the coupling's own equations alone (Willis' rule, one row a gear pair)
};
struct TrainTable {
  std::vector<TrainRow> rows;
  std::string input;
  bool free = false;  ///< more than the input must be given: a differential with nothing held
};

/// Speeds of all joint values that linear couplings tie to the input.
/// The solved figures come from a run of the whole mechanism with the input driven; the Willis figures from Gaussian
/// elimination on the teeth, with held joints at rest. Two ways that share no code but the reading of the teeth.
/// @param input joint value that is turned; drives of the mechanism are left aside
Result<TrainTable> trainTable(const model::Mechanism& mechanism, const Symbol& input);

}  // namespace cooperage::kinematics
