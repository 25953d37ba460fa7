// SPDX-License-Identifier: GPL-3.0-or-later
#include "outlines.h"

#include <QPainter>
#include <algorithm>
#include <map>
#include <set>

#include "model/outlines.h"
#include "../theme.h"
#include "scene.h"

namespace cooperage::app {

using namespace model;

namespace {

constexpr double kReach = 5;           // pixels
constexpr std::size_t kSmooth = 4000;  // lines; more are drawn without smoothing
constexpr std::size_t kForget = 4;     // times as many curves as are shown may be known

double distanceTo(const QPointF& a, const QPointF& b, const QPointF& x) {
  const QPointF d = b - a, w = x - a;
  const double n = QPointF::dotProduct(d, d);
  const double t = n > 0 ? std::clamp(QPointF::dotProduct(d, w) / n, 0.0, 1.0) : 0;
  const QPointF off = w - t * d;
  return std::hypot(off.x(), off.y());
}

}  // namespace

const Outlines::Known& Outlines::knownOf(const std::shared_ptr<const Curve>& curve) {
  Known& k = known_[curve.get()];
  const auto& m = bench_.document().mechanism();
  const bool formulas = hasFormula(*curve);
  if (k.curve == curve && (!formulas || k.of == m)) return k;
  k = {};
  k.curve = curve;
  k.of = formulas ? m : nullptr;
  auto outline = outlineOf(*m, *curve);
  if (!outline.ok()) return k;
  k.outline = std::move(outline).value();
  k.box = drawing::boxOf(k.outline);
  k.points = drawing::flattened(k.outline, std::max(1e-7, 5e-4 * k.box.size().norm()));
  for (const auto& piece : k.outline.pieces)  // centres answer the pointer too, however far off they lie
    if (piece.kind == drawing::Piece::Kind::conic) k.box.add(piece.centre);
  return k;
}

Outlines::Line Outlines::lineOf(const std::shared_ptr<const Curve>& curve, const Pose& frame) {
  const Known& k = knownOf(curve);
  Line l;
  l.curve = curve;
  l.frame = frame;
  l.points = &k.points;
  l.outline = &k.outline;
  if (!k.box.empty()) l.middle = 0.5 * (k.box.low + k.box.high);
  l.radius = 0.5 * k.box.size().norm();
  return l;
}

bool Outlines::isNear(const Line& line, const QPointF& at, double reach) const {
  const QPointF m = scene_.project(line.frame * Vec3(line.middle.x(), line.middle.y(), 0));
  return std::hypot(m.x() - at.x(), m.y() - at.y()) <= line.radius / scene_.scale() + reach;
}

std::vector<Outlines::Line> Outlines::lines() {
  std::vector<Line> out;
  const auto& m = *bench_.document().mechanism();
  const auto& r = bench_.solution().resolved();
  const auto& poses = bench_.pose().poses();
  if (poses.size() != r.links.size() || r.links.size() != m.links.size() || r.sheets.size() != m.sheets.size())
    return out;
  const Id alone = scene_.isolated();
  // once there are solids, their lines would only lie over them, at another depth
  const Stage stage = bench_.selection().stage();
  const bool withSolids = stage == Stage::shape || stage == Stage::join;
  for (std::size_t i = 0; i < m.sheets.size(); ++i) {
    const Sheet& s = *m.sheets[i];
    const auto& plane = r.sheets[i];
    if (s.hidden || alone != 0) continue;
    const Pose frame = plane.link < 0 ? plane.frame : poses[static_cast<std::size_t>(plane.link)] * plane.frame;
    for (const auto& c : s.curves) {
      out.push_back(lineOf(c, frame));
      out.back().sheet = s.id;
    }
  }
  for (std::size_t i = 0; i < m.links.size(); ++i) {
    const Link& l = *m.links[i];
    if (l.hidden || (alone != 0 && alone != l.id) || (!withSolids && !l.bodies.empty())) continue;
    for (const auto& c : l.curves) {
      if (!c->outline) continue;
      for (const auto& s : r.links[i].seats)
        if (s.id == c->seat) {
          out.push_back(lineOf(c, poses[i] * s.frame));
          out.back().link = l.id;
          out.back().index = static_cast<int>(i);
        }
    }
  }
  if (known_.size() > kForget * (out.size() + 100)) {
    std::set<const Curve*> shown;
    for (const Line& l : out) shown.insert(l.curve.get());
    for (auto it = known_.begin(); it != known_.end();) it = shown.count(it->first) ? std::next(it) : known_.erase(it);
  }
  return out;
}

void Outlines::paint(QPainter& p) {
  const auto all = lines();
  if (all.empty()) return;
  const auto& m = *bench_.document().mechanism();
  struct Style {
    QPen pen;
    QVector<QLineF> parts;
  };
  std::map<std::tuple<int, int, bool>, Style> styles;  // state, link, chosen
  const auto halo = [&](bool chosen) { return chosen ? 1 : 0; };
  for (const Line& l : all) {
    const bool chosen = bench_.selection().isSelected(l.link != 0 ? l.link : l.curve->id) ||
                        bench_.selection().isSelected(l.curve->id) ||
                        (l.sheet != 0 && bench_.selection().isSelected(l.sheet));
    const int state = l.curve->gone ? 3 : l.link != 0 ? 2 : l.curve->construction ? 1 : 0;
    Style& style = styles[{halo(chosen), state == 2 ? 10 + l.index : state, chosen}];
    if (style.parts.isEmpty()) {
      QColor c = state == 3 ? theme().warn : theme().mute;
      if (state == 2) {
        const auto& own = m.links[static_cast<std::size_t>(l.index)]->colour;
        c = own ? QColor::fromRgbF(static_cast<float>(own->r), static_cast<float>(own->g), static_cast<float>(own->b))
                : linkColour(l.index);
      }
      // where there is a solid, the lines it was made along stand back
      if (!focus_ && l.link != 0 && !m.links[static_cast<std::size_t>(l.index)]->bodies.empty()) c.setAlphaF(0.35f);
      if (focus_ && (l.link == 0 || l.link != *focus_) && l.link != 0) c.setAlphaF(0.3f);
      style.pen = QPen(chosen ? theme().accent : c,
                       chosen       ? 2.6
                       : state == 2 ? 2.2
                                    : 1.3,
                       state == 1 || state == 3 ? Qt::DashLine : Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin);
    }
    QPointF before;
    bool first = true;
    for (const auto& x : *l.points) {
      const QPointF at = scene_.project(l.frame * Vec3(x.x(), x.y(), 0));
      if (!first) style.parts.push_back({before, at});
      before = at;
      first = false;
    }
  }
  p.save();
  p.setRenderHint(QPainter::Antialiasing, all.size() < kSmooth);
  for (auto& [key, style] : styles) {
    if (std::get<2>(key)) {
      p.setPen(QPen(theme().panel, style.pen.widthF() + 3, Qt::SolidLine, Qt::RoundCap));
      p.drawLines(style.parts);
    }
    p.setPen(style.pen);
    p.drawLines(style.parts);
  }
  p.restore();
  paintTexts(p, all);
}

/// What a drawing says, as large as it is drawn; what is too small to be read is left out.
void Outlines::paintTexts(QPainter& p, const std::vector<Line>& all) {
  constexpr double kReadable = 6, kLargest = 200;  // pixels
  const auto& m = *bench_.document().mechanism();
  for (const Line& l : all) {
    if (l.curve->kind != CurveKind::text) continue;
    double v[3] = {0, 0, 0};
    const char* const keys[] = {"x", "y", "height"};
    for (std::size_t i = 0; i < 3; ++i)
      if (const auto f = l.curve->figures.find(keys[i]); f != l.curve->figures.end())
        if (const auto figure = evaluateField(m, f->second, dimension::kLength); figure.ok()) v[i] = *figure;
    const double pixels = v[2] / scene_.scale();
    if (pixels < kReadable || pixels > kLargest) continue;
    const QPointF at = scene_.project(l.frame * Vec3(v[0], v[1], 0));
    QFont font = p.font();
    font.setPixelSize(static_cast<int>(pixels));
    p.setFont(font);
    p.setPen(theme().mute);
    p.drawText(at, QString::fromStdString(l.curve->text));
  }
}

Id Outlines::at(const QPointF& at, Vec3* place) {
  const auto line = lineAt(at, 0, place);
  return !line ? 0 : line->link != 0 ? line->link : line->curve->id;
}

std::optional<Outlines::Line> Outlines::lineAt(const QPointF& at, Id first, Vec3* place) {
  std::optional<Line> found;
  double best = kReach;
  for (const Line& l : lines()) {
    if (!isNear(l, at, kReach)) continue;
    QPointF before;
    for (std::size_t i = 0; i < l.points->size(); ++i) {
      const auto& x = (*l.points)[i];
      const Vec3 space = l.frame * Vec3(x.x(), x.y(), 0);
      const QPointF now = scene_.project(space);
      if (i > 0) {
        // of lines over one another that of the link asked for comes first, then those of links
        const double d = distanceTo(before, now, at) + (first != 0 && l.link == first ? 0 : l.link == 0 ? 0.5 : 0.25);
        if (d < best) {
          best = d;
          found = l;
          if (place) {
            Vec3 origin, way;
            scene_.ray(at, origin, way);
            const Vec3 normal = l.frame.R.col(2);
            const double along = way.dot(normal);
            *place = std::abs(along) > 1e-6 ? Vec3(origin + way * normal.dot(l.frame.p - origin) / along) : space;
          }
        }
      }
      before = now;
    }
  }
  return found;
}

std::vector<Id> Outlines::within(const QRectF& box) {
  std::map<Id, bool> whole;
  std::vector<Id> order;
  for (const Line& l : lines()) {
    if (l.points->empty()) continue;
    const Id id = l.link != 0 ? l.link : l.curve->id;
    const bool inside = std::all_of(l.points->begin(), l.points->end(), [&](const auto& x) {
      return box.contains(scene_.project(l.frame * Vec3(x.x(), x.y(), 0)));
    });
    const auto [it, fresh] = whole.emplace(id, inside);
    if (fresh) order.push_back(id);
    it->second = it->second && inside;
  }
  order.erase(std::remove_if(order.begin(), order.end(), [&](Id id) { return !whole[id]; }), order.end());
  return order;
}

std::vector<Vec3> Outlines::extent(Id link) {
  std::vector<Vec3> out;
  for (const Line& l : lines()) {
    if (link != 0 && l.link != link) continue;
    drawing::Box box;
    for (const auto& x : *l.points) box.add(x);
    if (box.empty()) continue;
    for (const double x : {box.low.x(), box.high.x()})
      for (const double y : {box.low.y(), box.high.y()}) out.push_back(l.frame * Vec3(x, y, 0));
  }
  return out;
}

}  // namespace cooperage::app
