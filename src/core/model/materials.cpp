// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/materials.h"

namespace cooperage::model {

const std::vector<KnownMaterial>& knownMaterials() {
  static const std::vector<KnownMaterial> kAll{
      {"steel", 7850},       {"stainless steel", 7900}, {"cast iron", 7200},  {"aluminium", 2700}, {"brass", 8500},
      {"bronze", 8800},      {"titanium", 4500},        {"zinc alloy", 6600}, {"acetal", 1410},    {"nylon", 1140},
      {"polyethylene", 950}, {"rubber", 1200},          {"oak", 700},         {"beech", 720},      {"ash", 680},
      {"spruce", 450}};
  return kAll;
}

const KnownMaterial* materialNamed(std::string_view name) {
  for (const auto& m : knownMaterials())
    if (m.name == name) return &m;
  return nullptr;
}

}  // namespace cooperage::model
