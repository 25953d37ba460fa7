// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/pose_check.h"

#include "clearance/pair_travel.h"

#include <algorithm>

#include "base/index.h"
#include "clearance/joined_links.h"

namespace cooperage::clearance {

PoseCheck::PoseCheck(const model::Resolved& resolved, const std::vector<int>& nodeOfLink, int run,
                     CheckGeometry geometry)
    : geometry_(std::move(geometry)) {
  const auto joined = joinedLinks(resolved);
  std::set<std::pair<int, int>> excluded;
  double fit = 2e-5;
  if (run >= 0) {
    fit = resolved.runs[u(run)].fitDepth;
    for (const auto& [a, b] : resolved.runs[u(run)].leaveOut) excluded.insert({std::min(a, b), std::max(a, b)});
  }
  for (int a = 0; a < static_cast<int>(resolved.links.size()); ++a)
    for (int b = a + 1; b < static_cast<int>(resolved.links.size()); ++b) {
      const auto &ga = *geometry_.links[u(a)], &gb = *geometry_.links[u(b)];
      if (ga.empty() || gb.empty() || nodeOfLink[u(a)] == nodeOfLink[u(b)] || excluded.count({a, b})) continue;
      pairs_.push_back({a, b, joined.count({a, b}) ? fit : 0, {}});
      pairs_.back().hot.resize(ga.parts().size() * gb.parts().size());
    }
}

bool PoseCheck::overlap(Pair& pair, const std::vector<Pose>& poses) const {
  const auto &ga = *geometry_.links[u(pair.a)], &gb = *geometry_.links[u(pair.b)];
  const Pose &pa = poses[u(pair.a)], &pb = poses[u(pair.b)];
  if ((pa * ga.centre() - pb * gb.centre()).norm() > ga.radius() + gb.radius()) return false;
  const Pose bInA = pa.inverse() * pb;
  std::size_t n = 0;
  for (const auto& x : ga.parts())
    for (const auto& y : gb.parts()) {
      MeshTree::Hot& hot = pair.hot[n++];
      if ((pa * x->centre - pb * y->centre).norm() > x->radius + y->radius) continue;
      const Meshed mx{*x, x->now()}, my{*y, y->now()};
      const double sx = shrinkOf(mx.facets, pair.tolerance), sy = shrinkOf(my.facets, pair.tolerance);
      if (MeshTree::cross(mx.facets.shrunk(sx), my.facets.shrunk(sy), bInA, &hot)) return true;
      if (contained(mx, pa, my, pb, sx + sy) || contained(my, pb, mx, pa, sx + sy)) return true;
    }
  return false;
}

std::vector<std::pair<int, int>> PoseCheck::pairsAt(const std::vector<Pose>& poses) {
  std::vector<std::pair<int, int>> out;
  for (Pair& p : pairs_)
    if (overlap(p, poses)) out.emplace_back(p.a, p.b);
  return out;
}

std::vector<PoseOverlap> PoseCheck::at(const std::vector<Pose>& poses, int points) {
  std::vector<PoseOverlap> out;
  for (const auto& [a, b] : pairsAt(poses)) {
    const auto &ga = *geometry_.links[u(a)], &gb = *geometry_.links[u(b)];
    const Depth d = depthOf(ga, poses[u(a)], gb, poses[u(b)]);
    out.push_back({a, b, d.depth, d.point, {}});
    if (points > 0) out.back().region = overlapRegion(ga, poses[u(a)], gb, poses[u(b)], points);
  }
  std::stable_sort(out.begin(), out.end(), [](const auto& x, const auto& y) { return x.depth > y.depth; });
  return out;
}

}  // namespace cooperage::clearance
