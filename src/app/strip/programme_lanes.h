// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "law_lanes.h"

namespace cooperage::app {

/// The programme of a chosen drive over time: its rows as blocks above, value with knots to drag, speed, acceleration
/// and jerk below. Shift while dragging takes the rest of the programme along.
class ProgrammeLanes : public LawLanes {
  Q_OBJECT
 public:
  ProgrammeLanes(Workbench& bench, QWidget* parent = nullptr);
  /// The drive whose programme is shown, 0 for none.
  model::Id drive() const { return drive_; }
  /// Row that is chosen in its blocks, -1 for none.
  int row() const { return row_; }
  void setRow(int row);
  /// Rectangle of a row's block.
  QRectF blockRect(int row) const;
  const motion::Programme* programme() const { return programme_ ? &*programme_ : nullptr; }
  /// A dwell put in at a time.
  void insertDwell(double at);

 signals:
  void driveChanged();

 protected:
  bool hasLaw() const override { return programme_.has_value() && end_ > 0; }
  double end() const override { return end_; }
  motion::Derivatives at(double x) const override;
  std::vector<double> knots() const override { return knots_; }
  std::pair<int, int> draggable() const override { return {1, static_cast<int>(knots_.size()) - 1}; }
  LaneText laneText(int lane, double most, double range) const override;
  Axis axis() const override;
  std::pair<QString, bool> reading(double x) const override;
  void dragKnot(int knot, const QPointF& to, Qt::KeyboardModifiers keys) override;
  void paintMore(QPainter& p) override;
  void pressed(const QPointF& at) override;
  void mouseDoubleClickEvent(QMouseEvent* e) override;
  void contextMenuEvent(QContextMenuEvent* e) override;

 private:
  void look();

  model::Id drive_ = 0;
  std::optional<motion::Programme> programme_;
  std::vector<motion::RowFigures> rows_;
  std::vector<double> knots_;
  std::vector<motion::Programme::Jump> jumps_;
  Dimension dimension_;
  double end_ = 0;
  int row_ = -1;
};

/// A small picture of a motion law's displacement.
QPixmap lawPicture(const Word<motion::LawKind>& law, const QSize& size, const QColor& colour, double ratio);
/// The motion laws as people read them: "modified sine", by their name in the file.
QString lawText(const Word<motion::LawKind>& law);

}  // namespace cooperage::app
