// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/refresh.h"

#include <fmt/format.h>

#include <TopExp.hxx>
#include <TopTools_IndexedMapOfShape.hxx>

#include "model/edits.h"

namespace cooperage::shape {

using namespace model;

namespace {

/// The place of a piece that bears the same word and lies nearest to where the seat's place was.
std::optional<Pose> placeOn(const Found& found, const SeatSource& source) {
  std::optional<Pose> best;
  double least = 0;
  for (const Snap& s : snapsOf(found.part)) {
    if (!source.word.empty() && s.word != source.word) continue;
    Pose p{Mat3::Identity(), s.at};
    if (!axesFrom(s.axis, s.ref, p.R)) continue;
    // ends of an axis bear the same word: the one on the same side
    const double d = ((s.at - found.feature.at) - source.inFeature.p).norm();
    if (!best || d < least) {
      best = p;
      least = d;
    }
  }
  return best;
}

std::string millimetres(double m) { return formatNumber(std::round(m * 1e6) / 1e3) + " mm"; }

}  // namespace

std::string wordsFor(const Feature& f) {
  if (f.kind == "cylinder") return fmt::format("{} of {}", f.inward ? "bore" : "pin", millimetres(2 * f.radius));
  if (f.kind == "sphere") return fmt::format("{} of {}", f.inward ? "socket" : "ball", millimetres(2 * f.radius));
  if (f.kind == "cone") return f.inward ? "conical bore" : "cone";
  if (f.kind == "torus") return fmt::format("rounding of {}", millimetres(f.radius));
  if (f.kind == "plane") return "flat face";
  if (f.kind == "circle") return fmt::format("rim of {}", millimetres(2 * f.radius));
  if (f.kind == "line") return fmt::format("edge of {}", millimetres(f.length));
  if (f.kind == "corner") return "corner";
  return f.kind == "curve" ? "curved edge" : "curved face";
}

std::vector<SeatCheck> checkSeats(const std::vector<std::shared_ptr<const Seat>>& seats, Id body,
                                  const SolidPtr& solid) {
  std::vector<SeatCheck> out;
  for (const auto& s : seats) {
    if (!s->source || s->source->body != body) continue;
    SeatCheck check;
    check.seat = s->id;
    check.what = wordsFor(s->source->feature);
    const auto found = findAgain(solid->shape, s->source->feature);
    if (!found.empty() && found.front().same) {
      check.state = SeatCheck::State::same;
    } else if (!found.empty() && found.front().alike) {
      if (const auto place = placeOn(found.front(), *s->source)) {
        check.state = SeatCheck::State::moved;
        check.frame = *place * s->source->inFeature;
        check.distance = found.front().distance;
      }
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

Mechanism withElementSeats(const Mechanism& m, Id body, const TopoDS_Shape& before, const TopoDS_Shape& after) {
  const auto owner = findBody(m, body);
  if (!owner) return m;
  const auto inLink = poseOf(m, owner->body->placement);
  if (!inLink.ok()) return m;
  Mechanism out = m;
  for (const auto& s : owner->link->seats) {
    if (!s->source || s->source->body != body) continue;
    const auto found = findAgain(before, s->source->feature);
    if (found.empty() || !found.front().same) continue;
    const TopAbs_ShapeEnum type = found.front().part.ShapeType();
    TopTools_IndexedMapOfShape old, fresh;
    TopExp::MapShapes(before, type, old);
    TopExp::MapShapes(after, type, fresh);
    if (old.Extent() != fresh.Extent()) continue;  // another number of pivots: the seat stays, the next check tells
    Found now;
    now.part = fresh(old.FindIndex(found.front().part));
    now.feature = featureOf(after, now.part);
    const auto place = placeOn(now, *s->source);
    if (!place) continue;
    const Pose frame = *inLink * (*place * s->source->inFeature);
    out = changedSeat(out, s->id, [&](Seat& x) {
      x.at = placementOf(frame, m.units).at;
      x.axis = directionOf(frame.R.col(2));
      x.ref = directionOf(frame.R.col(0));
      x.source->feature = now.feature;
      x.broken = false;
    });
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
