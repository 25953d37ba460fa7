// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/figure.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace cooperage {

double noiseOf(const Dimension& d) {
  // rates grow with the speed of the machine: some ten radians a second
  return 1e-11 * std::pow(10.0, std::clamp(-d.time, 0.0, 4.0));
}

std::string figure(double si, const Dimension& dimension, const DocumentUnits& units, const FigureOptions& options) {
  if (!std::isfinite(si)) return "no value";
  const double unit = units.factor(dimension), v = si / unit, range = std::abs(options.range / unit);
  if (std::abs(si) <= noiseOf(dimension) && !dimension.isPlain() && options.range <= noiseOf(dimension)) return "0";
  const double largest = std::max(std::abs(v), range);
  if (!(largest > 0)) return "0";
  int digits = options.step > 0 ? std::max(0, static_cast<int>(std::floor(1e-9 - std::log10(options.step / unit))))
                                : 4 - static_cast<int>(std::floor(std::log10(largest)));
  if (options.accuracy > 0) {
    // the last digit stands for half the accuracy at least: 0.05 shows tenths, 0.02 hundredths
    const double finest = std::floor(0.31 - std::log10(options.accuracy / unit));
    digits = std::min(digits, static_cast<int>(std::clamp(finest, -12.0, 15.0)));
  }
  // far from the sizes that the units are made for: powers of ten
  if (range == 0 && options.accuracy == 0 && options.step == 0 && (std::abs(v) < 1e-4 || std::abs(v) >= 1e7))
    return fmt::format("{:.5g}", v);
  std::string text;
  if (digits >= 0) {
    text = fmt::format("{:.{}f}", v, std::min(digits, 9));
  } else {
    const double step = std::pow(10.0, -digits);
    text = fmt::format("{:.0f}", std::round(v / step) * step);
  }
  const bool zero = text.find_first_of("123456789") == std::string::npos;
  if (zero && text.front() == '-') text.erase(0, 1);
  return text;
}

std::string figureWithLabel(double si, const Dimension& dimension, const DocumentUnits& units,
                            const FigureOptions& options) {
  const std::string label = units.label(dimension), text = figure(si, dimension, units, options);
  return label.empty() || !std::isfinite(si) ? text : text + " " + label;
}

std::string figureWithUnit(double si, const Dimension& dimension, const DocumentUnits& units,
                           const FigureOptions& options) {
  if (units.label(dimension) == "deg" && std::isfinite(si)) return figure(si, dimension, units, options) + "\u00b0";
  return figureWithLabel(si, dimension, units, options);
}

}  // namespace cooperage
