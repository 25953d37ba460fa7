// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "check_book.h"
#include "document.h"
#include "exchange.h"
#include "importer.h"
#include "level_finder.h"
#include "machine_figures.h"
#include "pose_control.h"
#include "reuser.h"
#include "run_book.h"
#include "selection.h"
#include "solution.h"
#include "speaker.h"

namespace cooperage::app {

/// The open document and all that is worked out from it. Makes the rooms, and says in which order a change goes through
/// them; what is in a room belongs to its class. Knows no widget.
class Workbench : public QObject {
  Q_OBJECT
 public:
  Workbench();
  ~Workbench() override;

  Document& document() { return document_; }
  Selection& selection() { return selection_; }
  BodyShapes& shapes() { return shapes_; }
  Solution& solution() { return solution_; }
  PoseControl& pose() { return pose_; }
  RunBook& runs() { return runs_; }
  CheckBook& checks() { return checks_; }
  Importer& importer() { return importer_; }
  MachineFigures& machine() { return machine_; }
  LevelFinder& levels() { return levels_; }
  Exchange& exchange() { return exchange_; }
  Reuser& reuser() { return reuser_; }
  Speaker& speaker() { return speaker_; }
  JobRunner& jobs() { return jobs_; }
  const Document& document() const { return document_; }
  const Selection& selection() const { return selection_; }
  const Solution& solution() const { return solution_; }
  const BodyShapes& shapes() const { return shapes_; }
  const PoseControl& pose() const { return pose_; }
  const RunBook& runs() const { return runs_; }
  const CheckBook& checks() const { return checks_; }
  const MachineFigures& machine() const { return machine_; }

  void say(const QString& text, bool error = false) { speaker_.say(text, error); }
  /// True while the present curves or the check are those before a change that is being computed.
  bool isPending() { return runs_.live().busy() || checks_.isWaiting(); }
  /// Nothing is being worked out that was not asked for by hand, either.
  bool isSettled() const {
    return !jobs_.busy() && !shapes_.isLoading() && !solution_.isMaking() && !solution_.isLooking();
  }

 signals:
  /// Runs, checks or what was found beside them.
  void resultsChanged();

 private:
  void follow(model::Resolved figures);
  void showFollowed(bool last);
  void takeSolids();
  void clear();

  Speaker speaker_;
  Document document_;
  Selection selection_;
  BodyShapes shapes_;
  Solution solution_;
  PoseControl pose_;
  JobRunner jobs_;
  RunBook runs_;
  CheckBook checks_;
  Importer importer_;
  MachineFigures machine_;
  LevelFinder levels_;
  Exchange exchange_;
  Reuser reuser_;
  bool cleared_ = false;
};

}  // namespace cooperage::app
