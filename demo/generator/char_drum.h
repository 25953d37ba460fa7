// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>

namespace cooperage::demo {

/// A drum in which casks are charred, turned over a shaft with two universal joints that passes through the wall of
/// its casing: clearances with requirements.
bool makeCharDrum(const std::filesystem::path& folder);

}  // namespace cooperage::demo
