// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <string_view>
#include <vector>

#include "elements/bevel.h"
#include "elements/gear.h"

namespace cooperage::elements {

/// The figures of an element in the order of its table (SI), as the specification of a machine element.
GearSpec gearOf(const std::vector<double>& figures);
GearSpec ringOf(const std::vector<double>& figures, double& rim);
GearSpec rackOf(const std::vector<double>& figures);
BevelSpec bevelOf(const std::vector<double>& figures);
/// A worm is a helical gear of few teeth and a steep helix: 90 degrees less its lead angle, of the same hand.
GearSpec wormOf(const std::vector<double>& figures);

/// Why an element of these figures can't be, and the mend; empty if it can.
/// @param element its name in the file
std::string elementFault(std::string_view element, const std::vector<double>& figures);
/// What is to be said against an element that can be made.
std::vector<std::string> elementWarnings(std::string_view element, const std::vector<double>& figures);

}  // namespace cooperage::elements
