// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <optional>

#include "drawing/nurbs.h"

/// Curves in a plane as they are drawn: exact pieces put end to end. All figures in one unit of length and rad.
namespace cooperage::drawing {

/// x' = M x + p: what an insert, a unit or a tilted plane does to a curve.
struct Affine {
  Eigen::Matrix2d M = Eigen::Matrix2d::Identity();
  Vec2 p{0, 0};
  Vec2 operator*(const Vec2& x) const { return M * x + p; }
  Affine operator*(const Affine& b) const { return {M * b.M, M * b.p + p}; }
};
/// The turn, growth and shift that take two points to two others.
Affine similarity(const Vec2& a, const Vec2& b, const Vec2& toA, const Vec2& toB);

/// A line, a piece of an ellipse or a spline. An ellipse is centre + u cos t + v sin t with any u and v, so that it
/// stays one under every affine map; an arc is one whose u and v are square to one another and of one length.
struct Piece {
  enum class Kind { line, conic, spline } kind = Kind::line;
  Vec2 a{0, 0}, b{0, 0};                ///< ends of a line
  Vec2 centre{0, 0}, u{1, 0}, v{0, 1};  ///< of a conic
  double from = 0, to = 0;              ///< t of its ends; falling where it runs the other way
  std::shared_ptr<const Nurbs> spline;

  static Piece line(const Vec2& from, const Vec2& to);
  static Piece conic(const Vec2& centre, const Vec2& u, const Vec2& v, double from, double to);
  /// @param sweep angle from the start, negative: clockwise
  static Piece arc(const Vec2& centre, double radius, double from, double sweep);
  static Piece of(Nurbs spline);

  /// Range of its own parameter: 0 to 1 of a line, angles of a conic, knots of a spline.
  double low() const;
  double high() const;
  /// Place and derivatives to its own parameter, order 0 to 4.
  std::array<Vec2, 5> at(double t) const;
  Vec2 start() const { return at(low())[0]; }
  Vec2 end() const { return at(high())[0]; }
  /// Parameters between which it is smooth.
  std::vector<double> spans() const;
};

/// Radius of what is an arc or a circle (to 1e-12 of its size).
std::optional<double> radiusOf(const Piece& piece);
bool isFullTurn(const Piece& piece);
Piece mapped(const Affine& map, const Piece& piece);
Piece reversed(const Piece& piece);
double lengthOf(const Piece& piece);

/// Pieces end to end. Closed where the last ends at the start.
struct Outline {
  std::vector<Piece> pieces;
  bool closed = false;
  Vec2 start() const { return pieces.front().start(); }
  Vec2 end() const { return pieces.back().end(); }
};
Outline mapped(const Affine& map, const Outline& outline);
Outline reversed(const Outline& outline);
double lengthOf(const Outline& outline);
/// Area inside, positive if it runs counter-clockwise (Green's theorem); of an open one that with its chord.
double areaOf(const Outline& outline);

struct Box {
  Vec2 low{1, 1}, high{-1, -1};
  bool empty() const { return low.x() > high.x(); }
  Vec2 size() const { return empty() ? Vec2(0, 0) : Vec2(high - low); }
  void add(const Vec2& x);
  void add(const Box& other);
  bool holds(const Box& other) const;
  bool meets(const Box& other) const;
};
/// The least box; its sides are touched to rounding.
Box boxOf(const Outline& outline);

/// Points along it; the straight lines between them stay within a distance of it.
std::vector<Vec2> flattened(const Outline& outline, double within);

/// The place of an outline that is nearest to a point.
struct NearPlace {
  std::size_t piece = 0;
  double t = 0;  ///< parameter of the piece
  Vec2 at{0, 0};
  double distance = 0;
};
NearPlace nearestPlace(const Outline& outline, const Vec2& x);

}  // namespace cooperage::drawing
