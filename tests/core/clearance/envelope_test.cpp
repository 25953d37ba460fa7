// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/envelope.h"

#include "../support.h"
#include "io/report.h"

namespace cooperage::clearance {
namespace {

using namespace cooperage::test;

Envelope sweepOf(const std::string& body, double clearance, double accuracy) {
  const auto r =
      model::resolve(
          read(
              R"({"format":"cooperage","version":1,"links":[{"name":"g","ground":true,"seats":[{"name":"s","axis":[1,0,0],"ref":[0,1,0]}]},
    {"name":"m","seats":[{"name":"s","axis":[1,0,0],"ref":[0,1,0]}],"bodies":[)" +
              body + R"(]}],
   "joints":[{"name":"j","kind":"prismatic","between":["g/s","m/s"]}],
   "drives":[{"name":"d","value":"j.slide","programme":[{"law":"poly-345","to":100,"time":1}]}],
   "runs":[{"name":"r","duration":1,"steps":20}]})"))
          .value();
  auto run = kinematics::TravelRun::prepare(r, 0).value();
  kinematics::Measurer measurer(*run);
  const auto travel = run->run();
  shape::ShapeStore store;
  EnvelopeOptions options;
  options.links = {1};
  options.clearance = clearance;
  options.accuracy = accuracy;
  options.outlineAxis = 2;
  auto e = sweep(*run, measurer, travel, store, options, nullptr);
  if (!e.ok()) ADD_FAILURE() << e.error().text;
  return e.ok() ? *e : Envelope{};
}

// A sphere of radius r along a straight way of length s sweeps a capsule: pi r^2 s + 4/3 pi r^3; its shadow 2 r s + pi
// r^2.
TEST(Envelope, ASphereAlongALineSweepsACapsule) {
  const double r = 0.02, s = 0.1;
  const auto e = sweepOf(R"({"name":"b","element":"sphere","radius":20})", 0, 5e-4);
  const double volume = kPi * r * r * s + 4.0 / 3 * kPi * r * r * r;
  EXPECT_NEAR(e.volume, volume, 0.01 * volume);
  EXPECT_LE(e.low, volume);
  EXPECT_GE(e.high, volume);
  EXPECT_NEAR(e.outlineArea, 2 * r * s + kPi * r * r, 0.01 * (2 * r * s + kPi * r * r));
  EXPECT_NEAR(e.boxHigh.x() - e.boxLow.x(), s + 2 * r, 1e-3);
}

TEST(Envelope, ClearanceGrowsItAllRound) {
  const double r = 0.022, s = 0.1;  // 20 mm and 2 mm clearance
  const auto e = sweepOf(R"({"name":"b","element":"sphere","radius":20})", 0.002, 5e-4);
  const double volume = kPi * r * r * s + 4.0 / 3 * kPi * r * r * r;
  EXPECT_NEAR(e.volume, volume, 0.01 * volume);
}

TEST(Envelope, TheMeshIsClosedAndTheStlHoldsAllOfIt) {
  const auto e = sweepOf(R"({"name":"b","element":"box","size":[10,20,30]})", 0, 1e-3);
  std::map<std::pair<int, int>, int> edges;
  for (const auto& t : e.mesh.triangles)
    for (std::size_t k = 0; k < 3; ++k) ++edges[{t[k], t[(k + 1) % 3]}];
  for (const auto& [edge, n] : edges) EXPECT_EQ(edges.count({edge.second, edge.first}), 1u);
  EXPECT_EQ(io::stlBinary(e.mesh, "x").size(), 84 + 50 * e.mesh.triangles.size());
  EXPECT_NEAR(e.volume, 0.11 * 0.02 * 0.03, 0.03 * 0.11 * 0.02 * 0.03);
}

}  // namespace
}  // namespace cooperage::clearance
