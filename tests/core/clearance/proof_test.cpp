// SPDX-License-Identifier: GPL-3.0-or-later
// Attacks on what a check says is proven: windows within one step, after dwells, to and fro, many turns; memory of
// pairs.
#include <fmt/format.h>

#include <cstdlib>
#include <random>

#include "checked.h"

namespace cooperage::clearance {
namespace {

using namespace cooperage::test;
std::string n(double x) { return fmt::format("{:.17g}", x); }
#ifdef __SANITIZE_ADDRESS__
constexpr bool kSanitized = true;  // ten times as slow
#else
constexpr bool kSanitized = false;
#endif

/// A thin blade from the axis outwards and a round post beside its way. The post touches the blade where
/// R |sin(q - at)| = r + w / 2: windows of a known width, one each time that the blade comes by.
struct Blade {
  double post = 0.06, radius = 0.002, thickness = 0.0005, at = 1;  // m, rad
  double half() const { return std::asin((radius + thickness / 2) / post); }
  std::string document(const std::string& rows, double time, int steps) const {
    return R"({"format":"cooperage","version":1,"units":{"length":"m","angle":"rad"},"links":[
      {"name":"g","ground":true,"seats":[{"name":"s"}],"bodies":[{"name":"p","element":"cylinder","radius":)" +
           n(radius) + R"(,"length":0.02,"placement":{"at":[)" + n(post * std::cos(at)) + "," + n(post * std::sin(at)) +
           R"(,0]}}]},
      {"name":"blade","seats":[{"name":"s"}],"bodies":[{"name":"b","element":"box","size":[0.1,)" +
           n(thickness) + R"(,0.01],"placement":{"at":[0.05,0,0]}}]}],
     "joints":[{"name":"j","kind":"revolute","between":["g/s","blade/s"]}],
     "drives":[{"name":"d","value":"j.turn","programme":[)" +
           rows + R"(]}],
     "runs":[{"name":"r","duration":)" +
           n(time) + R"(,"steps":)" + std::to_string(steps) +
           R"(,"accuracy":"0.02 mm","fit_depth":"1e-7 m","check":["interference"]}]})";
  }
};

/// A random programme of moves and dwells that never stops inside a window, and how often it goes through one.
struct Moves {
  std::string rows;
  double time = 0;
  int windows = 0;
};
Moves movesOf(const Blade& blade, std::mt19937_64& random, double mostTurns) {
  const auto figure = [&](double low, double high) {
    return std::uniform_real_distribution<double>(low, high)(random);
  };
  const char* laws[] = {"linear",    "parabolic",     "harmonic",           "cycloidal",  "poly-345",
                        "poly-4567", "modified-sine", "modified-trapezoid", "smooth-step"};
  Moves m;
  double angle = 0;
  const auto round = [&](double q) { return std::floor((q - blade.at) / (2 * kPi)); };
  const auto clear = [&](double q) { return std::abs(std::remainder(q - blade.at, 2 * kPi)) > 1.5 * blade.half(); };
  const int count = std::uniform_int_distribution<int>(1, 4)(random);
  for (int k = 0; k < count; ++k) {
    if (figure(0, 1) < 0.5) {
      const double time = std::pow(10, figure(-2, 3));
      m.rows += R"({"law":"dwell","time":)" + n(time) + "},";
      m.time += time;
    }
    double to = angle + (figure(0, 1) < 0.3 ? -1 : 1) * std::pow(10, figure(-1, std::log10(mostTurns * 2 * kPi)));
    while (!clear(to)) to += blade.half();
    const double time = std::pow(10, figure(-2, 1));
    m.rows += R"({"law":")" + std::string(laws[std::uniform_int_distribution<int>(0, 8)(random)]) + R"(","to":)" +
              n(to) + R"(,"time":)" + n(time) + "},";
    m.time += time;
    m.windows += static_cast<int>(std::abs(round(to) - round(angle)));
    angle = to;
  }
  m.rows.pop_back();
  return m;
}

// Switched off: the motion within an interval, where bodies are said to meet no deeper than they may.
// COOPERAGE_BLADES sets how many cases are tried, COOPERAGE_BLADES_FROM where they begin: 10,000 take hours.
TEST(Proof, BladesOfManyTurnsMeetTheirPostAsOftenAsTheyComeBy) {
  const char* asked = std::getenv("COOPERAGE_BLADES");
  const int cases = asked ? std::atoi(asked) : kSanitized ? 4 : 20;
  const char* first = std::getenv("COOPERAGE_BLADES_FROM");
  for (int k = first ? std::atoi(first) : 0; k < cases; ++k) {
    std::mt19937_64 random(static_cast<std::uint64_t>(k));
    Blade blade;
    blade.at = std::uniform_real_distribution<double>(0.2, 6)(random);
    blade.thickness = std::pow(10, std::uniform_real_distribution<double>(-4.5, -3)(random));
    blade.radius = std::pow(10, std::uniform_real_distribution<double>(-3.5, -2.3)(random));
    const Moves moves = movesOf(blade, random, k % 20 == 19 ? (asked ? 300 : 40) : 6);
    const int steps = std::uniform_int_distribution<int>(1, 30)(random);
    const auto c = check(blade.document(moves.rows, moves.time, steps));
    ASSERT_EQ(static_cast<int>(c.result.interference.size()), moves.windows)
        << "seed " << k << ", " << steps << " steps: " << moves.rows;
    EXPECT_TRUE(c.result.unsure.empty()) << "seed " << k;
    EXPECT_EQ(c.result.provenShare, 1) << "seed " << k;
    for (const auto& w : c.result.interference)
      for (const double t : {w.fromTime, w.toTime}) {
        const auto state = c.run->programme(0).at(t);
        const double q = std::remainder(state.position - blade.at, 2 * kPi);
        // to half a nanometre at the post, or as near as a time of this size can tell
        EXPECT_NEAR(std::abs(q), blade.half(), 1e-8 + std::abs(state.velocity) * 1e-15 * t) << "seed " << k;
      }
  }
}

// A table whose one excursion lies within a single step, and a polynomial that comes back between its ends.
TEST(Proof, WhatTheLawDoesBetweenTheStepsIsMet) {
  const Blade blade;
  const std::string spike =
      R"({"law":"table","interpolation":"linear","points":[[0,0],[0.4991,0],[0.5,2],[0.5009,0],[1,0]]})";
  const auto c = check(blade.document(spike, 1, 4));
  EXPECT_EQ(c.result.interference.size(), 2u);
  EXPECT_EQ(c.result.provenShare, 1);
}

// A dwell of 1000 s, then by the post within a tenth of a millisecond.
TEST(Proof, AContactAfterALongDwellIsOne) {
  Blade blade;
  blade.at = 0.5;
  const auto c = check(blade.document(
      R"({"law":"dwell","time":1000},{"law":"linear","to":1,"time":0.001},{"law":"dwell","time":1})", 1001.001, 10));
  ASSERT_EQ(c.result.interference.size(), 1u);
  EXPECT_NEAR(c.result.interference[0].fromTime, 1000 + 0.001 * (0.5 - blade.half()), 1e-9);
  EXPECT_NEAR(c.result.interference[0].toTime, 1000 + 0.001 * (0.5 + blade.half()), 1e-9);
  EXPECT_TRUE(c.result.unsure.empty());
}

// A ball that dips into a plate twice, the deeper dip between two steps: 1 mm all along and 8 mm for a moment.
// Switched off: what the motion in a stretch adds to the depth in its middle.
TEST(Proof, TheDeepestPlaceIsFoundBetweenThePosesThatWereLookedAt) {
  const auto c = check(R"({"format":"cooperage","version":1,"units":{"length":"m","angle":"rad"},"links":[
    {"name":"g","ground":true,"seats":[{"name":"s"}],"bodies":[{"name":"b","element":"box","size":[0.1,0.1,0.02]}]},
    {"name":"s","seats":[{"name":"s"}],"bodies":[{"name":"b","element":"sphere","radius":0.02,"placement":{"at":[0,0,0.029]}}]}],
   "joints":[{"name":"j","kind":"prismatic","between":["g/s","s/s"]}],
   "drives":[{"name":"d","value":"j.slide","programme":[{"law":"dwell","time":0.52},{"law":"cycloidal","by":-0.007,"time":0.01},
     {"law":"cycloidal","by":0.007,"time":0.01},{"law":"dwell","time":0.46}]}],
   "runs":[{"name":"r","duration":1,"steps":10,"accuracy":"0.1 mm","fit_depth":"1e-6 m","check":["interference"]}]})");
  ASSERT_EQ(c.result.interference.size(), 1u);
  const auto& deepest = c.result.interference[0].deepest;
  EXPECT_NEAR(deepest.depth, 8e-3, 1e-7);
  EXPECT_GE(deepest.atMost, 8e-3 - 1e-9);
  EXPECT_LE(deepest.atMost, 8e-3 + 1e-4);
  EXPECT_TRUE(deepest.proven);
}

// 50 mm apart at all steps, 10 mm for a moment between two of them.
TEST(Proof, TheLeastClearanceIsFoundBetweenTheSteps) {
  const auto c = check(R"({"format":"cooperage","version":1,"units":{"length":"m","angle":"rad"},"links":[
    {"name":"g","ground":true,"seats":[{"name":"s","axis":[1,0,0],"ref":[0,1,0]}],
     "bodies":[{"name":"b","element":"box","size":[0.02,0.05,0.05],"placement":{"at":[0.07,0,0]}}]},
    {"name":"s","seats":[{"name":"s","axis":[1,0,0],"ref":[0,1,0]}],"bodies":[{"name":"b","element":"box","size":[0.02,0.02,0.02]}]}],
   "joints":[{"name":"j","kind":"prismatic","between":["g/s","s/s"]}],
   "drives":[{"name":"d","value":"j.slide","programme":[{"law":"dwell","time":0.41},{"law":"cycloidal","by":0.04,"time":0.02},
     {"law":"cycloidal","by":-0.04,"time":0.02},{"law":"dwell","time":0.55}]}],
   "runs":[{"name":"r","duration":1,"steps":10,"accuracy":"0.1 mm","check":["clearance"]}]})");
  ASSERT_EQ(c.result.clearances.size(), 1u);
  EXPECT_NEAR(c.result.clearances[0].least, 0.01, 1e-10);
  EXPECT_TRUE(c.result.clearances[0].proven);
}

// Two slides on one another, each with a sine of its own: dozens of crests within each step, all of them different.
// The highest is looked for apart from this, in the closed form. Switched off: intervals that are halved until nothing
// in them can be nearer.
TEST(Proof, TheLeastClearanceIsThatOfTheHighestCrest) {
  const auto c = check(R"({"format":"cooperage","version":1,"units":{"length":"m","angle":"rad"},"links":[
    {"name":"g","ground":true,"seats":[{"name":"s","axis":[1,0,0],"ref":[0,1,0]}],
     "bodies":[{"name":"b","element":"box","size":[0.02,0.05,0.05],"placement":{"at":[0.07,0,0]}}]},
    {"name":"m","seats":[{"name":"s","axis":[1,0,0],"ref":[0,1,0]}]},
    {"name":"t","seats":[{"name":"s","axis":[1,0,0],"ref":[0,1,0]}],"bodies":[{"name":"b","element":"box","size":[0.02,0.02,0.02]}]}],
   "joints":[{"name":"i","kind":"prismatic","between":["g/s","m/s"]},{"name":"j","kind":"prismatic","between":["m/s","t/s"]}],
   "drives":[{"name":"d","value":"i.slide","programme":[{"law":"sine","amplitude":0.015,"frequency":1.7,"time":1}]},
     {"name":"e","value":"j.slide","programme":[{"law":"sine","amplitude":0.01,"frequency":61,"time":1}]}],
   "runs":[{"name":"r","duration":1,"steps":4,"accuracy":"0.1 mm","check":["clearance"]}]})");
  double most = 0;
  for (int i = 0; i <= 2000000; ++i) {
    const double t = i / 2e6;
    most = std::max(most, 0.015 * std::sin(2 * kPi * 1.7 * t) + 0.01 * std::sin(2 * kPi * 61 * t));
  }
  const auto least = std::min_element(c.result.clearances.begin(), c.result.clearances.end(),
                                      [](const auto& x, const auto& y) { return x.least < y.least; });
  ASSERT_NE(least, c.result.clearances.end());
  EXPECT_NEAR(least->least, 0.05 - most, 1e-8);
  EXPECT_TRUE(least->proven);
}

// What can't be told beside an overlap is its rim, but only in the smallest intervals: a long stretch of it is not
// known. Switched off: that only the smallest intervals are a rim.
TEST(Proof, ALongStretchThatCannotBeToldIsNotTheRimOfAnOverlap) {
  const auto stretch = [](Verdict v, bool coarse) { return Stretch{0, 1, v, true, coarse}; };
  const auto overlap = stretch(Verdict::overlap, false), fine = stretch(Verdict::unsure, false),
             coarse = stretch(Verdict::unsure, true), meeting = stretch(Verdict::meeting, false);
  EXPECT_TRUE(isRim({meeting, fine, overlap, meeting}, 1));
  EXPECT_TRUE(isRim({overlap, fine, meeting}, 1));
  EXPECT_FALSE(isRim({meeting, coarse, overlap, meeting}, 1));
  EXPECT_FALSE(isRim({overlap, coarse}, 1));
  EXPECT_FALSE(isRim({meeting, fine, meeting}, 1));
  EXPECT_FALSE(isRim({fine}, 0));
  EXPECT_FALSE(isRim({overlap, meeting}, 1));
}

/// Two arms on axes of their own, coupled one to one: turning alike they keep clear of one another, turning against one
/// another they meet.
std::string arms(const std::string& flip, const std::string& rows = R"({"law":"linear","to":"360 deg","time":1})",
                 int steps = 2) {
  return R"({"format":"cooperage","version":1,"links":[{"name":"g","ground":true,"seats":[{"name":"a"},{"name":"b","at":[50,0,0]}]},
    {"name":"left","seats":[{"name":"a"}],"bodies":[{"name":"b","element":"box","size":[4,40,4],"placement":{"at":[0,20,0]}}]},
    {"name":"right","placement":{"at":[50,0,0]},"seats":[{"name":"b"}],"bodies":[{"name":"b","element":"box","size":[4,40,4],"placement":{"at":[0,20,0]}}]}],
   "joints":[{"name":"A","kind":"revolute","between":["g/a","left/a"]},{"name":"B","kind":"revolute","between":["g/b","right/b"]}],
   "couplings":[{"name":"c","kind":"belt","values":["A.turn","B.turn"],"radii":[10,10])" +
         flip + R"(}],
   "drives":[{"name":"d","value":"A.turn","programme":[)" +
         rows + R"(]}],
   "runs":[{"name":"r","duration":1,"steps":)" +
         std::to_string(steps) + R"(,"check":["interference"]}]})";
}

// At the steps (half a turn each) both ways look the same; between them they do not.
TEST(PairMemory, AReversedCouplingIsCheckedAnew) {
  GeometryCache cache;
  PairMemory memory;
  EXPECT_TRUE(check(arms(""), &cache, &memory).result.interference.empty());
  const auto turned = check(arms(R"(,"crossed":true)"), &cache, &memory);
  EXPECT_EQ(memory.reused, 0);
  EXPECT_FALSE(turned.result.interference.empty());
  check(arms(""), &cache, &memory);
  EXPECT_EQ(memory.reused, 1) << "the first way is known";
}

// There and back between two steps: the placements at these are the same to the last bit. Switched off: the figures of
// couplings.
TEST(PairMemory, ACouplingThatOnlyShowsBetweenTheStepsIsCheckedAnew) {
  GeometryCache cache;
  PairMemory memory;
  const std::string rows = R"({"law":"linear","by":"-180 deg","time":0.5},{"law":"linear","by":"180 deg","time":0.5})";
  EXPECT_TRUE(check(arms("", rows, 1), &cache, &memory).result.interference.empty());
  const auto turned = check(arms(R"(,"crossed":true)", rows, 1), &cache, &memory);
  EXPECT_EQ(memory.reused, 0);
  EXPECT_FALSE(turned.result.interference.empty());
}

// A blade that stands at the same place at every step, and between them either rests or goes once round.
TEST(PairMemory, TheSamePosesAtTheStepsAreNotTheSameMotion) {
  GeometryCache cache;
  PairMemory memory;
  const Blade blade;
  const auto rest = check(blade.document(R"({"law":"dwell","time":1})", 1, 2), &cache, &memory);
  EXPECT_TRUE(rest.result.interference.empty());
  const auto swing =
      check(blade.document(R"({"law":"cycloidal","by":3,"time":0.25},{"law":"cycloidal","by":-3,"time":0.25},)"
                           R"({"law":"cycloidal","by":3,"time":0.25},{"law":"cycloidal","by":-3,"time":0.25})",
                           1, 2),
            &cache, &memory);
  EXPECT_EQ(memory.reused, 0);
  EXPECT_EQ(swing.result.interference.size(), 4u);
  // as many rows, other figures. Switched off: the rows of drives
  const auto rock =
      check(blade.document(R"({"law":"cycloidal","by":0.3,"time":0.25},{"law":"cycloidal","by":-0.3,"time":0.25},)"
                           R"({"law":"cycloidal","by":0.3,"time":0.25},{"law":"cycloidal","by":-0.3,"time":0.25})",
                           1, 2),
            &cache, &memory);
  EXPECT_EQ(memory.reused, 0);
  EXPECT_TRUE(rock.result.interference.empty());
}

// A gear repeats after a pitch: three turns of it are known as soon as one tooth is.
TEST(Pitch, OfGearsToothInGapAllIsProven) {
  const auto c = check(
      R"({"format":"cooperage","version":1,"links":[{"name":"g","ground":true,"seats":[{"name":"a"},{"name":"b","at":[50,0,0]}]},
    {"name":"pinion","seats":[{"name":"a"}],"bodies":[{"name":"p","element":"gear","teeth":20,"module":2,"width":4}]},
    {"name":"wheel","placement":{"at":[50,0,0],"turn":[)" +
      n(std::cos(kPi / 60)) + ",0,0," + n(std::sin(kPi / 60)) +
      R"(]},"seats":[{"name":"b"}],"bodies":[{"name":"w","element":"gear","teeth":30,"module":2,"width":4}]}],
   "joints":[{"name":"A","kind":"revolute","between":["g/a","pinion/a"]},{"name":"B","kind":"revolute","between":["g/b","wheel/b"]}],
   "couplings":[{"name":"mesh","kind":"gear","values":["A.turn","B.turn"],"teeth":[20,30]}],
   "drives":[{"name":"d","value":"A.turn","programme":[{"law":"cycloidal","to":"1080 deg","time":1}]}],
   "runs":[{"name":"r","duration":1,"steps":8,"accuracy":"0.05 mm","check":["interference"]}]})");
  EXPECT_TRUE(c.result.interference.empty());
  EXPECT_TRUE(c.result.unsure.empty());
  EXPECT_EQ(c.result.provenShare, 1);
}

/// Gears of 5 and 7 teeth that are coupled one to one: they do not mesh, and only their tips reach one another, by
/// 0.2 mm. Tip stands on tip at 144 degrees of the pinion.
std::string tipsOnly() {
  const double home = kPi + 144 * kPi / 180;  // of the wheel: a tooth on the line of centres after 144 degrees
  return R"({"format":"cooperage","version":1,"links":[{"name":"g","ground":true,"seats":[{"name":"a"},{"name":"b","at":[79.8,0,0]}]},
    {"name":"pinion","seats":[{"name":"a"}],"bodies":[{"name":"p","element":"gear","teeth":5,"module":10,"width":4}]},
    {"name":"wheel","placement":{"at":[79.8,0,0],"turn":[)" +
         n(std::cos(home / 2)) + ",0,0," + n(std::sin(home / 2)) +
         R"(]},"seats":[{"name":"b"}],"bodies":[{"name":"w","element":"gear","teeth":7,"module":10,"width":4}]}],
   "joints":[{"name":"A","kind":"revolute","between":["g/a","pinion/a"]},{"name":"B","kind":"revolute","between":["g/b","wheel/b"]}],
   "couplings":[{"name":"same","kind":"gear","values":["A.turn","B.turn"],"teeth":[10,10]}],
   "drives":[{"name":"d","value":"A.turn","programme":[{"law":"constant-speed","speed":"60 rpm","time":1}]}],
   "runs":[{"name":"r","duration":1,"steps":40,"axis":"d","accuracy":"0.05 mm","fit_depth":"1e-6 m","check":["interference"]}]})";
}

// After one pitch of the pinion the wheel does not look the same: what holds in it holds nowhere else. Switched off:
// that the pitch has to be one of both.
TEST(Pitch, OfGearsThatDoNotMeshIsOneOfBoth) {
  const auto c = check(tipsOnly());
  ASSERT_EQ(c.result.interference.size(), 1u);
  EXPECT_LT(c.result.interference[0].fromTime, 0.4);
  EXPECT_GT(c.result.interference[0].toTime, 0.4);
  EXPECT_NEAR(0.5 * (c.result.interference[0].fromTime + c.result.interference[0].toTime), 0.4, 1e-4);
}

// A tube of 0.1 mm wall, with 0.2 mm to be taken off either side: its walls keep their order.
// Switched off: that no corner goes farther than the wall behind it allows.
TEST(Shrunk, AWallThinnerThanWhatIsTakenOffIsNotTurnedInsideOut) {
  shape::ShapeStore store;
  model::Resolved::BodyR b{};
  b.kind = model::BodyKind::roller;
  b.figures = {0.01, 0.02, 0.0198};
  const auto mesh = store.mesh(*store.body(b, "l"), 5e-6);
  ASSERT_TRUE(mesh.ok());
  const MeshDistance field(**mesh);
  const shape::Mesh inner = shrunk(**mesh, 2e-4, field);
  EXPECT_GT(shape::volumeOf(inner), 0.3 * shape::volumeOf(**mesh));
  for (const Vec3& v : inner.vertices) EXPECT_LT(field.signedDistance(v), 1e-9);
}

}  // namespace
}  // namespace cooperage::clearance
