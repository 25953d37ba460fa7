// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/triangles.h"

#include <algorithm>

namespace cooperage::clearance {

Vec3 nearestOnTriangle(const Vec3& p, const Vec3& a, const Vec3& b, const Vec3& c, int& feature) {
  const Vec3 ab = b - a, ac = c - a, ap = p - a;
  const double d1 = ab.dot(ap), d2 = ac.dot(ap);
  if (d1 <= 0 && d2 <= 0) return feature = 0, a;
  const Vec3 bp = p - b;
  const double d3 = ab.dot(bp), d4 = ac.dot(bp);
  if (d3 >= 0 && d4 <= d3) return feature = 1, b;
  const double vc = d1 * d4 - d3 * d2;
  if (vc <= 0 && d1 >= 0 && d3 <= 0) return feature = 3, Vec3(a + d1 / (d1 - d3) * ab);
  const Vec3 cp = p - c;
  const double d5 = ab.dot(cp), d6 = ac.dot(cp);
  if (d6 >= 0 && d5 <= d6) return feature = 2, c;
  const double vb = d5 * d2 - d1 * d6;
  if (vb <= 0 && d2 >= 0 && d6 <= 0) return feature = 5, Vec3(a + d2 / (d2 - d6) * ac);
  const double va = d3 * d6 - d5 * d4;
  if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0)
    return feature = 4, Vec3(b + (d4 - d3) / ((d4 - d3) + (d5 - d6)) * (c - b));
  const double denominator = 1 / (va + vb + vc);
  feature = 6;
  return a + ab * (vb * denominator) + ac * (vc * denominator);
}

namespace {

/// Squared distance of two segments (Ericson, 5.1.9), degenerate ones too.
double segments(const Vec3& p1, const Vec3& d1, const Vec3& p2, const Vec3& d2, Vec3& c1, Vec3& c2) {
  const Vec3 r = p1 - p2;
  const double a = d1.squaredNorm(), e = d2.squaredNorm(), f = d2.dot(r);
  double s = 0, t = 0;
  if (a > 0 && e > 0) {
    const double c = d1.dot(r), b = d1.dot(d2), denominator = a * e - b * b;
    s = denominator > 1e-14 * a * e ? std::clamp((b * f - c * e) / denominator, 0.0, 1.0) : 0.0;
    t = (b * s + f) / e;
    if (t < 0) {
      t = 0;
      s = std::clamp(-c / a, 0.0, 1.0);
    } else if (t > 1) {
      t = 1;
      s = std::clamp((b - c) / a, 0.0, 1.0);
    }
  } else if (a > 0) {
    s = std::clamp(-d1.dot(r) / a, 0.0, 1.0);
  } else if (e > 0) {
    t = std::clamp(f / e, 0.0, 1.0);
  }
  c1 = p1 + s * d1;
  c2 = p2 + t * d2;
  return (c1 - c2).squaredNorm();
}

/// Does a segment meet a triangle? @param normal of the triangle, not of unit length; @param from, to of its ends over
/// the triangle's plane, along the normal
bool pierces(const Vec3& p, const Vec3& q, double from, double to, const Triangle& t, const Vec3& normal, Vec3& at) {
  if ((from > 0 && to > 0) || (from < 0 && to < 0) || from == to) return false;
  at = p + from / (from - to) * (q - p);
  for (std::size_t i = 0; i < 3; ++i)
    if (normal.cross(t[(i + 1) % 3] - t[i]).dot(at - t[i]) < 0) return false;
  return true;
}

}  // namespace

double triangleDistance2(const Triangle& a, const Triangle& b, double best, Vec3& onA, Vec3& onB) {
  const Vec3 na = (a[1] - a[0]).cross(a[2] - a[0]), nb = (b[1] - b[0]).cross(b[2] - b[0]);
  const double la = na.squaredNorm(), lb = nb.squaredNorm();
  double overA[3], overB[3];
  for (int i = 0; i < 3; ++i) {
    overA[i] = na.dot(b[static_cast<std::size_t>(i)] - a[0]);
    overB[i] = nb.dot(a[static_cast<std::size_t>(i)] - b[0]);
  }
  // all corners on one side of the other's plane, and far from it
  const auto beyond = [best](const double* h, double length2) {
    const double low = std::min({h[0], h[1], h[2]}), high = std::max({h[0], h[1], h[2]});
    const double over = low > 0 ? low : high < 0 ? -high : 0.0;
    return over * over >= best * length2 && over > 0;
  };
  if (la > 0 && beyond(overA, la)) return best;
  if (lb > 0 && beyond(overB, lb)) return best;
  Vec3 at;
  for (std::size_t i = 0; i < 3; ++i) {
    const std::size_t j = (i + 1) % 3;
    if ((la > 0 && pierces(b[i], b[j], overA[i], overA[j], a, na, at)) ||
        (lb > 0 && pierces(a[i], a[j], overB[i], overB[j], b, nb, at))) {
      onA = onB = at;
      return 0;
    }
  }
  double least = 1e300;
  const auto take = [&](double d2, const Vec3& x, const Vec3& y) {
    if (d2 >= least) return;
    least = d2;
    onA = x;
    onB = y;
  };
  for (std::size_t i = 0; i < 3; ++i)
    for (std::size_t j = 0; j < 3; ++j) {
      Vec3 x, y;
      const double d2 = segments(a[i], a[(i + 1) % 3] - a[i], b[j], b[(j + 1) % 3] - b[j], x, y);
      take(d2, x, y);
    }
  int feature;
  for (std::size_t i = 0; i < 3; ++i) {
    const Vec3 x = nearestOnTriangle(b[i], a[0], a[1], a[2], feature);
    take((x - b[i]).squaredNorm(), x, b[i]);
    const Vec3 y = nearestOnTriangle(a[i], b[0], b[1], b[2], feature);
    take((y - a[i]).squaredNorm(), a[i], y);
  }
  return least;
}

}  // namespace cooperage::clearance
