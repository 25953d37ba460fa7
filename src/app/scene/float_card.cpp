// SPDX-License-Identifier: GPL-3.0-or-later
#include "float_card.h"

#include <QFormLayout>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QVBoxLayout>
#include <algorithm>

#include "../card/kept_text.h"
#include "../theme.h"

namespace cooperage::app {

FloatCard::FloatCard(QWidget* scene, const QString& name) : QFrame(scene) {
  setObjectName(name);
  setProperty("float", true);
  dress(this,
        QStringLiteral("QFrame[float=\"true\"] { background: @panel; border: 1px solid @line; border-radius: 9px; }"));
  setFocusPolicy(Qt::StrongFocus);
  setAutoFillBackground(true);
  column_ = new QVBoxLayout(this);
  column_->setContentsMargins(12, 9, 12, 10);
  column_->setSpacing(6);
  title_ = new QLabel;
  title_->setFont(uiFont(9.5, QFont::DemiBold));
  column_->addWidget(title_);
  hide();
}

void FloatCard::setTitle(const QString& title) {
  title_->setText(title);
  setAccessibleName(title);
}

void FloatCard::openClearOf(const std::vector<std::pair<QRectF, double>>& seen, const QPointF& at) {
  openBeside(at);
  seen_ = seen;
  at_ = at;
  placeClear();
}

/// Its full size is known only once it is shown, and changes with its content.
void FloatCard::resizeEvent(QResizeEvent* e) {
  QFrame::resizeEvent(e);
  if (isVisible() && !seen_.empty()) placeClear();
}

void FloatCard::placeClear() {
  constexpr int kStep = 20, kEdge = 8, kTop = 44;  // pixels; the freedoms stand at the top
  const double area = static_cast<double>(width()) * height();
  double best = 1e300;
  QPoint place = pos();
  for (int x = kEdge; x + width() <= parentWidget()->width() - kEdge; x += kStep)
    for (int y = kTop; y + height() <= parentWidget()->height() - kEdge; y += kStep) {
      const QRectF here(x, y, width(), height());
      double cost = 1e-7 * QLineF(here.center(), at_).length();
      for (const auto& [rect, weight] : seen_) {
        const QRectF both = here.intersected(rect.adjusted(-kEdge, -kEdge, kEdge, kEdge));
        if (!both.isEmpty()) cost += weight * both.width() * both.height() / area;
      }
      if (cost >= best) continue;
      best = cost;
      place = {x, y};
    }
  move(place);
}

QRectF FloatCard::atSide() const {
  constexpr int kEdge = 8;
  const bool right = geometry().center().x() * 2 >= parentWidget()->width();
  return QRectF(geometry()).translated((right ? parentWidget()->width() - width() - kEdge : kEdge) - x(), 0);
}

QRectF FloatCard::dock() {
  seen_.clear();
  move(atSide().topLeft().toPoint());
  return geometry();
}

void FloatCard::openBeside(const QPointF& at) {
  show();
  raise();
  adjustSize();
  const QWidget* scene = parentWidget();
  double x = at.x() + 28, y = at.y() - height() / 2.0;
  if (x + width() > scene->width() - 10) x = at.x() - 28 - width();
  if (x < 10) x = scene->width() - 10 - width();  // no room on either side: out of the middle
  move(static_cast<int>(std::clamp(x, 10.0, std::max(10.0, scene->width() - 10.0 - width()))),
       static_cast<int>(std::clamp(y, 44.0, std::max(44.0, scene->height() - 10.0 - height()))));
  setFocus();
}

void FloatCard::fit() {
  if (isVisible())
    for (auto* w : findChildren<QWidget*>(Qt::FindDirectChildrenOnly))
      if (w->isHidden() && !w->testAttribute(Qt::WA_WState_ExplicitShowHide)) w->show();
  layout()->activate();
  adjustSize();
  // within the scene, whatever it has grown to
  if (parentWidget() && isVisible() && geometry().bottom() > parentWidget()->height() - 8)
    move(x(), std::max(8, parentWidget()->height() - 8 - height()));
}

void FloatCard::mousePressEvent(QMouseEvent*) {}  // clicks do not fall through to the scene

void FloatCard::keyPressEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_Escape) {
    emit cancelled();
    return;
  }
  if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter) {
    // Enter in a field ends the field; the next one confirms the card
    if (qobject_cast<QLineEdit*>(focusWidget()) && focusWidget()->hasFocus())
      setFocus();
    else
      emit confirmed();
    return;
  }
  QFrame::keyPressEvent(e);
}

QFormLayout* FloatCard::addForm() {
  auto* form = new QFormLayout;
  form->setHorizontalSpacing(10);
  form->setVerticalSpacing(5);
  form->setFieldGrowthPolicy(QFormLayout::AllNonFixedFieldsGrow);
  column_->addLayout(form);
  return form;
}

QHBoxLayout* FloatCard::addRow() {
  auto* row = new QHBoxLayout;
  row->setSpacing(5);
  column_->addLayout(row);
  return row;
}

QLabel* FloatCard::addText(const QString& objectName) {
  auto* l = new QLabel;
  l->setObjectName(objectName);
  l->setWordWrap(true);
  l->setFont(uiFont(8.8));
  column_->addWidget(l);
  return l;
}

QPushButton* FloatCard::addButton(QHBoxLayout* row, const QString& text, const QString& tip, const QString& objectName,
                                  std::function<void()> press) {
  auto* b = new QPushButton(text);
  b->setObjectName(objectName);
  b->setToolTip(tip);
  b->setAccessibleName(tip);
  b->setAutoDefault(false);
  b->setStyleSheet(QStringLiteral("QPushButton { padding: 3px 8px; }"));
  connect(b, &QPushButton::clicked, this, [press] { press(); });
  row->addWidget(b);
  return b;
}

void FloatCard::addEnd(const QString& confirm) {
  auto* row = addRow();
  row->addStretch(1);
  addButton(row, tr("Cancel"), tr("Take it back (Esc)"), QStringLiteral("cancel card"), [this] { emit cancelled(); });
  auto* b =
      addButton(row, confirm, confirm + tr(" (Enter)"), QStringLiteral("confirm card"), [this] { emit confirmed(); });
  b->setProperty("primary", true);
}

namespace {
void clearLayout(QLayout* layout, int keep) {
  while (layout->count() > keep) {
    QLayoutItem* item = layout->takeAt(keep);
    if (item->layout()) clearLayout(item->layout(), 0);
    if (item->widget()) {
      item->widget()->hide();  // a field in it gives what was typed
      retire(item->widget());
    }
    delete item;
  }
}
}  // namespace

QString FloatCard::focusedName() const {
  return focusWidget() && focusWidget()->hasFocus() ? focusWidget()->objectName() : QString();
}

void FloatCard::focusAgain(const QString& name) {
  if (name.isEmpty() || name == objectName()) {
    if (isVisible()) setFocus();
    return;
  }
  for (auto* w : findChildren<QWidget*>(name))
    if (!w->isHidden()) w->setFocus();
}

void FloatCard::clear() { clearLayout(column_, 1); }

}  // namespace cooperage::app
