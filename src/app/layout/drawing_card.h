// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "../scene/float_card.h"
#include "../scene/scene.h"

class QCheckBox;
class QLineEdit;

namespace cooperage::app {

class ChoiceBox;

/// Before a drawing comes onto sheets: its size in a unit to be confirmed, its layers, what was left out and what is
/// odd.
class DrawingCard : public FloatCard {
  Q_OBJECT
 public:
  DrawingCard(Workbench& bench, Scene& scene);
  void giveUp();

 private:
  void open();
  void fill();
  void showSize();
  void accept();
  double unit() const;
  QString findings() const;
  Workbench& bench_;
  Scene& scene_;
  QComboBox* unit_ = nullptr;
  QLabel* size_ = nullptr;
  QCheckBox *layers_ = nullptr, *annotated_ = nullptr;
  QLineEdit* merge_ = nullptr;
};

}  // namespace cooperage::app
