// SPDX-License-Identifier: GPL-3.0-or-later
#include "io/xlsx.h"

#include <fmt/format.h>
#include <unistd.h>
#include <xlsxwriter.h>

#include <cmath>
#include <fstream>
#include <numeric>

namespace cooperage::io {

Status saveXlsx(const kinematics::RunResult& result, const DocumentUnits& units, const ColumnChoice& chosen,
                const std::string& sheet, const std::filesystem::path& path) {
  if (result.rows.size() > 1048575)
    return Error{"table", path.string(),
                 fmt::format("{} rows don't fit a sheet (1,048,575 at most); save as CSV or take fewer steps",
                             result.rows.size())};
  ColumnChoice columns = chosen;
  if (columns.empty()) {
    columns.resize(result.columns.size());
    std::iota(columns.begin(), columns.end(), 0);
  }
  const std::filesystem::path part = path.string() + fmt::format(".{}.part", ::getpid());
  const auto trouble = [&] {
    std::error_code ignored;
    std::filesystem::remove(part, ignored);
    return Error{"file", path.string(),
                 fmt::format("{}: can't be written; is the folder there and writable?", path.string())};
  };
  if (!std::ofstream(part)) return trouble();  // the library would print about it
  lxw_workbook* book = workbook_new(part.c_str());
  if (!book) return trouble();
  std::string name;  // a sheet's name holds 31 characters at most and none of []:*?/\ .
  for (char c : sheet) name += std::string("[]:*?/\\'").find(c) == std::string::npos ? c : ' ';
  lxw_worksheet* page = workbook_add_worksheet(book, name.empty() ? "run" : name.substr(0, 31).c_str());
  if (!page) page = workbook_add_worksheet(book, "run");
  lxw_format* bold = workbook_add_format(book);
  format_set_bold(bold);
  for (std::size_t k = 0; k < columns.size(); ++k) {
    const auto col = static_cast<lxw_col_t>(k);
    const auto& column = result.columns[static_cast<std::size_t>(columns[k])];
    const std::string head = column.head(units);
    worksheet_write_string(page, 0, col, head.c_str(), bold);
    worksheet_set_column(page, col, col, std::max(12.0, static_cast<double>(head.size()) + 2), nullptr);
    const double factor = units.factor(column.dimension);
    for (std::size_t i = 0; i < result.rows.size(); ++i) {
      const double v = result.rows[i][static_cast<std::size_t>(columns[k])];
      if (std::isfinite(v)) worksheet_write_number(page, static_cast<lxw_row_t>(i + 1), col, v / factor, nullptr);
    }
  }
  worksheet_freeze_panes(page, 1, 0);
  if (workbook_close(book) != LXW_NO_ERROR) return trouble();
  std::error_code ec;
  std::filesystem::rename(part, path, ec);
  if (ec) return trouble();
  return Done{};
}

}  // namespace cooperage::io
