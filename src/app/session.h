// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <QString>
#include <QFileSystemWatcher>
#include <QTimer>
#include <QUndoStack>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <set>

#include "clearance/common_volume.h"
#include "clearance/envelope_check.h"
#include "clearance/free_range.h"
#include "clearance/pose_check.h"
#include "clearance/pair_memory.h"
#include "jobs.h"
#include "kinematics/drag.h"
#include "kinematics/gauges.h"
#include "kinematics/jog.h"
#include "kinematics/readings.h"
#include "kinematics/step_check.h"
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
  model::Id id = 0;  ///< of the run
  std::unique_ptr<kinematics::TravelRun> travel;
  std::unique_ptr<kinematics::Measurer> measurer;
  kinematics::RunResult result;
  double milliseconds = 0;  ///< of the travel alone
  double wholeTime = 0;     ///< of all that was worked out, ms: short ones are done again by themselves
  kinematics::StepCheck steps;  ///< whether they are fine enough
  /// Extremes between the steps, of gauges that were asked for.
  mutable std::map<model::Id, std::pair<kinematics::Extreme, kinematics::Extreme>> ranges;
  std::vector<kinematics::PointPath> paths;  ///< one a path of the document
  std::vector<std::vector<Pose>> ghosts;     ///< poses of all links
  std::vector<Pose> nearest;                 ///< where it can't go on: the nearest pose, one joint open
  std::vector<kinematics::RequirementResult> requirements;
};

/// Rows of a run that is being computed, as they come.
class PartialRun {
 public:
  PartialRun(std::vector<kinematics::Column> columns, double from, double to)
      : columns_(std::move(columns)), from_(from), to_(to) {}
  void add(const std::vector<double>& row, double axis) {
    const std::lock_guard<std::mutex> lock(mutex_);
    rows_.push_back(row);
    axis_.push_back(axis);
  }
  /// Samples of a column so far.
  kinematics::Samples samples(const std::string& column) const;
  /// The run's travel axis from end to end.
  double from() const { return from_; }
  double to() const { return to_; }

 private:
  const std::vector<kinematics::Column> columns_;
  const double from_, to_;
  mutable std::mutex mutex_;
  std::vector<std::vector<double>> rows_;
  std::vector<double> axis_;
};
struct CheckData {
  model::MechanismPtr source;
  clearance::CheckResult result;
};
/// What is to be swept.
struct EnvelopeAsk {
  std::vector<model::Id> links;
  model::Id in = 0;                ///< link in whose axes, 0: ground
  double clearance = 0;            ///< m
  double accuracy = 0;             ///< m; 0: 1/200 of the size
  std::optional<double> from, to;  ///< s, a part of the travel
};
struct EnvelopeData {
  model::MechanismPtr source;
  EnvelopeAsk ask;
  clearance::Envelope envelope;
  std::vector<clearance::EnvelopeGap> gaps;  ///< to all other links
};
/// The space that two links share in the pose that is shown.
struct CommonData {
  int linkA = -1, linkB = -1;
  clearance::CommonVolume common;
};
/// Where two links come nearest in the pose that is shown.
struct Witness {
  int linkA = -1, linkB = -1;
  double distance = 0;
  Vec3 a = Vec3::Zero(), b = Vec3::Zero();
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
  /// A file as the document names it: from the document's folder.
  QString relativeFile(const QString& path) const;
  /// Another file in the place of a body's.
  /// A link of several bodies by the name of its largest one.
  model::Mechanism namedByLargest(const model::Mechanism& m, model::Id link) const;
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
  /// Runs that are done again by themselves after a change.
  JobRunner& live() { return live_; }
  int currentRun() const;
  void setCurrentRun(model::Id id);
  void startRun();
  /// Computes every run; the present one is shown, the others are told in the ledger and shown when they are chosen.
  void startAllRuns();
  /// A run as it was last computed, or null; it may be older than the document.
  const RunData* resultOf(model::Id run) const;
  /// The run that curves are compared with: a pinned one, else the one before the last change.
  const RunData* before() const { return pinned_ ? pinned_.get() : before_.get(); }
  bool isPinned() const { return pinned_ != nullptr; }
  /// Keeps the present curves to compare all later ones with, or lets them go.
  void togglePin();
  /// Rows that have come so far of a run that is being computed; null if none is.
  std::shared_ptr<const PartialRun> partial() const { return partial_; }
  /// True while the present curves are those before a change that is being computed.
  bool isPending() const { return live_.busy() || recheck_.isActive(); }
  /// More steps, so that the curves are as smooth as the motion.
  void refineRun();
  /// Mends of a travel that can't go on.
  void turnBackAtLimit();
  void moveStopAway();
  void startCheck();
  /// Says first what it will take; too much is refused with the figure.
  void startEnvelope(const EnvelopeAsk& ask);
  /// How far a drive goes either way from home until the first contact or stop.
  void findFreeRange(model::Id drive);
  const std::optional<clearance::FreeRange>& freeRange() const { return freeRange_; }
  model::Id freeRangeDrive() const { return freeRangeOf_ == mechanism_ ? freeRangeDrive_ : 0; }
  void takeFreeRangeAsStops();
  /// Which links overlap in the pose that is shown; found again while a link is dragged.
  void checkPose();
  const std::vector<clearance::PoseOverlap>& poseOverlaps() const { return poseOverlaps_; }
  /// The pair that is looked at: of the chosen interference, else the chosen one, else the deepest overlap of the pose;
  /// (-1, -1) if there is none.
  std::pair<int, int> lookedAtPair() const;
  /// Works out the common volume of that pair in the pose that is shown.
  void workOutCommonVolume();
  const std::optional<CommonData>& commonVolume() const { return common_; }
  /// That pair is not checked in the present run, from now on.
  void leavePairOut();
  /// A drag by hand does not go on into another link.
  void setHaltAtContact(bool on);
  bool haltsAtContact() const { return haltAtContact_; }
  /// Nearest places of the chosen pair and of selected clearance gauges, in the pose that is shown.
  std::vector<Witness> witnesses();
  /// A pair of the list of least clearances, to be shown as a dimension.
  /// @param go moves the cursor to where the gap is least
  void choosePair(int linkA, int linkB, bool go = true);
  std::pair<int, int> chosenPair() const { return chosenPair_; }
  RunData* run() const { return run_.get(); }
  /// Index of a gauge's column in the table, or -1.
  int columnOf(model::Id gauge) const;
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
  /// Another document takes the place of the present one: what stands open for that one closes.
  void documentReplaced();
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
  void partialChanged();
  void said(const QString& text, bool error);

 private:
  friend class DocumentCommand;
  void setMechanism(model::MechanismPtr mechanism);
  void workOut();
  void tellClosingRange();
  void showHome();
  void loadGeometry();
  void takeSolids();
  void dropOtherSolids(const model::Resolved& before);
  std::vector<kinematics::Configuration> waysInOrder(std::size_t& now);
  void holdFree(std::vector<int>& held) const;
  void stepPlayJoint();
  void takeConfiguration(const kinematics::Configuration& c);
  kinematics::Configuration presentConfiguration();
  void checkSeats(const std::vector<model::Id>& bodies, const QString& why);
  void watchFiles();
  void remember(const QString& path);
  bool goesOnLive() const;
  void startLive();
  void takeRun(std::shared_ptr<RunData> run, bool quiet);
  void takeGeometry(clearance::CheckGeometry geometry, const model::MechanismPtr& source);
  bool overlapsAnew();
  void dropPoseOverlaps();
  model::Resolved withActingDrives() const;

  model::MechanismPtr mechanism_;
  std::unique_ptr<model::Resolved> resolved_;
  QUndoStack undo_;
  QString path_;
  std::vector<model::Id> selection_;
  Stage stage_ = Stage::shape;
  int chosenInterference_ = -1;
  shape::ShapeStore store_;
  clearance::GeometryCache geometryCache_;
  clearance::PairMemory pairMemory_;
  std::optional<clearance::CheckGeometry> geometry_;  ///< of the last run that needed it
  std::map<std::pair<int, int>, clearance::LinkDistance> distances_;
  std::unique_ptr<clearance::PoseCheck> poseCheck_;
  model::MechanismPtr geometryOf_, freeRangeOf_;
  std::vector<clearance::PoseOverlap> poseOverlaps_;
  std::optional<CommonData> common_;
  std::vector<std::pair<int, int>> overlapsBeforeDrag_;
  std::optional<clearance::FreeRange> freeRange_;
  model::Id freeRangeDrive_ = 0;
  std::pair<int, int> chosenPair_{-1, -1};
  bool haltAtContact_ = false;
  qint64 dragCheckTime_ = 0;
  std::map<model::Id, shape::SolidPtr> solids_;
  std::map<model::Id, QString> bodyProblems_;
  std::unique_ptr<kinematics::System> system_;
  std::optional<kinematics::Home> home_;
  QString homeProblem_;
  model::MechanismPtr closed_, closingOf_;  ///< the last document that closed at home; the one whose range is known
  QString closing_, closingFigure_;
  std::optional<kinematics::Mobility> mobility_;
  std::vector<Pose> poses_;
  bool byHand_ = false, atCursor_ = false;
  std::unique_ptr<kinematics::Drag> drag_;
  kinematics::Configuration handPose_, poseBeforeDrag_;
  bool handBeforeDrag_ = false;
  model::Id currentRun_ = 0;
  std::shared_ptr<RunData> run_, before_, pinned_;
  std::map<model::Id, std::shared_ptr<RunData>> results_;
  std::shared_ptr<PartialRun> partial_;
  int runGesture_ = -1;  ///< undo step that the present run belongs to
  bool liveAgain_ = false, rechecking_ = false;
  double checkTime_ = 0;
  QTimer recheck_;
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
  JobRunner loader_, jobs_, live_;  // last: they stop before what they read goes
};

}  // namespace cooperage::app
