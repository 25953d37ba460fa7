// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>

#include "curve_tool.h"
#include "dimension_view.h"
#include "scene_mode.h"
#include "snaps.h"

class QLineEdit;

namespace cooperage::app {

/// Draws links as lines on a sheet and joins them as they are drawn: a click is a pivot, the next one a link from
/// there. What is typed goes into a small row of fields beside the pointer: length, angle, and the place of a pivot on
/// ground. Without a link begun, a pivot is pulled with the mouse.
class Pencil : public SceneMode {
  Q_OBJECT
 public:
  Pencil(Workbench& bench, Scene& scene);

  using Tool = DrawTool;
  Tool tool() const { return tool_; }
  void setTool(Tool tool);
  /// Looks square on the sheet and begins. @param sheet 0: the selected one, else the first, else a new one
  void start(model::Id sheet = 0);
  /// Square on the sheet that is drawn on, else on the selected or the first.
  void lookSquare();
  QString prompt() const override;
  /// Where a click would land now.
  const Snap& snap() const { return snap_; }
  DimensionView& dimensions() { return dimensions_; }

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;
  /// What is typed, then the link begun.
  bool stepBack() override;
  void ended() override;
  void paint(QPainter& p) override;
  void documentChanged() override;
  void say() override;

 private:
  bool onKey(class QKeyEvent* e);
  void hover(const QPointF& at, Qt::KeyboardModifiers keys);
  void click(Qt::KeyboardModifiers keys);
  void commit(bool ground);
  void addPoint();
  void finishCurve();
  void addCorner(bool ground);
  void finishPlate();
  void addPivot();
  void forgetPoints();
  void goOn(model::Id line, const Eigen::Vector2d& from);
  /// The curve through the points so far and the pointer; none if there are too few.
  std::optional<drawing::Outline> curve(bool withPointer) const;
  Eigen::Vector2d pointerPlace() const;
  bool makeSheet(model::Mechanism& m);
  bool isBegun() const { return !begun_.empty() || !points_.empty(); }
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
  model::Id wantedSheet() const;

  Snaps snaps_;
  DimensionView dimensions_;
  QFrame* fields_;                     ///< beside the pointer
  std::array<QLineEdit*, 4> edits_{};  ///< length, angle, x, y
  std::vector<class QToolButton*> tools_;
  class QToolButton* construction_;
  Tool tool_ = Tool::link;
  std::vector<Eigen::Vector2d> points_;     ///< of a curve that is being drawn, sheet axes
  std::vector<model::LayoutSpot> corners_;  ///< of a plate that is being drawn
  model::Id chain_ = 0;                     ///< the line that goes on from its end
  model::Id ternary_ = 0;                   ///< the link that gets another pivot
  model::Id driver_ = 0;                    ///< the pin of the first link of the chain on ground
  bool seen_ = false;                       ///< the pointer is over the scene
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
