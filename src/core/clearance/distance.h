// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <vector>

#include "shape/solid.h"

namespace cooperage::clearance {

/// Signed distance of points to a closed mesh, negative inside. Box tree over the triangles; the sign comes from the
/// angle-weighted pseudonormal of the nearest face, edge or corner (Baerentzen and Aanaes, 2005).
class MeshDistance {
 public:
  explicit MeshDistance(const shape::Mesh& mesh);
  /// Signed distance in m. @param limit points farther than this may answer +-limit
  double signedDistance(const Vec3& point, double limit = 1e300) const;
  /// The same for places one after the other: starts from the triangle that was nearest to the place before.
  /// @param triangle of the place before, or -1; then of this one
  double signedDistanceFrom(const Vec3& point, int& triangle) const;
  const Vec3& low() const { return low_; }
  const Vec3& high() const { return high_; }

 private:
  struct Node {
    Vec3 low, high;
    int first = 0, count = 0;  // triangles of a leaf
    int right = -1;            // left child follows its parent
  };
  int build(int first, int count);
  double withSign(const Vec3& p, double best, const Vec3& at, int triangle, int feature) const;
  void nearest(int node, const Vec3& p, double& best, Vec3& at, int& triangle, int& feature) const;

  std::vector<Vec3> vertices_;
  std::vector<std::array<int, 3>> triangles_;
  std::vector<Vec3> faceNormal_, cornerNormal_;
  std::vector<std::array<Vec3, 3>> edgeNormal_;
  std::vector<Vec3> centre_;
  std::vector<int> order_;
  std::vector<Node> nodes_;
  Vec3 low_, high_;
};

/// The mesh with every face moved inwards by a distance; corners where faces meet follow all of them. Where the wall is
/// too thin for that, a corner moves by a quarter of it at most, so that no wall is ever turned inside out.
/// @param field of the mesh itself
/// @param wanted corners that are moved; null: all
shape::Mesh shrunk(const shape::Mesh& mesh, double distance, const MeshDistance& field,
                   const std::vector<char>* wanted = nullptr);

}  // namespace cooperage::clearance
