// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QString>

#include "model/joint_edits.h"
#include "shape/face_features.h"

namespace cooperage::app {

/// A piece of geometry under the pointer.
struct Hit {
  model::Id link = 0, body = 0;
  TopoDS_Shape part;  ///< face or edge, mm, body axes; null where whole bodies answer
  shape::SolidPtr solid;
  Pose placement;  ///< body axes to ground, as shown
};

/// A place under the pointer that a seat can take.
struct PickedPlace {
  model::Id link = 0;
  QString word;                                   ///< "axis middle", "centre", "seat"
  QString of;                                     ///< "bore of 16 mm", or the seat's name
  Vec3 at{0, 0, 0}, axis{0, 0, 1}, ref{1, 0, 0};  ///< ground axes, m
  Hit hit;                                        ///< where it comes from; no part for a seat
  model::Feature feature;                         ///< of the hit part
  model::Id seat = 0, curve = 0;
  double along = 0;  ///< m along its axis from the place that the part itself offers: the middle over several pieces
};

/// The pick for a joint's or a seat's maker, with the geometry that it came from.
model::Place toPlace(const PickedPlace& pick);

/// Which kinds of places answer while picking.
struct PickFilter {
  bool axes = true, planes = true, points = true;
};

}  // namespace cooperage::app
