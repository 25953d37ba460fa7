// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <cmath>
#include <utility>

#include "motion/law.h"

namespace cooperage::elements {

/// A function as its Taylor polynomial of fifth order: c[n] is the n-th derivative over n!. The rules of its arithmetic
/// are those of truncated power series (Knuth, The Art of Computer Programming 2, sec. 4.7).
struct Taylor {
  static constexpr std::size_t kTerms = 6;
  std::array<double, kTerms> c{};

  Taylor() = default;
  Taylor(double value) { c[0] = value; }  // NOLINT(google-explicit-constructor): constants mix freely
  static Taylor variable(double at) {
    Taylor t(at);
    t.c[1] = 1;
    return t;
  }
  static Taylor of(const motion::Derivatives& d) {
    Taylor t;
    double factorial = 1;
    for (std::size_t n = 0; n < kTerms; ++n) {
      if (n > 1) factorial *= static_cast<double>(n);
      t.c[n] = d[n] / factorial;
    }
    return t;
  }
  /// n-th derivative.
  double d(std::size_t n) const {
    double factorial = 1;
    for (std::size_t k = 2; k <= n; ++k) factorial *= static_cast<double>(k);
    return c[n] * factorial;
  }
};

inline Taylor operator+(Taylor a, const Taylor& b) {
  for (std::size_t n = 0; n < Taylor::kTerms; ++n) a.c[n] += b.c[n];
  return a;
}
inline Taylor operator-(Taylor a, const Taylor& b) {
  for (std::size_t n = 0; n < Taylor::kTerms; ++n) a.c[n] -= b.c[n];
  return a;
}
inline Taylor operator*(const Taylor& a, const Taylor& b) {
  Taylor r;
  for (std::size_t n = 0; n < Taylor::kTerms; ++n)
    for (std::size_t k = 0; k <= n; ++k) r.c[n] += a.c[k] * b.c[n - k];
  return r;
}
inline Taylor operator/(const Taylor& a, const Taylor& b) {
  Taylor r;
  for (std::size_t n = 0; n < Taylor::kTerms; ++n) {
    double sum = a.c[n];
    for (std::size_t k = 0; k < n; ++k) sum -= r.c[k] * b.c[n - k];
    r.c[n] = sum / b.c[0];
  }
  return r;
}
/// Sine and cosine.
inline std::pair<Taylor, Taylor> sinCos(const Taylor& a) {
  Taylor s(std::sin(a.c[0])), c(std::cos(a.c[0]));
  for (std::size_t n = 1; n < Taylor::kTerms; ++n)
    for (std::size_t k = 1; k <= n; ++k) {
      const double f = static_cast<double>(k) / static_cast<double>(n) * a.c[k];
      s.c[n] += f * c.c[n - k];
      c.c[n] -= f * s.c[n - k];
    }
  return {s, c};
}
/// The derivative, whose last term is lost (zero).
inline Taylor derivative(const Taylor& a) {
  Taylor r;
  for (std::size_t n = 0; n + 1 < Taylor::kTerms; ++n) r.c[n] = static_cast<double>(n + 1) * a.c[n + 1];
  return r;
}

}  // namespace cooperage::elements
