// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QFrame>
#include <QListWidget>

#include "../workbench/workbench.h"
#include "actions.h"

class QLineEdit;

namespace cooperage::app {

/// Finds commands and objects by part of their name, and runs or selects them.
class Search : public QFrame {
  Q_OBJECT
 public:
  Search(Workbench& bench, Actions& actions, QWidget* parent);
  void popUp();

 signals:
  /// A field of the card, by its name, should have the cursor.
  void figureWanted(const QString& name);

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  void filter(const QString& text);
  void take();
  Workbench& bench_;
  Actions& actions_;
  QLineEdit* edit_;
  QListWidget* list_;
};

}  // namespace cooperage::app
