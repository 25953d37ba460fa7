// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QFrame>
#include <QLabel>
#include <QVBoxLayout>

#include "../workbench/workbench.h"
#include "ledger_list.h"

class QPushButton;

namespace cooperage::app {

/// Ledger of one stage: what is there, what is wrong, what comes next.
class StagePanel : public QWidget {
  Q_OBJECT
 public:
  StagePanel(Workbench& bench, const QString& title, QWidget* parent = nullptr);
  LedgerList* list() {
    if (stale_) refresh();
    return list_;
  }
  /// How the rail shows this stage: sign and tone.
  virtual std::pair<QString, Tone> state() const { return {}; }

 public slots:
  void refresh();

 signals:
  /// A link's row is dragged out of the ledger.
  void linkDragged(model::Id link, const QPointF& at);
  void linkDragEnded();

 protected:
  virtual std::vector<LedgerRow> rows() const = 0;
  /// The next thing that the mechanism lacks (rich text; links call followHint), or empty.
  virtual QString hint() const { return {}; }
  virtual QString subtitle() const { return {}; }
  virtual void followHint(const QString& link) { Q_UNUSED(link); }
  virtual void rowsChosen(const std::vector<const LedgerRow*>& rows);
  virtual bool rowSelected(const LedgerRow& row) const { return row.id != 0 && bench_.selection().isSelected(row.id); }
  virtual void afterRefresh() {}
  void showEvent(QShowEvent* event) override;

  QPushButton* tool(const QString& iconName, const QString& text, const QString& tip, const QString& objectName,
                    std::function<void()> press);
  /// A link by its name, with the mark of ground or the patch of the colour that it has in the scene.
  LedgerRow linkRow(const model::Link& link, int index) const;
  void toolRow(const std::vector<QWidget*>& widgets);
  void insertAbove(QWidget* widget) { column_->insertWidget(tools_++, widget); }
  /// Under the ledger, above the hint.
  void insertBelow(QWidget* widget, int stretch = 0) { column_->insertWidget(column_->count() - 1, widget, stretch); }
  /// A field that shows only the rows that hold what is typed.
  void addFilter();

  Workbench& bench_;

 private:
  void refreshWhenSeen();
  void refreshHint();
  QLabel *title_, *subtitle_, *hint_;
  LedgerList* list_;
  QVBoxLayout* column_;
  class QLineEdit* filter_ = nullptr;
  int tools_ = 1;
  bool stale_ = false;
};

}  // namespace cooperage::app
