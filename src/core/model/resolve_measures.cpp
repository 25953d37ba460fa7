// SPDX-License-Identifier: GPL-3.0-or-later
// Gauges, drives, requirements of a document being worked out.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "model/gauge_kinds.h"
#include "model/resolving.h"

namespace cooperage::model {

static bool resolveGauge(Resolving& ctx, const Gauge& g);
static bool resolveOverlay(Resolving& ctx, const Gauge& g, const std::string& object, Resolved::GaugeR& r);
static bool formulaDimension(Resolving& ctx, const Gauge& g, const std::string& object, Dimension& d);
static Dimension axisDimension(Resolving& ctx);
static Dimension drivenDimension(Resolving& ctx, int drive);
static Dimension jointValueDimension(Resolving& ctx, const Symbol& s);
static bool resolveDriven(Resolving& ctx, const Drive& d, const std::string& object, Resolved::DriveR& r);

/// What it measures: 'of', in the number and of the kind that its own kind needs.
static bool readMeasured(Resolving& ctx, const Gauge& g, const std::string& object, Resolved::GaugeR& r) {
  const auto need = [&](std::size_t n, const char* what) {
    return g.of.size() == n || ctx.fail("figure", object, fmt::format("needs {} in 'of'", what));
  };
  const auto readSeats = [&]() {
    for (const Symbol& s : g.of) {
      const auto it = ctx.seatIndex.find(s.id);
      if (it == ctx.seatIndex.end()) return ctx.fail("missing-seat", object, "a seat that it measures is gone");
      r.seats.push_back(it->second);
    }
    return true;
  };
  const auto readLinks = [&]() {
    for (const Symbol& s : g.of) {
      const auto it = ctx.linkIndex.find(s.id);
      if (it == ctx.linkIndex.end()) return ctx.fail("missing-link", object, "a link that it measures is gone");
      r.links.push_back(it->second);
    }
    return true;
  };
  switch (g.kind.value()) {
    case GaugeKind::jointValue:
    case GaugeKind::jointRate:
    case GaugeKind::jointAcceleration:
    case GaugeKind::jointJerk:
    case GaugeKind::velocityRatio:
      if (!need(g.kind == GaugeKind::velocityRatio ? 2 : 1, "a joint value (two for a ratio)")) return false;
      for (const Symbol& s : g.of) {
        r.values.emplace_back();
        if (!resolveValue(ctx, s, object, r.values.back())) return false;
      }
      break;
    case GaugeKind::pointPosition:
    case GaugeKind::pointVelocity:
    case GaugeKind::pointAcceleration:
      if (!need(1, "one seat") || !readSeats()) return false;
      break;
    case GaugeKind::distance:
    case GaugeKind::distancePlane:
    case GaugeKind::distanceAxis:
    case GaugeKind::angle:
      if (!need(2, "two seats") || !readSeats()) return false;
      break;
    case GaugeKind::linkRate:
    case GaugeKind::linkAcceleration:
      if (!need(1, "one link") || !readLinks()) return false;
      break;
    case GaugeKind::clearance:
      if (!need(2, "two links") || !readLinks()) return false;
      break;
    case GaugeKind::transmissionAngle: {
      if (!need(1, "one joint")) return false;
      const auto it = ctx.jointIndex.find(g.of[0].id);
      if (it == ctx.jointIndex.end()) return ctx.fail("missing-joint", object, "its joint is gone");
      r.joint = it->second;
      break;
    }
    case GaugeKind::pressureAngle:
    case GaugeKind::curvature: {
      if (!need(1, "one cam pair")) return false;
      const auto it = ctx.pairIndex.find(g.of[0].id);
      if (it == ctx.pairIndex.end()) return ctx.fail("missing-pair", object, "its cam pair is gone");
      r.pair = it->second;
      break;
    }
    case GaugeKind::driveForce:
    case GaugeKind::drivePower: {
      if (!need(1, "one drive")) return false;
      const auto it =
          std::find_if(ctx.m.drives.begin(), ctx.m.drives.end(), [&](const auto& d) { return d->id == g.of[0].id; });
      if (it == ctx.m.drives.end()) return ctx.fail("missing-drive", object, "its drive is gone");
      r.drive = static_cast<int>(it - ctx.m.drives.begin());  // drives are worked out later, in this order
      break;
    }
    case GaugeKind::reaction: {
      if (!need(1, "one joint")) return false;
      const auto it = ctx.jointIndex.find(g.of[0].id);
      if (it == ctx.jointIndex.end()) return ctx.fail("missing-joint", object, "its joint is gone");
      r.joint = it->second;
      const auto& j = ctx.out.joints[static_cast<std::size_t>(r.joint)];
      r.on = j.linkB;
      if (!g.on) break;
      const auto on = ctx.linkIndex.find(*g.on);
      if (on == ctx.linkIndex.end() || (on->second != j.linkA && on->second != j.linkB))
        return ctx.fail("figure", object, fmt::format("'on' is none of the two links of the joint {}", j.name));
      r.on = on->second;
      break;
    }
    case GaugeKind::contactForce: {
      if (!need(1, "one cam pair or contact")) return false;
      const auto pair = ctx.pairIndex.find(g.of[0].id);
      const auto contact = ctx.contactIndex.find(g.of[0].id);
      if (pair != ctx.pairIndex.end())
        r.pair = pair->second;
      else if (contact != ctx.contactIndex.end())
        r.contact = contact->second;
      else
        return ctx.fail("missing-pair", object, "its cam pair or contact is gone");
      break;
    }
    case GaugeKind::energy:
      if (!g.part.empty() && !g.part.known())
        return ctx.fail("figure", object,
                        fmt::format("part '{}' is none of {}", g.part.text(), fmt::join(wordsOf(EnergyPart{}), ", ")));
      if (g.part.known()) r.part = g.part.value();
      break;
    case GaugeKind::massCentre:
      if (!g.of.empty() && (!need(1, "one link, or none for all that moves") || !readLinks())) return false;
      break;
    case GaugeKind::shaking: break;
    case GaugeKind::formula:
      if (!g.formula.formula) return ctx.fail("formula", object, "the formula is a plain number");
      if (!formulaDimension(ctx, g, object, r.dimension) ||
          !valueFormula(ctx, g.formula, r.dimension, object, r.formula, true))
        return false;
  }
  return true;
}

/// Of all kinds but a formula, which brings its own.
static void setDimension(Resolving& ctx, Resolved::GaugeR& r) {
  switch (r.kind.value()) {
    case GaugeKind::jointValue: r.dimension = dimensionOf(ctx, r.values[0]); break;
    case GaugeKind::jointRate: r.dimension = dimensionOf(ctx, r.values[0]) + dimension::kPerSecond; break;
    case GaugeKind::jointAcceleration: r.dimension = dimensionOf(ctx, r.values[0]) + 2.0 * dimension::kPerSecond; break;
    case GaugeKind::jointJerk: r.dimension = dimensionOf(ctx, r.values[0]) + 3.0 * dimension::kPerSecond; break;
    case GaugeKind::velocityRatio:
      r.dimension = dimensionOf(ctx, r.values[0]) + (-1.0 * dimensionOf(ctx, r.values[1]));
      break;
    case GaugeKind::pointPosition:
    case GaugeKind::distance:
    case GaugeKind::distancePlane:
    case GaugeKind::distanceAxis:
    case GaugeKind::clearance: r.dimension = dimension::kLength; break;
    case GaugeKind::pointVelocity: r.dimension = dimension::kSpeed; break;
    case GaugeKind::pointAcceleration: r.dimension = dimension::kAcceleration; break;
    case GaugeKind::linkRate: r.dimension = dimension::kTurnSpeed; break;
    case GaugeKind::linkAcceleration: r.dimension = dimension::kTurnAcceleration; break;
    case GaugeKind::angle:
    case GaugeKind::pressureAngle:
    case GaugeKind::transmissionAngle: r.dimension = dimension::kAngle; break;
    case GaugeKind::curvature: r.dimension = -1.0 * dimension::kLength; break;
    case GaugeKind::driveForce: r.dimension = forceAlong(drivenDimension(ctx, r.drive)); break;
    case GaugeKind::drivePower: r.dimension = dimension::kPower; break;
    case GaugeKind::reaction:
    case GaugeKind::shaking:
      r.dimension = r.component >= static_cast<int>(Component::mx) ? dimension::kMoment : dimension::kForce;
      break;
    case GaugeKind::contactForce: r.dimension = dimension::kForce; break;
    case GaugeKind::energy: r.dimension = dimension::kMoment; break;
    case GaugeKind::massCentre: r.dimension = dimension::kLength; break;
    case GaugeKind::formula: break;
  }
}

/// A component that this kind of gauge has.
static bool readComponent(Resolving& ctx, const Gauge& g, const std::string& object, Resolved::GaugeR& r) {
  const auto first = Component::fx, last = Component::mz;
  if (g.component.known()) r.component = static_cast<int>(g.component.value());
  const bool six = g.component.known() && g.component.value() >= first && g.component.value() <= last;
  if (hasForceComponent(g.kind))
    return six || ctx.fail("figure", object, "needs a 'component' out of fx, fy, fz, mx, my, mz");
  if (g.component.empty()) return true;
  const bool normal = g.component == Component::normal && g.kind == GaugeKind::contactForce;
  return normal || (g.component.known() && g.component.value() < first) ||
         ctx.fail("figure", object, fmt::format("component '{}' is none of x, y, z, size", g.component.text()));
}

static bool resolveGauge(Resolving& ctx, const Gauge& g) {
  const std::string object = "gauge " + g.name;
  if (!g.kind.known()) {  // a later version's kind: keep the file usable and say so
    ctx.warn("gauge", object, fmt::format("this version can't compute the kind '{}'; it has no value", g.kind.text()));
    Resolved::GaugeR unknown;
    unknown.id = g.id;
    unknown.name = g.name;
    ctx.out.gauges.push_back(unknown);
    return true;
  }
  Resolved::GaugeR r;
  r.id = g.id;
  r.name = g.name;
  r.kind = g.kind;
  if (g.in) {
    const auto in = ctx.linkIndex.find(*g.in);
    if (in == ctx.linkIndex.end()) return ctx.fail("missing-link", object, "the link that it is measured in is gone");
    r.in = in->second;
  }
  if (!readComponent(ctx, g, object, r)) return false;
  if (g.about) {
    const auto s = ctx.seatIndex.find(g.about->id);
    if (s == ctx.seatIndex.end()) return ctx.fail("missing-seat", object, "the seat it is measured about is gone");
    r.about = s->second;
  }
  if (!readMeasured(ctx, g, object, r)) return false;
  setDimension(ctx, r);
  if (!resolveOverlay(ctx, g, object, r)) return false;
  ctx.out.gauges.push_back(std::move(r));
  return true;
}

/// A curve of one's own: a formula, or points over the travel axis (time where a plain number is meant).
static bool resolveOverlay(Resolving& ctx, const Gauge& g, const std::string& object, Resolved::GaugeR& r) {
  if (double within = 0; g.dwellWithin && !ctx.read(*g.dwellWithin, r.dimension, object, "dwell within", within))
    return false;
  if (g.overFormula) {
    if (!g.overFormula->formula) {
      double v = 0;  // a plain number is a level
      if (!ctx.read(*g.overFormula, r.dimension, object, "over", v)) return false;
      r.overPoints = {{-1e300, v}, {1e300, v}};
    } else if (!valueFormula(ctx, *g.overFormula, r.dimension, object, r.over, true)) {
      return false;
    }
  }
  for (const Pair& p : g.overPoints) {
    r.overPoints.emplace_back();
    if (!readOnAxis(ctx, p[0], axisDimension(ctx), object, "over", r.overPoints.back().first) ||
        !ctx.read(p[1], r.dimension, object, "over", r.overPoints.back().second))
      return false;
  }
  return true;
}
/// A place on a travel axis: a plain number in the axis' own unit, else what its unit says.
bool readOnAxis(Resolving& ctx, const Field& f, const Dimension& axis, const std::string& object, const char* what,
                double& into) {
  if (!f.formula) {
    into = f.number * ctx.m.units.factor(axis);
    return true;
  }
  for (const Dimension& d : {axis, dimension::kTime, dimension::kAngle, dimension::kLength})
    if (const auto v = ctx.field(f, d); v.ok()) {
      into = *v;
      return true;
    }
  return ctx.fail("figure", object, std::string(what) + ": " + ctx.field(f, axis).error().text);
}

/// What a formula of joint values measures: its own dimension.
static bool formulaDimension(Resolving& ctx, const Gauge& g, const std::string& object, Dimension& d) {
  const auto q = g.formula.formula->evaluate([&](const Symbol& s) -> Result<Quantity> {
    Resolved::ValueRef ref;
    if (findById(ctx.m.parameters, s.id)) return ctx.symbol(s);
    if (s.id == 0) return Quantity{0.37, {}, false};
    if (!resolveValue(ctx, s, object, ref)) return ctx.error;
    return Quantity{0.4321, dimensionOf(ctx, ref), true};
  });
  if (!q.ok() && q.error().text.find("finite") == std::string::npos) return ctx.fail("formula", object, q.error().text);
  if (q.ok()) d = q->dimension;
  return true;
}

bool resolveGauges(Resolving& ctx) {
  for (const auto& g : ctx.m.gauges) {
    ctx.gaugeIndex[g->id] = static_cast<int>(ctx.out.gauges.size());
    if (!resolveGauge(ctx, *g)) return false;
  }
  return true;
}

bool resolveRequirements(Resolving& ctx) {
  for (const auto& q : ctx.m.requirements) {
    const std::string object = "requirement " + q->name;
    const auto g = ctx.gaugeIndex.find(q->gauge);
    if (g == ctx.gaugeIndex.end()) return ctx.fail("missing-gauge", object, "its gauge is gone; choose another");
    if (!q->measure.known())
      return ctx.fail("figure", object, fmt::format("there is no measure '{}'", q->measure.text()));
    Resolved::RequirementR r{q->id, q->name, g->second, q->measure.value(), {}, {}, {}};
    const Dimension d = ctx.out.gauges[static_cast<std::size_t>(g->second)].dimension;
    const auto bound = [&](const std::optional<Field>& f, const char* what, std::optional<double>& into) {
      double v = 0;
      if (!f) return true;
      if (!ctx.read(*f, d, object, what, v)) return false;
      into = v;
      return true;
    };
    if (!bound(q->min, "min", r.min) || !bound(q->max, "max", r.max)) return false;
    if (q->measure == Measure::at) {
      if (!q->at) return ctx.fail("missing", object, "measure 'at' needs a place on the travel axis");
      double v = 0;
      if (!readOnAxis(ctx, *q->at, axisDimension(ctx), object, "at", v)) return false;
      r.at = v;
    }
    ctx.out.requirements.push_back(std::move(r));
  }
  return true;
}
/// Of the travel axis of the first run, which is the one that a place on the axis means.
static Dimension axisDimension(Resolving& ctx) {
  if (!ctx.m.runs.empty())
    for (std::size_t d = 0; d < ctx.m.drives.size(); ++d)
      if (ctx.m.drives[d]->id == ctx.m.runs[0]->axis) return drivenDimension(ctx, static_cast<int>(d));
  return dimension::kTime;
}
/// Of what a drive moves, by its index, before drives are worked out.
static Dimension drivenDimension(Resolving& ctx, int drive) {
  const auto& d = ctx.m.drives[static_cast<std::size_t>(drive)];
  if (d->gauge == 0) return jointValueDimension(ctx, d->value);
  const auto g = findById(ctx.m.gauges, d->gauge);
  if (g && g->kind == GaugeKind::jointValue && !g->of.empty()) return jointValueDimension(ctx, g->of[0]);
  return g && g->kind == GaugeKind::angle ? dimension::kAngle : dimension::kLength;
}
static Dimension jointValueDimension(Resolving& ctx, const Symbol& s) {
  const auto j = findJoint(ctx.m, s.id);
  const int v = j ? valueIndex(j->kind, s.member) : -1;
  return v < 0 ? dimension::kTime : dimensionOf(infoOf(j->kind).values[static_cast<std::size_t>(v)]);
}

/// What a drive moves: a joint value, or a gauge that is an angle or a distance.
static bool resolveDriven(Resolving& ctx, const Drive& d, const std::string& object, Resolved::DriveR& r) {
  if (d.gauge == 0) {
    if (!resolveValue(ctx, d.value, object, r.value)) return false;
    if (r.value.joint < 0) return ctx.fail("missing-joint", object, "ground can't be driven");
    const auto& kind = infoOf(ctx.out.joints[static_cast<std::size_t>(r.value.joint)].kind);
    if (!kind.values[static_cast<std::size_t>(r.value.value)].drivable)
      return ctx.fail("figure", object, "this value can only be read, not driven");
    r.dimension = dimensionOf(ctx, r.value);
    return true;
  }
  const auto g = ctx.gaugeIndex.find(d.gauge);
  if (g == ctx.gaugeIndex.end()) return ctx.fail("missing-gauge", object, "its gauge is gone; choose another");
  const auto& gauge = ctx.out.gauges[static_cast<std::size_t>(g->second)];
  r.dimension = gauge.dimension;
  if (gauge.kind == GaugeKind::jointValue) {
    r.value = gauge.values[0];
    return true;
  }
  if (!isDistance(gauge.kind) && gauge.kind != GaugeKind::angle)
    return ctx.fail(
        "figure", object,
        fmt::format("the gauge {} can't be driven: only angles, distances and joint values can", gauge.name));
  if (gauge.seats[0].first == gauge.seats[1].first)
    return ctx.fail("figure", object, fmt::format("both seats of the gauge {} are on one link", gauge.name));
  if (gauge.about && gauge.about->first != gauge.seats[0].first && gauge.about->first != gauge.seats[1].first)
    return ctx.fail("figure", object,
                    fmt::format("the gauge {} turns about a seat of a third link; choose one of the two", gauge.name));
  r.gauge = g->second;
  return true;
}
bool resolveDrives(Resolving& ctx) {
  for (const auto& d : ctx.m.drives) {
    const std::string object = "drive " + d->name;
    Resolved::DriveR r;
    r.id = d->id;
    r.name = d->name;
    r.reverse = d->reverse;
    r.enabled = d->enabled;
    if (!resolveDriven(ctx, *d, object, r)) return false;
    if (d->shared != 0 && !findById(ctx.m.programmes, d->shared))
      return ctx.fail("missing-programme", object, "its programme is gone; choose another");
    for (const ProgrammeRow& given : rowsOf(ctx.m, *d)) {
      r.rows.emplace_back();
      if (!resolveRow(ctx, given, r.dimension, object, r.rows.back())) return false;
    }
    ctx.driveIndex[d->id] = static_cast<int>(ctx.out.drives.size());
    ctx.out.drives.push_back(std::move(r));
  }
  return true;
}

}  // namespace cooperage::model
