// SPDX-License-Identifier: GPL-3.0-or-later
#include "actions.h"

#include <QWidget>

#include "../theme.h"

namespace cooperage::app {

Actions::Actions(QWidget* window) : QObject(window), window_(window) {}

QAction* Actions::add(const QString& id, const QString& text, const QKeySequence& key, std::function<void()> run,
                      const QString& iconName) {
  auto* a = new QAction(text, this);
  a->setObjectName(id);
  if (!key.isEmpty()) a->setShortcut(key);
  if (!iconName.isEmpty()) a->setIcon(icon(iconName));
  const QString plain = QString(text).remove('&');
  a->setToolTip(key.isEmpty() ? plain : QStringLiteral("%1 (%2)").arg(plain, key.toString(QKeySequence::NativeText)));
  connect(a, &QAction::triggered, this, [run] { run(); });
  window_->addAction(a);
  actions_.push_back(a);
  return a;
}

QAction* Actions::find(const QString& id) const {
  for (QAction* a : actions_)
    if (a->objectName() == id) return a;
  return nullptr;
}

}  // namespace cooperage::app
