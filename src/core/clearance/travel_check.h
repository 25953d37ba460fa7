// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "clearance/geometry.h"
#include "clearance/stretch.h"
#include "kinematics/gauges.h"

namespace cooperage::clearance {

/// One window of contact of a pair of links.
struct Interference {
  int linkA = -1, linkB = -1;
  double from = 0, to = 0, first = 0;  ///< on the travel axis
  double fromTime = 0, toTime = 0;
  struct {
    double at = 0, time = 0, depth = 0;
    double atMost = 0;    ///< m: nowhere in the window is it deeper
    bool proven = false;  ///< that; else the motion between the poses that were looked at is estimated
    Vec3 point{0, 0, 0};
  } deepest;
  /// Depth over the window, for a bar on the travel axis: times and metres.
  std::vector<std::pair<double, double>> profile;
  bool exact = false;  ///< its ends are those of the bodies themselves; else of the meshes, true to the accuracy
};
struct PairClearance {
  int linkA = -1, linkB = -1;
  double least = 0, at = 0, time = 0;
  Vec3 onA{0, 0, 0}, onB{0, 0, 0};  ///< where, ground axes
  bool exact = false;
  double within = 0;    ///< m: nowhere in the travel is the distance less by more than this
  bool proven = false;  ///< that; else the motion between the poses that were looked at is estimated
};
struct StopUse {
  std::string joint, value;
  double least, greatest;  ///< the range really used
  std::optional<double> low, high;
  Dimension dimension;
};

/// What was found for one pair over the whole travel.
struct PairReport {
  int linkA = -1, linkB = -1;
  bool joined = false;  ///< by a joint, a coupling or a contact: their faces may meet within the tolerance
  Verdict worst = Verdict::free;
  bool apart = false;              ///< joined, and yet their bodies are apart all along: they have play
  bool proven = true;              ///< all of it; else some rests on estimated motion
  std::vector<Stretch> stretches;  ///< the whole travel, in order
};

struct CheckResult {
  std::vector<Interference> interference;  ///< deepest first
  std::vector<PairClearance> clearances;   ///< least first
  std::vector<kinematics::RequirementResult> requirements;
  std::vector<StopUse> stops;
  std::vector<PairReport> pairs;
  std::vector<std::pair<int, int>> touching;  ///< meet without overlap beyond the tolerance somewhere
  /// Joined links that have play: apart all along, between the steps too.
  std::vector<std::pair<int, int>> withPlay;
  std::vector<std::pair<int, int>> unsure;  ///< nearer than the accuracy somewhere, no more can be said
  struct LeftOut {
    int linkA, linkB;
    std::string why;
  };
  std::vector<LeftOut> leftOut;
  int pairsFree = 0, pairsProven = 0;  ///< free all along; of these, proven between the steps too
  double provenShare = 1;              ///< of the time of all pairs
  std::string notProven;               ///< why, in words
  double accuracy = 0, tolerance = 0;
  std::vector<Message> messages;
  bool cancelled = false;
};

class PairMemory;

struct CheckOptions {
  PairMemory* memory = nullptr;
  bool onlyFirst = false;  ///< interference alone, of no interest after the first contact
};

/// Checks a whole travel for interference, between its steps too (see PairTravel), and the least clearances where the
/// run asks for them; judges the requirements. Ends of contact windows and least clearances are polished on the bodies
/// themselves: exactly for boxes, cylinders, spheres and bars, else with OCCT where the bodies have few faces.
CheckResult checkTravel(kinematics::TravelRun& run, kinematics::Measurer& measurer, const kinematics::RunResult& result,
                        const CheckGeometry& geometry, Progress* progress, const CheckOptions& options = {});

}  // namespace cooperage::clearance
