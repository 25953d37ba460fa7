// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "../scene/float_card.h"
#include "../scene/scene.h"
#include "shape/advice.h"

class QTreeWidget;
class QTreeWidgetItem;

namespace cooperage::app {

/// Proposes joints for all links from the faces that meet: a list to accept, change or refuse, with the freedom count
/// that follows. Nothing is made until the list is confirmed; then it is one undo step.
class Proposals : public FloatCard {
  Q_OBJECT
 public:
  Proposals(Workbench& bench, Scene& scene);
  /// Looks at the faces, off the interface thread, then opens the list.
  void start();
  void giveUp();
  struct Entry {
    model::Id a = 0, b = 0;
    shape::Advice advice;
    bool accepted = false;
    std::optional<model::JointKind> kind;
  };
  const std::vector<Entry>& entries() const { return entries_; }
  QTreeWidget* list() { return list_; }
  /// The document with all accepted joints.
  Result<model::Mechanism> withAccepted() const;

 private:
  void show();
  void count();
  void accept();
  model::Place placeOn(model::Id link, const shape::Advice& advice) const;
  Workbench& bench_;
  Scene& scene_;
  QTreeWidget* list_ = nullptr;
  class QLabel* sum_ = nullptr;
  std::vector<Entry> entries_;
  model::MechanismPtr source_;
};

}  // namespace cooperage::app
