// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/clearance_gauges.h"

#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

#include <limits>
#include <map>
#include <mutex>

#include "base/index.h"
#include "clearance/nearest.h"
#include "clearance/joined_links.h"

namespace cooperage::clearance {

namespace {

/// Distance, or minus the depth.
double clearanceOf(LinkDistance& distance, const LinkGeometry& ga, const Pose& pa, const LinkGeometry& gb,
                   const Pose& pb) {
  const double d = distance.at(pa, pb).distance;
  return d > 0 ? d : -depthOf(ga, pa, gb, pb).depth;
}

}  // namespace

kinematics::ClearanceAt clearanceWith(const CheckGeometry& geometry) {
  struct State {
    CheckGeometry geometry;
    std::mutex mutex;
    std::map<LinkPair, LinkDistance> known;
  };
  auto state = std::make_shared<State>();
  state->geometry = geometry;
  return [state](int a, int b, const std::vector<Pose>& poses) {
    const std::lock_guard lock(state->mutex);
    const auto &ga = *state->geometry.links[u(a)], &gb = *state->geometry.links[u(b)];
    if (ga.empty() || gb.empty()) return std::numeric_limits<double>::quiet_NaN();
    auto& distance = state->known.try_emplace({a, b}, ga, gb).first->second;
    return clearanceOf(distance, ga, poses[u(a)], gb, poses[u(b)]);
  };
}

kinematics::ClearanceAlong clearanceAlong(const CheckGeometry& geometry) {
  struct State {
    CheckGeometry geometry;
    std::map<LinkPair, std::vector<LinkDistance>> known;  ///< one a core
  };
  auto state = std::make_shared<State>();
  state->geometry = geometry;
  return [state](int a, int b, const std::vector<std::vector<Pose>>& poses, double* out, Progress* progress) {
    const auto &ga = *state->geometry.links[u(a)], &gb = *state->geometry.links[u(b)];
    if (ga.empty() || gb.empty()) {
      std::fill(out, out + poses.size(), std::numeric_limits<double>::quiet_NaN());
      return;
    }
    auto& cores = state->known[{a, b}];
    if (cores.empty()) cores.assign(u(tbb::this_task_arena::max_concurrency()), LinkDistance(ga, gb));
    // each takes a stretch of poses that follow one another
    tbb::parallel_for(std::size_t(0), cores.size(), [&](std::size_t k) {
      for (std::size_t i = k * poses.size() / cores.size(); i < (k + 1) * poses.size() / cores.size(); ++i) {
        if (progress && progress->cancelled()) return;
        out[i] = clearanceOf(cores[k], ga, poses[i][u(a)], gb, poses[i][u(b)]);
      }
    });
  };
}

}  // namespace cooperage::clearance
