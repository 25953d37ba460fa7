// SPDX-License-Identifier: GPL-3.0-or-later
#include "io/reuse.h"

#include <fmt/format.h>

#include <cmath>
#include <map>
#include <nlohmann/json.hpp>
#include <set>

#include "base/expression.h"
#include "model/edits.h"
#include "model/joint_edits.h"
#include "model/planarity.h"

namespace cooperage::io {

using namespace model;

namespace {

using Json = nlohmann::ordered_json;
template <class T>
using List = std::vector<std::shared_ptr<const T>>;

/// A name that no object of two lists bears.
template <class T>
std::string freeIn(const List<T>& list, const List<T>& own, const std::string& base, const std::string& joiner) {
  std::string out = base;
  for (int n = 2; findByName(list, out) || findByName(own, out); ++n) out = base + joiner + std::to_string(n);
  return out;
}

std::string identifierOf(const std::string& text) {
  std::string out;
  for (const char c : text) out += (std::isalnum(static_cast<unsigned char>(c)) != 0) ? c : '_';
  if (!out.empty() && std::isdigit(static_cast<unsigned char>(out.front()))) out = "_" + out;
  return out;
}

std::vector<Id> groundOf(const Mechanism& m) {
  std::vector<Id> out;
  for (const auto& l : m.links)
    if (l->ground) out.push_back(l->id);
  return out;
}

/// In the units of the document that it comes to; parameters have to say what they measure where those differ.
Result<Mechanism> inUnitsOf(const Mechanism& m, const Mechanism& source) {
  if (m.units == source.units) return source;
  for (const auto& p : source.parameters)
    if (!p->value.formula && p->value.number != 0)
      return Error{
          "units", p->name,
          fmt::format("parameter {}: it has no unit, and the documents' units differ; give it one there ({} {})",
                      p->name, formatNumber(p->value.number), source.units.length)};
  return withUnits(source, m.units);
}

/// What a group takes of a document, kind by kind, with what the kind is called in the file.
template <class M, class F>
void eachKind(M& m, F f) {
  f("parameters", m.parameters);
  f("links", m.links);
  f("joints", m.joints);
  f("couplings", m.couplings);
  f("cam_pairs", m.camPairs);
  f("contacts", m.contacts);
}

std::vector<Group::Member> membersOf(const Mechanism& source) {
  std::vector<Group::Member> out;
  eachKind(source, [&](const char*, const auto& list) {
    for (const auto& x : list) out.push_back({x->id, x->name, {}});
  });
  for (auto& member : out)
    if (const auto p = findById(source.parameters, member.id)) member.value = fieldText(source, p->value);
  return out;
}

/// Names here by the names there, kind by kind.
using Names = std::map<std::string, std::map<std::string, std::string>>;

/// Gives all objects of a source their names here: those that they have by now, or the group's before their own, told
/// apart from all that is here.
void name(Mechanism& own, const Mechanism& m, const std::string& group, const Names& known) {
  const auto in = [&](const char* kind, auto& list, const auto& here) {
    std::decay_t<decltype(list)> done;
    const bool parameter = std::string(kind) == "parameters";
    for (const auto& x : list) {
      auto copy = std::make_shared<std::decay_t<decltype(*x)>>(*x);
      if (const auto names = known.find(kind); names != known.end() && names->second.count(x->name) > 0)
        copy->name = names->second.at(x->name);
      else if (parameter)
        copy->name = freeIn(here, done, identifierOf(group + "_" + x->name), "_");
      else
        copy->name = freeIn(here, done, group + " " + x->name, " ");
      done.push_back(std::move(copy));
    }
    list = std::move(done);
  };
  in("parameters", own.parameters, m.parameters);
  in("links", own.links, m.links);
  in("joints", own.joints, m.joints);
  in("couplings", own.couplings, m.couplings);
  in("cam_pairs", own.camPairs, m.camPairs);
  in("contacts", own.contacts, m.contacts);
}

/// Only what a group takes, none of it grounded; curves know no sheet any more.
Mechanism taken(const Mechanism& source) {
  Mechanism out = source;
  out.gravity.reset();
  out.materials.clear();
  out.springs.clear();
  out.forces.clear();
  out.frictions.clear();
  out.programmes.clear();
  out.drives.clear();
  out.gauges.clear();
  out.requirements.clear();
  out.paths.clear();
  out.sheets.clear();
  out.runs.clear();
  out.groups.clear();
  out.extra = {};
  changeAll(out.links, [&](Link& l) {
    l.ground = false;
    changeAll(l.bodies, [&](Body& b) {  // materials of its own stay behind, what they weigh does not
      const auto own = findByName(source.materials, b.material);
      if (!own) return;
      if (!b.density) b.density = own->density;
      b.material.clear();
    });
    changeAll(l.curves, [](Curve& c) { c.sheet = 0; });
  });
  return out;
}

/// All links moved. X: ground of the source to ground of the document.
Status move(Mechanism& m, const Pose& X) {
  for (auto& l : m.links) {
    const auto at = poseOf(m, l->placement);
    if (!at.ok()) return at.error();
    auto copy = std::make_shared<Link>(*l);
    copy->placement = placementOf(X * *at, m.units);
    l = std::move(copy);
  }
  return Done{};
}

/// Half a turn about an axis in the plane of a planar mechanism, at a frame: it is seen from behind then.
Result<Pose> turnedOver(const Mechanism& source, const Pose& frame) {
  const auto r = resolve(source);
  if (!r.ok()) return r.error();
  const auto normals = planeNormals(*r);
  if (normals.empty())
    return Error{"mirror", "", "it is not planar: only a planar mechanism can be turned over to be its mirror image"};
  const Vec3 n = frame.R.transpose() * (r->links[0].placement.R * normals[0]);
  Vec3 axis = Vec3::UnitX();
  for (int i = 0; i < 3; ++i)
    if (std::abs(n[i]) < 1e-9) {
      axis = Vec3::Unit(i);
      break;
    } else if (i == 2) {
      axis = n.unitOrthogonal();
    }
  return Pose{Eigen::AngleAxisd(kPi, axis).toRotationMatrix(), Vec3::Zero()};
}

}  // namespace

Result<std::pair<Mechanism, Id>> withReused(const Mechanism& m, const Mechanism& given, const ReuseHow& how) {
  const auto place = findSeat(m, how.onto);
  if (!place) return Error{"seat", "", "choose a seat on which it is placed"};
  auto source = inUnitsOf(m, given);
  if (!source.ok()) return source.error();
  const auto grounds = groundOf(*source);
  if (grounds.empty())
    return Error{"ground", source->title, "it has no link that is ground: ground the one that is to be fixed here"};

  // where it comes to stand
  const auto link = poseOf(m, place->link->placement);
  const auto seat = frameOf(m, *place->seat);
  if (!link.ok()) return link.error();
  if (!seat.ok()) return seat.error();
  const Pose target = *link * *seat;
  Pose origin;
  if (!how.seat.empty()) {
    bool found = false;
    for (const auto& l : source->links)
      if (const auto s = l->ground ? findByName(l->seats, how.seat) : nullptr) {
        const auto at = poseOf(*source, l->placement);
        const auto frame = frameOf(*source, *s);
        if (!at.ok()) return at.error();
        if (!frame.ok()) return frame.error();
        origin = *at * *frame;
        found = true;
      }
    if (!found) return Error{"seat", how.seat, fmt::format("its ground has no seat '{}'", how.seat)};
  }
  Pose over;
  if (how.mirrored) {
    const auto turn = turnedOver(*source, origin);
    if (!turn.ok()) return turn.error();
    over = *turn;
  }

  Group group;
  group.id = newId();
  group.name = freeName(m.groups, how.name.empty() ? source->title : how.name);
  group.file = how.file;
  group.members = membersOf(*source);
  Mechanism own = taken(*source);
  if (const auto s = move(own, target * over * origin.inverse()); !s.ok()) return s.error();

  name(own, m, group.name, {});

  // its ground stands on the seat
  for (const Id ground : grounds) {
    const auto at = poseOf(own, findLink(own, ground)->placement);
    if (!at.ok()) return at.error();
    Seat base;
    base.id = newId();
    base.at = placementOf(at->inverse() * target, m.units).at;
    const Mat3 R = (at->inverse() * target).R;
    base.axis = directionOf(R.col(2));
    base.ref = directionOf(R.col(0));
    Joint joint;
    joint.id = newId();
    joint.kind = JointKind::fixed;
    joint.name = freeIn(m.joints, own.joints, group.name + " base", " ");
    joint.seats = {how.onto, base.id};
    own = changedLink(own, ground, [&](Link& l) {
      base.name = freeName(l.seats, "base");
      l.seats.push_back(std::make_shared<const Seat>(base));
    });
    own.joints.push_back(std::make_shared<const Joint>(joint));
  }

  Mechanism out = m;
  const auto join = [](auto& into, const auto& from) { into.insert(into.end(), from.begin(), from.end()); };
  join(out.parameters, own.parameters);
  join(out.links, own.links);
  join(out.joints, own.joints);
  join(out.couplings, own.couplings);
  join(out.camPairs, own.camPairs);
  join(out.contacts, own.contacts);
  const Id id = group.id;
  out.groups.push_back(std::make_shared<const Group>(std::move(group)));
  if (const auto r = resolve(out); !r.ok()) return r.error();
  return std::make_pair(out, id);
}

namespace {

/// All texts of some JSON, for what it refers to.
void textsOf(const Json& j, std::set<std::string>& out) {
  if (j.is_string()) out.insert(j.get<std::string>());
  if (j.is_structured())
    for (const auto& item : j) textsOf(item, out);
}
std::string nameIn(const Json& object) { return object["name"].get<std::string>(); }

/// Parameters of a group that have another value here than their source had when it was read last.
std::set<std::string> ownValues(const Mechanism& m, const Group& group) {
  std::set<std::string> out;
  for (const auto& member : group.members)
    if (const auto p = findById(m.parameters, member.id); p && fieldText(m, p->value) != member.value)
      out.insert(p->name);
  return out;
}

/// Puts a group's objects of one kind into the list of the document: in place of those of their names, the others at
/// the end. @param mine names of those that are the group's now @return those of them that don't come again
std::set<std::string> putIn(Json& list, const Json& coming, const std::set<std::string>& mine,
                            const std::set<std::string>& keepValue) {
  std::map<std::string, const Json*> fresh;
  for (const Json& x : coming) fresh[nameIn(x)] = &x;
  std::set<std::string> gone;
  Json out = Json::array();
  for (const Json& x : list) {
    const std::string name = nameIn(x);
    const auto to = fresh.find(name);
    if (mine.count(name) == 0) {
      out.push_back(x);
    } else if (to == fresh.end()) {
      gone.insert(name);
    } else {
      out.push_back(*to->second);
      if (keepValue.count(name) > 0) out.back()["value"] = x["value"];
      fresh.erase(to);
    }
  }
  for (const Json& x : coming)
    if (fresh.count(nameIn(x)) > 0) out.push_back(x);
  list = std::move(out);
  return gone;
}

/// Seats that were added here to the group's links, and the one on which it stands, stay where something here uses
/// them. They stand where they stood.
void keepUsedSeats(Json& doc, const std::map<std::string, Json>& before) {
  std::set<std::string> used;
  for (const auto& [key, value] : doc.items())
    if (key != "groups") textsOf(value, used);
  for (Json& l : doc["links"]) {
    const auto was = before.find(nameIn(l));
    if (was == before.end() || !was->second.contains("seats")) continue;
    if (!l.contains("seats")) l["seats"] = Json::array();
    for (const Json& s : was->second["seats"]) {
      const bool there =
          std::any_of(l["seats"].begin(), l["seats"].end(), [&](const Json& x) { return x["name"] == s["name"]; });
      if (there || used.count(was->first + "/" + nameIn(s)) == 0) continue;
      Json kept = s;
      kept.erase("from");
      l["seats"].push_back(std::move(kept));
    }
  }
}

}  // namespace

Result<Mechanism> withRefreshed(const Mechanism& m, Id id, const Mechanism& given) {
  const auto group = findById(m.groups, id);
  if (!group) return Error{"group", "", "there is no such group"};
  auto source = inUnitsOf(m, given);
  if (!source.ok()) return source.error();
  const auto fault = [&](const std::string& text) { return Error{"refresh", group->name, group->name + ": " + text}; };

  Names here;
  eachKind(m, [&](const char* kind, const auto& list) {
    for (const auto& member : group->members)
      if (const auto x = findById(list, member.id)) here[kind][member.of] = x->name;
  });

  // where it stands: its first ground link that is still known tells
  std::optional<Pose> X;
  for (const auto& l : source->links)
    if (const auto at = here["links"].find(l->name); l->ground && at != here["links"].end() && !X) {
      const auto now = poseOf(m, findByName(m.links, at->second)->placement), was = poseOf(*source, l->placement);
      if (!now.ok()) return now.error();
      if (!was.ok()) return was.error();
      X = *now * was->inverse();
    }
  if (!X) return fault("none of its ground links is there any more, so that it is not known where it stands");

  Group next = *group;
  next.members = membersOf(*source);
  Mechanism fresh = taken(*source);
  if (const auto s = move(fresh, *X); !s.ok()) return s.error();
  name(fresh, m, group->name, here);
  fresh.groups = {std::make_shared<const Group>(std::move(next))};

  // by the names of the file, all that refers to the group finds what has come in its place
  Json doc = Json::parse(writeCoop(m));
  const Json news = Json::parse(writeCoop(fresh));
  std::map<std::string, Json> linksBefore;
  for (const auto& [there, name] : here["links"])
    for (const Json& l : doc["links"])
      if (nameIn(l) == name) linksBefore[name] = l;
  std::string gone;
  eachKind(fresh, [&](const char* kind, const auto&) {
    std::set<std::string> mine;
    for (const auto& [there, name] : here[kind]) mine.insert(name);
    const auto found = news.find(kind);  // a kind that neither has stays out
    if (found == news.end() && !doc.contains(kind)) return;
    const Json none = Json::array();
    if (!doc.contains(kind)) doc[kind] = none;
    for (const auto& name : putIn(doc[kind], found == news.end() ? none : *found, mine, ownValues(m, *group)))
      gone += (gone.empty() ? "" : ", ") + name;
  });
  keepUsedSeats(doc, linksBefore);
  for (Json& g : doc["groups"])
    if (g["name"] == group->name) g = news["groups"][0];
  auto out = readCoop(doc.dump());
  if (!out.ok())
    return fault(fmt::format("{}its source has changed so that it doesn't fit here any more: {}",
                             gone.empty() ? "" : "gone from its source: " + gone + "; ", out.error().text));
  if (const auto r = resolve(*out); !r.ok()) return fault(r.error().text);
  return out;
}

Status mayReuse(const std::filesystem::path& document, const std::filesystem::path& source) {
  std::error_code ignored;  // a path that can't be followed is compared as it is written
  const auto whole = [&](const std::filesystem::path& p) { return std::filesystem::weakly_canonical(p, ignored); };
  const auto wanted = whole(document);
  std::vector<std::pair<std::filesystem::path, std::string>> open{{whole(source), source.filename().string()}};
  std::set<std::filesystem::path> seen;
  while (!open.empty()) {
    const auto [file, way] = open.back();
    open.pop_back();
    if (!document.empty() && file == wanted)
      return Error{"cycle", source.filename().string(),
                   way == source.filename().string()
                       ? fmt::format("{} is this document: it can't be put into itself", way)
                       : fmt::format("{} holds this document itself ({}): it can't be put into it",
                                     source.filename().string(), way)};
    if (!seen.insert(file).second) continue;
    const auto m = loadCoop(file);
    if (!m.ok()) continue;
    for (const auto& g : m->groups)
      if (!g->file.empty()) open.emplace_back(whole(file.parent_path() / g->file), way + " > " + g->file);
  }
  return Done{};
}

}  // namespace cooperage::io
