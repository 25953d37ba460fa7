// SPDX-License-Identifier: GPL-3.0-or-later
// What is measured of a planar mechanism is measured in its plane: how deep its links lie changes nothing.
#include <rapidcheck/gtest.h>

#include "../maker.h"
#include "kinematics/travel.h"
#include "model/planarity.h"

namespace cooperage::kinematics {
namespace {

using namespace cooperage::test;

/// A crank-rocker whose joints lie at these heights over the plane, so that each of its links leads from one to
/// another.
Maker layered(const std::array<double, 4>& heights) {
  const FourBar f{0.040, 0.110, 0.080, 0.120, 1.0};
  const auto [rocker, coupler] = f.angles(Jet(f.q));
  Maker m;
  const Vec3 z = Vec3::UnitZ();
  const double px = f.a * std::cos(f.q), py = f.a * std::sin(f.q);
  m.joint("in", "revolute", "g", "crank", {0, 0, heights[0]}, z);
  m.joint("p", "revolute", "crank", "coupler", {px, py, heights[1]}, z);
  m.joint("q", "revolute", "coupler", "rocker", {f.d + f.c * std::cos(rocker.v), f.c * std::sin(rocker.v), heights[2]},
          z);
  m.joint("out", "revolute", "g", "rocker", {f.d, 0, heights[3]}, z);
  m.steady("in.turn", 2 * kPi);
  m.seat("coupler", "along", {px, py, heights[1]}, Vec3(std::cos(coupler.v), std::sin(coupler.v), 0));
  m.seat("g", "x", {0, 0, heights[3]}, Vec3::UnitX());
  m.gauge("mu", "transmission-angle", "q");
  m.gauge("reach", "distance", {"g/in", "coupler/q"});
  m.gauge("lean", "angle", {"g/x", "coupler/along"}, {{"about", "g/out"}});
  m.run(1, 90);
  return m;
}

RC_GTEST_PROP(PlanarMeasures, LayersChangeNoAngleAndNoDistance, ()) {
  std::array<double, 4> heights{};
  for (double& h : heights) h = *rc::gen::inRange(-40, 41) * 1e-3;
  const auto flat = runFirst(layered({}).read()), deep = runFirst(layered(heights).read());
  RC_ASSERT(flat.travel.completed && deep.travel.completed && flat.rows.size() == deep.rows.size());
  for (const char* name : {"mu", "reach", "lean"}) {
    const std::size_t c = column(flat, name);
    for (std::size_t i = 0; i < flat.rows.size(); ++i) RC_ASSERT(std::abs(flat.rows[i][c] - deep.rows[i][c]) <= 1e-12);
  }
}

TEST(PlanarMeasures, TheGaugesAreThoseOfTheCosineLaw) {
  const FourBar f{0.040, 0.110, 0.080, 0.120, 1.0};
  const auto r = runFirst(layered({0, 0.009, -0.006, 0.02}).read());
  ASSERT_TRUE(r.travel.completed) << said(r);
  const auto across = [&](std::size_t i) {
    const double q = f.q + 2 * kPi * r.rows[i][0];
    return f.a * f.a + f.d * f.d - 2 * f.a * f.d * std::cos(q);
  };
  EXPECT_LT(worstShare(r, "mu",
                       [&](std::size_t i) {
                         const double angle = std::acos((f.b * f.b + f.c * f.c - across(i)) / (2 * f.b * f.c));
                         return std::min(angle, kPi - angle);
                       }),
            kClosedForm);
  EXPECT_LT(worstShare(r, "reach",
                       [&](std::size_t i) {
                         const auto [rocker, coupler] = f.angles(Jet(f.q + 2 * kPi * r.rows[i][0]));
                         return std::hypot(f.d + f.c * std::cos(rocker.v), f.c * std::sin(rocker.v));
                       }),
            kClosedForm);
}

TEST(PlanarMeasures, ADrivenDistanceCountsInThePlaneToo) {
  Maker m;
  m.joint("in", "revolute", "g", "crank", {0, 0, 0});
  m.seat("g", "anchor", {0.1, 0, 0.03});
  m.seat("crank", "pin", {0.06 * std::cos(0.7), 0.06 * std::sin(0.7), -0.02});
  m.gauge("d", "distance", {"g/anchor", "crank/pin"});
  m.add("drives",
        {{"name", "stretch"}, {"gauge", "d"}, {"programme", {{{"law", "poly-345"}, {"to", 0.13}, {"time", 1}}}}});
  m.run(1, 40);
  const auto r = runFirst(m.read());
  ASSERT_TRUE(r.travel.completed) << said(r);
  EXPECT_NEAR(last(r, "d"), 0.13, 1e-12);
  for (const auto& row : r.rows) {
    const double d = row[column(r, "d")];
    EXPECT_NEAR(0.7 + row[column(r, "in.turn")], std::acos((0.0036 + 0.01 - d * d) / 0.012), 1e-10);
  }
}

TEST(PlanarMeasures, WhatLeavesThePlaneIsMeasuredInSpace) {
  const auto normals = [](Maker& m) { return model::planeNormals(model::resolve(m.read()).value()).size(); };
  Maker planar;
  planar.hinge("a", "g", "arm", 0, 0);
  planar.slide("s", "arm", "block", 0.1, 0, 1, 0);
  EXPECT_EQ(normals(planar), 3u);
  Maker lifted = planar;
  lifted.joint("up", "prismatic", "block", "ram", {0.1, 0, 0});
  EXPECT_EQ(normals(lifted), 0u) << "a slide along the normal";
  Maker tilted = planar;
  tilted.joint("out", "revolute", "block", "flap", {0.1, 0, 0}, Vec3(1e-4, 0, 1));
  EXPECT_EQ(normals(tilted), 0u) << "an axis that is out";
  Maker loose = planar;
  loose.link("washer");
  EXPECT_EQ(normals(loose), 0u) << "a link that nothing holds in the plane";
  Maker balls = planar;
  balls.joint("ball", "spherical", "block", "stick", {0.1, 0, 0});
  EXPECT_EQ(normals(balls), 0u);
  tilted.seat("flap", "tip", {0.1, 0, 0.05});
  tilted.gauge("d", "distance", {"g/a", "flap/tip"});
  tilted.steady("a.turn", 1);
  tilted.run(1, 4);
  const auto r = runFirst(tilted.read());
  EXPECT_NEAR(r.rows[0][column(r, "d")], std::hypot(0.1, 0.05), 1e-12);
}

}  // namespace
}  // namespace cooperage::kinematics
