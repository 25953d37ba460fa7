// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <Eigen/Geometry>

namespace cooperage {

using Vec3 = Eigen::Vector3d;
using Mat3 = Eigen::Matrix3d;
using Quat = Eigen::Quaterniond;
inline constexpr double kPi = 3.14159265358979323846;
inline constexpr double kDegree = kPi / 180;

// All bodies stand in geometry.cpp: every file of the project reads this header, and would compile their products anew.

/// A rigid placement X_AB: takes figures in axes B to axes A, x_A = R x_B + p. Lengths in m.
struct Pose {
  Mat3 R;
  Vec3 p;

  Pose();  ///< identity
  Pose(const Mat3& rotation, const Vec3& place);
  Vec3 operator*(const Vec3& x) const;
  Pose operator*(const Pose& b) const;
  Pose inverse() const;
};

/// Rotation about the coordinate axis 0, 1 or 2 by an angle in rad.
Mat3 rotationAbout(int axis, double angle);

/// Rotation vector (axis times angle, 0..pi) of a rotation matrix.
Vec3 rotationVector(const Mat3& R);

/// Rotation matrix of a rotation vector in rad.
Mat3 rotationOf(const Vec3& v);

/// Axes of a seat: z = axis, x = the part of ref square to it, y = axis x ref.
/// @return false if the axis is zero or parallel to ref (then R is untouched)
bool axesFrom(const Vec3& axis, const Vec3& ref, Mat3& R);

/// Some direction square to a unit vector, the same for the same input.
Vec3 anyPerpendicular(const Vec3& z);

}  // namespace cooperage
