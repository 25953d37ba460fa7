// SPDX-License-Identifier: GPL-3.0-or-later
#include "stage_panel.h"

#include <QHBoxLayout>
#include <QLineEdit>
#include <QPushButton>

namespace cooperage::app {

StagePanel::StagePanel(Workbench& bench, const QString& title, QWidget* parent) : QWidget(parent), bench_(bench) {
  column_ = new QVBoxLayout(this);
  column_->setContentsMargins(0, 0, 0, 0);
  column_->setSpacing(0);
  auto* head = new QHBoxLayout;
  head->setContentsMargins(12, 11, 12, 7);
  title_ = new QLabel(title);
  title_->setProperty("heading", true);
  subtitle_ = new QLabel;
  subtitle_->setProperty("mute", true);
  subtitle_->setFont(uiFont(8.5));
  head->addWidget(title_);
  head->addStretch(1);
  head->addWidget(subtitle_);
  column_->addLayout(head);
  list_ = new LedgerList;
  list_->setAccessibleName(tr("Ledger of stage %1").arg(title));
  column_->addWidget(list_, 1);
  hint_ = new QLabel;
  hint_->setObjectName(QStringLiteral("hint"));
  hint_->setWordWrap(true);
  hint_->setTextFormat(Qt::RichText);
  hint_->setTextInteractionFlags(Qt::LinksAccessibleByMouse | Qt::LinksAccessibleByKeyboard);
  auto* frame = new QVBoxLayout;
  frame->setContentsMargins(10, 6, 10, 10);
  frame->addWidget(hint_);
  column_->addLayout(frame);
  connect(&themeWatch(), &ThemeWatch::changed, this, &StagePanel::refresh);
  connect(list_, &LedgerList::chosenChanged, this, [this] { rowsChosen(list_->chosen()); });
  connect(list_, &LedgerList::draggedOut, this, &StagePanel::linkDragged);
  connect(list_, &LedgerList::dragEnded, this, &StagePanel::linkDragEnded);
  connect(list_, &LedgerList::renamed, this, [this](model::Id id, const QString& name) {
    if (!bench_.document().apply(tr("Rename"),
                                 model::renamed(*bench_.document().mechanism(), id, name.trimmed().toStdString())))
      refresh();
  });
  connect(hint_, &QLabel::linkActivated, this, [this](const QString& link) { followHint(link); });
  const auto later = [this] { refreshWhenSeen(); };
  connect(&bench_.document(), &Document::changed, this, later);
  connect(&bench_.solution(), &Solution::changed, this, later);
  connect(&bench_, &Workbench::resultsChanged, this, later);
  connect(&bench_.selection(), &Selection::changed, this, [this] {
    list_->showSelection([this](const LedgerRow& r) { return rowSelected(r); });
    refreshHint();
    afterRefresh();
  });
}

void StagePanel::addFilter() {
  filter_ = new QLineEdit;
  filter_->setObjectName(QStringLiteral("filter"));
  filter_->setPlaceholderText(tr("Filter (Ctrl+F)"));
  filter_->setAccessibleName(tr("Filter the ledger"));
  filter_->setClearButtonEnabled(true);
  auto* row = new QWidget;
  auto* line = new QHBoxLayout(row);
  line->setContentsMargins(10, 0, 10, 4);
  line->addWidget(filter_);
  insertAbove(row);
  connect(filter_, &QLineEdit::textChanged, this, &StagePanel::refresh);
}

/// A ledger that nobody sees is made when it is seen.
void StagePanel::refreshWhenSeen() {
  if (isVisible())
    refresh();
  else
    stale_ = true;
}

void StagePanel::showEvent(QShowEvent* event) {
  if (stale_) refresh();
  QWidget::showEvent(event);
}

void StagePanel::refresh() {
  stale_ = false;
  std::vector<LedgerRow> all = rows();
  if (filter_ && !filter_->text().trimmed().isEmpty()) {
    const QStringList words = filter_->text().split(' ', Qt::SkipEmptyParts);
    all.erase(std::remove_if(all.begin(), all.end(),
                             [&](const LedgerRow& r) {
                               const QString text = r.title + ' ' + r.detail + ' ' + r.tag;
                               return r.heading || !std::all_of(words.begin(), words.end(), [&](const QString& w) {
                                        return text.contains(w, Qt::CaseInsensitive);
                                      });
                             }),
              all.end());
  }
  list_->setRows(all);
  list_->showSelection([this](const LedgerRow& r) { return rowSelected(r); });
  subtitle_->setText(subtitle());
  refreshHint();
  afterRefresh();
}

void StagePanel::refreshHint() {
  const QString text = hint();
  hint_->setVisible(!text.isEmpty());
  const Theme& t = theme();
  hint_->setStyleSheet(
      QStringLiteral(
          "QLabel { border: 1px dashed %1; border-radius: 8px; padding: 8px 10px; background: %2; color: %3; }")
          .arg(t.accent.name(), t.accentTint.name(), t.dark ? t.ink.name() : QStringLiteral("#0c4f4f")));
  QString rich = text;
  rich.replace(QStringLiteral("<a "), QStringLiteral("<a style='color:%1' ").arg(t.accent.name()));
  hint_->setText(text.isEmpty() ? QString() : tr("<b>Next</b> ") + rich);
}

void StagePanel::rowsChosen(const std::vector<const LedgerRow*>& rows) {
  std::vector<model::Id> ids;
  for (const auto* r : rows)
    if (r->id) ids.push_back(r->id);
  bench_.selection().select(ids);
}

QPushButton* StagePanel::tool(const QString& iconName, const QString& text, const QString& tip,
                              const QString& objectName, std::function<void()> press) {
  auto* b = new QPushButton(text);
  if (!iconName.isEmpty()) dressIcon(b, iconName);
  if (text.isEmpty()) {
    b->setFixedWidth(30);
    b->setStyleSheet(QStringLiteral("QPushButton { padding: 4px 0; }"));
  } else {
    b->setStyleSheet(QStringLiteral("QPushButton { padding: 4px 8px; }"));
  }
  b->setToolTip(tip);
  b->setAccessibleName(tip);
  b->setObjectName(objectName);
  connect(b, &QPushButton::clicked, this, [press] { press(); });
  return b;
}

LedgerRow StagePanel::linkRow(const model::Link& link, int index) const {
  LedgerRow r;
  r.id = link.id;
  r.isLink = true;
  r.title = QString::fromStdString(link.name);
  r.faded = link.hidden;
  r.editable = true;
  if (link.ground) {
    r.icon = QStringLiteral("app/ground");
    return r;
  }
  const auto body = link.bodies.empty() ? nullptr : link.bodies.front();
  const auto solid = body ? bench_.shapes().solid(body->id) : nullptr;
  const auto c = link.colour            ? link.colour
                 : body && body->colour ? body->colour
                 : solid                ? solid->colour
                                        : std::optional<model::Colour>();
  r.patch = c ? QColor::fromRgbF(static_cast<float>(c->r), static_cast<float>(c->g), static_cast<float>(c->b))
              : linkColour(index);
  return r;
}

void StagePanel::toolRow(const std::vector<QWidget*>& widgets) {
  auto* row = new QHBoxLayout;
  row->setContentsMargins(10, 2, 10, 6);
  row->setSpacing(5);
  for (QWidget* w : widgets) row->addWidget(w);
  row->addStretch(1);
  column_->insertLayout(tools_++, row);
}

}  // namespace cooperage::app
