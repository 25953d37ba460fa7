// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "base/words.h"

namespace cooperage::motion {

/// The laws that a row of a programme or of a cam can follow.
enum class LawKind {
  linear,
  parabolic,
  harmonic,
  cycloidal,
  poly345,
  poly4567,
  smoothStep,
  modifiedSine,
  modifiedTrapezoid,
  trapezoidSpeed,
  quintic,
  spline,
  table,
  polynomial,
  dwell,
  constantSpeed,
  runUp,
  runDown,
  sine,
  formula,
  speedFormula
};
constexpr std::array<std::string_view, 21> wordsOf(LawKind) {
  return {
      "linear",        "parabolic",          "harmonic",        "cycloidal", "poly-345", "poly-4567", "smooth-step",
      "modified-sine", "modified-trapezoid", "trapezoid-speed", "quintic",   "spline",   "table",     "polynomial",
      "dwell",         "constant-speed",     "run-up",          "run-down",  "sine",     "formula",   "speed-formula"};
}

}  // namespace cooperage::motion
