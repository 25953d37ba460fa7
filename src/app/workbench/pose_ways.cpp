// SPDX-License-Identifier: GPL-3.0-or-later
// Other ways in which the loops close at home.
#include <algorithm>
#include <cmath>

#include "../text.h"
#include "pose_control.h"

namespace cooperage::app {

using namespace model;

/// What could be anything is held beside what is driven: the values of chosen joints first, then those nearest to
/// ground, until the pose is determined.
void PoseControl::holdFree(std::vector<int>& held) const {
  std::vector<int> candidates;
  for (const bool chosen : {true, false})
    for (std::size_t i = 0; i < solution_.resolved().joints.size(); ++i) {
      const auto& j = solution_.resolved().joints[i];
      if (selection_.isSelected(j.id) != chosen) continue;
      for (std::size_t v = 0; v < infoOf(j.kind).values.size(); ++v)
        if (const int dof = solution_.system()->dofOf({static_cast<int>(i), static_cast<int>(v)}); dof >= 0)
          candidates.push_back(dof);
    }
  const auto freedoms = [&] {
    kinematics::Solver solver(*solution_.system(), held);
    solver.setHome(solution_.home()->configuration);
    solver.pick(solution_.home()->configuration);
    return solution_.system()->dofCount() - static_cast<int>(held.size()) - solver.rank();
  };
  held.erase(std::remove_if(held.begin(), held.end(), [](int d) { return d < 0; }), held.end());
  int left = freedoms();
  for (const int dof : candidates) {
    if (left <= 0) return;
    if (std::find(held.begin(), held.end(), dof) != held.end()) continue;
    held.push_back(dof);
    const int now = freedoms();
    if (now < left)
      left = now;
    else
      held.pop_back();
  }
}

/// All ways to close at home, in an order that does not depend on where one stands, so that each has its turn.
/// @param now index of the present one
std::vector<kinematics::Configuration> PoseControl::waysInOrder(std::size_t& now) const {
  std::vector<int> driven;
  for (std::size_t d = 0; d < solution_.resolved().drives.size(); ++d)
    if (solution_.resolved().drives[d].enabled)
      driven.push_back(solution_.system()->dofOfDrive(solution_.resolved(), static_cast<int>(d)));
  holdFree(driven);
  constexpr int kMost = 9;  // the present one and eight others: more can't be told from one another
  const auto ways =
      kinematics::waysToClose(*solution_.system(), solution_.resolved(), *solution_.home(), driven, kMost);
  std::vector<std::size_t> order(ways.size());
  for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
  const auto key = [&](std::size_t i) {
    std::vector<double> k;
    for (double q : ways[i].q) k.push_back(std::round(q * 1e6));
    for (const Mat3& R : ways[i].balls)
      k.insert(k.end(), {std::round(R(0, 0) * 1e6), std::round(R(1, 0) * 1e6), std::round(R(2, 1) * 1e6)});
    return k;
  };
  std::sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return key(a) < key(b); });
  now = static_cast<std::size_t>(std::find(order.begin(), order.end(), std::size_t{0}) - order.begin());
  std::vector<kinematics::Configuration> out;
  for (std::size_t i : order) out.push_back(ways[i]);
  return out;
}

void PoseControl::takeConfiguration(const kinematics::Configuration& c) {
  handPose_ = c;
  kinematics::Solver solver(*solution_.system(), {});
  solver.forward(handPose_);
  for (std::size_t i = 0; i < poses_.size(); ++i) poses_[i] = solver.linkPose(static_cast<int>(i));
  source_ = Source::hand;
  takeAsHome();
}

void PoseControl::nextWayToClose() {
  solution_.settle();
  if (!solution_.home()) {
    speaker_.say(tr("It can't be assembled at home yet: there is no mode to choose from"), true);
    return;
  }
  std::size_t now = 0;
  const auto ways = waysInOrder(now);
  if (ways.size() < 2) {
    speaker_.say(tr("There is no other assembly mode at home"), false);
    return;
  }
  const std::size_t next = (now + 1) % ways.size();
  takeConfiguration(ways[next]);
  speaker_.say(tr("Assembly mode %1 of %2").arg(next + 1).arg(ways.size()), false);
}

void PoseControl::toggleWays() {
  solution_.settle();
  const bool shown = !ghosts_.empty();
  ghosts_.clear();
  ways_.clear();
  if (!shown && solution_.home()) {
    goHome();
    std::size_t now = 0;
    auto ways = waysInOrder(now);
    kinematics::Solver solver(*solution_.system(), {});
    for (std::size_t i = 0; i < ways.size(); ++i) {
      if (i == now) continue;
      solver.forward(ways[i]);
      std::vector<Pose> poses;
      for (std::size_t l = 0; l < solution_.resolved().links.size(); ++l)
        poses.push_back(solver.linkPose(static_cast<int>(l)));
      ghosts_.push_back(std::move(poses));
      ways_.push_back(std::move(ways[i]));
    }
    speaker_.say(ghosts_.empty() ? tr("There is no other assembly mode at home")
                                 : tr("%1 at home: choose one here or in the ledger")
                                       .arg(counted(static_cast<qsizetype>(ghosts_.size()), tr("other assembly mode"),
                                                    tr("other assembly modes"))));
  }
  emit ghostsChanged();
  emit changed();
}

void PoseControl::takeWay(int ghost) {
  if (ghost < 0 || ghost >= static_cast<int>(ways_.size())) return;
  const auto c = ways_[static_cast<std::size_t>(ghost)];
  takeConfiguration(c);
  emit ghostsChanged();
}

}  // namespace cooperage::app
