// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>

#include "shape/face_features.h"

namespace cooperage::shape {

/// What can be said of two picked pieces of geometry (or of one alone). m, rad, ground axes.
struct Measured {
  std::optional<double> distance;   ///< least distance of the two pieces
  Vec3 from{0, 0, 0}, to{0, 0, 0};  ///< where it is
  std::optional<double> between;    ///< of parallel axes or planes: distance of the lines or planes themselves
  std::optional<double> angle;      ///< of their axes, normals or directions, 0 to a right angle
  bool coaxial = false;
  std::optional<double> radiusA, radiusB;
  std::optional<double> length;  ///< of a single edge or round face
  std::optional<double> area;    ///< of a single face
};

struct Picked {
  TopoDS_Shape part;       ///< mm, body axes
  model::Feature feature;  ///< m, body axes
  Pose placement;          ///< body axes to ground
};

/// Volume of a solid in m^3, of its exact surfaces; 0 of what encloses none.
double volumeOf(const TopoDS_Shape& solid);

/// One piece alone: radius, length, area.
Measured measure(const Picked& a);
/// Two pieces: least distance (exact, of the surfaces), angle, common axis. Error if the geometry gives no distance.
Result<Measured> measure(const Picked& a, const Picked& b);

}  // namespace cooperage::shape
