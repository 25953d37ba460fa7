// SPDX-License-Identifier: GPL-3.0-or-later
#include <gmock/gmock.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cmath>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <sstream>

#include "../core/support.h"
#include "../scratch_folder.h"

namespace cooperage {
namespace {

using testing::HasSubstr;
namespace fs = std::filesystem;

struct Answer {
  int code = -1;
  std::string out, err;
};

class Cli : public testing::Test {
 protected:
  static std::string text(const fs::path& p) {
    std::ifstream in(p, std::ios::binary);
    std::ostringstream s;
    s << in.rdbuf();
    return s.str();
  }
  Answer cli(const std::string& arguments) {
    const std::string command = std::string(COOPERAGE_CLI) + " " + arguments + " >" + (folder_ / "out").string() +
                                " 2>" + (folder_ / "err").string();
    const int status = std::system(command.c_str());
    return {WIFEXITED(status) ? WEXITSTATUS(status) : 128, text(folder_ / "out"), text(folder_ / "err")};
  }
  std::string write(const std::string& name, const std::string& content) {
    std::ofstream(folder_ / name, std::ios::binary) << content;
    return (folder_ / name).string();
  }
  static std::vector<std::vector<double>> table(const std::string& csv, std::vector<std::string>& head) {
    std::istringstream in(csv);
    std::string line, cell;
    std::vector<std::vector<double>> rows;
    for (bool first = true; std::getline(in, line); first = false) {
      std::istringstream cells(line);
      std::vector<double> row;
      while (std::getline(cells, cell, ',')) {
        if (first)
          head.push_back(cell);
        else
          row.push_back(std::stod(cell));
      }
      if (!first) rows.push_back(row);
    }
    return rows;
  }
  const test::ScratchFolder folder_;
  const std::string demo_ = std::string(COOPERAGE_DEMO) + "/hoop-press/hoop-press.coop";
};

/// The press in closed form: the knuckle is where two circles meet, the ram one toggle below on the axis. All in mm,
/// crank angle q; derivatives by the rules of calculus.
Jet ramHeight(const Jet& q) {
  const double ox = 0, oz = 560, cx = 175, cz = 452, toggle = 120, crank = 34, rod = 136;
  const Jet bx = Jet(cx) + Jet(crank) * cos(q), bz = Jet(cz) + Jet(crank) * sin(q);
  const Jet dx = bx - Jet(ox), dz = bz - Jet(oz), d = sqrt(dx * dx + dz * dz);
  const Jet a = (Jet(toggle * toggle - rod * rod) + d * d) / (Jet(2) * d), h = sqrt(Jet(toggle * toggle) - a * a);
  const Jet kx = Jet(ox) + (a * dx + h * dz) / d, kz = Jet(oz) + (a * dz - h * dx) / d;
  return kz - sqrt(Jet(toggle * toggle) - kx * kx);
}

TEST_F(Cli, TheKnucklePressEqualsTheClosedFormAtEveryStepOfTheTable) {
  const auto a = cli("run " + demo_ + " --table -");
  ASSERT_EQ(a.code, 0) << a.err;
  std::vector<std::string> head;
  const auto rows = table(a.out, head);
  ASSERT_EQ(rows.size(), 361u);
  const auto at = [&](const std::string& name) {
    const auto it = std::find(head.begin(), head.end(), name);
    EXPECT_NE(it, head.end()) << name;
    return static_cast<std::size_t>(it - head.begin());
  };
  const std::size_t z = at("ram guide.slide [mm]"), v = at("ram speed [mm/s]"), acc = at("ram acceleration [mm/s^2]");
  double worst[3] = {0, 0, 0}, size[3] = {0, 0, 0};
  for (std::size_t i = 0; i < rows.size(); ++i) {
    const double w = kPi;  // 30 rpm
    const Jet p = ramHeight(Jet(w * 2.0 * static_cast<double>(i) / 360, w, 0, 0));
    const double expected[3] = {p.v - 320, p.d1, p.d2}, got[3] = {rows[i][z], rows[i][v], rows[i][acc]};
    for (int k = 0; k < 3; ++k) {
      worst[k] = std::max(worst[k], std::abs(expected[k] - got[k]));
      size[k] = std::max(size[k], std::abs(expected[k]));
    }
  }
  for (int k = 0; k < 3; ++k) EXPECT_LT(worst[k] / size[k], 1e-9) << k;
}

TEST_F(Cli, ASliderCrankOfOurOwnSizesEqualsTheClosedForm) {
  const auto file = write("crank.coop", test::sliderCrank(27, 95, -6, 0));
  const auto a = cli("run " + file + " --table " + (folder_ / "t.csv").string());
  ASSERT_EQ(a.code, 0) << a.err;
  EXPECT_TRUE(a.out.empty());
  std::vector<std::string> head;
  const auto rows = table(text(folder_ / "t.csv"), head);
  const auto column =
      static_cast<std::size_t>(std::find(head.begin(), head.end(), "slide.slide acc [mm/s^2]") - head.begin());
  double worst = 0, size = 0;
  for (std::size_t i = 0; i < rows.size(); ++i) {
    const Jet q(2 * kPi * static_cast<double>(i) / 72, 2 * kPi, 0, 0), y = Jet(27) * sin(q) - Jet(-6);
    const Jet x = Jet(27) * cos(q) + sqrt(Jet(95 * 95) - y * y);
    worst = std::max(worst, std::abs(rows[i][column] - x.d2));
    size = std::max(size, std::abs(x.d2));
  }
  EXPECT_LT(worst / size, 1e-9);
}

TEST_F(Cli, TheCheckFindsTheGuardAndMovingItClears) {
  const auto a = cli("check " + demo_ + " --json --junit " + (folder_ / "j.xml").string());
  EXPECT_EQ(a.code, 1) << a.err;
  const auto j = nlohmann::json::parse(a.out);
  ASSERT_EQ(j["interference"].size(), 1u);
  EXPECT_EQ(j["interference"][0]["links"], (nlohmann::json{"rod", "guard"}));
  const double from = j["interference"][0]["from"], to = j["interference"][0]["to"],
               at = j["interference"][0]["deepest"]["at"];
  EXPECT_LT(from, at);
  EXPECT_LT(at, to);
  for (const auto& q : j["requirements"]) EXPECT_TRUE(q["met"]) << q;
  EXPECT_THAT(text(folder_ / "j.xml"), HasSubstr("rod - guard"));
  const auto plain = cli("check " + demo_);
  EXPECT_EQ(plain.code, 1);
  EXPECT_TRUE(plain.out.empty());
  EXPECT_THAT(plain.err, HasSubstr("rod - guard"));
  EXPECT_EQ(cli("check " + demo_ + " --set \"guard_gap=27 mm\"").code, 0);
}

TEST_F(Cli, InfoCountsAndNamesAsJson) {
  const auto a = cli("info " + demo_ + " --json");
  EXPECT_EQ(a.code, 0);
  const auto j = nlohmann::json::parse(a.out);
  EXPECT_EQ(j["freedoms"], 1);
  EXPECT_EQ(j["driven"], 1);
  EXPECT_EQ(j["left"], 0);
  EXPECT_EQ(j["redundant"], 6);  // two planar loops
  EXPECT_FALSE(j["redundant_joints"].empty());
}

// Gears, worms, racks and cams that run in one another meet nowhere they shouldn't; what is meant to is left out by
// name.
TEST_F(Cli, TheMachineDemosCheckInterference) {
  for (const char* name : {"croze-cutter", "cask-turner", "head-clamp", "bung-borer"}) {
    const auto a = cli("check " + std::string(COOPERAGE_DEMO) + "/" + name + "/" + name + ".coop --json");
    ASSERT_EQ(a.code, 0) << name << a.out << a.err;
    const auto j = nlohmann::json::parse(a.out);
    EXPECT_TRUE(j["interference"].empty());
    EXPECT_GT(j["free"]["pairs"].get<int>(), 3) << name;
    EXPECT_TRUE(j["within_accuracy"].empty());
    // rollers on cams are followed without a proof
    EXPECT_EQ(j["proven_share"], std::string(name) == "croze-cutter" ? 0 : 1) << name;
  }
}

TEST_F(Cli, AnEnvelopeIsWrittenAsStlWithItsBounds) {
  const auto a =
      cli("envelope " + demo_ + " --links guard,cask --clearance \"1 mm\" --accuracy \"1 mm\" --outline z -o " +
          (folder_ / "e.stl").string() + " --json");
  ASSERT_EQ(a.code, 0) << a.err;
  EXPECT_THAT(a.err, HasSubstr(" poses, accuracy 1 mm: about "));  // told before it starts
  const auto j = nlohmann::json::parse(a.out);
  EXPECT_LE(j["bound"][0].get<double>(), j["volume"].get<double>());
  EXPECT_GE(j["bound"][1].get<double>(), j["volume"].get<double>());
  // shadow from above, grown by 1 mm: the cask's belly and, beside it, the guard of 6 x 44 mm
  const double shadow = kPi * 0.086 * 0.086 + 0.008 * 0.046;
  EXPECT_NEAR(j["outline_area"].get<double>(), shadow, 0.03 * shadow);
  EXPECT_GT(fs::file_size(folder_ / "e.stl"), 84u);
}

TEST_F(Cli, UnusableInputIsExit2WithOneLine) {
  const std::string crank = text(fs::path(COOPERAGE_DEMO) / "hoop-press/parts/crank.step");
  const auto refused = [&](const std::string& arguments, const std::string& says) {
    const auto a = cli(arguments);
    EXPECT_EQ(a.code, 2) << arguments;
    EXPECT_EQ(std::count(a.err.begin(), a.err.end(), '\n'), 1) << a.err;
    EXPECT_THAT(a.err, HasSubstr(says));
  };
  const std::string out = " -o " + (folder_ / "o.coop").string();
  refused("import " + write("cut.step", crank.substr(0, crank.size() / 2)) + out, "cut off");
  refused("import " + write("empty.step", "") + out, "empty");
  std::string damaged = crank;
  const auto from = damaged.find("\n#", damaged.size() / 2), to = damaged.find("\n#", from + 900);
  damaged.erase(from, to - from);
  refused("import " + write("damaged.step", damaged) + out, "damaged");
  refused("run " + write("empty.coop", ""), "empty");
  refused(
      "run " +
          write(
              "a.coop",
              R"({"format":"cooperage","version":1,"joints":[{"name":"j","kind":"revolute","between":["gone/a","gone/b"]}]})"),
      "no link 'gone'");
  refused(
      "run " +
          write(
              "b.coop",
              R"({"format":"cooperage","version":1,"parameters":[{"name":"a","value":"b"},{"name":"b","value":"a"}]})"),
      "circle");
  refused(
      "info " +
          write("c.coop",
                R"({"format":"cooperage","version":1,"links":[{"name":"l","seats":[{"name":"s","axis":[0,0,0]}]}]})"),
      "axis is zero");
  refused("info " + (folder_ / "none.coop").string(), "can't be opened");
  refused("run " + demo_ + " --run other", "no run 'other'");
  refused("run " + demo_ + " --set nothing=1", "no parameter 'nothing'");
  refused(
      "check " +
          write(
              "d.coop",
              R"({"format":"cooperage","version":1,"links":[{"name":"l","bodies":[{"name":"b","file":"none.step"}]}],"runs":[{"name":"r","duration":1,"steps":2}]})"),
      "none.step");
  const auto json = cli("info " + (folder_ / "b.coop").string() + " --json");
  EXPECT_EQ(json.code, 2);
  EXPECT_EQ(nlohmann::json::parse(json.out)["messages"].size(), 1u);
}

TEST_F(Cli, ATravelThatCantBeCompletedIsExit1AndSaysWhere) {
  const auto a = cli("run " + write("dead.coop", test::sliderCrank(34, 30, 0, 10)) + " --json");
  EXPECT_EQ(a.code, 1);
  const auto j = nlohmann::json::parse(a.out);
  EXPECT_FALSE(j["completed"]);
  EXPECT_EQ(j["ended"]["kind"], "dead-point");
  EXPECT_NEAR(j["ended"]["at"].get<double>(), std::asin(30.0 / 34), 1e-9);
}

TEST_F(Cli, HomeThatCantCloseAndStopsBrokenAtHomeAreExit2) {
  auto text = test::sliderCrank(34, 120, 11, 40);
  const std::string guide = R"({"name":"guide","at":[0,11,0])";
  text.replace(text.find(guide), guide.size(), R"({"name":"guide","at":[0,400,0])");
  EXPECT_EQ(cli("run " + write("open.coop", text)).code, 2);
  auto stops = test::sliderCrank(34, 120, 0, 40);
  const std::string slide = R"("kind":"prismatic","between":["frame/guide","block/guide"])";
  stops.replace(stops.find(slide), slide.size(), slide + R"(,"stops":{"slide":[0,20]})");
  const auto a = cli("run " + write("stops.coop", stops));
  EXPECT_EQ(a.code, 2);
  EXPECT_THAT(a.err, HasSubstr("outside its stops"));
}

TEST_F(Cli, ImportAndExportGoRound) {
  ASSERT_EQ(cli("export " + demo_ + " --at \"90 deg\" -o " + (folder_ / "pose.step").string()).code, 0);
  ASSERT_EQ(cli("import " + (folder_ / "pose.step").string() + " -o " + (folder_ / "pose.coop").string()).code, 0);
  const auto m = io::loadCoop(folder_ / "pose.coop");
  ASSERT_TRUE(m.ok());
  EXPECT_EQ(m->links.size(), 13u) << "every solid a link: eight links, the cask of five solids, the toggle of two";
  EXPECT_TRUE(std::any_of(m->links.begin(), m->links.end(), [](const auto& l) { return l->name == "crank"; }));
}

TEST_F(Cli, ADrawingComesOntoSheets) {
  const std::string svg =
      write("d.svg", R"(<svg width="100mm" height="50mm" viewBox="0 0 100 50"><g id="arm"><path d="M0 0L30 40"/></g>
    <g id="bed"><circle cx="5" cy="5" r="2"/><text>x</text></g></svg>)");
  ASSERT_EQ(cli("import " + svg + " -o " + (folder_ / "d.coop").string()).code, 0);
  const auto m = io::loadCoop(folder_ / "d.coop");
  ASSERT_TRUE(m.ok()) << m.error().text;
  ASSERT_EQ(m->sheets.size(), 2u);
  EXPECT_EQ(m->sheets[0]->name, "arm");
  EXPECT_EQ(m->sheets[0]->file, "d.svg");
  EXPECT_EQ(cli("info " + (folder_ / "d.coop").string()).code, 0);
  const auto cut =
      cli("import " + write("cut.dxf", "0\nSECTION\n2\nENTITIES\n0\nLINE\n") + " -o " + (folder_ / "c.coop").string());
  EXPECT_EQ(cut.code, 2);
  EXPECT_THAT(cut.err, HasSubstr("cut.dxf: is cut off"));
}

TEST_F(Cli, OutputThatDoesNotArriveIsAnError) {
  const std::string file = write("c.coop", test::sliderCrank(20, 60, 0));
  for (const std::string& command :
       {"info " + file + " --json", "run " + file + " --json", "run " + file + " --table -"}) {
    const int status = std::system(
        (std::string(COOPERAGE_CLI) + " " + command + " >/dev/full 2>" + (folder_ / "err").string()).c_str());
    EXPECT_EQ(WEXITSTATUS(status), 3) << command;
    EXPECT_THAT(text(folder_ / "err"), HasSubstr("can't be written to standard output")) << command;
  }
}

TEST_F(Cli, WhatIsReadIsNeverWrittenOver) {
  const std::string content = test::sliderCrank(20, 60, 0), file = write("c.coop", content);
  fs::create_symlink(file, folder_ / "same.coop");
  for (const std::string& command :
       {"run " + file + " --table " + file, "run " + file + " --table " + (folder_ / "same.coop").string(),
        "check " + file + " --junit " + file, "export " + file + " -o " + file}) {
    const Answer a = cli(command);
    EXPECT_EQ(a.code, 2) << command;
    EXPECT_THAT(a.err, HasSubstr("would be overwritten")) << command;
    EXPECT_EQ(text(file), content) << command;
  }
}

TEST_F(Cli, AFileKeepsItsRightsAndALinkLeadsOn) {
  const std::string file = write("c.coop", test::sliderCrank(20, 60, 0)), table = write("t.csv", "old");
  fs::permissions(table, fs::perms::owner_read | fs::perms::owner_write);
  fs::create_symlink(table, folder_ / "link.csv");
  EXPECT_EQ(cli("run " + file + " --table " + (folder_ / "link.csv").string()).code, 0);
  EXPECT_TRUE(fs::is_symlink(folder_ / "link.csv"));
  EXPECT_THAT(text(table), HasSubstr("main.turn"));
  EXPECT_EQ(fs::status(table).permissions(), fs::perms::owner_read | fs::perms::owner_write);
  EXPECT_EQ(cli("run " + file + " --table /dev/null").code, 0);
  EXPECT_TRUE(fs::is_character_file("/dev/null"));
}

/// A flywheel on a shaft, held in two stiff bearings, with a mass that is typed and one of its solid.
std::string flywheel(const std::string& mass = "0.5 kg") {
  return R"({"format":"cooperage","version":1,"units":{"length":"mm","angle":"deg"},"gravity":[0,0,"-9.81 m/s^2"],
    "materials":[{"name":"bog oak","density":"900 kg/m^3"}],"links":[
    {"name":"frame","ground":true,"seats":[{"name":"a"},{"name":"b","at":[0,0,100]}]},
    {"name":"shaft","seats":[{"name":"a"},{"name":"b","at":[0,0,100]},{"name":"w","at":[0,0,50]}],
      "bodies":[{"name":"rim","element":"cylinder","radius":60,"length":20,"material":"bog oak"}]},
    {"name":"weight","placement":{"at":[40,0,50]},"seats":[{"name":"w","at":[-40,0,0]}],
      "mass":{"value":")" +
         mass + R"(","centre":[10,0,0],"inertia":["0.001 kg*m^2","0.001 kg*m^2","0.002 kg*m^2",0,0,0]}}],
    "joints":[{"name":"low","kind":"revolute","between":["frame/a","shaft/a"]},
      {"name":"high","kind":"revolute","between":["frame/b","shaft/b"]},
      {"name":"bolt","kind":"fixed","between":["shaft/w","weight/w"]}],
    "drives":[{"name":"m","value":"low.turn","programme":[{"law":"poly-345","by":"90 deg","time":"1 s"}]}],
    "gauges":[{"name":"T","kind":"drive-force","of":"m"},{"name":"P","kind":"drive-power","of":"m"},
      {"name":"Fz","kind":"reaction","of":"low","component":"fz"},
      {"name":"bolt fx","kind":"reaction","of":"bolt","component":"fx"},
      {"name":"E","kind":"energy","part":"kinetic"}],
    "runs":[{"name":"r","duration":"1 s","steps":20}]})";
}

TEST_F(Cli, MassesAndEffortsStandInInfoAndRun) {
  const auto file = write("wheel.coop", flywheel());
  const auto told = cli("info " + file + " --json");
  ASSERT_EQ(told.code, 0) << told.err;
  const auto info = nlohmann::json::parse(told.out);
  const auto& mass = info["mass"];
  ASSERT_EQ(mass.size(), 3u);
  EXPECT_EQ(mass[0]["mass"], 0.0) << "the frame has no density";
  EXPECT_TRUE(mass[0]["centre"].is_null());
  const double rim = 900 * kPi * 0.06 * 0.06 * 0.02, spin = rim * 0.06 * 0.06 / 2;
  EXPECT_NEAR(mass[1]["mass"].get<double>(), rim, 1e-9 * rim);
  EXPECT_NEAR(mass[1]["inertia"][2].get<double>(), spin, 1e-9 * spin);
  EXPECT_EQ(mass[2]["link"], "weight");
  EXPECT_DOUBLE_EQ(mass[2]["centre"][0].get<double>(), 0.01);

  const auto ran = cli("run " + file + " --json");
  ASSERT_EQ(ran.code, 0) << ran.err;
  const auto run = nlohmann::json::parse(ran.out);
  const auto column = [&](const std::string& head) {
    for (std::size_t i = 0; i < run["columns"].size(); ++i)
      if (run["columns"][i] == head) return i;
    ADD_FAILURE() << head << " is none of " << run["columns"];
    return std::size_t{0};
  };
  const double all = spin + 0.002 + 0.5 * 0.05 * 0.05;  // the weight's centre is 50 mm out
  for (const auto& row : run["rows"]) {
    const double acc = row[column("low.turn acc [rad/s^2]")], rate = row[column("low.turn rate [rad/s]")],
                 angle = row[column("low.turn [rad]")];
    EXPECT_NEAR(row[column("T [N*m]")].get<double>(), all * acc, 1e-10);
    EXPECT_NEAR(row[column("P [N*m/s]")].get<double>(), all * acc * rate, 1e-10);
    EXPECT_NEAR(row[column("E [N*m]")].get<double>(), 0.5 * all * rate * rate, 1e-10);
    EXPECT_NEAR(row[column("bolt fx [N]")].get<double>(),
                -0.5 * 0.05 * (acc * std::sin(angle) + rate * rate * std::cos(angle)), 1e-10);
    EXPECT_TRUE(row[column("Fz [N]")].is_null()) << "two bearings share the weight, nobody knows how";
  }
  const auto undetermined = std::find_if(run["messages"].begin(), run["messages"].end(),
                                         [](const auto& m) { return m["code"] == "undetermined"; });
  ASSERT_NE(undetermined, run["messages"].end());
  const std::string text = (*undetermined)["text"];
  EXPECT_THAT(text, HasSubstr("joint low"));
  EXPECT_THAT(text, HasSubstr("fz"));
  EXPECT_THAT(text, HasSubstr("could be")) << "the cure";
  EXPECT_THAT(ran.err, HasSubstr("undetermined"));

  const auto bad = cli("run " + write("bad.coop", flywheel("-1 kg")) + " --json");
  EXPECT_EQ(bad.code, 2);
  EXPECT_THAT(bad.err, HasSubstr("link weight: its mass is negative"));
}

TEST_F(Cli, AGaugeOfALaterKindIsAWarningAndIsKept) {
  std::string content = test::sliderCrank(20, 60, 0);
  const std::string gauge = R"({"name":"heat","kind":"drive-heat","of":"motor"},)";
  content.insert(content.find("\"gauges\":[") + 10, gauge);
  const std::string file = write("c.coop", content);
  const Answer a = cli("info " + file);
  EXPECT_EQ(a.code, 0);
  EXPECT_THAT(a.err, HasSubstr("warning: gauge heat"));
  EXPECT_THAT(io::writeCoop(test::read(content)), HasSubstr(R"("of": "motor")"));
}

// A bar whose length is a parameter: its far bore's seat was picked, and moves with the bore.
TEST_F(Cli, ASetParameterTakesPickedSeatsAlong) {
  const std::string rod = R"({"name":"rod","seats":[
      {"name":"near","at":[0,0,4],"axis":[0,0,-1],"ref":[1,0,0],"from":{"body":"rod","place":"axis end","kind":"cylinder",
       "inward":true,"at":["0 mm","0 mm","0 mm"],"axis":[0,0,-1],"radius":"4 mm","length":"8 mm","area":0.000201061929829747,
       "beside":"plane plane"}},
      {"name":"far","at":[150,0,4],"axis":[0,0,1],"ref":[1,0,0],"from":{"body":"rod","place":"centre","kind":"circle",
       "at":["150 mm","0 mm","4 mm"],"axis":[0,0,1],"radius":"4 mm","length":"25.132741228718 mm","beside":"cylinder plane"}}],
      "bodies":[{"name":"rod","element":"bar","length":"rod_length","width":20,"thickness":8,"bore":8}]})";
  const std::string file = write("rod.coop", R"({"format":"cooperage","version":1,"units":{"length":"mm","angle":"deg"},
    "parameters":[{"name":"rod_length","value":"150 mm"}],
    "links":[{"name":"g","ground":true,"seats":[{"name":"s","at":[0,0,4],"axis":[0,0,-1]}]},)" +
                                                 rod +
                                                 R"(],
    "joints":[{"name":"pin","kind":"revolute","between":["g/s","rod/near"]}],
    "drives":[{"name":"d","value":"pin.turn","programme":[{"law":"linear","to":90,"time":1}]}],
    "gauges":[{"name":"x","kind":"point-position","of":"rod/far","component":"x"},
     {"name":"z","kind":"point-position","of":"rod/far","component":"z"}],
    "runs":[{"name":"r","steps":3}]})");
  for (const double length : {150.0, 160.0, 90.0}) {
    const auto a = cli("run " + file + " --set rod_length=" + formatNumber(length) + "mm --table -");
    ASSERT_EQ(a.code, 0) << a.err;
    std::vector<std::string> head;
    const auto rows = table(a.out, head);
    const auto at = [&](const std::string& name) {
      return rows.front()[static_cast<std::size_t>(std::find(head.begin(), head.end(), name) - head.begin())];
    };
    EXPECT_NEAR(at("x [mm]"), length, 1e-9);
    EXPECT_NEAR(at("z [mm]"), 4, 1e-9);
  }
}

TEST_F(Cli, AJUnitReportHasUnitsBoundsAndPlacesAndSkipsWhatHasNoBound) {
  const std::string file =
      write("swing.coop", R"({"format":"cooperage","version":1,"units":{"length":"mm","angle":"deg"},
    "links":[{"name":"g","ground":true,"seats":[{"name":"s"}]},{"name":"arm","seats":[{"name":"s"},{"name":"tip","at":[50,0,0]}]}],
    "joints":[{"name":"pin","kind":"revolute","between":["g/s","arm/s"]}],
    "drives":[{"name":"d","value":"pin.turn","programme":[{"law":"linear","to":90,"time":1}]}],
    "gauges":[{"name":"x","kind":"point-position","of":"arm/tip","component":"x"}],
    "requirements":[{"name":"reach","gauge":"x","measure":"always","min":"20 mm"},
      {"name":"low","gauge":"x","measure":"min","max":"20 mm"},{"name":"free","gauge":"x","measure":"max"}],
    "runs":[{"name":"r","axis":"d","steps":90,"check":["requirements"]}]})");
  const std::string report = (folder_ / "report.xml").string();
  const auto a = cli("check " + file + " --json --junit " + report);
  EXPECT_EQ(a.code, 1) << "reach is not met";
  const std::string xml = text(report);
  EXPECT_THAT(xml, HasSubstr("tests=\"4\" failures=\"1\" skipped=\"1\""));
  EXPECT_THAT(xml, HasSubstr("0 mm at 90.000 deg; asked for: at least 20 mm"));
  EXPECT_THAT(xml, HasSubstr("name=\"low\"/>"));
  EXPECT_THAT(xml, HasSubstr("name=\"free\"><skipped message=\"no bound\"/>"));
  const auto json = nlohmann::json::parse(a.out);
  EXPECT_TRUE(json["requirements"][2]["met"].is_null());
  EXPECT_EQ(json["requirements"][1]["met"], true);
  EXPECT_EQ(json["requirements"][0]["met"], false);
}

}  // namespace
}  // namespace cooperage
