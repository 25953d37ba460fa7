// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "shape/solid.h"

namespace cooperage::shape {

/// Reads an IGES file; surfaces that are no solids yet are sewn together. Error if they do not close.
Result<std::vector<SolidPtr>> readIges(const std::filesystem::path& path);

}  // namespace cooperage::shape
