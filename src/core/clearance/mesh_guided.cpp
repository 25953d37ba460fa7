// SPDX-License-Identifier: GPL-3.0-or-later
// What of two meshes can meet at all when one only turns about an axis, or only slides along a line.
#include <algorithm>

#include "clearance/mesh_tree.h"
#include "base/index.h"
#include "clearance/triangles.h"

namespace cooperage::clearance {

namespace {

/// Sector about an axis, or a stretch of it.
struct Arc {
  double middle = 0, half = kPi;
};
Arc merged(const Arc& x, const Arc& y) {
  if (x.half >= kPi || y.half >= kPi) return {};
  const double apart = std::remainder(y.middle - x.middle, 2 * kPi);  // the shorter way round
  const double low = std::min(-x.half, apart - y.half), high = std::max(x.half, apart + y.half);
  if (high - low >= 2 * kPi) return {};
  return {x.middle + 0.5 * (low + high), 0.5 * (high - low)};
}

/// Where a triangle or a node lies about an axis: height along it, distance from it, sector.
struct Ring {
  double low = 1e300, high = -1e300;
  double inner = 1e300, outer = 0;
  Arc arc;
  bool empty = true;

  void take(const Ring& x) {
    arc = empty ? x.arc : merged(arc, x.arc);
    empty = false;
    low = std::min(low, x.low);
    high = std::max(high, x.high);
    inner = std::min(inner, x.inner);
    outer = std::max(outer, x.outer);
  }
};

Ring ringOf(std::array<Vec3, 3> t, const Vec3& at, const Vec3& axis, const Vec3& across) {
  Ring r;
  r.empty = false;
  for (Vec3& v : t) {
    const double z = axis.dot(v - at);
    r.low = std::min(r.low, z);
    r.high = std::max(r.high, z);
    v -= at + z * axis;
    r.outer = std::max(r.outer, v.norm());
  }
  // nearest to the axis: of the triangle as seen along it, whose edges are enough unless the axis goes through
  int feature;
  r.inner = nearestOnTriangle(Vec3::Zero(), t[0], t[1], t[2], feature).norm();
  for (std::size_t k = 0; k < 3; ++k) {
    const Vec3 d = t[(k + 1) % 3] - t[k];
    const double s = d.squaredNorm() > 0 ? std::clamp(-t[k].dot(d) / d.squaredNorm(), 0.0, 1.0) : 0;
    r.inner = std::min(r.inner, (t[k] + s * d).norm());
  }
  if (!(r.inner > 1e-9 * r.outer)) return r;  // all round
  const Vec3 other = axis.cross(across);
  const auto angle = [&](const Vec3& v) { return std::atan2(v.dot(other), v.dot(across)); };
  r.arc = {angle(t[0]), 0};
  for (std::size_t k = 1; k < 3; ++k) r.arc = merged(r.arc, {angle(t[k]), 0});
  r.arc.half += 1e-9;
  return r;
}

}  // namespace

/// Goes down both trees; a pair of leaves stays if any of its triangles can meet.
template <class Boxes, class Triangles>
std::optional<std::vector<MeshTree::LeafPair>> MeshTree::nearLeaves(const MeshTree& a, const MeshTree& b,
                                                                    std::size_t most, const Boxes& boxesApart,
                                                                    const Triangles& trianglesApart) {
  std::vector<LeafPair> out;
  if (a.nodes_.empty() || b.nodes_.empty()) return out;
  std::vector<LeafPair> open{{0, 0}};
  while (!open.empty()) {
    const LeafPair p = open.back();
    open.pop_back();
    if (boxesApart(p.a, p.b)) continue;
    const Node &na = a.nodes_[u(p.a)], &nb = b.nodes_[u(p.b)];
    if (na.left < 0 && nb.left < 0) {
      bool apart = true;
      for (int i = na.first; i < na.first + na.count; ++i)
        for (int j = nb.first; j < nb.first + nb.count; ++j) apart = apart && trianglesApart(i, j);
      if (apart) continue;
      out.push_back(p);
      if (out.size() > most) return {};
    } else if (nb.left < 0 || (na.left >= 0 && na.radius >= nb.radius)) {
      open.push_back({na.left, p.b});
      open.push_back({na.left + 1, p.b});
    } else {
      open.push_back({p.a, nb.left});
      open.push_back({p.a, nb.left + 1});
    }
  }
  return out;
}

std::optional<std::vector<MeshTree::LeafPair>> MeshTree::nearOnAxis(const MeshTree& a, const MeshTree& b,
                                                                    const Pose& bInA, const Guide& guide, double margin,
                                                                    std::size_t most) {
  const Vec3 across = guide.along.unitOrthogonal();
  const auto rings = [&](const MeshTree& of, const Pose& pose, std::vector<Ring>& nodes, std::vector<Ring>& triangles) {
    for (const Triangle& t : of.triangles_)
      triangles.push_back(ringOf({pose * t[0], pose * t[1], pose * t[2]}, guide.at, guide.along, across));
    nodes.resize(of.nodes_.size());
    for (std::size_t n = nodes.size(); n-- > 0;) {  // children come after their node
      const Node& node = of.nodes_[n];
      if (node.left >= 0)
        for (int child : {node.left, node.left + 1}) nodes[n].take(nodes[u(child)]);
      else
        for (int i = node.first; i < node.first + node.count; ++i) nodes[n].take(triangles[u(i)]);
    }
  };
  std::vector<Ring> nodesA, nodesB, trianglesA, trianglesB;
  rings(a, {}, nodesA, trianglesA);
  rings(b, bInA, nodesB, trianglesB);
  const bool anyAngle = !(guide.high - guide.low < 2 * kPi);
  const double turned = 0.5 * (guide.low + guide.high), swing = 0.5 * (guide.high - guide.low);
  const auto apart = [&](const Ring& x, const Ring& y) {
    if (std::max(x.low - y.high, y.low - x.high) > margin || std::max(x.inner - y.outer, y.inner - x.outer) > margin)
      return true;
    if (anyAngle || x.arc.half >= kPi || y.arc.half >= kPi) return false;
    const double gap =
        std::abs(std::remainder(y.arc.middle + turned - x.arc.middle, 2 * kPi)) - x.arc.half - y.arc.half - swing;
    return gap > 0 && std::min(x.inner, y.inner) * std::sin(std::min(gap, kPi / 2)) > margin;
  };
  return nearLeaves(
      a, b, most, [&](int i, int j) { return apart(nodesA[u(i)], nodesB[u(j)]); },
      [&](int i, int j) { return apart(trianglesA[u(i)], trianglesB[u(j)]); });
}

std::optional<std::vector<MeshTree::LeafPair>> MeshTree::nearOnLine(const MeshTree& a, const MeshTree& b,
                                                                    const Pose& bInA, const Guide& guide, double margin,
                                                                    std::size_t most) {
  const Vec3& along = guide.along;
  // square to the line and to another direction, if that is not along the line
  const auto across = [&](const Vec3& v, Vec3& n) {
    n = v.cross(along);
    const double length = n.norm();
    if (!(length > 1e-9 * v.norm())) return false;
    n /= length;
    return true;
  };
  /// Two stretches of the line, the second one moved.
  const auto passes = [&](double lowX, double highX, double lowY, double highY) {
    return lowY + guide.low - highX <= margin && lowX - highY - guide.high <= margin;
  };
  const auto boxes = [&](int i, int j) {
    const Node &x = a.nodes_[u(i)], &y = b.nodes_[u(j)];
    const Mat3 axes = bInA.R * y.axes;
    const Vec3 d = bInA * y.centre - x.centre;
    const auto reach = [](const Mat3& R, const Vec3& half, const Vec3& n) {
      return (R.transpose() * n).cwiseAbs().dot(half);
    };
    const double rx = reach(x.axes, x.half, along), ry = reach(axes, y.half, along), at = along.dot(d);
    if (!passes(-rx, rx, at - ry, at + ry)) return true;
    for (int k = 0; k < 6; ++k) {
      Vec3 n;
      if (!across(k < 3 ? x.axes.col(k) : axes.col(k - 3), n)) continue;
      if (std::abs(n.dot(d)) - reach(x.axes, x.half, n) - reach(axes, y.half, n) > margin) return true;
    }
    return false;
  };
  const auto triangles = [&](int i, int j) {
    const Triangle &x = a.triangles_[u(i)], &t = b.triangles_[u(j)];
    const Triangle y{bInA * t[0], bInA * t[1], bInA * t[2]};
    const auto span = [](const Vec3& n, const Triangle& of) {
      return std::minmax({n.dot(of[0]), n.dot(of[1]), n.dot(of[2])});
    };
    const auto sx = span(along, x), sy = span(along, y);
    if (!passes(sx.first, sx.second, sy.first, sy.second)) return true;
    for (int k = 0; k < 6; ++k) {
      const Triangle& of = k < 3 ? x : y;
      Vec3 n;
      if (!across(of[u((k + 1) % 3)] - of[u(k % 3)], n)) continue;
      const auto [lowX, highX] = span(n, x);
      const auto [lowY, highY] = span(n, y);
      if (std::max(lowX - highY, lowY - highX) > margin) return true;
    }
    return false;
  };
  return nearLeaves(a, b, most, boxes, triangles);
}

}  // namespace cooperage::clearance
