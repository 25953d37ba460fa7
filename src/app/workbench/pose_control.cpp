// SPDX-License-Identifier: GPL-3.0-or-later
#include "pose_control.h"

#include <algorithm>
#include <cmath>

#include "../text.h"

namespace cooperage::app {

using namespace model;

PoseControl::PoseControl(Document& document, const Selection& selection, Solution& solution, Speaker& speaker)
    : document_(document), selection_(selection), solution_(solution), speaker_(speaker) {
  playJoint_.setInterval(30);
  connect(&playJoint_, &QTimer::timeout, this, &PoseControl::stepPlayJoint);
}

/// The pose that is shown, as joint values.
kinematics::Configuration PoseControl::presentConfiguration() const {
  if (source_ == Source::hand) return handPose_;
  if (source_ == Source::cursor && !cursorPose_.q.empty()) return cursorPose_;
  return solution_.home()->configuration;
}

void PoseControl::showHome() {
  source_ = Source::home;
  kept_.reset();
  poses_ = solution_.prepared()->poses;
}

void PoseControl::goHome() {
  drag_.reset();
  endJog();
  showHome();
  emit changed();
}

void PoseControl::letGo() {
  drag_.reset();
  endJog();
  ghosts_.clear();
  ways_.clear();
}

void PoseControl::follow() {
  letGo();
  showHome();
}

void PoseControl::stayAtCursor(std::vector<Pose> poses) {
  poses_ = std::move(poses);
  source_ = Source::cursor;
  cursorPose_ = {};
}

void PoseControl::showAtCursor(const std::vector<Pose>& poses, const kinematics::Configuration& values) {
  kept_.reset();
  poses_ = poses;
  cursorPose_ = values;
  source_ = Source::cursor;
  emit changed();
}

bool PoseControl::beginDrag(Id link, const Vec3& grabbed) {
  solution_.settle();
  if (!solution_.home() || !solution_.system()) return false;
  const auto& links = solution_.resolved().links;
  int index = -1;
  for (std::size_t i = 0; i < links.size(); ++i)
    if (links[i].id == link) index = static_cast<int>(i);
  if (index < 0 || solution_.system()->nodeOfLink[static_cast<std::size_t>(index)] == 0) return false;
  endJog();
  poseBeforeDrag_ = presentConfiguration();
  if (watch_) watch_->dragBegins(poses_);
  held_ = solution_.prepared();
  drag_ = std::make_unique<kinematics::Drag>(*held_->system, *held_->resolved, poseBeforeDrag_, index, grabbed);
  return true;
}

void PoseControl::dragTo(const Vec3& target) {
  if (!drag_) return;
  kept_.reset();
  const auto poseBefore = poses_;
  const auto before = source_ == Source::hand ? handPose_ : poseBeforeDrag_;
  auto drag = watch_ && watch_->halts() ? std::make_unique<kinematics::Drag>(*drag_) : nullptr;
  handPose_ = drag_->pull(target);
  poses_ = drag_->linkPoses();
  if (drag && watch_->blocks(poses_)) {
    // as far as the way there is free
    poses_ = poseBefore;
    handPose_ = before;
    drag_ = std::move(drag);  // or it would go on from the far side
    speaker_.say(tr("Halted: the next links would overlap"));
  }
  source_ = Source::hand;
  if (watch_) watch_->dragged(poses_);
  emit changed();
}

void PoseControl::endDrag(bool keep) {
  if (!drag_) return;
  drag_.reset();
  if (!keep) {
    goHome();
    return;
  }
  emit changed();
  if (watch_) watch_->dragRests();
}

void PoseControl::takeAsHome() {
  if (source_ != Source::hand || !solution_.home()) return;
  Mechanism m = withPlacements(*document_.mechanism(), poses_);
  // imposed home values would pull the mechanism back: they take the present value
  for (std::size_t i = 0; i < solution_.resolved().joints.size(); ++i) {
    const auto& r = solution_.resolved().joints[i];
    m = changedJoint(m, r.id, [&](Joint& j) {
      for (auto& [key, field] : j.home) {
        const int v = valueIndex(j.kind, key);
        const double value =
            kinematics::jointValue(*solution_.system(), handPose_, static_cast<int>(i), v, solution_.resolved());
        field = Field(
            std::round(value / m.units.factor(dimensionOf(infoOf(j.kind).values[static_cast<std::size_t>(v)])) * 1e9) /
            1e9);
      }
    });
  }
  document_.apply(tr("Take pose as home"), m);
}

bool PoseControl::beginJog(Id joint, int value) {
  solution_.settle();
  if (!solution_.home() || !solution_.system()) return false;
  const auto& joints = solution_.resolved().joints;
  for (std::size_t i = 0; i < joints.size(); ++i) {
    if (joints[i].id != joint) continue;
    const auto on = solution_.prepared();
    auto jog = std::make_unique<kinematics::Jog>(*on->system, *on->resolved, presentConfiguration(),
                                                 on->home->configuration, static_cast<int>(i), value);
    if (!jog->canMove()) return false;
    held_ = on;
    jog_ = std::move(jog);
    return true;
  }
  return false;
}

double PoseControl::jogTo(double value) {
  if (!jog_) return 0;
  kept_.reset();
  const double reached = jog_->moveTo(value);
  handPose_ = jog_->configuration();
  poses_ = jog_->linkPoses();
  source_ = Source::hand;
  if (!jog_->endedBy().empty()) speaker_.say(tr("Stopped by %1").arg(QString::fromStdString(jog_->endedBy())));
  emit changed();
  return reached;
}

void PoseControl::endJog() {
  playJoint_.stop();
  jog_.reset();
}

void PoseControl::togglePlayJoint(Id joint, int value) {
  const bool playing = playJoint_.isActive();
  endJog();
  if (playing) return;
  if (!beginJog(joint, value)) {
    speaker_.say(tr("This value can't be moved by itself: it is held, or an angle of a ball"), true);
    return;
  }
  const auto j = findJoint(*document_.mechanism(), joint);
  const bool angle = infoOf(j->kind).values[static_cast<std::size_t>(value)].angle;
  playStep_ = angle ? 3 * kPi / 180 : 0.01 * solution_.system()->size;
  playJoint_.start();
}

/// One picture of a joint that plays.
void PoseControl::stepPlayJoint() {
  if (!jog_) {
    playJoint_.stop();
    return;
  }
  const double wanted = jog_->value() + playStep_;
  const double reached = jogTo(wanted);
  if (std::abs(reached - wanted) > 1e-3 * std::abs(playStep_)) playStep_ = -playStep_;
}

void PoseControl::showPoses(const std::vector<Pose>& poses) {
  if (!kept_) kept_ = poses_;
  poses_ = poses;
  emit changed();
}

void PoseControl::restorePoses() {
  if (!kept_) return;
  poses_ = std::move(*kept_);
  kept_.reset();
  emit changed();
}

}  // namespace cooperage::app
