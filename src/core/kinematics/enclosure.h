// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <array>
#include <optional>
#include <vector>

#include "kinematics/gauges.h"
#include "kinematics/pair_motion.h"

/// Where links can be during an interval of a travel, not only at its ends: what a proof that two links stay apart
/// stands on.
namespace cooperage::kinematics {

/// Joint values that a link is apart from another by: from the second back to the first.
struct PairPath {
  struct Step {
    int dof;
    double sign;
  };
  std::vector<Step> steps;
  /// The joint, if one alone lies between them and it is a single turn; then everything that revolves about its axis
  /// looks the same at all poses.
  int turnJoint = -1;
  /// All that lies between them is turning about one axis: a single turn, or two joints on one pin.
  bool onePin = false;
  /// All that lies between them is one slide.
  bool oneSlide = false;
  bool connected = false;

  /// The same way, from the other link's side.
  PairPath reversed() const {
    PairPath p = *this;
    std::reverse(p.steps.begin(), p.steps.end());
    for (Step& s : p.steps) s.sign = -s.sign;
    return p;
  }
};

/// Two links of which either turns about an axis of its own, or slides along one, that is fixed in what lies between
/// them, coupled by a fixed ratio, like a pair of gears (also on a carrier that moves) or a gear and its rack: how they
/// stand to one another depends on one value alone.
struct CoupledMoves {
  std::size_t split = 0;  ///< steps of the path before it move along the second link's axis, the rest along the first's
  std::vector<double> sense;  ///< of each step: its sign, and whether its axis looks along that of its group
  double ratio = 0;           ///< move along the second axis for one along the first, rad or m
};

/// All links over one interval: the pose in its middle, and how far each joint value can get from there.
struct IntervalMotion {
  double t0 = 0, t1 = 0;
  bool proven = false;  ///< the values are enclosed; else estimated from rates and accelerations
  std::vector<Pose> links;
  std::vector<Twist> twists;   ///< one a dof, about the ground origin; of proven ones
  std::vector<double> linear;  ///< rate times half the interval
  std::vector<double> value;   ///< in the middle
  std::vector<double> rest;    ///< what the value can differ from that
  double size = 0;             ///< largest coordinate that the placements were worked out with, m: it sets the rounding
  /// Not proven: motions of all links at both ends and in the middle.
  std::vector<PoseJet> jets[3];

  /// @param centre, radius sphere about all points asked for, axes of the second link
  PairMotion pair(const PairPath& path, int first, int second, const Vec3& centre, double radius) const;
};

/// Encloses the joint values of a run over intervals.
///
/// With the driven values u(t) within known bounds and the closures F(q, u) = 0, the undriven values are written as
/// tangent and remainder, q(t) = q_m + q'_m (t - t_m) + y. As C F = 0 with C the pseudo-inverse of dF/dq in the middle,
/// |y_i| <= |C_i| times the second order of F over the box that |y| spans, plus what F and the rates leave in the
/// middle; where the right side for a box lies inside that box, no continuous motion can leave it (after Kantorovich;
/// Neumaier, Interval Methods for Systems of Equations, ch. 5, with Hessians of chains of turns and slides bounded by
/// their lever arms). The box holds one solution at each time only (C dF/dq stays nearer to 1 than 1), and the poses at
/// both ends lie in it: so neighbouring intervals are on one branch. Contacts, curves, balls that move, couplings by
/// table or formula and drives that follow a formula are not enclosed: there twice the largest acceleration of the
/// links at both ends and in the middle is taken, and nothing counts as proven. docs/proof.md has the argument.
class Enclosure {
 public:
  Enclosure(TravelRun& run, const Travel& travel);
  /// What makes proofs impossible, in words, or empty.
  const std::string& obstacle() const { return obstacle_; }
  /// Path of joints between two links, the shortest.
  PairPath path(int first, int second) const;
  /// Whether all that lies between two links is such a pair of moves, tied by one linear coupling.
  std::optional<CoupledMoves> coupledMoves(const PairPath& path) const;
  /// @param onlyProven no estimate where no proof can be had
  /// @return false if the pose in the middle can't be had, or no proof where only that is wanted
  bool over(double t0, double t1, IntervalMotion& out, bool onlyProven = false);
  /// Poses of all links at one time.
  bool poses(double t, std::vector<Pose>& out);

 private:
  bool enclose(const TravelStep& mid, double half, IntervalMotion& out);
  bool endsInside(const IntervalMotion& m);
  bool valuesAt(double t, std::vector<double>& out);

  TravelRun& run_;
  const Travel& travel_;
  Solver solver_;
  Measurer measurer_;
  std::string obstacle_;
  std::vector<Twist> homeTwists_;
  std::vector<int> unknown_;   ///< dofs that the closures determine
  std::vector<int> driven_;    ///< dof of each drive that acts
  std::vector<int> columnOf_;  ///< of each dof among the unknown, or -1
  Eigen::MatrixXd jacobian_, normal_;
  Eigen::VectorXd lever_;
  TravelStep step_, end_;
  /// Values at ends of intervals: neighbours, and both halves of one, ask for the same.
  struct EndValues {
    double t = -1;
    std::vector<double> q;
  };
  std::array<EndValues, 8> ends_;
  std::size_t nextEnd_ = 0;
};

}  // namespace cooperage::kinematics
