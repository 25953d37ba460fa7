// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cmath>

namespace cooperage {

/// A function of time with its first three derivatives; arithmetic follows the rules of Leibniz and Faa di Bruno, so
/// that rates of formula drives are exact, not differences.
struct Jet {
  double v = 0, d1 = 0, d2 = 0, d3 = 0;
  Jet() = default;
  Jet(double value) : v(value) {}  // NOLINT(google-explicit-constructor): constants mix freely with jets
  Jet(double value, double first, double second, double third) : v(value), d1(first), d2(second), d3(third) {}
};

/// f(a) from the derivatives f0..f3 of f at a.v.
inline Jet compose(const Jet& a, double f0, double f1, double f2, double f3) {
  return {f0, f1 * a.d1, f2 * a.d1 * a.d1 + f1 * a.d2, f3 * a.d1 * a.d1 * a.d1 + 3 * f2 * a.d1 * a.d2 + f1 * a.d3};
}
inline Jet operator-(const Jet& a) { return {-a.v, -a.d1, -a.d2, -a.d3}; }
inline Jet operator+(const Jet& a, const Jet& b) { return {a.v + b.v, a.d1 + b.d1, a.d2 + b.d2, a.d3 + b.d3}; }
inline Jet operator-(const Jet& a, const Jet& b) { return {a.v - b.v, a.d1 - b.d1, a.d2 - b.d2, a.d3 - b.d3}; }
inline Jet operator*(const Jet& a, const Jet& b) {
  return {a.v * b.v, a.d1 * b.v + a.v * b.d1, a.d2 * b.v + 2 * a.d1 * b.d1 + a.v * b.d2,
          a.d3 * b.v + 3 * a.d2 * b.d1 + 3 * a.d1 * b.d2 + a.v * b.d3};
}
inline Jet reciprocal(const Jet& a) {
  const double r = 1 / a.v;
  return compose(a, r, -r * r, 2 * r * r * r, -6 * r * r * r * r);
}
inline Jet operator/(const Jet& a, const Jet& b) { return a * reciprocal(b); }
inline Jet sin(const Jet& a) {
  const double s = std::sin(a.v), c = std::cos(a.v);
  return compose(a, s, c, -s, -c);
}
inline Jet cos(const Jet& a) {
  const double s = std::sin(a.v), c = std::cos(a.v);
  return compose(a, c, -s, -c, s);
}
inline Jet tan(const Jet& a) { return sin(a) / cos(a); }
inline Jet exp(const Jet& a) {
  const double e = std::exp(a.v);
  return compose(a, e, e, e, e);
}
inline Jet log(const Jet& a) {
  const double r = 1 / a.v;
  return compose(a, std::log(a.v), r, -r * r, 2 * r * r * r);
}
inline Jet pow(const Jet& a, double n) {
  const auto term = [&](double factor, double power) { return factor == 0 ? 0.0 : factor * std::pow(a.v, power); };
  return compose(a, std::pow(a.v, n), term(n, n - 1), term(n * (n - 1), n - 2), term(n * (n - 1) * (n - 2), n - 3));
}
inline Jet sqrt(const Jet& a) { return pow(a, 0.5); }
inline Jet atan(const Jet& a) {
  const double x = a.v, q = 1 + x * x;
  return compose(a, std::atan(x), 1 / q, -2 * x / (q * q), (6 * x * x - 2) / (q * q * q));
}
inline Jet asin(const Jet& a) {
  const double x = a.v, q = 1 - x * x, w = std::sqrt(q);
  return compose(a, std::asin(x), 1 / w, x / (q * w), (1 + 2 * x * x) / (q * q * w));
}
inline Jet acos(const Jet& a) { return Jet(std::acos(0.0)) - asin(a); }
inline Jet atan2(const Jet& y, const Jet& x) {
  // derivatives of the angle equal those of atan(y/x) or of -atan(x/y), whichever is the better scaled
  Jet angle = std::abs(x.v) > std::abs(y.v) ? atan(y / x) : -atan(x / y);
  angle.v = std::atan2(y.v, x.v);
  return angle;
}
inline Jet abs(const Jet& a) { return a.v < 0 ? -a : a; }
inline Jet fmin(const Jet& a, const Jet& b) { return b.v < a.v ? b : a; }
inline Jet fmax(const Jet& a, const Jet& b) { return a.v < b.v ? b : a; }
inline double valueOf(const Jet& a) { return a.v; }
inline double valueOf(double a) { return a; }

}  // namespace cooperage
