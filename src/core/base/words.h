// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <optional>
#include <ostream>
#include <string>
#include <string_view>

namespace cooperage {

/// The words of the file for the values of an enumeration E, in its order: a constexpr array of names, found by a call
/// with a value of E (`wordsOf(E{})`), declared beside E.

/// The word for a value.
template <class E>
std::string wordFor(E value) {
  return std::string(wordsOf(E{})[static_cast<std::size_t>(value)]);
}
/// The value that a word stands for, if it is one.
template <class E>
std::optional<E> valueNamed(std::string_view word) {
  const auto& words = wordsOf(E{});
  for (std::size_t i = 0; i < words.size(); ++i)
    if (words[i] == word) return static_cast<E>(i);
  return std::nullopt;
}

/// A word of the file: a value of E, or one that this version does not know, kept as it was written; none at first.
template <class E>
class Word {
 public:
  Word() = default;
  Word(E value) : value_(value) {}  // NOLINT(google-explicit-constructor): a value is a word
  static Word read(std::string_view text) {
    if (const auto known = valueNamed<E>(text)) return *known;
    Word w;
    w.other_ = text;
    return w;
  }
  bool known() const { return value_.has_value(); }
  bool empty() const { return !value_ && other_.empty(); }
  /// @pre known()
  E value() const { return *value_; }
  std::string text() const { return value_ ? wordFor(*value_) : other_; }

  friend bool operator==(const Word& a, E b) { return a.value_ == b; }
  friend bool operator!=(const Word& a, E b) { return !(a == b); }
  friend bool operator==(const Word& a, const Word& b) { return a.value_ == b.value_ && a.other_ == b.other_; }
  friend bool operator!=(const Word& a, const Word& b) { return !(a == b); }
  friend std::ostream& operator<<(std::ostream& s, const Word& w) { return s << w.text(); }

 private:
  std::optional<E> value_;
  std::string other_;
};

}  // namespace cooperage
