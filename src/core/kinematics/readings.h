// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <vector>

#include "kinematics/gauges.h"

/// What is read off a curve: extremes, zero crossings, mean, dwells.
namespace cooperage::kinematics {

/// A curve as its samples: abscissa (rising or falling) and values, NaN where there is none.
struct Samples {
  std::vector<double> x, y;
};
/// A column of a table over its travel axis.
Samples samplesOf(const RunResult& result, int column);

/// A local extreme, placed between the samples by the parabola through three of them.
struct LocalExtreme {
  double x = 0, y = 0;
  bool highest = false;  ///< a maximum
};
struct Dwell {
  double from = 0, to = 0;  ///< on the abscissa
  double level = 0;         ///< mean of its values
};
struct Readings {
  double least = 0, greatest = 0, leastAt = 0, greatestAt = 0;  ///< of the samples
  double mean = 0;                                              ///< over the abscissa, by the trapezoidal rule
  std::vector<LocalExtreme> extremes;
  std::vector<double> zeros;  ///< crossings of zero, by linear interpolation; of a rest at zero where it begins
  std::vector<Dwell> dwells;     ///< as DwellOptions tell them
  double range() const { return greatest - least; }
};
/// How dwells are told.
struct DwellOptions {
  /// A dwell stays within so much about a level, over a twentieth of the abscissa at least: less is the flat top of a
  /// smooth curve. 0: where it rests, to rounding.
  double within = 0;
  std::vector<double> breaks = {};  ///< places at which the motion may begin or end: a rest ends at one of them
};
/// @return none if the curve has no value anywhere
std::optional<Readings> read(const Samples& curve, const DwellOptions& dwells = {});

/// Value at a place between the samples, linear; none outside or where there is no value.
std::optional<double> valueAt(const Samples& curve, double x);

/// A point's curve in the axes of a link, smooth whatever the number of steps: poses between the steps are solved where
/// the chord would miss the curve by more than `tolerance`.
struct PointPath {
  std::vector<Vec3> points;        ///< m, in the axes of `in` (ground: -1)
  std::vector<double> times;       ///< s
  std::vector<double> speed;       ///< m/s, as seen from that link
  std::vector<std::size_t> steps;  ///< indices of the points that are steps of the run
};
PointPath pathOf(TravelRun& run, Measurer& measurer, const Travel& travel, const std::pair<int, int>& seat, int in,
                 double tolerance, Progress* progress = nullptr);

}  // namespace cooperage::kinematics
