// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/units.h"

namespace cooperage::model {

enum class JointKind { fixed, revolute, prismatic, cylindrical, screw, universal, spherical, planar, pinSlot };

/// One elementary motion of a joint, in the axes of its first seat after the motions before it.
enum class Motion { turnX, turnY, turnZ, slideX, slideY, slideZ, ball };

struct JointValue {
  const char* name;  ///< as in the file: "turn", "slide", "tilt_x"
  bool angle;        ///< rad, else m
  bool drivable;     ///< swing of a spherical joint is only read
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
