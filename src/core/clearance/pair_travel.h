// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <atomic>
#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <vector>

#include "clearance/nearest.h"
#include "clearance/stretch.h"
#include "clearance/witness.h"
#include "kinematics/enclosure.h"

namespace cooperage::clearance {

/// How far the faces of a mesh are moved inwards before an overlap counts: its error, half of what the pair may
/// overlap, and what rounding could do.
double shrinkOf(const Facets& facets, double tolerance);

/// Motions over intervals for all pairs: each is worked out once, whoever asks. Any thread may ask.
class Intervals {
 public:
  Intervals(kinematics::TravelRun& run, const kinematics::Travel& travel) : enclosure_(run, travel) {}
  using Ptr = std::shared_ptr<const kinematics::IntervalMotion>;
  /// @param onlyProven see kinematics::Enclosure::over()
  /// @return null if it can't be had
  Ptr over(double t0, double t1, bool onlyProven = false);
  bool poses(double t, std::vector<Pose>& out);
  /// Between what values each joint freedom stays over the whole travel, as far as it can be enclosed; empty if not.
  /// @param ends of the intervals; programmes have no knot inside one of the pieces (first, last) of them
  void findRanges(const std::vector<double>& ends, const std::vector<std::pair<std::size_t, std::size_t>>& pieces,
                  const std::function<bool()>& cancelled);
  const std::vector<std::pair<double, double>>& ranges() const { return ranges_; }
  kinematics::PairPath path(int a, int b) const { return enclosure_.path(a, b); }
  std::optional<kinematics::CoupledMoves> coupledMoves(const kinematics::PairPath& path) const {
    return enclosure_.coupledMoves(path);
  }
  const std::string& obstacle() const { return enclosure_.obstacle(); }
  /// Forgets what was worked out.
  void clear();

 private:
  std::mutex mutex_;
  kinematics::Enclosure enclosure_;
  std::map<std::tuple<double, double, bool>, Ptr> known_;
  std::vector<std::pair<double, double>> ranges_;
};

/// One pitch of two parts that turn with a fixed ratio and look the same again after it.
struct Pitch {
  double from = 0, length = 0;  ///< move along the first axis, rad or m
  double offset = 0;            ///< move along the second less ratio times that along the first
  std::vector<double> ends;     ///< of cells, from 0 to the length
  std::vector<int> found;       ///< of each cell: 0 free, 1 meeting, 2 neither
};

/// What one turn or one slide between two links leaves of the work: found once, shared by all that go over a piece of
/// the travel.
struct Guided {
  struct Of {
    Of();
    ~Of();
    std::once_flag once;
    bool still = false;  ///< these two parts look the same at all poses
    int known = 0;       ///< then: 0 free, 1 meeting, 2 overlap
    /// Leaves that could meet at some angle or place; none: all.
    std::optional<std::vector<MeshTree::LeafPair>> shrunk, whole;
    /// Of two gears and the like: what holds at all angles of one pitch, after which everything repeats.
    struct Together;
    std::unique_ptr<Together> pitchOnce;  ///< who waits for it helps
    std::unique_ptr<Pitch> pitch;
    std::atomic<bool> neverFree{false};  ///< no piece of the pitch is free
  };
  explicit Guided(std::size_t pairs) : parts(pairs) {}
  std::vector<Of> parts;  ///< one a pair of parts, filled when first needed
};

/// Goes over a travel with one pair of links: intervals are halved until each is free, meeting or overlap, or as small
/// as `smallest`.
class PairTravel {
 public:
  /// The smallest interval is one in which no point moves farther than faces that touch may be apart; where such
  /// intervals follow one another for long (a graze), larger ones have to do.
  /// @param tolerance what they may overlap, on top of the errors of their meshes
  /// @param progress asked for a cancel: what is told after one is not to be used
  PairTravel(int a, int b, const LinkGeometry& ga, const LinkGeometry& gb, double tolerance,
             const kinematics::PairPath& path, Intervals& intervals, Guided& guided, Progress* progress);

  /// Goes over the intervals between given times, in order; several are taken at once where that is enough.
  /// Programmes have no knot between ends[first] and ends[last].
  /// @return false if cancelled
  bool over(const std::vector<double>& ends, std::size_t first, std::size_t last);
  const std::vector<Stretch>& stretches() const { return stretches_; }
  /// Overlap deeper than the tolerance at a time?
  bool overlapAt(double t);
  bool overlapAt(const Pose& poseA, const Pose& poseB);
  /// Are the bodies apart by more than the errors of their meshes? (One body wholly inside another counts as overlap.)
  bool freeAt(const Pose& poseA, const Pose& poseB);
  /// Is every place of either link farther from the other than a margin for a whole interval?
  bool staysBeyond(const kinematics::IntervalMotion& m, double margin);
  /// How far a place that can be in both comes to move in one against the other within an interval, at most, m.
  double wayOf(const kinematics::IntervalMotion& m);
  /// Is it known that they are apart nowhere? (Of gears whose teeth are in contact, after one interval.)
  bool neverFree() const;
  /// Errors of the meshes of two of the parts together, at most, m.
  double errors() const;
  int a() const { return a_; }
  int b() const { return b_; }

 private:
  struct Paths {
    kinematics::PairPath there, back;
  };
  struct PartPair {
    const Part *x, *y;
    const Facets *fx, *fy;  ///< the meshes that are looked at
    bool fine;              ///< those of the accuracy, not what is at hand
    double errors;          ///< of both meshes
    double shrinkX, shrinkY;
    MeshTree::Hot whole, inner;
    Guided::Of* guided = nullptr;  ///< null where more than that lies between the links
    Guided::Of* shared = nullptr;  ///< where what is known of a pitch is kept
    bool settled = false;
    std::optional<Paths> paths;  ///< none until the first proven interval
    int opened = 0;              ///< intervals that were halved to do without the fine meshes
    Witness witness;
  };
  enum class Found { free, meeting, open };
  bool cancelled() const { return progress_ && progress_->cancelled(); }
  void look(PartPair& p, const Facets& fx, const Facets& fy);
  void lookFinely(PartPair& p);
  bool inside(const PartPair& p, const Pose& poseA, const Pose& poseB, double tolerance) const;
  bool apartRoughly(PartPair& p, const Pose& poseA, const Pose& poseB, const Motion& motion, double times = 1);
  bool apartShrunk(PartPair& p, const Pose& bInA, const Motion& motion);
  bool apartWhole(PartPair& p, const Pose& bInA, const Motion& motion);
  Found query(const kinematics::IntervalMotion& m, bool tryFree);
  bool worthTrying() const;
  bool overlap(PartPair& p, const Pose& poseA, const Pose& poseB);
  MeshTree::Guide guideAt(const kinematics::IntervalMotion& m) const;
  const Paths& pathsOf(PartPair& p, const kinematics::IntervalMotion& m) const;
  Motion motionOfB(PartPair& p, const kinematics::IntervalMotion& m) const;
  Motion motionOfA(PartPair& p, const kinematics::IntervalMotion& m) const;
  void settle(PartPair& p, const kinematics::IntervalMotion& m);
  std::pair<double, double> movesAt(const kinematics::IntervalMotion& m, std::size_t from, std::size_t to) const;
  const Pitch* pitchOf(PartPair& p, const kinematics::IntervalMotion& m);
  std::unique_ptr<Pitch> makePitch(PartPair& p, const kinematics::IntervalMotion& m);
  std::optional<Found> byPitch(PartPair& p, const kinematics::IntervalMotion& m);
  bool settled(double t0, double t1, bool several);
  bool split(double t0, double t1, int depth);
  bool overlapThroughout(const kinematics::IntervalMotion& m);
  void push(double t0, double t1, Verdict v, bool proven, bool coarse = false);

  int a_, b_;
  const LinkGeometry &ga_, &gb_;
  Intervals& intervals_;
  double tolerance_;
  bool joined_;  ///< made to meet: whether they touch or have a little play is not looked into between the poses
  kinematics::PairPath path_, back_;  ///< from the second to the first, and the other way
  std::optional<kinematics::CoupledMoves> moves_;
  std::vector<PartPair> parts_;
  std::vector<Stretch> stretches_;
  std::vector<Pose> poses_;
  Progress* progress_;
  double way_ = 0;          ///< m: how far a point can get in the interval that was looked at last
  double shrinks_ = 0;      ///< m: of the parts that decided
  double finest_;           ///< m: an interval with no longer way is not halved any more
  int unsureFor_ = 0;       ///< smallest intervals in a row that told nothing
  int meetingFor_ = 0;      ///< intervals in a row in which they touched
  std::size_t grain_ = 16;  ///< intervals taken at once
  int eased_ = 0;           ///< times in a row that this was enough
};

}  // namespace cooperage::clearance
