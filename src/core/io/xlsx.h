// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <vector>

#include "kinematics/gauges.h"

namespace cooperage::io {

/// Columns of a table to be written; all if empty.
using ColumnChoice = std::vector<int>;

/// A run's table as an Office Open XML workbook (ECMA-376): one sheet, units in the head, which stays in view; figures
/// are numbers with all their digits, cells without a value are empty. More than 1,048,575 rows don't fit a sheet:
/// that is an error that says so.
Status saveXlsx(const kinematics::RunResult& result, const DocumentUnits& units, const ColumnChoice& columns,
                const std::string& sheet, const std::filesystem::path& path);

}  // namespace cooperage::io
