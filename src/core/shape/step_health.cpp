// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <cctype>
#include <unordered_set>

#include "shape/solid.h"

namespace cooperage::shape {
namespace {

/// Goes through the data section outside of strings and comments.
template <class F>
void eachNumber(const std::string& text, F found) {  // found(id, isDefinition)
  bool inString = false;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if (c == '\'') inString = !inString;
    if (inString || c != '#') continue;
    std::size_t k = i + 1;
    long id = 0;
    while (k < text.size() && std::isdigit(static_cast<unsigned char>(text[k])) && k - i < 12)
      id = id * 10 + (text[k++] - '0');
    if (k == i + 1) continue;
    std::size_t after = k;
    while (after < text.size() && std::isspace(static_cast<unsigned char>(text[after]))) ++after;
    found(id, after < text.size() && text[after] == '=');
    i = k - 1;
  }
}

}  // namespace

Status stepTextHealth(const std::string& text, const std::string& file) {
  const auto fail = [&](const std::string& why) {
    return Status(Error{"step", file, fmt::format("{}: {}", file, why)});
  };
  if (text.find_first_not_of(" \t\r\n") == std::string::npos) return fail("the file is empty");
  if (text.compare(text.find_first_not_of(" \t\r\n"), 12, "ISO-10303-21") != 0)
    return fail("is no STEP file (it does not begin with ISO-10303-21)");
  if (text.find("END-ISO-10303-21", text.size() > 4096 ? text.size() - 4096 : 0) == std::string::npos)
    return fail("is cut off: its end is missing; export it again");
  std::unordered_set<long> defined, used;
  eachNumber(text, [&](long id, bool definition) { (definition ? defined : used).insert(id); });
  if (defined.empty()) return fail("holds no data");
  long missing = 0;
  int count = 0;
  for (long id : used)
    if (defined.count(id) == 0) {
      ++count;
      if (missing == 0 || id < missing) missing = id;
    }
  if (count > 0)
    return fail(fmt::format("is damaged: {} entities that it refers to are missing, the first is #{}; export it again",
                            count, missing));
  return Done{};
}

int stepFaceCount(const std::string& text) {
  int count = 0;
  for (std::size_t at = text.find("ADVANCED_FACE"); at != std::string::npos; at = text.find("ADVANCED_FACE", at + 13)) {
    std::size_t before = at;
    while (before > 0 && std::isspace(static_cast<unsigned char>(text[before - 1]))) --before;
    if (before > 0 && text[before - 1] == '=') ++count;  // not the schema's name in the header
  }
  return count;
}

}  // namespace cooperage::shape
