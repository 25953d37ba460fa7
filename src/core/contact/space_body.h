// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cmath>
#include <memory>
#include <vector>

#include "base/geometry.h"
#include "base/result.h"
#include "shape/solid.h"

/// What bodies touch with where they move in space: their exact faces, edges and corners.
namespace cooperage::contact {

/// Between two directions of whatever length, rad.
inline double angleBetween(const Vec3& a, const Vec3& b) { return std::atan2(a.cross(b).norm(), a.dot(b)); }

/// Place and derivatives by up to two parameters, m.
struct SpacePoint {
  Vec3 x{0, 0, 0};
  Vec3 d[2] = {{0, 0, 0}, {0, 0, 0}};
  Vec3 dd[3] = {{0, 0, 0}, {0, 0, 0}, {0, 0, 0}};  ///< uu, uv, vv
};

/// A face, an edge or a place of a solid, with derivatives. Any thread may ask.
class Manifold {
 public:
  virtual ~Manifold() = default;
  virtual void at(const double* x, SpacePoint& out) const = 0;
  /// Of a face: does it have material there, and not a hole?
  virtual bool covers(const double*) const { return true; }
  /// Is a direction one of the outward normals there? Of an edge all those between its two faces', of a corner all
  /// between its edges', of a ball those of the part of the sphere that is there.
  virtual bool faces(const double*, const Vec3&) const { return true; }
};

/// What can touch: a part of a face over which the normal turns little, a part of an edge that points outwards, a
/// corner, or a ball by its middle.
struct SpaceFeature {
  int dim = 0;      ///< parameters: 2 a face, 1 an edge, 0 a corner or a ball
  int source = -1;  ///< parts of one face or edge have the same
  std::shared_ptr<const Manifold> of;
  double low[2] = {0, 0}, high[2] = {0, 0};
  double sense = 1;      ///< of a face: its outward normal is that times d0 x d1
  double radius = 0;     ///< of a ball
  Vec3 centre{0, 0, 0};  ///< a sphere that holds it
  double bound = 0;
  Mat3 boxAxes = Mat3::Identity();  ///< a box that holds it
  Vec3 boxCentre{0, 0, 0}, boxHalf{0, 0, 0};
  Vec3 axis{0, 0, 1};  ///< its normals lie about this direction
  double half = 0;     ///< by no more than this, rad
};

/// A tree of spheres with cones of normals over features.
class FeatureTree {
 public:
  struct Node {
    Vec3 centre{0, 0, 0}, axis{0, 0, 1};
    double bound = 0, half = 0;
    int right = -1;    ///< the left child follows its parent; -1: a leaf
    int feature = -1;  ///< of a leaf
  };
  FeatureTree() = default;
  FeatureTree(const std::vector<SpaceFeature>& features, std::vector<int> which);
  const std::vector<Node>& nodes() const { return nodes_; }

 private:
  int build(const std::vector<SpaceFeature>& features, std::vector<int>& which, std::size_t from, std::size_t to);
  std::vector<Node> nodes_;
};

/// A body by what it can touch with, in its link's axes.
struct SpaceBody {
  std::vector<SpaceFeature> features;
  FeatureTree surfaces, sharp;  ///< faces and balls; edges and corners
  double volume = 0;            ///< m^3
  Vec3 centroid{0, 0, 0};
  Mat3 second = Mat3::Zero();  ///< over the volume, about the centroid, as LinkWeight::second
  double thinnest = 0;         ///< m, square to its faces through the material, as found by rays
  double reach = 0;            ///< of its farthest point from the centroid
};

/// Found once for a solid and a placement; any thread may ask.
Result<std::shared_ptr<const SpaceBody>> spaceBodyOf(const shape::SolidPtr& solid, const Pose& placement);

}  // namespace cooperage::contact
