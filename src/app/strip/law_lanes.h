// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>
#include <algorithm>
#include <cmath>
#include <optional>

#include "../workbench/workbench.h"

namespace cooperage::app {

/// A motion law over its abscissa: value, speed, acceleration and jerk under one another, exact, with knots on the
/// value that are dragged along and up or down. What the law belongs to is told by those who derive from it.
class LawLanes : public QWidget {
  Q_OBJECT
 public:
  LawLanes(Workbench& bench, QWidget* parent = nullptr);
  double xOf(double at) const;
  double atOf(double x) const;
  /// Pixel of a knot on the value; knots count from 0 at the start.
  QPointF pixelOfKnot(int knot) const;
  double valueOf(double y) const;
  double yOfValue(double value) const { return yOf(0, value); }

 public:
  /// What stands under a lane's name.
  QString noteOf(int lane) const { return laneText(lane, sizeOf(lane), most_[lane] - least_[lane]).note; }

 protected:
  void takePeaks(int lane);
  /// Greatest size of a lane's figure.
  double sizeOf(int lane) const { return std::max(std::abs(least_[lane]), std::abs(most_[lane])); }
  /// One lane: its name, what stands under it, and its figures' unit.
  struct LaneText {
    QString name, note;
  };
  virtual bool hasLaw() const = 0;
  virtual double end() const = 0;
  virtual motion::Derivatives at(double x) const = 0;
  virtual std::vector<double> knots() const = 0;
  /// Knots that can be dragged: from and to, inclusive.
  virtual std::pair<int, int> draggable() const = 0;
  /// @param most greatest size of the lane's figure @param range greatest less least, both SI
  virtual LaneText laneText(int lane, double most, double range) const = 0;
  /// One unit of the abscissa in SI, the distance of its ticks in such units, and what follows a figure.
  struct Axis {
    double unit = 1, step = 1;
    QString suffix;
  };
  virtual Axis axis() const = 0;
  /// Words about a place, and whether something is wrong there.
  virtual std::pair<QString, bool> reading(double x) const = 0;
  virtual void dragKnot(int knot, const QPointF& to, Qt::KeyboardModifiers keys) = 0;
  /// What is drawn over the lanes besides.
  virtual void paintMore(QPainter& p) { Q_UNUSED(p); }
  virtual void pressed(const QPointF& at) { Q_UNUSED(at); }

  /// Samples the law anew and paints.
  void lawChanged();
  QRectF lane(int n) const;
  double yOf(int n, double value) const;
  int knotNear(const QPointF& at) const;
  int dragged() const { return dragged_; }
  /// A knot that is dragged along keeps its value until the hand has clearly moved up or down.
  bool keepsValue(const QPointF& to);
  /// Height kept free above the lanes.
  void setHeadRoom(double pixels) { head_ = pixels; }

  void paintEvent(QPaintEvent* e) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;
  void leaveEvent(QEvent* e) override;
  void resizeEvent(QResizeEvent* e) override;

  Workbench& bench_;

 private:
  void sample();
  void paintReading(QPainter& p);

  std::vector<motion::Derivatives> samples_;
  double low_[4] = {0, 0, 0, 0}, high_[4] = {1, 1, 1, 1}, head_ = 0;  ///< of the lanes, with some room
  double least_[4] = {0, 0, 0, 0}, most_[4] = {1, 1, 1, 1};           ///< of the law
  int dragged_ = -1, over_ = -1;
  double span_ = 1;  ///< of the abscissa as it is drawn: it stays under the hand while a knot is dragged
  QPointF pressedAt_;
  bool across_ = false;
  std::optional<double> pointer_;
};

}  // namespace cooperage::app
