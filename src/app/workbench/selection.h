// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <utility>
#include <vector>

#include "model/edits.h"

namespace cooperage::app {

enum class Stage { shape, join, drive, run, check, handOver };

/// What the user works at: the stage, the chosen objects, and one thing of a check that is looked at.
class Selection : public QObject {
  Q_OBJECT
 public:
  const std::vector<model::Id>& ids() const { return ids_; }
  bool isSelected(model::Id id) const;
  void select(std::vector<model::Id> ids);
  Stage stage() const { return stage_; }
  void setStage(Stage stage);

  /// Index of the interference that is looked at, or -1.
  int chosenInterference() const { return interference_; }
  /// The pair of links that is looked at, or (-1, -1). An interference and a pair are not looked at together.
  std::pair<int, int> chosenPair() const { return pair_; }
  /// These say nothing: whoever chooses tells it when all has followed.
  void focusInterference(int index);
  void focusPair(int linkA, int linkB);
  void clearFocus();

  /// Lets go of what the document does not hold any more. @return whether anything was let go; says nothing
  bool keepThoseOf(const model::Mechanism& m);
  void clear();

 signals:
  void changed();
  void stageChanged();

 private:
  std::vector<model::Id> ids_;
  Stage stage_ = Stage::shape;
  int interference_ = -1;
  std::pair<int, int> pair_{-1, -1};
};

}  // namespace cooperage::app
