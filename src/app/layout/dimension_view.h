// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QFrame>
#include <QRectF>

#include "../scene/scene.h"
#include "model/drawn_dimensions.h"

class QLineEdit;
class QPainter;
class QToolButton;

namespace cooperage::app {

/// Dimensions of drawn links at their lines: what was typed stands in a box, what is free is only written. A click on
/// one opens a small editor in place: value with unit, formula or parameter, the step that it is rounded to, and a way
/// to set it free again.
class DimensionView : public QObject {
  Q_OBJECT
 public:
  DimensionView(Workbench& bench, Scene& scene);

  /// Shows also the figures that nothing holds: while links are drawn.
  void setAll(bool all) {
    all_ = all;
    first_.reset();
  }
  /// Opens the editor of the label under a pixel. @return false if there is none
  bool openAt(const QPointF& at);
  bool isOver(const QPointF& at) const;
  /// Dimensions what is under a pixel, or it and what was clicked before.
  void click(const QPointF& at);
  /// Opens the editor of a dimension that is there, or of a new one.
  void open(model::Id link, model::DimensionKind kind, const std::vector<model::DimensionEnd>& of, const QPointF& at);
  bool isOpen() const { return editor_->isVisible(); }
  void close();

 signals:
  void closed();

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  struct Label {
    model::Id link = 0;
    model::DimensionKind kind = model::DimensionKind::length;
    std::vector<model::DimensionEnd> of;
    std::shared_ptr<const model::DrawnDimension> known;
    double value = 0;  ///< SI
    QPointF at;        ///< middle of the text
    QRectF box;        ///< as it was painted
  };
  /// A pivot, a line or a round piece of a link.
  struct Item {
    model::Id link = 0;
    model::DimensionEnd end;
    enum class Kind { point, line, round } kind = Kind::point;
    QPointF at;
  };
  std::optional<Item> itemAt(const QPointF& at) const;
  void paint(QPainter& p, bool free);
  std::vector<Label> find(bool free) const;
  void ofLink(const model::Link& link, std::size_t index, bool free, std::vector<Label>& out) const;
  QString written(double si) const;
  QString textOf(const Label& l) const;
  bool take(const QString& value, int merge);
  void roundNow();
  void setFree();
  void stepBy(int by);
  double stepSize() const;
  void fillEditor();

  Workbench& bench_;
  Scene& scene_;
  std::vector<Label> labels_;  ///< as they were painted last
  Label edited_;
  std::optional<Item> first_;
  bool all_ = false;
  QFrame* editor_;
  QLineEdit *value_, *step_;
  QToolButton *round_, *free_;
};

}  // namespace cooperage::app
