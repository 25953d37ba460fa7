// SPDX-License-Identifier: GPL-3.0-or-later
#include "link_geometry.h"

#include <algorithm>

#include "model/joint_edits.h"
#include "shape/extent.h"

namespace cooperage::app {

shape::Part facesOf(Workbench& bench, model::Id link) {
  shape::Part out;
  forSolids(bench, link, [&](const shape::SolidPtr& solid, const Pose& pose) {
    out.solids.emplace_back(bench.shapes().store().faces(solid), pose);
  });
  return out;
}

shape::RoundPart roundsOf(Workbench& bench, model::Id link) {
  shape::RoundPart out;
  forSolids(bench, link, [&](const shape::SolidPtr& solid, const Pose& pose) {
    out.emplace_back(bench.shapes().store().rounds(solid), pose);
  });
  return out;
}

namespace {

constexpr double kJoined = 100;  // in rank: a pair that has a joint is seldom meant
constexpr double kReach = 0.02;  // m; so far along the axis two bores may be apart and still be joined

/// Whether a place lies in the box of one of a link's solids, or no further from it than a reach.
bool isNear(Workbench& bench, model::Id link, const Vec3& at, double reach) {
  bool near = false;
  forSolids(bench, link, [&](const shape::SolidPtr& solid, const Pose& pose) {
    if (near) return;
    shape::Extent box;
    box.add(*bench.shapes().store().extent(solid), pose);
    near = box.holds(at, reach);
  });
  return near;
}

}  // namespace

std::vector<Partner> partnersOf(Workbench& bench, model::Id link, const Vec3& at, const Vec3& axis, bool faces) {
  struct Ranked {
    Partner partner;
    double rank;
  };
  std::vector<Ranked> out;
  const Vec3 z = axis.normalized();
  const auto own = shape::spanOf(roundsOf(bench, link), at, z);
  std::optional<shape::Part> ownFaces;
  for (const auto& other : bench.document().mechanism()->links) {
    if (other->id == link) continue;
    Ranked r{{other->id}, other->ground ? 10.0 : 20.0};
    const double again = model::areJoined(*bench.document().mechanism(), link, other->id) ? kJoined : 0;
    if (own && isNear(bench, other->id, at, own->high - own->low + kReach))
      if (const auto span = shape::spanOf(roundsOf(bench, other->id), at, z)) {
        const double gap = shape::gapBetween(*own, *span);
        if (gap <= std::max(kReach, own->high - own->low)) {
          r.partner.onAxis = true;
          r.rank = gap;
        }
      }
    if (faces && !r.partner.onAxis && isNear(bench, other->id, at, 1e-4)) {
      if (!ownFaces) ownFaces = facesOf(bench, link);
      if (shape::adviseJoint(*ownFaces, facesOf(bench, other->id)).touching) {
        r.partner.touches = true;
        r.rank = 5;
      }
    }
    r.rank += again;
    out.push_back(r);
  }
  std::stable_sort(out.begin(), out.end(), [](const Ranked& a, const Ranked& b) { return a.rank < b.rank; });
  std::vector<Partner> partners;
  for (const Ranked& r : out) partners.push_back(r.partner);
  return partners;
}

}  // namespace cooperage::app
