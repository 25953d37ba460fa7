// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QFrame>
#include <array>

#include "curve_tool.h"
#include "dimension_view.h"
#include "snaps.h"

class QLabel;
class QLineEdit;

namespace cooperage::app {

/// Draws links as lines on a sheet and joins them as they are drawn: a click is a pivot, the next one a link from
/// there. What is typed goes into a small row of fields beside the pointer: length, angle, and the place of a pivot on
/// ground. Without a link begun, a pivot is pulled with the mouse.
class Pencil : public QObject {
  Q_OBJECT
 public:
  Pencil(Workbench& bench, Scene& scene);

  using Tool = DrawTool;
  bool isDrawing() const { return on_; }
  Tool tool() const { return tool_; }
  void setTool(Tool tool);
  /// Looks square on the sheet and begins. @param sheet 0: the selected one, else the first, else a new one
  void start(model::Id sheet = 0);
  void stop();
  /// Square on the sheet that is drawn on, else on the selected or the first.
  void lookSquare();
  /// Esc: what is typed, then the link begun, then drawing itself. @return whether there was anything to take back
  bool cancel();
  QString prompt() const;
  /// Where a click would land now.
  const Snap& snap() const { return snap_; }
  DimensionView& dimensions() { return dimensions_; }

 signals:
  void changed();

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  bool onKey(class QKeyEvent* e);
  void hover(const QPointF& at, Qt::KeyboardModifiers keys);
  void click(Qt::KeyboardModifiers keys);
  void commit(bool ground);
  void addPoint();
  void finishCurve();
  /// The curve through the points so far and the pointer; none if there are too few.
  std::optional<drawing::Outline> curve(bool withPointer) const;
  Eigen::Vector2d pointerPlace() const;
  bool makeSheet(model::Mechanism& m);
  bool isBegun() const { return !begun_.empty() || !points_.empty(); }
  void paint(class QPainter& p);
  void paintSheet(QPainter& p, const Pose& plane);
  void paintPivots(QPainter& p, const Pose& plane);
  void paintStroke(QPainter& p, const Pose& plane);
  void showFields();
  void fillHints();
  void clearFields();
  bool takeFields(model::Mechanism& m, model::LinkStroke& stroke);
  std::optional<double> typed(std::size_t i) const;
  bool anyTyped() const;
  /// Where the link begun starts, sheet axes.
  std::optional<Eigen::Vector2d> startPlace() const;
  void followDocument();
  void say();
  model::Id wantedSheet() const;

  Workbench& bench_;
  Scene& scene_;
  Snaps snaps_;
  DimensionView dimensions_;
  QFrame* fields_;                     ///< beside the pointer
  std::array<QLineEdit*, 4> edits_{};  ///< length, angle, x, y
  QFrame* bar_;
  QLabel* prompt_;
  std::vector<class QToolButton*> tools_;
  class QToolButton* construction_;
  Tool tool_ = Tool::link;
  std::vector<Eigen::Vector2d> points_;  ///< of a curve that is being drawn, sheet axes
  model::Id driver_ = 0;                 ///< the pin of the first link of the chain on ground
  bool on_ = false, seen_ = false;       ///< seen: the pointer is over the scene
  model::Id sheet_ = 0;
  std::vector<model::Id> begun_;  ///< seats from which links began, the present one last: undo goes back along them
  Snap snap_;
  QPointF pointer_;
  bool ground_ = false;  ///< the held key puts the pivot on ground
  model::Id pulled_ = 0;
  QPointF pressed_;
  bool moved_ = false, overFigure_ = false;
};

}  // namespace cooperage::app
