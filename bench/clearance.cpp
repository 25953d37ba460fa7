// SPDX-License-Identifier: GPL-3.0-or-later
// Whole pieces of work, each timed as the median of a few repetitions; numerator and denominator are printed too.
#include "clearance.h"

#include <fcl/geometry/bvh/BVH_model.h>
#include <fcl/narrowphase/collision.h>
#include <fcl/narrowphase/distance.h>
#include <fmt/format.h>
#include <openvdb/openvdb.h>
#include <openvdb/tools/Composite.h>
#include <openvdb/tools/MeshToVolume.h>
#include <openvdb/tools/VolumeToMesh.h>

#include <BRepPrimAPI_MakeTorus.hxx>
#include <algorithm>
#include <atomic>
#include <cstdio>
#include <thread>

#include "clearance/clearance_gauges.h"
#include "clearance/envelope.h"
#include "clearance/travel_check.h"
#include "io/coop_file.h"
#include "timing.h"

namespace bench {
namespace {

using namespace cooperage;
using Model = fcl::BVHModel<fcl::OBBRSSd>;
std::shared_ptr<Model> modelOf(const shape::Mesh& mesh) {
  std::vector<fcl::Vector3d> points(mesh.vertices.begin(), mesh.vertices.end());
  std::vector<fcl::Triangle> triangles;
  for (const auto& t : mesh.triangles)
    triangles.emplace_back(static_cast<std::size_t>(t[0]), static_cast<std::size_t>(t[1]),
                           static_cast<std::size_t>(t[2]));
  auto m = std::make_shared<Model>();
  m->beginModel(static_cast<int>(triangles.size()), static_cast<int>(points.size()));
  m->addSubModel(points, triangles);
  m->endModel();
  return m;
}
fcl::Transform3d transformOf(const Pose& p) {
  fcl::Transform3d t = fcl::Transform3d::Identity();
  t.linear() = p.R;
  t.translation() = p.p;
  return t;
}

/// A torus of 100 and 40 mm, as a file of the store.
void putTorus(shape::ShapeStore& store) {
  const auto folder = std::filesystem::temp_directory_path();
  if (!shape::writeStep({{BRepPrimAPI_MakeTorus(50, 20).Shape(), "torus", std::nullopt, Pose{}}}, "torus",
                        folder / "torus.step")
           .ok())
    std::printf("# the torus can't be written\n");
  store.setFolder(folder);
}

/// Two links that turn, a given pair of bodies 2 % of their size apart, and their run of 360 steps.
struct Scene {
  model::Resolved r;
  shape::ShapeStore store;
  std::unique_ptr<kinematics::TravelRun> run;
  kinematics::RunResult table;
  clearance::CheckGeometry geometry;
  std::vector<std::vector<Pose>> poses;

  void go(const std::string& text) {
    r = model::resolve(io::readCoop(text).value()).value();
    run = std::move(kinematics::TravelRun::prepare(r, 0)).value();
    kinematics::Measurer measurer(*run);
    table = kinematics::tabulate(*run, measurer);
    clearance::GeometryCache cache;
    geometry = clearance::geometryFor(r, 0, store, cache, nullptr).value();
    for (const auto& s : table.travel.steps) {
      poses.emplace_back();
      measurer.linkPoses(s, poses.back());
    }
  }
  const clearance::Part& part(std::size_t link) const { return *geometry.links[link]->parts()[0]; }
};

std::string turning(double distance, const std::string& a, const std::string& b, double accuracyMm, bool gears) {
  return fmt::format(
      R"({{"format":"cooperage","version":1,"links":[
    {{"name":"g","ground":true,"seats":[{{"name":"a"}},{{"name":"b","at":[{0},0,0]}}]}},
    {{"name":"one","seats":[{{"name":"s"}}],"bodies":[{1}]}},
    {{"name":"two","placement":{{"at":[{0},0,0],"turn":[{6},0,0,{7}]}},"seats":[{{"name":"s"}}],"bodies":[{2}]}}],
   "joints":[{{"name":"A","kind":"revolute","between":["g/a","one/s"]}},{{"name":"B","kind":"revolute","between":["g/b","two/s"]}}],
   {4}
   "drives":[{{"name":"d","value":"A.turn","programme":[{{"law":"constant-speed","speed":"60 rpm","time":1}}]}}{5}],
   "runs":[{{"name":"r","duration":1,"steps":360,"accuracy":"{3} mm","check":["interference","clearance"]}}]}})",
      distance, a, b, accuracyMm,
      gears ? R"("couplings":[{"name":"m","kind":"gear","values":["A.turn","B.turn"],"teeth":[40,40]}],)" : "",
      gears ? "" : R"(,{"name":"e","value":"B.turn","programme":[{"law":"constant-speed","speed":"40 rpm","time":1}]})",
      std::cos(gears ? kPi / 80 : 0), std::sin(gears ? kPi / 80 : 0));  // a tooth in a gap
}

std::unique_ptr<Scene> tori() {
  auto made = std::make_unique<Scene>();
  Scene& s = *made;
  putTorus(s.store);
  const std::string body = R"({"name":"t","file":"torus.step","solid":0})";
  s.go(turning(142.8, body, body, 0.15, false));
  return made;
}
std::unique_ptr<Scene> gears() {
  auto made = std::make_unique<Scene>();
  Scene& s = *made;
  const std::string body = R"({"name":"t","element":"gear","teeth":40,"module":3,"width":12})";
  s.go(turning(120 + 2.52, body, body, 0.08, true));
  return made;
}

void checkAgainstSampling() {
  double worst = 0, ours = 0, theirs = 0, share = 1;
  std::string sizes;
  for (int k = 0; k < 2; ++k) {
    const auto made = k == 0 ? tori() : gears();
    Scene& s = *made;
    const auto a = modelOf(s.part(1).fine().mesh()), b = modelOf(s.part(2).fine().mesh());
    s.part(1).fine().whole();
    s.part(2).fine().whole();
    kinematics::Measurer measurer(*s.run);
    clearance::CheckResult result;
    const double mine = median(5, [&] {
      clearance::CheckOptions options;
      options.onlyFirst = true;
      result = clearance::checkTravel(*s.run, measurer, s.table, s.geometry, nullptr, options);
    });
    int hits = 0;
    const double sampled = median(5, [&] {
      for (const auto& p : s.poses) {
        fcl::CollisionRequestd request(1, false);
        fcl::CollisionResultd found;
        fcl::collide(a.get(), transformOf(p[1]), b.get(), transformOf(p[2]), request, found);
        hits += found.isCollision() ? 1 : 0;
      }
    });
    std::printf(
        "# %s: %zu triangles, %d interference, %d pairs proven free, %d hits sampled; check %.2f ms, sampled %.2f ms\n",
        k == 0 ? "tori" : "gears", s.part(1).fine().mesh().triangles.size(),
        static_cast<int>(result.interference.size()), result.pairsProven, hits, mine, sampled);
    if (mine / sampled > worst) {
      worst = mine / sampled;
      ours = mine;
      theirs = sampled;
    }
    share = std::min(share, result.provenShare);
  }
  std::printf(
      "proven_check_ms %.2f ms\nsampled_check_ms %.2f ms\nproven_share %.4f 1\nproven_check_over_sampled %.2f 1\n",
      ours, theirs, share, worst);
}

void curveAgainstFcl() {
  double worst = 0, ours = 0, theirs = 0, difference = 0;
  for (int k = 0; k < 2; ++k) {
    const auto made = k == 0 ? tori() : gears();
    Scene& s = *made;
    const auto a = modelOf(s.part(1).fine().mesh()), b = modelOf(s.part(2).fine().mesh());
    std::vector<double> mine(s.poses.size()), fcls;
    s.part(1).fine().whole();
    s.part(2).fine().whole();
    std::vector<std::vector<std::vector<Pose>>> blocks;  // as a run measures them
    for (std::size_t i = 0, n = 32; i < s.poses.size(); i += n, n = 256)
      blocks.emplace_back(s.poses.begin() + static_cast<std::ptrdiff_t>(i),
                          s.poses.begin() + static_cast<std::ptrdiff_t>(std::min(i + n, s.poses.size())));
    const double x = median(5, [&] {
      const auto along = clearance::clearanceAlong(s.geometry);
      std::size_t i = 0;
      for (const auto& block : blocks) {
        along(1, 2, block, mine.data() + i, nullptr);
        i += block.size();
      }
    });
    const double y = median(3, [&] {
      fcls.clear();
      for (const auto& p : s.poses) {
        fcl::DistanceRequestd request;
        fcl::DistanceResultd found;
        fcl::distance(a.get(), transformOf(p[1]), b.get(), transformOf(p[2]), request, found);
        fcls.push_back(found.min_distance);
      }
    });
    for (std::size_t i = 0; i < mine.size(); ++i) difference = std::max(difference, std::abs(mine[i] - fcls[i]));
    std::printf("# %s: curve %.2f ms, fcl %.2f ms, worst difference %.2g m\n", k == 0 ? "tori" : "gears", x, y,
                difference);
    if (x / y > worst) {
      worst = x / y;
      ours = x;
      theirs = y;
    }
  }
  std::printf("clearance_curve_ms %.2f ms\nfcl_curve_ms %.2f ms\nclearance_curve_over_fcl %.3f 1\n", ours, theirs,
              worst);
}

/// All runs of all demo documents: geometry, run and check from nothing.
void demos() {
  double worst = 0;
  std::vector<std::filesystem::path> files;
  for (const auto& folder : std::filesystem::directory_iterator(COOPERAGE_DEMO))
    if (folder.is_directory())
      for (const auto& f : std::filesystem::directory_iterator(folder))
        if (f.path().extension() == ".coop") files.push_back(f.path());
  std::sort(files.begin(), files.end());
  for (const auto& file : files) {
    const auto r = model::resolve(io::loadCoop(file).value()).value();
    for (std::size_t run = 0; run < r.runs.size(); ++run) {
      const auto t = Clock::now();
      shape::ShapeStore store;
      store.setFolder(file.parent_path());
      clearance::GeometryCache cache;
      auto travel = kinematics::TravelRun::prepare(r, static_cast<int>(run));
      auto g = clearance::geometryFor(r, static_cast<int>(run), store, cache, nullptr);
      if (!travel.ok() || !g.ok()) {
        std::printf("# %s: can't be prepared\n", file.filename().c_str());
        continue;
      }
      kinematics::Measurer measurer(**travel, clearance::clearanceWith(*g), clearance::clearanceAlong(*g));
      const auto table = kinematics::tabulate(**travel, measurer);
      const double prepared = since(t);
      const auto check = clearance::checkTravel(**travel, measurer, table, *g, nullptr);
      const double all = since(t);
      std::printf("# %s, %s: %.0f ms (%.0f of them the check), %zu interference, %.3f proven\n",
                  file.filename().c_str(), r.runs[run].name.c_str(), all, all - prepared, check.interference.size(),
                  check.provenShare);
      worst = std::max(worst, all);
    }
  }
  std::printf("demo_check_max_ms %.0f ms\n", worst);
}

/// A four-bar whose coupler carries a torus of 20k triangles through a full turn in 120 steps.
std::string coupler() {
  return R"({"format":"cooperage","version":1,"links":[
    {"name":"g","ground":true,"seats":[{"name":"a"},{"name":"d","at":[120,0,0]}]},
    {"name":"crank","seats":[{"name":"a"},{"name":"b","at":[40,0,0]}]},
    {"name":"coupler","placement":{"at":[40,0,0]},"seats":[{"name":"b"},{"name":"c","at":[100,60,0]}],"bodies":[{"name":"t","file":"torus.step","solid":0,"placement":{"at":[50,60,0]}}]},
    {"name":"rocker","placement":{"at":[120,0,0]},"seats":[{"name":"d"},{"name":"c","at":[20,60,0]}]}],
   "joints":[{"name":"A","kind":"revolute","between":["g/a","crank/a"]},{"name":"B","kind":"revolute","between":["crank/b","coupler/b"]},
    {"name":"C","kind":"revolute","between":["coupler/c","rocker/c"]},{"name":"D","kind":"revolute","between":["g/d","rocker/d"]}],
   "drives":[{"name":"d","value":"A.turn","programme":[{"law":"constant-speed","speed":"60 rpm","time":1}]}],
   "runs":[{"name":"r","duration":1,"steps":120}]})";
}

void envelopes() {
  shape::ShapeStore store;
  putTorus(store);
  const auto solid = store.file("torus.step").value()[0];
  const auto r = model::resolve(io::readCoop(coupler()).value()).value();
  auto run = std::move(kinematics::TravelRun::prepare(r, 0)).value();
  kinematics::Measurer measurer(*run);
  const auto travel = run->run();
  if (!travel.completed) {
    std::printf("# the coupler does not turn\n");
    return;
  }
  clearance::EnvelopeOptions options;
  options.links = {2};
  options.onlySteps = true;
  options.accuracy = 0.140 / 200;
  clearance::Envelope e;
  std::vector<double> prepare, sweep;
  for (int i = 0; i < 3; ++i) {
    const auto whole = Clock::now();
    e = clearance::sweep(*run, measurer, travel, store, options, nullptr).value();
    prepare.push_back(e.prepareSeconds * 1e3);
    sweep.push_back(e.sweepSeconds * 1e3);
    std::printf("# prepared in %.0f ms, swept in %.0f ms, all with the judging in %.0f ms\n", prepare.back(),
                sweep.back(), since(whole));
  }
  std::sort(prepare.begin(), prepare.end());
  std::sort(sweep.begin(), sweep.end());
  // the same poses, each a grid of its own, united
  openvdb::initialize();
  const double h = options.accuracy;
  const auto mesh = store.mesh(solid, 3.5e-5).value();  // the 20k triangles; ours is finer
  double volume = 0;
  std::vector<Pose> poses;
  const auto t = Clock::now();
  openvdb::FloatGrid::Ptr all;
  for (const auto& s : travel.steps) {
    measurer.linkPoses(s, poses);
    const Pose at = poses[2] * r.links[2].bodies[0].placement;
    std::vector<openvdb::Vec3s> points;
    std::vector<openvdb::Vec3I> triangles;
    for (const Vec3& v : mesh->vertices) {
      const Vec3 p = at * v / h;
      points.emplace_back(static_cast<float>(p.x()), static_cast<float>(p.y()), static_cast<float>(p.z()));
    }
    for (const auto& k : mesh->triangles)
      triangles.emplace_back(static_cast<unsigned>(k[0]), static_cast<unsigned>(k[1]), static_cast<unsigned>(k[2]));
    auto grid = openvdb::tools::meshToLevelSet<openvdb::FloatGrid>(
        *openvdb::math::Transform::createLinearTransform(1.0), points, triangles, 3.0F);
    if (!all)
      all = grid;
    else
      openvdb::tools::csgUnion(*all, *grid);
  }
  const double theirs = since(t);
  {
    std::vector<openvdb::Vec3s> points;
    std::vector<openvdb::Vec4I> quads;
    openvdb::tools::volumeToMesh(*all, points, quads, 0.0);
    shape::Mesh m;
    for (const auto& p : points) m.vertices.emplace_back(h * p.x(), h * p.y(), h * p.z());
    for (const auto& q : quads)
      for (const auto& k : {std::array<unsigned, 3>{q[0], q[2], q[1]}, std::array<unsigned, 3>{q[0], q[3], q[2]}})
        m.triangles.push_back({static_cast<int>(k[0]), static_cast<int>(k[1]), static_cast<int>(k[2])});
    volume = shape::volumeOf(m);
  }
  std::printf("# %zu triangles; volume %.4f cm^3, united %.4f cm^3\n", mesh->triangles.size(), e.volume * 1e6,
              volume * 1e6);
  std::printf(
      "envelope_prepare_ms %.0f ms\nenvelope_sweep_ms %.0f ms\nunited_poses_ms %.0f ms\nenvelope_speedup %.1f 1\n",
      prepare[1], sweep[1], theirs, theirs / sweep[1]);
}

class Stop : public Progress {
 public:
  bool cancelled() const override { return stop; }
  std::atomic<bool> stop{false};
};

/// From the wish to stop until the work has stopped, at several moments of a check, a clearance curve and a sweep.
void cancels() {
  double worst = 0;
  const auto measure = [&](const char* what, int after, const std::function<void(Progress*)>& work) {
    Stop stop;
    std::atomic<bool> done{false};
    std::thread thread([&] {
      work(&stop);
      done = true;
    });
    std::this_thread::sleep_for(std::chrono::milliseconds(after));
    const bool early = done;
    const auto t = Clock::now();
    stop.stop = true;
    thread.join();
    if (early) {
      std::printf("# %s was done before %d ms\n", what, after);
      return;
    }
    std::printf("# %s, stopped after %d ms: %.0f ms\n", what, after, since(t));
    worst = std::max(worst, since(t));
  };
  const auto wheels = gears();
  for (const int after : {5, 50, 200}) {
    measure("checking gears", after, [&](Progress* p) {
      kinematics::Measurer measurer(*wheels->run);
      clearance::checkTravel(*wheels->run, measurer, wheels->table, wheels->geometry, p);
    });
    measure("meshing gears", after, [&](Progress* p) {
      clearance::GeometryCache cache;
      shape::ShapeStore store;
      (void)clearance::geometryFor(wheels->r, 0, store, cache, p);
    });
  }
  const auto made = tori();
  Scene& ready = *made;
  for (const int after : {5, 50, 100}) {
    measure("checking tori", after, [&](Progress* p) {
      kinematics::Measurer measurer(*ready.run);
      for (int k = 0; k < 50 && !p->cancelled(); ++k)
        clearance::checkTravel(*ready.run, measurer, ready.table, ready.geometry, p);
    });
    measure("sweep", 3 * after, [&](Progress* p) {
      kinematics::Measurer measurer(*ready.run);
      clearance::EnvelopeOptions options;
      options.links = {1, 2};
      options.accuracy = 0.3e-3;
      (void)clearance::sweep(*ready.run, measurer, ready.table.travel, ready.store, options, p);
    });
  }
  std::printf("check_cancel_ms %.0f ms\n", worst);
}

}  // namespace

void clearanceFigures(const std::string& prefix) {
  const std::pair<const char*, void (*)()> all[] = {{"proven_check_over_sampled", checkAgainstSampling},
                                                    {"clearance_curve_over_fcl", curveAgainstFcl},
                                                    {"demo_check_max_ms", demos},
                                                    {"gear_check_ms", gearChecks},
                                                    {"fine_sweep_s", fineSweeps},
                                                    {"envelope_speedup", envelopes},
                                                    {"check_cancel_ms", cancels},
                                                    {"contact_over_bullet", contactAgainstBullet},
                                                    {"contact_demo_ms", contactDemos},
                                                    {"inverse_dynamics", inverseDynamics}};
  for (const auto& [name, f] : all)
    if (std::string(name).compare(0, prefix.size(), prefix) == 0) {
      f();
      std::fflush(stdout);
    }
}

}  // namespace bench
