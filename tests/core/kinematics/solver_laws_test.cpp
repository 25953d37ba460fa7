// SPDX-License-Identifier: GPL-3.0-or-later
// Laws that must hold for any mechanism: structure, cost, closure, rates, reversal, order, place.
#include <rapidcheck/gtest.h>

#include <chrono>

#include "../maker.h"

namespace cooperage::kinematics {
namespace {

using namespace cooperage::test;

/// N four-bars in a row, each driven by the rocker of the one before.
Maker ladder(int n) {
  Maker m;
  FourBar f{0.040, 0.110, 0.080, 0.120, 1.0};
  double x = 0, crank = f.q;
  std::string input = "g";
  for (int i = 0; i < n; ++i) {
    f.q = crank;
    const auto [rocker, coupler] = f.angles(Jet(crank));
    const std::string s = std::to_string(i), arm = i == 0 ? "arm" : input;
    if (i == 0) m.hinge("in", "g", arm, 0, 0);
    m.hinge("p" + s, arm, "rod" + s, x + f.a * std::cos(crank), f.a * std::sin(crank));
    m.hinge("q" + s, "rod" + s, "rocker" + s, x + f.d + f.c * std::cos(rocker.v), f.c * std::sin(rocker.v));
    m.hinge("o" + s, "g", "rocker" + s, x + f.d, 0);
    x += f.d;
    crank = 1.0;  // an arm of its own on each rocker, standing like the first crank
    input = "rocker" + s;
  }
  m.follow("in.turn", "0.3*sin(t)");
  m.run(1, 40);
  return m;
}

TEST(Blocks, ALadderIsSolvedFourBarByFourBar) {
  for (const int n : {1, 4, 32}) {
    auto p = prepare(ladder(n).read());
    ASSERT_TRUE(p.run);
    EXPECT_EQ(p.run->mobility().freedoms, 1);
    EXPECT_EQ(p.run->solver().blockCount(), n);
    const Travel travel = p.run->run();
    ASSERT_TRUE(travel.completed);
  }
}

TEST(Blocks, TheLaddersLastRockerEqualsTheChainOfClosedForms) {
  const int n = 4;
  const FourBar f{0.040, 0.110, 0.080, 0.120, 1.0};
  const auto r = runFirst(ladder(n).read());
  ASSERT_TRUE(r.travel.completed) << said(r);
  const auto out = [&](std::size_t i) {
    Jet q = Jet(1.0) + Jet(0.3) * sin(Jet(r.rows[i][0], 1, 0, 0));
    const Jet home = f.angles(Jet(1.0)).first;
    for (int k = 0; k < n; ++k) q = Jet(1.0) + f.angles(q).first - Jet(home.v);
    return q - Jet(1.0);
  };
  const std::string last = "o" + std::to_string(n - 1) + ".turn";
  EXPECT_LT(worstShare(r, last, [&](std::size_t i) { return out(i).v; }), 1e-9);
  EXPECT_LT(worstShare(r, last + " rate", [&](std::size_t i) { return out(i).d1; }), 1e-9);
  EXPECT_LT(worstShare(r, last + " acc", [&](std::size_t i) { return out(i).d2; }), 1e-9);
}

/// Two bars in line between fixed pivots: the middle joint can move to first order only.
Maker shakyTruss() {
  Maker m;
  m.hinge("a", "g", "left", 0, 0);
  m.hinge("b", "left", "right", 0.1, 0);
  m.hinge("c", "g", "right", 0.25, 0);
  return m;
}

TEST(Mobility, AShakyTrussIsRigid) {
  const Maker m = shakyTruss();
  const auto a = analysed(m.read()).m;
  EXPECT_EQ(a.freedoms, 0);
  EXPECT_EQ(a.instantaneous, 1);
}

TEST(Mobility, ACrankBesideAShakyTrussIsOneFreedom) {
  Maker m = shakyTruss();
  m.hinge("free", "g", "crank", 0.5, 0);
  const auto a = analysed(m.read()).m;
  EXPECT_EQ(a.freedoms, 1);
  EXPECT_EQ(a.instantaneous, 2);
}

TEST(Mobility, AFlatParallelogramHasOneFreedom) {
  Maker m;
  m.hinge("a", "g", "crank", 0, 0);
  m.hinge("b", "crank", "coupler", 0.05, 0);
  m.hinge("c", "coupler", "rocker", 0.17, 0);
  m.hinge("d", "g", "rocker", 0.12, 0);
  const auto a = analysed(m.read()).m;
  EXPECT_EQ(a.freedoms, 1);
  EXPECT_EQ(a.instantaneous, 2);
}

TEST(Mobility, AFourBarHasThreeRedundantRowsAndItsJointsSayWhatWouldHelp) {
  Maker m = FourBar{0.040, 0.110, 0.080, 0.120, 1.0}.make();
  const auto a = analysed(m.read()).m;
  EXPECT_EQ(a.redundant, 3);
  EXPECT_TRUE(a.planar);
  ASSERT_EQ(a.redundantJoints.size(), 4u);
  for (const auto& j : a.redundantJoints) EXPECT_EQ(j.cure, "cylindrical (1 less), spherical (2 less)") << j.joint;
  // the cures work: one cylindrical and one spherical joint leave none
  for (Json& j : m.json()["joints"]) {
    if (j["name"] == "p") j["kind"] = "spherical";
    if (j["name"] == "out") j["kind"] = "cylindrical";
  }
  EXPECT_EQ(analysed(m.read()).m.redundant, 0);
}

/// The four-bar with the axis of one joint tilted.
Maker tilted(double degrees) {
  const FourBar f{0.040, 0.110, 0.080, 0.120, 1.0};
  const auto [rocker, coupler] = f.angles(Jet(f.q));
  const double t = degrees * kPi / 180;
  Maker m;
  m.hinge("in", "g", "crank", 0, 0);
  m.hinge("p", "crank", "coupler", f.a * std::cos(f.q), f.a * std::sin(f.q));
  m.hinge("q", "coupler", "rocker", f.d + f.c * std::cos(rocker.v), f.c * std::sin(rocker.v));
  m.joint("out", "revolute", "g", "rocker", {f.d, 0, 0}, Vec3(std::sin(t), 0, std::cos(t)));
  m.steady("in.turn", 2 * kPi);
  m.run(1, 60);
  return m;
}

TEST(Mobility, AxesNearlyParallelMoveWithTheirMisfitShown) {
  const auto a = analysed(tilted(0.003).read());
  EXPECT_EQ(a.m.freedoms, 1);
  EXPECT_TRUE(std::any_of(a.h.messages.begin(), a.h.messages.end(), [](const Message& w) {
    return w.code == "tilted-axis" && w.objects[0] == "out" && w.text.find("0.003") != std::string::npos;
  }));
  const auto r = runFirst(tilted(0.003).read());
  ASSERT_TRUE(r.travel.completed) << said(r);
  const FourBar f{0.040, 0.110, 0.080, 0.120, 1.0};
  const std::size_t out = column(r, "out.turn");
  const double r0 = f.angles(Jet(f.q)).first.v;
  // the plane linkage's motion, but for the tilt
  EXPECT_LT(worstShare(r, "out.turn",
                       [&](std::size_t i) {
                         const double v = f.angles(Jet(f.q + 2 * kPi * r.rows[i][0])).first.v - r0;
                         return r.rows[i][out] + std::remainder(v - r.rows[i][out], 2 * kPi);
                       }),
            2e-4);
}

TEST(Mobility, AnAxisOutByTwoDegreesIsRigidAndNamed) {
  const auto a = analysed(tilted(2).read());
  EXPECT_EQ(a.m.freedoms, 0);
  EXPECT_TRUE(std::any_of(a.m.messages.begin(), a.m.messages.end(), [](const Message& w) {
    return w.code == "tilted-axis" && w.objects[0] == "out" && w.text.find("2 deg") != std::string::npos;
  }));
}

TEST(Home, AllWaysOfAFourBarToCloseAreFound) {
  Maker m = FourBar{0.040, 0.110, 0.080, 0.120, 1.0}.make();
  const auto a = analysed(m.read());
  const auto ways = waysToClose(a.s, a.r, a.h, {a.s.dofOf({0, 0})});
  ASSERT_EQ(ways.size(), 2u);
  const FourBar f{0.040, 0.110, 0.080, 0.120, 1.0};
  const double other = f.angles(Jet(f.q), -1).first.v - f.angles(Jet(f.q)).first.v;
  EXPECT_NEAR(std::remainder(jointValue(a.s, ways[1], 3, 0, a.r) - other, 2 * kPi), 0, 1e-9);
}

TEST(Home, LooseLinksComeTogetherWithLeastMotionOrTheGapIsTold) {
  // the coupler is 1 mm too far away: all links but ground move a little
  Maker m = FourBar{0.040, 0.110, 0.080, 0.120, 1.0}.make(0);
  m.find("coupler")["placement"] = {{"at", {0.001, -0.0005, 0}}, {"turn", {1, 0, 0, 0}}};
  const auto a = analysed(m.read());
  for (double q : a.h.configuration.q) EXPECT_LT(std::abs(q), 0.05);
  EXPECT_LT(a.h.misfit, 1e-10);
  // a rocker that is too short by 100 mm can't
  Maker n;
  n.hinge("in", "g", "crank", 0, 0);
  n.hinge("p", "crank", "coupler", 0.03, 0);
  n.hinge("out", "g", "rocker", 0.4, 0);
  n.seat("coupler", "q", {0.1, 0, 0});
  n.seat("rocker", "q", {0.3, 0, 0});
  n.add("joints", {{"name", "q"}, {"kind", "revolute"}, {"between", {"coupler/q", "rocker/q"}}});
  const auto r = model::resolve(n.read()).value();
  const auto s = System::compile(r).value();
  const auto h = assemble(s, r);
  ASSERT_FALSE(h.ok());
  EXPECT_EQ(h.error().code, "cannot-close");
  EXPECT_NE(h.error().text.find("mm"), std::string::npos);
}

/// A random planar mechanism that can move: a driven crank, and dyads (two links, three hinges, or a hinge and a slide)
/// added one after the other between points of what is there; sometimes a pair of wheels.
Maker randomMechanism() {
  Maker m;
  const auto number = [](double low, double high) {
    return low + (high - low) * (*rc::gen::inRange(0, 10001)) / 10000.0;
  };
  struct Place {
    std::string link;
    Eigen::Vector2d at;
  };
  std::vector<Place> places{{"g", {0.3, 0.02}}, {"g", {-0.1, 0.25}}, {"g", {0.1, -0.3}}};
  m.hinge("in", "g", "crank", 0, 0);
  places.push_back({"crank", {number(0.03, 0.06), number(0.0, 0.04)}});
  const int dyads = *rc::gen::inRange(1, 6);
  for (int k = 0; k < dyads; ++k) {
    const std::string s = std::to_string(k);
    const auto size = static_cast<int>(places.size());
    const int ia = k == 0 ? size - 1 : *rc::gen::inRange(0, size);
    int ib = *rc::gen::inRange(0, size - 1);
    if (places[static_cast<std::size_t>(ib)].link == places[static_cast<std::size_t>(ia)].link) ib = (ia + 1) % size;
    const Place a = places[static_cast<std::size_t>(ia)], b = places[static_cast<std::size_t>(ib)];
    if (a.link == b.link) continue;
    const Eigen::Vector2d way = b.at - a.at;
    if (way.norm() < 0.02) continue;
    const Eigen::Vector2d across(-way.y(), way.x());
    const Eigen::Vector2d knee =
        a.at + number(0.3, 0.7) * way + number(0.6, 1.2) * across * (*rc::gen::inRange(0, 2) ? 1 : -1);
    m.hinge("a" + s, a.link, "u" + s, a.at.x(), a.at.y());
    if (*rc::gen::inRange(0, 4) == 0) {  // a block that slides on the second link
      m.slide("k" + s, "u" + s, "v" + s, knee.x(), knee.y(), number(-1, 1), number(0.2, 1));
    } else {
      m.hinge("k" + s, "u" + s, "v" + s, knee.x(), knee.y());
    }
    m.hinge("b" + s, b.link, "v" + s, b.at.x(), b.at.y());
    places.push_back({"u" + s, knee + Eigen::Vector2d(number(-0.05, 0.05), number(-0.05, 0.05))});
    places.push_back({"v" + s, knee + Eigen::Vector2d(number(-0.05, 0.05), number(-0.05, 0.05))});
  }
  m.follow("in.turn", "0.5*sin(2*t) + 0.1*t");
  return m;
}

RC_GTEST_PROP(SolverLaws, RandomMechanismsStayClosedAndRatesEqualDifferences, ()) {
  Maker m = randomMechanism();
  m.run(1, 25);
  RC_LOG() << m.text() << "\n";
  auto p = prepare(m.read());
  RC_ASSERT(p.run != nullptr);
  const Travel travel = p.run->run();
  RC_ASSERT(!travel.steps.empty());
  Solver check(p.run->system(), {});
  check.setHome(p.run->home().configuration);
  for (const TravelStep& s : travel.steps) {
    check.forward(s.c);
    for (double r : check.residual()) RC_ASSERT(std::abs(r) < 1e-10);
  }
  // Richardson's extrapolation of central differences, at a pose well inside
  if (travel.steps.size() < 12) return;
  const TravelStep& at = travel.steps[travel.steps.size() / 2];
  const double h = 2e-4;
  const auto poseAt = [&](double t) {
    TravelStep s;
    RC_ASSERT(p.run->poseAt(travel, t, s));
    return s;
  };
  const auto a = poseAt(at.t - h), b = poseAt(at.t + h), c = poseAt(at.t - 2 * h), d = poseAt(at.t + 2 * h);
  for (std::size_t k = 0; k < at.qd.size(); ++k) {
    const double rate = (8 * (b.c.q[k] - a.c.q[k]) - (d.c.q[k] - c.c.q[k])) / (12 * h);
    RC_ASSERT(std::abs(rate - at.qd[k]) < 1e-7 * std::max(1.0, std::abs(at.qdd[k])));
    const double acc = (8 * (b.qd[k] - a.qd[k]) - (d.qd[k] - c.qd[k])) / (12 * h);
    RC_ASSERT(std::abs(acc - at.qdd[k]) < 1e-6 * std::max(1.0, std::abs(at.qdd[k])));
  }
}

RC_GTEST_PROP(SolverLaws, ReversingARunGivesTheSamePoses, ()) {
  Maker m = randomMechanism();
  m.json()["drives"] = Json::array();
  m.follow("in.turn", "0.4*t");
  m.run(1, 20);
  RC_LOG() << m.text() << "\n";
  const auto forth = runFirst(m.read());
  RC_PRE(forth.travel.completed);
  // from the end pose back: start there, drive to home
  m.json()["drives"] = Json::array();
  m.follow("in.turn", "0.4*(1-t)");
  m.json()["runs"][0]["start"] = {{"motor", 0.4}};
  const auto back = runFirst(m.read());
  RC_ASSERT(back.travel.completed);
  const std::size_t n = forth.rows.size();
  for (std::size_t i = 0; i < n; ++i)
    for (std::size_t k = 1; k < forth.columns.size(); ++k)
      if (forth.columns[k].name.find(' ') == std::string::npos)
        RC_ASSERT(std::abs(forth.rows[i][k] - back.rows[n - 1 - i][k]) < 1e-9);
}

RC_GTEST_PROP(SolverLaws, OrderAndPlaceDoNotMatter, ()) {
  Maker m = randomMechanism();
  m.run(0.7, 9);
  RC_LOG() << m.text() << "\n";
  const auto first = runFirst(m.read());
  RC_PRE(first.travel.completed);
  Maker other = m;
  auto& links = other.json()["links"];
  auto& joints = other.json()["joints"];
  std::reverse(joints.begin(), joints.end());
  std::reverse(links.begin(), links.end());
  for (Json& l : links)  // a kilometre away
    for (Json& s : l["seats"])
      s["at"] = {s["at"][0].get<double>() + 1000, s["at"][1].get<double>() - 700, s["at"][2].get<double>() + 100};
  const auto second = runFirst(other.read());
  RC_ASSERT(second.travel.completed);
  for (std::size_t i = 0; i < first.rows.size(); ++i)
    for (std::size_t k = 1; k < first.columns.size(); ++k) {
      if (first.columns[k].name.find(' ') != std::string::npos) continue;
      const double v = second.rows[i][column(second, first.columns[k].name)];
      RC_ASSERT(std::abs(first.rows[i][k] - v) < 1e-7);  // 1 km leaves 1e-13 m of the places
    }
}

}  // namespace
}  // namespace cooperage::kinematics
