// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <string>

#include "base/units.h"
#include "model/mechanism.h"

/// The number fields of a document, listed in one place: what holds of every field (formulas that use a parameter,
/// another unit) goes through here.
namespace cooperage::model {

/// Calls back with every number field and what holds it, as a message names it: "joint crank bearing".
void eachField(const Mechanism& m, const std::function<void(const Field& field, const std::string& owner)>& visit);

/// The document with its number fields edited. Fields of parameters are left alone: what they measure is known only
/// where they are used.
/// @param edit called with each field and its dimension; plain where it can't be told, as for a gauge of a later version
Mechanism withFields(const Mechanism& m, const std::function<void(Field& field, const Dimension& dimension)>& edit);

}  // namespace cooperage::model
