// SPDX-License-Identifier: GPL-3.0-or-later
// Fixed inputs, medians of repeated runs, one line a figure: name value unit. Usage: cooperage-bench [NAME PREFIX]
#include <benchmark/benchmark.h>

#include <cmath>
#include <cstdio>
#include <filesystem>
#include <map>
#include <string>

#include "clearance/travel_check.h"
#include "io/coop_file.h"

namespace {

using namespace cooperage;

model::Resolved demo() {
  const auto m = io::loadCoop(std::filesystem::path(COOPERAGE_DEMO) / "hoop-press/hoop-press.coop");
  return model::resolve(*m).value();
}

/// A four-bar in scalars, written as well as one can by hand: two circles meet; then rates and accelerations.
struct FourBar {
  double a = 0.04, b = 0.11, c = 0.08, d = 0.12;
  double out[6] = {};
  void pose(double q, double w) {
    const double sq = std::sin(q), cq = std::cos(q), x = a * cq - d, y = a * sq, f2 = x * x + y * y;
    const double f = std::sqrt(f2), k = (c * c + f2 - b * b) / (2 * c * f);
    const double r = std::atan2(y, x) - std::acos(k), sr = std::sin(r), cr = std::cos(r);
    const double ux = c * cr - x, uy = c * sr - y;  // coupler, from the crank pin to the rocker pin
    const double det = c * (ux * -sr + uy * cr);
    const double rv = w * a * (ux * -sq + uy * cq) / det;
    const double kv = (rv * c * cr - w * a * cq) / ux;
    const double right = b * b * kv * kv - c * rv * rv * (ux * cr + uy * sr) + w * w * a * (ux * cq + uy * sq);
    out[0] = r;
    out[1] = std::atan2(uy, ux);
    out[2] = rv;
    out[3] = kv;
    out[4] = -right / det;
    out[5] = det;
  }
};

/// The same four-bar as a document, through the general solver.
model::Resolved fourBar() {
  const FourBar f;
  const double q = 1.0, x = f.a * std::cos(q) - f.d, y = f.a * std::sin(q), g = std::hypot(x, y);
  const double r = std::atan2(y, x) - std::acos((f.c * f.c + g * g - f.b * f.b) / (2 * f.c * g));
  const double px = f.a * std::cos(q), py = f.a * std::sin(q);
  const double k = std::atan2(f.c * std::sin(r) - py, f.d + f.c * std::cos(r) - px);
  const auto link = [](const char* name, double at0, double at1, double turn, double length) {
    const auto n = [](double v) { return formatNumber(v); };
    return "{\"name\":\"" + std::string(name) + "\",\"placement\":{\"at\":[" + n(at0) + "," + n(at1) + ",0],\"turn\":[" +
           n(std::cos(turn / 2)) + ",0,0," + n(std::sin(turn / 2)) + "]},\"seats\":[{\"name\":\"0\"},{\"name\":\"1\",\"at\":[" +
           n(length) + ",0,0]}]}";
  };
  const std::string text =
      R"({"format":"cooperage","version":1,"units":{"length":"m"},"links":[{"name":"g","ground":true,"seats":[{"name":"a"},{"name":"d","at":[0.12,0,0]}]},)" +
      link("crank", 0, 0, q, f.a) + "," + link("coupler", px, py, k, f.b) + "," + link("rocker", f.d, 0, r, f.c) +
      R"(],"joints":[{"name":"in","kind":"revolute","between":["g/a","crank/0"]},{"name":"p","kind":"revolute","between":["crank/1","coupler/0"]},
      {"name":"q","kind":"revolute","between":["coupler/1","rocker/1"]},{"name":"out","kind":"revolute","between":["g/d","rocker/0"]}],
      "drives":[{"name":"m","value":"in.turn","programme":[{"law":"constant-speed","speed":"60 rpm","time":1}]}],"runs":[{"name":"r","duration":1,"steps":360}]})";
  return model::resolve(*io::readCoop(text)).value();
}

void closedForm(benchmark::State& state) {
  FourBar f;
  double q = 1;
  for (auto _ : state) {
    f.pose(q += 0.0174533, 6.28);
    benchmark::DoNotOptimize(f.out);
  }
}

void generalSolver(benchmark::State& state) {
  const auto r = fourBar();
  auto run = kinematics::TravelRun::prepare(r, 0).value();
  for (auto _ : state) {
    const auto travel = run->run();
    benchmark::DoNotOptimize(travel.steps.data());
  }
}

void demoRun(benchmark::State& state) {
  const auto r = demo();
  auto run = kinematics::TravelRun::prepare(r, 0).value();
  for (auto _ : state) {
    const auto travel = run->run();
    benchmark::DoNotOptimize(travel.steps.data());
  }
}

void demoCheck(benchmark::State& state) {
  const auto r = demo();
  shape::ShapeStore store;
  store.setFolder(std::filesystem::path(COOPERAGE_DEMO) / "hoop-press");
  clearance::GeometryCache cache;
  const auto g = clearance::geometryFor(r, 0, store, cache, nullptr).value();
  for (auto _ : state) {
    auto run = kinematics::TravelRun::prepare(r, 0).value();
    kinematics::Measurer measurer(*run);
    const auto table = kinematics::tabulate(*run, measurer);
    const auto result = clearance::checkTravel(*run, measurer, table, g, nullptr);
    benchmark::DoNotOptimize(result.pairsFree);
  }
}

/// Keeps the medians, prints nothing.
class Keeper : public benchmark::BenchmarkReporter {
 public:
  bool ReportContext(const Context&) override { return true; }
  void ReportRuns(const std::vector<Run>& runs) override {
    for (const Run& r : runs)
      if (r.aggregate_name == "median") {
        cpu[r.run_name.function_name] = r.GetAdjustedCPUTime();
        wall[r.run_name.function_name] = r.GetAdjustedRealTime();
      }
  }
  std::map<std::string, double> cpu, wall;
};

}  // namespace

int main(int argc, char** argv) {
  const std::string prefix = argc > 1 ? argv[1] : "";
  const auto wanted = [&](const std::string& name) { return name.compare(0, prefix.size(), prefix) == 0; };
  const auto add = [](const char* name, void (*f)(benchmark::State&), benchmark::TimeUnit unit, int repetitions) {
    benchmark::RegisterBenchmark(name, f)->Unit(unit)->Repetitions(repetitions)->ReportAggregatesOnly(true)->MinTime(0.1);
  };
  const bool ratio = wanted("fourbar_pose_over_closed_form"), run = wanted("demo_run_max_ms"), check = wanted("demo_check_wall_ms");
  if (ratio) {
    add("closed", closedForm, benchmark::kMicrosecond, 9);
    add("general", generalSolver, benchmark::kMicrosecond, 9);
  }
  if (run) add("run", demoRun, benchmark::kMillisecond, 9);
  if (check) add("check", demoCheck, benchmark::kMillisecond, 3);
  Keeper keeper;
  if (ratio || run || check) benchmark::RunSpecifiedBenchmarks(&keeper);
  if (ratio) {
    const double general = keeper.cpu["general"] / 360, closed = keeper.cpu["closed"];
    std::printf("fourbar_pose_us %.4f us\nfourbar_closed_form_us %.4f us\nfourbar_pose_over_closed_form %.2f 1\n", general, closed, general / closed);
  }
  if (run) std::printf("demo_run_max_ms %.3f ms\n", keeper.cpu["run"]);
  if (check) std::printf("demo_check_wall_ms %.0f ms\n", keeper.wall["check"]);
  return 0;
}
