// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Within model/ only: the points of a link that is drawn as lines, as unknowns of its dimensions.
#include <map>
#include <set>

#include "model/resolving.h"

namespace cooperage::model {

/// A point: two unknowns, by their numbers. Several places of the document may be one point.
struct SketchPoint {
  int x = -1, y = -1;
};
/// A piece of a curve by its points; a circle has a centre and a radius.
struct SketchPiece {
  PieceKind kind = PieceKind::line;
  bool circle = false;
  SketchPoint from, to, centre;
  int radius = -1;
};

/// The figures of a link's seats and outlines in the plane x, y of its axes, m. Points at one place are one; figures
/// that are formulas, and seats that were picked on a body or on which curves lie, are fixed.
class SketchPoints {
 public:
  using Vec2 = Eigen::Vector2d;
  SketchPoints(Resolving& ctx, const Link& link) : ctx_(ctx), link_(link) {}

  /// Reads all points. @return false if a figure can't be worked out: the error is in the context
  bool read();
  /// The largest figure of the link, m.
  double size() const { return size_; }

  std::optional<SketchPoint> pointOf(const DimensionEnd& seat) const;
  std::optional<SketchPiece> pieceOf(const DimensionEnd& piece) const;
  const std::map<std::pair<Id, int>, SketchPiece>& pieces() const { return pieces_; }
  /// Numbers of all unknowns that a seat or a piece has.
  std::vector<int> unknownsOf(const DimensionEnd& end) const;

  /// Unknowns that are one have one root, which holds the value.
  int root(int unknown) const;
  int count() const { return static_cast<int>(values_.size()); }
  bool isFixed(int unknown) const { return fixed_[static_cast<std::size_t>(root(unknown))]; }
  double get(int unknown) const { return values_[static_cast<std::size_t>(root(unknown))]; }
  /// Where it is not fixed.
  void set(int unknown, double value);
  Vec2 place(const SketchPoint& p) const { return {get(p.x), get(p.y)}; }
  std::vector<double> values() const { return values_; }
  void restore(const std::vector<double>& values) { values_ = values; }

  /// How many unknowns are neither fixed nor one with another.
  int freeCount() const;
  /// Freedoms that move the link's lines as a whole: what stands fixed in it takes them away.
  int rigidFreedoms() const;
  /// The document's link with the figures as they are now; the link itself if none has changed.
  std::shared_ptr<const Link> written(const std::shared_ptr<const Link>& link) const;

 private:
  /// Where in the document a figure is written.
  struct Spot {
    enum class What { seat, piece, centre, circle, radius } what = What::seat;
    Id object = 0;
    int piece = 0, point = 0;
    SketchPoint at;
    int radius = -1;
  };
  int unknown(double value, bool fixed);
  SketchPoint point(const Vec2& at, bool fixedX, bool fixedY);
  bool readSeat(const Seat& s);
  bool readCurve(const Curve& c);
  bool readPoint(const Pair& given, const Pose& frame, Id curve, Spot spot);
  bool readCircle(const Curve& c, const Pose& frame);
  bool readPiece(const Curve& c, std::size_t index, const Pose& frame);
  void merge();
  void unite(int a, int b);
  bool hasMoved(const Spot& s) const;

  Resolving& ctx_;
  const Link& link_;
  std::set<Id> carrying_;  ///< seats on which curves lie
  std::map<Id, Pose> frames_;
  std::vector<double> values_, read_;  ///< as they are, and as they were read
  std::vector<bool> fixed_;
  std::vector<int> parent_;
  std::vector<Spot> spots_;
  std::map<std::pair<Id, int>, SketchPiece> pieces_;
  double size_ = 1e-3;
};

}  // namespace cooperage::model
