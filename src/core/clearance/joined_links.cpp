// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/joined_links.h"

#include "base/index.h"

namespace cooperage::clearance {

using model::Resolved;

std::set<LinkPair> joinedLinks(const Resolved& r) {
  std::set<LinkPair> out;
  for (const auto& j : r.joints) out.insert(ordered(j.linkA, j.linkB));
  for (const auto& x : r.joints)
    for (const auto& y : r.joints) {
      if (&x == &y || x.kind != model::JointKind::revolute || y.kind != model::JointKind::revolute) continue;
      // both on the link x.linkB or x.linkA, about one axis of it
      for (const bool first : {false, true}) {
        const int link = first ? x.linkA : x.linkB, other = first ? x.linkB : x.linkA;
        if (link != y.linkA && link != y.linkB) continue;
        const Pose &sx = first ? x.seatA : x.seatB, &sy = link == y.linkA ? y.seatA : y.seatB;
        const int far = link == y.linkA ? y.linkB : y.linkA;
        const Vec3 axis = sx.R.col(2);
        if (far != other && axis.cross(sy.R.col(2)).norm() < 1e-6 && (sy.p - sx.p).cross(axis).norm() < 1e-6)
          out.insert(ordered(other, far));
      }
    }
  for (const auto& c : r.camPairs) out.insert(ordered(c.camLink, c.followerLink));
  for (const auto& c : r.contacts)
    for (const int a : c.sideA)
      for (const int b : c.sideB) out.insert(ordered(a, b));
  for (const auto& c : r.couplings)
    for (const auto& x : c.values)
      for (const auto& y : c.values) {
        if (x.joint < 0 || y.joint < 0 || x.joint == y.joint) continue;
        const auto &jx = r.joints[u(x.joint)], &jy = r.joints[u(y.joint)];
        for (int a : {jx.linkA, jx.linkB})
          for (int b : {jy.linkA, jy.linkB})
            if (a != b && !r.links[u(a)].ground && !r.links[u(b)].ground) out.insert(ordered(a, b));
      }
  return out;
}

}  // namespace cooperage::clearance
