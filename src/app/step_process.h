// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "shape/solid.h"

namespace cooperage::app {

/// Reads a STEP file in a process of its own (cooperage-cli), so that a crash in the reader is a message and a cancel
/// ends it at once. May be called from any thread.
Result<std::vector<shape::SolidPtr>> readStepInProcess(const std::filesystem::path& path, Progress* progress);

}  // namespace cooperage::app
