// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "contact/outline.h"

namespace cooperage::contact {

/// How a plane A lies and moves in a plane B: x_B = R x_A + p, R a turn. Rates and accelerations are those of the turn
/// (w, alpha) and of A's origin (v, a), in the axes of B.
struct PlanarMotion {
  double c = 1, s = 0;
  Vec2 p{0, 0};
  double w = 0, alpha = 0;
  Vec2 v{0, 0}, a{0, 0};

  Vec2 direction(const Vec2& x) const { return {c * x.x() - s * x.y(), s * x.x() + c * x.y()}; }
  Vec2 point(const Vec2& x) const { return direction(x) + p; }
  Vec2 back(const Vec2& x) const {
    const Vec2 d = x - p;
    return {c * d.x() + s * d.y(), -s * d.x() + c * d.y()};
  }
  /// Velocity in B of the point of A that is at a place of B.
  Vec2 velocityAt(const Vec2& x) const { return v + w * left(x - p); }
};

/// Distance of two features along their common normal, positive where they are apart, with its rate and acceleration.
struct Gap {
  double size = 0;
  Vec2 normal{0, 0};  ///< in B, from B to A
  Vec2 onA{0, 0};     ///< A's point of contact, in B
  double rate = 0, acceleration = 0;
  bool within = false;  ///< the foot lies on both features; a corner against a line or an arc has all normals
  bool facing = false;  ///< within, and the normal is one of the corner's own too: beyond it its neighbour takes over
};

/// Gap of a feature of A and one of B. Two lines, two hollows, and a line and a hollow never touch but with their ends.
/// @param slack how far the foot may lie beyond a feature's end, m
/// @param room if given: how far it lies within what makes it `facing`, m; negative where it isn't
/// @return false where the pair has no gap of its own: of kinds that don't touch, or without a normal
bool gapOf(const Feature& a, const Feature& b, const PlanarMotion& m, double slack, Gap& out, double* room = nullptr);

/// Does a direction lie between those of a round or hollow feature, or beyond them by no more than the slack?
/// @param room if given: made no more than how far it lies within, m
bool inCone(const Feature& f, const Vec2& direction, double slack, double* room = nullptr);

/// A pair of features, by their places in the outlines.
struct FeaturePair {
  int a = -1, b = -1;
  bool operator==(const FeaturePair& o) const { return a == o.a && b == o.b; }
};

/// An overlap is real if the point of one that lies deepest in the other lies inside it (a line that is only produced
/// has none); it is the way out if no other part of the outline is nearer (the far side of a wall is not).
enum class Depth { none, inside, nearest };
Depth depthOf(const Outline& a, const Outline& b, const PlanarMotion& m, const FeaturePair& pair, const Gap& gap,
              std::vector<int>& work);
inline constexpr double kOn = 1e-10;  // m: a point so near to an outline lies on it

}  // namespace cooperage::contact
