// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "../workbench/workbench.h"
#include "float_card.h"

namespace cooperage::app {

/// What is left free, what holds more than it need, and what cures it: each cure is one click, and one undo.
class FreedomCard : public FloatCard {
  Q_OBJECT
 public:
  FreedomCard(Workbench& bench, QWidget* scene);
  void toggle();

 private:
  void fill();
  void listLeft(const kinematics::Mobility& mobility);
  void listRedundant(const kinematics::Mobility& mobility);
  void cure(const std::string& joint, const kinematics::Mobility::Cure& cure);
  Workbench& bench_;
};

}  // namespace cooperage::app
