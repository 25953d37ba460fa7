// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/expression.h"

#include <fmt/format.h>

#include <array>
#include <charconv>
#include <cctype>
#include <cmath>
#include <utility>

#include "base/geometry.h"

namespace cooperage {
namespace {

enum Function { kSin, kCos, kTan, kAsin, kAcos, kAtan, kAtan2, kSqrt, kExp, kLog, kAbs, kMin, kMod, kMax };
constexpr std::array kFunctionNames = {"sin",  "cos", "tan", "asin", "acos", "atan", "atan2",
                                       "sqrt", "exp", "log", "abs",  "min",  "mod",  "max"};
constexpr int kMaxDepth = 200;  // nesting; recursion must not run out of stack on hostile input

int findFunction(std::string_view name) {
  for (std::size_t i = 0; i < kFunctionNames.size(); ++i)
    if (name == kFunctionNames[i]) return static_cast<int>(i);
  return -1;
}
bool takesTwo(int f) { return f == kAtan2 || f == kMin || f == kMod || f == kMax; }

bool startsName(char c) { return std::isalpha(static_cast<unsigned char>(c)) || c == '_' || (c & 0x80); }
bool inName(char c) { return startsName(c) || std::isdigit(static_cast<unsigned char>(c)); }

Error failure(const std::string& text) { return {"expression", "", text}; }

double plain(double x) { return x; }
double plain(const Jet& x) { return x.v; }

template <class T>
T apply(int f, const T& a, const T& b) {
  using std::abs, std::acos, std::asin, std::atan, std::atan2, std::cos, std::exp, std::fmax, std::fmin, std::log,
      std::sin, std::sqrt, std::tan;
  switch (f) {
    case kSin: return sin(a);
    case kCos: return cos(a);
    case kTan: return tan(a);
    case kAsin: return asin(a);
    case kAcos: return acos(a);
    case kAtan: return atan(a);
    case kAtan2: return atan2(a, b);
    case kSqrt: return sqrt(a);
    case kExp: return exp(a);
    case kLog: return log(a);
    case kAbs: return abs(a);
    case kMin: return fmin(a, b);
    case kMod: return a - T(std::floor(plain(a) / plain(b))) * b;  // of the sign of b, as angles want it
    default: return fmax(a, b);
  }
}

}  // namespace

/// Recursive descent: sum > product > sign > power > primary.
class ExpressionParser {
 public:
  ExpressionParser(std::string_view text, const Expression::Resolver& resolve) : text_(text), resolve_(resolve) {
    out_.text_ = std::string(text);
  }

  Result<Expression> run() {
    out_.root_ = sum();
    skip();
    if (error_.empty() && at_ < text_.size()) fail(fmt::format("'{}' is not expected", rest()));
    if (!error_.empty()) return failure(error_);
    return std::move(out_);
  }

 private:
  using Op = Expression::Op;
  using Node = Expression::Node;

  void fail(const std::string& why) {
    if (error_.empty()) error_ = fmt::format("{} (at character {} of \"{}\")", why, at_ + 1, out_.text_);
  }
  std::string rest() const { return std::string(text_.substr(at_, 12)); }
  void skip() {
    while (at_ < text_.size() && std::isspace(static_cast<unsigned char>(text_[at_]))) ++at_;
  }
  char peek() {
    skip();
    return at_ < text_.size() ? text_[at_] : '\0';
  }
  bool take(char c) {
    if (peek() != c) return false;
    ++at_;
    return true;
  }
  int push(Node node) {
    out_.nodes_.push_back(std::move(node));
    return static_cast<int>(out_.nodes_.size()) - 1;
  }
  int binary(Op op, int a, int b) { return push({op, {}, a, b, -1}); }

  int sum() {
    if (++depth_ > kMaxDepth) {
      fail("nested too deeply");
      return 0;
    }
    int left = product();
    while (error_.empty()) {
      if (take('+'))
        left = binary(Op::add, left, product());
      else if (take('-'))
        left = binary(Op::subtract, left, product());
      else
        break;
    }
    --depth_;
    return left;
  }
  int product() {
    int left = sign();
    while (error_.empty()) {
      if (take('*'))
        left = binary(Op::multiply, left, sign());
      else if (take('/'))
        left = binary(Op::divide, left, sign());
      else
        break;
    }
    return left;
  }
  int sign() {
    if (++depth_ > kMaxDepth) {
      fail("nested too deeply");
      return 0;
    }
    int result = 0;
    if (take('-'))
      result = push({Op::negate, {}, sign(), -1, -1});
    else if (take('+'))
      result = sign();
    else
      result = power();
    --depth_;
    return result;
  }
  int power() {
    const int base = primary();
    if (error_.empty() && take('^')) return binary(Op::power, base, sign());
    return base;
  }

  int primary() {
    const char c = peek();
    if (std::isdigit(static_cast<unsigned char>(c)) || c == '.') return literal();
    if (c == '(') {
      ++at_;
      const int inner = sum();
      if (!take(')')) fail("a closing parenthesis is missing");
      if (const auto unit = unitHere()) return binary(Op::multiply, inner, push({Op::number, *unit, -1, -1, -1}));
      return inner;
    }
    if (c == '\'' || startsName(c)) return name();
    fail(c == '\0' ? "something is missing at the end" : fmt::format("'{}' is not expected", rest()));
    return 0;
  }

  std::optional<double> number() {
    skip();
    if (at_ >= text_.size() || !(std::isdigit(static_cast<unsigned char>(text_[at_])) || text_[at_] == '.')) return {};
    double value = 0;
    const auto end = std::from_chars(text_.data() + at_, text_.data() + text_.size(), value);
    if (end.ec != std::errc() || !std::isfinite(value)) return {};
    at_ = static_cast<std::size_t>(end.ptr - text_.data());
    return value;
  }

  int literal() {
    const auto first = number();
    if (!first) {
      fail("the number can't be read");
      return 0;
    }
    if (!parts_ && at_ < text_.size() && text_[at_] == ',') {
      fail("use a decimal point, not a comma");
      return 0;
    }
    Quantity q{*first, {}, false};
    // a fraction only if a unit follows it: 3/8 in is (3/8) in, while 3/8 alone is an ordinary division
    const std::size_t mark = at_;
    if (take('/')) {
      if (const auto second = number()) {
        if (const auto unit = unitHere()) {
          if (*second == 0) fail("division by zero");
          q.value = *first / *second;
          return push({Op::number, {q.value * unit->value, unit->dimension, true}, -1, -1, -1});
        }
      }
      at_ = mark;
    }
    if (const auto unit = unitHere()) q = {q.value * unit->value, unit->dimension, true};
    return push({Op::number, q, -1, -1, -1});
  }

  /// A unit or a product of units (`mm/s^2`, `N*m/rad`), if one stands here.
  std::optional<Quantity> unitHere() {
    auto total = oneUnit();
    if (!total) return {};
    while (true) {
      const std::size_t mark = at_;
      const bool over = peek() == '/';
      if (!over && peek() != '*') break;
      ++at_;
      const auto next = oneUnit();
      if (!next) {
        at_ = mark;
        break;
      }
      total->value = over ? total->value / next->value : total->value * next->value;
      total->dimension = total->dimension + (over ? -1.0 : 1.0) * next->dimension;
    }
    return total;
  }
  std::optional<Quantity> oneUnit() {
    skip();
    std::size_t end = at_;
    while (end < text_.size() && inName(text_[end])) ++end;
    const auto unit = end > at_ ? findUnit(text_.substr(at_, end - at_)) : std::nullopt;
    if (!unit) return {};
    at_ = end;
    Quantity q{unit->factor, unit->dimension, true};
    if (at_ < text_.size() && text_[at_] == '^') {
      const std::size_t mark = at_++;
      const bool minus = at_ < text_.size() && text_[at_] == '-';
      if (minus) ++at_;
      if (const auto n = number()) {
        const double k = minus ? -*n : *n;
        q = {std::pow(q.value, k), k * q.dimension, true};
      } else {
        at_ = mark;
      }
    }
    return q;
  }

  int name() {
    const std::size_t start = at_;
    std::string word, member;
    if (text_[at_] == '\'') {
      const std::size_t end = text_.find('\'', at_ + 1);
      if (end == std::string_view::npos) {
        fail("a closing quote is missing");
        return 0;
      }
      word = text_.substr(at_ + 1, end - at_ - 1);
      at_ = end + 1;
    } else {
      while (at_ < text_.size() && inName(text_[at_])) ++at_;
      word = text_.substr(start, at_ - start);
      const int f = findFunction(word);
      if (f >= 0) return call(f);
      if (word == "pi") return push({Op::number, {kPi, {}, false}, -1, -1, -1});
      if (word == "t" && (at_ >= text_.size() || text_[at_] != '.')) return symbol({0, "t"}, start);
      // `in.turn` is the turn of a joint named in, though `in` alone is a unit
      const bool value =
          at_ + 1 < text_.size() && text_[at_] == '.' && std::isalpha(static_cast<unsigned char>(text_[at_ + 1]));
      if (findUnit(word) && !value) {
        fail(fmt::format("the unit {} needs a number before it", word));
        return 0;
      }
    }
    if (at_ + 1 < text_.size() && text_[at_] == '.' && startsName(text_[at_ + 1])) {
      std::size_t end = at_ + 1;
      while (end < text_.size() && inName(text_[end])) ++end;
      word += text_.substr(at_, end - at_);
      at_ = end;
    }
    const auto found = resolve_ ? resolve_(word) : std::nullopt;
    if (!found) {
      at_ = start;
      fail(fmt::format("there is nothing named '{}'", word));
      return 0;
    }
    return symbol(*found, start);
  }

  int symbol(const Symbol& s, std::size_t start) {
    out_.symbols_.push_back(s);
    const int index = static_cast<int>(out_.symbols_.size()) - 1;
    out_.spans_.push_back({start, at_ - start, index});
    return push({Op::symbol, {}, -1, -1, index});
  }

  int call(int f) {
    if (!take('(')) {
      fail(fmt::format("{} needs parentheses", kFunctionNames[static_cast<std::size_t>(f)]));
      return 0;
    }
    const bool two = takesTwo(f);
    const bool outer = std::exchange(parts_, two);  // does a comma part two figures here?
    const int a = sum();
    int b = -1;
    if (two) {
      if (!take(',')) fail(fmt::format("{} takes two figures", kFunctionNames[static_cast<std::size_t>(f)]));
      b = error_.empty() ? sum() : -1;
      if (error_.empty() && peek() == ',')
        fail(fmt::format("{} takes two figures; use a decimal point, not a comma",
                         kFunctionNames[static_cast<std::size_t>(f)]));
    }
    parts_ = outer;
    if (error_.empty() && !take(')')) fail("a closing parenthesis is missing");
    return push({b < 0 ? Op::call1 : Op::call2, {}, a, b, f});
  }

  std::string_view text_;
  const Expression::Resolver& resolve_;
  Expression out_;
  std::size_t at_ = 0;
  int depth_ = 0;
  bool parts_ = false;
  std::string error_;
};

Result<Expression> Expression::parse(std::string_view text, const Resolver& resolve) {
  if (text.size() > 4000) return failure("the formula is longer than 4,000 characters");
  return ExpressionParser(text, resolve).run();
}

std::string Expression::text(const Namer& nameOf) const {
  std::string out;
  std::size_t at = 0;
  for (const Span& span : spans_) {
    const Symbol& s = symbols_[static_cast<std::size_t>(span.symbol)];
    if (s.id == 0) continue;
    out += text_.substr(at, span.from - at) + nameOf(s);
    at = span.from + span.length;
  }
  return out + text_.substr(at);
}

std::vector<Symbol> Expression::references() const {
  std::vector<Symbol> found;
  for (const Symbol& s : symbols_)
    if (s.id != 0) found.push_back(s);
  return found;
}

Result<Quantity> Expression::evaluate(const Lookup& lookup) const {
  Result<Quantity> q = evaluateNode(root_, lookup);
  if (q.ok() && !std::isfinite(q->value)) return failure(fmt::format("\"{}\" has no finite value", text_));
  return q;
}

Result<Quantity> Expression::evaluateNode(int index, const Lookup& lookup) const {
  const Node& node = nodes_[static_cast<std::size_t>(index)];
  if (node.op == Op::number) return node.constant;
  if (node.op == Op::symbol) {
    const Symbol& s = symbols_[static_cast<std::size_t>(node.index)];
    return lookup ? lookup(s) : Result<Quantity>(failure("'" + s.member + "' can't be used here"));
  }
  const Result<Quantity> first = evaluateNode(node.a, lookup);
  if (!first.ok()) return first;
  Quantity a = *first, b;
  if (node.b >= 0) {
    const Result<Quantity> second = evaluateNode(node.b, lookup);
    if (!second.ok()) return second;
    b = *second;
  }
  const bool unit = a.hasUnit || b.hasUnit;
  const auto alike = [&]() -> bool {  // rad may be dropped, but an angle is no plain number
    return a.dimension == b.dimension || (a.dimension.sameButAngle(b.dimension) && !a.dimension.isPlain() &&
                                          !b.dimension.isPlain() && !a.dimension.sameButAngle({}));
  };
  switch (node.op) {
    case Op::negate: return Quantity{-a.value, a.dimension, unit};
    case Op::add:
    case Op::subtract:
      if (!alike())
        return failure(
            fmt::format("{} and {} can't be added in \"{}\"", describe(a.dimension), describe(b.dimension), text_));
      return Quantity{node.op == Op::add ? a.value + b.value : a.value - b.value, a.dimension, unit};
    case Op::multiply: return Quantity{a.value * b.value, a.dimension + b.dimension, unit};
    case Op::divide:
      if (b.value == 0) return failure(fmt::format("\"{}\" divides by zero", text_));
      return Quantity{a.value / b.value, a.dimension + (-1.0 * b.dimension), unit};
    case Op::power:
      if (!b.dimension.isPlain()) return failure(fmt::format("the power in \"{}\" must be a plain number", text_));
      return Quantity{std::pow(a.value, b.value), b.value * a.dimension, unit};
    default: break;
  }
  const bool angleOrPlain = a.dimension.isPlain() || a.dimension == dimension::kAngle;
  const char* name = kFunctionNames[static_cast<std::size_t>(node.index)];
  Dimension result;
  switch (node.index) {
    case kSin:
    case kCos:
    case kTan:
      if (!angleOrPlain) return failure(fmt::format("{} takes an angle, not {}", name, describe(a.dimension)));
      return Quantity{apply(node.index, a.value, b.value), {}, unit};
    case kExp:
    case kLog:
    case kAsin:
    case kAcos:
    case kAtan:
      if (!angleOrPlain) return failure(fmt::format("{} takes a plain number, not {}", name, describe(a.dimension)));
      if (node.index == kExp || node.index == kLog) return Quantity{apply(node.index, a.value, b.value), {}, unit};
      return Quantity{apply(node.index, a.value, b.value), dimension::kAngle, true};
    case kSqrt: result = 0.5 * a.dimension; break;
    case kAbs: result = a.dimension; break;
    default:
      if (!alike())
        return failure(fmt::format("{} takes two alike quantities, not {} and {}", name, describe(a.dimension),
                                   describe(b.dimension)));
      if (node.index == kAtan2) return Quantity{std::atan2(a.value, b.value), dimension::kAngle, true};
      result = a.dimension;
  }
  return Quantity{apply(node.index, a.value, b.value), result, unit};
}

Jet Expression::jet(const std::function<Jet(const Symbol&)>& lookup) const { return jetNode(root_, lookup); }

Jet Expression::jetNode(int index, const std::function<Jet(const Symbol&)>& lookup) const {
  const Node& node = nodes_[static_cast<std::size_t>(index)];
  switch (node.op) {
    case Op::number: return node.constant.value;
    case Op::symbol: return lookup(symbols_[static_cast<std::size_t>(node.index)]);
    default: break;
  }
  const Jet a = jetNode(node.a, lookup), b = node.b >= 0 ? jetNode(node.b, lookup) : Jet();
  switch (node.op) {
    case Op::negate: return -a;
    case Op::add: return a + b;
    case Op::subtract: return a - b;
    case Op::multiply: return a * b;
    case Op::divide: return a / b;
    case Op::power:
      if (b.d1 == 0 && b.d2 == 0 && b.d3 == 0) return pow(a, b.v);
      return exp(b * log(a));
    default: return apply(node.index, a, b);
  }
}

bool isIdentifier(std::string_view name) {
  if (name.empty() || !(std::isalpha(static_cast<unsigned char>(name[0])) || name[0] == '_')) return false;
  for (char c : name)
    if (!(std::isalnum(static_cast<unsigned char>(c)) || c == '_')) return false;
  return true;
}

bool isParameterName(std::string_view name) {
  return isIdentifier(name) && !findUnit(name) && findFunction(name) < 0 && name != "pi" && name != "t";
}

std::string quoted(const std::string& name) {
  return isIdentifier(name) && isParameterName(name) ? name : "'" + name + "'";
}

Result<double> toSi(const Quantity& q, const Dimension& wanted, const DocumentUnits& units) {
  if (!q.hasUnit && q.dimension.isPlain()) return q.value * units.factor(wanted);
  const bool fits =
      q.dimension == wanted || (q.dimension.sameButAngle(wanted) && !(wanted.isPlain() && !q.dimension.isPlain()));
  if (fits) return q.value;
  return Error{"dimension", "", fmt::format("{} is wanted here, not {}", describe(wanted), describe(q.dimension))};
}

}  // namespace cooperage
