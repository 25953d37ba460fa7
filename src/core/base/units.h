// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace cooperage {

/// Exponents of length, angle, mass and time. Angle counts as a dimension so that deg and mm can't be mixed up.
struct Dimension {
  double length = 0, angle = 0, mass = 0, time = 0;

  friend Dimension operator+(const Dimension& a, const Dimension& b) {
    return {a.length + b.length, a.angle + b.angle, a.mass + b.mass, a.time + b.time};
  }
  friend Dimension operator*(double k, const Dimension& a) {
    return {k * a.length, k * a.angle, k * a.mass, k * a.time};
  }
  friend bool operator==(const Dimension& a, const Dimension& b);
  bool isPlain() const { return *this == Dimension{}; }
  /// Equal but for the exponent of the angle ("rad may be dropped in products").
  bool sameButAngle(const Dimension& other) const;
};

namespace dimension {
inline constexpr Dimension kPlain{}, kLength{1, 0, 0, 0}, kAngle{0, 1, 0, 0}, kMass{0, 0, 1, 0}, kTime{0, 0, 0, 1},
    kSpeed{1, 0, 0, -1}, kTurnSpeed{0, 1, 0, -1}, kAcceleration{1, 0, 0, -2}, kTurnAcceleration{0, 1, 0, -2},
    kForce{1, 0, 1, -2}, kMoment{2, 0, 1, -2}, kPower{2, 0, 1, -3}, kDensity{-3, 0, 1, 0}, kInertia{2, 0, 1, 0},
    kPerSecond{0, 0, 0, -1};
}

/// Of what acts along a way: a force along a length, a moment (energy) along all else.
Dimension forceAlong(const Dimension& way);

/// A number with its dimension, in SI (m, rad, kg, s).
struct Quantity {
  double value = 0;
  Dimension dimension;
  bool hasUnit = false;  ///< a unit or a quantity stood somewhere in it; otherwise it is in document units
};

struct Unit {
  const char* name;
  double factor;  ///< SI figure of one unit
  Dimension dimension;
};

/// The unit of that name ("mm", "rpm", "N"), or none.
std::optional<Unit> findUnit(std::string_view name);

/// What a unit "of this kind" may be in a document ("length": m, mm, in ...), in the order to offer them.
std::vector<std::string> unitsOf(const Dimension& dimension);

/// The units in which a document's plain numbers stand.
struct DocumentUnits {
  std::string length = "mm", angle = "deg", mass = "kg", time = "s", force = "N";

  /// SI figure of one document unit of a dimension. Compound ones follow the file's rule: speed = length/time,
  /// moment = force*length, inertia = mass*length^2, stiffness = force/length.
  double factor(const Dimension& dimension) const;
  /// "mm/s^2", "deg/s"; empty for a plain number.
  std::string label(const Dimension& dimension) const;
  friend bool operator==(const DocumentUnits& a, const DocumentUnits& b) {
    return a.length == b.length && a.angle == b.angle && a.mass == b.mass && a.time == b.time && a.force == b.force;
  }
};

/// "a length", "an angle", "a speed" ... for messages.
std::string describe(const Dimension& dimension);

/// Shortest text that reads back as the same double, decimal point, locale-free.
std::string formatNumber(double value);
/// A length as "12.5 mm", to a micrometre.
std::string millimetres(double metres);
/// At most so many significant digits, trailing zeros cut.
std::string formatNumber(double value, int digits);

}  // namespace cooperage
