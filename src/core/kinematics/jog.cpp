// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/jog.h"

#include <cmath>

#include "base/index.h"

namespace cooperage::kinematics {

namespace {
constexpr double kLongestStep =
    0.05;                         // rad, or of the size: near enough that the nearest closed pose is on the same branch
constexpr double kClosed = 1e-9;  // rad, or of the size, beside what redundant rows are out
}  // namespace

Jog::Jog(const System& system, const model::Resolved& resolved, const Configuration& start, const Configuration& home,
         int joint, int value)
    : system_(system), resolved_(resolved), solver_(system, {}), least_(solver_), current_(start) {
  solver_.setHome(home);
  fixed_.assign(u(system.dofCount()), false);
  const auto hold = [&](const System::Joint& j) {
    for (int k = 0; k < j.dofs; ++k) fixed_[u(j.firstDof + k)] = true;
  };
  for (std::size_t i = 0; i < resolved.joints.size(); ++i) {
    const int index = system.compiledJoint(static_cast<int>(i));
    if (index >= 0 && resolved.joints[i].held) hold(system.joints[u(index)]);
  }
  for (int f : system.floating) hold(system.joints[u(f)]);
  dof_ = system.compiledJoint(joint) < 0 ? -1 : system.dofOf({joint, value});
  if (dof_ >= 0 && fixed_[u(dof_)]) dof_ = -1;
  if (dof_ >= 0) fixed_[u(dof_)] = true;
  solver_.forward(start);
  const Openness open = opennessOf(solver_);
  slack_ = kClosed + 2 * std::max(open.angle, open.length);
}

std::string Jog::brokenStop(const Configuration& c) const {
  for (std::size_t i = 0; i < resolved_.joints.size(); ++i) {
    const auto& j = resolved_.joints[i];
    if (system_.compiledJoint(static_cast<int>(i)) < 0) continue;
    for (std::size_t v = 0; v < j.low.size(); ++v) {
      if (!j.low[v] && !j.high[v]) continue;
      const double slack = model::infoOf(j.kind).values[v].angle ? 1e-9 : 1e-9 * system_.size;
      const double q = jointValue(system_, c, static_cast<int>(i), static_cast<int>(v), resolved_);
      if ((j.low[v] && q < *j.low[v] - slack) || (j.high[v] && q > *j.high[v] + slack)) return j.name;
    }
  }
  return {};
}

bool Jog::step(double to) {
  Configuration trial = current_;
  trial.q[u(dof_)] = to;
  least_.close(trial, fixed_);
  solver_.forward(trial);
  const Openness open = opennessOf(solver_);
  if (!(open.angle < slack_ && open.length < slack_)) {
    endedBy_ = resolved_.joints.empty() ? std::string() : system_.nameOf(system_.dofs[u(dof_)].joint, resolved_);
    return false;
  }
  // another branch lies farther off than the step
  const auto moved = difference(system_, current_, trial);
  double farthest = 0;
  for (double d : moved) farthest = std::max(farthest, std::abs(d));
  if (farthest > 0.7) return false;
  if (const std::string stop = brokenStop(trial); !stop.empty()) {
    endedBy_ = stop;
    return false;
  }
  current_ = trial;
  return true;
}

double Jog::moveTo(double wanted) {
  endedBy_.clear();
  if (dof_ < 0 || !std::isfinite(wanted)) return dof_ < 0 ? 0 : value();
  const double longest = kLongestStep * system_.dofs[u(dof_)].scale;
  double h = longest;
  for (int n = 0; n < 100000; ++n) {
    const double rest = wanted - value();
    if (rest == 0) break;
    const double next = std::abs(rest) <= h ? wanted : value() + std::copysign(h, rest);
    if (step(next)) {
      h = std::min(longest, 2 * h);
      continue;
    }
    h = 0.5 * std::min(h, std::abs(rest));
    if (h < 1e-9 * longest) break;  // as near to its end as figures go
  }
  return value();
}

std::vector<Pose> Jog::linkPoses() {
  solver_.forward(current_);
  std::vector<Pose> out;
  for (std::size_t i = 0; i < resolved_.links.size(); ++i) out.push_back(solver_.linkPose(static_cast<int>(i)));
  return out;
}

}  // namespace cooperage::kinematics
