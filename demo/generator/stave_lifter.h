// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>

namespace cooperage::demo {

/// A four-bar whose coupler carries staves up to the jointer: parameters for all lengths, the path of the fork, ghosts,
/// gauges and requirements, and two runs: a steady turn, and a cycle of moves and dwells.
bool makeStaveLifter(const std::filesystem::path& folder);

}  // namespace cooperage::demo
