// SPDX-License-Identifier: GPL-3.0-or-later
// What the rows of a programme need: the figures of each motion law and their dimensions.
#include <algorithm>

#include "motion/rows.h"

namespace cooperage::motion {
namespace {

const Dimension kPerSecond{0, 0, 0, -1};

struct LawKeys {
  const char* law;
  std::vector<std::string> keys;
};
const std::vector<LawKeys>& laws() {
  static const std::vector<LawKeys> kLaws = {
      {"linear", {"to", "time"}},
      {"parabolic", {"to", "time"}},
      {"harmonic", {"to", "time"}},
      {"cycloidal", {"to", "time"}},
      {"poly-345", {"to", "time"}},
      {"poly-4567", {"to", "time"}},
      {"smooth-step", {"to", "time"}},
      {"modified-sine", {"to", "time"}},
      {"modified-trapezoid", {"to", "time"}},
      {"trapezoid-speed", {"to", "time"}},
      {"quintic", {"to", "time"}},
      {"spline", {"to", "time"}},
      {"table", {}},
      {"polynomial", {"time"}},
      {"dwell", {"time"}},
      {"constant-speed", {"speed", "time"}},
      {"run-up", {"speed", "acceleration"}},
      {"run-down", {"acceleration"}},
      {"sine", {"amplitude", "frequency", "time"}},
      {"formula", {"formula", "time"}},
      {"speed-formula", {"formula", "time"}},
  };
  return kLaws;
}

}  // namespace

bool isLaw(const std::string& law) {
  return std::any_of(laws().begin(), laws().end(), [&](const LawKeys& k) { return law == k.law; });
}

const std::vector<std::string>& figuresOf(const std::string& law) {
  static const std::vector<std::string> kNone;
  // sine and formula rows may go on to the end of the run: their time is optional
  static const std::vector<std::string> kSine{"amplitude", "frequency"}, kFormula{"formula"};
  if (law == "sine") return kSine;
  if (law == "formula" || law == "speed-formula") return kFormula;
  for (const LawKeys& k : laws())
    if (law == k.law) return k.keys;
  return kNone;
}

std::optional<Dimension> figureDimension(const std::string& law, const std::string& key, const Dimension& value) {
  const Dimension rate = value + kPerSecond;
  if (key == "time") return dimension::kTime;
  if (key == "to" || key == "by" || key == "mean" || key == "amplitude") return value;
  if (key == "speed" || key == "end_speed") return rate;
  if (key == "acceleration" || key == "end_acceleration") return rate + kPerSecond;
  if (key == "frequency") return kPerSecond;
  if (key == "phase") return dimension::kAngle;
  if (key == "up" || key == "down") return dimension::kPlain;
  if (key == "formula") return law == "speed-formula" ? rate : value;
  return std::nullopt;
}

}  // namespace cooperage::motion
