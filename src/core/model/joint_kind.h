// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/units.h"

namespace cooperage::model {

enum class JointKind {
  fixed,
  revolute,
  prismatic,
  cylindrical,
  screw,
  universal,
  spherical,
  planar,
  pinSlot,
  pointLine,
  pointPlane,
  pointCurve,
  pointSurface
};

/// One elementary motion of a joint, in the axes of its first seat after the motions before it. A ball counts for three
/// values, a surface for two. The last three belong to cam pairs: the frame that moves along a curve, two curves that
/// roll, and (curve) a place on a curve without turning.
enum class Motion { turnX, turnY, turnZ, slideX, slideY, slideZ, ball, curve, surface, contactFrame, rolling };

struct JointValue {
  const char* name;    ///< as in the file: "turn", "slide", "tilt_x"
  bool angle;          ///< rad, else m (or a plain number)
  bool drivable;       ///< swing of a spherical joint is only read
  bool plain = false;  ///< a parameter of a curve or surface
};

struct JointKindInfo {
  JointKind kind;
  const char* name;  ///< as in the file
  int freedoms;
  std::vector<JointValue> values;  ///< in the order of the table
  std::vector<Motion> motions;     ///< J, from the first seat to the second; one a value, a ball for three
};

const std::vector<JointKindInfo>& jointKinds();
const JointKindInfo& infoOf(JointKind kind);
std::optional<JointKind> jointKindNamed(std::string_view name);
/// Index into values, or -1.
int valueIndex(JointKind kind, std::string_view name);
Dimension dimensionOf(const JointValue& value);

}  // namespace cooperage::model
