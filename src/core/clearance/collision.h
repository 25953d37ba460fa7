// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <optional>
#include <vector>

#include "clearance/distance.h"
#include "model/resolve.h"
#include "shape/shape_store.h"

namespace cooperage::clearance {

/// Geometry of one link for checks: meshes in link axes with their trees, made once.
class LinkGeometry {
 public:
  struct Part;
  /// @param deflection of the meshes, m
  /// @param tolerance  overlaps of two links up to this depth are meeting faces; each is shrunk by half of it
  static Result<std::shared_ptr<const LinkGeometry>> make(const model::Resolved::LinkR& link, shape::ShapeStore& store,
                                                          double deflection, double tolerance, Progress* progress);
  const std::vector<std::shared_ptr<const Part>>& parts() const { return parts_; }
  bool empty() const { return parts_.empty(); }
  /// Sphere about all parts, in link axes.
  Vec3 centre() const { return centre_; }
  double radius() const { return radius_; }
  /// The meshes of all parts in link axes.
  std::vector<const shape::Mesh*> meshes() const;

 private:
  std::vector<std::shared_ptr<const Part>> parts_;
  Vec3 centre_ = Vec3::Zero();
  double radius_ = 0;
};

/// Do the surfaces of two links cross, deeper than the tolerance (shrunk) or at all?
bool overlapBeyondTolerance(const LinkGeometry& a, const Pose& poseA, const LinkGeometry& b, const Pose& poseB);
bool overlapAtAll(const LinkGeometry& a, const Pose& poseA, const LinkGeometry& b, const Pose& poseB);

/// Overlap of one pair of links at pose after pose. Where a part of revolution only turns about its own axis against
/// another part (a pin in its bore), nothing changes, and what was found for the pose before holds.
class PairOverlap {
 public:
  PairOverlap(const LinkGeometry& a, const LinkGeometry& b);
  /// As overlapBeyondTolerance().
  bool at(const Pose& poseA, const Pose& poseB);

 private:
  struct Known {
    bool any = false, hit = false;
    Pose aToB;
  };
  const LinkGeometry &a_, &b_;
  std::vector<Known> known_;  ///< one a pair of parts
};

/// Least distance in m, 0 when they overlap. @param enough stop looking for less than this
double gap(const LinkGeometry& a, const Pose& poseA, const LinkGeometry& b, const Pose& poseB);

struct Depth {
  double depth = 0;           ///< m
  Vec3 point = Vec3::Zero();  ///< where, ground axes
};
/// Greatest distance of a point of either link inside the other from that one's surface.
Depth depthOf(const LinkGeometry& a, const Pose& poseA, const LinkGeometry& b, const Pose& poseB);

}  // namespace cooperage::clearance
