// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <optional>
#include <vector>

#include "model/resolve.h"

namespace cooperage::clearance {

/// A convex body in exact figures: all points within `rim` of a flat convex polygon in its plane, raised by `half` to
/// both sides along z, and grown all round by `ball`. A box has four corners and no rim, a cylinder one corner and a
/// rim, a sphere one corner and a ball, a bar without its bores two corners and a rim.
struct Convex {
  std::vector<Eigen::Vector2d> corners;
  double rim = 0, half = 0, ball = 0;
  Pose placement;  ///< X_LB: its axes to link axes
  /// Holes through it along z, (x, y, radius): they take something away from it, so it is only its own hull.
  std::vector<Vec3> holes;

  /// A point in its middle, link axes.
  Vec3 middle() const {
    const Eigen::Vector2d m = 0.5 * (corners.front() + corners.back());
    return placement * Vec3(m.x(), m.y(), 0);
  }
  /// Farthest point of the core (without the ball) in a direction, its own axes.
  Vec3 support(const Vec3& direction) const;
  /// Signed distance of a point in link axes, m: of a box, a cylinder, a bar or a sphere without holes.
  double signedDistance(const Vec3& point) const;
  double ownSignedDistance(const Vec3& p) const;  ///< the same in its own axes
  /// Is there one? Boxes, cylinders, bars and balls without bores.
  bool hasClosedForm() const { return holes.empty() && (corners.size() <= 2 || (corners.size() == 4 && rim == 0)); }
  std::pair<Vec3, Vec3> ownBox() const;      ///< low and high corner of the box about it, own axes
  Vec3 ownOutward(const Vec3& point) const;  ///< outward() in its own axes
  /// Unit direction in which that distance grows, link axes: out of the nearest face, edge or rim.
  Vec3 outward(const Vec3& point) const;
  /// Distance of a point in link axes from the core (the body without its ball), 0 inside, m.
  double coreDistance(const Vec3& point) const;
  /// True for a point on its surface, in link axes, that lies in the mouth of a hole.
  bool inHole(const Vec3& point, double tolerance) const;
};

/// The exact body of an element, or none if it has none (or has been cut).
std::optional<Convex> convexOf(const model::Resolved::BodyR& body);

struct ConvexGap {
  double gap = 0;  ///< m; negative only where the balls overlap and the cores do not, or -1e300 where the cores do
  /// Where, link axes of A; between faces that are all but parallel true to a few micrometres only.
  Vec3 onA{0, 0, 0}, onB{0, 0, 0};
  Vec3 along{0, 0, 0};  ///< unit direction from the core of A to that of B, or zero
  /// The answer carries its own proof: both places lie in their bodies, and a plane parts the bodies by all but
  /// rounding of their distance; or, of cores that overlap, onA lies in both.
  bool certain = false;
};
/// Distance of two convex bodies to rounding (Gilbert, Johnson and Keerthi 1988, ended by the duality gap); each answer
/// is checked against its certificate.
/// @param bInA link axes of B in those of A
ConvexGap convexGap(const Convex& a, const Convex& b, const Pose& bInA);

}  // namespace cooperage::clearance
