// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>

namespace cooperage::demo {
/// Parts of the hoop press: a crank and a rod straighten two toggle links that press a ram down on a cask.
/// Mechanism in the plane y = 0, z up, figures in mm; each moving part stands in axes of its own pivot.
bool makeHoopPress(const std::filesystem::path& folder);
}  // namespace cooperage::demo
