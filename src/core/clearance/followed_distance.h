// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstddef>
#include <vector>

#include "clearance/mesh_tree.h"

namespace cooperage::clearance {

/// Least distance of two meshes at pose after pose: the answer is that of MeshTree::distance(). Pairs of boxes that
/// were too far apart to matter are kept with their bounds, and looked at again only once the motion since then could
/// have brought them near enough. Allocates nothing once it has got going. Not for two threads at once.
class FollowedDistance {
 public:
  /// @param enough the answer is of no interest beyond it: then `distance` is at least this much
  Nearest at(const MeshTree& a, const MeshTree& b, const Pose& bInA, double enough = 1e300);

 private:
  friend class MeshTree;
  /// Two boxes that were parted along some direction.
  struct Aside {
    int a, b;
    double high;    ///< how far the box of A reaches along it
    double radius;  ///< of the box of B
    Vec3 along;     ///< from A to B, in the axes of A
    Vec3 centre;    ///< of the box of B, in its axes
  };
  /// Such a pair that has come too near, and its place in the front.
  struct Again {
    int a, b;
    std::size_t place;
  };
  const MeshTree *a_ = nullptr, *b_ = nullptr;
  Nearest last_;
  std::vector<Aside> front_;
  std::vector<Again> again_;
  std::size_t most_ = 0;  ///< size at which it is begun anew
  int poses_ = 0;         ///< since it was
};

}  // namespace cooperage::clearance
