// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "dynamics/balance.h"
#include "dynamics/loads.h"
#include "kinematics/travel.h"

namespace cooperage::dynamics {

/// What a motion that is known takes: efforts of its drives, what every joint bears, energies, at one pose after the
/// other. Newton's and Euler's equations of every link (in the mechanism's own dofs and rates; no second model of it),
/// the closed loops by Balance. Workspace of one thread.
///
/// Left out of what joints bear: springs, efforts and couplings that act along a joint's values. These are parts of
/// their own; the teeth of gears press on no bearing here.
class InverseDynamics {
 public:
  /// @param run whose drives hold and whose contacts push; must outlive this, and not be computing while it is asked
  explicit InverseDynamics(kinematics::TravelRun& run);

  /// Goes to a pose of the run.
  /// @param nodes motion of all nodes about the middle up to accelerations, see Solver::motion()
  /// @return false where no effort is enough (a dead point), or contacts would have to pull: then only energies and
  /// centres of mass are known
  bool at(const kinematics::TravelStep& step, const std::vector<PoseJet>& nodes);

  /// Effort of a drive, positive along the positive value on the second link: N m or N. None where other drives or
  /// redundant rows share it.
  std::optional<double> driveForce(int drive);
  /// What it puts in: W.
  std::optional<double> drivePower(int drive, const kinematics::TravelStep& step);

  /// What a joint of the mechanism bears: force on one of its links from the other, and moment about the second seat's
  /// origin; ground axes.
  struct Reaction {
    Vec3 force{0, 0, 0}, moment{0, 0, 0};
    bool known = false;  ///< false: the joint is off, or the pose has no efforts
  };
  Reaction reaction(int joint, int onLink);
  /// Is a component of it decided? A direction in ground axes.
  bool isDecided(int joint, const Vec3& direction, bool moment);

  /// With what a cam presses on its follower: N, negative where it would have to pull.
  std::optional<double> camForce(int pair, const kinematics::TravelStep& step);
  /// With what a contact's links press one another: N. None where several share it.
  std::optional<double> contactForce(int contact) const;

  double kinetic() const { return kinetic_; }              ///< J
  double potential() const { return applied_.potential; }  ///< J
  /// Centre of mass of a link, or of all that moves (-1); ground axes. None without any mass.
  std::optional<Vec3> massCentre(int link) const;
  /// Resultant of the forces of inertia with its moment about the ground's origin: what shakes the ground.
  const Wrench& shaking() const { return shaking_; }

  /// Why there are no efforts at the pose.
  const std::string& why() const { return why_; }
  /// Joints whose Coulomb friction counts only what is decided of the force across, by their names.
  const std::set<std::string>& partlyRubbing() const { return partlyRubbing_; }

 private:
  struct Body {
    int link, node;
    double mass;
    Vec3 centre;   ///< in its node's axes
    Mat3 inertia;  ///< about it, in its node's axes
  };
  struct Coulomb {
    int joint, compiled, dof;  ///< of the mechanism; compiled; along which
    double coefficient, radius;
    bool turns;
    std::string name;
    double effort = 0;
  };
  struct Fixed {  ///< a joint whose links are one node
    int joint;
    std::vector<bool> beyond;  ///< links that only it holds to the others
    bool onB = true;           ///< they are on the side of its second link
  };
  void inertia(const std::vector<PoseJet>& nodes);
  bool balanceAll(const kinematics::TravelStep& step);
  bool pressContacts(const kinematics::TravelStep& step);
  bool rub(const kinematics::TravelStep& step);
  void solve();
  void findFixed();
  std::pair<int, int> linksOf(const kinematics::System::Joint& j) const;
  Wrench ofJoint(int compiled) const;
  Vec3 seatOf(int joint, int link, const Pose& seat) const;

  kinematics::TravelRun& run_;
  const model::Resolved& r_;
  const kinematics::System& system_;
  Loads loads_;
  Balance balance_;
  std::vector<Body> bodies_;
  std::vector<Coulomb> coulomb_;
  std::vector<Fixed> fixed_;
  std::vector<bool> driven_;
  // at the pose
  Applied applied_;
  std::vector<Wrench> link_;  ///< what each link's motion takes less what acts on it
  std::vector<Wrench> node_;
  std::vector<double> given_;
  Balance::Solution solution_, trial_;
  std::vector<std::pair<std::string, double>> pressed_;  ///< contacts by their names; several places each
  bool pressedKnown_ = true;
  double kinetic_ = 0;
  Wrench shaking_;
  std::vector<Vec3> centres_;  ///< of bodies_, ground axes
  bool valid_ = false;
  std::string why_;
  std::set<std::string> partlyRubbing_;
};

}  // namespace cooperage::dynamics
