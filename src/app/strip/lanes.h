// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QPixmap>
#include <QTimer>
#include <QWidget>
#include <map>

#include "lane_painter.h"

namespace cooperage::app {

/// All lanes over one travel axis: programmes, gauges with their bands, stops, interference bars, and one cursor.
///
/// Click or drag sets the cursor, Shift+click a second one with differences; Ctrl+wheel zooms along, Alt+wheel across,
/// Shift+wheel pans; a lane's lower edge is dragged to make it taller; a name dropped on another overlays the two.
class Lanes : public QWidget {
  Q_OBJECT
 public:
  Lanes(Workbench& bench, QWidget* parent = nullptr);
  /// Pixel of a place on the travel axis, and back.
  double xOf(double axis) const { return view_.xOf(axis); }
  double axisOf(double x) const { return view_.axisOf(x); }
  /// Rectangle of an interference bar, for tests and tooltips.
  QRectF barRect(int interference) const;
  /// Rectangle of a mark of the travel: a lost contact, a stop that is passed, a change point.
  QRectF markRect(int mark) const;
  /// Places on the travel axis where a contact passes from one piece of its curve to the next.
  int laneCount() const { return static_cast<int>(lanes_.size()); }
  QString laneTitle(int lane) const { return lanes_[static_cast<std::size_t>(lane)].title; }
  const std::vector<Lane>& lanes() const { return lanes_; }
  /// Rectangle of a lane in the widget.
  QRectF laneRect(int lane) const;
  /// The second line of a lane's name as it stands there now.
  QString readingOf(int lane) const;
  /// Between two cursors; of curves that are compared, the largest difference.
  QString differenceOf(int lane) const;

  /// Visible stretch of the travel axis.
  std::pair<double, double> range() const { return {view_.from, view_.to}; }
  void zoom(double factor, double around);
  void zoomWhole();
  std::optional<double> secondCursor() const { return second_; }
  void setSecondCursor(std::optional<double> axis);
  /// Curves less those compared with.
  void setDifference(bool on);
  bool showsDifference() const { return difference_; }
  /// The lanes as a drawing of a size, with their names and the axis, on paper: for pictures, pages and the clipboard.
  void draw(QPainter& p, const QSizeF& size) const;
  QStringList chosenTitles() const;

 public slots:
  void rebuild();

 protected:
  void paintEvent(QPaintEvent* e) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;
  void mouseDoubleClickEvent(QMouseEvent* e) override;
  void contextMenuEvent(QContextMenuEvent* e) override;
  void wheelEvent(QWheelEvent* e) override;
  void resizeEvent(QResizeEvent* e) override;
  bool event(QEvent* e) override;

 private:
  void findPieceJoints();
  void place(std::vector<Lane>& lanes, LaneView& view, double height, bool scrolls) const;
  void layOut();
  void paintLanes(QPainter& p, const std::vector<Lane>& lanes, const LaneView& view, bool screen) const;
  void paintPieceJoints(QPainter& p, const LaneView& view) const;
  void paintCursor(QPainter& p);
  void paintEnd(QPainter& p, const LaneView& view) const;
  void paintEmpty(QPainter& p);
  void goTo(double x);
  int laneAt(double y) const;
  int edgeAt(const QPointF& at) const;
  QString valueText(const Lane& lane) const;
  QString comparisonText(const Lane& lane) const;
  QString signedText(double change, const Lane& lane) const;
  void overlay(int lane, int on);
  void zoomLane(int lane, double factor, double around);
  Dimension axisDimension() const;

  Workbench& bench_;
  std::vector<Lane> lanes_;
  std::vector<double> pieceJoints_;
  LaneView view_;
  double wholeFrom_ = 0, wholeTo_ = 1, scroll_ = 0, total_ = 0;
  bool difference_ = false, zoomed_ = false;
  std::optional<double> second_;
  QPixmap cache_;
  std::map<model::Id, double> heights_;                      ///< of lanes that were made taller or lower by hand
  std::map<model::Id, std::pair<double, double>> acrossOf_;  ///< of lanes that are zoomed across
  enum class Hold { none, cursor, edge, name, pan } hold_ = Hold::none;
  int held_ = -1;
  QPointF pressed_;
  double panFrom_ = 0;
  QTimer partial_;
};

}  // namespace cooperage::app
