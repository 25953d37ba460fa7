// SPDX-License-Identifier: GPL-3.0-or-later
// Couplings of joints that are there; belts and screws with their elements.
#include "model/coupling_edits.h"

#include <algorithm>

#include "elements/belt.h"
#include "model/gear_edits.h"
#include "model/machine_parts.h"

namespace cooperage::model {
namespace {

std::optional<JointValue> valueInfo(const Mechanism& m, const Symbol& s) {
  const auto j = findJoint(m, s.id);
  if (!j) return std::nullopt;
  const int i = valueIndex(j->kind, s.member);
  if (i < 0) return std::nullopt;
  return infoOf(j->kind).values[u(i)];
}
Result<Field> parsed(const Mechanism& m, const std::string& text) { return parseField(m, text); }

/// First figures of a kind: a relation that works and is easy to change.
Status startFigures(const Mechanism& m, Coupling& c) {
  std::vector<bool> turns;
  for (const Symbol& s : c.values) {
    const auto v = valueInfo(m, s);
    if (!v)
      return Error{"missing-value", c.name,
                   fmt::format("coupling {}: {} is no joint value", c.name, nameOf(m, s, false))};
    turns.push_back(dimensionOf(*v) == dimension::kAngle);
  }
  const bool same = turns[0] == turns.back();
  c.figures.clear();
  c.points.clear();
  c.sides.clear();
  c.formula = Field();
  c.flip = c.internal = c.teeth = false;
  c.carrier = 0;
  c.type = {};
  c.bodies.clear();
  const auto refuse = [&](const char* why) {
    return Error{"figure", c.name, fmt::format("coupling {}: {}", c.name, why)};
  };
  switch (c.kind) {
    case CouplingKind::linear:
      for (std::size_t i = 0; i < c.values.size(); ++i) c.figures.emplace_back(i == 0 ? 1 : -1);
      break;
    case CouplingKind::gear:
      if (!turns[0] || !turns[1]) return refuse("a gear pair couples two turns; take a rack for a turn and a slide");
      c.figures = {Field(20), Field(40)};
      c.carrier = carrierOf(m, c.values[0].id, c.values[1].id);
      c.type = GearType::spur;
      break;
    case CouplingKind::ratio: {
      if (same) {
        c.figures = {Field(1)};
        break;
      }
      auto f = parsed(m, turns[0] ? "10 mm/rev" : "0.1 rev/mm");
      if (!f.ok()) return f.error();
      c.figures = {*f};
      break;
    }
    case CouplingKind::rack:
    case CouplingKind::screw: {
      if (!turns[0] || turns[1]) return refuse("the first value must be a turn and the second a slide");
      auto f = parsed(m, c.kind == CouplingKind::rack ? "20 mm" : "5 mm");
      if (!f.ok()) return f.error();
      c.figures = {*f};
      break;
    }
    case CouplingKind::belt: {
      auto f = parsed(m, "40 mm");
      if (!f.ok()) return f.error();
      for (bool t : turns)
        if (!t) return refuse("a belt couples turns");
      c.figures.assign(c.values.size(), *f);
      break;
    }
    case CouplingKind::table: {
      const auto unit = [](bool turn) { return turn ? "deg" : "mm"; };
      for (int i = 0; i < 3; ++i) {
        const auto text = [&](bool turn) { return fmt::format("{} {}", turn ? 45 * i : 10 * i, unit(turn)); };
        auto a = parsed(m, text(turns[0])), b = parsed(m, text(turns[1]));
        if (!a.ok()) return a.error();
        if (!b.ok()) return b.error();
        c.points.push_back({*a, *b});
      }
      c.interpolation = curves::Interpolation::spline;
      break;
    }
    case CouplingKind::formula: {
      // the last value as a formula of the first
      if (c.values.size() > 1) {
        const Symbol in = c.values[0], out = c.values.back();
        std::string text = nameOf(m, in, true);
        if (turns[0] && !turns.back()) text = "10 mm*" + text + "/(90 deg)";
        if (!turns[0] && turns.back()) text = "90 deg*" + text + "/(10 mm)";
        auto f = parsed(m, text);
        if (!f.ok()) return f.error();
        c.formula = *f;
        c.values = {out};
      }
      break;
    }
  }
  return Done{};
}

}  // namespace

Result<Mechanism> withCoupling(const Mechanism& m, CouplingKind kind, const std::vector<Symbol>& values, Id coupling) {
  const bool many = kind == CouplingKind::linear || kind == CouplingKind::belt;
  if (values.size() < 2 || (values.size() > 2 && !many))
    return Error{"figure", "", many ? "choose two joints or more to couple" : "choose two joints to couple"};
  Coupling c;
  c.id = coupling;
  c.kind = kind;
  c.values = values;
  c.name = nameOf(m, {values[0].id, ""}, false) + " - " + nameOf(m, {values.back().id, ""}, false);
  if (auto s = startFigures(m, c); !s.ok()) return s.error();
  Mechanism out = m;
  putIn(out.couplings, std::move(c));
  return out;
}

Result<Mechanism> withCouplingKind(const Mechanism& m, Id coupling, CouplingKind kind) {
  const auto old = findById(m.couplings, coupling);
  if (!old) return Error{"missing", "", "the coupling is gone"};
  if (old->kind == kind) return m;
  Coupling c = *old;
  if (c.kind == CouplingKind::formula && c.formula.formula)  // the value that the formula names first comes back
    for (const Symbol& s : c.formula.formula->references())
      if (valueInfo(m, s)) {
        c.values.insert(c.values.begin(), s);
        break;
      }
  const bool many = kind == CouplingKind::linear || kind == CouplingKind::belt;
  if (!many && c.values.size() > 2) c.values.resize(2);
  if (c.values.size() < 2)
    return Error{"figure", c.name, fmt::format("coupling {}: it needs a second joint value", c.name)};
  c.kind = kind;
  if (auto s = startFigures(m, c); !s.ok()) return s.error();
  Mechanism out = m;
  putIn(out.couplings, std::move(c));
  return out;
}

Result<Mechanism> withBelt(const Mechanism& m, BeltDraft& d, const std::vector<Pose>& poses) {
  const auto resolved = resolve(m);
  if (!resolved.ok()) return resolved.error();
  const Resolved& r = *resolved;
  if (d.joints.size() < 2 || d.sizes.size() != d.joints.size())
    return Error{"figure", "", "a belt needs two joints or more, and a size for each"};
  while (d.bodies.size() < d.joints.size()) d.bodies.push_back(newId());
  Mechanism out = m;
  const auto width = valueOf(m, d.width, dimension::kLength, "width");
  if (!width.ok()) return width.error();
  Coupling c;
  if (const auto old = findById(m.couplings, d.coupling)) c = *old;
  c.id = d.coupling;
  c.kind = CouplingKind::belt;
  c.teeth = d.chain;
  c.values.clear();
  c.figures.clear();
  c.bodies.clear();
  c.sides.clear();
  std::vector<elements::BeltWheel> wheels;
  Pose plane;
  double firstSign = 1;
  for (std::size_t i = 0; i < d.joints.size(); ++i) {
    auto s = shaftOf(r, d.joints[i], 0, poses);
    if (!s.ok()) return s.error();
    const auto& joint = r.joints[u(s->joint)];
    if (valueIndex(joint.kind, "turn") < 0)
      return Error{"figure", joint.name, fmt::format("joint {}: a belt needs joints that turn", joint.name)};
    if (i == 0) plane = s->frame;
    const Vec3 z = plane.R.col(2);
    if (z.cross(s->frame.R.col(2)).norm() > 1e-3)
      return Error{"gear-axes", joint.name,
                   fmt::format("joint {}: the axes of a belt's wheels must be parallel", joint.name)};
    const Vec3 zOwn = s->frame.R.col(2);
    const Pose at{s->frame.R, s->frame.p + zOwn * (plane.p - s->frame.p).dot(zOwn)};
    const Vec3 local = plane.inverse() * at.p;
    double radius = 0;
    Body b = element(d.bodies[i], d.chain ? BodyKind::sprocket : BodyKind::pulley, d.chain ? "sprocket" : "pulley",
                     poses[u(s->link)].inverse() * at, m.units);
    b.figures = {{"width", d.width}};
    if (d.chain) {
      const auto teeth = valueOf(m, d.sizes[i], dimension::kPlain, "teeth"),
                 pitch = valueOf(m, d.pitch, dimension::kLength, "pitch");
      if (!teeth.ok()) return teeth.error();
      if (!pitch.ok()) return pitch.error();
      if (*teeth < 6 || *teeth != std::floor(*teeth))
        return Error{"figure", "teeth", "teeth of a sprocket must be whole, 6 or more"};
      radius = elements::sprocketRadius(*pitch, static_cast<int>(*teeth));
      b.figures["pitch"] = d.pitch;
      b.figures["teeth"] = d.sizes[i];
      b.figures["roller"] = figureOf(0.62 * *pitch, dimension::kLength, m.units);
      b.figures["width"] = figureOf(0.55 * *pitch, dimension::kLength, m.units);
    } else {
      const auto v = valueOf(m, d.sizes[i], dimension::kLength, "radius");
      if (!v.ok()) return v.error();
      if (!(*v > 0)) return Error{"figure", "radius", "the radius of a pulley must be greater than zero"};
      radius = *v;
      b.figures["radius"] = d.sizes[i];
      b.figures["flange"] = figureOf(0.12 * *width, dimension::kLength, m.units);
    }
    out = withBody(out, r.links[u(s->link)].id, std::move(b));
    int side = d.joints.size() == 2 ? (d.crossed && i == 1 ? -1 : 1) : (i < d.sides.size() ? d.sides[i] : 1);
    wheels.push_back({local.head<2>(), radius, side});
    // the coupling knows values, not axes: where a value counts the other way, its side changes
    const double sign = s->sign * (zOwn.dot(z) > 0 ? 1 : -1);
    if (i == 0) firstSign = sign;
    if (sign * firstSign < 0) side = -side;
    c.sides.push_back(side);
    c.values.push_back({joint.id, "turn"});
    c.figures.push_back(d.sizes[i]);
    c.bodies.push_back(d.bodies[i]);
  }
  c.name = nameOf(m, {d.joints[0], ""}, false) + " - " + nameOf(m, {d.joints.back(), ""}, false);
  if (d.joints.size() == 2) {
    c.flip = c.sides[0] * c.sides[1] < 0;
    c.sides.clear();
  }
  if (auto path = elements::beltPath(wheels, "belt " + c.name); !path.ok()) return path.error();
  putIn(out.couplings, std::move(c));
  return out;
}

Result<Mechanism> withScrew(const Mechanism& m, ScrewDraft& d, const std::vector<Pose>& poses) {
  const auto resolved = resolve(m);
  if (!resolved.ok()) return resolved.error();
  const Resolved& r = *resolved;
  if (d.slides.empty() || d.slides.size() > 2)
    return Error{"figure", "", "choose the joint that turns and one or two that slide along it"};
  while (d.couplings.size() < d.slides.size()) d.couplings.push_back(newId());
  while (d.bodies.size() < d.slides.size() + 1) d.bodies.push_back(newId());
  auto screw = shaftOf(r, d.turn, 0, poses);
  if (!screw.ok()) return screw.error();
  if (valueIndex(r.joints[u(screw->joint)].kind, "turn") < 0)
    return Error{"figure", "",
                 fmt::format("joint {}: a screw needs a joint that turns", r.joints[u(screw->joint)].name)};
  const auto lead = valueOf(m, d.lead, dimension::kLength, "lead"),
             diameter = valueOf(m, d.diameter, dimension::kLength, "diameter");
  if (!lead.ok()) return lead.error();
  if (!diameter.ok()) return diameter.error();
  if (*lead == 0) return Error{"figure", "lead", "the lead is zero; a screw needs one"};
  const bool opposed = d.slides.size() == 2;
  Mechanism out = m;
  const Vec3 a = screw->frame.R.col(2);
  Vec3 middle = Vec3::Zero();
  std::vector<double> places;
  for (std::size_t i = 0; i < d.slides.size(); ++i) {
    auto nut = shaftOf(r, d.slides[i], d.turn, poses);
    if (!nut.ok()) return nut.error();
    const auto& joint = r.joints[u(nut->joint)];
    if (valueIndex(joint.kind, "slide") < 0)
      return Error{"figure", joint.name, fmt::format("joint {}: a nut needs a joint that slides", joint.name)};
    const Vec3 z = nut->frame.R.col(2);
    if (z.cross(a).norm() > 1e-3)
      return Error{"gear-axes", joint.name,
                   fmt::format("joint {}: it must slide along the axis of the screw", joint.name)};
    const double along = (nut->frame.p - screw->frame.p).dot(a);
    places.push_back(along);
    const Pose at{screw->frame.R, screw->frame.p + along * a};
    Body b = element(d.bodies[i + 1], BodyKind::nut, "nut", poses[u(nut->link)].inverse() * at, m.units);
    b.figures = {{"width", figureOf(1.6 * *diameter, dimension::kLength, m.units)},
                 {"length", figureOf(std::max(0.9 * *diameter, 1.2 * std::abs(*lead)), dimension::kLength, m.units)},
                 {"bore", d.diameter}};
    out = withBody(out, r.links[u(nut->link)].id, std::move(b));
    Coupling c;
    if (const auto old = findById(m.couplings, d.couplings[i])) c = *old;
    c.id = d.couplings[i];
    c.kind = CouplingKind::screw;
    c.name = r.links[u(screw->link)].name + " - " + r.links[u(nut->link)].name;
    c.values = {{d.turn, "turn"}, {d.slides[i], "slide"}};
    // a right-hand screw that turns about its axis draws its nut against it; the second nut has the other hand
    const double sign = -(i == 1 ? -1 : 1) * screw->sign * nut->sign * (z.dot(a) > 0 ? 1 : -1);
    Field signedLead = d.lead;
    if (sign < 0) {
      if (signedLead.formula) {
        auto f = parseField(m, "-(" + fieldText(m, d.lead) + ")");
        if (!f.ok()) return f.error();
        signedLead = *f;
      } else {
        signedLead.number = -signedLead.number;
      }
    }
    c.figures = {signedLead};
    c.bodies = {d.bodies[0], d.bodies[i + 1]};
    putIn(out.couplings, std::move(c));
  }
  for (double p : places) middle += p / static_cast<double>(places.size()) * a;
  // the right-hand half lies on the side of the first nut
  Pose at{screw->frame.R, screw->frame.p + middle};
  if (opposed && places[0] < places[1]) at.R = at.R * rotationAbout(0, kPi);
  Body b = element(d.bodies[0], BodyKind::screw, "screw", poses[u(screw->link)].inverse() * at, m.units);
  b.figures = {{"diameter", d.diameter}, {"lead", d.lead}, {"starts", d.starts}, {"length", d.length}};
  if (opposed) b.figures["opposed"] = Field(1);
  out = withBody(out, r.links[u(screw->link)].id, std::move(b));
  return out;
}

Mechanism withCouplingFigure(const Mechanism& m, Id id, std::size_t which, const Field& figure,
                             const std::vector<Pose>& poses) {
  Mechanism out = changed<Coupling>(m, &Mechanism::couplings, id, [&](Coupling& c) { c.figures[which] = figure; });
  const auto c = findById(m.couplings, id);
  if (!c || c->bodies.empty()) return out;
  if (c->kind == CouplingKind::gear) {
    auto draft = gearDraftOf(m, id);
    if (!draft || which > 1) return out;
    if (const auto plain = withGears(m, *draft, poses); plain.ok())
      draft->flip = findById(plain->couplings, id)->flip != c->flip;
    draft->teeth[which] = figure;
    auto made = withGears(m, *draft, poses);
    return made.ok() ? std::move(made).value() : out;
  }
  if (c->kind == CouplingKind::belt && which < c->bodies.size())
    return changedBody(out, c->bodies[which], [&](Body& b) { b.figures[c->teeth ? "teeth" : "radius"] = figure; });
  if (c->kind == CouplingKind::screw) {
    // the screw's own lead tells its hand, the coupling's the sense in which values count
    const auto lead = evaluateField(m, figure, dimension::kLength),
               was = evaluateField(m, c->figures[0], dimension::kLength);
    if (!lead.ok() || !was.ok() || *lead == 0) return out;
    return changedBody(out, c->bodies[0], [&](Body& b) {
      const auto own = evaluateField(m, b.figures["lead"], dimension::kLength);
      if (!own.ok()) return;
      const double sign = (*own > 0) == (*was > 0) ? 1 : -1;
      b.figures["lead"] = figureOf(sign * *lead, dimension::kLength, m.units);
    });
  }
  return out;
}

}  // namespace cooperage::model
