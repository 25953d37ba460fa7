// SPDX-License-Identifier: GPL-3.0-or-later
// Gears that drive one another by their flanks alone, beside the same pair coupled.
#include "contact/bodies.h"
#include "model/gear_edits.h"
#include "study/studies.h"
#include "wheels.h"

namespace cooperage::contact::test {
namespace {

using model::GearDraft;

/// Two wheels on the ground, the first driven, made by their maker: coupled, and with a contact in place of the
/// coupling.
struct GearPair {
  model::Mechanism coupled, pushed;
};
GearPair gearPair(GearDraft::Kind kind, int first, int second, double helix, double turns, int steps) {
  const bool square = kind == GearDraft::Kind::worm;
  const char* axis = square ? R"(,"axis":[0,-1,0])" : "";
  auto m = io::readCoop(fmt::format(R"({{"format":"cooperage","version":1,
 "links":[{{"name":"g","ground":true,"seats":[{{"name":"a"}},{{"name":"b","at":[50,0,0]{0}}}]}},
  {{"name":"one","seats":[{{"name":"s"}}]}},
  {{"name":"two","placement":{{"at":[50,0,0]}},"seats":[{{"name":"s"{0}}}]}}],
 "joints":[{{"name":"A","kind":"revolute","between":["g/a","one/s"]}},{{"name":"B","kind":"revolute","between":["g/b","two/s"]}}],
 "drives":[{{"name":"d","value":"A.turn","programme":[{{"law":"linear","to":"{1} deg","time":1}}]}}],
 "runs":[{{"name":"r","duration":1,"steps":{2},"axis":"time"}}]}})",
                                    axis, formatNumber(360 * turns), steps));
  EXPECT_TRUE(m.ok());
  GearDraft draft;
  draft.kind = kind;
  draft.joints = {m->joints[0]->id, m->joints[1]->id};
  draft.teeth = {model::Field(first), model::Field(second)};
  draft.module = model::Field(2);
  draft.helix = model::Field(helix);
  draft.bore = {model::Field(10), model::Field(10)};
  draft.backlash = model::Field(0.1);
  std::vector<Pose> home;
  const auto resolved = model::resolve(*m);
  for (const auto& l : resolved->links) home.push_back(l.placement);
  auto made = model::withGears(*m, draft, home);
  EXPECT_TRUE(made.ok());
  model::Contact flanks;
  flanks.id = model::newId();
  flanks.name = "flanks";
  flanks.sideA = {made->links[1]->id};
  flanks.sideB = {made->links[2]->id};
  GearPair out{*made, std::move(made).value()};
  out.pushed.couplings.clear();
  out.pushed.contacts = {std::make_shared<const model::Contact>(flanks)};
  return out;
}

study::RunStudy flankRun(const model::Mechanism& m, shape::ShapeStore& store, clearance::GeometryCache& cache) {
  auto r = model::resolve(m);
  EXPECT_TRUE(r.ok());
  const auto prepared = study::prepare(std::make_shared<const model::Mechanism>(m), std::move(r).value(), 0,
                                       [&](const auto& link, const auto& body) {
                                         const auto s = store.body(body, link.name);
                                         return s.ok() ? *s : nullptr;
                                       });
  EXPECT_FALSE(prepared->problem) << prepared->problem->text;
  for (const auto& w : prepared->contacts->messages) ADD_FAILURE() << w.text;
  auto run = study::runStudy(prepared, 0, {store, cache, nullptr});
  EXPECT_TRUE(run.ok()) << run.error().text;
  return std::move(run).value();
}

/// The driven wheel's angle against the ratio of the teeth: from the first touch on within the play, and after whole
/// pitches of both where it was.
void compare(const study::RunStudy& run, const model::Mechanism& coupled, double teeth, double play, int stepsPerPitch,
             double trembling) {
  const auto by = kinematics::TravelRun::prepare(model::resolve(coupled).value(), 0);
  ASSERT_TRUE(by.ok());
  const auto theirs = (*by)->run();
  ASSERT_EQ(theirs.steps.size(), run.result.travel.steps.size());
  const auto& steps = run.result.travel.steps;
  ASSERT_TRUE(run.result.travel.completed) << run.result.travel.messages.back().text;
  const auto& t = *run.travel;
  const auto value = [&](std::size_t k, int joint) {
    return kinematics::jointValue(t.system(), steps[k].c, joint, 0, t.resolved());
  };
  const auto dof = [&](int joint) { return static_cast<std::size_t>(t.system().dofOf({joint, 0})); };
  const auto coupledValue = [&](std::size_t k, int joint) {
    return kinematics::jointValue((*by)->system(), theirs.steps[k].c, joint, 0, (*by)->resolved());
  };
  const std::size_t last = theirs.steps.size() - 1;
  const double ratio = (coupledValue(last, 1) - coupledValue(0, 1)) / (coupledValue(last, 0) - coupledValue(0, 0));
  EXPECT_NEAR(std::abs(ratio), teeth, 1e-12);
  std::size_t first = 0;
  while (first < steps.size() && steps[first].qd[dof(1)] == 0) ++first;
  first += static_cast<std::size_t>(stepsPerPitch);
  ASSERT_LT(first + static_cast<std::size_t>(stepsPerPitch), steps.size());
  double jitter = 0, off = 0;
  for (std::size_t k = first; k < steps.size(); ++k) {
    EXPECT_LT(std::abs(value(k, 1) - coupledValue(k, 1)), play);
    const double speed = ratio * steps[k].qd[dof(0)];
    jitter = std::max(jitter, std::abs(steps[k].qd[dof(1)] - speed) / std::abs(speed));
    if (k >= first + static_cast<std::size_t>(stepsPerPitch)) {
      const std::size_t before = k - static_cast<std::size_t>(stepsPerPitch);
      off = std::max(off, std::abs(value(k, 1) - value(before, 1) - ratio * (value(k, 0) - value(before, 0))));
    }
  }
  EXPECT_LT(jitter, trembling);
  EXPECT_LT(off, 1e-9);
  testing::Test::RecordProperty("trembling", std::to_string(jitter));
  std::printf("largest change of the driven wheel's speed: %.2g of it; of the mean ratio over a pitch %.2g rad\n",
              jitter, off);
}

TEST(FlankRuns, AnInvolutePairTurnsByTheRatioOfItsTeeth) {
  shape::ShapeStore store;
  clearance::GeometryCache cache;
  const int perPitch = 24;
  const auto pair = gearPair(GearDraft::Kind::spur, 17, 34, 0, 2.5 / 17, 5 * perPitch / 2);
  const auto run = flankRun(pair.pushed, store, cache);
  // the play on the pitch circle as an angle of the larger wheel
  compare(run, pair.coupled, 0.5, 0.1 / 34, perPitch, 2e-4);
}

TEST(FlankRuns, AWormTurnsItsWheelByTheRatioOfStartsAndTeeth) {
#ifdef __SANITIZE_ADDRESS__
  GTEST_SKIP() << "takes ten minutes there; gears in the plane and solids in space are run";
#endif
  shape::ShapeStore store;
  clearance::GeometryCache cache;
  const int perPitch = 12;  // a pitch of the wheel is half a turn of a worm of two starts
  const auto pair = gearPair(GearDraft::Kind::worm, 2, 40, 10, 1.25, 5 * perPitch / 2);
  const auto run = flankRun(pair.pushed, store, cache);
  compare(run, pair.coupled, 0.05, 0.2 / 40, perPitch, 2e-4);
}

}  // namespace
}  // namespace cooperage::contact::test
