// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/contact_stop.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/index.h"

namespace cooperage::clearance {

std::optional<Interference> stopAtContact(kinematics::TravelRun& run, kinematics::Measurer& measurer,
                                          const CheckGeometry& geometry, kinematics::RunResult& result,
                                          Progress* progress) {
  kinematics::Travel& travel = result.travel;
  if (!run.settings().stopAtContact || travel.steps.empty() || travel.cancelled) return {};
  CheckOptions options;
  options.onlyFirst = true;
  const CheckResult check = checkTravel(run, measurer, result, geometry, progress, options);
  const auto first =
      std::min_element(check.interference.begin(), check.interference.end(),
                       [](const Interference& x, const Interference& y) { return x.fromTime < y.fromTime; });
  kinematics::TravelStep at;
  if (check.cancelled || first == check.interference.end() || !run.poseAt(travel, first->fromTime, at)) return {};
  auto& steps = travel.steps;
  std::size_t keep = 0;
  while (keep < steps.size() && steps[keep].t <= first->fromTime) ++keep;
  steps.resize(keep);
  result.rows.resize(std::min(keep, result.rows.size()));
  result.axis.resize(std::min(keep, result.axis.size()));
  if (steps.empty() || steps.back().t < first->fromTime) {
    steps.push_back(at);
    if (!result.columns.empty()) {
      result.rows.emplace_back();
      measurer.row(at, result.rows.back());
      result.axis.push_back(first->from);
    }
  }
  const auto& links = run.resolved().links;
  const std::string &a = links[u(first->linkA)].name, &b = links[u(first->linkB)].name;
  kinematics::Ended ended;
  ended.kind = kinematics::EndKind::contact;
  ended.t = first->fromTime;
  ended.at = first->from;
  ended.joint = a + " - " + b;
  travel.ended = ended;
  travel.completed = false;
  travel.messages.push_back({Severity::note, "contact", {a, b}, fmt::format("the run stops where {} meets {}", a, b)});
  return *first;
}

}  // namespace cooperage::clearance
