// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/plane_sweep.h"

#include <map>
#include <random>

#include "../support.h"
#include "clearance/distance.h"
#include "clearance/plane_region.h"
#include "clearance/section_field.h"

namespace cooperage::clearance {
namespace {

using Vec2 = Eigen::Vector2d;

Convex boxOf(double x, double y, double z) {
  Convex c;
  for (const double s : {-0.5, 0.5})
    for (const double t : {-0.5, 0.5}) c.corners.emplace_back(s * x, t * y);
  c.half = 0.5 * z;
  return c;
}
Convex cylinderOf(double radius, double length) {
  Convex c;
  c.corners.emplace_back(0, 0);
  c.rim = radius;
  c.half = 0.5 * length;
  return c;
}
Convex ballOf(double radius) {
  Convex c;
  c.corners.emplace_back(0, 0);
  c.ball = radius;
  return c;
}
Convex barOf(double length, double width, double thickness, double bore) {
  Convex c;
  c.corners = {{0, 0}, {length, 0}};
  c.rim = 0.5 * width;
  c.half = 0.5 * thickness;
  if (bore > 0) c.holes = {{0, 0, 0.5 * bore}, {length, 0, 0.5 * bore}};
  return c;
}

/// Poses of a body at `at` of an arm that turns about z, and then is laid askew as a whole: planes of all directions.
std::vector<Pose> turned(const Pose& at, double angle, int count, const Pose& askew) {
  std::vector<Pose> out;
  for (int i = 0; i <= count; ++i) {
    Pose turn;
    turn.R = Eigen::AngleAxisd(angle * i / count, Vec3::UnitZ()).toRotationMatrix();
    out.push_back(askew * turn * at);
  }
  return out;
}
Pose askew() {
  Pose p;
  p.R = Eigen::AngleAxisd(1.1, Vec3(1, 2, -0.5).normalized()).toRotationMatrix();
  p.p = Vec3(0.2, -0.1, 0.4);
  return p;
}
Pose shifted(double x, double y) {
  Pose p;
  p.p = Vec3(x, y, 0);
  return p;
}

void expectClosed(const shape::Mesh& m) {
  std::map<std::pair<int, int>, int> edges;
  for (const auto& t : m.triangles)
    for (std::size_t k = 0; k < 3; ++k) ++edges[{t[k], t[(k + 1) % 3]}];
  for (const auto& [edge, n] : edges) {
    ASSERT_EQ(n, 1);
    ASSERT_EQ(edges.count({edge.second, edge.first}), 1u);
  }
}

struct Known {
  const char* what;
  Convex body;
  Pose at;
  double clearance, volume;
};

// An arm that turns by a. Box, from the axis outwards: a sector to its far corners and half of it at each end. Disc: a
// band and two half discs. Ball: the same of a torus. Bar: a sector less what its round foot covers twice, and the bar;
// its bores: the foot's stays free, that of the head where the bar stands in no other pose (here: nowhere).
TEST(PlaneSweep, VolumesAreThoseOfClosedForms) {
  const double a = 110 * kPi / 180, R = 0.27, r = 0.03, c = 0.004;
  const double reach2 = 0.3 * 0.3 + 0.03 * 0.03;
  const double foot = 0.02, head = 0.32, bore = 0.008;
  const double bar = 0.5 * a * (head * head - foot * foot) + 0.3 * 0.04 + kPi * foot * foot;
  const auto band = [&](double half) { return a * R * 2 * half + kPi * half * half; };
  const auto tube = [&](double half) { return a * R * kPi * half * half + 4.0 / 3 * kPi * half * half * half; };
  // a disc with rounded edge: the flat band, and by Pappus a quarter circle's worth along its rim
  const double quarter = 0.25 * kPi * c * c, beyond = r + 4 * c / (3 * kPi);
  const double rounded =
      band(r) * (0.02 + 2 * c) + (band(r + c) - band(r)) * 0.02 + 2 * quarter * (2 * a * R + 2 * kPi * beyond);
  for (const Known& k :
       {Known{"box", boxOf(0.3, 0.06, 0.02), shifted(0.15, 0), 0,
              (0.5 * reach2 * (a + 2 * std::atan(0.1)) + 0.3 * 0.03) * 0.02},
        Known{"disc", cylinderOf(r, 0.02), shifted(R, 0), 0, band(r) * 0.02},
        Known{"rounded disc", cylinderOf(r, 0.02), shifted(R, 0), c, rounded},
        Known{"ball", ballOf(r), shifted(R, 0), 0, tube(r)},
        Known{"grown ball", ballOf(r), shifted(R, 0), c, tube(r + c)},
        Known{"bar", barOf(0.3, 0.04, 0.012, 0), Pose{}, 0, bar * 0.012},
        Known{"bored bar", barOf(0.3, 0.04, 0.012, 2 * bore), Pose{}, 0, (bar - kPi * bore * bore) * 0.012}}) {
    SCOPED_TRACE(k.what);
    const double accuracy = 2e-4;
    const auto sweep = PlaneSweep::of({k.body}, {turned(k.at, a, 3000, askew())}, k.clearance, 1e-3 * accuracy);
    ASSERT_TRUE(sweep);
    const auto e = sweep->sweep(accuracy, 0.32 * a / 3000, true, nullptr);
    ASSERT_TRUE(e.ok()) << e.error().text;
    expectClosed(e->mesh);
    EXPECT_LE(e->low, k.volume);
    EXPECT_GE(e->high, k.volume);
    EXPECT_LT(e->high - e->low, 2e-3 * k.volume);
    EXPECT_NEAR(e->volume, k.volume, 1e-5 * k.volume);
    EXPECT_LT(e->error, accuracy / 2);
  }
}

/// Distance of a place outside from a body that moves, over poses a tenth as far apart as those of the sweep.
double distanceOf(const Convex& body, const std::vector<Pose>& poses, const Vec3& x) {
  double best = 1e300;
  for (const Pose& p : poses) {
    const Vec3 own = p.inverse() * x;
    double d = body.ownSignedDistance(own);
    for (const Vec3& h : body.holes) d = std::max(d, h.z() - (own.head<2>() - h.head<2>()).norm());
    best = std::min(best, d);
  }
  return best;
}

// A wheel that rolls, a box that tumbles, a bored bar about a far place, alone and grown: outside, the mesh is as far
// from each place as the bodies themselves, and on the same side.
TEST(PlaneSweep, TheSurfaceIsWhereTheBodiesGetTo) {
  struct Case {
    Convex body;
    double clearance;
  };
  for (const Case& c :
       {Case{boxOf(0.05, 0.02, 0.01), 0}, Case{barOf(0.06, 0.016, 0.006, 0.008), 0},
        Case{cylinderOf(0.011, 0.02), 0.003}, Case{ballOf(0.012), 0}, Case{boxOf(0.04, 0.01, 0.02), 0.002}}) {
    const auto poseAt = [](double t) {  // rolls along a wave
      Pose p;
      p.R = Eigen::AngleAxisd(4 * t, Vec3::UnitZ()).toRotationMatrix();
      p.p = Vec3(0.1 * t, 0.02 * std::sin(7 * t), 0);
      return askew() * p;
    };
    constexpr int kPoses = 1500;
    std::vector<Pose> poses, between;
    for (int i = 0; i <= kPoses; ++i) poses.push_back(poseAt(static_cast<double>(i) / kPoses));
    for (int i = 0; i <= 10 * kPoses; ++i) between.push_back(poseAt(static_cast<double>(i) / (10 * kPoses)));
    const double accuracy = 2e-4;
    const auto sweep = PlaneSweep::of({c.body}, {poses}, c.clearance, 1e-3 * accuracy);
    ASSERT_TRUE(sweep);
    const auto e = sweep->sweep(accuracy, 4.5e-4, true, nullptr);
    ASSERT_TRUE(e.ok()) << e.error().text;
    expectClosed(e->mesh);
    const MeshDistance mesh(e->mesh);
    std::mt19937_64 random(7);
    std::uniform_real_distribution<double> unit(-1, 1);
    int outside = 0;
    for (int i = 0; i < 150; ++i) {
      const Vec3 x = askew() * Vec3(0.05 + 0.12 * unit(random), 0.08 * unit(random), 0.03 * unit(random));
      const double d = distanceOf(c.body, between, x) - c.clearance;
      if (std::abs(d) > accuracy) {
        EXPECT_EQ(mesh.signedDistance(x) > 0, d > 0) << d;
      }
      // beside a bore the way into the bar is not the shortest one
      if (d > 0 && c.body.holes.empty()) {
        ++outside;
        EXPECT_NEAR(mesh.signedDistance(x), d, e->error);
      }
    }
    EXPECT_TRUE(outside > 30 || !c.body.holes.empty());
  }
}

TEST(PlaneSweep, WhatLeavesItsPlaneOrIsNotTheSameAlongItIsNotTaken) {
  const auto turn = [](const Vec3& axis) {
    std::vector<Pose> out;
    for (int i = 0; i <= 10; ++i) {
      Pose p;
      p.R = Eigen::AngleAxisd(0.1 * i, axis.normalized()).toRotationMatrix();
      out.push_back(p);
    }
    return out;
  };
  EXPECT_TRUE(PlaneSweep::of({boxOf(0.1, 0.2, 0.3)}, {turn(Vec3::UnitX())}, 0, 1e-7));
  EXPECT_FALSE(PlaneSweep::of({boxOf(0.1, 0.2, 0.3)}, {turn(Vec3(1, 1e-3, 0))}, 0, 1e-7));
  EXPECT_TRUE(PlaneSweep::of({cylinderOf(0.1, 0.2)}, {turn(Vec3::UnitZ())}, 0, 1e-7));
  EXPECT_FALSE(PlaneSweep::of({cylinderOf(0.1, 0.2)}, {turn(Vec3::UnitY())}, 0, 1e-7));
  // two bodies between the same heights, and not
  const auto still = turn(Vec3::UnitZ());
  auto raised = still;
  for (Pose& p : raised) p.p.z() += 1e-3;
  EXPECT_TRUE(PlaneSweep::of({boxOf(0.1, 0.2, 0.3), cylinderOf(0.1, 0.3)}, {still, still}, 0, 1e-7));
  EXPECT_FALSE(PlaneSweep::of({boxOf(0.1, 0.2, 0.3), cylinderOf(0.1, 0.3)}, {still, raised}, 0, 1e-7));
  EXPECT_FALSE(PlaneSweep::of({boxOf(0.1, 0.2, 0.3), ballOf(0.1)}, {still, still}, 0, 1e-7));
  // a ball along a helix
  auto helix = still;
  for (std::size_t i = 0; i < helix.size(); ++i)
    helix[i].p = helix[i].R * Vec3(0.2, 0, 0) + Vec3(0, 0, 0.01 * static_cast<double>(i));
  EXPECT_FALSE(PlaneSweep::of({ballOf(0.01)}, {helix}, 0, 1e-7));
}

// A disc whose rim is known everywhere, a ring, and slivers far smaller than the first triangles.
// What the squares know of the poses against all poses, at places about the rim. Switched off: that a pose is left out
// only where another is nearer all over its square.
TEST(SectionField, IsTheLeastOverAllPoses) {
  std::mt19937_64 random(5);
  const auto figure = [&](double low, double high) {
    return std::uniform_real_distribution<double>(low, high)(random);
  };
#ifdef __SANITIZE_ADDRESS__
  constexpr int kCases = 4;  // twenty times as slow
#else
  constexpr int kCases = 20;
#endif
  for (int k = 0; k < kCases; ++k) {
    const Convex kinds[] = {boxOf(figure(0.01, 0.1), figure(0.01, 0.05), 0.01), cylinderOf(figure(0.005, 0.04), 0.01),
                            barOf(figure(0.02, 0.1), 0.02, 0.01, 0), barOf(figure(0.02, 0.1), 0.02, 0.01, 0.008)};
    std::vector<SweptBody> bodies;
    for (int b = 0; b < 1 + k % 2; ++b) {
      bodies.emplace_back();
      SweptBody& body = bodies.back();
      body.closed = kinds[(k + b) % 4];
      body.closed->half = 1e3;
      // about a place, at an even speed, as mechanisms do; every third about the body's own middle or bore
      const Vec2 arm = k % 3 == 0 ? Vec2(0, 0) : Vec2(figure(-0.1, 0.1), figure(-0.1, 0.1));
      const double angle = figure(0.5, 6), slide = k % 5 == 0 ? 0.05 : 0;
      for (int i = 0; i <= 300; ++i) {
        Pose turn;
        turn.R = Eigen::AngleAxisd(angle * i / 300, Vec3::UnitZ()).toRotationMatrix();
        turn.p = Vec3(slide * i / 300, 0, 0);
        body.inverse.push_back((turn * shifted(arm.x(), arm.y())).inverse());
      }
    }
    const double accuracy = 1e-4;
    SectionField field(bodies, 0, accuracy, 1e-3, false, nullptr);
    ASSERT_TRUE(field.build(Vec2(0, 0), 0.4, false));
    const auto least = [&](const Vec2& x) {
      double best = 1e300;
      for (const SweptBody& b : bodies)
        for (const Pose& inverse : b.inverse) {
          Vec3 p = inverse * Vec3(x.x(), x.y(), 0);
          p.z() = 0;
          double d = b.closed->ownSignedDistance(p);
          for (const Vec3& h : b.closed->holes) d = std::max(d, h.z() - (p.head<2>() - h.head<2>()).norm());
          best = std::min(best, d);
        }
      return best;
    };
    for (int i = 0; i < 300; ++i) {
      // by steps of the distance to the rim, and a little off it
      Vec2 x(figure(-0.25, 0.25), figure(-0.25, 0.25));
      const Vec2 to(figure(-0.1, 0.1), figure(-0.1, 0.1));
      for (int n = 0; n < 30; ++n) x += std::max(0.0, least(x)) * (to - x).normalized();
      x += Vec2(figure(-1, 1), figure(-1, 1)) * 2 * accuracy;
      ASSERT_NEAR(field.value(x), least(x), 1e-3 * accuracy) << k << ", " << i;
    }
  }
}

TEST(PlaneRegion, FindsEveryPieceAndHole) {
  const std::vector<std::pair<Vec2, double>> discs{{{0, 0}, 0.05}, {{0.2, 0.03}, 0.0004}, {{-0.11, 0.17}, 0.0003}};
  PlaneCut cut;
  cut.tolerance = 5e-5;
  cut.base = 2e-3;
  cut.value = [&](const Vec2& x) {
    double d = 1e300;
    for (const auto& [at, r] : discs) d = std::min(d, (x - at).norm() - r);
    return std::max(d, 0.0007 - (x - Vec2(0.01, 0.02)).norm());
  };
  const auto region = planeRegion(cut, Vec2(-0.3, -0.3), Vec2(0.3, 0.3), nullptr);
  const auto rims = rimsOf(region, 0);
  EXPECT_EQ(rims.size(), 4u);
  double area = 0;
  for (const auto& t : region.triangles) {
    const Vec2 p = region.points[static_cast<std::size_t>(t[1])] - region.points[static_cast<std::size_t>(t[0])],
               q = region.points[static_cast<std::size_t>(t[2])] - region.points[static_cast<std::size_t>(t[0])];
    const double twice = p.x() * q.y() - p.y() * q.x();
    EXPECT_GE(twice, -1e-15);
    area += 0.5 * twice;
  }
  EXPECT_NEAR(area, kPi * (0.05 * 0.05 - 0.0007 * 0.0007 + 0.0004 * 0.0004 + 0.0003 * 0.0003), 2 * kPi * 0.05 * 5e-5);
}

}  // namespace
}  // namespace cooperage::clearance
