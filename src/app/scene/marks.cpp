// SPDX-License-Identifier: GPL-3.0-or-later
#include "marks.h"

#include "scene_bar.h"

#include <QPainter>
#include <algorithm>
#include <cmath>

#include "../gauge_readings.h"
#include "../merges.h"
#include "../text.h"
#include "../theme.h"
#include "scene.h"

namespace cooperage::app {

using namespace model;

void Marks::paint(QPainter& p) {
  targets_.clear();
  belts(p);
  scene_.outlines().paint(p);
  curves(p);
  ghosts(p);
  runGhosts(p);
  paths(p);
  endOfTravel(p);
  touches(p);
  triad(p);
  seats(p);
  joints(p);
  stops(p);
  overlaps(p);
  witnesses(p);
  commonVolume(p);
  contact(p);
  gaugeFlags(p);
}

void Marks::triad(QPainter& p) {
  const QPointF o(46, scene_.height() - 78 - footOver(scene_.width()));  // over the menu of views
  const struct {
    Vec3 axis;
    const char* name;
    QColor colour;
  } axes[] = {
      {Vec3::UnitX(), "x", theme().bad}, {Vec3::UnitY(), "y", theme().ok}, {Vec3::UnitZ(), "z", theme().curve[0]}};
  const QPointF base = scene_.project(Vec3::Zero());
  for (const auto& a : axes) {
    const QPointF d = (scene_.project(a.axis * 30 * scene_.scale()) - base);
    p.setPen(QPen(a.colour, 2, Qt::SolidLine, Qt::RoundCap));
    p.drawLine(o, o + d);
    if (std::hypot(d.x(), d.y()) < 8) continue;
    p.setPen(theme().mute);
    p.setFont(uiFont(8));
    p.drawText(QRectF(o.x() + d.x() * 1.32 - 8, o.y() + d.y() * 1.32 - 8, 16, 16), Qt::AlignCenter,
               QLatin1String(a.name));
  }
}

void Marks::joints(QPainter& p) {
  const auto& m = *bench_.document().mechanism();
  const auto& r = bench_.solution().resolved();
  const Stage stage = bench_.selection().stage();
  if (stage != Stage::join && stage != Stage::drive && bench_.selection().ids().empty()) return;
  if (!scene_.shows(Scene::Mark::joints)) return;
  for (std::size_t i = 0; i < r.joints.size(); ++i) {
    const auto& j = r.joints[i];
    const bool chosen = bench_.selection().isSelected(j.id);
    bool driven = false;
    QString drive;
    for (const auto& d : m.drives)
      if (d->value.id == j.id && d->enabled) {
        driven = true;
        if (!drive.isEmpty()) drive += QStringLiteral(", ");
        drive += QString::fromStdString(d->name) + (d->reverse ? QStringLiteral(" \u21ba") : QString());
      }
    if (stage == Stage::drive && !driven && !chosen) continue;
    if (stage != Stage::join && stage != Stage::drive && !chosen) continue;
    const Pose f = bench_.pose().poses()[static_cast<std::size_t>(j.linkA)] * j.seatA;
    const QPointF at = scene_.project(f.p);
    const QPointF along = scene_.project(f.p + f.R.col(2) * 26 * scene_.scale());
    const QColor c = chosen ? theme().accent : theme().ink;
    p.setPen(QPen(c, 1.6));
    p.drawLine(at, along);
    const QRectF box(at.x() - 11, at.y() - 11, 22, 22);
    targets_.push_back({j.id, QPolygonF({at}), 11});
    p.setPen(QPen(chosen ? theme().accent : theme().line, chosen ? 2 : 1));
    QColor fill = theme().panel;
    fill.setAlphaF(0.92f);
    p.setBrush(fill);
    p.drawEllipse(box);
    const QString name = driven && stage == Stage::drive
                             ? QStringLiteral("joints/drive")
                             : QStringLiteral("joints/") + QLatin1String(model::infoOf(j.kind).name);
    p.drawPixmap(QPointF(at.x() - 8, at.y() - 8),
                 iconPixmap(name, driven ? theme().accent : c, 16, scene_.devicePixelRatioF()));
    QString label;
    if (driven && (stage == Stage::drive || chosen)) label = drive;
    if (chosen && label.isEmpty()) label = QString::fromStdString(j.name);
    if (label.isEmpty()) continue;
    p.setFont(uiFont(8.5, QFont::DemiBold));
    const QRectF text = p.fontMetrics().boundingRect(label).adjusted(0, 0, 14, 6);
    const QRectF flag(at.x() + 15, at.y() - text.height() / 2, text.width(), text.height());
    p.setPen(QPen(theme().line, 1));
    p.setBrush(fill);
    p.drawRoundedRect(flag, 5, 5);
    p.setPen(driven ? theme().accent : theme().ink);
    p.drawText(flag, Qt::AlignCenter, label);
  }
}

/// Belts and chains where they run now: a band with its edge.
void Marks::belts(QPainter& p) {
  for (const auto& c : bench_.document().mechanism()->couplings) {
    if (c->kind != model::CouplingKind::belt || !c->enabled || c->bodies.empty()) continue;
    const auto look = bench_.machine().beltPath(c->id);
    if (!look) continue;
    QPolygonF line;
    for (const Vec3& x : look->points) line << scene_.project(x);
    const bool chosen = bench_.selection().isSelected(c->id);
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(theme().ink, chosen ? 6.5 : 5.5, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
    p.drawPolygon(line);
    p.setPen(QPen(chosen ? theme().accent : theme().line, 3, c->teeth ? Qt::DotLine : Qt::SolidLine, Qt::FlatCap,
                  Qt::RoundJoin));
    p.drawPolygon(line);
  }
}

/// Curves of links in the stages Shape and Join; a chosen one everywhere, with dots where its pieces join.
void Marks::curves(QPainter& p) {
  const auto& r = bench_.solution().resolved();
  for (const auto& c : r.curveList) {
    const bool chosen =
        bench_.selection().isSelected(c.id) || std::any_of(r.camPairs.begin(), r.camPairs.end(), [&](const auto& pair) {
          return bench_.selection().isSelected(pair.id) && (pair.camCurve == c.id || pair.followerCurve == c.id);
        });
    const Stage stage = bench_.selection().stage();
    const bool quiet = scene_.shows(Scene::Mark::seats) && (stage == Stage::shape || stage == Stage::join);
    if (!c.curve || !(chosen || quiet) || bench_.pose().poses().size() != r.links.size()) continue;
    const Pose frame = bench_.pose().poses()[static_cast<std::size_t>(c.link)] * c.seat;
    const auto at = [&](double u) { return scene_.project(frame * c.curve->at(u)[0]); };
    QPolygonF line;
    constexpr int n = 360;
    for (int i = 0; i <= n; ++i) line << at(c.curve->low() + (c.curve->high() - c.curve->low()) * i / n);
    targets_.push_back({c.id, line, 5});
    p.setBrush(Qt::NoBrush);
    if (!chosen) {
      p.setPen(QPen(theme().mute, 1.2));
      p.drawPolyline(line);
      continue;
    }
    p.setPen(QPen(theme().panel, 4));
    p.drawPolyline(line);
    p.setPen(QPen(theme().accent, 2));
    p.drawPolyline(line);
    p.setBrush(theme().panel);
    for (double u : c.curve->corners()) p.drawEllipse(at(u), 3, 3);
    if (!c.cam || c.cam->follower != elements::CamSpec::Follower::roller) continue;
    const auto path = elements::camPath(*c.cam);
    QPolygonF pitch;
    for (int i = 0; i <= n; ++i)
      pitch << scene_.project(frame * path->at(path->low() + (path->high() - path->low()) * i / n)[0]);
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(theme().accent, 1, Qt::DashLine));
    p.drawPolyline(pitch);
  }
}

/// Where the chosen interference is deepest, with its figure.
void Marks::contact(QPainter& p) {
  if (!bench_.checks().check() || bench_.checks().isCheckStale() || bench_.selection().chosenInterference() < 0) return;
  const auto& list = bench_.checks().check()->result.interference;
  const auto i = static_cast<std::size_t>(bench_.selection().chosenInterference());
  if (i >= list.size() || !bench_.runs().run() || std::abs(bench_.runs().cursor() - list[i].deepest.time) > 1e-9)
    return;
  const auto& r = bench_.solution().resolved();
  const auto& units = bench_.document().mechanism()->units;
  const QPointF at = scene_.project(list[i].deepest.point);
  p.setPen(QPen(theme().bad, 1.8));
  QColor wash = theme().bad;
  wash.setAlphaF(0.16f);
  p.setBrush(wash);
  p.drawEllipse(at, 17, 17);
  const Dimension along = bench_.runs().run()->result.axisDimension;
  const auto& axis = bench_.runs().run()->result.axis;
  const double span = axis.empty() ? 0 : std::abs(axis.back() - axis.front());
  const QString first = QObject::tr("%1 deep at %2")
                            .arg(figureText(list[i].deepest.depth, dimension::kLength, units, 0,
                                            bench_.checks().check()->result.accuracy),
                                 figureText(list[i].deepest.at, along, units, span, 1e-3 * span));
  const QString second = QString::fromStdString(r.links[static_cast<std::size_t>(list[i].linkA)].name + " \u2013 " +
                                                r.links[static_cast<std::size_t>(list[i].linkB)].name);
  p.setFont(uiFont(9, QFont::DemiBold));
  const double w = std::max(p.fontMetrics().horizontalAdvance(first), p.fontMetrics().horizontalAdvance(second)) + 20;
  QRectF flag(at.x() + 44, at.y() + 40, w, 40);
  if (flag.right() > scene_.width() - 10) flag.moveRight(at.x() - 44);
  p.drawLine(at + QPointF(12, 12), flag.left() > at.x() ? flag.topLeft() + QPointF(0, 8) : flag.topRight());
  p.setBrush(theme().field);
  p.setPen(QPen(theme().bad, 1));
  p.drawRoundedRect(flag, 6, 6);
  p.setPen(theme().bad);
  p.drawText(flag.adjusted(10, 4, -4, -20), Qt::AlignLeft | Qt::AlignVCenter, first);
  p.setFont(uiFont(8.5));
  p.setPen(theme().mute);
  p.drawText(flag.adjusted(10, 20, -4, -3), Qt::AlignLeft | Qt::AlignVCenter, second);
}

/// What overlaps in the pose that is shown: the region as dots, the deepest place with its figure.
void Marks::overlaps(QPainter& p) {
  const auto& units = bench_.document().mechanism()->units;
  for (const auto& o : bench_.checks().poseOverlaps()) {
    QColor dot = theme().bad;
    dot.setAlphaF(0.55f);
    p.setPen(Qt::NoPen);
    p.setBrush(dot);
    for (const Vec3& x : o.region) p.drawEllipse(scene_.project(x), 1.8, 1.8);
    if (!(o.depth > 0)) continue;
    const QPointF at = scene_.project(o.point);
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(theme().bad, 1.6));
    p.drawEllipse(at, 8, 8);
    label(p, at + QPointF(12, -10),
          QObject::tr("%1 deep").arg(figureText(o.depth, dimension::kLength, units, 0, accuracyOfPose(bench_))),
          theme().bad);
  }
}

/// How large the common volume is, beside it.
void Marks::commonVolume(QPainter& p) {
  const auto& now = bench_.checks().commonVolume();
  if (!now || !(now->common.volume > 0)) return;
  label(p, scene_.project(now->common.centroid) + QPointF(16, 16),
        QObject::tr("shared volume %1").arg(volumeText(now->common.volume)), theme().bad);
}

/// The least gap of a pair as a dimension between its two places.
void Marks::witnesses(QPainter& p) {
  const auto& units = bench_.document().mechanism()->units;
  const double accuracy = bench_.runs().run() ? bench_.runs().run()->travel->settings().accuracy : 0;
  for (const Witness& w : bench_.checks().witnesses()) {
    const QPointF a = scene_.project(w.a), b = scene_.project(w.b);
    const QColor ink = w.distance > 0 ? theme().accent : theme().bad;
    p.setPen(QPen(theme().field, 4));
    p.drawLine(a, b);
    p.setPen(QPen(ink, 1.8));
    p.drawLine(a, b);
    p.setBrush(ink);
    for (const QPointF& x : {a, b}) p.drawEllipse(x, 3, 3);
    // a selected gauge has its own flag with the figure
    if (std::make_pair(w.linkA, w.linkB) != bench_.selection().chosenPair()) continue;
    label(p, 0.5 * (a + b) + QPointF(12, -12),
          w.distance > 0 ? QObject::tr("gap %1").arg(figureText(w.distance, dimension::kLength, units, 0, accuracy))
                         : QObject::tr("no gap"),
          ink);
  }
}

void Marks::label(QPainter& p, const QPointF& at, const QString& text, const QColor& ink) {
  p.setFont(uiFont(9, QFont::DemiBold));
  QRectF flag(at.x(), at.y() - 11, p.fontMetrics().horizontalAdvance(text) + 16, 22);
  if (flag.right() > scene_.width() - 8) flag.moveRight(at.x() - 24);
  p.setBrush(theme().field);
  p.setPen(QPen(ink, 1));
  p.drawRoundedRect(flag, 6, 6);
  p.setPen(ink);
  p.drawText(flag, Qt::AlignCenter, text);
}

/// Seats as small marks with the direction of their axis; broken ones with a cross and where they were.
void Marks::seats(QPainter& p) {
  const auto& m = *bench_.document().mechanism();
  const auto& r = bench_.solution().resolved();
  const Theme& t = theme();
  const bool all =
      scene_.shows(Scene::Mark::seats) &&
      (scene_.isPicking() || bench_.selection().stage() == Stage::shape || bench_.selection().stage() == Stage::join);
  for (std::size_t l = 0; l < r.links.size() && l < bench_.pose().poses().size(); ++l)
    for (std::size_t i = 0; i < r.links[l].seats.size(); ++i) {
      const auto& seat = *m.links[l]->seats[i];
      const bool chosen = bench_.selection().isSelected(seat.id);
      const bool ofChosen = bench_.selection().isSelected(r.links[l].id);
      if (!seat.broken && !chosen && !(all && (ofChosen || scene_.isPicking()))) continue;
      if (m.links[l]->hidden) continue;
      const Pose f = bench_.pose().poses()[l] * r.links[l].seats[i].frame;
      const QPointF at = scene_.project(f.p), along = scene_.project(f.p + f.R.col(2) * 18 * scene_.scale());
      targets_.push_back({seat.id, QPolygonF({at}), 7});
      const QColor c = seat.broken ? t.bad : chosen ? t.accent : t.mute;
      p.setPen(QPen(c, chosen ? 2 : 1.2));
      p.drawLine(at, along);
      p.setBrush(t.panel);
      if (seat.broken) {
        p.drawEllipse(at, 8, 8);
        p.drawLine(at + QPointF(-4, -4), at + QPointF(4, 4));
        p.drawLine(at + QPointF(-4, 4), at + QPointF(4, -4));
      } else {
        p.drawEllipse(at, 3.2, 3.2);
      }
      if (!chosen && !seat.broken) continue;
      const QString name = seat.broken ? QObject::tr("%1 was here").arg(QString::fromStdString(seat.name))
                                       : QString::fromStdString(seat.name);
      p.setFont(uiFont(8.5, QFont::DemiBold));
      p.drawText(at + QPointF(12, -6), name);
    }
}

std::vector<Marks::Handle> Marks::handles() const {
  std::vector<Handle> out;
  if (bench_.selection().stage() != Stage::join || bench_.selection().ids().size() != 1 || !bench_.solution().home())
    return out;
  const auto& r = bench_.solution().resolved();
  for (std::size_t i = 0; i < r.joints.size(); ++i) {
    const auto& j = r.joints[i];
    if (j.id != bench_.selection().ids()[0]) continue;
    const auto& info = infoOf(j.kind);
    const Pose seat = bench_.pose().poses()[static_cast<std::size_t>(j.linkA)] * j.seatA * j.offset;
    std::size_t v = 0;
    for (const Motion motion : info.motions) {
      if (v >= info.values.size()) break;
      const std::size_t value = v;
      v += motion == Motion::ball ? 3 : motion == Motion::surface ? 2 : 1;
      const bool turn = motion == Motion::turnX || motion == Motion::turnY || motion == Motion::turnZ;
      const bool slide = motion == Motion::slideX || motion == Motion::slideY || motion == Motion::slideZ;
      if (!turn && !slide) continue;
      Pose frame = seat;
      if (motion == Motion::turnX || motion == Motion::slideX) frame.R = frame.R * rotationAbout(1, kPi / 2);
      if (motion == Motion::turnY || motion == Motion::slideY) frame.R = frame.R * rotationAbout(0, -kPi / 2);
      const auto add = [&](int which, const std::optional<double>& x) {
        if (!x) return;
        Handle h{j.id, info.values[value].name, which, frame, turn, *x, {}};
        const double reach = 58 * scene_.scale();
        h.at = turn ? scene_.project(frame * Vec3(reach * std::cos(*x), reach * std::sin(*x), 0))
                    : scene_.project(frame * Vec3(0, 0, *x));
        out.push_back(h);
      };
      add(0, j.low[value]);
      add(1, j.high[value]);
      add(2, j.home[value]);
    }
  }
  return out;
}

std::optional<Marks::Handle> Marks::handleAt(const QPointF& at) const {
  for (const Handle& h : handles())
    if (std::hypot(h.at.x() - at.x(), h.at.y() - at.y()) < 9) return h;
  return std::nullopt;
}

void Marks::drag(const Handle& h, const QPointF& to) {
  Vec3 origin, direction;
  scene_.ray(to, origin, direction);
  const auto& units = bench_.document().mechanism()->units;
  double value = 0;
  if (h.turn) {
    const Vec3 n = h.frame.R.col(2);
    if (std::abs(n.dot(direction)) < 1e-3) return;  // seen edge on
    const Vec3 p = origin + direction * (n.dot(h.frame.p - origin) / n.dot(direction));
    const Vec3 local = h.frame.inverse() * p;
    value = std::atan2(local.y(), local.x());
    value += 2 * kPi * std::round((h.now - value) / (2 * kPi));  // stops may lie beyond a turn
    value = std::round(value * 180 / kPi) * kPi / 180;
  } else {
    // the point of the axis that is nearest to the ray
    const Vec3 axis = h.frame.R.col(2), d = direction.normalized(), w = h.frame.p - origin;
    const double b = axis.dot(d), below = 1 - b * b;
    if (below < 1e-6) return;
    value = (b * d.dot(w) - axis.dot(w)) / below;
    const double step = std::pow(10, std::ceil(std::log10(std::max(1e-9, scene_.scale()))));
    value = std::round(value / step) * step;
  }
  const Dimension dimension = h.turn ? dimension::kAngle : dimension::kLength;
  const Field field(std::round(value / units.factor(dimension) * 1e6) / 1e6);
  bench_.document().apply(h.which == 2 ? QObject::tr("Move home value") : QObject::tr("Move stop"),
                          changedJoint(*bench_.document().mechanism(), h.joint,
                                       [&](Joint& j) {
                                         if (h.which == 2)
                                           j.home[h.value] = field;
                                         else
                                           (h.which == 0 ? j.stops[h.value].low : j.stops[h.value].high) = field;
                                       }),
                          kMergeStop);
}

void Marks::stops(QPainter& p) {
  const Theme& t = theme();
  const auto all = handles();
  // an arc or a line between both stops of a value
  for (const Handle& low : all) {
    if (low.which != 0) continue;
    for (const Handle& high : all) {
      if (high.which != 1 || high.value != low.value) continue;
      QPolygonF line;
      const double reach = 58 * scene_.scale();
      for (int i = 0; i <= 48; ++i) {
        const double x = low.now + (high.now - low.now) * i / 48;
        line << scene_.project(low.turn ? low.frame * Vec3(reach * std::cos(x), reach * std::sin(x), 0)
                                        : low.frame * Vec3(0, 0, x));
      }
      p.setPen(QPen(t.accent, 2.2, Qt::SolidLine, Qt::RoundCap));
      p.setBrush(Qt::NoBrush);
      p.drawPolyline(line);
    }
  }
  const auto& units = bench_.document().mechanism()->units;
  for (const Handle& h : all) {
    const Dimension d = h.turn ? dimension::kAngle : dimension::kLength;
    p.setPen(QPen(t.panel, 1.5));
    p.setBrush(h.which == 2 ? t.ink : t.accent);
    if (h.which == 2)
      p.drawEllipse(h.at, 5, 5);
    else
      p.drawRoundedRect(QRectF(h.at.x() - 5, h.at.y() - 5, 10, 10), 2, 2);
    const QString what = h.which == 0 ? QObject::tr("low") : h.which == 1 ? QObject::tr("high") : QObject::tr("home");
    const QString text =
        QStringLiteral("%1 %2 %3")
            .arg(what, QString::fromStdString(formatNumber(std::round(h.now / units.factor(d) * 1e3) / 1e3)),
                 QString::fromStdString(units.label(d)));
    // to the left: the joint's own flag stands on the right
    p.setFont(uiFont(8));
    const QRectF box = p.fontMetrics().boundingRect(text).adjusted(0, 0, 12, 5);
    const QRectF flag(h.at.x() - 12 - box.width(), h.at.y() - box.height() / 2, box.width(), box.height());
    p.setPen(QPen(t.line, 1));
    p.setBrush(t.panel);
    p.drawRoundedRect(flag, 4, 4);
    p.setPen(t.ink);
    p.drawText(flag, Qt::AlignCenter, text);
  }
}

int Marks::ghostAt(const QPointF& at) const {
  if (bench_.pose().ghosts().size() != ghostLabels_.size()) return -1;
  for (std::size_t g = 0; g < ghostLabels_.size(); ++g)
    if (ghostLabels_[g].contains(at)) return static_cast<int>(g);
  return -1;
}

Id Marks::objectAt(const QPointF& at) const {
  for (auto t = targets_.rbegin(); t != targets_.rend(); ++t) {
    if (t->line.size() == 1) {
      if (QLineF(t->line[0], at).length() <= t->reach) return t->object;
      continue;
    }
    for (int i = 1; i < t->line.size(); ++i) {
      const QPointF a = t->line[i - 1], d = t->line[i] - a;
      const double length2 = QPointF::dotProduct(d, d);
      const double share = length2 > 0 ? std::clamp(QPointF::dotProduct(at - a, d) / length2, 0.0, 1.0) : 0.0;
      if (QLineF(a + share * d, at).length() <= t->reach) return t->object;
    }
  }
  return 0;
}

/// Other ways to close at home, as lines; their labels are there to be clicked.
void Marks::ghosts(QPainter& p) {
  const auto& list = bench_.pose().ghosts();
  ghostLabels_.clear();
  for (std::size_t g = 0; g < list.size(); ++g) {
    QColor c = theme().curve[g % 6];
    c.setAlphaF(0.75f);
    p.setPen(QPen(c, 1.2, Qt::DashLine));
    p.setBrush(Qt::NoBrush);
    Vec3 mark = Vec3::Zero();
    bool any = false;
    for (std::size_t l = 0; l < list[g].size() && l < bench_.pose().poses().size(); ++l) {
      const Pose &a = list[g][l], &b = bench_.pose().poses()[l];
      if ((a.p - b.p).norm() + (a.R - b.R).norm() < 1e-7) continue;
      for (const auto& line : scene_.linesOfLink(static_cast<int>(l), a)) {
        QPolygonF poly;
        for (const Vec3& v : line) poly << scene_.project(v);
        p.drawPolyline(poly);
        mark = line.front();
        any = true;
      }
    }
    if (!any) {
      ghostLabels_.emplace_back();
      continue;
    }
    p.setFont(uiFont(8.5, QFont::DemiBold));
    const QString text = QObject::tr("mode %1").arg(g + 2);
    QRectF box(scene_.project(mark) + QPointF(6, -22),
               QSizeF(p.fontMetrics().horizontalAdvance(text) + 12.0, p.fontMetrics().height() + 4.0));
    // within the view, wherever the way itself goes; labels that share a place stand under one another
    const QRectF view = QRectF(scene_.rect()).adjusted(4, 4, -4, -4);
    box.moveLeft(std::clamp(box.left(), view.left(), std::max(view.left(), view.right() - box.width())));
    box.moveTop(std::clamp(box.top(), view.top(), std::max(view.top(), view.bottom() - box.height())));
    for (bool moved = true; moved;) {
      moved = false;
      for (const QRectF& other : ghostLabels_)
        if (other.intersects(box)) {
          box.moveTop(other.bottom() + 2);
          moved = true;
        }
    }
    ghostLabels_.push_back(box);
    p.setPen(QPen(c, 1.2));
    p.setBrush(theme().panel);
    p.drawRoundedRect(box, 4, 4);
    p.setPen(theme().ink);
    p.drawText(box, Qt::AlignCenter, text);
  }
}

}  // namespace cooperage::app
