// SPDX-License-Identifier: GPL-3.0-or-later
#include "lane_painter.h"

#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

#include "../text.h"
#include "../theme.h"

namespace cooperage::app {

namespace {
QColor faint(QColor c, double alpha) {
  c.setAlphaF(static_cast<float>(alpha));
  return c;
}

/// Round step so that about `count` ticks fit.
double niceStep(double span, int count, bool degrees) {
  if (!(span > 0)) return 1;
  const double raw = span / count;
  if (degrees)
    for (double s : {1.0, 2.0, 5.0, 10.0, 15.0, 30.0, 45.0, 60.0, 90.0, 180.0, 360.0})
      if (s >= raw && raw > 0.5) return s;
  const double power = std::pow(10.0, std::floor(std::log10(raw)));
  for (double s : {1.0, 2.0, 5.0, 10.0})
    if (s * power >= raw) return s * power;
  return 10 * power;
}
}  // namespace

void LanePainter::lane(const Lane& lane, const std::vector<model::Id>& chosen) {
  const Theme& t = theme();
  p_.setPen(QPen(t.line, 1));
  p_.drawLine(QPointF(0, lane.top + lane.height - 0.5), QPointF(view_.width, lane.top + lane.height - 0.5));
  const bool isChosen = std::any_of(chosen.begin(), chosen.end(), [&](model::Id id) {
    return id == lane.id ||
           std::any_of(lane.curves.begin(), lane.curves.end(), [&](const auto& c) { return c.gauge == id; });
  });
  if (isChosen) p_.fillRect(QRectF(0, lane.top, view_.left - 8, lane.height - 1), t.accentTint);
  const bool two = lane.kind != Lane::bars && lane.kind != Lane::marks && lane.height >= 32;
  const QRectF name(12, lane.top + (two ? 4 : 2), view_.left - 22, two ? 15 : lane.height - 4);
  p_.setFont(uiFont(8.6, QFont::DemiBold));
  if (lane.curves.size() > 1) {  // each in the colour of its curve
    double x = name.left();
    for (const auto& c : lane.curves) {
      p_.setPen(c.colour);
      const QString text = p_.fontMetrics().elidedText(c.title, Qt::ElideRight, static_cast<int>(name.right() - x));
      p_.drawText(QRectF(x, name.top(), name.right() - x, name.height()), Qt::AlignVCenter | Qt::AlignLeft, text);
      x += p_.fontMetrics().horizontalAdvance(text) + 8;
      if (x > name.right() - 20) break;
    }
  } else {
    p_.setPen(lane.kind == Lane::bars ? t.bad : lane.kind == Lane::marks ? lane.colour : t.ink);
    p_.drawText(name, Qt::AlignVCenter | Qt::AlignLeft,
                p_.fontMetrics().elidedText(lane.title, Qt::ElideRight, static_cast<int>(name.width())));
  }
  if (lane.kind == Lane::bars || lane.kind == Lane::marks) return;
  p_.save();
  p_.setClipRect(QRectF(view_.left, lane.top, view_.right - view_.left + 2, lane.height), Qt::IntersectClip);
  bands(lane);
  const QRectF b = box(lane);
  if (lane.low < 0 && lane.high > 0) {
    p_.setPen(QPen(t.line, 1, Qt::DashLine));
    p_.drawLine(QPointF(b.left(), yOf(lane, 0)), QPointF(b.right(), yOf(lane, 0)));
  }
  for (const auto& c : lane.curves) {
    p_.setBrush(Qt::NoBrush);
    if (!c.over.x.empty()) {
      p_.setPen(QPen(t.mute, 1.3, Qt::DashLine));
      curve(lane, c.over);
    }
    if (!c.before.x.empty()) {
      p_.setPen(QPen(faint(c.colour, 0.55), 1));
      curve(lane, c.before);
    }
    p_.setPen(QPen(c.colour, 1.8));
    curve(lane, c.now);
    if (isChosen) features(lane, c);
  }
  if (lane.kind == Lane::programme) programme(lane);
  p_.restore();
}

/// No more points than pixels ask for: of the samples that fall on one pixel, the first, the least, the greatest and
/// the last are drawn, so that no peak is lost.
void LanePainter::curve(const Lane& lane, const kinematics::Samples& s) {
  const std::size_t n = std::min(s.x.size(), s.y.size());
  if (n == 0) return;
  const bool rising = s.x[n - 1] >= s.x[0];
  const auto before = [&](double a, double b) { return rising ? a < b : a > b; };
  const double first = std::min(view_.from, view_.to), last = std::max(view_.from, view_.to);
  std::size_t begin = 0, end = n;
  if (n > 2) {
    const auto x = s.x.begin();
    begin = static_cast<std::size_t>(
        std::lower_bound(x, x + static_cast<std::ptrdiff_t>(n), rising ? first : last, before) - x);
    end = static_cast<std::size_t>(
        std::upper_bound(x, x + static_cast<std::ptrdiff_t>(n), rising ? last : first, before) - x);
    begin = begin > 0 ? begin - 1 : 0;
    end = std::min(n, end + 1);
  }
  QPolygonF line;
  // in short pieces: the stroke of one long line costs far more than its parts
  constexpr int kPiece = 48;
  const auto flush = [&] {
    for (int from = 0; from + 1 < line.size(); from += kPiece)
      p_.drawPolyline(line.constData() + from, std::min<int>(kPiece + 1, static_cast<int>(line.size()) - from));
    line.clear();
  };
  const double unit = (lane.high - lane.low) > 0 ? 1 : 0;
  if (unit == 0) return;
  for (std::size_t i = begin; i < end;) {
    if (!std::isfinite(s.y[i])) {
      flush();
      ++i;
      continue;
    }
    const double px = view_.xOf(s.x[i]);
    std::size_t k = i, low = i, high = i;
    while (k + 1 < end && std::isfinite(s.y[k + 1]) && std::abs(view_.xOf(s.x[k + 1]) - px) < 1) {
      ++k;
      if (s.y[k] < s.y[low]) low = k;
      if (s.y[k] > s.y[high]) high = k;
    }
    const auto add = [&](std::size_t j) { line << QPointF(view_.xOf(s.x[j]), yOf(lane, s.y[j])); };
    add(i);
    // what lies between the first and the last of a pixel shows nothing
    const double edge = 0.3 * (lane.high - lane.low) / std::max(1.0, lane.height);
    const bool peaks = s.y[low] < std::min(s.y[i], s.y[k]) - edge || s.y[high] > std::max(s.y[i], s.y[k]) + edge;
    if (k > i + 1 && peaks) {
      add(std::min(low, high));
      add(std::max(low, high));
    }
    if (k > i && (peaks || k + 1 >= end)) add(k);
    i = k + 1;
  }
  flush();
}

void LanePainter::bands(const Lane& lane) {
  const Theme& t = theme();
  const QRectF b = box(lane);
  for (const Band& band : lane.bands) {
    if (!band.shown) continue;
    const double top = band.high ? std::clamp(yOf(lane, *band.high), b.top(), b.bottom()) : b.top();
    const double bottom = band.low ? std::clamp(yOf(lane, *band.low), b.top(), b.bottom()) : b.bottom();
    p_.fillRect(QRectF(b.left(), top, b.width(), std::max(2.0, bottom - top)), faint(t.ok, 0.09));
    p_.setPen(QPen(faint(t.ok, 0.8), 1, Qt::DashLine));
    if (band.high && *band.high > lane.low && *band.high < lane.high)
      p_.drawLine(QPointF(b.left(), top), QPointF(b.right(), top));
    if (band.low && *band.low > lane.low && *band.low < lane.high)
      p_.drawLine(QPointF(b.left(), bottom), QPointF(b.right(), bottom));
    for (const Violation& v : band.violations) {
      const double x0 = view_.xOf(v.from), x1 = view_.xOf(v.to);
      const QRectF bad(std::min(x0, x1), b.top(), std::max(2.0, std::abs(x1 - x0)), b.height());
      p_.fillRect(bad, faint(t.bad, 0.10));
      p_.setPen(QPen(t.bad, 1.4));
      p_.drawLine(bad.topLeft(), bad.bottomLeft());
      p_.drawLine(bad.topRight(), bad.bottomRight());
    }
  }
}

/// Extremes and dwells of a curve that is chosen.
void LanePainter::features(const Lane& lane, const LaneCurve& c) {
  if (!c.readings || lane.height < 40) return;
  const Theme& t = theme();
  const auto& r = *c.readings;
  for (const auto& d : r.dwells) {
    const double y = yOf(lane, d.level);
    p_.setPen(QPen(faint(t.ink, 0.35), 5, Qt::SolidLine, Qt::FlatCap));
    p_.drawLine(QPointF(view_.xOf(d.from), y), QPointF(view_.xOf(d.to), y));
  }
  p_.setFont(uiFont(7.8));
  const auto point = [&](double x, double v, bool above) {
    const QPointF at(view_.xOf(x), yOf(lane, v));
    if (at.x() < view_.left || at.x() > view_.right) return;
    p_.setPen(QPen(c.colour, 1.2));
    p_.setBrush(t.panel);
    p_.drawEllipse(at, 2.6, 2.6);
    const QString text = figureText(v, c.dimension, units_, r.range(), c.accuracy);
    const double w = p_.fontMetrics().horizontalAdvance(text) + 6;
    QRectF label(at.x() + 5, above ? at.y() - 3 : at.y() - 11, w, 13);
    label.moveTop(std::clamp(label.top(), lane.top + 1, lane.top + lane.height - 15));
    if (label.right() > view_.right) label.moveRight(at.x() - 5);
    p_.setPen(Qt::NoPen);
    p_.setBrush(faint(t.panel, 0.8));
    p_.drawRoundedRect(label, 3, 3);
    p_.setPen(t.ink);
    p_.drawText(label, Qt::AlignCenter, text);
  };
  point(r.greatestAt, r.greatest, true);
  point(r.leastAt, r.least, false);
}

void LanePainter::programme(const Lane& lane) {
  const Theme& t = theme();
  for (double k : lane.knots) {
    const auto v = kinematics::valueAt(lane.curves.front().now, k);
    p_.setPen(QPen(lane.colour, 1.8));
    p_.setBrush(t.panel);
    p_.drawEllipse(QPointF(view_.xOf(k), yOf(lane, v.value_or(0))), 3.4, 3.4);
  }
  const QRectF b = box(lane);
  for (const auto& [at, word] : lane.jumps) {  // a bolt: no drive follows there
    const double x = std::clamp(view_.xOf(at), b.left() + 4, b.right() - 4), y = b.top() + 1;
    p_.setPen(QPen(t.warn, 1.8));
    p_.drawPolyline(
        QPolygonF({QPointF(x + 2, y), QPointF(x - 3, y + 7), QPointF(x + 2, y + 7), QPointF(x - 3, y + 14)}));
  }
}

void LanePainter::reading(const Lane& lane, const QString& text, const QString& difference, const QString& comparison) {
  if (lane.height < 32) return;
  const Theme& t = theme();
  const double width = view_.left - 22;
  p_.setFont(uiFont(8.4));
  p_.setPen(t.mute);
  p_.drawText(QRectF(12, lane.top + 19, width, 14), Qt::AlignVCenter | Qt::AlignLeft, text);
  if (!comparison.isEmpty()) {
    const double used = p_.fontMetrics().horizontalAdvance(text) + 10;
    p_.setPen(faint(t.mute, 0.85));
    p_.drawText(QRectF(12 + used, lane.top + 19, width - used, 14), Qt::AlignVCenter | Qt::AlignLeft,
                p_.fontMetrics().elidedText(comparison, Qt::ElideRight, static_cast<int>(width - used)));
  }
  if (!difference.isEmpty() && lane.height >= 46) {
    p_.setPen(t.accent);
    p_.drawText(QRectF(12, lane.top + 33, width, 14), Qt::AlignVCenter | Qt::AlignLeft, difference);
  }
}

void LanePainter::bar(const QRectF& bar, bool chosen, bool pending, const std::vector<QPointF>& profile) {
  const Theme& t = theme();
  const QColor colour = pending ? t.mute : t.bad;
  p_.setPen(pending ? QPen(colour, 1.2, Qt::DashLine) : chosen ? QPen(t.ink, 1.6) : QPen(Qt::NoPen));
  const bool heights = profile.size() > 1 && bar.width() > 6;
  p_.setBrush(pending || heights ? faint(colour, heights && !pending ? 0.22 : 0.12) : colour);
  p_.drawRoundedRect(bar, 3, 3);
  p_.save();
  if (heights) {
    QPolygonF depth{bar.bottomLeft()};
    // a fifth of the height is seen even where the overlap only begins
    for (const QPointF& x : profile)
      depth << QPointF(bar.left() + x.x() * bar.width(), bar.bottom() - bar.height() * (0.2 + 0.8 * x.y()));
    depth << bar.bottomRight();
    QPainterPath path;
    path.addPolygon(depth);
    path.closeSubpath();
    if (!pending) p_.fillPath(path, colour);
    p_.setClipPath(path, Qt::IntersectClip);
  } else {
    p_.setClipRect(bar, Qt::IntersectClip);
  }
  p_.setPen(QPen(faint(pending ? colour : t.panel, 0.35), 1.3));
  for (double x = bar.left() - 16; x < bar.right(); x += 9)
    p_.drawLine(QPointF(x, bar.bottom()), QPointF(x + 14, bar.top()));
  p_.restore();
}

void LanePainter::unsure(const QRectF& box) {
  p_.setPen(QPen(theme().warn, 1.2, Qt::DotLine));
  p_.setBrush(QBrush(theme().warn, Qt::Dense6Pattern));
  p_.drawRoundedRect(box, 3, 3);
}

void LanePainter::mark(const QRectF& box, const QColor& colour) {
  p_.setPen(QPen(colour, 1.4));
  p_.setBrush(faint(colour, 0.25));
  p_.drawRoundedRect(box, 3, 3);
}

QString LanePainter::axisText(double value, const Dimension& d) const {
  const double unit = units_.factor(d), span = std::abs(view_.to - view_.from) / unit;
  const int digits = std::clamp(3 - static_cast<int>(std::floor(std::log10(std::max(span, 1e-12)))), 0, 9);
  return withUnit(QString::number(value / unit, 'f', digits), units_.label(d));
}

void LanePainter::axis(const Dimension& d) {
  const Theme& t = theme();
  const double unit = units_.factor(d);
  const bool degrees = d == dimension::kAngle && units_.angle == "deg";
  const double a = view_.from / unit, b = view_.to / unit, low = std::min(a, b), high = std::max(a, b);
  const double step = niceStep(high - low, std::max(2, static_cast<int>((view_.right - view_.left) / 110)), degrees);
  p_.setFont(uiFont(8.2));
  for (double v = std::ceil(low / step - 1e-9) * step; v <= high + 1e-9 * step; v += step) {
    const double x = view_.xOf(v * unit);
    p_.setPen(QPen(faint(t.line, 0.6), 1));
    p_.drawLine(QPointF(x, 0), QPointF(x, view_.bottom));
    p_.setPen(t.mute);
    const QString text = withUnit(QString::number(std::abs(v) < 1e-9 * step ? 0 : v, 'g', 6), units_.label(d));
    QRectF label(x - 40, view_.bottom + 1, 80, 18);
    if (label.right() > view_.width - 4) label.moveRight(view_.width - 4);
    p_.drawText(label, (label.right() >= view_.width - 4 ? Qt::AlignRight : Qt::AlignHCenter) | Qt::AlignVCenter, text);
  }
}

}  // namespace cooperage::app
