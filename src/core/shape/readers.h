// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <mutex>

#include "shape/solid.h"

namespace cooperage::shape {

/// OCCT's readers share state: held while a file is read, but not while its solids are meshed.
std::mutex& oneReader();

/// Reads an IGES file; surfaces that are no solids yet are sewn together. Error if they do not close.
Result<std::vector<SolidPtr>> readIges(const std::filesystem::path& path);

}  // namespace cooperage::shape
