// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "../scene/float_card.h"
#include "../scene/scene.h"

class QCheckBox;
class QLineEdit;

namespace cooperage::app {

class ChoiceBox;

/// Before another mechanism is put in: its name here, by which seat it is placed on which, whether it is turned over
/// and refreshed from its file.
class ReuseCard : public FloatCard {
  Q_OBJECT
 public:
  ReuseCard(Workbench& bench, Scene& scene);
  void giveUp();

 signals:
  /// It is in, on a place that is to be picked now.
  void placeWanted(model::Id joint);

 private:
  void open();
  void accept();
  Workbench& bench_;
  Scene& scene_;
  QLineEdit* name_ = nullptr;
  ChoiceBox *seat_ = nullptr, *onto_ = nullptr;
  QCheckBox *mirrored_ = nullptr, *linked_ = nullptr;
};

}  // namespace cooperage::app
