// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/edits.h"
#include "model/fields.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

namespace cooperage::model {

std::optional<Dimension> camRowDimension(const Curve& cam, const Word<motion::LawKind>& law, const std::string& key) {
  const Dimension over = cam.form == CamForm::linear ? dimension::kLength : dimension::kAngle;
  const Dimension lift = cam.swing ? dimension::kAngle : dimension::kLength;
  if (key == "over") return over;
  if (key == "lift") return lift;
  if (law == motion::LawKind::trapezoidSpeed && (key == "up" || key == "down")) return dimension::kPlain;
  if (law == motion::LawKind::quintic && key == "end_speed") return lift + (-1.0 * over);
  if (law == motion::LawKind::quintic && key == "end_acceleration") return lift + (-2.0 * over);
  return std::nullopt;
}

Mechanism changedLink(const Mechanism& m, Id id, const std::function<void(Link&)>& edit) {
  return changed<Link>(m, &Mechanism::links, id, edit);
}
Mechanism changedJoint(const Mechanism& m, Id id, const std::function<void(Joint&)>& edit) {
  return changed<Joint>(m, &Mechanism::joints, id, edit);
}
Mechanism changedBody(const Mechanism& m, Id id, const std::function<void(Body&)>& edit) {
  const auto place = findBody(m, id);
  if (!place) return m;
  return changedLink(m, place->link->id, [&](Link& l) { change<Body>(l.bodies, id, edit); });
}
Mechanism changedSeat(const Mechanism& m, Id id, const std::function<void(Seat&)>& edit) {
  const auto place = findSeat(m, id);
  if (!place) return m;
  return changedLink(m, place->link->id, [&](Link& l) { change<Seat>(l.seats, id, edit); });
}

std::optional<std::size_t> indexOf(const Mechanism& m, Id link) {
  for (std::size_t i = 0; i < m.links.size(); ++i)
    if (m.links[i]->id == link) return i;
  return std::nullopt;
}

Mechanism addLink(const Mechanism& m, Link link) {
  Mechanism out = m;
  if (link.id == 0) link.id = newId();
  link.name = freeName(m.links, link.name);
  out.links.push_back(std::make_shared<const Link>(std::move(link)));
  return out;
}

Mechanism grounded(const Mechanism& m, const std::vector<Id>& links, bool ground) {
  Mechanism out = m;
  for (Id id : links) change<Link>(out.links, id, [&](Link& l) { l.ground = ground; });
  return out;
}

Mechanism shown(const Mechanism& m, const std::vector<Id>& ids, bool visible) {
  Mechanism out = m;
  for (Id id : ids) {
    change<Link>(out.links, id, [&](Link& l) { l.hidden = !visible; });
    change<Sheet>(out.sheets, id, [&](Sheet& s) { s.hidden = !visible; });
    out = changedBody(out, id, [&](Body& b) { b.hidden = !visible; });
  }
  return out;
}

namespace {

template <class T>
bool renameIn(std::vector<std::shared_ptr<const T>>& list, Id id, const std::string& name, Error& error) {
  if (!findById(list, id)) return false;
  const auto other = findByName(list, name);
  if (other && other->id != id)
    error = {"name", name, fmt::format("the name '{}' is taken; choose another", name)};
  else
    change<T>(list, id, [&](T& x) { x.name = name; });
  return true;
}

}  // namespace

/// All bodies of a material are of another, or of none.
static Mechanism withMaterialNamed(const Mechanism& m, const std::string& was, const std::string& name) {
  Mechanism out = m;
  for (const auto& l : m.links)
    for (const auto& b : l->bodies)
      if (b->material == was) out = changedBody(out, b->id, [&](Body& x) { x.material = name; });
  return out;
}

Result<Mechanism> renamed(const Mechanism& m, Id id, const std::string& name) {
  if (name.empty()) return Error{"name", "", "the name is empty"};
  if (name.find('/') != std::string::npos) return Error{"name", name, "a name can't hold a '/'"};
  if (name.find('\'') != std::string::npos) return Error{"name", name, "a name can't hold a single quote"};
  Mechanism out = m;
  Error error;
  if (findById(m.parameters, id) && !isParameterName(name))
    return Error{"name", name,
                 fmt::format("'{}' can't name a parameter: use letters, digits and _, and no unit or function", name)};
  bool found = renameIn(out.parameters, id, name, error) || renameIn(out.links, id, name, error) ||
               renameIn(out.joints, id, name, error) || renameIn(out.couplings, id, name, error) ||
               renameIn(out.drives, id, name, error) || renameIn(out.gauges, id, name, error) ||
               renameIn(out.requirements, id, name, error) || renameIn(out.runs, id, name, error) ||
               renameIn(out.paths, id, name, error) || renameIn(out.programmes, id, name, error) ||
               renameIn(out.camPairs, id, name, error) || renameIn(out.sheets, id, name, error) ||
               renameIn(out.groups, id, name, error) || renameIn(out.contacts, id, name, error) ||
               renameIn(out.forces, id, name, error) || renameIn(out.springs, id, name, error) ||
               renameIn(out.frictions, id, name, error) || renameIn(out.materials, id, name, error);
  if (const auto was = findById(m.materials, id); was && error.text.empty())
    out = withMaterialNamed(out, was->name, name);
  // the only body of a link that bears its name goes by the new one too
  if (const auto link = findLink(m, id); link && link->bodies.size() == 1 && link->bodies[0]->name == link->name)
    out = changedBody(out, link->bodies[0]->id, [&](Body& b) { b.name = name; });
  if (const auto body = findBody(m, id)) {
    out = changedBody(m, id, [&](Body& b) { b.name = name; });
    found = true;
  }
  if (const auto seat = findSeat(m, id)) {
    const auto other = findByName(seat->link->seats, name);
    if (other && other->id != id)
      error = {"name", name, fmt::format("the link {} has a seat '{}' already", seat->link->name, name)};
    out = changedSeat(m, id, [&](Seat& s) { s.name = name; });
    found = true;
  }
  if (const auto curve = findCurve(m, id)) {
    const auto other = findByName(curve->link->curves, name);
    if (other && other->id != id)
      error = {"name", name, fmt::format("the link {} has a curve '{}' already", curve->link->name, name)};
    out = changedLink(m, curve->link->id,
                      [&](Link& l) { change<Curve>(l.curves, id, [&](Curve& c) { c.name = name; }); });
    found = true;
  }
  if (const auto curve = findSheetCurve(m, id)) {
    const auto other = findByName(curve->sheet->curves, name);
    if (other && other->id != id)
      error = {"name", name, fmt::format("the sheet {} has a curve '{}' already", curve->sheet->name, name)};
    change<Sheet>(out.sheets, curve->sheet->id,
                  [&](Sheet& s) { change<Curve>(s.curves, id, [&](Curve& c) { c.name = name; }); });
    found = true;
  }
  if (!error.text.empty()) return error;
  if (!found) return Error{"name", name, "there is nothing to rename"};
  return out;
}

Result<Mechanism> removed(const Mechanism& m, const std::vector<Id>& ids) {
  Mechanism out = m;
  std::set<Id> gone(ids.begin(), ids.end());
  const auto is = [&](Id id) { return gone.count(id) > 0; };
  for (const auto& l : m.links) {
    if (is(l->id))
      for (const auto& s : l->seats) gone.insert(s->id);
    for (const auto& c : l->curves)
      if (is(l->id) || is(c->seat) || is(c->body)) gone.insert(c->id);
    for (const auto& b : l->bodies)
      if (is(l->id) || is(b->curve)) gone.insert(b->id);
    change<Link>(out.links, l->id, [&](Link& x) {
      dropIf(x.bodies, [&](const Body& b) { return is(b.id); });
      dropIf(x.seats, [&](const Seat& s) { return is(s.id); });
      dropIf(x.curves, [&](const Curve& c) { return is(c.id); });
      dropIf(x.dimensions, [&](const DrawnDimension& d) {
        return is(d.id) || std::any_of(d.of.begin(), d.of.end(), [&](const DimensionEnd& e) { return is(e.object); });
      });
    });
  }
  // keep the very same part where nothing changed, so that results on it stay fresh
  for (std::size_t i = 0; i < m.links.size(); ++i)
    if (out.links[i]->bodies.size() == m.links[i]->bodies.size() &&
        out.links[i]->seats.size() == m.links[i]->seats.size() &&
        out.links[i]->curves.size() == m.links[i]->curves.size() &&
        out.links[i]->dimensions.size() == m.links[i]->dimensions.size())
      out.links[i] = m.links[i];
  dropIf(out.links, [&](const Link& l) { return is(l.id); });
  for (const auto& s : m.sheets) {
    const auto hit = [&](const auto& c) { return is(c->id); };
    if (is(s->id) || (s->on && is(*s->on)) || std::none_of(s->curves.begin(), s->curves.end(), hit)) continue;
    change<Sheet>(out.sheets, s->id, [&](Sheet& x) { dropIf(x.curves, [&](const Curve& c) { return is(c.id); }); });
  }
  for (const auto& l : std::vector<std::shared_ptr<const Link>>(out.links)) {
    const auto drawn = [&](const auto& c) { return c->sheet != 0 && is(c->sheet); };
    if (std::none_of(l->curves.begin(), l->curves.end(), drawn)) continue;
    change<Link>(out.links, l->id, [&](Link& x) {
      for (auto& c : x.curves)
        if (drawn(c)) change<Curve>(x.curves, c->id, [](Curve& o) { o.sheet = 0; });
    });
  }
  dropIf(out.sheets, [&](const Sheet& s) { return is(s.id) || (s.on && is(*s.on)); });
  dropIf(out.joints, [&](const Joint& j) {
    const bool drop = is(j.id) || is(j.seats[0]) || is(j.seats[1]) || is(j.curve) || is(j.surfaceBody);
    if (drop) gone.insert(j.id);
    return drop;
  });
  dropIf(out.couplings, [&](const Coupling& c) {
    return is(c.id) || is(c.carrier) ||
           std::any_of(c.values.begin(), c.values.end(), [&](const Symbol& s) { return is(s.id); });
  });
  dropIf(out.camPairs, [&](const CamPair& c) {
    const bool drop = is(c.id) || is(c.cam) || is(c.follower);
    if (drop) gone.insert(c.id);
    return drop;
  });
  const auto less = [&](std::vector<Id>& side) {
    side.erase(std::remove_if(side.begin(), side.end(), is), side.end());
  };
  for (const auto& c : m.contacts)
    if (std::any_of(c->sideA.begin(), c->sideA.end(), is) || std::any_of(c->sideB.begin(), c->sideB.end(), is))
      change<Contact>(out.contacts, c->id, [&](Contact& x) {
        less(x.sideA);
        less(x.sideB);
      });
  dropIf(out.contacts, [&](const Contact& c) {
    const bool drop = is(c.id) || c.sideA.empty() || c.sideB.empty();
    if (drop) gone.insert(c.id);
    return drop;
  });
  dropIf(out.forces, [&](const Force& f) {
    return is(f.id) || is(f.on) || (f.of && is(f.of->id)) || (f.in && is(*f.in)) || (f.over && is(f.over->id));
  });
  dropIf(out.springs,
         [&](const Spring& s) { return is(s.id) || is(s.seats[0]) || is(s.seats[1]) || (s.of && is(s.of->id)); });
  dropIf(out.frictions, [&](const Friction& f) { return is(f.id) || is(f.of.id); });
  for (const auto& x : m.materials)
    if (is(x->id)) out = withMaterialNamed(out, x->name, "");
  dropIf(out.materials, [&](const Material& x) { return is(x.id); });
  const auto dropGauges = [&] {
    dropIf(out.gauges, [&](const Gauge& g) {
      const bool drop = is(g.id) || (g.in && is(*g.in)) || (g.on && is(*g.on)) || (g.about && is(g.about->id)) ||
                        std::any_of(g.of.begin(), g.of.end(), [&](const Symbol& s) { return is(s.id); });
      if (drop) gone.insert(g.id);
      return drop;
    });
  };
  dropGauges();
  for (const auto& g : std::vector<std::shared_ptr<const Gauge>>(out.gauges))
    if (is(g->lane)) change<Gauge>(out.gauges, g->id, [](Gauge& x) { x.lane = 0; });
  dropIf(out.programmes, [&](const NamedProgramme& p) { return is(p.id); });
  dropIf(out.drives, [&](const Drive& d) {
    const bool drop = is(d.id) || is(d.value.id) || is(d.gauge) || is(d.shared);
    if (drop) gone.insert(d.id);
    return drop;
  });
  dropGauges();  // those of drives that went
  dropIf(out.paths, [&](const Path& p) { return is(p.id) || is(p.of) || (p.in && is(*p.in)); });
  dropIf(out.requirements, [&](const Requirement& q) { return is(q.id) || is(q.gauge); });
  dropIf(out.runs, [&](const Run& r) { return is(r.id) || (r.sweep && is(r.sweep->drive)); });
  for (const auto& r : std::vector<std::shared_ptr<const Run>>(out.runs)) {
    const auto names = [&](const Run& x) {
      return is(x.axis) || (x.drives && std::any_of(x.drives->begin(), x.drives->end(), is)) ||
             std::any_of(x.off.begin(), x.off.end(), is) ||
             std::any_of(x.start.begin(), x.start.end(), [&](const auto& s) { return is(s.first); }) ||
             std::any_of(x.leaveOut.begin(), x.leaveOut.end(),
                         [&](const auto& p) { return is(p.first) || is(p.second); }) ||
             std::any_of(x.sideA.begin(), x.sideA.end(), is) || std::any_of(x.sideB.begin(), x.sideB.end(), is);
    };
    if (!names(*r)) continue;
    change<Run>(out.runs, r->id, [&](Run& x) {
      if (is(x.axis)) x.axis = 0;
      if (x.drives) x.drives->erase(std::remove_if(x.drives->begin(), x.drives->end(), is), x.drives->end());
      for (auto* side : {&x.sideA, &x.sideB}) side->erase(std::remove_if(side->begin(), side->end(), is), side->end());
      x.off.erase(std::remove_if(x.off.begin(), x.off.end(), is), x.off.end());
      x.start.erase(std::remove_if(x.start.begin(), x.start.end(), [&](const auto& s) { return is(s.first); }),
                    x.start.end());
      x.leaveOut.erase(std::remove_if(x.leaveOut.begin(), x.leaveOut.end(),
                                      [&](const auto& p) { return is(p.first) || is(p.second); }),
                       x.leaveOut.end());
    });
  }
  dropIf(out.parameters, [&](const Parameter& p) { return is(p.id); });
  dropIf(out.groups, [&](const Group& g) {
    return is(g.id) || std::none_of(g.members.begin(), g.members.end(),
                                    [&](const Group::Member& x) { return findLink(out, x.id) != nullptr; });
  });
  std::string user, parameter;
  eachField(out, [&](const Field& f, const std::string& owner) {
    if (!f.formula || !user.empty()) return;
    for (const Symbol& s : f.formula->references())
      if (is(s.id)) {
        user = owner;
        parameter = nameOf(m, s, false);
      }
  });
  if (!user.empty())
    return Error{"in-use", parameter, fmt::format("{} is used by {}; change that first", parameter, user)};
  return out;
}

Mechanism changedCurve(const Mechanism& m, Id id, const std::function<void(Curve&)>& edit) {
  const auto place = findCurve(m, id);
  if (!place) return m;
  return changedLink(m, place->link->id, [&](Link& l) { change<Curve>(l.curves, id, edit); });
}

Mechanism withPlacements(const Mechanism& m, const std::vector<Pose>& poses) {
  Mechanism out = m;
  for (std::size_t i = 0; i < m.links.size() && i < poses.size(); ++i) {
    if (m.links[i]->ground) continue;
    const auto stands = poseOf(m, m.links[i]->placement);
    if (stands.ok() && (stands->p - poses[i].p).norm() < 1e-12 && (stands->R - poses[i].R).norm() < 1e-12) continue;
    out = changedLink(out, m.links[i]->id, [&](Link& l) { l.placement = placementOf(poses[i], m.units); });
  }
  return out;
}

Placement placementOf(const Pose& pose, const DocumentUnits& units) {
  Placement p;
  const double mm = units.factor(dimension::kLength);
  const auto tidy = [](double x) {  // figures for people: no 1e-17 from a rotation matrix
    const double rounded = std::round(x * 1e12) / 1e12;
    return rounded == 0 ? 0.0 : rounded;
  };
  for (int i = 0; i < 3; ++i) p.at[static_cast<std::size_t>(i)] = Field(tidy(pose.p[i] / mm));
  Quat q(pose.R);
  q.normalize();
  if (q.w() < 0) q.coeffs() = -q.coeffs();
  p.turn = {Field(tidy(q.w())), Field(tidy(q.x())), Field(tidy(q.y())), Field(tidy(q.z()))};
  return p;
}

Triple directionOf(const Vec3& v) {
  Triple t;
  for (int i = 0; i < 3; ++i) {
    const double r = std::round(v[i] * 1e12) / 1e12;
    t[static_cast<std::size_t>(i)] = Field(r == 0 ? 0.0 : r);
  }
  return t;
}

Result<Pose> poseOf(const Mechanism& m, const Placement& placement) {
  Vec3 at;
  Eigen::Vector4d turn;
  for (std::size_t i = 0; i < 3; ++i) {
    const auto v = evaluateField(m, placement.at[i], dimension::kLength);
    if (!v.ok()) return v.error();
    at[static_cast<Eigen::Index>(i)] = *v;
  }
  for (std::size_t i = 0; i < 4; ++i) {
    const auto v = evaluateField(m, placement.turn[i], dimension::kPlain);
    if (!v.ok()) return v.error();
    turn[static_cast<Eigen::Index>(i)] = *v;
  }
  if (!(turn.norm() > 1e-12)) return Error{"zero-turn", "", "the turn is a quaternion of length zero"};
  return toPose(at, turn);
}

namespace {

/// Rewrites one field for new units.
class UnitChange {
 public:
  UnitChange(const Mechanism& m, const DocumentUnits& to) : m_(m), to_(to) {}
  void operator()(Field& f, const Dimension& d) const {
    const double factor = m_.units.factor(d) / to_.factor(d);
    if (d.isPlain() || factor == 1) return;
    if (!f.formula) {
      const double v = f.number * factor;
      f.number = std::abs(v) < 1e15 ? std::round(v * 1e12) / 1e12 : v;
      if (f.number == 0) f.number = v;
      return;
    }
    // a formula without any unit was in the old document units: say so in it
    const auto q = f.formula->evaluate([&](const Symbol& s) -> Result<Quantity> {
      const auto p = findById(m_.parameters, s.id);
      if (!p) return Error{"expression", "", "not a parameter"};
      if (!p->value.formula) return Quantity{p->value.number, {}, false};
      const auto r = resolve(m_);
      if (!r.ok()) return r.error();
      for (const auto& [id, value] : r->parameters)
        if (id == s.id) return value;
      return Error{"expression", "", "not a parameter"};
    });
    if (!q.ok() || q->hasUnit) return;
    auto wrapped = parseField(m_, "(" + fieldText(m_, f) + ") * 1 " + m_.units.label(d));
    if (wrapped.ok()) f = *wrapped;
  }

 private:
  const Mechanism& m_;
  const DocumentUnits& to_;
};

}  // namespace

Mechanism withUnits(const Mechanism& m, const DocumentUnits& units) {
  Mechanism out = withFields(m, UnitChange(m, units));
  out.units = units;
  return out;
}

Result<Mechanism> withParameters(const Mechanism& m, const std::vector<std::string>& settings) {
  Mechanism out = m;
  for (const std::string& setting : settings) {
    const std::size_t at = setting.find('=');
    if (at == std::string::npos) return Error{"set", setting, fmt::format("--set {}: should be NAME=EXPR", setting)};
    const std::string name = setting.substr(0, at);
    const auto p = findByName(m.parameters, name);
    if (!p) return Error{"set", name, fmt::format("--set {}: there is no parameter '{}'", setting, name)};
    const auto f = parseField(m, setting.substr(at + 1));
    if (!f.ok()) return Error{"set", name, fmt::format("--set {}: {}", name, f.error().text)};
    change<Parameter>(out.parameters, p->id, [&](Parameter& x) { x.value = *f; });
  }
  return out;
}

}  // namespace cooperage::model
