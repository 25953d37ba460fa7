// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <optional>
#include <vector>

#include "shape/solid.h"

namespace cooperage::shape {

/// A bore, a pin, or a piece of one: a cylindrical or conical face of a solid, in its axes, m.
struct RoundFace {
  int index = 0;                     ///< among the solid's faces, from 0
  Vec3 low{0, 0, 0}, high{0, 0, 0};  ///< ends of its axis, as far as it reaches
  double radius = 0;
  bool inward = false;  ///< a bore
  bool cone = false;    ///< conical: a chamfer or a countersink; no radius
};
using RoundFaces = std::vector<RoundFace>;
using RoundFacesPtr = std::shared_ptr<const RoundFaces>;

/// All cylindrical and conical faces of a solid. Those that their file holds as splines are found too, as long as there
/// are few spline faces: each has to be sampled.
RoundFacesPtr roundFacesOf(const TopoDS_Shape& solid);

/// The round faces of the solids of one link, with their placements in ground axes.
using RoundPart = std::vector<std::pair<RoundFacesPtr, Pose>>;

/// How far the round faces of a link reach along an axis.
struct AxisSpan {
  double low = 0, high = 0;  ///< m, from the place along the axis
  int pieces = 0;            ///< that don't touch one another: the cheeks of a fork are two
};
/// Those on one axis, cones left out. @param axis of unit length
/// @param like only pieces of this radius (to 1e-6 m), and bores or pins as it is
std::optional<AxisSpan> spanOf(const RoundPart& link, const Vec3& at, const Vec3& axis,
                               const RoundFace* like = nullptr);

/// How far two spans are apart, m; 0 if they overlap.
double gapBetween(const AxisSpan& a, const AxisSpan& b);

}  // namespace cooperage::shape
