// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "shape/solid.h"

namespace cooperage::shape {

/// Closed outline, counter-clockwise, m.
using Loop = std::vector<Eigen::Vector2d>;

/// Outline of a wheel with teeth: how it goes on from tooth to tooth.
struct Wheel {
  Loop outline;
  int points = 0;  ///< of one tooth
  int root = 0;    ///< of them on each side before a strip across the tooth can begin
  int neck = 0;    ///< where the last strip ends: at the tip, or before it where that is hollow
};

/// A closed surface from walls (an outline at several heights) and lids (between outlines at one height).
class Shell {
 public:
  /// Puts an outline down; what it is called by.
  int put(const Loop& loop, double z);
  /// An outline of corners that are there.
  int put(std::vector<int> corners);
  int corner(const Vec3& at);
  const Vec3& at(int corner) const { return mesh_.vertices[static_cast<std::size_t>(corner)]; }
  void triangle(int a, int b, int c) { mesh_.triangles.push_back({a, b, c}); }
  /// Between two outlines of as many corners.
  /// @param inward the material lies outside of it: a bore
  void wall(int lower, int upper, bool inward);
  /// @param outer, holes outlines at one height @return false if it can't be filled
  bool lid(int outer, const std::vector<int>& holes, bool up);
  /// The same with the outline of a wheel: strips across each tooth, and a ring between their feet and a circle or the
  /// middle. What can't be done so is filled.
  /// @param wheel, round outlines; of the circle on the other side, or -1
  bool toothedLid(const Wheel& made, int wheel, int round, bool internal, bool up);
  Mesh take() { return std::move(mesh_); }

 private:
  Loop loop(int which) const;
  void add(int a, int b, int c, bool flip) { flip ? triangle(a, c, b) : triangle(a, b, c); }
  Mesh mesh_;
  std::vector<std::vector<int>> loops_;
};

}  // namespace cooperage::shape
