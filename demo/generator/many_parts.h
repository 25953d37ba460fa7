// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>

namespace cooperage::demo {
/// A yard of staves and hoops to measure with: so many different perforated plates, in groups of ten.
/// @param different how many of them differ; the others are repeated
/// @param holes in each; one makes about 20 kB of STEP a plate, sixteen about 100 kB
bool makeManyParts(const std::filesystem::path& file, int parts, int different, int holes);
}  // namespace cooperage::demo
