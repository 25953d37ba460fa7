// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/jet.h"
#include "base/result.h"
#include "base/units.h"

namespace cooperage {

/// What a name in a formula stands for: an object by its never-reused id (0: the run's time t) and, for a joint, one
/// of its values.
struct Symbol {
  std::uint64_t id = 0;
  std::string member;
  friend bool operator==(const Symbol& a, const Symbol& b) { return a.id == b.id && a.member == b.member; }
};

/// A formula with units, parsed once: `3/8 in`, `4*crank + 2 mm`, `20 mm*(1 - cos('rod joint'.turn))`. Immutable.
/// Names are held as ids, so that a rename changes the text and nothing else.
///
/// A unit after a literal number or fraction binds first; `(expr) mm` is allowed; `+ - * / ^`, unary minus,
/// sin cos tan asin acos atan atan2 sqrt exp log abs min max, pi. A plain number in a trigonometric function is in
/// radians; inverse functions return angles.
class Expression {
 public:
  using Resolver = std::function<std::optional<Symbol>(std::string_view name)>;
  using Namer = std::function<std::string(const Symbol&)>;
  using Lookup = std::function<Result<Quantity>(const Symbol&)>;

  /// @param resolve what a name stands for; `t` and `pi` are known without asking
  /// @return the formula, or an error that says at which character it can't be read
  static Result<Expression> parse(std::string_view text, const Resolver& resolve);

  /// The text as typed, with the present names of what it refers to.
  std::string text(const Namer& nameOf) const;

  /// Everything that it refers to, time apart.
  std::vector<Symbol> references() const;

  /// Value with its dimension; adding unlike quantities, dividing by zero and the like are errors.
  Result<Quantity> evaluate(const Lookup& lookup) const;

  /// Value in SI with exact derivatives, dimensions unchecked (evaluate() once first).
  /// @param lookup the value of every reference; time comes as Symbol{0, "t"}
  Jet jet(const std::function<Jet(const Symbol&)>& lookup) const;

 private:
  friend class ExpressionParser;
  enum class Op { number, symbol, add, subtract, multiply, divide, power, negate, call1, call2 };
  struct Node {
    Op op = Op::number;
    Quantity constant;  // of a number
    int a = -1, b = -1;
    int index = -1;  // symbol or function
  };
  struct Span {  // where a symbol's name stands in the text
    std::size_t from, length;
    int symbol;
  };
  Result<Quantity> evaluateNode(int node, const Lookup& lookup) const;
  Jet jetNode(int node, const std::function<Jet(const Symbol&)>& lookup) const;

  std::string text_;
  std::vector<Node> nodes_;
  std::vector<Symbol> symbols_;
  std::vector<Span> spans_;
  int root_ = -1;
};

/// True for letters, digits and _ that begin with no digit.
bool isIdentifier(std::string_view name);
/// True if the name is free for a parameter: an identifier, and no unit, function, pi or t.
bool isParameterName(std::string_view name);
/// The name as it stands in a formula: itself, or in 'single quotes'.
std::string quoted(const std::string& name);

/// Brings a value to SI for a place that wants a dimension: without any unit it is in document units.
Result<double> toSi(const Quantity& value, const Dimension& wanted, const DocumentUnits& units);

}  // namespace cooperage
