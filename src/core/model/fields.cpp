// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/fields.h"

#include <algorithm>
#include <optional>

#include "model/describe.h"
#include "model/edits.h"
#include "model/joint_kind.h"
#include "model/resolve.h"
#include "motion/rows.h"

namespace cooperage::model {

namespace {

/// What the fields of a document measure. The document is worked out only if a dimension needs it.
class Dimensions {
 public:
  explicit Dimensions(const Mechanism& m) : m_(m) {}

  Dimension value(const Symbol& s) const {
    const auto j = findJoint(m_, s.id);
    if (!j) return dimension::kAngle;
    const int i = valueIndex(j->kind, s.member);
    return i < 0 ? dimension::kAngle : dimensionOf(infoOf(j->kind).values[static_cast<std::size_t>(i)]);
  }
  Dimension drive(Id id) {
    if (const Resolved* r = resolved())
      for (const auto& d : r->drives)
        if (d.id == id) return d.dimension;
    const auto d = findById(m_.drives, id);
    return d ? value(d->value) : dimension::kAngle;
  }
  /// Of what the drives move that share a programme.
  Dimension programme(Id id) {
    for (const auto& d : m_.drives)
      if (d->shared == id) return drive(d->id);
    return dimension::kPlain;
  }
  Dimension gauge(Id id) {
    if (const Resolved* r = resolved())
      for (const auto& g : r->gauges)
        if (g.id == id) return g.dimension;
    return dimension::kPlain;
  }
  Dimension operator()(const Measures& m) {
    switch (m.by) {
      case Measures::By::drive: return drive(m.id);
      case Measures::By::driveSpeed: return drive(m.id) + (-1.0 * dimension::kTime);
      case Measures::By::gauge: return gauge(m.id);
      case Measures::By::axis: return axis(m.id);
      case Measures::By::firstAxis: return firstAxis();
      case Measures::By::along: return along(m);
      case Measures::By::itself: break;
    }
    return m.dimension;
  }
  Dimension along(const Measures& m) const {
    const Dimension way = m.value ? value(*m.value) : dimension::kLength;
    return m.dimension + m.ways * way + m.forces * forceAlong(way);
  }
  Dimension axis(Id drive) { return drive == 0 ? dimension::kTime : this->drive(drive); }
  Dimension firstAxis() { return m_.runs.empty() ? dimension::kTime : axis(m_.runs.front()->axis); }

 private:
  const Resolved* resolved() {
    if (!tried_) {
      tried_ = true;
      if (auto r = resolve(m_); r.ok()) resolved_ = std::move(r).value();
    }
    return resolved_ ? &*resolved_ : nullptr;
  }
  const Mechanism& m_;
  bool tried_ = false;
  std::optional<Resolved> resolved_;
};

/// Goes through the fields of one object. V is called with the field and a function that tells its dimension, which is
/// asked only where it is wanted. Objects are const or not, as their fields are to be edited.
template <class V>
class FieldWalk {
 public:
  FieldWalk(Dimensions& of, V visit) : of_(of), visit_(std::move(visit)) {}

  template <class T>
  void placement(T& p) {
    each(p.at, dimension::kLength);
    each(p.turn, dimension::kPlain);
  }
  template <class T>
  void body(T& b) {
    placement(b.placement);
    for (auto& stretch : b.stretches) visit(stretch.by, dimension::kLength);
    maybe(b.density, dimension::kDensity);
    const auto& known = elementFigures(b.kind);
    for (auto& [key, f] : b.figures) {
      const auto it = std::find_if(known.begin(), known.end(), [&, k = key](const auto& e) { return k == e.name; });
      visit(f, it == known.end() ? dimension::kLength : it->dimension);
    }
  }
  template <class T>
  void seat(T& s) {
    each(s.at, dimension::kLength);
    each(s.axis, dimension::kPlain);
    each(s.ref, dimension::kPlain);
  }
  template <class T>
  void curve(T& c) {
    for (auto& [key, f] : c.figures)  // "u from", "u to" of a formula curve have no dimension
      visit(f, key[0] == 'u' && c.kind == CurveKind::formula ? dimension::kPlain : dimension::kLength);
    for (auto& row : c.rows) {
      const auto of = [&](const std::string& key) {
        return camRowDimension(c, row.law, key).value_or(dimension::kPlain);
      };
      figures(row, of, of("over"), of("lift"));
    }
    for (auto& piece : c.pieces) {
      for (auto& p : piece.points) each(p, dimension::kLength);
      each(piece.centre, dimension::kLength);
      visit(piece.from, dimension::kAngle);
      visit(piece.to, dimension::kAngle);
    }
  }
  template <class T>
  void dimension(T& d) {
    const Dimension of = d.kind == DimensionKind::angle ? dimension::kAngle : dimension::kLength;
    visit(d.value, of);
    maybe(d.step, of);
  }
  template <class T>
  void sheet(T& s) {
    seat(s);  // at, axis and ref as of a seat
    describeSheet(*this, s);
  }
  template <class T>
  void joint(T& j) {
    describeJoint(*this, j);
    visit(j.lead, dimension::kLength);
  }
  template <class T>
  void coupling(T& c) {
    const auto value = [&](std::size_t i) { return i < c.values.size() ? of_.value(c.values[i]) : dimension::kPlain; };
    Dimension figure = dimension::kPlain;
    if (c.kind == CouplingKind::ratio)
      figure = value(1) + (-1.0 * value(0));
    else if (c.kind == CouplingKind::rack || c.kind == CouplingKind::screw ||
             (c.kind == CouplingKind::belt && !c.teeth))
      figure = dimension::kLength;
    each(c.figures, figure);
    maybe(c.module, dimension::kLength);
    points(c.points, value(0), value(1));
    visit(c.formula, c.kind == CouplingKind::formula ? value(0) : dimension::kPlain);
  }
  template <class T>
  void camPair(T& c) {
    visit(c.radius, dimension::kLength);
  }
  template <class T>
  void force(T& f) {
    visit(f.effort, f.of ? forceAlong(of_.value(*f.of)) : dimension::kForce);
    each(f.force, dimension::kForce);
    each(f.moment, forceAlong(dimension::kAngle));
    describeForce(*this, f);
  }
  template <class T>
  void rows(T& rows, const Dimension& value) {
    for (auto& row : rows)
      figures(
          row,
          [&](const std::string& key) {
            return motion::figureDimension(row.law, key, value).value_or(dimension::kPlain);
          },
          dimension::kTime, value);
  }
  template <class T>
  void gauge(T& g) {
    field("formula", g.formula, Measures(Measures::By::gauge, g.id));
    describeGauge(*this, g);
  }

  // as a visitor of describe.h: only figures are looked at
  static constexpr bool kAll = true;
  template <class T>
  void field(const char*, T& f, const Measures& m) {
    visit_(f, [this, &m] { return of_(m); });
  }
  void field(const char* key, std::optional<Field>& f, const Measures& m) {
    if (f) field(key, *f, m);
  }
  void field(const char* key, const std::optional<Field>& f, const Measures& m) {
    if (f) field(key, *f, m);
  }
  template <class T>
  void must(const char* key, T& f, const Measures& m) {
    field(key, f, m);
  }
  template <class T>
  void fields(const char* key, T& list, const Measures& m) {
    for (auto& f : list) field(key, f, m);
  }
  template <class T>
  void points(const char* key, T& list, const Measures& x, const Measures& y) {
    for (auto& p : list) {
      field(key, p[0], x);
      field(key, p[1], y);
    }
  }
  template <class T>
  void list(const char* key, T& figures, const Measures& m) {
    fields(key, figures, m);
  }
  template <class T>
  void byName(const char* key, T& list, Ref) {
    for (auto& [id, f] : list) field(key, f, Measures(Measures::By::drive, id));
  }
  template <class T, class J>
  void byValue(const char*, T& values, const J& j) {
    for (auto& [name, v] : values) byValue(v, of_.value({j.id, name}));
  }
  template <class F>
  void group(const char*, F inner) {
    inner(*this);
  }
  template <class T, class F>
  void group(const char*, T& part, F inner) {
    if (part) inner(*this, *part);
  }
  template <class... T>
  void flag(const T&...) {}
  template <class... T>
  void whole(const T&...) {}
  template <class... T>
  void choice(const T&...) {}
  template <class... T>
  void word(const T&...) {}
  template <class... T>
  void words(const T&...) {}
  template <class... T>
  void text(const T&...) {}
  template <class... T>
  void ref(const T&...) {}
  template <class... T>
  void later(const T&...) {}
  template <class... T>
  void refs(const T&...) {}
  template <class... T>
  void pairsOf(const T&...) {}
  template <class... T>
  void sides(const T&...) {}

 private:
  template <class T>
  void visit(T& field, const Dimension& d) {
    visit_(field, [&d] { return d; });
  }
  template <class T>
  void byValue(T& value, const Dimension& d) {
    if constexpr (std::is_same_v<std::remove_const_t<T>, Stops>) {
      maybe(value.low, d);
      maybe(value.high, d);
    } else {
      visit(value, d);
    }
  }
  template <class T>
  void maybe(T& field, const Dimension& d) {
    if (field) visit(*field, d);
  }
  template <class T>
  void each(T& fields, const Dimension& d) {
    for (auto& f : fields) visit(f, d);
  }
  template <class T>
  void points(T& list, const Dimension& x, const Dimension& y) {
    for (auto& p : list) {
      visit(p[0], x);
      visit(p[1], y);
    }
  }
  template <class T, class F>
  void figures(T& row, const F& of, const Dimension& x, const Dimension& y) {
    for (auto& [key, f] : row.figures) visit(f, of(key));
    each(row.list, y);
    points(row.points, x, y);
  }

  Dimensions& of_;
  V visit_;
};

}  // namespace

void eachField(const Mechanism& m, const std::function<void(const Field&, const std::string&)>& visit) {
  std::string owner;
  Dimensions of(m);
  FieldWalk walk(of, [&](const Field& f, const auto&) { visit(f, owner); });
  for (const auto& p : m.parameters) visit(p->value, "parameter " + p->name);
  for (const auto& l : m.links) {
    owner = "link " + l->name;
    walk.placement(l->placement);
    if (l->mass) describeMass(walk, *l->mass);
    for (const auto* bodies : {&l->bodies, &l->aside})
      for (const auto& b : *bodies) {
        owner = "body " + b->name;
        walk.body(*b);
      }
    for (const auto& s : l->seats) {
      owner = "seat " + l->name + "/" + s->name;
      walk.seat(*s);
    }
    for (const auto& c : l->curves) {
      owner = "curve " + l->name + "/" + c->name;
      walk.curve(*c);
    }
    owner = "dimension of " + l->name;
    for (const auto& d : l->dimensions) walk.dimension(*d);
  }
  const auto all = [&](const auto& list, const char* what, const auto& fields) {
    for (const auto& x : list) {
      owner = std::string(what) + " " + x->name;
      fields(*x);
    }
  };
  all(m.joints, "joint", [&](const Joint& x) { walk.joint(x); });
  all(m.couplings, "coupling", [&](const Coupling& x) { walk.coupling(x); });
  all(m.camPairs, "cam pair", [&](const CamPair& x) { walk.camPair(x); });
  all(m.materials, "material", [&](const Material& x) { describeMaterial(walk, x); });
  all(m.springs, "spring", [&](const Spring& x) { describeSpring(walk, x); });
  all(m.forces, "force", [&](const Force& x) { walk.force(x); });
  all(m.frictions, "friction", [&](const Friction& x) { describeFriction(walk, x); });
  owner = "gravity";
  if (m.gravity)
    for (const Field& f : *m.gravity) visit(f, owner);
  all(m.programmes, "programme", [&](const NamedProgramme& x) { walk.rows(x.rows, dimension::kPlain); });
  all(m.drives, "drive", [&](const Drive& x) { walk.rows(x.programme, dimension::kPlain); });
  all(m.gauges, "gauge", [&](const Gauge& x) { walk.gauge(x); });
  all(m.paths, "path", [&](const Path& x) { describePath(walk, x); });
  all(m.requirements, "requirement", [&](const Requirement& x) { describeRequirement(walk, x); });
  for (const auto& s : m.sheets) {
    owner = "sheet " + s->name;
    walk.sheet(*s);
    for (const auto& c : s->curves) {
      owner = "curve " + s->name + "/" + c->name;
      walk.curve(*c);
    }
  }
  all(m.runs, "run", [&](const Run& x) { describeRun(walk, x); });
}

Mechanism withFields(const Mechanism& m, const std::function<void(Field&, const Dimension&)>& edit) {
  Mechanism out = m;
  Dimensions of(m);
  FieldWalk walk(of, [&](Field& f, const auto& dimension) { edit(f, dimension()); });
  changeAll(out.links, [&](Link& l) {
    walk.placement(l.placement);
    if (l.mass) describeMass(walk, *l.mass);
    changeAll(l.bodies, [&](Body& x) { walk.body(x); });
    changeAll(l.aside, [&](Body& x) { walk.body(x); });
    changeAll(l.seats, [&](Seat& x) { walk.seat(x); });
    changeAll(l.curves, [&](Curve& x) { walk.curve(x); });
    changeAll(l.dimensions, [&](DrawnDimension& x) { walk.dimension(x); });
  });
  changeAll(out.joints, [&](Joint& x) { walk.joint(x); });
  changeAll(out.couplings, [&](Coupling& x) { walk.coupling(x); });
  changeAll(out.camPairs, [&](CamPair& x) { walk.camPair(x); });
  changeAll(out.materials, [&](Material& x) { describeMaterial(walk, x); });
  changeAll(out.springs, [&](Spring& x) { describeSpring(walk, x); });
  changeAll(out.forces, [&](Force& x) { walk.force(x); });
  changeAll(out.frictions, [&](Friction& x) { describeFriction(walk, x); });
  if (out.gravity)
    for (Field& f : *out.gravity) edit(f, dimension::kAcceleration);
  changeAll(out.drives, [&](Drive& x) { walk.rows(x.programme, of.drive(x.id)); });
  changeAll(out.programmes, [&](NamedProgramme& x) { walk.rows(x.rows, of.programme(x.id)); });
  changeAll(out.gauges, [&](Gauge& x) { walk.gauge(x); });
  changeAll(out.paths, [&](Path& x) { describePath(walk, x); });
  changeAll(out.requirements, [&](Requirement& x) { describeRequirement(walk, x); });
  changeAll(out.sheets, [&](Sheet& x) {
    walk.sheet(x);
    changeAll(x.curves, [&](Curve& c) { walk.curve(c); });
  });
  changeAll(out.runs, [&](Run& x) { describeRun(walk, x); });
  return out;
}

}  // namespace cooperage::model
