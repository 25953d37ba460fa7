// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/units.h"

#include <fmt/format.h>

#include <array>
#include <charconv>
#include <cmath>

#include "base/geometry.h"

namespace cooperage {
namespace {

bool same(double a, double b) { return std::abs(a - b) < 1e-9; }

constexpr double kInch = 0.0254, kPound = 0.45359237, kGravity = 9.80665;

const std::array kUnits = {
    Unit{"m", 1, {1, 0, 0, 0}},
    Unit{"mm", 1e-3, {1, 0, 0, 0}},
    Unit{"cm", 1e-2, {1, 0, 0, 0}},
    Unit{"km", 1e3, {1, 0, 0, 0}},
    Unit{"um", 1e-6, {1, 0, 0, 0}},
    Unit{"\u00b5m", 1e-6, {1, 0, 0, 0}},
    Unit{"in", kInch, {1, 0, 0, 0}},
    Unit{"ft", 12 * kInch, {1, 0, 0, 0}},
    Unit{"rad", 1, {0, 1, 0, 0}},
    Unit{"mrad", 1e-3, {0, 1, 0, 0}},
    Unit{"deg", kPi / 180, {0, 1, 0, 0}},
    Unit{"\u00b0", kPi / 180, {0, 1, 0, 0}},
    Unit{"rev", 2 * kPi, {0, 1, 0, 0}},
    Unit{"kg", 1, {0, 0, 1, 0}},
    Unit{"g", 1e-3, {0, 0, 1, 0}},
    Unit{"lb", kPound, {0, 0, 1, 0}},
    Unit{"s", 1, {0, 0, 0, 1}},
    Unit{"ms", 1e-3, {0, 0, 0, 1}},
    Unit{"min", 60, {0, 0, 0, 1}},
    Unit{"h", 3600, {0, 0, 0, 1}},
    Unit{"Hz", 1, {0, 0, 0, -1}},
    Unit{"rpm", 2 * kPi / 60, {0, 1, 0, -1}},
    Unit{"N", 1, {1, 0, 1, -2}},
    Unit{"kN", 1e3, {1, 0, 1, -2}},
    Unit{"lbf", kPound* kGravity, {1, 0, 1, -2}},
    Unit{"Nm", 1, {2, 0, 1, -2}},
    Unit{"J", 1, {2, 0, 1, -2}},
    Unit{"W", 1, {2, 0, 1, -3}},
    Unit{"kW", 1e3, {2, 0, 1, -3}},
    Unit{"Pa", 1, {-1, 0, 1, -2}},
    Unit{"MPa", 1e6, {-1, 0, 1, -2}},
};

double factorOf(const std::string& name) {
  const auto unit = findUnit(name);
  return unit ? unit->factor : 1.0;
}

/// A force times something: energies, powers, stiffness, damping. Inertia and the like are not.
bool isOfForce(const Dimension& d) { return same(d.mass, 1) && d.time < -0.5; }

void append(std::string& top, std::string& bottom, const std::string& unit, double exponent) {
  if (same(exponent, 0)) return;
  std::string& side = exponent > 0 ? top : bottom;
  if (!side.empty()) side += '*';
  side += unit;
  if (!same(std::abs(exponent), 1)) side += '^' + formatNumber(std::abs(exponent), 6);
}

}  // namespace

bool operator==(const Dimension& a, const Dimension& b) {
  return same(a.length, b.length) && same(a.angle, b.angle) && same(a.mass, b.mass) && same(a.time, b.time);
}

Dimension forceAlong(const Dimension& way) {
  return way == dimension::kLength ? dimension::kForce : dimension::kMoment;
}

bool Dimension::sameButAngle(const Dimension& o) const {
  return same(length, o.length) && same(mass, o.mass) && same(time, o.time);
}

std::optional<Unit> findUnit(std::string_view name) {
  for (const Unit& unit : kUnits)
    if (name == unit.name) return unit;
  return std::nullopt;
}

std::vector<std::string> unitsOf(const Dimension& dimension) {
  std::vector<std::string> names;
  for (const Unit& unit : kUnits)
    if (unit.dimension == dimension && static_cast<unsigned char>(unit.name[0]) < 128) names.emplace_back(unit.name);
  return names;
}

double DocumentUnits::factor(const Dimension& d) const {
  Dimension rest = d;
  double f = 1;
  if (isOfForce(d)) {  // a force times something
    f *= factorOf(force);
    rest = d + (-1.0 * dimension::kForce);
  }
  // asked for every field of a document: most are of one unit, or of none
  const auto power = [](const std::string& unit, double exponent) {
    return exponent == 0 ? 1.0 : exponent == 1 ? factorOf(unit) : std::pow(factorOf(unit), exponent);
  };
  return f * power(length, rest.length) * power(angle, rest.angle) * power(mass, rest.mass) * power(time, rest.time);
}

std::string DocumentUnits::label(const Dimension& d) const {
  std::string top, bottom;
  Dimension rest = d;
  if (isOfForce(d)) {
    append(top, bottom, force, 1);
    rest = d + (-1.0 * dimension::kForce);
  }
  append(top, bottom, mass, rest.mass);
  append(top, bottom, length, rest.length);
  append(top, bottom, angle, rest.angle);
  append(top, bottom, time, rest.time);
  if (bottom.empty()) return top;
  return (top.empty() ? "1" : top) + '/' + bottom;
}

std::string describe(const Dimension& d) {
  struct Named {
    Dimension dimension;
    const char* name;
  };
  static const std::array kNames = {
      Named{dimension::kPlain, "a plain number"},
      Named{dimension::kLength, "a length"},
      Named{dimension::kAngle, "an angle"},
      Named{dimension::kMass, "a mass"},
      Named{dimension::kTime, "a time"},
      Named{dimension::kSpeed, "a speed"},
      Named{dimension::kTurnSpeed, "a turning speed"},
      Named{dimension::kAcceleration, "an acceleration"},
      Named{dimension::kTurnAcceleration, "an angular acceleration"},
      Named{dimension::kForce, "a force"},
      Named{dimension::kMoment, "a moment"},
      Named{dimension::kDensity, "a density"},
  };
  for (const Named& n : kNames)
    if (n.dimension == d) return n.name;
  DocumentUnits si{"m", "rad", "kg", "s", "N"};
  return "a quantity in " + si.label(d);
}

std::string formatNumber(double value) {
  std::array<char, 32> text{};
  if (value == 0) value = 0;  // no minus zero
  const auto end = std::to_chars(text.data(), text.data() + text.size(), value);
  return {text.data(), end.ptr};
}

std::string millimetres(double metres) { return formatNumber(std::round(metres * 1e6) / 1e3) + " mm"; }

std::string formatNumber(double value, int digits) {
  std::string text = fmt::format("{:.{}g}", value, digits);
  if (text == "-0") text = "0";
  return text;
}

}  // namespace cooperage
