// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/sweep_cover.h"

#include <gtest/gtest.h>
#include <openvdb/openvdb.h>

#include "shape/shape_store.h"

namespace cooperage::clearance {
namespace {

constexpr double kVoxel = 0.5e-3;

/// A bored disc that goes along x, and places on it.
struct Sweep {
  std::vector<SweptBody> bodies;
  std::vector<std::vector<Vec3>> places;
  openvdb::FloatGrid::Ptr grid;
};
Sweep discAlongX(double way, double clearance) {
  openvdb::initialize();
  Sweep s;
  shape::ShapeStore store;
  model::Resolved::BodyR disc{};
  disc.kind = model::BodyKind::cylinder;
  disc.figures = {0.01, 0.02};
  const auto mesh = store.mesh(*store.body(disc, "disc"), 5e-5).value();
  Convex shape;
  shape.corners = {Eigen::Vector2d(0, 0)};
  shape.rim = 0.01;
  shape.half = 0.01;
  s.bodies.emplace_back();
  SweptBody& body = s.bodies.back();
  body.closed = shape;
  // the closed form stands about its middle
  Vec3 low = Vec3::Constant(1e300), high = -low;
  for (const Vec3& v : mesh->vertices) {
    low = low.cwiseMin(v);
    high = high.cwiseMax(v);
  }
  Pose toBody;
  toBody.p = -0.5 * (low + high);
  for (double x = 0; x <= way; x += 0.5 * kVoxel) {
    Pose p;
    p.p.x() = x;
    body.inverse.push_back(p.inverse());
  }
  s.places.push_back(placesOn(body, *mesh, toBody));
  SweptGrid grid(s.bodies, kVoxel, clearance, true, nullptr);
  s.grid = grid.fill({-8, -8, -8}, {64, 20, 20});
  return s;
}

TEST(SweepCover, WhatIsSweptHoldsEveryPlaceInEveryPose) {
  for (const double clearance : {0.0, 2e-4, 5e-3}) {
    const Sweep s = discAlongX(0.05, clearance);
    EXPECT_GT(s.places[0].size(), 2000u);
    EXPECT_FALSE(uncovered(*s.grid, kVoxel, clearance, s.bodies, s.places, nullptr)) << clearance;
  }
}

// A space that lacks the last two millimetres, or the clearance, is told; where and by how much.
TEST(SweepCover, WhatIsMissingIsTold) {
  Sweep s = discAlongX(0.05, 0);
  Pose beyond;
  beyond.p.x() = 0.052;
  s.bodies[0].inverse.push_back(beyond.inverse());
  auto out = uncovered(*s.grid, kVoxel, 0, s.bodies, s.places, nullptr);
  ASSERT_TRUE(out);
  EXPECT_EQ(out->body, 0);
  EXPECT_EQ(out->pose, static_cast<int>(s.bodies[0].inverse.size()) - 1);
  EXPECT_GT(out->out, 0.001);
  s.bodies[0].inverse.pop_back();
  // one pose on the way, 1.5 mm to the side
  beyond.p = Vec3(0.02, 0.0015, 0);
  s.bodies[0].inverse[40] = beyond.inverse();
  out = uncovered(*s.grid, kVoxel, 0, s.bodies, s.places, nullptr);
  ASSERT_TRUE(out);
  EXPECT_EQ(out->pose, 40);
  // grown by 1 mm less than was asked for
  const Sweep t = discAlongX(0.05, 0);
  EXPECT_TRUE(uncovered(*t.grid, kVoxel, 1e-3, t.bodies, t.places, nullptr));
}

}  // namespace
}  // namespace cooperage::clearance
