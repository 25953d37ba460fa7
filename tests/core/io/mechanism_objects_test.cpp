// SPDX-License-Identifier: GPL-3.0-or-later
// Curves, contacts, carriers, tables and formulas come back from a file as they went in, and keep their names on
// renames.
#include <gmock/gmock.h>

#include "../maker.h"
#include "model/edits.h"

namespace cooperage::io {
namespace {

using namespace cooperage::test;
using testing::HasSubstr;

Maker everything() {
  Maker m;
  m.hinge("a", "g", "cam", 0, 0);
  m.hinge("b", "g", "lever", 0.1, 0);
  m.hinge("p", "lever", "wheel", 0.1, 0.1);
  m.seat("cam", "plane", Vec3::Zero(), Vec3::UnitZ(), Vec3::UnitX());
  m.seat("lever", "tip", {0, 0.05, 0});
  m.find("cam")["curves"] = {
      {{"name", "disc"}, {"seat", "plane"}, {"kind", "circle"}, {"centre", {"12 mm", 0}}, {"radius", "30 mm"}},
      {{"name", "wave"},
       {"seat", "plane"},
       {"kind", "formula"},
       {"u", {"-0.2", "0.2"}},
       {"x", "u*1 m"},
       {"y", "12 mm*sin(45*u)"},
       {"z", "0 mm"}},
      {{"name", "ring"},
       {"seat", "plane"},
       {"kind", "chain"},
       {"closed", false},
       {"pieces",
        {{{"line", {{0, 0}, {9, 0}}}},
         {{"arc", {{"from", {9, 0}}, {"to", {9, 8}}, {"centre", {9, 4}}, {"ccw", true}}}},
         {{"line", {{9, 8}, {0, 8}}}}}}}};
  m.add("cam_pairs", {{"name", "lift"},
                      {"kind", "roller"},
                      {"cam", "cam/disc"},
                      {"follower", "lever/tip"},
                      {"radius", "8 mm"},
                      {"side", "outside"}});
  m.add("couplings", {{"name", "gear"},
                      {"kind", "gear"},
                      {"values", {"a.turn", "p.turn"}},
                      {"teeth", {20, 31}},
                      {"carrier", "lever"},
                      {"module", "2 mm"},
                      {"type", "spur"}});
  m.add("couplings", {{"name", "law"}, {"kind", "formula"}, {"value", "p.turn"}, {"formula", "2*a.turn"}});
  m.add("couplings",
        {{"name", "steps"},
         {"kind", "table"},
         {"values", {"a.turn", "b.turn"}},
         {"interpolation", "periodic"},
         {"points", Json::array({Json::array({0, 0}), Json::array({"90 deg", 1}), Json::array({"360 deg", 2})})}});
  m.add("joints", {{"name", "track"},
                   {"kind", "point-curve"},
                   {"between", {"cam/plane", "wheel/p"}},
                   {"curve", "wave"},
                   {"enabled", false}});
  m.gauge("phi", "pressure-angle", "lift");
  return m;
}

TEST(MechanismObjects, SavingIsIdentity) {
  const auto m = everything().read();
  const std::string once = writeCoop(m), twice = writeCoop(*readCoop(once));
  EXPECT_EQ(once, twice);
  const Json in = everything().json(), out = Json::parse(once);
  for (const char* list : {"couplings", "cam_pairs", "gauges"})
    for (std::size_t i = 0; i < in[list].size(); ++i)
      for (const auto& [key, value] : in[list][i].items()) {
        if (value == Json("spur") || value == Json("outside") || value == Json("roller"))
          continue;  // may be left out as the plain case
        EXPECT_TRUE(out[list][i].contains(key)) << list << " " << key;
      }
  EXPECT_EQ(out["links"][1]["curves"].size(), 3u);
  EXPECT_EQ(out["links"][1]["curves"][1]["y"], "12 mm*sin(45*u)");
}

TEST(MechanismObjects, ARenameReachesThemAll) {
  auto m = everything().read();
  const auto cam = model::findByName(m.links, "cam")->id, shaft = model::findByName(m.joints, "a")->id;
  m = model::renamed(m, cam, "plate").value();
  m = model::renamed(m, shaft, "shaft").value();
  const std::string text = writeCoop(m);
  EXPECT_THAT(text, HasSubstr("plate/disc"));
  EXPECT_THAT(text, HasSubstr("2*shaft.turn"));
  EXPECT_THAT(text, testing::Not(HasSubstr("\"cam/")));
  EXPECT_TRUE(readCoop(text).ok());
}

TEST(MechanismObjects, MissingPartsAreNamed) {
  const auto problem = [](const std::function<void(Json&)>& spoil) {
    Maker m = everything();
    spoil(m.json());
    const auto read = readCoop(m.text());
    if (!read.ok()) return read.error().text;
    const auto r = model::resolve(*read);
    return r.ok() ? std::string("fine") : r.error().object + ": " + r.error().text;
  };
  EXPECT_EQ(problem([](Json&) {}), "fine");
  EXPECT_THAT(problem([](Json& j) { j["cam_pairs"][0]["cam"] = "cam/none"; }), HasSubstr("none"));
  EXPECT_THAT(problem([](Json& j) { j["cam_pairs"][0]["follower"] = "lever/none"; }), HasSubstr("none"));
  EXPECT_THAT(problem([](Json& j) { j["cam_pairs"][0]["radius"] = 0; }), HasSubstr("radius"));
  EXPECT_THAT(problem([](Json& j) { j["couplings"][0]["carrier"] = "nobody"; }), HasSubstr("nobody"));
  EXPECT_THAT(problem([](Json& j) { j["couplings"][1]["formula"] = "2*p.turn"; }),
              HasSubstr("names the value that it gives"));
  EXPECT_THAT(problem([](Json& j) { j["links"][1]["curves"][0]["radius"] = -1; }), HasSubstr("radius"));
  EXPECT_THAT(problem([](Json& j) {
                j["links"][1]["curves"][2]["pieces"][2]["line"] = {{9, 8.5}, {0, 8}};
              }),
              HasSubstr("ring"));
}

}  // namespace
}  // namespace cooperage::io
