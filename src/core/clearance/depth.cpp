// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "clearance/nearest.h"

namespace cooperage::clearance {
namespace {

constexpr int kCells = 4000, kRoughCells = 400, kMeshCells = 24;  // cubes that are halved at most
constexpr double kUnbounded = 1e200;                              // m: no bound is asked for

bool far(const Part& a, const Pose& pa, const Part& b, const Pose& pb) {
  return (pa * a.centre - pb * b.centre).norm() > a.radius + b.radius;
}

/// Two balls in closed form.
std::optional<Depth> ofBalls(const Part& a, const Pose& pa, const Part& b, const Pose& pb) {
  if (!a.convex || !b.convex || !(a.convex->ball > 0) || !(b.convex->ball > 0)) return {};
  const Vec3 ca = pa * a.convex->placement.p, cb = pb * b.convex->placement.p;
  const double ra = a.convex->ball, rb = b.convex->ball, d = (cb - ca).norm();
  const Vec3 n = d > 0 ? Vec3((cb - ca) / d) : Vec3::UnitX();
  // the point of one that lies nearest the other's middle is the deepest
  const double inB = rb - std::max(0.0, d - ra), inA = ra - std::max(0.0, d - rb);
  if (inB >= inA) return Depth{std::max(0.0, inB), ca + std::min(d, ra) * n, 0};
  return Depth{std::max(0.0, inA), cb - std::min(d, rb) * n, 0};
}

/// Maximises min-distance to a surface over the common volume of two parts.
class DepthSearch {
 public:
  DepthSearch(const Part& a, const Part& b, const Pose& aToB)
      : a_{a, a.fine()}, b_{b, b.fine()}, toA_(aToB.inverse()), toB_(aToB) {}

  /// @return depth and the place in axes of B
  Depth run(double within, bool roughly) {
    if (!common(low_, high_)) return best_;
    const int grid = roughly ? 3 : 5;
    for (int i = 0; i < grid; ++i)
      for (int j = 0; j < grid; ++j)
        for (int k = 0; k < grid; ++k)
          consider(low_ + ((high_ - low_).array() * Vec3(i + 0.5, j + 0.5, k + 0.5).array() / grid).matrix());
    // thin overlaps lie between grid points: corners and edge middles of both surfaces find them
    points(a_.facets.mesh(), toB_, roughly);
    points(b_.facets.mesh(), Pose{}, roughly);
    climb((high_ - low_).maxCoeff() / grid, roughly ? 1e-2 : 1e-4);
    best_.atMost = best_.depth;
    if (within >= kUnbounded) return best_;
    // a place in a mesh costs a hundred times as much as one in a box or a cylinder
    const bool closed = a_.part.hasClosedForm() && b_.part.hasClosedForm();
    bound(within, closed ? (roughly ? kRoughCells : kCells) : kMeshCells);
    return best_;
  }

  /// Box about all that the two can have in common, axes of B. @return false if there is nothing
  bool common(Vec3& low, Vec3& high) const {
    low = Vec3::Constant(1e300);
    high = -low;
    for (int i = 0; i < 8; ++i) {
      const Vec3 &l = a_.facets.low(), &h = a_.facets.high();
      const Vec3 corner = toB_ * Vec3(i & 1 ? h.x() : l.x(), i & 2 ? h.y() : l.y(), i & 4 ? h.z() : l.z());
      low = low.cwiseMin(corner);
      high = high.cwiseMax(corner);
    }
    low = low.cwiseMax(b_.facets.low());
    high = high.cwiseMin(b_.facets.high());
    return (low.array() <= high.array()).all();
  }
  bool inBoth(const Vec3& p) const { return value(p) > 0; }

 private:
  double value(const Vec3& p) const {
    const double b = b_.part.signedDistance(b_.facets, p);
    if (b > 1e-12) return -1;
    const double a = a_.part.signedDistance(a_.facets, toA_ * p);
    if (a > 1e-12) return -1;
    return std::max(-a, -b);
  }
  void consider(const Vec3& p) {
    const double v = value(p);
    if (v > best_.depth) best_ = {v, p, v};
  }
  void points(const shape::Mesh& mesh, const Pose& pose, bool roughly) {
    const auto inside = [&](const Vec3& p) {
      return (p.array() >= low_.array() - 1e-9).all() && (p.array() <= high_.array() + 1e-9).all();
    };
    near_.clear();
    for (const auto& t : mesh.triangles) {
      const Vec3 a = pose * mesh.vertices[static_cast<std::size_t>(t[0])],
                 b = pose * mesh.vertices[static_cast<std::size_t>(t[1])],
                 c = pose * mesh.vertices[static_cast<std::size_t>(t[2])];
      const Vec3 tl = a.cwiseMin(b).cwiseMin(c), th = a.cwiseMax(b).cwiseMax(c);
      if ((tl.array() > high_.array()).any() || (th.array() < low_.array()).any()) continue;
      for (const Vec3& p : {a, Vec3(0.5 * (a + b)), Vec3(0.5 * (b + c)), Vec3((a + b + c) / 3)})
        if (inside(p)) near_.push_back(p);
    }
    // of a fine mesh a share will do: the climb goes on from the best
    const std::size_t most = roughly ? 150 : 1500, stride = std::max<std::size_t>(1, near_.size() / most);
    for (std::size_t i = 0; i < near_.size(); i += stride) consider(near_[i]);
  }
  /// Compass search from the best point, with axes that turn from round to round (depths have ridges that lie askew).
  void climb(double step, double least) {
    if (!(best_.depth > 0)) return;
    const double smallest = least * step;
    const Mat3 turn = rotationOf(Vec3(0.7, 0.4, 0.9));
    Mat3 axes = Mat3::Identity();
    for (int failed = 0, round = 0; step > smallest && round < 400; ++round, axes = turn * axes) {
      const Vec3 from = best_.point;
      const double before = best_.depth;
      for (int axis = 0; axis < 3; ++axis)
        for (double sign : {1.0, -1.0}) consider(from + sign * step * axes.col(axis));
      failed = best_.depth > before * (1 + 1e-9) ? 0 : failed + 1;
      if (failed >= 2) step *= 0.5;
    }
  }

  /// A cube of places, by what the depth can be in it at most.
  struct Cell {
    Vec3 centre;
    double half, most;
    bool operator<(const Cell& o) const { return most < o.most; }
  };
  /// What the depth is at most in a cube, or less than nothing where the bodies have nothing in common there; the
  /// middle is a place of its own.
  double mostIn(const Vec3& c, const Vec3& half) {
    const double r = half.norm();
    const double b = b_.part.signedDistance(b_.facets, c);
    if (b > r) return -1;
    const Vec3 inA = toA_ * c;
    const double a = a_.part.signedDistance(a_.facets, inA);
    if (a > r) return -1;
    if (a <= 1e-12 && b <= 1e-12 && std::max(-a, -b) > best_.depth)
      best_ = {std::max(-a, -b), c, std::max(best_.atMost, std::max(-a, -b))};
    // distances change by no more than the way
    double inB = -b + r, inFirst = -a + r;
    if (a_.part.hasClosedForm() && b_.part.hasClosedForm()) {
      // Of convex bodies more is known: a body lies behind the plane in its nearest place, and how deep a place lies in
      // it is at most how deep it lies behind that plane. So the best of a plane within a plane and the cube bounds it.
      const Vec3 nb = b_.part.convex->outward(c), na = toB_.R * a_.part.convex->outward(inA);
      inB = std::min(inB, -b + mostAlong(-nb, na, -a, half));
      inFirst = std::min(inFirst, -a + mostAlong(-na, nb, -b, half));
    }
    return std::max(inB, inFirst);
  }
  /// Greatest g x over |x| <= half with n x <= room (linear programming duality: least over one multiplier).
  static double mostAlong(const Vec3& g, const Vec3& n, double room, const Vec3& half) {
    const auto dual = [&](double l) { return (g - l * n).cwiseAbs().dot(half) + l * room; };
    double best = dual(0);
    for (int k = 0; k < 3; ++k)
      if (n[k] != 0 && g[k] / n[k] > 0) best = std::min(best, dual(g[k] / n[k]));
    return best;
  }
  /// Halves cubes, those that could be deepest first, until the depth is known within a length or relative to itself.
  void bound(double within, int most) {
    std::vector<Cell> cells;
    const Vec3 size = 0.5 * (high_ - low_);
    const double largest = size.maxCoeff(), thinnest = std::max(size.minCoeff(), largest / 8);
    const auto add = [&](const Vec3& centre, double half) {
      const Vec3 reach = (high_ - centre).cwiseMin(Vec3::Constant(half)).cwiseMax(0.0);
      const double m = mostIn(centre, reach.cwiseMax(half));
      if (m > best_.depth) {
        cells.push_back({centre, half, m});
        std::push_heap(cells.begin(), cells.end());
      }
    };
    const Vec3 counts = (size / thinnest).array().ceil().max(1.0);
    const double half = (size.array() / counts.array()).maxCoeff();
    for (int i = 0; i < counts.x(); ++i)
      for (int j = 0; j < counts.y(); ++j)
        for (int k = 0; k < counts.z(); ++k)
          add(low_ + (2 * size.array() * (Vec3(i, j, k).array() + 0.5) / counts.array()).matrix(), half);
    for (int used = 0; !cells.empty(); ++used) {
      const double open = cells.front().most - best_.depth;
      if (open <= within || open <= kRelative * best_.depth || used >= most) break;
      const Cell cell = cells.front();
      std::pop_heap(cells.begin(), cells.end());
      cells.pop_back();
      for (int i = 0; i < 8; ++i)
        add(cell.centre + 0.5 * cell.half * Vec3(i & 1 ? 1 : -1, i & 2 ? 1 : -1, i & 4 ? 1 : -1), 0.5 * cell.half);
    }
    best_.atMost = cells.empty() ? best_.depth : std::max(best_.depth, cells.front().most);
  }

  Meshed a_, b_;
  Pose toA_, toB_;
  Vec3 low_, high_;
  Depth best_;
  std::vector<Vec3> near_;
};

}  // namespace

Depth depthOf(const LinkGeometry& a, const Pose& pa, const LinkGeometry& b, const Pose& pb, double within,
              bool roughly) {
  Depth best;
  const Pose aToB = pb.inverse() * pa;
  for (const auto& x : a.parts())
    for (const auto& y : b.parts()) {
      if (far(*x, pa, *y, pb)) continue;
      Depth d;
      if (const auto balls = ofBalls(*x, pa, *y, pb)) {
        d = *balls;
        d.atMost = d.depth;
      } else {
        d = DepthSearch(*x, *y, aToB).run(within, roughly);
        d.point = pb * d.point;
      }
      const double atMost = std::max(best.atMost, d.atMost);
      if (d.depth > best.depth) best = d;
      best.atMost = atMost;
    }
  return best;
}

std::vector<Vec3> overlapRegion(const LinkGeometry& a, const Pose& pa, const LinkGeometry& b, const Pose& pb,
                                int most) {
  std::vector<Vec3> out;
  const Pose aToB = pb.inverse() * pa;
  const Pose bToA = aToB.inverse();
  for (const auto& x : a.parts())
    for (const auto& y : b.parts()) {
      if (far(*x, pa, *y, pb)) continue;
      const DepthSearch search(*x, *y, aToB);
      Vec3 low, high;
      if (!search.common(low, high)) continue;
      // corners and middles of the triangles of either that lie inside the other: the rim of the overlap and its skin
      const auto skin = [&](const Part& part, const Pose& toOther, const Part& other, const Pose& toGround) {
        const shape::Mesh& mesh = part.fine().mesh();
        const Facets& inside = other.fine();
        for (const auto& t : mesh.triangles) {
          if (static_cast<int>(out.size()) >= most) return;
          const Vec3 m =
              (mesh.vertices[static_cast<std::size_t>(t[0])] + mesh.vertices[static_cast<std::size_t>(t[1])] +
               mesh.vertices[static_cast<std::size_t>(t[2])]) /
              3;
          const Vec3 p = toOther * m;
          if ((p.array() < other.low.array()).any() || (p.array() > other.high.array()).any()) continue;
          if (other.signedDistance(inside, p) < 0) out.push_back(toGround * m);
        }
      };
      skin(*x, aToB, *y, pa);
      skin(*y, bToA, *x, pb);
      constexpr int kGrid = 14;
      for (int i = 0; i < kGrid; ++i)
        for (int j = 0; j < kGrid; ++j)
          for (int k = 0; k < kGrid && static_cast<int>(out.size()) < most; ++k) {
            const Vec3 p = low + ((high - low).array() * Vec3(i + 0.5, j + 0.5, k + 0.5).array() / kGrid).matrix();
            if (search.inBoth(p)) out.push_back(pb * p);
          }
    }
  return out;
}

}  // namespace cooperage::clearance
