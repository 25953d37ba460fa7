// SPDX-License-Identifier: GPL-3.0-or-later
// Every kind of joint: each value driven, measured and stopped; and dragged by hand with all that holds.
#include "../maker.h"
#include "kinematics/drag.h"

namespace cooperage::kinematics {
namespace {

using namespace cooperage::test;
using model::JointKind;

Maker oneJoint(const model::JointKindInfo& kind) {
  Maker m;
  Json& j = m.joint("j", kind.name, "g", "arm", {0.1, 0.2, 0.3}, Vec3(0.2, -0.1, 1), Vec3(1, 0.3, 0));
  if (kind.kind == JointKind::screw) j["lead"] = "6 mm";
  if (kind.kind == JointKind::pointCurve) {
    m.find("g")["curves"].push_back(
        {{"name", "ring"}, {"seat", "j"}, {"kind", "circle"}, {"centre", {-0.05, 0}}, {"radius", 0.05}});
    m.json()["joints"][0]["curve"] = "ring";
  }
  return m;
}

TEST(EveryJoint, EachOfItsValuesCanBeDrivenAndMeasured) {
  for (const auto& kind : model::jointKinds()) {
    if (kind.kind == JointKind::fixed || kind.kind == JointKind::pointSurface) continue;  // the latter needs a body
    for (const auto& value : kind.values) {
      if (!value.drivable) continue;
      SCOPED_TRACE(std::string(kind.name) + "." + value.name);
      Maker m = oneJoint(kind);
      const std::string name = std::string("j.") + value.name;
      const std::string unit = value.plain ? "" : value.angle ? " rad" : " m";
      m.follow(name, "0.4" + unit + "*sin(2*t)");
      m.run(2, 30);
      const auto r = runFirst(m.read());
      ASSERT_TRUE(r.travel.completed) << said(r);
      EXPECT_LT(worstShare(r, name, [&](std::size_t i) { return 0.4 * std::sin(2 * r.rows[i][0]); }), 1e-12);
      EXPECT_LT(worstShare(r, name + " rate", [&](std::size_t i) { return 0.8 * std::cos(2 * r.rows[i][0]); }), 1e-12);
      EXPECT_LT(worstShare(r, name + " acc", [&](std::size_t i) { return -1.6 * std::sin(2 * r.rows[i][0]); }), 1e-12);
    }
  }
}

TEST(EveryJoint, EachOfItsValuesCanBeStopped) {
  for (const auto& kind : model::jointKinds()) {
    if (kind.kind == JointKind::fixed || kind.kind == JointKind::pointSurface) continue;
    for (const auto& value : kind.values) {
      if (!value.drivable) continue;
      SCOPED_TRACE(std::string(kind.name) + "." + value.name);
      Maker m = oneJoint(kind);
      m.steady(std::string("j.") + value.name, 0.5);
      m.json()["joints"][0]["stops"] = {{value.name, {nullptr, 0.3}}};
      m.run(2, 7);
      const auto r = runFirst(m.read());
      ASSERT_TRUE(r.travel.ended.has_value()) << said(r);
      EXPECT_EQ(r.travel.ended->kind, EndKind::stop);
      EXPECT_NEAR(r.travel.ended->t, 0.6, 1e-8);
    }
  }
}

TEST(EveryJoint, AStoppedAngleOfABallIsFoundBetweenTwoSteps) {
  // the arm swings out to 0.5 rad and back between two of four steps: only its swing is stopped
  Maker m;
  m.joint("ball", "spherical", "g", "arm", Vec3::Zero(), Vec3::UnitZ(), Vec3::UnitX());
  m.json()["joints"][0]["stops"] = {{"swing", {nullptr, 0.45}}};
  m.follow("ball.tilt_x", "0.5*sin(pi*t)");
  m.run(1, 3);
  const auto r = runFirst(m.read());
  ASSERT_TRUE(r.travel.ended.has_value()) << said(r);
  EXPECT_NEAR(r.travel.ended->t, std::asin(0.9) / kPi, 1e-8);
}

/// Drags a point of a link through many places; all closures must hold at each. @return the least distance missed
void dragAround(const Maker& m, int link, const Vec3& grabbed, const std::vector<Vec3>& targets,
                const std::function<void(const Analysed&, const Configuration&, const Vec3&)>& check) {
  const auto a = analysed(m.read());
  Drag drag(a.s, a.r, a.h.configuration, link, grabbed);
  Solver solver(a.s, {});
  solver.setHome(a.h.configuration);
  for (const Vec3& target : targets) {
    const Configuration& c = drag.pull(target);
    solver.forward(c);
    for (double r : solver.residual()) ASSERT_LT(std::abs(r), 1e-9) << "no joint opens";
    check(a, c, solver.linkPose(link) * grabbed);
  }
}

TEST(Dragging, StopsHoldWhileTheRestFollows) {
  // a two-link arm whose elbow is stopped at 0.5: pulled past it the shoulder goes on alone
  Maker m;
  m.hinge("shoulder", "g", "upper", 0, 0);
  m.hinge("elbow", "upper", "fore", 0.3, 0);
  m.json()["joints"][1]["stops"] = {{"turn", {-0.5, 0.5}}};
  dragAround(m, 2, {0.6, 0, 0}, {{0.4, 0.4, 0}, {0.1, 0.55, 0}, {-0.3, 0.5, 0}},
             [](const Analysed& a, const Configuration& c, const Vec3& at) {
               const double elbow = jointValue(a.s, c, 1, 0, a.r);
               EXPECT_LE(std::abs(elbow), 0.5 + 1e-9);
               (void)at;
             });
  // the second target is in reach with the elbow inside its stops: radius 0.559 needs cos(elbow) = (r^2 - 0.18)/0.18
  const auto a = analysed(m.read());
  Drag drag(a.s, a.r, a.h.configuration, 2, {0.6, 0, 0});
  for (int k = 0; k < 12; ++k) drag.pull({0.1, 0.58, 0});
  const Configuration& c = drag.configuration();
  Solver solver(a.s, {});
  solver.forward(c);
  EXPECT_NEAR((solver.linkPose(2) * Vec3(0.6, 0, 0) - Vec3(0.1, 0.58, 0)).norm(), 0, 1e-6);
}

TEST(Dragging, GearsTurnAlong) {
  Maker m;
  m.hinge("a", "g", "one", 0, 0);
  m.hinge("b", "g", "two", 0.3, 0);
  m.add("couplings", {{"name", "mesh"}, {"kind", "gear"}, {"values", {"a.turn", "b.turn"}}, {"teeth", {20, 40}}});
  std::vector<Vec3> targets;
  for (int k = 1; k <= 40; ++k) targets.emplace_back(0.1 * std::cos(0.2 * k), 0.1 * std::sin(0.2 * k), 0);
  dragAround(m, 1, {0.1, 0, 0}, targets, [](const Analysed& a, const Configuration& c, const Vec3&) {
    EXPECT_NEAR(jointValue(a.s, c, 1, 0, a.r), -0.5 * jointValue(a.s, c, 0, 0, a.r), 1e-9);
  });
}

TEST(Dragging, AContactKeepsTouch) {
  // the eccentric's follower is pulled up: the cam turns until its centre stands highest
  const double e = 0.012, R = 0.03;
  Maker m;
  m.hinge("shaft", "g", "cam", 0, 0);
  m.seat("cam", "plane", Vec3::Zero(), Vec3::UnitZ(), Vec3::UnitX());
  m.find("cam")["curves"].push_back(
      {{"name", "disc"}, {"seat", "plane"}, {"kind", "circle"}, {"centre", {e, 0}}, {"radius", R}});
  const double y = std::sqrt(R * R - e * e);
  m.slide("guide", "g", "follower", 0, y, 0, 1);
  m.seat("follower", "tip", {0, y, 0});
  m.add("cam_pairs", {{"name", "c"}, {"kind", "point"}, {"cam", "cam/disc"}, {"follower", "follower/tip"}});
  std::vector<Vec3> targets;
  for (int k = 1; k <= 30; ++k) targets.emplace_back(0, y + 0.001 * k, 0);
  double last = 0;
  dragAround(m, 2, {0, y, 0}, targets, [&](const Analysed& a, const Configuration& c, const Vec3& at) {
    const double q = jointValue(a.s, c, 0, 0, a.r);
    EXPECT_NEAR((Vec3(e * std::cos(q), e * std::sin(q), 0) - at).norm(), R, 1e-9) << "touching";
    last = at.y();
  });
  EXPECT_NEAR(last, R + e, 2e-4) << "as high as the cam lifts it";
}

}  // namespace
}  // namespace cooperage::kinematics
