// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/travel_check.h"

#include "../support.h"

namespace cooperage::clearance {
namespace {

using namespace cooperage::test;

struct Checked {
  model::Resolved r;
  CheckResult result;
};
Checked check(const std::string& text) {
  Checked c{model::resolve(read(text)).value(), {}};
  auto run = kinematics::TravelRun::prepare(c.r, 0).value();
  shape::ShapeStore store;
  GeometryCache cache;
  const auto g = geometryFor(c.r, 0, store, cache, nullptr).value();
  kinematics::Measurer measurer(*run, clearanceWith(g));
  const auto table = kinematics::tabulate(*run, measurer);
  c.result = checkTravel(*run, measurer, table, g, nullptr);
  return c;
}

/// A block of 20 mm that slides by 100 mm in x past another of 20 mm at x = 50; `y` is how far it passes beside it.
std::string passing(double y, const std::string& body) {
  return R"({"format":"cooperage","version":1,"links":[{"name":"g","ground":true,"seats":[{"name":"s","axis":[1,0,0],"ref":[0,1,0]}],
     "bodies":[{"name":"b","element":"box","size":[20,20,20],"placement":{"at":[50,)" +
         formatNumber(y) + R"(,0]}}]},
    {"name":"m","seats":[{"name":"s","axis":[1,0,0],"ref":[0,1,0]}],"bodies":[)" +
         body + R"(]}],
   "joints":[{"name":"j","kind":"prismatic","between":["g/s","m/s"]}],
   "drives":[{"name":"d","value":"j.slide","programme":[{"law":"linear","to":100,"time":1}]}],
   "gauges":[{"name":"gap","kind":"clearance","of":["g","m"]}],
   "runs":[{"name":"r","duration":1,"steps":40,"axis":"d","accuracy":"0.02 mm","check":["interference","clearance"]}]})";
}
const char* kBox = R"({"name":"b","element":"box","size":[20,20,20]})";

TEST(TravelCheck, ABlockRunsThroughAnotherBetweenTheRightPlaces) {
  const auto c = check(passing(5, kBox));
  ASSERT_EQ(c.result.interference.size(), 1u);
  const auto& i = c.result.interference[0];
  const double tolerance = c.result.tolerance;  // joined links: an overlap up to the fit is none
  EXPECT_NEAR(i.from, 0.030, tolerance + 1e-6);
  EXPECT_NEAR(i.to, 0.070, tolerance + 1e-6);
  // wholly side by side the two share 20 x 15 x 20: the middle of it lies 10 mm from faces in x and z, and a corner of
  // the overlap lies as far inside one block as the other allows
  EXPECT_NEAR(i.deepest.depth, 0.010, 3e-4);
}

TEST(TravelCheck, ABlockThatPassesBesideIsFreeAndItsClearanceRight) {
  const auto c = check(passing(23.5, kBox));
  EXPECT_TRUE(c.result.interference.empty());
  EXPECT_EQ(c.result.pairsFree, 1);
  ASSERT_EQ(c.result.clearances.size(), 1u);
  EXPECT_NEAR(c.result.clearances[0].least, 0.0035, 1e-9);
}

TEST(TravelCheck, FacesThatJustMeetAreTouchingNotInterference) {
  const auto c = check(passing(20, kBox));
  EXPECT_TRUE(c.result.interference.empty());
  EXPECT_EQ(c.result.touching.size(), 1u);
}

TEST(TravelCheck, ABallWhollyInsideIsFound) {
  const auto c = check(passing(0, R"({"name":"b","element":"sphere","radius":2})"));
  ASSERT_EQ(c.result.interference.size(), 1u);
  EXPECT_NEAR(c.result.interference[0].from, 0.038, 1e-4);
}

/// A pin of 10 mm radius turning in a bore of the same radius, pushed off its axis by `off`.
std::string pinInBore(double off, double accuracy) {
  return R"({"format":"cooperage","version":1,"links":[{"name":"g","ground":true,"seats":[{"name":"s"}],
     "bodies":[{"name":"b","element":"bar","length":80,"width":50,"thickness":20,"bore":20}]},
    {"name":"m","placement":{"at":[)" +
         formatNumber(off) + R"(,0,0]},"seats":[{"name":"s","at":[)" + formatNumber(-off) +
         R"(,0,0]}],"bodies":[{"name":"p","element":"cylinder","radius":10,"length":60}]}],
   "joints":[{"name":"j","kind":"revolute","between":["g/s","m/s"]}],
   "drives":[{"name":"d","value":"j.turn","programme":[{"law":"constant-speed","speed":"60 rpm","time":1}]}],
   "runs":[{"name":"r","duration":1,"steps":24,"accuracy":")" +
         formatNumber(accuracy) + R"( mm","check":["interference"]}]})";
}

TEST(TravelCheck, APinInItsBoreIsNoInterferenceHoweverCoarseTheMesh) {
  for (double accuracy : {0.02, 0.1, 0.4}) {
    const auto c = check(pinInBore(0, accuracy));
    EXPECT_TRUE(c.result.interference.empty()) << accuracy;
    EXPECT_EQ(c.result.touching.size(), 1u) << accuracy;
  }
}

TEST(TravelCheck, APinATenthOffItsAxisIs) {
  const auto c = check(pinInBore(0.1, 0.01));
  ASSERT_FALSE(c.result.interference.empty());
  EXPECT_NEAR(c.result.interference[0].deepest.depth, 1e-4, 1e-5);
}

}  // namespace
}  // namespace cooperage::clearance
