// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>
#include <optional>

#include "../session.h"

namespace cooperage::app {

/// The law of a chosen cam over its machine degrees: displacement, velocity, acceleration and jerk under one another,
/// as derivatives to the turn. Knots between the rows are dragged along (how long) and up or down (how far).
class CamLanes : public QWidget {
  Q_OBJECT
 public:
  CamLanes(Session& session, QWidget* parent = nullptr);
  /// The curve whose law is shown: chosen itself, by its body, or by its contact. 0 for none.
  model::Id cam() const { return cam_; }
  /// Pixel of the knot between row i and the next, on the displacement.
  QPointF knotAt(int row) const;
  double xOf(double at) const;
  double atOf(double x) const;

 signals:
  void camChanged();

 protected:
  void paintEvent(QPaintEvent* e) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;
  void leaveEvent(QEvent* e) override;
  void resizeEvent(QResizeEvent* e) override;

 private:
  void look();
  void sample();
  QRectF lane(int n) const;
  double yOf(int n, double value) const;
  int knotNear(const QPointF& at) const;
  void drag(const QPointF& to);
  void paintReading(QPainter& p);

  Session& session_;
  model::Id cam_ = 0;
  std::shared_ptr<const elements::CamSpec> spec_;
  std::vector<motion::Derivatives> samples_;
  double low_[4] = {0, 0, 0, 0}, high_[4] = {1, 1, 1, 1};
  int dragged_ = -1, over_ = -1;
  std::optional<double> pointer_;
};

}  // namespace cooperage::app
