// SPDX-License-Identifier: GPL-3.0-or-later
// Contacts of a document being worked out.
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

}  // namespace cooperage::model
