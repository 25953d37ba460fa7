// SPDX-License-Identifier: GPL-3.0-or-later
#include "search.h"

#include <QKeyEvent>
#include <QLineEdit>
#include <QVBoxLayout>

#include "../theme.h"

namespace cooperage::app {

Search::Search(Workbench& bench, Actions& actions, QWidget* parent) : QFrame(parent), bench_(bench), actions_(actions) {
  setObjectName(QStringLiteral("search"));
  dress(this, QStringLiteral("#search { background: @panel; border: 1px solid @line; border-radius: 8px; }"));
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(8, 8, 8, 8);
  edit_ = new QLineEdit;
  edit_->setObjectName(QStringLiteral("search text"));
  edit_->setPlaceholderText(tr("Find a command or an object"));
  list_ = new QListWidget;
  list_->setFrameShape(QFrame::NoFrame);
  dress(list_,
        QStringLiteral("QListWidget { background: transparent; } QListWidget::item { padding: 5px 6px; "
                       "border-radius: 4px; } QListWidget::item:selected { background: @tint; color: @accent; }"));
  column->addWidget(edit_);
  column->addWidget(list_);
  edit_->installEventFilter(this);
  connect(edit_, &QLineEdit::textChanged, this, &Search::filter);
  connect(list_, &QListWidget::itemActivated, this, &Search::take);
  connect(list_, &QListWidget::itemClicked, this, &Search::take);
  hide();
}

void Search::popUp() {
  resize(420, 340);
  move((parentWidget()->width() - width()) / 2, 40);
  edit_->clear();
  filter({});
  show();
  raise();
  edit_->setFocus();
}

void Search::filter(const QString& text) {
  list_->clear();
  const auto fits = [&](const QString& s) {
    for (const QString& word : text.split(' ', Qt::SkipEmptyParts))
      if (!s.contains(word, Qt::CaseInsensitive)) return false;
    return true;
  };
  for (QAction* a : actions_.all()) {
    const QString name = QString(a->text()).remove('&');
    if (!a->isEnabled() || !fits(name + QLatin1Char(' ') + a->property(kWords).toString())) continue;
    const QString key = a->shortcut().toString(QKeySequence::NativeText);
    auto* item = new QListWidgetItem(key.isEmpty() ? name : name + QStringLiteral("    ") + key, list_);
    item->setData(Qt::UserRole, a->objectName());
  }
  const auto& m = *bench_.document().mechanism();
  const auto object = [&](const std::string& name, model::Id id, const QString& kind) {
    const QString s = QString::fromStdString(name);
    if (text.isEmpty() || !fits(s + ' ' + kind)) return;
    auto* item = new QListWidgetItem(s + QStringLiteral("    ") + kind, list_);
    item->setData(Qt::UserRole + 1, QVariant::fromValue<qulonglong>(id));
  };
  for (const auto& l : m.links) object(l->name, l->id, tr("link"));
  for (const auto& j : m.joints) object(j->name, j->id, tr("joint"));
  for (const auto& d : m.drives) object(d->name, d->id, tr("drive"));
  for (const auto& g : m.gauges) object(g->name, g->id, tr("gauge"));
  for (const auto& p : m.parameters) object(p->name, p->id, tr("parameter"));
  for (const auto& r : m.requirements) object(r->name, r->id, tr("requirement"));
  for (const auto& r : m.runs) object(r->name, r->id, tr("run"));
  for (const auto& p : m.paths) object(p->name, p->id, tr("path"));
  for (const auto& c : m.couplings) object(c->name, c->id, tr("coupling"));
  for (const auto& c : m.camPairs) object(c->name, c->id, tr("contact"));
  for (const auto& c : m.contacts) object(c->name, c->id, tr("contact that pushes"));
  for (const auto& f : m.forces) object(f->name, f->id, tr("force"));
  for (const auto& l : m.links) {
    const QString of = tr("of %1").arg(QString::fromStdString(l->name));
    for (const auto& b : l->bodies)
      if (l->bodies.size() > 1 || b->name != l->name) object(b->name, b->id, tr("body") + ' ' + of);
    for (const auto& s : l->seats) object(s->name, s->id, tr("seat") + ' ' + of);
    for (const auto& c : l->curves) object(c->name, c->id, tr("curve") + ' ' + of);
  }
  list_->setCurrentRow(0);
}

void Search::take() {
  const auto* item = list_->currentItem();
  hide();
  if (!item) return;
  if (const auto id = item->data(Qt::UserRole + 1); id.isValid()) {
    bench_.selection().select({id.toULongLong()});
    if (const auto p = model::findById(bench_.document().mechanism()->parameters, id.toULongLong()))
      emit figureWanted(QStringLiteral("parameter ") + QString::fromStdString(p->name));
    return;
  }
  if (QAction* a = actions_.find(item->data(Qt::UserRole).toString())) a->trigger();
}

bool Search::eventFilter(QObject* watched, QEvent* event) {
  if (event->type() == QEvent::ShortcutOverride &&
      static_cast<QKeyEvent*>(event)->key() == Qt::Key_Escape) {  // before the window lets go of the selection
    event->accept();
    return true;
  }
  if (event->type() == QEvent::KeyPress) {
    const auto* key = static_cast<QKeyEvent*>(event);
    if (key->key() == Qt::Key_Escape) {
      hide();
      return true;
    }
    if (key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter) {
      take();
      return true;
    }
    if (key->key() == Qt::Key_Down || key->key() == Qt::Key_Up) {
      const int row = list_->currentRow() + (key->key() == Qt::Key_Down ? 1 : -1);
      list_->setCurrentRow(std::clamp(row, 0, std::max(0, list_->count() - 1)));
      return true;
    }
  }
  if (event->type() == QEvent::FocusOut) hide();
  return QFrame::eventFilter(watched, event);
}

}  // namespace cooperage::app
