// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string_view>
#include <vector>

namespace cooperage::model {

/// A material that the program knows. A document may hold others, and others of the same name count before these.
struct KnownMaterial {
  const char* name;
  double density;  ///< kg/m^3
};
/// Mean figures as handbooks of machine design give them; wood at 12 % moisture.
const std::vector<KnownMaterial>& knownMaterials();
/// @return null if there is none of that name
const KnownMaterial* materialNamed(std::string_view name);

}  // namespace cooperage::model
