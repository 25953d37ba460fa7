// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QFrame>

#include "maker.h"

class QLabel;
class QToolButton;

namespace cooperage::app {

/// Over the scene while something is picked: what is asked for next, which places answer, and how a place is made.
class PickBar : public QFrame {
  Q_OBJECT
 public:
  PickBar(Maker& maker, Scene& scene);
  void toggleKeep();
  void toggleIsolated();

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  QToolButton* button(class QHBoxLayout* row, const QString& text, const QString& tip, const QString& objectName);
  void refresh();
  void place();
  Maker& maker_;
  Scene& scene_;
  QLabel* prompt_;
  QToolButton *axes_, *planes_, *points_, *keep_, *middle_, *three_, *direction_;
};

}  // namespace cooperage::app
