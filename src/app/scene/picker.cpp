// SPDX-License-Identifier: GPL-3.0-or-later
#include "picker.h"

#include <QPainter>
#include <algorithm>
#include <cmath>

#include "../theme.h"
#include "../workbench/link_geometry.h"
#include "plane_picks.h"
#include "scene.h"
#include "shape/refresh.h"
// OCCT last
#include <BRep_Tool.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Vertex.hxx>

namespace cooperage::app {

using namespace model;

model::Place toPlace(const PickedPlace& pick) {
  Place p;
  p.link = pick.link;
  p.name = (pick.of.isEmpty() ? pick.word : pick.of).toStdString();
  p.at = pick.at;
  p.axis = pick.axis;
  p.ref = pick.ref;
  p.seat = pick.seat;
  p.curve = pick.curve;
  if (pick.hit.part.IsNull() || !pick.hit.solid) return p;
  SeatSource s;
  s.body = pick.hit.body;
  s.word = pick.along == 0 ? pick.word.toStdString() : shape::kAxisMiddle;
  s.inFeature.p.z() = pick.along;
  s.feature = shape::featureOf(pick.hit.solid->shape, pick.hit.part);
  p.source = s;
  int index = 0;
  for (TopExp_Explorer e(pick.hit.solid->shape, TopAbs_FACE); e.More(); e.Next(), ++index)
    if (e.Current().IsSame(pick.hit.part)) p.face = index;
  return p;
}

void Picker::clear() {
  candidates_.clear();
  outline_.clear();
  present_ = -1;
  nearest_ = 0;
  keep_ = false;
  stepped_ = false;
}

const PickedPlace* Picker::present() const {
  return present_ < 0 ? nullptr : &candidates_[static_cast<std::size_t>(present_)];
}

bool Picker::passes(const PickedPlace& p) const {
  if (p.seat) return true;
  const auto& kind = p.feature.kind;
  if (kind == model::FeatureKind::cylinder || kind == model::FeatureKind::cone || kind == model::FeatureKind::torus)
    return p.word == "centre" ? filter_.points || filter_.axes : filter_.axes;
  if (kind == model::FeatureKind::plane) return p.word == "middle" ? filter_.planes : filter_.points;
  if (kind == model::FeatureKind::circle) return filter_.points || filter_.axes;
  return filter_.points;
}

void Picker::add(PickedPlace&& p) {
  if (!passes(p)) return;
  for (const PickedPlace& k : candidates_)
    if (k.link == p.link && (k.at - p.at).norm() < 1e-8 &&
        std::abs(k.axis.normalized().dot(p.axis.normalized())) > 1 - 1e-9)
      return;
  candidates_.push_back(std::move(p));
}

/// Where the seam of a bore meets its rim is no corner: it stands for the rim.
Hit Picker::rimOf(const Hit& hit) const {
  if (pieces_ || hit.part.ShapeType() != TopAbs_VERTEX || !hit.solid) return hit;
  for (TopExp_Explorer e(hit.solid->shape, TopAbs_EDGE); e.More(); e.Next()) {
    const TopoDS_Edge edge = TopoDS::Edge(e.Current());
    const TopoDS_Vertex first = TopExp::FirstVertex(edge);
    if (first.IsNull() || !first.IsSame(hit.part) || !first.IsSame(TopExp::LastVertex(edge))) continue;
    Hit rim = hit;
    rim.part = edge;
    return rim;
  }
  return hit;
}

void Picker::addPlaces(const Hit& from) {
  if (from.part.IsNull()) return;
  const Hit hit = rimOf(from);
  bool seam = false;
  if (!pieces_ && hit.part.ShapeType() == TopAbs_EDGE && hit.solid) {
    // the rim or the seam of a bore stands for the bore
    for (const TopoDS_Face& face : shape::facesBeside(hit.solid->shape, TopoDS::Edge(hit.part))) {
      const auto kind = shape::featureOf(face).kind;
      if (kind != FeatureKind::cylinder && kind != FeatureKind::cone) continue;
      const bool closes = BRep_Tool::IsClosed(TopoDS::Edge(hit.part), face);
      if (!closes && shape::featureOf(hit.part).kind != FeatureKind::circle) continue;
      Hit whole = hit;
      whole.part = face;
      addSnaps(whole, !closes);
      seam = seam || closes;
    }
  }
  if (!seam) addSnaps(hit, false);
}

/// The rounding of an eye about its bore stands for the bore.
Hit Picker::boreOf(const Hit& hit) const {
  const Feature feature = shape::featureOf(hit.part);
  if (feature.kind != FeatureKind::cylinder || feature.inward || !hit.solid) return hit;
  const Vec3 z = feature.axis.normalized();
  for (const shape::RoundFace& f : *bench_.shapes().store().rounds(hit.solid)) {
    if (!f.inward || f.cone) continue;
    const auto off = [&](const Vec3& p) { return (p - feature.at - (p - feature.at).dot(z) * z).norm(); };
    if (off(f.low) > 1e-6 || off(f.high) > 1e-6) continue;
    Hit bore = hit;
    int index = 0;
    for (TopExp_Explorer e(hit.solid->shape, TopAbs_FACE); e.More(); e.Next(), ++index)
      if (index == f.index) bore.part = e.Current();
    return bore;
  }
  return hit;
}

void Picker::addSnaps(const Hit& from, bool axisOnly) {
  const Hit hit = pieces_ ? from : boreOf(from);
  const Feature feature = shape::featureOf(hit.part);
  for (const auto& s : shape::snapsOf(hit.part)) {
    PickedPlace p;
    p.link = hit.link;
    p.word = QString::fromStdString(s.word);
    p.of = QString::fromStdString(shape::wordsFor(feature));
    p.at = hit.placement * s.at;
    p.axis = hit.placement.R * s.axis;
    p.ref = hit.placement.R * s.ref;
    p.hit = hit;
    p.feature = feature;
    const bool middle = s.word == shape::kAxisMiddle;
    if (axisOnly && !middle) continue;
    if (middle) addMiddleOfAll(hit, p);
    add(std::move(p));
  }
}

/// Two cheeks or a fork have one bore: the middle over all its pieces.
void Picker::addMiddleOfAll(const Hit& hit, const PickedPlace& own) {
  if (own.feature.kind != FeatureKind::cylinder || !hit.solid) return;
  shape::RoundFace like;
  like.radius = own.feature.radius;
  like.inward = own.feature.inward;
  const Vec3 axis = own.axis.normalized();
  const auto span = shape::spanOf(roundsOf(bench_, hit.link), own.at, axis, &like);
  if (!span || span->pieces < 2) return;
  PickedPlace all = own;
  all.along = 0.5 * (span->low + span->high);
  all.at += all.along * axis;
  all.word = QObject::tr("middle of all %1").arg(span->pieces);
  add(std::move(all));
}

/// Points and straight lines of links that are drawn as lines: points look along the normal of their plane.
void Picker::addOutlines(const QPointF& at) {
  for (const PickUnder& u : picksUnder(bench_, scene_, at)) {
    if (u.pick.seat != 0 || u.pick.kind == PlanePick::Kind::curve) continue;
    const bool line = u.pick.kind == PlanePick::Kind::line;
    PickedPlace p;
    p.link = u.pick.link;
    p.word = QString::fromStdString(u.pick.name);
    p.of = u.word;
    p.at = u.pick.at;
    p.axis = line ? u.pick.along : u.pick.normal;
    p.ref = line ? u.pick.normal : u.pick.along;
    p.feature.kind = line ? FeatureKind::line : FeatureKind::corner;
    add(std::move(p));
  }
}

/// Seats that are there already answer too, so that several joints can use one.
void Picker::addSeats(const QPointF& at) {
  if (!scene_.shows(Scene::Mark::seats)) return;
  const auto& r = bench_.solution().resolved();
  for (std::size_t l = 0; l < r.links.size() && l < bench_.pose().poses().size(); ++l)
    for (const auto& s : r.links[l].seats) {
      const Pose f = bench_.pose().poses()[l] * s.frame;
      const QPointF d = scene_.project(f.p) - at;
      if (std::hypot(d.x(), d.y()) > 8) continue;
      PickedPlace p;
      p.link = r.links[l].id;
      p.word = QObject::tr("seat");
      p.of = QString::fromStdString(s.name);
      p.at = f.p;
      p.axis = f.R.col(2);
      p.ref = f.R.col(0);
      p.seat = s.id;
      candidates_.push_back(std::move(p));
    }
}

void Picker::takeNearest(const QPointF& at, int among) {
  constexpr double kNear = 10, kFar = 1e4;  // pixels
  double best = 1e300;
  present_ = -1;
  // of a bore or a pin its middle, unless the pointer is on another of its places; else the nearest
  const bool round = among > 0 && !keep_ && !pieces_ && candidates_[0].feature.kind == FeatureKind::cylinder;
  for (int i = 0; i < among; ++i) {
    const QPointF d = scene_.project(candidates_[static_cast<std::size_t>(i)].at) - at;
    double distance = std::hypot(d.x(), d.y());
    if (round && i == 0 && distance > kNear) distance = kNear;
    if (round && i > 0 && distance >= kNear) distance += kFar;
    distance += 0.01 * i;
    if (distance < best) {
      best = distance;
      present_ = i;
    }
  }
}

void Picker::hover(const QPointF& at) {
  // a hand that trembles does not undo a step through the list
  if (stepped_ && std::hypot(at.x() - at_.x(), at.y() - at_.y()) < 4) return;
  at_ = at;
  stepped_ = false;
  if (keep_) {
    takeNearest(at, static_cast<int>(candidates_.size()));
    return;
  }
  candidates_.clear();
  outline_.clear();
  std::vector<Hit> hits = scene_.hitsAt(at);
  // a corner answers from afar, but is meant only by a pointer that is on it
  constexpr double kOnIt = 4;  // pixels
  std::stable_partition(hits.begin(), hits.end(), [&](const Hit& h) {
    if (h.part.IsNull() || h.part.ShapeType() != TopAbs_VERTEX) return true;
    const Hit whole = rimOf(h);
    if (!whole.part.IsSame(h.part)) return true;
    const gp_Pnt p = BRep_Tool::Pnt(TopoDS::Vertex(h.part));
    const QPointF there = scene_.project(h.placement * (Vec3(p.X(), p.Y(), p.Z()) * 1e-3));
    return QLineF(there, at).length() <= kOnIt;
  });
  std::stable_partition(hits.begin(), hits.end(), [&](const Hit& h) { return h.link != last_; });
  for (std::size_t i = 0; i < hits.size(); ++i) {
    addPlaces(hits[i]);
    if (i > 0) continue;
    nearest_ = static_cast<int>(candidates_.size());
    if (hits[i].part.IsNull()) continue;
    outline_ = shape::linesOf(hits[i].part);
    for (auto& line : outline_)
      for (Vec3& p : line) p = hits[i].placement * p;
  }
  if (hits.empty()) nearest_ = 0;
  addOutlines(at);
  if (hits.empty()) nearest_ = static_cast<int>(candidates_.size());
  addSeats(at);
  takeNearest(at, nearest_);
  if (present_ < 0 && !candidates_.empty()) present_ = 0;
}

void Picker::step(int by) {
  const int n = static_cast<int>(candidates_.size());
  if (n == 0) return;
  present_ = ((present_ + by) % n + n) % n;
  stepped_ = true;
}

void Picker::setKeep(bool keep) { keep_ = keep && !candidates_.empty(); }

namespace {

void flag(QPainter& p, const QPointF& at, const QString& text, const QColor& fill, const QColor& ink, double right) {
  p.setFont(uiFont(8.5, QFont::DemiBold));
  const QRectF box = p.fontMetrics().boundingRect(text).adjusted(0, 0, 14, 6);
  QRectF place(at.x() + 10, at.y() + 8, box.width(), box.height());
  if (place.right() > right - 4) place.moveRight(at.x() - 10);
  p.setPen(Qt::NoPen);
  p.setBrush(fill);
  p.drawRoundedRect(place, 5, 5);
  p.setPen(ink);
  p.drawText(place, Qt::AlignCenter, text);
}

}  // namespace

void Picker::paint(QPainter& p, const std::vector<PickedPlace>& chosen) const {
  const Theme& t = theme();
  p.setPen(QPen(t.accent, 2.2, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
  p.setBrush(Qt::NoBrush);
  for (const auto& line : outline_) {
    QPolygonF poly;
    for (const Vec3& v : line) poly << scene_.project(v);
    p.drawPolyline(poly);
  }
  const auto dot = [&](const PickedPlace& place, bool strong, const QColor& c) {
    const QPointF at = scene_.project(place.at);
    if (strong) {
      p.setPen(QPen(c, 2, Qt::SolidLine, Qt::RoundCap));
      p.drawLine(at, scene_.project(place.at + place.axis.normalized() * 34 * scene_.scale()));
    }
    p.setPen(QPen(t.panel, 1.5));
    p.setBrush(c);
    p.drawEllipse(at, strong ? 5.5 : 3.5, strong ? 5.5 : 3.5);
  };
  const double right = scene_.width();
  for (const auto& c : chosen) {
    dot(c, true, t.curve[1]);
    flag(p, scene_.project(c.at), c.word, t.curve[1], t.panel, right);
  }
  std::vector<QRectF> plates;  // words that would lie over one another are left out
  if (const PickedPlace* now = present()) {
    const QPointF at = scene_.project(now->at);
    plates.push_back(QRectF(at.x() - 8, at.y() - 8, 190, 36));
  }
  const int shown = keep_ ? static_cast<int>(candidates_.size()) : std::max(nearest_, 0);
  for (int i = 0; i < static_cast<int>(candidates_.size()); ++i) {
    const auto& c = candidates_[static_cast<std::size_t>(i)];
    if (i == present_ || (i >= shown && !c.seat)) continue;
    dot(c, false, t.accent);
    p.setFont(uiFont(8));
    const QRectF word = p.fontMetrics().boundingRect(c.word).adjusted(0, 0, 8, 2);
    const QRectF plate(scene_.project(c.at) + QPointF(7, -4 - word.height() / 2), word.size());
    if (std::any_of(plates.begin(), plates.end(), [&](const QRectF& r) { return r.intersects(plate); })) continue;
    plates.push_back(plate);
    QColor ground = t.panel;
    ground.setAlphaF(0.8f);
    p.setPen(Qt::NoPen);
    p.setBrush(ground);
    p.drawRoundedRect(plate, 3, 3);
    p.setPen(t.ink);
    p.drawText(plate, Qt::AlignCenter, c.word);
  }
  if (const PickedPlace* now = present()) {
    dot(*now, true, t.accent);
    QString text = now->of.isEmpty() ? now->word : now->of + QStringLiteral(", ") + now->word;
    if (present_ >= nearest_ && !now->seat) {
      const auto link = findLink(*bench_.document().mechanism(), now->link);
      text = (link ? QString::fromStdString(link->name) : QString()) + QStringLiteral(": ") + text;
    }
    if (candidates_.size() > 1) text += QStringLiteral("   %1/%2").arg(present_ + 1).arg(candidates_.size());
    flag(p, scene_.project(now->at), text, t.ink, t.panel, right);
  }
}

}  // namespace cooperage::app
