// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "../scene/float_card.h"
#include "../scene/scene.h"

namespace cooperage::app {

/// After an import of several solids: which of them move as one. What fasteners hold together, or each sub-assembly, is
/// offered first; other ways, a box and the ledger's list are a click away. Enter takes the links as they are listed,
/// grounds one of them and goes on to the proposed joints; all of it is one undo step with the import.
class GroupCard : public FloatCard {
  Q_OBJECT
 public:
  GroupCard(Workbench& bench, Scene& scene);
  void giveUp();

 signals:
  /// Links are grouped: joints come next.
  void grouped();

 private:
  enum class Way { fasteners, assemblies, solids, one, own };
  void start();
  void take(Way way);
  void fill();
  void addWays();
  void addLinks();
  void addGround();
  void merge();
  void accept();
  std::vector<model::Id> chosenBodies() const;
  QStringList reasonsOf(const model::Link& link) const;

  Workbench& bench_;
  Scene& scene_;
  Way way_ = Way::solids;
  model::Id ground_ = 0;
  class QPushButton* merge_ = nullptr;
};

}  // namespace cooperage::app
