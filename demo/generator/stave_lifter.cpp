// SPDX-License-Identifier: GPL-3.0-or-later
#include "stave_lifter.h"

#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <TopExp_Explorer.hxx>
#include <cmath>
#include <cstdio>
#include <fstream>
#include <nlohmann/json.hpp>

#include "base/geometry.h"
#include "io/coop_file.h"
#include "model/joint_edits.h"
#include "model/resolve.h"
#include "shape/refresh.h"
#include "shape/shape_store.h"

namespace cooperage::demo {
namespace {

using Json = nlohmann::ordered_json;
constexpr const char *kOak = "#c7a168", *kStone = "#b8b0a3", *kIron = "#5e5952", *kCopper = "#c27530",
                     *kTeal = "#5f8d82", *kSlate = "#6d7f95";

/// Links lie in the plane of the picture: x to the right, y up, z towards the viewer, who looks along ground's y.
Json placed(double x, double y, double turn) {
  const Quat q = Quat(Eigen::AngleAxisd(kPi / 2, Vec3::UnitX())) * Quat(Eigen::AngleAxisd(turn, Vec3::UnitZ()));
  return {{"at", {x, 0, y}}, {"turn", {q.w(), q.x(), q.y(), q.z()}}};
}
Json seat(const char* name, const Json& x, const Json& y) {
  return {{"name", name}, {"at", {x, y, 0}}, {"axis", {0, 0, 1}}, {"ref", {1, 0, 0}}};
}
Json body(const char* name, Json figures, const Json& x, const Json& y, double z, const char* colour) {
  Json b{{"name", name}};
  b.update(figures);
  b["placement"] = {{"at", {x, y, z}}, {"turn", {1, 0, 0, 0}}};
  b["colour"] = colour;
  return b;
}
Json box(double x, double y, double z) { return {{"element", "box"}, {"size", {x, y, z}}}; }
Json cylinder(double radius, double length) {
  return {{"element", "cylinder"}, {"radius", radius}, {"length", length}};
}

/// A shaft along z with two tines along x, from one side to the other; mm.
TopoDS_Shape fork() {
  TopoDS_Shape s = BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1)), 7, 110).Shape();
  for (const double z : {21.0, 91.0})
    s = BRepAlgoAPI_Fuse(s, BRepPrimAPI_MakeBox(gp_Pnt(-38, 5, z), gp_Pnt(38, 15, z + 12)).Shape()).Shape();
  return s;
}

/// A seat on the end of the near tine, as if picked there: it goes along as the fork's reach changes.
model::Mechanism withTip(const model::Mechanism& m, const std::filesystem::path& folder) {
  shape::ShapeStore store;
  store.setFolder(folder);
  const auto r = model::resolve(m);
  for (std::size_t l = 0; r.ok() && l < r->links.size(); ++l)
    for (const auto& b : r->links[l].bodies) {
      if (b.kind != model::BodyKind::file) continue;
      const auto solid = store.body(b, r->links[l].name);
      for (TopExp_Explorer e((*solid)->shape, TopAbs_FACE); e.More(); e.Next()) {
        const auto face = shape::featureOf((*solid)->shape, e.Current());
        if (face.kind != model::FeatureKind::plane || face.at.x() < 0.0375 || face.at.z() < 0.06) continue;
        const shape::Snap snap = shape::snapsOf(e.Current()).front();
        Pose at{Mat3::Identity(), snap.at};
        if (!axesFrom(snap.axis, snap.ref, at.R)) continue;
        model::Seat s;
        s.id = model::newId();
        s.name = "tine tip";
        const Pose frame = b.placement * at;
        s.at = model::placementOf(frame, m.units).at;
        s.axis = model::directionOf(frame.R.col(2));
        s.ref = model::directionOf(frame.R.col(0));
        s.source = model::SeatSource{b.id, snap.word, face, Pose{}};
        return model::changedLink(m, r->links[l].id, [&](model::Link& link) {
          link.seats.push_back(std::make_shared<const model::Seat>(s));
        });
      }
    }
  return m;
}

}  // namespace

bool makeStaveLifter(const std::filesystem::path& folder) {
  const double base[2] = {180, 40}, crank = 60, coupler = 170, rocker = 150, start = kPi / 3;
  // where it stands at home: two circles meet
  const double ax = crank * std::cos(start), ay = crank * std::sin(start);
  const double dx = base[0] - ax, dy = base[1] - ay, d = std::hypot(dx, dy);
  const double lean = std::atan2(dy, dx) + std::acos((coupler * coupler + d * d - rocker * rocker) / (2 * coupler * d));
  const double bx = ax + coupler * std::cos(lean), by = ay + coupler * std::sin(lean);
  const double back = std::atan2(by - base[1], bx - base[0]);

  Json j{{"format", "cooperage"}, {"version", 1}, {"title", "Stave lifter"}};
  j["units"] = {{"length", "mm"}, {"angle", "deg"}, {"mass", "kg"}, {"time", "s"}, {"force", "N"}};
  const auto parameter = [](const char* name, const char* value) { return Json{{"name", name}, {"value", value}}; };
  j["parameters"] = {parameter("crank", "60 mm"),   parameter("coupler", "170 mm"), parameter("rocker", "150 mm"),
                     parameter("base_x", "180 mm"), parameter("base_y", "40 mm"),   parameter("fork_x", "95 mm"),
                     parameter("fork_y", "120 mm"), parameter("reach", "52 mm")};
  Json frame{{"name", "frame"}, {"ground", true}, {"placement", placed(0, 0, 0)}};
  frame["bodies"] = {body("bed", box(470, 22, 150), 20, -101, -10, kStone),
                     body("crank post", box(46, 130, 16), 0, -26, -20, kStone),
                     body("crank shaft", cylinder(9, 28), 0, 0, -8, kIron),
                     body("rocker post", box(46, 170, 16), "base_x", -6, -20, kStone),
                     body("rocker shaft", cylinder(9, 28), "base_x", "base_y", -8, kIron),
                     body("rack", box(70, 14, 110), -180, 30, 60, kStone),
                     body("rack leg", box(16, 113, 110), -207, -33, 60, kStone),
                     body("jointer", box(120, 16, 110), -20, 266, 60, kStone),
                     body("jointer stand", box(16, 346, 16), 236, 84, -20, kStone),
                     body("jointer arm", box(272, 16, 16), 108, 265, -20, kStone),
                     body("jointer bracket", box(40, 16, 34), -20, 266, -4, kStone)};
  frame["seats"] = {seat("crank bearing", 0, 0), seat("rocker bearing", "base_x", "base_y")};
  Json one{{"name", "crank"}, {"placement", placed(0, 0, start)}};
  one["bodies"] = {body("bar",
                        {{"element", "bar"}, {"length", "crank"}, {"width", 28}, {"thickness", 12}, {"bore", 18.8}}, 0,
                        0, 0, kCopper)};
  one["seats"] = {seat("bearing", 0, 0), seat("pin", "crank", 0)};
  Json two{{"name", "coupler"}, {"placement", placed(ax, ay, lean)}};
  // the fork holds staves level half-way up
  const double level = -63 * kPi / 180, up[2] = {-std::sin(level), std::cos(level)};
  const Quat tilt(Eigen::AngleAxisd(level, Vec3::UnitZ()));
  const auto onFork = [&](const char* name, Json figures, double above, double z, const char* colour) {
    const auto from = [&](const char* origin, double shift) {
      if (shift == 0) return std::string(origin);
      char text[64];
      std::snprintf(text, sizeof text, "%s + %.6g mm", origin, shift);
      return std::string(text);
    };
    Json b = body(name, figures, from("fork_x", above * up[0]), from("fork_y", above * up[1]), z, colour);
    b["placement"]["turn"] = {tilt.w(), tilt.x(), tilt.y(), tilt.z()};
    return b;
  };
  two["bodies"] = {body("plate",
                        {{"element", "plate"},
                         {"pivots", {{0, 0}, {"coupler", 0}, {"fork_x", "fork_y"}}},
                         {"width", 28},
                         {"thickness", 12},
                         {"bore", 0}},
                        0, 0, 14, kTeal),
                   body("crank pin", cylinder(9, 26), 0, 0, 7, kIron),
                   body("rocker pin", cylinder(9, 26), "coupler", 0, 7, kIron),
                   onFork("fork",
                          {{"file", "parts/fork.step"},
                           {"solid", 0},
                           {"stretches", {{{"at", {20, 10, 0}}, {"axis", {1, 0, 0}}, {"by", "reach - 38 mm"}}}}},
                          0, 11, kIron),
                   onFork("stave", box(68, 12, 108), 21, 73, kOak)};
  two["seats"] = {seat("crank pin", 0, 0), seat("rocker pin", "coupler", 0), seat("fork", "fork_x", "fork_y")};
  Json three{{"name", "rocker"}, {"placement", placed(base[0], base[1], back)}};
  three["bodies"] = {body("bar",
                          {{"element", "bar"}, {"length", "rocker"}, {"width", 28}, {"thickness", 12}, {"bore", 18.8}},
                          0, 0, 0, kSlate)};
  three["seats"] = {seat("bearing", 0, 0), seat("pin", "rocker", 0)};
  j["links"] = {frame, one, two, three};
  const auto joint = [](const char* name, const char* a, const char* b) {
    return Json{{"name", name}, {"kind", "revolute"}, {"between", {a, b}}};
  };
  j["joints"] = {joint("crank shaft", "frame/crank bearing", "crank/bearing"),
                 joint("crank pin", "crank/pin", "coupler/crank pin"),
                 joint("rocker pin", "coupler/rocker pin", "rocker/pin"),
                 joint("rocker shaft", "frame/rocker bearing", "rocker/bearing")};
  j["joints"][0]["home"] = {{"turn", "60 deg"}};
  j["programmes"] = {{{"name", "lift and set down"},
                      {"programme",
                       {{{"law", "dwell"}, {"time", "0.4 s"}},
                        {{"law", "modified-sine"}, {"by", "150 deg"}, {"time", "1.1 s"}},
                        {{"law", "dwell"}, {"time", "0.5 s"}},
                        {{"law", "poly-345"}, {"by", "210 deg"}, {"time", "1.5 s"}},
                        {{"law", "dwell"}, {"time", "0.3 s"}}}}}};
  j["drives"] = {{{"name", "motor"},
                  {"value", "crank shaft.turn"},
                  {"programme", {{{"law", "constant-speed"}, {"speed", "30 rpm"}, {"time", "60 s"}}}}},
                 {{"name", "indexer"}, {"value", "crank shaft.turn"}, {"programme", "lift and set down"}}};
  j["gauges"] = {{{"name", "fork height"},
                  {"kind", "point-position"},
                  {"of", "coupler/fork"},
                  {"in", "ground"},
                  {"component", "z"},
                  {"flag", true}},
                 {{"name", "fork speed"},
                  {"kind", "point-velocity"},
                  {"of", "coupler/fork"},
                  {"in", "ground"},
                  {"component", "size"}},
                 {{"name", "transmission angle"}, {"kind", "transmission-angle"}, {"of", "rocker pin"}}};
  j["requirements"] = {
      {{"name", "lift"}, {"gauge", "fork height"}, {"measure", "range"}, {"min", "150 mm"}, {"max", "160 mm"}},
      {{"name", "not too fast"}, {"gauge", "fork speed"}, {"measure", "always"}, {"max", "360 mm/s"}},
      {{"name", "good transmission"}, {"gauge", "transmission angle"}, {"measure", "always"}, {"min", "40 deg"}}};
  j["paths"] = {{{"name", "fork"}, {"of", "coupler/fork"}, {"in", "ground"}, {"ticks", "0.1 s"}, {"by_speed", true}}};
  j["runs"] = {{{"name", "one turn"},
                {"turns", 1},
                {"steps", 360},
                {"axis", "motor"},
                {"drives", {"motor"}},
                {"ghosts", {{"every", 90}}},
                {"accuracy", "0.05 mm"},
                {"check", {"interference", "stops", "requirements"}}},
               {{"name", "lift cycle"},
                {"duration", "3.8 s"},
                {"steps", 380},
                {"axis", "time"},
                {"drives", {"indexer"}},
                {"accuracy", "0.05 mm"},
                {"check", {"stops", "requirements"}}}};
  const auto parts = folder / "stave-lifter" / "parts";
  std::filesystem::create_directories(parts);
  if (const auto s = shape::writeStep({{fork(), "fork", {}, {}}}, "fork", parts / "fork.step"); !s.ok()) {
    std::fprintf(stderr, "stave-lifter: %s\n", s.error().text.c_str());
    return false;
  }
  auto m = io::readCoop(j.dump());
  if (!m.ok()) {
    std::fprintf(stderr, "stave-lifter: %s\n", m.error().text.c_str());
    return false;
  }
  if (const auto r = model::resolve(*m); !r.ok()) {
    std::fprintf(stderr, "stave-lifter: %s\n", r.error().text.c_str());
    return false;
  }
  std::ofstream(folder / "stave-lifter" / "stave-lifter.coop") << io::writeCoop(withTip(*m, folder / "stave-lifter"));
  return true;
}

}  // namespace cooperage::demo
