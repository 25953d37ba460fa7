// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/followed_distance.h"
#include "../any_pose.h"

#include <gmock/gmock.h>
#include <rapidcheck/gtest.h>

#include <BRepPrimAPI_MakeTorus.hxx>

namespace cooperage::clearance {
namespace {

using test::anyVector;
using test::figure;

MeshTree gear(double deflection) {
  const auto solid = shape::elementShape(model::BodyKind::gear,
                                         {0.003, 18, 20 * kPi / 180, 0, 0.012, 0, 0, 0, 0, 0, 0, 1, 1.25, 0.38});
  return MeshTree(shape::tessellate(*solid, deflection).value());
}
MeshTree torus() { return MeshTree(shape::tessellate(BRepPrimAPI_MakeTorus(50, 20).Shape(), 3e-4).value()); }

// Whatever way is gone, slow or by leaps, past one another or through: each pose's answer is that of a search that
// knows nothing of the poses before.
RC_GTEST_PROP(FollowedDistance, IsTheDistanceAtEachPose, ()) {
  static const MeshTree bodies[] = {
      gear(1e-4), torus(),
      MeshTree(shape::tessellate(*shape::elementShape(model::BodyKind::bar, {0.12, 0.03, 0.01, 0.012}), 1e-4).value()),
      MeshTree(shape::tessellate(*shape::elementShape(model::BodyKind::box, {0.1, 0.06, 0.02}), 1e-4).value())};
  const MeshTree &a = bodies[*rc::gen::inRange(0, 4)], &b = bodies[*rc::gen::inRange(0, 4)];
  Pose pose{rotationOf(anyVector(30000)), anyVector(1200)};
  const Vec3 shift = anyVector(60), turn = anyVector(800);
  FollowedDistance followed;
  for (int k = 0; k < 70; ++k) {
    const double plain = MeshTree::distance(a, b, pose).distance;
    const bool limited = k % 5 == 4;
    const double enough = limited ? figure(0, 400) : 1e300;
    const Nearest n = followed.at(a, b, pose, enough);
    if (plain < enough) {
      RC_ASSERT(std::abs(n.distance - plain) < 1e-14);
      RC_ASSERT(n.distance == 0 || std::abs((n.onA - n.onB).norm() - n.distance) < 1e-12);
    } else {
      RC_ASSERT(n.distance >= enough);
    }
    pose.R = rotationOf(turn) * pose.R;
    pose.p += shift;
    if (*rc::gen::inRange(0, 25) == 0) pose = {rotationOf(anyVector(30000)), anyVector(1200)};
  }
}

TEST(FollowedDistance, OtherMeshesAreNotTakenForTheOnesBefore) {
  const MeshTree a = torus(), b = gear(1e-4),
                 small(shape::tessellate(*shape::elementShape(model::BodyKind::box, {0.01, 0.01, 0.01}), 1e-4).value());
  FollowedDistance followed;
  Pose far;
  far.p = Vec3(0.3, 0, 0);
  EXPECT_NEAR(followed.at(a, b, far).distance, MeshTree::distance(a, b, far).distance, 1e-14);
  EXPECT_NEAR(followed.at(a, small, far).distance, MeshTree::distance(a, small, far).distance, 1e-14);
  EXPECT_NEAR(followed.at(small, a, far).distance, MeshTree::distance(small, a, far).distance, 1e-14);
  EXPECT_NEAR(followed.at(small, a, far).distance, 0.3 - 0.005 - 0.07, 3e-4);  // the mesh of the ring is true to that
}

}  // namespace
}  // namespace cooperage::clearance
