// SPDX-License-Identifier: GPL-3.0-or-later
#include "snaps.h"

#include <cmath>

#include "../scene/outlines.h"
#include "../text.h"

namespace cooperage::app {

using namespace model;
using Vec2 = Eigen::Vector2d;

namespace {
constexpr double kNear = 9;  // pixels
constexpr double kRoundPixels = 6;

/// Where lines from a point touch a circle or an arc.
std::vector<Vec2> touchingPlaces(const drawing::Piece& piece, const Vec2& from) {
  const auto radius = drawing::radiusOf(piece);
  const Vec2 back = from - piece.centre;
  if (!radius || !(back.norm() > *radius)) return {};
  const double along = std::atan2(back.y(), back.x()), off = std::acos(*radius / back.norm());
  std::vector<Vec2> out;
  for (const double angle : {along + off, along - off}) {
    const Vec2 at = piece.centre + *radius * Vec2(std::cos(angle), std::sin(angle));
    if (drawing::nearestPlace({{piece}, false}, at).distance < 1e-9 * *radius) out.push_back(at);
  }
  return out;
}
}  // namespace

Pose Snaps::plane(Id sheet) const {
  const auto& r = bench_.solution().resolved();
  for (const auto& s : r.sheets)
    if (s.id == sheet)
      return s.link < 0 || static_cast<std::size_t>(s.link) >= bench_.pose().poses().size()
                 ? s.frame
                 : bench_.pose().poses()[static_cast<std::size_t>(s.link)] * s.frame;
  return {};
}

Vec2 Snaps::onSheet(const Pose& plane, const QPointF& pointer) const {
  Vec3 origin, way;
  scene_.ray(pointer, origin, way);
  const Vec3 normal = plane.R.col(2);
  const double along = way.dot(normal);
  if (std::abs(along) < 1e-6) return Vec2(0, 0);
  return (plane.inverse() * (origin + way * normal.dot(plane.p - origin) / along)).head<2>();
}

QPointF Snaps::toPixels(const Pose& plane, const Vec2& at) const {
  return scene_.project(plane * Vec3(at.x(), at.y(), 0));
}

double Snaps::round() const {
  const double least = kRoundPixels * scene_.scale(),
               unit = bench_.document().mechanism()->units.factor(dimension::kLength);
  double step = unit * std::pow(10, std::floor(std::log10(least / unit)));
  for (const double f : {1.0, 2.0, 5.0, 10.0})
    if (step * f >= least) return step * f;
  return step * 10;
}

Snap Snaps::at(Id sheet, const QPointF& pointer, const std::optional<Vec2>& from, Id held, bool loose, bool joins) {
  const Pose own = plane(sheet);
  const auto& m = *bench_.document().mechanism();
  const auto& r = bench_.solution().resolved();
  const auto& poses = bench_.pose().poses();
  Snap out;
  out.spot.at = onSheet(own, pointer);
  out.at = pointer;
  if (loose) return out;
  double best = kNear;
  const auto offer = [&](const Vec2& at, const QString& word) {
    const QPointF px = toPixels(own, at);
    const double d = std::hypot(px.x() - pointer.x(), px.y() - pointer.y());
    if (d >= best) return false;
    best = d;
    out = {};
    out.spot.at = at;
    out.at = px;
    out.word = word;
    return true;
  };
  // pivots: seats whose axes are square to the sheet
  for (std::size_t i = 0; i < r.links.size() && i < poses.size(); ++i) {
    if (i >= m.links.size() || m.links[i]->hidden) continue;
    if (r.links[i].id == held && !(m.links[i]->ground && !from)) continue;
    for (const auto& s : r.links[i].seats) {
      const Pose f = poses[i] * s.frame;
      if (std::abs(f.R.col(2).dot(own.R.col(2))) < 1 - 1e-9) continue;
      if (offer((own.inverse() * f.p).head<2>(), QObject::tr("pivot of %1").arg(q(r.links[i].name)))) {
        out.spot.seat = s.id;
        out.isPivot = true;
      }
    }
  }
  if (out.isPivot) return out;
  // lines: their ends, centres and middles, and where two of them cross
  struct Near {
    Vec2 a, b;
    Id link, curve;
    QString name;
  };
  std::vector<Near> near;
  for (const auto& l : scene_.outlines().lines()) {
    if (l.points->size() < 2 || !scene_.outlines().isNear(l, pointer, kNear) ||
        std::abs(l.frame.R.col(2).dot(own.R.col(2))) < 1 - 1e-9)
      continue;
    const Pose toSheet = own.inverse() * l.frame;
    const auto flat = [&](const Vec2& x) { return Vec2((toSheet * Vec3(x.x(), x.y(), 0)).head<2>()); };
    const QString name = l.link != 0 ? q(m.links[static_cast<std::size_t>(l.index)]->name) : q(l.curve->name);
    const bool other = l.link != held || l.link == 0;
    for (const auto& piece : l.outline->pieces) {
      if (other && !drawing::isFullTurn(piece))
        for (const Vec2& end : {piece.start(), piece.end()}) offer(flat(end), QObject::tr("end of %1").arg(name));
      if (piece.kind == drawing::Piece::Kind::conic) {
        offer(flat(piece.centre), QObject::tr("centre of %1").arg(name));
        if (from && other)
          for (const Vec2& at : touchingPlaces(piece, (toSheet.inverse() * Vec3(from->x(), from->y(), 0)).head<2>()))
            offer(flat(at), QObject::tr("tangent to %1").arg(name));
      }
      if (piece.kind != drawing::Piece::Kind::line) continue;
      const Vec2 a = flat(piece.a), b = flat(piece.b);
      if (l.link == held && l.link != 0) continue;
      offer(0.5 * (a + b), QObject::tr("middle of %1").arg(name));
      const Vec2 way = b - a;
      const double t = way.squaredNorm() > 0 ? way.dot(onSheet(own, pointer) - a) / way.squaredNorm() : -1;
      if (t < 0 || t > 1) continue;
      const QPointF px = toPixels(own, a + t * way);
      if (std::hypot(px.x() - pointer.x(), px.y() - pointer.y()) < kNear)
        near.push_back({a, b, l.link, l.link == 0 ? l.curve->id : 0, name});
    }
  }
  for (std::size_t i = 0; i < near.size(); ++i)
    for (std::size_t k = i + 1; k < near.size(); ++k) {
      const Vec2 u = near[i].b - near[i].a, v = near[k].b - near[k].a, w = near[k].a - near[i].a;
      const double det = u.x() * v.y() - u.y() * v.x();
      if (std::abs(det) > 1e-9 * u.norm() * v.norm())
        offer(near[i].a + u * ((w.x() * v.y() - w.y() * v.x()) / det),
              QObject::tr("crossing of %1 and %2").arg(near[i].name, near[k].name));
    }
  if (!out.word.isEmpty()) return out;
  if (from && !near.empty()) {  // on a line: the end slides along it
    const Near& l = near.front();
    const Vec2 way = (l.b - l.a).normalized(), foot = l.a + way * way.dot(*from - l.a);
    Vec2 at = l.a + way * way.dot(onSheet(own, pointer) - l.a);
    const QPointF square = toPixels(own, foot);
    const bool isSquare =
        std::hypot(square.x() - pointer.x(), square.y() - pointer.y()) < kNear && (foot - *from).norm() > 1e-9;
    if (isSquare) at = foot;
    const QString where = isSquare ? QObject::tr("square to %1").arg(l.name) : QObject::tr("on %1").arg(l.name);
    out.word = joins ? QObject::tr("%1: slides along it").arg(where) : where;
    if (joins) {
      out.spot.line = LayoutSpot::Line{l.link, l.a, l.b};
      out.guide = l.curve;
    }
    out.spot.at = at;
    out.at = toPixels(own, at);
    return out;
  }
  // in line with where the link begins, else a round place
  const double step = round();
  const auto rounded = [&](double v) { return std::round(v / step) * step; };
  Vec2 at(rounded(out.spot.at.x()), rounded(out.spot.at.y()));
  if (from) {
    const QPointF start = toPixels(own, *from);
    const auto inLine = [&](double x, double y) { return std::hypot(x - pointer.x(), y - pointer.y()) < kNear; };
    const QPointF level = toPixels(own, Vec2(at.x(), from->y())), upright = toPixels(own, Vec2(from->x(), at.y()));
    const bool away = std::hypot(start.x() - pointer.x(), start.y() - pointer.y()) > 2 * kNear;
    if (away && inLine(level.x(), level.y())) {
      at.y() = from->y();
      out.word = QObject::tr("horizontal");
    } else if (away && inLine(upright.x(), upright.y())) {
      at.x() = from->x();
      out.word = QObject::tr("vertical");
    }
  }
  out.spot.at = at;
  out.at = toPixels(own, at);
  return out;
}

}  // namespace cooperage::app
