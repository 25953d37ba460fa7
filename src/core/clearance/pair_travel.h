// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <vector>

#include "clearance/nearest.h"
#include "kinematics/enclosure.h"

namespace cooperage::clearance {

/// How far the faces of a part are moved inwards before an overlap counts: its mesh's error, half of what the pair may
/// overlap, and what rounding could do.
double shrinkOf(const Part& part, double tolerance);

/// Motions over intervals for all pairs: each is worked out once, whoever asks. Any thread may ask.
class Intervals {
 public:
  Intervals(kinematics::TravelRun& run, const kinematics::Travel& travel) : enclosure_(run, travel) {}
  using Ptr = std::shared_ptr<const kinematics::IntervalMotion>;
  /// @param onlyProven see kinematics::Enclosure::over()
  /// @return null if it can't be had
  Ptr over(double t0, double t1, bool onlyProven = false);
  bool poses(double t, std::vector<Pose>& out);
  kinematics::PairPath path(int a, int b) const { return enclosure_.path(a, b); }
  const std::string& obstacle() const { return enclosure_.obstacle(); }
  /// Forgets what was worked out.
  void clear();

 private:
  std::mutex mutex_;
  kinematics::Enclosure enclosure_;
  std::map<std::tuple<double, double, bool>, Ptr> known_;
};

/// What holds for a pair of links over a stretch of the travel.
enum class Verdict {
  free,     ///< the gap is more than the errors of the meshes
  meeting,  ///< they touch, or overlap no deeper than the tolerance
  unsure,   ///< nearer than the accuracy can tell in the smallest interval
  overlap   ///< deeper than the tolerance in its middle
};
struct Stretch {
  double from = 0, to = 0;  ///< s
  Verdict verdict = Verdict::free;
  bool proven = true;  ///< for the whole stretch; else from estimated motion
};

/// Goes over a travel with one pair of links: intervals are halved until each is free, meeting or overlap, or as small
/// as `smallest`.
class PairTravel {
 public:
  /// @param tolerance what they may overlap, on top of the errors of their meshes
  PairTravel(int a, int b, const LinkGeometry& ga, const LinkGeometry& gb, double tolerance,
             const kinematics::PairPath& path, Intervals& intervals, double smallest);

  /// Goes over the intervals between given times, in order; several are taken at once where that is enough.
  /// Programmes have no knot between ends[first] and ends[last].
  /// @return false if cancelled
  bool over(const std::vector<double>& ends, std::size_t first, std::size_t last,
            const std::function<bool()>& cancelled);
  const std::vector<Stretch>& stretches() const { return stretches_; }
  int queries() const { return queries_; }
  /// Overlap deeper than the tolerance at a time?
  bool overlapAt(double t);
  bool overlapAt(const Pose& poseA, const Pose& poseB);
  int a() const { return a_; }
  int b() const { return b_; }
  /// Do the two links come no nearer than their spheres at any pose asked so far?
  bool everNear() const { return everNear_; }

 private:
  struct PartPair {
    const Part *x, *y;
    double errors;  ///< of both meshes
    double shrinkX, shrinkY;
    MeshTree::Hot whole, inner;
    bool still = false;  ///< looks the same at all poses
    int known = -1;      ///< then: 0 free, 1 meeting, 2 overlap
    /// Where all between the links is turning about one pin: leaves that could meet at some angle.
    std::optional<std::vector<MeshTree::LeafPair>> onPin, onPinWhole;
  };
  enum class Found { free, meeting, open };
  bool apartShrunk(PartPair& p, const Pose& bInA, const Motion& motion);
  bool apartWhole(PartPair& p, const Pose& bInA, const Motion& motion);
  Found query(const kinematics::IntervalMotion& m, bool tryFree);
  bool worthTrying() const;
  bool overlap(PartPair& p, const Pose& poseA, const Pose& poseB);
  bool freeAt(const Pose& poseA, const Pose& poseB);
  void settleStill(const kinematics::IntervalMotion& m);
  bool settled(double t0, double t1, bool several);
  bool split(double t0, double t1, int depth);
  void push(double t0, double t1, Verdict v, bool proven);

  int a_, b_;
  const LinkGeometry &ga_, &gb_;
  Intervals& intervals_;
  double smallest_;
  bool joined_;  ///< made to meet: whether they touch or have a little play is not looked into between the poses
  kinematics::PairPath path_;
  std::vector<PartPair> parts_;
  std::vector<Stretch> stretches_;
  std::vector<Pose> poses_;
  std::function<bool()> cancelled_;
  int queries_ = 0, budget_ = 2500;  ///< halvings of one piece of the travel: a long graze must not take forever
  int meetingFor_ = 0;               ///< intervals in a row in which they touched
  std::size_t grain_ = 16;           ///< intervals taken at once
  int eased_ = 0;                    ///< times in a row that this was enough
  bool knowsStill_ = false, everNear_ = false;
};

}  // namespace cooperage::clearance
