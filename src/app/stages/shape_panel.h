// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "parts_shelf.h"
#include "stage_panel.h"

class QMenu;

namespace cooperage::app {

class ShapePanel : public StagePanel {
  Q_OBJECT
 public:
  ShapePanel(Workbench& bench, QWidget* parent = nullptr);
  std::pair<QString, Tone> state() const override;
  PartsShelf* shelf() { return shelf_; }
  /// All elements that can be added.
  QMenu* elements() { return elements_; }
 public slots:
  void importFile();
  void chooseFolder() { shelf_->chooseFolder(); }
  void addElement(model::BodyKind kind);
  /// Another of the kind that was added last.
  void addAgain() { addElement(last_); }
  void removeSelected();
  void toggleShown();
  void toggleGround();

 signals:
  /// An element was added and is selected: its first figure comes next.
  void added();
  void drawAsked();

 protected:
  std::vector<LedgerRow> rows() const override;
  QString hint() const override;
  void followHint(const QString& link) override;
  void afterRefresh() override;

 private:
  QString drawnDetail(const model::Link& link, qsizetype lines) const;
  QPushButton *ground_ = nullptr, *show_ = nullptr, *remove_ = nullptr;
  QWidget* rules_ = nullptr;
  QMenu* elements_ = nullptr;
  model::BodyKind last_ = model::BodyKind::bar;
  PartsShelf* shelf_ = nullptr;
};

}  // namespace cooperage::app
