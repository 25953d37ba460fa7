// SPDX-License-Identifier: GPL-3.0-or-later
#include "kept_text.h"

#include <QApplication>
#include <QLineEdit>
#include <QWidget>

namespace cooperage::app {
namespace {

/// Calls for all named fields of a form in order, with which of that name each is.
template <class Each>
void forFields(QWidget* form, const Each& each) {
  QHash<QString, int> seen;
  for (QWidget* w : form->findChildren<QWidget*>())
    if (!w->objectName().isEmpty()) each(w, seen[w->objectName()]++);
}

}  // namespace

void retire(QWidget* form) {
  if (!form) return;
  for (QWidget* w : form->findChildren<QWidget*>()) w->blockSignals(true);
  form->blockSignals(true);
  form->hide();
  form->deleteLater();
}

KeptText::KeptText(QWidget* form) {
  if (!form) return;
  QWidget* focus = QApplication::focusWidget();
  forFields(form, [&](QWidget* w, int which) {
    const auto* edit = qobject_cast<QLineEdit*>(w);
    if (edit && edit->isModified()) typed_[{w->objectName(), which}] = {edit->text(), edit->cursorPosition()};
    if (w != focus) return;
    focused_ = true;
    focus_ = w->objectName();
    which_ = which;
    if (!edit) return;
    all_ = edit->hasSelectedText() && edit->selectedText() == edit->text();
    selectionStart_ = edit->selectionStart();
    selectionLength_ = edit->selectionLength();
    cursor_ = edit->cursorPosition();
  });
}

void KeptText::putInto(QWidget* form, bool text) const {
  forFields(form, [&](QWidget* w, int which) {
    auto* edit = qobject_cast<QLineEdit*>(w);
    const auto typed = typed_.constFind({w->objectName(), which});
    const bool restored = text && edit && typed != typed_.constEnd();
    if (restored) {
      edit->setProperty(kGiven, edit->text());
      edit->setText(typed->text);
      edit->setModified(true);
      emit edit->textEdited(typed->text);  // shows the value, or what is wrong with it
      edit->setCursorPosition(typed->cursor);
    }
    if (!focused_ || w->objectName() != focus_ || which != which_) return;
    w->setFocus(Qt::OtherFocusReason);
    if (!edit) return;
    if (all_)
      edit->selectAll();
    else if (restored && selectionLength_ > 0)
      edit->setSelection(selectionStart_, selectionLength_);
    else if (restored)
      edit->setCursorPosition(cursor_);
  });
}

}  // namespace cooperage::app
