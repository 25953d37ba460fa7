// SPDX-License-Identifier: GPL-3.0-or-later
// Fixed inputs, medians of repeated runs, one line a figure: name value unit. Usage: cooperage-bench [NAME PREFIX]
#include <benchmark/benchmark.h>

#include <cmath>
#include <cstdio>
#include <filesystem>
#include <map>
#include <string>

#include "elements/cam.h"
#include "elements/gear.h"
#include "io/coop_file.h"
#include "kinematics/drag.h"
#include "kinematics/gauges.h"
#include "clearance.h"
#include "mechanisms.h"
#include "shape/solid.h"

namespace {

using namespace cooperage;

model::Resolved demo() {
  const auto m = io::loadCoop(std::filesystem::path(COOPERAGE_DEMO) / "hoop-press/hoop-press.coop");
  return model::resolve(*m).value();
}

void closedForm(benchmark::State& state) {
  bench::FourBar f;
  double q = 1;
  for (auto _ : state) {
    f.pose(q += 0.0174533, 6.28, 0);
    benchmark::DoNotOptimize(f);
  }
}

/// A ladder of four-bars by hand: each rocker's motion is the next crank's. One pass is one pose.
void closedLadder(benchmark::State& state) {
  std::vector<bench::FourBar> bars(static_cast<std::size_t>(state.range(0)));
  bars[0].pose(1, 0, 0);
  const double shift = 1 - bars[0].rocker;
  double t = 0;
  for (auto _ : state) {
    t += 0.0174533;
    double q = 1 + t, w = 6.28, e = 0;
    for (bench::FourBar& f : bars) {
      f.pose(q, w, e);
      q = f.rocker + shift;
      w = f.rockerRate;
      e = f.rockerAcceleration;
    }
    benchmark::DoNotOptimize(bars.data());
  }
}

/// One pose after the other through the general solver: position, rates, accelerations, nothing recorded.
void step(benchmark::State& state, const std::string& text) {
  const auto r = model::resolve(bench::read(text)).value();
  auto run = kinematics::TravelRun::prepare(r, 0).value();
  kinematics::TravelStep s = run->run().steps.front();
  double t = s.t;
  for (auto _ : state) {
    if (!run->stepTo(s, t += 1.0 / 360)) state.SkipWithError("the mechanism does not move");
    benchmark::DoNotOptimize(s);
  }
}
void stepFourBar(benchmark::State& state) { step(state, bench::fourBar()); }
void stepLadder(benchmark::State& state) { step(state, bench::ladder(static_cast<int>(state.range(0)))); }

void drag(benchmark::State& state) {
  const auto r = model::resolve(bench::read(bench::leg())).value();
  const auto system = kinematics::System::compile(r).value();
  const auto home = kinematics::assemble(system, r).value();
  int shank = 0;
  while (r.links[static_cast<std::size_t>(shank)].name != "shank") ++shank;
  const Vec3 toe(-0.041, -0.110, 0);
  kinematics::Drag hand(system, r, home.configuration, shank, toe);
  double q = 0;
  for (auto _ : state) {
    q += 0.1;
    const auto& c = hand.pull(toe + Vec3(0.004 * std::cos(q), 0.004 * std::sin(q), 0));
    benchmark::DoNotOptimize(c.q.data());
  }
}

/// A dimension changed and the whole travel again, from the document on.
void redesign(benchmark::State& state) {
  const auto m = bench::read(bench::leg());
  int k = 0;
  for (auto _ : state) {
    const auto field = model::parseField(m, k++ % 2 ? "15 mm" : "15.2 mm").value();
    auto parameter = std::make_shared<model::Parameter>(*m.parameters[0]);
    parameter->value = field;
    model::Mechanism changed = m;
    changed.parameters = {parameter};
    const auto r = model::resolve(changed).value();
    auto run = kinematics::TravelRun::prepare(r, 0).value();
    const auto travel = run->run();
    if (!travel.completed) state.SkipWithError("the leg does not turn");
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

elements::GearSpec fortyTeeth() {
  elements::GearSpec g;
  g.module = 2e-3;
  g.teeth = 40;
  g.pressureAngle = 20 * kPi / 180;
  g.width = 0.012;
  return g;
}
void gearProfile(benchmark::State& state) {
  for (auto _ : state) {
    const auto points = elements::GearProfile(fortyTeeth()).outline(12);
    benchmark::DoNotOptimize(points.data());
  }
}
void gearSolid(benchmark::State& state) {
  const std::vector<double> figures{2e-3, 40, 20 * kPi / 180, 0, 0.012, 0, 0.02, 0, 0, 0, 0, 1, 1.25, 0.38};
  for (auto _ : state) {
    const auto solid = shape::elementShape(model::BodyKind::gear, figures);
    if (!solid.ok()) state.SkipWithError("no solid");
  }
}
/// Rise, dwell, return, dwell of a roller; the dwell's length is changed from pass to pass as a drag on the strip does.
elements::CamSpec cam(double dwell) {
  elements::CamSpec c;
  c.base = 0.04;
  c.roller = 0.008;
  const auto row = [](motion::LawKind law, double over, double lift) {
    return motion::RowFigures{law, {{"time", over}, {"by", lift}}, {}, {}, {}, nullptr};
  };
  c.law = std::make_shared<const motion::Programme>(
      motion::Programme::compile({row(motion::LawKind::poly345, 2, 0.02),
                                  {motion::LawKind::dwell, {{"time", dwell}}, {}, {}, {}, nullptr},
                                  row(motion::LawKind::cycloidal, 2, -0.02),
                                  {motion::LawKind::dwell, {{"time", 2 * kPi - 4 - dwell}}, {}, {}, {}, nullptr}},
                                 0, false, "cam")
          .value());
  return c;
}
void camProfile(benchmark::State& state) {
  double dwell = 1;
  for (auto _ : state) {
    const auto profile = elements::camProfile(cam(dwell = dwell > 1.5 ? 1 : dwell + 0.01));
    Vec3 sum = Vec3::Zero();
    for (int i = 0; i < 3600; ++i) sum += profile->at(2 * kPi * i / 3600)[0];
    benchmark::DoNotOptimize(sum);
  }
}
/// From the edited law to a solid with the mesh that is drawn.
void camEditSolid(benchmark::State& state) {
  double dwell = 1;
  for (auto _ : state) {
    const auto spec = cam(dwell = dwell > 1.5 ? 1 : dwell + 0.01);
    const auto solid =
        shape::elementShape(model::BodyKind::cam, {0.012, 0.016, 0, 0, 0}, elements::camProfile(spec), &spec);
    if (!solid.ok())
      state.SkipWithError("no solid");
    else
      shape::meshForDisplay(*solid);
  }
}

/// Keeps the medians, prints nothing.
class Keeper : public benchmark::BenchmarkReporter {
 public:
  bool ReportContext(const Context&) override { return true; }
  void ReportRuns(const std::vector<Run>& runs) override {
    for (const Run& r : runs)
      if (r.aggregate_name == "median") {
        const std::string name = r.run_name.function_name + (r.run_name.args.empty() ? "" : "/" + r.run_name.args);
        cpu[name] = r.GetAdjustedCPUTime();
        wall[name] = r.GetAdjustedRealTime();
      }
  }
  std::map<std::string, double> cpu, wall;
};

}  // namespace

int main(int argc, char** argv) {
  if (argc == 3 && std::string(argv[1]) == "--ladder") {  // a document for the window's measurements
    std::printf("%s\n", bench::ladder(std::atoi(argv[2])).c_str());
    return 0;
  }
  const std::string prefix = argc > 1 ? argv[1] : "";
  const auto wanted = [&](const std::string& name) { return name.compare(0, prefix.size(), prefix) == 0; };
  const auto add = [](const char* name, void (*f)(benchmark::State&), benchmark::TimeUnit unit, int repetitions) {
    benchmark::RegisterBenchmark(name, f)
        ->Unit(unit)
        ->Repetitions(repetitions)
        ->ReportAggregatesOnly(true)
        ->MinTime(0.1);
  };
  const auto addSized = [](const char* name, void (*f)(benchmark::State&), const std::vector<int64_t>& sizes) {
    auto* b = benchmark::RegisterBenchmark(name, f);
    for (const int64_t n : sizes) b->Arg(n);
    b->Unit(benchmark::kMicrosecond)->Repetitions(9)->ReportAggregatesOnly(true)->MinTime(0.1);
  };
  const bool ratio = wanted("fourbar_pose_over_closed_form"), run = wanted("demo_run_max_ms");
  const bool rungs = wanted("ladder_64_over_closed_form") || wanted("ladder_256_over_4");
  const bool hand = wanted("drag_12_links_ms"), again = wanted("redesign_12_links_ms");
  using benchmark::kMicrosecond;
  using benchmark::kMillisecond;
  const std::pair<const char*, void (*)(benchmark::State&)> elements[] = {{"gear_profile_ms", gearProfile},
                                                                          {"gear_solid_ms", gearSolid},
                                                                          {"cam_profile_ms", camProfile},
                                                                          {"cam_edit_solid_ms", camEditSolid}};
  bool any = false;
  for (const auto& [name, f] : elements)
    if (wanted(name)) {
      add(name, f, kMillisecond, 9);
      any = true;
    }
  if (ratio) {
    add("closed", closedForm, kMicrosecond, 9);
    add("general", stepFourBar, kMicrosecond, 9);
  }
  if (rungs) {
    addSized("closed_ladder", closedLadder, {64});
    addSized("ladder", stepLadder, {4, 64, 256});
  }
  if (hand) add("drag", drag, kMillisecond, 9);
  if (again) add("redesign", redesign, kMillisecond, 9);
  if (run) add("run", demoRun, kMillisecond, 9);
  Keeper keeper;
  if (ratio || rungs || hand || again || run || any) benchmark::RunSpecifiedBenchmarks(&keeper);
  auto& cpu = keeper.cpu;
  if (ratio)
    std::printf("fourbar_pose_us %.4f us\nfourbar_closed_form_us %.4f us\nfourbar_pose_over_closed_form %.2f 1\n",
                cpu["general"], cpu["closed"], cpu["general"] / cpu["closed"]);
  if (rungs)
    std::printf("ladder_64_pose_us %.3f us\nladder_64_over_closed_form %.2f 1\nladder_256_over_4 %.1f 1\n",
                cpu["ladder/64"], cpu["ladder/64"] / cpu["closed_ladder/64"], cpu["ladder/256"] / cpu["ladder/4"]);
  for (const auto& [name, f] : elements)
    if (wanted(name)) std::printf("%s %.3f ms\n", name, cpu[name]);
  if (hand) std::printf("drag_12_links_ms %.3f ms\n", cpu["drag"]);
  if (again) std::printf("redesign_12_links_ms %.3f ms\n", cpu["redesign"]);
  if (run) std::printf("demo_run_max_ms %.3f ms\n", cpu["run"]);
  bench::clearanceFigures(prefix);
  return 0;
}
