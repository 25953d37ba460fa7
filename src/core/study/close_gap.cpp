// SPDX-License-Identifier: GPL-3.0-or-later
#include "study/close_gap.h"

#include "base/index.h"
#include "kinematics/solver.h"
#include "model/joint_edits.h"

namespace cooperage::study {

using namespace model;

Result<Mechanism> withGapClosed(const Prepared& source) {
  if (!source.open || !source.system) return Error{"no-gap", "", "no loop stays open"};
  kinematics::Solver solver(*source.system, {});
  solver.forward(source.open->configuration);
  std::vector<Pose> poses;
  for (std::size_t l = 0; l < source.resolved->links.size(); ++l) poses.push_back(solver.linkPose(static_cast<int>(l)));
  const auto& joint = source.resolved->joints[u(source.open->joint)];
  const Pose over{rotationAbout(0, kPi), Vec3::Zero()};
  const Pose wanted = poses[u(joint.linkA)] * joint.seatA * joint.offset * (joint.flip ? over : Pose{});
  Pose frame = poses[u(joint.linkB)] * joint.seatB;
  Vec3 off = wanted.R.transpose() * (wanted.p - frame.p);
  for (const Motion motion : infoOf(joint.kind).motions) {
    if (motion == Motion::slideX) off.x() = 0;
    if (motion == Motion::slideY) off.y() = 0;
    if (motion == Motion::slideZ) off.z() = 0;
  }
  frame.p += wanted.R * off;
  constexpr double kTurned = 1e-7;  // rad; below that only places differ
  if (source.open->angle > kTurned) frame.R = wanted.R;
  const auto j = findJoint(*source.mechanism, joint.id);
  if (!j) return Error{"missing-joint", "", "the joint is gone"};
  return withSeatMoved(withPlacements(*source.mechanism, poses), j->seats[1], poses[u(joint.linkB)], frame);
}

}  // namespace cooperage::study
