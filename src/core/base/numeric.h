// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <utility>

namespace cooperage {

/// Integral from a to b by Gauss and Legendre with five points: exact for polynomials up to the ninth degree
/// (Abramowitz and Stegun, Handbook of Mathematical Functions, 25.4.29).
template <class F>
double gauss5(double a, double b, const F& f) {
  constexpr std::array<double, 5> x{-0.9061798459386640, -0.5384693101056831, 0, 0.5384693101056831,
                                    0.9061798459386640};
  constexpr std::array<double, 5> w{0.2369268850561891, 0.4786286704993665, 0.5688888888888889, 0.4786286704993665,
                                    0.2369268850561891};
  double sum = 0;
  for (std::size_t k = 0; k < 5; ++k) sum += w[k] * f(0.5 * (a + b) + 0.5 * (b - a) * x[k]);
  return 0.5 * (b - a) * sum;
}
/// The same on n panels of equal width.
template <class F>
double gauss5(double a, double b, int panels, const F& f) {
  double sum = 0;
  for (int i = 0; i < panels; ++i) sum += gauss5(a + (b - a) * i / panels, a + (b - a) * (i + 1) / panels, f);
  return sum;
}

/// Closes in on the greatest value of a function with one peak between a and b, by golden section.
/// @param goesOn is asked before each step, with the width that is left
/// @return where the peak lies between
template <class F, class GoesOn>
std::pair<double, double> goldenSection(double a, double b, F&& f, GoesOn&& goesOn) {
  constexpr double kShare = 0.6180339887498949;
  double x = b - kShare * (b - a), y = a + kShare * (b - a), fx = f(x), fy = f(y);
  while (goesOn(b - a)) {
    if (fx > fy) {
      b = y;
      y = x;
      fy = fx;
      x = b - kShare * (b - a);
      fx = f(x);
    } else {
      a = x;
      x = y;
      fx = fy;
      y = a + kShare * (b - a);
      fy = f(y);
    }
  }
  return {a, b};
}

}  // namespace cooperage
