// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/values.h"

namespace cooperage::kinematics {

ScalarJet valueOf(const System& system, int joint, int value, const Configuration& c, const double* qd,
                  const double* qdd, const double* qddd) {
  const System::Joint& j = system.joints[static_cast<std::size_t>(joint)];
  const auto dofJet = [&](int dof) {
    return ScalarJet{c.q[static_cast<std::size_t>(dof)], qd[dof], qdd[dof], qddd[dof]};
  };
  if (j.ball < 0 ? value < j.dofs : value < j.ballAt) return dofJet(j.firstDof + value);
  PoseJet turn;
  int angle = value - j.ballAt;
  if (j.ball >= 0) {
    const int d = j.firstDof + j.ballAt;
    turn = ballJet(c.balls[static_cast<std::size_t>(j.ball)], Vec3(qd[d], qd[d + 1], qd[d + 2]),
                   Vec3(qdd[d], qdd[d + 1], qdd[d + 2]), Vec3(qddd[d], qddd[d + 1], qddd[d + 2]));
  } else {
    for (int k = 0; k < 3; ++k) turn = turn * turnJet(k, dofJet(j.firstDof + j.dofs - 3 + k));
    angle = 3;
  }
  const auto entry = [&](int row, int column) {
    return Jet(turn.R[0](row, column), turn.R[1](row, column), turn.R[2](row, column), turn.R[3](row, column));
  };
  const auto hypotOf = [](const Jet& a, const Jet& b) { return sqrt(a * a + b * b); };
  Jet out;
  switch (angle) {
    case 0: out = atan2(-entry(1, 2), entry(2, 2)); break;
    case 1: out = atan2(entry(0, 2), hypotOf(entry(0, 0), entry(0, 1))); break;
    case 2: out = atan2(-entry(0, 1), entry(0, 0)); break;
    default: out = atan2(hypotOf(entry(0, 2), entry(1, 2)), entry(2, 2)); break;
  }
  return {out.v, out.d1, out.d2, out.d3};
}

}  // namespace cooperage::kinematics
