// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/geometry.h"

#include <cmath>

namespace cooperage {

Pose::Pose() : R(Mat3::Identity()), p(Vec3::Zero()) {}
Pose::Pose(const Mat3& rotation, const Vec3& place) : R(rotation), p(place) {}
Vec3 Pose::operator*(const Vec3& x) const { return R * x + p; }
Pose Pose::operator*(const Pose& b) const { return {R * b.R, R * b.p + p}; }
Pose Pose::inverse() const { return {R.transpose(), -(R.transpose() * p)}; }

Mat3 rotationAbout(int axis, double angle) {
  const double c = std::cos(angle), s = std::sin(angle);
  Mat3 r = Mat3::Identity();
  const int i = (axis + 1) % 3, j = (axis + 2) % 3;
  r(i, i) = c;
  r(j, j) = c;
  r(i, j) = -s;
  r(j, i) = s;
  return r;
}

Vec3 rotationVector(const Mat3& R) {
  const Vec3 skew(R(2, 1) - R(1, 2), R(0, 2) - R(2, 0), R(1, 0) - R(0, 1));
  const double s = 0.5 * skew.norm(), c = 0.5 * (R.trace() - 1.0);
  if (s < 1e-7 && c > 0) return 0.5 * skew;  // sine and angle agree to s^3
  if (s < 1e-4) {                            // near half a turn the skew part vanishes: read the axis from R + 1
    const Eigen::AngleAxisd a(R);
    return a.angle() * a.axis();
  }
  return (std::atan2(s, c) / (2.0 * s)) * skew;
}

Mat3 rotationOf(const Vec3& v) {
  const double angle = v.norm();
  if (angle < 1e-300) return Mat3::Identity();
  return Eigen::AngleAxisd(angle, v / angle).toRotationMatrix();
}

bool axesFrom(const Vec3& axis, const Vec3& ref, Mat3& R) {
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

Vec3 anyPerpendicular(const Vec3& z) {
  const Vec3 pick = std::abs(z.x()) < 0.9 ? Vec3::UnitX() : Vec3::UnitY();
  return (pick - z.dot(pick) * z).normalized();
}

}  // namespace cooperage
