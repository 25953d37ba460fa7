// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "base/units.h"
#include "motion/law_kind.h"

namespace cooperage::motion {

/// Dimension of a figure of a programme row, by the law's key ("to", "time", "speed"), or none if the law has no such.
/// @param value what the row moves
std::optional<Dimension> figureDimension(const Word<LawKind>& law, const std::string& key, const Dimension& value);
/// The keys that a law must have; empty if there is no such law, or none that it must.
const std::vector<std::string>& figuresOf(const Word<LawKind>& law);

}  // namespace cooperage::motion
