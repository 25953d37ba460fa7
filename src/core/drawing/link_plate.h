// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "drawing/outline.h"

/// A flat part along the lines of a link: what is inside closed lines, strips about open ones, bosses with bores and
/// pins where it is pinned. All figures in m, in the part's own axes.
namespace cooperage::drawing {

/// Where the link is pinned.
struct PinPlace {
  Vec2 at{0, 0};
  bool carries = false;     ///< the pin stands on this link; else it has a bore for it
  double from = 0, to = 0;  ///< of a pin that it carries: along the part's normal
};

/// What the part is made along, besides its own figures.
struct PlateSource {
  std::vector<Outline> outlines;
  std::vector<PinPlace> places;
};

/// As a list of numbers, and back: two parts with the same numbers are one.
std::vector<double> encoded(const PlateSource& source);
/// @param from index of the first number
PlateSource decoded(const std::vector<double>& numbers, std::size_t from);

/// Closed lines, whole or of pieces that meet end to end, and what is left open, in chains.
struct Loops {
  std::vector<Outline> closed, open;
};
/// @param near ends no further apart are one place
Loops loopsOf(const std::vector<Outline>& outlines, double near);

/// Whether a point lies inside of closed lines: within an odd number of them.
bool isInside(const std::vector<Outline>& closed, const Vec2& x);
/// How often a closed line runs about a point, 0 outside.
bool runsAbout(const Outline& closed, const Vec2& x);

}  // namespace cooperage::drawing
