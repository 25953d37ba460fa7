// SPDX-License-Identifier: GPL-3.0-or-later
// What forces cost: a travel of the twelve-link leg as it is, and with its drive's torque and all reactions.
#include <cstdio>

#include "clearance.h"
#include "dynamics/load_gauges.h"
#include "kinematics/gauges.h"
#include "mechanisms.h"
#include "timing.h"

namespace bench {

using namespace cooperage;

namespace {

model::Resolved leg(bool forces) {
  Json j = Json::parse(bench::leg());
  j["gravity"] = {0, -9.81, 0};
  for (auto& l : j["links"])
    l["mass"] = {{"value", 0.3}, {"centre", {0.01, 0.02, 0}}, {"inertia", {1e-4, 1e-4, 2e-4, 0, 0, 0}}};
  Json gauges = Json::array();
  if (forces) {
    gauges.push_back({{"name", "torque"}, {"kind", "drive-force"}, {"of", "m"}});
    for (const auto& joint : j["joints"])
      for (const char* component : {"fx", "fy", "mz"})
        gauges.push_back({{"name", joint["name"].get<std::string>() + " " + component},
                          {"kind", "reaction"},
                          {"of", joint["name"]},
                          {"component", component}});
  }
  j["gauges"] = gauges;
  return model::resolve(read(j.dump())).value();
}

double travelMs(const model::Resolved& r) {
  auto run = kinematics::TravelRun::prepare(r, 0).value();
  kinematics::Measurer measurer(*run, {}, {}, dynamics::loadMeasure(*run));
  return median(41, [&] {
    const auto result = kinematics::tabulate(*run, measurer);
    if (!result.travel.completed) std::fprintf(stderr, "the leg does not turn\n");
  });
}

}  // namespace

void inverseDynamics() {
  const double plain = travelMs(leg(false)), forces = travelMs(leg(true));
  std::printf(
      "kinematics_12_links_ms %.3f ms\ninverse_dynamics_12_links_ms %.3f ms\ninverse_dynamics_over_kinematics %.2f 1\n",
      plain, forces, forces / plain);
}

}  // namespace bench
