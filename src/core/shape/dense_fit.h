// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "base/geometry.h"

namespace cooperage::shape {

/// What a cloud of surface points with normals lies on.
struct SurfaceFit {
  model::FeatureKind kind = model::FeatureKind::free;  ///< plane, cylinder, cone, sphere, or free
  Vec3 at{0, 0, 0}, axis{0, 0, 1};
  double radius = 0, halfAngle = 0;
};
/// @param normals unit vectors, one a point
/// @param tolerance relative: of directions in rad, of distances in radii
SurfaceFit fitSurface(const std::vector<Vec3>& points, const std::vector<Vec3>& normals, double tolerance);

/// Least squares of A x = b, least norm, for three unknowns.
Vec3 solveLeast(const Eigen::MatrixXd& A, const Eigen::VectorXd& b);

/// Directions x, y, z of a twist space: rows that are independent of those before, orthonormal, in order.
/// Rows shorter than `threshold` after what is known is taken off do not count.
class RowSpace {
 public:
  using Row = Eigen::Matrix<double, 6, 1>;
  explicit RowSpace(double threshold) : threshold_(threshold) {}
  /// @return true if the row was independent
  bool add(Row row);
  /// Would it be?
  bool isNew(Row row) const;
  int rank() const { return static_cast<int>(rows_.size()); }
  /// Orthonormal basis of what the rows leave free.
  std::vector<Row> free() const;

 private:
  Row rest(Row row) const;
  double threshold_;
  std::vector<Row> rows_;
};

}  // namespace cooperage::shape
