// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>

namespace cooperage::demo {

/// A cradle that tilts a cask: two arms on one frame with a tie bar between them, laid out from a drawing in which the
/// curves of all lie over one another. Writes the drawing and the document that was gathered from it.
bool makeTiltCradle(const std::filesystem::path& folder);

}  // namespace cooperage::demo
