// SPDX-License-Identifier: GPL-3.0-or-later
#include "machine_demos.h"

#include <cstdio>
#include <fstream>
#include <nlohmann/json.hpp>

#include "io/coop_file.h"
#include "kinematics/home.h"
#include "kinematics/solver.h"
#include "model/cam_edits.h"
#include "model/coupling_edits.h"
#include "model/train_edits.h"

namespace cooperage::demo {
namespace {

using Json = nlohmann::ordered_json;
using namespace model;

const Vec3 X = Vec3::UnitX(), Y = Vec3::UnitY(), Z = Vec3::UnitZ();
constexpr const char *kOak = "#c7a168", *kStone = "#b8b0a3", *kIron = "#5e5952", *kCopper = "#c27530",
                     *kTeal = "#5f8d82";

/// Writes a mechanism down in mm and degrees: links stand at the origin, joints and bodies where they are in ground
/// axes.
class Plan {
 public:
  explicit Plan(const std::string& title) {
    j_ = {{"format", "cooperage"}, {"version", 1}, {"title", title}};
    j_["units"] = {{"length", "mm"}, {"angle", "deg"}, {"mass", "kg"}, {"time", "s"}, {"force", "N"}};
    for (const char* key :
         {"parameters", "links", "joints", "couplings", "cam_pairs", "drives", "gauges", "requirements", "runs"})
      j_[key] = Json::array();
  }
  Json& link(const std::string& name, bool ground = false) {
    for (Json& l : j_["links"])
      if (l["name"] == name) return l;
    Json l{{"name", name}};
    if (ground) l["ground"] = true;
    l["placement"] = {{"at", {0, 0, 0}}, {"turn", {1, 0, 0, 0}}};
    l["bodies"] = Json::array();
    l["seats"] = Json::array();
    j_["links"].push_back(l);
    return j_["links"].back();
  }
  /// @param z direction of the body's z axis, x of its x axis
  void body(const std::string& on, const std::string& name, Json figures, const Vec3& at, const Vec3& z = Vec3::UnitZ(),
            const Vec3& x = Vec3::UnitX(), const char* colour = nullptr) {
    Mat3 axes = Mat3::Identity();
    axesFrom(z, x, axes);
    const Quat q(axes);
    Json b{{"name", name}};
    b.update(figures);
    b["placement"] = {{"at", {at.x(), at.y(), at.z()}}, {"turn", {q.w(), q.x(), q.y(), q.z()}}};
    if (colour) b["colour"] = colour;
    link(on)["bodies"].push_back(b);
  }
  void box(const std::string& on, const std::string& name, const Vec3& at, const Vec3& size,
           const char* colour = nullptr) {
    body(on, name, {{"element", "box"}, {"size", {size.x(), size.y(), size.z()}}}, at, Vec3::UnitZ(), Vec3::UnitX(),
         colour);
  }
  void rod(const std::string& on, const std::string& name, const Vec3& at, const Vec3& along, double radius,
           double length, const char* colour = nullptr) {
    body(on, name, {{"element", "cylinder"}, {"radius", radius}, {"length", length}}, at, along,
         anyPerpendicular(along), colour);
  }
  /// A ring about a shaft, with a play of 0.2 mm all round, and what carries it.
  void bearing(const std::string& on, const std::string& name, const Vec3& at, const Vec3& along, double bore,
               double outer, double length) {
    body(on, name, {{"element", "disc"}, {"radius", outer}, {"thickness", length}, {"bore", bore + 0.4}}, at, along,
         anyPerpendicular(along), kStone);
  }
  void seat(const std::string& on, const std::string& name, const Vec3& at, const Vec3& axis, const Vec3& ref) {
    link(on)["seats"].push_back({{"name", name},
                                 {"at", {at.x(), at.y(), at.z()}},
                                 {"axis", {axis.x(), axis.y(), axis.z()}},
                                 {"ref", {ref.x(), ref.y(), ref.z()}}});
  }
  Json& joint(const std::string& name, const char* kind, const std::string& a, const std::string& b, const Vec3& at,
              const Vec3& axis, const Vec3& ref) {
    link(a);
    link(b);
    seat(a, name, at, axis, ref);
    seat(b, name, at, axis, ref);
    j_["joints"].push_back({{"name", name}, {"kind", kind}, {"between", {a + "/" + name, b + "/" + name}}});
    return j_["joints"].back();
  }
  Json& operator[](const char* key) { return j_[key]; }
  Json& json() { return j_; }

 private:
  Json j_;
};

Mechanism need(Result<Mechanism> made, const char* what) {
  if (made.ok()) return std::move(made).value();
  std::fprintf(stderr, "%s: %s\n", what, made.error().text.c_str());
  std::exit(1);
}
Mechanism read(const Plan& plan) { return need(io::readCoop(const_cast<Plan&>(plan).json().dump()), "plan"); }
std::vector<Pose> home(const Mechanism& m) {
  std::vector<Pose> out;
  const auto r = resolve(m).value();
  for (const auto& l : r.links) out.push_back(l.placement);
  return out;
}
Id joint(const Mechanism& m, const char* name) { return findByName(m.joints, name)->id; }
Json text(const Mechanism& m) { return Json::parse(io::writeCoop(m)); }

bool write(const std::filesystem::path& folder, const char* name, const Json& json) {
  const auto m = io::readCoop(json.dump());
  if (!m.ok()) {
    std::fprintf(stderr, "%s: %s\n", name, m.error().text.c_str());
    return false;
  }
  if (const auto r = resolve(*m); !r.ok()) {
    std::fprintf(stderr, "%s: %s\n", name, r.error().text.c_str());
    return false;
  }
  std::filesystem::create_directories(folder / name);
  std::ofstream(folder / name / (std::string(name) + ".coop")) << io::writeCoop(*m);
  return true;
}

/// A disc cam feeds the croze, a grooving wheel, into the end of a cask that turns before it.
bool crozeCutter(const std::filesystem::path& folder) {
  Plan p("Croze cutter");
  p.link("frame", true);
  p.box("frame", "bed", {90, 0, -92}, {420, 120, 24}, kStone);
  p.bearing("frame", "cam bearing", {0, 34, 0}, Y, 18, 21, 20);
  p.box("frame", "cam stand", {0, 34, -50}, {36, 20, 64}, kStone);
  p.box("frame", "slide rail", {112, 0, -32}, {90, 30, 20}, kStone);
  p.box("frame", "rail stand", {112, 0, -61}, {60, 24, 40}, kStone);
  p.bearing("frame", "chuck bearing", {250, 54, 0}, Y, 20, 23, 20);
  p.box("frame", "chuck stand", {250, 54, -50}, {44, 20, 62}, kStone);
  p.joint("cam shaft", "revolute", "frame", "cam shaft", {0, 0, 0}, -Y, X);
  p.rod("cam shaft", "shaft", {0, 22, 0}, Y, 9, 70, kIron);
  p.joint("feed", "prismatic", "frame", "cutter slide", {100, 0, 0}, X, Z);
  p.box("cutter slide", "carriage", {108, 0, -12}, {40, 26, 18}, kTeal);
  p.box("cutter slide", "nose", {82, 0, -8}, {26, 12, 12}, kTeal);
  p.box("cutter slide", "cheek", {138, 13, -15}, {44, 8, 12}, kTeal);
  p.bearing("cutter slide", "cutter bearing", {150, 13, 0}, Y, 10, 10, 8);
  p.joint("cutter", "revolute", "cutter slide", "croze", {150, 0, 0}, -Y, X);
  p.rod("croze", "wheel", {150, 0, 0}, Y, 17, 5, kCopper);
  p.rod("croze", "spindle", {150, 10, 0}, Y, 5, 24, kIron);
  p.joint("chuck", "revolute", "frame", "cask", {250, 0, 0}, -Y, X);
  p.body("cask", "staves", {{"element", "disc"}, {"radius", 66}, {"thickness", 60}, {"bore", 108}}, {250, 0, 0}, Y, X,
         kOak);
  p.rod("cask", "chuck plate", {250, 36, 0}, Y, 50, 8, kIron);
  p.rod("cask", "chuck shaft", {250, 52, 0}, Y, 10, 40, kIron);
  Mechanism m = read(p);
  CamDraft d;
  d.cam = joint(m, "cam shaft");
  d.follower = joint(m, "feed");
  d.base = Field(38);
  d.roller = Field(10);
  d.thickness = Field(12);
  const auto row = [&](motion::LawKind law, double over, double lift) {
    ProgrammeRow r;
    r.law = law;
    r.figures["over"] = Field(over);
    if (lift != 0) r.figures["lift"] = Field(lift);
    return r;
  };
  d.rows = {row(motion::LawKind::modifiedSine, 80, 14), row(motion::LawKind::quintic, 60, 8),
            row(motion::LawKind::dwell, 90, 0), row(motion::LawKind::modifiedTrapezoid, 80, -22),
            row(motion::LawKind::dwell, 50, 0)};
  m = need(withCam(m, d, home(m)), "croze cutter");
  Json j = text(m);
  j["drives"] = {{{"name", "cam motor"},
                  {"value", "cam shaft.turn"},
                  {"programme", {{{"law", "constant-speed"}, {"speed", "10 rpm"}, {"time", "6 s"}}}}},
                 {{"name", "cask motor"},
                  {"value", "chuck.turn"},
                  {"programme", {{{"law", "constant-speed"}, {"speed", "60 rpm"}, {"time", "6 s"}}}}},
                 {{"name", "cutter motor"},
                  {"value", "cutter.turn"},
                  {"programme", {{{"law", "constant-speed"}, {"speed", "240 rpm"}, {"time", "6 s"}}}}}};
  j["gauges"] = {{{"name", "feed"}, {"kind", "joint-value"}, {"of", "feed.slide"}},
                 {{"name", "feed rate"}, {"kind", "joint-rate"}, {"of", "feed.slide"}},
                 {{"name", "feed acceleration"}, {"kind", "joint-acceleration"}, {"of", "feed.slide"}},
                 {{"name", "pressure angle"}, {"kind", "pressure-angle"}, {"of", "cam shaft - cutter slide"}}};
  j["requirements"] = {
      {{"name", "whole feed"}, {"gauge", "feed"}, {"measure", "range"}, {"min", "21.9 mm"}, {"max", "22.1 mm"}},
      {{"name", "no side thrust"}, {"gauge", "pressure angle"}, {"measure", "max"}, {"max", "30 deg"}},
      {{"name", "gentle"},
       {"gauge", "feed acceleration"},
       {"measure", "always"},
       {"min", "-65 mm/s^2"},
       {"max", "65 mm/s^2"}}};
  j["runs"] = {{{"name", "one groove"},
                {"duration", "6 s"},
                {"steps", 360},
                {"axis", "cam motor"},
                {"drives", {"cam motor", "cask motor", "cutter motor"}},
                {"check", {"interference", "requirements", "stops"}},
                // the wheel is there to cut into the staves
                {"pairs", {{"leave_out", Json::array({Json::array({"croze", "cask"})})}}}}};
  return write(folder, "croze-cutter", j);
}

/// A motor turns a cask on the lathe: a spur pair, then a planetary stage with stepped planets.
bool caskTurner(const std::filesystem::path& folder) {
  Plan p("Cask turner");
  const double apart = 0.5 * 3 * (18 + 54) / std::cos(15 * kPi / 180);  // of the helical pair
  p.link("frame", true);
  p.box("frame", "bed", {0, 40, -112}, {300, 260, 20}, kStone);
  p.bearing("frame", "input bearing", {0, -72, 0}, Y, 16, 20, 14);
  p.box("frame", "head stock", {0, -72, -60}, {36, 14, 86}, kStone);
  p.seat("frame", "spindle axis", {0, 0, 0}, Y, X);
  p.joint("motor shaft", "revolute", "frame", "motor shaft", {-apart, -26, 0}, Y, X);
  p.rod("motor shaft", "shaft", {-apart, -34, 0}, Y, 8, 56, kIron);
  p.rod("frame", "motor", {-apart, 26, 0}, Y, 30, 60, kIron);
  p.box("frame", "motor foot", {-apart, 26, -68}, {40, 40, 76}, kStone);
  p.joint("input", "revolute", "frame", "input shaft", {0, -26, 0}, Y, X);
  p.rod("input shaft", "shaft", {0, -51, 0}, Y, 8, 60, kIron);
  Mechanism m = read(p);
  GearDraft g;
  g.joints = {joint(m, "motor shaft"), joint(m, "input")};
  g.module = Field(3);
  g.width = Field(16);
  g.teeth = {Field(18), Field(54)};
  g.bore = {Field(16), Field(16)};
  g.backlash = Field(0.1);
  g.helix = Field(15);
  g.moveAxis = false;
  g.shift = {Field(0), Field(0)};
  m = need(withGears(m, g, home(m)), "spur pair");
  PlanetaryDraft d;
  d.name = "stage";
  d.seat = findByName(findByName(m.links, "frame")->seats, "spindle axis")->id;
  d.sun = 20;
  d.planet = 40;
  d.second = 20;
  d.ring = 80;
  d.planets = 3;
  d.module = Field(1.5);
  d.width = Field(10);
  d.inputLink = findByName(m.links, "input shaft")->id;
  m = need(withPlanetary(m, d, home(m)), "stage");
  // the carrier bears the chuck and the cask; the helical pair sits behind the stage
  Json j = text(m);
  for (Json& l : j["links"]) {
    for (Json& b : l["bodies"])
      if (b["name"] == "gear 18" || b["name"] == "gear 54")
        b["placement"]["at"][1] = b["placement"]["at"][1].get<double>() - 22;
    if (l["name"] != "stage carrier") continue;
    // its axes: z along the spindle
    const auto disc = [&](const char* name, double radius, double thickness, double bore, double at,
                          const char* colour) {
      l["bodies"].push_back({{"name", name},
                             {"element", "disc"},
                             {"radius", radius},
                             {"thickness", thickness},
                             {"bore", bore},
                             {"placement", {{"at", {0, 0, at}}, {"turn", {1, 0, 0, 0}}}},
                             {"colour", colour}});
    };
    disc("chuck", 52, 8, 0, 66, kIron);
    disc("staves", 66, 84, 112, 112, kOak);
    disc("hoop", 68.5, 12, 132, 90, kIron);
    disc("upper hoop", 68.5, 12, 132, 134, kIron);
    l["bodies"].push_back({{"name", "spindle"},
                           {"element", "cylinder"},
                           {"radius", 9},
                           {"length", 74},
                           {"placement", {{"at", {0, 0, 25}}, {"turn", {1, 0, 0, 0}}}}});
  }
  j["parameters"] = {{{"name", "motor_speed"}, {"value", "300 rpm"}}};
  j["drives"] = {{{"name", "motor"},
                  {"value", "motor shaft.turn"},
                  {"programme",
                   {{{"law", "run-up"}, {"speed", "motor_speed"}, {"acceleration", "1800 deg/s^2"}},
                    {{"law", "constant-speed"}, {"speed", "motor_speed"}, {"time", "4 s"}},
                    {{"law", "run-down"}, {"acceleration", "1800 deg/s^2"}}}}}};
  j["gauges"] = {
      {{"name", "cask speed"}, {"kind", "joint-rate"}, {"of", "stage carrier.turn"}},
      {{"name", "reduction"}, {"kind", "velocity-ratio"}, {"of", {"stage carrier.turn", "motor shaft.turn"}}},
      {{"name", "planet speed"}, {"kind", "joint-rate"}, {"of", "stage planet 1.turn"}}};
  // Willis: 18/54 of the motor's speed, over 1 + 80 x 40 / (20 x 20) = 9
  j["requirements"] = {
      {{"name", "one turn in 27"}, {"gauge", "reduction"}, {"measure", "always"}, {"min", -0.03704}, {"max", -0.03703}},
      {{"name", "cutting speed"}, {"gauge", "cask speed"}, {"measure", "min"}, {"min", "-12 rpm"}}};
  j["runs"] = {{{"name", "one cask"},
                {"duration", "6 s"},
                {"steps", 300},
                {"axis", "motor"},
                {"drives", {"motor"}},
                {"check", {"interference", "requirements", "stops"}}}};
  return write(folder, "cask-turner", j);
}

/// A screw of right and left hand draws two nuts together; arms lift a plate that clamps the head of a cask.
bool headClamp(const std::filesystem::path& folder) {
  Plan p("Head clamp");
  const double x0 = 92, rise = 60, pin = 24;  // nuts at +-x0, plate's pins at +-pin, so high above the screw
  p.link("frame", true);
  p.box("frame", "bed", {0, 0, -44}, {340, 90, 16}, kStone);
  for (double s : {-1.0, 1.0}) {
    p.bearing("frame", s < 0 ? "left bearing" : "right bearing", {s * 152, 0, 0}, X, 14, 18, 20);
    p.box("frame", s < 0 ? "left stand" : "right stand", {s * 152, 0, -26}, {20, 66, 22}, kStone);
    p.rod("frame", s < 0 ? "left post" : "right post", {s * 62, 38, 60}, Z, 6, 190, kIron);
  }
  p.rod("frame", "rail", {0, -26, -22}, X, 6, 290, kIron);
  p.box("frame", "top", {0, 20, 160}, {170, 90, 14}, kStone);
  p.joint("spindle", "revolute", "frame", "spindle", {0, 0, 0}, X, Z);
  p.body("spindle", "hand wheel", {{"element", "disc"}, {"radius", 38}, {"thickness", 10}, {"bore", 0}}, {178, 0, 0}, X,
         Z, kCopper);
  p.rod("spindle", "handle", {192, 0, 28}, X, 5, 28, kIron);
  p.rod("spindle", "journal", {157, 0, 0}, X, 7, 38, kIron);
  p.rod("spindle", "far journal", {-152, 0, 0}, X, 7, 28, kIron);
  p.joint("right nut", "prismatic", "frame", "right carriage", {x0, 0, 0}, X, Z);
  p.joint("left nut", "prismatic", "frame", "left carriage", {-x0, 0, 0}, X, Z);
  p.joint("lift", "prismatic", "frame", "plate", {0, 0, rise}, Z, X)["stops"] = {{"slide", {"-30 mm", "36 mm"}}};
  p.box("plate", "plate", {0, 0, rise + 18}, {150, 60, 14}, kTeal);
  p.body("plate", "lug", {{"element", "bar"}, {"length", 2 * pin}, {"width", 24}, {"thickness", 12}, {"bore", 8}},
         {-pin, 0, rise}, Y, X, kTeal);
  for (double s : {-1.0, 1.0}) {
    const std::string side = s < 0 ? "left" : "right";
    const Vec3 low(s * x0, 0, 0), high(s * pin, 0, rise), along = high - low;
    p.bearing(side + " carriage", "guide", {s * x0, -26, -22}, X, 12, 11, 26);
    p.box(side + " carriage", "bridge", {s * x0, -14, -17}, {14, 9, 14}, kStone);
    for (double y : {-16.5, 16.5})
      p.rod(side + " carriage", y < 0 ? "front pin" : "back pin", low + y * Y, Y, 4, 9, kIron);
    p.joint(side + " foot", "revolute", side + " carriage", side + " arm", low, Y, X);
    p.joint(side + " head", "revolute", side + " arm", "plate", high, Y, X);
    for (double y : {-18.0, 18.0})
      p.body(side + " arm", y < 0 ? "front bar" : "back bar",
             {{"element", "bar"}, {"length", along.norm()}, {"width", 18}, {"thickness", 6}, {"bore", 8}}, low + y * Y,
             Y, along, kTeal);
    p.rod(side + " arm", "pin", high, Y, 4, 42, kIron);
  }
  p.body("plate", "head of a cask", {{"element", "disc"}, {"radius", 62}, {"thickness", 14}, {"bore", 0}},
         {0, 0, rise + 32}, Z, X, kOak);
  Mechanism m = read(p);
  ScrewDraft d;
  d.turn = joint(m, "spindle");
  d.slides = {joint(m, "right nut"), joint(m, "left nut")};
  d.lead = Field(5);
  d.diameter = Field(16);
  d.length = Field(280);
  m = need(withScrew(m, d, home(m)), "screw");
  Json j = text(m);
  j["drives"] = {{{"name", "hand"},
                  {"value", "spindle.turn"},
                  {"programme",
                   {{{"law", "poly-345"}, {"by", "5 rev"}, {"time", "4 s"}},
                    {{"law", "dwell"}, {"time", "1 s"}},
                    {{"law", "poly-345"}, {"by", "-5 rev"}, {"time", "3 s"}}}}}};
  j["gauges"] = {{{"name", "lift of the plate"}, {"kind", "joint-value"}, {"of", "lift.slide"}},
                 {{"name", "gain"}, {"kind", "velocity-ratio"}, {"of", {"lift.slide", "right nut.slide"}}},
                 {{"name", "right nut"}, {"kind", "joint-value"}, {"of", "right nut.slide"}}};
  j["requirements"] = {
      {{"name", "clamps the head"}, {"gauge", "lift of the plate"}, {"measure", "max"}, {"min", "15 mm"}},
      {{"name", "nuts stay on the screw"}, {"gauge", "right nut"}, {"measure", "min"}, {"min", "-60 mm"}}};
  j["runs"] = {{{"name", "clamp and release"},
                {"duration", "8 s"},
                {"steps", 240},
                {"drives", {"hand"}},
                {"check", {"interference", "requirements", "stops"}},
                // threads that run in one another: their flanks meet all along
                {"pairs",
                 {{"leave_out", Json::array({Json::array({"spindle", "right carriage"}),
                                             Json::array({"spindle", "left carriage"})})}}}}};
  return write(folder, "head-clamp", j);
}

/// A worm turns the feed shaft; its pinion lowers the rack with the borer into the bung stave.
bool bungBorer(const std::filesystem::path& folder) {
  Plan p("Bung borer");
  p.link("frame", true);
  p.box("frame", "base", {20, 0, -192}, {260, 130, 20}, kStone);
  p.box("frame", "column", {-86, 0, -70.5}, {32, 60, 223}, kStone);
  p.box("frame", "upright", {-86, 40, -41}, {32, 18, 282}, kStone);
  p.box("frame", "arm", {-41, 40, 88}, {98, 18, 24}, kStone);
  p.bearing("frame", "worm bearing", {-86, -2, 60}, X, 12, 19, 32);
  p.joint("stave", "fixed", "frame", "bilge stave", {29, 0, -150}, Z, X);
  p.body("bilge stave", "stave", {{"element", "box"}, {"size", {90, 120, 16}}}, {29, 0, -150}, Z, X, kOak);
  for (double x : {-6.0, 64.0}) p.box("frame", x < 0 ? "left rail" : "right rail", {x, 0, -170}, {14, 110, 24}, kStone);
  p.joint("worm shaft", "revolute", "frame", "worm shaft", {0, -2, 60}, X, Z);
  p.rod("worm shaft", "shaft", {-42, -2, 60}, X, 6, 136, kIron);
  p.joint("feed shaft", "revolute", "frame", "feed shaft", {0, 0, 0}, Y, X);
  p.rod("feed shaft", "shaft", {0, 12, 0}, Y, 8, 96, kIron);
  p.joint("quill", "prismatic", "frame", "quill", {24, 40, 10}, Z, X)["stops"] = {{"slide", {"-90 mm", "20 mm"}}};
  p.joint("borer", "revolute", "quill", "borer", {44, 40, -60}, Z, X);
  p.body("borer", "bit", {{"element", "cylinder"}, {"radius", 11}, {"length", 46}}, {44, 40, -84}, Z, X, kCopper);
  p.rod("borer", "spindle", {44, 40, -20}, Z, 8, 90, kIron);
  Mechanism m = read(p);
  GearDraft worm;
  worm.kind = GearDraft::Kind::worm;
  worm.joints = {joint(m, "worm shaft"), joint(m, "feed shaft")};
  worm.module = Field(2);
  worm.teeth = {Field(2), Field(40)};
  worm.helix = Field(10);
  worm.width = Field(16);
  worm.bore = {Field(12), Field(16)};
  m = need(withGears(m, worm, home(m)), "worm");
  GearDraft rack;
  rack.kind = GearDraft::Kind::rack;
  rack.joints = {joint(m, "feed shaft"), joint(m, "quill")};
  rack.module = Field(2);
  rack.teeth = {Field(18), Field(24)};
  rack.width = Field(14);
  rack.backlash = Field(0.08);
  rack.bore = {Field(16), Field(0)};
  m = need(withGears(m, rack, home(m)), "rack");
  // the pinion sits behind the wheel on the same shaft, the rack before it
  Json j = text(m);
  for (Json& l : j["links"])
    for (Json& b : l["bodies"])
      if (b["name"] == "pinion 18" || b["name"] == "rack")
        b["placement"]["at"][1] = b["placement"]["at"][1].get<double>() + 40;
  // where the worm has put the feed shaft
  double height = 0;
  for (const Json& l : j["links"])
    if (l["name"] == "feed shaft") height = l["placement"]["at"][2].get<double>();
  const auto place = [](double x, double y, double z, const Vec3& along) {
    Mat3 axes = Mat3::Identity();
    axesFrom(along, anyPerpendicular(along), axes);
    const Quat q(axes);
    return Json{{"at", {x, y, z}}, {"turn", {q.w(), q.x(), q.y(), q.z()}}};
  };
  const auto ring = [&](const char* name, double radius, double thickness, double bore, const Json& at) {
    return Json{{"name", name}, {"element", "disc"}, {"radius", radius}, {"thickness", thickness},
                {"bore", bore}, {"placement", at},   {"colour", kStone}};
  };
  const auto block = [&](const char* name, const Vec3& size, const Json& at, const char* colour) {
    return Json{{"name", name},
                {"element", "box"},
                {"size", {size.x(), size.y(), size.z()}},
                {"placement", at},
                {"colour", colour}};
  };
  for (Json& l : j["links"]) {
    if (l["name"] == "quill") {
      l["bodies"].push_back(block("sleeve", {8, 22, 120}, place(28, 40, 10, Z), kTeal));
      for (const double z : {-40.0, 10.0})
        l["bodies"].push_back(ring(z < 0 ? "lower bearing" : "upper bearing", 14, 14, 16.4, place(44, 40, z, Z)));
    }
    if (l["name"] == "frame") {
      l["bodies"].push_back(ring("feed bearing", 15, 12, 16.4, place(0, -26, height, Y)));
      l["bodies"].push_back(block("feed bracket", {58, 12, 18}, place(-43, -26, height, Z), kStone));
    }
  }
  j["drives"] = {{{"name", "feed motor"},
                  {"value", "worm shaft.turn"},
                  {"programme",
                   {{{"law", "trapezoid-speed"}, {"by", "-10 rev"}, {"time", "4 s"}},
                    {{"law", "dwell"}, {"time", "0.5 s"}},
                    {{"law", "trapezoid-speed"}, {"by", "10 rev"}, {"time", "2 s"}}}}},
                 {{"name", "bit motor"},
                  {"value", "borer.turn"},
                  {"programme", {{{"law", "constant-speed"}, {"speed", "600 rpm"}, {"time", "6.5 s"}}}}}};
  j["gauges"] = {{{"name", "depth"}, {"kind", "joint-value"}, {"of", "quill.slide"}},
                 {{"name", "feed rate"}, {"kind", "joint-rate"}, {"of", "quill.slide"}},
                 {{"name", "feed shaft speed"}, {"kind", "joint-rate"}, {"of", "feed shaft.turn"}}};
  // 10 turns of a worm of 2 starts on 40 teeth: half a turn of a pinion of 18 mm radius, 56.5 mm
  j["requirements"] = {
      {{"name", "through the stave"}, {"gauge", "depth"}, {"measure", "range"}, {"min", "56 mm"}, {"max", "57 mm"}},
      {{"name", "slow enough"}, {"gauge", "feed rate"}, {"measure", "always"}, {"min", "-25 mm/s"}}};
  j["runs"] = {{{"name", "one bung hole"},
                {"duration", "6.5 s"},
                {"steps", 260},
                {"drives", {"feed motor", "bit motor"}},
                {"check", {"interference", "requirements", "stops"}},
                // the bit is there to go through the stave
                {"pairs", {{"leave_out", Json::array({Json::array({"borer", "bilge stave"})})}}}}};
  return write(folder, "bung-borer", j);
}

}  // namespace

bool makeMachineDemos(const std::filesystem::path& folder) {
  return crozeCutter(folder) && caskTurner(folder) && headClamp(folder) && bungBorer(folder);
}

}  // namespace cooperage::demo
