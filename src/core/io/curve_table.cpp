// SPDX-License-Identifier: GPL-3.0-or-later
#include "io/curve_table.h"

#include <fmt/format.h>

#include <charconv>
#include <cmath>

#include "io/coop_file.h"
#include "model/edits.h"

namespace cooperage::io {

using namespace model;

namespace {

std::vector<std::string> cells(const std::string& line) {
  char separator = ' ';
  for (char c : {';', ',', '\t'})
    if (line.find(c) != std::string::npos) {
      separator = c;
      break;
    }
  std::vector<std::string> out;
  std::string cell;
  const auto end = [&] {
    const auto a = cell.find_first_not_of(" \t\""), b = cell.find_last_not_of(" \t\"");
    if (a != std::string::npos || separator != ' ')
      out.push_back(a == std::string::npos ? "" : cell.substr(a, b - a + 1));
    cell.clear();
  };
  for (char c : line) {
    if (c == separator || (separator == ' ' && c == '\t'))
      end();
    else
      cell += c;
  }
  end();
  return out;
}

std::optional<double> number(const std::string& text) {
  double v = 0;
  const auto end = std::from_chars(text.data(), text.data() + text.size(), v);
  if (end.ec != std::errc() || end.ptr != text.data() + text.size() || !std::isfinite(v)) return std::nullopt;
  return v;
}

std::string unitIn(const std::string& head) {
  const auto a = head.find('['), b = head.find(']');
  return a == std::string::npos || b == std::string::npos || b < a ? "" : head.substr(a + 1, b - a - 1);
}

}  // namespace

Result<std::vector<Pair>> readCurveTable(const Mechanism& m, const std::filesystem::path& path) {
  const auto text = readFile(path);
  if (!text.ok()) return text.error();
  const auto trouble = [&](std::size_t line, const std::string& what) {
    return Error{"table", path.string(), fmt::format("{}, line {}: {}", path.filename().string(), line, what)};
  };
  std::vector<Pair> out;
  std::string units[2];
  bool first = true;
  std::size_t n = 0;
  for (std::size_t at = 0; at < text->size();) {
    auto end = text->find('\n', at);
    if (end == std::string::npos) end = text->size();
    std::string line = text->substr(at, end - at);
    at = end + 1;
    ++n;
    if (!line.empty() && line.back() == '\r') line.pop_back();
    if (n == 1 && line.rfind("\xEF\xBB\xBF", 0) == 0) line.erase(0, 3);
    if (line.find_first_not_of(" \t") == std::string::npos || line[line.find_first_not_of(" \t")] == '#') continue;
    const auto row = cells(line);
    if (row.size() < 2) return trouble(n, "two columns are needed");
    const auto a = number(row[0]), b = number(row[1]);
    if (first && (!a || !b)) {
      units[0] = unitIn(row[0]);
      units[1] = unitIn(row[1]);
      first = false;
      continue;
    }
    first = false;
    if (!a || !b) return trouble(n, fmt::format("'{}' is no number; decimal points only", a ? row[1] : row[0]));
    Pair p;
    for (std::size_t k = 0; k < 2; ++k) {
      const double v = k == 0 ? *a : *b;
      if (units[k].empty()) {
        p[k] = Field(v);
        continue;
      }
      const auto f = parseField(m, fmt::format("{} {}", row[k], units[k]));
      if (!f.ok()) return trouble(n, fmt::format("the unit [{}] isn't known", units[k]));
      p[k] = *f;
    }
    out.push_back(p);
  }
  if (out.size() < 2) return trouble(n, "two rows or more are needed");
  return out;
}

Result<Mechanism> withTables(const Mechanism& m, const std::filesystem::path& folder) {
  Mechanism out = m;
  Error error;
  const auto fill = [&](const std::string& file, std::vector<Pair>& points, const std::string& owner) {
    if (file.empty() || !error.text.empty()) return;
    auto read = readCurveTable(m, folder / file);
    if (read.ok())
      points = std::move(read).value();
    else
      error = {"table", owner, owner + ": " + read.error().text};
  };
  const auto rows = [&](std::vector<ProgrammeRow>& list, const std::string& owner) {
    for (auto& row : list) fill(row.file, row.points, owner);
  };
  const auto names = [](const std::vector<ProgrammeRow>& list) {
    for (const auto& row : list)
      if (!row.file.empty()) return true;
    return false;
  };
  for (const auto& p : m.programmes)
    if (names(p->rows))
      change<NamedProgramme>(out.programmes, p->id, [&](NamedProgramme& x) { rows(x.rows, "programme " + x.name); });
  for (const auto& d : m.drives)
    if (names(d->programme)) change<Drive>(out.drives, d->id, [&](Drive& x) { rows(x.programme, "drive " + x.name); });
  for (const auto& g : m.gauges)
    if (!g->overFile.empty())
      change<Gauge>(out.gauges, g->id, [&](Gauge& x) { fill(x.overFile, x.overPoints, "gauge " + x.name); });
  if (!error.text.empty()) return error;
  return out;
}

}  // namespace cooperage::io
