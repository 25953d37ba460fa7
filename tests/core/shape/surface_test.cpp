// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/surface.h"

#include "../maker.h"
#include "shape/shape_store.h"

namespace cooperage::shape {
namespace {

using namespace cooperage::test;

/// A point that rides on a ball of 50 mm; its place by longitude u and latitude v.
Maker rider(int face) {
  Maker m;
  m.find("g")["bodies"] = {
      {{"name", "ball"}, {"element", "sphere"}, {"radius", "50 mm"}, {"placement", {{"at", {0.1, 0, 0}}}}}};
  m.seat("g", "centre", {0.1, 0, 0});
  m.seat("bead", "hole", {0.15, 0, 0});
  m.add("joints", {{"name", "ride"},
                   {"kind", "point-surface"},
                   {"between", {"g/centre", "bead/hole"}},
                   {"surface", {{"body", "ball"}, {"face", face}}}});
  m.follow("ride.u", "0.6*t", "round");
  m.follow("ride.v", "0.3*sin(2*t)", "up");
  for (const char* k : {"x", "y", "z"}) {
    m.gauge(k, "point-position", "bead/hole", {{"component", k}});
    m.gauge(std::string("a") + k, "point-acceleration", "bead/hole", {{"component", k}});
  }
  m.run(4, 40);
  return m;
}

Status attach(model::Resolved& r) {
  static ShapeStore store;
  return attachGeometry(r, [](const auto& link, const auto& body) { return store.body(body, link.name).value(); });
}

TEST(PointOnSurface, RidesOnASphereByLongitudeAndLatitude) {
  auto r = model::resolve(rider(0).read()).value();
  ASSERT_TRUE(attach(r).ok());
  auto run = kinematics::TravelRun::prepare(r, 0);
  ASSERT_TRUE(run.ok()) << run.error().text;
  kinematics::Measurer measurer(**run);
  const auto result = kinematics::tabulate(**run, measurer);
  ASSERT_TRUE(result.travel.completed) << said(result);
  for (std::size_t i = 0; i < result.rows.size(); ++i) {
    const Jet t(result.rows[i][0], 1, 0, 0), u = Jet(0.6) * t, v = Jet(0.3) * sin(Jet(2) * t);
    const Jet x[3] = {Jet(0.1) + Jet(0.05) * cos(v) * cos(u), Jet(0.05) * cos(v) * sin(u), Jet(0.05) * sin(v)};
    for (int k = 0; k < 3; ++k) {
      const std::string axis(1, "xyz"[k]);
      EXPECT_NEAR(result.rows[i][column(result, axis)], x[k].v, 1e-12);
      EXPECT_NEAR(result.rows[i][column(result, "a" + axis)], x[k].d2, 1e-9);
    }
  }
}

TEST(PointOnSurface, AFaceThatIsNotThereIsNamed) {
  auto r = model::resolve(rider(7).read()).value();
  const Status s = attach(r);
  ASSERT_FALSE(s.ok());
  EXPECT_NE(s.error().text.find("ride"), std::string::npos);
  EXPECT_NE(s.error().text.find("no face 7"), std::string::npos);
  // and a joint whose face is not known at all
  auto bare = model::resolve(rider(0).read()).value();
  EXPECT_FALSE(kinematics::TravelRun::prepare(bare, 0).ok());
}

}  // namespace
}  // namespace cooperage::shape
