// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/shaft.h"

#include "base/index.h"

namespace cooperage::model {

Result<Shaft> shaftOf(const Resolved& r, Id joint, Id beside, const std::vector<Pose>& poses) {
  Shaft s;
  const Resolved::JointR *own = nullptr, *other = nullptr;
  for (std::size_t i = 0; i < r.joints.size(); ++i) {
    if (r.joints[i].id == joint) {
      own = &r.joints[i];
      s.joint = static_cast<int>(i);
    }
    if (r.joints[i].id == beside) other = &r.joints[i];
  }
  if (!own) return Error{"missing-joint", "", "the joint is gone; choose another"};
  const auto shares = [&](int link) { return other && (other->linkA == link || other->linkB == link); };
  const auto stands = [&](int link) { return r.links[u(link)].ground; };
  // the base is what both have in common; else what stands still; else the first
  bool second = true;
  if (stands(own->linkB) || (!stands(own->linkA) && shares(own->linkB) && !shares(own->linkA))) second = false;
  s.link = second ? own->linkB : own->linkA;
  s.base = second ? own->linkA : own->linkB;
  s.seat = second ? own->seatB : own->seatA;
  s.frame = poses[u(s.link)] * s.seat;
  const Vec3 axis = (poses[u(own->linkA)] * own->seatA).R.col(2);  // what the value counts about
  s.sign = (axis.dot(s.frame.R.col(2)) > 0 ? 1 : -1) * (second ? 1 : -1);
  return s;
}

Id carrierOf(const Mechanism& m, Id jointA, Id jointB) {
  const auto links = [&](Id id) {
    std::vector<std::shared_ptr<const Link>> out;
    if (const auto j = findJoint(m, id))
      for (Id seat : j->seats)
        if (const auto s = findSeat(m, seat)) out.push_back(s->link);
    return out;
  };
  const auto a = links(jointA), b = links(jointB);
  // both on one moving link: it carries both; one on a link that turns on ground beside the other: it carries that one
  for (const auto& l : a)
    for (const auto& k : b)
      if (l->id == k->id && !l->ground) return l->id;
  const auto onGround = [](const auto& list) {
    return std::any_of(list.begin(), list.end(), [](const auto& l) { return l->ground; });
  };
  for (const auto* side : {&a, &b}) {
    if (onGround(*side)) continue;
    // the link that itself turns on ground is the carrier, the other the planet
    for (const auto& l : *side)
      for (const auto& j : m.joints) {
        if (j->id == jointA || j->id == jointB || valueIndex(j->kind, "turn") < 0) continue;
        const auto of = links(j->id);
        if (of.size() == 2 && ((of[0]->id == l->id && of[1]->ground) || (of[1]->id == l->id && of[0]->ground)))
          return l->id;
      }
  }
  return 0;
}

}  // namespace cooperage::model
