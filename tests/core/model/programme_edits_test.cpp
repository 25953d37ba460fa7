// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/programme_edits.h"

#include <rapidcheck/gtest.h>

#include "../support.h"
#include "model/gauge_edits.h"

namespace cooperage::test {
namespace {

using namespace model;

const char* kRows = R"([{"law":"dwell","time":"0.5 s"},{"law":"poly-345","by":"40 deg","time":"1 s"},
   {"law":"dwell","time":"0.4 s"},{"law":"cycloidal","by":"-40 deg","time":"1.1 s"}])";

Mechanism with(const std::string& rows, const std::string& more = "") {
  auto json = sliderCrank(20, 70, 5, 30);
  const auto d = json.find(R"("drives":[)"), e = json.find(R"("gauges":[)");
  json.replace(d, e - d, R"("drives":[{"name":"motor","value":"main.turn","programme":)" + rows + more + "}],");
  return read(json);
}
Id motor(const Mechanism& m) { return m.drives[0]->id; }
motion::Programme programme(const Mechanism& m, double start = 30 * kDegree) {
  const auto r = resolve(m).value();
  return motion::Programme::compile(r.drives[0].rows, start, r.drives[0].reverse, "motor").value();
}

TEST(ProgrammeEdits, AKnotMovesAndTheRestStays) {
  const auto m = with(kRows);
  const auto next = withKnotMoved(m, motor(m), 2, 0.2, 5 * kDegree, false);
  ASSERT_TRUE(next.ok()) << next.error().text;
  const auto p = programme(*next);
  const std::vector<double> times{0, 0.5, 1.7, 1.9, 3.0}, values{30, 30, 75, 75, 30};
  for (std::size_t k = 0; k < times.size(); ++k) {
    EXPECT_NEAR(p.knots()[k], times[k], 1e-12) << k;
    EXPECT_NEAR(p.at(times[k]).position / kDegree, values[k], 1e-9)
        << "the dwell goes along, the end does not: knot " << k;
  }
  EXPECT_EQ(fieldText(*next, next->drives[0]->programme[1].figures.at("time")), "1.2 s") << "the unit stays";
  EXPECT_EQ(fieldText(*next, next->drives[0]->programme[1].figures.at("by")), "45 deg");
}

TEST(ProgrammeEdits, WithTheRestEverythingAfterMovesAlong) {
  const auto m = with(kRows);
  const auto p = programme(withKnotMoved(m, motor(m), 2, 0.2, 5 * kDegree, true).value());
  EXPECT_NEAR(p.end(), 3.2, 1e-12);
  EXPECT_NEAR(p.at(p.end()).position / kDegree, 35, 1e-9);
}

TEST(ProgrammeEdits, OfAReversedDriveTheKnotFollowsTheHand) {
  const auto m = with(kRows, R"(,"reverse":true)");
  EXPECT_NEAR(programme(m).at(1.6).position / kDegree, -10, 1e-9);
  const auto p = programme(withKnotMoved(m, motor(m), 2, 0, 5 * kDegree, false).value());
  EXPECT_NEAR(p.at(1.6).position / kDegree, -5, 1e-9);
}

TEST(ProgrammeEdits, ASteadyRowsEndSetsItsSpeed) {
  const auto m = with(R"([{"law":"constant-speed","speed":"90 deg/s","time":"2 s"}])");
  const auto p = programme(withKnotMoved(m, motor(m), 1, 0, 20 * kDegree, false).value());
  EXPECT_NEAR(p.at(1).velocity / kDegree, 100, 1e-9);
}

TEST(ProgrammeEdits, WhatCannotBeDraggedSaysWhy) {
  const auto refusal = [](const Mechanism& m, int knot, double t, double v) {
    const auto r = withKnotMoved(m, motor(m), knot, t, v, false);
    return r.ok() ? std::string() : r.error().text;
  };
  const auto m = with(kRows);
  EXPECT_THAT(refusal(m, 0, 0.1, 0), testing::HasSubstr("home value"));
  EXPECT_THAT(refusal(m, 1, 0, 0.1), testing::HasSubstr("dwells at its home value"));
  EXPECT_THAT(refusal(m, 2, 0.5, 0), testing::HasSubstr("greater than zero")) << "the next dwell would vanish";
  const auto ramp = with(R"([{"law":"run-up","speed":"60 rpm","acceleration":"360 deg/s^2"}])");
  EXPECT_THAT(refusal(ramp, 1, 0.1, 0), testing::HasSubstr("follows from its other figures"));
  EXPECT_THAT(refusal(ramp, 1, 0, 0.1), testing::HasSubstr("run-up"));
  auto json = io::writeCoop(m);
  const std::string none = R"("parameters": [])";
  json.replace(json.find(none), none.size(), R"("parameters":[{"name":"rise","value":"40 deg"}])");
  const auto by = json.find(R"("by": "40 deg")");
  ASSERT_NE(by, std::string::npos);
  json.replace(by, 14, R"("by": "rise")");
  EXPECT_THAT(refusal(read(json), 2, 0, 0.1), testing::HasSubstr("formula of parameters"));
}

RC_GTEST_PROP(ProgrammeEdits, ADraggedKnotIsWhereItWasDropped, ()) {
  static const auto m = with(kRows);
  const int knot = *rc::gen::inRange(2, 4);
  const double t = 0.01 * *rc::gen::inRange(-20, 20), v = *rc::gen::inRange(-30, 30) * kDegree;
  const auto before = programme(m);
  const auto moved = withKnotMoved(m, motor(m), knot, t, v, false);
  RC_ASSERT(moved.ok());
  const auto p = programme(*moved);
  const auto k = static_cast<std::size_t>(knot);
  RC_ASSERT(std::abs(p.knots()[k] - before.knots()[k] - t) < 1e-9);
  RC_ASSERT(std::abs(p.at(p.knots()[k]).position - before.at(before.knots()[k]).position - v) < 1e-9);
  RC_ASSERT(std::abs(p.end() - before.end()) < 1e-9);
  RC_ASSERT(std::abs(p.at(p.end()).position - before.at(before.end()).position) < 1e-9);
  // dragged back, it is the same programme
  const auto back = programme(withKnotMoved(*moved, motor(m), knot, -t, -v, false).value());
  for (double x : {0.3, 0.9, 1.4, 2.2, 2.9}) RC_ASSERT(std::abs(back.at(x).position - before.at(x).position) < 1e-9);
}

TEST(ProgrammeEdits, ADwellIsPutInWhereItIsAsked) {
  const auto m = with(kRows);
  const auto p = programme(m);
  const auto parted = programme(withDwell(m, motor(m), 0.9, 0.3, p).value());
  ASSERT_EQ(parted.knots().size(), 7u);
  const double level = p.at(0.9).position;
  EXPECT_NEAR(parted.at(0.9).position, level, 1e-9);
  EXPECT_NEAR(parted.at(1.2).position, level, 1e-9);
  EXPECT_NEAR(parted.at(1.8).position / kDegree, 70, 1e-9);
  EXPECT_NEAR(parted.end(), 3.3, 1e-9);
  const auto longer = programme(withDwell(m, motor(m), 1.7, 0.3, p).value());
  EXPECT_EQ(longer.knots().size(), 5u) << "a dwell becomes longer";
  EXPECT_NEAR(longer.knots()[3], 2.2, 1e-9);
  EXPECT_EQ(programme(withDwell(m, motor(m), 3.0, 0.3, p).value()).knots().size(), 6u) << "at the end";
}

TEST(ProgrammeEdits, LawsChangeAndKeepWhatTheyCan) {
  const auto m = with(kRows);
  auto rows = m.drives[0]->programme;
  for (const auto law : motion::Law::kinds()) {
    rows[1] = rowWithLaw(m, rows[1], law, dimension::kAngle);
    const auto p = programme(withRows(m, motor(m), rows));
    EXPECT_NEAR(p.at(1.5).position / kDegree, 70, 1e-9) << wordFor(law);
    EXPECT_NEAR(p.knots()[2], 1.5, 1e-12) << wordFor(law);
  }
  rows[1] = rowWithLaw(m, rows[1], motion::LawKind::constantSpeed, dimension::kAngle);
  EXPECT_NEAR(programme(withRows(m, motor(m), rows)).at(1.5).position / kDegree, 70, 1e-9) << "as fast as it must be";
  for (const char* name : {"sine", "table", "formula", "speed-formula", "polynomial", "run-up", "run-down", "dwell"}) {
    rows[1] = rowWithLaw(m, rows[1], Word<motion::LawKind>::read(name), dimension::kAngle);
    EXPECT_TRUE(resolve(withRows(m, motor(m), rows)).ok()) << name;
  }
}

TEST(ProgrammeEdits, RowsAreAddedMovedAndRemoved) {
  const auto m = with(kRows);
  const auto one = withRowAfter(m, motor(m), 1, motion::LawKind::poly345);
  ASSERT_EQ(one.drives[0]->programme.size(), 5u);
  EXPECT_EQ(one.drives[0]->programme[2].law, motion::LawKind::poly345);
  EXPECT_TRUE(resolve(one).ok());
  EXPECT_EQ(withRowMoved(one, motor(m), 2, -1).drives[0]->programme[1].figures.count("by"), 1u);
  EXPECT_EQ(withoutRow(one, motor(m), 2).drives[0]->programme.size(), 4u);
  EXPECT_EQ(withRowMoved(one, motor(m), 0, -1).drives[0]->programme[0].law, motion::LawKind::dwell)
      << "nothing above the first";
}

TEST(ProgrammeEdits, ANamedProgrammeIsSharedAndSaved) {
  const auto m = with(kRows);
  const auto named = withNamedProgramme(m, motor(m), "lift");
  ASSERT_EQ(named.programmes.size(), 1u);
  EXPECT_EQ(rowsOf(named, *named.drives[0]).size(), 4u);
  const auto again = read(io::writeCoop(named));
  EXPECT_EQ(io::writeCoop(again), io::writeCoop(named));
  const auto dragged = withKnotMoved(again, motor(again), 2, 0.1, 0, false).value();
  EXPECT_TRUE(dragged.drives[0]->programme.empty());
  EXPECT_NEAR(programme(dragged).knots()[2], 1.6, 1e-12) << "the shared rows have changed";
  const auto own = withShared(dragged, motor(dragged), 0);
  EXPECT_EQ(own.drives[0]->programme.size(), 4u);
  const auto gone = removed(dragged, {dragged.programmes[0]->id});
  ASSERT_TRUE(gone.ok());
  EXPECT_TRUE(gone->drives.empty());
}

TEST(ProgrammeEdits, EveryPurposeMakesADriveThatRuns) {
  auto m = with(kRows);
  m.drives.clear();
  m.runs.clear();
  const Symbol value{m.joints[0]->id, "turn"};
  for (const Purpose p :
       {Purpose::steady, Purpose::goTo, Purpose::goBy, Purpose::swing, Purpose::followTable, Purpose::followFormula}) {
    const auto made = withDrive(m, value, 0, p, 30 * kDegree);
    ASSERT_TRUE(made.ok()) << made.error().text;
    const auto start = programme(made->first).at(0).position;
    EXPECT_NEAR(start / kDegree, 30, 1e-9) << "it begins where home stands: purpose " << static_cast<int>(p);
    const auto r = runFirst(made->first);
    EXPECT_TRUE(r.travel.completed) << said(r);
  }
  const auto follower = withFollower(m, {m.joints[3]->id, "slide"}, value);
  ASSERT_TRUE(follower.ok()) << follower.error().text;
  EXPECT_EQ(follower->first.couplings.back()->kind, CouplingKind::formula);
}

TEST(GaugeEdits, PlacesBecomeGaugesPathsAndSeats) {
  const auto m = read(sliderCrank(20, 70, 5, 30));
  const auto r = resolve(m).value();
  std::vector<Pose> poses;
  for (const auto& l : r.links) poses.push_back(l.placement);
  Place a, b;
  a.link = m.links[0]->id;
  a.seat = m.links[0]->seats[0]->id;
  b.link = m.links[2]->id;
  b.name = "corner";
  b.at = poses[2] * Vec3(0.01, 0.02, 0);
  const auto made = withGauge(m, GaugeKind::distance, {a, b}, Component::size, poses);
  ASSERT_TRUE(made.ok()) << made.error().text;
  const auto& gauge = *made->first.gauges.back();
  EXPECT_EQ(gauge.name, "frame o to rod corner");
  const auto run = runFirst(made->first);
  const auto c = column(run, gauge.name), turn = column(run, "main.turn"), big = column(run, "big.turn");
  for (const auto& row : run.rows) {
    const double q = row[turn], rod = q + row[big];
    const Vec3 x(0.02 * std::cos(q) + 0.01 * std::cos(rod) - 0.02 * std::sin(rod),
                 0.02 * std::sin(q) + 0.01 * std::sin(rod) + 0.02 * std::cos(rod), 0);
    EXPECT_NEAR(row[c], x.norm(), 1e-12);
  }
  EXPECT_FALSE(withGauge(m, GaugeKind::distance, {a, a}, Component::size, poses).ok()) << "both on one link";
  EXPECT_FALSE(withGauge(m, GaugeKind::distance, {a}, Component::size, poses).ok());
  EXPECT_TRUE(withGauge(m, GaugeKind::clearance, {a, b}, Component::size, poses).ok());
  const auto path = withPath(m, b, poses);
  ASSERT_TRUE(path.ok());
  EXPECT_EQ(io::writeCoop(read(io::writeCoop(path->first))), io::writeCoop(path->first));
  EXPECT_TRUE(removed(path->first, {b.link})->paths.empty());
  const auto copied = withRunCopied(m, m.runs[0]->id);
  ASSERT_EQ(copied->first.runs.size(), 2u);
  EXPECT_EQ(copied->first.runs[1]->name, "turn 2");
}

TEST(GaugeEdits, ABoundMakesChangesAndTakesAwayOneRequirement) {
  Mechanism m;
  Gauge g;
  g.id = newId();
  g.name = "lift";
  m.gauges.push_back(std::make_shared<const Gauge>(g));
  EXPECT_TRUE(withBound(m, g.id, &Requirement::min, std::nullopt).requirements.empty()) << "nothing to take away";
  const Mechanism one = withBound(m, g.id, &Requirement::min, Field(3));
  ASSERT_EQ(one.requirements.size(), 1u);
  ASSERT_TRUE(boundsOf(one, g.id));
  EXPECT_EQ(boundsOf(one, g.id)->measure, Measure::always);
  const Mechanism two = withBound(one, g.id, &Requirement::max, Field(5));
  ASSERT_EQ(two.requirements.size(), 1u) << "both bounds are of one requirement";
  EXPECT_EQ(boundsOf(two, g.id)->id, boundsOf(one, g.id)->id);
  EXPECT_EQ(boundsOf(two, g.id)->min->number, 3);
  EXPECT_EQ(boundsOf(two, g.id)->max->number, 5);
  const Mechanism left = withBound(two, g.id, &Requirement::min, std::nullopt);
  ASSERT_TRUE(boundsOf(left, g.id));
  EXPECT_FALSE(boundsOf(left, g.id)->min);
  EXPECT_TRUE(withBound(left, g.id, &Requirement::max, std::nullopt).requirements.empty());
  // a requirement on something else of the gauge is another matter
  const auto mean = withRequirement(m, g.id, Measure::mean);
  EXPECT_EQ(boundsOf(mean.first, g.id), nullptr);
  EXPECT_EQ(withBound(mean.first, g.id, &Requirement::max, Field(1)).requirements.size(), 2u);
}

}  // namespace
}  // namespace cooperage::test
