// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "shape/solid.h"

namespace cooperage::demo {

/// How the stand is bolted together.
struct FastenedStand {
  double bolt = 8, rod = 12;  ///< diameters, mm
  bool washers = true;        ///< under the nuts
  bool socket = false;        ///< round heads in place of hexagons
  bool tapped = false;        ///< the base takes the bolts itself: no nuts
  bool splines = false;       ///< all faces as spline surfaces
  bool chamfers = true;       ///< at the mouths of the holes and the ends of bolts and nuts
};

/// A stand of the workshop: a base plate, two brackets bolted to it from above with two bolts each, a hoop rod through
/// both, held by a nut at either end. The solids bear no names, as some exchange files leave them.
/// @return the base, the brackets, then bolts, nuts, washers, the rod and its two nuts: 18 solids with nuts and washers
std::vector<shape::StepPart> fastenedStand(const FastenedStand& how);

}  // namespace cooperage::demo
