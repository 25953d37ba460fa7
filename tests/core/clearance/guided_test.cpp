// SPDX-License-Identifier: GPL-3.0-or-later
// One turn or one slide between two links: the way it goes decides what can meet, whichever of the two is listed first
// and whichever way round their joint is.
#include "checked.h"
#include "clearance/pair_travel.h"

namespace cooperage::clearance {
namespace {

using test::boxAt;
using test::check;

/// A link that swings from 0 to 60 degrees, or slides from 0 to 60 mm, against one that stands and holds a body.
std::string guided(bool slides, bool movingFirst, bool turnedRound, const std::string& standing) {
  const std::string seat = slides ? R"({"name":"s","axis":[1,0,0],"ref":[0,1,0]})" : R"({"name":"s"})";
  const std::string moving = R"({"name":"arm","seats":[)" + seat + R"(],"bodies":[)" +
                             (slides ? boxAt(20, 20, 20, 0, 0, 0) : boxAt(100, 10, 10, 60, 0, 0)) + "]}";
  const std::string frame = R"({"name":"frame","ground":true,"seats":[)" + seat + R"(],"bodies":[)" + standing + "]}";
  const std::string to = slides ? "60 mm" : "60 deg", minus = turnedRound ? "-" : "";
  return R"({"format":"cooperage","version":1,"links":[)" +
         (movingFirst ? moving + "," + frame : frame + "," + moving) + R"(],"joints":[{"name":"j","kind":")" +
         (slides ? "prismatic" : "revolute") + R"(","between":[)" +
         (turnedRound ? R"("arm/s","frame/s")" : R"("frame/s","arm/s")") + R"(]}],"drives":[{"name":"d","value":"j.)" +
         (slides ? "slide" : "turn") + R"(","programme":[{"law":"dwell","time":1},{"law":"cycloidal","to":")" + minus +
         to +
         R"(","time":1}]}],"runs":[{"name":"r","duration":2,"steps":320,"accuracy":"0.02 mm","check":["interference"]}]})";
}

/// A block on the arm's circle, at an angle.
std::string blockAt(double degrees) {
  const double a = degrees * kPi / 180;
  return boxAt(20, 20, 20, 90 * std::cos(a), 90 * std::sin(a), 0, degrees);
}

/// Goes over the travel with this pair alone, from the dwell on: what can meet is settled there, where all of the way
/// lies ahead, and on one side.
std::vector<Stretch> goOver(const test::Checked& c) {
  Intervals intervals(*c.run, c.table.travel);
  std::vector<double> ends;
  for (const auto& s : c.table.travel.steps) ends.push_back(s.t);
  const std::size_t knot = ends.size() / 2, last = ends.size() - 1;
  EXPECT_NEAR(ends[knot], 1, 1e-12);
  const auto never = [] { return false; };
  intervals.findRanges(ends, {{0, knot}, {knot, last}}, never);
  EXPECT_FALSE(intervals.ranges().empty());
  Guided guided(1);
  PairTravel travel(0, 1, *c.geometry.links[0], *c.geometry.links[1], 0, intervals.path(0, 1), intervals, guided,
                    nullptr);
  EXPECT_TRUE(travel.over(ends, 0, knot));
  EXPECT_TRUE(travel.over(ends, knot, last));
  EXPECT_TRUE(guided.parts[0].whole.has_value()) << "it was made use of";
  return travel.stretches();
}

TEST(Guided, WhatLiesOnTheWayIsMetWhicheverWayTheJointIsListed) {
  for (const bool slides : {false, true}) {
    std::vector<double> first;
    for (const bool movingFirst : {false, true})
      for (const bool turnedRound : {false, true}) {
        const auto c =
            check(guided(slides, movingFirst, turnedRound, slides ? boxAt(20, 20, 20, 50, 0, 0) : blockAt(45)));
        ASSERT_EQ(c.result.interference.size(), 1u) << slides << movingFirst << turnedRound;
        EXPECT_EQ(c.result.provenShare, 1) << slides << movingFirst << turnedRound;
        first.push_back(c.result.interference[0].fromTime);
        const auto all = goOver(c);
        EXPECT_TRUE(std::any_of(all.begin(), all.end(), [](const Stretch& s) { return s.verdict == Verdict::overlap; }))
            << slides << movingFirst << turnedRound;
      }
    for (const double t : first) EXPECT_NEAR(t, first.front(), 1e-6);
  }
}

TEST(Guided, WhatLiesTheOtherWayIsProvenFree) {
  for (const bool slides : {false, true})
    for (const bool movingFirst : {false, true})
      for (const bool turnedRound : {false, true}) {
        const auto c =
            check(guided(slides, movingFirst, turnedRound, slides ? boxAt(20, 20, 20, -50, 0, 0) : blockAt(-45)));
        EXPECT_TRUE(c.result.interference.empty()) << slides << movingFirst << turnedRound;
        EXPECT_EQ(c.result.pairsProven, 1) << slides << movingFirst << turnedRound;
      }
}

// A sun in its ring: their surfaces go through spaces that are apart, however often they turn. One that is wider than
// the ring's hole is not free; nor is one that the wall of a drum holds inside.
TEST(Guided, RingsAboutOneAxisThatStayApartAreFreeAtOnce) {
  const auto disc = [](double radius) {
    return R"({"name":"d","element":"cylinder","radius":)" + formatNumber(radius) + R"(,"length":20})";
  };
  const std::string ring = R"({"name":"r","element":"ring-gear","teeth":60,"module":2,"width":10})";
  const auto free = check(test::turning(disc(50), ring, 12));
  EXPECT_TRUE(free.result.interference.empty());
  EXPECT_EQ(free.result.pairsProven, 1);
  EXPECT_FALSE(check(test::turning(disc(59), ring, 12)).result.interference.empty());
  // wholly inside a block of wood
  EXPECT_FALSE(
      check(test::turning(boxAt(10, 10, 10, 0, 0, 0), boxAt(100, 100, 100, 0, 0, 0), 12)).result.interference.empty());
}

}  // namespace
}  // namespace cooperage::clearance
