// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <vector>

#include <Eigen/Core>

/// Motion by contact: what bodies touch with, how far it is apart, and how the links move that are only pushed.
namespace cooperage::contact {

using Vec2 = Eigen::Vector2d;

/// A line or an arc of an outline; the material lies on its left.
struct Piece {
  Vec2 from{0, 0}, to{0, 0};
  double radius = 0;  ///< of an arc; 0: a line. An arc from a point to itself is a whole circle.
  Vec2 centre{0, 0};
  bool ccw = true;  ///< of an arc: it bulges outwards
};
using Loop = std::vector<Piece>;

/// What of an outline can touch: a line, an arc that bulges, an arc that is hollow. A corner that points outwards is an
/// arc of no radius, which has all normals between those of its two pieces. A corner that points inwards, a notch,
/// touches nothing; it is kept for the distances of places within.
struct Feature {
  enum class Kind { side, round, hollow, notch };
  Kind kind = Kind::side;
  Vec2 at{0, 0};      ///< a side's start; else the centre
  Vec2 along{1, 0};   ///< a side's direction
  double length = 0;  ///< a side's
  Vec2 normal{0, 1};  ///< a side's, outwards; else the middle of the directions from the centre to its points
  double half = 0;    ///< rad: how far these reach to either side of the middle
  double cosHalf = 1;
  double radius = 0;
  Vec2 boundAt{0, 0};  ///< a circle that holds it
  double bound = 0;
  int run = 0;  ///< pieces that go smoothly on into one another have the same
  bool isCorner() const { return kind == Kind::round && radius == 0; }
};

/// A closed region of lines and arcs in a plane, m, with what can touch of it. Immutable.
class Outline {
 public:
  Outline() = default;
  /// @param loops outer ones counter-clockwise, holes clockwise; pieces in order, each beginning where the last ended
  explicit Outline(std::vector<Loop> loops);

  const std::vector<Loop>& loops() const { return loops_; }
  const std::vector<Feature>& features() const { return features_; }
  double area() const { return area_; }
  Vec2 centroid() const { return centroid_; }
  /// Polar second moment about the centroid over the area, m^2.
  double gyration2() const { return gyration2_; }
  /// Thickness of the material where it is thinnest, m, as found by rays square to the middles of all pieces.
  double thinnest() const { return thinnest_; }
  /// Largest distance of a point of it from a place.
  double reachFrom(const Vec2& place) const;
  /// Winding number by the pieces themselves; points on them may count either way.
  bool isInside(const Vec2& x) const;
  /// Distance to the nearest of all pieces.
  double distanceToBoundary(const Vec2& x) const;
  /// Signed distance to what is nearest within a reach, negative inside; the reach where nothing is.
  double signedWithin(const Vec2& x, double reach, std::vector<int>& work) const;
  /// A circle that holds it all.
  const Vec2& middle() const { return middle_; }
  double reach() const { return reach_; }
  /// Indices of features whose bounding circle comes within `reach` of a circle, into `out` (cleared first).
  void near(const Vec2& at, double reach, std::vector<int>& out) const;

 private:
  void makeFeatures();
  void measure();
  double thicknessAt(const Vec2& x, const Vec2& inward) const;
  std::vector<Loop> loops_;
  std::vector<Feature> features_;
  double area_ = 0, gyration2_ = 0, thinnest_ = 0;
  Vec2 centroid_{0, 0}, middle_{0, 0};
  double reach_ = 0;
  // a grid over the features, where there are many
  Vec2 low_{0, 0}, high_{0, 0};
  double cell_ = 0;
  int columns_ = 0, rows_ = 0;
  std::vector<std::vector<int>> cells_;
};

/// Quarter turn to the left.
inline Vec2 left(const Vec2& v) { return {-v.y(), v.x()}; }
inline double cross(const Vec2& a, const Vec2& b) { return a.x() * b.y() - a.y() * b.x(); }

}  // namespace cooperage::contact
