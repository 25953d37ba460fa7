// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>

#include "base/geometry.h"

namespace cooperage {

/// A vector that moves: itself and its first three derivatives.
using VecJet = std::array<Vec3, 4>;
/// A figure that moves, with its first three derivatives.
using ScalarJet = std::array<double, 4>;

Mat3 skewOf(const Vec3& w);
/// Axial vector of the skew part of a matrix.
Vec3 axialOf(const Mat3& m);

/// A rigid placement that moves: R and p with their first three derivatives, to time or to a parameter. Products follow
/// Leibniz, so that rates, accelerations and jerks of a chain of joints are exact.
struct PoseJet {
  std::array<Mat3, 4> R;
  VecJet p;

  PoseJet();  ///< identity, at rest
  explicit PoseJet(const Pose& still);
  Pose pose() const { return {R[0], p[0]}; }
  /// Angular velocity and its derivative, in the outer axes: W = R' R^T.
  Vec3 spin() const;
  Vec3 spinRate() const;
  /// Motion of a point that is fixed in the inner axes.
  VecJet point(const Vec3& x) const;
};

PoseJet operator*(const PoseJet& a, const PoseJet& b);
/// A fixed placement after a moving one.
PoseJet operator*(const PoseJet& a, const Pose& b);
PoseJet operator*(const Pose& a, const PoseJet& b);
PoseJet inverse(const PoseJet& a);

/// Turn about a coordinate axis by a moving angle q (rad) with derivatives.
PoseJet turnJet(int axis, const ScalarJet& q);
PoseJet slideJet(int axis, const ScalarJet& q);
/// A rotation with angular velocity w and its derivatives, all in the outer axes.
PoseJet ballJet(const Mat3& R, const Vec3& w, const Vec3& w1, const Vec3& w2);
/// A placement that depends on one parameter u, which moves (Faa di Bruno).
PoseJet along(const PoseJet& g, const ScalarJet& u);

}  // namespace cooperage
