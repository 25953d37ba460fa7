// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QElapsedTimer>
#include <QTimer>

#include "../workbench/workbench.h"
#include "float_card.h"

namespace cooperage::app {

/// What is left free, what holds more than it need, and what cures it: each cure is one click, and one undo. The
/// pointer over a freedom plays it.
class FreedomCard : public FloatCard {
  Q_OBJECT
 public:
  FreedomCard(Workbench& bench, QWidget* scene);
  void toggle();
  /// Mends a loop that stays open at home.
  void closeGap();

 protected:
  void hideEvent(QHideEvent* event) override;

 private:
  void fill();
  void listLeft(const kinematics::Mobility& mobility);
  void listRedundant(const kinematics::Mobility& mobility);
  void listLengths();
  bool eventFilter(QObject* watched, QEvent* event) override;
  void play(int freedom);
  void showMoved();
  void cure(const std::string& joint, const kinematics::Mobility::Cure& cure);
  Workbench& bench_;
  QTimer timer_;
  QElapsedTimer clock_;
  int playing_ = -1;  ///< of the freedoms left, or -1
};

/// What the lengths of planar loops of four let each link on ground do: "crank turns fully", "rocker swings from 20 to
/// 75 deg", by the values of its joint.
QStringList lengthWords(Workbench& bench);

}  // namespace cooperage::app
