// SPDX-License-Identifier: GPL-3.0-or-later
#include "ledger_list.h"

#include <QMouseEvent>
#include <QPainter>
#include <QScrollBar>
#include <QStyledItemDelegate>

namespace cooperage::app {
namespace {

constexpr int kRow = Qt::UserRole + 1;
constexpr int kPad = 12;

class RowDelegate : public QStyledItemDelegate {
 public:
  explicit RowDelegate(LedgerList* list) : QStyledItemDelegate(list), list_(list) {}

  QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex& index) const override {
    const LedgerRow& r = row(index);
    if (r.heading) return {100, 30};
    return {100, r.detail.isEmpty() ? 30 : 44};
  }

  void paint(QPainter* p, const QStyleOptionViewItem& option, const QModelIndex& index) const override {
    const LedgerRow& r = row(index);
    const Theme& t = theme();
    QRect box = option.rect;
    p->save();
    p->setRenderHint(QPainter::Antialiasing);
    if (r.heading) {
      p->setFont(uiFont(8.5, QFont::DemiBold));
      p->setPen(t.mute);
      p->drawText(box.adjusted(kPad, 8, -kPad, 0), Qt::AlignLeft | Qt::AlignVCenter, r.title);
      p->restore();
      return;
    }
    const bool selected = option.state & QStyle::State_Selected, hover = option.state & QStyle::State_MouseOver;
    if (selected || hover) {
      QColor fill = t.accentTint;
      if (!selected) fill.setAlphaF(0.5f);
      p->fillRect(box, fill);
    }
    if (selected) p->fillRect(QRect(box.left(), box.top(), 3, box.height()), t.accent);
    if (option.state & QStyle::State_HasFocus) {
      p->setPen(QPen(t.accent, 1, Qt::DotLine));
      p->setBrush(Qt::NoBrush);
      p->drawRect(box.adjusted(1, 1, -2, -2));
    }
    int x = box.left() + kPad + 16 * r.indent;
    const int iconSize = 18;
    const QRect mark(x, box.center().y() - iconSize / 2 + 1, iconSize, iconSize);
    if (r.patch.isValid()) {
      p->setPen(QPen(t.line, 1));
      p->setBrush(r.faded ? QColor(Qt::transparent) : r.patch);
      p->drawRoundedRect(mark.adjusted(3, 3, -3, -3), 3, 3);
    }
    if (!r.icon.isEmpty())
      p->drawPixmap(mark.topLeft(), iconPixmap(r.icon,
                                               r.faded    ? t.mute
                                               : selected ? t.accent
                                                          : t.ink,
                                               iconSize, list_->devicePixelRatioF()));
    x += iconSize + 9;
    int right = box.right() - kPad;
    if (!r.tag.isEmpty()) {
      p->setFont(uiFont(8.2));
      const QString text = toneSign(r.tone) + r.tag;
      const int w = p->fontMetrics().horizontalAdvance(text) + 16;
      const QRect pill(right - w, box.center().y() - 9, w, 19);
      p->setPen(Qt::NoPen);
      p->setBrush(toneTint(r.tone));
      p->drawRoundedRect(pill, 9, 9);
      p->setPen(toneColour(r.tone));
      p->drawText(pill, Qt::AlignCenter, text);
      right -= w + 6;
    }
    const QRect text(x, box.top() + 5, right - x, box.height() - 10);
    p->setFont(uiFont(9.2, selected ? QFont::Medium : QFont::Normal));
    p->setPen(r.faded ? t.mute : t.ink);
    const QString title = p->fontMetrics().elidedText(r.title, Qt::ElideRight, text.width());
    p->drawText(text, (r.detail.isEmpty() ? Qt::AlignVCenter : Qt::AlignTop) | Qt::AlignLeft, title);
    if (!r.detail.isEmpty()) {
      p->setFont(uiFont(8.2));
      p->setPen(t.mute);
      p->drawText(text, Qt::AlignBottom | Qt::AlignLeft,
                  p->fontMetrics().elidedText(r.detail, Qt::ElideRight, text.width()));
    }
    p->restore();
  }

 private:
  const LedgerRow& row(const QModelIndex& index) const {
    return list_->rows()[static_cast<std::size_t>(index.data(kRow).toInt())];
  }
  LedgerList* list_;
};

}  // namespace

LedgerList::LedgerList(QWidget* parent) : QListView(parent) {
  setModel(&model_);
  setItemDelegate(new RowDelegate(this));
  setSelectionMode(QAbstractItemView::ExtendedSelection);
  setEditTriggers(QAbstractItemView::EditKeyPressed | QAbstractItemView::DoubleClicked);
  setFrameShape(QFrame::NoFrame);
  setMouseTracking(true);
  setVerticalScrollMode(QAbstractItemView::ScrollPerPixel);
  setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  viewport()->setAutoFillBackground(false);
  setStyleSheet(QStringLiteral("QListView { background: transparent; }"));
  connect(selectionModel(), &QItemSelectionModel::selectionChanged, this, [this] {
    if (!quiet_) emit chosenChanged();
  });
  connect(&model_, &QStandardItemModel::itemChanged, this, [this](QStandardItem* item) {
    if (quiet_) return;
    const LedgerRow& r = rows_[static_cast<std::size_t>(item->data(kRow).toInt())];
    const QString text = item->text();
    if (text != r.title) emit renamed(r.id, text);
  });
}

void LedgerList::mousePressEvent(QMouseEvent* e) {
  const QModelIndex index = indexAt(e->pos());
  const LedgerRow* row = index.isValid() ? &rows_[static_cast<std::size_t>(index.data(kRow).toInt())] : nullptr;
  pressed_ = e->button() == Qt::LeftButton && row && row->isLink ? row->id : 0;
  out_ = false;
  QListView::mousePressEvent(e);
}

void LedgerList::mouseMoveEvent(QMouseEvent* e) {
  // within the list a drag selects rows; out of it, it moves the link that was pressed
  if (pressed_ != 0 && (e->buttons() & Qt::LeftButton) && (out_ || e->pos().x() > viewport()->width())) {
    out_ = true;
    setCursor(Qt::ClosedHandCursor);
    emit draggedOut(pressed_, e->globalPosition());
    return;
  }
  QListView::mouseMoveEvent(e);
}

void LedgerList::mouseReleaseEvent(QMouseEvent* e) {
  if (out_) {
    unsetCursor();
    emit dragEnded();
  }
  pressed_ = 0;
  out_ = false;
  QListView::mouseReleaseEvent(e);
}

void LedgerList::setRows(const std::vector<LedgerRow>& rows) {
  quiet_ = true;
  rows_ = rows;
  model_.clear();
  int n = 0;
  for (const LedgerRow& r : rows_) {
    auto* item = new QStandardItem(r.title);
    item->setData(n++, kRow);
    item->setData(r.title + (r.detail.isEmpty() ? "" : ", " + r.detail) + (r.tag.isEmpty() ? "" : ", " + r.tag),
                  Qt::AccessibleTextRole);
    item->setToolTip(r.detail.isEmpty() ? r.title : r.title + "\n" + r.detail);
    item->setEditable(r.editable);
    item->setSelectable(!r.heading);
    item->setEnabled(!r.heading);
    model_.appendRow(item);
  }
  quiet_ = false;
}

void LedgerList::setTags(const std::function<std::optional<QString>(const LedgerRow&)>& tag) {
  for (std::size_t i = 0; i < rows_.size(); ++i)
    if (const auto text = tag(rows_[i]); text && *text != rows_[i].tag) {
      rows_[i].tag = *text;
      viewport()->update(visualRect(model_.index(static_cast<int>(i), 0)));
    }
}

void LedgerList::showSelection(const std::function<bool(const LedgerRow&)>& selected) {
  quiet_ = true;
  QItemSelection selection;
  for (int i = 0; i < model_.rowCount(); ++i)
    if (selected(rows_[static_cast<std::size_t>(i)])) selection.select(model_.index(i, 0), model_.index(i, 0));
  selectionModel()->select(selection, QItemSelectionModel::ClearAndSelect);
  if (!selection.isEmpty()) scrollTo(selection.indexes().first());
  quiet_ = false;
}

std::vector<const LedgerRow*> LedgerList::chosen() const {
  std::vector<const LedgerRow*> out;
  QModelIndexList list = selectionModel()->selectedIndexes();
  std::sort(list.begin(), list.end());
  for (const QModelIndex& i : list) out.push_back(&rows_[static_cast<std::size_t>(i.data(kRow).toInt())]);
  return out;
}

}  // namespace cooperage::app
