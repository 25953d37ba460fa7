// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <optional>

#include "clearance/sweep_grid.h"

namespace cooperage::clearance {

/// A space that is known by the outline it has in a plane.
struct PlaneEnvelope {
  shape::Mesh mesh;
  double volume = 0, low = 0, high = 0;  ///< m^3: best estimate and bounds
  double error = 0;                      ///< of the surface, m
};

/// The sweep of bodies whose every section across the motion is the same: boxes, cylinders and bars that move in one
/// plane, square to it, between the same two heights; and balls of one size that keep to a plane. What they sweep is
/// the outline of the swept section, raised to both sides; grown, or of balls, its top is as round as a ball over the
/// rim of the section. So only the outline has to be as fine as the accuracy.
class PlaneSweep {
 public:
  /// @param bodies, poses bodies with a closed form or bars, and where they stand in each pose: their own axes to those
  /// of the target @param leave how far they may leave the plane, m @return none if they are not of that kind
  static std::optional<PlaneSweep> of(const std::vector<Convex>& bodies, const std::vector<std::vector<Pose>>& poses,
                                      double clearance, double leave);
  ~PlaneSweep();
  PlaneSweep(PlaneSweep&&) noexcept;
  PlaneSweep& operator=(PlaneSweep&&) noexcept;
  /// @param accuracy greatest error of the surface, m @param way between one pose and the next, at most, m
  /// @param between look for the nearest place between poses, too
  Result<PlaneEnvelope> sweep(double accuracy, double way, bool between, Progress* progress) const;
  /// About how many cells of the size of the accuracy it comes to: along the rim, and over the area where the top is
  /// round.
  double cells(double accuracy) const;

 private:
  struct Data;
  explicit PlaneSweep(std::unique_ptr<Data> data);
  std::unique_ptr<Data> data_;
};

}  // namespace cooperage::clearance
