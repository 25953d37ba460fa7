// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>

namespace cooperage::demo {

/// Writes croze-cutter, cask-turner, head-clamp and bung-borer into folders of their own below `folder`, made with the
/// same makers that the window uses.
bool makeMachineDemos(const std::filesystem::path& folder);

}  // namespace cooperage::demo
