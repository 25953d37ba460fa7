// SPDX-License-Identifier: GPL-3.0-or-later
// A document worked out once serves all runs and checks alike, and gives what working it out anew gives.
#include "study/studies.h"

#include <thread>

#include "../clearance/checked.h"
#include "../maker.h"
#include "model/joint_edits.h"
#include "study/close_gap.h"
#include "study/closing_range.h"

namespace cooperage::test {
namespace {

using namespace study;

/// A document worked out, with the stores that its studies share.
struct Bench {
  shape::ShapeStore store;
  clearance::GeometryCache cache;
  PreparedPtr prepared;
  Tools tools() { return {store, cache, nullptr}; }
  explicit Bench(const model::Mechanism& m, int run = 0) {
    auto r = model::resolve(m);
    if (!r.ok()) ADD_FAILURE() << r.error().text;
    prepared = study::prepare(std::make_shared<const model::Mechanism>(m), std::move(r).value(), run,
                              [this](const auto& link, const auto& body) {
                                const auto s = store.body(body, link.name);
                                return s.ok() ? *s : nullptr;
                              });
  }
  RunStudy run(int index = 0) {
    auto r = runStudy(prepared, index, tools());
    if (!r.ok()) {
      ADD_FAILURE() << r.error().text;
      return {};
    }
    return std::move(r).value();
  }
};

model::Mechanism demo(const std::string& name) {
  const auto m = io::loadCoop(std::string(COOPERAGE_DEMO) + "/" + name + "/" + name + ".coop");
  if (!m.ok()) ADD_FAILURE() << m.error().text;
  return m.ok() ? *m : model::Mechanism{};
}

/// A four-bar whose pivots stand further apart than its three links reach, by a gap.
model::Mechanism tooShort(double gap, const char* kind = "revolute") {
  return read(fmt::format(R"({{"format":"cooperage","version":1,"links":[
    {{"name":"bed","ground":true,"seats":[{{"name":"a"}},{{"name":"d","at":[{0},0,0]}}]}},
    {{"name":"crank","placement":{{"at":[0,0,0]}},"seats":[{{"name":"a"}},{{"name":"b","at":[30,0,0]}}]}},
    {{"name":"coupler","placement":{{"at":[30,0,0]}},"seats":[{{"name":"b"}},{{"name":"c","at":[40,0,0]}}]}},
    {{"name":"rocker","placement":{{"at":[70,0,0]}},"seats":[{{"name":"c"}},{{"name":"d","at":[30,0,0]}}]}}],
    "joints":[{{"name":"A","kind":"revolute","between":["bed/a","crank/a"]}},
              {{"name":"B","kind":"revolute","between":["crank/b","coupler/b"]}},
              {{"name":"C","kind":"revolute","between":["coupler/c","rocker/c"]}},
              {{"name":"D","kind":"{1}","between":["bed/d","rocker/d"]}}]}})",
                          100 + gap, kind));
}

TEST(Study, AGapThatStaysOpenIsToldAndClosedByMovingASeat) {
  for (const char* kind : {"revolute", "spherical"}) {
    const Bench open(tooShort(6, kind));
    ASSERT_FALSE(open.prepared->closes());
    ASSERT_TRUE(open.prepared->open);
    EXPECT_NEAR(open.prepared->open->gap, 0.006, 1e-6) << "100 mm of links for 106 mm";
    const auto mended = withGapClosed(*open.prepared);
    ASSERT_TRUE(mended.ok()) << mended.error().text;
    const Bench closed(*mended);
    EXPECT_TRUE(closed.prepared->closes()) << closed.prepared->problem->text;
    EXPECT_FALSE(closed.prepared->open);
    // one seat has moved, by the gap
    int moved = 0;
    for (const auto& l : open.prepared->mechanism->links)
      for (const auto& s : l->seats) {
        const double by = (model::frameOf(*open.prepared->mechanism, *s)->p -
                           model::frameOf(*mended, *model::findSeat(*mended, s->id)->seat)->p)
                              .norm();
        if (by < 1e-9) continue;
        ++moved;
        EXPECT_NEAR(by, 0.006, 1e-5);
      }
    EXPECT_EQ(moved, 1);
  }
  const Bench fine(tooShort(-6));
  EXPECT_TRUE(fine.prepared->closes());
  EXPECT_FALSE(withGapClosed(*fine.prepared).ok());
}

TEST(Study, ARunOfAPreparedDocumentIsThatOfTheDocumentAlone) {
  for (const char* name : {"stave-lifter", "char-drum"}) {
    SCOPED_TRACE(name);
    const auto m = demo(name);
    Bench bench(m);
    bench.store.setFolder(std::string(COOPERAGE_DEMO) + "/" + name);
    ASSERT_TRUE(bench.prepared->closes());
    const auto study = bench.run();
    const auto alone = runFirst(m);
    ASSERT_EQ(study.result.rows.size(), alone.rows.size());
    for (std::size_t i = 0; i < alone.rows.size(); ++i)
      for (std::size_t c = 0; c < alone.rows[i].size(); ++c)
        if (alone.columns[c].name.find("gap") == std::string::npos && std::isfinite(alone.rows[i][c])) {
          ASSERT_EQ(study.result.rows[i][c], alone.rows[i][c]) << i << " " << alone.columns[c].name;
        }
    ASSERT_EQ(study.result.travel.messages.size(), alone.travel.messages.size());
    for (std::size_t i = 0; i < alone.travel.messages.size(); ++i)
      EXPECT_EQ(study.result.travel.messages[i].text, alone.travel.messages[i].text);
    // nothing is compiled twice, where the run leaves nothing out
    const bool whole = std::string(name) == "char-drum";
    EXPECT_EQ(&study.travel->system() == bench.prepared->system.get(), whole);
  }
}

TEST(Study, ARunThatLeavesSomethingOutOrHasAnotherFitIsWorkedOutByItself) {
  FourBar bar{0.05, 0.12, 0.08, 0.11, 1};
  Maker maker = bar.make(1);
  maker.follow("out.turn", "0.1*sin(t)", "swing");
  maker.run(1, 10)["drives"] = {"motor"};
  Json& other = maker.run(1, 10);
  other["name"] = "swung";
  other["drives"] = {"swing"};
  Json& loose = maker.run(1, 10);
  loose["name"] = "loose";
  loose["drives"] = {"motor"};
  loose["fit_angle"] = 0.01;
  const auto m = maker.read();
  Bench bench(m, 0);
  const auto resolved = model::resolve(m).value();
  for (int run = 0; run < 3; ++run) {
    const auto study = bench.run(run);
    EXPECT_NE(&study.travel->system(), bench.prepared->system.get()) << "each names one drive of two";
    auto alone = kinematics::TravelRun::prepare(resolved, run).value();
    kinematics::Measurer measurer(*alone);
    EXPECT_EQ(study.result.rows, kinematics::tabulate(*alone, measurer).rows);
  }
  // freedoms are those of the drives that act in its run
  EXPECT_EQ(bench.prepared->mobility->driven, 1);
  EXPECT_TRUE(bench.prepared->mobility->redundantDrives.empty());
  EXPECT_FALSE(Bench(m, -1).prepared->mobility->redundantDrives.empty()) << "both at once";
  EXPECT_FALSE(runStudy(bench.prepared, 7, bench.tools()).ok());
}

TEST(Study, WhatDoesNotCloseSaysWhyAndStandsAsPlaced) {
  FourBar bar{0.05, 0.12, 0.08, 0.11, 1};
  Maker maker = bar.make(0);
  maker.run(1, 10);
  for (Json& j : maker.json()["joints"])
    if (j["name"] == "in") j["home"] = {{"turn", 3.0}};
  for (Json& l : maker.json()["links"])
    if (l["name"] == "coupler") l["seats"][1]["at"] = {0.6, 0.2, 0};
  const auto m = maker.read();
  const Bench bench(m);
  EXPECT_FALSE(bench.prepared->closes());
  ASSERT_TRUE(bench.prepared->problem);
  EXPECT_THAT(bench.prepared->problem->text, testing::HasSubstr("can't be assembled"));
  ASSERT_EQ(bench.prepared->poses.size(), m.links.size());
  EXPECT_EQ(bench.prepared->poses[1].p.norm(), 0);
}

// Two threads ask the run and its twin for poses at once; each is as if it was alone.
TEST(Study, ATwinOfARunIsAskedByAnotherThreadWithoutComputingAgain) {
  const std::string demos[] = {"stave-lifter", "char-drum"};
  for (const auto& name : demos) {
    Bench bench(demo(name));
    bench.store.setFolder(std::string(COOPERAGE_DEMO) + "/" + name);
    const auto study = bench.run();
    const auto twin = twinOf(study);
    EXPECT_EQ(twin.result.rows, study.result.rows);
    const double end = study.result.travel.steps.back().t;
    std::vector<kinematics::TravelStep> one(200), two(200), alone(200);
    const auto ask = [&](const RunStudy& s, std::vector<kinematics::TravelStep>& into) {
      for (std::size_t i = 0; i < into.size(); ++i)
        ASSERT_TRUE(s.travel->poseAt(s.result.travel, end * static_cast<double>(i) / 199.5, into[i]));
    };
    ask(study, alone);
    std::thread other([&] { ask(twin, two); });
    ask(study, one);
    other.join();
    for (std::size_t i = 0; i < one.size(); ++i) {
      EXPECT_EQ(one[i].c.q, alone[i].c.q);
      EXPECT_EQ(two[i].c.q, alone[i].c.q);
      EXPECT_EQ(two[i].qdd, alone[i].qdd);
    }
  }
}

TEST(Study, ACheckOfARunThatIsThereFindsWhatACheckFromTheBeginningFinds) {
  const std::string text = turning(boxAt(40, 10, 10, 30, 0, 0), boxAt(20, 20, 20, 0, 55, 0), 24);
  const auto whole = check(text);
  ASSERT_FALSE(whole.result.interference.empty());
  Bench bench(read(text));
  const auto study = bench.run();
  auto twin = twinOf(study);
  const auto found = checkStudy(twin, bench.tools());
  ASSERT_TRUE(found.ok()) << found.error().text;
  ASSERT_EQ(found->interference.size(), whole.result.interference.size());
  EXPECT_EQ(found->interference[0].from, whole.result.interference[0].from);
  EXPECT_EQ(found->interference[0].deepest.depth, whole.result.interference[0].deepest.depth);
  EXPECT_EQ(found->pairsProven, whole.result.pairsProven);
}

TEST(Study, AnEnvelopeTellsWhatIsLeftToTheOthersWhenItIsAsked) {
  Bench bench(read(turning(boxAt(40, 10, 10, 30, 0, 0), boxAt(20, 20, 20, 0, 75, 0), 24)));
  clearance::EnvelopeOptions options;
  options.links = {2};
  options.accuracy = 2e-3;
  const auto alone = envelopeStudy(bench.prepared, 0, bench.tools(), options, false);
  ASSERT_TRUE(alone.ok()) << alone.error().text;
  EXPECT_TRUE(alone->gaps.empty());
  // a disc of 50.25 mm radius (the box's far corner) without the middle of 10 mm, 10 mm high
  const double disc = kPi * 10 * (50.0 * 50 + 5 * 5 - 10 * 10) * 1e-9;
  EXPECT_LT(alone->envelope.low, disc);
  EXPECT_GT(alone->envelope.high, disc);
  const auto gaps = envelopeStudy(bench.prepared, 0, bench.tools(), options, true);
  ASSERT_TRUE(gaps.ok()) << gaps.error().text;
  ASSERT_EQ(gaps->gaps.size(), 1u);
  EXPECT_NEAR(gaps->gaps[0].least, (65 - std::hypot(50.0, 5.0)) * 1e-3, 2e-3);
}

// Crank and ground fixed, the coupler and rocker together must span from pin to pivot: between |b - c| and b + c.
TEST(ClosingRange, OfACouplerIsWhatTheTriangleAllows) {
  const FourBar bar{0.05, 0.12, 0.08, 0.11, 1};
  Maker maker = bar.make(0);
  maker.json()["parameters"] = {{{"name", "grow"}, {"value", "0 m"}}};
  for (Json& j : maker.json()["joints"])
    if (j["name"] == "in") j["home"] = {{"turn", 0.0}};
  // the coupler's far seat goes on along the coupler
  const Vec3 p(bar.a * std::cos(bar.q), bar.a * std::sin(bar.q), 0);
  const auto rocker = bar.angles(Jet(bar.q)).first.v;
  const Vec3 q(bar.d + bar.c * std::cos(rocker), bar.c * std::sin(rocker), 0), along = (q - p).normalized();
  for (Json& l : maker.json()["links"])
    if (l["name"] == "coupler")
      l["seats"][1]["at"] = {fmt::format("{:.17g} m + {:.17g}*grow", q.x(), along.x()),
                             fmt::format("{:.17g} m + {:.17g}*grow", q.y(), along.y()), 0};
  const auto good = maker.read();
  const auto grown = [&](double by) {
    return model::changed<model::Parameter>(
        good, &model::Mechanism::parameters, good.parameters[0]->id,
        [&](model::Parameter& x) { x.value = *model::parseField(good, fmt::format("{:.17g} m", by)); });
  };
  const double span = (p - Vec3(bar.d, 0, 0)).norm(), least = std::abs(span - bar.c) - bar.b,
               most = span + bar.c - bar.b;
  shape::ShapeStore store;
  EXPECT_TRUE(Bench(grown(most - 1e-4)).prepared->closes());
  const auto text = closingRange(good, grown(most + 0.01), store);
  EXPECT_EQ(changedFigure(good, grown(0.3)), "grow");
  double from = 0, to = 0;
  ASSERT_EQ(std::sscanf(text.c_str(), "grow closes at home from %lf m to %lf m", &from, &to), 2) << text;
  EXPECT_NEAR(to, most, 1e-3 + 1e-6) << "rounded inwards to thousandths of the unit";
  EXPECT_LE(to, most);
  EXPECT_NEAR(from, least, 1e-3 + 1e-6);
  EXPECT_GE(from, least - 1e-9);
  EXPECT_EQ(closingRange(good, good, store), "") << "nothing was changed";
}

}  // namespace
}  // namespace cooperage::test
