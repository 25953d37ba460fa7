// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/joint_edits.h"

#include "model/thread_pitch.h"

#include <fmt/format.h>

#include <algorithm>

namespace cooperage::model {
namespace {

Result<Pose> poseOfPlace(const Place& p) {
  Mat3 axes;
  if (!axesFrom(p.axis, p.ref, axes))
    return Error{"zero-axis", "", "the picked place has no direction; pick a face or an edge"};
  return Pose{axes, p.at};
}

void setFrame(Seat& s, const Pose& local, const DocumentUnits& units) {
  s.at = placementOf(local, units).at;
  s.axis = directionOf(local.R.col(2));
  s.ref = directionOf(local.R.col(0));
}

Mechanism withSeat(const Mechanism& m, Id link, Id seat, const Pose& linkPose, const Pose& place, const Place& picked) {
  Seat s;
  s.id = seat;
  setFrame(s, linkPose.inverse() * place, m.units);
  if (picked.source) {
    s.source = picked.source;
    const auto own = poseOfPlace(picked);
    if (own.ok()) s.source->inFeature = picked.source->inFeature * (own->inverse() * place);
  }
  return changedLink(m, link, [&](Link& l) {
    s.name = freeName(l.seats, picked.name.empty() ? "seat" : picked.name);
    l.seats.push_back(std::make_shared<const Seat>(s));
  });
}

struct JointFrames {
  Id seat[2];
  std::size_t link[2];
  Pose frame[2];  ///< in ground
};
Result<JointFrames> framesOf(const Mechanism& m, Id joint, const std::vector<Pose>& poses) {
  const auto j = findJoint(m, joint);
  if (!j) return Error{"missing-joint", "", "the joint is gone"};
  JointFrames out{};
  for (std::size_t k = 0; k < 2; ++k) {
    const auto s = findSeat(m, j->seats[k]);
    const auto index = s ? indexOf(m, s->link->id) : std::nullopt;
    if (!index || *index >= poses.size())
      return Error{"missing-seat", j->name, "joint " + j->name + ": a seat is gone"};
    const auto frame = frameOf(m, *s->seat);
    if (!frame.ok()) return frame.error();
    out.seat[k] = j->seats[k];
    out.link[k] = *index;
    out.frame[k] = poses[*index] * *frame;
  }
  return out;
}

/// A field plus a figure in SI, as a plain number where it was one.
Field shifted(const Mechanism& m, const Field& f, double by, const Dimension& d) {
  if (!f.formula) return Field(std::round((f.number + by / m.units.factor(d)) * 1e9) / 1e9);
  const std::string unit = d == dimension::kAngle ? " rad" : " m";
  auto sum = parseField(m, fieldText(m, f) + " + " + formatNumber(by) + unit);
  return sum.ok() ? *sum : f;
}

/// What a screw starts with: the pitch of the thread that it is drawn on.
Field startLead(const Mechanism& m, const std::optional<double>& pitch) {
  constexpr double kOtherwise = 6e-3;  // m
  return Field(std::round(pitch.value_or(kOtherwise) / m.units.factor(dimension::kLength) * 1e9) / 1e9);
}

/// Links that hang together by joints, by a number each.
std::vector<std::size_t> groupsOf(const Mechanism& m) {
  std::vector<std::size_t> group(m.links.size());
  for (std::size_t i = 0; i < group.size(); ++i) group[i] = i;
  for (const auto& j : m.joints) {
    const auto a = findSeat(m, j->seats[0]), b = findSeat(m, j->seats[1]);
    const auto ia = a ? indexOf(m, a->link->id) : std::nullopt, ib = b ? indexOf(m, b->link->id) : std::nullopt;
    if (!ia || !ib) continue;
    const std::size_t old = group[*ib], now = group[*ia];
    std::replace(group.begin(), group.end(), old, now);
  }
  return group;
}

bool holdsGround(const Mechanism& m, const std::vector<std::size_t>& group, std::size_t which) {
  for (std::size_t i = 0; i < group.size(); ++i)
    if (group[i] == which && m.links[i]->ground) return true;
  return false;
}

/// The links that move when one of two is brought to the other: those that hang on it, unless ground or the other does.
std::vector<std::size_t> movedWith(const Mechanism& m, std::size_t moving, std::size_t other) {
  const auto group = groupsOf(m);
  if (group[moving] == group[other] || holdsGround(m, group, group[moving])) return {moving};
  std::vector<std::size_t> out;
  for (std::size_t i = 0; i < group.size(); ++i)
    if (group[i] == group[moving]) out.push_back(i);
  return out;
}

}  // namespace

Mechanism withSeatMoved(const Mechanism& m, Id seat, const Pose& linkPose, const Pose& frame) {
  return changedSeat(m, seat, [&](Seat& s) {
    Pose local = linkPose.inverse() * frame;
    const auto before = frameOf(m, s);
    if (s.source && before.ok()) s.source->inFeature = s.source->inFeature * (before->inverse() * local);
    setFrame(s, local, m.units);
  });
}

bool areJoined(const Mechanism& m, Id a, Id b) {
  return std::any_of(m.joints.begin(), m.joints.end(), [&](const auto& j) {
    const auto x = findSeat(m, j->seats[0]), y = findSeat(m, j->seats[1]);
    return x && y && ((x->link->id == a && y->link->id == b) || (x->link->id == b && y->link->id == a));
  });
}

Id looserOf(const Mechanism& m, Id first, Id second) {
  const auto ia = indexOf(m, first), ib = indexOf(m, second);
  if (!ia || !ib) return second;
  if (m.links[*ia]->ground || m.links[*ib]->ground) return m.links[*ib]->ground ? first : second;
  const auto group = groupsOf(m);
  const bool heldA = holdsGround(m, group, group[*ia]), heldB = holdsGround(m, group, group[*ib]);
  if (heldA != heldB) return heldA ? second : first;
  return std::count(group.begin(), group.end(), group[*ia]) < std::count(group.begin(), group.end(), group[*ib])
             ? first
             : second;
}

Result<Pose> poseOfLink(const Mechanism& m, Id link, const std::vector<Pose>& poses) {
  if (const auto i = indexOf(m, link); i && *i < poses.size()) return poses[*i];
  const auto l = findLink(m, link);
  return l ? poseOf(m, l->placement) : Result<Pose>(Error{"missing-link", "", "the link is gone"});
}

Pose linkPose(const Mechanism& m, Id link, const std::vector<Pose>& poses) {
  const auto pose = poseOfLink(m, link, poses);
  return pose.ok() ? *pose : Pose{};
}

Result<Pose> frameOf(const Mechanism& m, const Seat& s) {
  Vec3 v[3];
  const Triple* parts[] = {&s.at, &s.axis, &s.ref};
  for (int k = 0; k < 3; ++k)
    for (std::size_t i = 0; i < 3; ++i) {
      const auto x = evaluateField(m, (*parts[k])[i], k == 0 ? dimension::kLength : dimension::kPlain);
      if (!x.ok()) return x.error();
      v[k][static_cast<Eigen::Index>(i)] = *x;
    }
  Pose p{Mat3::Identity(), v[0]};
  if (!axesFrom(v[1], v[2], p.R))
    return Error{"zero-axis", s.name, "seat " + s.name + ": axis and reference are parallel"};
  return p;
}

Result<Mechanism> withJoint(const Mechanism& m, const JointDraft& d, const std::vector<Pose>& poses) {
  if (d.first.link == d.second.link)
    return Error{"same-link", "", "both places are on one link; pick the second on another"};
  const auto ia = indexOf(m, d.first.link), ib = indexOf(m, d.second.link);
  if (!ia || !ib || *ia >= poses.size() || *ib >= poses.size())
    return Error{"missing-link", "", "the link is gone; pick again"};
  const auto first = poseOfPlace(d.first), second = d.onePick ? first : poseOfPlace(d.second);
  if (!first.ok()) return first.error();
  if (!second.ok()) return second.error();
  const auto slide = evaluateField(m, d.slideOffset, dimension::kLength),
             turn = evaluateField(m, d.turnOffset, dimension::kAngle);
  if (!slide.ok()) return slide.error();
  if (!turn.ok()) return turn.error();
  const Pose over{rotationAbout(0, kPi), Vec3::Zero()};
  Pose placeA = *first, placeB = *second;
  if (d.reverse) placeA = placeA * over;
  placeA = placeA * Pose{rotationAbout(2, d.refAngle), Vec3::Zero()};
  const Pose offset{rotationAbout(2, *turn), Vec3(0, 0, *slide)};
  const bool inPlace = d.keepInPlace || d.onePick;
  // in place, the second seat stands where the offset puts it: nothing moves, and the joint's values are zero here
  // - but a pin is where it stands in its slot, a point where it touches its line, plane, curve or surface: the first
  // seat goes there along the slot, line or plane
  bool shifted = false;
  if (inPlace && !d.onePick) {
    const Vec3 along = placeA.inverse() * second->p;
    Vec3 shift = Vec3::Zero();
    switch (d.kind) {
      case JointKind::pinSlot: shift.x() = along.x(); break;
      case JointKind::pointLine: shift.z() = along.z(); break;
      case JointKind::pointPlane: shift.head<2>() = along.head<2>(); break;
      default: break;
    }
    shifted = shift.norm() > 1e-12;
    placeA.p += placeA.R * shift;
  }
  if (inPlace) {
    placeB = placeA * offset;
    if (!d.onePick && (d.kind == JointKind::pointCurve || d.kind == JointKind::pointSurface)) placeB.p = second->p;
  }
  Mechanism out = m;
  Joint j;
  j.id = d.joint;
  j.kind = d.kind;
  j.name = freeName(m.joints, m.links[*ib]->name + " - " + m.links[*ia]->name);
  j.slideOffset = d.slideOffset;
  j.turnOffset = d.turnOffset;
  j.lead = d.lead;
  if (d.kind == JointKind::screw && !j.lead.formula && j.lead.number == 0)
    j.lead = startLead(m, likelyPitch(d.first.source, d.second.source));
  j.curve = d.first.curve;
  if (d.kind == JointKind::pointSurface) {
    if (!d.first.source || d.first.face < 0)
      return Error{"missing-face", "", "a point on a surface needs a face as its first pick"};
    j.surfaceBody = d.first.source->body;
    j.surfaceFace = d.first.face;
  }
  if (d.kind == JointKind::pointCurve && j.curve == 0)
    return Error{"missing-curve", "", "a point on a curve needs a curve of the first link; draw or pick one first"};
  j.seats[0] = d.first.seat && !d.reverse && d.refAngle == 0 && !shifted ? d.first.seat : d.seatA;
  j.seats[1] = d.second.seat && !inPlace ? d.second.seat : d.seatB;
  if (j.seats[0] == d.seatA) out = withSeat(out, d.first.link, d.seatA, poses[*ia], placeA, d.first);
  if (j.seats[1] == d.seatB)
    out = withSeat(out, d.second.link, d.seatB, poses[*ib], placeB, d.onePick ? Place{} : d.second);
  if (!inPlace) {
    const bool ball = infoOf(d.kind).motions.empty() ? false : infoOf(d.kind).motions.back() == Motion::ball;
    // the axes are laid on one another the way that turns the moved link less
    const bool opposed = placeA.R.col(2).dot(placeB.R.col(2)) < 0;
    j.flip = !ball && opposed != d.turnedOver;
    const Id moved =
        d.moved == d.first.link || d.moved == d.second.link ? d.moved : looserOf(m, d.first.link, d.second.link);
    const bool moveFirst = moved == d.first.link;
    const Pose aside{rotationAbout(2, moveFirst ? -d.aside : d.aside), Vec3::Zero()};
    Pose wantedB = placeA * offset * aside * (j.flip ? over : Pose{});  // where the second seat should come
    if (ball) wantedB.R = placeB.R;
    const Pose shift = wantedB * placeB.inverse();
    for (const std::size_t moving : moveFirst ? movedWith(m, *ia, *ib) : movedWith(m, *ib, *ia)) {
      if (moving >= poses.size()) continue;
      const Pose after = (moveFirst ? shift.inverse() : shift) * poses[moving];
      out = changedLink(out, m.links[moving]->id, [&](Link& l) { l.placement = placementOf(after, m.units); });
    }
  }
  out.joints.push_back(std::make_shared<const Joint>(j));
  return out;
}

Result<std::pair<Mechanism, Id>> joined(const Mechanism& m, const Place& first, const Place& second, JointKind kind,
                                        bool keepInPlace, const std::vector<Pose>& linkPoses) {
  JointDraft d;
  d.first = first;
  d.second = second;
  d.kind = kind;
  d.keepInPlace = keepInPlace;
  auto made = withJoint(m, d, linkPoses);
  if (!made.ok()) return made.error();
  return std::pair<Mechanism, Id>{std::move(made).value(), d.joint};
}

Mechanism withKind(const Mechanism& m, Id joint, JointKind kind) {
  return changedJoint(m, joint, [&](Joint& j) {
    j.kind = kind;
    if (kind == JointKind::screw && !j.lead.formula && j.lead.number == 0) j.lead = startLead(m, likelyPitch(m, j));
    for (auto it = j.home.begin(); it != j.home.end();)
      it = valueIndex(kind, it->first) < 0 ? j.home.erase(it) : std::next(it);
    for (auto it = j.stops.begin(); it != j.stops.end();)
      it = valueIndex(kind, it->first) < 0 ? j.stops.erase(it) : std::next(it);
  });
}

namespace {

Field negated(const Mechanism& m, const Field& f) {
  if (!f.formula) return Field(f.number == 0 ? 0.0 : -f.number);
  const auto minus = parseField(m, "-(" + fieldText(m, f) + ")");
  return minus.ok() ? *minus : f;
}

/// Values of a kind that change their sign when both seats turn over about their reference.
std::vector<std::string> turnedValues(JointKind kind) {
  std::vector<std::string> out;
  const auto& info = infoOf(kind);
  std::size_t v = 0;
  for (const Motion motion : info.motions) {
    if (motion == Motion::ball) {
      out.insert(out.end(), {"tilt_y", "turn"});
      break;
    }
    if (motion == Motion::turnY || motion == Motion::turnZ || motion == Motion::slideY || motion == Motion::slideZ)
      out.emplace_back(info.values[v].name);
    ++v;
  }
  return out;
}

}  // namespace

Mechanism reversed(const Mechanism& m, Id joint) {
  const auto j = findJoint(m, joint);
  if (!j) return m;
  Mechanism next = changedJoint(m, joint, [&](Joint& x) {
    x.slideOffset = negated(m, x.slideOffset);
    x.turnOffset = negated(m, x.turnOffset);
    for (const std::string& key : turnedValues(x.kind)) {
      if (auto h = x.home.find(key); h != x.home.end()) h->second = negated(m, h->second);
      if (auto s = x.stops.find(key); s != x.stops.end()) {
        std::swap(s->second.low, s->second.high);
        for (auto* f : {&s->second.low, &s->second.high})
          if (*f) *f = negated(m, **f);
      }
    }
  });
  for (Id seat : j->seats)
    next = changedSeat(next, seat, [&](Seat& s) {
      if (s.source) s.source->inFeature = s.source->inFeature * Pose{rotationAbout(0, kPi), Vec3::Zero()};
      for (Field& f : s.axis) f = negated(m, f);
    });
  return next;
}

namespace {

/// Both seats of a joint turn by the same angle about the joint's axis.
Result<Mechanism> turnedBoth(const Mechanism& m, Id joint, double angle) {
  const auto j = findJoint(m, joint);
  if (!j) return m;
  Mechanism out = m;
  for (std::size_t k = 0; k < 2; ++k) {
    const auto s = findSeat(m, j->seats[k]);
    if (!s) continue;
    const auto frame = frameOf(m, *s->seat);
    if (!frame.ok()) return frame.error();
    // the second seat lies behind half a turn about the reference if the joint is turned over
    const double a = k == 1 && j->flip ? -angle : angle;
    out = withSeatMoved(out, j->seats[k], Pose{}, *frame * Pose{rotationAbout(2, a), Vec3::Zero()});
  }
  return out;
}

}  // namespace

Mechanism withReferenceTurned(const Mechanism& m, Id joint, double angle) {
  const auto r = turnedBoth(m, joint, angle);
  return r.ok() ? *r : m;
}

Result<Mechanism> withReferenceAlong(const Mechanism& m, Id joint, const Vec3& direction,
                                     const std::vector<Pose>& poses) {
  const auto f = framesOf(m, joint, poses);
  if (!f.ok()) return f.error();
  const Mat3& R = f->frame[0].R;
  const double x = direction.dot(R.col(0)), y = direction.dot(R.col(1));
  if (std::hypot(x, y) < 1e-6 * direction.norm())
    return Error{"parallel-axis", "", "that direction is the joint's axis; pick one that is square to it"};
  return turnedBoth(m, joint, std::atan2(y, x));
}

Result<Mechanism> withPlace(const Mechanism& m, Id joint, int which, const Place& place, bool keepInPlace,
                            const std::vector<Pose>& poses) {
  const auto f = framesOf(m, joint, poses);
  if (!f.ok()) return f.error();
  const auto j = findJoint(m, joint);
  const auto own = static_cast<std::size_t>(which), other = 1 - own;
  const auto index = indexOf(m, place.link);
  if (!index) return Error{"missing-link", "", "the link is gone; pick again"};
  if (*index == f->link[other])
    return Error{"same-link", j->name, "joint " + j->name + ": its other place is on that link; pick on another"};
  const auto at = poseOfPlace(place);
  if (!at.ok()) return at.error();
  Mechanism out = m;
  // a seat that others use stays for them
  const auto uses = std::count_if(m.joints.begin(), m.joints.end(), [&](const auto& x) {
    return x->seats[0] == f->seat[own] || x->seats[1] == f->seat[own];
  });
  const Id fresh = newId();
  const Pose over{rotationAbout(0, kPi), Vec3::Zero()};
  Pose frame = *at;
  // the direction that it had is kept: the joint goes on counting the same way
  if (frame.R.col(2).dot(f->frame[own].R.col(2)) < 0) frame = frame * over;
  out = withSeat(out, place.link, fresh, poses[*index], frame, place);
  out = changedJoint(out, joint, [&](Joint& x) { x.seats[own] = fresh; });
  if (uses == 1) {
    const auto gone = removed(out, {f->seat[own]});
    if (gone.ok()) out = *gone;
  }
  if (keepInPlace) {
    // the other seat moves on its link so that both lie as they did to one another
    const Pose relation = f->frame[own].inverse() * f->frame[other];
    return withSeatMoved(out, f->seat[other], poses[f->link[other]], frame * relation);
  }
  const Pose wanted = f->frame[other] * (f->frame[other].inverse() * f->frame[own]);
  const std::size_t moving = m.links[*index]->ground && !m.links[f->link[other]]->ground ? f->link[other] : *index;
  const Pose shift = moving == *index ? wanted * frame.inverse() : frame * wanted.inverse();
  return changedLink(out, m.links[moving]->id,
                     [&](Link& l) { l.placement = placementOf(shift * poses[moving], m.units); });
}

Result<Mechanism> withReading(const Mechanism& m, Id joint, const Reading& r, const std::vector<Pose>& poses) {
  const auto f = framesOf(m, joint, poses);
  if (!f.ok()) return f.error();
  const auto j = findJoint(m, joint);
  const bool turns = valueIndex(j->kind, "turn") >= 0 && infoOf(j->kind).motions.back() != Motion::ball;
  const bool slides = valueIndex(j->kind, "slide") >= 0 && j->kind != JointKind::pinSlot;
  if (!turns && !slides)
    return Error{"reading", j->name, "joint " + j->name + ": its values can't be read between two faces"};
  const Vec3 z = f->frame[0].R.col(2);
  Pose next[2] = {f->frame[0], f->frame[1]};
  double turnBy = 0, slideBy = 0;
  const auto angleOf = [&](const Pose& frame, const Vec3& d) {
    return std::atan2(d.dot(frame.R.col(1)), d.dot(frame.R.col(0)));
  };
  if (turns) {
    const Vec3 a = r.directionA - r.directionA.dot(z) * z, b = r.directionB - r.directionB.dot(z) * z;
    if (a.norm() < 1e-6 || b.norm() < 1e-6) {
      if (!slides)
        return Error{"reading", j->name,
                     "joint " + j->name + ": that face has no direction square to the axis; pick another"};
    } else {
      const double angleA = angleOf(f->frame[0], a), angleB = angleOf(f->frame[1], b);
      next[0] = next[0] * Pose{rotationAbout(2, angleA), Vec3::Zero()};
      next[1] = next[1] * Pose{rotationAbout(2, angleB), Vec3::Zero()};
      turnBy = (j->flip ? -angleB : angleB) - angleA;
    }
  }
  if (slides) {
    const double alongA = (r.pointA - f->frame[0].p).dot(z), alongB = (r.pointB - f->frame[1].p).dot(z);
    next[0].p += alongA * z;
    next[1].p += alongB * z;
    slideBy = alongB - alongA;
  }
  Mechanism out = m;
  for (int k = 0; k < 2; ++k) out = withSeatMoved(out, f->seat[k], poses[f->link[k]], next[k]);
  return changedJoint(out, joint, [&](Joint& x) {
    const auto shift = [&](const char* key, double by, const Dimension& d) {
      if (auto h = x.home.find(key); h != x.home.end()) h->second = shifted(m, h->second, by, d);
      if (auto s = x.stops.find(key); s != x.stops.end()) {
        if (s->second.low) s->second.low = shifted(m, *s->second.low, by, d);
        if (s->second.high) s->second.high = shifted(m, *s->second.high, by, d);
      }
    };
    if (turns) shift("turn", turnBy, dimension::kAngle);
    if (slides) shift("slide", slideBy, dimension::kLength);
  });
}

Result<Mechanism> withJointsCopied(const Mechanism& m, Id from, Id to, const std::vector<Pose>& poses) {
  const auto ia = indexOf(m, from), ib = indexOf(m, to);
  if (!ia || !ib || *ia >= poses.size() || *ib >= poses.size() || from == to)
    return Error{"missing-link", "", "choose a link and its equal"};
  Mechanism out = m;
  std::map<Id, Id> jointCopy, seatCopy;
  const Pose shift = poses[*ib] * poses[*ia].inverse();  // from the first to its equal, in ground
  int copied = 0;
  for (const auto& j : m.joints) {
    const auto a = findSeat(m, j->seats[0]), b = findSeat(m, j->seats[1]);
    if (!a || !b) continue;
    const bool firstIsOwn = a->link->id == from, secondIsOwn = b->link->id == from;
    if (firstIsOwn == secondIsOwn) continue;
    const auto& own = firstIsOwn ? a : b;
    const auto& other = firstIsOwn ? b : a;
    if (other->link->id == to) continue;  // the two are joined to one another
    if (seatCopy.count(own->seat->id) == 0) {
      Seat s = *own->seat;
      s.id = newId();
      s.source.reset();
      const auto twin = findLink(out, to);
      // the same place on the equal's own body
      if (own->seat->source)
        for (std::size_t k = 0; k < own->link->bodies.size() && k < twin->bodies.size(); ++k)
          if (own->link->bodies[k]->id == own->seat->source->body) {
            s.source = own->seat->source;
            s.source->body = twin->bodies[k]->id;
          }
      seatCopy[own->seat->id] = s.id;
      out = changedLink(out, to, [&](Link& l) {
        s.name = freeName(l.seats, s.name);
        l.seats.push_back(std::make_shared<const Seat>(s));
      });
    }
    const auto io = indexOf(m, other->link->id);
    const auto frame = frameOf(m, *other->seat);
    if (!io || !frame.ok()) continue;
    Seat partner;
    partner.id = newId();
    setFrame(partner, poses[*io].inverse() * (shift * (poses[*io] * *frame)), m.units);
    out = changedLink(out, other->link->id, [&](Link& l) {
      partner.name = freeName(l.seats, other->seat->name);
      l.seats.push_back(std::make_shared<const Seat>(partner));
    });
    Joint copy = *j;
    copy.id = newId();
    copy.seats[firstIsOwn ? 0 : 1] = seatCopy[own->seat->id];
    copy.seats[firstIsOwn ? 1 : 0] = partner.id;
    const std::string& toName = m.links[*ib]->name;
    copy.name =
        freeName(out.joints, firstIsOwn ? other->link->name + " - " + toName : toName + " - " + other->link->name);
    jointCopy[j->id] = copy.id;
    out.joints.push_back(std::make_shared<const Joint>(copy));
    ++copied;
  }
  if (copied == 0)
    return Error{"copy", m.links[*ia]->name,
                 "link " + m.links[*ia]->name + ": it has no joints to copy; make them first"};
  for (const auto& c : m.couplings) {
    if (c->kind == CouplingKind::formula) continue;  // a formula names its values in its text
    Coupling copy = *c;
    bool any = false;
    for (Symbol& s : copy.values)
      if (const auto it = jointCopy.find(s.id); it != jointCopy.end()) {
        s.id = it->second;
        any = true;
      }
    if (!any) continue;
    copy.id = newId();
    copy.name = freeName(out.couplings, c->name);
    out.couplings.push_back(std::make_shared<const Coupling>(copy));
  }
  return out;
}

}  // namespace cooperage::model
