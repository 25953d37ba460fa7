// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>

namespace cooperage::model {

/// What a gauge measures; several kinds of the file share one.
enum class Measures {
  jointValue,
  jointRate,
  jointAcceleration,
  jointJerk,
  ratio,
  point,
  pointRate,
  pointAcceleration,
  linkRate,
  linkAcceleration,
  distance,
  angle,
  transmission,
  clearance,
  pressureAngle,
  curvature,
  formula
};
struct GaugeKind {
  const char* name;
  Measures measures;
};
inline constexpr GaugeKind kGaugeKinds[] = {
    {"joint-value", Measures::jointValue},
    {"joint-rate", Measures::jointRate},
    {"joint-acceleration", Measures::jointAcceleration},
    {"joint-jerk", Measures::jointJerk},
    {"velocity-ratio", Measures::ratio},
    {"point-position", Measures::point},
    {"point-velocity", Measures::pointRate},
    {"point-acceleration", Measures::pointAcceleration},
    {"link-rate", Measures::linkRate},
    {"link-acceleration", Measures::linkAcceleration},
    {"distance", Measures::distance},
    {"distance-plane", Measures::distance},
    {"distance-axis", Measures::distance},
    {"angle", Measures::angle},
    {"transmission-angle", Measures::transmission},
    {"clearance", Measures::clearance},
    {"pressure-angle", Measures::pressureAngle},
    {"curvature", Measures::curvature},
    {"formula", Measures::formula},
};
inline const GaugeKind* gaugeKind(const std::string& name) {
  for (const GaugeKind& k : kGaugeKinds)
    if (name == k.name) return &k;
  return nullptr;
}

}  // namespace cooperage::model
