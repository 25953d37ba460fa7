// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <fmt/format.h>

#include <Eigen/Core>
#include <nlohmann/json.hpp>
#include <string>

#include "io/coop_file.h"

namespace bench {

using Json = nlohmann::ordered_json;

/// Planar mechanisms for the measurements: links stand at the origin, hinges are places in ground axes, in m.
class Plane {
 public:
  Plane() : links_({{"g", Json::array()}}) {}
  void hinge(const std::string& name, const std::string& a, const std::string& b, const Json& x, const Json& y) {
    for (const std::string& link : {a, b}) {
      if (!links_.contains(link)) links_[link] = Json::array();
      links_[link].push_back({{"name", name}, {"at", {x, y, 0}}});
    }
    joints_.push_back({{"name", name}, {"kind", "revolute"}, {"between", {a + "/" + name, b + "/" + name}}});
  }
  std::string text(const std::string& drive, const Json& parameters = Json::array()) const {
    Json j = {{"format", "cooperage"},
              {"version", 1},
              {"units", {{"length", "m"}, {"angle", "rad"}}},
              {"parameters", parameters}};
    for (const auto& [name, seats] : links_.items()) {
      Json l = {{"name", name}, {"seats", seats}};
      if (name == "g") l["ground"] = true;
      j["links"].push_back(l);
    }
    j["joints"] = joints_;
    j["drives"] = {{{"name", "m"},
                    {"value", drive + ".turn"},
                    {"programme", {{{"law", "constant-speed"}, {"speed", "60 rpm"}, {"time", "1e9 s"}}}}}};
    j["runs"] = {{{"name", "turn"}, {"duration", "1 s"}, {"steps", 360}}};
    return j.dump();
  }

 private:
  Json links_, joints_ = Json::array();
};

/// A four-bar in scalars, written as well as one can by hand: two circles meet; then rates and accelerations.
struct FourBar {
  double a = 0.04, b = 0.11, c = 0.08, d = 0.12;
  double rocker, coupler, rockerRate, couplerRate, rockerAcceleration, couplerAcceleration;
  /// @param q, w, e  crank's angle, rate and acceleration
  void pose(double q, double w, double e) {
    const double sq = std::sin(q), cq = std::cos(q), x = a * cq - d, y = a * sq, f2 = x * x + y * y;
    const double f = std::sqrt(f2), k = (c * c + f2 - b * b) / (2 * c * f);
    rocker = std::atan2(y, x) - std::acos(k);
    const double sr = std::sin(rocker), cr = std::cos(rocker);
    const double ux = c * cr - x, uy = c * sr - y;  // coupler, from the crank pin to the rocker pin
    coupler = std::atan2(uy, ux);
    const double det = c * (uy * cr - ux * sr);
    rockerRate = w * a * (uy * cq - ux * sq) / det;
    couplerRate = (rockerRate * c * cr - w * a * cq) / ux;
    const double right = b * b * couplerRate * couplerRate - c * rockerRate * rockerRate * (ux * cr + uy * sr) +
                         w * w * a * (ux * cq + uy * sq) - e * a * (uy * cq - ux * sq);
    rockerAcceleration = -right / det;
    couplerAcceleration = (rockerAcceleration * c * cr - rockerRate * rockerRate * c * sr - e * a * cq +
                           w * w * a * sq + couplerRate * couplerRate * uy) /
                          ux;
  }
};

inline std::string fourBar() {
  FourBar f;
  f.pose(1, 0, 0);
  Plane p;
  p.hinge("in", "g", "crank", 0, 0);
  p.hinge("p", "crank", "coupler", f.a * std::cos(1), f.a * std::sin(1));
  p.hinge("q", "coupler", "rocker", f.d + f.c * std::cos(f.rocker), f.c * std::sin(f.rocker));
  p.hinge("out", "g", "rocker", f.d, 0);
  return p.text("in");
}

/// N four-bars in a row, an arm on each rocker being the crank of the next; `arm` is the first crank's length.
inline std::string ladder(int n) {
  FourBar f;
  f.pose(1, 0, 0);
  Plane p;
  std::string arm = "arm";
  p.hinge("in", "g", arm, 0, 0);
  for (int i = 0; i < n; ++i) {
    const std::string s = std::to_string(i);
    const double x = i * f.d;
    if (i == 0)
      p.hinge("p" + s, arm, "rod" + s, "arm*cos(1 rad)", "arm*sin(1 rad)");
    else
      p.hinge("p" + s, arm, "rod" + s, x + f.a * std::cos(1), f.a * std::sin(1));
    p.hinge("q" + s, "rod" + s, "rocker" + s, x + f.d + f.c * std::cos(f.rocker), f.c * std::sin(f.rocker));
    p.hinge("o" + s, "g", "rocker" + s, x + f.d, 0);
    arm = "rocker" + s;
  }
  return p.text("in", {{{"name", "arm"}, {"value", fmt::format("{} m", f.a)}}});
}

/// A leg of twelve links, two of them ternary, all hinges; `arm` is the crank's length.
inline std::string leg() {
  using V = Eigen::Vector2d;
  Plane p;
  const auto hinge = [&](const char* name, const char* a, const char* b, const V& at) {
    p.hinge(name, a, b, at.x(), at.y());
  };
  const V g1(-0.038, -0.008), knee1(-0.037, 0.047), knee2(-0.009, -0.040), hip(-0.063, -0.002), heel(-0.094, -0.042),
      toe(-0.041, -0.110), g2(0.048, -0.128), g3(0.081, -0.027), mid(-0.015, -0.057), far(0.019, -0.093);
  p.hinge("in", "g", "crank", 0, 0);
  for (const char* link : {"upper rod", "lower rod"}) p.hinge(link, "crank", link, "arm", 0);
  hinge("k1", "upper rod", "thigh", knee1);
  hinge("g1", "g", "thigh", g1);
  hinge("k2", "lower rod", "strut", knee2);
  hinge("g1s", "g", "strut", g1);
  hinge("h", "thigh", "tie", hip);
  hinge("t", "tie", "shank", heel);
  hinge("k2s", "strut", "shank", knee2);
  hinge("toe", "shank", "push", toe);
  hinge("m", "push", "rocker", mid);
  hinge("g2", "g", "rocker", g2);
  hinge("m2", "rocker", "link", mid);
  hinge("f", "link", "lever", far);
  hinge("g3", "g", "lever", g3);
  return p.text("in", {{{"name", "arm"}, {"value", "15 mm"}}});
}

inline cooperage::model::Mechanism read(const std::string& text) { return *cooperage::io::readCoop(text); }

}  // namespace bench
