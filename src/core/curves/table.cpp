// SPDX-License-Identifier: GPL-3.0-or-later
#include "curves/table.h"

#include <algorithm>
#include <cmath>

namespace cooperage::curves {

std::vector<Eigen::Vector2d> cubicSlopes(const std::vector<double>& t, const std::vector<Eigen::Vector2d>& x,
                                         const Eigen::Vector2d* first, const Eigen::Vector2d* last, bool periodic) {
  const std::size_t n = t.size();
  using Vec2 = Eigen::Vector2d;
  if (n == 2 && !periodic) {
    const Vec2 chord = (x[1] - x[0]) / (t[1] - t[0]);
    if (first && last) return {*first, *last};
    if (first) return {*first, 1.5 * chord - 0.5 * *first};
    if (last) return {1.5 * chord - 0.5 * *last, *last};
    return {chord, chord};
  }
  const auto h = [&](std::size_t i) { return t[i + 1] - t[i]; };
  // the sweep of a tridiagonal matrix for a right-hand side of two columns; a periodic spline closes it with a third
  const auto sweep = [&](std::vector<double> lower, std::vector<double> middle, std::vector<double> upper,
                         std::vector<Vec2> b) {
    for (std::size_t i = 1; i < b.size(); ++i) {
      const double f = lower[i] / middle[i - 1];
      middle[i] -= f * upper[i - 1];
      b[i] -= f * b[i - 1];
    }
    for (std::size_t i = b.size(); i-- > 0;)
      b[i] = (b[i] - (i + 1 < b.size() ? Vec2(upper[i] * b[i + 1]) : Vec2(0, 0))) / middle[i];
    return b;
  };
  const auto right = [&](std::size_t before, std::size_t here) {  // h(before) lies before point `here`
    return Vec2(3 *
                (h(here) / h(before) * (x[before + 1] - x[before]) + h(before) / h(here) * (x[here + 1] - x[here])));
  };
  if (periodic) {
    const std::size_t m = n - 1;  // unknown slopes 0..m-1, slope m = slope 0
    std::vector<double> lower(m), middle(m), upper(m);
    std::vector<Vec2> b(m), corner(m, Vec2(0, 0));
    for (std::size_t i = 0; i < m; ++i) {
      const std::size_t before = i == 0 ? m - 1 : i - 1;
      lower[i] = h(i);
      middle[i] = 2 * (h(i) + h(before));
      upper[i] = h(before);
      b[i] = right(before, i);
    }
    if (m == 1) return {b[0] / (3 * 2 * h(0)), b[0] / (3 * 2 * h(0))};
    // Sherman-Morrison for the two corner entries
    const double gamma = -middle[0], alpha = upper[m - 1], beta = lower[0];
    middle[0] -= gamma;
    middle[m - 1] -= alpha * beta / gamma;
    corner[0] = Vec2(gamma, 0);
    corner[m - 1] = Vec2(alpha, 0);
    auto y = sweep(lower, middle, upper, b);
    const auto z = sweep(lower, middle, upper, corner);
    const Vec2 factor = (y[0] + beta * y[m - 1] / gamma) / (1 + z[0].x() + beta * z[m - 1].x() / gamma);
    for (std::size_t i = 0; i < m; ++i) y[i] -= factor * z[i].x();
    y.push_back(y[0]);
    return y;
  }
  std::vector<double> lower(n), middle(n), upper(n);
  std::vector<Vec2> b(n);
  for (std::size_t i = 1; i + 1 < n; ++i) {
    lower[i] = h(i);
    middle[i] = 2 * (h(i) + h(i - 1));
    upper[i] = h(i - 1);
    b[i] = right(i - 1, i);
  }
  middle[0] = first ? 1 : 2;
  upper[0] = first ? 0 : 1;
  b[0] = first ? *first : Vec2(3 * (x[1] - x[0]) / h(0));
  middle[n - 1] = last ? 1 : 2;
  lower[n - 1] = last ? 0 : 1;
  b[n - 1] = last ? *last : Vec2(3 * (x[n - 1] - x[n - 2]) / h(n - 2));
  return sweep(lower, middle, upper, b);
}

Result<Table> Table::make(std::vector<std::pair<double, double>> points, const Word<Interpolation>& between,
                          const std::string& object) {
  if (points.size() < 2) return Error{"table", object, object + ": a table needs two points"};
  if (!between.known() && !between.empty())
    return Error{"table", object,
                 object + ": interpolation '" + between.text() + "' is none of spline, linear, periodic"};
  Table t;
  t.linear_ = between == Interpolation::linear;
  t.periodic_ = between == Interpolation::periodic;
  std::vector<Eigen::Vector2d> y;
  for (const auto& [a, b] : points) {
    if (!t.x_.empty() && !(a > t.x_.back()))
      return Error{"table", object, object + ": the first figures of the points must rise"};
    t.x_.push_back(a);
    t.y_.push_back(b);
    y.emplace_back(b, 0);
  }
  if (!t.linear_)
    for (const auto& s : cubicSlopes(t.x_, y, nullptr, nullptr, t.periodic_)) t.slope_.push_back(s.x());
  return t;
}

double Table::slopeJump(std::size_t i) const {
  if (!linear_ || i == 0 || i + 1 >= x_.size()) return 0;
  return (y_[i + 1] - y_[i]) / (x_[i + 1] - x_[i]) - (y_[i] - y_[i - 1]) / (x_[i] - x_[i - 1]);
}

/// Straight in x within a piece of a cubic: greatest at an end.
double Table::secondInPiece(std::size_t i, double x0, double x1) const {
  const double h = x_[i + 1] - x_[i], chord = (y_[i + 1] - y_[i]) / h;
  const double c2 = (3 * chord - 2 * slope_[i] - slope_[i + 1]) / h;
  const double c3 = (slope_[i] + slope_[i + 1] - 2 * chord) / (h * h);
  const auto at = [&](double x) { return std::abs(2 * c2 + 6 * c3 * (x - x_[i])); };
  return std::max(at(std::max(x0, x_[i])), at(std::min(x1, x_[i + 1])));
}

double Table::mostSecond(double x0, double x1) const {
  if (linear_) return 0;
  double most = 0;
  const double span = x_.back() - x_.front();
  const double rounds = periodic_ ? std::floor((x0 - x_.front()) / span) : 0;
  // a period more than once is all of it; else as often as the interval reaches into
  const int times = periodic_ ? (x1 - x0 >= span ? 1 : 2) : 1;
  if (periodic_ && x1 - x0 >= span) {
    x0 = x_.front();
    x1 = x_.back();
  } else {
    x0 -= rounds * span;
    x1 -= rounds * span;
  }
  for (int k = 0; k < times; ++k, x0 -= span, x1 -= span)
    for (std::size_t i = 0; i + 1 < x_.size(); ++i)
      if (x0 <= x_[i + 1] && x1 >= x_[i]) most = std::max(most, secondInPiece(i, x0, x1));
  return most * (1 + 1e-12);
}

ScalarJet Table::at(double x) const {
  double shift = 0;
  const double span = x_.back() - x_.front();
  if (periodic_) {
    const double rounds = std::floor((x - x_.front()) / span);
    shift = rounds * (y_.back() - y_.front());
    x -= rounds * span;
  }
  const auto it = std::upper_bound(x_.begin(), x_.end(), x);
  const std::size_t i = std::clamp<std::size_t>(static_cast<std::size_t>(it - x_.begin()), 1, x_.size() - 1) - 1;
  const double h = x_[i + 1] - x_[i], chord = (y_[i + 1] - y_[i]) / h, r = x - x_[i];
  if (linear_) return {y_[i] + r * chord, chord, 0, 0};
  if (x < x_.front()) return {y_.front() + (x - x_.front()) * slope_.front(), slope_.front(), 0, 0};
  if (x > x_.back()) return {y_.back() + (x - x_.back()) * slope_.back(), slope_.back(), 0, 0};
  const double c2 = (3 * chord - 2 * slope_[i] - slope_[i + 1]) / h;
  const double c3 = (slope_[i] + slope_[i + 1] - 2 * chord) / (h * h);
  return {y_[i] + r * (slope_[i] + r * (c2 + r * c3)) + shift, slope_[i] + r * (2 * c2 + 3 * r * c3),
          2 * c2 + 6 * r * c3, 6 * c3};
}

}  // namespace cooperage::curves
