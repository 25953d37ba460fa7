// SPDX-License-Identifier: GPL-3.0-or-later
#include "wiggle.h"

#include <cmath>

namespace cooperage::app {

using namespace model;

namespace {
constexpr double kSeconds = 1.6;  // one freedom there and back
constexpr double kTurn = 0.35;    // rad
constexpr double kSlide = 0.15;   // of the mechanism's size
}  // namespace

Wiggle::Wiggle(Workbench& bench, QObject* parent) : QObject(parent), bench_(bench) {
  timer_.setInterval(30);
  connect(&timer_, &QTimer::timeout, this, [this] { show(static_cast<double>(clock_.elapsed()) * 1e-3 / kSeconds); });
}

void Wiggle::start(Id joint) {
  joint_ = joint;
  base_ = bench_.pose().poses();
  clock_.start();
  timer_.start();
}

void Wiggle::stop() {
  if (!timer_.isActive()) return;
  timer_.stop();
  bench_.pose().restorePoses();
}

void Wiggle::show(double phase) {
  const auto& r = bench_.solution().resolved();
  for (const auto& j : r.joints) {
    if (j.id != joint_ || !bench_.solution().system() || base_.size() != r.links.size()) continue;
    std::vector<Pose> poses = base_;
    std::vector<Motion> motions;
    for (const Motion m : infoOf(j.kind).motions) {
      if (m == Motion::ball)
        motions.insert(motions.end(), {Motion::turnX, Motion::turnY, Motion::turnZ});
      else if (m != Motion::curve && m != Motion::surface)
        motions.push_back(m);
    }
    if (motions.empty()) return;
    const auto which = static_cast<std::size_t>(std::fmod(phase, static_cast<double>(motions.size())));
    const double s = std::sin(2 * kPi * (phase - std::floor(phase)));
    Pose by;
    const auto turn = [&](int axis) { by.R = rotationAbout(axis, kTurn * s); };
    const auto slide = [&](int axis) { by.p = kSlide * bench_.solution().system()->size * s * Vec3::Unit(axis); };
    switch (motions[which]) {
      case Motion::turnX: turn(0); break;
      case Motion::turnY: turn(1); break;
      case Motion::turnZ: turn(2); break;
      case Motion::slideX: slide(0); break;
      case Motion::slideY: slide(1); break;
      case Motion::slideZ: slide(2); break;
      default: return;
    }
    if (j.kind == JointKind::screw) by.p = Vec3(0, 0, j.lead * kTurn * s / (2 * kPi));
    const auto a = static_cast<std::size_t>(j.linkA), b = static_cast<std::size_t>(j.linkB);
    const Pose frame = poses[a] * j.seatA * j.offset;
    const bool second = !r.links[b].ground;  // ground never moves: then the first link does
    const Pose motion = frame * (second ? by : by.inverse()) * frame.inverse();
    poses[second ? b : a] = motion * poses[second ? b : a];
    bench_.pose().showPoses(poses);
    return;
  }
}

}  // namespace cooperage::app
