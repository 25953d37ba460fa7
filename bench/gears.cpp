// SPDX-License-Identifier: GPL-3.0-or-later
// Pairs of gears checked over a whole turn of the slower one: geometry, run and check from nothing.
#include <fmt/format.h>

#include <array>
#include <cstdio>
#include <fstream>
#include <nlohmann/json.hpp>

#include "clearance.h"
#include "clearance/travel_check.h"
#include "io/coop_file.h"
#include "model/gear_edits.h"
#include "timing.h"

namespace bench {
namespace {

using namespace cooperage;
using namespace model;
using Json = nlohmann::ordered_json;

/// Two wheels on the ground with a driven first one; the second axis is square to the first where they cross.
Mechanism wheels(double turns, bool square) {
  const char* axis = square ? R"(,"axis":[0,-1,0])" : "";
  return io::readCoop(fmt::format(
                          R"({{"format":"cooperage","version":1,"links":[
    {{"name":"g","ground":true,"seats":[{{"name":"a"}},{{"name":"b","at":[50,0,0]{0}}}]}},
    {{"name":"one","seats":[{{"name":"s"}}]}},{{"name":"two","placement":{{"at":[50,0,0]}},"seats":[{{"name":"s"{0}}}]}}],
   "joints":[{{"name":"A","kind":"revolute","between":["g/a","one/s"]}},{{"name":"B","kind":"revolute","between":["g/b","two/s"]}}],
   "drives":[{{"name":"d","value":"A.turn","programme":[{{"law":"constant-speed","speed":"{1} rpm","time":1}}]}}],
   "runs":[{{"name":"r","duration":1,"steps":360,"accuracy":"0.02 mm","check":["interference"]}}]}})",
                          axis, 60 * turns))
      .value();
}

std::optional<Mechanism> pairOf(GearDraft::Kind kind, int first, int second, double helix) {
  const bool worm = kind == GearDraft::Kind::worm;
  Mechanism m = wheels(static_cast<double>(second) / first, worm || kind == GearDraft::Kind::bevel);
  GearDraft draft;
  draft.kind = kind;
  draft.joints = {m.joints[0]->id, m.joints[1]->id};
  draft.teeth = {Field(first), Field(second)};
  draft.module = Field(2);
  draft.helix = Field(helix);
  draft.bore = {Field(10), Field(10)};
  if (kind == GearDraft::Kind::ring) draft.bore = {Field(10), Field(0)};
  std::vector<Pose> home;
  const auto resolved = resolve(m);
  if (!resolved.ok()) {
    std::printf("# %s\n", resolved.error().text.c_str());
    return {};
  }
  for (const auto& l : resolved->links) home.push_back(l.placement);
  auto made = withGears(m, draft, home);
  if (!made.ok()) {
    std::printf("# %s\n", made.error().text.c_str());
    return {};
  }
  return std::move(*made);
}

/// The planetary stage of the cask turner alone, one turn of its slowest wheel: no box but the wheels'.
std::optional<Mechanism> planetary() {
  auto m = io::loadCoop(std::filesystem::path(COOPERAGE_DEMO) / "cask-turner" / "cask-turner.coop");
  if (!m.ok()) return {};
  Json j = Json::parse(io::writeCoop(*m));
  j["couplings"].erase(0);  // motor to input shaft
  j["requirements"] = Json::array();
  j["gauges"] = Json::array();
  for (auto& l : j["links"]) {
    const std::string name = l["name"];
    Json bodies = Json::array();
    for (auto& b : l["bodies"])
      if ((name.rfind("stage", 0) == 0 || name == "input shaft") && b["name"] != "gear 54" &&
          (b["element"] == "gear" || b["element"] == "ring-gear"))
        bodies.push_back(b);
    l["bodies"] = bodies;
  }
  // 1 + (40 80) / (20 20) = 9 turns of the sun for one of the carrier
  j["drives"] = {{{"name", "sun"},
                  {"value", "input.turn"},
                  {"programme", {{{"law", "constant-speed"}, {"speed", "540 rpm"}, {"time", 1}}}}}};
  j["runs"] = {
      {{"name", "turn"}, {"duration", 1}, {"steps", 360}, {"accuracy", "0.02 mm"}, {"check", {"interference"}}}};
  auto out = io::readCoop(j.dump());
  if (!out.ok()) {
    std::printf("# %s\n", out.error().text.c_str());
    return {};
  }
  return std::move(*out);
}

double check(const char* name, const std::optional<Mechanism>& m) {
  if (!m) return 0;
  if (const char* folder = std::getenv("COOPERAGE_BENCH_KEEP"))
    std::ofstream(std::filesystem::path(folder) / (std::string(name) + ".coop")) << io::writeCoop(*m);
  const auto r = resolve(*m);
  if (!r.ok()) {
    std::printf("# %s: %s\n", name, r.error().text.c_str());
    return 0;
  }
  const auto t = Clock::now();
  shape::ShapeStore store;
  clearance::GeometryCache cache;
  const auto travel = kinematics::TravelRun::prepare(*r, 0);
  const auto g = clearance::geometryFor(*r, 0, store, cache, nullptr);
  if (!travel.ok() || !g.ok()) {
    std::printf("# %s: %s\n", name, (travel.ok() ? g.error() : travel.error()).text.c_str());
    return 0;
  }
  const double prepared = since(t);
  kinematics::Measurer measurer(**travel);
  const auto table = kinematics::tabulate(**travel, measurer);
  const double computed = since(t);
  const auto result = clearance::checkTravel(**travel, measurer, table, *g, nullptr);
  const double all = since(t);
  std::printf("# %s: %.0f ms (shapes %.0f, run %.0f, check %.0f), %zu interference, %zu within accuracy, %.4f proven\n",
              name, all, prepared, computed - prepared, all - computed, result.interference.size(),
              result.unsure.size(), result.provenShare);
  std::fflush(stdout);
  return all;
}

}  // namespace

void gearChecks() {
  using Kind = GearDraft::Kind;
  const std::array<std::pair<const char*, std::optional<Mechanism>>, 6> all{
      {{"spur", pairOf(Kind::spur, 17, 34, 0)},
       {"helical", pairOf(Kind::spur, 20, 40, 20)},
       {"internal", pairOf(Kind::ring, 20, 60, 0)},
       {"bevel", pairOf(Kind::bevel, 15, 30, 0)},
       {"worm", pairOf(Kind::worm, 2, 40, 10)},
       {"planetary", planetary()}}};
  double most = 0;
  for (const auto& [name, m] : all) {
    const double one = check(name, m);
    std::printf("gear_check_%s_ms %.0f ms\n", name, one);
    most = std::max(most, one);
  }
  std::printf("gear_check_ms %.0f ms\n", most);
}

}  // namespace bench
