// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <set>

#include "model/mechanism.h"

/// Reading one JSON object of a document: what every reader of this folder needs.
namespace cooperage::io {

using Json = nlohmann::ordered_json;

/// Thrown and caught within this folder only: reading a nested text is easiest to leave from any depth.
struct Trouble {
  Error error;
};
[[noreturn]] inline void fail(const std::string& object, const std::string& text) {
  throw Trouble{{"file", object, object.empty() ? text : object + ": " + text}};
}

/// One JSON object: gives its values by key, remembers which were asked for, and keeps the others.
class Object {
 public:
  Object(const Json& json, std::string name) : json_(json), name_(std::move(name)) {
    if (!json.is_object()) fail(name_, "should be an object in braces");
  }
  const std::string& name() const { return name_; }
  void rename(std::string name) { name_ = std::move(name); }
  const Json* find(const char* key) {
    known_.insert(key);
    const auto it = json_.find(key);
    return it == json_.end() ? nullptr : &*it;
  }
  const Json& need(const char* key) {
    if (const Json* j = find(key)) return *j;
    fail(name_, fmt::format("'{}' is missing", key));
  }
  std::string text(const char* key) {
    const Json& j = need(key);
    if (!j.is_string()) fail(name_, fmt::format("'{}' should be a text", key));
    return j.get<std::string>();
  }
  std::string text(const char* key, const std::string& otherwise) { return find(key) ? text(key) : otherwise; }
  bool flag(const char* key, bool otherwise) {
    const Json* j = find(key);
    if (!j) return otherwise;
    if (!j->is_boolean()) fail(name_, fmt::format("'{}' should be true or false", key));
    return j->get<bool>();
  }
  int whole(const char* key, int otherwise) {
    const Json* j = find(key);
    if (!j) return otherwise;
    if (!j->is_number()) fail(name_, fmt::format("'{}' should be a whole number", key));
    const double v = j->get<double>();
    if (v != std::floor(v) || std::abs(v) > 1e9) fail(name_, fmt::format("'{}' should be a whole number", key));
    return static_cast<int>(v);
  }
  const Json& array(const char* key) {
    static const Json kEmpty = Json::array();
    const Json* j = find(key);
    if (!j) return kEmpty;
    if (!j->is_array()) fail(name_, fmt::format("'{}' should be a list", key));
    return *j;
  }
  model::Extra extra() const {
    model::Extra rest;
    for (const auto& [key, value] : json_.items())
      if (known_.count(key) == 0) rest.emplace_back(key, value.dump());
    return rest;
  }

 private:
  const Json& json_;
  std::string name_;
  std::set<std::string> known_;
};

}  // namespace cooperage::io
