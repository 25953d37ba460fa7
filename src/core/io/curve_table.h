// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <vector>

#include "base/result.h"
#include "model/mechanism.h"

namespace cooperage::io {

/// Reads a table of two columns: comma, semicolon, tab or blanks between them, decimal points, lines that begin with #
/// left out, and a head if its first line is no row of figures. A head may name units in square brackets
/// ("time [ms], lift [mm]"); the figures are formulas with these units then, else plain numbers in document units.
/// Error names the file and the line.
Result<std::vector<model::Pair>> readCurveTable(const model::Mechanism& m, const std::filesystem::path& path);

/// The points of all rows and overlays that come from files, read beside the document.
Result<model::Mechanism> withTables(const model::Mechanism& m, const std::filesystem::path& folder);

}  // namespace cooperage::io
