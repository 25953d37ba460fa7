// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <map>
#include <string>
#include <vector>

#include "clearance/collision.h"
#include "kinematics/gauges.h"

namespace cooperage::clearance {

/// What is kept between checks: geometry by body, so that only what changed is made anew.
class GeometryCache {
 public:
  Result<std::shared_ptr<const LinkGeometry>> get(const model::Resolved::LinkR& link, shape::ShapeStore& store,
                                                  double deflection, double tolerance, Progress* progress);

 private:
  struct Key {
    std::string text;
    bool operator<(const Key& o) const { return text < o.text; }
  };
  std::map<Key, std::shared_ptr<const LinkGeometry>> known_;
};

struct Interference {
  int linkA, linkB;
  double from, to, first;  ///< on the travel axis
  double fromTime, toTime;
  struct {
    double at, time, depth;
    Vec3 point;
  } deepest;
};
struct PairClearance {
  int linkA, linkB;
  double least, at;
};
struct StopUse {
  std::string joint, value;
  double least, greatest;  ///< the range really used
  std::optional<double> low, high;
  Dimension dimension;
};

struct CheckResult {
  std::vector<Interference> interference;
  std::vector<PairClearance> clearances;
  std::vector<kinematics::RequirementResult> requirements;
  std::vector<StopUse> stops;
  std::vector<std::pair<int, int>> touching;  ///< meet without overlap somewhere
  struct LeftOut {
    int linkA, linkB;
    std::string why;
  };
  std::vector<LeftOut> leftOut;
  int pairsFree = 0;
  double accuracy = 0, tolerance = 0;
  std::vector<Message> messages;
  bool cancelled = false;
};

/// Geometry of all links for a run. Deflection of the meshes is half the run's accuracy; overlaps up to
/// both tessellation errors plus fit_depth are meeting faces.
struct CheckGeometry {
  std::vector<std::shared_ptr<const LinkGeometry>> links;
  double deflection, tolerance;
};
Result<CheckGeometry> geometryFor(const model::Resolved& resolved, int run, shape::ShapeStore& store,
                                  GeometryCache& cache, Progress* progress);

/// Checks every step of a travel for interference (and the least clearance where the run asks for it), and judges
/// the requirements. Ends of contact windows are located between the steps.
CheckResult checkTravel(kinematics::TravelRun& run, kinematics::Measurer& measurer, const kinematics::RunResult& result,
                        const CheckGeometry& geometry, Progress* progress);

/// For clearance gauges: distance, or minus the depth.
kinematics::ClearanceAt clearanceWith(const CheckGeometry& geometry);

}  // namespace cooperage::clearance
