// SPDX-License-Identifier: GPL-3.0-or-later
#include "shrinking_label.h"

#include <QHelpEvent>
#include <QPainter>
#include <QStyle>
#include <QStyleOption>
#include <QToolTip>

namespace cooperage::app {

QString ShrinkingLabel::shownText() const {
  QStringList parts = text().split(separator());
  const QFontMetrics metrics = fontMetrics();
  while (parts.size() > 1 && metrics.horizontalAdvance(parts.join(separator())) > contentsRect().width())
    parts.removeFirst();
  return metrics.elidedText(parts.join(separator()), Qt::ElideRight, contentsRect().width());
}

void ShrinkingLabel::paintEvent(QPaintEvent*) {
  QPainter p(this);
  QStyleOption option;
  option.initFrom(this);
  style()->drawItemText(&p, contentsRect(), static_cast<int>(alignment()), option.palette, isEnabled(), shownText(),
                        QPalette::WindowText);
}

bool ShrinkingLabel::event(QEvent* event) {
  if (event->type() == QEvent::ToolTip && toolTip().isEmpty() && shownText() != text()) {
    QToolTip::showText(static_cast<QHelpEvent*>(event)->globalPos(), text(), this);
    return true;
  }
  return QLabel::event(event);
}

}  // namespace cooperage::app
