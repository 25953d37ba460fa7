// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <string>
#include <vector>

#include "kinematics/travel.h"

namespace cooperage::kinematics {

/// Column of a run's table.
struct Column {
  std::string name;  ///< without unit: "main.turn", "main.turn rate", "main.turn acc", gauge name
  Dimension dimension;
  std::string head(const DocumentUnits& units) const;
};

/// Least distance of two links in m (minus the depth when they overlap), at link poses; used by clearance gauges.
using ClearanceAt = std::function<double(int linkA, int linkB, const std::vector<Pose>& linkPoses)>;

/// Measures joint values and gauges at poses of a run. SI figures; NaN where there is no value.
class Measurer {
 public:
  Measurer(TravelRun& run, ClearanceAt clearance = {});

  const std::vector<Column>& columns() const { return columns_; }
  /// Index in columns() of the first gauge.
  int firstGauge() const { return firstGauge_; }
  /// A whole table row: t, values of all joints, gauges.
  void row(const TravelStep& step, std::vector<double>& out);
  /// One gauge at one pose.
  double gauge(int index, const TravelStep& step);
  /// Poses of all links at a pose.
  void linkPoses(const TravelStep& step, std::vector<Pose>& out);

 private:
  struct PointMotion {
    Vec3 x, v, a;
  };
  struct ValueMotion {
    double q, qd, qdd;
  };
  void prepare(const TravelStep& step);
  ValueMotion value(const model::Resolved::ValueRef& ref, const TravelStep& step) const;
  ValueMotion ballValue(const System::Joint& j, int value, const TravelStep& step) const;
  PointMotion point(const std::pair<int, int>& seat) const;
  Pose seatPose(const std::pair<int, int>& seat) const;
  double gaugePrepared(int index, const TravelStep& step);
  double pointGauge(const model::Resolved::GaugeR& g) const;
  double linkGauge(const model::Resolved::GaugeR& g) const;
  double angleGauge(const model::Resolved::GaugeR& g) const;
  double transmission(const model::Resolved::GaugeR& g) const;

  TravelRun& run_;
  const model::Resolved& r_;
  ClearanceAt clearance_;
  std::vector<Column> columns_;
  int firstGauge_ = 0;
  std::vector<Pose> poses_;
  std::vector<NodeMotion> nodes_;
};

/// A whole run with its table.
struct RunResult {
  Travel travel;
  std::vector<Column> columns;
  std::vector<std::vector<double>> rows;  ///< SI, one a step
  std::vector<double> axis;               ///< travel axis of each row
  Dimension axisDimension;
  std::string axisName;
};
RunResult tabulate(TravelRun& run, Measurer& measurer, Progress* progress = nullptr);

struct RequirementResult {
  std::string name;
  double value = 0;  ///< SI
  bool met = false;
  double where = 0;  ///< on the travel axis
  Dimension dimension;
};
/// Values of the requirements over a travel. Extremes are those of the motion, located between the steps.
std::vector<RequirementResult> judge(TravelRun& run, Measurer& measurer, const RunResult& result);

}  // namespace cooperage::kinematics
