// SPDX-License-Identifier: GPL-3.0-or-later
#include "choice_box.h"

#include <QHelpEvent>
#include <QStylePainter>
#include <QToolTip>

namespace cooperage::app {

/// What there is room for.
QString ChoiceBox::shownText(QStyleOptionComboBox& option) const {
  initStyleOption(&option);
  const QRect room = style()->subControlRect(QStyle::CC_ComboBox, &option, QStyle::SC_ComboBoxEditField, this);
  const int icon = option.currentIcon.isNull() ? 0 : option.iconSize.width() + 4;
  constexpr int kMargin = 4;
  return fontMetrics().elidedText(option.currentText, Qt::ElideRight, room.width() - icon - kMargin);
}

void ChoiceBox::paintEvent(QPaintEvent*) {
  QStylePainter painter(this);
  QStyleOptionComboBox option;
  const QString shown = shownText(option);
  painter.drawComplexControl(QStyle::CC_ComboBox, option);
  option.currentText = shown;
  painter.drawControl(QStyle::CE_ComboBoxLabel, option);
}

bool ChoiceBox::event(QEvent* event) {
  if (event->type() == QEvent::ToolTip) {
    QStyleOptionComboBox option;
    if (shownText(option) != currentText()) {
      const QString text = toolTip().isEmpty() ? currentText() : currentText() + QLatin1Char('\n') + toolTip();
      QToolTip::showText(static_cast<QHelpEvent*>(event)->globalPos(), text, this);
      return true;
    }
  }
  return QComboBox::event(event);
}

}  // namespace cooperage::app
