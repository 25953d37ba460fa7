// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/travel_check.h"

#include <random>

#include "checked.h"
#include "clearance/contact_stop.h"

namespace cooperage::clearance {
namespace {

using namespace cooperage::test;

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
const char* kCube = R"({"name":"b","element":"box","size":[20,20,20]})";

TEST(TravelCheck, ABlockRunsThroughAnotherBetweenTheRightPlaces) {
  const auto c = check(passing(5, kCube));
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
  const auto c = check(passing(23.5, kCube));
  EXPECT_TRUE(c.result.interference.empty());
  EXPECT_EQ(c.result.pairsFree, 1);
  ASSERT_EQ(c.result.clearances.size(), 1u);
  EXPECT_NEAR(c.result.clearances[0].least, 0.0035, 1e-9);
}

TEST(TravelCheck, FacesThatJustMeetAreTouchingNotInterference) {
  const auto c = check(passing(20, kCube));
  EXPECT_TRUE(c.result.interference.empty());
  EXPECT_EQ(c.result.touching.size(), 1u);
}

// Switched off: what lies inside, where surfaces don't cross.
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

// --- Between the steps ---

// A blade of 0.1 mm and a plate of 0.1 mm, both radial. The leading face of the blade meets the plate with its inner
// edge: b sin(q) + h cos(q) = -h there, so q = -2 atan(h / b).
TEST(TravelCheck, ABladeThatCrossesAPlateBetweenTwoStepsIsFound) {
  const double middle = 230, half = 0.05, inner = middle - 5;
  const auto c = check(turning(boxAt(10, 0.1, 20, middle, 0, 0), boxAt(30, 0.1, 20, middle, 0, 0), 360, -100.4));
  ASSERT_EQ(c.result.interference.size(), 1u);
  const auto& w = c.result.interference[0];
  const double q = 2 * std::atan(half / inner);
  EXPECT_NEAR(w.from, -q, 1e-9);
  EXPECT_NEAR(w.to, q, 1e-9);
  EXPECT_LT(w.to - w.from, 0.06 * kPi / 180);
  EXPECT_TRUE(w.exact);
  EXPECT_NEAR(w.deepest.depth, 5e-5, 1e-6);  // no point of a blade is deeper in than half its thickness
}

// 200 blades anywhere: those that meet a plate are found where they do, those that pass over it are not.
TEST(TravelCheck, OfTwoHundredThinBladesNoneIsMissedAndNoneInvented) {
  std::mt19937 random(7);
  const auto any = [&](int low, int high) { return std::uniform_int_distribution<int>(low, high - 1)(random); };
#ifdef __SANITIZE_ADDRESS__
  constexpr int kCases = 30;  // the same code, ten times as slow
#else
  constexpr int kCases = 200;
#endif
  for (int k = 0; k < kCases; ++k) {
    const double middle = 60 + 0.1 * any(0, 2000), thick = 0.02 * any(3, 8), from = -0.01 * any(500, 35500), tall = 20;
    const bool over = k % 2 == 1;
    const double lift = over ? tall + 0.01 * any(10, 100) : 0.01 * any(0, 1900);
    const auto c =
        check(turning(boxAt(10, thick, tall, middle, 0, lift), boxAt(30, thick, tall, middle, 0, 0), 360, from));
    ASSERT_EQ(c.result.interference.size(), over ? 0u : 1u) << middle << ' ' << thick << ' ' << from << ' ' << lift;
    if (over) {
      EXPECT_EQ(c.result.pairsProven, 1);
      continue;
    }
    const double q = 2 * std::atan(0.5 * thick / (middle - 5));
    EXPECT_NEAR(std::remainder(c.result.interference[0].from, 2 * kPi), -q, 1e-9);
    EXPECT_NEAR(std::remainder(c.result.interference[0].to, 2 * kPi), q, 1e-9);
  }
}

// Value and rate are the same at all steps: only between them does the link rise.
TEST(TravelCheck, ALinkThatRisesAndReturnsBetweenTwoStepsIsNotTakenForStill) {
  const std::string text =
      R"({"format":"cooperage","version":1,"links":[{"name":"g","ground":true,"seats":[{"name":"s"}]},
    {"name":"lid","ground":true,"bodies":[{"name":"b","element":"box","size":[20,20,1],"placement":{"at":[0,0,21.9]}}]},
    {"name":"m","seats":[{"name":"s"}],"bodies":[{"name":"b","element":"box","size":[20,20,20]}]}],
   "joints":[{"name":"j","kind":"prismatic","between":["g/s","m/s"]}],
   "drives":[{"name":"d","value":"j.slide","programme":[{"law":"sine","mean":5,"amplitude":-5,"frequency":"10 Hz","phase":"90 deg","time":1}]}],
   "runs":[{"name":"r","duration":1,"steps":10,"check":["interference"]}]})";
  const auto c = check(text);
  ASSERT_FALSE(c.table.rows.empty());
  for (const auto& row : c.table.rows) EXPECT_NEAR(row[1], 0, 1e-9);  // the steps show nothing
  // it rises by 10 mm, the lid lies 11.4 mm over it: free; 2 mm lower it is in the way ten times
  EXPECT_TRUE(c.result.interference.empty());
  std::string low = text;
  low.replace(low.find("21.9"), 4, "19.9");
  const auto hit = check(low);
  EXPECT_EQ(hit.result.interference.size(), 10u);
  for (const auto& w : hit.result.interference)
    EXPECT_NEAR(w.deepest.depth, 0.6e-3, 1e-7);  // 20 + 10 mm up against 19.4
}

// --- Closed forms ---

// A bar of 40 mm width turning about its end past a pin of radius 6 at (90, 0): its straight side is 20 mm from the
// line through its pivots, so they touch where 90 sin(q) = 26.
TEST(TravelCheck, ABarThatTurnsPastAPinTouchesItAtTheRightAngle) {
  const std::string bar = R"({"name":"b","element":"bar","length":120,"width":40,"thickness":10,"bore":12})";
  const std::string pin = R"({"name":"p","element":"cylinder","radius":6,"length":40,"placement":{"at":[90,0,0]}})";
  const auto c = check(turning(bar, pin, 90, -180, R"("interference","clearance")"));
  ASSERT_EQ(c.result.interference.size(), 1u);
  const double q = std::asin(26.0 / 90);
  EXPECT_NEAR(c.result.interference[0].from, -q, 1e-9);
  EXPECT_NEAR(c.result.interference[0].to, q, 1e-9);
  // the clearance along the way: while the pin is beside the straight side, 90 |sin q| - 26
  kinematics::Measurer measurer(*c.run, clearanceWith(c.geometry));
  for (std::size_t i = 0; i < c.table.rows.size(); ++i) {
    const double turn = c.table.axis[i], x = 90e-3 * std::cos(turn), y = 90e-3 * std::sin(turn);
    const double line = std::hypot(x < 0 ? x : std::max(0.0, x - 0.12), y);
    if (line - 0.026 <= 0) continue;
    EXPECT_NEAR(measurer.gauge(0, c.table.travel.steps[i]), line - 0.026, 1e-12) << turn;
  }
}

// Two balls of radius 10 and 15: one turns about the origin at 50, the other stands at (70, 0).
TEST(TravelCheck, BallsOnLinksMeetWhereTheirMiddlesAreTheSumOfTheirRadiiApart) {
  const std::string moving = R"({"name":"b","element":"sphere","radius":10,"placement":{"at":[50,0,0]}})";
  const std::string standing = R"({"name":"b","element":"sphere","radius":15,"placement":{"at":[70,0,0]}})";
  const auto c = check(turning(moving, standing, 36, -180, R"("interference","clearance")"));
  ASSERT_EQ(c.result.interference.size(), 1u);
  const double q = std::acos((50.0 * 50 + 70 * 70 - 25 * 25) / (2 * 50 * 70));
  EXPECT_NEAR(c.result.interference[0].from, -q, 1e-9);
  EXPECT_NEAR(c.result.interference[0].deepest.depth, 5e-3, 1e-9);
  EXPECT_NEAR(c.result.interference[0].deepest.at, 0, 1e-3);
}

// A square bar of 20 mm turning in a square frame of 30 mm: corners reach 10 sqrt 2 = 14.14, so 0.858 is left; in a
// frame of 28 they meet it where 10 sqrt 2 cos(45 deg - q) = 14.
TEST(TravelCheck, ABoxThatTurnsInABoxTouchesWithItsCorners) {
  const auto frame = [](double half) {
    return boxAt(10, 100, 30, half + 5, 0, 0) + "," + boxAt(10, 100, 30, -half - 5, 0, 0);
  };
  const auto loose = check(turning(boxAt(20, 20, 20, 0, 0, 0), frame(15), 90, 0, R"("interference","clearance")"));
  EXPECT_TRUE(loose.result.interference.empty());
  ASSERT_FALSE(loose.result.clearances.empty());
  EXPECT_NEAR(loose.result.clearances[0].least, 15e-3 - std::sqrt(2.0) * 10e-3, 1e-9);
  const auto tight = check(turning(boxAt(20, 20, 20, 0, 0, 0), frame(14), 90));
  ASSERT_EQ(tight.result.interference.size(), 4u);
  double first = 1e9;
  for (const auto& w : tight.result.interference) first = std::min(first, w.from);
  EXPECT_NEAR(first, kPi / 4 - std::acos(14 / (10 * std::sqrt(2.0))), 1e-9);
}

// --- Honesty ---

TEST(TravelCheck, FreePairsOfTurnsAndSlidesAreProvenBetweenTheSteps) {
  const auto c = check(passing(23.5, kCube));
  EXPECT_EQ(c.result.pairsProven, 1);
  EXPECT_EQ(c.result.provenShare, 1);
  EXPECT_TRUE(c.result.notProven.empty());
  ASSERT_EQ(c.result.pairs.size(), 1u);
  EXPECT_EQ(c.result.pairs[0].worst, Verdict::free);
}

TEST(TravelCheck, WhatFollowsAFormulaIsCheckedNotProven) {
  std::string text = passing(23.5, kCube);
  const std::string was = R"({"law":"linear","to":100,"time":1})";
  text.replace(text.find(was), was.size(), R"--({"law":"formula","formula":"100 mm*t","time":1})--");
  const auto c = check(text);
  EXPECT_EQ(c.result.pairsFree, 1);
  EXPECT_EQ(c.result.pairsProven, 0);
  EXPECT_NE(c.result.notProven.find("formula"), std::string::npos) << c.result.notProven;
}

TEST(TravelCheck, OnlyPairsOfTheTwoListsAreCheckedAndTheRestIsNamed) {
  const std::string bodies = boxAt(10, 10, 10, 50, 0, 0);
  std::string text = turning(bodies, bodies, 36, -90);
  auto sided = text;
  const std::string checks = "\"check\":[\"interference\"]";
  sided.replace(sided.find(checks), checks.size(), checks + R"(,"pairs":{"between":[["frame"],["arm"]]})");
  EXPECT_EQ(check(text).result.interference.size(), 1u);
  EXPECT_EQ(io::writeCoop(read(io::writeCoop(read(sided)))), io::writeCoop(read(sided)));
  EXPECT_NE(io::writeCoop(read(sided)).find("between"), std::string::npos);
  const auto c = check(sided);
  EXPECT_TRUE(c.result.interference.empty());
  ASSERT_EQ(c.result.leftOut.size(), 1u);
  EXPECT_EQ(c.result.leftOut[0].why, "not in the two lists of links to check");
}

// A rod that slides flush over a plate at the end of a chain of two joints: nothing moves square to the plane.
TEST(TravelCheck, ARodThatSlidesFlushOverAPlateIsTouchingAndThatIsProven) {
  std::string text = sliderCrank(40, 130, 0, 30);
  const auto put = [&](const std::string& before, const std::string& body) {
    const auto at = text.find(before);
    ASSERT_NE(at, std::string::npos);
    text.insert(at + before.size(), R"(,"bodies":[)" + body + "]");
  };
  put(R"("axis":[1,0,0],"ref":[0,1,0]}])", boxAt(400, 200, 10, 80, 0, -10));
  put(R"({"name":"middle","at":[65,10,0]}])", boxAt(130, 10, 10, 65, 0, 0));
  const auto c = check(text);
  EXPECT_TRUE(c.result.interference.empty());
  EXPECT_TRUE(c.result.unsure.empty());
  EXPECT_EQ(c.result.touching.size(), 1u);
  EXPECT_EQ(c.result.provenShare, 1);
}

std::string ballAt(double radius, double x) {
  return R"({"name":"b","element":"sphere","radius":)" + formatNumber(radius) + R"(,"placement":{"at":[)" +
         formatNumber(x) + ",0,0]}}";
}

TEST(TravelCheck, ACaskOnItsBaseIsTouching) {
  const std::string cask = R"({"name":"c","element":"cylinder","radius":30,"length":80,"placement":{"at":[0,0,40]}})";
  const auto c = check(turning(cask, boxAt(200, 200, 10, 0, 0, -5), 36));
  EXPECT_TRUE(c.result.interference.empty());
  EXPECT_EQ(c.result.touching.size(), 1u);
}

// A ball of 1 mm in the wall of a tube of 20 and 30 mm: no surface crosses another.
TEST(TravelCheck, ABallInTheWallOfAHollowBodyIsFound) {
  const std::string tube = R"({"name":"t","element":"disc","radius":30,"thickness":40,"bore":40})";
  const auto inWall = check(turning(ballAt(1, 25), tube, 24));
  ASSERT_EQ(inWall.result.interference.size(), 1u);
  EXPECT_NEAR(inWall.result.interference[0].deepest.depth, 5e-3, 1.2e-3);
  const auto inHole = check(turning(ballAt(1, 15), tube, 24));
  EXPECT_TRUE(inHole.result.interference.empty());
  EXPECT_EQ(inHole.result.pairsFree, 1);
}

TEST(TravelCheck, OnlyPairsThatAChangeTouchesAreCheckedAgain) {
  GeometryCache cache;
  PairMemory memory;
  const std::string arm = boxAt(10, 10, 10, 50, 0, 0), wall = boxAt(10, 10, 10, 90, 0, 0);
  const auto with = [&](double post) {
    std::string text = turning(arm, wall, 36, -90);
    const std::string at = R"("seats":[{"name":"s"}]},)";
    return text.replace(text.find(at), at.size(),
                        R"("seats":[{"name":"s"}],"bodies":[)" + boxAt(post, 10, 10, 52, 0, 0) + "]},");
  };
  const auto first = check(with(8), &cache, &memory);
  EXPECT_EQ(memory.reused, 0);
  EXPECT_EQ(cache.made(), 3);
  const auto again = check(with(6), &cache, &memory);
  EXPECT_EQ(cache.made(), 4);   // the post alone
  EXPECT_EQ(memory.reused, 1);  // arm and wall
  EXPECT_EQ(again.result.interference.size(), first.result.interference.size());
  EXPECT_NE(again.result.interference[0].from, first.result.interference[0].from);
}

TEST(StopAtContact, TheTravelEndsWhereTheFirstPairMeets) {
  auto c = check(turning(boxAt(10, 10, 20, 50, 0, 0), boxAt(10, 10, 20, 50, 0, 0), 36, -90, R"("interference")", 0.02,
                         R"(,"stop_at_contact":true)"));
  kinematics::Measurer measurer(*c.run, clearanceWith(c.geometry));
  const auto w = stopAtContact(*c.run, measurer, c.geometry, c.table, nullptr);
  ASSERT_TRUE(w.has_value());
  const auto& travel = c.table.travel;
  EXPECT_EQ(c.table.rows.size(), travel.steps.size());
  EXPECT_EQ(c.table.axis.back(), w->from);
  ASSERT_TRUE(travel.ended.has_value());
  EXPECT_EQ(travel.ended->kind, kinematics::EndKind::contact);
  EXPECT_FALSE(travel.completed);
  // the inner corner of the turned square meets the lower face of the other: 45 sin(q) + 5 cos(q) = -5
  EXPECT_NEAR(travel.ended->at, -2 * std::atan(5.0 / 45), 1e-9);
  EXPECT_EQ(travel.steps.back().t, travel.ended->t);
}

/// Two spur gears of 20 and 30 teeth, module 2, at a centre distance that is `more` mm over the nominal 50.
std::string gears(double more) {
  const double a = 50 + more;
  return R"({"format":"cooperage","version":1,"links":[{"name":"g","ground":true,"seats":[{"name":"a"},{"name":"b","at":[)" +
         formatNumber(a) + R"(,0,0]}]},
    {"name":"pinion","seats":[{"name":"a"}],"bodies":[{"name":"p","element":"gear","teeth":20,"module":2,"width":4}]},
    {"name":"wheel","placement":{"at":[)" +
         formatNumber(a) + R"(,0,0],"turn":[)" + formatNumber(std::cos(kPi / 60)) + ",0,0," +
         formatNumber(std::sin(kPi / 60)) +
         R"(]},"seats":[{"name":"b"}],"bodies":[{"name":"w","element":"gear","teeth":30,"module":2,"width":4}]}],
   "joints":[{"name":"A","kind":"revolute","between":["g/a","pinion/a"]},{"name":"B","kind":"revolute","between":["g/b","wheel/b"]}],
   "couplings":[{"name":"mesh","kind":"gear","values":["A.turn","B.turn"],"teeth":[20,30]}],
   "drives":[{"name":"d","value":"A.turn","programme":[{"law":"constant-speed","speed":"60 rpm","time":1}]}],
   "runs":[{"name":"r","duration":1,"steps":60,"check":["interference"]}]})";
}

TEST(TravelCheck, MeshedGearsAreNoInterferenceAtTheirDistanceAndAreATenthCloser) {
  const auto right = check(gears(0));
  EXPECT_TRUE(right.result.interference.empty());
  EXPECT_EQ(right.result.unsure.size(), 0u);
  const auto close = check(gears(-0.1));
  EXPECT_FALSE(close.result.interference.empty());
}

// Flanks of 20 degrees that are drawn 0.3 mm apart have 2 x 0.3 sin 20 = 0.2 mm of play.
TEST(TravelCheck, GearsDrawnApartAreSaidToHavePlayNotToTouch) {
  const auto loose = check(gears(0.3));
  EXPECT_TRUE(loose.result.interference.empty());
  EXPECT_TRUE(loose.result.touching.empty());
  ASSERT_EQ(loose.result.withPlay.size(), 1u);
  EXPECT_EQ(loose.result.withPlay[0], std::make_pair(1, 2));
}

/// A pinion of 20 teeth, module 2, that stands `more` mm over its rack of some teeth, and turns once in a second.
std::string rackAndPinion(double more, int teeth, double seconds) {
  return R"({"format":"cooperage","version":1,"units":{"length":"mm"},"links":[
    {"name":"g","ground":true,"seats":[{"name":"a","at":[0,)" +
         formatNumber(20 + more) + R"(,0]},{"name":"s","axis":[1,0,0],"ref":[0,1,0]}]},
    {"name":"pinion","placement":{"at":[0,)" +
         formatNumber(20 + more) +
         R"(,0]},"seats":[{"name":"a"}],"bodies":[{"name":"p","element":"gear","teeth":20,"module":2,"width":6}]},
    {"name":"rack","seats":[{"name":"s","axis":[1,0,0],"ref":[0,1,0]}],"bodies":[{"name":"r","element":"rack","teeth":)" +
         std::to_string(teeth) + R"(,"module":2,"width":8,"placement":{"at":[3.14159265358979,0,0]}}]}],
   "joints":[{"name":"A","kind":"revolute","between":["g/a","pinion/a"]},
    {"name":"S","kind":"prismatic","between":["g/s","rack/s"]}],
   "couplings":[{"name":"mesh","kind":"rack","values":["A.turn","S.slide"],"radius":20}],
   "drives":[{"name":"d","value":"A.turn","programme":[{"law":"constant-speed","speed":"60 rpm","time":1}]}],
   "runs":[{"name":"r","duration":)" +
         formatNumber(seconds) + R"(,"steps":)" + formatNumber(60 * seconds) + R"(,"check":["interference"]}]})";
}

// Also one that is too short, and runs off: no tooth of a longer one would have met the pinion either.
TEST(TravelCheck, ARackAndItsPinionAreNoInterferenceAtTheirDistance) {
  for (const int teeth : {60, 8}) {
    const auto right = check(rackAndPinion(0, teeth, 1));
    EXPECT_TRUE(right.result.interference.empty()) << teeth;
    EXPECT_TRUE(right.result.unsure.empty()) << teeth;
    EXPECT_EQ(right.result.provenShare, 1) << teeth;
  }
}

TEST(TravelCheck, ARackAndItsPinionATenthCloserOverlap) {
  EXPECT_FALSE(check(rackAndPinion(-0.1, 60, 0.2)).result.interference.empty());
}

// Whatever one pitch tells: it lags by 0.5 x 40 pi x 0.1 = 6.3 mm.
TEST(TravelCheck, ARackThatDoesNotRunAtThePinionsSpeedMeetsIt) {
  std::string slow = rackAndPinion(0, 60, 0.1);
  slow.replace(slow.find("\"radius\":20"), 11, "\"radius\":10");
  EXPECT_FALSE(check(slow).result.interference.empty());
}

/// A disc of 30 mm radius that makes 500 turns beside a wall, `off` mm beside its own middle.
std::string spinning(double off, double wall) {
  return R"({"format":"cooperage","version":1,"units":{"length":"mm"},"links":[
    {"name":"g","ground":true,"seats":[{"name":"s","axis":[1,0,0],"ref":[0,1,0]}],"bodies":[)" +
         std::string(R"({"name":"w","element":"box","size":[400,10,40],"placement":{"at":[0,)") +
         formatNumber(wall + 5) + R"(,0]}}]},
    {"name":"slide","seats":[{"name":"s","axis":[1,0,0],"ref":[0,1,0]},{"name":"a"}]},
    {"name":"wheel","seats":[{"name":"a"}],"bodies":[{"name":"d","element":"cylinder","radius":30,"length":10,"placement":{"at":[)" +
         formatNumber(off) + R"(,0,0]}}]}],
   "joints":[{"name":"S","kind":"prismatic","between":["g/s","slide/s"]},
    {"name":"A","kind":"revolute","between":["slide/a","wheel/a"]}],
   "drives":[{"name":"d","value":"A.turn","programme":[{"law":"constant-speed","speed":"3000 rpm","time":1}]},
    {"name":"e","value":"S.slide","programme":[{"law":"constant-speed","speed":"10 mm/s","time":1}]}],
   "runs":[{"name":"r","duration":1,"steps":3,"accuracy":"0.05 mm","check":["interference"],"drives":["d","e"]}]})";
}

// Turned about its own axis a disc stays as it is: 500 turns in three steps cost no more than one. A little beside its
// axis it comes by 50 times a second. Switched off: that the axes have to be one; that an overlap needs a place that
// stays inside all along.
TEST(TravelCheck, ADiscThatSpinsInItselfIsAsIfItStood) {
  const auto free = check(spinning(0, 30.2));
  EXPECT_TRUE(free.result.interference.empty());
  EXPECT_EQ(free.result.provenShare, 1);
  EXPECT_EQ(check(spinning(0, 29.8)).result.interference.size(), 1u);
  // runs from where it stands off to the side: once a turn
  EXPECT_EQ(check(spinning(0.5, 30.2)).result.interference.size(), 50u);
}

}  // namespace
}  // namespace cooperage::clearance
