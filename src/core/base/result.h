// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cassert>
#include <string>
#include <utility>
#include <variant>
#include <vector>

namespace cooperage {

/// Why something can't be done. The text is one sentence for the user that names the object, the quantity and the mend.
struct Error {
  std::string code;    ///< short and stable, for programs: "zero-axis", "cycle", "file"
  std::string object;  ///< the object's name, or empty
  std::string text;    ///< for the user
  bool cancelled = false;
};

/// A value, or the reason why there is none.
template <class T>
class [[nodiscard]] Result {
 public:
  Result(T value) : content_(std::move(value)) {}      // NOLINT(google-explicit-constructor): as a return value
  Result(Error error) : content_(std::move(error)) {}  // NOLINT(google-explicit-constructor)

  bool ok() const { return content_.index() == 0; }
  explicit operator bool() const { return ok(); }
  const T& value() const& {
    assert(ok());
    return std::get<0>(content_);
  }
  T& value() & {
    assert(ok());
    return std::get<0>(content_);
  }
  T&& value() && {
    assert(ok());
    return std::get<0>(std::move(content_));
  }
  const T* operator->() const { return &value(); }
  T* operator->() { return &value(); }
  const T& operator*() const& { return value(); }
  const Error& error() const {
    assert(!ok());
    return std::get<1>(content_);
  }

 private:
  std::variant<T, Error> content_;
};

struct Done {};
/// Success, or the reason for the failure.
using Status = Result<Done>;

enum class Severity { note, warning, error };

/// Something that the user should know about a mechanism, a file or a run.
struct Message {
  Severity severity = Severity::warning;
  std::string code;
  std::vector<std::string> objects;
  std::string text;
};

}  // namespace cooperage
