// SPDX-License-Identifier: GPL-3.0-or-later
#include <gmock/gmock.h>

#include <filesystem>
#include <nlohmann/json.hpp>
#include <valijson/adapters/nlohmann_json_adapter.hpp>
#include <valijson/schema.hpp>
#include <valijson/schema_parser.hpp>
#include <valijson/validator.hpp>

#include "io/coop_file.h"

namespace cooperage::io {
namespace {

bool valid(const nlohmann::json& document, std::string& why) {
  const auto text = readFile(std::filesystem::path(COOPERAGE_DOCS) / "cooperage.schema.json");
  const nlohmann::json json = nlohmann::json::parse(*text);
  valijson::Schema schema;
  valijson::SchemaParser parser;
  parser.populateSchema(valijson::adapters::NlohmannJsonAdapter(json), schema);
  valijson::Validator validator;
  valijson::ValidationResults results;
  const bool ok = validator.validate(schema, valijson::adapters::NlohmannJsonAdapter(document), &results);
  valijson::ValidationResults::Error e;
  while (results.popError(e)) {
    for (const auto& part : e.context) why += part;
    why += ": " + e.description + "\n";
  }
  return ok;
}

TEST(Schema, TheDemosAndWhatIsWrittenAreValid) {
  for (const auto& entry : std::filesystem::recursive_directory_iterator(COOPERAGE_DEMO)) {
    if (entry.path().extension() != ".coop") continue;
    std::string why;
    EXPECT_TRUE(valid(nlohmann::json::parse(*readFile(entry.path())), why)) << entry.path() << why;
    EXPECT_TRUE(valid(nlohmann::json::parse(writeCoop(*loadCoop(entry.path()))), why)) << entry.path() << why;
  }
}

TEST(Schema, RefusesWhatTheReaderRefuses) {
  std::string why;
  EXPECT_FALSE(valid(nlohmann::json::parse(R"({"format":"cooperage"})"), why));
  EXPECT_FALSE(valid(nlohmann::json::parse(R"({"format":"cooperage","version":1,"links":[{"placement":{}}]})"), why));
  EXPECT_FALSE(
      valid(nlohmann::json::parse(
                R"({"format":"cooperage","version":1,"joints":[{"name":"j","kind":"revolute","between":["a/b"]}]})"),
            why));
}

}  // namespace
}  // namespace cooperage::io
