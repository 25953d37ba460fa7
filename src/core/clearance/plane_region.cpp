// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/plane_region.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <map>
#include <unordered_map>

#include "base/index.h"

namespace cooperage::clearance {
namespace {

using Vec2 = Eigen::Vector2d;
std::uint64_t edgeOf(int a, int b) {
  return (static_cast<std::uint64_t>(static_cast<std::uint32_t>(std::min(a, b))) << 32) |
         static_cast<std::uint32_t>(std::max(a, b));
}

class Cutter {
 public:
  Cutter(const PlaneCut& cut, Progress* progress) : cut_(cut), progress_(progress) {}

  PlaneRegion go(const Vec2& low, const Vec2& high) {
    // turned a little, so that sides along the axes don't run along those of the triangles
    const Eigen::Rotation2Dd turn(0.3);
    const Vec2 middle = 0.5 * (low + high);
    const double half = 0.75 * (high - low).norm() + cut_.base;
    for (const auto& [x, y] : {std::pair{-1, -1}, std::pair{1, -1}, std::pair{1, 1}, std::pair{-1, 1}}) {
      points_.emplace_back(middle + turn * Vec2(x * half, y * half));
      values_.push_back(cut_.value(points_.back()));
    }
    add({0, 2, 1});
    add({2, 0, 3});
    while (!untested_.empty() && !cancelled()) {
      std::vector<int> now;
      now.swap(untested_);
      std::vector<char> split(now.size(), 0);
      tbb::parallel_for(std::size_t(0), now.size(), [&](std::size_t i) {
        if (leaves_[u(now[i])].alive) split[i] = tooLarge(leaves_[u(now[i])].corners);
      });
      for (std::size_t i = 0; i < now.size(); ++i)
        if (split[i]) due_.push_back(now[i]);
      while (!due_.empty()) {
        const int leaf = due_.back();
        due_.pop_back();
        if (leaves_[u(leaf)].alive) halve(leaf);
      }
      const std::size_t known = values_.size();
      values_.resize(points_.size());
      tbb::parallel_for(known, points_.size(), [&](std::size_t i) { values_[i] = cut_.value(points_[i]); });
    }
    return cancelled() ? PlaneRegion{} : assembled();
  }

 private:
  using Corners = std::array<int, 3>;  ///< the last at the right angle, opposite of the longest side
  struct Leaf {
    Corners corners;
    bool alive = true;
  };
  bool cancelled() const { return progress_ && progress_->cancelled(); }
  bool inside(int point) const { return values_[u(point)] < cut_.level; }

  void add(const Corners& c) {
    const int leaf = static_cast<int>(leaves_.size());
    leaves_.push_back({c});
    bool hangs = false;
    for (std::size_t k = 0; k < 3; ++k) {
      const auto edge = edgeOf(c[k], c[(k + 1) % 3]);
      auto& sides = sides_.try_emplace(edge, std::array<int, 2>{-1, -1}).first->second;
      (sides[0] < 0 ? sides[0] : sides[1]) = leaf;
      hangs = hangs || middles_.count(edge);
    }
    (hangs ? due_ : untested_).push_back(leaf);
  }

  void halve(int leaf) {
    const auto [a, b, c] = leaves_[u(leaf)].corners;
    leaves_[u(leaf)].alive = false;
    for (const auto edge : {edgeOf(a, b), edgeOf(b, c), edgeOf(c, a)}) {
      auto& sides = sides_.at(edge);
      (sides[0] == leaf ? sides[0] : sides[1]) = -1;
    }
    const auto edge = edgeOf(a, b);
    const auto [it, fresh] = middles_.try_emplace(edge, static_cast<int>(points_.size()));
    const int m = it->second;
    if (fresh) {
      points_.emplace_back(0.5 * (points_[u(a)] + points_[u(b)]));
      for (const int other : sides_.at(edge))
        if (other >= 0) due_.push_back(other);
    }
    add({c, a, m});
    add({b, c, m});
  }

  /// Where the rim crosses a side, from its end inside to that outside: the values are straight to first order.
  Vec2 crossing(const Vec2& in, double fIn, const Vec2& out, double fOut) const {
    double a = 0, b = 1, fa = fIn - cut_.level, fb = fOut - cut_.level;
    int side = 0;
    for (int k = 0; k < 40 && fb > 0; ++k) {  // Illinois
      const double t = (a * fb - b * fa) / (fb - fa);
      const double f = cut_.value(in + t * (out - in)) - cut_.level;
      if (std::abs(f) < 1e-3 * cut_.tolerance || b - a < 1e-9) return in + t * (out - in);
      if (f > 0) {
        b = t;
        fb = f;
        if (side == 1) fa *= 0.5;
        side = 1;
      } else {
        a = t;
        fa = f;
        if (side == -1) fb *= 0.5;
        side = -1;
      }
    }
    return in + b * (out - in);
  }
  double height(double value) const {
    return std::sqrt(std::max(0.0, cut_.level * cut_.level - std::pow(std::max(0.0, value), 2)));
  }
  /// How far the middle between two places of the top is from the true one.
  double topOff(const Vec2& a, double za, const Vec2& b, double zb) const {
    const double f = cut_.value(0.5 * (a + b));
    return std::abs(std::hypot(std::max(0.0, f), 0.5 * (za + zb)) - cut_.level);
  }

  bool tooLarge(const Corners& c) const {
    const Vec2 &a = points_[u(c[0])], &b = points_[u(c[1])], &apex = points_[u(c[2])], m = 0.5 * (a + b);
    const double reach = 0.5 * (b - a).norm(), fm = cut_.value(m) - cut_.level;  // from m to each corner
    if (fm > reach) return false;
    const bool within = fm < -reach;
    if (within && (!cut_.round || fm + cut_.level < -reach)) return false;
    if (reach > (within ? 8 : 1) * cut_.base) return true;
    if (reach < 0.25 * cut_.tolerance) return false;
    const int in = inside(c[0]) + inside(c[1]) + inside(c[2]);
    if (in == 0 || in == 3) {
      if (!within) {
        double least = std::abs(fm);
        bool same = (fm < 0) == (in == 3);
        for (const Vec2& p : {Vec2(0.5 * (b + apex)), Vec2(0.5 * (apex + a))}) {
          const double f = cut_.value(p) - cut_.level;
          same = same && (f < 0) == (in == 3);
          least = std::min(least, std::abs(f));
        }
        for (const int k : c) least = std::min(least, std::abs(values_[u(k)] - cut_.level));
        // each place of the triangle is within half its reach of one of the six
        if (!same || least < 0.5 * reach) return true;
      }
      if (in == 0 || !cut_.round) return false;
      std::array<double, 3> z{};
      for (std::size_t k = 0; k < 3; ++k) z[k] = height(values_[u(c[k])]);
      for (std::size_t k = 0; k < 3; ++k)
        if (topOff(points_[u(c[k])], z[k], points_[u(c[(k + 1) % 3])], z[(k + 1) % 3]) > cut_.tolerance) return true;
      const Vec2 low = (a + b + apex) / 3;
      return std::abs(std::hypot(std::max(0.0, cut_.value(low)), (z[0] + z[1] + z[2]) / 3) - cut_.level) >
             cut_.tolerance;
    }
    // the corner that is alone, and the places where the rim crosses
    std::size_t k = 0;
    while (inside(c[k]) != (in == 1)) ++k;
    const int alone = c[k], next = c[(k + 1) % 3], last = c[(k + 2) % 3];
    const auto cross = [&](int p) {
      const int i = in == 1 ? alone : p, o = in == 1 ? p : alone;
      return crossing(points_[u(i)], values_[u(i)], points_[u(o)], values_[u(o)]);
    };
    const Vec2 x = cross(next), y = cross(last);
    const Vec2 middle = 0.5 * (x + y);
    const double off = cut_.value(middle) - cut_.level;
    if (std::abs(off) > cut_.tolerance) return true;
    if (!cut_.round) {
      if (off > 0) return false;
      // inside, the value may be less than the way to the rim: is that within the tolerance?
      Vec2 out = Vec2(y.y() - x.y(), x.x() - y.x()).normalized();
      if ((out.dot(points_[u(alone)] - x) > 0) == (in == 1)) out = -out;
      return cut_.value(middle + cut_.tolerance * out) < cut_.level;
    }
    for (const int p : {alone, next, last})
      if (inside(p))
        for (const Vec2& q : {x, y})
          if (topOff(points_[u(p)], height(values_[u(p)]), q, 0) > cut_.tolerance) return true;
    return false;
  }

  PlaneRegion assembled() const {
    PlaneRegion r;
    std::vector<int> number(points_.size(), -1);
    std::unordered_map<std::uint64_t, int> crossings;
    std::vector<std::pair<int, int>> crossed;  // inside, outside
    const auto corner = [&](int p) {
      int& n = number[u(p)];
      if (n < 0) {
        n = static_cast<int>(r.points.size());
        r.points.push_back(points_[u(p)]);
        r.values.push_back(values_[u(p)]);
        r.rim.push_back(0);
      }
      return n;
    };
    std::vector<int> rimPoints;
    const auto rim = [&](int in, int out) {
      const auto [it, fresh] = crossings.try_emplace(edgeOf(in, out), static_cast<int>(r.points.size()));
      if (fresh) {
        r.points.emplace_back(0, 0);
        r.values.push_back(cut_.level);
        r.rim.push_back(1);
        rimPoints.push_back(it->second);
        crossed.emplace_back(in, out);
      }
      return it->second;
    };
    for (const Leaf& leaf : leaves_) {
      if (!leaf.alive) continue;
      // corners run clockwise as made: the longest side first, then the right angle
      std::array<int, 3> c = leaf.corners;
      const Vec2 p = points_[u(c[1])] - points_[u(c[0])], q = points_[u(c[2])] - points_[u(c[0])];
      if (p.x() * q.y() - p.y() * q.x() < 0) std::swap(c[0], c[1]);
      const int in = inside(c[0]) + inside(c[1]) + inside(c[2]);
      if (in == 0) continue;
      if (in == 3) {
        r.triangles.push_back({corner(c[0]), corner(c[1]), corner(c[2])});
        continue;
      }
      std::size_t k = 0;
      while (inside(c[k]) != (in == 1)) ++k;
      const int alone = c[k], next = c[(k + 1) % 3], last = c[(k + 2) % 3];
      if (in == 1) {
        const int a = corner(alone), x = rim(alone, next), y = rim(alone, last);
        r.triangles.push_back({a, x, y});
        r.edges.push_back({x, y});
      } else {
        const int n = corner(next), l = corner(last), x = rim(next, alone), y = rim(last, alone);
        r.triangles.push_back({x, n, l});
        r.triangles.push_back({x, l, y});
        r.edges.push_back({y, x});
      }
    }
    tbb::parallel_for(std::size_t(0), crossed.size(), [&](std::size_t i) {
      const auto [in, out] = crossed[i];
      r.points[u(rimPoints[i])] = crossing(points_[u(in)], values_[u(in)], points_[u(out)], values_[u(out)]);
    });
    return r;
  }

  const PlaneCut& cut_;
  Progress* progress_;
  std::vector<Vec2> points_;
  std::vector<double> values_;
  std::vector<Leaf> leaves_;
  std::vector<int> untested_, due_;
  std::unordered_map<std::uint64_t, std::array<int, 2>> sides_;  ///< of an edge: the leaves
  std::unordered_map<std::uint64_t, int> middles_;
};

/// Douglas and Peucker: the points of a stretch that are needed.
void keepNeeded(const std::vector<Vec2>& loop, std::size_t from, std::size_t to, double tolerance,
                std::vector<char>& keep) {
  std::vector<std::pair<std::size_t, std::size_t>> open{{from, to}};
  while (!open.empty()) {
    const auto [a, b] = open.back();
    open.pop_back();
    const Vec2 &p = loop[a % loop.size()], d = loop[b % loop.size()] - p;
    std::size_t farthest = a;
    double most = tolerance;
    for (std::size_t i = a + 1; i < b; ++i) {
      const Vec2 q = loop[i % loop.size()] - p;
      const double t = d.squaredNorm() > 0 ? std::clamp(q.dot(d) / d.squaredNorm(), 0.0, 1.0) : 0;
      if (const double off = (q - t * d).norm(); off > most) {
        most = off;
        farthest = i;
      }
    }
    if (farthest == a) continue;
    keep[farthest % loop.size()] = 1;
    open.emplace_back(a, farthest);
    open.emplace_back(farthest, b);
  }
}

}  // namespace

PlaneRegion planeRegion(const PlaneCut& cut, const Vec2& low, const Vec2& high, Progress* progress) {
  return Cutter(cut, progress).go(low, high);
}

std::vector<std::vector<Vec2>> rimsOf(const PlaneRegion& region, double tolerance) {
  std::map<int, int> next;  // each point of the rim begins one edge: it lies on a side of two triangles
  for (const auto& e : region.edges) next[e[0]] = e[1];
  std::vector<std::vector<Vec2>> out;
  while (!next.empty()) {
    std::vector<Vec2> loop;
    for (auto it = next.begin(); it != next.end();) {
      loop.push_back(region.points[u(it->first)]);
      const int to = it->second;
      next.erase(it);
      it = next.find(to);
    }
    std::size_t far = 0;
    for (std::size_t i = 0; i < loop.size(); ++i)
      if ((loop[i] - loop[0]).norm() > (loop[far] - loop[0]).norm()) far = i;
    std::vector<char> keep(loop.size(), 0);
    keep[0] = keep[far] = 1;
    keepNeeded(loop, 0, far, tolerance, keep);
    keepNeeded(loop, far, loop.size(), tolerance, keep);
    std::vector<Vec2> kept;
    for (std::size_t i = 0; i < loop.size(); ++i)
      if (keep[i]) kept.push_back(loop[i]);
    if (kept.size() > 2) out.push_back(std::move(kept));
  }
  return out;
}

}  // namespace cooperage::clearance
