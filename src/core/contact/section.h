// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <string>
#include <vector>

#include "base/result.h"
#include "contact/outline.h"
#include "shape/solid.h"

namespace cooperage::contact {

/// A part of a body between two heights in which it has the same outline everywhere.
struct Slab {
  double low = 0, high = 0;  ///< m, along the normal
  std::vector<Loop> loops;   ///< m, in the plane's axes
};

/// A solid cut square to a direction.
struct Slabs {
  std::vector<Slab> slabs;
  /// Heights between which faces are aslant or round, so that there is no one outline.
  std::vector<std::pair<double, double>> aslant;
};

/// Outlines of a solid between all heights at which it has flat faces square to a direction, from its exact faces:
/// lines and arcs as they are, other curves by pairs of tangent arcs that stay within 10 nm. Found once for a solid and
/// a direction; any thread may ask.
/// @param plane axes of the plane in those of the solid: x and y in it, z its normal; origin on it
Result<std::shared_ptr<const Slabs>> slabsOf(const shape::SolidPtr& solid, const Pose& plane);

/// A curve by arcs that are tangent to one another and leave it by no more than the tolerance.
/// @param at place and tangent (unit) at a parameter
void appendArcs(const std::function<void(double, Vec2&, Vec2&)>& at, double from, double to, double tolerance,
                Loop& out);

}  // namespace cooperage::contact
