// SPDX-License-Identifier: GPL-3.0-or-later
// Contacts and loads of a document being worked out.
#include "model/resolving.h"

namespace cooperage::model {

bool resolveContacts(Resolving& ctx) {
  for (const auto& c : ctx.m.contacts) {
    const std::string object = "contact " + c->name;
    ctx.contactIndex[c->id] = static_cast<int>(ctx.out.contacts.size());
    Resolved::ContactR r;
    r.id = c->id;
    r.name = c->name;
    r.enabled = c->enabled;
    const auto side = [&](const std::vector<Id>& from, std::vector<int>& to) {
      for (const Id id : from)
        if (const auto it = ctx.linkIndex.find(id); it != ctx.linkIndex.end()) to.push_back(it->second);
      return !to.empty() || ctx.fail("missing-link", object, "one of its sides names no link; choose one");
    };
    if (!side(c->sideA, r.sideA) || !side(c->sideB, r.sideB)) return false;
    for (const int a : r.sideA)
      for (const int b : r.sideB)
        if (a == b)
          return ctx.fail(
              "same-link", object,
              "link " + ctx.out.links[static_cast<std::size_t>(a)].name + " stands on both sides; take it out of one");
    ctx.out.contacts.push_back(std::move(r));
  }
  return true;
}

namespace {

bool load(Resolving& ctx, const Field& f, const Dimension& wanted, const std::string& object, const char* what,
          Resolved::LoadR& into) {
  bool moves = false;
  if (f.formula)
    for (const Symbol& s : f.formula->references()) moves = moves || !findById(ctx.m.parameters, s.id);
  return moves ? valueFormula(ctx, f, wanted, object, into.formula, true)
               : ctx.read(f, wanted, object, what, into.value);
}

}  // namespace

bool resolveForces(Resolving& ctx) {
  for (const auto& f : ctx.m.forces) {
    const std::string object = "force " + f->name;
    const Dimension moment = dimension::kForce + dimension::kLength;
    Resolved::ForceR r;
    r.id = f->id;
    r.name = f->name;
    r.enabled = f->enabled;
    if (f->of) {
      if (!resolveValue(ctx, *f->of, object, r.of)) return false;
      const bool turns = dimensionOf(ctx, r.of) == dimension::kAngle;
      if (!load(ctx, f->effort, turns ? moment : dimension::kForce, object, "effort", r.effort)) return false;
    } else {
      const auto seat = ctx.seatIndex.find(f->on);
      if (seat == ctx.seatIndex.end())
        return ctx.fail("missing-seat", object, "the seat that it acts on is gone; choose another");
      r.seat = seat->second;
      for (std::size_t k = 0; k < 3; ++k)
        if (!load(ctx, f->force[k], dimension::kForce, object, "force", r.force[k]) ||
            !load(ctx, f->moment[k], moment, object, "moment", r.moment[k]))
          return false;
      if (f->in) {
        const auto in = ctx.linkIndex.find(*f->in);
        if (in == ctx.linkIndex.end())
          return ctx.fail("missing-link", object, "the link in whose axes it acts is gone");
        r.in = in->second;
      }
    }
    ctx.out.forces.push_back(std::move(r));
  }
  return true;
}

}  // namespace cooperage::model
