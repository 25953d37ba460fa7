// SPDX-License-Identifier: GPL-3.0-or-later
// Couplings and cam pairs of a document being worked out.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "model/resolving.h"

namespace cooperage::model {

static const JointValue& kindOf(Resolving& ctx, const Resolved::ValueRef& ref);
static bool couplingTable(Resolving& ctx, const Coupling& c, const std::string& object, Resolved::CouplingR& r);
static bool formulaCoupling(Resolving& ctx, const Coupling& c, const std::string& object, Resolved::CouplingR& r);
static bool sameLink(Resolving& ctx, int a, int b);
static Pose axisOf(Resolving& ctx, const Resolved::JointR& j);
static bool resolveGear(Resolving& ctx, const Coupling& c, const std::string& object, Resolved::CouplingR& r);
static bool coefficients(Resolving& ctx, const Coupling& c, const std::string& object, Resolved::CouplingR& r);

bool resolveCouplings(Resolving& ctx) {
  for (const auto& c : ctx.m.couplings) {
    const std::string object = "coupling " + c->name;
    Resolved::CouplingR r;
    r.id = c->id;
    r.name = c->name;
    r.enabled = c->enabled;
    for (const Symbol& s : c->values) {
      Resolved::ValueRef ref;
      if (!resolveValue(ctx, s, object, ref)) return false;
      if (ref.joint >= 0 && !kindOf(ctx, ref).drivable)
        return ctx.fail("figure", object, "a swing can only be read, not coupled");
      r.values.push_back(ref);
    }
    if (c->kind == CouplingKind::table) {
      if (!couplingTable(ctx, *c, object, r)) return false;
    } else if (c->kind == CouplingKind::formula) {
      if (!formulaCoupling(ctx, *c, object, r)) return false;
    } else {
      if (!coefficients(ctx, *c, object, r)) return false;
      for (double k : r.coefficients)
        if (k == 0 || !std::isfinite(k)) return ctx.fail("figure", object, "a ratio of zero couples nothing");
      if (c->kind == CouplingKind::gear && !resolveGear(ctx, *c, object, r)) return false;
    }
    if (c->kind == CouplingKind::belt && r.values.size() > 2) {
      for (std::size_t i = 1; i < r.values.size(); ++i) {
        auto one = r;
        one.values = {r.values[0], r.values[i]};
        one.coefficients = {r.coefficients[0], r.coefficients[i]};
        ctx.out.couplings.push_back(std::move(one));
      }
      continue;
    }
    ctx.out.couplings.push_back(std::move(r));
  }
  return true;
}
static const JointValue& kindOf(Resolving& ctx, const Resolved::ValueRef& ref) {
  return infoOf(ctx.out.joints[static_cast<std::size_t>(ref.joint)].kind).values[static_cast<std::size_t>(ref.value)];
}

static bool couplingTable(Resolving& ctx, const Coupling& c, const std::string& object, Resolved::CouplingR& r) {
  std::vector<std::pair<double, double>> points;
  for (const Pair& p : c.points) {
    points.emplace_back();
    if (!ctx.read(p[0], dimensionOf(ctx, r.values[0]), object, "points", points.back().first) ||
        !ctx.read(p[1], dimensionOf(ctx, r.values[1]), object, "points", points.back().second))
      return false;
  }
  if (r.values[0].joint < 0 || r.values[1].joint < 0) return ctx.fail("figure", object, "a table couples joint values");
  auto made = curves::Table::make(std::move(points), c.interpolation, object);
  if (!made.ok()) return ctx.error = made.error(), false;
  r.table = std::make_shared<const curves::Table>(std::move(made).value());
  return true;
}

/// A formula of joint values: the jets of the values come from the motion.
/// @param time whether t, the plain number of seconds, may stand in it
bool valueFormula(Resolving& ctx, const Field& f, const Dimension& wanted, const std::string& object,
                  std::shared_ptr<const Resolved::FormulaR>& into, bool time) {
  std::vector<std::pair<Symbol, Resolved::ValueRef>> refs;
  if (f.formula)
    for (const Symbol& s : f.formula->references()) {
      if (findById(ctx.m.parameters, s.id)) continue;
      Resolved::ValueRef ref;
      if (s.id == 0 && time) continue;
      if (s.id == 0) return ctx.fail("formula", object, "the time can't be used here");
      if (!resolveValue(ctx, s, object, ref)) return false;
      refs.emplace_back(s, ref);
    }
  std::shared_ptr<const Resolved::FormulaR> read;
  const auto trial = [&](const Symbol& s) -> std::optional<Quantity> {
    if (s.id == 0) return Quantity{0.37, {}, false};
    for (const auto& [symbol, ref] : refs)
      if (symbol == s) return Quantity{0.4321, dimensionOf(ctx, ref), true};
    return std::nullopt;
  };
  if (!ctx.readFormula(f, wanted, object, "formula", trial, read)) return false;
  auto copy = std::make_shared<Resolved::FormulaR>(*read);
  copy->values = std::move(refs);
  into = std::move(copy);
  return true;
}
static bool formulaCoupling(Resolving& ctx, const Coupling& c, const std::string& object, Resolved::CouplingR& r) {
  if (r.values[0].joint < 0) return ctx.fail("figure", object, "a formula couples a joint value");
  std::shared_ptr<const Resolved::FormulaR> f;
  if (!valueFormula(ctx, c.formula, dimensionOf(ctx, r.values[0]), object, f)) return false;
  for (const auto& [symbol, ref] : f->values)
    if (ref.joint == r.values[0].joint && ref.value == r.values[0].value)
      return ctx.fail("cycle", object, "the formula names the value that it gives");
  r.formula = std::move(f);
  return true;
}

static bool sameLink(Resolving& ctx, int a, int b) {
  const auto& l = ctx.out.links;
  return a == b || (a >= 0 && b >= 0 && l[static_cast<std::size_t>(a)].ground && l[static_cast<std::size_t>(b)].ground);
}
/// Axis of a joint's first seat and a point of it where the links are placed, in ground axes.
static Pose axisOf(Resolving& ctx, const Resolved::JointR& j) {
  return ctx.out.links[static_cast<std::size_t>(j.linkA)].placement * j.seatA;
}
static bool turns(const Resolved::JointR& j) { return j.enabled && valueIndex(j.kind, "turn") >= 0; }

/// Puts the turn of the carrier into a gear pair, and compares signs and centre distance with the geometry.
static bool resolveGear(Resolving& ctx, const Coupling& c, const std::string& object, Resolved::CouplingR& r) {
  int carrier = -1;
  if (c.carrier != 0) {
    const auto it = ctx.linkIndex.find(c.carrier);
    if (it == ctx.linkIndex.end()) return ctx.fail("missing-link", object, "its carrier is gone; choose another");
    carrier = it->second;
  }
  struct Side {
    Vec3 axis = Vec3::Zero(), at = Vec3::Zero();  // of the gear's turn, positive with the value
    bool known = false;
  };
  Side sides[2];
  for (std::size_t k = 0; k < 2; ++k) {
    const Resolved::ValueRef ref = r.values[k];
    const Resolved::JointR* j = ref.joint >= 0 ? &ctx.out.joints[static_cast<std::size_t>(ref.joint)] : nullptr;
    bool gearIsFirst = j && ctx.out.links[static_cast<std::size_t>(j->linkB)].ground;
    const bool onCarrier = j && (sameLink(ctx, j->linkA, carrier) || sameLink(ctx, j->linkB, carrier));
    if (onCarrier) gearIsFirst = sameLink(ctx, j->linkB, carrier);
    if (carrier >= 0 && !onCarrier && !ctx.out.links[static_cast<std::size_t>(carrier)].ground) {
      const Resolved::JointR* with = nullptr;
      double sign = 0;
      for (std::size_t i = 0; i < ctx.out.joints.size() && !with; ++i) {
        const auto& other = ctx.out.joints[i];
        if (!turns(other) || (other.linkA != carrier && other.linkB != carrier)) continue;
        const int base = other.linkA == carrier ? other.linkB : other.linkA;
        if (j && !sameLink(ctx, base, j->linkA) && !sameLink(ctx, base, j->linkB)) continue;
        if (!j && !ctx.out.links[static_cast<std::size_t>(base)].ground) continue;
        const Vec3 z = axisOf(ctx, other).R.col(2), own = j ? Vec3(axisOf(ctx, *j).R.col(2)) : z;
        if (z.cross(own).norm() > 1e-2) continue;
        with = &other;
        if (j) gearIsFirst = !sameLink(ctx, base, j->linkA);
        sign = (z.dot(own) > 0 ? 1 : -1) * (other.linkB == carrier ? 1 : -1) * (gearIsFirst ? -1 : 1);
        r.values.push_back({static_cast<int>(i), valueIndex(other.kind, "turn")});
      }
      if (!with)
        return ctx.fail(
            "carrier", object,
            fmt::format("no joint turns the carrier {} about the axis of {}; add one, or leave the carrier out",
                        ctx.out.links[static_cast<std::size_t>(carrier)].name, nameOf(ctx.m, c.values[k], false)));
      r.coefficients.push_back(-sign * r.coefficients[k]);
      if (!j) sides[k] = {axisOf(ctx, *with).R.col(2), axisOf(ctx, *with).p, true};
    }
    if (j) sides[k] = {(gearIsFirst ? -1 : 1) * axisOf(ctx, *j).R.col(2), axisOf(ctx, *j).p, true};
  }
  if (!sides[0].known || !sides[1].known) return true;
  if (sides[0].axis.cross(sides[1].axis).norm() > 1e-3) return true;  // bevel, crossed, worm: the sign is a free choice
  const double wanted = (c.internal ? -1 : 1) * (sides[0].axis.dot(sides[1].axis) > 0 ? 1 : -1);
  if (wanted * r.coefficients[0] * r.coefficients[1] < 0)
    ctx.warn(
        "gear-sign", object,
        fmt::format(
            "the axes of its joints are {}, so that {} gears would turn the other way; set \"flip\" or turn a seat",
            sides[0].axis.dot(sides[1].axis) > 0 ? "parallel" : "opposed", c.internal ? "internal" : "external"));
  if (!c.module) return true;
  double module = 0, a = 0, b = 0;
  if (!ctx.read(*c.module, dimension::kLength, object, "module", module) ||
      !ctx.read(c.figures[0], dimension::kPlain, object, "teeth", a) ||
      !ctx.read(c.figures[1], dimension::kPlain, object, "teeth", b))
    return false;
  const double distance = (sides[1].at - sides[0].at).cross(sides[0].axis).norm();
  const double right = 0.5 * module * std::abs(c.internal ? a - b : a + b);
  if (std::abs(distance - right) > 1e-3 * right)
    ctx.warn(
        "centre-distance", object,
        fmt::format("its axes are {:.6g} mm apart; module and teeth ask for {:.6g} mm", distance * 1e3, right * 1e3));
  return true;
}

bool resolveCamPairs(Resolving& ctx) {
  for (const auto& c : ctx.m.camPairs) {
    const std::string object = "cam pair " + c->name;
    ctx.pairIndex[c->id] = static_cast<int>(ctx.out.camPairs.size());
    const auto cam = ctx.curves.find(c->cam);
    if (cam == ctx.curves.end()) return ctx.fail("missing-curve", object, "its cam's curve is gone; choose another");
    Resolved::CamPairR r;
    r.id = c->id;
    r.name = c->name;
    r.kind = c->kind;
    r.camLink = cam->second.first;
    r.camSeat = ctx.curveSeat[c->cam];
    r.cam = cam->second.second;
    r.inside = c->inside;
    r.enabled = c->enabled;
    r.camCurve = c->cam;
    if (c->kind == ContactKind::rolling) r.followerCurve = c->follower;
    if (c->kind == ContactKind::rolling) {
      const auto f = ctx.curves.find(c->follower);
      if (f == ctx.curves.end())
        return ctx.fail("missing-curve", object, "its follower's curve is gone; choose another");
      r.followerLink = f->second.first;
      r.followerSeat = ctx.curveSeat[c->follower];
      r.follower = f->second.second;
    } else {
      const auto s = ctx.seatIndex.find(c->follower);
      if (s == ctx.seatIndex.end())
        return ctx.fail("missing-seat", object, "its follower's seat is gone; choose another");
      r.followerLink = s->second.first;
      r.followerSeat = ctx.out.links[static_cast<std::size_t>(s->second.first)]
                           .seats[static_cast<std::size_t>(s->second.second)]
                           .frame;
    }
    if (r.camLink == r.followerLink) return ctx.fail("same-link", object, "cam and follower are one link");
    if (c->kind == ContactKind::roller) {
      if (!ctx.read(c->radius, dimension::kLength, object, "radius", r.radius)) return false;
      if (!(r.radius > 0)) return ctx.fail("figure", object, "the roller's radius must be greater than zero");
    }
    const auto lacks = [&](Id id, const curves::CurvePtr& curve) {
      const auto place = findCurve(ctx.m, id);
      return !curve && place && place->curve->kind != CurveKind::edges;
    };
    if (r.enabled && (lacks(c->cam, r.cam) || (c->kind == ContactKind::rolling && lacks(c->follower, r.follower))))
      return ctx.fail("curve", object, "this version can't compute its curve");
    ctx.out.camPairs.push_back(std::move(r));
  }
  return true;
}

static bool coefficients(Resolving& ctx, const Coupling& c, const std::string& object, Resolved::CouplingR& r) {
  std::vector<double> f(c.figures.size());
  const auto readAll = [&](const Dimension& d, const char* what) {
    for (std::size_t i = 0; i < f.size(); ++i)
      if (!ctx.read(c.figures[i], d, object, what, f[i])) return false;
    return true;
  };
  const double sign = c.flip ? -1 : 1;
  switch (c.kind) {
    case CouplingKind::linear: {
      for (std::size_t i = 0; i < f.size(); ++i) {
        const Field& figure = c.figures[i];
        if (!figure.formula) {
          f[i] = figure.number;  // rad and m whatever the document's units
          continue;
        }
        const auto q = figure.formula->evaluate([&](const Symbol& s) { return ctx.symbol(s); });
        if (!q.ok()) return ctx.fail(q.error().code, object, "coefficient: " + q.error().text);
        f[i] = q->value;
      }
      r.coefficients = f;
      return true;
    }
    case CouplingKind::gear:
      if (!readAll(dimension::kPlain, "teeth")) return false;
      r.coefficients = {f[0], (c.internal ? -1 : 1) * sign * f[1]};
      return true;
    case CouplingKind::ratio: {
      const Dimension d = dimensionOf(ctx, r.values[1]) + (-1.0 * dimensionOf(ctx, r.values[0]));
      if (!readAll(d, "ratio")) return false;
      r.coefficients = {f[0], -1};
      return true;
    }
    case CouplingKind::rack:
      if (!readAll(dimension::kLength, "radius")) return false;
      r.coefficients = {f[0] * sign, -1};
      return true;
    case CouplingKind::screw:
      if (!readAll(dimension::kLength, "lead")) return false;
      r.coefficients = {f[0] / (2 * kPi), -1};
      return true;
    case CouplingKind::belt:
      if (!readAll(c.teeth ? dimension::kPlain : dimension::kLength, c.teeth ? "teeth" : "radii")) return false;
      for (std::size_t i = 0; i < f.size(); ++i)  // one row a pair; sides tell on which side of the belt a wheel lies
        r.coefficients.push_back((i == 0 ? 1 : -sign) * f[i] * (c.sides.empty() ? 1 : c.sides[i] * c.sides[0]));
      return true;
    case CouplingKind::table:
    case CouplingKind::formula: break;
  }
  return true;
}

}  // namespace cooperage::model
