// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QPointF>
#include <vector>

#include "../workbench/workbench.h"
#include "picks.h"

class QPainter;

namespace cooperage::app {

class Scene;

/// The candidate places under the pointer: those of the nearest face or edge first, then those of what it hides. One of
/// them is the present one; keys step through all, and hold them while the pointer crosses other parts.
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
  /// How many of the candidates belong to the nearest piece.
  void paint(QPainter& p, const std::vector<PickedPlace>& chosen) const;

 private:
  void addPlaces(const Hit& hit);
  void addSeats(const QPointF& at);
  bool passes(const PickedPlace& place) const;
  void takeNearest(const QPointF& at, int among);

  Workbench& bench_;
  Scene& scene_;
  std::vector<PickedPlace> candidates_;
  std::vector<std::vector<Vec3>> outline_;  ///< edges of the nearest piece, ground axes
  int present_ = -1, nearest_ = 0;
  bool keep_ = false, stepped_ = false;
  QPointF at_;
  PickFilter filter_;
};

}  // namespace cooperage::app
