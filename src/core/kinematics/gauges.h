// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <limits>
#include <optional>
#include <string>
#include <vector>

#include "kinematics/extremes.h"
#include "kinematics/load_measure.h"
#include "kinematics/travel.h"

namespace cooperage::kinematics {

/// Column of a run's table.
struct Column {
  std::string name;  ///< without unit: "main.turn", "main.turn rate", "main.turn acc", gauge name
  Dimension dimension;
  std::string head(const DocumentUnits& units) const;
};

/// In place of a figure that there is not.
inline constexpr double kNone = std::numeric_limits<double>::quiet_NaN();

/// Least distance of two links in m (minus the depth when they overlap), at link poses; used by clearance gauges.
using ClearanceAt = std::function<double(int linkA, int linkB, const std::vector<Pose>& linkPoses)>;
/// The same at many poses in a row, for which all cores may be used. @param out one figure a pose; after a cancel it is
/// not to be used
using ClearanceAlong = std::function<void(int linkA, int linkB, const std::vector<std::vector<Pose>>& linkPoses,
                                          double* out, Progress* progress)>;

struct RunResult;
/// Told each row as it is measured, in the thread that runs: partial results.
using RowSink = std::function<void(const std::vector<double>& row, double axis)>;

/// Measures joint values and gauges at poses of a run. SI figures; NaN where there is no value.
class Measurer {
 public:
  /// A joint value at a pose; NaN of a joint that is switched off.
  double valueAt(const model::Resolved::ValueRef& ref, const TravelStep& step) const { return value(ref, step)[0]; }
  /// @param loads measures what takes masses and loads; without it such gauges have no value
  Measurer(TravelRun& run, ClearanceAt clearance = {}, ClearanceAlong along = {},
           std::unique_ptr<LoadMeasure> loads = nullptr);

  const std::vector<Column>& columns() const { return columns_; }
  /// Index in columns() of the first gauge.
  int firstGauge() const { return firstGauge_; }
  /// A whole table row: t, values of all joints, gauges.
  void row(const TravelStep& step, std::vector<double>& out);
  /// One gauge at one pose.
  double gauge(int index, const TravelStep& step);
  /// Several gauges at one pose. @param out one figure for each index
  void gauges(const std::vector<int>& indices, const TravelStep& step, double* out);
  /// The curve of one's own that is laid over a gauge, at a pose; NaN if there is none or it ends before.
  double overlay(int index, const TravelStep& step);
  /// What there is to say of masses and loads at the poses that were measured.
  std::vector<Message> loadMessages() const { return loads_ ? loads_->messages() : std::vector<Message>(); }
  /// Poses of all links at a pose.
  void linkPoses(const TravelStep& step, std::vector<Pose>& out);
  /// Motion of a link seen from another, in its axes (-1: ground), with velocities, accelerations and jerks.
  PoseJet relativeMotion(int link, int in, const TravelStep& step);

 private:
  void prepare(const TravelStep& step);
  PoseJet linkJet(int link) const;
  PoseJet relative(int link, int in) const;
  ScalarJet value(const model::Resolved::ValueRef& ref, const TravelStep& step) const;
  Pose seatPose(const std::pair<int, int>& seat) const;
  double gaugePrepared(int index, const TravelStep& step);
  double pointGauge(const model::Resolved::GaugeR& g) const;
  double linkGauge(const model::Resolved::GaugeR& g) const;
  double angleGauge(const model::Resolved::GaugeR& g) const;
  Vec3 alongPlane(const Vec3& v) const;
  double transmission(const model::Resolved::GaugeR& g) const;
  double camGauge(const model::Resolved::GaugeR& g, const TravelStep& step) const;
  Vec3 followerDirection(const model::Resolved::CamPairR& pair, const Vec3& at) const;

  bool asksRun() const { return jerks_ || (loads_ && loads_->asksRun()); }
  friend RunResult tabulate(TravelRun& run, Measurer& measurer, Progress* progress, const RowSink& sink);
  double formula(const model::Resolved::FormulaR& f, const TravelStep& step) const;
  TravelRun& run_;
  Solver solver_;  ///< of its own: measuring leaves the run's alone
  const model::Resolved& r_;
  ClearanceAt clearance_;
  ClearanceAlong along_;
  std::unique_ptr<LoadMeasure> loads_;
  bool loadsKnown_ = false;  ///< at the pose that is prepared
  bool later_ = false;       ///< clearances are left out of rows: they are filled in for many at once
  std::vector<Column> columns_;
  int firstGauge_ = 0;
  bool jerks_ = false;
  std::vector<Pose> poses_;
  std::vector<PoseJet> nodes_;
  std::vector<double> qddd_;
};

/// The point about which a link turns at an instant, of a planar motion: v + w x (c - p) = 0 there (Kennedy's instant
/// centre). @return none if it does not turn
std::optional<Vec3> instantCentre(const PoseJet& motion);

/// A whole run with its table.
struct RunResult {
  Travel travel;
  std::vector<Column> columns;
  std::vector<std::vector<double>> rows;  ///< SI, one a step
  std::vector<double> axis;               ///< travel axis of each row
  Dimension axisDimension;
  std::string axisName;
  std::vector<std::string> driveNames;  ///< of all drives, as Ended counts them
};
RunResult tabulate(TravelRun& run, Measurer& measurer, Progress* progress = nullptr, const RowSink& sink = {});

struct RequirementResult {
  std::string name;
  double value = 0;  ///< SI
  bool met = false;
  double where = 0;  ///< on the travel axis
  Dimension dimension;
  std::optional<double> min, max;  ///< the bounds, SI
  /// Without a bound nothing is required: it is neither met nor not met.
  bool isBounded() const { return min || max; }
  bool fails() const { return isBounded() && !met; }
};
/// Least and greatest of a gauge over a travel, between the steps too.
std::pair<Extreme, Extreme> rangeOf(TravelRun& run, Measurer& measurer, const RunResult& result, int gauge);
/// Least and greatest of a joint value over a travel, between the steps too.
std::pair<Extreme, Extreme> rangeOf(TravelRun& run, Measurer& measurer, const RunResult& result,
                                    const model::Resolved::ValueRef& value);

/// Values of the requirements over a travel. Extremes are those of the motion, located between the steps.
std::vector<RequirementResult> judge(TravelRun& run, Measurer& measurer, const RunResult& result);

}  // namespace cooperage::kinematics
