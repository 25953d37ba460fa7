// SPDX-License-Identifier: GPL-3.0-or-later
// What lengths let a link turn, against the travel itself: driven either way it comes as far as is told, or turns
// fully.
#include <rapidcheck/gtest.h>

#include "../maker.h"
#include "kinematics/length_condition.h"
#include "kinematics/solver.h"

namespace cooperage::kinematics {
namespace {

using namespace cooperage::test;

std::vector<LengthCondition> conditionsOf(const model::Mechanism& m) {
  const auto a = analysed(m);
  Solver solver(a.s, {});
  solver.forward(a.h.configuration);
  std::vector<Pose> poses;
  for (std::size_t i = 0; i < a.r.links.size(); ++i) poses.push_back(solver.linkPose(static_cast<int>(i)));
  return lengthConditions(a.r, poses);
}
/// How far the drive comes, at a rate, in so many turns.
double reached(const model::Mechanism& m) {
  const auto r = runFirst(m);
  return r.rows.back()[column(r, "in.turn")];
}

/// Both ways from home: the ends of the travel are those of the condition, or none are met within two turns.
void compare(const std::function<Maker(double)>& make) {
  const auto forwards = make(1), back = make(-1);
  const auto found = conditionsOf(forwards.read());
  RC_ASSERT(!found.empty());
  const auto in = found.begin();  // of the first joint on ground, which is driven
  const double on = reached(forwards.read()), off = reached(back.read());
  if (in->full) {
    RC_ASSERT(on > 4 * kPi - 1e-9 && off < -4 * kPi + 1e-9);
  } else {
    RC_ASSERT(std::abs(on - in->high) < 1e-6);
    RC_ASSERT(std::abs(off - in->low) < 1e-6);
  }
}

double length(int low, int high) { return *rc::gen::inRange(low, high) * 1e-3 + 3e-4; }

RC_GTEST_PROP(LengthCondition, AFourBarComesAsFarAsIsTold, ()) {
  FourBar f{length(20, 120), 0, length(20, 120) + 1.3e-4, length(20, 120) + 2.1e-4, 0};
  f.q = *rc::gen::inRange(-300, 300) * 0.01;
  const double across = std::sqrt(f.a * f.a + f.d * f.d - 2 * f.a * f.d * std::cos(f.q));
  const double least = std::abs(across - f.c) + 2e-3, most = across + f.c - 2e-3;
  RC_PRE(least < most);
  f.b = least + (most - least) * *rc::gen::inRange(5, 95) * 0.01;  // it closes at home
  // near a change point the travel may be taken over it
  const double edges[] = {f.a + f.d - f.b - f.c, std::abs(f.a - f.d) - std::abs(f.b - f.c)};
  RC_PRE(std::abs(edges[0]) > 2e-3 && std::abs(edges[1]) > 2e-3);
  compare([&](double rate) {
    Maker m = f.make(rate);
    m.run(4 * kPi, 400);
    return m;
  });
}

RC_GTEST_PROP(LengthCondition, ASliderCrankComesAsFarAsIsTold, ()) {
  const double a = length(20, 80), b = length(20, 120) + 7e-5, q = *rc::gen::inRange(-300, 300) * 0.01;
  const double height = (b - 2e-3) * *rc::gen::inRange(-95, 96) * 0.01;  // it closes at home
  const double e = a * std::sin(q) - height;
  RC_PRE(std::abs(b - a - std::abs(e)) > 2e-3 && std::abs(std::abs(b - std::abs(e)) - a) > 2e-3);
  compare([&](double rate) {
    const double px = a * std::cos(q), py = a * std::sin(q), x = px + std::sqrt(b * b - height * height);
    Maker m;
    m.hinge("in", "g", "crank", 0, 0);
    m.hinge("p", "crank", "rod", px, py);
    m.hinge("s", "rod", "block", x, e);
    m.slide("out", "g", "block", x, e, 1, 0);
    m.steady("in.turn", rate);
    m.run(4 * kPi, 400);
    return m;
  });
}

TEST(LengthCondition, ACrankRockerIsToldByBothItsLinks) {
  const FourBar f{0.040, 0.110, 0.080, 0.120, 1.0};
  const auto found = conditionsOf(f.make().read());
  ASSERT_EQ(found.size(), 2u);
  EXPECT_TRUE(found[0].full) << "the crank";
  EXPECT_FALSE(found[1].full) << "the rocker";
  // its swing is between the poses in which crank and coupler are in line (Norton, ch. 4)
  const auto direction = [&](double reach) {
    return std::acos((0.08 * 0.08 + 0.12 * 0.12 - reach * reach) / (2 * 0.08 * 0.12));
  };
  EXPECT_NEAR(found[1].high - found[1].low, direction(0.15) - direction(0.07), 1e-9);
}

}  // namespace
}  // namespace cooperage::kinematics
