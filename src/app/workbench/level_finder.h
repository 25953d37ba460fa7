// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>

#include "../jobs.h"
#include "body_shapes.h"
#include "document.h"
#include "pose_control.h"
#include "run_book.h"
#include "selection.h"

namespace cooperage::app {

/// From lines to solids: gives links plates, and finds levels on which they run past one another.
class LevelFinder : public QObject {
  Q_OBJECT
 public:
  LevelFinder(Document& document, Selection& selection, BodyShapes& shapes, Solution& solution, PoseControl& pose,
              RunBook& runs, JobRunner& jobs, Speaker& speaker);

  /// All links of lines that have no solid yet get one; of several that are chosen, those.
  void giveThickness();
  /// The least number of levels over the present run; chosen links keep theirs.
  void findLevels();
  /// Shows the levels away from one another, or back in place. Nothing is changed by it.
  void toggleSpread();

 private:
  QString wordsOf(const struct FoundLevels& found) const;
  Document& document_;
  Selection& selection_;
  BodyShapes& shapes_;
  Solution& solution_;
  PoseControl& pose_;
  RunBook& runs_;
  JobRunner& jobs_;
  Speaker& speaker_;
  bool spread_ = false;
};

}  // namespace cooperage::app
