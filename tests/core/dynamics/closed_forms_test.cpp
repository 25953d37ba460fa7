// SPDX-License-Identifier: GPL-3.0-or-later
// What drives need and joints bear, against closed forms.
#include <gmock/gmock.h>

#include "../support.h"

namespace cooperage::test {
namespace {

constexpr double kGravity = 9.81;

/// A gauge object of the file.
std::string gauge(const std::string& name, const std::string& kind, const std::string& rest) {
  return R"({"name":")" + name + R"(","kind":")" + kind + "\"" + (rest.empty() ? "" : "," + rest) + "}";
}
std::string driveForce(const std::string& drive = "motor") {
  return gauge(drive + " effort", "drive-force", R"("of":")" + drive + "\"");
}
std::string reaction(const std::string& joint, const std::string& component, const std::string& more = "") {
  return gauge(joint + " " + component, "reaction",
               R"("of":")" + joint + R"(","component":")" + component + "\"" + more);
}
std::string massOf(double value, const std::string& centre, const std::string& inertia) {
  return R"("mass":{"value":)" + formatNumber(value) + R"(,"centre":)" + centre + R"(,"inertia":)" + inertia + "}";
}
const char* const kHead = R"({"format":"cooperage","version":1,"units":{"length":"m","angle":"rad"},)";

/// Value, rate and acceleration of the sine that the drives below follow.
struct Swing {
  double mean, amplitude, w, phase;
  double q(double t) const { return mean + amplitude * std::sin(w * t + phase); }
  double v(double t) const { return amplitude * w * std::cos(w * t + phase); }
  double a(double t) const { return -amplitude * w * w * std::sin(w * t + phase); }
  std::string rows() const {
    return R"([{"law":"formula","formula":")" + formatNumber(mean) + " + " + formatNumber(amplitude) + "*sin(" +
           formatNumber(w) + "*t + " + formatNumber(phase) + R"x()","time":"2 s"}])x";
  }
};
std::string drive(const std::string& name, const std::string& value, const Swing& s) {
  return R"({"name":")" + name + R"(","value":")" + value + R"(","programme":)" + s.rows() + "}";
}
const char* const kRun = R"("runs":[{"name":"r","duration":"2 s","steps":57}])";

double at(const kinematics::RunResult& r, std::size_t row, const std::string& name) {
  return r.rows[row][column(r, name)];
}

TEST(InverseDynamics, APendulumTakesTheTorqueOfItsInertiaAndItsWeight) {
  const double m = 1.7, l = 0.42, I = 0.031;
  const Swing s{0.3, 1.1, 2.3, 0.4};
  const auto result = runFirst(test::read(
      std::string(kHead) + R"("gravity":[0,-9.81,0],"links":[
      {"name":"g","ground":true,"seats":[{"name":"o"}]},
      {"name":"p","seats":[{"name":"o"}],)" +
      massOf(m, "[0.42,0,0]", "[0.01,0.03,0.031,0,0,0]") + R"(}],
    "joints":[{"name":"j","kind":"revolute","between":["g/o","p/o"]}],
    "drives":[)" +
      drive("motor", "j.turn", s) + R"(],"gauges":[)" + driveForce() + "," +
      gauge("power", "drive-power", R"("of":"motor")") + "," + reaction("j", "fx") + "," + reaction("j", "fy") + "," +
      reaction("j", "mz") + "," + reaction("j", "fx", R"(,"on":"g","in":"p")").replace(9, 4, "j on") + "," +
      gauge("kinetic", "energy", R"("part":"kinetic")") + "," + gauge("potential", "energy", R"("part":"potential")") +
      "," + gauge("centre x", "mass-centre", R"("component":"x")") + "," +
      gauge("shake", "shaking", R"("component":"fy")") + "]," + kRun + "}"));
  ASSERT_TRUE(result.travel.completed) << said(result);
  const auto t = [&](std::size_t i) { return result.rows[i][0]; };
  const auto torque = [&](std::size_t i) {
    return (I + m * l * l) * s.a(t(i)) + m * kGravity * l * std::cos(s.q(t(i)));
  };
  EXPECT_LT(worstShare(result, "motor effort", torque), kClosedForm);
  EXPECT_LT(worstShare(result, "j mz", torque), kClosedForm) << "the drive's is in the reaction";
  EXPECT_LT(worstShare(result, "power", [&](std::size_t i) { return torque(i) * s.v(t(i)); }), kClosedForm);
  const auto ax = [&](std::size_t i) {
    return l * (-s.a(t(i)) * std::sin(s.q(t(i))) - s.v(t(i)) * s.v(t(i)) * std::cos(s.q(t(i))));
  };
  const auto ay = [&](std::size_t i) {
    return l * (s.a(t(i)) * std::cos(s.q(t(i))) - s.v(t(i)) * s.v(t(i)) * std::sin(s.q(t(i))));
  };
  EXPECT_LT(worstShare(result, "j fx", [&](std::size_t i) { return m * ax(i); }), kClosedForm);
  EXPECT_LT(worstShare(result, "j fy", [&](std::size_t i) { return m * (ay(i) + kGravity); }), kClosedForm);
  EXPECT_LT(worstShare(result, "j on",
                       [&](std::size_t i) {
                         const double q = s.q(t(i));
                         return -m * (ax(i) * std::cos(q) + (ay(i) + kGravity) * std::sin(q));
                       }),
            kClosedForm)
      << "on the ground, along the pendulum";
  EXPECT_LT(worstShare(result, "shake", [&](std::size_t i) { return -m * ay(i); }), kClosedForm);
  EXPECT_LT(worstShare(result, "kinetic", [&](std::size_t i) { return 0.5 * (I + m * l * l) * s.v(t(i)) * s.v(t(i)); }),
            kClosedForm);
  EXPECT_LT(worstShare(result, "potential", [&](std::size_t i) { return m * kGravity * l * std::sin(s.q(t(i))); }),
            kClosedForm);
  EXPECT_LT(worstShare(result, "centre x", [&](std::size_t i) { return l * std::cos(s.q(t(i))); }), kClosedForm);
}

// Both torques of a double pendulum with angles against one another: Craig, Introduction to Robotics, ch. 6, here by
// Lagrange's equations for absolute angles, with the torques as what acts between the links.
TEST(InverseDynamics, ADoublePendulumTakesBothTorquesOfLagrange) {
  const double m1 = 1.3, m2 = 0.8, l1 = 0.5, c1 = 0.2, c2 = 0.3, I1 = 0.02, I2 = 0.015;
  const Swing s1{0.2, 0.9, 2.1, 0.3}, s2{-0.4, 1.3, 3.2, 1.0};
  const auto result = runFirst(test::read(std::string(kHead) + R"("gravity":[0,-9.81,0],"links":[
      {"name":"g","ground":true,"seats":[{"name":"o"}]},
      {"name":"a","seats":[{"name":"o"},{"name":"e","at":[0.5,0,0]}],)" +
                                          massOf(m1, "[0.2,0,0]", "[0,0.02,0.02,0,0,0]") + R"(},
      {"name":"b","placement":{"at":[0.5,0,0]},"seats":[{"name":"o"}],)" +
                                          massOf(m2, "[0.3,0,0]", "[0,0.015,0.015,0,0,0]") + R"(}],
    "joints":[{"name":"j","kind":"revolute","between":["g/o","a/o"]},{"name":"k","kind":"revolute","between":["a/e","b/o"]}],
    "drives":[)" + drive("one", "j.turn", s1) +
                                          "," + drive("two", "k.turn", s2) + R"(],"gauges":[)" + driveForce("one") +
                                          "," + driveForce("two") + "]," + kRun + "}"));
  ASSERT_TRUE(result.travel.completed) << said(result);
  const auto both = [&](std::size_t i) {
    const double t = result.rows[i][0];
    const double p = s1.q(t), q = p + s2.q(t), pd = s1.v(t), qd = pd + s2.v(t), pdd = s1.a(t), qdd = pdd + s2.a(t);
    const double h = m2 * l1 * c2;
    const double a = (I1 + m1 * c1 * c1 + m2 * l1 * l1) * pdd + h * std::cos(p - q) * qdd +
                     h * std::sin(p - q) * qd * qd + (m1 * c1 + m2 * l1) * kGravity * std::cos(p);
    const double b = (I2 + m2 * c2 * c2) * qdd + h * std::cos(p - q) * pdd - h * std::sin(p - q) * pd * pd +
                     m2 * c2 * kGravity * std::cos(q);
    return std::pair{a + b, b};  // the second torque acts back on the first link
  };
  EXPECT_LT(worstShare(result, "one effort", [&](std::size_t i) { return both(i).first; }), kClosedForm);
  EXPECT_LT(worstShare(result, "two effort", [&](std::size_t i) { return both(i).second; }), kClosedForm);
}

/// A slider-crank with masses: Newton and Euler for each of its three links, nine equations for four joints' forces,
/// the guide's moment and the crank's torque, from positions by calculus (Jet).
class SliderCrank : public ::testing::Test {
 protected:
  static constexpr double r = 0.034, l = 0.12, e = 0.011, w = 2 * kPi, start = 30 * kPi / 180;
  static constexpr double m[3] = {0.9, 0.7, 1.4}, I[3] = {8e-4, 1.1e-3, 9e-4};
  // crank pin at O + r; centres in the links' own axes: crank (0.01, 0.004), rod (0.05, -0.006), block (0.012, 0.003)

  static std::string document(const std::string& gauges, const std::string& loads) {
    std::string text = sliderCrank(34, 120, 11);
    const auto put = [&](const std::string& link, int k, const std::string& centre) {
      const std::string head = R"({"name":")" + link + R"(","placement")";
      const std::size_t where = text.find(head);
      text.insert(
          where + 1,
          massOf(m[k], centre, R"(["1 kg*m^2","1 kg*m^2",")" + formatNumber(I[k]) + R"( kg*m^2",0,0,0])") + ",");
    };
    put("crank", 0, "[10,4,0]");
    put("rod", 1, "[50,-6,0]");
    put("block", 2, "[12,3,0]");
    const std::string old = R"("gauges":[)";
    text.insert(text.find(old) + old.size(), gauges + ",");
    text.insert(text.find(R"("drives":)"), loads + ",");
    return text;
  }
  struct Link {
    Jet x, y, angle;  ///< centre of mass
  };
  /// Unknowns: forces at O on the crank, at A on the rod, at B on the block, N on the block, its moment, the torque.
  static Eigen::VectorXd solve(double t, double gravity, double load) {
    const Jet q(start + w * t, w, 0, 0);
    const Jet ax = Jet(r) * cos(q), ay = Jet(r) * sin(q);
    const Jet s = (Jet(e) - ay) / Jet(l), c = sqrt(Jet(1) - s * s);
    const Jet bx = ax + Jet(l) * c, by = Jet(e);
    const auto placed = [](const Jet& x, const Jet& y, const Jet& co, const Jet& si, double u, double v) {
      return std::pair{x + Jet(u) * co - Jet(v) * si, y + Jet(u) * si + Jet(v) * co};
    };
    const auto g1 = placed(Jet(0), Jet(0), cos(q), sin(q), 0.01, 0.004);
    const auto g2 = placed(ax, ay, c, s, 0.05, -0.006);
    const auto g3 = placed(bx, by, Jet(1), Jet(0), 0.012, 0.003);
    // the rod's angle: s = sin(angle), so angle' = s'/c and so on
    const double rodRate = s.d1 / c.v, rodAcc = (s.d2 + s.v * rodRate * rodRate) / c.v;
    const double acc[3] = {0, rodAcc, 0};
    Eigen::MatrixXd M = Eigen::MatrixXd::Zero(9, 9);
    Eigen::VectorXd b(9);
    // columns 0 Ox, 1 Oy, 2 Ax, 3 Ay, 4 Bx, 5 By, 6 N, 7 moment, 8 torque
    const auto moment = [&](int row, int fx, int fy, double sign, double px, double py, const std::pair<Jet, Jet>& g) {
      M(row, fx) += sign * -(py - g.second.v);
      M(row, fy) += sign * (px - g.first.v);
    };
    const std::pair<Jet, Jet> g[3] = {g1, g2, g3};
    for (int k = 0; k < 3; ++k) {
      b[3 * k] = m[k] * g[k].first.d2;
      b[3 * k + 1] = m[k] * (g[k].second.d2 + gravity);
      b[3 * k + 2] = I[k] * acc[k];
    }
    M(0, 0) = 1, M(0, 2) = -1, M(1, 1) = 1, M(1, 3) = -1;
    moment(2, 0, 1, 1, 0, 0, g1);
    moment(2, 2, 3, -1, ax.v, ay.v, g1);
    M(2, 8) = 1;
    M(3, 2) = 1, M(3, 4) = -1, M(4, 3) = 1, M(4, 5) = -1;
    moment(5, 2, 3, 1, ax.v, ay.v, g2);
    moment(5, 4, 5, -1, bx.v, by.v, g2);
    M(6, 4) = 1, M(7, 5) = 1, M(7, 6) = 1;
    b[6] -= load;  // along x on the block, at its pin
    moment(8, 4, 5, 1, bx.v, by.v, g3);
    M(8, 6) = bx.v - g3.first.v;  // N and its moment at the block's seat
    M(8, 7) = 1;
    b[8] -= -(by.v - g3.second.v) * load;
    return M.fullPivLu().solve(b);
  }
  static double shakeX(double t) {
    const Jet q(start + w * t, w, 0, 0);
    const Jet ax = Jet(r) * cos(q), ay = Jet(r) * sin(q), s = (Jet(e) - ay) / Jet(l), c = sqrt(Jet(1) - s * s);
    const Jet g1 = Jet(0.01) * cos(q) - Jet(0.004) * sin(q), g2 = ax + Jet(0.05) * c + Jet(0.006) * s,
              g3 = ax + Jet(l) * c;
    return -(m[0] * g1.d2 + m[1] * g2.d2 + m[2] * g3.d2);
  }
};

TEST_F(SliderCrank, TorqueAndAllReactionsAreThoseOfNewtonAndEuler) {
  std::string gauges = driveForce();
  for (const char* joint : {"main", "big", "small", "slide"})
    for (const char* part : {"fx", "fy", "mz"}) gauges += "," + reaction(joint, part);
  gauges += "," + gauge("shake", "shaking", R"("component":"fx")");
  const auto result = runFirst(test::read(document(
      gauges, R"("gravity":[0,"-9.81 m/s^2",0],"forces":[{"name":"press","on":"block/pin","force":["-250 N",0,0]}])")));
  ASSERT_TRUE(result.travel.completed) << said(result);
  const auto unknown = [&](int k) {
    return [&result, k](std::size_t i) { return solve(result.rows[i][0], kGravity, -250)[k]; };
  };
  EXPECT_LT(worstShare(result, "motor effort", unknown(8)), kClosedForm);
  EXPECT_LT(worstShare(result, "main fx", unknown(0)), kClosedForm);
  EXPECT_LT(worstShare(result, "main fy", unknown(1)), kClosedForm);
  EXPECT_LT(worstShare(result, "main mz", unknown(8)), kClosedForm);
  EXPECT_LT(worstShare(result, "big fx", unknown(2)), kClosedForm);
  EXPECT_LT(worstShare(result, "big fy", unknown(3)), kClosedForm);
  EXPECT_LT(worstShare(result, "small fx", unknown(4)), kClosedForm);
  EXPECT_LT(worstShare(result, "small fy", unknown(5)), kClosedForm);
  EXPECT_LT(worstShare(result, "slide fy", unknown(6)), kClosedForm);
  EXPECT_LT(worstShare(result, "slide mz", unknown(7)), kClosedForm);
  EXPECT_LT(worstShare(result, "shake", [&](std::size_t i) { return shakeX(result.rows[i][0]); }), kClosedForm);
  for (std::size_t i = 0; i < result.rows.size(); ++i) {
    EXPECT_NEAR(at(result, i, "small mz"), 0, 1e-10);
    EXPECT_NEAR(at(result, i, "slide fx"), 0, 1e-9) << "a slide bears nothing along itself";
  }
}

// All its joints lie in one plane: what is square to it is borne three times over in the loop, and said so.
TEST_F(SliderCrank, WhatIsSquareToThePlaneIsUndeterminedAndNeverAFigure) {
  const auto result =
      runFirst(test::read(document(reaction("big", "fz") + "," + reaction("slide", "mx") + "," + reaction("big", "fx"),
                                   R"("gravity":[0,0,-9.81])")));
  ASSERT_TRUE(result.travel.completed);
  for (std::size_t i = 0; i < result.rows.size(); ++i) {
    EXPECT_TRUE(std::isnan(at(result, i, "big fz")));
    EXPECT_TRUE(std::isnan(at(result, i, "slide mx")));
    EXPECT_FALSE(std::isnan(at(result, i, "big fx")));
  }
  int told = 0;
  for (const auto& message : result.travel.messages)
    if (message.code == "undetermined") {
      ++told;
      EXPECT_THAT(message.text, ::testing::HasSubstr("could be")) << "the cure is named";
    }
  EXPECT_EQ(told, 2) << said(result);
}

TEST(InverseDynamics, ARotorOutOfBalancePullsAtItsBearing) {
  const double m = 2.5, e = 0.003, w = 100;
  const auto result = runFirst(test::read(std::string(kHead) + R"("links":[
      {"name":"g","ground":true,"seats":[{"name":"o"}]},
      {"name":"rotor","seats":[{"name":"o"}],)" +
                                          massOf(m, "[0.003,0,0]", "[0.1,0.1,0.2,0,0,0]") + R"(}],
    "joints":[{"name":"j","kind":"revolute","between":["g/o","rotor/o"]}],
    "drives":[{"name":"motor","value":"j.turn","programme":[{"law":"constant-speed","speed":"100 rad/s","time":"0.1 s"}]}],
    "gauges":[)" + reaction("j", "fx") + "," +
                                          reaction("j", "fy", R"(,"on":"g")") + "," + driveForce() + R"(],
    "runs":[{"name":"r","duration":"0.1 s","steps":60}]})"));
  ASSERT_TRUE(result.travel.completed) << said(result);
  const auto angle = [&](std::size_t i) { return w * result.rows[i][0]; };
  EXPECT_LT(worstShare(result, "j fx", [&](std::size_t i) { return -m * e * w * w * std::cos(angle(i)); }),
            kClosedForm);
  EXPECT_LT(worstShare(result, "j fy", [&](std::size_t i) { return m * e * w * w * std::sin(angle(i)); }), kClosedForm);
  for (std::size_t i = 0; i < result.rows.size(); ++i) EXPECT_NEAR(at(result, i, "motor effort"), 0, 1e-9);
}

// A spinning top whose axis is turned at a steady rate takes the moment precession x spin momentum.
TEST(InverseDynamics, AGyroscopeTakesTheMomentOfItsPrecession) {
  const double spin = 300, turn = 4, axial = 0.02;
  const auto result = runFirst(test::read(std::string(kHead) + R"("links":[
      {"name":"g","ground":true,"seats":[{"name":"o"}]},
      {"name":"fork","seats":[{"name":"o"},{"name":"axle","axis":[1,0,0],"ref":[0,1,0]}]},
      {"name":"rotor","seats":[{"name":"axle","axis":[1,0,0],"ref":[0,1,0]}],)" +
                                          massOf(3, "[0,0,0]", "[0.02,0.013,0.013,0,0,0]") + R"(}],
    "joints":[{"name":"post","kind":"revolute","between":["g/o","fork/o"]},
              {"name":"axle","kind":"revolute","between":["fork/axle","rotor/axle"]}],
    "drives":[{"name":"a","value":"post.turn","programme":[{"law":"constant-speed","speed":"4 rad/s","time":"1 s"}]},
              {"name":"b","value":"axle.turn","programme":[{"law":"constant-speed","speed":"300 rad/s","time":"1 s"}]}],
    "gauges":[)" + reaction("axle", "my", R"(,"in":"fork")") +
                                          "," + reaction("axle", "mx", R"(,"in":"fork")") + "," +
                                          reaction("post", "mx") + "," + driveForce("a") + R"(],
    "runs":[{"name":"r","duration":"1 s","steps":40}]})"));
  ASSERT_TRUE(result.travel.completed) << said(result);
  const double moment = axial * spin * turn;
  for (std::size_t i = 0; i < result.rows.size(); ++i) {
    EXPECT_NEAR(at(result, i, "axle my"), moment, 1e-9 * moment);
    EXPECT_NEAR(at(result, i, "axle mx"), 0, 1e-9 * moment);
    EXPECT_NEAR(at(result, i, "post mx"), -moment * std::sin(turn * result.rows[i][0]), 1e-9 * moment);
    EXPECT_NEAR(at(result, i, "a effort"), 0, 1e-9 * moment);
  }
}

TEST(InverseDynamics, AGearTrainTakesItsInertiaByTheSquareOfTheRatio) {
  const double I1 = 0.004, I2 = 0.09;
  const Swing s{0, 1.2, 3, 0};
  const auto result =
      runFirst(test::read(std::string(kHead) + R"("links":[
      {"name":"g","ground":true,"seats":[{"name":"o"},{"name":"p","at":[0.1,0,0]}]},
      {"name":"a","seats":[{"name":"o"}],)" +
                          massOf(1, "[0,0,0]", "[0.004,0.004,0.004,0,0,0]") + R"(},
      {"name":"b","placement":{"at":[0.1,0,0]},"seats":[{"name":"o"}],)" +
                          massOf(1, "[0,0,0]", "[0.09,0.09,0.09,0,0,0]") + R"(}],
    "joints":[{"name":"j","kind":"revolute","between":["g/o","a/o"]},{"name":"k","kind":"revolute","between":["g/p","b/o"]}],
    "couplings":[{"name":"c","kind":"gear","values":["j.turn","k.turn"],"teeth":[17,51]}],
    "springs":[{"name":"coil","of":"k.turn","stiffness":"2 N*m/rad","free":"0.5 rad","preload":"0.3 N*m"}],
    "drives":[)" + drive("motor", "j.turn", s) +
                          R"(],"gauges":[)" + driveForce() + "," + reaction("k", "mz") + "," + reaction("j", "mz") +
                          "," + gauge("strain", "energy", R"("part":"potential")") + "]," + kRun + "}"));
  ASSERT_TRUE(result.travel.completed) << said(result);
  const double ratio = -17.0 / 51;
  const auto effort = [&](std::size_t i) {
    const double t = result.rows[i][0], longer = ratio * s.q(t) - 0.5;
    return (I1 + I2 * ratio * ratio) * s.a(t) + ratio * (2 * longer + 0.3);
  };
  EXPECT_LT(worstShare(result, "motor effort", effort), kClosedForm);
  EXPECT_LT(worstShare(result, "j mz", effort), kClosedForm);
  EXPECT_LT(worstShare(result, "strain",
                       [&](std::size_t i) {
                         const double x = ratio * s.q(result.rows[i][0]) - 0.5;
                         return x * x + 0.3 * x;
                       }),
            kClosedForm);
  for (std::size_t i = 0; i < result.rows.size(); ++i)
    EXPECT_NEAR(at(result, i, "k mz"), 0, 1e-12)
        << "the bearing bears no moment about its axis: the teeth and the spring do";
}

TEST(InverseDynamics, RackAndScrewTakeTheEffortOfTheirRatio) {
  const double m = 4, load = 300, radius = 0.018, lead = 0.006;
  const Swing s{0, 2, 2, 0.1};
  const std::string links = R"("gravity":[0,0,-9.81],"links":[
      {"name":"g","ground":true,"seats":[{"name":"o"},{"name":"x","axis":[1,0,0],"ref":[0,1,0]}]},
      {"name":"a","seats":[{"name":"o"},{"name":"z"}],)" +
                            massOf(1, "[0,0,0]", "[0.01,0.01,0.01,0,0,0]") + R"(},
      {"name":"b","seats":[{"name":"x","axis":[1,0,0],"ref":[0,1,0]},{"name":"z"}],)" +
                            massOf(m, "[0,0,0]", "[1,1,1,0,0,0]") + R"(}],)";
  const auto rack = runFirst(test::read(std::string(kHead) + links + R"(
    "joints":[{"name":"j","kind":"revolute","between":["g/o","a/o"]},{"name":"k","kind":"prismatic","between":["g/x","b/x"]}],
    "couplings":[{"name":"c","kind":"rack","values":["j.turn","k.slide"],"radius":"18 mm"}],
    "forces":[{"name":"load","of":"k.slide","effort":"-300 N"}],
    "drives":[)" + drive("motor", "j.turn", s) +
                                        R"(],"gauges":[)" + driveForce() + "]," + kRun + "}"));
  ASSERT_TRUE(rack.travel.completed) << said(rack);
  EXPECT_LT(worstShare(rack, "motor effort",
                       [&](std::size_t i) {
                         const double a = s.a(rack.rows[i][0]);
                         return 0.01 * a + radius * (m * radius * a + load);
                       }),
            kClosedForm);
  // a nut that climbs on a screw: the joint bears the axial force, its drive the moment of the lead
  const auto screw =
      runFirst(test::read(std::string(kHead) + links + R"(
    "joints":[{"name":"j","kind":"revolute","between":["g/o","a/o"]},
              {"name":"thread","kind":"screw","lead":"6 mm","between":["a/z","b/z"]},
              {"name":"k","kind":"prismatic","between":["g/o","b/z"]}],
    "drives":[)" + drive("motor", "j.turn", s) +
                          R"(],"gauges":[)" + driveForce() + "," + reaction("thread", "fz") + "]," + kRun + "}"));
  ASSERT_TRUE(screw.travel.completed) << said(screw);
  const double per = lead / (2 * kPi);
  EXPECT_LT(worstShare(screw, "motor effort",
                       [&](std::size_t i) {
                         const double a = s.a(screw.rows[i][0]);
                         return 0.01 * a + per * m * (per * a - kGravity);
                       }),
            kClosedForm)
      << "seen from the screw the nut turns back: it goes down as the screw turns on";
}

TEST(InverseDynamics, ADoorOnTwoHingesBearsItsWeightOnOneKnowsNotWhich) {
  const auto door = [](const std::string& hinge) {
    std::string gauges;
    for (const char* c : {"fx", "fy", "fz", "mx", "my", "mz"})
      gauges += (gauges.empty() ? "" : ",") + reaction("low", c);
    return test::read(std::string(kHead) + R"("gravity":[0,0,-9.81],"links":[
      {"name":"g","ground":true,"seats":[{"name":"low"},{"name":"high","at":[0,0,2]}]},
      {"name":"door","seats":[{"name":"low"},{"name":"high","at":[0,0,2]}],)" +
                      massOf(20, "[0.4,0,1]", "[6,7,2,0,0,0]") + R"(}],
      "joints":[{"name":"low","kind":")" +
                      hinge + R"(","between":["g/low","door/low"]},
                {"name":"high","kind":")" +
                      hinge + R"(","between":["g/high","door/high"]}],
      "drives":[{"name":"motor","value":"low.turn","programme":[{"law":"constant-speed","speed":"1 rad/s","time":"1 s"}]}],
      "gauges":[)" + gauges +
                      R"(],"runs":[{"name":"r","duration":"1 s","steps":10}]})");
  };
  const auto ball = runFirst(door("spherical"));
  ASSERT_TRUE(ball.travel.completed) << said(ball);
  // moments about the lower hinge: the upper one holds the door's weight by a force of its lever, 20 g 0.4 / 2
  for (std::size_t i = 0; i < ball.rows.size(); ++i) {
    const double t = ball.rows[i][0], pull = 20 * kGravity * 0.4 / 2, inward = 20 * 0.4 / 2;
    EXPECT_TRUE(std::isnan(at(ball, i, "low fz")));
    EXPECT_NEAR(at(ball, i, "low fx"), (pull - inward) * std::cos(t), 1e-9 * pull);
    EXPECT_NEAR(at(ball, i, "low fy"), (pull - inward) * std::sin(t), 1e-9 * pull);
    for (const char* m : {"low mx", "low my", "low mz"}) EXPECT_NEAR(at(ball, i, m), 0, 1e-9 * pull) << m;
  }
  ASSERT_EQ(std::count_if(ball.travel.messages.begin(), ball.travel.messages.end(),
                          [](const auto& m) { return m.code == "undetermined"; }),
            1)
      << said(ball);
  // stiff hinges share all but the moment about their axis
  const auto stiff = runFirst(door("revolute"));
  ASSERT_TRUE(stiff.travel.completed) << said(stiff);
  for (const char* c : {"low fx", "low fy", "low fz", "low mx", "low my"})
    EXPECT_TRUE(std::isnan(at(stiff, 3, c))) << c;
  EXPECT_NEAR(at(stiff, 3, "low mz"), 0, 1e-9);
}

TEST(InverseDynamics, FrictionBrakesByWhatTheJointBears) {
  const double m = 3, mu = 0.2, c = 7, load = 40;
  const Swing s{0, 0.3, 2, 0.7};
  const auto result =
      runFirst(test::read(std::string(kHead) + R"("gravity":[0,0,-9.81],"links":[
      {"name":"g","ground":true,"seats":[{"name":"x","axis":[1,0,0],"ref":[0,1,0]}]},
      {"name":"b","seats":[{"name":"x","axis":[1,0,0],"ref":[0,1,0]}],)" +
                          massOf(m, "[0,0,0.1]", "[1,1,1,0,0,0]") + R"(}],
    "joints":[{"name":"k","kind":"prismatic","between":["g/x","b/x"]}],
    "friction":[{"name":"f","of":"k.slide","coefficient":0.2,"viscous":"7 N*s/m"}],
    "forces":[{"name":"side","on":"b/x","force":[0,"40 N",0]}],
    "drives":[)" + drive("motor", "k.slide", s) +
                          R"(],"gauges":[)" + driveForce() + "," + reaction("k", "fx") + "]," + kRun + "}"));
  ASSERT_TRUE(result.travel.completed) << said(result);
  const double across = std::hypot(m * kGravity, load);
  const auto effort = [&](std::size_t i) {
    const double v = s.v(result.rows[i][0]);
    return m * s.a(result.rows[i][0]) + c * v + std::copysign(mu * across, v);
  };
  EXPECT_LT(worstShare(result, "motor effort", effort), kClosedForm);
  // what the joint itself passes on: the drive's force less nothing, the viscous brake apart
  EXPECT_LT(worstShare(result, "k fx",
                       [&](std::size_t i) {
                         const double v = s.v(result.rows[i][0]);
                         return m * s.a(result.rows[i][0]) + c * v;
                       }),
            kClosedForm);
}

TEST(InverseDynamics, ASpringBetweenSeatsPullsAndADamperBrakesAlongTheirLine) {
  const double k = 450, free = 0.3, preload = 12, damping = 6, m = 2, height = 0.4;
  const Swing s{0.1, 0.3, 3, 0.2};
  const auto result = runFirst(test::read(std::string(kHead) + R"("links":[
      {"name":"g","ground":true,"seats":[{"name":"x","axis":[1,0,0],"ref":[0,1,0]},{"name":"top","at":[0,0.4,0]}]},
      {"name":"b","seats":[{"name":"x","axis":[1,0,0],"ref":[0,1,0]}],)" +
                                          massOf(m, "[0,0,0]", "[1,1,1,0,0,0]") + R"(}],
    "joints":[{"name":"k","kind":"prismatic","between":["g/x","b/x"]}],
    "springs":[{"name":"s","between":["g/top","b/x"],"stiffness":"450 N/m","free":"300 mm","preload":"12 N","damping":"6 N*s/m"},
               {"of":"k.slide","points":[["-0.5 m","-40 N"],["0 m","0 N"],["0.5 m","80 N"]],"interpolation":"linear"}],
    "drives":[)" + drive("motor", "k.slide", s) +
                                          R"(],"gauges":[)" + driveForce() + "," +
                                          gauge("strain", "energy", R"("part":"potential")") + "]," + kRun + "}"));
  ASSERT_TRUE(result.travel.completed) << said(result);
  const auto x = [&](std::size_t i) { return s.q(result.rows[i][0]); };
  EXPECT_LT(worstShare(result, "motor effort",
                       [&](std::size_t i) {
                         const double v = s.v(result.rows[i][0]), length = std::hypot(x(i), height),
                                      along = x(i) / length;
                         const double pull = k * (length - free) + preload + damping * v * along;
                         const double table = (x(i) < 0 ? 80 : 160) * x(i);
                         return m * s.a(result.rows[i][0]) + pull * along + table;
                       }),
            kClosedForm);
  EXPECT_LT(worstShare(result, "strain",
                       [&](std::size_t i) {
                         const double longer = std::hypot(x(i), height) - free;
                         return (0.5 * k * longer + preload) * longer + (x(i) < 0 ? 40 : 80) * x(i) * x(i);
                       }),
            kClosedForm);
}

TEST(InverseDynamics, ForcesFollowTheirTableTheirFormulaAndTheAxesOfALink) {
  const Swing s{0.4, 0.9, 2, 0};
  const auto result = runFirst(test::read(std::string(kHead) + R"("links":[
      {"name":"g","ground":true,"seats":[{"name":"o"}]},
      {"name":"p","seats":[{"name":"o"},{"name":"tip","at":[0.5,0,0]}]}],
    "joints":[{"name":"j","kind":"revolute","between":["g/o","p/o"]}],
    "forces":[{"name":"a","on":"p/tip","force":[0,"20 N",0],"in":"p","times":{"over":"j.turn","points":[[-1,0],[1,3],[2,3]],"interpolation":"linear"}},
              {"name":"b","on":"p/tip","force":["10 N + 5*t*1 N",0,0]},
              {"name":"c","on":"p/o","moment":[0,0,"2 N*m*j.turn/1 rad"]}],
    "drives":[)" + drive("motor", "j.turn", s) +
                                          R"(],"gauges":[)" + driveForce() + "]," + kRun + "}"));
  ASSERT_TRUE(result.travel.completed) << said(result);
  EXPECT_LT(worstShare(result, "motor effort",
                       [&](std::size_t i) {
                         const double t = result.rows[i][0], q = s.q(t);
                         const double times = q < 1 ? 1.5 * (q + 1) : 3;
                         return -(0.5 * 20 * times - 0.5 * std::sin(q) * (10 + 5 * t) + 2 * q);
                       }),
            kClosedForm);
}

}  // namespace
}  // namespace cooperage::test
