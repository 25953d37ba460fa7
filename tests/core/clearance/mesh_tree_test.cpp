// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/mesh_tree.h"

#include <gmock/gmock.h>
#include <rapidcheck/gtest.h>

#include "clearance/convex.h"
#include "clearance/triangles.h"
#include "../any_pose.h"

namespace cooperage::clearance {
namespace {

using test::anyPose;
using test::anyVector;
using test::figure;

shape::Mesh meshOf(model::BodyKind kind, const std::vector<double>& figures, double deflection) {
  return shape::tessellate(*shape::elementShape(kind, figures), deflection).value();
}
Convex convexBox(const Vec3& size) {
  model::Resolved::BodyR b{};
  b.kind = model::BodyKind::box;
  b.figures = {size.x(), size.y(), size.z()};
  return *convexOf(b);
}

// The mesh of a box is the box: another method, over supports instead of triangles, must agree.
RC_GTEST_PROP(MeshTree, TheDistanceOfTwoBoxesIsThatOfTheConvexBodies, ()) {
  const Vec3 a = anyVector(900).cwiseAbs() + Vec3::Constant(0.005),
             b = anyVector(900).cwiseAbs() + Vec3::Constant(0.005);
  const MeshTree ta(meshOf(model::BodyKind::box, {a.x(), a.y(), a.z()}, 1e-4)),
      tb(meshOf(model::BodyKind::box, {b.x(), b.y(), b.z()}, 1e-4));
  const Pose p = anyPose(2000);
  const double expected = std::max(0.0, convexGap(convexBox(a), convexBox(b), p).gap);
  const Nearest n = MeshTree::distance(ta, tb, p);
  if (expected > 0 || n.distance == 0) RC_ASSERT(std::abs(n.distance - expected) < 1e-12);
  if (expected > 0) RC_ASSERT(std::abs((n.onA - n.onB).norm() - n.distance) < 1e-12);
}

// A hint and a limit change the way, not the answer.
RC_GTEST_PROP(MeshTree, StartingFromAnOldPlaceFindsTheSameDistance, ()) {
  static const MeshTree a(meshOf(model::BodyKind::cylinder, {0.05, 0.2}, 2e-4)),
      b(meshOf(model::BodyKind::sphere, {0.04}, 2e-4));
  const Pose p = anyPose(2500);
  const Nearest fresh = MeshTree::distance(a, b, p);
  Nearest old;
  old.triangleA = *rc::gen::inRange(0, static_cast<int>(a.triangleCount()));
  old.triangleB = *rc::gen::inRange(0, static_cast<int>(b.triangleCount()));
  RC_ASSERT(std::abs(MeshTree::distance(a, b, p, old).distance - fresh.distance) < 1e-14);
  const double limit = figure(1, 2000);
  const double limited = MeshTree::distance(a, b, p, old, limit).distance;
  const bool right = fresh.distance < limit ? std::abs(limited - fresh.distance) < 1e-14 : limited >= limit;
  RC_ASSERT(right);
}

// Whoever says that two bodies stay apart must be right at every pose of the interval.
RC_GTEST_PROP(MeshTree, ApartIsNeverSaidWrongly, ()) {
  static const MeshTree a(meshOf(model::BodyKind::box, {0.1, 0.06, 0.02}, 1e-4)),
      b(meshOf(model::BodyKind::cylinder, {0.03, 0.08}, 5e-4));
  const Pose p = anyPose(1200);
  Motion m;
  m.turn = anyVector(2000);
  m.shift = anyVector(200);
  m.rest = figure(0, 50);
  const double margin = figure(0, 30);
  if (!MeshTree::apart(a, b, p, m, margin)) return;
  for (int k = -4; k <= 4; ++k) {
    const double s = 0.25 * k;
    // points go along straight lines: the moved mesh is not rigid, so its corners are moved one by one
    auto mesh = meshOf(model::BodyKind::cylinder, {0.03, 0.08}, 5e-4);
    for (Vec3& v : mesh.vertices) {
      v = p * v;
      v += s * (m.shift + m.turn.cross(v));
    }
    RC_ASSERT(MeshTree::distance(a, MeshTree(mesh), Pose{}).distance > margin + m.rest - 1e-12);
  }
}

// What is left out because one value alone lies between two bodies must really stay apart, wherever that value goes.
RC_GTEST_PROP(MeshTree, NoMeetingOfATurnOrASlideIsLeftOut, ()) {
  static const MeshTree a(meshOf(model::BodyKind::cylinder, {0.04, 0.1}, 1e-3)),
      b(meshOf(model::BodyKind::bar, {0.12, 0.03, 0.02, 0.012}, 1e-3));
  const bool turns = *rc::gen::arbitrary<bool>();
  const Pose home = anyPose(1200);
  MeshTree::Guide guide;
  guide.at = anyVector(1000);
  guide.along = (anyVector(1000) + Vec3(1e-5, 2e-5, 3e-5)).normalized();
  guide.low = turns ? 1e-3 * *rc::gen::inRange(-4000, 100) : figure(-1500, 100);
  guide.high = guide.low + (turns ? 1e-3 * *rc::gen::inRange(0, 5000) : figure(0, 1500));
  const double margin = figure(0, 60);
  const auto leaves = turns ? MeshTree::nearOnAxis(a, b, home, guide, margin, 1000000)
                            : MeshTree::nearOnLine(a, b, home, guide, margin, 1000000);
  RC_ASSERT(leaves.has_value());
  for (int k = 0; k <= 12; ++k) {
    const double value = guide.low + (guide.high - guide.low) * k / 12;
    Pose moved;
    if (turns) {
      moved.R = rotationOf(value * guide.along);
      moved.p = guide.at - moved.R * guide.at;
    } else {
      moved.p = value * guide.along;
    }
    const Pose now = moved * home;
    if (MeshTree::distance(a, b, now).distance <= margin) RC_ASSERT(!MeshTree::apart(*leaves, a, b, now, {}, margin));
    if (MeshTree::apart(a, b, now, {}, margin)) RC_ASSERT(MeshTree::apart(*leaves, a, b, now, {}, margin));
  }
}

TEST(MeshTree, OfAPinInItsBoreNothingIsLeftToLookAt) {
  const MeshTree pin(meshOf(model::BodyKind::cylinder, {0.0099, 0.06}, 1e-5)),
      bar(meshOf(model::BodyKind::bar, {0.12, 0.04, 0.02, 0.02}, 1e-5));
  MeshTree::Guide guide;  // about z, whatever angle
  const auto leaves = MeshTree::nearOnAxis(pin, bar, Pose{}, guide, 5e-5, 4000);
  ASSERT_TRUE(leaves.has_value());
  EXPECT_TRUE(leaves->empty());
  const auto wide = MeshTree::nearOnAxis(pin, bar, Pose{}, guide, 2e-4, 100000);
  ASSERT_TRUE(wide.has_value());
  EXPECT_FALSE(wide->empty()) << "a margin of twice the play takes the bore in";
}

TEST(MeshTree, ASlideAlongAFaceNeedsNoRoomAndOneTowardsItDoes) {
  const MeshTree a(meshOf(model::BodyKind::box, {0.1, 0.1, 0.02}, 1e-4));
  const Pose above{Mat3::Identity(), Vec3(0, 0, 0.0201)};  // a tenth of a millimetre over it
  Motion along;
  along.shift = Vec3(0.05, 0.03, 0);
  EXPECT_TRUE(MeshTree::apart(a, a, above, along, 5e-5));
  EXPECT_FALSE(MeshTree::apart(a, a, above, along, 1.5e-4));
  Motion down;
  down.shift = Vec3(0, 0, 2e-4);
  EXPECT_FALSE(MeshTree::apart(a, a, above, down, 0));
  Motion turn;
  turn.turn = Vec3(0, 0, 0.02);
  EXPECT_TRUE(MeshTree::apart(a, a, above, turn, 5e-5));
}

// Squared distance of two triangles against a fine sampling of both: never more than it, and nearly reached.
RC_GTEST_PROP(Triangles, TheirDistanceIsTheLeastOfAllPairsOfPoints, ()) {
  const Triangle a{anyVector(1000), anyVector(1000), anyVector(1000)},
      b{anyVector(1000), anyVector(1000), anyVector(1000)};
  Vec3 onA, onB;
  const double d = std::sqrt(triangleDistance2(a, b, 1e300, onA, onB));
  double least = 1e300;
  constexpr int kN = 24;
  for (int i = 0; i <= kN; ++i)
    for (int j = 0; i + j <= kN; ++j) {
      const double x = static_cast<double>(i) / kN, y = static_cast<double>(j) / kN;
      int f;
      const Vec3 p = a[0] + x * (a[1] - a[0]) + y * (a[2] - a[0]);
      least = std::min(least, (nearestOnTriangle(p, b[0], b[1], b[2], f) - p).norm());
    }
  const double cell = std::max({(a[1] - a[0]).norm(), (a[2] - a[0]).norm(), (a[2] - a[1]).norm()}) / kN;
  RC_ASSERT(d <= least + 1e-12);
  RC_ASSERT(d >= least - cell);
  RC_ASSERT(std::abs((onA - onB).norm() - d) < 1e-12);
}

}  // namespace
}  // namespace cooperage::clearance
