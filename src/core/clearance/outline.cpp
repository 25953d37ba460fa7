// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/outline.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "base/index.h"

namespace cooperage::clearance {
namespace {

using Point = Eigen::Vector2d;

/// Which cells of a raster a mesh covers.
struct Raster {
  int w = 0, h = 0;
  Point low = Point::Zero();
  double cell = 0;
  std::vector<char> lit;
  bool at(int x, int y) const { return x >= 0 && y >= 0 && x < w && y < h && lit[u(y) * u(w) + u(x)]; }
};

Raster paint(const shape::Mesh& mesh, int axis, double cell) {
  const int a = (axis + 1) % 3, b = (axis + 2) % 3;
  Point low = Point::Constant(1e300), high = -low;
  for (const Vec3& v : mesh.vertices) {
    low = low.cwiseMin(Point(v[a], v[b]));
    high = high.cwiseMax(Point(v[a], v[b]));
  }
  Raster r;
  r.low = low;
  r.cell = std::max((high - low).maxCoeff() / 4000, cell);
  r.w = static_cast<int>((high.x() - low.x()) / r.cell) + 2;
  r.h = static_cast<int>((high.y() - low.y()) / r.cell) + 2;
  r.lit.assign(u(r.w) * u(r.h), 0);
  for (const auto& t : mesh.triangles) {
    double x[3], y[3];
    for (int k = 0; k < 3; ++k) {
      x[k] = (mesh.vertices[u(t[u(k)])][a] - low.x()) / r.cell;
      y[k] = (mesh.vertices[u(t[u(k)])][b] - low.y()) / r.cell;
    }
    const int first = static_cast<int>(std::ceil(std::min({y[0], y[1], y[2]}) - 0.5)),
              last = static_cast<int>(std::floor(std::max({y[0], y[1], y[2]}) - 0.5));
    for (int row = std::max(0, first); row <= std::min(r.h - 1, last); ++row) {
      double left = 1e300, right = -1e300;
      for (int k = 0; k < 3; ++k) {
        const int m = (k + 1) % 3;
        const double yc = row + 0.5;
        if ((y[k] > yc) == (y[m] > yc)) continue;
        const double xc = x[k] + (yc - y[k]) / (y[m] - y[k]) * (x[m] - x[k]);
        left = std::min(left, xc);
        right = std::max(right, xc);
      }
      for (int c = std::max(0, static_cast<int>(std::ceil(left - 0.5)));
           c <= std::min(r.w - 1.0, std::floor(right - 0.5)); ++c)
        r.lit[u(row) * u(r.w) + u(c)] = 1;
    }
  }
  return r;
}

/// Corners of a chain that carry it within a tolerance (Douglas and Peucker 1973).
void simplify(const std::vector<Point>& in, std::size_t first, std::size_t last, double tolerance,
              std::vector<Point>& out) {
  std::vector<std::pair<std::size_t, std::size_t>> open{{first, last}};
  std::vector<char> keep(in.size(), 0);
  while (!open.empty()) {
    const auto [i, j] = open.back();
    open.pop_back();
    double worst = tolerance;
    std::size_t at = 0;
    const Point d = in[j] - in[i];
    for (std::size_t k = i + 1; k < j; ++k) {
      const Point e = in[k] - in[i];
      const double far = d.norm() > 0 ? std::abs(d.x() * e.y() - d.y() * e.x()) / d.norm() : e.norm();
      if (far > worst) {
        worst = far;
        at = k;
      }
    }
    if (at == 0) continue;
    keep[at] = 1;
    open.emplace_back(i, at);
    open.emplace_back(at, j);
  }
  out.push_back(in[first]);
  for (std::size_t k = first + 1; k < last; ++k)
    if (keep[k]) out.push_back(in[k]);
}

}  // namespace

Outline outlineOf(const shape::Mesh& mesh, int axis, double cell) {
  Outline out;
  if (mesh.triangles.empty()) return out;
  const Raster r = paint(mesh, axis, cell);
  out.area = static_cast<double>(std::count(r.lit.begin(), r.lit.end(), 1)) * r.cell * r.cell;
  out.error = r.cell;
  // edges between a lit and a dark cell, the lit one on the left
  using Key = std::pair<int, int>;
  std::multimap<Key, Key> next;
  for (int y = 0; y < r.h; ++y)
    for (int x = 0; x < r.w; ++x) {
      if (!r.at(x, y)) continue;
      if (!r.at(x, y - 1)) next.insert({{x, y}, {x + 1, y}});
      if (!r.at(x + 1, y)) next.insert({{x + 1, y}, {x + 1, y + 1}});
      if (!r.at(x, y + 1)) next.insert({{x + 1, y + 1}, {x, y + 1}});
      if (!r.at(x - 1, y)) next.insert({{x, y + 1}, {x, y}});
    }
  while (!next.empty()) {
    std::vector<Point> chain;
    const Key start = next.begin()->first;
    Key at = start, came = start;
    do {
      auto range = next.equal_range(at);
      auto go = range.first;
      if (std::distance(range.first, range.second) > 1) {  // two cells meet at a corner: keep to the same one
        const int dx = at.first - came.first, dy = at.second - came.second;
        for (auto e = range.first; e != range.second; ++e)
          if (e->second.first - at.first == -dy && e->second.second - at.second == dx) go = e;
      }
      const Key to = go->second;
      // middles of the edges: half a cell smoother than the steps
      chain.emplace_back(r.low.x() + 0.5 * (at.first + to.first) * r.cell,
                         r.low.y() + 0.5 * (at.second + to.second) * r.cell);
      next.erase(go);
      came = at;
      at = to;
    } while (at != start);
    chain.push_back(chain.front());
    std::vector<Point> rim;
    const std::size_t half = chain.size() / 2;  // a closed chain has no ends to hold on to
    simplify(chain, 0, half, 0.5 * r.cell, rim);
    simplify(chain, half, chain.size() - 1, 0.5 * r.cell, rim);
    if (rim.size() >= 3) out.rims.push_back(std::move(rim));
  }
  return out;
}

}  // namespace cooperage::clearance
