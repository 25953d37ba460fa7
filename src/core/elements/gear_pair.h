// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "elements/gear.h"

namespace cooperage::elements {

/// Two gears on parallel axes, the second one possibly a ring; or on crossed axes (screw gears, worm and wheel).
struct PairSize {
  double centre = 0;         ///< distance of the axes without play beyond the backlash of the teeth, m
  double pressureAngle = 0;  ///< working, transverse section
  double contactRatio = 0;   ///< transverse
  double overlapRatio = 0;   ///< of helical gears
  double basePitch = 0;
  double sliding = 0;       ///< greatest sliding speed of the flanks for 1 rad/s of the first gear, m/s
  double tipClearance = 0;  ///< tip of one to root of the other, the smaller one
};

/// Zero-play distance and figures of a pair on parallel axes (ISO 21771; the sum of shifts gives the working angle).
/// @param centre distance at which they run; the zero-play one if none
PairSize pairSize(const GearSpec& a, const GearSpec& b, std::optional<double> centre = std::nullopt);
/// Play on the working pitch circle at a distance of the axes, m; negative: they jam.
double backlashAt(const GearSpec& a, const GearSpec& b, double centre);
/// The distance of the axes for an asked play.
double centreFor(const GearSpec& a, const GearSpec& b, double backlash);
/// Figures of a gear on a rack whose pitch line is the gear's rolling line.
PairSize rackPair(const GearSpec& gear, const GearSpec& rack);
/// Distance and angle (sum of the helix angles, signed) of crossed axes.
double crossedCentre(const GearSpec& a, const GearSpec& b);

/// Angle about its own axis at which the second gear stands so that the first's teeth mesh, both measured from the
/// direction `line` of the line of centres (from the first to the second gear), counter-clockwise about the first's
/// axis.
/// @param turn angle of a tooth of the first gear
double meshingTurn(const GearSpec& a, const GearSpec& b, double turn, double line);
/// The other way round: a turn of the first gear that goes with that of the second.
double meshingTurnOfFirst(const GearSpec& a, const GearSpec& b, double other, double line);

/// What is to be said against the pair, with figures.
std::vector<std::string> pairWarnings(const GearSpec& a, const GearSpec& b,
                                      std::optional<double> centre = std::nullopt);

/// Largest addendum (in modules) of a ring whose tips stay on the pinion's involute.
double ringAddendum(const GearSpec& pinion, const GearSpec& ring);

/// A planetary stage of sun, planets and ring.
/// @return largest number of planets that fit without meeting, and whether n evenly spread ones can be put in:
/// (zs + zr) / n must be whole (Müller, Epicyclic Drive Trains)
bool planetsCanBeSpread(int sun, int ring, int planets);
int mostPlanets(const GearSpec& sun, const GearSpec& planet);

}  // namespace cooperage::elements
