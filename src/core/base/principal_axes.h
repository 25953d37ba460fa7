// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "base/geometry.h"

namespace cooperage {

/// Of a symmetric matrix: its eigenvalues, the least first, and its unit eigenvectors as columns in the same order.
struct PrincipalAxes {
  Vec3 values{0, 0, 0};
  Mat3 axes;
};
/// By tridiagonal QR steps: true to rounding.
PrincipalAxes principalAxes(const Mat3& symmetric);
/// In closed form: several times as fast, axes square to one another to 1e-8 only.
PrincipalAxes principalAxesDirectly(const Mat3& symmetric);

}  // namespace cooperage
