// SPDX-License-Identifier: GPL-3.0-or-later
#include "io/coop_file.h"

#include <rapidcheck/gtest.h>

#include <filesystem>
#include <nlohmann/json.hpp>

#include "../../scratch_folder.h"
#include "../support.h"

namespace cooperage::io {
namespace {

using namespace cooperage::test;
using testing::HasSubstr;

std::string demoText() {
  return readFile(std::filesystem::path(COOPERAGE_DEMO) / "hoop-press/hoop-press.coop").value();
}
std::string problem(const std::string& text) {
  const auto m = readCoop(text);
  return m.ok() ? "accepted" : m.error().text;
}

TEST(CoopFile, SaveAndLoadIsIdentity) {
  for (const std::string& text : {demoText(), sliderCrank(34, 120, 11)}) {
    const std::string once = writeCoop(*readCoop(text));
    EXPECT_EQ(writeCoop(*readCoop(once)), once);
  }
}

/// Whether all that one JSON holds stands in another, too; numbers as numbers.
bool holds(const nlohmann::json& all, const nlohmann::json& part) {
  if (part.is_number()) return all.is_number() && all.get<double>() == part.get<double>();
  if (part.is_array()) {
    if (!all.is_array() || all.size() != part.size()) return false;
    for (std::size_t i = 0; i < part.size(); ++i)
      if (!holds(all[i], part[i])) return false;
    return true;
  }
  if (!part.is_object()) return all == part;
  if (!all.is_object()) return false;
  for (const auto& [key, value] : part.items()) {
    const auto it = all.find(key);
    if (it == all.end() || !holds(*it, value)) return false;
  }
  return true;
}

// What is written is what stood in the file, key by key: a reader and a writer that forget the same thing would agree.
TEST(CoopFile, DemosAreWrittenAsTheyWereRead) {
  int demos = 0;
  for (const auto& folder : std::filesystem::directory_iterator(COOPERAGE_DEMO)) {
    const auto file = folder.path() / (folder.path().filename().string() + ".coop");
    if (!std::filesystem::exists(file)) continue;
    SCOPED_TRACE(file.filename());
    const std::string text = readFile(file).value(), out = writeCoop(*readCoop(text));
    EXPECT_TRUE(holds(nlohmann::json::parse(out), nlohmann::json::parse(text))) << out;
    ++demos;
  }
  EXPECT_EQ(demos, 10);
}

TEST(CoopFile, UnknownKeysComeBackWhereverTheyStand) {
  const std::string text =
      R"({"format":"cooperage","version":1,"future":{"a":[1,2]},"links":[{"name":"l","shade":"blue","bodies":[{"name":"b","element":"box","size":[1,2,3],"grain":7}],
    "seats":[{"name":"s","taper":true}]}],"wind":[0,0,"-9.81 m/s^2"],"clutches":[{"name":"c"}]})";
  const std::string out = writeCoop(*readCoop(text));
  for (const char* key :
       {"\"future\"", "\"shade\": \"blue\"", "\"grain\": 7", "\"taper\": true", "\"wind\"", "\"clutches\""})
    EXPECT_THAT(out, HasSubstr(key));
}

TEST(CoopFile, TextsWithQuotesAndBackslashesSurvive) {
  auto m =
      read(R"({"format":"cooperage","version":1,"title":"a \"b\" \\ : , c","links":[{"name":"L\u00e4nk, \"x\": y"}]})");
  const auto again = readCoop(writeCoop(m));
  ASSERT_TRUE(again.ok());
  EXPECT_EQ(again->title, m.title);
  EXPECT_EQ(again->links[0]->name, m.links[0]->name);
}

TEST(CoopFile, DamagedFilesGiveOneClearSentence) {
  EXPECT_THAT(problem(""), HasSubstr("empty"));
  EXPECT_THAT(problem("{\"format\":"), HasSubstr("JSON"));
  EXPECT_THAT(problem("[]"), HasSubstr("braces"));
  EXPECT_THAT(problem("{}"), HasSubstr("no Cooperage document"));
  EXPECT_THAT(problem(R"({"format":"cooperage","version":9})"), HasSubstr("later version"));
  EXPECT_THAT(problem(R"({"format":"cooperage","version":1,"links":[{"name":"a"},{"name":"a"}]})"),
              HasSubstr("used twice"));
  EXPECT_THAT(problem(R"({"format":"cooperage","version":1,"links":[{"name":"a/b"}]})"), HasSubstr("'/'"));
  EXPECT_THAT(problem(R"({"format":"cooperage","version":1,"units":{"length":"deg"}})"),
              HasSubstr("no unit of length"));
  EXPECT_THAT(problem(R"({"format":"cooperage","version":1,"links":[{"name":"a","placement":{"at":[1,2]}}]})"),
              HasSubstr("list of 3"));
}

TEST(CoopFile, WritingIsAtomicAndNamesWhatFails) {
  const test::ScratchFolder folder;
  const auto m = read(sliderCrank(34, 120, 11));
  ASSERT_TRUE(saveCoop(m, folder / "a.coop").ok());
  EXPECT_EQ(std::distance(std::filesystem::directory_iterator(folder.path()), {}), 1) << "no part file is left";
  const auto s = saveCoop(m, folder / "none/a.coop");
  ASSERT_FALSE(s.ok());
  EXPECT_THAT(s.error().text, HasSubstr("can't be written"));
}

RC_GTEST_PROP(CoopFile, AMutilatedDocumentIsReadOrRefusedButNeverCrashes, ()) {
  static const std::string whole = demoText();
  std::string text = whole;
  for (int i = 0; i < 3; ++i) {
    const auto at = *rc::gen::inRange<std::size_t>(0, text.size() - 20);
    switch (*rc::gen::inRange(0, 4)) {
      case 0: text.erase(at, *rc::gen::inRange<std::size_t>(1, 20)); break;
      case 1: text[at] = *rc::gen::element('0', '9', '"', ',', '[', '}', '-', 'e'); break;
      case 2: text.insert(at, text.substr(*rc::gen::inRange<std::size_t>(0, text.size() - 20), 12)); break;
      default: text.resize(text.size() - *rc::gen::inRange<std::size_t>(0, 9)); break;
    }
  }
  const auto m = readCoop(text);
  if (m.ok()) (void)model::resolve(*m).ok();
}

}  // namespace
}  // namespace cooperage::io
