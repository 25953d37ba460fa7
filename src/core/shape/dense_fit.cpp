// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/dense_fit.h"

#include <Eigen/QR>

#include "base/principal_axes.h"

namespace cooperage::shape {
namespace {

/// Centre and signed radius with p = c + r n (n seen in the plane square to `axis`, or in space if it is zero).
bool centreOf(const std::vector<Vec3>& points, const std::vector<Vec3>& normals, const Vec3& axis, double tolerance,
              SurfaceFit& out) {
  const auto flat = [&](const Vec3& v) { return Vec3(v - axis.dot(v) * axis); };
  // least squares of p - c = r n in r and c
  Vec3 meanP = Vec3::Zero(), meanN = Vec3::Zero();
  for (std::size_t i = 0; i < points.size(); ++i) {
    meanP += flat(points[i]);
    meanN += flat(normals[i]);
  }
  meanP /= static_cast<double>(points.size());
  meanN /= static_cast<double>(points.size());
  double pn = 0, nn = 0;
  for (std::size_t i = 0; i < points.size(); ++i) {
    const Vec3 dn = flat(normals[i]) - meanN;
    pn += dn.dot(flat(points[i]) - meanP);
    nn += dn.squaredNorm();
  }
  if (!(nn > 1e-9 * static_cast<double>(points.size()))) return false;
  const double r = pn / nn;
  const Vec3 c = meanP - r * meanN;
  for (std::size_t i = 0; i < points.size(); ++i)
    if ((flat(points[i]) - c - r * flat(normals[i])).norm() > tolerance * std::abs(r) * 3) return false;
  out.radius = std::abs(r);
  out.at = c;
  return true;
}

}  // namespace

SurfaceFit fitSurface(const std::vector<Vec3>& points, const std::vector<Vec3>& normals, double tolerance) {
  SurfaceFit out;
  if (points.size() < 6) return out;
  Vec3 mean = Vec3::Zero();
  for (const Vec3& n : normals) mean += n;
  mean /= static_cast<double>(normals.size());
  Mat3 spread = Mat3::Zero();
  for (const Vec3& n : normals) spread += (n - mean) * (n - mean).transpose();
  spread /= static_cast<double>(normals.size());
  const PrincipalAxes principal = principalAxes(spread);
  if (principal.values[2] < tolerance * tolerance) {
    out.kind = model::FeatureKind::plane;
    out.axis = mean.normalized();
    for (const Vec3& p : points) out.at += p / static_cast<double>(points.size());
    return out;
  }
  const Vec3 axis = principal.axes.col(0);
  bool square = true;
  for (const Vec3& n : normals) square = square && std::abs(n.dot(axis)) < 3 * tolerance;
  if (square && centreOf(points, normals, axis, tolerance, out)) {
    out.kind = model::FeatureKind::cylinder;
    out.axis = axis;
    return out;
  }
  const double lean = mean.dot(axis);
  bool even = std::abs(lean) > 0.02 && std::abs(lean) < 0.98;
  for (const Vec3& n : normals) even = even && std::abs(n.dot(axis) - lean) < 3 * tolerance;
  if (even) {  // all tangent planes go through the apex
    Eigen::MatrixXd A(static_cast<Eigen::Index>(points.size()), 3);
    Eigen::VectorXd b(A.rows());
    double size = 0;
    for (std::size_t i = 0; i < points.size(); ++i) {
      A.row(static_cast<Eigen::Index>(i)) = normals[i];
      b[static_cast<Eigen::Index>(i)] = normals[i].dot(points[i]);
      size = std::max(size, (points[i] - points[0]).norm());
    }
    const Vec3 apex = solveLeast(A, b);
    if ((A * apex - b).cwiseAbs().maxCoeff() < 3 * tolerance * size) {
      out.kind = model::FeatureKind::cone;
      out.axis = axis;
      out.at = apex;
      out.halfAngle = std::asin(std::abs(lean));
      return out;
    }
  }
  if (centreOf(points, normals, Vec3::Zero(), tolerance, out)) {
    out.kind = model::FeatureKind::sphere;
    return out;
  }
  return {};
}

Vec3 solveLeast(const Eigen::MatrixXd& A, const Eigen::VectorXd& b) {
  return Eigen::CompleteOrthogonalDecomposition<Eigen::MatrixXd>(A).solve(b);
}

RowSpace::Row RowSpace::rest(Row row) const {
  for (const Row& r : rows_) row -= r.dot(row) * r;
  return row;
}
bool RowSpace::isNew(Row row) const { return rest(row).norm() > threshold_ * std::max(1.0, row.norm()); }
bool RowSpace::add(Row row) {
  if (!isNew(row) || rows_.size() >= 6) return false;
  rows_.push_back(rest(row).normalized());
  return true;
}
std::vector<RowSpace::Row> RowSpace::free() const {
  std::vector<Row> out;
  RowSpace all(1e-6);
  all.rows_ = rows_;
  // the coordinate directions in order: the same basis for the same rows
  for (int pass = 0; pass < 6 && all.rank() < 6; ++pass) {
    int best = -1;
    double most = 0;
    for (int k = 0; k < 6; ++k) {
      const double length = all.rest(Row::Unit(k)).norm();
      if (length > most + 1e-9) {
        most = length;
        best = k;
      }
    }
    const Row r = all.rest(Row::Unit(best)).normalized();
    all.rows_.push_back(r);
    out.push_back(r);
  }
  return out;
}

}  // namespace cooperage::shape
