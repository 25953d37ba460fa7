// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "../scene/float_card.h"
#include "../scene/scene.h"
#include "machine_form.h"

namespace cooperage::app {

/// Makes machine elements that mesh, between joints that are there: gears, belts, screws, cams, whole stages. What it
/// makes is in the document while its figures are typed, as one undo step; Esc takes it back.
class MachineCard : public FloatCard {
  Q_OBJECT
 public:
  MachineCard(Workbench& bench, Scene& scene);
  /// Begins with the joints (or seats, about which shafts are put) that are selected.
  void start(Machine machine);
  /// Opens the card of a gear pair that was made before.
  void editGears(model::Id coupling);
  /// Opens the card of a planetary stage that was made before.
  void editStage(model::Id coupling);
  bool isOpen() const { return open_; }
  void keep();
  void giveUp();
  /// The wrong way round: see MachineForm::flip().
  void flip();
  static QString titleOf(Machine machine);

 protected:
  void keyPressEvent(QKeyEvent* e) override;

 private:
  void begin();
  void open();
  void fill();
  void make();
  MachineStart chosen() const;
  void putShafts(MachineStart& start);
  void putBase(MachineStart& start, const MachineWants& wants);

  Workbench& bench_;
  Scene& scene_;
  Machine machine_ = Machine::spur;
  bool open_ = false, filling_ = false;
  model::MechanismPtr base_;
  std::vector<Pose> poses_;
  int before_ = 0;
  QString problem_;
  std::unique_ptr<MachineForm> form_;
};

}  // namespace cooperage::app
