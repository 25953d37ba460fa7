// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Used within model/ only: what the makers of machine elements share.
#include <fmt/format.h>

#include <cmath>

#include "base/index.h"
#include "model/edits.h"
#include "model/shaft.h"

namespace cooperage::model {

/// A body of a link in place of the one of its id, or as a new one.
inline Mechanism withBody(const Mechanism& m, Id link, Body body) {
  if (findBody(m, body.id))
    return changedBody(m, body.id, [&](Body& b) {
      const std::string name = b.name;
      const auto colour = b.colour;
      b = body;
      b.name = name;
      b.colour = colour;
    });
  return changedLink(m, link, [&](Link& l) {
    body.name = freeName(l.bodies, body.name);
    l.bodies.push_back(std::make_shared<const Body>(std::move(body)));
  });
}
inline Body element(Id id, BodyKind kind, const std::string& name, const Pose& inLink, const DocumentUnits& units) {
  Body b;
  b.id = id;
  b.kind = kind;
  b.name = name;
  b.placement = placementOf(inLink, units);
  return b;
}
inline Seat seatAt(Id id, const std::string& name, const Pose& local, const DocumentUnits& units) {
  Seat s;
  s.id = id;
  s.name = name;
  s.at = placementOf(local, units).at;
  s.axis = directionOf(local.R.col(2));
  s.ref = directionOf(local.R.col(0));
  return s;
}
inline Mechanism withSeatAt(const Mechanism& m, Id link, Seat seat) {
  if (findSeat(m, seat.id))
    return changedSeat(m, seat.id, [&](Seat& s) {
      seat.name = s.name;
      s = seat;
    });
  return changedLink(m, link, [&](Link& l) {
    seat.name = freeName(l.seats, seat.name);
    l.seats.push_back(std::make_shared<const Seat>(std::move(seat)));
  });
}
template <class T>
void putIn(std::vector<std::shared_ptr<const T>>& list, T item) {
  for (auto& old : list)
    if (old->id == item.id) {
      item.name = old->name;
      old = std::make_shared<const T>(std::move(item));
      return;
    }
  item.name = freeName(list, item.name);
  list.push_back(std::make_shared<const T>(std::move(item)));
}
/// A plain figure in document units, without rounding dirt.
inline Field figureOf(double si, const Dimension& d, const DocumentUnits& units) {
  const double x = std::round(si / units.factor(d) * 1e9) / 1e9;
  return Field(x == 0 ? 0.0 : x);
}
inline Pose frameFrom(const Vec3& at, const Vec3& z, const Vec3& x) {
  Pose p;
  p.p = at;
  axesFrom(z, x, p.R);
  return p;
}
/// A value in figures, or the error that names what it was for.
inline Result<double> valueOf(const Mechanism& m, const Field& f, const Dimension& d, const char* what) {
  auto v = evaluateField(m, f, d);
  if (!v.ok()) return Error{v.error().code, what, std::string(what) + ": " + v.error().text};
  return v;
}

}  // namespace cooperage::model
