// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "elements/gear.h"

namespace cooperage::elements {

/// A straight bevel gear with spherical involute flanks: exactly conjugate about a common apex. The apex is the origin,
/// the axis +z towards the back of the gear; a tooth's middle lies over +x.
struct BevelSpec {
  double module = 0;  ///< at the outer end, transverse
  int teeth = 0;
  double cone = 0;  ///< half angle of the pitch cone
  double pressureAngle = 0;
  double width = 0;     ///< of the face along the pitch cone
  double backlash = 0;  ///< at the outer end's pitch circle
  double addendum = 1, dedendum = 1.25;
};

/// Pitch cone angle of the first of two gears at a shaft angle: tan d1 = sin S / (z2/z1 + cos S).
double bevelCone(int teeth, int mate, double shaftAngle);

class BevelProfile {
 public:
  explicit BevelProfile(const BevelSpec& spec);
  const BevelSpec& spec() const { return spec_; }
  double pitchRadius() const { return 0.5 * spec_.module * spec_.teeth; }
  double coneDistance() const;  ///< apex to outer end along the pitch cone
  double baseCone() const { return base_; }
  double tipCone() const { return tip_; }
  double rootCone() const { return root_; }
  /// Half the tooth's angle about the axis at a cone of half angle `polar`; below the base cone as at it.
  double halfAngle(double polar) const;
  /// Half a tooth in the plane z = 1, from the middle of the space to the middle of the tooth: flank points in between.
  /// @param n points of the flank
  std::vector<Vec2> halfTooth(int n) const;
  /// A flank by the angle through which the great circle has rolled off the base cone, from rollAt(the root or base
  /// cone) to rollAt(the tip cone); plane z = 1, the tooth's middle on +x. Cosine of the polar angle = cos base cos
  /// roll.
  Vec2 flankAt(double roll) const;
  double rollAt(double polar) const;
  /// Bound of the second derivative of flankAt() up to a roll.
  double flankSecond(double roll) const;
  double halfAngleAtBase() const { return half_; }
  /// Distances of the planes between which the teeth stand, from the apex.
  double innerPlane() const;
  double outerPlane() const;

 private:
  BevelSpec spec_;
  double base_ = 0, tip_ = 0, root_ = 0, half_ = 0;
};

std::vector<std::string> bevelWarnings(const BevelSpec& spec);

}  // namespace cooperage::elements
