// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <array>
#include <functional>

#include <Eigen/Core>

#include "contact/bodies.h"
#include "contact/pair_gaps.h"
#include "kinematics/pushed.h"
#include "kinematics/solver.h"

namespace cooperage::contact {

/// Which gap: of two features of two parts of a pair of links, or of a joint value and its stop.
struct GapKey {
  int pair = -1;
  PlaceKey place;
  int stop = -1;  ///< then nothing else counts
  bool operator==(const GapKey& o) const { return pair == o.pair && place == o.place && stop == o.stop; }
};

/// A gap that must not become negative, at a pose: its size, and what it changes by.
struct GapRow {
  GapKey key;
  double gap = 0;     ///< m; of a stop on a turn the angle times the mechanism's size
  double byTime = 0;  ///< its rate while the pushed values stand
  Eigen::VectorXd byValue;
  bool within = true, facing = true;
  bool nearest = true;  ///< of an overlap: the way out
};

/// A mechanism as its pushed values see it. The drives' values are functions of time; with the pushed values q given,
/// the loops give all else. Workspace of one thread.
class PushModel {
 public:
  struct Stop {
    int dof;
    bool high;
    double limit;
    std::string joint;
  };
  /// @param driven dofs that are driven or held; @param pushed dofs that contacts move
  PushModel(std::shared_ptr<const kinematics::System> system, std::shared_ptr<const model::Resolved> resolved,
            std::shared_ptr<const ContactBodies> bodies, std::vector<int> driven, std::vector<int> pushed,
            kinematics::Solver::Options options, kinematics::Configuration home, kinematics::Configuration generic);
  PushModel(const PushModel& o);

  int size() const { return static_cast<int>(pushed_.size()); }
  const std::vector<int>& pushed() const { return pushed_; }
  const kinematics::System& system() const { return *system_; }
  const model::Resolved& resolved() const { return *resolved_; }
  void follow(kinematics::DrivenMotion drives) {
    drives_ = std::move(drives);
    at_ = false;
  }
  const kinematics::DrivenMotion& drives() const { return drives_; }

  /// Goes to a time and pushed values: loops closed from where c stands, motions per unit of time and of each value.
  /// @return false if it can't be closed
  bool go(double t, const Eigen::VectorXd& q, kinematics::Configuration& c);
  /// A number that is another one once go() has gone elsewhere.
  long stamp() const { return stamp_; }
  /// Accelerations of all gaps there with these rates of the pushed values, these not accelerated.
  bool accelerate(const Eigen::VectorXd& v);

  /// Gaps no wider than `ahead` and overlaps no deeper than `depth`, after go().
  void near(double ahead, double depth, std::vector<GapRow>& out);
  /// Appends overlaps that no gap there tells (see PairGaps::crossing), after go(): one row a pair, with the way out
  /// for a gap.
  void crossings(std::vector<GapRow>& out) const;
  /// One gap, wherever its foot lies, after go(). @return false if it has none
  bool one(const GapKey& key, GapRow& out);
  /// How far a gap's foot lies within what makes it facing, after go(), m; NaN if that isn't known.
  double room(const GapKey& key) const;
  /// Second derivative of a gap after accelerate().
  double acceleration(const GapKey& key);

  /// Metric of the pushed values after go(): areas and their moments stand for masses.
  void metric(Eigen::MatrixXd& M) const;
  /// Loads along the pushed values after go().
  Eigen::VectorXd loads(double t) const;
  bool isLoaded() const { return loaded_; }
  /// Do all pairs move in planes? Then mayHaveMet() tells what touches and parts.
  bool isFlat() const {
    return std::all_of(pairs_.begin(), pairs_.end(), [](const Pair& p) { return p->flat; });
  }
  /// How far points of a link move against a link that it may touch, at most: over what its thinnest part allows in a
  /// step. With the rates of time and values after go().
  double hurry(double byTime, const Eigen::VectorXd& v) const;
  /// Where the links of all pairs stand against one another, after go().
  using Places = std::vector<RelativeMotion>;
  const Places& places() const { return motion_; }
  /// The same with the rates of time and values together.
  void moving(const Eigen::VectorXd& v, Places& out) const;
  /// How far points have come from there, at most: as hurry() counts it, and in m.
  double way(const Places& from) const;
  double farthest(const Places& from) const;
  /// May something but what is held have touched and parted on the short way between? Both with their rates, the second
  /// one's place that of go().
  bool mayHaveMet(const Places& from, const Places& to, double duration, const std::vector<GapKey>& held);
  /// Has no link come farther than the smaller of its pair reaches from its own middle?
  bool isNear(const Places& from) const;
  /// Does a pushed value move links that may touch against one another, after go()?
  bool moves(int k) const;
  /// A length by which steps are bounded, m: a quarter of the thinnest part.
  double quarter() const { return quarter_; }
  double size3() const { return system_->size; }
  /// Rates of all dofs for rates of the pushed values, after go().
  void ratesOf(const Eigen::VectorXd& v, std::vector<double>& qd) const;
  kinematics::Touch touchOf(const GapKey& key);
  /// Do both lie on surfaces that go smoothly on into one another?
  bool goesOn(const GapKey& from, const GapKey& to) const;
  std::string contactOf(const GapKey& key) const;
  std::vector<std::string> linksOf(const GapKey& key) const;
  const std::vector<Stop>& stops() const { return stops_; }
  /// Place of a dof among the pushed ones, or -1.
  int coordinateOf(int dof) const;

 private:
  struct Pair {
    const LinkPair* of;
    std::shared_ptr<const PairGaps> gaps;
    const PairGaps* operator->() const { return gaps.get(); }
  };
  /// How a unit of a pushed value moves a pair: turn, and shift of A's origin.
  struct Unit {
    Vec3 w{0, 0, 0}, v{0, 0, 0};
  };
  /// How a link stands and moves: its turn, and its origin.
  struct LinkMotion {
    Pose at;
    Vec3 w{0, 0, 0}, v{0, 0, 0}, alpha{0, 0, 0}, a{0, 0, 0};
  };
  using NodeRates = std::vector<kinematics::Solver::NodeRate>;
  LinkMotion linkMotion(const NodeRates& rates, int link) const;
  PoseJet linkJet(int link) const;
  static RelativeMotion relative(const Pair& p, const LinkMotion& a, const LinkMotion& b);
  bool isAt(double t, const Eigen::VectorXd& q, const kinematics::Configuration& c) const;
  void makePairs();
  void makeStops();
  static double separation(const Pair& p, const RelativeMotion& m);
  void fill(const PairGap& g, std::size_t index, GapRow& row) const;
  const std::vector<PlaceKey>& neighbours(std::size_t index, double need);

  std::shared_ptr<const kinematics::System> system_;
  std::shared_ptr<const model::Resolved> resolved_;
  std::shared_ptr<const ContactBodies> bodies_;
  std::vector<int> driven_, pushed_;
  kinematics::Solver solver_;
  kinematics::Configuration generic_;
  kinematics::DrivenMotion drives_;
  std::vector<Pair> pairs_;
  std::vector<Stop> stops_;
  bool loaded_ = false;
  double quarter_ = 0;
  // at the pose
  bool at_ = false;  ///< go() has brought it there, and all below holds
  long stamp_ = 0;   ///< of the pose: another one at every other pose
  double t_ = 0;
  kinematics::Configuration c_;
  std::vector<double> qd0_, qdd_, drivenRate_, drivenAcceleration_, zero_, total_;
  std::vector<std::vector<double>> unit_;   ///< rates of all dofs per unit of each pushed value
  NodeRates base_;                          ///< motion of time alone
  std::vector<NodeRates> unitRates_;        ///< of each pushed value alone
  std::vector<PoseJet> full_;               ///< with rates and accelerations, after accelerate()
  Places motion_;                           ///< of each pair
  std::vector<std::vector<Unit>> byValue_;  ///< of each pair
  /// What near() has to look at, as long as a pair has moved by less than what it was gathered for beyond its need.
  struct Neighbours {
    RelativeMotion at;
    double reach = -1;
    std::vector<PlaceKey> list;
  };
  std::vector<std::array<Neighbours, 2>>
      neighbours_;  ///< of each pair: for a step's end, and for what lies farther off
  PairGaps::Workspace search_;
  std::vector<PairGaps::Found> found_;
  std::vector<PlaceKey> heldHere_;
};

}  // namespace cooperage::contact
