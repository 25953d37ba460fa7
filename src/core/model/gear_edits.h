// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>

#include "elements/gear_pair.h"
#include "model/edits.h"

/// Gears and racks that mesh. A maker makes bodies, seats and couplings in one step from a draft that keeps the ids of
/// what it makes, so that it can be made again with other figures. `poses` are X_GL of all links at home.
namespace cooperage::model {

/// Two gears, or a gear and a rack, on two joints.
struct GearDraft {
  enum class Kind { spur, ring, bevel, crossed, worm, rack };
  Kind kind = Kind::spur;
  std::array<Id, 2> joints{};  ///< of a ring: the pinion's first; of a worm: the worm's; of a rack: the gear's
  Field module{2}, width{12};  ///< document units
  Field pressureAngle, helix;  ///< helix (of a worm its lead angle) of the first; the second's follows
  std::array<Field, 2> teeth{Field(20), Field(40)}, shift, bore;
  Field backlash;        ///< play on the pitch circle, both gears share it
  bool moveAxis = true;  ///< the second joint is moved to the right distance; else the second gear's shift makes up
  bool flip = false;     ///< turns the coupling's sign round
  Id coupling = newId();
  std::array<Id, 2> bodies{newId(), newId()};
};
Result<Mechanism> withGears(const Mechanism& m, const GearDraft& draft, const std::vector<Pose>& poses);
/// The draft from which a coupling with its bodies could be made again; none if it has no bodies.
std::optional<GearDraft> gearDraftOf(const Mechanism& m, Id coupling);

/// Figures of the pair as it stands, for its card; error if the bodies are gone.
struct PairLook {
  elements::GearSpec first, second;
  double distance = 0;  ///< of the axes at home, m
};
Result<PairLook> pairLook(const Mechanism& m, Id coupling, const std::vector<Pose>& poses);

}  // namespace cooperage::model
