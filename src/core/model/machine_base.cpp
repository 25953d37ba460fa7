// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/machine_base.h"

#include <Eigen/Geometry>

#include "model/joint_edits.h"
#include "model/machine_parts.h"
#include "model/train_edits.h"

namespace cooperage::model {
namespace {

/// A link that slides along the z axis of a seat.
Result<Mechanism> withSlide(const Mechanism& m, Id seat, Id joint, std::vector<Pose>& poses) {
  const auto base = findSeat(m, seat);
  const auto frame = frameOf(m, *base->seat);
  if (!frame.ok()) return frame.error();
  const Pose at = poses[*indexOf(m, base->link->id)] * *frame;
  Link l;
  l.id = newId();
  l.name = freeName(m.links, base->seat->name + " carriage");
  l.placement = placementOf(at, m.units);
  Seat own = seatAt(newId(), "guide", Pose{}, m.units);
  Joint j;
  j.id = joint;
  j.kind = JointKind::prismatic;
  j.name = freeName(m.joints, l.name);
  j.seats[0] = seat;
  j.seats[1] = own.id;
  l.seats.push_back(std::make_shared<const Seat>(std::move(own)));
  Mechanism out = addLink(m, std::move(l));
  out.joints.push_back(std::make_shared<const Joint>(std::move(j)));
  poses.push_back(at);
  return out;
}

}  // namespace

Result<Pose> axisOf(const Mechanism& m, Id joint, const std::vector<Pose>& poses) {
  const auto j = findJoint(m, joint);
  const auto s = j ? findSeat(m, j->seats[0]) : std::nullopt;
  const auto i = s ? indexOf(m, s->link->id) : std::nullopt;
  if (!i || *i >= poses.size()) return Error{"missing-joint", "", "choose two joints that turn"};
  const auto frame = frameOf(m, *s->seat);
  if (!frame.ok()) return frame.error();
  return poses[*i] * *frame;
}

Result<MachineBase> withMachineBase(const Mechanism& m, const std::vector<BaseAxis>& axes, const Pose& at,
                                    std::vector<Pose>& poses) {
  MachineBase out{m, {}};
  Id frame = 0;
  for (const auto& l : m.links)
    if (l->ground && frame == 0) frame = l->id;
  if (frame == 0) {
    Link l;
    l.id = frame = newId();
    l.name = freeName(m.links, "frame");
    l.ground = true;
    out.mechanism = addLink(out.mechanism, std::move(l));
    poses.push_back(Pose{});
  }
  for (const BaseAxis& a : axes) {
    const Vec3 axis = at.R * a.axis;
    const Pose place = frameFrom(at * a.at, axis, anyPerpendicular(axis));
    const Pose local = poses[*indexOf(out.mechanism, frame)].inverse() * place;
    const bool slides = a.carries == BaseAxis::Carries::slide;
    Seat s = seatAt(newId(), slides ? "guide" : "axis", local, m.units);
    const Id seat = s.id;
    out.mechanism = withSeatAt(out.mechanism, frame, std::move(s));
    if (a.carries == BaseAxis::Carries::nothing) {
      out.made.push_back(seat);
      continue;
    }
    const Id joint = newId();
    auto next = slides ? withSlide(out.mechanism, seat, joint, poses) : withShaft(out.mechanism, seat, joint, poses);
    if (!next.ok()) return next.error();
    out.mechanism = std::move(next).value();
    out.made.push_back(joint);
  }
  return out;
}

Result<double> shaftAngleOf(const Mechanism& m, Id first, Id second, const std::vector<Pose>& poses) {
  const auto a = axisOf(m, first, poses), b = axisOf(m, second, poses);
  if (!a.ok()) return a.error();
  if (!b.ok()) return b.error();
  const Vec3 za = a->R.col(2), zb = b->R.col(2);
  return std::atan2(za.cross(zb).norm(), za.dot(zb));
}

Result<Mechanism> withShaftAngle(const Mechanism& m, Id first, Id second, double angle, std::vector<Pose>& poses) {
  if (!(angle > 0.01 && angle < kPi - 0.01))
    return Error{"shaft-angle", "", "the shaft angle must lie between 0 and 180 deg"};
  const auto a = axisOf(m, first, poses), b = axisOf(m, second, poses);
  if (!a.ok()) return a.error();
  if (!b.ok()) return b.error();
  const Vec3 za = a->R.col(2), zb = b->R.col(2), across = za.cross(zb);
  const Vec3 about = across.norm() > 1e-9 ? Vec3(across.normalized()) : anyPerpendicular(za);
  // the place on the second axis that is nearest to the first
  const double c = za.dot(zb), sine2 = 1 - c * c;
  const Vec3 d = b->p - a->p;
  const Vec3 nearest = sine2 > 1e-12 ? Vec3(b->p + (c * za.dot(d) - zb.dot(d)) / sine2 * zb) : b->p;
  const double by = angle - std::atan2(across.norm(), c);
  const Mat3 R = Eigen::AngleAxisd(by, about).toRotationMatrix();
  const Pose turn{R, nearest - R * nearest};
  const auto j = findJoint(m, second);
  const auto base = findSeat(m, j->seats[0]), moved = findSeat(m, j->seats[1]);
  const auto ib = indexOf(m, base->link->id), im = moved ? indexOf(m, moved->link->id) : std::nullopt;
  if (!im || *im >= poses.size()) return Error{"missing-joint", "", "choose two joints that turn"};
  const Pose local = poses[*ib].inverse() * turn * *b;
  Mechanism out = changedSeat(m, j->seats[0], [&](Seat& s) {
    const Seat there = seatAt(s.id, s.name, local, m.units);
    s.at = there.at;
    s.axis = there.axis;
    s.ref = there.ref;
    s.source.reset();  // it is not where it was picked any more
  });
  poses[*im] = turn * poses[*im];
  const Pose after = poses[*im];
  return changedLink(out, moved->link->id, [&](Link& l) { l.placement = placementOf(after, m.units); });
}

}  // namespace cooperage::model
