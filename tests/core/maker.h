// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <nlohmann/json.hpp>

#include "support.h"

namespace cooperage::test {

using Json = nlohmann::ordered_json;

/// Writes mechanisms down for tests: all links stand at the origin at home, and a joint is a place and an axis in
/// ground axes, given to both its links. All figures in m and rad.
class Maker {
 public:
  Maker() {
    j_ = {{"format", "cooperage"}, {"version", 1}, {"units", {{"length", "m"}, {"angle", "rad"}}}};
    for (const char* key : {"links", "joints", "couplings", "cam_pairs", "drives", "gauges", "requirements", "runs"})
      j_[key] = Json::array();
    link("g", true);
  }

  Json& link(const std::string& name, bool ground = false) {
    Json l = {{"name", name}};
    if (ground) l["ground"] = true;
    l["seats"] = Json::array();
    l["curves"] = Json::array();
    j_["links"].push_back(l);
    return j_["links"].back();
  }
  Json& find(const std::string& name) {
    for (Json& l : j_["links"])
      if (l["name"] == name) return l;
    return link(name);
  }
  void seat(const std::string& link, const std::string& name, const Vec3& at, const Vec3& axis = Vec3::UnitZ(),
            const Vec3& ref = Vec3::Zero()) {
    const Vec3 x = ref.norm() > 0 ? ref : anyPerpendicular(axis.normalized());
    find(link)["seats"].push_back({{"name", name}, {"at", array(at)}, {"axis", array(axis)}, {"ref", array(x)}});
  }
  /// A joint of two links at a place that they share at home.
  Json& joint(const std::string& name, const std::string& kind, const std::string& a, const std::string& b,
              const Vec3& at, const Vec3& axis = Vec3::UnitZ(), const Vec3& ref = Vec3::Zero()) {
    find(a);
    find(b);
    seat(a, name, at, axis, ref);
    seat(b, name, at, axis, ref);
    j_["joints"].push_back({{"name", name}, {"kind", kind}, {"between", {a + "/" + name, b + "/" + name}}});
    return j_["joints"].back();
  }
  Json& hinge(const std::string& name, const std::string& a, const std::string& b, double x, double y) {
    return joint(name, "revolute", a, b, Vec3(x, y, 0));
  }
  Json& slide(const std::string& name, const std::string& a, const std::string& b, double x, double y, double dx,
              double dy) {
    return joint(name, "prismatic", a, b, Vec3(x, y, 0), Vec3(dx, dy, 0), Vec3::UnitZ());
  }
  /// A drive at constant rate, rad/s or m/s.
  void steady(const std::string& value, double rate, const std::string& name = "motor") {
    j_["drives"].push_back({{"name", name},
                            {"value", value},
                            {"programme", {{{"law", "constant-speed"}, {"speed", rate}, {"time", 1e6}}}}});
  }
  /// A drive by a formula of the time t in s.
  void follow(const std::string& value, const std::string& formula, const std::string& name = "motor") {
    j_["drives"].push_back(
        {{"name", name}, {"value", value}, {"programme", {{{"law", "formula"}, {"formula", formula}, {"time", 1e6}}}}});
  }
  Json& run(double duration, int steps) {
    j_["runs"].push_back({{"name", "run"}, {"duration", duration}, {"steps", steps}});
    return j_["runs"].back();
  }
  void gauge(const std::string& name, const std::string& kind, const Json& of, const Json& more = Json::object()) {
    Json g = {{"name", name}, {"kind", kind}, {"of", of}};
    g.update(more);
    j_["gauges"].push_back(g);
  }
  Json& add(const char* list, Json object) {
    j_[list].push_back(std::move(object));
    return j_[list].back();
  }
  Json& json() { return j_; }
  std::string text() const { return j_.dump(); }
  model::Mechanism read() const { return test::read(text()); }
  static Json array(const Vec3& v) { return {v.x(), v.y(), v.z()}; }

 private:
  Json j_;
};

/// Four-bar in the plane: ground pivots at the origin and (d, 0), crank a, coupler b, rocker c; open branch (coupler
/// above), crank at angle q at home. Joints in, p, q, out.
struct FourBar {
  double a, b, c, d, q;
  /// Rocker's and coupler's angle at a crank angle by the cosine law, as jets of it (Norton, Design of Machinery, ch.
  /// 4).
  std::pair<Jet, Jet> angles(const Jet& crank, double branch = 1) const {
    const Jet x = Jet(a) * cos(crank) - Jet(d), y = Jet(a) * sin(crank);
    const Jet f2 = x * x + y * y, f = sqrt(f2);
    const Jet at = acos((Jet(c * c - b * b) + f2) / (Jet(2 * c) * f));
    const Jet rocker = atan2(y, x) - Jet(branch) * at;
    const Jet px = Jet(d) + Jet(c) * cos(rocker) - Jet(a) * cos(crank), py = Jet(c) * sin(rocker) - y;
    return {rocker, atan2(py, px)};
  }
  Maker make(double rate = 1) const {
    Maker m;
    const auto [rocker, coupler] = angles(Jet(q));
    m.hinge("in", "g", "crank", 0, 0);
    m.hinge("p", "crank", "coupler", a * std::cos(q), a * std::sin(q));
    m.hinge("q", "coupler", "rocker", d + c * std::cos(rocker.v), c * std::sin(rocker.v));
    m.hinge("out", "g", "rocker", d, 0);
    if (rate != 0) m.steady("in.turn", rate);
    return m;
  }
};

struct Prepared {
  model::Resolved resolved;
  std::unique_ptr<kinematics::TravelRun> run;
};
inline Prepared prepare(const model::Mechanism& m) {
  auto r = model::resolve(m);
  if (!r.ok()) {
    ADD_FAILURE() << r.error().text;
    return {};
  }
  auto run = kinematics::TravelRun::prepare(*r, 0);
  if (!run.ok()) {
    ADD_FAILURE() << run.error().text;
    return {std::move(r).value(), nullptr};
  }
  return {std::move(r).value(), std::move(run).value()};
}

inline double last(const kinematics::RunResult& r, const std::string& name) { return r.rows.back()[column(r, name)]; }

struct Analysed {
  model::Resolved r;
  kinematics::System s;
  kinematics::Home h;
  kinematics::Mobility m;
};
inline Analysed analysed(const model::Mechanism& mechanism) {
  Analysed a;
  a.r = model::resolve(mechanism).value();
  a.s = kinematics::System::compile(a.r).value();
  auto h = kinematics::assemble(a.s, a.r);
  if (!h.ok()) {
    ADD_FAILURE() << h.error().text;
    return a;
  }
  a.h = std::move(h).value();
  a.m = kinematics::analyse(a.s, a.r, a.h);
  return a;
}

}  // namespace cooperage::test
