// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/joint_edits.h"

#include "../maker.h"
#include "kinematics/home.h"
#include "model/grouping.h"

namespace cooperage::model {
namespace {

using test::read;

std::vector<Pose> posesOf(const Mechanism& m) {
  const auto r = resolve(m).value();
  std::vector<Pose> out;
  for (const auto& l : r.links) out.push_back(l.placement);
  return out;
}

/// Two links apart, as someone has drawn them; the second may lie anywhere.
struct Pair {
  Mechanism m = read(
      R"({"format":"cooperage","version":1,"links":[{"name":"bed","ground":true},{"name":"arm","placement":{"at":[50,10,-20],"turn":[0.8,0,0.6,0]}}]})");
  std::vector<Pose> poses = posesOf(m);
  JointDraft draft() const {
    JointDraft d;
    d.first.link = m.links[0]->id;
    d.first.at = Vec3(0.01, 0.02, 0.03);
    d.first.axis = Vec3(0, 0.6, 0.8);
    d.second.link = m.links[1]->id;
    d.second.at = Vec3(0.05, 0.02, 0.01);
    d.second.axis = Vec3(0, 1, -1);
    return d;
  }
  /// The joint's values at home.
  static double value(const Mechanism& m, int which) {
    const auto r = resolve(m).value();
    const auto system = kinematics::System::compile(r).value();
    const auto home = kinematics::assemble(system, r).value();
    return kinematics::jointValue(system, home.configuration, 0, which, r);
  }
  static Pose arm(const Mechanism& m) {
    const auto r = resolve(m).value();
    const auto system = kinematics::System::compile(r).value();
    const auto home = kinematics::assemble(system, r).value();
    kinematics::Solver s(system, {});
    s.forward(home.configuration);
    return s.linkPose(1);
  }
};

double apart(const Pose& a, const Pose& b) { return (a.p - b.p).norm() + (a.R - b.R).norm(); }

RC_GTEST_PROP(JointEdits, InPlaceNothingMovesWhateverTheKindTheOffsetAndTheDirection, ()) {
  Pair pair;
  JointDraft d = pair.draft();
  const auto& kinds = jointKinds();
  d.kind = kinds[*rc::gen::inRange<std::size_t>(0, kinds.size() - 2)].kind;  // those that need no curve or face
  d.reverse = *rc::gen::arbitrary<bool>();
  d.onePick = *rc::gen::arbitrary<bool>();
  d.refAngle = 0.01 * *rc::gen::inRange(-300, 300);
  d.slideOffset = Field(*rc::gen::inRange(-20, 20));
  d.turnOffset = Field(*rc::gen::inRange(-90, 90));
  const auto made = withJoint(pair.m, d, pair.poses);
  RC_ASSERT(made.ok());
  RC_ASSERT(apart(Pair::arm(*made), pair.poses[1]) < 1e-9);
  const auto other = withJoint(pair.m, d, pair.poses);
  RC_ASSERT(io::writeCoop(*other) == io::writeCoop(*made));
  RC_ASSERT(made->joints[0]->id == d.joint);
  // changes of a joint that has been made move nothing either
  RC_ASSERT(apart(Pair::arm(reversed(*made, d.joint)), pair.poses[1]) < 1e-9);
  RC_ASSERT(apart(Pair::arm(withReferenceTurned(*made, d.joint, 0.7)), pair.poses[1]) < 1e-9);
}

// A pin is where it stands in its slot, a point where it touches: not where the slot or the curve has its origin.
TEST(JointEdits, InPlaceAPinOrAPointIsWhereItWasPicked) {
  Pair pair;
  const auto seatAt = [&](const Mechanism& m) {
    const auto s = findSeat(m, m.joints[0]->seats[1]);
    return Vec3(pair.poses[1] * frameOf(m, *s->seat)->p);
  };
  JointDraft d = pair.draft();
  d.first.axis = Vec3::UnitZ();
  d.first.ref = Vec3::UnitX();
  d.second.at = d.first.at + Vec3(0.04, 0.003, 0.02);
  d.kind = JointKind::pinSlot;
  EXPECT_NEAR((seatAt(*withJoint(pair.m, d, pair.poses)) - d.first.at - Vec3(0.04, 0, 0)).norm(), 0, 1e-9);
  d.kind = JointKind::pointLine;
  EXPECT_NEAR((seatAt(*withJoint(pair.m, d, pair.poses)) - d.first.at - Vec3(0, 0, 0.02)).norm(), 0, 1e-9);
  d.kind = JointKind::pointPlane;
  EXPECT_NEAR((seatAt(*withJoint(pair.m, d, pair.poses)) - d.first.at - Vec3(0.04, 0.003, 0)).norm(), 0, 1e-9);
  Curve c;
  c.id = newId();
  c.name = "rim";
  pair.m = changedLink(pair.m, d.first.link, [&](Link& l) { l.curves.push_back(std::make_shared<const Curve>(c)); });
  d.kind = JointKind::pointCurve;
  d.first.curve = c.id;
  EXPECT_NEAR((seatAt(*withJoint(pair.m, d, pair.poses)) - d.second.at).norm(), 0, 1e-9);
  d.onePick = true;
  EXPECT_NEAR((seatAt(*withJoint(pair.m, d, pair.poses)) - d.first.at).norm(), 0, 1e-9) << "one place serves both";
}

TEST(JointEdits, LinksArePlacedAsTheyAreSeenButForGroundAndThoseThatStandThere) {
  Pair pair;
  auto seen = pair.poses;
  seen[0].p.x() += 1;
  const auto same = withPlacements(pair.m, seen);
  EXPECT_EQ(same.links[0], pair.m.links[0]) << "ground";
  EXPECT_EQ(same.links[1], pair.m.links[1]) << "stands there";
  seen[1] = Pose{rotationAbout(1, 0.3), Vec3(0.02, 0, 0)};
  EXPECT_LT(apart(*poseOf(pair.m, withPlacements(pair.m, seen).links[1]->placement), seen[1]), 1e-9);
}

TEST(JointEdits, BroughtTogetherTheOffsetIsMeasuredAlongTheAxis) {
  Pair pair;
  JointDraft d = pair.draft();
  d.keepInPlace = false;
  const auto plain = Pair::arm(*withJoint(pair.m, d, pair.poses));
  d.slideOffset = *parseField(pair.m, "-14 mm");
  const auto set = Pair::arm(*withJoint(pair.m, d, pair.poses));
  EXPECT_NEAR((set.p - plain.p - -0.014 * d.first.axis.normalized()).norm(), 0, 1e-9);
  d.turnedOver = true;
  const auto over = Pair::arm(*withJoint(pair.m, d, pair.poses));
  EXPECT_GT((over.R - set.R).norm(), 1) << "it comes the other way round";
}

/// A bed, a lever on it, and a strap with a clip on it that hang together and are loose.
Mechanism leverAndStrap() {
  return read(R"({"format":"cooperage","version":1,"links":[
    {"name":"bed","ground":true,"seats":[{"name":"a"}]},
    {"name":"lever","seats":[{"name":"a"},{"name":"b","at":[40,0,0]}]},
    {"name":"strap","placement":{"at":[10,50,0]},"seats":[{"name":"a"},{"name":"b","at":[30,0,0]}]},
    {"name":"clip","placement":{"at":[40,50,0]},"seats":[{"name":"b"}]}],
    "joints":[{"name":"one","kind":"revolute","between":["bed/a","lever/a"]},
              {"name":"two","kind":"revolute","between":["strap/b","clip/b"]}]})");
}

TEST(JointEdits, TheLooserLinkIsBroughtWithAllThatHangsOnIt) {
  const Mechanism m = leverAndStrap();
  const auto id = [&](std::size_t i) { return m.links[i]->id; };
  EXPECT_EQ(looserOf(m, id(0), id(2)), id(2)) << "ground stays";
  EXPECT_EQ(looserOf(m, id(2), id(0)), id(2));
  EXPECT_EQ(looserOf(m, id(1), id(3)), id(3)) << "what is joined to ground stays";
  EXPECT_EQ(looserOf(m, id(3), id(1)), id(3));
  EXPECT_TRUE(areJoined(m, id(1), id(0)));
  EXPECT_FALSE(areJoined(m, id(1), id(2)));
  JointDraft d;
  d.keepInPlace = false;
  d.first.link = id(2);  // the strap is picked first, and yet it is the one that comes
  d.first.at = Vec3(0.01, 0.05, 0);
  d.second.link = id(1);
  d.second.at = Vec3(0.04, 0, 0);
  const auto made = withJoint(m, d, posesOf(m));
  ASSERT_TRUE(made.ok()) << made.error().text;
  const auto poses = posesOf(*made);
  EXPECT_NEAR((poses[2].p - Vec3(0.04, 0, 0)).norm(), 0, 1e-9);
  EXPECT_NEAR((poses[3].p - Vec3(0.07, 0, 0)).norm(), 0, 1e-9) << "the clip comes along";
  EXPECT_NEAR(poses[1].p.norm(), 0, 1e-9);
  d.moved = id(1);
  const auto other = withJoint(m, d, posesOf(m));
  ASSERT_TRUE(other.ok());
  EXPECT_NEAR((posesOf(*other)[2].p - Vec3(0.01, 0.05, 0)).norm(), 0, 1e-9) << "the one that was named comes";
}

TEST(JointEdits, ALinkBroughtAsideIsTurnedAboutTheJoint) {
  const Mechanism m = leverAndStrap();
  JointDraft d;
  d.keepInPlace = false;
  d.first.link = m.links[1]->id;
  d.first.at = Vec3(0.04, 0, 0);
  d.second.link = m.links[2]->id;
  d.second.at = Vec3(0.01, 0.05, 0);
  for (const double aside : {0.0, 1.0, -0.5}) {
    d.aside = aside;
    const auto made = withJoint(m, d, posesOf(m));
    ASSERT_TRUE(made.ok());
    const Pose strap = posesOf(*made)[2];
    EXPECT_NEAR((strap.p - Vec3(0.04, 0, 0)).norm(), 0, 1e-9);
    EXPECT_NEAR(std::atan2(strap.R(1, 0), strap.R(0, 0)), aside, 1e-9);
    EXPECT_NEAR(std::atan2(posesOf(*made)[3].R(1, 0), posesOf(*made)[3].R(0, 0)), aside, 1e-9);
  }
}

TEST(JointEdits, ReversedItCountsTheOtherWay) {
  const auto m = read(
      R"({"format":"cooperage","version":1,"links":[{"name":"g","ground":true,"seats":[{"name":"s"}]},
        {"name":"a","seats":[{"name":"s","ref":[0.8,-0.6,0]}]}],
        "joints":[{"name":"j","kind":"revolute","between":["g/s","a/s"],"stops":{"turn":[-50,"20 deg"]}}]})");
  const double before = Pair::value(m, 0);
  EXPECT_NEAR(before, -std::atan2(0.6, 0.8), 1e-12);
  const auto back = reversed(m, m.joints[0]->id);
  EXPECT_NEAR(Pair::value(back, 0), -before, 1e-12);
  const auto joint = resolve(back).value().joints[0];
  EXPECT_NEAR(*joint.low[0], -20 * kPi / 180, 1e-12);
  EXPECT_NEAR(*joint.high[0], 50 * kPi / 180, 1e-12);
}

TEST(JointEdits, APlaceIsPickedAnewWithTheOtherKept) {
  Pair pair;
  const JointDraft d = pair.draft();
  const auto made = withJoint(pair.m, d, pair.poses).value();
  Place p;
  p.link = pair.m.links[1]->id;
  p.at = Vec3(0.2, 0.1, 0);
  p.axis = Vec3(1, 0, 1);
  const auto inPlace = withPlace(made, d.joint, 1, p, true, pair.poses).value();
  EXPECT_LT(apart(Pair::arm(inPlace), pair.poses[1]), 1e-9);
  EXPECT_EQ(inPlace.joints[0]->seats[0], made.joints[0]->seats[0]);
  EXPECT_EQ(findLink(inPlace, p.link)->seats.size(), 1u) << "the old seat is gone, nothing else used it";
  const auto together = withPlace(made, d.joint, 1, p, false, pair.poses).value();
  const Vec3 local = pair.poses[1].inverse() * p.at;
  EXPECT_NEAR((Pair::arm(together) * local - d.first.at).norm(), 0, 1e-9) << "the new place comes to the kept one";
  Place wrong = p;
  wrong.link = pair.m.links[0]->id;
  EXPECT_FALSE(withPlace(made, d.joint, 1, wrong, true, pair.poses).ok());
}

TEST(JointEdits, AReadingBetweenTwoFacesSetsZeroAndSenseAndStopsKeepTheirPoses) {
  auto m = read(
      R"({"format":"cooperage","version":1,"links":[{"name":"g","ground":true,"seats":[{"name":"s"}]},
        {"name":"a","placement":{"at":[0,0,0],"turn":[0.9,0,0,0.3]},"seats":[{"name":"s"}]}],
        "joints":[{"name":"j","kind":"revolute","between":["g/s","a/s"],"stops":{"turn":[-10,"60 deg"]}}]})");
  const Id j = m.joints[0]->id;
  const auto poses = posesOf(m);
  const double before = Pair::value(m, 0);
  Reading r;
  r.directionA = Vec3(0, 1, 0);
  r.directionB = poses[1].R * Vec3(1, 0, 0);
  r.pointA = r.pointB = Vec3::Zero();
  const auto next = withReading(m, j, r, poses).value();
  EXPECT_LT(apart(Pair::arm(next), poses[1]), 1e-9);
  const double now = Pair::value(next, 0);
  const double wanted = std::atan2(-r.directionB.x(), r.directionB.y());
  EXPECT_NEAR(now, wanted, 1e-9) << "the angle from the first face to the second";
  const auto stops = resolve(next).value().joints[0];
  const double shift = now - before;
  EXPECT_NEAR(*stops.low[0], -10 * kPi / 180 + shift, 1e-8);
  EXPECT_NEAR(*stops.high[0], 60 * kPi / 180 + shift, 1e-8);
}

TEST(JointEdits, JointsAndCouplingsOfAPlanetAreCopiedToItsEqual) {
  const auto m = read(
      R"({"format":"cooperage","version":1,"links":[{"name":"g","ground":true,"seats":[{"name":"s"}]},
        {"name":"sun","seats":[{"name":"s"}]},{"name":"arm","seats":[{"name":"s"},{"name":"p","at":[42,0,0]}]},
        {"name":"planet","placement":{"at":[42,0,0]},"seats":[{"name":"s"}]},
        {"name":"planet 2","placement":{"at":[-42,0,0],"turn":[0,0,0,1]}}],
        "joints":[{"name":"sun","kind":"revolute","between":["g/s","sun/s"]},
          {"name":"arm","kind":"revolute","between":["g/s","arm/s"]},
          {"name":"planet","kind":"revolute","between":["arm/p","planet/s"]}],
        "couplings":[{"name":"mesh","kind":"gear","values":["sun.turn","planet.turn"],"teeth":[24,18],"carrier":"arm"}]})");
  const auto poses = posesOf(m);
  const auto copied = withJointsCopied(m, m.links[3]->id, m.links[4]->id, poses);
  ASSERT_TRUE(copied.ok()) << copied.error().text;
  ASSERT_EQ(copied->joints.size(), 4u);
  ASSERT_EQ(copied->couplings.size(), 2u);
  EXPECT_EQ(copied->joints[3]->name, "planet 2 - arm");
  const auto r = resolve(*copied).value();
  EXPECT_NEAR((r.joints[3].seatA.p - Vec3(-0.042, 0, 0)).norm(), 0, 1e-12);
  EXPECT_FALSE(withJointsCopied(m, m.links[4]->id, m.links[3]->id, poses).ok()) << "it has none to copy";
}

TEST(Grouping, SeatsGoWithTheirGeometryAndRulesMakeLinks) {
  const auto m = read(
      R"({"format":"cooperage","version":1,"links":[{"name":"g","ground":true,"seats":[{"name":"s"}]},
        {"name":"lump","placement":{"at":[10,0,0]},"bodies":[{"name":"a","element":"sphere","radius":5},{"name":"b","element":"sphere","radius":6,"placement":{"at":[0,20,0]}}],
         "seats":[{"name":"on b","at":[0,20,0],"from":{"body":"b","place":"centre","kind":"sphere","at":[0,0,0],"axis":[0,0,1],"radius":6}},{"name":"free"}]}],
        "joints":[{"name":"j","kind":"spherical","between":["g/s","lump/on b"]}]})");
  const auto b = m.links[1]->bodies[1]->id;
  const auto apartNow = separated(m, {b});
  ASSERT_EQ(apartNow.links.size(), 3u);
  EXPECT_EQ(apartNow.links[2]->seats.size(), 1u);
  EXPECT_EQ(apartNow.links[1]->seats[0]->name, "free");
  EXPECT_EQ(apartNow.joints.size(), 1u);
  const auto whole = merged(apartNow, {apartNow.links[1]->id, apartNow.links[2]->id});
  EXPECT_EQ(whole.first.links.size(), 2u);
  EXPECT_EQ(findLink(whole.first, whole.second)->seats.size(), 2u);
  EXPECT_EQ(whole.first.joints.size(), 1u);
  // merged with ground the joint would join it to itself: it goes
  const auto all = merged(m, {m.links[0]->id, m.links[1]->id});
  EXPECT_TRUE(all.first.joints.empty());
  EXPECT_TRUE(findLink(all.first, all.second)->ground);
}

TEST(Grouping, ARuleMakesEachAssemblyALinkAndBodiesStayWhereTheyAre) {
  Mechanism m;
  std::vector<ImportedSolid> solids;
  const std::vector<std::vector<std::string>> paths{
      {"press#1"}, {"press#1", "ram#2"}, {"press#1", "ram#2", "tool#3"}, {"press#1", "ram#4"}};
  for (std::size_t i = 0; i < paths.size(); ++i) {
    Link l;
    l.id = newId();
    l.name = "solid " + std::to_string(i);
    l.placement.at = {Field(static_cast<double>(10 * i)), Field(0), Field(0)};
    Body b;
    b.id = newId();
    b.name = l.name;
    b.kind = BodyKind::sphere;
    b.figures["radius"] = Field(3);
    solids.push_back({b.id, paths[i]});
    l.bodies.push_back(std::make_shared<const Body>(b));
    m = addLink(m, std::move(l));
  }
  const auto at = [](const Mechanism& x, Id body) {
    const auto r = resolve(x).value();
    for (const auto& l : r.links)
      for (const auto& b : l.bodies)
        if (b.id == body) return Vec3((l.placement * b.placement).p);
    return Vec3(-1, -1, -1);
  };
  const auto byAssembly = groupedByRule(m, solids, LinkRule::eachAssembly, "press");
  ASSERT_EQ(byAssembly.links.size(), 3u);
  EXPECT_EQ(byAssembly.links[1]->name, "ram");
  EXPECT_EQ(byAssembly.links[2]->name, "ram 2");
  EXPECT_EQ(byAssembly.links[1]->bodies.size(), 2u);
  const auto one = groupedByRule(byAssembly, solids, LinkRule::allOne, "press");
  ASSERT_EQ(one.links.size(), 1u);
  EXPECT_EQ(one.links[0]->name, "press");
  const auto each = groupedByRule(one, solids, LinkRule::eachSolid, "press");
  EXPECT_EQ(each.links.size(), 4u);
  for (const auto* x : {&byAssembly, &one, &each})
    for (std::size_t i = 0; i < solids.size(); ++i)
      EXPECT_NEAR((at(*x, solids[i].body) - Vec3(0.01 * static_cast<double>(i), 0, 0)).norm(), 0, 1e-12);
}

TEST(Grouping, ACutPartsSeatsByTheSideTheyLieOn) {
  const auto m = read(
      R"({"format":"cooperage","version":1,"links":[{"name":"bar","bodies":[{"name":"b","file":"bar.step","solid":0}],
        "seats":[{"name":"left","at":[-20,0,0]},{"name":"right","at":[20,0,0]}]}]})");
  const auto body = m.links[0]->bodies[0]->id;
  const auto [next, rest] =
      cutInTwo(m, body, {{false, Vec3::Zero(), Vec3::UnitX(), 0}}, [](const Seat& s) { return s.at[0].number > 0; });
  ASSERT_EQ(next.links.size(), 2u);
  EXPECT_EQ(next.links[0]->seats[0]->name, "left");
  EXPECT_EQ(findLink(next, rest)->seats[0]->name, "right");
  EXPECT_TRUE(next.links[0]->bodies[0]->cuts[0].inside);
  EXPECT_FALSE(next.links[1]->bodies[0]->cuts[0].inside);
  const std::string text = io::writeCoop(next);
  EXPECT_EQ(io::writeCoop(*io::readCoop(text)), text);
}

}  // namespace
}  // namespace cooperage::model
