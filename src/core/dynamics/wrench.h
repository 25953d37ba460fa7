// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "kinematics/system.h"

namespace cooperage::dynamics {

/// A force with its moment about the system's middle; ground axes, N and N m.
struct Wrench {
  Vec3 f{0, 0, 0}, m{0, 0, 0};

  Wrench& operator+=(const Wrench& o) {
    f += o.f;
    m += o.m;
    return *this;
  }
  Wrench& operator-=(const Wrench& o) {
    f -= o.f;
    m -= o.m;
    return *this;
  }
  Wrench operator-() const { return {-f, -m}; }
  /// Moment about a point.
  Vec3 about(const Vec3& point) const { return m - point.cross(f); }
};
/// A force at a point, with a moment of its own.
inline Wrench forceAt(const Vec3& force, const Vec3& point, const Vec3& moment = Vec3::Zero()) {
  return {force, Vec3(moment + point.cross(force))};
}
/// Work of a wrench per unit of a dof, along its joint's second link.
inline double along(const Wrench& w, const kinematics::Twist& t) {
  return w.f.dot(t.v - t.w.cross(t.at)) + w.m.dot(t.w);
}

}  // namespace cooperage::dynamics
