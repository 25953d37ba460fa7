// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/grouping.h"

#include "model/joint_edits.h"

#include <algorithm>
#include <map>
#include <set>

namespace cooperage::model {
namespace {

/// A direction in other axes, tidy.
Triple turned(const Mechanism& m, const Triple& t, const Mat3& R) {
  Vec3 v = Vec3::Zero();
  for (std::size_t i = 0; i < 3; ++i) {
    const auto x = evaluateField(m, t[i], dimension::kPlain);
    if (x.ok()) v[static_cast<Eigen::Index>(i)] = *x;
  }
  return directionOf(R * v);
}

Seat inOtherAxes(const Mechanism& m, Seat s, const Pose& fromTo) {
  const bool same = fromTo.p.norm() < 1e-15 && (fromTo.R - Mat3::Identity()).norm() < 1e-15;
  if (same) return s;  // formulas stay formulas
  Placement p;
  p.at = s.at;
  const auto at = poseOf(m, p);
  if (at.ok()) s.at = placementOf({Mat3::Identity(), fromTo * at->p}, m.units).at;
  s.axis = turned(m, s.axis, fromTo.R);
  s.ref = turned(m, s.ref, fromTo.R);
  return s;
}

/// Moves seats, and the curves on them, to another link.
void moveSeats(Mechanism& m, Id from, Id to, const std::function<bool(const Seat&)>& goes) {
  const auto source = findLink(m, from);
  if (!source || from == to) return;
  const Pose fromTo = linkPose(m, to).inverse() * linkPose(m, from);
  std::set<Id> moved;
  std::vector<std::shared_ptr<const Seat>> seats;
  std::vector<std::shared_ptr<const Curve>> curves;
  for (const auto& s : source->seats)
    if (goes(*s)) {
      moved.insert(s->id);
      seats.push_back(s);
    }
  if (moved.empty()) return;
  for (const auto& c : source->curves)
    if (moved.count(c->seat)) curves.push_back(c);
  change<Link>(m.links, from, [&](Link& l) {
    dropIf(l.seats, [&](const Seat& s) { return moved.count(s.id) > 0; });
    dropIf(l.curves, [&](const Curve& c) { return moved.count(c.seat) > 0; });
  });
  change<Link>(m.links, to, [&](Link& l) {
    for (const auto& s : seats) {
      Seat copy = inOtherAxes(m, *s, fromTo);
      copy.name = freeName(l.seats, copy.name);
      l.seats.push_back(std::make_shared<const Seat>(std::move(copy)));
    }
    for (const auto& c : curves) {
      Curve copy = *c;
      copy.name = freeName(l.curves, copy.name);
      l.curves.push_back(std::make_shared<const Curve>(std::move(copy)));
    }
  });
}

/// Takes away joints and contacts whose both sides have come to one link.
Mechanism withoutInnerJoints(const Mechanism& m) {
  std::vector<Id> gone;
  for (const auto& j : m.joints) {
    const auto a = findSeat(m, j->seats[0]), b = findSeat(m, j->seats[1]);
    if (a && b && a->link->id == b->link->id) gone.push_back(j->id);
  }
  for (const auto& c : m.camPairs) {
    const auto cam = findCurve(m, c->cam), other = findCurve(m, c->follower);
    const auto seat = findSeat(m, c->follower);
    const Id follower = other ? other->link->id : seat ? seat->link->id : 0;
    if (cam && cam->link->id == follower) gone.push_back(c->id);
  }
  if (gone.empty()) return m;
  const auto r = removed(m, gone);
  return r.ok() ? *r : m;
}

}  // namespace

std::pair<Mechanism, Id> regrouped(const Mechanism& m, const std::vector<Id>& bodies, Id link,
                                   const std::string& name) {
  Mechanism out = m;
  std::map<Id, std::set<Id>> leaving;  // bodies by the link that they come from
  for (Id id : bodies) {
    const auto place = findBody(m, id);
    if (place && place->link->id != link) leaving[place->link->id].insert(id);
  }
  if (leaving.empty()) return {m, link};
  if (link == 0) {
    Link fresh;
    fresh.id = newId();
    fresh.name = name;
    const auto first = findBody(m, bodies.front());
    fresh.placement = first->link->placement;  // the axes of the link that the bodies come from
    link = fresh.id;
    out = addLink(out, std::move(fresh));
  }
  const Pose target = linkPose(out, link);
  std::vector<Id> empty;
  for (const auto& l : m.links) {
    const auto it = leaving.find(l->id);
    if (it == leaving.end()) continue;
    const bool all = it->second.size() == l->bodies.size();
    const Pose fromTo = target.inverse() * linkPose(m, l->id);
    const bool same = fromTo.p.norm() < 1e-15 && (fromTo.R - Mat3::Identity()).norm() < 1e-15;
    std::vector<std::shared_ptr<const Body>> moved;
    for (const auto& b : l->bodies) {
      if (!it->second.count(b->id)) continue;
      Body copy = *b;
      if (!same) {
        const auto pose = poseOf(m, b->placement);
        copy.placement = placementOf(fromTo * (pose.ok() ? *pose : Pose{}), m.units);
      }
      if (!copy.colour && l->colour) copy.colour = l->colour;
      moved.push_back(std::make_shared<const Body>(std::move(copy)));
    }
    change<Link>(out.links, l->id,
                 [&](Link& x) { dropIf(x.bodies, [&](const Body& b) { return it->second.count(b.id) > 0; }); });
    change<Link>(out.links, link, [&](Link& x) {
      x.bodies.insert(x.bodies.end(), moved.begin(), moved.end());
      if (all && l->ground) x.ground = true;
    });
    moveSeats(out, l->id, link,
              [&](const Seat& s) { return all || (s.source && it->second.count(s.source->body) > 0); });
    const auto rest = findLink(out, l->id);
    if (rest && rest->bodies.empty() && rest->seats.empty()) empty.push_back(l->id);
  }
  out = withoutInnerJoints(out);
  const auto cleaned = removed(out, empty);
  return {cleaned.ok() ? *cleaned : out, link};
}

Mechanism separated(const Mechanism& m, const std::vector<Id>& bodies) {
  Mechanism out = m;
  for (Id id : bodies) {
    const auto place = findBody(out, id);
    if (!place || (place->link->bodies.size() == 1 && place->link->seats.empty())) continue;
    out = regrouped(out, {id}, 0, place->body->name).first;
  }
  return out;
}

std::pair<Mechanism, Id> merged(const Mechanism& m, const std::vector<Id>& links) {
  if (links.empty()) return {m, 0};
  const Id target = links.front();
  Mechanism out = m;
  bool ground = false;
  for (Id id : links) {
    const auto l = findLink(out, id);
    if (!l) continue;
    ground = ground || l->ground;
    if (id == target) continue;
    std::vector<Id> bodies;
    for (const auto& b : l->bodies) bodies.push_back(b->id);
    if (!bodies.empty()) out = regrouped(out, bodies, target, "").first;
    moveSeats(out, id, target, [](const Seat&) { return true; });
    out = withoutInnerJoints(out);
    if (findLink(out, id)) {
      const auto gone = removed(out, {id});
      if (gone.ok()) out = *gone;
    }
  }
  return {changedLink(out, target, [&](Link& l) { l.ground = ground; }), target};
}

Mechanism groupedAs(const Mechanism& m, const std::vector<BodyGroup>& groups) {
  std::map<Id, std::pair<std::shared_ptr<const Body>, Pose>> bodies;
  std::map<Id, std::shared_ptr<const Link>> from;
  for (const auto& l : m.links)
    for (const auto& b : l->bodies) {
      const auto pose = poseOf(m, b->placement);
      bodies[b->id] = {b, linkPose(m, l->id) * (pose.ok() ? *pose : Pose{})};
      from[b->id] = l;
    }
  std::set<Id> regroupedBodies;
  for (const auto& g : groups) regroupedBodies.insert(g.bodies.begin(), g.bodies.end());
  Mechanism out = m;
  out.links.clear();
  const auto isWhole = [&](const Link& l) {  // every body is regrouped, nothing else hangs on it
    return !l.bodies.empty() && l.seats.empty() && std::all_of(l.bodies.begin(), l.bodies.end(), [&](const auto& b) {
      return regroupedBodies.count(b->id) > 0;
    });
  };
  for (const auto& l : m.links)
    if (!isWhole(*l)) {
      auto copy = std::make_shared<Link>(*l);
      dropIf(copy->bodies, [&](const Body& b) { return regroupedBodies.count(b.id) > 0; });
      out.links.push_back(copy->bodies.size() == l->bodies.size() ? l : std::shared_ptr<const Link>(copy));
    }
  std::set<std::string> names;
  for (const auto& l : out.links) names.insert(l->name);
  for (const BodyGroup& g : groups) {
    if (g.bodies.empty()) continue;
    Link link;
    link.id = newId();
    std::string base = g.name.empty() ? bodies[g.bodies.front()].first->name : g.name;
    for (char& c : base)
      if (c == '/') c = '-';
    link.name = base.empty() ? "part" : base;
    for (int k = 2; !names.insert(link.name).second; ++k) link.name = base + " " + std::to_string(k);
    link.ground = g.ground;
    for (Id id : g.bodies) {
      auto copy = std::make_shared<Body>(*bodies[id].first);
      copy->placement = placementOf(bodies[id].second, m.units);
      if (!copy->colour && from[id]->colour) copy->colour = from[id]->colour;
      link.ground = link.ground || from[id]->ground;
      link.bodies.push_back(std::move(copy));
    }
    out.links.push_back(std::make_shared<const Link>(std::move(link)));
  }
  return out;
}

Mechanism groupedByRule(const Mechanism& m, const std::vector<ImportedSolid>& solids, LinkRule rule,
                        const std::string& name) {
  std::vector<BodyGroup> groups;
  std::map<std::string, std::size_t> known;
  for (const ImportedSolid& s : solids) {
    std::string key;
    if (rule == LinkRule::allOne) key = name;
    if (rule == LinkRule::eachAssembly && s.path.size() > 1) key = s.path[1];
    if (!key.empty() && known.count(key)) {
      groups[known[key]].bodies.push_back(s.body);
      continue;
    }
    if (!key.empty()) known[key] = groups.size();
    if (const auto hash = key.rfind('#'); rule == LinkRule::eachAssembly && hash != std::string::npos) key.resize(hash);
    groups.push_back({key, {s.body}});
  }
  return groupedAs(m, groups);
}

std::pair<Mechanism, Id> cutInTwo(const Mechanism& m, Id body, const std::vector<CutTool>& tools,
                                  const std::function<bool(const Seat&)>& goes) {
  const auto place = findBody(m, body);
  if (!place) return {m, 0};
  Body rest = *place->body;
  rest.id = newId();
  rest.cuts.push_back({tools, false});
  rest.name = place->body->name + " rest";
  Link fresh;
  fresh.id = newId();
  fresh.name = place->link->name + " rest";
  fresh.placement = place->link->placement;
  fresh.colour = place->link->colour;
  const Id link = fresh.id, oldLink = place->link->id;
  fresh.bodies.push_back(std::make_shared<const Body>(rest));
  Mechanism out = changedBody(m, body, [&](Body& b) { b.cuts.push_back({tools, true}); });
  out = addLink(out, std::move(fresh));
  moveSeats(out, oldLink, link, goes);
  // what was picked on the part that went is now on the new body
  out = changedLink(out, link, [&](Link& l) {
    for (auto& s : l.seats)
      if (s->source && s->source->body == body) {
        auto copy = std::make_shared<Seat>(*s);
        copy->source->body = rest.id;
        s = std::move(copy);
      }
  });
  return {withoutInnerJoints(out), link};
}

Mechanism exchanged(const Mechanism& m, Id link) {
  return changedLink(m, link, [](Link& l) { std::swap(l.bodies, l.aside); });
}

Mechanism withSolidFor(const Mechanism& m, Id link, Body body) {
  return changedLink(m, link, [&](Link& l) {
    l.aside = std::move(l.bodies);
    body.name = freeName(l.aside, body.name);
    l.bodies = {std::make_shared<const Body>(std::move(body))};
  });
}

Mechanism withGeometryReplaced(const Mechanism& m, Id body, const std::string& file, int solid) {
  return changedBody(m, body, [&](Body& b) {
    b.kind = BodyKind::file;
    b.figures.clear();
    b.file = file;
    b.solid = solid;
    b.cuts.clear();
    b.stretches.clear();
  });
}

}  // namespace cooperage::model
