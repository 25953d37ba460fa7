// SPDX-License-Identifier: GPL-3.0-or-later
// From lines to solids on levels: plates against closed forms, the least number of levels against brute force.
#include "study/levels.h"

#include <rapidcheck/gtest.h>

#include <GProp_GProps.hxx>
#include <BRepGProp.hxx>

#include "../maker.h"
#include "drawing/link_plate.h"
#include "model/joint_edits.h"
#include "model/layout.h"
#include "model/plane_joints.h"
#include "model/programme_edits.h"
#include "model/sheet_edits.h"
#include "model/thickness.h"

namespace cooperage::test {
namespace {

using namespace model;
using namespace study;
using testing::HasSubstr;
using Vec2 = Eigen::Vector2d;

/// All assignments, one after another: the fewest broken rules, then the fewest levels, then the shortest pins.
/// @param limit where more levels than that are known to be too many
std::array<int, 3> bruteForce(const LevelProblem& p, int limit = 100) {
  int most = 1, movers = 0;
  for (const auto& f : p.fixed) {
    movers += !f;
    if (f) most = std::max(most, *f);
  }
  most = std::min(most + movers, limit);
  std::array<int, 3> best{1 << 20, 0, 0};
  std::vector<int> levels(static_cast<std::size_t>(p.links), 0);
  for (;;) {
    bool allowed = true;
    for (std::size_t i = 0; i < levels.size(); ++i)
      allowed = allowed && (p.fixed[i] ? levels[i] == *p.fixed[i] : levels[i] > 0);
    if (allowed) {
      int broken = 0, count = 0, reach = 0;
      for (int v : levels) count = std::max(count, v);
      for (const auto& [a, b] : p.apart)
        broken += levels[static_cast<std::size_t>(a)] == levels[static_cast<std::size_t>(b)];
      for (const auto& pin : p.pins) {
        int low = 1 << 20, high = -1;
        for (int m : pin.members) {
          low = std::min(low, levels[static_cast<std::size_t>(m)]);
          high = std::max(high, levels[static_cast<std::size_t>(m)]);
        }
        if (high < 0) continue;
        reach += high - low;
        for (int link : pin.hits)
          broken += levels[static_cast<std::size_t>(link)] > low && levels[static_cast<std::size_t>(link)] < high;
      }
      best = std::min(best, std::array<int, 3>{broken, count, reach});
    }
    std::size_t i = 0;  // the next assignment, as a number is counted up
    for (; i < levels.size(); ++i) {
      if (++levels[i] <= most) break;
      levels[i] = 0;
    }
    if (i == levels.size()) return best;
  }
}
std::array<int, 3> judged(const LevelProblem& p, const LevelPlan& plan) {
  int reach = 0;
  for (const auto& pin : p.pins) {
    int low = 1 << 20, high = -1;
    for (int m : pin.members) {
      low = std::min(low, plan.levels[static_cast<std::size_t>(m)]);
      high = std::max(high, plan.levels[static_cast<std::size_t>(m)]);
    }
    if (high >= 0) reach += high - low;
  }
  return {static_cast<int>(plan.together.size() + plan.pierced.size()), plan.count, reach};
}

RC_GTEST_PROP(Levels, TheSearchFindsWhatTryingAllFinds, ()) {
  LevelProblem p;
  p.links = *rc::gen::inRange(2, 6);
  p.fixed.assign(static_cast<std::size_t>(p.links), std::nullopt);
  p.fixed[0] = 0;
  if (*rc::gen::inRange(0, 3) == 0) p.fixed[1] = *rc::gen::inRange(1, 3);
  const auto link = [&] { return *rc::gen::inRange(0, p.links); };
  for (int k = *rc::gen::inRange(0, 7); k > 0; --k)
    if (const int a = link(), b = link(); a != b) p.apart.emplace_back(a, b);
  for (int k = *rc::gen::inRange(0, 5); k > 0; --k) {
    LevelProblem::Pin pin;
    pin.members = {link(), link()};
    for (int h = *rc::gen::inRange(0, 3); h > 0; --h) {
      const int hit = link();
      if (hit != pin.members[0] && hit != pin.members[1]) pin.hits.push_back(hit);
    }
    p.pins.push_back(pin);
  }
  const auto plan = leastLevels(p);
  RC_TAG(p.links);
  RC_ASSERT(judged(p, plan) == bruteForce(p));
}

/// A layout drawn by hand: pivots and links by their ends, mm.
struct Layout {
  Mechanism m;
  Id sheet = 0;
  Layout() {
    Sheet s;
    s.name = "layout";
    std::tie(m, sheet) = withSheet(m, s);
  }
  std::vector<Pose> poses() const {
    std::vector<Pose> out;
    for (const auto& l : m.links) out.push_back(poseOf(m, l->placement).value());
    return out;
  }
  Id ground(double x, double y) {
    auto made = withGroundPivot(m, sheet, Vec2(x, y) * 1e-3);
    m = made->first;
    return made->second;
  }
  /// @param to a seat, or 0 for a free end there. @return the seat at its end
  Id link(const char* name, Id from, double x, double y, Id to = 0) {
    LinkStroke s;
    s.name = name;
    s.from.seat = from;
    s.to.at = Vec2(x, y) * 1e-3;
    s.to.seat = to;
    auto made = withLinkDrawn(m, sheet, s, poses());
    EXPECT_TRUE(made.ok()) << (made.ok() ? "" : made.error().text);
    m = made->mechanism;
    return made->end;
  }
  Id plate(const std::vector<LayoutSpot>& corners) {
    auto made = withPlateDrawn(m, sheet, corners, poses());
    EXPECT_TRUE(made.ok()) << (made.ok() ? "" : made.error().text);
    m = made->mechanism;
    return made->link;
  }
  Id seatAt(Id link, int index) const { return findLink(m, link)->seats[static_cast<std::size_t>(index)]->id; }
  void drive() {
    auto made = withDrive(m, Symbol{m.joints.front()->id, "turn"}, 0, Purpose::steady, 0);
    EXPECT_TRUE(made.ok());
    m = made->first;
    if (m.runs.empty()) {
      Run r;
      r.id = newId();
      r.name = "run";
      m.runs.push_back(std::make_shared<const Run>(r));
    }
    change<Run>(m.runs, m.runs.front()->id, [](Run& r) {
      r.turns = Field(1);
      r.steps = 180;
    });
  }
  void thicken(double width, double thickness, double bore) {
    PlateSizes s;
    s.width = Field(width);
    s.thickness = Field(thickness);
    s.bore = Field(bore);
    s.pin = Field(0.96 * bore);
    s.pitch = Field(1.2 * thickness);
    auto made = withThickness(m, withoutPlates(m), s);
    ASSERT_TRUE(made.ok()) << made.error().text;
    m = std::move(made).value();
  }
};

LayoutSpot on(Id seat) {
  LayoutSpot s;
  s.seat = seat;
  return s;
}
LayoutSpot at(double x, double y) {
  LayoutSpot s;
  s.at = Vec2(x, y) * 1e-3;
  return s;
}

/// crank 30, coupler 90, rocker 70 over a base of 100: by Grashof's rule the crank turns fully.
Layout crankRocker() {
  Layout l;
  const Id a = l.ground(0, 0), d = l.ground(100, 0);
  const Id b = l.link("crank", a, 0, 30);
  // where circles of 90 about (0, 30) and of 70 about (100, 0) meet
  const double base = std::hypot(100, 30), along = (90.0 * 90 - 70 * 70 + base * base) / (2 * base);
  const double off = std::sqrt(90.0 * 90 - along * along);
  const Vec2 x = Vec2(100, -30) / base, y(-x.y(), x.x());
  const Vec2 c = Vec2(0, 30) + along * x + off * y;
  const Id end = l.link("coupler", b, c.x(), c.y());
  l.link("rocker", end, 100, 0, d);
  l.drive();
  return l;
}

struct Studied {
  shape::ShapeStore store;
  clearance::GeometryCache cache;
  Tools tools() { return {store, cache, nullptr}; }
  PlateRules rules(const Mechanism& m, const std::vector<Id>& fixed = {}) {
    auto r = plateRules(std::make_shared<const Mechanism>(m), 0, fixed, tools());
    EXPECT_TRUE(r.ok()) << (r.ok() ? "" : r.error().text);
    return r.ok() ? *r : PlateRules{};
  }
  PreparedPtr prepared(const Mechanism& m) {
    auto r = resolve(m);
    EXPECT_TRUE(r.ok()) << (r.ok() ? "" : r.error().text);
    return study::prepare(std::make_shared<const Mechanism>(m), std::move(r).value(), 0,
                          [this](const auto& link, const auto& body) {
                            const auto s = store.body(body, link.name);
                            EXPECT_TRUE(s.ok()) << link.name << ": " << (s.ok() ? "" : s.error().text);
                            return s.ok() ? *s : nullptr;
                          });
  }
  /// What a check of the run finds.
  clearance::CheckResult check(const Mechanism& m) {
    auto made = runStudy(prepared(m), 0, tools());
    EXPECT_TRUE(made.ok()) << (made.ok() ? "" : made.error().text);
    RunStudy run = std::move(made).value();
    EXPECT_TRUE(run.result.travel.completed);
    return checkStudy(run, tools()).value();
  }
  /// Levels are found, the least number by trying all, and with them the check finds nothing.
  int levelsOf(Layout& l) {
    const auto rules = this->rules(l.m);
    const auto plan = leastLevels(rules.problem);
    EXPECT_EQ(judged(rules.problem, plan), bruteForce(rules.problem, plan.count)) << "fewer levels would break a rule";
    const auto nameOf = [&](int i) { return findLink(l.m, rules.links[static_cast<std::size_t>(i)])->name; };
    for (const auto& [a, b] : plan.together) ADD_FAILURE() << nameOf(a) << " and " << nameOf(b) << " on one level";
    for (const auto& [pin, link] : plan.pierced)
      ADD_FAILURE() << "the pin of " << rules.pins[static_cast<std::size_t>(pin)] << " through " << nameOf(link);
    std::vector<std::pair<Id, int>> levels;
    for (std::size_t i = 0; i < rules.links.size(); ++i) levels.emplace_back(rules.links[i], plan.levels[i]);
    l.m = withLevels(l.m, levels);
    for (const auto& [link, level] : levels) EXPECT_EQ(levelOf(l.m, link), level);
    const auto checked = check(l.m);
    for (const auto& i : checked.interference)
      ADD_FAILURE() << l.m.links[static_cast<std::size_t>(i.linkA)]->name << " meets "
                    << l.m.links[static_cast<std::size_t>(i.linkB)]->name << " by " << i.deepest.depth * 1e3 << " mm";
    return plan.count;
  }
};

double volumeOf(const TopoDS_Shape& s) {
  GProp_GProps g;
  BRepGProp::VolumeProperties(s, g);
  return g.Mass();
}
double plateVolume(const drawing::PlateSource& source, double width, double thickness, double bore, double pin) {
  std::vector<double> figures{width, thickness, bore, pin, 0, 0};
  const auto numbers = drawing::encoded(source);
  figures.insert(figures.end(), numbers.begin(), numbers.end());
  const auto shape = shape::elementShape(BodyKind::linkPlate, figures);
  EXPECT_TRUE(shape.ok()) << (shape.ok() ? "" : shape.error().text);
  return shape.ok() ? volumeOf(*shape) * 1e-9 : 0;
}

TEST(LinkPlates, VolumesAreThoseOfTheirOutlines) {
  using drawing::Outline;
  using drawing::Piece;
  using drawing::PinPlace;
  const double w = 0.012, t = 0.005, d = 0.006;
  drawing::PlateSource bar{{{{Piece::line({0, 0}, {0.08, 0})}, false}},
                           {{{0, 0}, false, 0, 0}, {{0.08, 0}, false, 0, 0}}};
  EXPECT_NEAR(plateVolume(bar, w, t, d, 0), t * (0.08 * w + kPi * w * w / 4 - 2 * kPi * d * d / 4), 1e-15);
  // the pin stands on it from 2 mm under to 9 mm over: no bore there
  bar.places[1] = {{0.08, 0}, true, -0.002, 0.009};
  EXPECT_NEAR(plateVolume(bar, w, t, d, 0.005),
              t * (0.08 * w + kPi * w * w / 4 - kPi * d * d / 4) + (0.011 - t) * kPi * 0.005 * 0.005 / 4, 1e-15);
  // a rectangle with a drawn hole of 10 mm, in which a pin of 9 mm stands for a bore elsewhere
  drawing::PlateSource plate{{{{Piece::line({0, 0}, {0.1, 0}), Piece::line({0.1, 0}, {0.1, 0.06}),
                                Piece::line({0.1, 0.06}, {0, 0.06}), Piece::line({0, 0.06}, {0, 0})},
                               true},
                              {{Piece::arc({0.03, 0.03}, 0.005, 0, 2 * kPi)}, true}},
                             {{{0.03, 0.03}, false, 0, 0}, {{0.08, 0.03}, false, 0, 0}}};
  const double hole = kPi * 0.005 * 0.005;
  EXPECT_NEAR(plateVolume(plate, w, t, d, 0), t * (0.006 - hole - kPi * d * d / 4), 1e-15);
  plate.places[0] = {{0.03, 0.03}, true, 0, 0.02};
  EXPECT_NEAR(plateVolume(plate, w, t, d, 0.009), t * (0.006 - kPi * d * d / 4) + (0.02 - t) * kPi * 0.009 * 0.009 / 4,
              1e-15)
      << "the hole in which its own pin stands is filled";
  // whichever way rim and hole were drawn
  for (const bool rim : {false, true})
    for (const bool bore : {false, true}) {
      auto other = plate;
      if (rim) other.outlines[0] = drawing::reversed(other.outlines[0]);
      if (bore) other.outlines[1] = drawing::reversed(other.outlines[1]);
      other.places = {{{0.03, 0.03}, false, 0, 0}};
      EXPECT_NEAR(plateVolume(other, w, t, d, 0), t * (0.006 - hole), 1e-15) << rim << bore;
    }
  // the strip about a quarter of a circle of 40 mm, with round ends: Pappus
  drawing::PlateSource bow{{{{Piece::arc({0, 0}, 0.04, 0, kPi / 2)}, false}}, {}};
  EXPECT_NEAR(plateVolume(bow, w, t, d, 0), t * (0.04 * kPi / 2 * w + kPi * w * w / 4), 1e-13);
  // pieces that meet end to end are one closed line: a half disc with an ellipse for its rim
  drawing::PlateSource half{
      {{{Piece::conic({0, 0}, {0.05, 0}, {0, 0.03}, 0, kPi)}, false}, {{Piece::line({-0.05, 0}, {0.05, 0})}, false}},
      {}};
  EXPECT_NEAR(plateVolume(half, w, t, d, 0), t * kPi * 0.05 * 0.03 / 2, 1e-13);
}

TEST(LinkPlates, NumbersAreReadAsTheyWereWritten) {
  drawing::PlateSource s{
      {{{drawing::Piece::line({1, 2}, {3, 4}), drawing::Piece::conic({0, 1}, {2, 0}, {0, 3}, 1, -2)}, false}},
      {{{5, 6}, true, -1, 7}}};
  const auto numbers = drawing::encoded(s);
  EXPECT_EQ(drawing::encoded(drawing::decoded(numbers, 0)), numbers);
}

TEST(LinkPlates, ThicknessChangesNoFigureOfTheMotion) {
  auto l = crankRocker();
  Studied s;
  const auto before = runStudy(s.prepared(l.m), 0, s.tools()).value();
  l.thicken(10, 5, 5);
  ASSERT_EQ(l.m.links.size(), 4u);
  for (const auto& link : l.m.links) EXPECT_TRUE(plateOf(*link)) << link->name;
  const auto after = runStudy(s.prepared(l.m), 0, s.tools()).value();
  ASSERT_EQ(before.result.rows.size(), after.result.rows.size());
  for (std::size_t i = 0; i < before.result.rows.size(); ++i)
    for (std::size_t k = 0; k < before.result.rows[i].size(); ++k)
      EXPECT_NEAR(before.result.rows[i][k], after.result.rows[i][k], 1e-12);
  // read as it was written
  const auto again = io::readCoop(io::writeCoop(l.m));
  ASSERT_TRUE(again.ok()) << again.error().text;
  EXPECT_EQ(io::writeCoop(*again), io::writeCoop(l.m));
}

TEST(LinkPlates, AFourBarRunsOnTheLeastLevels) {
  auto l = crankRocker();
  l.thicken(10, 5, 5);
  Studied s;
  // crank and rocker never meet: 30 + 70 + bosses don't reach over the base of 100, the coupler passes over both
  const int count = s.levelsOf(l);
  EXPECT_EQ(count, 2);
  // so wide that crank and rocker meet, they can't share a level
  auto wide = crankRocker();
  wide.thicken(72, 5, 5);
  EXPECT_EQ(s.levelsOf(wide), 3);
}

TEST(LinkPlates, SixBarsAndALegOfEightLinksRunOnTheLeastLevels) {
  Studied s;
  // a further dyad hangs on the rocker's pin
  auto six = crankRocker();
  const Id rocker = six.m.links.back()->id;
  const Id e = six.ground(190, 0);
  auto added = withPivotAdded(six.m, six.sheet, rocker, Vec2(130, 60) * 1e-3, six.poses());
  ASSERT_TRUE(added.ok());
  six.m = added->first;
  const Id end = six.link("arm", added->second, 190, 70);
  six.link("follower", end, 190, 0, e);
  six.thicken(8, 4, 4);
  const int n = s.levelsOf(six);
  EXPECT_GE(n, 2);
  // a leg: a crank moves two four-bars about one pivot, a triangle and a foot hang on them
  Layout leg;
  const Id o = leg.ground(0, 0), p = leg.ground(-38, -7.8);
  const Id crank = leg.link("crank", o, 0, 15);
  const auto meet = [](const Vec2& a, double ra, const Vec2& b, double rb, double side) {
    const double d = (b - a).norm(), x = (ra * ra - rb * rb + d * d) / (2 * d), h = std::sqrt(ra * ra - x * x);
    const Vec2 u = (b - a) / d;
    return Vec2(a + x * u + side * h * Vec2(-u.y(), u.x()));
  };
  const Vec2 c(0, 15), q(-38, -7.8);
  const Vec2 up = meet(c, 50, q, 41.5, -1), down = meet(c, 61.9, q, 39.3, 1), knee = meet(up, 55.8, q, 40.1, -1),
             foot = meet(knee, 39.4, down, 36.7, -1);
  const Id first = leg.link("upper rod", crank, up.x(), up.y());
  leg.plate({on(p), on(first), at(knee.x(), knee.y())});
  const Id kneeSeat = leg.seatAt(leg.m.links.back()->id, 2);
  const Id second = leg.link("lower rod", crank, down.x(), down.y());
  leg.link("rocker", second, q.x(), q.y(), p);
  const Id shin = leg.link("shin", kneeSeat, foot.x(), foot.y());
  leg.plate({on(shin), on(second), at(foot.x() - 20, foot.y() - 45)});
  leg.drive();
  ASSERT_EQ(leg.m.links.size(), 8u);
  leg.thicken(5, 3, 2.5);
  const int levels = s.levelsOf(leg);
  EXPECT_GE(levels, 3);
}

TEST(LinkPlates, WhatNoLevelsCanPartIsNamed) {
  // the crank's pin to its coupler must pass the rocker's level, whichever that is given
  auto l = crankRocker();
  l.thicken(72, 5, 5);
  Studied s;
  l.m = withLevels(l.m, {{l.m.links[1]->id, 1}, {l.m.links[3]->id, 1}});
  const auto rules = s.rules(l.m, {l.m.links[1]->id, l.m.links[3]->id});
  const auto plan = leastLevels(rules.problem);
  ASSERT_EQ(plan.together.size(), 1u);
  EXPECT_EQ(rules.links[static_cast<std::size_t>(plan.together[0].first)], l.m.links[1]->id);
  EXPECT_EQ(rules.links[static_cast<std::size_t>(plan.together[0].second)], l.m.links[3]->id);
  // other depths are no levels
  auto deep = crankRocker();
  deep.thicken(10, 5, 5);
  deep.m = changedBody(deep.m, plateOf(*deep.m.links[2])->id, [](Body& b) { b.placement.at[2] = Field(3); });
  const auto refused = plateRules(std::make_shared<const Mechanism>(deep.m), 0, {}, s.tools());
  ASSERT_FALSE(refused.ok());
  EXPECT_THAT(refused.error().text, HasSubstr("one depth"));
}

TEST(LinkPlates, ASecondPlateOfALinkIsMadeToo) {
  auto l = crankRocker();
  l.thicken(10, 5, 5);
  l.m = changedLink(l.m, l.m.links[1]->id, [](Link& x) {
    Body copy = *x.bodies.front();
    copy.id = newId();
    copy.name = "second";
    x.bodies.push_back(std::make_shared<const Body>(copy));
  });
  const auto r = resolve(l.m);
  ASSERT_TRUE(r.ok()) << r.error().text;
  shape::ShapeStore store;
  for (const auto& b : r->links[1].bodies) {
    const auto solid = store.body(b, "crank");
    EXPECT_TRUE(solid.ok()) << b.name << (solid.ok() ? "" : solid.error().text);
  }
  EXPECT_FALSE(shape::elementShape(BodyKind::linkPlate, {0.01, 0.005, 0, 0, 0, 0}).ok()) << "without any lines";
}

/// The same mechanism with one pin turned over, and one drawn on another level with a slide: pins reach as far.
TEST(LinkPlates, PinsReachAsFarWhicheverWayAJointCounts) {
  auto l = crankRocker();
  l.thicken(10, 5, 5);
  const auto carried = [](const Mechanism& m) {
    const auto r = resolve(m);
    EXPECT_TRUE(r.ok()) << (r.ok() ? "" : r.error().text);
    std::vector<double> out;
    for (const auto& link : r->links)
      for (const auto& p : drawing::decoded(link.bodies[0].figures, elementFigures(BodyKind::linkPlate).size()).places)
        if (p.carries) out.insert(out.end(), {p.at.x(), p.at.y(), p.from, p.to});
    return out;
  };
  const auto straight = carried(l.m);
  ASSERT_EQ(straight.size(), 16u);
  const auto same = [&](const std::vector<double>& other) {
    ASSERT_EQ(other.size(), straight.size());
    for (std::size_t i = 0; i < other.size(); ++i) EXPECT_NEAR(other[i], straight[i], 1e-12);
  };
  // both seats turned over: the joint counts the other way, nothing moves
  for (const auto& j : l.m.joints) same(carried(model::reversed(l.m, j->id)));
  // the second seat turned over about its x axis, and the joint flipped
  for (const auto& j : l.m.joints)
    same(carried(changedJoint(changedSeat(l.m, j->seats[1], [](Seat& s) { s.axis[2] = Field(-1); }), j->id,
                              [](Joint& x) { x.flip = true; })));
  // the second seat 7 mm up, met by a slide of 7 mm: the plates stay where they are
  for (const auto& j : l.m.joints)
    same(carried(changedJoint(changedSeat(l.m, j->seats[1], [](Seat& s) { s.at[2] = Field(7); }), j->id,
                              [](Joint& x) { x.slideOffset = Field(7); })));
}

TEST(LinkPlates, PinsReachFromLevelToLevelAndFollowTheLayout) {
  auto l = crankRocker();
  l.thicken(10, 5, 5);
  l.m = withLevels(l.m, {{l.m.links[1]->id, 1}, {l.m.links[2]->id, 3}, {l.m.links[3]->id, 1}});
  const auto r = resolve(l.m);
  ASSERT_TRUE(r.ok()) << r.error().text;
  const auto places = [&](std::size_t link) {
    return drawing::decoded(r->links[link].bodies[0].figures, elementFigures(BodyKind::linkPlate).size()).places;
  };
  // levels are 6 mm apart, plates 5 mm thick: the frame carries pins from its own underside to the top of level 1
  for (const auto& p : places(0)) {
    EXPECT_TRUE(p.carries);
    EXPECT_NEAR(p.from, 0, 1e-15);
    EXPECT_NEAR(p.to, 0.011, 1e-15);
  }
  // the crank, lower than the coupler, carries the pin between them: from 6 mm to 23 mm
  int carried = 0;
  for (const auto& p : places(1))
    if (p.carries) {
      ++carried;
      EXPECT_NEAR(p.from, 0.006, 1e-15);
      EXPECT_NEAR(p.to, 0.023, 1e-15);
      EXPECT_NEAR(p.at.norm(), 0.030, 1e-12);
    }
  EXPECT_EQ(carried, 1);
  EXPECT_EQ(r->pinAxes.size(), 4u);
}

}  // namespace
}  // namespace cooperage::test
