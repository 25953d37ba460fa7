// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/edits.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

namespace cooperage::model {

std::optional<Dimension> camRowDimension(const Curve& cam, const std::string& law, const std::string& key) {
  const Dimension over = cam.form == "linear" ? dimension::kLength : dimension::kAngle;
  const Dimension lift = cam.swing ? dimension::kAngle : dimension::kLength;
  if (key == "over") return over;
  if (key == "lift") return lift;
  if (law == "trapezoid-speed" && (key == "up" || key == "down")) return dimension::kPlain;
  if (law == "quintic" && key == "end_speed") return lift + (-1.0 * over);
  if (law == "quintic" && key == "end_acceleration") return lift + (-2.0 * over);
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
               renameIn(out.camPairs, id, name, error);
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
  if (!error.text.empty()) return error;
  if (!found) return Error{"name", name, "there is nothing to rename"};
  return out;
}

namespace {

template <class T, class F>
void dropIf(std::vector<std::shared_ptr<const T>>& list, F gone) {
  list.erase(std::remove_if(list.begin(), list.end(), [&](const auto& x) { return gone(*x); }), list.end());
}

/// All formulas of a mechanism, with the object that holds them.
void eachFormula(const Mechanism& m, const std::function<void(const Field&, const std::string&)>& visit) {
  for (const auto& p : m.parameters) visit(p->value, "parameter " + p->name);
  const auto placement = [&](const Placement& p, const std::string& owner) {
    for (const Field& f : p.at) visit(f, owner);
    for (const Field& f : p.turn) visit(f, owner);
  };
  for (const auto& l : m.links) {
    placement(l->placement, "link " + l->name);
    for (const auto& b : l->bodies) {
      placement(b->placement, "body " + b->name);
      for (const auto& [key, f] : b->figures) visit(f, "body " + b->name);
    }
    for (const auto& s : l->seats)
      for (const Triple* t : {&s->at, &s->axis, &s->ref})
        for (const Field& f : *t) visit(f, "seat " + l->name + "/" + s->name);
    for (const auto& c : l->curves) {
      for (const auto& [key, f] : c->figures) visit(f, "curve " + l->name + "/" + c->name);
      for (const auto& piece : c->pieces) {
        for (const Pair& p : piece.points)
          for (const Field& f : p) visit(f, "curve " + l->name + "/" + c->name);
        for (const Field& f : piece.centre) visit(f, "curve " + l->name + "/" + c->name);
      }
      for (const auto& row : c->rows) {
        for (const auto& [key, f] : row.figures) visit(f, "curve " + l->name + "/" + c->name);
        for (const Field& f : row.list) visit(f, "curve " + l->name + "/" + c->name);
        for (const Pair& p : row.points)
          for (const Field& f : p) visit(f, "curve " + l->name + "/" + c->name);
      }
    }
  }
  for (const auto& j : m.joints) {
    for (const auto& [key, f] : j->home) visit(f, "joint " + j->name);
    for (const auto& [key, s] : j->stops) {
      if (s.low) visit(*s.low, "joint " + j->name);
      if (s.high) visit(*s.high, "joint " + j->name);
    }
    for (const Field* f : {&j->slideOffset, &j->turnOffset, &j->lead}) visit(*f, "joint " + j->name);
  }
  for (const auto& c : m.couplings) {
    for (const Field& f : c->figures) visit(f, "coupling " + c->name);
    for (const Pair& p : c->points)
      for (const Field& f : p) visit(f, "coupling " + c->name);
    visit(c->formula, "coupling " + c->name);
    if (c->module) visit(*c->module, "coupling " + c->name);
  }
  for (const auto& c : m.camPairs) visit(c->radius, "cam pair " + c->name);
  const auto rows = [&](const std::vector<ProgrammeRow>& list, const std::string& owner) {
    for (const auto& row : list) {
      for (const auto& [key, f] : row.figures) visit(f, owner);
      for (const Field& f : row.list) visit(f, owner);
      for (const Pair& p : row.points)
        for (const Field& f : p) visit(f, owner);
    }
  };
  for (const auto& p : m.programmes) rows(p->rows, "programme " + p->name);
  for (const auto& d : m.drives) rows(d->programme, "drive " + d->name);
  for (const auto& g : m.gauges) {
    visit(g->formula, "gauge " + g->name);
    for (const auto* f : {&g->overFormula, &g->dwellWithin})
      if (*f) visit(**f, "gauge " + g->name);
    for (const Pair& p : g->overPoints)
      for (const Field& f : p) visit(f, "gauge " + g->name);
  }
  for (const auto& p : m.paths)
    if (p->tick) visit(*p->tick, "path " + p->name);
  for (const auto& q : m.requirements)
    for (const auto* f : {&q->min, &q->max, &q->at})
      if (*f) visit(**f, "requirement " + q->name);
  for (const auto& r : m.runs) {
    for (const auto* f :
         {&r->duration, &r->turns, &r->stepSize, &r->stepRate, &r->accuracy, &r->fitDepth, &r->fitAngle, &r->fitLength})
      if (*f) visit(**f, "run " + r->name);
    if (r->sweep)
      for (const Field* f : {&r->sweep->from, &r->sweep->to, &r->sweep->speed}) visit(*f, "run " + r->name);
    for (const auto& [id, f] : r->start) visit(f, "run " + r->name);
    for (const Field& f : r->ghostMarks) visit(f, "run " + r->name);
  }
}

}  // namespace

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
    });
  }
  // keep the very same part where nothing changed, so that results on it stay fresh
  for (std::size_t i = 0; i < m.links.size(); ++i)
    if (out.links[i]->bodies.size() == m.links[i]->bodies.size() &&
        out.links[i]->seats.size() == m.links[i]->seats.size() &&
        out.links[i]->curves.size() == m.links[i]->curves.size())
      out.links[i] = m.links[i];
  dropIf(out.links, [&](const Link& l) { return is(l.id); });
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
  dropIf(out.gauges, [&](const Gauge& g) {
    const bool drop = is(g.id) || (g.in && is(*g.in)) || (g.about && is(g.about->id)) ||
                      std::any_of(g.of.begin(), g.of.end(), [&](const Symbol& s) { return is(s.id); });
    if (drop) gone.insert(g.id);
    return drop;
  });
  for (const auto& g : std::vector<std::shared_ptr<const Gauge>>(out.gauges))
    if (is(g->lane)) change<Gauge>(out.gauges, g->id, [](Gauge& x) { x.lane = 0; });
  dropIf(out.programmes, [&](const NamedProgramme& p) { return is(p.id); });
  dropIf(out.drives, [&](const Drive& d) {
    const bool drop = is(d.id) || is(d.value.id) || is(d.gauge) || is(d.shared);
    if (drop) gone.insert(d.id);
    return drop;
  });
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
  std::string user, parameter;
  eachFormula(out, [&](const Field& f, const std::string& owner) {
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
  void triple(Triple& t, const Dimension& d) const {
    for (Field& f : t) (*this)(f, d);
  }

 private:
  const Mechanism& m_;
  const DocumentUnits& to_;
};

template <class T, class F>
void changeAll(std::vector<std::shared_ptr<const T>>& list, F edit) {
  for (auto& item : list) {
    auto copy = std::make_shared<T>(*item);
    edit(*copy);
    item = std::move(copy);
  }
}

}  // namespace

Mechanism withUnits(const Mechanism& m, const DocumentUnits& units) {
  Mechanism out = m;
  const UnitChange rewrite(m, units);
  const auto resolved = resolve(m);
  const auto valueDimension = [&](const Symbol& s) {
    const auto j = findJoint(m, s.id);
    if (!j) return dimension::kAngle;
    const int i = valueIndex(j->kind, s.member);
    return i < 0 ? dimension::kAngle : dimensionOf(infoOf(j->kind).values[static_cast<std::size_t>(i)]);
  };
  changeAll(out.links, [&](Link& l) {
    rewrite.triple(l.placement.at, dimension::kLength);
    changeAll(l.bodies, [&](Body& b) {
      rewrite.triple(b.placement.at, dimension::kLength);
      const auto& known = elementFigures(b.kind);
      for (auto& [key, f] : b.figures) {
        const auto it = std::find_if(known.begin(), known.end(), [&, k = key](const auto& e) { return k == e.name; });
        rewrite(f, it == known.end() ? dimension::kLength : it->dimension);
      }
    });
    changeAll(l.seats, [&](Seat& s) { rewrite.triple(s.at, dimension::kLength); });
    changeAll(l.curves, [&](Curve& c) {
      for (auto& [key, f] : c.figures)
        if (key[0] != 'u' || c.kind != "formula") rewrite(f, dimension::kLength);
      for (auto& row : c.rows) {
        for (auto& [key, f] : row.figures)
          if (const auto d = camRowDimension(c, row.law, key)) rewrite(f, *d);
        const auto over = camRowDimension(c, row.law, "over"), lift = camRowDimension(c, row.law, "lift");
        for (Field& f : row.list) rewrite(f, *lift);
        for (Pair& p : row.points) {
          rewrite(p[0], *over);
          rewrite(p[1], *lift);
        }
      }
      for (auto& piece : c.pieces) {
        for (Pair& p : piece.points)
          for (Field& f : p) rewrite(f, dimension::kLength);
        for (Field& f : piece.centre) rewrite(f, dimension::kLength);
      }
    });
  });
  changeAll(out.joints, [&](Joint& j) {
    for (auto& [key, f] : j.home) rewrite(f, valueDimension({j.id, key}));
    for (auto& [key, s] : j.stops) {
      if (s.low) rewrite(*s.low, valueDimension({j.id, key}));
      if (s.high) rewrite(*s.high, valueDimension({j.id, key}));
    }
    rewrite(j.slideOffset, dimension::kLength);
    rewrite(j.turnOffset, dimension::kAngle);
    rewrite(j.lead, dimension::kLength);
  });
  changeAll(out.couplings, [&](Coupling& c) {
    if (c.kind == CouplingKind::ratio)
      rewrite(c.figures[0], valueDimension(c.values[1]) + (-1.0 * valueDimension(c.values[0])));
    else if (c.kind == CouplingKind::rack || c.kind == CouplingKind::screw ||
             (c.kind == CouplingKind::belt && !c.teeth))
      for (Field& f : c.figures) rewrite(f, dimension::kLength);
    if (c.module) rewrite(*c.module, dimension::kLength);
    for (Pair& p : c.points) {
      rewrite(p[0], valueDimension(c.values[0]));
      rewrite(p[1], valueDimension(c.values[1]));
    }
    if (c.kind == CouplingKind::formula) rewrite(c.formula, valueDimension(c.values[0]));
  });
  changeAll(out.camPairs, [&](CamPair& c) { rewrite(c.radius, dimension::kLength); });
  const auto driveDimension = [&](Id id) {
    if (resolved.ok())
      for (const auto& d : resolved->drives)
        if (d.id == id) return d.dimension;
    const auto d = findById(m.drives, id);
    return d ? valueDimension(d->value) : dimension::kAngle;
  };
  const auto rewriteRows = [&](std::vector<ProgrammeRow>& rows, const Dimension& value) {
    for (auto& row : rows) {
      for (auto& [key, f] : row.figures)
        if (const auto dim = motion::figureDimension(row.law, key, value)) rewrite(f, *dim);
      for (Field& f : row.list) rewrite(f, value);
      for (Pair& p : row.points) {
        rewrite(p[0], dimension::kTime);
        rewrite(p[1], value);
      }
    }
  };
  changeAll(out.drives, [&](Drive& d) { rewriteRows(d.programme, driveDimension(d.id)); });
  changeAll(out.programmes, [&](NamedProgramme& p) {  // in the dimension of the drives that share it
    for (const auto& d : m.drives)
      if (d->shared == p.id) return rewriteRows(p.rows, driveDimension(d->id));
  });
  const auto axisDimension = [&](Id drive) { return drive == 0 ? dimension::kTime : driveDimension(drive); };
  const Dimension firstAxis = m.runs.empty() ? dimension::kTime : axisDimension(m.runs.front()->axis);
  changeAll(out.gauges, [&](Gauge& g) {
    if (!resolved.ok()) return;
    for (const auto& known : resolved->gauges) {
      if (known.id != g.id) continue;
      rewrite(g.formula, known.dimension);
      for (auto* f : {&g.overFormula, &g.dwellWithin})
        if (*f) rewrite(**f, known.dimension);
      for (Pair& p : g.overPoints) {
        rewrite(p[0], firstAxis);
        rewrite(p[1], known.dimension);
      }
    }
  });
  changeAll(out.paths, [&](Path& p) {
    if (p.tick) rewrite(*p.tick, dimension::kTime);
  });
  changeAll(out.requirements, [&](Requirement& q) {
    if (!resolved.ok()) return;
    for (const auto& g : resolved->gauges) {
      if (g.id != q.gauge) continue;
      if (q.min) rewrite(*q.min, g.dimension);
      if (q.max) rewrite(*q.max, g.dimension);
      if (q.at) rewrite(*q.at, firstAxis);
    }
  });
  changeAll(out.runs, [&](Run& r) {
    if (r.duration) rewrite(*r.duration, dimension::kTime);
    if (r.accuracy) rewrite(*r.accuracy, dimension::kLength);
    if (r.fitDepth) rewrite(*r.fitDepth, dimension::kLength);
    if (r.fitAngle) rewrite(*r.fitAngle, dimension::kAngle);
    if (r.sweep) {
      const Dimension d = driveDimension(r.sweep->drive);
      rewrite(r.sweep->from, d);
      rewrite(r.sweep->to, d);
      rewrite(r.sweep->speed, d + (-1.0 * dimension::kTime));
    }
    for (auto& [id, f] : r.start) rewrite(f, driveDimension(id));
    const Dimension axis = axisDimension(r.axis);
    if (r.stepSize) rewrite(*r.stepSize, axis);
    if (r.stepRate) rewrite(*r.stepRate, -1.0 * dimension::kTime);
    for (Field& f : r.ghostMarks) rewrite(f, axis);
  });
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
