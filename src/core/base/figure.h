// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>

#include "base/units.h"

/// Figures as people read them, in the window and in reports alike.
namespace cooperage {

struct FigureOptions {
  double range = 0;     ///< SI: what it is compared with; five digits of the greater of both are shown
  double accuracy = 0;  ///< SI: no digit that is finer than half of it; 0 if it is as true as rounding
  double step = 0;      ///< SI: shown down to this step instead, for closed forms that people check (1e-7: 0.0001 mm)
};

/// A figure without its unit, in document units: "41.300", "0"; "no value" of what is none. What is rounding beside
/// the size of machines (1e-11 m or rad, ten times that a second, a hundred times a second squared) is 0, and 0 has no
/// sign.
std::string figure(double si, const Dimension& dimension, const DocumentUnits& units, const FigureOptions& options = {});

/// The same with its unit: "3.10 mm", "41.3°", "12.5 mm/s^2".
std::string figureWithUnit(double si, const Dimension& dimension, const DocumentUnits& units,
                           const FigureOptions& options = {});

/// The same for terminals and files of results, with the unit spelled out: "41.300 deg".
std::string figureWithLabel(double si, const Dimension& dimension, const DocumentUnits& units,
                            const FigureOptions& options = {});

/// Largest figure of a dimension that counts as nothing, SI.
double noiseOf(const Dimension& dimension);

}  // namespace cooperage
