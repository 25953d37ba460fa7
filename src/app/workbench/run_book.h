// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <map>
#include <memory>

#include "../jobs.h"
#include "body_shapes.h"
#include "document.h"
#include "pose_control.h"
#include "run_data.h"
#include "selection.h"
#include "solution.h"

namespace cooperage::app {

/// What runs have given: the present one with its cursor, those that it is compared with, and the one that follows each
/// change by itself. A run of an older document is stale.
class RunBook : public QObject {
  Q_OBJECT
 public:
  RunBook(Document& document, const Selection& selection, BodyShapes& shapes, Solution& solution, PoseControl& pose,
          JobRunner& jobs, Speaker& speaker);

  /// Index of the chosen run, the first one if none is chosen, -1 if there is none.
  int currentRun() const { return indexIn(solution_.resolved()); }
  int indexIn(const model::Resolved& figures) const;
  void setCurrentRun(model::Id id);
  void startRun();
  /// Computes every run; the present one is shown, the others are told in the ledger and shown when they are chosen.
  void startAllRuns();
  /// The run that is shown, or null.
  RunData* run() const { return run_.get(); }
  bool isRunStale() const { return run_ && run_->source != document_.mechanism(); }
  /// A run as it was last computed, or null; it may be older than the document.
  const RunData* resultOf(model::Id run) const;
  /// The run that curves are compared with: a pinned one, else the one before the last change.
  const RunData* before() const { return pinned_ ? pinned_.get() : before_.get(); }
  bool isPinned() const { return pinned_ != nullptr; }
  /// Keeps the present curves to compare all later ones with, or lets them go.
  void togglePin();
  /// Rows that have come so far of a run that is being computed; null if none is.
  std::shared_ptr<const PartialRun> partial() const { return partial_; }
  /// Index of a gauge's column in the table, or -1.
  int columnOf(model::Id gauge) const;
  /// More steps, so that the curves are as smooth as the motion.
  void refineRun();
  /// Mends of a travel that can't go on.
  void turnBackAtLimit();
  void moveStopAway();

  /// Runs that are done again by themselves after a change.
  JobRunner& live() { return live_; }
  bool goesOnLive() const;
  void startLive();
  /// What is asked for by hand comes first.
  void haltLive();

  /// Cursor on the run's time, s.
  double cursor() const { return cursor_; }
  /// @param show moves the picture there too
  void setCursor(double t, bool show = true);
  /// The cursor kept within the run that has come, the picture at it where people look at motion.
  void keepCursor();
  /// Values of the table row at the cursor (solved there, not interpolated).
  const std::vector<double>& cursorRow() const { return cursorRow_; }

  /// A new run takes the place of the old one, which stays to compare with.
  void take(std::shared_ptr<RunData> run, bool quiet);
  void drop();
  void clear();
  void stop() { live_.stop(); }

 signals:
  void changed();
  void cursorChanged();
  void partialChanged();
  /// Another run is looked at: what belongs to the one before is no longer shown.
  void chosen(int index);

 private:
  Document& document_;
  const Selection& selection_;
  BodyShapes& shapes_;
  Solution& solution_;
  PoseControl& pose_;
  JobRunner& jobs_;
  Speaker& speaker_;
  model::Id currentRun_ = 0;
  std::shared_ptr<RunData> run_, before_, pinned_;
  std::map<model::Id, std::shared_ptr<RunData>> results_;
  std::shared_ptr<PartialRun> partial_;
  int runGesture_ = -1;  ///< undo step that the present run belongs to
  bool liveAgain_ = false;
  double cursor_ = 0;
  std::vector<double> cursorRow_;
  JobRunner live_;  // last: it stops before what it reads goes
};

}  // namespace cooperage::app
