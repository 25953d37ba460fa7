// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/machine_base.h"

#include <gtest/gtest.h>

#include "../support.h"
#include "kinematics/train.h"
#include "model/gauge_edits.h"
#include "model/gear_edits.h"
#include "model/joint_edits.h"
#include "model/thread_pitch.h"
#include "model/train_edits.h"

namespace cooperage::model {
namespace {

using Carries = BaseAxis::Carries;

TEST(MachineBase, StandsOnANewFrameOrOnTheOneThatIsThere) {
  std::vector<Pose> poses;
  const Pose at{rotationOf(Vec3(0, 0, 0.5)), Vec3(0.1, 0.2, 0)};
  const auto base = withMachineBase({},
                                    {{Carries::shaft, Vec3::Zero(), Vec3::UnitZ()},
                                     {Carries::slide, Vec3(0, -0.02, 0), Vec3::UnitX()},
                                     {Carries::nothing, Vec3(0.3, 0, 0), Vec3::UnitZ()}},
                                    at, poses);
  ASSERT_TRUE(base.ok()) << base.error().text;
  const Mechanism& m = base->mechanism;
  ASSERT_EQ(m.links.size(), 3u);
  EXPECT_TRUE(m.links[0]->ground);
  ASSERT_EQ(poses.size(), 3u);
  ASSERT_EQ(m.joints.size(), 2u);
  EXPECT_EQ(m.joints[0]->kind, JointKind::revolute);
  EXPECT_EQ(m.joints[1]->kind, JointKind::prismatic);
  const auto slide = axisOf(m, base->made[1], poses);
  ASSERT_TRUE(slide.ok());
  EXPECT_NEAR((slide->p - at * Vec3(0, -0.02, 0)).norm(), 0, 1e-9);
  EXPECT_NEAR((slide->R.col(2) - at.R.col(0)).norm(), 0, 1e-9);
  EXPECT_TRUE(findSeat(m, base->made[2]));
  const auto again = withMachineBase(m, {{Carries::shaft, Vec3(0.5, 0, 0), Vec3::UnitZ()}}, Pose{}, poses);
  ASSERT_TRUE(again.ok());
  EXPECT_EQ(again->mechanism.links.size(), 4u) << "one shaft more on the same frame";
  EXPECT_TRUE(resolve(again->mechanism).ok());
}

TEST(MachineBase, AShaftAngleTurnsTheSecondAxisAboutWhereBothAreNearest) {
  std::vector<Pose> poses;
  const auto base = withMachineBase(
      {}, {{Carries::shaft, Vec3::Zero(), Vec3::UnitZ()}, {Carries::shaft, Vec3(0.06, 0.02, 0.01), Vec3::UnitY()}},
      Pose{}, poses);
  ASSERT_TRUE(base.ok());
  const Id a = base->made[0], b = base->made[1];
  for (const double degrees : {30.0, 75.0, 90.0, 120.0}) {
    auto moved = poses;
    const auto m = withShaftAngle(base->mechanism, a, b, degrees * kDegree, moved);
    ASSERT_TRUE(m.ok()) << m.error().text;
    EXPECT_NEAR(*shaftAngleOf(*m, a, b, moved), degrees * kDegree, 1e-9);
    const auto axis = axisOf(*m, b, moved);
    ASSERT_TRUE(axis.ok());
    // they stay 60 mm apart, nearest at the same place
    const Vec3 n = Vec3::UnitZ().cross(axis->R.col(2)).normalized();
    EXPECT_NEAR(std::abs(axis->p.dot(n)), 0.06, 1e-9);
    EXPECT_NEAR((moved[2] * Vec3::Zero() - axis->p).norm(), 0, 1e-8) << "the shaft goes along";
  }
  auto same = poses;
  EXPECT_FALSE(withShaftAngle(base->mechanism, a, b, 0, same).ok());
}

TEST(MachineBase, BevelGearsMeshAtAnyShaftAngle) {
  std::vector<Pose> poses;
  const auto base = withMachineBase(
      {}, {{Carries::shaft, Vec3::Zero(), Vec3::UnitZ()}, {Carries::shaft, Vec3::Zero(), Vec3::UnitX()}}, Pose{},
      poses);
  ASSERT_TRUE(base.ok());
  GearDraft d;
  d.kind = GearDraft::Kind::bevel;
  d.joints = {base->made[0], base->made[1]};
  d.width = Field(8);
  for (const double degrees : {60.0, 90.0, 110.0}) {
    auto moved = poses;
    const auto m = withShaftAngle(base->mechanism, d.joints[0], d.joints[1], degrees * kDegree, moved);
    ASSERT_TRUE(m.ok());
    const auto gears = withGears(*m, d, moved);
    ASSERT_TRUE(gears.ok()) << gears.error().text;
    // pitch cone of the first: tan d1 = sin S / (z2 / z1 + cos S), and both together make the shaft angle
    double cone[2];
    for (std::size_t k = 0; k < 2; ++k)
      cone[k] =
          *evaluateField(*gears, findBody(*gears, d.bodies[k])->body->figures.at("cone angle"), dimension::kAngle);
    const double angle = degrees * kDegree;
    EXPECT_NEAR(std::tan(cone[0]), std::sin(angle) / (2 + std::cos(angle)), 1e-8);
    EXPECT_NEAR(cone[0] + cone[1], angle, 1e-8);
  }
}

/// A stage about the seat of a frame of its own.
struct StageOnFrame {
  PlanetaryDraft draft;
  Mechanism m;
  explicit StageOnFrame(PlanetaryDraft d) : draft(std::move(d)) {
    std::vector<Pose> poses;
    const auto base = withMachineBase({}, {{Carries::nothing, Vec3::Zero(), Vec3::UnitZ()}}, Pose{}, poses);
    draft.seat = base->made[0];
    const auto made = withPlanetary(base->mechanism, draft, poses);
    EXPECT_TRUE(made.ok()) << made.error().text;
    if (made.ok()) m = *made;
  }
  Id joint(const char* name) const { return findByName(m.joints, name)->id; }
};

TEST(MachineBase, AnotherMemberOfAStageIsHeldByOneChoice) {
  for (const auto& [sun, planet, second] : {std::tuple{24, 18, 0}, {20, 28, 0}, {18, 30, 24}}) {
    PlanetaryDraft d;
    d.sun = sun;
    d.planet = planet;
    d.second = second;
    d.planets = 2;
    d.ring = ringTeeth(d);
    const StageOnFrame stage(d);
    ASSERT_FALSE(stage.m.couplings.empty());
    const Id coupling = stage.m.couplings[0]->id;
    EXPECT_EQ(membersOf(stage.m, coupling).size(), 3u);
    for (const auto& [held, name, input, output] :
         {std::tuple{HeldPart::ring, "stage ring", "stage sun.turn", "stage carrier.turn"},
          {HeldPart::sun, "stage sun", "stage ring.turn", "stage carrier.turn"},
          {HeldPart::carrier, "stage carrier", "stage sun.turn", "stage ring.turn"}}) {
      const Mechanism m = withHeldMember(stage.m, coupling, stage.joint(name));
      EXPECT_EQ(std::count_if(m.joints.begin(), m.joints.end(), [](const auto& j) { return j->held; }), 1);
      d.held = held;
      // against the run of the whole mechanism, and elimination on the teeth
      const auto table = kinematics::trainTable(m, *findJointValue(m, input));
      ASSERT_TRUE(table.ok()) << table.error().text;
      int told = 0;
      for (const auto& row : table->rows) {
        if (row.value != output) continue;
        ++told;
        EXPECT_NEAR(1 / row.willis, stageRatio(d), 1e-9) << wordFor(held);
        EXPECT_NEAR(1 / row.solved, stageRatio(d), 1e-6) << wordFor(held);
      }
      EXPECT_EQ(told, 1) << output;
    }
    EXPECT_TRUE(std::none_of(stage.m.joints.begin(), stage.m.joints.end(), [&](const auto& j) {
      return findJoint(withHeldMember(stage.m, coupling, 0), j->id)->held;
    }));
  }
}

TEST(MachineBase, AStageIsChangedWithWhatHangsOnItKept) {
  for (const int second : {0, 24}) {
    PlanetaryDraft d;
    d.sun = second ? 18 : 24;
    d.planet = second ? 30 : 18;
    d.second = second;
    d.planets = 3;
    d.ring = ringTeeth(d);
    StageOnFrame stage(d);
    ASSERT_FALSE(stage.m.couplings.empty());
    // someone has put a body and a seat on the sun, and drives it
    const Id sunLink = findByName(stage.m.links, "stage sun")->id;
    stage.m = changedLink(stage.m, sunLink, [](Link& l) {
      Body b;
      b.id = newId();
      b.name = "hand wheel";
      b.kind = BodyKind::disc;
      b.figures = {{"radius", Field(40)}, {"thickness", Field(5)}};
      l.bodies.push_back(std::make_shared<const Body>(b));
    });
    Drive drive;
    drive.id = newId();
    drive.name = "hand";
    drive.value = *findJointValue(stage.m, "stage sun.turn");
    stage.m.drives.push_back(std::make_shared<const Drive>(drive));
    auto again = planetaryDraftOf(stage.m, stage.m.couplings[0]->id);
    ASSERT_TRUE(again);
    EXPECT_EQ(again->sun, d.sun);
    EXPECT_EQ(again->planet, d.planet);
    EXPECT_EQ(again->second, d.second);
    EXPECT_EQ(again->ring, d.ring);
    EXPECT_EQ(again->planets, 3);
    EXPECT_EQ(again->held, HeldPart::ring);
    EXPECT_EQ(again->name, "stage");
    const auto r = resolve(stage.m);
    ASSERT_TRUE(r.ok());
    std::vector<Pose> poses;
    for (const auto& l : r->links) poses.push_back(l.placement);
    // the same figures change nothing
    const auto same = withPlanetary(stage.m, *again, poses);
    ASSERT_TRUE(same.ok()) << same.error().text;
    EXPECT_EQ(same->links.size(), stage.m.links.size());
    EXPECT_EQ(same->joints.size(), stage.m.joints.size());
    EXPECT_EQ(same->couplings.size(), stage.m.couplings.size());
    // fewer planets, another module, another member held, another name
    again->planets = second ? 1 : 2;
    again->module = Field(3);
    again->held = HeldPart::sun;
    again->name = "head stage";
    const auto changed = withPlanetary(stage.m, *again, poses);
    ASSERT_TRUE(changed.ok()) << changed.error().text;
    const Mechanism& m = *changed;
    EXPECT_EQ(m.links.size(), stage.m.links.size() - static_cast<std::size_t>(3 - again->planets));
    const auto sun = findLink(m, sunLink);
    ASSERT_TRUE(sun);
    EXPECT_EQ(sun->name, "head stage sun");
    EXPECT_TRUE(findByName(sun->bodies, "hand wheel"));
    ASSERT_EQ(m.drives.size(), 1u);
    EXPECT_EQ(nameOf(m, m.drives[0]->value, false), "head stage sun.turn");
    EXPECT_TRUE(findJoint(m, m.drives[0]->value.id)->held);
    EXPECT_FALSE(findByName(m.joints, "head stage ring")->held);
    const auto figures = resolve(m);
    ASSERT_TRUE(figures.ok()) << figures.error().text;
    // centre distance: module x (sun + planet) / 2
    int told = 0;
    for (const auto& l : figures->links)
      if (l.name == "head stage planet 1") {
        ++told;
        EXPECT_NEAR(l.placement.p.norm(), 3e-3 * (d.sun + d.planet) / 2, 1e-12);
      }
    const auto table = kinematics::trainTable(m, *findJointValue(m, "head stage ring.turn"));
    ASSERT_TRUE(table.ok()) << table.error().text;
    for (const auto& row : table->rows)
      if (row.value == "head stage carrier.turn") {
        ++told;
        EXPECT_NEAR(1 / row.solved, stageRatio(*again), 1e-6);
      }
    EXPECT_EQ(told, 2) << "planet and carrier were there to be judged";
  }
}

TEST(MachineBase, RatiosAndDifferencesAreGaugedInOneStep) {
  const StageOnFrame stage(PlanetaryDraft{});
  const Symbol sun = *findJointValue(stage.m, "stage sun.turn"),
               carrier = *findJointValue(stage.m, "stage carrier.turn");
  const auto [m, id] = withRatioGauge(stage.m, carrier, sun);
  EXPECT_EQ(findById(m.gauges, id)->kind, GaugeKind::velocityRatio);
  Mechanism two = m;
  for (const Symbol& s : {sun, carrier}) {
    Gauge g;
    g.id = newId();
    g.name = s == sun ? "sun" : "carrier";
    g.kind = GaugeKind::jointValue;
    g.of = {s};
    two.gauges.push_back(std::make_shared<const Gauge>(g));
  }
  const auto difference = withDifference(two, two.gauges[1]->id, two.gauges[2]->id);
  ASSERT_TRUE(difference.ok()) << difference.error().text;
  const auto g = findById(difference->first.gauges, difference->second);
  EXPECT_EQ(g->name, "sun less carrier");
  EXPECT_EQ(fieldText(difference->first, g->formula), "'stage sun'.turn - 'stage carrier'.turn");
  const auto again = withDifference(difference->first, difference->second, two.gauges[1]->id);
  EXPECT_TRUE(again.ok()) << "of a formula too";
  const auto refused = withDifference(two, two.gauges[0]->id, two.gauges[1]->id);
  ASSERT_FALSE(refused.ok());
  EXPECT_NE(refused.error().text.find("joint values"), std::string::npos);
}

TEST(ThreadPitch, IsThatOfTheCoarseRow) {
  EXPECT_EQ(coarsePitch(0.010), 1.5e-3);
  EXPECT_EQ(coarsePitch(0.008), 1.25e-3);
  EXPECT_EQ(coarsePitch(0.020), 2.5e-3);
  EXPECT_EQ(coarsePitch(0.0099), 1.5e-3) << "drawn a little thinner";
  EXPECT_EQ(coarsePitch(0.013), std::nullopt);
  EXPECT_EQ(coarsePitch(0.2), std::nullopt);
  SeatSource bore, pin;
  bore.feature.kind = pin.feature.kind = FeatureKind::cylinder;
  bore.feature.inward = true;
  bore.feature.radius = 0.0085 / 2;
  pin.feature.radius = 0.005;
  EXPECT_EQ(likelyPitch(bore, pin), 1.5e-3) << "the pin has the nominal diameter";
  EXPECT_EQ(likelyPitch(pin, bore), 1.5e-3);
  EXPECT_EQ(likelyPitch(std::nullopt, std::nullopt), std::nullopt);
}

}  // namespace
}  // namespace cooperage::model
