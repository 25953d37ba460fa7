// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "../scene/float_card.h"
#include "../scene/scene.h"
#include "model/machine_edits.h"

class QFormLayout;

namespace cooperage::app {

/// Makes machine elements that mesh, between joints that are there: gears, belts, screws, cams, whole stages. What it
/// makes is in the document while its figures are typed, as one undo step; Esc takes it back.
class MachineCard : public FloatCard {
  Q_OBJECT
 public:
  enum class What { spur, ring, bevel, crossed, worm, rack, belt, chain, screw, cam, planetary, differential };
  MachineCard(Workbench& bench, Scene& scene);
  /// Begins with the joints (or seats, about which shafts are put) that are selected.
  void start(What what);
  /// Opens the card of a gear pair that was made before.
  void editGears(model::Id coupling);
  bool isOpen() const { return open_; }
  void keep();
  void giveUp();
  /// The wrong way round: turns the sense of the coupling, or the hand of a swinging follower.
  void flip();
  static QString titleOf(What what);

 protected:
  void keyPressEvent(QKeyEvent* e) override;

 private:
  void begin(What what);
  void fill();
  void make();
  void fillGears();
  void fillBelt();
  void fillScrew();
  void fillCam();
  void fillStage();
  void fillDifferential();
  QString gearWords() const;
  Result<model::Mechanism> made();
  Result<model::Mechanism> madeGears() const;
  bool gears() const { return what_ <= What::rack; }
  void number(QFormLayout* form, const QString& label, const QString& name, model::Field& field,
              const Dimension& wanted);
  void whole(QFormLayout* form, const QString& label, const QString& name, int& value);
  /// @param values which joints are offered: "turn", "slide", or "" for both
  void joint(QFormLayout* form, const QString& label, const QString& name, model::Id& id, const char* values);
  void choice(QFormLayout* form, const QString& label, const QString& name,
              const std::vector<std::pair<QString, QString>>& items, const QString& now,
              std::function<void(const QString&)> chosen);
  void box(QFormLayout* form, const QString& label, const QString& name, bool now, std::function<void(bool)> chosen);
  bool hasValue(const model::Joint& j, const char* value) const;

  Workbench& bench_;
  Scene& scene_;
  What what_ = What::spur;
  bool open_ = false, filling_ = false;
  model::MechanismPtr base_;
  std::vector<Pose> poses_;
  int before_ = 0;
  QString problem_;
  model::GearDraft gear_;
  model::BeltDraft belt_;
  model::ScrewDraft screw_;
  model::CamDraft cam_;
  model::PlanetaryDraft stage_;
  model::DifferentialDraft differential_;
};

}  // namespace cooperage::app
