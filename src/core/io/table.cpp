// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <cmath>

#include "io/report.h"

namespace cooperage::io {

std::string tableCsv(const kinematics::RunResult& result, const DocumentUnits& units) {
  std::string out;
  std::vector<double> factors;
  for (std::size_t i = 0; i < result.columns.size(); ++i) {
    std::string head = result.columns[i].head(units);
    if (head.find_first_of(",\"\n") != std::string::npos) {
      std::string quoted = "\"";
      for (char c : head) quoted += c == '"' ? std::string("\"\"") : std::string(1, c);
      head = quoted + '"';
    }
    out += (i ? "," : "") + head;
    factors.push_back(units.factor(result.columns[i].dimension));
  }
  out += '\n';
  for (const auto& row : result.rows) {
    for (std::size_t i = 0; i < row.size(); ++i) {
      if (i) out += ',';
      if (std::isfinite(row[i])) out += fmt::format("{:.17g}", row[i] / factors[i]);
    }
    out += '\n';
  }
  return out;
}

}  // namespace cooperage::io
