// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/joint_kind.h"

namespace cooperage::model {

const std::vector<JointKindInfo>& jointKinds() {
  static const std::vector<JointKindInfo> kKinds = {
      {JointKind::revolute, "revolute", 1, {{"turn", true, true}}, {Motion::turnZ}},
      {JointKind::prismatic, "prismatic", 1, {{"slide", false, true}}, {Motion::slideZ}},
      {JointKind::cylindrical,
       "cylindrical",
       2,
       {{"turn", true, true}, {"slide", false, true}},
       {Motion::turnZ, Motion::slideZ}},
      {JointKind::spherical,
       "spherical",
       3,
       {{"tilt_x", true, true}, {"tilt_y", true, true}, {"turn", true, true}, {"swing", true, false}},
       {Motion::ball}},
      {JointKind::fixed, "fixed", 0, {}, {}},
      {JointKind::screw, "screw", 1, {{"turn", true, true}, {"slide", false, true}}, {Motion::turnZ, Motion::slideZ}},
      {JointKind::universal,
       "universal",
       2,
       {{"tilt_x", true, true}, {"tilt_y", true, true}},
       {Motion::turnX, Motion::turnY}},
      {JointKind::planar,
       "planar",
       3,
       {{"x", false, true}, {"y", false, true}, {"turn", true, true}},
       {Motion::slideX, Motion::slideY, Motion::turnZ}},
      {JointKind::pinSlot,
       "pin-slot",
       2,
       {{"slide", false, true}, {"turn", true, true}},
       {Motion::slideX, Motion::turnZ}},
      {JointKind::pointLine,
       "point-line",
       4,
       {{"slide", false, true}, {"tilt_x", true, true}, {"tilt_y", true, true}, {"turn", true, true}},
       {Motion::slideZ, Motion::ball}},
      {JointKind::pointPlane,
       "point-plane",
       5,
       {{"x", false, true}, {"y", false, true}, {"tilt_x", true, true}, {"tilt_y", true, true}, {"turn", true, true}},
       {Motion::slideX, Motion::slideY, Motion::ball}},
      {JointKind::pointCurve,
       "point-curve",
       4,
       {{"along", false, true, true}, {"tilt_x", true, true}, {"tilt_y", true, true}, {"turn", true, true}},
       {Motion::curve, Motion::ball}},
      {JointKind::pointSurface,
       "point-surface",
       5,
       {{"u", false, true, true},
        {"v", false, true, true},
        {"tilt_x", true, true},
        {"tilt_y", true, true},
        {"turn", true, true}},
       {Motion::surface, Motion::ball}},
  };
  return kKinds;
}

const JointKindInfo& infoOf(JointKind kind) {
  for (const JointKindInfo& info : jointKinds())
    if (info.kind == kind) return info;
  return jointKinds().front();
}

std::optional<JointKind> jointKindNamed(std::string_view name) {
  for (const JointKindInfo& info : jointKinds())
    if (name == info.name) return info.kind;
  return std::nullopt;
}

int valueIndex(JointKind kind, std::string_view name) {
  const auto& values = infoOf(kind).values;
  for (std::size_t i = 0; i < values.size(); ++i)
    if (name == values[i].name) return static_cast<int>(i);
  return -1;
}

Dimension dimensionOf(const JointValue& value) {
  return value.plain ? dimension::kPlain : value.angle ? dimension::kAngle : dimension::kLength;
}

}  // namespace cooperage::model
