// SPDX-License-Identifier: GPL-3.0-or-later
// What the rows of a programme need: the figures of each motion law and their dimensions.
#include <algorithm>

#include "motion/rows.h"

namespace cooperage::motion {
namespace {

struct LawKeys {
  LawKind law;
  std::vector<std::string> keys;
};
const std::vector<LawKeys>& laws() {
  static const std::vector<LawKeys> kLaws = {
      {LawKind::linear, {"to", "time"}},
      {LawKind::parabolic, {"to", "time"}},
      {LawKind::harmonic, {"to", "time"}},
      {LawKind::cycloidal, {"to", "time"}},
      {LawKind::poly345, {"to", "time"}},
      {LawKind::poly4567, {"to", "time"}},
      {LawKind::smoothStep, {"to", "time"}},
      {LawKind::modifiedSine, {"to", "time"}},
      {LawKind::modifiedTrapezoid, {"to", "time"}},
      {LawKind::trapezoidSpeed, {"to", "time"}},
      {LawKind::quintic, {"to", "time"}},
      {LawKind::spline, {"to", "time"}},
      {LawKind::table, {}},
      {LawKind::polynomial, {"time"}},
      {LawKind::dwell, {"time"}},
      {LawKind::constantSpeed, {"speed", "time"}},
      {LawKind::runUp, {"speed", "acceleration"}},
      {LawKind::runDown, {"acceleration"}},
      {LawKind::sine, {"amplitude", "frequency", "time"}},
      {LawKind::formula, {"formula", "time"}},
      {LawKind::speedFormula, {"formula", "time"}},
  };
  return kLaws;
}

}  // namespace

const std::vector<std::string>& figuresOf(const Word<LawKind>& law) {
  static const std::vector<std::string> kNone;
  // sine and formula rows may go on to the end of the run: their time is optional
  static const std::vector<std::string> kSine{"amplitude", "frequency"}, kFormula{"formula"};
  if (law == LawKind::sine) return kSine;
  if (law == LawKind::formula || law == LawKind::speedFormula) return kFormula;
  for (const LawKeys& k : laws())
    if (law == k.law) return k.keys;
  return kNone;
}

std::optional<Dimension> figureDimension(const Word<LawKind>& law, const std::string& key, const Dimension& value) {
  const Dimension rate = value + dimension::kPerSecond;
  if (key == "time") return dimension::kTime;
  if (key == "to" || key == "by" || key == "mean" || key == "amplitude") return value;
  if (key == "speed" || key == "end_speed") return rate;
  if (key == "acceleration" || key == "end_acceleration") return rate + dimension::kPerSecond;
  if (key == "frequency") return dimension::kPerSecond;
  if (key == "phase") return dimension::kAngle;
  if (key == "up" || key == "down") return dimension::kPlain;
  if (key == "formula") return law == LawKind::speedFormula ? rate : value;
  return std::nullopt;
}

}  // namespace cooperage::motion
