// SPDX-License-Identifier: GPL-3.0-or-later
// Whatever stands in a file: a clear error or a valid result, never a crash, a hang or a figure that is none.
#include <rapidcheck/gtest.h>

#include <random>

#include "../maker.h"

namespace cooperage::kinematics {
namespace {

using namespace cooperage::test;

/// Random documents, most of them wrong somewhere.
class Garbage {
 public:
  explicit Garbage(unsigned seed) : random_(seed) {}

  std::string make() {
    Maker m;
    const int links = pick(1, 7);
    for (int i = 0; i < links; ++i) m.link(name("l", i), chance(12));
    for (int i = 0; i < links; ++i)
      for (int k = pick(0, 4); k > 0; --k) seat(m, name("l", i));
    for (int k = 0; k < 3; ++k) seat(m, "g");
    for (int i = pick(0, 8); i > 0; --i) joint(m);
    for (int i = pick(0, 3); i > 0; --i) coupling(m);
    if (chance(3)) contact(m);
    for (int i = pick(0, 2); i > 0; --i)
      m.add("drives", {{"name", name("d", i)}, {"value", value(m)}, {"programme", programme()}});
    m.gauge("angle", "joint-rate", value(m));
    if (chance(4)) m.gauge("ratio", "velocity-ratio", {value(m), value(m)});
    Json& run = m.run(chance(15) ? 0 : 1.5, pick(1, 12));
    if (chance(4)) run["at_limit"] = "reverse";
    if (chance(4)) run["past_stops"] = true;
    if (chance(5)) run["start"] = {{name("d", pick(1, 2)), number()}};
    return m.text();
  }

 private:
  bool chance(unsigned oneIn) { return random_() % oneIn == 0; }
  int pick(int low, int high) { return low + static_cast<int>(random_() % static_cast<unsigned>(high - low + 1)); }
  static std::string name(const char* stem, int i) { return stem + std::to_string(i); }
  Json number() {
    switch (random_() % 24) {
      case 0: return "0/0";
      case 1: return "1e300 m";
      case 2: return "sqrt(-1)";
      case 3: return 1e17;
      case 4: return 0;
      case 5: return "1 mm";
      case 6: return Json();
      case 7: return -1e-12;
      default: return pick(-10, 10) * 0.05;
    }
  }
  double plain() { return pick(-8, 8) * 0.05; }
  void seat(Maker& m, const std::string& link) {
    Json s = {{"name", name("s", static_cast<int>(m.find(link)["seats"].size()))}};
    s["at"] = chance(20) ? Json({number(), 0, 0}) : Json({plain(), plain(), chance(3) ? plain() : 0.0});
    if (chance(2)) s["axis"] = chance(12) ? Json({0, 0, 0}) : Json({pick(-1, 1), pick(-1, 1), pick(-1, 1)});
    if (chance(3)) s["ref"] = {pick(-1, 1), pick(-1, 1), pick(-1, 1)};
    if (chance(2)) {
      s["axis"] = {0, 0, 1};
      s["ref"] = {1, 0, 0};
    }
    m.find(link)["seats"].push_back(s);
  }
  std::string place(Maker& m) {
    auto& links = m.json()["links"];
    const Json& l = links[random_() % links.size()];
    if (l["seats"].empty() || chance(25)) return l["name"].get<std::string>() + "/nowhere";
    return l["name"].get<std::string>() + "/" + l["seats"][random_() % l["seats"].size()]["name"].get<std::string>();
  }
  void joint(Maker& m) {
    static const char* kinds[] = {
        "revolute", "revolute", "revolute", "prismatic",  "cylindrical", "screw",       "universal",     "spherical",
        "planar",   "pin-slot", "fixed",    "point-line", "point-plane", "point-curve", "point-surface", "weld"};
    Json j = {{"name", name("j", static_cast<int>(m.json()["joints"].size()))},
              {"kind", kinds[random_() % (chance(6) ? 16 : 12)]},
              {"between", {place(m), place(m)}}};
    if (j["kind"] == "screw") j["lead"] = number();
    if (chance(6)) j["home"] = {{"turn", number()}};
    if (chance(6)) j["stops"] = {{"turn", {number(), number()}}};
    if (chance(10)) j["held"] = true;
    if (chance(10)) j["enabled"] = false;
    if (chance(8)) j["flip"] = true;
    if (chance(8)) j["offset"] = {{"turn", number()}};
    m.json()["joints"].push_back(j);
  }
  std::string value(Maker& m) {
    const auto& joints = m.json()["joints"];
    static const char* values[] = {"turn", "turn", "turn", "slide", "tilt_x", "swing", "x", "along", "none"};
    if (joints.empty() || chance(20)) return "nothing.turn";
    return joints[random_() % joints.size()]["name"].get<std::string>() + "." + values[random_() % 9];
  }
  void coupling(Maker& m) {
    const std::string n = name("c", static_cast<int>(m.json()["couplings"].size()));
    switch (random_() % 6) {
      case 0:
        m.add("couplings", {{"name", n}, {"kind", "ratio"}, {"values", {value(m), value(m)}}, {"ratio", number()}});
        break;
      case 1:
        m.add("couplings", {{"name", n},
                            {"kind", "gear"},
                            {"values", {value(m), value(m)}},
                            {"teeth", {number(), 20}},
                            {"carrier", chance(2) ? "l1" : "nobody"}});
        break;
      case 2:
        m.add("couplings", {{"name", n}, {"kind", "gear"}, {"values", {value(m), value(m)}}, {"teeth", {17, 20}}});
        break;
      case 3:
        m.add("couplings", {{"name", n},
                            {"kind", "formula"},
                            {"value", value(m)},
                            {"formula", "0.1*sin(3*" + value(m) + ")/(" + value(m) + "-0.2)"}});
        break;
      case 4:
        m.add("couplings",
              {{"name", n},
               {"kind", "table"},
               {"values", {value(m), value(m)}},
               {"points", Json::array({Json::array({0, 0}), Json::array({number(), 1}), Json::array({2, number()})})}});
        break;
      default:
        m.add("couplings", {{"name", n},
                            {"kind", "linear"},
                            {"terms", Json::array({Json::array({value(m), 1}), Json::array({value(m), number()})})}});
        break;
    }
  }
  void contact(Maker& m) {
    m.find("g")["curves"].push_back({{"name", "c"},
                                     {"seat", chance(8) ? "s9" : "s0"},
                                     {"kind", "circle"},
                                     {"centre", {0, 0}},
                                     {"radius", number()}});
    static const char* kinds[] = {"point", "roller", "flat", "rolling"};
    m.add("cam_pairs", {{"name", "p"},
                        {"kind", kinds[random_() % 4]},
                        {"cam", "g/c"},
                        {"follower", chance(4) ? std::string("g/c") : place(m)},
                        {"radius", number()}});
  }
  Json programme() {
    switch (random_() % 4) {
      case 0: return {{{"law", "constant-speed"}, {"speed", number()}, {"time", 2}}};
      case 1: return {{{"law", "poly-345"}, {"to", number()}, {"time", number()}}};
      case 2: return {{{"law", "formula"}, {"formula", "sin(3*t)/(t-0.7)"}, {"time", 2}}};
      default: return {{{"law", "constant-speed"}, {"speed", 0.7}, {"time", 2}}};
    }
  }
  std::mt19937 random_;
};

/// Reads, resolves, runs; every figure of an enabled joint must be one.
void tryOut(const std::string& text) {
  const auto m = io::readCoop(text);
  if (!m.ok()) {
    RC_ASSERT(!m.error().text.empty());
    return;
  }
  const auto r = model::resolve(*m);
  if (!r.ok()) {
    RC_ASSERT(!r.error().text.empty());
    return;
  }
  auto run = TravelRun::prepare(*r, 0);
  if (!run.ok()) {
    RC_ASSERT(!run.error().text.empty());
    return;
  }
  Measurer measurer(**run);
  const RunResult result = tabulate(**run, measurer);
  RC_ASSERT(result.travel.completed || result.travel.ended.has_value());
  for (const auto& row : result.rows) {
    std::size_t k = 1;
    for (std::size_t i = 0; i < r->joints.size(); ++i)
      for (const auto& v : model::infoOf(r->joints[i].kind).values) {
        const bool live = (*run)->system().compiledJoint(static_cast<int>(i)) >= 0;
        if (live) RC_ASSERT(std::isfinite(row[k]));
        // a rate has no value only where an angle of a ball has none
        if (live &&
            (*run)->system().dofOf(
                {static_cast<int>(i), static_cast<int>(&v - model::infoOf(r->joints[i].kind).values.data())}) >= 0)
          RC_ASSERT(std::isfinite(row[k + 1]) && std::isfinite(row[k + 2]));
        k += 3;
      }
  }
}

// 100 properties of 100 documents: ten thousand.
RC_GTEST_PROP(Malformed, GiveAClearErrorOrAValidResult, ()) {
  const auto seed = *rc::gen::arbitrary<unsigned>();
  for (unsigned k = 0; k < 100; ++k) {
    Garbage garbage(seed + k);
    const std::string text = garbage.make();
    RC_LOG() << text << "\n";
    tryOut(text);
  }
}

TEST(Malformed, AThousandLinksInAChainHangFree) {
  Maker m;
  for (int i = 0; i < 1000; ++i)
    m.hinge("j" + std::to_string(i), i == 0 ? "g" : "l" + std::to_string(i - 1), "l" + std::to_string(i), 0.01 * i,
            0.001 * (i % 7));
  m.steady("j0.turn", 1);
  m.run(1, 2);
  const auto r = runFirst(m.read());
  EXPECT_TRUE(r.travel.completed);
}

TEST(Malformed, ATrussOfAThousandBarsIsRigidAndSaysSo) {
  Maker m;
  const auto node = [](int i) { return Eigen::Vector2d(0.1 * (i / 2), i % 2 ? 0.1 : 0.003 * (i % 5)); };
  // a strip of triangles: bar from each node to the next two; hinges of three and four bars at a node
  std::vector<std::string> at(340);
  int bars = 0;
  const auto bar = [&](int a, int b) {
    const std::string name = "b" + std::to_string(bars++);
    for (int n : {a, b}) {
      auto& first = at[static_cast<std::size_t>(n)];
      if (first.empty()) first = n < 2 ? "g" : name;
      if (first != name) m.hinge(name + "n" + std::to_string(n), first, name, node(n).x(), node(n).y());
    }
  };
  for (int i = 0; i + 2 < 340; ++i) {
    bar(i + 1, i + 2);
    bar(i, i + 2);
  }
  m.steady(m.json()["joints"][3]["name"].get<std::string>() + ".turn", 1);
  m.run(1, 2);
  const auto r = model::resolve(m.read()).value();
  const auto run = TravelRun::prepare(r, 0);
  ASSERT_FALSE(run.ok());
  EXPECT_EQ(run.error().code, "stuck-drive");
}

}  // namespace
}  // namespace cooperage::kinematics
