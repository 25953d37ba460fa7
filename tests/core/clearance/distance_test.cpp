// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/distance.h"

#include <gmock/gmock.h>
#include <rapidcheck/gtest.h>

namespace cooperage::clearance {
namespace {

shape::Mesh boxMesh(double x, double y, double z) {
  return shape::tessellate(*shape::elementShape(model::BodyKind::box, {x, y, z}), 1e-5).value();
}

/// Signed distance to a box in closed form.
double boxDistance(const Vec3& p, const Vec3& half) {
  const Vec3 q = p.cwiseAbs() - half;
  return q.cwiseMax(0.0).norm() + std::min(0.0, q.maxCoeff());
}

RC_GTEST_PROP(MeshDistance, EqualsTheClosedFormOfABoxInsideAndOut, ()) {
  static const MeshDistance distance(boxMesh(0.1, 0.2, 0.05));
  const auto part = rc::gen::map(rc::gen::inRange(-2000, 2000), [](int i) { return i * 1e-4; });
  const Vec3 p(*part, *part, *part);
  RC_ASSERT(std::abs(distance.signedDistance(p) - boxDistance(p, Vec3(0.05, 0.1, 0.025))) < 1e-12);
}

TEST(Shrunk, ABoxLosesTheDistanceOnEverySide) {
  const auto inner = shrunk(boxMesh(0.1, 0.2, 0.05), 0.001, MeshDistance(boxMesh(0.1, 0.2, 0.05)));
  for (const Vec3& v : inner.vertices) {
    EXPECT_NEAR(std::abs(v.x()), 0.049, 1e-12);
    EXPECT_NEAR(std::abs(v.y()), 0.099, 1e-12);
    EXPECT_NEAR(std::abs(v.z()), 0.024, 1e-12);
  }
}

}  // namespace
}  // namespace cooperage::clearance
