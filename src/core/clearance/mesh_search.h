// SPDX-License-Identifier: GPL-3.0-or-later
// The search for the least distance of two trees; for mesh_tree.cpp and followed_distance.cpp alone.
#pragma once
#include <algorithm>
#include <cmath>
#include <vector>

#include "clearance/followed_distance.h"
#include "clearance/triangles.h"

namespace cooperage::clearance {

/// Depth first, nearer children first, the larger box opened. Most pairs are put aside by a direction along which some
/// pair of triangles came nearest: two supports cost less than the boxes' own bound, and those of the corners are
/// tight where boxes are roomy.
struct MeshTree::Search {
  /// A box of B in the axes of A.
  struct Placed {
    const Node* node;
    Mat3 axes;
    Vec3 centre;
  };
  struct Direction {
    Vec3 inA, inB;  ///< of unit length, from A to B, in the axes of either
    double offset;  ///< of the origin of B along it
  };
  static constexpr int kMost = 4;
  static constexpr int kFew = 64;       ///< corners of a node up to which all of them are asked
  static constexpr double kHope = 0.3;  ///< of the boxes' radii: what asking them may bring

  const MeshTree &a, &b;
  const Pose& pose;
  double best, best2;
  Nearest found;
  Direction directions[kMost];
  int known = 0;
  /// Where the pairs that were put aside are kept, if they are.
  std::vector<FollowedDistance::Aside>* aside = nullptr;
  const std::vector<FollowedDistance::Again>* places = nullptr;  ///< in it, to be filled first
  std::size_t placed = 0;

  Search(const MeshTree& x, const MeshTree& y, const Pose& bInA, double enough)
      : a(x), b(y), pose(bInA), best(enough), best2(enough < 1e150 ? enough * enough : 1e300) {
    found.distance = enough;
  }
  Placed place(int index) const {
    const Node& n = b.nodes_[static_cast<std::size_t>(index)];
    return {&n, pose.R * n.axes, pose * n.centre};
  }
  const Node& ofA(int index) const { return a.nodes_[static_cast<std::size_t>(index)]; }
  void keep(int ia, const Placed& y, const Vec3& along) {
    if (!aside) return;
    const int ib = static_cast<int>(y.node - b.nodes_.data());
    const Node& x = ofA(ia);
    const double high = x.corners <= kFew ? highest(a, x, along)
                                          : along.dot(x.centre) + (x.axes.transpose() * along).cwiseAbs().dot(x.half);
    const FollowedDistance::Aside kept{ia, ib, high, y.node->radius, along, y.node->centre};
    if (places && placed < places->size())
      (*aside)[(*places)[placed++].place] = kept;
    else
      aside->push_back(kept);
  }
  void learn(const Vec3& along) {
    for (int k = known < kMost ? known++ : kMost - 1; k > 0; --k) directions[k] = directions[k - 1];
    directions[0] = {along, pose.R.transpose() * along, along.dot(pose.p)};
  }
  /// Is something beyond something else by the best distance, along a direction that is known?
  /// @param along how far it is beyond along one of them  @param direction set to the one along which it is
  template <class Along>
  double parted(Vec3& direction, const Along& along) {
    for (int k = 0; k < known; ++k) {
      const double apart = along(directions[k]);
      if (apart < best) continue;
      direction = directions[k].inA;
      if (k > 0) std::swap(directions[k], directions[k - 1]);
      return apart;
    }
    return -1;
  }
  static double highest(const MeshTree& tree, const Node& n, const Vec3& along) {
    const auto c = tree.corners_.middleRows(n.firstCorner, n.corners);
    return (along.x() * c.col(0) + along.y() * c.col(1) + along.z() * c.col(2)).maxCoeff();
  }
  /// Is a box of B beyond a height along a direction in its axes?
  bool beyond(int ib, const Vec3& inB, double least) const {
    const Node& y = b.nodes_[static_cast<std::size_t>(ib)];
    const double boxed = inB.dot(y.centre) - (y.axes.transpose() * inB).cwiseAbs().dot(y.half);
    return boxed >= least || (y.corners <= kFew && -highest(b, y, -inB) >= least);
  }
  /// The same by the boxes alone, the one in the axes of the other, both ways.
  double boxes2(const Node& x, const Placed& y, Vec3& along) const {
    const Vec3 d = y.centre - x.centre;
    const Mat3 C = x.axes.transpose() * y.axes, S = C.cwiseAbs();
    const Vec3 dx = x.axes.transpose() * d;
    const Vec3 inX = (dx.cwiseAbs() - x.half - S * y.node->half).cwiseMax(0.0);
    const double byX = inX.squaredNorm();
    if (byX >= best2 && byX > 0) {
      along = x.axes * (dx.array() < 0).select(-inX, inX) / std::sqrt(byX);
      return byX;
    }
    const Vec3 dy = y.axes.transpose() * d;
    const Vec3 inY = (dy.cwiseAbs() - y.node->half - S.transpose() * x.half).cwiseMax(0.0);
    const double byY = inY.squaredNorm();
    if (byY > byX)
      along = y.axes * (dy.array() < 0).select(-inY, inY) / std::sqrt(byY);
    else if (byX > 0)
      along = x.axes * (dx.array() < 0).select(-inX, inX) / std::sqrt(byX);
    return std::max(byX, byY);
  }
  /// Squared lower bound of two boxes. @param along set if they are parted by the best distance: a direction of unit
  /// length along which they are
  double bound2(const Node& x, const Placed& y, Vec3& along) {
    const Vec3 d = y.centre - x.centre;
    const double d2 = d.squaredNorm(), reach = x.radius + y.node->radius + best;
    if (d2 >= reach * reach) {
      const double length = std::sqrt(d2);
      along = d / length;
      return (length - reach + best) * (length - reach + best);
    }
    const Node& z = *y.node;
    const bool few = x.corners <= kFew && z.corners <= kFew;
    const double hope = best - kHope * (x.radius + z.radius);
    const double apart = parted(along, [&](const Direction& n) {
      const double boxed = n.offset + n.inB.dot(z.centre) - n.inA.dot(x.centre) -
                           (z.axes.transpose() * n.inB).cwiseAbs().dot(z.half) -
                           (x.axes.transpose() * n.inA).cwiseAbs().dot(x.half);
      if (boxed >= best || !few || boxed < hope) return boxed;
      return n.offset - highest(b, z, -n.inB) - highest(a, x, n.inA);
    });
    if (apart >= 0) return apart * apart;
    return boxes2(x, y, along);
  }
  void leaf(int ix, const Placed& z) {
    const Node &x = ofA(ix), &y = *z.node;
    Vec3 along = Vec3::UnitX();
    for (int j = y.first; j < y.first + y.count; ++j)
      for (int i = x.first; i < x.first + x.count; ++i) pair(i, j, along);
    keep(ix, z, along);
  }
  void pair(int i, int j, Vec3& along) {
    const Triangle &x = a.triangles_[static_cast<std::size_t>(i)], &t = b.triangles_[static_cast<std::size_t>(j)];
    const double apart = parted(along, [&](const Direction& n) {
      return n.offset + std::min({n.inB.dot(t[0]), n.inB.dot(t[1]), n.inB.dot(t[2])}) -
             std::max({n.inA.dot(x[0]), n.inA.dot(x[1]), n.inA.dot(x[2])});
    });
    if (apart >= 0) return;
    const Triangle y{pose * t[0], pose * t[1], pose * t[2]};
    Vec3 onA, onB;
    const double d2 = triangleDistance2(x, y, best2, onA, onB);
    if (d2 < best2) {
      best2 = d2;
      best = std::sqrt(d2);
      found = {best, onA, onB, i, j};
      if (best > 0) learn(along = (onB - onA) / best);
    } else if (d2 > best2) {
      learn(along = (onB - onA) / std::sqrt(d2));
    }
  }
  void openOrKeep(int ix, const Placed& y, double bound, const Vec3& along) {
    if (bound < best2)
      open(ix, y);
    else
      keep(ix, y, along);
  }
  void open(int ix, const Placed& y) {
    const Node& x = ofA(ix);
    const bool leafX = x.left < 0, leafY = y.node->left < 0;
    if (leafX && leafY) {
      leaf(ix, y);
      return;
    }
    Vec3 byLeft = Vec3::UnitX(), byRight = byLeft;
    if (leafY || (!leafX && x.radius >= y.node->radius)) {
      const double l = bound2(ofA(x.left), y, byLeft), r = bound2(ofA(x.left + 1), y, byRight);
      if (l <= r) openOrKeep(x.left, y, l, byLeft);
      openOrKeep(x.left + 1, y, r, byRight);
      if (l > r) openOrKeep(x.left, y, l, byLeft);
      return;
    }
    const Placed left = place(y.node->left), right = place(y.node->left + 1);
    const double l = bound2(x, left, byLeft), r = bound2(x, right, byRight);
    if (l <= r) openOrKeep(ix, left, l, byLeft);
    openOrKeep(ix, right, r, byRight);
    if (l > r) openOrKeep(ix, left, l, byLeft);
  }
  void start(const Nearest& hint) {
    Vec3 unused = Vec3::UnitX();
    const auto in = [](const MeshTree& t, int i) { return i >= 0 && i < static_cast<int>(t.triangles_.size()); };
    if (in(a, hint.triangleA) && in(b, hint.triangleB)) pair(hint.triangleA, hint.triangleB, unused);
  }
  void both() {
    const Placed root = place(0);
    Vec3 along = Vec3::UnitX();
    const double bound = bound2(ofA(0), root, along);
    openOrKeep(0, root, bound, along);
  }
};

}  // namespace cooperage::clearance
