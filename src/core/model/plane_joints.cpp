// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/plane_joints.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/index.h"
#include "drawing/outline.h"
#include "model/cam_edits.h"
#include "model/joint_edits.h"
#include "model/outlines.h"

namespace cooperage::model {
namespace {

using Kind = PlanePick::Kind;
using Vec2 = Eigen::Vector2d;

Place placeAt(const PlanePick& p, const Vec3& axis, const Vec3& ref) {
  Place out;
  out.link = p.link;
  out.name = p.name;
  out.at = p.at;
  out.axis = axis;
  out.ref = ref;
  return out;
}

std::string nameOf(const Mechanism& m, Id link) {
  const auto l = findLink(m, link);
  return l ? l->name : std::string();
}

Result<PlaneJoint> made(const Mechanism& m, const JointDraft& draft, const std::vector<Pose>& poses) {
  auto joint = withJoint(m, draft, poses);
  if (!joint.ok()) return joint.error();
  return PlaneJoint{std::move(joint).value(), {draft.joint}, {}};
}

Result<PlaneJoint> pin(const Mechanism& m, const PlanePick& a, const PlanePick& b, PlaneManner manner,
                       const std::vector<Pose>& poses) {
  JointDraft d;
  d.kind = JointKind::revolute;
  d.first = placeAt(a, a.normal, a.along);
  d.first.seat = a.seat;
  const bool opposed = a.normal.dot(b.normal) < 0;
  d.second = placeAt(b, opposed ? Vec3(-b.normal) : b.normal, b.along);
  d.keepInPlace = manner == PlaneManner::inPlace;
  if (!d.keepInPlace) {  // sideways they meet, along the axis they stay as they are
    const double along = (b.at - a.at).dot(a.normal.normalized());
    if (std::abs(along) > 1e-12) d.slideOffset = Field(along / m.units.factor(dimension::kLength));
    if (!opposed) d.second.seat = b.seat;
  }
  return made(m, d, poses);
}

Result<PlaneJoint> slot(const Mechanism& m, const PlanePick& line, PlanePick point, PlaneManner manner,
                        const std::vector<Pose>& poses) {
  JointDraft d;
  d.kind = JointKind::pinSlot;
  d.first = placeAt(line, line.normal, line.along);
  d.second = placeAt(point, line.normal, line.along);
  d.keepInPlace = manner == PlaneManner::inPlace;
  if (d.keepInPlace) {  // the slot runs through the point
    d.first.at = point.at - (point.at - line.at).dot(line.normal.normalized()) * line.normal.normalized();
  } else {
    const double along = (point.at - line.at).dot(line.normal.normalized());
    if (std::abs(along) > 1e-12) d.slideOffset = Field(along / m.units.factor(dimension::kLength));
  }
  return made(m, d, poses);
}

Result<PlaneJoint> slide(const Mechanism& m, const PlanePick& a, const PlanePick& b, const std::vector<Pose>& poses) {
  JointDraft d;
  d.kind = JointKind::prismatic;
  d.first = placeAt(a, a.along, a.normal);
  d.second = placeAt(b, a.along, a.normal);
  return made(m, d, poses);
}

/// The smooth curve of a link through a picked one: the pieces that go on from its ends without a corner, as long as
/// only one does. The axes are those of the picked curve's plane.
Result<drawing::Outline> smoothThrough(const Mechanism& m, const CurvePlace& picked) {
  auto first = outlineOf(m, *picked.curve);
  if (!first.ok()) return first.error();
  constexpr double kSmooth = 1e-6;  // rad
  drawing::Outline out = std::move(first).value();
  if (out.closed) return out;
  std::vector<drawing::Outline> others;
  for (const auto& c : picked.link->curves)
    if (c->outline && c->id != picked.curve->id && c->seat == picked.curve->seat)
      if (auto o = outlineOf(m, *c); o.ok() && !o->closed) others.push_back(std::move(o).value());
  const auto wayAt = [](const drawing::Outline& o, bool end) {
    const auto& piece = end ? o.pieces.back() : o.pieces.front();
    const Vec2 d = piece.at(end ? piece.high() : piece.low())[1];
    // a piece's own parameter falls where it runs the other way
    return Vec2((piece.high() < piece.low() ? -d : d).normalized());
  };
  std::vector<bool> used(others.size(), false);
  for (int turn = 0; turn < 2; ++turn) {  // on from its end, then from its start
    for (bool more = true; more && !out.closed;) {
      more = false;
      int at = -1, candidates = 0;
      bool turned = false;
      for (std::size_t i = 0; i < others.size(); ++i) {
        const bool start = (others[i].start() - out.end()).norm() < kOnePlace,
                   end = (others[i].end() - out.end()).norm() < kOnePlace;
        if (!start && !end) continue;
        ++candidates;
        if (used[i]) continue;
        at = static_cast<int>(i);
        turned = !start;
      }
      if (candidates != 1 || at < 0) break;
      drawing::Outline next = turned ? drawing::reversed(others[u(at)]) : others[u(at)];
      const Vec2 a = wayAt(out, true), b = wayAt(next, false);
      if (std::abs(std::atan2(a.x() * b.y() - a.y() * b.x(), a.dot(b))) > kSmooth) break;
      used[u(at)] = true;
      out.pieces.insert(out.pieces.end(), next.pieces.begin(), next.pieces.end());
      const Vec2 c = wayAt(out, true), s = wayAt(out, false);
      out.closed = (out.end() - out.start()).norm() < kOnePlace &&
                   std::abs(std::atan2(c.x() * s.y() - c.y() * s.x(), c.dot(s))) < kSmooth;
      more = true;
    }
    if (out.closed) break;
    out = drawing::reversed(out);
  }
  return out;
}

/// The circle that a curve is, all of it or an arc.
struct Round {
  Vec2 centre;
  double radius;
};
std::optional<Round> roundOf(const drawing::Outline& o) {
  if (o.pieces.size() != 1) return std::nullopt;
  const auto radius = drawing::radiusOf(o.pieces[0]);
  return radius ? std::optional<Round>({o.pieces[0].centre, *radius}) : std::nullopt;
}

/// Something that touches a curve: on which link, what, and where.
struct Follower {
  ContactKind kind = ContactKind::point;
  Id link = 0;
  Vec3 at;            ///< ground axes: the point, the roller's centre, or a place on the flat
  Vec3 axis;          ///< the normal of the plane; of a flat square to it, towards the cam
  double radius = 0;  ///< m
  std::string name;
};

Result<PlaneJoint> contactOn(const Mechanism& m, const PlanePick& cam, Follower f, const std::vector<Pose>& poses) {
  const auto picked = findCurve(m, cam.curve);
  if (!picked) return Error{"missing-curve", "", "the curve is gone; pick again"};
  const auto seat = findSeat(m, picked->curve->seat);
  if (!seat) return Error{"missing-seat", "", "the plane of the curve is gone; pick another"};
  const auto frame = frameOf(m, *seat->seat);
  if (!frame.ok()) return frame.error();
  const auto smooth = smoothThrough(m, *picked);
  if (!smooth.ok()) return smooth.error();
  const Pose plane = linkPose(m, cam.link, poses) * *frame;
  const Vec2 at = (plane.inverse() * f.at).head<2>();
  const auto near = drawing::nearestPlace(*smooth, at);
  const auto& piece = smooth->pieces[near.piece];
  const Vec2 way = (piece.high() < piece.low() ? -1 : 1) * piece.at(near.t)[1];
  const bool left = way.x() * (at - near.at).y() - way.y() * (at - near.at).x() > 0;
  const bool counter = !smooth->closed || drawing::areaOf(*smooth) > 0;
  const double unit = m.units.factor(dimension::kLength);
  Mechanism out = m;
  // the curve that it runs on, beside the lines that are drawn
  Curve run = curveOf(*smooth, m.units);
  run.id = newId();
  run.seat = picked->curve->seat;
  run.name = freeName(picked->link->curves, "contact");
  const Id curve = run.id;
  change<Link>(out.links, cam.link,
               [&](Link& l) { l.curves.push_back(std::make_shared<const Curve>(std::move(run))); });
  // the seat of what touches it
  if (f.kind == ContactKind::flat && f.axis.dot(plane * Vec3(near.at.x(), near.at.y(), 0) - f.at) < 0) f.axis = -f.axis;
  Pose stands{Mat3::Identity(), f.at};
  if (!axesFrom(f.axis, f.kind == ContactKind::flat ? Vec3(plane.R.col(2)) : Vec3(plane.R.col(0)), stands.R))
    return Error{"zero-axis", "", "the picked line has no length"};
  const Pose local = linkPose(m, f.link, poses).inverse() * stands;
  Seat own;
  const Id follower = own.id = newId();
  own.name = freeName(findLink(m, f.link)->seats, f.name);
  own.at = placementOf(local, m.units).at;
  own.axis = directionOf(local.R.col(2));
  own.ref = directionOf(local.R.col(0));
  change<Link>(out.links, f.link, [&](Link& l) { l.seats.push_back(std::make_shared<const Seat>(std::move(own))); });
  const Id pair = newId();
  auto done = withContact(out, curve, follower, f.kind, Field(f.radius / unit), pair);
  if (!done.ok()) return done.error();
  change<CamPair>(done->camPairs, pair,
                  [&](CamPair& p) { p.inside = f.kind == ContactKind::roller && left == counter; });
  PlaneJoint joint{std::move(done).value(), {pair}, {}};
  if (smooth->pieces.size() > 1)
    joint.said.push_back(fmt::format("it runs over {} pieces that go on without a corner", smooth->pieces.size()));
  return joint;
}

Result<PlaneJoint> contact(const Mechanism& m, const PlanePick& a, const PlanePick& b, const std::vector<Pose>& poses) {
  const auto follower = [&](const PlanePick& p) -> Result<Follower> {
    if (p.kind == Kind::point) return Follower{ContactKind::point, p.link, p.at, p.normal, 0, p.name};
    if (p.kind == Kind::line)
      return Follower{ContactKind::flat, p.link, p.at, p.normal.cross(p.along).normalized(), 0, "flat"};
    const auto c = findCurve(m, p.curve);
    if (!c) return Error{"missing-curve", "", "the curve is gone; pick again"};
    const auto outline = outlineOf(m, *c->curve);
    if (!outline.ok()) return outline.error();
    const auto round = roundOf(*outline);
    const auto seat = findSeat(m, c->curve->seat);
    const auto frame = seat ? frameOf(m, *seat->seat) : Result<Pose>(Error{"missing-seat", "", "its plane is gone"});
    if (!frame.ok()) return frame.error();
    if (!round)
      return Error{"contact", nameOf(m, p.link),
                   "of two curves that touch one must be a circle, an arc or a line; two others can roll on one "
                   "another: choose both in stage Join and couple them"};
    return Follower{ContactKind::roller,
                    p.link,
                    linkPose(m, p.link, poses) * *frame * Vec3(round->centre.x(), round->centre.y(), 0),
                    p.normal,
                    round->radius,
                    "centre"};
  };
  // the cam is the first curve that the other can follow
  if (a.kind != Kind::curve) {
    const auto f = follower(a);
    return f.ok() ? contactOn(m, b, *f, poses) : f.error();
  }
  if (const auto f = follower(b); f.ok()) return contactOn(m, a, *f, poses);
  const auto f = follower(a);
  if (!f.ok()) return f.error();
  return contactOn(m, b, *f, poses);
}

}  // namespace

PlaneRelation relationOf(const PlanePick& a, const PlanePick& b) {
  if (a.kind == Kind::curve || b.kind == Kind::curve) return PlaneRelation::contact;
  if (a.kind == Kind::line && b.kind == Kind::line) return PlaneRelation::slide;
  return a.kind == Kind::line || b.kind == Kind::line ? PlaneRelation::slot : PlaneRelation::pin;
}

Misfit misfitOf(const PlanePick& a, const PlanePick& b) {
  const Vec3 n = a.normal.normalized();
  const auto flat = [&](const Vec3& v) { return Vec3(v - v.dot(n) * n); };
  Misfit out;
  switch (relationOf(a, b)) {
    case PlaneRelation::pin: out.distance = flat(b.at - a.at).norm(); break;
    case PlaneRelation::slot: {
      const PlanePick& line = a.kind == Kind::line ? a : b;
      out.distance = std::abs(n.dot(line.along.normalized().cross(b.at - a.at)));
      break;
    }
    case PlaneRelation::slide: {
      const Vec3 cross = a.along.normalized().cross(b.along.normalized());
      out.angle = std::atan2(cross.norm(), std::abs(a.along.normalized().dot(b.along.normalized())));
      break;
    }
    case PlaneRelation::contact: break;
  }
  return out;
}

Result<PlaneJoint> joinedInPlane(const Mechanism& m, const PlanePick& a, const PlanePick& b, PlaneManner manner,
                                 const std::vector<Pose>& poses) {
  if (!findLink(m, a.link) || !findLink(m, b.link)) return Error{"missing-link", "", "the link is gone; pick again"};
  if (a.link == b.link)
    return Error{"same-link", nameOf(m, a.link),
                 fmt::format("both places are on {}; pick the second on another link", nameOf(m, a.link))};
  if (a.normal.normalized().cross(b.normal.normalized()).norm() > kParallel)
    return Error{"planes", "", "the two lie in planes that aren't parallel; join them in stage Join"};
  switch (relationOf(a, b)) {
    case PlaneRelation::pin: return pin(m, a, b, manner, poses);
    case PlaneRelation::slot: return a.kind == Kind::line ? slot(m, a, b, manner, poses) : slot(m, b, a, manner, poses);
    case PlaneRelation::slide:
      if (const double angle = misfitOf(a, b).angle; angle > kParallel)
        return Error{"slide", "",
                     fmt::format("the lines lie at {:.3g} deg to one another; what slides needs parallel ones",
                                 angle / kDegree)};
      return slide(m, a, b, poses);
    case PlaneRelation::contact: break;
  }
  return contact(m, a, b, poses);
}

namespace {

/// Which of the points hang together already by pins at their place: a group number each.
std::vector<std::size_t> pinnedGroups(const Mechanism& m, const std::vector<PlanePick>& points,
                                      const std::vector<Pose>& poses) {
  std::vector<std::size_t> group(points.size());
  for (std::size_t i = 0; i < group.size(); ++i) group[i] = i;
  const auto unite = [&](std::size_t a, std::size_t b) {
    const std::size_t old = group[b], now = group[a];
    std::replace(group.begin(), group.end(), old, now);
  };
  const auto pointOf = [&](Id link) {
    return std::find_if(points.begin(), points.end(), [&](const PlanePick& p) { return p.link == link; });
  };
  for (const auto& j : m.joints) {
    if (!j->enabled || j->kind != JointKind::revolute) continue;
    const auto a = findSeat(m, j->seats[0]), b = findSeat(m, j->seats[1]);
    if (!a || !b) continue;
    const auto pa = pointOf(a->link->id), pb = pointOf(b->link->id);
    if (pa == points.end() || pb == points.end()) continue;
    const auto frame = frameOf(m, *a->seat);
    if (!frame.ok()) continue;
    const Vec3 off = linkPose(m, a->link->id, poses) * frame->p - pa->at, n = pa->normal.normalized();
    if ((off - off.dot(n) * n).norm() > kOnePlace) continue;
    unite(static_cast<std::size_t>(pa - points.begin()), static_cast<std::size_t>(pb - points.begin()));
  }
  // two points of one link
  for (std::size_t i = 0; i < points.size(); ++i)
    for (std::size_t k = i + 1; k < points.size(); ++k)
      if (points[i].link == points[k].link && group[i] != group[k]) unite(i, k);
  return group;
}

}  // namespace

int missingPins(const Mechanism& m, const std::vector<PlanePick>& points, const std::vector<Pose>& poses) {
  auto group = pinnedGroups(m, points, poses);
  std::sort(group.begin(), group.end());
  const auto n = std::unique(group.begin(), group.end()) - group.begin();
  return std::max(0, static_cast<int>(n) - 1);
}

Result<PlaneJoint> pinned(const Mechanism& m, const std::vector<PlanePick>& points, const std::vector<Pose>& poses) {
  auto group = pinnedGroups(m, points, poses);
  std::size_t hub = 0;
  for (std::size_t i = points.size(); i-- > 0;)
    if (const auto l = findLink(m, points[i].link); l && l->ground) hub = i;
  PlaneJoint out{m, {}, {}};
  for (std::size_t i = 0; i < points.size(); ++i) {
    if (group[i] == group[hub]) continue;
    auto next = joinedInPlane(out.mechanism, points[hub], points[i], PlaneManner::inPlace, poses);
    if (!next.ok()) return next;
    out.mechanism = std::move(next->mechanism);
    out.made.insert(out.made.end(), next->made.begin(), next->made.end());
    const std::size_t old = group[i], now = group[hub];
    std::replace(group.begin(), group.end(), old, now);
  }
  if (points.size() > 2 && !out.made.empty())
    out.said.push_back(
        fmt::format("{} links meet here: {} pins", points.size(), static_cast<std::size_t>(points.size()) - 1));
  return out;
}

}  // namespace cooperage::model
