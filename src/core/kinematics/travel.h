// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/progress.h"
#include "kinematics/home.h"
#include "kinematics/mobility.h"
#include "kinematics/pushed.h"
#include "motion/programme.h"
#include "base/words.h"

namespace cooperage::kinematics {

/// One pose of a run with its rates.
struct TravelStep {
  double t = 0;
  Configuration c;
  std::vector<double> qd, qdd;  ///< of all dofs; a ball: in the axes of its first seat
};

/// Where a motion ends. The last two are of a search for free range only: a whole turn is free, or all that was looked
/// at.
enum class EndKind { deadPoint, stop, contact, cannotClose, drivesContradict, turn, search, jammed };
constexpr std::array<std::string_view, 8> wordsOf(EndKind) {
  return {"dead-point", "stop", "contact", "cannot-close", "drives-contradict", "turn", "search", "jammed"};
}

struct Ended {
  EndKind kind = EndKind::deadPoint;
  double at = 0;  ///< on the travel axis
  double t = 0;
  std::string joint;
  double gap = 0;       ///< m
  double gapAngle = 0;  ///< rad
  /// Drives that are under way there, and the values that they get no farther than.
  std::vector<std::pair<int, double>> drives;
  Configuration nearest;        ///< the pose nearest to what was asked, one joint open; empty if there is none
  std::optional<Jam> jam = {};  ///< of links that push one another
};

/// An interval of the travel with something that does not end it.
struct Mark {
  std::string code;                     ///< contact-lost, past-stop, change-point; touches, hands-over, leaves, falls
  std::string object;                   ///< cam pair, joint or contact
  double from = 0, to = 0;              ///< on the travel axis
  std::vector<std::string> links = {};  ///< of a contact
  Vec3 place{0, 0, 0};                  ///< of a contact: ground axes
  double gap = 0;                       ///< of a contact: m
};

struct Travel {
  std::vector<TravelStep> steps;
  bool completed = false;
  bool cancelled = false;
  std::optional<Ended> ended;
  std::vector<Mark> marks;
  std::vector<Message> messages;
};

/// A mechanism compiled and closed at home, its drives those that are enabled.
struct Assembled {
  std::shared_ptr<const System> system;
  const Home& home;
  const Mobility& mobility;
  HomeOptions fit;
};

/// Drives a mechanism through one run. Holds the compiled system and its home pose; poses at any time are solved from
/// the nearest stored step, so that they are the same however one came there.
///
/// Steps are predicted from the last two poses (position, rate, acceleration: quintic), or by Taylor from the last one,
/// and corrected block by block; a step is refused, and halved, where a block's correction is more than a tenth of its
/// step or a determinant changes its sign. A dead point is closed in on by halving: every accepted pose lies on the
/// branch that it came on, and the last is within 1e-13 of the run of the fold.
class TravelRun {
 public:
  /// @param run index of the run
  /// @param assembled the same mechanism compiled and closed already; used where the run leaves nothing of it out and
  ///        asks for the same fit, so that it is not done twice
  /// @param pushed makes what moves the freedoms that contacts push; without it these stay at home
  /// @return error if home can't be closed, a stop is broken at home, a drive is on a joint that can't move, or links
  ///         of a contact overlap at home
  static Result<std::unique_ptr<TravelRun>> prepare(const model::Resolved& resolved, int run,
                                                    const Assembled* assembled = nullptr,
                                                    const MakePushed& pushed = {});
  /// The same run with all that it has found, for another thread.
  std::unique_ptr<TravelRun> twin() const;

  /// The whole travel. Cancelled: what was reached so far.
  /// @param sink is told each recorded step as it comes, in the thread that runs; it must not ask this run for poses
  using StepSink = std::function<void(const TravelStep&)>;
  Travel run(Progress* progress = nullptr, const StepSink& sink = {});

  /// Pose at a time within the reached travel.
  /// @return false if it can't be closed (only by rounding at the very end)
  bool poseAt(const Travel& travel, double t, TravelStep& out);

  /// Rates, accelerations and jerks of all dofs at a pose of the travel.
  bool jerks(const TravelStep& step, std::vector<double>& qddd);

  /// Value of the travel axis at a time.
  double axisAt(double t) const;
  /// The time at which the axis has a value, within 0..duration; nearest end if it has it nowhere.
  double timeOf(double axisValue) const;

  const System& system() const { return *system_; }
  const std::shared_ptr<const System>& systemPtr() const { return system_; }
  /// What contacts push, or null.
  FreedomSource* pushed() const { return pushed_.get(); }
  const model::Resolved& resolved() const { return resolved_; }
  const model::Resolved::RunR& settings() const { return resolved_.runs[static_cast<std::size_t>(run_)]; }
  const Home& home() const { return home_; }
  const Mobility& mobility() const { return mobility_; }
  Solver& solver() { return *solver_; }
  const motion::Programme& programme(int k) const { return drives_[static_cast<std::size_t>(k)].programme; }
  /// Index among the run's drives of a drive of the mechanism, or -1.
  int activeDrive(int drive) const;

  /// One step without recording, for measurements of speed: from a closed pose with rates to a time.
  bool stepTo(TravelStep& s, double t);

 private:
  struct ActiveDrive {
    int drive, dof;
    motion::Programme programme;
    double home = 0;
  };
  struct Watch {  ///< a stop
    int joint, value, compiled, dof;
    double low, high, slack;
  };
  /// The programmes' time goes along with the run's time, or against it after turning back at a limit.
  struct Fold {
    double t, tau;
    int direction;
  };
  TravelRun(const model::Resolved& resolved, int run) : resolved_(resolved), run_(run) {}
  TravelRun(const TravelRun&) = default;
  bool leaveOut();
  Status makeDuration();
  Status lastAsProgrammes();
  void checkAxis();
  Status setUp(const Assembled* assembled, const MakePushed& pushed);
  // travel_pushed.cpp
  Status makePushed(const MakePushed& make, std::vector<int> left);
  void followRun();
  bool goToStartPushing(TravelStep& s, Travel& travel);
  void passKnot(TravelStep& s);
  void pushedJerks(double t, std::vector<double>& qddd) const;
  std::optional<Ended> jamIn(double from, double to) const;
  void tellPushes(double t, Travel& travel) const;
  void tellOpen(double t, Travel& travel) const;
  std::string jamText(const Ended& e) const;
  void tellLeft();
  Status makeDrives();
  Status addDrive(int index);
  void makeWatches();
  std::unique_ptr<Solver> makeSolver(bool fine) const;
  void pickAgain(const Configuration& c);
  void pickAt(const Configuration& c);
  double tauAt(double t, int& direction) const;
  double nextKnot(double t, double limit) const;
  double nextProgrammeKnot(double t, double limit) const;
  void driveOnly(double t, double* q, double* qd, double* qdd) const;
  void drive(double t, TravelStep& s, bool arriving = false) const;
  void approach(double share, TravelStep& s) const;
  bool finish(TravelStep& s);
  bool goToStart(TravelStep& s, Travel& travel);
  bool onwards(TravelStep& out, double t);
  /// Sets the driven values of a step at a time (or a place on another path), with their rates.
  using DriveAt = std::function<void(double, TravelStep&)>;
  bool trial(const TravelStep& from, double to, const DriveAt& drive, TravelStep& out);
  bool changesBranchPoint(const TravelStep& from, const TravelStep& to) const;
  double advance(TravelStep& s, double to, double smallest, const DriveAt& drive);
  double advanceTo(TravelStep& s, double t);
  void predict(const TravelStep& from, double h, TravelStep& out) const;
  void tryFiner(const TravelStep& from, const TravelStep& to);

  // travel_crossing.cpp
  /// The path on either side of a change point, close enough for a quintic between its ends.
  struct Crossing {
    double low = 0, high = 0;  ///< of the parameter, see parameterAt()
    TravelStep from, to;       ///< at low and at high, with derivatives to the parameter
  };
  double speedOf(const TravelStep& s) const;
  double parameterAt(double t) const;
  const Crossing* crossingAt(double t) const;
  TravelStep onCrossing(const Crossing& c, double t, std::vector<double>* third = nullptr) const;
  TravelStep leave(const Crossing& c, double on, double beyond) const;
  bool goTo(TravelStep& s, double t);
  bool nearSingular();
  bool cross(const std::vector<TravelStep>& steps, const TravelStep& at);

  // travel_events.cpp
  double past(const TravelStep& s, const Watch& w) const;
  std::optional<Ended> stopBetween(const TravelStep& from, TravelStep& to);
  bool extremeBetween(const TravelStep& from, const TravelStep& to, const Watch& w, TravelStep& at);
  TravelStep edgeBetween(const TravelStep& from, const TravelStep& to,
                         const std::function<bool(const TravelStep&)>& is);
  bool contactLost(int joint, const TravelStep& s) const;
  int contactAtItsEnd(const TravelStep& s) const;
  void watchMarks(const TravelStep& from, const TravelStep& to, Travel& travel);
  void closeMarks(double t, Travel& travel);
  Ended failure(const TravelStep& last, double asked);
  std::optional<Ended> contradictionIn(double from, double to) const;
  void tellEnd(Travel& travel) const;
  std::string valueText(int drive, double value) const;
  std::vector<std::string> contradicting() const;
  bool ratesAgree(const TravelStep& s);
  std::optional<Ended> withoutValue(double from, double to) const;
  std::string axisText(double value) const;
  bool turnBack(TravelStep& s, double target, bool deadPoint, Travel& travel);

  model::Resolved resolved_;  ///< without what does not act in this run
  int run_;
  std::shared_ptr<const System> system_;
  std::shared_ptr<Solver> solver_;         ///< its own; see twin()
  std::shared_ptr<FreedomSource> pushed_;  ///< its own, too
  Home home_;
  Mobility mobility_;
  std::vector<ActiveDrive> drives_;
  std::vector<int> drivenDofs_;
  std::vector<double> knots_;
  std::vector<Message> messages_;
  std::vector<Watch> watches_;
  std::vector<Fold> folds_{{0, 0, 1}};
  // stepping
  TravelStep before_, next_;
  TravelStep anchor_;  ///< the last pose that a step of some length came to, to go back from a dead point
  bool history_ = false, marked_ = false, finerTried_ = false, fine_ = false;
  int fullRank_ = 0;
  Configuration picked_;  ///< that rows were last chosen for by pickAt(), while isPicked_
  bool isPicked_ = false;
  Solver::Outcome outcome_;
  bool signsOnly_ = false;            ///< the last step was refused for a determinant's sign alone
  std::vector<double> changePoints_;  ///< times
  std::vector<Crossing> crossings_;
  double largestPivot_ = 0;
  struct OpenMark {
    std::size_t kind;  ///< index of the watch or, after them, of the compiled joint
    double from;
  };
  std::vector<OpenMark> open_;
};

}  // namespace cooperage::kinematics
