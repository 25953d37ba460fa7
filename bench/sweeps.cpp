// SPDX-License-Identifier: GPL-3.0-or-later
// Envelopes of single bodies on an arm that turns by 110 degrees, as fine as memory lets them be.
#include <fmt/format.h>

#include <array>
#include <chrono>
#include <cstdio>

#include "clearance.h"
#include "clearance/envelope.h"
#include "io/coop_file.h"

namespace bench {
namespace {

using namespace cooperage;
using Clock = std::chrono::steady_clock;

struct Kind {
  const char *name, *body;
};
constexpr std::array<Kind, 4> kKinds{{
    {"box", R"("element":"box","size":[300,60,20],"placement":{"at":[150,0,0]})"},
    {"cylinder", R"("element":"cylinder","radius":30,"length":20,"placement":{"at":[270,0,0]})"},
    {"sphere", R"("element":"sphere","radius":30,"placement":{"at":[270,0,0]})"},
    {"bar", R"("element":"bar","length":300,"width":40,"thickness":12,"bore":0)"},
}};

/// @return seconds, or none where it is refused
std::optional<double> sweepOf(const Kind& kind, double accuracy) {
  const auto r = model::resolve(io::readCoop(fmt::format(
                                                 R"({{"format":"cooperage","version":1,"links":[
    {{"name":"g","ground":true,"seats":[{{"name":"a"}}]}},{{"name":"arm","seats":[{{"name":"s"}}],"bodies":[{{"name":"b",{}}}]}}],
   "joints":[{{"name":"A","kind":"revolute","between":["g/a","arm/s"]}}],
   "drives":[{{"name":"d","value":"A.turn","programme":[{{"law":"constant-speed","speed":"110 deg/s","time":1}}]}}],
   "runs":[{{"name":"r","duration":1,"steps":100}}]}})",
                                                 kind.body))
                                    .value());
  const auto run = std::move(kinematics::TravelRun::prepare(*r, 0)).value();
  kinematics::Measurer measurer(*run);
  const auto travel = run->run();
  shape::ShapeStore store;
  clearance::EnvelopeOptions options;
  options.links = {1};
  options.accuracy = accuracy;
  const auto t = Clock::now();
  const auto e = clearance::sweep(*run, measurer, travel, store, options, nullptr);
  const double seconds = std::chrono::duration<double>(Clock::now() - t).count();
  if (!e.ok()) {
    std::printf("# %s at %.3g mm: %s\n", kind.name, accuracy * 1e3, e.error().text.c_str());
    return {};
  }
  std::printf("# %s at %.3g mm: %.2f s, %.3f cm^3 (%.3f to %.3f), %zu triangles\n", kind.name, accuracy * 1e3, seconds,
              e->volume * 1e6, e->low * 1e6, e->high * 1e6, e->mesh.triangles.size());
  std::fflush(stdout);
  return seconds;
}

}  // namespace

void fineSweeps() {
  for (const double accuracy : {2e-4, 5e-5}) {
    double most = 0;
    bool all = true;
    for (const Kind& kind : kKinds) {
      const auto one = sweepOf(kind, accuracy);
      all = all && one;
      most = std::max(most, one.value_or(0));
    }
    if (all) std::printf("fine_sweep%s_s %.2f s\n", accuracy < 1e-4 ? "" : "_0.2_mm", most);
  }
}

}  // namespace bench
