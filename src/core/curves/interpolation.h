// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "base/words.h"

namespace cooperage::curves {

/// What lies between the points of a table: a cubic spline without curvature at its ends, straight lines, or a spline
/// that repeats, each time shifted by the difference of its ends.
enum class Interpolation { spline, linear, periodic };
constexpr std::array<std::string_view, 3> wordsOf(Interpolation) { return {"spline", "linear", "periodic"}; }

}  // namespace cooperage::curves
