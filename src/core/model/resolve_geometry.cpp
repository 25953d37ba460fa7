// SPDX-License-Identifier: GPL-3.0-or-later
// Links, bodies, seats, joints of a document being worked out.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "elements/figures.h"
#include "model/resolving.h"

namespace cooperage::model {

static bool resolveSeat(Resolving& ctx, const Link& link, const Seat& s);
static bool resolveBody(Resolving& ctx, const Link& link, const Body& b);
static bool checkGearFigures(Resolving& ctx, BodyKind kind, const std::vector<double>& f, const std::string& object);
static bool resolveJoint(Resolving& ctx, const Joint& j);

static bool resolveSeat(Resolving& ctx, const Link& link, const Seat& s) {
  const std::string object = "seat " + link.name + "/" + s.name;
  Pose frame;
  if (!ctx.frame(s.at, s.axis, s.ref, object, frame)) return false;
  ctx.out.links.back().seats.push_back({s.id, s.name, frame});
  return true;
}

static bool resolveBody(Resolving& ctx, const Link& link, const Body& b) {
  const std::string object = "body " + link.name + "/" + b.name;
  Resolved::BodyR r;
  r.id = b.id;
  r.name = b.name;
  r.kind = b.kind;
  r.file = b.file;
  r.solid = b.solid;
  r.cuts = b.cuts;
  for (const Stretch& x : b.stretches) {
    r.stretches.push_back({x.at, x.axis, 0});
    if (!ctx.read(x.by, dimension::kLength, object, "longer by", r.stretches.back().by)) return false;
  }
  if (!ctx.read(b.placement, object, r.placement)) return false;
  if (!resolveDensity(ctx, b, object, r.density)) return false;
  if (b.kind == BodyKind::plate) {
    if (pivotCount(b) < 3) return ctx.fail("missing", object, "a plate needs three pivots or more; use a bar for two");
    for (int i = 1; i <= 2 * pivotCount(b); ++i) {
      const std::string key = fmt::format("pivot {} {}", (i + 1) / 2, i % 2 ? "x" : "y");
      const auto it = b.figures.find(key);
      double value = 0;
      if (it == b.figures.end()) return ctx.fail("missing", object, key + " is missing");
      if (!ctx.read(it->second, dimension::kLength, object, key, value)) return false;
      r.figures.push_back(value);
    }
  }
  for (const ElementFigure& f : elementFigures(b.kind)) {
    const std::string key = f.name;
    const auto it = b.figures.find(key);
    double value = f.otherwise;
    if (it == b.figures.end() && !f.mayBeZero) return ctx.fail("missing", object, key + " is missing");
    if (it != b.figures.end() && !ctx.read(it->second, f.dimension, object, key, value)) return false;
    if (f.mayBeZero ? !f.mayBeNegative && value < 0 : f.mayBeNegative ? value == 0 : !(value > 0))
      return ctx.fail("figure", object,
                      fmt::format("{} must be {}, not {}", key,
                                  f.mayBeZero       ? "zero or more"
                                  : f.mayBeNegative ? "other than zero"
                                                    : "greater than zero",
                                  formatNumber(value)));
    r.figures.push_back(value);
  }
  if (b.kind == BodyKind::cam) {
    const auto c = std::find_if(ctx.out.curveList.begin(), ctx.out.curveList.end(),
                                [&](const auto& x) { return x.id == b.curve; });
    if (c == ctx.out.curveList.end()) return ctx.fail("missing-curve", object, "its curve is gone; choose another");
    r.profile = c->curve;
    r.cam = c->cam;
    r.placement = c->seat * r.placement;
  }
  if (!checkGearFigures(ctx, b.kind, r.figures, object)) return false;
  ctx.out.links.back().bodies.push_back(std::move(r));
  return true;
}
/// Figures that contradict one another.
static bool checkGearFigures(Resolving& ctx, BodyKind kind, const std::vector<double>& f, const std::string& object) {
  const auto refuse = [&](const char* why) { return ctx.fail("figure", object, why); };
  switch (kind) {
    case BodyKind::bar: return f[3] < f[1] || refuse("the bore is as wide as the bar; make it smaller than the width");
    case BodyKind::linkPlate: return f[2] < f[0] || refuse("the bore is as wide as the link; make it smaller");
    case BodyKind::plate:
      return f[f.size() - 1] < f[f.size() - 3] || refuse("the bore is as wide as the bosses; make it smaller");
    case BodyKind::slottedBar:
      if (f[3] >= f[1] || f[5] >= f[1])
        return refuse("bore or slot is as wide as the bar; make it smaller than the width");
      return f[4] < f[0] || refuse("the slot is as long as the bar; make the bar longer");
    case BodyKind::disc:
    case BodyKind::roller:
      return f[2] < 2 * f[0] || refuse("the bore is as wide as the body; make it smaller than its diameter");
    case BodyKind::shaft:
      return f[4] + f[3] <= f[1] || refuse("the collar reaches past the end of the shaft; move it or make it narrower");
    default: break;
  }
  const auto why = elements::elementFault(elementName(kind), f);
  return why.empty() || refuse(why.c_str());
}

bool resolveLinks(Resolving& ctx) {
  findUsedCurves(ctx);
  for (const auto& link : ctx.m.links) {
    ctx.linkIndex[link->id] = static_cast<int>(ctx.out.links.size());
    auto& made = ctx.out.links.emplace_back();
    made.id = link->id;
    made.name = link->name;
    made.ground = link->ground;
    if (!ctx.read(link->placement, "link " + link->name, ctx.out.links.back().placement)) return false;
    for (const auto& s : link->seats) {
      ctx.seatIndex[s->id] = {ctx.linkIndex[link->id], static_cast<int>(ctx.out.links.back().seats.size())};
      if (!resolveSeat(ctx, *link, *s)) return false;
    }
    for (const auto& c : link->curves)
      if (!resolveCurve(ctx, *link, *c)) return false;
    for (const auto& d : link->dimensions)
      if (!d->kind.known())
        ctx.warn("dimension", "link " + link->name,
                 fmt::format("this version knows no dimension '{}'; nothing holds it", d->kind.text()));
    for (const auto& b : link->bodies)
      if (!resolveBody(ctx, *link, *b)) return false;
    if (link->mass) {
      auto& l = ctx.out.links.back();
      l.massTyped = true;
      if (!resolveMass(ctx, *link->mass, "link " + link->name, l.mass.emplace())) return false;
    }
  }
  return true;
}

static bool resolveJoint(Resolving& ctx, const Joint& j) {
  const std::string object = "joint " + j.name;
  const auto a = ctx.seatIndex.find(j.seats[0]), b = ctx.seatIndex.find(j.seats[1]);
  if (a == ctx.seatIndex.end() || b == ctx.seatIndex.end())
    return ctx.fail("missing-seat", object, "one of its seats is gone; pick the place again");
  if (a->second.first == b->second.first)
    return ctx.fail("same-link", object,
                    "both seats are on the link " + ctx.out.links[static_cast<std::size_t>(a->second.first)].name +
                        "; a joint needs two links");
  const auto frame = [&](const std::pair<int, int>& at) {
    return ctx.out.links[static_cast<std::size_t>(at.first)].seats[static_cast<std::size_t>(at.second)].frame;
  };
  Resolved::JointR r;
  r.id = j.id;
  r.name = j.name;
  r.kind = j.kind;
  r.linkA = a->second.first;
  r.linkB = b->second.first;
  r.seatA = frame(a->second);
  r.seatB = frame(b->second);
  r.flip = j.flip;
  r.held = j.held;
  r.enabled = j.enabled;
  r.surfaceBody = j.surfaceBody;
  r.surfaceFace = j.surfaceFace;
  r.curveId = j.kind == JointKind::pointCurve ? j.curve : 0;
  if (j.kind == JointKind::pointCurve) {
    const auto c = ctx.curves.find(j.curve);
    if (c == ctx.curves.end() || c->second.first != r.linkA)
      return ctx.fail("missing-curve", object, "its curve is gone or not on the first link; choose another");
    if (!c->second.second && j.enabled && findCurve(ctx.m, j.curve)->curve->kind != CurveKind::edges)
      return ctx.fail("curve", object, "this version can't compute its curve");
    r.curve = c->second.second;
    r.seatA = ctx.curveSeat[j.curve];
  }
  if (j.kind == JointKind::pointSurface) r.seatA = Pose{};
  double slide = 0, turn = 0;
  if (!ctx.read(j.slideOffset, dimension::kLength, object, "offset slide", slide) ||
      !ctx.read(j.turnOffset, dimension::kAngle, object, "offset turn", turn))
    return false;
  r.offset = {rotationAbout(2, turn), Vec3(0, 0, slide)};
  if (j.kind == JointKind::screw) {
    if (!ctx.read(j.lead, dimension::kLength, object, "lead", r.lead)) return false;
    if (r.lead == 0) return ctx.fail("figure", object, "the lead is zero; a screw needs one");
  }
  const auto& values = infoOf(j.kind).values;
  r.home.resize(values.size());
  r.low.resize(values.size());
  r.high.resize(values.size());
  for (std::size_t i = 0; i < values.size(); ++i) {
    const auto bound = [&](const std::optional<Field>& f, const char* what, std::optional<double>& into) {
      double v = 0;
      if (!f) return true;
      if (!ctx.read(*f, dimensionOf(values[i]), object, std::string(what) + " " + values[i].name, v)) return false;
      into = v;
      return true;
    };
    const auto home = j.home.find(values[i].name);
    if (home != j.home.end() && !bound(home->second, "home", r.home[i])) return false;
    const auto stops = j.stops.find(values[i].name);
    if (stops == j.stops.end()) continue;
    if (!bound(stops->second.low, "lower stop of", r.low[i]) || !bound(stops->second.high, "upper stop of", r.high[i]))
      return false;
    if (r.low[i] && r.high[i] && *r.low[i] > *r.high[i])
      return ctx.fail("stops", object, fmt::format("the lower stop of {} lies above the upper one", values[i].name));
  }
  ctx.out.joints.push_back(std::move(r));
  return true;
}

bool resolveJoints(Resolving& ctx) {
  for (const auto& j : ctx.m.joints) {
    ctx.jointIndex[j->id] = static_cast<int>(ctx.out.joints.size());
    if (!resolveJoint(ctx, *j)) return false;
  }
  return true;
}

bool resolveValue(Resolving& ctx, const Symbol& s, const std::string& object, Resolved::ValueRef& ref) {
  const auto j = ctx.jointIndex.find(s.id);
  if (j == ctx.jointIndex.end()) {
    const auto l = ctx.linkIndex.find(s.id);
    if (l != ctx.linkIndex.end() && ctx.out.links[static_cast<std::size_t>(l->second)].ground) {
      ref = {-1, -1};
      return true;
    }
    return ctx.fail("missing-joint", object, "its joint is gone; choose another");
  }
  const auto& r = ctx.out.joints[static_cast<std::size_t>(j->second)];
  ref = {j->second, valueIndex(r.kind, s.member)};
  if (ref.value < 0)
    return ctx.fail("missing-value", object,
                    fmt::format("the joint {} is {} and has no value '{}'", r.name, infoOf(r.kind).name, s.member));
  return true;
}
Dimension dimensionOf(Resolving& ctx, const Resolved::ValueRef& ref) {
  if (ref.joint < 0) return dimension::kAngle;
  const auto& values = infoOf(ctx.out.joints[static_cast<std::size_t>(ref.joint)].kind).values;
  return dimensionOf(values[static_cast<std::size_t>(ref.value)]);
}

}  // namespace cooperage::model
