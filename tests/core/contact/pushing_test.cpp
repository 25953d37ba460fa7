// SPDX-License-Identifier: GPL-3.0-or-later
// Pushing: an inner slotted wheel, a pawl that falls and jams, a point on a turning line, starts with overlap, laws.
#include <rapidcheck/gtest.h>

#include <random>

#include "base/jet.h"
#include "clearance/pair_memory.h"
#include "prisms.h"
#include "wheels.h"

namespace cooperage::contact::test {
namespace {

using kinematics::EndKind;
using kinematics::PushEvent;

std::string steady(double to, double time) {
  return fmt::format(R"([{{"law":"linear","to":{},"time":{}}}])", formatNumber(to), formatNumber(time));
}

// A wheel about the driver's circle: its slot turns the same way as the driver, and lags by the play.
TEST(Pushing, AnInnerSlottedWheelEqualsItsClosedForm) {
  for (const double play : {0.05e-3, 0.2e-3}) {
    SCOPED_TRACE(play);
    const double d = 0.04, r = 0.1, pin = 0.006, half = pin + play / 2, w = 2 * kPi;
    const auto wheel = [&](const Jet& a) {  // a counts from where the pin is farthest from the wheel's axis
      const Jet x = Jet(d) + Jet(r) * cos(a), y = Jet(r) * sin(a);
      return atan(y / x) - asin(Jet(play / 2) / sqrt(x * x + y * y));
    };
    const double to = kPi + 1.2;
    Pushing p(twoPivots(d, kPi, 0, steady(to, 1.2 / w), formatNumber(1.2 / w), 120),
              {{"driver", {circle({r, 0}, pin)}},
               {"wheel", {box({-0.17, half}, {-0.05, half + 0.01}), box({-0.17, -half - 0.01}, {-0.05, -half})}}});
    ASSERT_TRUE(p.go());
    ASSERT_TRUE(p.travel.completed);
    ASSERT_FALSE(p.travel.marks.empty());
    EXPECT_EQ(p.travel.marks[0].code, "touches");
    int pushed = 0;
    for (const auto& s : p.travel.steps) {
      const Jet form = wheel(Jet(p.value(s, 0) - kPi, w, 0, 0));
      if (form.v <= 0) {
        EXPECT_NEAR(p.value(s, 1), 0, 1e-12);
        continue;
      }
      ++pushed;
      EXPECT_NEAR(p.value(s, 1), form.v, 1e-10);
      EXPECT_NEAR(s.qd[p.dof(1)], form.d1, 1e-9);
      EXPECT_NEAR(s.qdd[p.dof(1)], form.d2, 1e-7);
    }
    EXPECT_GT(pushed, 100);
  }
}

// A disc that nothing but a turning line touches is pushed square to the line only: its centre, as far off the line as
// its radius, is left behind by that times the turn. (A point would keep its place on the line.)
TEST(Pushing, ADiscOnATurningLineIsPushedSquareToIt) {
  const double radius = 0.004, along = 0.06, w = 1;
  for (const int steps : {8, 80}) {
    Pushing p(fmt::format(R"({{"format":"cooperage","version":1,"units":{{"length":"m","angle":"rad"}},
 "links":[{{"name":"frame","ground":true,"seats":[{{"name":"a"}}]}},{{"name":"driver","seats":[{{"name":"o"}}]}},
  {{"name":"disc","placement":{{"at":[0.06,0.004,0]}},"seats":[{{"name":"o"}}]}}],
 "joints":[{{"name":"motor","kind":"revolute","between":["frame/a","driver/o"],"home":{{"turn":0}}}},
  {{"name":"plane","kind":"planar","between":["frame/a","disc/o"]}}],
 "drives":[{{"name":"drive","value":"motor.turn","programme":{}}}],
 "contacts":[{{"name":"push","between":[["driver"],["disc"]]}}],
 "runs":[{{"name":"r","duration":1,"steps":{},"axis":"drive"}}]}})",
                          steady(w, 1), steps),
              {{"driver", {box({-0.01, -0.01}, {0.12, 0})}}, {"disc", {circle({0, 0}, radius)}}});
    ASSERT_TRUE(p.go());
    ASSERT_TRUE(p.travel.completed) << (p.travel.messages.empty() ? "" : p.travel.messages.back().text);
    const auto masses = std::find_if(p.travel.messages.begin(), p.travel.messages.end(),
                                     [](const Message& x) { return x.code == "depends-on-masses"; });
    ASSERT_NE(masses, p.travel.messages.end());
    EXPECT_THAT(masses->text, testing::HasSubstr("disc depends on masses"));
    for (const auto& s : p.travel.steps) {
      const double a = p.value(s, 0);
      const Vec3 at = [&] {
        kinematics::Solver solver(p.run->system(), {});
        solver.forward(s.c);
        return solver.linkPose(2).p;
      }();
      EXPECT_NEAR(at.x(), (along + radius * a) * std::cos(a) - radius * std::sin(a), 1e-9);
      EXPECT_NEAR(at.y(), (along + radius * a) * std::sin(a) + radius * std::cos(a), 1e-9);
    }
  }
}

/// A blade that turns about the origin, and a pawl with a round end on a pivot, held by a force against a stop.
struct Pawl {
  Vec2 pivot{0.115, 0.02};
  double length = 0.06, end = 0.004, blade = 0.06;
  double rest = kPi + 0.35;  ///< its stop
  Pushing run(const std::string& programme, double from, double time, int steps) const {
    const Loop capsule = {line({0, -end}, {length, -end}), arc({length, -end}, {length, end}, {length, 0}, true),
                          line({length, end}, {0, end}), arc({0, end}, {0, -end}, {0, 0}, true)};
    return Pushing(fmt::format(R"({{"format":"cooperage","version":1,"units":{{"length":"m","angle":"rad"}},
 "links":[{{"name":"frame","ground":true,"seats":[{{"name":"a"}},{{"name":"b","at":[{0},{1},0]}}]}},
  {{"name":"blade","seats":[{{"name":"o"}}]}},{{"name":"pawl","placement":{{"at":[{0},{1},0]}},"seats":[{{"name":"o"}}]}}],
 "joints":[{{"name":"motor","kind":"revolute","between":["frame/a","blade/o"],"home":{{"turn":{2}}}}},
  {{"name":"pivot","kind":"revolute","between":["frame/b","pawl/o"],"home":{{"turn":{3}}},"stops":{{"turn":[null,{3}]}}}}],
 "drives":[{{"name":"drive","value":"motor.turn","programme":{4}}}],
 "contacts":[{{"name":"push","between":[["blade"],["pawl"]]}}],
 "forces":[{{"name":"spring","of":"pivot.turn","effort":"0.1 N*m"}}],
 "runs":[{{"name":"r","duration":{5},"steps":{6},"axis":"time"}}]}})",
                               formatNumber(pivot.x()), formatNumber(pivot.y()), formatNumber(from), formatNumber(rest),
                               programme, formatNumber(time), steps),
                   {{"blade", {polygon({{0, -0.01}, {blade, 0}, {0, 0.01}})}}, {"pawl", {capsule}}});
  }
  Vec2 corner(double a) const { return blade * Vec2(std::cos(a), std::sin(a)); }
};

TEST(Pushing, APawlFallsWhereTheCornerReachesItsEnd) {
  const Pawl g;
  // the corner is as far from the pivot as the pawl reaches
  double low = -0.3, high = 0.9;
  const auto within = [&](double a) { return (g.corner(a) - g.pivot).norm() < g.length + g.end; };
  // from where it is nearest on
  low = std::atan2(g.pivot.y(), g.pivot.x());
  for (int k = 0; k < 200; ++k) (within(0.5 * (low + high)) ? low : high) = 0.5 * (low + high);
  const double falls = low;
  for (const int steps : {1, 37, 400}) {
    Pushing p = g.run(steady(1.2, 2), -0.8, 2, steps);
    ASSERT_TRUE(p.go());
    ASSERT_TRUE(p.travel.completed) << p.travel.messages.back().text;
    const auto& marks = p.travel.marks;
    ASSERT_FALSE(marks.empty());
    EXPECT_EQ(marks.front().code, "touches");
    EXPECT_EQ(marks.back().code, "falls");
    EXPECT_NEAR(-0.8 + marks.back().from, falls, 2e-7) << "the corner slips off where its normal is square to its way";
    EXPECT_NEAR(p.value(p.travel.steps.back(), 1), g.rest, 1e-9) << "the stop holds it again";
  }
}

TEST(Pushing, BackwardsItJamsBetweenBladeAndStop) {
  const Pawl g;
  Pushing p = g.run(fmt::format(R"([{{"law":"linear","to":1.2,"time":2}},{{"law":"linear","to":-0.8,"time":2}}])"),
                    -0.8, 4, 400);
  ASSERT_TRUE(p.go());
  ASSERT_FALSE(p.travel.completed);
  ASSERT_TRUE(p.travel.ended);
  EXPECT_EQ(p.travel.ended->kind, EndKind::jammed);
  ASSERT_TRUE(p.travel.ended->jam);
  // the corner on the upper side of the pawl that lies on its stop
  const Vec2 axis(std::cos(g.rest), std::sin(g.rest));
  double low = 0, high = 1.2;
  for (int k = 0; k < 200; ++k) {
    const double mid = 0.5 * (low + high);
    const Vec2 d = g.corner(mid) - g.pivot;
    const bool past = d.dot(axis) > g.length ? (d - g.length * axis).norm() > g.end : -cross(axis, d) > g.end;
    (past ? high : low) = mid;
  }
  EXPECT_NEAR(1.2 - (p.travel.ended->t - 2), low, 1e-9);
  EXPECT_THAT(p.travel.messages.back().text, testing::HasSubstr("jammed"));
  EXPECT_THAT(p.travel.messages.back().text, testing::HasSubstr("the stop of joint pivot"));
  EXPECT_THAT(p.travel.messages.back().text, testing::HasSubstr("greater values"));
}

// A round latch that a force presses into a notch: it stands where it touches both sides, and climbs either.
TEST(Pushing, ALatchRestsOnBothSidesOfItsNotchAndClimbsEither) {
  const double radius = 0.003, slope = std::tan(40 * kDegree);
  const double rest = radius / std::cos(40 * kDegree);
  const Loop rail = polygon({{-0.03, -0.01}, {0.03, -0.01}, {0.03, 0.03 * slope}, {0, 0}, {-0.03, 0.03 * slope}});
  for (const int steps : {4, 50}) {
    SCOPED_TRACE(steps);
    Pushing p(fmt::format(R"({{"format":"cooperage","version":1,"units":{{"length":"m","angle":"rad"}},
 "links":[{{"name":"frame","ground":true,"seats":[{{"name":"x","axis":[1,0,0],"ref":[0,1,0]}},{{"name":"y","at":[0,{0},0],"axis":[0,1,0],"ref":[1,0,0]}}]}},
  {{"name":"rail","seats":[{{"name":"x","axis":[1,0,0],"ref":[0,1,0]}}]}},
  {{"name":"latch","placement":{{"at":[0,{0},0]}},"seats":[{{"name":"y","axis":[0,1,0],"ref":[1,0,0]}}]}}],
 "joints":[{{"name":"bed","kind":"prismatic","between":["frame/x","rail/x"]}},
  {{"name":"guide","kind":"prismatic","between":["frame/y","latch/y"]}}],
 "drives":[{{"name":"drive","value":"bed.slide","programme":[
   {{"law":"linear","to":-0.01,"time":1}},{{"law":"linear","to":0.01,"time":2}}]}}],
 "contacts":[{{"name":"notch","between":[["latch"],["rail"]]}}],
 "forces":[{{"name":"spring","of":"guide.slide","effort":"-3 N"}}],
 "runs":[{{"name":"r","duration":3,"steps":{1},"axis":"time"}}]}})",
                          formatNumber(rest + 2e-3), steps),
              {{"rail", {rail}}, {"latch", {circle({0, 0}, radius)}}});
    ASSERT_TRUE(p.go());
    ASSERT_TRUE(p.travel.completed) << (p.travel.messages.empty() ? "" : p.travel.messages.back().text);
    for (const auto& s : p.travel.steps)
      EXPECT_NEAR(p.value(s, 1), -2e-3 + std::abs(p.value(s, 0)) * slope, 1e-10) << "from where it was let go";
    const auto touches = [&](double t) { return p.run->pushed()->touching(t).size(); };
    EXPECT_EQ(touches(0.5), 1u);
    EXPECT_EQ(touches(2.5), 1u);
    int over = 0;
    for (const auto& m : p.travel.marks) over += m.code == "hands-over" && std::abs(m.from - 2) < 1e-9;
    EXPECT_EQ(over, 1) << "from one side to the other in the middle";
  }
}

TEST(Pushing, OneStepAndManyEndAlike) {
  const Pawl g;
  Pushing one = g.run(steady(0.1, 2), -0.8, 2, 1), many = g.run(steady(0.1, 2), -0.8, 2, 360);
  ASSERT_TRUE(one.go());
  ASSERT_TRUE(many.go());
  EXPECT_EQ(one.value(one.travel.steps.back(), 1), many.value(many.travel.steps.back(), 1));
  EXPECT_EQ(one.travel.steps.back().qd[one.dof(1)], many.travel.steps.back().qd[many.dof(1)]);
  // a pose at a cursor is the same however one came there
  kinematics::TravelStep a, b;
  ASSERT_TRUE(many.run->poseAt(many.travel, 1.2345, a));
  const auto twin = many.run->twin();
  kinematics::TravelStep other;
  ASSERT_TRUE(twin->poseAt(many.travel, 0.2, other));
  ASSERT_TRUE(twin->poseAt(many.travel, 1.2345, b));
  EXPECT_EQ(a.c.q, b.c.q);
  EXPECT_EQ(a.qd, b.qd);
}

/// A disc beside a wheel with slots, the wheel turned so that both overlap.
TEST(Pushing, TwentyStartsWithOverlapFindTheNearestFreePose) {
  std::mt19937 random(7);
  std::uniform_real_distribution<double> turn(-0.012, 0.012);
  const double d = 0.1, pin = 0.006, r = d * std::sin(kPi / 4);
  const Loop loop = slottedWheel(4, d * std::cos(kPi / 4), pin + 0.05e-3, d - r - 0.5 * pin);
  int overlapped = 0;
  for (int k = 0; k < 20; ++k) {
    const double at = turn(random);
    Pushing p(twoPivots(d, 0, at, steady(0.1, 1), "1", 10), {{"driver", {circle({r, 0}, pin)}}, {"wheel", {loop}}});
    const Status s = p.prepare();
    if (s.ok()) continue;
    ++overlapped;
    EXPECT_EQ(s.error().code, "overlap-at-home");
    EXPECT_THAT(s.error().text, testing::HasSubstr("driver and wheel overlap by"));
    EXPECT_THAT(s.error().text, testing::HasSubstr("take the nearest free pose"));
    const auto system = std::make_shared<const kinematics::System>(*kinematics::System::compile(p.resolved));
    const auto home = kinematics::assemble(*system, p.resolved);
    ASSERT_TRUE(home.ok());
    const auto free = nearestFree(p.resolved, system, *home, kinematics::analyse(*system, p.resolved, *home), p.bodies);
    ASSERT_TRUE(free.ok()) << free.error().text;
    // by the kernel's distance: apart once it is turned by a hair towards the middle, not apart by as much the other
    // way
    const auto apart = [&](double by) {
      const double sense = at > 0 ? 1 : -1;
      const Pose turned(rotationOf(Vec3(0, 0, -sense * by)), Vec3(0, 0, 0));
      return distance(prism(circle({r, 0}, pin)), free->poses[1], prism(loop), free->poses[2] * turned);
    };
    EXPECT_GT(apart(3e-8), 0) << "1e-6 mm at the slot";
    EXPECT_LT(apart(-1e-5), 1e-12);
    // and nearest: the slot's side just touches, on the side from which it came
    const double turned = std::asin(0.05e-3 / (d - r));
    EXPECT_NEAR(rotationVector(free->poses[2].R).z(), at > 0 ? turned : -turned, 1e-9);
  }
  EXPECT_GT(overlapped, 12);
}

// A run of its own may begin at the nearest free pose; home stays where it is.
TEST(Pushing, ARunMayBeginAtTheNearestFreePose) {
  const double d = 0.1, pin = 0.006, r = d * std::sin(kPi / 4), at = 0.008;
  const Loop loop = slottedWheel(4, d * std::cos(kPi / 4), pin + 0.05e-3, d - r - 0.5 * pin);
  Pushing p(twoPivots(d, 0, at, steady(0.1, 1), "1", 10), {{"driver", {circle({r, 0}, pin)}}, {"wheel", {loop}}});
  ASSERT_FALSE(p.prepare().ok());
  p.resolved.runs[0].freeStart = true;
  ASSERT_TRUE(p.go());
  EXPECT_TRUE(p.travel.completed);
  EXPECT_NEAR(p.value(p.travel.steps.front(), 1), std::asin(0.05e-3 / (d - r)), 1e-9);
  EXPECT_EQ(p.run->home().configuration.q[p.dof(1)], at);
  const auto& told = p.travel.messages;
  const auto note = std::find_if(told.begin(), told.end(), [](const Message& x) { return x.code == "free-start"; });
  ASSERT_NE(note, told.end());
  EXPECT_THAT(note->text, testing::HasSubstr("driver and wheel overlap by"));
}

// How a pushed link moves hangs on the forms of others: what was checked on one way is never taken for another.
TEST(Pushing, WhatIsPushedIsCheckedAnew) {
  Pushing p(twoPivots(0.1, 0, 0, steady(0.1, 1), "1", 10),
            {{"driver", {circle({0.05, 0}, 0.005)}}, {"wheel", {box({-0.02, -0.01}, {0.02, 0.01})}}});
  ASSERT_TRUE(p.go());
  clearance::MotionSources one(*p.run), again(*p.run);
  EXPECT_FALSE(*one.of(1, 2) == *again.of(1, 2));
}

TEST(Pushing, ABoxInABoxIsTold) {
  Pushing p(twoPivots(0.1, 0, 0, steady(0.1, 1), "1", 10),
            {{"driver", {box({0.09, -0.01}, {0.11, 0.01})}}, {"wheel", {box({-0.1, -0.1}, {0.1, 0.1})}}});
  const Status s = p.prepare();
  ASSERT_FALSE(s.ok());
  EXPECT_EQ(s.error().code, "overlap-at-home");
  EXPECT_THAT(s.error().text, testing::HasSubstr("no free pose near by"));
}

// Bars that cross have no corner in one another, and overlap all the same.
TEST(Pushing, BarsThatCrossAreTold) {
  Pushing p(twoPivots(0.1, 0, 0, steady(0.1, 1), "1", 10),
            {{"driver", {box({0.04, -0.06}, {0.05, 0.06})}}, {"wheel", {box({-0.09, -0.005}, {0.02, 0.005})}}});
  const Status s = p.prepare();
  ASSERT_FALSE(s.ok());
  EXPECT_EQ(s.error().code, "overlap-at-home");
  EXPECT_THAT(s.error().text, testing::HasSubstr("driver and wheel overlap by"));
}

Vec2 turnedBy(const Vec2& x, double q) {
  return {x.x() * std::cos(q) - x.y() * std::sin(q), x.x() * std::sin(q) + x.y() * std::cos(q)};
}

/// A star about the origin, and a bar on a pivot beside it: judged by the crossings of their sides, and nothing else.
struct StarAndBar {
  std::vector<Vec2> star, bar;
  double away = 0.1;
  using Polygon = std::vector<Vec2>;
  Polygon starAt(double a) const {
    Polygon out;
    for (const Vec2& x : star) out.push_back(turnedBy(x, a));
    return out;
  }
  Polygon barAt(double b) const {
    Polygon out;
    for (const Vec2& x : bar) out.push_back(turnedBy(x, b) + Vec2(away, 0));
    return out;
  }
  static bool holds(const Polygon& o, const Vec2& x) {
    bool in = false;
    for (std::size_t i = 0, k = o.size() - 1; i < o.size(); k = i++)
      if ((o[i].y() > x.y()) != (o[k].y() > x.y()) &&
          x.x() < o[i].x() + (x.y() - o[i].y()) / (o[k].y() - o[i].y()) * (o[k].x() - o[i].x()))
        in = !in;
    return in;
  }
  /// How deep a corner of either lies in the other.
  double depth(double a, double b) const {
    const Polygon p = starAt(a), q = barAt(b);
    double most = 0;
    for (const auto& [o, other] : {std::pair{&p, &q}, std::pair{&q, &p}})
      for (const Vec2& x : *o) {
        if (!holds(*other, x)) continue;
        double nearest = 1;
        for (std::size_t i = 0; i < other->size(); ++i) {
          const Vec2 &from = (*other)[i], way = (*other)[(i + 1) % other->size()] - from;
          nearest = std::min(nearest,
                             (x - from - std::clamp((x - from).dot(way) / way.squaredNorm(), 0.0, 1.0) * way).norm());
        }
        most = std::max(most, nearest);
      }
    return most;
  }
  bool overlap(double a, double b) const {
    const Polygon p = starAt(a), q = barAt(b);
    for (std::size_t i = 0; i < p.size(); ++i)
      for (std::size_t k = 0; k < q.size(); ++k) {
        const Vec2 d = p[(i + 1) % p.size()] - p[i], e = q[(k + 1) % q.size()] - q[k], r = q[k] - p[i];
        const double det = cross(d, e), s = cross(r, e), t = cross(r, d);
        if (det > 0 ? s > 0 && s < det && t > 0 && t < det : s < 0 && s > det && t < 0 && t > det) return true;
      }
    return holds(q, p[0]) || holds(p, q[0]);
  }
  bool cornerOnCorner(double a, double b) const {
    const Polygon p = starAt(a), q = barAt(b);
    return std::any_of(p.begin(), p.end(), [&](const Vec2& x) {
      return std::any_of(q.begin(), q.end(), [&](const Vec2& y) { return (x - y).norm() < 2e-4; });
    });
  }
  /// The free value nearest to one that isn't, one way or the other, within a reach; none if there is none.
  std::optional<double> freeFrom(double a, double b, double sense, double reach) const {
    double last = 0;
    for (double step = 1e-9; step < reach; last = step, step *= 1.5)
      if (!overlap(a, b + sense * step)) {
        double in = last, out = step;
        for (int k = 0; k < 40; ++k) (overlap(a, b + sense * 0.5 * (in + out)) ? in : out) = 0.5 * (in + out);
        return b + sense * out;
      }
    return std::nullopt;
  }
  std::optional<double> nearestFreeTo(double a, double b, double reach) const {
    const auto up = freeFrom(a, b, 1, reach), down = freeFrom(a, b, -1, reach);
    if (!up || !down) return up ? up : down;
    return *up - b < b - *down ? up : down;
  }
};

/// The star turned by so much and back, the bar beside it at home.
Pushing starRun(const StarAndBar& g, double home, double way) {
  Pushing p(twoPivots(g.away, 0, home,
                      fmt::format(R"([{{"law":"linear","to":{0},"time":1}},{{"law":"linear","to":0,"time":1}}])",
                                  formatNumber(way)),
                      "2", 100),
            {{"driver", {polygon(g.star)}}, {"wheel", {polygon(g.bar)}}});
  p.resolved.runs[0].axis = -1;  // it turns back: time
  return p;
}
StarAndBar starOf(const std::vector<double>& radii, double low, double reach) {
  StarAndBar g;
  const double n = static_cast<double>(radii.size());
  for (const double r : radii) {
    const double a = 2 * kPi * static_cast<double>(g.star.size()) / n;
    g.star.push_back(r * Vec2(std::cos(a), std::sin(a)));
  }
  g.bar = {{-reach, -low}, {0.02, -low}, {0.02, low}, {-reach, low}};
  return g;
}

// A corner slides along the bar's end towards the middle, where it has no lever left: the bar's rate grows beyond all
// bounds, and a second pose, mirrored at the middle, comes near. Every pose is that of the branch on which it came.
TEST(Pushing, APoseStaysOnTheBranchOnWhichItCame) {
  const StarAndBar g = starOf({0.048, 0.022, 0.030, 0.029, 0.043, 0.021}, 0.010, 0.064);
  double b = *g.nearestFreeTo(0, 0, 2) + 0.15, was = 0;
  Pushing p = starRun(g, b, 2);
  ASSERT_TRUE(p.go());
  ASSERT_TRUE(p.travel.ended);
  EXPECT_EQ(p.travel.ended->kind, EndKind::jammed) << "one contact alone, without a lever";
  ASSERT_EQ(p.travel.ended->jam->sides.size(), 1u);
  int pushed = 0;
  for (int k = 0; k <= 700; ++k) {
    kinematics::TravelStep s;
    ASSERT_TRUE(p.run->poseAt(p.travel, k < 600 ? 0.8175 * k / 600 : 0.8175 + 0.0059 * (k - 600) / 100, s));
    const double a = p.value(s, 0);
    for (int i = 1; i <= 20; ++i)
      if (const double here = was + (a - was) * i / 20; g.overlap(here, b)) b = *g.nearestFreeTo(here, b, 0.05);
    was = a;
    if (std::abs(b - p.value(s, 1)) > 0) ++pushed;
    EXPECT_NEAR(p.value(s, 1), b, 1e-8) << k;
  }
  EXPECT_GT(pushed, 50);
}

// The corner flicks past the bar's: for a moment each stands on the end of the other's side.
TEST(Pushing, ACornerThatFlicksPastAnotherIsFollowed) {
  const StarAndBar g = starOf({0.047, 0.037, 0.020, 0.020, 0.037}, 0.003, 0.066);
  Pushing p = starRun(g, *g.nearestFreeTo(0, 0, 2), -3);
  ASSERT_TRUE(p.go());
  EXPECT_TRUE(p.travel.completed || p.travel.ended->kind == EndKind::jammed);
  EXPECT_GT(p.travel.steps.back().t, 0.31);
}

// One way, and back: the bar stays where it was left unless it is pushed, and then goes as far as it must, as found by
// nothing but whether two polygons overlap, at poses ten times as fine as the steps. And never an overlap.
RC_GTEST_PROP(Pushing, WhatIsPushedGoesAsFarAsItMustThereAndBack, ()) {
#ifdef __SANITIZE_ADDRESS__
  if (*rc::gen::inRange(0, 4) > 0) return;  // a tenth of a second each, and there fifteen times that
#endif
  std::vector<double> radii(*rc::gen::inRange<std::size_t>(3, 9));
  for (double& r : radii) r = 0.02 + 1e-3 * *rc::gen::inRange(0, 35);
  const double low = 1e-3 * *rc::gen::inRange(3, 12), reach = 1e-3 * *rc::gen::inRange(60, 95);
  const StarAndBar g = starOf(radii, low, reach);
  const double way = *rc::gen::inRange(1, 7) * (*rc::gen::inRange(0, 2) == 0 ? 1 : -1),
               beside = *rc::gen::inRange(0, 4);
  const auto touching = g.overlap(0, 0) ? g.nearestFreeTo(0, 0, 2) : std::optional<double>(0);
  RC_PRE(touching.has_value());
  const double home = *touching + (*touching < 0 ? -0.05 : 0.05) * beside;
  Pushing p = starRun(g, home, way);
  if (!p.prepare().ok()) {
    RC_ASSERT(g.overlap(0, home) || beside == 0);
    RC_DISCARD("overlap at home");
  }
  p.travel = p.run->run();
  RC_CLASSIFY(p.travel.completed, "completed");
  // it may jam; what was followed until then is right
  for (const auto& x : p.travel.messages) RC_LOG(x.text + "\n");
  for (const auto& x : p.travel.marks) RC_LOG(fmt::format("{} at {}\n", x.code, x.from));
  RC_ASSERT(!p.travel.ended || p.travel.ended->kind == EndKind::jammed);
  const double end = p.travel.steps.back().t;
  double b = home, was = 0;
  bool pushed = false, steep = false;
  const int fine = 1000, parts = 40;
  for (int k = 0; k <= fine && !steep; ++k) {
    const double t = 2.0 * k / fine;
    if (t > end) break;
    kinematics::TravelStep s;
    RC_ASSERT(p.run->poseAt(p.travel, t, s));
    const double a = p.value(s, 0), ours = p.value(s, 1);
    RC_ASSERT(g.depth(a, ours) < 1e-9);
    for (int i = 1; i <= parts && !steep; ++i) {
      const double here = was + (a - was) * i / parts;
      if (!g.overlap(here, b)) continue;
      const auto next = g.nearestFreeTo(here, b, 0.05);
      // corner on corner, or about to jam: where it comes to hangs on the last digit
      steep = !next || g.cornerOnCorner(here, b) || std::abs(*next - b) > 20 * std::abs(a - was) / parts;
      if (!steep) b = *next;
      pushed = true;
    }
    was = a;
    if (!steep) RC_ASSERT(std::abs(ours - b) < 2e-3);
  }
  RC_CLASSIFY(pushed, "pushed");
  RC_CLASSIFY(steep, "steep");
}

}  // namespace
}  // namespace cooperage::contact::test
