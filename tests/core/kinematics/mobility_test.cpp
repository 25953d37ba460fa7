// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/mobility.h"

#include <fstream>

#include "../support.h"

namespace cooperage::kinematics {
namespace {

using namespace cooperage::test;

Mobility mobilityOf(const std::string& text) {
  const auto r = model::resolve(read(text)).value();
  const auto s = System::compile(r).value();
  const auto h = assemble(s, r);
  if (!h.ok()) {
    ADD_FAILURE() << h.error().text;
    return {};
  }
  return analyse(s, r, *h);
}

// A planar loop of four lower pairs has one freedom; Gruebler's spatial count gives 6*3 - 4*5 = -2, so three rows are
// redundant.
TEST(Mobility, PlanarSliderCrankHasOneFreedomAndThreeRedundantRows) {
  const auto m = mobilityOf(sliderCrank(34, 120, 11));
  EXPECT_EQ(m.freedoms, 1);
  EXPECT_EQ(m.driven, 1);
  EXPECT_EQ(m.left, 0);
  EXPECT_EQ(m.redundant, 3);
  EXPECT_TRUE(m.planar);
  EXPECT_EQ(m.instantaneous, 1);
  EXPECT_THAT(m.redundantJoints, testing::Contains(testing::Field(&Mobility::Redundant::joint, "big")));
}

// Redundant rows are called planar only where the planes are all that is held more than once: a shaft in two bearings
// is held twice in line, a parallel crank pair with a third crank once more within the plane, a loop of slides in space
// lies in no plane.
TEST(Mobility, OnlyTheRowsOfParallelPlanesAreCalledPlanar) {
  const auto document = [](const std::string& links, const std::string& joints) {
    return R"({"format":"cooperage","version":1,"units":{"length":"mm","angle":"deg"},"links":[{"name":"g","ground":true,"seats":[{"name":"a"},{"name":"b","at":[0,0,50]},{"name":"c","at":[100,0,0]},{"name":"d","at":[200,0,0]}]},)" +
           links + R"(],"joints":[)" + joints + "]}";
  };
  const auto shaft = mobilityOf(document(
      R"({"name":"s","seats":[{"name":"a"},{"name":"b","at":[0,0,50]}]})",
      R"({"name":"a","kind":"revolute","between":["g/a","s/a"]},{"name":"b","kind":"revolute","between":["g/b","s/b"]})"));
  EXPECT_EQ(shaft.freedoms, 1);
  EXPECT_EQ(shaft.redundant, 5);
  EXPECT_FALSE(shaft.planar);
  const std::string crank = R"(,"seats":[{"name":"0"},{"name":"1","at":[0,40,0]}]})";
  const auto parallel = mobilityOf(document(
      R"({"name":"p")" + crank + R"(,{"name":"q","placement":{"at":[100,0,0]})" + crank +
          R"(,{"name":"r","placement":{"at":[200,0,0]})" + crank +
          R"(,{"name":"bar","placement":{"at":[0,40,0]},"seats":[{"name":"0"},{"name":"1","at":[100,0,0]},{"name":"2","at":[200,0,0]}]})",
      R"({"name":"a","kind":"revolute","between":["g/a","p/0"]},{"name":"c","kind":"revolute","between":["g/c","q/0"]},{"name":"d","kind":"revolute","between":["g/d","r/0"]},
         {"name":"e","kind":"revolute","between":["p/1","bar/0"]},{"name":"f","kind":"revolute","between":["q/1","bar/1"]},{"name":"h","kind":"revolute","between":["r/1","bar/2"]})"));
  EXPECT_EQ(parallel.freedoms, 1);
  EXPECT_EQ(parallel.redundant, 7);
  EXPECT_FALSE(parallel.planar);
}

TEST(Mobility, ALinkWithNoJointFloatsFreeAndIsNamed) {
  const auto m =
      mobilityOf(R"({"format":"cooperage","version":1,"links":[{"name":"g","ground":true},{"name":"loose"}]})");
  EXPECT_EQ(m.freedoms, 6);
  EXPECT_EQ(m.left, 6);
  EXPECT_THAT(m.leftFreedoms, testing::Contains(testing::HasSubstr("loose")));
  EXPECT_THAT(m.messages, testing::Contains(testing::Field(&Message::code, "no-ground")));
}

// A bar between two fixed points in line with a second bar: to first order its middle can move across, in truth not.
TEST(Mobility, AShakyTrussIsRigidButInstantaneouslyFree) {
  const auto m = mobilityOf(R"({"format":"cooperage","version":1,"links":[
    {"name":"g","ground":true,"seats":[{"name":"a"},{"name":"b","at":[200,0,0]}]},
    {"name":"p","seats":[{"name":"0"},{"name":"1","at":[100,0,0]}]},{"name":"q","placement":{"at":[100,0,0]},"seats":[{"name":"0"},{"name":"1","at":[100,0,0]}]}],
    "joints":[{"name":"a","kind":"revolute","between":["g/a","p/0"]},{"name":"m","kind":"revolute","between":["p/1","q/0"]},{"name":"b","kind":"revolute","between":["q/1","g/b"]}]})");
  EXPECT_EQ(m.instantaneous, 1);
  EXPECT_EQ(m.freedoms, 0);
}

TEST(Mobility, DrivesThatCannotMoveOrDoubleOneAnotherAreNamed) {
  auto text = sliderCrank(34, 120, 11);
  const std::string drives = R"("drives":[)";
  text.replace(text.find(drives), drives.size(), drives + R"({"name":"second","value":"slide.slide","programme":[]},)");
  const auto m = mobilityOf(text);
  EXPECT_EQ(m.driven, 1);
  EXPECT_THAT(m.redundantDrives, testing::SizeIs(1));
}

TEST(Mobility, HeldJointsCountAsDrives) {
  auto text = sliderCrank(34, 120, 11);
  text.replace(text.find(R"("name":"slide","kind")"), 14, R"("name":"slide","held":true)");
  text.replace(text.find(R"("drives":[)"), 10, R"("xdrives":[)");
  auto at = text.find(R"(,"axis":"motor")");
  text.replace(at, 15, "");
  const auto m = mobilityOf(text);
  EXPECT_EQ(m.freedoms, 1);
  EXPECT_EQ(m.driven, 1);
  EXPECT_EQ(m.left, 0);
}

// A planetary stage, geared down by 27 in all: its two freedoms as the slow values have them, carrier and ring, move
// the motor all but opposite ways. Both count, and the motor drives what the held ring leaves.
TEST(Mobility, FreedomsThatMoveAFastShaftOppositeWaysAreTwo) {
  std::ifstream file(std::string(COOPERAGE_DEMO) + "/cask-turner/cask-turner.coop");
  const auto m = mobilityOf({std::istreambuf_iterator<char>(file), {}});
  EXPECT_EQ(m.freedoms, 2);
  EXPECT_EQ(m.driven, 2);
  EXPECT_EQ(m.left, 0);
  EXPECT_TRUE(m.redundantDrives.empty());
  EXPECT_TRUE(m.stuckDrives.empty());
}

}  // namespace
}  // namespace cooperage::kinematics
