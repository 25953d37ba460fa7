// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "clearance/followed_distance.h"
#include "clearance/geometry.h"

namespace cooperage::clearance {

/// Least distance of two links and where it is.
struct Gap {
  double distance = 1e300;          ///< m; 0 where they overlap or touch
  Vec3 onA{0, 0, 0}, onB{0, 0, 0};  ///< ground axes
  int partA = -1, partB = -1;
  bool exact = false;  ///< from exact figures; else true to the meshes' errors
};

/// Least distance of a pair of links at pose after pose: starts each time from where the nearest place was. Exact for
/// boxes, cylinders, spheres and bars; else of the fine meshes, which are made of those parts only that come into
/// question.
class LinkDistance {
 public:
  /// @param progress asked for a cancel while a mesh is made: what comes back then is not to be used
  LinkDistance(const LinkGeometry& a, const LinkGeometry& b, Progress* progress = nullptr)
      : a_(&a), b_(&b), progress_(progress), followed_(a.parts().size() * b.parts().size()) {}
  /// @param enough farther than this is of no interest: then the answer is at least this
  Gap at(const Pose& poseA, const Pose& poseB, double enough = 1e300);

 private:
  double atLeast(const Part& x, const Pose& px, const Part& y, const Pose& py, double enough,
                 FollowedDistance& followed);
  const LinkGeometry *a_, *b_;
  Progress* progress_;
  std::vector<FollowedDistance> followed_;             ///< one a pair of parts
  std::vector<std::pair<double, std::size_t>> order_;  ///< of pairs of parts, by the least their distance can be
};

/// Least distance of two parts. @param followed kept from call to call
Gap partGap(const Part& a, const Pose& poseA, const Part& b, const Pose& poseB, double enough,
            FollowedDistance& followed, Progress* progress = nullptr);
/// Least distance of two parts by their surfaces themselves: exact where they are simple, else by OCCT (true to 1e-6;
/// milliseconds). One wholly inside the other counts as apart. @return none if it can't be had
std::optional<Gap> surfaceGap(const Part& a, const Pose& poseA, const Part& b, const Pose& poseB);

/// A part by one of its meshes.
struct Meshed {
  const Part& part;
  const Facets& facets;
};
/// Is a part of the surface of one wholly inside the other, deeper than a tolerance?
bool contained(const Meshed& inner, const Pose& poseInner, const Meshed& outer, const Pose& poseOuter,
               double tolerance);
/// Is either inside the other?
inline bool contained(const Meshed& a, const Pose& poseA, const Meshed& b, const Pose& poseB) {
  return contained(a, poseA, b, poseB, 0) || contained(b, poseB, a, poseA, 0);
}

inline constexpr double kRelative = 5e-3;  ///< of a depth: near enough

struct Depth {
  double depth = 0;     ///< m
  Vec3 point{0, 0, 0};  ///< where, ground axes
  double atMost = 0;    ///< m: it is proven to be no more, of the meshes where there is no closed form
};
/// Greatest distance of a point of either link inside the other from that one's surface: a search, then cubes of places
/// halved, those first that could hold more, until none can.
/// @param within m: depth and its bound need be no nearer to one another; half a per cent of the depth will do, too
/// @param roughly a tenth of the time; the bound is wider then
Depth depthOf(const LinkGeometry& a, const Pose& poseA, const LinkGeometry& b, const Pose& poseB, double within = 1e-6,
              bool roughly = false);

/// The overlap of two links as a cloud of points in it, for a scene to light it up; ground axes.
/// @param most number of points wanted
std::vector<Vec3> overlapRegion(const LinkGeometry& a, const Pose& poseA, const LinkGeometry& b, const Pose& poseB,
                                int most);

}  // namespace cooperage::clearance
