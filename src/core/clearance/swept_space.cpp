// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/swept_space.h"

#include <algorithm>

#include "base/index.h"
#include "clearance/triangles.h"

namespace cooperage::clearance {

SweptSpace::SweptSpace(const shape::Mesh& mesh, const Pose& pose, const kinematics::Twist& t)
    : at_(t.at), axis_((t.w.squaredNorm() > 0 ? t.w : t.v).normalized()), straight_(t.w.squaredNorm() == 0) {
  if (straight_) {
    x_ = anyPerpendicular(axis_);
    y_ = axis_.cross(x_);
    for (const Vec3& v : mesh.vertices) {
      const Vec3 p = pose * v;
      const Eigen::Vector2d flat(p.dot(x_), p.dot(y_));
      boxLow_ = boxLow_.cwiseMin(flat);
      boxHigh_ = boxHigh_.cwiseMax(flat);
    }
    return;
  }
  for (const auto& triangle : mesh.triangles) {
    std::array<Vec3, 3> flat;
    for (std::size_t k = 0; k < 3; ++k) {
      const Vec3 v = pose * mesh.vertices[u(triangle[k])] - at_;
      const double z = v.dot(axis_);
      low_ = std::min(low_, z);
      high_ = std::max(high_, z);
      flat[k] = v - z * axis_;
      outer_ = std::max(outer_, flat[k].norm());
    }
    if (flat[0].norm() > 2 * inner_ + (flat[1] - flat[0]).norm() + (flat[2] - flat[0]).norm()) continue;
    int feature = 0;
    inner_ = std::min(inner_, nearestOnTriangle(Vec3::Zero(), flat[0], flat[1], flat[2], feature).norm());
  }
}

bool SweptSpace::reaches(const std::array<Vec3, 3>& t, double way) const {
  if (straight_) {
    Eigen::Vector2d from = Eigen::Vector2d::Constant(1e300), to = -from;
    for (const Vec3& v : t) {
      const Eigen::Vector2d flat(v.dot(x_), v.dot(y_));
      from = from.cwiseMin(flat);
      to = to.cwiseMax(flat);
    }
    return ((from.array() - way) < boxHigh_.array()).all() && ((to.array() + way) > boxLow_.array()).all();
  }
  const Vec3 c = (t[0] + t[1] + t[2]) / 3 - at_;
  const double z = c.dot(axis_), r = (c - z * axis_).norm();
  double along = 0, across = 0;
  for (const Vec3& v : t) {
    const Vec3 d = v - at_ - c;
    const double dz = d.dot(axis_);
    along = std::max(along, std::abs(dz));
    across = std::max(across, (d - dz * axis_).norm());
  }
  return z - along - way < high_ && z + along + way > low_ && r - across - way < outer_ && r + across + way > inner_;
}

bool SweptSpace::apart(const SweptSpace& other, double margin) const {
  if (straight_ || other.straight_) return false;
  return low_ > other.high_ + margin || other.low_ > high_ + margin || inner_ > other.outer_ + margin ||
         other.inner_ > outer_ + margin;
}

}  // namespace cooperage::clearance
