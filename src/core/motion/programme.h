// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "base/jet.h"
#include "base/result.h"
#include "curves/table.h"
#include "motion/law.h"
#include "motion/law_kind.h"

namespace cooperage::motion {

/// One joint value q at one instant; its unit U is rad or m.
struct MotionState {
  double position = 0, velocity = 0, acceleration = 0, jerk = 0;
};

/// A row of a programme in SI figures, named as in the file: what the law needs.
struct RowFigures {
  Word<LawKind> law;
  std::map<std::string, double> figures;
  std::vector<double> list;                       ///< coefficients of "polynomial"
  std::vector<std::pair<double, double>> points;  ///< time and value of "spline" and "table", from the row's start
  Word<curves::Interpolation> interpolation;      ///< of "table"
  std::function<Jet(const Jet& time)> formula;    ///< of "formula" and "speed-formula"
};

/// A row of moves and dwells compiled to figures, over the time in s, or over a cam's turn in rad. Immutable: threads
/// may share one.
class Programme {
 public:
  /// @param rows   in order; moves count from the value before
  /// @param start  value at t = 0, in U
  /// @param reverse the whole programme mirrored about the start value
  static Result<Programme> compile(const std::vector<RowFigures>& rows, double start, bool reverse,
                                   const std::string& drive);

  /// State at t in s. At a knot rates are those of the row that begins; past the end the last value is held at rest,
  /// and exactly at the end the rates are those of the last row.
  MotionState at(double t) const;
  /// Value and five derivatives; of formula rows the first three.
  Derivatives derivatives(double t) const;
  /// How far the value gets, at any time of an interval, from a straight line in time through its middle with the
  /// speed there: half the square of half the interval times the greatest acceleration of every piece of its laws,
  /// plus what the jumps of speed and value inside it add. Never less than the truth; infinite for formulas.
  double deviation(double t0, double t1) const;
  /// Times where the pieces of its laws meet: ends of rows, points of tables and splines. Sorted, within 0..end.
  std::vector<double> breaks() const;
  /// Times at which rows begin and end, 0 first.
  const std::vector<double>& knots() const { return knots_; }
  double end() const { return knots_.back(); }
  /// Where the speed jumps: no real drive can follow there.
  struct Jump {
    double t = 0, from = 0, to = 0;  ///< speeds before and after
  };
  /// Jumps at the knots, at the start of a first row that is a move, and at an end that is reached with a speed.
  std::vector<Jump> jumps() const;
  /// Value that each row starts from, one a knot but the last; the last is the end value if there is an end.
  std::vector<double> knotValues() const;

 private:
  /// What a row does; moves between two values share a law.
  enum class Kind { dwell, constantSpeed, ramp, sine, formula, speedFormula, polynomial, table, move };
  struct Row {
    Kind kind = Kind::move;
    double from = 0, rise = 0, duration = 0, speed = 0, acceleration = 0;
    double mean = 0, amplitude = 0, frequency = 0, phase = 0;
    std::vector<double> list;
    std::function<Jet(const Jet&)> formula;
    std::shared_ptr<const Law> law;
    std::shared_ptr<const curves::Table> table;
  };
  static Status move(const RowFigures& r, const MotionState& before, const std::string& drive, Row& row);
  Derivatives rowAt(const Row& row, double t) const;
  static double mostAcceleration(const Row& row, double t0, double t1);
  static std::vector<double> pieceEnds(const Row& row);
  std::vector<Row> rows_;
  std::vector<double> knots_{0};
  double start_ = 0, last_ = 0;
  double sign_ = 1;
};

}  // namespace cooperage::motion
