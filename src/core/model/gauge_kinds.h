// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "base/words.h"

namespace cooperage::model {

/// What a gauge measures.
enum class GaugeKind {
  jointValue,
  jointRate,
  jointAcceleration,
  jointJerk,
  velocityRatio,
  pointPosition,
  pointVelocity,
  pointAcceleration,
  linkRate,
  linkAcceleration,
  distance,
  distancePlane,
  distanceAxis,
  angle,
  transmissionAngle,
  clearance,
  pressureAngle,
  curvature,
  formula,
  driveForce,
  drivePower,
  reaction,
  contactForce,
  energy,
  massCentre,
  shaking
};
constexpr std::array<std::string_view, 26> wordsOf(GaugeKind) {
  return {"joint-value",    "joint-rate",     "joint-acceleration", "joint-jerk", "velocity-ratio",
          "point-position", "point-velocity", "point-acceleration", "link-rate",  "link-acceleration",
          "distance",       "distance-plane", "distance-axis",      "angle",      "transmission-angle",
          "clearance",      "pressure-angle", "curvature",          "formula",    "drive-force",
          "drive-power",    "reaction",       "contact-force",      "energy",     "mass-centre",
          "shaking"};
}

/// A value of a joint or one of its rates.
inline bool isOfJoint(const Word<GaugeKind>& k) { return k.known() && k.value() <= GaugeKind::jointJerk; }
inline bool isOfPoint(const Word<GaugeKind>& k) {
  return k.known() && k.value() >= GaugeKind::pointPosition && k.value() <= GaugeKind::pointAcceleration;
}
/// How a link turns.
inline bool isOfLink(const Word<GaugeKind>& k) { return k == GaugeKind::linkRate || k == GaugeKind::linkAcceleration; }
inline bool isDistance(const Word<GaugeKind>& k) {
  return k.known() && k.value() >= GaugeKind::distance && k.value() <= GaugeKind::distanceAxis;
}

/// What a drive has to give.
inline bool isOfDrive(const Word<GaugeKind>& k) { return k == GaugeKind::driveForce || k == GaugeKind::drivePower; }
/// Needs masses and loads.
inline bool isOfLoads(const Word<GaugeKind>& k) { return k.known() && k.value() >= GaugeKind::driveForce; }
/// One of three axes or of six, or none.
inline bool hasForceComponent(const Word<GaugeKind>& k) { return k == GaugeKind::reaction || k == GaugeKind::shaking; }

}  // namespace cooperage::model
