// SPDX-License-Identifier: GPL-3.0-or-later
#include "input_manners.h"

#include <QAbstractSlider>
#include <QAbstractSpinBox>
#include <QApplication>
#include <QComboBox>
#include <QKeyEvent>
#include <QLineEdit>
#include <QScrollBar>

#include "card/kept_text.h"

namespace cooperage::app {
namespace {

/// Does the wheel change what a widget holds?
bool turnsByWheel(const QObject* o) {
  return qobject_cast<const QComboBox*>(o) || qobject_cast<const QAbstractSpinBox*>(o) ||
         (qobject_cast<const QAbstractSlider*>(o) && !qobject_cast<const QScrollBar*>(o));
}

/// Is it a field of the card of the selection?
bool inCard(const QWidget* w) {
  for (; w; w = w->parentWidget())
    if (w->objectName() == QLatin1String("card")) return true;
  return false;
}

}  // namespace

InputManners::InputManners(QWidget* home, QObject* parent) : QObject(parent), home_(home) {
  qApp->installEventFilter(this);
  connect(qApp, &QApplication::focusChanged, this, &InputManners::focusMoved);
}

bool InputManners::eventFilter(QObject* watched, QEvent* event) {
  switch (event->type()) {
    case QEvent::Polish:
      // by default a turn of the wheel would give them the focus, too
      if (auto* w = turnsByWheel(watched) ? qobject_cast<QWidget*>(watched) : nullptr;
          w && w->focusPolicy() == Qt::WheelFocus)
        w->setFocusPolicy(Qt::StrongFocus);
      break;
    case QEvent::Wheel:
      if (auto* w = turnsByWheel(watched) ? qobject_cast<QWidget*>(watched) : nullptr; w && !w->hasFocus()) {
        event->ignore();  // goes on to what lies behind
        return true;
      }
      break;
    case QEvent::ShortcutOverride:
      // an open drop-down has the keys for itself: Escape closes it and nothing else
      if (QApplication::activePopupWidget()) {
        event->accept();
        return true;
      }
      if (const auto* edit = qobject_cast<QLineEdit*>(watched)) {
        const auto* key = static_cast<QKeyEvent*>(event);
        const bool ofText = key->matches(QKeySequence::Undo) || key->matches(QKeySequence::Redo);
        if (ofText && !edit->isModified()) {
          event->ignore();
          return true;  // the window's own undo comes
        }
        if (key->key() == Qt::Key_Escape && edit->isModified() && inCard(edit)) {
          event->accept();
          return true;  // it comes as a key, see below
        }
      }
      break;
    case QEvent::FocusIn:
      if (auto* edit = qobject_cast<QLineEdit*>(watched); edit && !edit->isModified())
        edit->setProperty(kGiven, edit->text());
      break;
    case QEvent::KeyPress:
      if (auto* edit = qobject_cast<QLineEdit*>(watched);
          edit && static_cast<QKeyEvent*>(event)->key() == Qt::Key_Escape && edit->isModified() && inCard(edit)) {
        const QString given = edit->property(kGiven).toString();
        edit->setText(given);  // what was typed is taken back; the selection stays
        edit->setModified(false);
        emit edit->textEdited(given);
        return true;
      }
      break;
    default: break;
  }
  return QObject::eventFilter(watched, event);
}

void InputManners::focusMoved(QWidget* old, QWidget* now) {
  if (!old || !now || !home_ || !qobject_cast<QLineEdit*>(now)) return;
  // the one that had it is being hidden with what holds it: nobody asked for the field that is next in the chain
  for (const QWidget* w = old; w && !w->isWindow(); w = w->parentWidget())
    if (w->isHidden()) {
      home_->setFocus(Qt::OtherFocusReason);
      return;
    }
}

}  // namespace cooperage::app
