// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <Eigen/Geometry>
#include <cmath>

namespace cooperage {

using Vec3 = Eigen::Vector3d;
using Mat3 = Eigen::Matrix3d;
using Quat = Eigen::Quaterniond;
inline constexpr double kPi = 3.14159265358979323846;

/// A rigid placement X_AB: takes figures in axes B to axes A, x_A = R x_B + p. Lengths in m.
struct Pose {
  Mat3 R = Mat3::Identity();
  Vec3 p = Vec3::Zero();

  Vec3 operator*(const Vec3& x) const { return R * x + p; }
  Pose operator*(const Pose& b) const { return {R * b.R, R * b.p + p}; }
  Pose inverse() const { return {R.transpose(), -(R.transpose() * p)}; }
};

/// Rotation about the coordinate axis 0, 1 or 2 by an angle in rad.
inline Mat3 rotationAbout(int axis, double angle) {
  const double c = std::cos(angle), s = std::sin(angle);
  Mat3 r = Mat3::Identity();
  const int i = (axis + 1) % 3, j = (axis + 2) % 3;
  r(i, i) = c;
  r(j, j) = c;
  r(i, j) = -s;
  r(j, i) = s;
  return r;
}

/// Rotation vector (axis times angle, 0..pi) of a rotation matrix.
inline Vec3 rotationVector(const Mat3& R) {
  const Vec3 skew(R(2, 1) - R(1, 2), R(0, 2) - R(2, 0), R(1, 0) - R(0, 1));
  const double s = 0.5 * skew.norm(), c = 0.5 * (R.trace() - 1.0);
  if (s < 1e-7 && c > 0) return 0.5 * skew;  // sine and angle agree to s^3
  if (s < 1e-4) {                            // near half a turn the skew part vanishes: read the axis from R + 1
    const Eigen::AngleAxisd a(R);
    return a.angle() * a.axis();
  }
  return (std::atan2(s, c) / (2.0 * s)) * skew;
}

/// Rotation matrix of a rotation vector in rad.
inline Mat3 rotationOf(const Vec3& v) {
  const double angle = v.norm();
  if (angle < 1e-300) return Mat3::Identity();
  return Eigen::AngleAxisd(angle, v / angle).toRotationMatrix();
}

/// Axes of a seat: z = axis, x = the part of ref square to it, y = axis x ref.
/// @return false if the axis is zero or parallel to ref (then R is untouched)
inline bool axesFrom(const Vec3& axis, const Vec3& ref, Mat3& R) {
  const double a = axis.norm(), r = ref.norm();
  if (!(a > 0) || !(r > 0) || !std::isfinite(a) || !std::isfinite(r)) return false;
  const Vec3 z = axis / a;
  const Vec3 across = z.cross(ref / r);
  if (!(across.norm() > 1e-9)) return false;
  const Vec3 y = across.normalized();
  R.col(0) = y.cross(z);
  R.col(1) = y;
  R.col(2) = z;
  return true;
}

/// Some direction square to a unit vector, the same for the same input.
inline Vec3 anyPerpendicular(const Vec3& z) {
  const Vec3 pick = std::abs(z.x()) < 0.9 ? Vec3::UnitX() : Vec3::UnitY();
  return (pick - z.dot(pick) * z).normalized();
}

}  // namespace cooperage
