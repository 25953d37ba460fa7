// SPDX-License-Identifier: GPL-3.0-or-later
// Planar linkages against closed forms: cosine law and dyads (Norton, Design of Machinery, ch. 4 and 6).
#include "../maker.h"
#include "kinematics/travel.h"

namespace cooperage::kinematics {
namespace {

using namespace cooperage::test;

/// An angle brought to the turn in which another is.
double near(double angle, double other) { return other + std::remainder(angle - other, 2 * kPi); }

TEST(ClosedForm, FourBarPositionRatesCouplerPathAndTransmissionAngle) {
  const FourBar f{0.040, 0.110, 0.080, 0.120, 1.0};
  Maker m = f.make(2 * kPi);
  m.seat("coupler", "tip", {0.05, 0.07, 0});
  m.gauge("jerk", "joint-jerk", "out.turn");
  m.gauge("x", "point-position", "coupler/tip", {{"component", "x"}});
  m.gauge("vy", "point-velocity", "coupler/tip", {{"component", "y"}});
  m.gauge("ax", "point-acceleration", "coupler/tip", {{"component", "x"}});
  m.gauge("mu", "transmission-angle", "q");
  m.gauge("ratio", "velocity-ratio", {"out.turn", "in.turn"});
  m.gauge("w", "link-rate", "coupler", {{"in", "crank"}, {"component", "z"}});
  m.run(2, 144);  // two turns
  const auto r = runFirst(m.read());
  ASSERT_TRUE(r.travel.completed) << said(r);
  const auto crank = [&](std::size_t i) { return Jet(f.q + 2 * kPi * r.rows[i][0], 2 * kPi, 0, 0); };
  const auto [rocker0, coupler0] = f.angles(Jet(f.q));
  const auto rocker = [&](std::size_t i) { return f.angles(crank(i)).first; };
  const auto coupler = [&](std::size_t i) { return f.angles(crank(i)).second; };
  const std::size_t out = column(r, "out.turn");
  EXPECT_LT(
      worstShare(r, "out.turn", [&, r0 = rocker0.v](std::size_t i) { return near(rocker(i).v - r0, r.rows[i][out]); }),
      kClosedForm);
  EXPECT_LT(worstShare(r, "out.turn rate", [&](std::size_t i) { return rocker(i).d1; }), kClosedForm);
  EXPECT_LT(worstShare(r, "out.turn acc", [&](std::size_t i) { return rocker(i).d2; }), kClosedForm);
  EXPECT_LT(worstShare(r, "jerk", [&](std::size_t i) { return rocker(i).d3; }), kClosedForm);
  EXPECT_LT(worstShare(r, "ratio", [&](std::size_t i) { return rocker(i).d1 / (2 * kPi); }), kClosedForm);
  EXPECT_LT(worstShare(r, "w", [&](std::size_t i) { return coupler(i).d1 - 2 * kPi; }), kClosedForm);
  // the tip lies on the coupler where it lies at home
  const double px = f.a * std::cos(f.q), py = f.a * std::sin(f.q);
  const auto tip = [&, c0 = coupler0.v](std::size_t i) {
    const Jet q = crank(i), k = coupler(i) - Jet(c0), dx(0.05 - px), dy(0.07 - py);
    return std::pair{Jet(f.a) * cos(q) + dx * cos(k) - dy * sin(k), Jet(f.a) * sin(q) + dx * sin(k) + dy * cos(k)};
  };
  EXPECT_LT(worstShare(r, "x", [&](std::size_t i) { return tip(i).first.v; }), kClosedForm);
  EXPECT_LT(worstShare(r, "vy", [&](std::size_t i) { return tip(i).second.d1; }), kClosedForm);
  EXPECT_LT(worstShare(r, "ax", [&](std::size_t i) { return tip(i).first.d2; }), kClosedForm);
  EXPECT_LT(worstShare(r, "mu",
                       [&](std::size_t i) {
                         const double f2 = f.a * f.a + f.d * f.d - 2 * f.a * f.d * std::cos(crank(i).v);
                         const double angle = std::acos((f.b * f.b + f.c * f.c - f2) / (2 * f.b * f.c));
                         return std::min(angle, kPi - angle);
                       }),
            kClosedForm);
}

TEST(ClosedForm, WattSixBarIsTwoFourBarsInARow) {
  const FourBar f{0.040, 0.110, 0.080, 0.120, 1.0};
  const FourBar second{0.060, 0.090, 0.075, 0.100, 0};  // driven by an arm of the rocker, 0.4 rad behind it
  Maker m = f.make(2 * kPi);
  const double arm0 = f.angles(Jet(f.q)).first.v - 0.4;
  const auto [out0, rod0] = second.angles(Jet(arm0));
  m.hinge("r", "rocker", "rod", f.d + second.a * std::cos(arm0), second.a * std::sin(arm0));
  m.hinge("s", "rod", "arm", f.d + second.d + second.c * std::cos(out0.v), second.c * std::sin(out0.v));
  m.hinge("end", "g", "arm", f.d + second.d, 0);
  m.run(1, 90);
  const auto r = runFirst(m.read());
  ASSERT_TRUE(r.travel.completed) << said(r);
  const std::size_t end = column(r, "end.turn");
  const auto arm = [&](std::size_t i) {
    const Jet input = f.angles(Jet(f.q + 2 * kPi * r.rows[i][0], 2 * kPi, 0, 0)).first - Jet(0.4);
    return second.angles(input).first;
  };
  EXPECT_LT(worstShare(r, "end.turn", [&, o = out0.v](std::size_t i) { return near(arm(i).v - o, r.rows[i][end]); }),
            kClosedForm);
  EXPECT_LT(worstShare(r, "end.turn rate", [&](std::size_t i) { return arm(i).d1; }), kClosedForm);
  EXPECT_LT(worstShare(r, "end.turn acc", [&](std::size_t i) { return arm(i).d2; }), kClosedForm);
}

// Peaucellier's cell: OA OE = L^2 - s^2, and A runs on a circle through O: E runs on the line x = (L^2 - s^2)/(2 c).
TEST(ClosedForm, PeaucelliersEightLinksDrawAnExactStraightLine) {
  const double L = 0.10, s = 0.04, c = 0.035, q0 = 0.3;
  Maker m;
  const auto at = [&](double q) {
    const double half = q / 2, oa = 2 * c * std::cos(half);
    const double mid = (oa + (L * L - s * s) / oa) / 2, up = std::sqrt(L * L - mid * mid);
    const Vec3 along(std::cos(half), std::sin(half), 0), across(-std::sin(half), std::cos(half), 0);
    return std::array<Vec3, 4>{oa * along, mid * along + up * across, mid * along - up * across,
                               (2 * mid - oa) * along};
  };
  const auto [A, B, D, E] = at(q0);
  m.joint("in", "revolute", "g", "crank", {c, 0, 0});
  m.joint("ob", "revolute", "g", "long b", Vec3::Zero());
  m.joint("od", "revolute", "g", "long d", Vec3::Zero());
  m.joint("a1", "revolute", "crank", "ab", A);
  m.joint("a2", "revolute", "crank", "ad", A);
  m.joint("b1", "revolute", "long b", "ab", B);
  m.joint("b2", "revolute", "long b", "eb", B);
  m.joint("d1", "revolute", "long d", "ad", D);
  m.joint("d2", "revolute", "long d", "ed", D);
  m.joint("e", "revolute", "eb", "ed", E);
  m.seat("eb", "pen", E);
  m.follow("in.turn", "0.7 rad*sin(3*t)");
  m.gauge("x", "point-position", "eb/pen", {{"component", "x"}});
  m.gauge("y", "point-position", "eb/pen", {{"component", "y"}});
  m.gauge("vx", "point-velocity", "eb/pen", {{"component", "x"}});
  m.gauge("vy", "point-velocity", "eb/pen", {{"component", "y"}});
  m.run(2, 60);
  const auto r = runFirst(m.read());
  ASSERT_TRUE(r.travel.completed) << said(r);
  const double line = (L * L - s * s) / (2 * c);
  const auto y = [&](std::size_t i) {
    const Jet t(r.rows[i][0], 1, 0, 0);
    return Jet(line) * tan(Jet(0.5) * (Jet(q0) + Jet(0.7) * sin(Jet(3) * t)));
  };
  EXPECT_LT(worstShare(r, "x", [&](std::size_t) { return line; }), kClosedForm);
  EXPECT_LT(worstShare(r, "y", [&](std::size_t i) { return y(i).v; }), kClosedForm);
  EXPECT_LT(worstShare(r, "vy", [&](std::size_t i) { return y(i).d1; }), kClosedForm);
  const std::size_t vx = column(r, "vx");
  for (const auto& row : r.rows) EXPECT_NEAR(row[vx], 0, 1e-10);
}

// Discs of an Oldham coupling: the middle one's centre lies on the circle over both shafts' centres (angle in a
// semicircle), and the ratio is one.
TEST(ClosedForm, OldhamCoupling) {
  const double e = 0.012;
  Maker m;
  m.hinge("in", "g", "left", 0, 0);
  m.hinge("out", "g", "right", e, 0);
  m.slide("a", "left", "disc", e, 0, 1, 0);
  m.slide("b", "right", "disc", e, 0, 0, 1);
  m.steady("in.turn", 2);
  m.run(5, 50);
  const auto r = runFirst(m.read());
  ASSERT_TRUE(r.travel.completed) << said(r);
  const auto a = [&](std::size_t i) { return 2 * r.rows[i][0]; };
  EXPECT_LT(worstShare(r, "out.turn", [&](std::size_t i) { return a(i); }), kClosedForm);
  EXPECT_LT(worstShare(r, "out.turn rate", [&](std::size_t) { return 2.0; }), kClosedForm);
  EXPECT_LT(worstShare(r, "a.slide", [&](std::size_t i) { return e * (std::cos(a(i)) - 1); }), kClosedForm);
  EXPECT_LT(worstShare(r, "b.slide", [&](std::size_t i) { return e * std::sin(a(i)); }), kClosedForm);
  EXPECT_LT(worstShare(r, "b.slide acc", [&](std::size_t i) { return -4 * e * std::sin(a(i)); }), kClosedForm);
}

TEST(ClosedForm, ScissorLiftOfThreeStages) {
  const double L = 0.5, q0 = 0.4;
  const int stages = 3;
  Maker m;
  const double w = L * std::cos(q0), h = L * std::sin(q0);
  const auto a = [](int i) { return "a" + std::to_string(i); };
  const auto b = [](int i) { return "b" + std::to_string(i); };
  for (int i = 0; i < stages; ++i) {
    const double y = i * h;
    m.hinge("m" + a(i), a(i), b(i), w / 2, y + h / 2);  // a rises to the right, b to the left
    if (i == 0) {
      m.hinge("foot", "g", a(0), 0, 0);
      m.joint("roll", "pin-slot", "g", b(0), {w, 0, 0}, Vec3::UnitZ(), Vec3::UnitX());
    } else {
      m.hinge("l" + a(i), b(i - 1), a(i), 0, y);
      m.hinge("r" + b(i), a(i - 1), b(i), w, y);
    }
  }
  m.hinge("top", "table", b(stages - 1), 0, stages * h);
  m.joint("top roll", "pin-slot", "table", a(stages - 1), {w, stages * h, 0}, Vec3::UnitZ(), Vec3::UnitX());
  m.seat("table", "plate", {0, stages * h, 0});
  m.follow("foot.turn", "0.5 rad*sin(t)");
  m.gauge("y", "point-position", "table/plate", {{"component", "y"}});
  m.gauge("vy", "point-velocity", "table/plate", {{"component", "y"}});
  m.gauge("tilt", "link-rate", "table", {{"component", "z"}});
  m.run(3, 40);
  const auto r = runFirst(m.read());
  ASSERT_TRUE(r.travel.completed) << said(r);
  const auto y = [&](std::size_t i) {
    const Jet t(r.rows[i][0], 1, 0, 0);
    return Jet(stages * L) * sin(Jet(q0) + Jet(0.5) * sin(t));
  };
  EXPECT_LT(worstShare(r, "y", [&](std::size_t i) { return y(i).v; }), kClosedForm);
  EXPECT_LT(worstShare(r, "vy", [&](std::size_t i) { return y(i).d1; }), kClosedForm);
  for (const auto& row : r.rows) EXPECT_NEAR(row[column(r, "tilt")], 0, 1e-9);
}

// Kennedy and Aronhold: the coupler's instant centre against ground lies where crank and rocker meet, produced.
TEST(ClosedForm, InstantCentresLieWhereTheLinksMeet) {
  const FourBar f{0.040, 0.110, 0.080, 0.120, 1.0};
  Maker m = f.make(3);
  m.run(1, 10);
  auto p = prepare(m.read());
  ASSERT_TRUE(p.run);
  const Travel travel = p.run->run();
  Measurer measurer(*p.run);
  for (const TravelStep& s : travel.steps) {
    const double q = f.q + 3 * s.t, k = f.angles(Jet(q)).first.v;
    // (0,0) + u (cos q, sin q) = (d, 0) + v (cos k, sin k)
    const double det = std::sin(k - q), along = f.d * std::sin(k) / det;
    const auto centre = instantCentre(measurer.relativeMotion(2, -1, s));
    ASSERT_TRUE(centre.has_value());
    EXPECT_NEAR(centre->x(), along * std::cos(q), 1e-9 * std::max(1.0, std::abs(along)));
    EXPECT_NEAR(centre->y(), along * std::sin(q), 1e-9 * std::max(1.0, std::abs(along)));
    // and against the crank in the joint between them
    const auto pin = instantCentre(measurer.relativeMotion(2, 1, s));
    ASSERT_TRUE(pin.has_value());
    EXPECT_NEAR((*pin - Vec3(f.a * std::cos(f.q), f.a * std::sin(f.q), 0)).norm(), 0, 1e-10);
  }
}

TEST(ClosedForm, ADoubleRockersLimitsEqualTheCosineLaw) {
  // crank 0.08 + coupler 0.05 < ground 0.1 + rocker 0.06: the crank swings until coupler and rocker are in line
  const FourBar f{0.080, 0.050, 0.060, 0.100, 0.9};
  const double reach = f.b + f.c;
  const double limit = std::acos((f.a * f.a + f.d * f.d - reach * reach) / (2 * f.a * f.d));
  for (const double rate : {1.0, -1.0}) {
    Maker m = f.make(rate);
    m.run(6, 200)["axis"] = "motor";
    const auto r = runFirst(m.read());
    ASSERT_TRUE(r.travel.ended.has_value());
    EXPECT_EQ(r.travel.ended->kind, EndKind::deadPoint);
    EXPECT_FALSE(r.travel.ended->joint.empty());
    if (rate > 0) {
      EXPECT_NEAR(f.q + r.travel.ended->at, limit, 1e-9);
      // asked at the end of the run: crank at q + 6 rad stands so far from the rocker's pivot
      const double far = std::sqrt(f.a * f.a + f.d * f.d - 2 * f.a * f.d * std::cos(f.q + 6));
      const double gap = std::max({0.0, far - reach, std::abs(f.b - f.c) - far});
      if (gap > 0) {
        EXPECT_NEAR(r.travel.ended->gap, gap, 1e-6);
      }
    } else {
      // going back the crank comes under the line of the pivots: far side of the same limit, or the inner one
      const double inner = std::abs(f.b - f.c);
      const double c = (f.a * f.a + f.d * f.d - inner * inner) / (2 * f.a * f.d);
      const double back = c < 1 ? std::acos(c) : -limit;
      EXPECT_NEAR(f.q + r.travel.ended->at, back, 1e-9);
    }
  }
}

TEST(Travel, AnyNumberOfStepsEndsAtTheSamePose) {
  const FourBar f{0.040, 0.110, 0.080, 0.120, 1.0};
  std::vector<double> first;
  for (const int steps : {1, 7, 36, 360, 3600}) {
    Maker m = f.make(2 * kPi);
    m.run(1.3, steps);
    const auto r = runFirst(m.read());
    ASSERT_TRUE(r.travel.completed) << steps;
    const auto& row = r.rows.back();
    if (first.empty()) first = row;
    for (std::size_t k = 0; k < row.size(); ++k)
      EXPECT_NEAR(row[k], first[k], 1e-9 * std::max(1.0, std::abs(first[k]))) << steps;
  }
}

TEST(Travel, AChangePointParallelogramKeepsItsBranchThroughFullTurns) {
  Maker m;
  const double a = 0.05, d = 0.12, q = 0.5;
  m.hinge("in", "g", "crank", 0, 0);
  m.hinge("p", "crank", "coupler", a * std::cos(q), a * std::sin(q));
  m.hinge("q", "coupler", "rocker", d + a * std::cos(q), a * std::sin(q));
  m.hinge("out", "g", "rocker", d, 0);
  m.steady("in.turn", 2 * kPi);
  for (const int steps : {12, 90, 360}) {
    m.json()["runs"] = Json::array();
    m.run(2, steps);
    const auto r = runFirst(m.read());
    ASSERT_TRUE(r.travel.completed) << steps;
    EXPECT_LT(worstShare(r, "out.turn", [&](std::size_t i) { return 2 * kPi * r.rows[i][0]; }), 1e-9) << steps;
    EXPECT_LT(worstShare(r, "out.turn rate", [&](std::size_t) { return 2 * kPi; }), 1e-7) << steps;
    int points = 0;
    for (const Mark& mark : r.travel.marks) points += mark.code == "change-point";
    EXPECT_EQ(points, 4) << "two in each turn, where all four links are in line";
  }
}

TEST(Travel, AtALimitARunCanTurnBack) {
  const FourBar f{0.080, 0.050, 0.060, 0.100, 0.9};
  const double reach = f.b + f.c;
  const double limit = std::acos((f.a * f.a + f.d * f.d - reach * reach) / (2 * f.a * f.d)) - f.q;
  Maker m = f.make(1);
  Json& run = m.run(1.5 * limit, 300);
  run["at_limit"] = "reverse";
  const auto r = runFirst(m.read());
  ASSERT_TRUE(r.travel.completed) << said(r);
  EXPECT_NEAR(last(r, "in.turn"), 0.5 * limit, 1e-8) << "to the limit and half the way back";
  EXPECT_NEAR(last(r, "in.turn rate"), -1, 1e-12);
  const double rocker = f.angles(Jet(f.q + last(r, "in.turn"))).first.v - f.angles(Jet(f.q)).first.v;
  EXPECT_NEAR(last(r, "out.turn"), rocker, 1e-7) << "on the branch that it came on";
}

TEST(Travel, ARunCanGoOnPastAStopAndMarksIt) {
  const FourBar f{0.040, 0.110, 0.080, 0.120, 1.0};
  Maker m = f.make(1);
  m.json()["joints"][0]["stops"] = {{"turn", {nullptr, 0.25}}};
  m.run(1, 20);
  const auto stopped = runFirst(m.read());
  ASSERT_TRUE(stopped.travel.ended.has_value());
  EXPECT_NEAR(stopped.travel.ended->at, 0.25, 1e-9);
  m.json()["runs"][0]["past_stops"] = true;
  const auto r = runFirst(m.read());
  ASSERT_TRUE(r.travel.completed) << said(r);
  ASSERT_EQ(r.travel.marks.size(), 1u);
  EXPECT_EQ(r.travel.marks[0].code, "past-stop");
  EXPECT_EQ(r.travel.marks[0].object, "in");
  EXPECT_NEAR(r.travel.marks[0].from, 0.25, 1e-8);
  EXPECT_NEAR(r.travel.marks[0].to, 1, 1e-12);
}

}  // namespace
}  // namespace cooperage::kinematics
