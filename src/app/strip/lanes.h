// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>

#include "../session.h"

namespace cooperage::app {

/// All lanes over one travel axis: programmes, gauges with their bands, stops, interference bars, and one cursor.
class Lanes : public QWidget {
  Q_OBJECT
 public:
  Lanes(Session& session, QWidget* parent = nullptr);
  /// Pixel of a place on the travel axis, and back.
  double xOf(double axis) const;
  double axisOf(double x) const;
  /// Rectangle of an interference bar, for tests and tooltips.
  QRectF barRect(int interference) const;
  /// Rectangle of a mark of the travel: a lost contact, a stop that is passed, a change point.
  QRectF markRect(int mark) const;
  /// Places on the travel axis where a contact passes from one piece of its curve to the next.
  const std::vector<double>& pieceJoints() const { return pieceJoints_; }
  int laneCount() const { return static_cast<int>(lanes_.size()); }
  QString laneTitle(int lane) const { return lanes_[static_cast<std::size_t>(lane)].title; }

 protected:
  void paintEvent(QPaintEvent* e) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void wheelEvent(QWheelEvent* e) override;
  void resizeEvent(QResizeEvent* e) override;
  bool event(QEvent* e) override;

 private:
  struct Lane {
    enum Kind { programme, gauge, bars, marks } kind;
    QString title;
    int column = -1;  // of the table
    int drive = -1;   // active drive
    std::vector<int> interference;
    std::vector<int> mark;  // of the travel
    double low = 0, high = 1;
    std::optional<double> bandLow, bandHigh;
    QColor colour;
    double top = 0, height = 0;
  };
  void rebuild();
  void findPieceJoints();
  void place();
  void paintLane(QPainter& p, const Lane& lane);
  void paintAxis(QPainter& p);
  void paintMarks(QPainter& p, const Lane& lane);
  void paintEnd(QPainter& p, double bottom);
  void paintCurve(QPainter& p, const Lane& lane, const QRectF& box);
  void goTo(double x);

  Session& session_;
  std::vector<Lane> lanes_;
  std::vector<double> pieceJoints_;
  double from_ = 0, to_ = 1, scroll_ = 0, total_ = 0;
};

}  // namespace cooperage::app
