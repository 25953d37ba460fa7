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

template <class T, class F>
void eachOf(List<T>& list, F edit) {
  for (auto& item : list) {
    auto copy = std::make_shared<T>(*item);
    edit(*copy);
    item = std::move(copy);
  }
}

std::vector<Id> groundOf(const Mechanism& m) {
  std::vector<Id> out;
  for (const auto& l : m.links)
    if (l->ground) out.push_back(l->id);
  return out;
}

/// In the units of the document that it comes to; parameters have to say what they measure where those differ.
Result<Mechanism> inUnitsOf(const Mechanism& m, const Mechanism& source) {
  const auto &a = m.units, &b = source.units;
  if (a.length == b.length && a.angle == b.angle && a.mass == b.mass && a.time == b.time && a.force == b.force)
    return source;
  for (const auto& p : source.parameters)
    if (!p->value.formula && p->value.number != 0)
      return Error{
          "units", p->name,
          fmt::format("parameter {}: it has no unit, and the documents' units differ; give it one there ({} {})",
                      p->name, formatNumber(p->value.number), b.length)};
  return withUnits(source, a);
}

/// The objects of a document that a group takes, with the names and values that they have there.
std::vector<Group::Member> membersOf(const Mechanism& source) {
  std::vector<Group::Member> out;
  for (const auto& p : source.parameters) out.push_back({p->id, p->name, fieldText(source, p->value)});
  const auto take = [&](const auto& list) {
    for (const auto& x : list) out.push_back({x->id, x->name, {}});
  };
  take(source.links);
  take(source.joints);
  take(source.couplings);
  take(source.camPairs);
  return out;
}

/// Only what a group takes, none of it grounded; curves know no sheet any more.
Mechanism taken(const Mechanism& source) {
  Mechanism out = source;
  out.programmes.clear();
  out.drives.clear();
  out.gauges.clear();
  out.requirements.clear();
  out.paths.clear();
  out.sheets.clear();
  out.runs.clear();
  out.groups.clear();
  out.extra = {};
  eachOf(out.links, [](Link& l) {
    l.ground = false;
    eachOf(l.curves, [](Curve& c) { c.sheet = 0; });
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

  // names of their own
  const auto named = [&](auto& list, const auto& there) {
    auto done = list;
    done.clear();
    for (const auto& x : list) {
      auto copy = std::make_shared<std::decay_t<decltype(*x)>>(*x);
      copy->name = freeIn(there, done, group.name + " " + x->name, " ");
      done.push_back(std::move(copy));
    }
    list = std::move(done);
  };
  named(own.links, m.links);
  named(own.joints, m.joints);
  named(own.couplings, m.couplings);
  named(own.camPairs, m.camPairs);
  List<Parameter> parameters;
  for (const auto& p : own.parameters) {
    auto copy = std::make_shared<Parameter>(*p);
    copy->name = freeIn(m.parameters, parameters, identifierOf(group.name + "_" + p->name), "_");
    parameters.push_back(std::move(copy));
  }
  own.parameters = std::move(parameters);

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
  const Id id = group.id;
  out.groups.push_back(std::make_shared<const Group>(std::move(group)));
  if (const auto r = resolve(out); !r.ok()) return r.error();
  return std::make_pair(out, id);
}

namespace {

/// What a kind of objects is called in the file.
constexpr const char* kKinds[] = {"parameters", "links", "joints", "couplings", "cam_pairs"};

/// All texts of some JSON, for what it refers to.
void textsOf(const Json& j, std::set<std::string>& out) {
  if (j.is_string()) out.insert(j.get<std::string>());
  if (j.is_structured())
    for (const auto& item : j) textsOf(item, out);
}

}  // namespace

Result<Mechanism> withRefreshed(const Mechanism& m, Id id, const Mechanism& given) {
  const auto group = findById(m.groups, id);
  if (!group) return Error{"group", "", "there is no such group"};
  auto source = inUnitsOf(m, given);
  if (!source.ok()) return source.error();
  const auto fault = [&](const std::string& text) { return Error{"refresh", group->name, group->name + ": " + text}; };

  // what is there under the names that it has here
  std::map<std::string, std::string> here[5];  // by kind: name there to name here
  std::map<std::string, std::string> valueThen;
  const auto note = [&](int kind, const auto& list) {
    for (const auto& member : group->members)
      if (const auto x = findById(list, member.id)) here[kind][member.of] = x->name;
  };
  note(0, m.parameters);
  note(1, m.links);
  note(2, m.joints);
  note(3, m.couplings);
  note(4, m.camPairs);
  for (const auto& member : group->members) valueThen[member.of] = member.value;

  // where it stands: its first ground link that is still known tells
  std::optional<Pose> X;
  for (const auto& l : source->links)
    if (const auto at = here[1].find(l->name); l->ground && at != here[1].end() && !X) {
      const auto now = poseOf(m, findByName(m.links, at->second)->placement), was = poseOf(*source, l->placement);
      if (!now.ok()) return now.error();
      if (!was.ok()) return was.error();
      X = *now * was->inverse();
    }
  if (!X) return fault("none of its ground links is there any more, so that it is not known where it stands");

  const auto members = membersOf(*source);
  Mechanism fresh = taken(*source);
  if (const auto s = move(fresh, *X); !s.ok()) return s.error();
  const auto named = [&](int kind, auto& list, const auto& there, const auto& newName) {
    auto done = list;
    done.clear();
    for (const auto& x : list) {
      auto copy = std::make_shared<std::decay_t<decltype(*x)>>(*x);
      const auto known = here[kind].find(x->name);
      copy->name = known != here[kind].end() ? known->second : newName(there, done, x->name);
      done.push_back(std::move(copy));
    }
    list = std::move(done);
  };
  const auto spaced = [&](const auto& there, const auto& done, const std::string& name) {
    return freeIn(there, done, group->name + " " + name, " ");
  };
  named(0, fresh.parameters, m.parameters, [&](const auto& there, const auto& done, const std::string& name) {
    return freeIn(there, done, identifierOf(group->name + "_" + name), "_");
  });
  named(1, fresh.links, m.links, spaced);
  named(2, fresh.joints, m.joints, spaced);
  named(3, fresh.couplings, m.couplings, spaced);
  named(4, fresh.camPairs, m.camPairs, spaced);

  // by the names of the file, all that refers to the group finds what has come in its place
  Json doc = Json::parse(writeCoop(m));
  const Json news = Json::parse(writeCoop(fresh));
  Json names;
  for (const auto& member : members) {
    const auto put = [&](int kind, const auto& list) {
      if (const auto x = findById(list, member.id))
        names[kKinds[kind]][x->name] = kind == 0 ? Json::array({member.of, member.value}) : Json(member.of);
    };
    put(0, fresh.parameters);
    put(1, fresh.links);
    put(2, fresh.joints);
    put(3, fresh.couplings);
    put(4, fresh.camPairs);
  }
  std::map<std::string, Json> oldLinks;
  std::set<std::string> goneNames;
  for (int kind = 0; kind < 5; ++kind) {
    std::map<std::string, const Json*> coming;
    if (news.contains(kKinds[kind]))
      for (const Json& x : news[kKinds[kind]]) coming[x["name"].get<std::string>()] = &x;
    Json list = Json::array();
    std::set<std::string> mine;
    for (const auto& [there, name] : here[kind]) mine.insert(name);
    for (const Json& x : doc.contains(kKinds[kind]) ? doc[kKinds[kind]] : Json::array()) {
      const std::string name = x["name"].get<std::string>();
      if (mine.count(name) == 0) {
        list.push_back(x);
        continue;
      }
      if (kind == 1) oldLinks[name] = x;
      const auto to = coming.find(name);
      if (to == coming.end()) {
        goneNames.insert(name);
        continue;
      }
      Json y = *to->second;
      // a parameter that was given another value here keeps it
      if (kind == 0) {
        const auto p = findByName(m.parameters, name);
        for (const auto& [there, ours] : here[0])
          if (ours == name && fieldText(m, p->value) != valueThen[there]) y["value"] = x["value"];
      }
      list.push_back(std::move(y));
      coming.erase(to);
    }
    if (news.contains(kKinds[kind]))
      for (const Json& x : news[kKinds[kind]])
        if (coming.count(x["name"].get<std::string>()) > 0) list.push_back(x);
    doc[kKinds[kind]] = std::move(list);
  }
  // seats that were added here, and the one on which it stands, stay on its links where something here uses them
  std::set<std::string> used;
  for (const auto& [key, value] : doc.items())
    if (key != "groups") textsOf(value, used);
  for (Json& l : doc["links"]) {
    const auto was = oldLinks.find(l["name"].get<std::string>());
    if (was == oldLinks.end() || !was->second.contains("seats")) continue;
    if (!l.contains("seats")) l["seats"] = Json::array();
    for (const Json& s : was->second["seats"]) {
      const bool there =
          std::any_of(l["seats"].begin(), l["seats"].end(), [&](const Json& x) { return x["name"] == s["name"]; });
      if (there || used.count(was->first + "/" + s["name"].get<std::string>()) == 0) continue;
      Json kept = s;
      kept.erase("from");  // it stands where it stood
      l["seats"].push_back(std::move(kept));
    }
  }
  for (Json& g : doc["groups"])
    if (g["name"] == group->name)
      for (const char* kind : kKinds) {
        g.erase(kind);
        if (names.contains(kind)) g[kind] = names[kind];
      }
  auto out = readCoop(doc.dump());
  std::string gone;
  for (const std::string& name : goneNames) gone += (gone.empty() ? "" : ", ") + name;
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
