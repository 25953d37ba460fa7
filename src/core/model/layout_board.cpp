// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/layout_board.h"

#include <fmt/format.h>

#include <cmath>

#include "model/joint_edits.h"

namespace cooperage::model::layout {

Seat seatAt(const std::string& name, const Pose& frame, const DocumentUnits& units) {
  Seat s;
  s.id = newId();
  s.name = name;
  s.at = placementOf(frame, units).at;
  s.axis = directionOf(frame.R.col(2));
  s.ref = directionOf(frame.R.col(0));
  return s;
}

Id groundOf(Mechanism& m) {
  for (const auto& l : m.links)
    if (l->ground) return l->id;
  Link frame;
  frame.id = newId();
  frame.name = freeName(m.links, "frame");
  frame.ground = true;
  m.links.push_back(std::make_shared<const Link>(frame));
  return frame.id;
}

Id addSeat(Mechanism& m, Id link, const std::string& name, const Pose& inGround, const std::vector<Pose>& poses) {
  const auto l = findLink(m, link);
  Seat s = seatAt(freeName(l->seats, name), linkPose(m, link, poses).inverse() * inGround, m.units);
  const Id id = s.id;
  change<Link>(m.links, link, [&](Link& x) { x.seats.push_back(std::make_shared<const Seat>(std::move(s))); });
  return id;
}

void dimensioned(Mechanism& m, Id link, DimensionKind kind, const std::vector<DimensionEnd>& of, const Field& value) {
  DrawnDimension d;
  d.id = newId();
  d.kind = kind;
  d.of = of;
  d.value = value;
  change<Link>(m.links, link, [&](Link& l) { l.dimensions.push_back(std::make_shared<const DrawnDimension>(d)); });
}

CurvePiece linePiece(double x1, double y1, double x2, double y2) {
  CurvePiece p;
  p.points = {Pair{Field(x1), Field(y1)}, Pair{Field(x2), Field(y2)}};
  return p;
}
Curve outlineCurve(const std::string& name, Id seat, Id sheet, std::vector<CurvePiece> pieces, bool closed) {
  Curve c;
  c.id = newId();
  c.name = name;
  c.seat = seat;
  c.sheet = sheet;
  c.kind = CurveKind::chain;
  c.outline = true;
  c.closed = closed;
  c.pieces = std::move(pieces);
  return c;
}

Result<SeatOnSheet> seatOn(const Board& b, Id seat) {
  const auto place = findSeat(b.m, seat);
  if (!place) return Error{"missing-seat", "", "the pivot is gone"};
  const auto frame = frameOf(b.m, *place->seat);
  if (!frame.ok()) return frame.error();
  const Pose at = linkPose(b.m, place->link->id, b.poses) * *frame;
  const double along = at.R.col(2).dot(b.normal());
  if (std::abs(along) < 1 - 1e-9)
    return Error{"pivot", place->seat->name,
                 fmt::format("{}/{}: its axis is not square to the sheet; no pin of the layout fits there",
                             place->link->name, place->seat->name)};
  const Vec3 local = b.plane.inverse() * at.p;
  return SeatOnSheet{local.head<2>(), local.z(), along < 0, place->link->id};
}

Id pin(Mechanism& m, const SeatOnSheet& there, Id seat, Id link, Id own) {
  Joint j;
  j.id = newId();
  j.kind = JointKind::revolute;
  j.name = freeName(m.joints, findLink(m, there.link)->name + " - " + findLink(m, link)->name);
  j.seats = {seat, own};
  j.flip = there.down;
  const double slide = there.down ? there.height : -there.height;
  if (std::abs(slide) > 1e-12) j.slideOffset = Field(slide / m.units.factor(dimension::kLength));
  m.joints.push_back(std::make_shared<const Joint>(j));
  return j.id;
}

int pinsAt(const Mechanism& m, Id seat) {
  int n = 0;
  for (const auto& j : m.joints) n += j->seats[0] == seat || j->seats[1] == seat;
  return n;
}

}  // namespace cooperage::model::layout
