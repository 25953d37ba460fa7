// SPDX-License-Identifier: GPL-3.0-or-later
// Planetary stages and differentials, put together from gear pairs.
#include "model/train_edits.h"

#include "model/joint_edits.h"

#include <algorithm>
#include <numeric>

#include "model/machine_parts.h"

namespace cooperage::model {
namespace {

/// Builds links and joints about one axis of a base link.
class Stage {
 public:
  Stage(const Mechanism& before, const std::vector<Pose>& home) : m(before), poses(home) {}
  Mechanism m;
  std::vector<Pose> poses;

  std::size_t indexOf(Id link) const {
    for (std::size_t i = 0; i < m.links.size(); ++i)
      if (m.links[i]->id == link) return i;
    return 0;
  }
  /// A link that is there is put at its place; else it is made.
  Id newLink(const std::string& name, const Pose& at, Id id = newId()) {
    if (findLink(m, id)) {
      poses[indexOf(id)] = at;
      m = changedLink(m, id, [&](Link& l) { l.placement = placementOf(at, m.units); });
      return id;
    }
    Link l;
    l.id = id;
    l.name = name;
    l.placement = placementOf(at, m.units);
    m = addLink(m, std::move(l));
    poses.push_back(at);
    return id;
  }
  /// A revolute joint of two links at a place in ground axes. One that is there keeps its sense.
  Id join(const std::string& name, Id base, Id link, const Pose& at, Id id = newId()) {
    if (const auto there = findJoint(m, id)) {
      for (const Id seat : there->seats) {
        const auto s = findSeat(m, seat);
        if (!s) continue;
        const Pose& own = poses[indexOf(s->link->id)];
        const auto before = frameOf(m, *s->seat);
        const bool opposed = before.ok() && (own.R * before->R.col(2)).dot(at.R.col(2)) < 0;
        m = withSeatMoved(m, seat, own, opposed ? at * Pose{rotationAbout(0, kPi), Vec3::Zero()} : at);
      }
      return id;
    }
    Joint j;
    j.id = id;
    j.name = freeName(m.joints, name);
    j.kind = JointKind::revolute;
    const Id links[] = {base, link};
    for (std::size_t k = 0; k < 2; ++k) {
      Seat s = seatAt(newId(), j.name, poses[indexOf(links[k])].inverse() * at, m.units);
      j.seats[k] = s.id;
      m = withSeatAt(m, links[k], std::move(s));
    }
    m.joints.push_back(std::make_shared<const Joint>(std::move(j)));
    return id;
  }
  Status gears(GearDraft d) {
    auto made = withGears(m, d, poses);
    if (!made.ok()) return made.error();
    m = std::move(made).value();
    return Done{};
  }
};

Result<Pose> seatPose(const Mechanism& m, Id seat, const std::vector<Pose>& poses, Id& base) {
  const auto place = findSeat(m, seat);
  if (!place) return Error{"missing-seat", "", "choose the seat about whose axis it turns"};
  const auto r = resolve(m);
  if (!r.ok()) return r.error();
  for (std::size_t l = 0; l < r->links.size(); ++l)
    for (const auto& s : r->links[l].seats)
      if (s.id == seat) {
        base = r->links[l].id;
        return poses[l] * s.frame;
      }
  return Error{"missing-seat", "", "choose the seat about whose axis it turns"};
}

}  // namespace

Result<Mechanism> withShaft(const Mechanism& m, Id seat, Id joint, std::vector<Pose>& poses) {
  Id base = 0;
  const auto at = seatPose(m, seat, poses, base);
  if (!at.ok()) return at.error();
  Stage s(m, poses);
  const std::string name = freeName(m.links, findSeat(m, seat)->seat->name + " shaft");
  const Id link = s.newLink(name, *at);
  s.join(name, base, link, *at, joint);
  poses = s.poses;
  return s.m;
}

int ringTeeth(const PlanetaryDraft& d) { return d.sun + d.planet + (d.second > 0 ? d.second : d.planet); }

double stageRatio(const PlanetaryDraft& d) {
  // with the carrier at rest the sun turns this much for one turn of the ring, the other way round
  const double fixed =
      -static_cast<double>(d.ring) * d.planet / (static_cast<double>(d.sun) * (d.second > 0 ? d.second : d.planet));
  switch (d.held) {
    case HeldPart::ring: return 1 - fixed;
    case HeldPart::sun: return 1 - 1 / fixed;
    case HeldPart::carrier: return fixed;
  }
  return 0;
}

std::vector<Id> membersOf(const Mechanism& m, Id coupling) {
  std::vector<Id> out;
  const auto of = findById(m.couplings, coupling);
  if (!of || of->carrier == 0) return out;
  const auto onGround = [&](const Joint& j, Id link) {  // of the link alone if one is given
    const auto a = findSeat(m, j.seats[0]), b = findSeat(m, j.seats[1]);
    return a && b &&
           ((a->link->ground && (link == 0 || b->link->id == link)) ||
            (b->link->ground && (link == 0 || a->link->id == link)));
  };
  const auto add = [&](Id joint) {
    if (std::find(out.begin(), out.end(), joint) == out.end()) out.push_back(joint);
  };
  for (const auto& c : m.couplings) {
    if (c->carrier != of->carrier) continue;
    for (const Symbol& s : c->values)
      if (const auto j = findJoint(m, s.id); j && onGround(*j, 0)) add(s.id);
  }
  for (const auto& j : m.joints)
    if (onGround(*j, of->carrier)) add(j->id);
  return out;
}

Mechanism withHeldMember(const Mechanism& m, Id coupling, Id joint) {
  Mechanism out = m;
  for (const Id id : membersOf(m, coupling))
    if (findJoint(out, id)->held != (id == joint)) out = changedJoint(out, id, [&](Joint& j) { j.held = id == joint; });
  return out;
}

namespace {

/// Where the axis of a joint is seen on the base.
Result<Pose> axisOf(const Stage& s, Id joint, Id base) {
  const auto j = findJoint(s.m, joint);
  for (const Id seat : j->seats) {
    const auto place = findSeat(s.m, seat);
    if (!place || place->link->id != base) continue;
    Id link = 0;
    return seatPose(s.m, seat, s.poses, link);
  }
  return Error{"missing-seat", j->name, "joint " + j->name + ": a seat is gone"};
}

}  // namespace

namespace {

/// Takes away what a stage of fewer planets, or without second rims, does not have.
Result<Mechanism> withoutSpare(const Mechanism& m, const PlanetaryDraft& d) {
  std::vector<Id> gone;
  const auto spare = [&](const std::string& what) {
    const auto it = d.parts.find(what);
    if (it != d.parts.end() && (findLink(m, it->second) || findBody(m, it->second))) gone.push_back(it->second);
  };
  for (int i = 1; i <= 12; ++i) {
    if (i > d.planets) {
      spare(fmt::format("planet {}", i));
      spare(fmt::format("pin {}", i));
    } else if (d.second == 0) {
      spare(fmt::format("planet {} rim", i));
    }
  }
  return gone.empty() ? Result<Mechanism>(m) : removed(m, gone);
}

/// Links, joints and couplings that bear the stage's old name take the new one.
Result<Mechanism> renamedStage(const Result<Mechanism>& made, const PlanetaryDraft& d) {
  if (!made.ok() || d.was.empty() || d.was == d.name) return made;
  Mechanism out = *made;
  for (const auto& [what, id] : d.parts) {
    std::string name;
    if (const auto l = findLink(out, id)) name = l->name;
    if (const auto j = findJoint(out, id)) name = j->name;
    if (const auto c = findById(out.couplings, id)) name = c->name;
    std::string next = name;
    for (std::size_t at = 0; (at = next.find(d.was + " ", at)) != std::string::npos; at += d.name.size() + 1)
      next.replace(at, d.was.size() + 1, d.name + " ");
    if (next == name) continue;
    auto renaming = renamed(out, id, next);
    if (!renaming.ok()) return renaming;
    out = std::move(renaming).value();
  }
  return out;
}

}  // namespace

std::optional<PlanetaryDraft> planetaryDraftOf(const Mechanism& m, Id coupling) {
  const auto of = findById(m.couplings, coupling);
  const auto carrier = of && of->carrier != 0 ? findLink(m, of->carrier) : nullptr;
  if (!carrier) return std::nullopt;
  PlanetaryDraft d;
  const auto linksOf = [&](Id joint, Id& first, Id& second) {
    const auto j = findJoint(m, joint);
    const auto a = j ? findSeat(m, j->seats[0]) : std::nullopt, b = j ? findSeat(m, j->seats[1]) : std::nullopt;
    first = a ? a->link->id : 0;
    second = b ? b->link->id : 0;
    return a && b;
  };
  const auto whole = [&](const Field& f) {
    const auto v = evaluateField(m, f, dimension::kPlain);
    return v.ok() ? static_cast<int>(std::lround(*v)) : 0;
  };
  std::map<Id, int> planets;  // joints, in the order of their couplings
  std::map<int, int> sunPairs, ringPairs;
  for (const auto& c : m.couplings) {
    if (c->carrier != carrier->id) continue;
    const auto g = gearDraftOf(m, c->id);
    if (!g || (g->kind != GearDraft::Kind::spur && g->kind != GearDraft::Kind::ring)) return std::nullopt;
    const bool ring = g->kind == GearDraft::Kind::ring;
    const Id planet = g->joints[ring ? 0 : 1], other = g->joints[ring ? 1 : 0];
    Id on = 0, link = 0, base = 0, member = 0;
    if (!linksOf(planet, on, link) || !linksOf(other, base, member) || on != carrier->id) return std::nullopt;
    const int n = planets.emplace(planet, static_cast<int>(planets.size()) + 1).first->second;
    const std::string name = fmt::format("planet {}", n);
    d.parts[name] = link;
    d.parts[name + " joint"] = planet;
    d.parts[name + (ring ? " ring coupling" : " sun coupling")] = c->id;
    (ring ? d.parts["ring"] : d.parts["sun"]) = member;
    (ring ? d.parts["ring joint"] : d.parts["sun joint"]) = other;
    (ring ? d.parts["ring body"] : d.parts["sun body"]) = g->bodies[ring ? 1 : 0];
    d.parts[name + (ring ? " rim" : " body")] = g->bodies[ring ? 0 : 1];
    (ring ? d.ring : d.sun) = whole(g->teeth[ring ? 1 : 0]);
    (ring ? d.second : d.planet) = whole(g->teeth[ring ? 0 : 1]);
    d.module = g->module;
    d.width = g->width;
    ++(ring ? ringPairs : sunPairs)[n];
  }
  d.planets = static_cast<int>(planets.size());
  if (planets.empty() || sunPairs.size() != planets.size() || ringPairs.size() != planets.size()) return std::nullopt;
  for (int i = 1; i <= d.planets; ++i) {
    const std::string name = fmt::format("planet {}", i);
    if (d.parts[name + " rim"] != d.parts[name + " body"]) continue;
    d.parts.erase(name + " rim");  // one rim meshes with both
    d.second = 0;
  }
  for (const auto& b : carrier->bodies)
    if (b->kind == BodyKind::disc || b->kind == BodyKind::pin)
      d.parts[b->kind == BodyKind::disc ? "plate" : b->name] = b->id;
  d.parts["carrier"] = carrier->id;
  for (const Id member : membersOf(m, coupling)) {
    Id base = 0, link = 0;
    if (linksOf(member, base, link) && link == carrier->id) d.parts["carrier joint"] = member;
  }
  if (d.parts.count("carrier joint") == 0) return std::nullopt;
  for (const auto& [key, held] :
       {std::pair{"sun joint", HeldPart::sun}, {"carrier joint", HeldPart::carrier}, {"ring joint", HeldPart::ring}})
    if (findJoint(m, d.parts[key])->held) d.held = held;
  d.seat = findJoint(m, d.parts["ring joint"])->seats[0];
  // a sun that rides on the stage before stays there
  for (const auto& c : m.couplings)
    if (c->carrier == d.parts["sun"]) d.inputLink = d.parts["sun"];
  const std::string suffix = " carrier", &full = carrier->name;
  const bool named =
      full.size() > suffix.size() && full.compare(full.size() - suffix.size(), suffix.size(), suffix) == 0;
  d.name = d.was = named ? full.substr(0, full.size() - suffix.size()) : "stage";
  return d;
}

Result<Mechanism> withPlanetary(const Mechanism& m, const PlanetaryDraft& d, const std::vector<Pose>& poses) {
  Id base = 0;
  const auto at = seatPose(m, d.seat, poses, base);
  if (!at.ok()) return at.error();
  const auto module = valueOf(m, d.module, dimension::kLength, "module"),
             width = valueOf(m, d.width, dimension::kLength, "width");
  if (!module.ok()) return module.error();
  if (!width.ok()) return width.error();
  if (!(*module > 0) || !(*width > 0)) return Error{"figure", "", "module and width must be greater than zero"};
  if (d.sun < 6 || d.planet < 6 || d.planets < 1 || d.planets > 12)
    return Error{"figure", "", "a stage needs 6 teeth or more on sun and planets, and 1 to 12 planets"};
  const int outer = d.second > 0 ? d.second : d.planet;
  if (d.ring != ringTeeth(d))
    return Error{
        "figure", "ring",
        fmt::format("the teeth don't close: a ring of {} teeth goes with these, not {}", ringTeeth(d), d.ring)};
  // equal planets go in evenly where this is whole (of plain ones: (sun + ring) / planets)
  const long together = static_cast<long>(d.sun) * outer + static_cast<long>(d.ring) * d.planet;
  const bool fits = together % (static_cast<long>(d.planets) * std::gcd(d.planet, outer)) == 0;
  if (!fits)
    return Error{
        "figure", "planets",
        d.second > 0
            ? fmt::format(
                  "{} equal stepped planets can't be put in evenly: ({} x {} + {} x {}) / ({} x {}) is not whole",
                  d.planets, d.sun, outer, d.ring, d.planet, d.planets, std::gcd(d.planet, outer))
            : fmt::format("{} planets can't be spread evenly: ({} + {}) / {} is not whole", d.planets, d.sun, d.ring,
                          d.planets)};
  elements::GearSpec sun, planet;
  sun.module = planet.module = *module;
  sun.pressureAngle = planet.pressureAngle = 20 * kPi / 180;
  sun.teeth = d.sun;
  planet.teeth = std::max(d.planet, outer);
  if (const int most = elements::mostPlanets(sun, planet); d.second == 0 && d.planets > most)
    return Error{"figure", "planets",
                 fmt::format("{} planets of {} teeth meet one another; {} have room", d.planets, d.planet, most)};

  Stage s(m, poses);
  const auto part = [&](const std::string& what) {
    const auto it = d.parts.find(what);
    return it == d.parts.end() ? newId() : it->second;
  };
  const Vec3 z = at->R.col(2);
  const double centre = 0.5 * *module * (d.sun + d.planet);
  Id sunLink = d.inputLink;
  Id sunJoint = 0;
  if (sunLink == 0) {
    sunLink = s.newLink(d.name + " sun", *at, part("sun"));
    sunJoint = s.join(d.name + " sun", base, sunLink, *at, part("sun joint"));
  } else {
    // the link that the stage before gives: its joint with the base
    for (const auto& j : s.m.joints) {
      const auto a = findSeat(s.m, j->seats[0]), b = findSeat(s.m, j->seats[1]);
      if (!a || !b || valueIndex(j->kind, "turn") < 0) continue;
      if ((a->link->id == base && b->link->id == sunLink) || (b->link->id == base && a->link->id == sunLink))
        sunJoint = j->id;
    }
    if (sunJoint == 0)
      return Error{"missing-joint", "", "the link that carries the sun has no joint with the stage's base"};
  }
  // a sun on the link before lies in the plane of this stage, wherever that link has its seat
  const auto sunAt = d.inputLink == 0 ? Result<Pose>(*at) : axisOf(s, sunJoint, base);
  if (!sunAt.ok()) return sunAt.error();
  const double rise = z.dot(at->p - sunAt->p), aside = (at->p - sunAt->p - rise * z).norm();
  if (aside > 1e-6 || z.cross(sunAt->R.col(2)).norm() > 1e-6)
    return Error{
        "axis", d.name,
        fmt::format("the link that carries the sun turns about another axis, {} mm aside; choose a seat on that "
                    "axis",
                    formatNumber(aside * 1e3, 5))};
  const auto intoPlane = [&](Id body, const Vec3& along) {  // along: the stage's axis in the body's link
    s.m = changedBody(s.m, body, [&](Body& x) {
      const auto p = poseOf(s.m, x.placement);
      if (p.ok()) x.placement = placementOf({p->R, p->p + rise * along}, s.m.units);
    });
  };
  const Id carrier = s.newLink(d.name + " carrier", *at, part("carrier"));
  const Id carrierJoint = s.join(d.name + " carrier", base, carrier, *at, part("carrier joint"));
  const Id ring = s.newLink(d.name + " ring", *at, part("ring"));
  const Id ringJoint = s.join(d.name + " ring", base, ring, *at, part("ring joint"));
  // the held member keeps its joint, at its home value: another can be held later
  const Id heldJoint = d.held == HeldPart::sun ? sunJoint : d.held == HeldPart::carrier ? carrierJoint : ringJoint;
  for (const Id member : {sunJoint, carrierJoint, ringJoint})
    if (member == heldJoint || (member != d.inputLink && findJoint(s.m, member)->held))
      s.m = changedJoint(s.m, member, [&](Joint& j) { j.held = member == heldJoint; });
  const double step = *width * 1.25;  // the second rim of stepped planets, and the ring, beside the first
  const Id sunBody = part("sun body"), ringBody = part("ring body");
  for (int i = 0; i < d.planets; ++i) {
    const double angle = 2 * kPi * i / d.planets;
    const Mat3 turn = at->R * rotationAbout(2, angle);
    const Pose place{at->R, at->p + centre * turn.col(0)};
    const std::string name = fmt::format("{} planet {}", d.name, i + 1);
    const std::string key = fmt::format("planet {}", i + 1);
    const Id link = s.newLink(name, place, part(key));
    const Id joint = s.join(name, carrier, link, place, part(key + " joint"));
    GearDraft a;
    a.coupling = part(key + " sun coupling");
    a.joints = {sunJoint, joint};
    a.module = d.module;
    a.width = d.width;
    a.teeth = {Field(d.sun), Field(d.planet)};
    a.bodies = {sunBody, part(key + " body")};
    a.moveAxis = false;
    if (auto done = s.gears(a); !done.ok()) return done.error();
    if (rise != 0) intoPlane(a.bodies[1], s.poses[s.indexOf(link)].R.transpose() * z);
    GearDraft b;
    b.coupling = part(key + " ring coupling");
    b.kind = GearDraft::Kind::ring;
    b.joints = {joint, ringJoint};
    b.module = d.module;
    b.width = d.width;
    b.teeth = {Field(outer), Field(d.ring)};
    b.bodies = {d.second > 0 ? part(key + " rim") : a.bodies[1], ringBody};
    b.moveAxis = false;
    // a planet stands as the sun has it, and the first planet settles the ring; the others meet that same ring, and of
    // stepped ones the second rim is laid to it
    if (auto done = s.gears(b); !done.ok()) return done.error();
    if (d.second > 0)
      s.m = changedBody(s.m, b.bodies[0], [&](Body& x) {
        const auto p = poseOf(s.m, x.placement);
        if (p.ok()) x.placement = placementOf({p->R, p->p + Vec3(0, 0, step)}, s.m.units);
      });
    Body pin = element(part(fmt::format("pin {}", i + 1)), BodyKind::pin, fmt::format("pin {}", i + 1),
                       s.poses[s.indexOf(carrier)].inverse() * Pose{place.R, place.p - z * (0.9 * *width)}, m.units);
    pin.figures = {{"radius", figureOf(0.12 * *module * std::min(d.planet, outer), dimension::kLength, m.units)},
                   {"length", figureOf(0.8 * *width, dimension::kLength, m.units)}};
    s.m = withBody(s.m, carrier, std::move(pin));
  }
  if (d.second > 0)
    s.m = changedBody(s.m, ringBody, [&](Body& x) {
      const auto p = poseOf(s.m, x.placement);
      if (p.ok()) x.placement = placementOf({p->R, p->p + Vec3(0, 0, step)}, s.m.units);
    });
  if (rise != 0) intoPlane(sunBody, s.poses[s.indexOf(sunLink)].R.transpose() * z);
  Body plate = element(part("plate"), BodyKind::disc, "carrier plate",
                       Pose{Mat3::Identity(), Vec3(0, 0, -1.4 * *width)}, m.units);
  plate.figures = {{"radius", figureOf(centre + 0.2 * *module * d.planet, dimension::kLength, m.units)},
                   {"thickness", figureOf(0.4 * *width, dimension::kLength, m.units)}};
  s.m = withBody(s.m, carrier, std::move(plate));
  return renamedStage(withoutSpare(s.m, d), d);
}

Result<Mechanism> withDifferential(const Mechanism& m, const DifferentialDraft& d, const std::vector<Pose>& poses) {
  Id base = 0;
  const auto at = seatPose(m, d.seat, poses, base);
  if (!at.ok()) return at.error();
  if (d.side < 10 || d.planet < 8)
    return Error{"figure", "", "a differential needs 10 teeth or more on its side gears, 8 on its planets"};
  // two planets opposite one another go in where the side gears' teeth are even in number
  if (d.side % 2 != 0)
    return Error{"figure", "side", "two planets go in evenly only with an even number of teeth on the side gears"};
  const auto module = valueOf(m, d.module, dimension::kLength, "module");
  if (!module.ok()) return module.error();
  Stage s(m, poses);
  const double reach = 0.5 * *module * d.planet;  // apex to the side gears' outer plane, and of the planets
  const Mat3& R = at->R;
  const Pose right{R, at->p + reach * R.col(2)}, left{R * rotationAbout(0, kPi), at->p - reach * R.col(2)};
  const Id links[2] = {s.newLink(d.name + " right", right), s.newLink(d.name + " left", left)};
  const Id joints[2] = {s.join(d.name + " right", base, links[0], {R, right.p}),
                        s.join(d.name + " left", base, links[1], {R, left.p})};
  const Id cage = s.newLink(d.name + " cage", *at);
  s.join(d.name + " cage", base, cage, *at);
  const Id sides[2] = {newId(), newId()};
  Placement kept[2];
  for (int i = 0; i < 2; ++i) {
    const double angle = kPi * i;
    const Mat3 turn = R * rotationAbout(2, angle);
    Mat3 frame;
    frame.col(2) = turn.col(0);
    frame.col(0) = turn.col(2);
    frame.col(1) = frame.col(2).cross(frame.col(0));
    const Pose place{frame, at->p + 0.5 * *module * d.side * turn.col(0)};
    const std::string name = fmt::format("{} planet {}", d.name, i + 1);
    const Id planet = s.newLink(name, place), joint = s.join(name, cage, planet, place);
    const Id body = newId();
    for (int k = 0; k < 2; ++k) {
      GearDraft g;
      g.kind = GearDraft::Kind::bevel;
      g.joints = {joint, joints[k]};
      g.module = d.module;
      g.width = d.width;
      g.teeth = {Field(d.planet), Field(d.side)};
      g.bodies = {body, sides[k]};
      g.moveAxis = false;
      if (auto done = s.gears(g); !done.ok()) return done.error();
      const Placement now = findBody(s.m, sides[k])->body->placement;
      if (i == 0)
        kept[k] = now;
      else
        s.m = changedBody(s.m, sides[k], [&](Body& x) { x.placement = kept[k]; });
    }
  }
  return s.m;
}

}  // namespace cooperage::model
