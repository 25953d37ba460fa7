// SPDX-License-Identifier: GPL-3.0-or-later
// Joints by what was picked on outlines, in parallel planes at any depth.
#include <rapidcheck/gtest.h>

#include "../maker.h"
#include "model/outlines.h"
#include "model/plane_joints.h"
#include "model/sheet_edits.h"

namespace cooperage::model {
namespace {

using namespace cooperage::test;
using testing::HasSubstr;
using Kind = PlanePick::Kind;
using Vec2 = Eigen::Vector2d;

/// Links of one curve each, on sheets at depths of their own.
struct Board {
  Mechanism m;
  std::vector<Pose> poses;
  Id link(const std::string& name, const drawing::Outline& outline, double depth = 0) {
    Sheet s;
    s.name = name;
    s.depth = Field(depth);
    Id sheet = 0;
    std::tie(m, sheet) = withSheet(m, s);
    std::vector<Id> drawn;
    std::tie(m, drawn) = withDrawn(m, sheet, {curveOf(outline, m.units)});
    auto made = gathered(m, drawn, 0, name);
    EXPECT_TRUE(made.ok());
    m = std::move(made->first);
    poses.clear();
    for (const auto& l : m.links) poses.push_back(poseOf(m, l->placement).value());
    return made->second;
  }
  PlanePick pick(Id link, Kind kind, const Vec3& mm, const Vec3& along = Vec3::UnitX()) const {
    PlanePick p;
    p.kind = kind;
    p.link = link;
    p.curve = findLink(m, link)->curves.front()->id;
    p.name = "place";
    p.at = mm * 1e-3;
    p.along = along;
    return p;
  }
  Result<PlaneJoint> join(const PlanePick& a, const PlanePick& b, PlaneManner manner = PlaneManner::inPlace) {
    auto made = joinedInPlane(m, a, b, manner, poses);
    if (made.ok()) m = made->mechanism;
    return made;
  }
};

drawing::Outline segment(double x1, double y1, double x2, double y2) {
  return {{drawing::Piece::line(Vec2(x1, y1) * 1e-3, Vec2(x2, y2) * 1e-3)}, false};
}
drawing::Outline round(double x, double y, double r) {
  return {{drawing::Piece::arc(Vec2(x, y) * 1e-3, r * 1e-3, 0, 2 * kPi)}, true};
}

TEST(PlaneJoints, APinOfTwoLevelsMovesNothingAndClosesAtZero) {
  Board b;
  const Id base = b.link("base", segment(0, 0, 100, 0)), arm = b.link("arm", segment(100, 0, 100, 60), 9);
  const auto made = b.join(b.pick(base, Kind::point, {100, 0, 0}), b.pick(arm, Kind::point, {100, 0, 9}));
  ASSERT_TRUE(made.ok()) << made.error().text;
  const auto r = resolve(b.m);
  ASSERT_TRUE(r.ok());
  const auto& j = r->joints.front();
  const Pose one = b.poses[0] * j.seatA, two = b.poses[1] * j.seatB;
  EXPECT_NEAR((one.p - two.p).norm(), 0, 1e-12);
  EXPECT_NEAR((one.R - two.R).norm(), 0, 1e-12);
}

TEST(PlaneJoints, BroughtTogetherTheyMeetSidewaysAndKeepTheirLevels) {
  Board b;
  const Id base = b.link("base", segment(0, 0, 100, 0)), arm = b.link("arm", segment(103, 4, 103, 60), 9);
  b.m = changedLink(b.m, base, [](Link& l) { l.ground = true; });
  const auto first = b.pick(base, Kind::point, {100, 0, 0}), second = b.pick(arm, Kind::point, {103, 4, 9});
  EXPECT_NEAR(misfitOf(first, second).distance, 5e-3, 1e-15) << "the depth doesn't count";
  ASSERT_TRUE(b.join(first, second, PlaneManner::together).ok());
  const Pose before = b.poses[1], after = *poseOf(b.m, findLink(b.m, arm)->placement);
  EXPECT_NEAR((after.p - before.p - Vec3(-3e-3, -4e-3, 0)).norm(), 0, 1e-12);
}

TEST(PlaneJoints, ThreeLinksAtOnePlaceGetTwoPins) {
  Board b;
  const Id one = b.link("one", segment(0, 0, 100, 0)), two = b.link("two", segment(0, 0, 0, 60)),
           three = b.link("three", segment(0, 0, -50, 60));
  b.m = changedLink(b.m, two, [](Link& l) { l.ground = true; });
  std::vector<PlanePick> here;
  for (const Id id : {one, two, three}) here.push_back(b.pick(id, Kind::point, {0, 0, 0}));
  EXPECT_EQ(missingPins(b.m, here, b.poses), 2);
  const auto made = pinned(b.m, here, b.poses);
  ASSERT_TRUE(made.ok()) << made.error().text;
  EXPECT_EQ(made->made.size(), 2u);
  EXPECT_THAT(made->said.front(), HasSubstr("3 links meet here: 2 pins"));
  for (const Id id : made->made)
    EXPECT_EQ(findSeat(made->mechanism, findJoint(made->mechanism, id)->seats[0])->link->id, two)
        << "ground holds both";
  EXPECT_EQ(missingPins(made->mechanism, here, b.poses), 0);
  EXPECT_TRUE(pinned(made->mechanism, here, b.poses)->made.empty()) << "what is there isn't made twice";
}

TEST(PlaneJoints, ALineAndAPointMakeASlotAlongTheLine) {
  Board b;
  const Id base = b.link("base", segment(0, 0, 100, 0)), arm = b.link("arm", segment(40, 3, 40, 60));
  const Vec3 along = Vec3(3, 4, 0).normalized();
  const auto line = b.pick(base, Kind::line, {10, 0, 0}, along), point = b.pick(arm, Kind::point, {40, 3, 0});
  // the point from the line by the cross product, worked out by hand: (30, 3) x (0.6, 0.8) = 22.2
  EXPECT_NEAR(misfitOf(line, point).distance, 22.2e-3, 1e-12);
  EXPECT_EQ(misfitOf(point, line).distance, misfitOf(line, point).distance);
  const auto made = b.join(point, line);
  ASSERT_TRUE(made.ok()) << made.error().text;
  const auto r = resolve(b.m);
  ASSERT_TRUE(r.ok());
  const auto& j = r->joints.front();
  EXPECT_EQ(j.kind, JointKind::pinSlot);
  EXPECT_EQ(r->links[static_cast<std::size_t>(j.linkA)].name, "base") << "the slot is the line's";
  const Pose slot = b.poses[static_cast<std::size_t>(j.linkA)] * j.seatA;
  EXPECT_NEAR((slot.R.col(0) - along).norm(), 0, 1e-9);
  EXPECT_NEAR((slot.p - Vec3(40, 3, 0) * 1e-3).norm(), 0, 1e-12) << "in place it runs through the point";
}

TEST(PlaneJoints, LinesSlideOnlyWhereTheyAreParallel) {
  Board b;
  const Id base = b.link("base", segment(0, 0, 100, 0)), ram = b.link("ram", segment(0, 20, 90, 20));
  const auto made =
      b.join(b.pick(base, Kind::line, {10, 0, 0}, {1, 0, 0}), b.pick(ram, Kind::line, {10, 20, 0}, {-1, 0, 0}));
  ASSERT_TRUE(made.ok()) << made.error().text;
  EXPECT_EQ(b.m.joints.front()->kind, JointKind::prismatic);
  const auto askew = joinedInPlane(b.m, b.pick(base, Kind::line, {10, 0, 0}, {1, 0, 0}),
                                   b.pick(ram, Kind::line, {10, 20, 0}, Vec3(std::cos(0.2), std::sin(0.2), 0)),
                                   PlaneManner::inPlace, b.poses);
  ASSERT_FALSE(askew.ok());
  EXPECT_THAT(askew.error().text, HasSubstr("11.5 deg"));
}

TEST(PlaneJoints, ARollerRunsOnTheSmoothPartOfAnOutline) {
  Board b;
  const Id cam = b.link("cam", segment(0, 0, 100, 0));
  // a round that goes on from the line's end without a corner, and a line that makes one at its start
  b.m = changedLink(b.m, cam, [&](Link& l) {
    for (const auto& piece : {drawing::Piece::arc(Vec2(0.1, 0.02), 0.02, -kPi / 2, kPi / 2),
                              drawing::Piece::line(Vec2(0, 0), Vec2(0, 0.05))}) {
      Curve c = curveOf({{piece}, false}, b.m.units);
      c.id = newId();
      c.outline = true;
      c.seat = l.curves.front()->seat;
      c.name = freeName(l.curves, "piece");
      l.curves.push_back(std::make_shared<const Curve>(c));
    }
  });
  const Id roller = b.link("roller", round(50, -10, 10));
  const auto made = b.join(b.pick(cam, Kind::curve, {50, 0, 0}), b.pick(roller, Kind::curve, {50, 0, 0}));
  ASSERT_TRUE(made.ok()) << made.error().text;
  EXPECT_THAT(made->said.front(), HasSubstr("2 pieces"));
  const auto& pair = *b.m.camPairs.front();
  EXPECT_EQ(pair.kind, ContactKind::roller);
  const auto run = findCurve(b.m, pair.cam);
  ASSERT_TRUE(run);
  EXPECT_EQ(run->link->id, cam);
  EXPECT_EQ(run->curve->pieces.size(), 2u);
  EXPECT_FALSE(run->curve->outline) << "the lines that are drawn stay as they are";
  EXPECT_EQ(findLink(b.m, cam)->curves.size(), 4u);
  // the contact is where it was drawn: closed at home, the roller's centre 10 mm from the line
  const auto r = resolve(b.m);
  ASSERT_TRUE(r.ok()) << r.error().text;
  EXPECT_NEAR(r->camPairs.front().radius, 0.010, 1e-15);
  const Pose centre = b.poses[1] * r->camPairs.front().followerSeat;
  EXPECT_NEAR((centre.p - Vec3(50, -10, 0) * 1e-3).norm(), 0, 1e-12);
}

TEST(PlaneJoints, WhatCantBeJoinedIsNamed) {
  Board b;
  const Id base = b.link("base", segment(0, 0, 100, 0)), arm = b.link("arm", segment(0, 0, 90, 20));
  const auto first = b.pick(base, Kind::point, {0, 0, 0});
  EXPECT_THAT(joinedInPlane(b.m, first, first, PlaneManner::inPlace, b.poses).error().text,
              HasSubstr("both places are on base"));
  auto tilted = b.pick(arm, Kind::point, {0, 0, 0});
  tilted.normal = Vec3::UnitX();
  EXPECT_THAT(joinedInPlane(b.m, first, tilted, PlaneManner::inPlace, b.poses).error().text,
              HasSubstr("aren't parallel"));
  auto gone = first;
  gone.link = 12345;
  EXPECT_FALSE(joinedInPlane(b.m, gone, tilted, PlaneManner::inPlace, b.poses).ok());
}

RC_GTEST_PROP(PlaneJoints, AJointInPlaceClosesWhereItWasPicked, ()) {
  Board b;
  const double x = *rc::gen::inRange(-50, 50), y = *rc::gen::inRange(-50, 50), depth = *rc::gen::inRange(-20, 20);
  const Id base = b.link("base", segment(x, y, x + 60, y)), arm = b.link("arm", segment(x, y, x, y + 40), depth);
  RC_ASSERT(b.join(b.pick(base, Kind::point, {x, y, 0}), b.pick(arm, Kind::point, {x, y, depth})).ok());
  const auto r = resolve(b.m);
  RC_ASSERT(r.ok());
  const auto& j = r->joints.front();
  const Pose one = b.poses[static_cast<std::size_t>(j.linkA)] * j.seatA,
             two = b.poses[static_cast<std::size_t>(j.linkB)] * j.seatB;
  RC_ASSERT((one.p - two.p).norm() < 1e-12);
}

}  // namespace
}  // namespace cooperage::model
