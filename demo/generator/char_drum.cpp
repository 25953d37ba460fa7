// SPDX-License-Identifier: GPL-3.0-or-later
#include "char_drum.h"

#include <cmath>
#include <cstdio>
#include <nlohmann/json.hpp>

#include "base/geometry.h"
#include "io/coop_file.h"
#include "model/resolve.h"

namespace cooperage::demo {
namespace {

using Json = nlohmann::ordered_json;
constexpr const char *kStone = "#b8b0a3", *kIron = "#5e5952", *kCopper = "#c27530", *kTeal = "#5f8d82",
                     *kSlate = "#6d7f95", *kOak = "#c7a168";
constexpr double kLean = 20 * kPi / 180, kLength = 160;

Json triple(const Vec3& v) { return {v.x(), v.y(), v.z()}; }
Json seat(const char* name, const Vec3& at, const Vec3& axis, const Vec3& ref) {
  return {{"name", name}, {"at", triple(at)}, {"axis", triple(axis)}, {"ref", triple(ref)}};
}
Json turned(const Quat& q) { return {q.w(), q.x(), q.y(), q.z()}; }

/// Bodies along a shaft that points along x, or leans towards y.
class Shaft {
 public:
  Shaft(const Vec3& from, double lean) : from_(from), turn_(Eigen::AngleAxisd(lean, Vec3::UnitZ())) {}
  Json round(const char* name, double radius, double begin, double end, const char* colour) const {
    return place({{"name", name}, {"element", "cylinder"}, {"radius", radius}, {"length", end - begin}},
                 Vec3(0.5 * (begin + end), 0, 0), Quat(Eigen::AngleAxisd(kPi / 2, Vec3::UnitY())), colour);
  }
  Json arm(const char* name, double begin, double end, const Vec3& to, const char* colour) const {
    const bool y = to.y() != 0;
    return place({{"name", name}, {"element", "box"}, {"size", {end - begin, y ? 7.0 : 16.0, y ? 16.0 : 7.0}}},
                 Vec3(0.5 * (begin + end), 0, 0) + to, Quat::Identity(), colour);
  }

 private:
  Json place(Json body, const Vec3& at, const Quat& turn, const char* colour) const {
    body["placement"] = {{"at", triple(from_ + turn_ * at)}, {"turn", turned(turn_ * turn)}};
    body["colour"] = colour;
    return body;
  }
  Vec3 from_;
  Quat turn_;
};

}  // namespace

bool makeCharDrum(const std::filesystem::path& folder) {
  const Vec3 along(std::cos(kLean), std::sin(kLean), 0), across(-std::sin(kLean), std::cos(kLean), 0);
  const Vec3 x = Vec3::UnitX(), y = Vec3::UnitY(), z = Vec3::UnitZ(), zero = Vec3::Zero(), end = kLength * along,
             wall = 0.5 * kLength * along;
  Json j{{"format", "cooperage"}, {"version", 1}, {"title", "Char drum"}};
  j["units"] = {{"length", "mm"}, {"angle", "deg"}, {"mass", "kg"}, {"time", "s"}, {"force", "N"}};
  Json casing{{"name", "casing"}, {"ground", true}};
  const Quat facing(Eigen::AngleAxisd(kPi / 2, Vec3::UnitY()));
  casing["seats"] = {seat("motor side", Vec3(-60, 0, 0), x, y), seat("drum side", end + Vec3(40, 0, 0), x, y)};
  Json wallBody{{"name", "wall"}, {"element", "disc"}, {"radius", 62}, {"thickness", 6}, {"bore", 30}};
  wallBody["placement"] = {{"at", triple(wall)}, {"turn", turned(facing)}};
  wallBody["colour"] = kStone;
  Json bed{{"name", "bed"}, {"element", "box"}, {"size", {460, 220, 12}}};
  bed["placement"] = {{"at", {130, 30, -104}}, {"turn", {1, 0, 0, 0}}};
  bed["colour"] = kStone;
  Json foot{{"name", "foot of the wall"}, {"element", "box"}, {"size", {6, 70, 50}}};
  foot["placement"] = {{"at", {wall.x(), wall.y(), -74}}, {"turn", {1, 0, 0, 0}}};
  foot["colour"] = kStone;
  casing["bodies"] = {bed, wallBody, foot};

  const Shaft input(zero, 0), middle(zero, kLean), output(end, 0);
  Json in{{"name", "input"}};
  in["seats"] = {seat("bearing", Vec3(-60, 0, 0), x, y), seat("fork", zero, x, y)};
  in["bodies"] = {input.round("shaft", 11, -130, -22, kIron), input.round("hub", 25, -22, -15, kIron),
                  input.arm("arm 1", -16, 6, 20 * y, kIron), input.arm("arm 2", -16, 6, -20 * y, kIron)};
  Json mid{{"name", "intermediate shaft"}};
  mid["seats"] = {seat("fork 1", zero, along, across), seat("fork 2", end, along, z)};
  mid["bodies"] = {middle.round("shaft", 10, 20, kLength - 20, kCopper),
                   middle.round("hub 1", 25, 17, 24, kCopper),
                   middle.arm("arm 1", -6, 18, 20 * z, kCopper),
                   middle.arm("arm 2", -6, 18, -20 * z, kCopper),
                   middle.round("hub 2", 25, kLength - 24, kLength - 17, kCopper),
                   middle.arm("arm 3", kLength - 18, kLength + 6, 20 * z, kCopper),
                   middle.arm("arm 4", kLength - 18, kLength + 6, -20 * z, kCopper)};
  Json drum{{"name", "drum"}};
  drum["seats"] = {seat("bearing", end + Vec3(40, 0, 0), x, y), seat("fork", end, x, -z)};
  drum["bodies"] = {output.round("shaft", 11, 22, 60, kTeal),   output.round("hub", 25, 15, 22, kTeal),
                    output.arm("arm 1", -6, 16, 20 * y, kTeal), output.arm("arm 2", -6, 16, -20 * y, kTeal),
                    output.round("drum", 92, 60, 190, kSlate),  output.round("cask", 60, 190, 205, kOak)};
  j["links"] = {casing, in, mid, drum};
  const auto joint = [](const char* name, const char* kind, const char* a, const char* b) {
    return Json{{"name", name}, {"kind", kind}, {"between", {a, b}}};
  };
  j["joints"] = {joint("motor", "revolute", "casing/motor side", "input/bearing"),
                 joint("first cross", "universal", "input/fork", "intermediate shaft/fork 1"),
                 joint("second cross", "universal", "intermediate shaft/fork 2", "drum/fork"),
                 joint("drum bearing", "revolute", "casing/drum side", "drum/bearing")};
  j["drives"] = {{{"name", "gear motor"},
                  {"value", "motor.turn"},
                  {"programme", {{{"law", "constant-speed"}, {"speed", "20 rpm"}, {"time", "3 s"}}}}}};
  j["gauges"] = {{{"name", "shaft to casing"}, {"kind", "clearance"}, {"of", {"casing", "intermediate shaft"}}},
                 {{"name", "drum to casing"}, {"kind", "clearance"}, {"of", {"casing", "drum"}}},
                 {{"name", "drum speed"}, {"kind", "joint-rate"}, {"of", "drum bearing.turn"}}};
  j["requirements"] = {
      {{"name", "shaft clears the wall"}, {"gauge", "shaft to casing"}, {"measure", "min"}, {"min", "3 mm"}},
      {{"name", "drum clears the bed"}, {"gauge", "drum to casing"}, {"measure", "min"}, {"min", "5 mm"}}};
  j["runs"] = {{{"name", "one turn"},
                {"duration", "3 s"},
                {"steps", 180},
                {"axis", "gear motor"},
                {"accuracy", "0.05 mm"},
                {"check", {"interference", "clearance", "requirements"}}}};
  const auto m = io::readCoop(j.dump());
  if (!m.ok()) {
    std::fprintf(stderr, "char drum: %s\n", m.error().text.c_str());
    return false;
  }
  std::filesystem::create_directories(folder / "char-drum");
  return io::writeFile(folder / "char-drum" / "char-drum.coop", io::writeCoop(*m)).ok();
}

}  // namespace cooperage::demo
