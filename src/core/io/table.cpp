// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <cmath>
#include <numeric>

#include "io/report.h"

namespace cooperage::io {

std::string tableCsv(const kinematics::RunResult& result, const DocumentUnits& units, const std::vector<int>& chosen) {
  std::vector<int> columns = chosen;
  if (columns.empty()) {
    columns.resize(result.columns.size());
    std::iota(columns.begin(), columns.end(), 0);
  }
  std::string out;
  std::vector<double> factors;
  for (std::size_t i = 0; i < columns.size(); ++i) {
    const auto& column = result.columns[static_cast<std::size_t>(columns[i])];
    std::string head = column.head(units);
    if (head.find_first_of(",\"\n") != std::string::npos) {
      std::string quoted = "\"";
      for (char c : head) quoted += c == '"' ? std::string("\"\"") : std::string(1, c);
      head = quoted + '"';
    }
    out += (i ? "," : "") + head;
    factors.push_back(units.factor(column.dimension));
  }
  out += '\n';
  for (const auto& row : result.rows) {
    for (std::size_t i = 0; i < columns.size(); ++i) {
      const double v = row[static_cast<std::size_t>(columns[i])];
      if (i) out += ',';
      if (std::isfinite(v)) out += fmt::format("{:.17g}", v / factors[i]);
    }
    out += '\n';
  }
  return out;
}

}  // namespace cooperage::io
