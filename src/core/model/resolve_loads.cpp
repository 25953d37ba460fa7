// SPDX-License-Identifier: GPL-3.0-or-later
// Masses and loads of a document being worked out.
#include <fmt/format.h>

#include "base/principal_axes.h"
#include "model/materials.h"
#include "model/resolving.h"

namespace cooperage::model {

bool resolveDensity(Resolving& ctx, const Body& b, const std::string& object, std::optional<double>& into) {
  const Field* given = b.density ? &*b.density : nullptr;
  const auto own = b.material.empty() ? nullptr : findByName(ctx.m.materials, b.material);
  if (!given && own) given = &own->density;
  const std::string of = given && !b.density ? "material " + b.material : object;
  if (!given) {
    if (b.material.empty()) return true;
    if (const auto* known = materialNamed(b.material))
      into = known->density;
    else
      ctx.warn("material", object, fmt::format("there is no material '{}'; it has no density", b.material));
    return true;
  }
  double value = 0;
  if (!ctx.read(*given, dimension::kDensity, of, "density", value)) return false;
  if (!(value >= 0)) return ctx.fail("mass", of, "its density is negative");
  into = value;
  return true;
}

/// A matrix of inertia is one of some distribution of mass where its principal moments are not negative and none is
/// greater than the sum of the other two (Goldstein, Classical Mechanics, ch. 5).
bool resolveMass(Resolving& ctx, const TypedMass& mass, const std::string& object, Resolved::MassR& into) {
  if (!ctx.read(mass.value, dimension::kMass, object, "mass", into.value) ||
      !ctx.read(mass.centre, dimension::kLength, object, "centre of mass", into.centre))
    return false;
  if (!(into.value >= 0)) return ctx.fail("mass", object, "its mass is negative");
  std::array<double, 6> i{};
  constexpr const char* kNames[] = {"Ixx", "Iyy", "Izz", "Ixy", "Ixz", "Iyz"};
  for (std::size_t k = 0; k < 6; ++k)
    if (!ctx.read(mass.inertia[k], dimension::kInertia, object, kNames[k], i[k])) return false;
  into.inertia << i[0], i[3], i[4], i[3], i[1], i[5], i[4], i[5], i[2];
  const Vec3 principal = principalAxes(into.inertia).values;  // the least first
  const double rounding = 1e-12 * principal.cwiseAbs().maxCoeff();
  const auto told = [&](double x) { return formatNumber(x / ctx.m.units.factor(dimension::kInertia), 6); };
  const std::string three = fmt::format("{}, {} and {} {}", told(principal[0]), told(principal[1]), told(principal[2]),
                                        ctx.m.units.label(dimension::kInertia));
  if (principal[0] < -rounding)
    return ctx.fail(
        "mass", object,
        fmt::format("its inertia is not positive: its principal moments are {}; none may be negative", three));
  if (principal[2] > principal[0] + principal[1] + 1e-9 * principal[2])
    return ctx.fail(
        "mass", object,
        fmt::format("its inertia breaks the triangle rule: its principal moments are {}; none may be greater "
                    "than the sum of the others",
                    three));
  return true;
}

namespace {

bool load(Resolving& ctx, const Field& f, const Dimension& wanted, const std::string& object, const char* what,
          Resolved::LoadR& into) {
  bool moves = false;
  if (f.formula) {
    for (const Symbol& s : f.formula->references()) moves = moves || !findById(ctx.m.parameters, s.id);
    (void)f.formula->evaluate([&](const Symbol& s) -> Result<Quantity> {  // time is none of the references
      moves = moves || s.id == 0;
      return s.id == 0 ? Quantity{0.37, {}, false} : ctx.symbol(s);
    });
  }
  return moves ? valueFormula(ctx, f, wanted, object, into.formula, true)
               : ctx.read(f, wanted, object, what, into.value);
}

/// A table from pairs of fields.
bool table(Resolving& ctx, const std::vector<Pair>& points, const Dimension& x, const Dimension& y,
           const Word<curves::Interpolation>& between, const std::string& object,
           std::shared_ptr<const curves::Table>& into) {
  std::vector<std::pair<double, double>> figures;
  for (const Pair& p : points) {
    figures.emplace_back();
    if (!ctx.read(p[0], x, object, "points", figures.back().first) ||
        !ctx.read(p[1], y, object, "points", figures.back().second))
      return false;
  }
  auto made = curves::Table::make(std::move(figures), between, object);
  if (!made.ok()) return ctx.error = made.error(), false;
  into = std::make_shared<const curves::Table>(std::move(made).value());
  return true;
}

/// A value of a joint along which something can act: one that is a motion of its own.
bool actsAlong(Resolving& ctx, const Symbol& value, const std::string& object, Resolved::ValueRef& into,
               Dimension& way) {
  if (!resolveValue(ctx, value, object, into)) return false;
  if (into.joint >= 0 && !infoOf(ctx.out.joints[static_cast<std::size_t>(into.joint)].kind)
                              .values[static_cast<std::size_t>(into.value)]
                              .drivable)
    return ctx.fail("figure", object, "this value can only be read; nothing acts along it");
  if (into.joint < 0) return ctx.fail("missing-joint", object, "acts along a joint value; ground has none");
  way = dimensionOf(ctx, into);
  return true;
}

bool seatNamed(Resolving& ctx, Id id, const std::string& object, const char* gone, std::pair<int, int>& into) {
  const auto seat = ctx.seatIndex.find(id);
  if (seat == ctx.seatIndex.end()) return ctx.fail("missing-seat", object, gone);
  into = seat->second;
  return true;
}

bool resolveForce(Resolving& ctx, const Force& f) {
  const std::string object = "force " + f.name;
  Resolved::ForceR r;
  r.id = f.id;
  r.name = f.name;
  r.enabled = f.enabled;
  if (f.of) {
    Dimension way;
    if (!actsAlong(ctx, *f.of, object, r.of, way) || !load(ctx, f.effort, forceAlong(way), object, "effort", r.effort))
      return false;
  } else {
    if (!seatNamed(ctx, f.on, object, "the seat that it acts on is gone; choose another", r.seat)) return false;
    for (std::size_t k = 0; k < 3; ++k)
      if (!load(ctx, f.force[k], dimension::kForce, object, "force", r.force[k]) ||
          !load(ctx, f.moment[k], dimension::kMoment, object, "moment", r.moment[k]))
        return false;
    if (f.in) {
      const auto in = ctx.linkIndex.find(*f.in);
      if (in == ctx.linkIndex.end()) return ctx.fail("missing-link", object, "the link in whose axes it acts is gone");
      r.in = in->second;
    }
  }
  if (f.over) {
    Dimension way;
    if (!actsAlong(ctx, *f.over, object, r.over, way) ||
        !table(ctx, f.overPoints, way, dimension::kPlain, f.overInterpolation, object, r.times))
      return false;
  }
  ctx.out.forces.push_back(std::move(r));
  return true;
}

bool resolveSpring(Resolving& ctx, const Spring& s) {
  const std::string object = "spring " + s.name;
  Resolved::SpringR r;
  r.id = s.id;
  r.name = s.name;
  r.enabled = s.enabled;
  Dimension way = dimension::kLength;
  if (s.of) {
    if (!actsAlong(ctx, *s.of, object, r.of, way)) return false;
  } else {
    for (std::size_t k = 0; k < 2; ++k)
      if (!seatNamed(ctx, s.seats[k], object, "one of its seats is gone; choose another", r.seats[k])) return false;
    if (r.seats[0].first == r.seats[1].first)
      return ctx.fail("same-link", object, "both its seats are on one link; a spring lies between two");
  }
  const Dimension pull = forceAlong(way), rate = pull + (-1.0 * way);
  const auto maybe = [&](const std::optional<Field>& f, const Dimension& d, const char* what, double& into) {
    return !f || ctx.read(*f, d, object, what, into);
  };
  if (!maybe(s.stiffness, rate, "stiffness", r.stiffness) || !ctx.read(s.free, way, object, "free", r.free) ||
      !maybe(s.preload, pull, "preload", r.preload) || !maybe(s.damping, rate + dimension::kTime, "damping", r.damping))
    return false;
  if (r.stiffness < 0) return ctx.fail("figure", object, "its stiffness is negative");
  if (r.damping < 0) return ctx.fail("figure", object, "its damping is negative: it would drive");
  if (!s.points.empty()) {
    if (s.stiffness) return ctx.fail("figure", object, "has a stiffness and a table; leave one of them out");
    if (!table(ctx, s.points, way, pull, s.interpolation, object, r.table)) return false;
  }
  ctx.out.springs.push_back(std::move(r));
  return true;
}

bool resolveFriction(Resolving& ctx, const Friction& f) {
  const std::string object = "friction " + f.name;
  Resolved::FrictionR r;
  r.id = f.id;
  r.name = f.name;
  r.enabled = f.enabled;
  Dimension way;
  if (!actsAlong(ctx, f.of, object, r.of, way)) return false;
  const auto maybe = [&](const std::optional<Field>& field, const Dimension& d, const char* what, double& into) {
    if (!field) return true;
    if (!ctx.read(*field, d, object, what, into)) return false;
    return into >= 0 || ctx.fail("figure", object, fmt::format("its {} is negative", what));
  };
  if (!maybe(f.coefficient, dimension::kPlain, "coefficient", r.coefficient) ||
      !maybe(f.radius, dimension::kLength, "radius", r.radius) ||
      !maybe(f.viscous, forceAlong(way) + (-1.0 * way) + dimension::kTime, "viscous", r.viscous))
    return false;
  const auto kind = ctx.out.joints[static_cast<std::size_t>(r.of.joint)].kind;
  const bool simple = kind == JointKind::revolute || kind == JointKind::prismatic || kind == JointKind::cylindrical;
  if (r.coefficient > 0 && !simple)
    return ctx.fail("figure", object,
                    fmt::format("a coefficient counts in revolute, prismatic and cylindrical joints, not in a {} one",
                                infoOf(kind).name));
  if (r.coefficient > 0 && way == dimension::kAngle && !(r.radius > 0))
    return ctx.fail("missing", object, "needs a radius: where the turning joint rubs");
  ctx.out.frictions.push_back(std::move(r));
  return true;
}

}  // namespace

bool resolveLoads(Resolving& ctx) {
  if (ctx.m.gravity && !ctx.read(*ctx.m.gravity, dimension::kAcceleration, "gravity", "gravity", ctx.out.gravity))
    return false;
  for (const auto& s : ctx.m.springs)
    if (!resolveSpring(ctx, *s)) return false;
  for (const auto& f : ctx.m.forces)
    if (!resolveForce(ctx, *f)) return false;
  for (const auto& f : ctx.m.frictions)
    if (!resolveFriction(ctx, *f)) return false;
  return true;
}

}  // namespace cooperage::model
