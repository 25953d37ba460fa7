// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/system.h"

namespace cooperage::kinematics {

using model::Resolved;

Vec3 ballAngles(const Mat3& R) {
  // R = Rx(a) Ry(b) Rz(c): R02 = sin b, R12 = -sin a cos b, R22 = cos a cos b, R00 = cos b cos c, R01 = -cos b sin c
  const double b = std::atan2(R(0, 2), std::hypot(R(0, 0), R(0, 1)));
  return {std::atan2(-R(1, 2), R(2, 2)), b, std::atan2(-R(0, 1), R(0, 0))};
}
Mat3 ballRotation(const Vec3& a) { return rotationAbout(0, a[0]) * rotationAbout(1, a[1]) * rotationAbout(2, a[2]); }

int System::dofOf(const Resolved::ValueRef& value) const {
  if (value.joint < 0) return -1;
  const int j = jointOf[static_cast<std::size_t>(value.joint)];
  if (j < 0) return -1;
  const Joint& joint = joints[static_cast<std::size_t>(j)];
  if (value.value >= joint.dofs || (joint.ball >= 0 && value.value >= joint.ballAt)) return -1;
  return joint.firstDof + value.value;
}

int System::dofOfDrive(const Resolved& resolved, int drive) const {
  const auto d = static_cast<std::size_t>(drive);
  return resolved.drives[d].gauge >= 0 ? drivenDof[d] : dofOf(resolved.drives[d].value);
}

std::string System::nameOf(int joint, const Resolved& resolved) const {
  const Joint& j = joints[static_cast<std::size_t>(joint)];
  if (j.source >= 0) return resolved.joints[static_cast<std::size_t>(j.source)].name;
  if (j.pair >= 0) return resolved.camPairs[static_cast<std::size_t>(j.pair)].name;
  if (j.drive >= 0) return resolved.drives[static_cast<std::size_t>(j.drive)].name;
  for (std::size_t k = 0; k < floating.size(); ++k)
    if (floating[k] == joint) return resolved.links[static_cast<std::size_t>(floatLinks[k])].name;
  return {};
}

}  // namespace cooperage::kinematics
