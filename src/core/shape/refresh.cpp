// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/refresh.h"

#include <fmt/format.h>

#include <TopExp.hxx>
#include <TopTools_IndexedMapOfShape.hxx>

#include "model/joint_edits.h"

namespace cooperage::shape {

using namespace model;

namespace {

/// The places of a piece that bear the word of a source, in the piece's own order.
std::vector<Pose> placesOf(const TopoDS_Shape& part, const SeatSource& source) {
  std::vector<Pose> out;
  for (const Snap& s : snapsOf(part)) {
    if (!source.word.empty() && s.word != source.word) continue;
    Pose p{Mat3::Identity(), s.at};
    if (axesFrom(s.axis, s.ref, p.R)) out.push_back(p);
  }
  return out;
}

/// Which of them a seat is on: both ends of an axis bear the same word.
/// @param seat from the same origin as the places
std::size_t nearestOf(const std::vector<Pose>& places, const Pose& seat) {
  return static_cast<std::size_t>(
      std::min_element(places.begin(), places.end(),
                       [&](const Pose& a, const Pose& b) { return (a.p - seat.p).norm() < (b.p - seat.p).norm(); }) -
      places.begin());
}

}  // namespace

std::string wordsFor(const Feature& f) {
  if (f.kind == model::FeatureKind::cylinder)
    return fmt::format("{} of {}", f.inward ? "bore" : "pin", millimetres(2 * f.radius));
  if (f.kind == model::FeatureKind::sphere)
    return fmt::format("{} of {}", f.inward ? "socket" : "ball", millimetres(2 * f.radius));
  if (f.kind == model::FeatureKind::cone) return f.inward ? "conical bore" : "cone";
  if (f.kind == model::FeatureKind::torus) return fmt::format("rounding of {}", millimetres(f.radius));
  if (f.kind == model::FeatureKind::plane) return "flat face";
  if (f.kind == model::FeatureKind::circle) return fmt::format("rim of {}", millimetres(2 * f.radius));
  if (f.kind == model::FeatureKind::line) return fmt::format("edge of {}", millimetres(f.length));
  if (f.kind == model::FeatureKind::corner) return "corner";
  return f.kind == model::FeatureKind::curve ? "curved edge" : "curved face";
}

std::vector<SeatCheck> checkSeats(const Mechanism& m, Id body, const SolidPtr& solid) {
  std::vector<SeatCheck> out;
  const auto owner = findBody(m, body);
  if (!owner) return out;
  const auto inLink = poseOf(m, owner->body->placement);
  for (const auto& s : owner->link->seats) {
    if (!s->source || s->source->body != body) continue;
    SeatCheck check;
    check.seat = s->id;
    check.what = wordsFor(s->source->feature);
    const auto found = findAgain(solid->shape, s->source->feature);
    if (!found.empty() && found.front().same) {
      check.state = SeatCheck::State::same;
    } else if (!found.empty() && found.front().alike) {
      const auto places = placesOf(found.front().part, *s->source);
      const auto stands = frameOf(m, *s);
      if (!places.empty() && stands.ok() && inLink.ok()) {
        // on the piece found as on the one that it was picked on
        Pose was = inLink->inverse() * *stands * s->source->inFeature.inverse();
        was.p += found.front().feature.at - s->source->feature.at;
        check.state = SeatCheck::State::moved;
        check.frame = places[nearestOf(places, was)] * s->source->inFeature;
        check.distance = found.front().distance;
      }
    }
    out.push_back(std::move(check));
  }
  return out;
}

std::vector<SeatCheck> checkSeatsOf(const Mechanism& m, Id link, const std::map<Id, SolidPtr>& solids) {
  std::vector<SeatCheck> out;
  const auto owner = findLink(m, link);
  if (!owner) return out;
  for (const auto& b : owner->bodies)
    if (const auto at = solids.find(b->id); at != solids.end())
      for (auto& c : checkSeats(m, b->id, at->second)) out.push_back(std::move(c));
  for (const auto& s : owner->seats) {
    if (!s->source || findById(owner->bodies, s->source->body)) continue;
    SeatCheck check;
    check.seat = s->id;
    check.what = wordsFor(s->source->feature);
    const auto was = findById(owner->aside, s->source->body);
    const auto stood = was ? poseOf(m, was->placement) : Result<Pose>(Error{});
    for (const auto& b : owner->bodies) {
      const auto at = solids.find(b->id);
      const auto stands = poseOf(m, b->placement);
      if (at == solids.end() || !stood.ok() || !stands.ok()) continue;
      const Pose toNew = stands->inverse() * *stood;
      Feature wanted = s->source->feature;
      wanted.at = toNew * wanted.at;
      wanted.axis = toNew.R * wanted.axis;
      const auto found = findAgain(at->second->shape, wanted);
      if (!found.empty() && found.front().same) check.state = SeatCheck::State::same;
    }
    out.push_back(std::move(check));
  }
  return out;
}

Mechanism withChecks(const Mechanism& m, const std::vector<SeatCheck>& checks) {
  Mechanism out = m;
  for (const SeatCheck& c : checks) {
    const auto s = findSeat(out, c.seat);
    const bool broken = c.state != SeatCheck::State::same;
    if (s && s->seat->broken != broken) out = changedSeat(out, c.seat, [&](Seat& x) { x.broken = broken; });
  }
  return out;
}

Mechanism withSeatFollowing(const Mechanism& m, const SeatCheck& check, const SolidPtr& solid) {
  const auto place = findSeat(m, check.seat);
  if (!place || !place->seat->source) return m;
  const auto body = findBody(m, place->seat->source->body);
  const auto inLink = body ? poseOf(m, body->body->placement) : Result<Pose>(Pose{});
  const Pose frame = (inLink.ok() ? *inLink : Pose{}) * check.frame;
  const auto found = findAgain(solid->shape, place->seat->source->feature);
  return changedSeat(m, check.seat, [&](Seat& s) {
    s.broken = false;
    s.at = placementOf(frame, m.units).at;
    s.axis = directionOf(frame.R.col(2));
    s.ref = directionOf(frame.R.col(0));
    if (!found.empty()) s.source->feature = found.front().feature;
  });
}

Mechanism withElementSeats(const Mechanism& m, Id body, const Element& before, const Element& after) {
  const auto owner = findBody(m, body);
  if (!owner) return m;
  Mechanism out = m;
  for (const auto& s : owner->link->seats) {
    if (!s->source || s->source->body != body) continue;
    const auto stands = frameOf(m, *s);
    const auto found = findAgain(before.shape, s->source->feature);
    if (!stands.ok() || found.empty() || !found.front().same) continue;
    const TopAbs_ShapeEnum type = found.front().part.ShapeType();
    TopTools_IndexedMapOfShape old, fresh;
    TopExp::MapShapes(before.shape, type, old);
    TopExp::MapShapes(after.shape, type, fresh);
    if (old.Extent() != fresh.Extent()) continue;  // another number of pivots: the seat stays, the next check tells
    const TopoDS_Shape part = fresh(old.FindIndex(found.front().part));
    const auto was = placesOf(found.front().part, *s->source), now = placesOf(part, *s->source);
    if (was.empty() || was.size() != now.size()) continue;
    const Pose place = before.placement.inverse() * *stands * s->source->inFeature.inverse();
    const Pose frame = after.placement * (now[nearestOf(was, place)] * s->source->inFeature);
    out = changedSeat(out, s->id, [&](Seat& x) {
      x.at = placementOf(frame, m.units).at;
      x.axis = directionOf(frame.R.col(2));
      x.ref = directionOf(frame.R.col(0));
      x.source->feature = featureOf(after.shape, part);
      x.broken = false;
    });
  }
  return out;
}

namespace {
/// Whether a file body differs by figures alone, as a drawn element does: by those of its stretches.
bool isFigured(const Resolved::BodyR& a, const Resolved::BodyR& b) {
  return (!a.stretches.empty() || !b.stretches.empty()) && a.file == b.file && a.solid == b.solid && a.cuts == b.cuts;
}
}  // namespace

Result<Mechanism> withSeatsOfElements(const Mechanism& from, const Resolved& before, const Mechanism& changed,
                                      const Resolved& after, ShapeStore& store) {
  std::map<Id, const Resolved::BodyR*> old;
  for (const auto& l : before.links)
    for (const auto& b : l.bodies) old[b.id] = &b;
  Mechanism out = changed;
  for (const auto& l : after.links)
    for (const auto& b : l.bodies) {
      const auto was = old.find(b.id);
      if (was == old.end() || was->second->kind != b.kind) continue;
      if (b.kind == BodyKind::file && !isFigured(*was->second, b)) continue;
      const bool alike = was->second->figures == b.figures && was->second->stretches == b.stretches;
      const Pose& stood = was->second->placement;
      const bool stands = stood.p == b.placement.p && stood.R == b.placement.R;
      if (stands && alike) continue;
      // a body that someone moves in its link leaves its seats; one that a parameter moves takes them along
      const auto here = findBody(changed, b.id), there = findBody(from, b.id);
      const bool moved = !stands && here && there && here->body == there->body;
      if (alike && !moved) continue;
      const auto& seats = findLink(changed, l.id)->seats;
      if (std::none_of(seats.begin(), seats.end(), [&](const auto& s) { return s->source && s->source->body == b.id; }))
        continue;
      const auto earlier = store.bodyAsRead(*was->second, l.name), now = store.bodyAsRead(b, l.name);
      if (!now.ok()) return now.error();
      if (!earlier.ok()) continue;
      out = withElementSeats(out, b.id, {(*earlier)->shape, moved ? stood : b.placement}, {(*now)->shape, b.placement});
    }
  return out;
}

Mechanism withSeatKept(const Mechanism& m, Id seat) {
  return changedSeat(m, seat, [](Seat& s) {
    s.broken = false;
    s.source.reset();
  });
}

}  // namespace cooperage::shape
