// SPDX-License-Identifier: GPL-3.0-or-later
#include "plane_picks.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "outlines.h"
#include "../text.h"

namespace cooperage::app {

using namespace model;

namespace {

constexpr double kPointReach = 9, kLineReach = 6;  // pixels

using Each = std::function<void(PickUnder)>;

/// Seats of links, whose axes are the normals of their planes.
void eachSeat(Workbench& bench, const Each& each) {
  const auto& m = *bench.document().mechanism();
  const auto& r = bench.solution().resolved();
  const auto& poses = bench.pose().poses();
  for (std::size_t i = 0; i < r.links.size() && i < poses.size() && i < m.links.size(); ++i) {
    if (m.links[i]->hidden) continue;
    for (const auto& s : r.links[i].seats) {
      const Pose f = poses[i] * s.frame;
      PickUnder p;
      p.pick.link = r.links[i].id;
      p.pick.seat = s.id;
      p.pick.name = s.name;
      p.pick.at = f.p;
      p.pick.normal = f.R.col(2);
      p.pick.along = f.R.col(0);
      p.word = QObject::tr("%1 of %2").arg(q(s.name), q(r.links[i].name));
      each(std::move(p));
    }
  }
}

PickUnder pickOn(const Outlines::Line& l, PlanePick::Kind kind, const drawing::Vec2& at) {
  PickUnder p;
  p.pick.kind = kind;
  p.pick.link = l.link;
  p.pick.curve = l.curve->id;
  p.pick.at = l.frame * Vec3(at.x(), at.y(), 0);
  p.pick.normal = l.frame.R.col(2);
  p.pick.along = l.frame.R.col(0);
  return p;
}

/// Centres of circles and arcs, and ends of what is open.
void eachPoint(const Outlines::Line& l, const QString& link, bool ends, const Each& each) {
  const auto give = [&](const drawing::Vec2& at, const char* name, const QString& word) {
    PickUnder p = pickOn(l, PlanePick::Kind::point, at);
    p.pick.name = name;
    p.word = word.arg(link);
    each(std::move(p));
  };
  for (const auto& piece : l.outline->pieces)
    if (piece.kind == drawing::Piece::Kind::conic && (ends || drawing::isFullTurn(piece)))
      give(piece.centre, "centre", QObject::tr("centre of %1"));
  if (!ends || l.outline->pieces.empty() || l.outline->closed) return;
  give(l.outline->start(), "end", QObject::tr("end of %1"));
  give(l.outline->end(), "end", QObject::tr("end of %1"));
}

}  // namespace

std::vector<PickUnder> picksUnder(Workbench& bench, Scene& scene, const QPointF& at) {
  std::vector<PickUnder> points, lines, curves;
  const auto take = [&](PickUnder p) {
    const QPointF px = scene.project(p.pick.at);
    p.pixels = std::hypot(px.x() - at.x(), px.y() - at.y());
    if (p.pixels <= kPointReach) points.push_back(std::move(p));
  };
  const auto& m = *bench.document().mechanism();
  // the plane of a sheet on a link is a seat too, but no pivot unless something is joined there
  eachSeat(bench, [&](PickUnder p) {
    const bool joined = std::any_of(m.joints.begin(), m.joints.end(), [&](const auto& j) {
      return j->seats[0] == p.pick.seat || j->seats[1] == p.pick.seat;
    });
    const auto link = findLink(m, p.pick.link);
    const bool plane = std::any_of(link->curves.begin(), link->curves.end(),
                                   [&](const auto& c) { return c->seat == p.pick.seat && c->sheet != 0; });
    if (joined || !plane) take(std::move(p));
  });
  Vec3 origin, way;
  scene.ray(at, origin, way);
  for (const auto& l : scene.outlines().lines()) {
    if (l.link == 0 || !scene.outlines().isNear(l, at, kPointReach) || l.outline->pieces.empty()) continue;
    const QString link = q(m.links[u(l.index)]->name);
    eachPoint(l, link, true, take);
    const Vec3 normal = l.frame.R.col(2);
    if (std::abs(way.dot(normal)) < 1e-6) continue;
    const Vec3 hit = l.frame.inverse() * (origin + way * normal.dot(l.frame.p - origin) / way.dot(normal));
    const auto near = drawing::nearestPlace(*l.outline, hit.head<2>());
    const double pixels = near.distance / scene.scale();
    if (pixels > kLineReach) continue;
    const auto& piece = l.outline->pieces[near.piece];
    const bool straight = piece.kind == drawing::Piece::Kind::line;
    PickUnder p = pickOn(l, straight ? PlanePick::Kind::line : PlanePick::Kind::curve, near.at);
    p.pixels = pixels;
    if (straight) {
      const drawing::Vec2 d = piece.b - piece.a;
      p.pick.along = (l.frame.R * Vec3(d.x(), d.y(), 0)).normalized();
    }
    p.pick.name = straight ? "line" : "curve";
    p.word = straight ? QObject::tr("line of %1").arg(link)
             : drawing::radiusOf(piece)
                 ? QObject::tr("circle of %1, radius %2")
                       .arg(link, figureText(*drawing::radiusOf(piece), dimension::kLength, m.units))
                 : QObject::tr("curve of %1").arg(link);
    (straight ? lines : curves).push_back(std::move(p));
  }
  for (auto* list : {&points, &lines, &curves})
    std::stable_sort(list->begin(), list->end(), [](const auto& a, const auto& b) { return a.pixels < b.pixels; });
  points.insert(points.end(), lines.begin(), lines.end());
  points.insert(points.end(), curves.begin(), curves.end());
  return points;
}

std::vector<std::vector<PlanePick>> placesWithoutPins(Workbench& bench, Scene& scene) {
  std::vector<PlanePick> all;
  const auto take = [&](PickUnder p) { all.push_back(std::move(p.pick)); };
  const auto& m = *bench.document().mechanism();
  for (const auto& l : scene.outlines().lines())
    if (l.link != 0 && !l.outline->pieces.empty()) eachPoint(l, q(m.links[u(l.index)]->name), false, take);
  std::vector<std::vector<PlanePick>> places;
  // along x, so that only neighbours are compared
  if (all.empty()) return places;
  const Vec3 n = all.front().normal.normalized(), x = anyPerpendicular(n), y = n.cross(x);
  std::sort(all.begin(), all.end(), [&](const auto& a, const auto& b) { return a.at.dot(x) < b.at.dot(x); });
  std::vector<bool> used(all.size(), false);
  for (std::size_t i = 0; i < all.size(); ++i) {
    if (used[i]) continue;
    std::vector<PlanePick> here{all[i]};
    for (std::size_t k = i + 1; k < all.size() && (all[k].at - all[i].at).dot(x) < kOnePlace; ++k) {
      if (used[k] || std::abs((all[k].at - all[i].at).dot(y)) > kOnePlace ||
          all[k].normal.cross(all[i].normal).norm() > kParallel)
        continue;
      used[k] = true;
      if (std::none_of(here.begin(), here.end(), [&](const PlanePick& p) { return p.link == all[k].link; }))
        here.push_back(all[k]);
    }
    if (here.size() > 1 && missingPins(m, here, bench.pose().poses()) > 0) places.push_back(std::move(here));
  }
  return places;
}

}  // namespace cooperage::app
