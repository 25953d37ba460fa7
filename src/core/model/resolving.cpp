// SPDX-License-Identifier: GPL-3.0-or-later
// Fields, formulas and parameters of a document being worked out.
#include "model/resolving.h"

#include <fmt/format.h>

#include <cmath>

namespace cooperage::model {

Result<double> Resolving::field(const Field& f, const Dimension& wanted) {
  if (!f.formula) return f.number * m.units.factor(wanted);
  const auto q = f.formula->evaluate([&](const Symbol& s) { return symbol(s); });
  if (!q.ok()) return q.error();
  return toSi(*q, wanted, m.units);
}

bool Resolving::fail(const std::string& code, const std::string& object, const std::string& text) {
  error = {code, object, object + ": " + text};
  return false;
}

void Resolving::warn(const std::string& code, const std::string& object, const std::string& text) {
  out.messages.push_back({Severity::warning, code, {object}, object + ": " + text});
}

Result<Quantity> Resolving::symbol(const Symbol& s) {
  const auto p = findById(m.parameters, s.id);
  if (!p) {
    if (s.id == 0) return Error{"expression", "t", "the time t can't be used here"};
    const std::string name = nameOf(m, s, false);
    return Error{"expression", name, fmt::format("'{}' is no parameter and can't be used here", name)};
  }
  return parameter(*p);
}

Result<Quantity> Resolving::parameter(const Parameter& p) {
  const auto known = values.find(p.id);
  if (known != values.end()) return known->second;
  for (std::size_t i = 0; i < open.size(); ++i)
    if (open[i]->id == p.id) {
      std::string circle;
      for (; i < open.size(); ++i) circle += open[i]->name + " -> ";
      return Error{"cycle", p.name, fmt::format("parameters go in a circle: {}{}", circle, p.name)};
    }
  if (!p.value.formula) return Quantity{p.value.number, {}, false};
  open.push_back(&p);
  auto q = p.value.formula->evaluate([&](const Symbol& s) { return symbol(s); });
  open.pop_back();
  if (q.ok()) values.emplace(p.id, *q);
  return q;
}

bool Resolving::parameters() {
  for (const auto& p : m.parameters) {
    const auto q = parameter(*p);
    if (!q.ok())
      return q.error().code == "cycle" ? (error = q.error(), false)
                                       : fail(q.error().code, "parameter " + p->name, q.error().text);
    out.parameters.emplace_back(p->id, *q);
  }
  return true;
}

bool Resolving::read(const Field& f, const Dimension& wanted, const std::string& object, const std::string& quantity,
                     double& value) {
  const auto q = field(f, wanted);
  if (!q.ok()) return fail(q.error().code, object, quantity + ": " + q.error().text);
  if (!std::isfinite(*q)) return fail("not-finite", object, quantity + " is not a finite number");
  value = *q;
  return true;
}

bool Resolving::read(const Triple& t, const Dimension& wanted, const std::string& object, const std::string& quantity,
                     Vec3& value) {
  for (int i = 0; i < 3; ++i)
    if (!read(t[static_cast<std::size_t>(i)], wanted, object, quantity, value[i])) return false;
  return true;
}

bool Resolving::read(const Placement& p, const std::string& object, Pose& pose) {
  Vec3 at;
  if (!read(p.at, dimension::kLength, object, "placement", at)) return false;
  Eigen::Vector4d q;
  for (int i = 0; i < 4; ++i)
    if (!read(p.turn[static_cast<std::size_t>(i)], dimension::kPlain, object, "turn of the placement", q[i]))
      return false;
  if (!(q.norm() > 1e-12) || !(q.norm() < 1e12))
    return fail("zero-turn", object, "the turn of the placement is a quaternion of length zero; use [1, 0, 0, 0]");
  pose = toPose(at, q);
  return true;
}

bool Resolving::readFormula(const Field& f, const Dimension& wanted, const std::string& object,
                            const std::string& quantity,
                            const std::function<std::optional<Quantity>(const Symbol&)>& trial,
                            std::shared_ptr<const Resolved::FormulaR>& into) {
  auto r = std::make_shared<Resolved::FormulaR>();
  if (!f.formula) {
    auto constant = Expression::parse(formatNumber(f.number * m.units.factor(wanted)),
                                      [](std::string_view) { return std::nullopt; });
    if (!constant.ok()) return fail("formula", object, quantity + ": " + constant.error().text);
    r->expression = std::make_shared<const Expression>(std::move(constant).value());
    into = std::move(r);
    return true;
  }
  r->expression = f.formula;
  for (const Symbol& s : f.formula->references()) {
    if (!findById(m.parameters, s.id)) continue;
    const auto q = symbol(s);
    if (!q.ok()) return fail(q.error().code, object, quantity + ": " + q.error().text);
    // a parameter without unit stands in document units only where it is the whole formula; inside it is plain
    r->parameters[s.id] = q->value;
  }
  const auto q = f.formula->evaluate([&](const Symbol& s) -> Result<Quantity> {
    if (const auto t = trial(s)) return *t;
    return symbol(s);
  });
  if (q.ok()) {
    const auto si = toSi(*q, wanted, m.units);
    if (!si.ok()) return fail("formula", object, quantity + ": " + si.error().text);
    if (!q->hasUnit) r->scale = m.units.factor(wanted);
  } else if (q.error().text.find("finite") == std::string::npos) {  // at the trial values only
    return fail("formula", object, quantity + ": " + q.error().text);
  }
  into = std::move(r);
  return true;
}

bool Resolving::frame(const Triple& at, const Triple& axis, const Triple& ref, const std::string& object, Pose& into) {
  Vec3 z, x;
  if (!read(at, dimension::kLength, object, "at", into.p) || !direction(axis, object, "axis", z) ||
      !direction(ref, object, "ref", x))
    return false;
  if (!(z.norm() > 0)) return fail("zero-axis", object, "the axis is zero; give it a direction");
  if (!(x.norm() > 0)) return fail("zero-axis", object, "the reference direction is zero; give it a direction");
  return axesFrom(z, x, into.R) ||
         fail("parallel-axis", object, "axis and reference direction are parallel; turn one of them");
}

bool Resolving::direction(const Triple& t, const std::string& object, const std::string& quantity, Vec3& v) {
  // lengths cancel in a direction, so plain numbers and lengths may be mixed freely with a document unit of 1
  for (int i = 0; i < 3; ++i) {
    const Field& f = t[static_cast<std::size_t>(i)];
    if (!f.formula) {
      v[i] = f.number;
      continue;
    }
    const auto q = f.formula->evaluate([&](const Symbol& s) { return symbol(s); });
    if (!q.ok()) return fail(q.error().code, object, quantity + ": " + q.error().text);
    v[i] = q->value;
  }
  return v.allFinite() || fail("not-finite", object, quantity + " is not finite");
}

}  // namespace cooperage::model
