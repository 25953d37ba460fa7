// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "../scene/float_card.h"
#include "../workbench/workbench.h"
#include "model/joint_edits.h"

class QComboBox;
class QLabel;

namespace cooperage::app {

/// What a joint allows, in words.
QString leavesOf(model::JointKind kind);
/// The kinds in the order of their keys 1 to 9, then those without a key.
const std::vector<model::JointKind>& kindsInOrder();

/// How the kinds are offered: by mark, name and key, three a row; or by mark alone, seven a row.
enum class KindButtons { named, marks };
/// A button for every kind.
/// @param finish sets what each says and does; its key is 1 to 9, or 0 if it has none
void addKindButtons(class QGridLayout& grid, KindButtons look, const QString& prefix,
                    const std::function<void(class QToolButton*, model::JointKind, int key)>& finish);

/// The card beside a pick: everything of a joint that can be chosen before it is confirmed, and again later.
class JointCard : public FloatCard {
  Q_OBJECT
 public:
  JointCard(Workbench& bench, QWidget* scene);

  /// What it shows. The maker fills it from a draft or from a joint.
  struct Content {
    QString title;
    model::JointKind kind = model::JointKind::revolute;
    bool making = true;           ///< else it is edited later
    bool canChooseManner = true;  ///< two picks
    bool keepInPlace = true;
    bool canTurnOver = false;
    model::Field along, about, lead;
    QString leadNote;                                     ///< where the lead comes from
    double reference = 0;                                 ///< rad, of a draft
    std::vector<std::pair<model::Id, QString>> partners;  ///< of one pick: links that can be the second
    model::Id partner = 0;
    std::vector<std::pair<model::Id, QString>> movable;  ///< brought together: the links that can be moved
    model::Id moved = 0;
    std::vector<std::pair<model::Id, QString>> curves;  ///< of a point on a curve: those of the first link
    model::Id curve = 0;
    QString advice;  ///< what the faces say
    std::optional<model::JointKind> advised;
    bool moves = true;
  };
  void fill(const Content& content);

 signals:
  void kindChosen(model::JointKind kind);
  void reversed();
  void turnedOver();
  void mannerChosen(bool keepInPlace);
  void partnerChosen(model::Id link);
  void movedChosen(model::Id link);
  void curveChosen(model::Id curve);
  void referenceTyped(double angle);
  void alongTyped(const model::Field& field);
  void aboutTyped(const model::Field& field);
  void leadTyped(const model::Field& field);
  void pickAnew(int which);
  void pickReference();
  void readBetween();
  void moveToggled(bool on);

 protected:
  void keyPressEvent(QKeyEvent* e) override;

 private:
  void figure(class QFormLayout* form, const QString& label, const QString& objectName, const model::Field& field,
              const Dimension& wanted, std::function<void(const model::Field&)> typed, QWidget* beside = nullptr);
  Workbench& bench_;
  bool more_ = false;  ///< offsets and reference are open
};

}  // namespace cooperage::app
