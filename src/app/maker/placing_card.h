// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "../scene/float_card.h"
#include "../scene/scene.h"

namespace cooperage::app {

/// Follows a part that was put in until it is confirmed: quarter turns, shifts, the next free spot.
class PlacingCard : public FloatCard {
  Q_OBJECT
 public:
  PlacingCard(Workbench& bench, Scene& scene);
  void place(model::Id link);
  bool isPlacing() const { return link_ != 0; }
  /// Keeps the part where it is.
  void keep();
  /// Takes the part out again.
  void giveUp();
  /// To the next place where it meets nothing.
  void nextSpot();

 protected:
  void keyPressEvent(QKeyEvent* e) override;

 private:
  void fill();
  void quarterTurn(int axis);
  void change(const Pose& pose);
  Pose present() const;
  Workbench& bench_;
  Scene& scene_;
  model::Id link_ = 0;
  int before_ = 0;
};

}  // namespace cooperage::app
