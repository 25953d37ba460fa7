// SPDX-License-Identifier: GPL-3.0-or-later
// Tables in and out: curves from files, workbooks.
#include <array>
#include <cstdio>
#include <filesystem>

#include "../../scratch_folder.h"
#include "../support.h"
#include "io/curve_table.h"
#include "io/report.h"
#include "io/xlsx.h"

namespace cooperage::test {
namespace {

namespace fs = std::filesystem;

class Tables : public testing::Test {
 protected:
  fs::path file(const std::string& name, const std::string& text) {
    std::ofstream(folder / name) << text;
    return folder / name;
  }
  static std::string output(const std::string& command) {
    std::string out;
    FILE* p = ::popen(command.c_str(), "r");
    std::array<char, 4096> part{};
    while (p)
      if (const std::size_t n = ::fread(part.data(), 1, part.size(), p))
        out.append(part.data(), n);
      else
        break;
    if (p) ::pclose(p);
    return out;
  }
  ScratchFolder folder;
  const model::Mechanism none;
};

TEST_F(Tables, AreReadWithAnySeparatorAndUnits) {
  const auto value = [&](const model::Field& f, const Dimension& d) { return *model::evaluateField(none, f, d); };
  for (const char* text : {"0,1\n2.5,-3\n", "0;1\r\n2.5;-3\r\n", "# made by hand\n0 \t 1\n\n2.5 -3\n",
                           "\xEF\xBB\xBF\"t\",\"v\"\n0,1\n2.5,-3"}) {
    const auto t = io::readCurveTable(none, file("a.csv", text));
    ASSERT_TRUE(t.ok()) << t.error().text << " for " << text;
    ASSERT_EQ(t->size(), 2u);
    EXPECT_EQ(t->at(1)[0].number, 2.5);
    EXPECT_EQ(t->at(1)[1].number, -3);
  }
  const auto t = io::readCurveTable(none, file("b.csv", "time [ms], lift [in]\n0,0\n500,2\n"));
  ASSERT_TRUE(t.ok());
  EXPECT_NEAR(value(t->at(1)[0], dimension::kTime), 0.5, 1e-15);
  EXPECT_NEAR(value(t->at(1)[1], dimension::kLength), 0.0508, 1e-15);
}

TEST_F(Tables, WhatIsWrongIsNamedByFileAndLine) {
  const auto said = [&](const std::string& text) {
    const auto t = io::readCurveTable(none, file("bad.csv", text));
    return t.ok() ? std::string() : t.error().text;
  };
  EXPECT_EQ(said("0,1\n1,x\n"), "bad.csv, line 2: 'x' is no number; decimal points only");
  EXPECT_EQ(said("0,1\n2\n"), "bad.csv, line 2: two columns are needed");
  EXPECT_THAT(said("t [parsec], v\n0,1\n1,2\n"), testing::HasSubstr("[parsec]"));
  EXPECT_THAT(said("0,1\n"), testing::HasSubstr("two rows or more"));
  EXPECT_THAT(io::readCurveTable(none, folder / "none.csv").error().text, testing::HasSubstr("can't be opened"));
}

TEST_F(Tables, ADriveFollowsAFileThatStaysAFile) {
  file("lift.csv", "t [s], v [deg]\n0,30\n0.4,75\n1,30\n");
  auto json = sliderCrank(20, 70, 5, 30);
  const auto d = json.find(R"("drives":[)"), e = json.find(R"("gauges":[)");
  json.replace(
      d, e - d,
      R"("drives":[{"name":"motor","value":"main.turn","programme":[{"law":"table","file":"lift.csv","interpolation":"linear"}]}],)");
  json.replace(json.find(R"("kind":"point-position")"), 0, R"("over":{"file":"lift.csv"},)");
  json.replace(json.find(R"(,"axis":"motor")"), 15, "");
  auto refused = model::resolve(read(json));
  EXPECT_FALSE(refused.ok()) << "a text alone knows no folder";
  const auto path = file("m.coop", json);
  json.replace(json.find(R"("over":{"file":"lift.csv"},)"), 27, "");
  const auto m = io::loadCoop(file("m.coop", json));
  ASSERT_TRUE(m.ok()) << m.error().text;
  const auto r = runFirst(*m);
  ASSERT_TRUE(r.travel.completed) << said(r);
  for (const auto& row : r.rows)
    EXPECT_NEAR(row[column(r, "main.turn")] * 180 / kPi,
                row[0] <= 0.4 ? 30 + 45 * row[0] / 0.4 : 75 - 75 * (row[0] - 0.4), 1e-9);
  const std::string text = io::writeCoop(*m);
  EXPECT_THAT(text, testing::HasSubstr(R"("file": "lift.csv")"));
  EXPECT_THAT(text, testing::Not(testing::HasSubstr("points")));
  fs::remove(folder / "lift.csv");
  EXPECT_THAT(io::loadCoop(folder / "m.coop").error().text, testing::HasSubstr("drive motor"));
}

/// Cells of a workbook's only sheet, by a reader of its own: row by row, texts from the shared strings.
std::vector<std::vector<std::string>> cellsOf(const std::string& sheet, const std::string& strings) {
  std::vector<std::string> shared;
  for (std::size_t at = 0; (at = strings.find("<si>", at)) != std::string::npos; ++at) {
    const auto text = strings.find('>', strings.find("<t", at)) + 1;
    shared.push_back(strings.substr(text, strings.find("</t>", text) - text));
  }
  std::vector<std::vector<std::string>> rows;
  for (std::size_t at = 0; (at = sheet.find("<row ", at)) != std::string::npos;) {
    const auto end = sheet.find("</row>", at);
    const std::string row = sheet.substr(at, end - at);
    rows.emplace_back();
    for (std::size_t c = 0; (c = row.find("<c ", c)) != std::string::npos;) {
      const auto v = row.find("<v>", c), stop = row.find("</v>", c), head = row.find('>', c);
      const bool text = row.substr(c, head - c).find("t=\"s\"") != std::string::npos;
      const std::string value = row.substr(v + 3, stop - v - 3);
      rows.back().push_back(text ? shared.at(std::stoul(value)) : value);
      c = stop;
    }
    at = end;
  }
  return rows;
}

TEST_F(Tables, AWorkbookHoldsTheSameNumbers) {
  const auto m = read(sliderCrank(20, 70, 5, 30));
  const auto r = runFirst(m);
  const std::vector<int> columns{0, static_cast<int>(column(r, "main.turn")), static_cast<int>(column(r, "middle v"))};
  const auto path = folder / "run.xlsx";
  const auto s = io::saveXlsx(r, m.units, columns, "turn: one/two", path);
  ASSERT_TRUE(s.ok()) << s.error().text;
  const std::string sheet = output("unzip -p '" + path.string() + "' xl/worksheets/sheet1.xml"),
                    strings = output("unzip -p '" + path.string() + "' xl/sharedStrings.xml");
  const auto cells = cellsOf(sheet, strings);
  ASSERT_EQ(cells.size(), r.rows.size() + 1);
  EXPECT_EQ(cells[0], (std::vector<std::string>{"t [s]", "main.turn [deg]", "middle v [mm/s]"}));
  for (std::size_t i = 0; i < r.rows.size(); ++i)
    for (std::size_t k = 0; k < columns.size(); ++k) {
      const auto c = static_cast<std::size_t>(columns[k]);
      const double v = r.rows[i][c] / m.units.factor(r.columns[c].dimension);
      EXPECT_NEAR(std::stod(cells[i + 1][k]), v, 1e-15 * std::abs(v)) << "16 digits are kept";
    }
  // a second reader, where there is one
  if (output("command -v soffice").empty()) return;
  output("cd '" + folder.path().string() + "' && soffice --headless --convert-to csv run.xlsx >/dev/null 2>&1");
  std::ifstream csv(folder / "run.csv");
  std::string line;
  ASSERT_TRUE(std::getline(csv, line)) << "the other program could not open it";
  EXPECT_EQ(line, "t [s],main.turn [deg],middle v [mm/s]");
}

TEST_F(Tables, TooManyRowsAndAMissingFolderAreSaid) {
  kinematics::RunResult r;
  r.columns.push_back({"t", dimension::kTime});
  r.rows.assign(1048576, std::vector<double>{});
  EXPECT_THAT(io::saveXlsx(r, {}, {}, "s", folder / "a.xlsx").error().text, testing::HasSubstr("don't fit a sheet"));
  r.rows.assign(1, {0.5});
  EXPECT_THAT(io::saveXlsx(r, {}, {}, "s", folder / "no/where.xlsx").error().text,
              testing::HasSubstr("can't be written"));
  EXPECT_TRUE(fs::is_empty(folder)) << "nothing half written is left";
}

TEST_F(Tables, CsvOfChosenColumns) {
  const auto m = read(sliderCrank(20, 70, 5, 30));
  const auto r = runFirst(m);
  const std::string csv = io::tableCsv(r, m.units, {0, static_cast<int>(column(r, "middle x"))});
  EXPECT_EQ(csv.substr(0, csv.find('\n')), "t [s],middle x [mm]");
}

}  // namespace
}  // namespace cooperage::test
