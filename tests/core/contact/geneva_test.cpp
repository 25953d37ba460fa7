// SPDX-License-Identifier: GPL-3.0-or-later
// Indexing wheels with radial slots against closed forms.
#include "wheels.h"

#include "base/jet.h"

namespace cooperage::contact::test {
namespace {

using kinematics::PushEvent;

struct Geneva {
  int slots;
  double play;
  double d = 0.1, pin = 0.006;
  double r() const { return d * std::sin(kPi / slots); }
  double outer() const { return d * std::cos(kPi / slots); }
  double half() const { return pin + 0.5 * play; }
  /// Driver angle, from the line of centres, at which the pin comes to the mouth.
  double entry() const { return 0.5 * kPi - kPi / slots; }
  /// The wheel's turn with the pin on the side of the slot that it pushes.
  Jet wheel(const Jet& a) const {
    const Jet x = Jet(d) - Jet(r()) * cos(a), y = Jet(r()) * sin(a);
    const Jet rho = sqrt(x * x + y * y);
    return asin(Jet(0.5 * play) / rho) - atan(y / x);
  }
  std::vector<Loop> wheelLoops() const { return {slottedWheel(slots, outer(), half(), d - r() - 0.5 * pin)}; }
  std::vector<Loop> driverLoops() const { return {circle({r(), 0}, pin)}; }
  /// From before the mouth to beyond it, at one turn a second.
  Pushing run(int steps, double from, double to) const {
    // the slot stands where the pin comes in
    return Pushing(twoPivots(d, from, kPi / slots,
                             fmt::format(R"([{{"law":"linear","to":{},"time":{}}}])", formatNumber(to),
                                         formatNumber((to - from) / (2 * kPi))),
                             formatNumber((to - from) / (2 * kPi)), steps),
                   {{"driver", driverLoops()}, {"wheel", wheelLoops()}});
  }
  /// Where the pin meets the side, and where it comes off the mouth's corner onto it: the roots of the closed form.
  double touch() const {
    double low = -entry(), high = 0;  // before it the wheel stands at pi / slots, which the form is above
    for (int k = 0; k < 200; ++k) {
      const double mid = 0.5 * (low + high);
      (wheel(Jet(mid)).v > kPi / slots ? low : high) = mid;
    }
    return 0.5 * (low + high);
  }
};

class GenevaForms : public testing::TestWithParam<std::tuple<int, double, double>> {};

TEST_P(GenevaForms, AngleRateAndAccelerationAreThoseOfTheClosedForm) {
  const auto [slots, play, step] = GetParam();
  const Geneva g{slots, play};
  const double w = 2 * kPi, from = -g.entry() - 0.2, to = g.entry() + 0.2;
  Pushing p = g.run(static_cast<int>(std::lround((to - from) / (step * kDegree))), from, to);
  ASSERT_TRUE(p.go());
  ASSERT_TRUE(p.travel.completed) << (p.travel.messages.empty() ? "" : p.travel.messages.back().text);
  double angle = 0, rate = 0, acceleration = 0;
  int pushed = 0;
  const double ride = play == 0 ? 0.5 * kDegree : 0;  // without play the pin rides the mouth's corner first
  for (const auto& s : p.travel.steps) {
    const double a = p.value(s, 0);
    const Jet wheel = g.wheel(Jet(a, w, 0, 0));
    const bool inSlot = a > std::max(-g.entry(), g.touch()) + ride && a < g.entry() - 3 * kDegree;
    if (!inSlot) {
      if (a < -g.entry()) {
        EXPECT_EQ(p.value(s, 1), kPi / slots);
        EXPECT_EQ(s.qd[p.dof(1)], 0);
      }
      continue;
    }
    ++pushed;
    angle = std::max(angle, std::abs(p.value(s, 1) - wheel.v));
    rate = std::max(rate, std::abs(s.qd[p.dof(1)] - wheel.d1));
    acceleration = std::max(acceleration, std::abs(s.qdd[p.dof(1)] - wheel.d2));
  }
  EXPECT_GT(pushed, 20);
  EXPECT_LT(angle, 1e-10);
  EXPECT_LT(rate, 1e-9);
  EXPECT_LT(acceleration, 1e-7);
}

TEST_P(GenevaForms, TouchIsWhereTheClosedFormLeavesTheDwell) {
  const auto [slots, play, step] = GetParam();
  if (play == 0) return;
  const Geneva g{slots, play};
  const double from = -g.entry() - 0.2, to = g.entry() + 0.2;
  Pushing p = g.run(static_cast<int>(std::lround((to - from) / (step * kDegree))), from, to);
  ASSERT_TRUE(p.go());
  const auto& marks = p.travel.marks;
  ASSERT_FALSE(marks.empty());
  EXPECT_EQ(marks[0].code, "touches");
  EXPECT_EQ(marks[0].object, "push");
  EXPECT_EQ(marks[0].links, (std::vector<std::string>{"driver", "wheel"}));
  EXPECT_NEAR(marks[0].from, g.touch(), 1e-9);
}

// Back again the pin pushes the slot's other side: the wheel is behind by the play on both sides.
TEST(GenevaReversed, TheWayBackDiffersByThePlay) {
  const Geneva g{4, 0.2e-3};
  const double from = -g.entry() - 0.2, to = 0.3, time = (to - from) / (2 * kPi), w = 2 * kPi;
  Pushing p(twoPivots(g.d, from, kPi / g.slots,
                      fmt::format(R"([{{"law":"linear","to":{0},"time":{2}}},{{"law":"linear","to":{1},"time":{2}}}])",
                                  formatNumber(to), formatNumber(from), formatNumber(time)),
                      formatNumber(2 * time), 200),
            {{"driver", g.driverLoops()}, {"wheel", g.wheelLoops()}});
  ASSERT_TRUE(p.go());
  ASSERT_TRUE(p.travel.completed) << (p.travel.messages.empty() ? "" : p.travel.messages.back().text);
  int forwards = 0, still = 0, backwards = 0;
  const double top = g.wheel(Jet(to)).v;
  for (const auto& s : p.travel.steps) {
    const double a = p.value(s, 0), b = p.value(s, 1);
    const Jet x = Jet(g.d) - Jet(g.r()) * cos(Jet(a, -w, 0, 0)), y = Jet(g.r()) * sin(Jet(a, -w, 0, 0));
    const Jet back = -atan(y / x) - asin(Jet(0.5 * g.play) / sqrt(x * x + y * y));
    if (s.t < time) {
      if (a > g.touch()) {
        ++forwards;
        EXPECT_NEAR(b, g.wheel(Jet(a)).v, 1e-10);
      }
    } else if (back.v < top) {
      ++still;
      EXPECT_NEAR(b, top, 1e-10);
    } else if (a > -g.entry() + 0.02) {
      ++backwards;
      EXPECT_NEAR(b, back.v, 1e-10);
      EXPECT_NEAR(s.qd[p.dof(1)], back.d1, 1e-9);
      EXPECT_LT(b - g.wheel(Jet(a)).v, 0) << "behind";
      EXPECT_GT(b - g.wheel(Jet(a)).v, -1.01 * g.play / (g.d - g.r())) << "by no more than the play";
    }
  }
  EXPECT_GT(forwards, 30);
  EXPECT_GT(still, 0);
  EXPECT_GT(backwards, 30);
}

INSTANTIATE_TEST_SUITE_P(Geneva, GenevaForms,
                         testing::Combine(testing::Values(4, 5, 6), testing::Values(0.0, 0.05e-3, 0.2e-3),
                                          testing::Values(1.0, 0.1)));

}  // namespace
}  // namespace cooperage::contact::test
