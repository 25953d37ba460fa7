// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/progress.h"
#include "kinematics/home.h"
#include "kinematics/mobility.h"
#include "motion/programme.h"

namespace cooperage::kinematics {

/// One pose of a run with its rates.
struct TravelStep {
  double t = 0;
  Configuration c;
  std::vector<double> qd, qdd;  ///< of all dofs; a ball: in the axes of its first seat
};

struct Ended {
  std::string kind;  ///< dead-point, stop, contact, cannot-close, drives-contradict
  double at = 0;     ///< on the travel axis
  double t = 0;
  std::string joint;
  double gap = 0;  ///< m
};

struct Travel {
  std::vector<TravelStep> steps;
  bool completed = false;
  bool cancelled = false;
  std::optional<Ended> ended;
  std::vector<Message> messages;
};

/// Drives a mechanism through one run. Holds the compiled system and its home pose; poses at any time are solved from
/// the nearest stored step, so that they are the same however one came there.
class TravelRun {
 public:
  /// @param run index of the run
  /// @return error if home can't be closed, a stop is broken at home, a drive is on a joint that can't move
  static Result<std::unique_ptr<TravelRun>> prepare(const model::Resolved& resolved, int run);

  /// The whole travel. Cancelled: what was reached so far.
  Travel run(Progress* progress = nullptr);

  /// Pose at a time within the reached travel.
  /// @return false if it can't be closed (only by rounding at the very end)
  bool poseAt(const Travel& travel, double t, TravelStep& out);

  /// Value of the travel axis at a time.
  double axisAt(double t) const;
  /// The time at which the axis has a value, within 0..duration; nearest end if it has it nowhere.
  double timeOf(double axisValue) const;

  const System& system() const { return *system_; }
  const model::Resolved& resolved() const { return resolved_; }
  const model::Resolved::RunR& settings() const { return resolved_.runs[static_cast<std::size_t>(run_)]; }
  const Home& home() const { return home_; }
  const Mobility& mobility() const { return mobility_; }
  Solver& solver() { return *solver_; }
  const motion::Programme& programme(int k) const { return drives_[static_cast<std::size_t>(k)].programme; }
  /// Index among the run's drives of a drive of the mechanism, or -1.
  int activeDrive(int drive) const;

 private:
  struct ActiveDrive {
    int drive, dof;
    motion::Programme programme;
    double home = 0;
  };
  TravelRun(const model::Resolved& resolved, int run) : resolved_(resolved), run_(run) {}
  Status setUp();
  Status makeDrives();
  void drive(double t, TravelStep& s) const;
  void approach(double share, TravelStep& s) const;
  bool finish(TravelStep& s);
  template <class Drive>
  bool trial(const TravelStep& from, double to, const Drive& drive, TravelStep& out);
  template <class Drive>
  double advance(TravelStep& s, double to, double smallest, const Drive& drive);
  std::optional<Ended> stopBetween(const TravelStep& from, TravelStep& to);
  Ended failure(const TravelStep& last, double asked);
  /// First time in an interval at which two drives ask different values of one joint.
  std::optional<Ended> contradictionIn(double from, double to) const;

  const model::Resolved resolved_;
  int run_;
  std::unique_ptr<System> system_;
  std::unique_ptr<Solver> solver_;
  Home home_;
  Mobility mobility_;
  std::vector<ActiveDrive> drives_;
  std::vector<int> drivenDofs_;
  std::vector<double> knots_;
  std::vector<Message> messages_;
};

}  // namespace cooperage::kinematics
