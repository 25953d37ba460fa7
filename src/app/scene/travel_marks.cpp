// SPDX-License-Identifier: GPL-3.0-or-later
// Marks of a run: paths of points, ghosts of its poses, flags of gauges, and the pose that could not be reached.
#include <QPainter>
#include <algorithm>
#include <cmath>

#include "base/index.h"

#include "../strip/lane_list.h"
#include "../text.h"
#include "../theme.h"
#include "marks.h"
#include "scene.h"

namespace cooperage::app {

using namespace model;

namespace {

/// Slow to fast, told apart by lightness too.
QColor speedColour(double share) {
  const QColor slow = theme().dark ? QColor(0x9f, 0xd0, 0xcb) : QColor(0x7f, 0xb3, 0xae),
               fast = theme().dark ? QColor(0xf0, 0x9a, 0x4d) : QColor(0xa3, 0x46, 0x10);
  const auto mix = [&](int a, int b) {
    return static_cast<int>(std::lround(a + (b - a) * std::clamp(share, 0.0, 1.0)));
  };
  return {mix(slow.red(), fast.red()), mix(slow.green(), fast.green()), mix(slow.blue(), fast.blue())};
}

/// @param share only bodies of at least this share of the link's largest: pins and bores would hide the others
void lines(QPainter& p, Scene& scene, int link, const Pose& pose, double share = 0) {
  for (const auto& line : scene.linesOfLink(link, pose, share)) {
    QPolygonF poly;
    for (const Vec3& v : line) poly << scene.project(v);
    p.drawPolyline(poly);
  }
}

bool differs(const Pose& a, const Pose& b) { return (a.p - b.p).norm() + (a.R - b.R).norm() > 1e-7; }
}  // namespace

bool Marks::showsTravel() const {
  return bench_.runs().run() && (bench_.selection().stage() >= Stage::run) && !bench_.runs().isRunStale();
}

void Marks::paths(QPainter& p) {
  const RunData* run = bench_.runs().run();
  if (!run || (bench_.runs().isRunStale() && !bench_.runs().live().busy())) return;
  const auto& r = run->travel->resolved();
  int legend = 0;
  for (std::size_t i = 0; i < r.paths.size() && i < run->paths.size(); ++i) {
    const auto& path = r.paths[i];
    const auto& curve = run->paths[i];
    const bool chosen = bench_.selection().isSelected(path.id);
    if ((bench_.selection().stage() < Stage::run && !chosen) || curve.points.size() < 2) continue;
    Pose axes;  // drawn where the link in whose axes it is stands now
    if (path.in >= 0 && u(path.in) < bench_.pose().poses().size()) axes = bench_.pose().poses()[u(path.in)];
    std::vector<QPointF> at;
    at.reserve(curve.points.size());
    for (const Vec3& x : curve.points) at.push_back(scene_.project(axes * x));
    const auto [least, most] = std::minmax_element(curve.speed.begin(), curve.speed.end());
    const double width = chosen ? 3 : 2;
    p.setBrush(Qt::NoBrush);
    constexpr int kBands = 24;
    const auto band = [&](std::size_t k) {
      if (!path.bySpeed || *most <= *least) return 0;
      return static_cast<int>((curve.speed[k] - *least) / (*most - *least) * (kBands - 1) + 0.5);
    };
    for (std::size_t k = 0; k + 1 < at.size();) {
      const int now = band(k);
      QPolygonF line;
      line << at[k];
      while (k + 1 < at.size() && band(k) == now) line << at[++k];
      p.setPen(QPen(path.bySpeed ? speedColour(now / double(kBands - 1)) : theme().curve[i % 6], width, Qt::SolidLine,
                    Qt::RoundCap, Qt::RoundJoin));
      p.drawPolyline(line);
    }
    if (path.tick > 0) pathTicks(p, curve.times, at, path.tick);
    if (!path.bySpeed) continue;
    // what the colours mean
    const QRectF bar(20, scene_.height() - 112 - 22 * legend, 70, 6);
    const auto& units = bench_.document().mechanism()->units;
    const QString words = q(path.name) + QStringLiteral(": ") + speedsText(curve, units);
    p.setFont(uiFont(8.2));
    QColor ground = theme().panel;
    ground.setAlphaF(0.85f);
    p.setPen(Qt::NoPen);
    p.setBrush(ground);
    p.drawRoundedRect(bar.adjusted(-8, -7, 16 + p.fontMetrics().horizontalAdvance(words), 8), 6, 6);
    QLinearGradient shade(bar.topLeft(), bar.topRight());
    shade.setColorAt(0, speedColour(0));
    shade.setColorAt(1, speedColour(1));
    p.setPen(Qt::NoPen);
    p.setBrush(shade);
    p.drawRoundedRect(bar, 3, 3);
    p.setPen(theme().mute);
    p.drawText(bar.topRight() + QPointF(8, 7), words);
    ++legend;
  }
}

/// A tick across the path each so many seconds.
void Marks::pathTicks(QPainter& p, const std::vector<double>& times, const std::vector<QPointF>& at, double tick) {
  p.setPen(QPen(theme().ink, 1));
  std::size_t k = 0;
  int drawn = 0;
  for (double t = tick * std::ceil(times.front() / tick - 1e-9); t <= times.back() + 1e-12 && drawn < 2000;
       t += tick, ++drawn) {
    while (k + 2 < times.size() && times[k + 1] < t) ++k;
    const double dt = times[k + 1] - times[k];
    if (dt <= 0) continue;
    const QPointF way = at[k + 1] - at[k], x = at[k] + way * ((t - times[k]) / dt);
    const double length = std::hypot(way.x(), way.y());
    if (length < 1e-9) continue;
    const QPointF n(-way.y() / length * 4, way.x() / length * 4);
    p.drawLine(x - n, x + n);
  }
}

/// Where links push one another at the cursor: the place, and the way in which the first is pushed.
void Marks::touches(QPainter& p) {
  if (!showsTravel() || bench_.runs().isRunStale()) return;
  auto* pushed = bench_.runs().run()->travel->pushed();
  if (!pushed) return;
  constexpr double kLength = 30, kHead = 8;  // pixels
  for (const auto& touch : pushed->touching(bench_.runs().cursor())) {
    const QPointF at = scene_.project(touch.place);
    const QPointF way = scene_.project(touch.place + touch.direction * kLength * scene_.scale()) - at;
    const double length = std::hypot(way.x(), way.y());
    for (const auto& [colour, width] : {std::pair{theme().panel, 5.0}, {theme().accent, 2.2}}) {
      p.setPen(QPen(colour, width, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
      p.setBrush(colour);
      p.drawEllipse(at, 2.6, 2.6);
      if (length < kHead) continue;
      const QPointF e = way / length, n(-e.y(), e.x()), tip = at + way;
      p.drawLine(at, tip);
      p.drawPolyline(QPolygonF({tip - kHead * e + 0.5 * kHead * n, tip, tip - kHead * e - 0.5 * kHead * n}));
    }
  }
}

void Marks::runGhosts(QPainter& p) {
  if (!showsTravel()) return;
  const auto& ghosts = bench_.runs().run()->ghosts;
  for (const auto& poses : ghosts)
    for (std::size_t l = 0; l < poses.size() && l < bench_.pose().poses().size(); ++l) {
      if (bench_.solution().resolved().links[l].ground || !differs(poses[l], bench_.pose().poses()[l])) continue;
      QColor c = theme().ink;
      c.setAlphaF(0.30f);
      p.setPen(QPen(c, 1));
      p.setBrush(Qt::NoBrush);
      lines(p, scene_, static_cast<int>(l), poses[l], 0.4);
    }
}

/// The nearest pose to the one that was asked for: the joint that would have to open is lit.
void Marks::endOfTravel(QPainter& p) {
  const RunData* run = bench_.runs().run();
  if (!run || bench_.runs().isRunStale() || bench_.selection().stage() < Stage::run) return;
  if (!run->result.travel.ended || run->nearest.size() != bench_.pose().poses().size()) return;
  const Theme& t = theme();
  QColor c = t.bad;
  c.setAlphaF(0.7f);
  p.setPen(QPen(c, 1.1, Qt::DashLine));
  p.setBrush(Qt::NoBrush);
  for (std::size_t l = 0; l < run->nearest.size(); ++l)
    if (!bench_.solution().resolved().links[l].ground && differs(run->nearest[l], bench_.pose().poses()[l]))
      lines(p, scene_, static_cast<int>(l), run->nearest[l]);
  for (const auto& j : run->travel->resolved().joints) {
    if (j.name != run->result.travel.ended->joint || run->result.travel.ended->kind == kinematics::EndKind::stop)
      continue;
    const QPointF a = scene_.project((run->nearest[u(j.linkA)] * j.seatA).p),
                  b = scene_.project((run->nearest[u(j.linkB)] * j.seatB).p);
    p.setPen(QPen(t.bad, 2.2));
    p.drawLine(a, b);
    QColor fill = t.badTint;
    fill.setAlphaF(0.85f);
    p.setBrush(fill);
    for (const QPointF& x : {a, b}) p.drawEllipse(x, 6, 6);
    flag(p, (a + b) / 2 + QPointF(16, -14), q(j.name),
         QObject::tr("open by %1")
             .arg(figureText(run->result.travel.ended->gap, dimension::kLength, bench_.document().mechanism()->units)),
         t.bad);
  }
}

/// Name and value in a box beside a place.
void Marks::flag(QPainter& p, const QPointF& at, const QString& name, const QString& value, const QColor& colour) {
  const Theme& t = theme();
  p.setFont(uiFont(8.2));
  const double w1 = p.fontMetrics().horizontalAdvance(name);
  p.setFont(uiFont(9.2, QFont::DemiBold));
  const double w2 = p.fontMetrics().horizontalAdvance(value);
  QRectF box(at.x(), at.y() - 18, std::max(w1, w2) + 16, 35);
  box.moveLeft(std::clamp(box.left(), 6.0, std::max(6.0, scene_.width() - box.width() - 6)));
  box.moveTop(std::clamp(box.top(), 46.0, std::max(46.0, scene_.height() - box.height() - 6)));
  QColor fill = t.field;
  fill.setAlphaF(0.94f);
  p.setPen(QPen(t.line, 1));
  p.setBrush(fill);
  p.drawRoundedRect(box, 6, 6);
  p.setPen(t.mute);
  p.setFont(uiFont(8.2));
  p.drawText(box.adjusted(8, 3, -6, -18), Qt::AlignLeft | Qt::AlignVCenter, name);
  p.setPen(colour);
  p.setFont(uiFont(9.2, QFont::DemiBold));
  p.drawText(box.adjusted(8, 15, -6, -2), Qt::AlignLeft | Qt::AlignVCenter, value);
}

/// Values of gauges beside what they measure: those that are flagged, and the chosen one.
void Marks::gaugeFlags(QPainter& p) {
  const RunData* run = bench_.runs().run();
  if (!run || bench_.pose().isByHand() || bench_.selection().stage() < Stage::run) return;
  const auto& r = run->travel->resolved();
  const auto& m = *bench_.document().mechanism();
  const auto& poses = bench_.pose().poses();
  if (poses.size() != r.links.size()) return;
  const auto& row = bench_.runs().cursorRow();
  for (std::size_t g = 0; g < r.gauges.size(); ++g) {
    const auto& gauge = r.gauges[g];
    const auto known = findById(m.gauges, gauge.id);
    const bool chosen = bench_.selection().isSelected(gauge.id);
    if (!known || (!known->flagged && !chosen)) continue;
    const std::size_t column = u(run->measurer->firstGauge()) + g;
    const QString value = column < row.size() && !bench_.pose().isAtHome()
                              ? run->text(static_cast<int>(column), row[column], m.units)
                              : QStringLiteral("\u2013");
    const QColor colour = theme().curve[g % 6];
    const auto seat = [&](const std::pair<int, int>& s) {
      return (poses[u(s.first)] * r.links[u(s.first)].seats[u(s.second)].frame).p;
    };
    QPointF at;
    p.setPen(QPen(colour, 1.4));
    p.setBrush(theme().field);
    if (gauge.seats.size() == 2) {  // a dimension between two places
      const QPointF a = scene_.project(seat(gauge.seats[0])), b = scene_.project(seat(gauge.seats[1]));
      if (gauge.kind != GaugeKind::angle) p.drawLine(a, b);
      for (const QPointF& x : {a, b}) p.drawEllipse(x, 3, 3);
      at = (a + b) / 2;
    } else if (!gauge.seats.empty()) {
      at = scene_.project(seat(gauge.seats[0]));
      p.drawEllipse(at, 3.5, 3.5);
    } else if (!gauge.values.empty() && gauge.values[0].joint >= 0) {
      const auto& j = r.joints[u(gauge.values[0].joint)];
      at = scene_.project((poses[u(j.linkA)] * j.seatA).p);
    } else if (gauge.joint >= 0) {
      const auto& j = r.joints[u(gauge.joint)];
      at = scene_.project((poses[u(j.linkA)] * j.seatA).p);
    } else if (!gauge.links.empty()) {
      at = scene_.project(poses[u(gauge.links[0])].p);
    } else {
      continue;
    }
    const QPointF place = at + QPointF(26, -26);
    p.setPen(QPen(colour, 1));
    p.drawLine(at, place);
    flag(p, place, q(gauge.name), value, colour);
  }
}

}  // namespace cooperage::app
