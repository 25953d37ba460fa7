// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "model/edits.h"

/// From lines to solids: links that are drawn as lines get flat parts along them (link plates), on levels side by side.
namespace cooperage::model {

/// Figures of the plates, document units or formulas.
struct PlateSizes {
  Field width;  ///< of what is drawn as an open line, and of bosses
  Field thickness;
  Field bore, pin;  ///< diameters
  Field pitch;      ///< from level to level
};
/// What suits the size of the layout: round figures; pins 2 % thinner than the least bore that is drawn or made.
PlateSizes platesFor(const Mechanism& m, const std::vector<Id>& links);

/// Which links can get a plate: those that are drawn as lines and have none, and ground where it is pinned to such.
std::vector<Id> withoutPlates(const Mechanism& m);

/// Gives links a plate each, along their lines: ground on level 0, the others on levels of their own, in their order,
/// after those that are taken. The distance of the levels is a parameter, level_pitch.
/// @return an error if a link is not drawn as lines, and not pinned
Result<Mechanism> withThickness(const Mechanism& m, const std::vector<Id>& links, const PlateSizes& sizes);

/// The plate of a link, null if it has none.
std::shared_ptr<const Body> plateOf(const Link& link);
/// The level of a link's plate. @return none if it has no plate or its level is no whole number
std::optional<int> levelOf(const Mechanism& m, Id link);
/// Plates of links on other levels.
Mechanism withLevels(const Mechanism& m, const std::vector<std::pair<Id, int>>& levels);

}  // namespace cooperage::model
