// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <QString>
#include <QFileSystemWatcher>
#include <QTimer>
#include <QUndoStack>
#include <map>
#include <memory>
#include <optional>
#include <set>

#include "clearance/envelope.h"
#include "clearance/travel_check.h"
#include "jobs.h"
#include "kinematics/drag.h"
#include "kinematics/gauges.h"
#include "kinematics/jog.h"
#include "kinematics/train.h"
#include "model/edits.h"
#include "model/grouping.h"
#include "model/machine_edits.h"
#include "shape/refresh.h"
#include "shape/shape_store.h"

namespace cooperage::app {

enum class Stage { shape, join, drive, run, check, handOver };

/// A computed run with what it was computed from. Only the interface thread touches it once it is here.
struct RunData {
  model::MechanismPtr source;
  std::unique_ptr<kinematics::TravelRun> travel;
  std::unique_ptr<kinematics::Measurer> measurer;
  kinematics::RunResult result;
  double milliseconds = 0;
};
struct CheckData {
  model::MechanismPtr source;
  clearance::CheckResult result;
};
struct EnvelopeData {
  model::MechanismPtr source;
  model::Id link = 0;
  clearance::Envelope envelope;
};

/// Where a belt or chain runs now.
struct BeltLook {
  std::vector<Vec3> points;  ///< closed, ground axes, m
  double length = 0, pitch = 0;
  std::vector<double> wrap;  ///< rad, a wheel
};

/// The open document and all that is worked out from it: home pose, freedoms, run, check. Knows no widget. Every
/// change goes through apply(), which makes one undo step; what is computed from an older document is stale.
class Session : public QObject {
  Q_OBJECT
 public:
  explicit Session(QObject* parent = nullptr);
  ~Session() override;

  // --- document ---
  const model::MechanismPtr& mechanism() const { return mechanism_; }
  const model::Resolved& resolved() const { return *resolved_; }
  QString path() const { return path_; }
  QString title() const;
  bool isChanged() const { return !undo_.isClean(); }
  QUndoStack* undoStack() { return &undo_; }
  /// Makes the change the present document, as one undo step; refused with a message if it can't be worked out.
  /// @param merge changes with the same key that follow one another are one step (slider, knot)
  bool apply(const QString& text, const Result<model::Mechanism>& changed, int merge = 0);
  /// Ends a gesture: the next change with the same merge key is a step of its own.
  void endGesture() { ++gesture_; }
  void newDocument();
  bool open(const QString& path);
  bool save(const QString& path);
  static QStringList recentFiles();
  /// What was being edited when the program ended without being asked to; saved every ten seconds while changed.
  static bool hasAutosave();
  static void dropAutosave();
  bool recover();
  void autosave();

  // --- selection and stage ---
  const std::vector<model::Id>& selection() const { return selection_; }
  bool isSelected(model::Id id) const;
  void select(std::vector<model::Id> ids);
  Stage stage() const { return stage_; }
  void setStage(Stage stage);
  /// Index of the interference chosen in the list, or -1.
  int chosenInterference() const { return chosenInterference_; }
  void chooseInterference(int index);

  // --- geometry ---
  shape::ShapeStore& store() { return store_; }
  /// Solid of a body if it is loaded.
  shape::SolidPtr solid(model::Id body) const;
  QString bodyProblem(model::Id body) const;
  bool isLoading() const { return loader_.busy(); }
  /// Imports a geometry file: each solid a link, placements kept.
  void importFile(const QString& path);
  /// Solids of the last import, to be grouped by a rule; empty once the document has changed otherwise.
  const std::vector<model::ImportedSolid>& imported() const { return imported_; }
  void groupImported(model::LinkRule rule);
  /// Puts one part of a folder in, beside what is there, as one link; tells partInserted().
  void insertPart(const QString& path);
  /// Geometry files that have changed on disk since they were read.
  const QStringList& changedFiles() const { return changedFiles_; }
  /// Reads them anew (all files if none is known to have changed) and looks for the seats' geometry.
  void refreshGeometry();
  /// Another file in the place of a body's.
  void exchangeBody(model::Id body, const QString& path);
  /// Cuts a body in two links.
  void cutBody(model::Id body, const std::vector<model::CutTool>& tools);
  /// What was found of a broken seat's geometry, if it was looked for.
  const shape::SeatCheck* checkOf(model::Id seat) const;

  // --- machine elements ---
  std::optional<BeltLook> beltPath(model::Id coupling) const;
  /// Speeds of all members of a train per rate of the input.
  const Result<kinematics::TrainTable>& trainTable(const Symbol& input);
  const Symbol& trainInput() const { return trainInput_; }
  void setTrainInput(const Symbol& input);
  const elements::CamReport& camReport(model::Id curve, double pressureLimit);

  // --- pose ---
  const kinematics::System* system() const { return system_.get(); }
  const std::optional<kinematics::Home>& home() const { return home_; }
  QString homeProblem() const { return homeProblem_; }
  const std::optional<kinematics::Mobility>& mobility() const { return mobility_; }
  /// Poses of all links as shown: by hand, at the cursor of the run, or home.
  const std::vector<Pose>& poses() const { return poses_; }
  bool isAtHome() const { return !byHand_ && !atCursor_; }
  bool isByHand() const { return byHand_; }
  void goHome();
  bool beginDrag(model::Id link, const Vec3& grabbed);
  void dragTo(const Vec3& target);
  void endDrag(bool keep);
  bool isDragging() const { return drag_ != nullptr; }
  /// The present hand pose becomes home: joint values are written as home values.
  void takeAsHome();
  /// Places the links in the next of all ways in which the loops close with the present values of the drives.
  void nextWayToClose();
  /// Shows all other ways to close as ghosts (poses of all links); a second call, and any change, hides them.
  void toggleWays();
  const std::vector<std::vector<Pose>>& ghosts() const { return ghosts_; }
  /// Takes the n-th ghost as home.
  void takeWay(int ghost);
  /// Moves one joint value by hand, with no drive or run. @return false if it is no single freedom
  bool beginJog(model::Id joint, int value);
  /// @return the value reached
  double jogTo(double value);
  bool isJogging() const { return jog_ != nullptr; }
  void endJog();
  /// Plays the whole mechanism from one joint value, on and on: a turn goes round, and what meets an end turns back.
  /// Once more stops it; so does everything else that changes the pose.
  void togglePlayJoint(model::Id joint, int value);
  bool isPlayingJoint() const { return playJoint_.isActive(); }
  /// Shows poses for a moment, as a joint that moves by itself does; they are no pose of the mechanism.
  void showPoses(const std::vector<Pose>& poses);
  /// Back to what it was before showPoses().
  void restorePoses();

  // --- run, check, envelope ---
  JobRunner& jobs() { return jobs_; }
  int currentRun() const;
  void setCurrentRun(model::Id id);
  void startRun();
  void startCheck();
  void startEnvelope(model::Id link, double clearance, double accuracy);
  RunData* run() const { return run_.get(); }
  bool isRunStale() const { return run_ && run_->source != mechanism_; }
  const CheckData* check() const { return check_.get(); }
  bool isCheckStale() const { return check_ && check_->source != mechanism_; }
  const EnvelopeData* envelope() const { return envelope_.get(); }
  void clearEnvelope();
  /// Cursor on the run's time, s.
  double cursor() const { return cursor_; }
  /// @param show moves the picture there too
  void setCursor(double t, bool show = true);
  /// Values of the table row at the cursor (solved there, not interpolated).
  const std::vector<double>& cursorRow() const { return cursorRow_; }

  /// Says something to the user; errors stay until the next action.
  void say(const QString& text, bool error = false) { emit said(text, error); }

 signals:
  void documentChanged();
  void fileChanged();
  void selectionChanged();
  void stageChanged();
  void geometryChanged();
  void posesChanged();
  void partInserted(model::Id link);
  void ghostsChanged();
  void resultsChanged();
  void cursorChanged();
  void said(const QString& text, bool error);

 private:
  friend class DocumentCommand;
  void setMechanism(model::MechanismPtr mechanism);
  void workOut();
  void showHome();
  void loadGeometry();
  void takeSolids();
  Result<model::Mechanism> withSeatsOfElements(const model::Mechanism& m, const model::Resolved& r);
  std::vector<kinematics::Configuration> waysInOrder(std::size_t& now);
  void stepPlayJoint();
  void takeConfiguration(const kinematics::Configuration& c);
  kinematics::Configuration presentConfiguration();
  QString relativeFile(const QString& path) const;
  void checkSeats(const std::vector<model::Id>& bodies, const QString& why);
  void watchFiles();
  void remember(const QString& path);

  model::MechanismPtr mechanism_;
  std::unique_ptr<model::Resolved> resolved_;
  QUndoStack undo_;
  QString path_;
  std::vector<model::Id> selection_;
  Stage stage_ = Stage::shape;
  int chosenInterference_ = -1;
  shape::ShapeStore store_;
  clearance::GeometryCache geometryCache_;
  std::map<model::Id, shape::SolidPtr> solids_;
  std::map<model::Id, QString> bodyProblems_;
  std::unique_ptr<kinematics::System> system_;
  std::optional<kinematics::Home> home_;
  QString homeProblem_;
  std::optional<kinematics::Mobility> mobility_;
  std::vector<Pose> poses_;
  bool byHand_ = false, atCursor_ = false;
  std::unique_ptr<kinematics::Drag> drag_;
  kinematics::Configuration handPose_, poseBeforeDrag_;
  bool handBeforeDrag_ = false;
  model::Id currentRun_ = 0;
  std::unique_ptr<RunData> run_;
  std::unique_ptr<CheckData> check_;
  std::unique_ptr<EnvelopeData> envelope_;
  int gesture_ = 0;
  std::vector<model::ImportedSolid> imported_;
  QString importedName_;
  QStringList changedFiles_;
  QFileSystemWatcher watcher_;
  QTimer watchDelay_;
  std::map<model::Id, shape::SeatCheck> checks_;
  std::vector<std::vector<Pose>> ghosts_;
  std::vector<kinematics::Configuration> ways_;
  std::unique_ptr<kinematics::Jog> jog_;
  QTimer playJoint_;
  double playStep_ = 0;
  Symbol trainInput_{}, trainFor_{};
  model::MechanismPtr trainOf_, camOf_;
  std::unique_ptr<Result<kinematics::TrainTable>> train_;
  model::Id camFor_ = 0;
  elements::CamReport camReport_;
  double cursor_ = 0;
  std::vector<double> cursorRow_;
  QTimer autosave_;
  JobRunner loader_, jobs_;  // last: they stop before what they read goes
};

}  // namespace cooperage::app
