// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "model/edits.h"

/// Couplings, belts, chains and screws. A maker makes bodies, seats and couplings in one step from a draft that keeps
/// the ids of what it makes, so that it can be made again with other figures. `poses` are X_GL of all links at home.
namespace cooperage::model {

/// Couples joint values without any geometry.
/// @param values two (three of a linear one) joint values
/// @return an error naming values that the kind can't couple
Result<Mechanism> withCoupling(const Mechanism& m, CouplingKind kind, const std::vector<Symbol>& values, Id coupling);
/// The coupling with another kind, its figures started anew where the old ones have no meaning.
Result<Mechanism> withCouplingKind(const Mechanism& m, Id coupling, CouplingKind kind);

/// A figure of a coupling (teeth, a radius, a lead) with the elements that were made for it: gears are made again at
/// their distance and phase, pulleys, sprockets and screws take the figure too. Where gears can't be made so, only the
/// coupling is changed.
Mechanism withCouplingFigure(const Mechanism& m, Id coupling, std::size_t which, const Field& figure,
                             const std::vector<Pose>& poses);

/// Pulleys or sprockets on two joints or more, and the belt or chain over them.
struct BeltDraft {
  std::vector<Id> joints;
  std::vector<Field> sizes;  ///< pitch radii, or teeth of a chain
  std::vector<int> sides;    ///< of more than two: +1 or -1
  bool chain = false, crossed = false;
  Field width{15}, pitch{Field(12.7)};  ///< document units
  Id coupling = newId();
  std::vector<Id> bodies;  ///< made as needed
};
Result<Mechanism> withBelt(const Mechanism& m, BeltDraft& draft, const std::vector<Pose>& poses);

/// A screw on a joint that turns, and one nut or two (the second of the other hand) on joints that slide along it.
struct ScrewDraft {
  Id turn = 0;
  std::vector<Id> slides;
  Field lead{4}, diameter{16}, length{120}, starts{1};  ///< document units; negative lead: left hand
  std::vector<Id> couplings, bodies;
};
Result<Mechanism> withScrew(const Mechanism& m, ScrewDraft& draft, const std::vector<Pose>& poses);

}  // namespace cooperage::model
