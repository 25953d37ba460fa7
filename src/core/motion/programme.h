// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <string>
#include <vector>

#include "base/result.h"
#include "model/resolve.h"

namespace cooperage::motion {

/// One joint value q at one instant; its unit U is rad or m.
struct MotionState {
  double position = 0, velocity = 0, acceleration = 0, jerk = 0;
};

/// Displacement s(x) of a normalised move, x = t/T and s in 0..1, with derivatives to x.
/// Laws as in VDI 2143 Part 1 and Norton, Cam Design and Manufacturing Handbook.
struct Normalised {
  double s, v, a, j;
};
/// @param law linear, parabolic, harmonic, cycloidal, poly-345, poly-4567, smooth-step, trapezoid-speed
/// @param up, down shares of the time in which a trapezoid-speed move speeds up and slows down
Normalised normalisedMove(const std::string& law, double x, double up = 1.0 / 3, double down = 1.0 / 3);

/// A row of moves and dwells compiled to figures. Immutable: threads may share one.
class Programme {
 public:
  /// @param rows   in order; moves count from the value before
  /// @param start  value at t = 0, in U
  /// @param reverse the whole programme mirrored about the start value
  static Result<Programme> compile(const std::vector<model::Resolved::RowR>& rows, double start, bool reverse,
                                   const std::string& drive);

  /// State at t in s. At a knot rates are those of the row that begins; past the end the last value is held at rest,
  /// and exactly at the end the rates are those of the last row.
  MotionState at(double t) const;
  /// Times at which rows begin and end, 0 first.
  const std::vector<double>& knots() const { return knots_; }
  double end() const { return knots_.back(); }

 private:
  /// What a row does; moves between two values share the law of normalisedMove().
  enum class Kind { dwell, constantSpeed, ramp, sine, formula, speedFormula, polynomial, move };
  struct Row {
    Kind kind = Kind::move;
    std::string law;
    double from = 0, rise = 0, duration = 0, speed = 0, acceleration = 0, up = 0, down = 0;
    double mean = 0, amplitude = 0, frequency = 0, phase = 0;
    std::vector<double> list;
    std::shared_ptr<const model::Resolved::FormulaR> formula;
  };
  MotionState rowAt(const Row& row, double t) const;
  std::vector<Row> rows_;
  std::vector<double> knots_{0};
  double start_ = 0, last_ = 0;
  double sign_ = 1;
};

}  // namespace cooperage::motion
