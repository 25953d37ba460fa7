// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QListView>
#include <QStandardItemModel>
#include <functional>
#include <optional>

#include "../theme.h"
#include "model/mechanism.h"

namespace cooperage::app {

/// One row of a ledger: a mark, a name, what there is to know about it, and its state as a tag.
struct LedgerRow {
  /// What the index counts, of rows that are no objects of the document.
  enum class Of { none, value, way, interference, clearance, poseOverlap, push };
  model::Id id = 0;
  Of of = Of::none;
  int index = -1;
  QString icon;  ///< "joints/revolute", or empty with a colour patch
  QColor patch;  ///< colour of a link
  QString title, detail, tag;
  Tone tone = Tone::none;
  int indent = 0;
  bool isLink = false;  ///< it can be dragged out, to see what belongs to it
  bool heading = false, faded = false, editable = false;
};

/// A list of such rows, with keyboard, multi-selection and screen-reader texts.
class LedgerList : public QListView {
  Q_OBJECT
 public:
  explicit LedgerList(QWidget* parent = nullptr);
  void setRows(const std::vector<LedgerRow>& rows);
  const std::vector<LedgerRow>& rows() const { return rows_; }
  /// Other tags for some rows, in place: what is live as a cursor moves.
  void setTags(const std::function<std::optional<QString>(const LedgerRow&)>& tag);
  /// Selects the rows of these ids without telling.
  void showSelection(const std::function<bool(const LedgerRow&)>& selected);
  std::vector<const LedgerRow*> chosen() const;
  /// Rectangle of a row in the viewport, for tests.
  QRect rectOf(int row) const { return visualRect(model_.index(row, 0)); }

 signals:
  void chosenChanged();
  void renamed(model::Id id, const QString& name);
  /// The row of a link is dragged out of the list. @param at pointer, on the screen
  void draggedOut(model::Id id, const QPointF& at);
  void dragEnded();

 protected:
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;

 private:
  QStandardItemModel model_;
  std::vector<LedgerRow> rows_;
  model::Id pressed_ = 0;  ///< the link whose row was pressed
  bool quiet_ = false, out_ = false;
};

}  // namespace cooperage::app
