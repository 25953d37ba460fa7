// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <QString>

namespace cooperage::app {

/// Says something to the user; errors stay until the next action.
class Speaker : public QObject {
  Q_OBJECT
 public:
  void say(const QString& text, bool error = false) { emit said(text, error); }

 signals:
  void said(const QString& text, bool error);
};

}  // namespace cooperage::app
