// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QPointF>
#include <vector>

#include "../workbench/workbench.h"
#include "picks.h"

class QPainter;

namespace cooperage::app {

class Scene;

/// The candidate places under the pointer: those of the nearest face or edge first, then those of what it hides; of a
/// link that is done with, last. On a bore or a pin, on its rim and its seam, the middle of its axis comes first: over
/// all pieces, where it has several. One of them is the present one; keys step through all, and hold them while the
/// pointer crosses other parts.
class Picker {
 public:
  Picker(Workbench& bench, Scene& scene) : bench_(bench), scene_(scene) {}

  /// Looks for the places under a pixel. Kept candidates stay; the nearest of them becomes the present one.
  void hover(const QPointF& at);
  void clear();
  const std::vector<PickedPlace>& candidates() const { return candidates_; }
  const PickedPlace* present() const;
  void step(int by);
  void setKeep(bool keep);
  bool isKeeping() const { return keep_; }
  void setFilter(const PickFilter& filter) { filter_ = filter; }
  const PickFilter& filter() const { return filter_; }
  /// Offers each piece by itself: a rim is not taken for its bore.
  void setPieces(bool on) { pieces_ = on; }
  /// Places of this link come last: the other place is on it already. 0 for none.
  void setLast(model::Id link) { last_ = link; }
  /// How many of the candidates belong to the nearest piece.
  void paint(QPainter& p, const std::vector<PickedPlace>& chosen) const;

 private:
  void addPlaces(const Hit& hit);
  void addSnaps(const Hit& hit, bool axisOnly);
  Hit boreOf(const Hit& hit) const;
  Hit rimOf(const Hit& hit) const;
  void addMiddleOfAll(const Hit& hit, const PickedPlace& own);
  void add(PickedPlace&& place);
  void addOutlines(const QPointF& at);
  void addSeats(const QPointF& at);
  bool passes(const PickedPlace& place) const;
  void takeNearest(const QPointF& at, int among);

  Workbench& bench_;
  Scene& scene_;
  std::vector<PickedPlace> candidates_;
  std::vector<std::vector<Vec3>> outline_;  ///< edges of the nearest piece, ground axes
  int present_ = -1, nearest_ = 0;
  bool keep_ = false, stepped_ = false, pieces_ = false;
  QPointF at_;
  PickFilter filter_;
  model::Id last_ = 0;
};

}  // namespace cooperage::app
