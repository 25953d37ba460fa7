// SPDX-License-Identifier: GPL-3.0-or-later
// Spatial linkages against closed forms or a second method.
#include <Eigen/Geometry>

#include "../maker.h"

namespace cooperage::kinematics {
namespace {

using namespace cooperage::test;

/// Shafts joined by universal joints, each shaft with the axis given; forks: direction of the pin on the first shaft of
/// a joint. All through the origin's neighbourhood; places don't matter.
Maker cardan(const std::vector<Vec3>& axes, const std::vector<Vec3>& forks) {
  Maker m;
  const auto shaft = [](std::size_t i) { return "shaft " + std::to_string(i); };
  Vec3 at = Vec3::Zero();
  m.joint("in", "revolute", "g", shaft(0), at, axes[0]);
  for (std::size_t i = 0; i + 1 < axes.size(); ++i) {
    at += 0.2 * axes[i];
    const Vec3 other = axes[i + 1].cross(forks[i]).normalized();  // the cross's second pin
    const std::string name = "u" + std::to_string(i);
    m.find(shaft(i));
    m.find(shaft(i + 1));
    m.seat(shaft(i), name, at, axes[i], forks[i]);
    m.seat(shaft(i + 1), name, at, axes[i + 1], other.cross(axes[i + 1]));
    m.add("joints",
          {{"name", name}, {"kind", "universal"}, {"between", {shaft(i) + "/" + name, shaft(i + 1) + "/" + name}}});
  }
  m.joint("out", "cylindrical", "g", shaft(axes.size() - 1), at + 0.1 * axes.back(), axes.back());
  m.steady("in.turn", 2);
  m.run(4, 90);
  return m;
}

// tan(out) = tan(in)/cos(beta), both from where the fork of the first shaft lies in the plane of both shafts (Dubbel).
TEST(Spatial, CardanJointAt25Degrees) {
  const double beta = 25 * kPi / 180;
  const Vec3 z2(std::sin(beta), 0, std::cos(beta));
  const auto r = runFirst(cardan({Vec3::UnitZ(), z2}, {Vec3::UnitX()}).read());
  ASSERT_TRUE(r.travel.completed) << said(r);
  const auto out = [&](std::size_t i) {
    const Jet a(2 * r.rows[i][0], 2, 0, 0);
    return atan2(sin(a), Jet(std::cos(beta)) * cos(a));
  };
  const std::size_t q = column(r, "out.turn");
  EXPECT_LT(worstShare(r, "out.turn",
                       [&](std::size_t i) { return r.rows[i][q] + std::remainder(out(i).v - r.rows[i][q], 2 * kPi); }),
            kClosedForm);
  EXPECT_LT(worstShare(r, "out.turn rate", [&](std::size_t i) { return out(i).d1; }), kClosedForm);
  EXPECT_LT(worstShare(r, "out.turn acc", [&](std::size_t i) { return out(i).d2; }), kClosedForm);
  EXPECT_NEAR(last(r, "out.turn") - out(r.rows.size() - 1).v, 2 * kPi, 1e-9) << "turns count on over revolutions";
}

TEST(Spatial, DoubleCardanPhasedRightIsEvenAndPhasedWrongDoublyUneven) {
  const double beta = 25 * kPi / 180;
  const Vec3 mid(std::sin(beta), 0, std::cos(beta));
  const auto right = runFirst(cardan({Vec3::UnitZ(), mid, Vec3::UnitZ()}, {Vec3::UnitX(), Vec3::UnitY()}).read());
  ASSERT_TRUE(right.travel.completed) << said(right);
  EXPECT_LT(worstShare(right, "out.turn", [&](std::size_t i) { return 2 * right.rows[i][0]; }), kClosedForm);
  EXPECT_LT(worstShare(right, "out.turn rate", [](std::size_t) { return 2.0; }), kClosedForm);
  const Vec3 inPlane = Vec3::UnitY().cross(mid);
  const auto wrong = runFirst(cardan({Vec3::UnitZ(), mid, Vec3::UnitZ()}, {Vec3::UnitX(), inPlane}).read());
  ASSERT_TRUE(wrong.travel.completed) << said(wrong);
  EXPECT_LT(worstShare(wrong, "out.turn rate",
                       [&](std::size_t i) {
                         const Jet a(2 * wrong.rows[i][0], 2, 0, 0);
                         return atan2(sin(a), Jet(std::pow(std::cos(beta), 2)) * cos(a)).d1;
                       }),
            kClosedForm);
}

/// A closed chain by Denavit-Hartenberg figures: Rz(theta) Tx(a) Rx(alpha) for each joint, turned as a whole by
/// `frame`.
struct Chain {
  std::vector<double> theta, a, alpha;
  static Pose link(double t, double a, double alpha) {
    return Pose{rotationAbout(2, t), Vec3::Zero()} * Pose{rotationAbout(0, alpha), Vec3(a, 0, 0)};
  }
  Pose product(const std::vector<double>& angles) const {
    Pose p;
    for (std::size_t i = 0; i < a.size(); ++i) p = p * link(angles[i], a[i], alpha[i]);
    return p;
  }
  static double open(const Pose& p) { return std::max(rotationVector(p.R).norm(), p.p.norm()); }
  Maker make(const Pose& frame, double rate) const {
    Maker m;
    Pose p = frame;
    const std::size_t n = a.size();
    for (std::size_t i = 0; i < n; ++i) {
      const std::string before = i == 0 ? "g" : "l" + std::to_string(i),
                        after = i + 1 == n ? "g" : "l" + std::to_string(i + 1);
      m.joint("j" + std::to_string(i + 1), "revolute", before, after, p.p, p.R.col(2));
      p = p * link(theta[i], a[i], alpha[i]);
    }
    m.steady("j1.turn", rate);
    return m;
  }
};

Chain bennett(double t1) {
  const double a = 0.1, alpha = 40 * kPi / 180, beta = 75 * kPi / 180, b = a * std::sin(beta) / std::sin(alpha);
  const double k = std::sin((beta + alpha) / 2) / std::sin((beta - alpha) / 2),
               t2 = 2 * std::atan(k / std::tan(t1 / 2));
  return {{t1, t2, -t1, -t2}, {a, b, a, b}, {alpha, beta, alpha, beta}};
}

// Bennett 1903: tan(t1/2) tan(t2/2) = sin((beta+alpha)/2)/sin((beta-alpha)/2); naive count -2.
TEST(Spatial, BennettTurnsFullyInAnyFrame) {
  const Chain c = bennett(1.2);
  ASSERT_LT(Chain::open(c.product(c.theta)), 1e-12);
  for (const Vec3& turn : {Vec3(0, 0, 0), Vec3(0.3, -0.8, 0.5), Vec3(1.1, 2.0, -0.4), Vec3(-2.2, 0.1, 0.9)}) {
    Maker m = c.make({rotationOf(turn), Vec3(0.4, -1, 2) * turn.norm()}, 1);
    m.run(2 * kPi, 90);
    const auto mobility = analysed(m.read()).m;
    EXPECT_EQ(mobility.freedoms, 1);
    EXPECT_EQ(mobility.redundant, 3) << "1 - (-2)";
    const auto r = runFirst(m.read());
    ASSERT_TRUE(r.travel.completed) << said(r);
    const auto t2 = [&](std::size_t i) {
      const Jet half = Jet(0.5) * Jet(1.2 + r.rows[i][0], 1, 0, 0);
      const double alpha = c.alpha[0], beta = c.alpha[1];
      return Jet(2) * atan2(Jet(std::sin((beta + alpha) / 2) / std::sin((beta - alpha) / 2)) * cos(half), sin(half));
    };
    EXPECT_LT(worstShare(r, "j2.turn rate", [&](std::size_t i) { return t2(i).d1; }), kClosedForm);
    EXPECT_LT(worstShare(r, "j2.turn acc", [&](std::size_t i) { return t2(i).d2; }), kClosedForm);
    EXPECT_NEAR(std::remainder(last(r, "j2.turn"), 2 * kPi), 0, 1e-9);
    for (std::size_t i = 0; i < r.rows.size(); ++i)
      EXPECT_NEAR(std::remainder(c.theta[1] + r.rows[i][column(r, "j2.turn")] - t2(i).v, 2 * kPi), 0, 1e-9);
  }
}

// Sarrus: two pairs of hinged plates square to one another lift straight: height 2 L sin(theta).
TEST(Spatial, SarrusLiftsStraight) {
  const double L = 0.15, q = 0.7;
  Maker m;
  for (const auto& [s, out, axis] : {std::tuple<std::string, Vec3, Vec3>{"a", Vec3::UnitX(), Vec3::UnitY()},
                                     std::tuple<std::string, Vec3, Vec3>{"b", Vec3::UnitY(), Vec3::UnitX()}}) {
    const Vec3 foot = 0.1 * out, knee = foot + L * std::cos(q) * out + L * std::sin(q) * Vec3::UnitZ(),
               top = foot + 2 * L * std::sin(q) * Vec3::UnitZ();
    m.joint(s + "1", "revolute", "g", s + " lower", foot, axis);
    m.joint(s + "2", "revolute", s + " lower", s + " upper", knee, axis);
    m.joint(s + "3", "revolute", s + " upper", "table", top, axis);
  }
  m.seat("table", "plate", {0, 0, 2 * L * std::sin(q)});
  m.follow("a1.turn", "-0.6*sin(t)");  // about y: down is positive
  for (const char* k : {"x", "y", "z"}) m.gauge(k, "point-position", "table/plate", {{"component", k}});
  m.gauge("spin", "link-rate", "table", {{"component", "size"}});
  m.gauge("az", "point-acceleration", "table/plate", {{"component", "z"}});
  m.run(6, 60);
  const auto mobility = analysed(m.read()).m;
  EXPECT_EQ(mobility.freedoms, 1);
  EXPECT_EQ(mobility.redundant, 1);
  const auto r = runFirst(m.read());
  ASSERT_TRUE(r.travel.completed) << said(r);
  const auto z = [&](std::size_t i) { return Jet(2 * L) * sin(Jet(q) + Jet(0.6) * sin(Jet(r.rows[i][0], 1, 0, 0))); };
  EXPECT_LT(worstShare(r, "z", [&](std::size_t i) { return z(i).v; }), kClosedForm);
  EXPECT_LT(worstShare(r, "az", [&](std::size_t i) { return z(i).d2; }), kClosedForm);
  for (const auto& row : r.rows) {
    EXPECT_NEAR(row[column(r, "x")], 0, 1e-10);
    EXPECT_NEAR(row[column(r, "y")], 0, 1e-10);
    EXPECT_NEAR(row[column(r, "spin")], 0, 1e-9);
  }
}

// Bricard's threefold-symmetric 6R with twists of a quarter turn: cos(f) = -cos(t)/(1 + cos(t)) (Chen, You and Tarnai,
// Int. J. Solids and Structures 42, 2005); each pose is multiplied out as a second method.
TEST(Spatial, Bricard6RClosesAtEveryPose) {
  const double t0 = 1.9, f0 = std::acos(-std::cos(t0) / (1 + std::cos(t0)));
  const Chain c{{t0, f0, t0, f0, t0, f0},
                {0.1, 0.1, 0.1, 0.1, 0.1, 0.1},
                {kPi / 2, -kPi / 2, kPi / 2, -kPi / 2, kPi / 2, -kPi / 2}};
  ASSERT_LT(Chain::open(c.product(c.theta)), 1e-12);
  Maker m = c.make({rotationOf(Vec3(0.2, 0.7, -0.3)), Vec3::Zero()}, -1);
  m.run(1.5, 60);
  const auto mobility = analysed(m.read()).m;
  EXPECT_EQ(mobility.freedoms, 1);
  EXPECT_EQ(mobility.redundant, 1);
  const auto r = runFirst(m.read());
  ASSERT_TRUE(r.travel.completed) << said(r);
  for (std::size_t i = 0; i < r.rows.size(); ++i) {
    std::vector<double> angles;
    for (std::size_t k = 0; k < 6; ++k)
      angles.push_back(c.theta[k] + r.rows[i][column(r, "j" + std::to_string(k + 1) + ".turn")]);
    EXPECT_LT(Chain::open(c.product(angles)), 1e-11);
    const double t = t0 - r.rows[i][0];
    EXPECT_NEAR(std::cos(angles[1]), -std::cos(t) / (1 + std::cos(t)), 1e-9);
    EXPECT_NEAR(std::remainder(angles[2] - t, 2 * kPi), 0, 1e-9);
  }
}

// RSSR: the rod's length as an equation A cos + B sin = C of the output angle (Hunt, Kinematic Geometry of Mechanisms).
TEST(Spatial, RSSREqualsItsInputOutputEquation) {
  const Vec3 in(0.04, 0, 0.01),
      out0(0.18, 0.05, 0.09);  // ball centres at home; in about z at 0, out about y at (0.2,0.05,0)
  const Vec3 pivot(0.2, 0.05, 0);
  Maker m;
  m.joint("in", "revolute", "g", "crank", Vec3::Zero());
  m.joint("s1", "spherical", "crank", "rod", in);
  m.joint("s2", "spherical", "rod", "arm", out0);
  m.joint("out", "revolute", "g", "arm", pivot, Vec3::UnitY());
  m.steady("in.turn", 2);
  m.run(7, 180);
  const auto mobility = analysed(m.read()).m;
  EXPECT_EQ(mobility.freedoms, 2);
  EXPECT_EQ(mobility.left, 1);
  EXPECT_EQ(mobility.idle, 1);
  ASSERT_EQ(mobility.leftFreedoms.size(), 1u);
  EXPECT_EQ(mobility.leftFreedoms[0], "turns about its own axis: rod");
  const auto r = runFirst(m.read());
  ASSERT_TRUE(r.travel.completed) << said(r);
  const double l2 = (out0 - in).squaredNorm();
  const Vec3 arm = out0 - pivot;
  const std::size_t q = column(r, "out.turn");
  const auto solve = [&](const Jet& a, double sign) {  // |pivot + Ry(b) arm - Rz(a) in|^2 = l^2
    const Jet px = Jet(in.x()) * cos(a) - Jet(pivot.x()), py = Jet(in.x()) * sin(a) - Jet(pivot.y() + arm.y()),
              pz = Jet(in.z());
    const Jet c = (px * px + py * py + pz * pz + Jet(arm.x() * arm.x() + arm.z() * arm.z() - l2)) / Jet(2);
    // Ry(b) arm = (x cos b + z sin b, y, -x sin b + z cos b)
    const Jet A = Jet(arm.x()) * px + Jet(arm.z()) * pz, B = Jet(arm.z()) * px - Jet(arm.x()) * pz;
    return atan2(B, A) + Jet(sign) * acos(c / sqrt(A * A + B * B));
  };
  const double sign = std::abs(std::remainder(solve(Jet(0.0), 1).v, 2 * kPi)) < 1e-6 ? 1 : -1;
  const auto b = [&](std::size_t i) { return solve(Jet(2 * r.rows[i][0], 2, 0, 0), sign); };
  EXPECT_LT(worstShare(r, "out.turn",
                       [&](std::size_t i) { return r.rows[i][q] + std::remainder(b(i).v - r.rows[i][q], 2 * kPi); }),
            kClosedForm);
  EXPECT_LT(worstShare(r, "out.turn rate", [&](std::size_t i) { return b(i).d1; }), kClosedForm);
  EXPECT_LT(worstShare(r, "out.turn acc", [&](std::size_t i) { return b(i).d2; }), kClosedForm);
}

// All three angles of a spherical joint driven: R = Rx Ry Rz, and the point's motion by plain differences of that.
TEST(Spatial, AnglesOfASphericalJointCanBeDriven) {
  Maker m;
  m.joint("ball", "spherical", "g", "arm", Vec3::Zero(), Vec3::UnitZ(), Vec3::UnitX());
  m.seat("arm", "tip", {0.1, 0.02, 0.3});
  m.follow("ball.tilt_x", "0.4*sin(t)", "a");
  m.follow("ball.tilt_y", "0.3*sin(2*t)", "b");
  m.follow("ball.turn", "3*t", "c");
  for (const char* k : {"x", "y", "z"}) {
    m.gauge(std::string("p") + k, "point-position", "arm/tip", {{"component", k}});
    m.gauge(std::string("v") + k, "point-velocity", "arm/tip", {{"component", k}});
    m.gauge(std::string("a") + k, "point-acceleration", "arm/tip", {{"component", k}});
  }
  m.gauge("swing", "joint-value", "ball.swing");
  m.run(5, 50);
  const auto r = runFirst(m.read());
  ASSERT_TRUE(r.travel.completed) << said(r);
  const auto tip = [](double t) {
    return Vec3(ballRotation({0.4 * std::sin(t), 0.3 * std::sin(2 * t), 3 * t}) * Vec3(0.1, 0.02, 0.3));
  };
  const double h = 1e-3;
  for (std::size_t i = 0; i < r.rows.size(); ++i) {
    const double t = r.rows[i][0];
    const Vec3 v = (8 * (tip(t + h) - tip(t - h)) - (tip(t + 2 * h) - tip(t - 2 * h))) / (12 * h);
    const Vec3 a = (-tip(t + 2 * h) + 16 * tip(t + h) - 30 * tip(t) + 16 * tip(t - h) - tip(t - 2 * h)) / (12 * h * h);
    for (int k = 0; k < 3; ++k) {
      const std::string axis(1, "xyz"[k]);
      EXPECT_NEAR(r.rows[i][column(r, "p" + axis)], tip(t)[k], 1e-12);
      EXPECT_NEAR(r.rows[i][column(r, "v" + axis)], v[k], 1e-9);
      EXPECT_NEAR(r.rows[i][column(r, "a" + axis)], a[k], 1e-7);
    }
    EXPECT_NEAR(std::cos(r.rows[i][column(r, "swing")]), std::cos(0.4 * std::sin(t)) * std::cos(0.3 * std::sin(2 * t)),
                1e-9);
  }
}

// A rod on a line and a plane: its end points stay on them (ellipse trammel in space).
TEST(Spatial, PointOnLineAndPointOnPlane) {
  Maker m;
  const Vec3 a(0.1, 0, 0), b(0, 0.12, 0.05);
  m.seat("g", "line", Vec3::Zero(), Vec3::UnitX());
  m.seat("g", "floor", Vec3(0, 0, 0.05), Vec3::UnitZ(), Vec3::UnitX());
  m.seat("rod", "a", a, Vec3::UnitX());
  m.seat("rod", "b", b, Vec3::UnitZ(), Vec3::UnitX());
  m.add("joints", {{"name", "line"}, {"kind", "point-line"}, {"between", {"g/line", "rod/a"}}});
  m.add("joints", {{"name", "floor"}, {"kind", "point-plane"}, {"between", {"g/floor", "rod/b"}}});
  m.steady("line.slide", 0.02);
  m.follow("floor.x", "0.03*sin(t)", "push");
  m.gauge("d", "distance", {"rod/a", "rod/b"});
  for (const char* k : {"x", "y", "z"}) {
    m.gauge(std::string("a") + k, "point-position", "rod/a", {{"component", k}});
    m.gauge(std::string("b") + k, "point-position", "rod/b", {{"component", k}});
  }
  m.run(2, 20);
  const auto r = runFirst(m.read());
  ASSERT_TRUE(r.travel.completed) << said(r);
  for (const auto& row : r.rows) {
    const double t = row[0], ax = 0.1 + 0.02 * t, bx = 0.03 * std::sin(t);
    EXPECT_NEAR(row[column(r, "ax")], ax, 1e-12);
    EXPECT_NEAR(row[column(r, "ay")], 0, 1e-12);
    EXPECT_NEAR(row[column(r, "az")], 0, 1e-12);
    EXPECT_NEAR(row[column(r, "bz")], 0.05, 1e-12);
    EXPECT_NEAR(row[column(r, "bx")], bx, 1e-12);
    const double l2 = (a - b).squaredNorm();
    EXPECT_NEAR(row[column(r, "by")], std::sqrt(l2 - (ax - bx) * (ax - bx) - 0.05 * 0.05), 1e-10);
  }
}

}  // namespace
}  // namespace cooperage::kinematics
