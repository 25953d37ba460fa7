// SPDX-License-Identifier: GPL-3.0-or-later
#include "contact_demos.h"

#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <BRepPrimAPI_MakePrism.hxx>
#include <GC_MakeArcOfCircle.hxx>
#include <TopoDS_Face.hxx>
#include <TopoDS_Wire.hxx>
#include <gp_Circ.hxx>
#include <cmath>
#include <cstdio>
#include <fstream>
#include <nlohmann/json.hpp>

#include "base/geometry.h"
#include "blocks.h"
#include "contact/outline.h"
#include "io/coop_file.h"
#include "model/resolve.h"
#include "shape/solid.h"

namespace cooperage::demo {
namespace {

using Json = nlohmann::ordered_json;
using contact::Loop;
using contact::Piece;
using contact::Vec2;
constexpr const char *kOak = "#c7a168", *kStone = "#b8b0a3", *kIron = "#5e5952", *kCopper = "#c27530",
                     *kTeal = "#5f8d82", *kSlate = "#6d7f95";

Vec2 polar(double radius, double angle) { return radius * Vec2(std::cos(angle), std::sin(angle)); }
Vec2 turned(const Vec2& x, double a) {
  return {x.x() * std::cos(a) - x.y() * std::sin(a), x.x() * std::sin(a) + x.y() * std::cos(a)};
}
Piece line(const Vec2& a, const Vec2& b) { return {a, b, 0, {0, 0}, true}; }
Piece arc(const Vec2& a, const Vec2& b, const Vec2& c, bool ccw) { return {a, b, (a - c).norm(), c, ccw}; }

/// A plate of an outline of lines and arcs, mm.
Block plate(const Loop& loop, double z0, double z1) {
  BRepBuilderAPI_MakeWire wire;
  const auto at = [&](const Vec2& v) { return gp_Pnt(v.x(), v.y(), z0); };
  for (const Piece& p : loop) {
    if (p.radius == 0) {
      wire.Add(BRepBuilderAPI_MakeEdge(at(p.from), at(p.to)).Edge());
      continue;
    }
    const gp_Circ circle(gp_Ax2(at(p.centre), gp_Dir(0, 0, 1)), p.radius);
    const auto curve = p.ccw ? GC_MakeArcOfCircle(circle, at(p.from), at(p.to), Standard_True).Value()
                             : GC_MakeArcOfCircle(circle, at(p.to), at(p.from), Standard_True).Value();
    wire.Add(BRepBuilderAPI_MakeEdge(curve).Edge());
  }
  const TopoDS_Face face = BRepBuilderAPI_MakeFace(wire.Wire()).Face();
  return BRepPrimAPI_MakePrism(face, gp_Vec(0, 0, z1 - z0)).Shape();
}

Json placed(double x, double y, double turn) {
  return {{"at", {x, y, 0}}, {"turn", {std::cos(turn / 2), 0, 0, std::sin(turn / 2)}}};
}
Json seat(const char* name, double x, double y) {
  return {{"name", name}, {"at", {x, y, 0}}, {"axis", {0, 0, 1}}, {"ref", {1, 0, 0}}};
}
Json body(const char* name, Json what, double x, double y, double z, const char* colour) {
  Json b{{"name", name}};
  b.update(what);
  b["placement"] = {{"at", {x, y, z}}, {"turn", {1, 0, 0, 0}}};
  b["colour"] = colour;
  return b;
}
Json file(const char* name) { return {{"file", name}, {"solid", 0}}; }
Json cylinder(double radius, double length) {
  return {{"element", "cylinder"}, {"radius", radius}, {"length", length}};
}
Json brick(double x, double y, double z) { return {{"element", "box"}, {"size", {x, y, z}}}; }
Json turning(const char* name, const char* a, const char* b, double home) {
  return {{"name", name}, {"kind", "revolute"}, {"between", {a, b}}, {"home", {{"turn", home}}}};
}
Json document(const char* title) {
  Json j{{"format", "cooperage"}, {"version", 1}, {"title", title}};
  j["units"] = {{"length", "mm"}, {"angle", "deg"}, {"mass", "kg"}, {"time", "s"}, {"force", "N"}};
  return j;
}

bool save(const Json& j, const std::filesystem::path& folder, const char* name) {
  auto m = io::readCoop(j.dump());
  Status done = m.ok() ? Status(Done{}) : Status(m.error());
  if (done.ok())
    if (const auto r = model::resolve(*m); !r.ok()) done = r.error();
  if (!done.ok()) {
    std::fprintf(stderr, "%s: %s\n", name, done.error().text.c_str());
    return false;
  }
  std::ofstream(folder / name / (std::string(name) + ".coop")) << io::writeCoop(*m);
  return true;
}
bool part(const Block& b, const std::filesystem::path& folder, const char* name) {
  std::filesystem::create_directories(folder / "parts");
  const auto s = shape::writeStep({{b.tidy(), name, {}, {}}}, name, folder / "parts" / (std::string(name) + ".step"));
  if (!s.ok()) std::fprintf(stderr, "%s: %s\n", name, s.error().text.c_str());
  return s.ok();
}

/// Six slots, and between them hollows that the locking disc fits.
Loop indexWheel(double distance, double outer, double half, double bottom, double lock) {
  Loop out;
  const double mouth = std::sqrt(outer * outer - half * half);
  const double reach = std::acos((outer * outer + distance * distance - lock * lock) / (2 * outer * distance));
  for (int k = 0; k < 6; ++k) {
    const double a = kPi + k * kPi / 3, between = a + kPi / 6;
    const auto at = [&](double angle, double x, double y) { return turned(Vec2(x, y), angle); };
    out.push_back(line(at(a, mouth, -half), at(a, bottom, -half)));
    out.push_back(arc(at(a, bottom, -half), at(a, bottom, half), at(a, bottom, 0), false));
    out.push_back(line(at(a, bottom, half), at(a, mouth, half)));
    const Vec2 begin = polar(outer, between - reach), end = polar(outer, between + reach);
    out.push_back(arc(at(a, mouth, half), begin, {0, 0}, true));
    out.push_back(arc(begin, end, polar(distance, between), false));
    out.push_back(arc(end, at(a + kPi / 3, mouth, -half), {0, 0}, true));
  }
  return out;
}

bool headIndexer(const std::filesystem::path& folder) {
  const double d = 120, r = 60, outer = d * std::cos(kPi / 6), pin = 8, play = 0.1, lock = 47;
  Block wheel = plate(indexWheel(d, outer, pin + play / 2, 48, lock + play), -6, 6);
  wheel -= upright(0, 0, 14, -7, 7);
  Block driver = upright(0, 0, 76, -20, -8);
  Block disc = upright(0, 0, lock, -8, 6);
  disc -= upright(d, 0, outer + 1.2, -9, 7);
  driver += disc;
  driver += upright(r, 0, pin, -8, 8);
  driver -= upright(0, 0, 9, -21, 9);
  const auto own = folder / "head-indexer";
  if (!part(wheel, own, "wheel") || !part(driver, own, "driver")) return false;

  Json j = document("Head indexer");
  Json frame{{"name", "frame"}, {"ground", true}};
  frame["bodies"] = {body("bed", brick(320, 190, 14), 70, 0, -33, kStone),
                     body("motor shaft", cylinder(8.9, 40), 0, 0, -10, kIron),
                     body("wheel shaft", cylinder(13.9, 70), d, 0, 9, kIron)};
  frame["seats"] = {seat("motor", 0, 0), seat("wheel", d, 0)};
  Json one{{"name", "driver"}, {"placement", placed(0, 0, kPi)}};
  one["bodies"] = {body("driver", file("parts/driver.step"), 0, 0, 0, kCopper)};
  one["seats"] = {seat("shaft", 0, 0), seat("pin", r, 0)};
  Json two{{"name", "wheel"}, {"placement", placed(d, 0, kPi / 6)}};
  two["bodies"] = {
      body("wheel", file("parts/wheel.step"), 0, 0, 0, kSlate),
      body("hub", {{"element", "disc"}, {"radius", 26}, {"thickness", 24}, {"bore", 28}}, 0, 0, 18, kTeal)};
  two["seats"] = {seat("shaft", 0, 0), seat("mark", 80, 0)};
  Json head{{"name", "barrel head"}, {"placement", placed(d, 0, kPi / 6)}};
  head["bodies"] = {
      body("head", {{"element", "disc"}, {"radius", 92}, {"thickness", 10}, {"bore", 28}}, 0, 0, 36, kOak)};
  head["seats"] = {seat("hub", 0, 0)};
  j["links"] = {frame, one, two, head};
  j["joints"] = {turning("motor", "frame/motor", "driver/shaft", 180),
                 turning("index", "frame/wheel", "wheel/shaft", 30),
                 Json{{"name", "clamp"}, {"kind", "fixed"}, {"between", {"wheel/shaft", "barrel head/hub"}}}};
  j["contacts"] = {{{"name", "pin and lock"}, {"between", {{"driver"}, {"wheel"}}}}};
  j["drives"] = {{{"name", "motor"},
                  {"value", "motor.turn"},
                  {"programme", {{{"law", "constant-speed"}, {"speed", "20 rpm"}, {"time", "60 s"}}}}}};
  j["gauges"] = {{{"name", "head angle"}, {"kind", "joint-value"}, {"of", "index.turn"}, {"flag", true}},
                 {{"name", "head speed"}, {"kind", "joint-rate"}, {"of", "index.turn"}}};
  j["requirements"] = {{{"name", "one station"},
                        {"gauge", "head angle"},
                        {"measure", "range"},
                        {"min", "59.8 deg"},
                        {"max", "60.4 deg"}},
                       {{"name", "at rest"},
                        {"gauge", "head speed"},
                        {"measure", "end"},
                        {"min", "-0.001 deg/s"},
                        {"max", "0.001 deg/s"}}};
  j["runs"] = {{{"name", "one turn"},
                {"turns", 1},
                {"steps", 360},
                {"axis", "motor"},
                {"accuracy", "0.02 mm"},
                {"check", {"interference", "stops", "requirements"}}}};
  return save(j, folder, "head-indexer");
}

/// Five teeth: from each tip a back of one arc down to the root, then the face straight out. The face of the first
/// stands at an angle of zero.
Loop ratchet(double tip, double root, double back) {
  Loop out;
  for (int k = 0; k < 5; ++k) {
    const double a = 2 * kPi * k / 5, b = a + 2 * kPi / 5;
    const Vec2 from = polar(tip, a), to = polar(root, b), chord = to - from;
    const double half = 0.5 * chord.norm();
    // the centre lies on the side of the axis, so that the back bulges
    const Vec2 centre = 0.5 * (from + to) + std::sqrt(back * back - half * half) * contact::left(chord).normalized();
    out.push_back(line(polar(root, a), from));
    out.push_back(arc(from, to, centre, true));
  }
  return out;
}

/// A round disc with five notches of 90 degrees, the first at an angle of zero.
Loop notched(double radius, double bottom) {
  const double s = 0.5 * (-bottom + std::sqrt(2 * radius * radius - bottom * bottom));
  Loop out;
  for (int k = 0; k < 5; ++k) {
    const double a = 2 * kPi * k / 5, b = a + 2 * kPi / 5;
    const Vec2 left = turned({bottom + s, s}, a), next = turned({bottom + s, -s}, b);
    out.push_back(line(turned({bottom + s, -s}, a), turned({bottom, 0}, a)));
    out.push_back(line(turned({bottom, 0}, a), left));
    out.push_back(arc(left, next, {0, 0}, true));
  }
  return out;
}

/// A lever along x with a round end, and an eye about its pivot; mm.
Block lever(double length, double width, double eye, double bore, double z0, double z1) {
  Block out = box(0, length, -width / 2, width / 2, z0, z1);
  out += upright(length, 0, width / 2, z0, z1);
  out += upright(0, 0, eye, z0, z1);
  out -= upright(0, 0, bore, z0 - 1, z1 + 1);
  return out;
}

bool staveRatchet(const std::filesystem::path& folder) {
  const double face = 20 * kDegree, tip = 60, root = 44, pawlEnd = 4;
  Block wheel = plate(ratchet(tip, root, 58), 0, 12);
  wheel -= upright(0, 0, 12, -1, 13);
  Block disc = plate(notched(70, 62), 20, 28);
  disc -= upright(0, 0, 12, 19, 29);
  const auto own = folder / "stave-ratchet";
  if (!part(wheel, own, "ratchet") || !part(disc, own, "notched-disc")) return false;

  // the pawl: from a pin on the rocker to behind the first tooth's face
  const double behind = 8 * kDegree;
  const Vec2 pivot = polar(84, face - 52 * kDegree), end = polar(root + pawlEnd + 5, face - behind);
  const double length = (end - pivot).norm(), lean = std::atan2(end.y() - pivot.y(), end.x() - pivot.x());
  // the latch: its round end in the notch at the top; steeper than the notch's sides, so that only the end touches
  const Vec2 rest(0, 62 + 5 * std::sqrt(2.0)), post = rest + polar(70, kPi / 3);
  const double latch = (rest - post).norm(), hang = std::atan2(rest.y() - post.y(), rest.x() - post.x());

  if (!part(lever(length, 2 * pawlEnd, 8, 3.95, 0, 12), own, "pawl") ||
      !part(lever(latch, 10, 11, 5.95, 20, 28), own, "latch"))
    return false;

  Json j = document("Stave ratchet");
  Json frame{{"name", "frame"}, {"ground", true}};
  frame["bodies"] = {body("bed", brick(260, 270, 14), 10, 25, -34, kStone),
                     body("spindle", cylinder(11.9, 80), 0, 0, 12, kIron),
                     body("post", cylinder(5.9, 62), post.x(), post.y(), 2, kIron)};
  frame["seats"] = {seat("spindle", 0, 0), seat("post", post.x(), post.y())};
  Json rocker{{"name", "rocker"}, {"placement", placed(0, 0, 0)}};
  Json bar = body("arm", {{"element", "bar"}, {"length", pivot.norm()}, {"width", 34}, {"thickness", 10}, {"bore", 24}},
                  0, 0, -10, kCopper);
  const double along = std::atan2(pivot.y(), pivot.x());
  bar["placement"]["turn"] = {std::cos(along / 2), 0, 0, std::sin(along / 2)};
  rocker["bodies"] = {bar, body("pawl pin", cylinder(3.9, 28), pivot.x(), pivot.y(), 1, kIron)};
  rocker["seats"] = {seat("spindle", 0, 0), seat("pawl pin", pivot.x(), pivot.y())};
  Json pawl{{"name", "pawl"}, {"placement", placed(pivot.x(), pivot.y(), lean)}};
  pawl["bodies"] = {body("pawl", file("parts/pawl.step"), 0, 0, 0, kTeal)};
  pawl["seats"] = {seat("pin", 0, 0)};
  Json table{{"name", "table"}, {"placement", placed(0, 0, 0)}};
  const auto turnedBody = [](Json b, double angle) {
    b["placement"]["turn"] = {std::cos(angle / 2), 0, 0, std::sin(angle / 2)};
    return b;
  };
  table["bodies"] = {
      turnedBody(body("ratchet", file("parts/ratchet.step"), 0, 0, 0, kSlate), face),
      turnedBody(body("notched disc", file("parts/notched-disc.step"), 0, 0, 0, kIron), kPi / 2),
      body("table top", {{"element", "disc"}, {"radius", 46}, {"thickness", 10}, {"bore", 24}}, 0, 0, 38, kOak)};
  table["seats"] = {seat("spindle", 0, 0)};
  Json arm{{"name", "latch"}, {"placement", placed(post.x(), post.y(), hang)}};
  arm["bodies"] = {body("latch", file("parts/latch.step"), 0, 0, 0, kCopper)};
  arm["seats"] = {seat("post", 0, 0)};
  j["links"] = {frame, rocker, pawl, table, arm};
  j["joints"] = {turning("rocker shaft", "frame/spindle", "rocker/spindle", 0),
                 turning("pawl pivot", "rocker/pawl pin", "pawl/pin", lean / kDegree),
                 turning("table spindle", "frame/spindle", "table/spindle", 0),
                 turning("latch pivot", "frame/post", "latch/post", hang / kDegree)};
  j["contacts"] = {{{"name", "pawl on ratchet"}, {"between", {{"pawl"}, {"table"}}}},
                   {{"name", "latch in notch"}, {"between", {{"latch"}, {"table"}}}}};
  j["forces"] = {{{"name", "pawl spring"}, {"of", "pawl pivot.turn"}, {"effort", "0.05 N*m"}},
                 {{"name", "latch spring"}, {"of", "latch pivot.turn"}, {"effort", "2 N*m"}}};
  j["drives"] = {{{"name", "rocker"},
                  {"value", "rocker shaft.turn"},
                  {"programme",
                   {{{"law", "modified-sine"}, {"by", "82 deg"}, {"time", "1 s"}},
                    {{"law", "modified-sine"}, {"by", "-82 deg"}, {"time", "1 s"}}}}}};
  j["gauges"] = {{{"name", "table angle"}, {"kind", "joint-value"}, {"of", "table spindle.turn"}, {"flag", true}},
                 {{"name", "pawl angle"}, {"kind", "joint-value"}, {"of", "pawl pivot.turn"}}};
  j["requirements"] = {
      {{"name", "one station"},
       {"gauge", "table angle"},
       {"measure", "end"},
       {"min", "71.98 deg"},
       {"max", "72.02 deg"}},
      {{"name", "never back"}, {"gauge", "table angle"}, {"measure", "always"}, {"min", "-0.001 deg"}}};
  j["runs"] = {{{"name", "to and fro"},
                {"duration", "2 s"},
                {"steps", 400},
                {"axis", "time"},
                {"accuracy", "0.02 mm"},
                {"check", {"interference", "stops", "requirements"}}}};
  return save(j, folder, "stave-ratchet");
}

}  // namespace

bool makeContactDemos(const std::filesystem::path& folder) { return headIndexer(folder) && staveRatchet(folder); }

}  // namespace cooperage::demo
