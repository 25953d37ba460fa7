// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <optional>
#include <vector>

#include "kinematics/pair_motion.h"
#include "shape/solid.h"

namespace cooperage::clearance {

/// Where two meshes come nearest.
struct Nearest {
  double distance = 0;                 ///< m; 0 where they cross
  Vec3 onA{0, 0, 0}, onB{0, 0, 0};     ///< both in the axes of A
  int triangleA = -1, triangleB = -1;  ///< to start from at the next pose
};

/// How B moves against A over an interval, in the axes of A.
using Motion = kinematics::PairMotion;

/// Triangles of a mesh under a binary tree of oriented boxes (Gottschalk, Lin and Manocha 1996). Immutable; any number
/// of threads may ask. Queries take the placement of B in the axes of A and allocate nothing.
class MeshTree {
 public:
  explicit MeshTree(const shape::Mesh& mesh);
  /// The same triangles with their corners moved a little: the boxes of another tree, fitted anew.
  MeshTree(const MeshTree& like, const shape::Mesh& mesh);

  /// Least distance of two meshes; exact for the triangles. Boxes that are farther apart than the best triangles so
  /// far are skipped, and the pair that `hint` names is asked first: from pose to pose it seldom changes.
  /// @param hint triangles of the pose before, or -1
  /// @param enough the answer is of no interest beyond it: then `distance` is at least this much
  static Nearest distance(const MeshTree& a, const MeshTree& b, const Pose& bInA, const Nearest& hint = {},
                          double enough = 1e300);

  /// Pair of triangles that failed last, to be asked first.
  struct Hot {
    int a = -1, b = -1;
  };
  /// Do the surfaces stay farther apart than a margin over a whole interval of motion? Never says so wrongly; says no
  /// where the bound is too weak to tell.
  static bool apart(const MeshTree& a, const MeshTree& b, const Pose& bInA, const Motion& motion, double margin,
                    Hot* hot = nullptr);
  /// Do the surfaces cross or touch?
  static bool cross(const MeshTree& a, const MeshTree& b, const Pose& bInA, Hot* hot = nullptr) {
    return !apart(a, b, bInA, {}, 0, hot);
  }
  struct LeafPair {
    int a, b;
  };
  /// What one joint value lets B do against A: a turn about an axis, or a slide along it, from `low` to `high` against
  /// the pose that is given (rad or m; infinite: whatever). Axes of A.
  struct Guide {
    Vec3 at{0, 0, 0}, along{0, 0, 1};
    double low = -1e300, high = 1e300;
  };
  /// Leaves of two meshes that could come nearer than a margin somewhere in a turn; the rest stays apart by its height
  /// along the axis, its distance from it (like a pin in its bore) or its sector.
  /// @return none if there are more than `most`
  static std::optional<std::vector<LeafPair>> nearOnAxis(const MeshTree& a, const MeshTree& b, const Pose& bInA,
                                                         const Guide& guide, double margin, std::size_t most);
  /// The same of a slide: the rest stays apart as seen along it, or by how far it goes.
  static std::optional<std::vector<LeafPair>> nearOnLine(const MeshTree& a, const MeshTree& b, const Pose& bInA,
                                                         const Guide& guide, double margin, std::size_t most);
  /// As apart(), of these leaves alone.
  static bool apart(const std::vector<LeafPair>& leaves, const MeshTree& a, const MeshTree& b, const Pose& bInA,
                    const Motion& motion, double margin, Hot* hot = nullptr);
  /// As apart(), and keeps what could not be told: a shorter piece of the same interval need look at nothing else.
  /// @param only leaves to look at; null: all @param left leaves that may meet; empty if apart
  /// @param most leaves that are kept; where there are more, it gives up at once, and `left` is empty, too
  static bool apart(const std::vector<LeafPair>* only, const MeshTree& a, const MeshTree& b, const Pose& bInA,
                    const Motion& motion, double margin, std::size_t most, std::vector<LeafPair>& left);
  std::size_t triangleCount() const { return triangles_.size(); }
  /// A triangle by its index, as a Hot names it.
  const std::array<Vec3, 3>& triangle(int i) const { return triangles_[static_cast<std::size_t>(i)]; }

 private:
  friend class FollowedDistance;
  struct Node {
    Mat3 axes = Mat3::Identity();
    Vec3 centre{0, 0, 0}, half{0, 0, 0};
    double radius = 0;
    int left = -1;  ///< children are left and left + 1; -1: a leaf
    int first = 0, count = 0;
    int firstCorner = 0, corners = 0;
    /// Its box, along its axes; a hair larger than what rounding could lose.
    void bound(const Vec3& low, const Vec3& high);
  };
  using Triangle = std::array<Vec3, 3>;
  void gatherCorners();
  void gatherNormals();
  void enclose(Node& node) const;
  void fit(Node& node, const std::vector<int>& order) const;
  void split(int node, std::vector<int>& order, const std::vector<Vec3>& centres);
  template <class Boxes, class Triangles>
  static std::optional<std::vector<LeafPair>> nearLeaves(const MeshTree& a, const MeshTree& b, std::size_t most,
                                                         const Boxes& boxesApart, const Triangles& trianglesApart);
  struct Search;
  struct Proof;

  std::vector<Triangle> triangles_;  ///< in the order of the leaves
  std::vector<int> order_;           ///< which of the mesh they are
  std::vector<Vec3> normals_;        ///< of unit length, or zero
  std::vector<Node> nodes_;
  Eigen::Array<double, Eigen::Dynamic, 3> corners_;  ///< in the order of the leaves
};

}  // namespace cooperage::clearance
