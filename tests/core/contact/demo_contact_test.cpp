// SPDX-License-Identifier: GPL-3.0-or-later
// The demos that move by contact, looked at by the distance of their solids at poses finer than their steps.
#include <gtest/gtest.h>

#include "io/coop_file.h"
#include "kinematics/gauges.h"
#include "prisms.h"
#include "study/studies.h"

namespace cooperage::contact {
namespace {

struct DemoRun {
  shape::ShapeStore store;
  clearance::GeometryCache cache;
  std::shared_ptr<const model::Mechanism> mechanism;
  std::optional<study::RunStudy> run;

  explicit DemoRun(const std::string& name) {
    store.setFolder(std::string(COOPERAGE_DEMO) + "/" + name);
    auto m = io::loadCoop(std::string(COOPERAGE_DEMO) + "/" + name + "/" + name + ".coop");
    EXPECT_TRUE(m.ok());
    mechanism = std::make_shared<const model::Mechanism>(std::move(m).value());
    auto r = model::resolve(*mechanism);
    EXPECT_TRUE(r.ok());
    const auto prepared = study::prepare(mechanism, std::move(r).value(), 0,
                                         [&](const auto& link, const auto& body) { return solid(body, link.name); });
    EXPECT_TRUE(prepared->contacts->messages.empty());
    auto made = study::runStudy(prepared, 0, {store, cache, nullptr});
    EXPECT_TRUE(made.ok()) << made.error().text;
    run = std::move(made).value();
  }
  shape::SolidPtr solid(const model::Resolved::BodyR& body, const std::string& link) {
    const auto s = store.body(body, link);
    return s.ok() ? *s : nullptr;
  }
};

/// @param every of the poses that are ten times as fine as the steps, every so manieth is looked at
void expectNoOverlap(const std::string& name, int every) {
  DemoRun demo(name);
  ASSERT_TRUE(demo.run);
  const auto& travel = demo.run->result.travel;
  ASSERT_TRUE(travel.completed);
  ASSERT_TRUE(demo.run->travel->pushed());
  auto& t = *demo.run->travel;
  constexpr double kShift =
      1e-9;  // m: by so much the one is lifted off the other, so that what is left must be positive
  int lifted = 0, apart = 0;
  const double end = travel.steps.back().t;
  const int fine = 10 * static_cast<int>(travel.steps.size() - 1);
  kinematics::Solver solver(t.system(), {});
  for (int k = 0; k <= fine; k += every) {
    kinematics::TravelStep s;
    ASSERT_TRUE(t.poseAt(travel, end * k / fine, s));
    solver.forward(s.c);
    const auto touches = t.pushed()->touching(s.t);
    for (const auto& contact : t.resolved().contacts)
      for (const int a : contact.sideA)
        for (const int b : contact.sideB) {
          Vec3 off(0, 0, 0);
          for (const auto& touch : touches)
            if (touch.linkA == a && touch.linkB == b) off += touch.direction;
          if (off.norm() > 0 && off.norm() < 0.5) continue;  // held between two sides
          if (off.norm() > 0) off *= kShift / off.norm();
          off.norm() > 0 ? ++lifted : ++apart;
          Pose moved = solver.linkPose(a);
          moved.p += off;
          const auto &linkA = t.resolved().links[static_cast<std::size_t>(a)],
                     &linkB = t.resolved().links[static_cast<std::size_t>(b)];
          for (const auto& x : linkA.bodies)
            for (const auto& y : linkB.bodies) {
              const auto sx = demo.solid(x, linkA.name), sy = demo.solid(y, linkB.name);
              if (!sx || !sy) continue;
              EXPECT_GT(test::distance(sx->shape, moved * x.placement, sy->shape, solver.linkPose(b) * y.placement), 0)
                  << linkA.name << " and " << linkB.name << " at " << s.t << " s";
            }
        }
  }
  EXPECT_GT(lifted, 10);
  std::printf("%s: %d poses of touching pairs, %d of others\n", name.c_str(), lifted, apart);
}

TEST(DemoContacts, TheHeadIndexersSolidsNeverOverlap) { expectNoOverlap("head-indexer", 61); }
TEST(DemoContacts, TheStaveRatchetsSolidsNeverOverlap) { expectNoOverlap("stave-ratchet", 61); }

}  // namespace
}  // namespace cooperage::contact
