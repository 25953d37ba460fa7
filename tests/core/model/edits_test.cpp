// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/grouping.h"
#include "model/joint_edits.h"

#include "../support.h"

namespace cooperage::model {
namespace {

using namespace cooperage::test;

TEST(Edits, ShareAllPartsThatTheyDidNotTouch) {
  const auto m = read(sliderCrank(34, 120, 11));
  const auto next = grounded(m, {m.links[2]->id}, true);
  EXPECT_EQ(next.links[0], m.links[0]);
  EXPECT_NE(next.links[2], m.links[2]);
  EXPECT_EQ(next.joints, m.joints);
}

TEST(Edits, ARenameKeepsFormulasAndReferences) {
  auto m = read(
      R"({"format":"cooperage","version":1,"parameters":[{"name":"crank","value":"34 mm"},{"name":"rod","value":"4*crank"}],"links":[{"name":"a"}]})");
  m = *renamed(m, m.parameters[0]->id, "radius");
  EXPECT_EQ(fieldText(m, m.parameters[1]->value), "4*radius");
  EXPECT_FALSE(renamed(m, m.parameters[0]->id, "mm").ok());
  EXPECT_FALSE(renamed(m, m.parameters[0]->id, "rod").ok());
  EXPECT_FALSE(renamed(m, m.links[0]->id, "a/b").ok());
}

TEST(Edits, DeletingALinkTakesItsJointsDrivesAndGaugesAlong) {
  const auto m = read(sliderCrank(34, 120, 11));
  const auto next = removed(m, {m.links[1]->id});
  ASSERT_TRUE(next.ok());
  EXPECT_EQ(next->links.size(), 3u);
  EXPECT_EQ(next->joints.size(), 2u);
  EXPECT_TRUE(next->drives.empty());
  EXPECT_EQ(next->gauges.size(), 2u) << "the one seen from the crank goes";
  EXPECT_EQ(next->runs[0]->axis, 0u);
  EXPECT_TRUE(resolve(*next).ok());
}

TEST(Edits, AParameterInUseCantBeDeleted) {
  const auto m =
      read(R"({"format":"cooperage","version":1,"parameters":[{"name":"x","value":1},{"name":"y","value":"2*x"}]})");
  const auto next = removed(m, {m.parameters[0]->id});
  ASSERT_FALSE(next.ok());
  EXPECT_THAT(next.error().text, testing::HasSubstr("parameter y"));
}

TEST(Edits, BodiesStayInSpaceWhenTheyChangeLinks) {
  const auto m = read(R"({"format":"cooperage","version":1,"links":[
    {"name":"a","placement":{"at":[10,20,30],"turn":[0.8,0,0,0.6]},"bodies":[{"name":"p","element":"sphere","radius":1,"placement":{"at":[1,2,3],"turn":[0.6,0.8,0,0]}},{"name":"q","element":"sphere","radius":1}]},
    {"name":"b","placement":{"at":[-5,0,0],"turn":[0.6,0,0.8,0]},"bodies":[{"name":"r","element":"sphere","radius":1}]}]})");
  const auto space = [](const Mechanism& x, Id body) {
    const auto r = resolve(x).value();
    for (const auto& l : r.links)
      for (const auto& b : l.bodies)
        if (b.id == body) return l.placement * b.placement;
    return Pose{};
  };
  const Id p = m.links[0]->bodies[0]->id;
  const auto [next, link] = regrouped(m, {p}, m.links[1]->id, "");
  EXPECT_EQ(findLink(next, link)->bodies.size(), 2u);
  EXPECT_NEAR((space(m, p).p - space(next, p).p).norm(), 0, 1e-12);
  EXPECT_NEAR((space(m, p).R - space(next, p).R).norm(), 0, 1e-11);
  const auto apart = separated(next, {p});
  EXPECT_EQ(apart.links.size(), 3u);
  EXPECT_NEAR((space(m, p).p - space(apart, p).p).norm(), 0, 1e-12);
}

TEST(Edits, AJointInPlaceMovesNothingAndOneBroughtTogetherMeets) {
  const auto m = read(
      R"({"format":"cooperage","version":1,"links":[{"name":"g","ground":true},{"name":"a","placement":{"at":[50,0,0],"turn":[0.8,0,0.6,0]}}]})");
  const auto r = resolve(m).value();
  const std::vector<Pose> poses{r.links[0].placement, r.links[1].placement};
  const Place one{m.links[0]->id, "bore", Vec3(0.01, 0, 0), Vec3::UnitZ(), Vec3::UnitX()};
  const Place two{m.links[1]->id, "pin", Vec3(0.05, 0.02, 0.01), Vec3(0, 1, -1).normalized(), Vec3::UnitX()};
  const auto inPlace = joined(m, one, two, JointKind::revolute, true, poses).value().first;
  EXPECT_EQ(inPlace.links[1]->placement.at[0].number, 50);
  const auto together = joined(m, one, two, JointKind::revolute, false, poses).value().first;
  const auto after = resolve(together).value();
  const Vec3 seat = after.links[1].placement * after.links[1].seats[0].frame.p;
  EXPECT_NEAR((seat - Vec3(0.01, 0, 0)).norm(), 0, 1e-12);
  EXPECT_FALSE(joined(m, one, one, JointKind::revolute, true, poses).ok());
}

TEST(Edits, OtherUnitsRewriteNumbersAndKeepSizes) {
  const auto m = read(sliderCrank(34, 120, 11, 30, R"(,"parameters":[{"name":"k","value":2}])"));
  const auto inches = withUnits(m, {"in", "rad", "kg", "s", "N"});
  EXPECT_NEAR(inches.links[2]->seats[1]->at[0].number, 120 / 25.4, 1e-9);
  const auto a = resolve(m).value(), b = resolve(inches).value();
  for (std::size_t i = 0; i < a.links.size(); ++i) {
    EXPECT_NEAR((a.links[i].placement.p - b.links[i].placement.p).norm(), 0, 1e-12);
    for (std::size_t s = 0; s < a.links[i].seats.size(); ++s)
      EXPECT_NEAR((a.links[i].seats[s].frame.p - b.links[i].seats[s].frame.p).norm(), 0, 1e-12);
  }
}

// Switched off: one of the settings left out of the walk through the fields; the fit of lengths, a share, rewritten.
TEST(Edits, OtherUnitsKeepTheSettingsOfARun) {
  Mechanism m = read(sliderCrank(34, 120, 11, 30));
  model::Run run;
  run.id = newId();
  run.name = "all settings";
  run.duration = Field(2.5);
  run.accuracy = Field(0.05);
  run.fitDepth = Field(0.03);
  run.fitLength = Field(0.02);
  run.fitAngle = Field(0.4);
  run.stepRate = Field(100);
  m.runs.push_back(std::make_shared<const model::Run>(run));
  const auto a = resolve(m).value().runs.back(),
             b = resolve(withUnits(m, {"in", "rad", "kg", "s", "N"})).value().runs.back();
  EXPECT_NEAR(a.fitDepth, 0.03e-3, 1e-12);
  EXPECT_NEAR(b.duration, a.duration, 1e-12);
  EXPECT_NEAR(b.accuracy, a.accuracy, 1e-12);
  EXPECT_NEAR(b.fitDepth, a.fitDepth, 1e-12);
  EXPECT_NEAR(b.fitLength, a.fitLength, 1e-12);
  EXPECT_NEAR(b.fitAngle, a.fitAngle, 1e-12);
  EXPECT_NEAR(b.stepRate, a.stepRate, 1e-12);
}

TEST(Words, ThoseOfALaterVersionAreKeptAsTheyWereWritten) {
  for (const auto kind : {CurveKind::circle, CurveKind::camLaw}) {
    EXPECT_EQ(Word<CurveKind>::read(wordFor(kind)), kind);
    EXPECT_EQ(Word<CurveKind>(kind).text(), wordFor(kind));
  }
  const auto later = Word<CurveKind>::read("clothoid");
  EXPECT_FALSE(later.known());
  EXPECT_EQ(later.text(), "clothoid");
  EXPECT_NE(later, CurveKind::circle);
  EXPECT_NE(later, Word<CurveKind>::read("evolute"));
  EXPECT_FALSE(valueNamed<AtLimit>("bounce"));
}

TEST(Edits, SetParametersAsTheCommandLineDoes) {
  const auto m = read(R"({"format":"cooperage","version":1,"parameters":[{"name":"x","value":"1 mm"}]})");
  EXPECT_NEAR(resolve(*withParameters(m, {"x=3/8 in"}))->parameters[0].second.value, 0.009525, 1e-15);
  EXPECT_THAT(withParameters(m, {"z=1"}).error().text, testing::HasSubstr("no parameter 'z'"));
}

}  // namespace
}  // namespace cooperage::model
