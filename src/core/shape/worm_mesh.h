// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>

#include "elements/gear.h"
#include "shape/solid.h"

namespace cooperage::shape {

/// Triangles of a worm, an involute helicoid: its axial section (r(s), z(s)) carried along the screw, f the angle about
/// the axis. A triangle over steps ds and df lies within (M ds^2 + 2 |r'| ds df + r df^2) / 8 of the surface, M a bound
/// of the section's second derivative. The transverse section, of which a gear is made, would take ten times as many.
/// @return none if it can't be done
std::optional<Mesh> wormMesh(const elements::GearSpec& worm, double bore, double deflection);

}  // namespace cooperage::shape
