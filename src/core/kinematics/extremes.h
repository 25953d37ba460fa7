// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <limits>
#include <vector>

namespace cooperage::kinematics {

struct Extreme {
  double value = std::numeric_limits<double>::quiet_NaN(), t = 0;
};

/// A quantity along a travel: its values at the steps, and a way to have it anywhere between.
struct Course {
  std::vector<double> times;         ///< rising
  std::vector<double> values;        ///< NaN where there is none
  std::vector<double> breaks;        ///< times at which its derivatives may jump
  std::function<double(double)> at;  ///< NaN where there is none
  bool dear = false;  ///< takes milliseconds: looked at between the steps only where its bend asks for it
};

/// Greatest (sign 1) or least (-1) value of the motion, not only of the steps. Every interval is looked at in its
/// middle and halved as long as what it bends by could reach beyond the best so far; a second difference d bounds what
/// a smooth curve rises between samples by d/8, and four times that is allowed for. Then the peak is placed where the
/// derivative of a polynomial through samples beside it vanishes: true to rounding in value, and nearly so in place.
Extreme extremeOf(const Course& course, double sign);

}  // namespace cooperage::kinematics
