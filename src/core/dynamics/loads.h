// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "dynamics/wrench.h"
#include "kinematics/travel.h"

namespace cooperage::dynamics {

/// What acts on the links at a pose besides joints and drives.
struct Applied {
  std::vector<Wrench> link;    ///< on each link; weight, springs, forces
  std::vector<double> effort;  ///< along each dof, on the second link: springs, dampers, efforts, viscous friction
  double potential = 0;        ///< of weight (zero at ground's origin) and springs (zero where free), J
  double lost = 0;             ///< what dampers and viscous friction take, W
};

/// Gravity, springs, dampers, forces and viscous friction of a mechanism. Coulomb's friction depends on what joints
/// bear and is left to who knows that.
class Loads {
 public:
  Loads(const model::Resolved& resolved, const kinematics::System& system);

  /// @param nodes motion of all nodes about the middle, with velocities
  void at(const kinematics::TravelStep& step, const std::vector<PoseJet>& nodes, Applied& out) const;
  /// A figure that may be a formula of joint values and time.
  double figure(const model::Resolved::LoadR& load, const kinematics::TravelStep& step) const;
  /// A joint value with its rate.
  std::pair<double, double> value(const model::Resolved::ValueRef& ref, const kinematics::TravelStep& step) const;

 private:
  struct Point {  ///< a seat, in its node's axes
    int link = 0, node = 0;
    Vec3 at{0, 0, 0};
  };
  struct Spring {
    const model::Resolved::SpringR* of;
    int dof = -1;
    Point ends[2];
  };
  struct Force {
    const model::Resolved::ForceR* of;
    int dof = -1;
    Point at;
  };
  struct Viscous {
    int dof;
    double factor;
  };
  Point pointOf(const std::pair<int, int>& seat) const;
  void pull(const Spring& s, const kinematics::TravelStep& step, const std::vector<PoseJet>& nodes, Applied& out) const;
  void push(const Force& f, const kinematics::TravelStep& step, const std::vector<PoseJet>& nodes, Applied& out) const;

  const model::Resolved& r_;
  const kinematics::System& system_;
  std::vector<Spring> springs_;
  std::vector<Force> forces_;
  std::vector<Viscous> viscous_;
  struct Weight {
    int link, node;
    double mass;
    Vec3 centre;  ///< in its node's axes
  };
  std::vector<Weight> weights_;
};

}  // namespace cooperage::dynamics
