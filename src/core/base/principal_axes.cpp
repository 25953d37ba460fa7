// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/principal_axes.h"

#include <Eigen/Eigenvalues>

namespace cooperage {

PrincipalAxes principalAxes(const Mat3& symmetric) {
  const Eigen::SelfAdjointEigenSolver<Mat3> eigen(symmetric);
  return {eigen.eigenvalues(), eigen.eigenvectors()};
}

PrincipalAxes principalAxesDirectly(const Mat3& symmetric) {
  Eigen::SelfAdjointEigenSolver<Mat3> eigen;
  eigen.computeDirect(symmetric);
  return {eigen.eigenvalues(), eigen.eigenvectors()};
}

}  // namespace cooperage
