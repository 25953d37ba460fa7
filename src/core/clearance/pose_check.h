// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "clearance/travel_check.h"

namespace cooperage::clearance {

struct PoseOverlap {
  int linkA = -1, linkB = -1;
  double depth = 0;          ///< m
  Vec3 point{0, 0, 0};       ///< the deepest place, ground axes
  std::vector<Vec3> region;  ///< points in the overlap, if asked for
};

/// Which links overlap in one pose, deeper than they may by the run's accuracy: for a pose at rest or under the hand.
/// Nothing is waited for while a link is dragged: where a fine mesh is not at hand, only overlaps deeper than the error
/// of the mesh that is there are seen.
class PoseCheck {
 public:
  /// @param run whose pairs, accuracy and fit hold, or -1: all pairs
  PoseCheck(const model::Resolved& resolved, const std::vector<int>& nodeOfLink, int run, CheckGeometry geometry);
  /// Pairs that overlap, without depths: fast enough while a link is dragged.
  std::vector<std::pair<int, int>> pairsAt(const std::vector<Pose>& poses);
  /// All that can be said, the deepest first. @param points of each region, 0: none
  std::vector<PoseOverlap> at(const std::vector<Pose>& poses, int points);

 private:
  struct Pair {
    int a, b;
    double tolerance;
    std::vector<MeshTree::Hot> hot;
  };
  bool overlap(Pair& pair, const std::vector<Pose>& poses) const;
  CheckGeometry geometry_;
  std::vector<Pair> pairs_;
};

}  // namespace cooperage::clearance
