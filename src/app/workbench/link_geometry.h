// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "shape/advice.h"
#include "shape/axis_span.h"
#include "workbench.h"

namespace cooperage::app {

/// Calls f(solid, placement in ground axes as shown) for every solid of a link that is loaded.
template <class F>
void forSolids(Workbench& bench, model::Id link, F f) {
  const auto& links = bench.solution().resolved().links;
  const auto& poses = bench.pose().poses();
  for (std::size_t l = 0; l < links.size() && l < poses.size(); ++l) {
    if (links[l].id != link) continue;
    for (const auto& body : links[l].bodies)
      if (const auto solid = bench.shapes().solid(body.id)) f(solid, poses[l] * body.placement);
  }
}

/// What the faces of a link are, where it is shown. Takes a while the first time for large solids.
shape::Part facesOf(Workbench& bench, model::Id link);
/// Its bores and pins: quick.
shape::RoundPart roundsOf(Workbench& bench, model::Id link);

/// A link that a place on another one may be joined to.
struct Partner {
  model::Id link = 0;
  bool onAxis = false;   ///< has a bore or a pin on the axis of the place, within reach
  bool touches = false;  ///< its faces meet those of the other link near the place
};
/// All other links, likeliest first: those on the axis, those whose faces meet, ground, the others in their order;
/// those that are joined to it already come after all of these.
/// @param faces look at the faces too: takes longer
std::vector<Partner> partnersOf(Workbench& bench, model::Id link, const Vec3& at, const Vec3& axis, bool faces);

}  // namespace cooperage::app
