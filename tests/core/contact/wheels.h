// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Outlines and mechanisms with contacts for tests: indexing wheels, ratchets, latches.
#include <gmock/gmock.h>

#include <fmt/format.h>

#include <cmath>

#include "contact/pushing.h"
#include "io/coop_file.h"
#include "kinematics/gauges.h"
#include "kinematics/travel.h"

namespace cooperage::contact::test {

inline Piece line(const Vec2& a, const Vec2& b) { return {a, b, 0, {0, 0}, true}; }
inline Piece arc(const Vec2& a, const Vec2& b, const Vec2& c, bool ccw) { return {a, b, (a - c).norm(), c, ccw}; }
inline Loop circle(const Vec2& c, double r) {
  const Vec2 a = c + Vec2(r, 0);
  return {{a, a, r, c, true}};
}
inline Loop polygon(const std::vector<Vec2>& p) {
  Loop out;
  for (std::size_t i = 0; i < p.size(); ++i) out.push_back(line(p[i], p[(i + 1) % p.size()]));
  return out;
}
inline Loop box(const Vec2& low, const Vec2& high) {
  return polygon({low, {high.x(), low.y()}, high, {low.x(), high.y()}});
}

/// A wheel with radial slots about its axis. The first slot points along -x.
inline Loop slottedWheel(int slots, double outer, double half, double bottom) {
  Loop out;
  const auto at = [&](int k, double x, double y) {
    const double a = kPi + 2 * kPi * k / slots;
    return Vec2(x * std::cos(a) - y * std::sin(a), x * std::sin(a) + y * std::cos(a));
  };
  const double mouth = std::sqrt(outer * outer - half * half);
  for (int k = 0; k < slots; ++k) {
    out.push_back(line(at(k, mouth, -half), at(k, bottom, -half)));
    out.push_back(arc(at(k, bottom, -half), at(k, bottom, half), at(k, bottom, 0), false));
    out.push_back(line(at(k, bottom, half), at(k, mouth, half)));
    out.push_back(arc(at(k, mouth, half), at(k + 1, mouth, -half), {0, 0}, true));
  }
  return out;
}

inline std::shared_ptr<const LinkOutlines> flatLink(const std::vector<Loop>& loops) {
  auto out = std::make_shared<LinkOutlines>();
  auto part = std::make_shared<LinkOutlines::Part>();
  part->low = -0.005;
  part->high = 0.005;
  part->outline = Outline(loops);
  out->parts.push_back(std::move(part));
  return out;
}

/// A document with outlines for its links, by their names.
struct Pushing {
  model::Resolved resolved;
  ContactBodiesPtr bodies;
  std::unique_ptr<kinematics::TravelRun> run;
  kinematics::Travel travel;

  Pushing(const std::string& coop, const std::map<std::string, std::vector<Loop>>& outlines) {
    const auto m = io::readCoop(coop);
    if (!m.ok()) {
      ADD_FAILURE() << m.error().text;
      return;
    }
    auto r = model::resolve(*m);
    if (!r.ok()) {
      ADD_FAILURE() << r.error().text;
      return;
    }
    resolved = std::move(r).value();
    auto made = std::make_shared<ContactBodies>();
    std::map<int, std::shared_ptr<const LinkOutlines>> known;
    const auto of = [&](int link) {
      auto& o = known[link];
      if (!o) o = flatLink(outlines.at(resolved.links[static_cast<std::size_t>(link)].name));
      return o;
    };
    for (std::size_t c = 0; c < resolved.contacts.size(); ++c)
      for (const int a : resolved.contacts[c].sideA)
        for (const int b : resolved.contacts[c].sideB) made->pairs.push_back({static_cast<int>(c), a, b, of(a), of(b)});
    bodies = made;
  }
  Status prepare() {
    auto made = kinematics::TravelRun::prepare(resolved, 0, nullptr, pushedBy(bodies));
    if (!made.ok()) return made.error();
    run = std::move(made).value();
    return Done{};
  }
  bool go() {
    const Status s = prepare();
    if (!s.ok()) {
      ADD_FAILURE() << s.error().text;
      return false;
    }
    travel = run->run();
    return true;
  }
  double value(const kinematics::TravelStep& s, int joint) const {
    return kinematics::jointValue(run->system(), s.c, joint, 0, run->resolved());
  }
  std::size_t dof(int joint) const { return static_cast<std::size_t>(run->system().dofOf({joint, 0})); }
};

/// Ground with pivots at the origin and at (distance, 0); a driver and a wheel on them. The wheel's turn at home in
/// rad.
inline std::string twoPivots(double distance, double driverHome, double wheelHome, const std::string& rows,
                             const std::string& duration, int steps, const std::string& more = "") {
  return fmt::format(R"({{"format":"cooperage","version":1,"title":"t","units":{{"length":"m","angle":"rad"}},
 "links":[{{"name":"frame","ground":true,"seats":[{{"name":"a","at":[0,0,0]}},{{"name":"b","at":[{0},0,0]}}]}},
  {{"name":"driver","seats":[{{"name":"o","at":[0,0,0]}}]}},
  {{"name":"wheel","placement":{{"at":[{0},0,0]}},"seats":[{{"name":"o","at":[0,0,0]}}]}}],
 "joints":[{{"name":"motor","kind":"revolute","between":["frame/a","driver/o"],"home":{{"turn":{1}}}}},
  {{"name":"index","kind":"revolute","between":["frame/b","wheel/o"],"home":{{"turn":{2}}}}}],
 "drives":[{{"name":"drive","value":"motor.turn","programme":{3}}}],
 "contacts":[{{"name":"push","between":[["driver"],["wheel"]]}}]{6},
 "runs":[{{"name":"r","duration":{4},"steps":{5},"axis":"drive"}}]}})",
                     formatNumber(distance), formatNumber(driverHome), formatNumber(wheelHome), rows, duration, steps,
                     more);
}

}  // namespace cooperage::contact::test
