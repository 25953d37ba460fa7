// SPDX-License-Identifier: GPL-3.0-or-later
#include "drawing/nurbs.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/index.h"

namespace cooperage::drawing {
namespace {

constexpr int kOrders = 5;
constexpr int kMostDegree = 24;

using Triplet = Eigen::Vector3d;  // weight times place, weight

/// Derivatives of a B-spline curve in homogeneous figures: de Boor's scheme on the control points of each derivative.
std::array<Triplet, kOrders> homogeneous(const Nurbs& s, double x) {
  const int p = s.degree;
  const auto begin = s.knots.begin() + p, end = s.knots.begin() + static_cast<std::ptrdiff_t>(s.points.size()) + 1;
  auto it = std::upper_bound(begin, end, x);
  if (it == end) it = std::lower_bound(begin, end, s.high());  // the end belongs to the last span
  const int span = static_cast<int>(it - s.knots.begin()) - 1;
  std::array<Triplet, kMostDegree + 1> c;
  for (int k = 0; k <= p; ++k) {
    const std::size_t i = u(span - p + k);
    const double w = s.weights.empty() ? 1 : s.weights[i];
    c[u(k)] = Triplet(w * s.points[i].x(), w * s.points[i].y(), w);
  }
  std::array<Triplet, kOrders> out;
  for (int order = 0; order < kOrders; ++order) {
    const int q = p - order;  // degree of this derivative; its control points are c[order..p]
    if (q < 0) {
      out[u(order)] = Triplet::Zero();
      continue;
    }
    auto d = c;
    for (int r = 1; r <= q; ++r)
      for (int k = p; k >= order + r; --k) {
        const int i = span - p + k;
        const double a = s.knots[u(i)], b = s.knots[u(i + q - r + 1)];
        const double share = (x - a) / (b - a);
        d[u(k)] = (1 - share) * d[u(k - 1)] + share * d[u(k)];
      }
    out[u(order)] = d[u(p)];
    for (int k = p; k > order; --k) {  // control points of the next derivative
      const int i = span - p + k;
      c[u(k)] = q * (c[u(k)] - c[u(k - 1)]) / (s.knots[u(i + q)] - s.knots[u(i)]);
    }
  }
  return out;
}

}  // namespace

std::vector<double> Nurbs::spans() const {
  std::vector<double> out{low()};
  for (double k : knots)
    if (k > out.back() && k <= high()) out.push_back(k);
  return out;
}

std::array<Vec2, 5> Nurbs::at(double x) const {
  const auto h = homogeneous(*this, std::clamp(x, low(), high()));
  static constexpr double kBinomial[5][5] = {{1}, {1, 1}, {1, 2, 1}, {1, 3, 3, 1}, {1, 4, 6, 4, 1}};
  std::array<Vec2, 5> c;
  for (int k = 0; k < kOrders; ++k) {
    Vec2 v = h[u(k)].head<2>();
    for (int i = 1; i <= k; ++i) v -= kBinomial[k][i] * h[u(i)].z() * c[u(k - i)];
    c[u(k)] = v / h[0].z();
  }
  return c;
}

Status check(const Nurbs& s) {
  const auto wrong = [](const std::string& text) { return Error{"spline", "", text}; };
  if (s.degree < 1 || s.degree > kMostDegree)
    return wrong(fmt::format("its degree is {}; it should be 1 to {}", s.degree, kMostDegree));
  if (s.points.size() < u(s.degree) + 1)
    return wrong(
        fmt::format("it has {} control points; degree {} needs {} or more", s.points.size(), s.degree, s.degree + 1));
  if (s.knots.size() != s.points.size() + u(s.degree) + 1)
    return wrong(fmt::format("it has {} knots in place of {}", s.knots.size(), s.points.size() + u(s.degree) + 1));
  if (!s.weights.empty() && s.weights.size() != s.points.size())
    return wrong(fmt::format("it has {} weights for {} points", s.weights.size(), s.points.size()));
  for (std::size_t i = 0; i < s.knots.size(); ++i)
    if (!std::isfinite(s.knots[i]) || (i > 0 && s.knots[i] < s.knots[i - 1]))
      return wrong(fmt::format("knot {} falls below the one before", i + 1));
  for (const Vec2& p : s.points)
    if (!p.allFinite()) return wrong("a control point is not finite");
  for (double w : s.weights)
    if (!(w > 0) || !std::isfinite(w)) return wrong("a weight is not greater than zero");
  if (!(s.high() > s.low())) return wrong("its knots leave it no length");
  const auto spans = s.spans();
  for (double k : spans) {
    const auto range = std::equal_range(s.knots.begin(), s.knots.end(), k);
    const bool inside = k > s.low() && k < s.high();
    if (inside && range.second - range.first > s.degree) return wrong("it is torn at a knot");
  }
  return Done{};
}

Nurbs throughPoints(const std::vector<double>& t, const std::vector<Vec2>& points, const std::vector<Vec2>& slopes) {
  Nurbs s;
  s.degree = 3;
  s.knots.assign(4, t.front());
  s.points = {points.front()};
  for (std::size_t i = 1; i < t.size(); ++i) {
    const double h = (t[i] - t[i - 1]) / 3;
    s.points.insert(s.points.end(), {points[i - 1] + h * slopes[i - 1], points[i] - h * slopes[i], points[i]});
    s.knots.insert(s.knots.end(), 3, t[i]);
  }
  s.knots.push_back(t.back());
  return s;
}

}  // namespace cooperage::drawing
