// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>

namespace cooperage::demo {

/// Motion by contact. `head-indexer`: a wheel with six slots and its locking disc turn a barrel head from station to
/// station. `stave-ratchet`: a table of five stations, moved by a pawl and brought to its place by a spring latch.
bool makeContactDemos(const std::filesystem::path& folder);

}  // namespace cooperage::demo
