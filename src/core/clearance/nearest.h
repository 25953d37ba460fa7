// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "clearance/geometry.h"

namespace cooperage::clearance {

/// Least distance of two links and where it is.
struct Gap {
  double distance = 1e300;                      ///< m; 0 where they overlap or touch
  Vec3 onA = Vec3::Zero(), onB = Vec3::Zero();  ///< ground axes
  int partA = -1, partB = -1;
  bool exact = false;  ///< from exact figures; else true to the meshes' errors
};

/// Least distance of a pair of links at pose after pose: starts each time from where the nearest place was. Exact for
/// boxes, cylinders, spheres and bars; else of the meshes.
class LinkDistance {
 public:
  LinkDistance(const LinkGeometry& a, const LinkGeometry& b)
      : a_(&a), b_(&b), hints_(a.parts().size() * b.parts().size()) {}
  /// @param enough farther than this is of no interest: then the answer is at least this
  Gap at(const Pose& poseA, const Pose& poseB, double enough = 1e300);

 private:
  const LinkGeometry *a_, *b_;
  std::vector<Nearest> hints_;  ///< one a pair of parts
};

/// Least distance of two parts. @param hint kept from call to call
Gap partGap(const Part& a, const Pose& poseA, const Part& b, const Pose& poseB, double enough, Nearest& hint);
/// Least distance of two parts by their surfaces themselves: exact where they are simple, else by OCCT (true to 1e-6;
/// milliseconds). @return none if it can't be had
std::optional<Gap> surfaceGap(const Part& a, const Pose& poseA, const Part& b, const Pose& poseB);

/// Is a part of the surface of one wholly inside the other, deeper than a tolerance?
bool contained(const Part& inner, const Pose& poseInner, const Part& outer, const Pose& poseOuter, double tolerance);

struct Depth {
  double depth = 0;           ///< m
  Vec3 point = Vec3::Zero();  ///< where, ground axes
};
/// Greatest distance of a point of either link inside the other from that one's surface.
/// @param roughly for a bar on the strip: a tenth of the time, good to some per cent
Depth depthOf(const LinkGeometry& a, const Pose& poseA, const LinkGeometry& b, const Pose& poseB, bool roughly = false);

/// The overlap of two links as a cloud of points in it, for a scene to light it up; ground axes.
/// @param most number of points wanted
std::vector<Vec3> overlapRegion(const LinkGeometry& a, const Pose& poseA, const LinkGeometry& b, const Pose& poseB,
                                int most);

}  // namespace cooperage::clearance
