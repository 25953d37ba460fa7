// SPDX-License-Identifier: GPL-3.0-or-later
// The pose as the hand makes it: dragging, moving one joint, other ways to close, taking a pose as home.
#include <algorithm>
#include <cmath>

#include <QElapsedTimer>

#include "session.h"
#include "text.h"

namespace cooperage::app {

using namespace model;

/// The pose that is shown, as joint values.
kinematics::Configuration Session::presentConfiguration() {
  if (byHand_) return handPose_;
  kinematics::TravelStep s;
  if (atCursor_ && run_ && !isRunStale() && run_->travel->poseAt(run_->result.travel, cursor_, s)) return s.c;
  return home_->configuration;
}

bool Session::beginDrag(Id link, const Vec3& grabbed) {
  if (!home_ || !system_) return false;
  int index = -1;
  for (std::size_t i = 0; i < resolved_->links.size(); ++i)
    if (resolved_->links[i].id == link) index = static_cast<int>(i);
  if (index < 0 || system_->nodeOfLink[static_cast<std::size_t>(index)] == 0) return false;
  endJog();
  handBeforeDrag_ = byHand_;
  poseBeforeDrag_ = presentConfiguration();
  dropPoseOverlaps();
  dragCheckTime_ = 0;
  overlapsBeforeDrag_.clear();
  if (poseCheck_ && geometryOf_ == mechanism_) overlapsBeforeDrag_ = poseCheck_->pairsAt(poses_);
  drag_ = std::make_unique<kinematics::Drag>(*system_, *resolved_, poseBeforeDrag_, index, grabbed);
  return true;
}

void Session::dragTo(const Vec3& target) {
  if (!drag_) return;
  const auto poseBefore = poses_;
  const auto before = handPose_;
  const bool wasByHand = byHand_;
  auto drag = haltAtContact_ ? std::make_unique<kinematics::Drag>(*drag_) : nullptr;
  handPose_ = drag_->pull(target);
  poses_ = drag_->linkPoses();
  if (haltAtContact_ && overlapsAnew()) {
    // as far as the way there is free
    poses_ = poseBefore;
    handPose_ = wasByHand ? before : poseBeforeDrag_;
    drag_ = std::move(drag);  // or it would go on from the far side
    say(tr("Halted: the next links would overlap"));
  }
  byHand_ = true;
  atCursor_ = false;
  // what overlaps lights up; depths and regions come when the hand rests
  constexpr qint64 kMostWhileDragged = 40;  // ms: a heavy assembly is looked through when the hand rests
  if (poseCheck_ && geometryOf_ == mechanism_ && !haltAtContact_ && dragCheckTime_ < kMostWhileDragged) {
    QElapsedTimer clock;
    clock.start();
    poseOverlaps_.clear();
    for (const auto& [a, b] : poseCheck_->pairsAt(poses_)) poseOverlaps_.push_back({a, b, 0, Vec3::Zero(), {}});
    dragCheckTime_ = clock.elapsed();
  }
  emit posesChanged();
}

void Session::endDrag(bool keep) {
  if (!drag_) return;
  drag_.reset();
  if (!keep) {
    goHome();
    return;
  }
  emit posesChanged();
  if (!poseOverlaps_.empty()) checkPose();
}

void Session::takeAsHome() {
  if (!byHand_ || !home_) return;
  Mechanism m = withPlacements(*mechanism_, poses_);
  // imposed home values would pull the mechanism back: they take the present value
  for (std::size_t i = 0; i < resolved_->joints.size(); ++i) {
    const auto& r = resolved_->joints[i];
    m = changedJoint(m, r.id, [&](Joint& j) {
      for (auto& [key, field] : j.home) {
        const int v = valueIndex(j.kind, key);
        const double value = kinematics::jointValue(*system_, handPose_, static_cast<int>(i), v, *resolved_);
        field = Field(
            std::round(value / m.units.factor(dimensionOf(infoOf(j.kind).values[static_cast<std::size_t>(v)])) * 1e9) /
            1e9);
      }
    });
  }
  apply(tr("Take pose as home"), m);
}

/// What could be anything is held beside what is driven: the values of chosen joints first, then those nearest to
/// ground, until the pose is determined.
void Session::holdFree(std::vector<int>& held) const {
  std::vector<int> candidates;
  for (const bool chosen : {true, false})
    for (std::size_t i = 0; i < resolved_->joints.size(); ++i) {
      const auto& j = resolved_->joints[i];
      if (isSelected(j.id) != chosen) continue;
      for (std::size_t v = 0; v < infoOf(j.kind).values.size(); ++v)
        if (const int dof = system_->dofOf({static_cast<int>(i), static_cast<int>(v)}); dof >= 0)
          candidates.push_back(dof);
    }
  const auto freedoms = [&] {
    kinematics::Solver solver(*system_, held);
    solver.setHome(home_->configuration);
    solver.pick(home_->configuration);
    return system_->dofCount() - static_cast<int>(held.size()) - solver.rank();
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
std::vector<kinematics::Configuration> Session::waysInOrder(std::size_t& now) {
  std::vector<int> driven;
  for (std::size_t d = 0; d < resolved_->drives.size(); ++d)
    if (resolved_->drives[d].enabled) driven.push_back(system_->dofOfDrive(*resolved_, static_cast<int>(d)));
  holdFree(driven);
  constexpr int kMost = 9;  // the present one and eight others: more can't be told from one another
  const auto ways = kinematics::waysToClose(*system_, *resolved_, *home_, driven, kMost);
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

void Session::takeConfiguration(const kinematics::Configuration& c) {
  handPose_ = c;
  kinematics::Solver solver(*system_, {});
  solver.forward(handPose_);
  for (std::size_t i = 0; i < poses_.size(); ++i) poses_[i] = solver.linkPose(static_cast<int>(i));
  byHand_ = true;
  takeAsHome();
}

void Session::nextWayToClose() {
  if (!home_) {
    say(tr("Home can't be closed yet: there is no way to choose from"), true);
    return;
  }
  std::size_t now = 0;
  const auto ways = waysInOrder(now);
  if (ways.size() < 2) {
    say(tr("There is no other way to close at home"), false);
    return;
  }
  const std::size_t next = (now + 1) % ways.size();
  takeConfiguration(ways[next]);
  say(tr("Way %1 of %2 to close").arg(next + 1).arg(ways.size()), false);
}

void Session::toggleWays() {
  const bool shown = !ghosts_.empty();
  ghosts_.clear();
  ways_.clear();
  if (!shown && home_) {
    goHome();
    std::size_t now = 0;
    auto ways = waysInOrder(now);
    kinematics::Solver solver(*system_, {});
    for (std::size_t i = 0; i < ways.size(); ++i) {
      if (i == now) continue;
      solver.forward(ways[i]);
      std::vector<Pose> poses;
      for (std::size_t l = 0; l < resolved_->links.size(); ++l) poses.push_back(solver.linkPose(static_cast<int>(l)));
      ghosts_.push_back(std::move(poses));
      ways_.push_back(std::move(ways[i]));
    }
    say(ghosts_.empty() ? tr("There is no other way to close at home")
                        : tr("%1 to close at home: choose one here or in the ledger")
                              .arg(counted(static_cast<qsizetype>(ghosts_.size()), tr("other way"), tr("other ways"))));
  }
  emit ghostsChanged();
  emit posesChanged();
}

void Session::takeWay(int ghost) {
  if (ghost < 0 || ghost >= static_cast<int>(ways_.size())) return;
  const auto c = ways_[static_cast<std::size_t>(ghost)];
  takeConfiguration(c);
  emit ghostsChanged();
}

bool Session::beginJog(Id joint, int value) {
  if (!home_ || !system_) return false;
  for (std::size_t i = 0; i < resolved_->joints.size(); ++i) {
    if (resolved_->joints[i].id != joint) continue;
    auto jog = std::make_unique<kinematics::Jog>(*system_, *resolved_, presentConfiguration(), home_->configuration,
                                                 static_cast<int>(i), value);
    if (!jog->canMove()) return false;
    jog_ = std::move(jog);
    return true;
  }
  return false;
}

double Session::jogTo(double value) {
  if (!jog_) return 0;
  const double reached = jog_->moveTo(value);
  handPose_ = jog_->configuration();
  poses_ = jog_->linkPoses();
  byHand_ = true;
  atCursor_ = false;
  if (!jog_->endedBy().empty()) say(tr("%1 halts it here").arg(QString::fromStdString(jog_->endedBy())));
  emit posesChanged();
  return reached;
}

void Session::endJog() {
  playJoint_.stop();
  jog_.reset();
}

void Session::togglePlayJoint(Id joint, int value) {
  const bool playing = playJoint_.isActive();
  endJog();
  if (playing) return;
  if (!beginJog(joint, value)) {
    say(tr("This value can't be moved by itself: it is held, or an angle of a ball"), true);
    return;
  }
  const auto j = findJoint(*mechanism_, joint);
  const bool angle = infoOf(j->kind).values[static_cast<std::size_t>(value)].angle;
  playStep_ = angle ? 3 * kPi / 180 : 0.01 * system_->size;
  playJoint_.start();
}

/// One picture of a joint that plays.
void Session::stepPlayJoint() {
  if (!jog_) {
    playJoint_.stop();
    return;
  }
  const double wanted = jog_->value() + playStep_;
  const double reached = jogTo(wanted);
  if (std::abs(reached - wanted) > 1e-3 * std::abs(playStep_)) playStep_ = -playStep_;
}

void Session::showPoses(const std::vector<Pose>& poses) {
  poses_ = poses;
  emit posesChanged();
}

void Session::restorePoses() {
  if (!home_) {
    showHome();
  } else if (byHand_) {
    kinematics::Solver solver(*system_, {});
    solver.forward(handPose_);
    for (std::size_t i = 0; i < poses_.size(); ++i) poses_[i] = solver.linkPose(static_cast<int>(i));
  } else if (atCursor_) {
    setCursor(cursor_);
    return;
  } else {
    showHome();
  }
  emit posesChanged();
}

}  // namespace cooperage::app
