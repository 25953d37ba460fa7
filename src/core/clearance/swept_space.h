// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>

#include "kinematics/pair_motion.h"
#include "kinematics/solver.h"
#include "shape/solid.h"

namespace cooperage::clearance {

/// What a mesh goes through when it turns right round an axis (a ring), or slides along one for ever (a prism, by the
/// box of its section). Ground axes, m.
class SweptSpace {
 public:
  SweptSpace(const shape::Mesh& mesh, const Pose& pose, const kinematics::Twist& t);
  /// Could a triangle come into it if each of its places moves no farther than `way`?
  bool reaches(const std::array<Vec3, 3>& t, double way) const;
  /// Do two rings about one axis stay farther apart than a margin?
  bool apart(const SweptSpace& other, double margin) const;

 private:
  Vec3 at_, axis_;
  bool straight_;
  double low_ = 1e300, high_ = -1e300, inner_ = 1e300, outer_ = 0;  ///< of a ring: along the axis, and from it
  Vec3 x_{0, 0, 0}, y_{0, 0, 0};  ///< of a prism: directions across it, and the box in these
  Eigen::Vector2d boxLow_ = Eigen::Vector2d::Constant(1e300), boxHigh_ = -boxLow_;
};

}  // namespace cooperage::clearance
