// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QRectF>

#include "lane_list.h"

class QPainter;

namespace cooperage::app {

/// What is visible of the travel axis and where.
struct LaneView {
  double from = 0, to = 1;                                      ///< SI, left and right
  double left = 196, right = 1000, width = 1014, bottom = 200;  ///< pixels; bottom: of the lanes, the axis lies below
  double xOf(double axis) const { return left + (right - left) * (axis - from) / (to - from); }
  double axisOf(double x) const { return from + (to - from) * (x - left) / std::max(1.0, right - left); }
};

/// Paints lanes into a widget, a picture or a page. Holds nothing.
class LanePainter {
 public:
  LanePainter(QPainter& p, const LaneView& view, const DocumentUnits& units) : p_(p), view_(view), units_(units) {}
  /// Names, bands and curves. @param chosen objects that are selected: their dwells and extremes are marked
  void lane(const Lane& lane, const std::vector<model::Id>& chosen);
  /// The second line of a lane's name: the value under the cursor and its differences.
  void reading(const Lane& lane, const QString& text, const QString& difference, const QString& comparison);
  /// Interference bars: as high as the overlap is deep, hatched; those that are not known to hold any more are hollow
  /// and grey. @param profile shares of the bar's width and of the greatest depth, or empty
  void bar(const QRectF& box, bool chosen, bool pending, const std::vector<QPointF>& profile = {});
  /// Where two links are nearer than can be told: dotted.
  void unsure(const QRectF& box);
  void mark(const QRectF& box, const QColor& colour);
  /// Grid and figures of the travel axis.
  void axis(const Dimension& d);
  QString axisText(double value, const Dimension& d) const;
  QRectF box(const Lane& lane) const { return {view_.left, lane.top + 3, view_.right - view_.left, lane.height - 6}; }
  double yOf(const Lane& lane, double v) const {
    const QRectF b = box(lane);
    return b.bottom() - b.height() * (v - lane.low) / (lane.high - lane.low);
  }

 private:
  void curve(const Lane& lane, const kinematics::Samples& samples);
  void bands(const Lane& lane);
  void features(const Lane& lane, const LaneCurve& curve);
  void programme(const Lane& lane);

  QPainter& p_;
  const LaneView& view_;
  const DocumentUnits& units_;
};

}  // namespace cooperage::app
