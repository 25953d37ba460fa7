// SPDX-License-Identifier: GPL-3.0-or-later
// Outlines cut from solids: against their volumes, and the demos that run on them.
#include <BRepGProp.hxx>
#include <GProp_GProps.hxx>
#include <filesystem>
#include <set>

#include "contact/bodies.h"
#include "io/coop_file.h"
#include "shape/shape_store.h"
#include "study/studies.h"
#include "wheels.h"

namespace cooperage::contact::test {
namespace {

std::string demoFile(const std::string& name) { return std::string(COOPERAGE_DEMO) + "/" + name; }

double volume(const shape::SolidPtr& s) {
  GProp_GProps g;
  BRepGProp::VolumeProperties(s->shape, g);
  return 1e-9 * g.Mass();
}

TEST(Sections, AreasTimesHeightsAreTheVolume) {
  shape::ShapeStore store;
  for (const char* part :
       {"head-indexer/parts/wheel.step", "head-indexer/parts/driver.step", "stave-ratchet/parts/ratchet.step",
        "stave-ratchet/parts/notched-disc.step", "stave-ratchet/parts/pawl.step"}) {
    SCOPED_TRACE(part);
    const auto solids = store.file(demoFile(part));
    ASSERT_TRUE(solids.ok()) << solids.error().text;
    const auto slabs = slabsOf(solids->front(), Pose{});
    ASSERT_TRUE(slabs.ok()) << slabs.error().text;
    EXPECT_TRUE((*slabs)->aslant.empty());
    double sum = 0;
    for (const Slab& s : (*slabs)->slabs) {
      const Outline whole(s.loops);
      sum += whole.area() * (s.high - s.low);
    }
    EXPECT_NEAR(sum, volume(solids->front()), 1e-9 * sum);
  }
}

TEST(Sections, APartOnItsSideIsCutAlongItsOwnAxis) {
  shape::ShapeStore store;
  const auto solids = store.file(demoFile("head-indexer/parts/driver.step"));
  ASSERT_TRUE(solids.ok());
  const auto across = slabsOf(solids->front(), Pose{rotationAbout(0, kPi / 2), Vec3::Zero()});
  ASSERT_TRUE(across.ok());
  EXPECT_FALSE((*across)->aslant.empty()) << "its round faces are not square to that plane";
}

study::RunStudy ran(const std::string& name, shape::ShapeStore& store, clearance::GeometryCache& cache) {
  const auto path = std::filesystem::path(demoFile(name)) / (name + ".coop");
  const auto m = io::loadCoop(path);
  EXPECT_TRUE(m.ok());
  auto r = model::resolve(*m);
  store.setFolder(path.parent_path());
  const auto prepared = study::prepare(std::make_shared<const model::Mechanism>(*m), std::move(r).value(), 0,
                                       [&](const auto& link, const auto& body) {
                                         const auto s = store.body(body, link.name);
                                         return s.ok() ? *s : nullptr;
                                       });
  EXPECT_TRUE(prepared->overlaps.empty());
  auto run = study::runStudy(prepared, 0, {store, cache, nullptr});
  EXPECT_TRUE(run.ok()) << run.error().text;
  return std::move(run).value();
}

TEST(Sections, TheRatchetTurnsItsTableByAStationAndTheLatchBringsItThere) {
  shape::ShapeStore store;
  clearance::GeometryCache cache;
  const auto run = ran("stave-ratchet", store, cache);
  ASSERT_TRUE(run.result.travel.completed);
  const auto& first = run.result.travel.steps.front();
  const auto& last = run.result.travel.steps.back();
  const auto value = [&](const kinematics::TravelStep& s, int joint) {
    return kinematics::jointValue(run.travel->system(), s.c, joint, 0, run.travel->resolved());
  };
  EXPECT_NEAR(value(last, 2) - value(first, 2), 2 * kPi / 5, 1e-9) << "both sides of the notch hold the latch's end";
  EXPECT_NEAR(value(last, 3), value(first, 3), 1e-9);
  EXPECT_NEAR(value(last, 1), value(first, 1), 1e-9) << "the pawl stands behind the next tooth as it stood";
  std::set<std::string> fell;
  for (const auto& m : run.result.travel.marks)
    if (m.code == "falls") fell.insert(m.object);
  EXPECT_EQ(fell, (std::set<std::string>{"latch in notch", "pawl on ratchet"}));
  // forces have nothing to do with it as long as they press
  EXPECT_EQ(run.travel->mobility().byContact, 3);
  EXPECT_EQ(run.travel->mobility().left, 0);
}

TEST(Sections, TheIndexerEqualsTheClosedFormWhileThePinPushes) {
  shape::ShapeStore store;
  clearance::GeometryCache cache;
  const auto run = ran("head-indexer", store, cache);
  ASSERT_TRUE(run.result.travel.completed);
  const double d = 0.12, r = 0.06, play = 0.1e-3;
  int pushed = 0;
  for (const auto& s : run.result.travel.steps) {
    const double a = kinematics::jointValue(run.travel->system(), s.c, 0, 0, run.travel->resolved()) - 2 * kPi;
    if (std::abs(a) > kPi / 3 - 4 * kDegree) continue;
    ++pushed;
    const double x = d - r * std::cos(a), y = r * std::sin(a);
    const double form = -std::atan2(y, x) + std::asin(0.5 * play / std::hypot(x, y));
    EXPECT_NEAR(kinematics::jointValue(run.travel->system(), s.c, 1, 0, run.travel->resolved()), form, 1e-10);
  }
  EXPECT_GT(pushed, 100);
}

}  // namespace
}  // namespace cooperage::contact::test
