// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QPointF>
#include <QString>
#include <vector>

#include "scene.h"
#include "model/plane_joints.h"

namespace cooperage::app {

/// What lies under the pointer of the outlines of links, nearest first: points (pivots, centres, ends), then straight
/// lines, then curves.
struct PickUnder {
  model::PlanePick pick;
  double pixels = 0;  ///< from the pointer
  QString word;       ///< "centre of arm"
};
std::vector<PickUnder> picksUnder(Workbench& bench, Scene& scene, const QPointF& at);

/// The places at which centres of circles and pivots of two links or more meet and pins are missing.
std::vector<std::vector<model::PlanePick>> placesWithoutPins(Workbench& bench, Scene& scene);

}  // namespace cooperage::app
