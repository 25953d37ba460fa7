// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "../support.h"
#include "clearance/pair_memory.h"
#include "clearance/clearance_gauges.h"

namespace cooperage::test {

/// A document's first run, driven and checked.
struct Checked {
  model::Resolved r;
  std::unique_ptr<kinematics::TravelRun> run;
  kinematics::RunResult table;
  clearance::CheckGeometry geometry;
  clearance::CheckResult result;
};
inline Checked check(const std::string& text, clearance::GeometryCache* cache = nullptr,
                     clearance::PairMemory* memory = nullptr) {
  Checked c;
  auto r = model::resolve(read(text));
  if (!r.ok()) {
    ADD_FAILURE() << r.error().text;
    return c;
  }
  c.r = *r;
  auto run = kinematics::TravelRun::prepare(c.r, 0);
  if (!run.ok()) {
    ADD_FAILURE() << run.error().text;
    return c;
  }
  c.run = std::move(run).value();
  shape::ShapeStore store;
  static std::map<int, shape::ShapeStore> stores;  // parts are known by their solids: these must live on
  clearance::GeometryCache own;
  auto g = clearance::geometryFor(c.r, 0, cache ? stores[0] : store, cache ? *cache : own, nullptr);
  if (!g.ok()) {
    ADD_FAILURE() << g.error().text;
    return c;
  }
  c.geometry = *g;
  kinematics::Measurer measurer(*c.run, clearance::clearanceWith(c.geometry), clearance::clearanceAlong(c.geometry));
  c.table = kinematics::tabulate(*c.run, measurer);
  c.result = clearance::checkTravel(*c.run, measurer, c.table, c.geometry, nullptr, {memory, false});
  return c;
}

/// A link that turns about z at the origin, from `from` by a whole turn in 1 s, and one that stands; bodies as JSON.
inline std::string turning(const std::string& moving, const std::string& standing, int steps, double fromDegrees = 0,
                           const std::string& checks = R"("interference")", double accuracy = 0.02,
                           const std::string& extra = "") {
  const double a = fromDegrees * kPi / 180;
  return R"({"format":"cooperage","version":1,"links":[{"name":"frame","ground":true,"seats":[{"name":"s"}]},
    {"name":"plate","ground":true,"bodies":[)" +
         standing + R"(]},
    {"name":"arm","placement":{"turn":[)" +
         formatNumber(std::cos(a / 2)) + ",0,0," + formatNumber(std::sin(a / 2)) +
         R"(]},"seats":[{"name":"s"}],"bodies":[)" + moving + R"(]}],
   "joints":[{"name":"hinge","kind":"revolute","between":["frame/s","arm/s"]}],
   "drives":[{"name":"motor","value":"hinge.turn","programme":[{"law":"constant-speed","speed":"60 rpm","time":1}]}],
   "gauges":[{"name":"gap","kind":"clearance","of":["plate","arm"]}],
   "runs":[{"name":"turn","duration":1,"steps":)" +
         std::to_string(steps) + R"(,"axis":"motor","accuracy":")" + formatNumber(accuracy) + R"( mm","check":[)" +
         checks + "]" + extra + "}]}";
}
/// A box, sizes and middle in mm.
inline std::string boxAt(double x, double y, double z, double ax, double ay, double az, double turnDegrees = 0) {
  const double a = turnDegrees * kPi / 180;
  return R"({"name":"b","element":"box","size":[)" + formatNumber(x) + "," + formatNumber(y) + "," + formatNumber(z) +
         R"(],"placement":{"at":[)" + formatNumber(ax) + "," + formatNumber(ay) + "," + formatNumber(az) +
         R"(],"turn":[)" + formatNumber(std::cos(a / 2)) + ",0,0," + formatNumber(std::sin(a / 2)) + "]}}";
}

}  // namespace cooperage::test
