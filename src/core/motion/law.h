// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "motion/law_kind.h"
#include <array>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace cooperage::motion {

/// A function and its first five derivatives.
using Derivatives = std::array<double, 6>;

/// Largest speed, acceleration and jerk of a normalised move (rise 1 in time 1): the trade's Cv, Ca and Cj.
struct LawFigures {
  double cv = 0, ca = 0, cj = 0;   ///< largest sizes within the pieces
  bool speedJumps = false;         ///< between rests: the acceleration has no bound
  bool accelerationJumps = false;  ///< the jerk has no bound
};

/// What the second derivative of a polynomial does not exceed in size on an interval.
/// @param poly coefficients of r^0, r^1 ...
double mostOfSecond(const double* poly, std::size_t count, double r0, double r1);
/// Greatest size of the sine on an interval.
double mostOfSine(double a, double b);

/// Displacement s(x) of a normalised move, x = t/T in 0..1, put together from pieces of the form
/// polynomial + amplitude * sin(rate * r + phase) (or cos), r counted from the piece's start, so that every derivative
/// is in closed form. Moves that are symmetric about their middle keep one half only and mirror it: both ends are
/// exact.
///
/// Laws and figures as in VDI 2143 Part 1, and in Norton, Cam Design and Manufacturing Handbook, ch. 3.
class Law {
 public:
  struct Piece {
    double from = 0;
    std::array<double, 8> poly{};
    double amplitude = 0, rate = 0, phase = 0;
    bool cosine = false;  ///< in place of the sine: rates at its start are exactly zero
  };

  /// The laws that lead from rest (or from a speed that jumps) by 1 in time 1.
  static const std::vector<LawKind>& kinds();
  /// @param up, down shares of the time in which a trapezoid-speed move speeds up and slows down, each above 0,
  /// together at most 1
  /// @return none for a name that is no such law
  static std::optional<Law> named(const Word<LawKind>& kind, double up = 1.0 / 3, double down = 1.0 / 3);
  /// The polynomial of fifth degree with s = 0 and 1 and given speeds and accelerations at both ends: moves between
  /// rest, constant speed and reversal.
  static Law quintic(double startSpeed, double startAcceleration, double endSpeed, double endAcceleration);
  /// At rest at both ends, through points between: cubic spline with continuous acceleration.
  /// @param points x and s, rising in x, within 0 < x < 1
  static Law spline(const std::vector<std::pair<double, double>>& points);

  /// At a joint of two pieces the derivatives are those of the piece that begins.
  Derivatives at(double x) const;
  /// What the second derivative does not exceed in size between two places: of each piece's polynomial the sum of the
  /// sizes of its Taylor terms about the middle, of its sine the greatest size on the way. Never less than the truth.
  double mostAcceleration(double x0, double x1) const;
  /// Places inside 0 < x < 1 where pieces meet.
  std::vector<double> joints() const;
  LawFigures figures() const;

 private:
  Derivatives pieceAt(double x, bool endOfPiece) const;
  std::vector<Piece> pieces_;
  bool mirrored_ = false;  ///< pieces reach to x = 1/2 only
};

}  // namespace cooperage::motion
