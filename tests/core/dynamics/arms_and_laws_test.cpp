// SPDX-License-Identifier: GPL-3.0-or-later
// Efforts in space against a second method, laws that must hold, and what is refused.
#include <gmock/gmock.h>
#include <rapidcheck/gtest.h>

#include <random>

#include "../support.h"

namespace cooperage::test {
namespace {

std::string numbers(const Vec3& v) {
  return "[" + formatNumber(v.x()) + "," + formatNumber(v.y()) + "," + formatNumber(v.z()) + "]";
}

/// A chain of links that turn or slide on one another in any directions, each with a mass.
struct Arm {
  struct Stage {
    Vec3 at, axis, ref;  ///< of its joint, in the axes of the link before
    bool slides = false;
    double amplitude = 0, w = 0;
    double mass = 0;
    Vec3 centre;
    Mat3 inertia;
  };
  std::vector<Stage> stages;
  Vec3 gravity{0, 0, -9.81};

  static Arm random(unsigned seed, std::size_t count) {
    std::mt19937 dice(seed);
    std::uniform_real_distribution<double> some(-1, 1);
    const auto vector = [&](double size) { return Vec3(size * some(dice), size * some(dice), size * some(dice)); };
    Arm a;
    a.gravity = vector(10);
    for (std::size_t i = 0; i < count; ++i) {
      Stage s;
      s.at = vector(0.4);
      s.axis = vector(1).normalized();
      s.ref = s.axis.unitOrthogonal();
      s.slides = i > 0 && some(dice) > 0.4;
      s.amplitude = s.slides ? 0.2 * some(dice) : 1.5 * some(dice);
      s.w = 2 + some(dice);
      s.mass = 1 + 0.8 * some(dice);
      s.centre = vector(0.2);
      const Mat3 axes = rotationOf(vector(2));
      const Vec3 parts(0.02 + 0.01 * some(dice), 0.02 + 0.01 * some(dice), 0.02 + 0.01 * some(dice));
      // squares of distances along three axes: their sums in pairs are moments of inertia of some body
      s.inertia = axes * Vec3(parts.y() + parts.z(), parts.x() + parts.z(), parts.x() + parts.y()).asDiagonal() *
                  axes.transpose();
      a.stages.push_back(s);
    }
    return a;
  }
  Mat3 axesOf(const Stage& s) const {
    Mat3 R;
    axesFrom(s.axis, s.ref, R);
    return R;
  }
  std::string document(const std::string& gauges, const std::string& loads, int steps) const {
    std::string links = R"({"name":"L0","ground":true,"seats":[{"name":"out","at":)" + numbers(stages[0].at) +
                        R"(,"axis":)" + numbers(stages[0].axis) + R"(,"ref":)" + numbers(stages[0].ref) + "}]}";
    std::string joints, drives;
    Pose placed;
    for (std::size_t i = 0; i < stages.size(); ++i) {
      const Stage& s = stages[i];
      placed = placed * Pose{axesOf(s), s.at};  // the next link's axes are those of its joint
      const Quat q(placed.R);
      const Mat3& I = s.inertia;
      links += R"(,{"name":"L)" + std::to_string(i + 1) + R"(","placement":{"at":)" + numbers(placed.p) +
               R"(,"turn":[)" + formatNumber(q.w()) + "," + formatNumber(q.x()) + "," + formatNumber(q.y()) + "," +
               formatNumber(q.z()) + R"(]},"seats":[{"name":"in"})";
      if (i + 1 < stages.size())
        links += R"(,{"name":"out","at":)" + numbers(stages[i + 1].at) + R"(,"axis":)" + numbers(stages[i + 1].axis) +
                 R"(,"ref":)" + numbers(stages[i + 1].ref) + "}";
      links += R"(],"mass":{"value":)" + formatNumber(s.mass) + R"(,"centre":)" + numbers(s.centre) +
               R"(,"inertia":[)" + formatNumber(I(0, 0)) + "," + formatNumber(I(1, 1)) + "," + formatNumber(I(2, 2)) +
               "," + formatNumber(I(0, 1)) + "," + formatNumber(I(0, 2)) + "," + formatNumber(I(1, 2)) + "]}}";
      const std::string n = std::to_string(i + 1);
      joints += (i ? "," : "") + (R"({"name":"J)" + n) + R"(","kind":")" + (s.slides ? "prismatic" : "revolute") +
                R"(","between":["L)" + std::to_string(i) + R"(/out","L)" + n + R"(/in"]})";
      drives += (i ? "," : "") + (R"({"name":"D)" + n) + R"(","value":"J)" + n + (s.slides ? ".slide" : ".turn") +
                R"(","programme":[{"law":"formula","formula":")" + formatNumber(s.amplitude) + "*sin(" +
                formatNumber(s.w) + R"x(*t)","time":"1 s"}]})x";
    }
    return R"({"format":"cooperage","version":1,"units":{"length":"m","angle":"rad"},"gravity":)" + numbers(gravity) +
           R"(,"links":[)" + links + R"(],"joints":[)" + joints + R"(],"drives":[)" + drives + "]," + loads +
           R"("gauges":[)" + gauges + R"(],"runs":[{"name":"r","duration":"1 s","steps":)" + std::to_string(steps) +
           "}]}";
  }

  struct Found {
    std::vector<double> effort;
    std::vector<Vec3> force, moment;  ///< on each link from the one before, about its joint, ground axes
  };
  /// Luh, Walker and Paul's recursive method, outwards and inwards, each link in its own axes (Craig, ch. 6).
  Found recursive(double t) const {
    const std::size_t n = stages.size();
    std::vector<Mat3> R(n);
    std::vector<Vec3> p(n), f(n), N(n);
    Vec3 w(0, 0, 0), wd(0, 0, 0), v = -gravity;
    Mat3 ground = Mat3::Identity();
    std::vector<Mat3> toGround(n);
    for (std::size_t i = 0; i < n; ++i) {
      const Stage& s = stages[i];
      const double q = s.amplitude * std::sin(s.w * t), qd = s.amplitude * s.w * std::cos(s.w * t),
                   qdd = -s.w * s.w * q;
      const Mat3 seat = axesOf(s);
      R[i] = s.slides ? seat : Mat3(seat * Eigen::AngleAxisd(q, Vec3::UnitZ()).toRotationMatrix());
      p[i] = s.slides ? Vec3(s.at + q * s.axis) : s.at;
      ground = ground * R[i];
      toGround[i] = ground;
      const Vec3 z = Vec3::UnitZ();
      const Vec3 wIn = R[i].transpose() * w;
      const Vec3 vIn = R[i].transpose() * (wd.cross(p[i]) + w.cross(w.cross(p[i])) + v);
      if (s.slides) {
        wd = R[i].transpose() * wd;
        w = wIn;
        v = vIn + 2 * w.cross(qd * z) + qdd * z;
      } else {
        wd = R[i].transpose() * wd + wIn.cross(qd * z) + qdd * z;
        w = wIn + qd * z;
        v = vIn;
      }
      const Vec3 a = wd.cross(s.centre) + w.cross(w.cross(s.centre)) + v;
      f[i] = s.mass * a;
      N[i] = s.inertia * wd + w.cross(s.inertia * w);
    }
    Found out;
    out.effort.resize(n);
    out.force.resize(n);
    out.moment.resize(n);
    Vec3 force(0, 0, 0), moment(0, 0, 0);
    for (std::size_t i = n; i-- > 0;) {
      const Stage& s = stages[i];
      const Vec3 outer = i + 1 < n ? Vec3(R[i + 1] * force) : Vec3::Zero();
      const Vec3 twist = i + 1 < n ? Vec3(R[i + 1] * moment + p[i + 1].cross(outer)) : Vec3::Zero();
      moment = N[i] + twist + s.centre.cross(f[i]);
      force = outer + f[i];
      out.effort[i] = s.slides ? force.z() : moment.z();
      out.force[i] = toGround[i] * force;
      out.moment[i] = toGround[i] * moment;
    }
    return out;
  }
};

TEST(InverseDynamics, ARobotArmOfThreeTurnsEqualsTheRecursiveMethod) {
  Arm arm = Arm::random(7, 3);
  for (auto& s : arm.stages) s.slides = false;
  std::string gauges;
  for (int i = 1; i <= 3; ++i) {
    const std::string n = std::to_string(i);
    gauges += (i > 1 ? "," : "") + (R"({"name":"T)" + n) + R"(","kind":"drive-force","of":"D)" + n + R"("})";
    for (const char* c : {"fx", "fy", "fz", "mx", "my", "mz"})
      gauges += R"(,{"name":")" + n + c + R"(","kind":"reaction","of":"J)" + n + R"(","component":")" + c + R"("})";
  }
  const auto result = runFirst(test::read(arm.document(gauges, "", 40)));
  ASSERT_TRUE(result.travel.completed) << said(result);
  for (std::size_t i = 0; i < 3; ++i) {
    const std::string n = std::to_string(i + 1);
    const auto found = [&](std::size_t row) { return arm.recursive(result.rows[row][0]); };
    EXPECT_LT(worstShare(result, "T" + n, [&](std::size_t r) { return found(r).effort[i]; }), kClosedForm);
    for (int k = 0; k < 3; ++k) {
      const std::string axis(1, static_cast<char>('x' + k));
      EXPECT_LT(worstShare(result, n + "f" + axis, [&](std::size_t r) { return found(r).force[i][k]; }), kClosedForm);
      EXPECT_LT(worstShare(result, n + "m" + axis, [&](std::size_t r) { return found(r).moment[i][k]; }), kClosedForm);
    }
  }
}

// What all drives put in is the change of the energy and what is lost: over each step by Boole's rule on four parts.
RC_GTEST_PROP(InverseDynamics, PowerOfAllDrivesIsTheChangeOfEnergyAndWhatIsLost, (unsigned seed)) {
  const auto count = *rc::gen::inRange<std::size_t>(1, 5);
  const Arm arm = Arm::random(seed, count);
  std::string gauges = R"({"name":"E","kind":"energy"})";
  for (std::size_t i = 1; i <= count; ++i) {
    const std::string n = std::to_string(i);
    gauges += R"(,{"name":"P)" + n + R"(","kind":"drive-power","of":"D)" + n + R"("})";
    gauges += R"(,{"name":"V)" + n + R"(","kind":"joint-rate","of":"J)" + n +
              (arm.stages[i - 1].slides ? ".slide" : ".turn") + R"("})";
  }
  const std::string last = std::to_string(count);
  const std::string loads =
      R"("springs":[{"name":"s","between":["L0/out","L)" + last + "/in" +
      R"("],"stiffness":80,"free":0.1},{"name":"c","of":"J1.turn","stiffness":3,"damping":0.7}],)";
  constexpr int kSteps = 400;
  const auto result = runFirst(test::read(arm.document(gauges, loads, kSteps)));
  RC_ASSERT(result.travel.completed);
  const std::size_t energy = column(result, "E");
  const auto put = [&](std::size_t row) {
    double sum = 0;
    for (std::size_t i = 1; i <= count; ++i) sum += result.rows[row][column(result, "P" + std::to_string(i))];
    const double rate = result.rows[row][column(result, "V1")];
    return sum - 0.7 * rate * rate;
  };
  const double h = 1.0 / kSteps;
  double size = 1;
  for (const auto& row : result.rows) size = std::max(size, std::abs(row[energy]));
  for (std::size_t i = 0; i + 4 < result.rows.size(); i += 4) {
    const double in = 2 * h / 45 * (7 * put(i) + 32 * put(i + 1) + 12 * put(i + 2) + 32 * put(i + 3) + 7 * put(i + 4));
    RC_ASSERT(std::abs(in - (result.rows[i + 4][energy] - result.rows[i][energy])) < 1e-9 * size);
  }
}

// A closed loop in space: the power of its one drive against the energy of all its links.
TEST(InverseDynamics, ALoopInSpaceKeepsItsEnergy) {
  const std::string text =
      R"({"format":"cooperage","version":1,"units":{"length":"m","angle":"rad"},"gravity":[1,2,-9],"links":[
    {"name":"g","ground":true,"seats":[{"name":"a"},{"name":"d","at":[0.6,0.3,0.2],"axis":[0.3,1,0.2],"ref":[1,0,0]}]},
    {"name":"crank","seats":[{"name":"a"},{"name":"b","at":[0.06,0,0]}],"mass":{"value":1,"centre":[0.03,0.01,0.02],"inertia":[0.01,0.012,0.015,0,0.001,0]}},
    {"name":"rod","placement":{"at":[0.06,0,0]},"seats":[{"name":"b"},{"name":"c","at":[0.54,0.1,0.3]}],"mass":{"value":0.6,"centre":[0.2,0.05,0.1],"inertia":[0.02,0.02,0.01,0.001,0,0]}},
    {"name":"rocker","placement":{"at":[0.6,0.3,0.2]},"seats":[{"name":"c","at":[0,-0.2,0.1]},{"name":"d","axis":[0.3,1,0.2],"ref":[1,0,0]}],"mass":{"value":0.8,"centre":[0,-0.1,0.05],"inertia":[0.02,0.01,0.015,0,0,0.001]}}],
    "joints":[{"name":"A","kind":"revolute","between":["g/a","crank/a"]},{"name":"B","kind":"spherical","between":["crank/b","rod/b"]},
      {"name":"C","kind":"universal","between":["rod/c","rocker/c"]},{"name":"D","kind":"revolute","between":["g/d","rocker/d"]}],
    "drives":[{"name":"m","value":"A.turn","programme":[{"law":"constant-speed","speed":"3 rad/s","time":"2 s"}]}],
    "gauges":[{"name":"E","kind":"energy"},{"name":"P","kind":"drive-power","of":"m"},
      {"name":"Dx","kind":"reaction","of":"D","component":"fx"},{"name":"Bx","kind":"reaction","of":"B","component":"fx"},
      {"name":"Ax","kind":"reaction","of":"A","component":"fx"},{"name":"S","kind":"shaking","component":"fx"},
      {"name":"Bm","kind":"reaction","of":"B","component":"mx"}],
    "runs":[{"name":"r","duration":"2 s","steps":800}]})";
  const auto result = runFirst(test::read(text));
  ASSERT_TRUE(result.travel.completed) << said(result);
  const auto of = [&](std::size_t i, const char* name) { return result.rows[i][column(result, name)]; };
  const double h = 2.0 / 800;
  double size = 0;
  for (std::size_t i = 0; i < result.rows.size(); ++i) size = std::max(size, std::abs(of(i, "E")));
  for (std::size_t i = 0; i + 4 < result.rows.size(); i += 4) {
    const double in =
        2 * h / 45 *
        (7 * of(i, "P") + 32 * of(i + 1, "P") + 12 * of(i + 2, "P") + 32 * of(i + 3, "P") + 7 * of(i + 4, "P"));
    ASSERT_NEAR(in, of(i + 4, "E") - of(i, "E"), 1e-8 * size) << "row " << i;
    // ground bears what shakes it and the weight
    ASSERT_NEAR(of(i, "Ax") + of(i, "Dx"), -of(i, "S") - 2.4 * 1.0, 1e-8);
    ASSERT_NEAR(of(i, "Bm"), 0, 1e-9) << "a ball bears no moment";
  }
}

// A flat follower on a round cam out of its centre: x = r + e (1 - cos q), pressed by its spring.
TEST(InverseDynamics, ACamPressesWithSpringWeightAndInertia) {
  const double e = 0.01, w = 12, m = 0.8, k = 900, preload = 60;
  const std::string text =
      R"({"format":"cooperage","version":1,"units":{"length":"mm","angle":"deg"},"gravity":[0,"-9.81 m/s^2",0],"links":[
    {"name":"g","ground":true,"seats":[{"name":"o"},{"name":"y","axis":[0,1,0],"ref":[0,0,1]}]},
    {"name":"cam","seats":[{"name":"o"}],"curves":[{"name":"disc","seat":"o","kind":"circle","centre":[10,0],"radius":30}]},
    {"name":"tappet","placement":{"at":[0,30,0]},"seats":[{"name":"y","axis":[0,1,0],"ref":[0,0,1]},{"name":"face","axis":[0,-1,0],"ref":[1,0,0]}],
      "mass":{"value":"0.8 kg"}}],
    "joints":[{"name":"j","kind":"revolute","between":["g/o","cam/o"]},{"name":"k","kind":"prismatic","between":["g/y","tappet/y"]}],
    "cam_pairs":[{"name":"c","kind":"flat","cam":"cam/disc","follower":"tappet/face"}],
    "springs":[{"name":"s","of":"k.slide","stiffness":"900 N/m","free":"30 mm","preload":"60 N"}],
    "drives":[{"name":"motor","value":"j.turn","programme":[{"law":"constant-speed","speed":"12 rad/s","time":"1 s"}]}],
    "gauges":[{"name":"N","kind":"contact-force","of":"c"},{"name":"T","kind":"drive-force","of":"motor"}],
    "runs":[{"name":"r","duration":"1 s","steps":50}]})";
  const auto result = runFirst(test::read(text));
  ASSERT_TRUE(result.travel.completed) << said(result);
  const auto force = [&](std::size_t i) {
    const double q = w * result.rows[i][0];  // the centre of the disc stands at e (cos q, sin q)
    return preload + k * e * std::sin(q) + m * (9.81 - e * w * w * std::sin(q));
  };
  EXPECT_LT(worstShare(result, "N", force), kClosedForm);
  EXPECT_LT(worstShare(result, "T", [&](std::size_t i) { return force(i) * e * std::cos(w * result.rows[i][0]); }),
            kClosedForm);
}

TEST(InverseDynamics, WhatCannotBeIsRefusedByName) {
  const auto refused = [](const std::string& link, const std::string& rest) {
    const std::string text =
        R"({"format":"cooperage","version":1,"links":[{"name":"g","ground":true,"seats":[{"name":"o"}]},
      {"name":"plunger","seats":[{"name":"o"}])" +
        link + R"(}],
      "joints":[{"name":"j","kind":"revolute","between":["g/o","plunger/o"]},{"name":"s","kind":"spherical","enabled":false,"between":["g/o","plunger/o"]}],)" +
        rest + R"("gauges":[],"runs":[]})";
    const auto r = model::resolve(test::read(text));
    return r.ok() ? std::string() : r.error().text;
  };
  const auto mass = [](const char* figures) { return std::string(R"(,"mass":)") + figures; };
  EXPECT_EQ(refused(mass(R"({"value":1,"inertia":["0 kg*m^2","1 kg*m^2","1 kg*m^2",0,0,0]})"), ""), "") << "a thin rod";
  EXPECT_EQ(refused(mass(R"({"value":1})"), ""), "") << "a point";
  EXPECT_THAT(refused(mass(R"({"value":-1})"), ""), ::testing::StartsWith("link plunger: its mass is negative"));
  EXPECT_THAT(refused(mass(R"({"value":1,"inertia":[1,1,3,0,0,0]})"), ""),
              ::testing::AllOf(::testing::StartsWith("link plunger"), ::testing::HasSubstr("triangle rule")));
  EXPECT_THAT(refused(mass(R"({"value":1,"inertia":[1,1,1,2,0,0]})"), ""),
              ::testing::AllOf(::testing::StartsWith("link plunger"), ::testing::HasSubstr("not positive")));
  const std::string beam = R"(,"bodies":[{"name":"b","element":"box","size":[1,1,1],"density":"-3 kg/m^3"}])";
  EXPECT_THAT(refused(beam, ""), ::testing::AllOf(::testing::HasSubstr("plunger/b"), ::testing::HasSubstr("negative")));
  EXPECT_THAT(
      refused(
          "",
          R"("materials":[{"name":"cork","density":"-1 kg/m^3"}],"friction":[{"name":"f","of":"j.turn","coefficient":0.1}],)"),
      ::testing::HasSubstr("friction f: needs a radius"));
  EXPECT_THAT(refused("", R"("springs":[{"name":"k","of":"j.turn","stiffness":"-2 N*m/rad"}],)"),
              ::testing::HasSubstr("spring k: its stiffness is negative"));
  EXPECT_THAT(refused("", R"("springs":[{"name":"k","between":["plunger/o","plunger/o"],"stiffness":"2 N/m"}],)"),
              ::testing::HasSubstr("spring k: both its seats are on one link"));
  EXPECT_THAT(refused("", R"("forces":[{"name":"p","of":"s.swing","effort":"1 N*m"}],)"),
              ::testing::HasSubstr("force p: this value can only be read"));
  EXPECT_THAT(refused("", R"("springs":[{"name":"k","of":"j.turn","stiffness":"2 N/m"}],)"),
              ::testing::HasSubstr("spring k"))
      << "a stiffness of a length";
}

}  // namespace
}  // namespace cooperage::test
