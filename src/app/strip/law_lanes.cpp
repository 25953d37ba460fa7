// SPDX-License-Identifier: GPL-3.0-or-later
#include "law_lanes.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

#include "../theme.h"
#include "kinematics/extremes.h"

namespace cooperage::app {

namespace {
constexpr double kLawNames = 150, kLawRight = 16, kLawAxis = 22, kGap = 6;
}  // namespace

LawLanes::LawLanes(Workbench& bench, QWidget* parent) : QWidget(parent), bench_(bench) {
  setMouseTracking(true);
  setMinimumHeight(150);
}

void LawLanes::lawChanged() {
  if (hasLaw()) sample();
  update();
}

void LawLanes::sample() {
  const double low = low_[0], high = high_[0];
  if (dragged_ < 0) span_ = end() > 0 ? end() : 1;
  samples_.clear();
  const int n = std::max(200, width());
  for (int k = 0; k < 4; ++k) {
    low_[k] = 1e300;
    high_[k] = -1e300;
  }
  for (int i = 0; i <= n; ++i) {
    samples_.push_back(at(end() * i / n));
    for (std::size_t k = 0; k < 4; ++k) {
      low_[k] = std::min(low_[k], samples_.back()[k]);
      high_[k] = std::max(high_[k], samples_.back()[k]);
    }
  }
  for (int k = 0; k < 4; ++k) {
    takePeaks(k);
    const double span = std::max(high_[k] - low_[k], 1e-9);
    low_[k] -= 0.08 * span;
    high_[k] += 0.08 * span;
  }
  if (dragged_ >= 0) {  // the scale of the value stays under the hand
    low_[0] = low;
    high_[0] = high;
  }
}

/// Least and greatest of the law itself, not of what is drawn of it; on both sides of a break.
void LawLanes::takePeaks(int k) {
  kinematics::Course course;
  const double whole = std::max(end(), 1e-12), beside = 1e-9 * whole;
  constexpr int kParts = 240;
  for (int i = 0; i <= kParts; ++i) course.times.push_back(whole * i / kParts);
  course.breaks = knots();
  for (const double b : course.breaks)
    for (const double t : {b - beside, b + beside})
      if (t > 0 && t < whole) course.times.push_back(t);
  std::sort(course.times.begin(), course.times.end());
  course.at = [&](double t) { return at(t)[static_cast<std::size_t>(k)]; };
  for (const double t : course.times) course.values.push_back(course.at(t));
  least_[k] = std::min(low_[k], kinematics::extremeOf(course, -1).value);
  most_[k] = std::max(high_[k], kinematics::extremeOf(course, 1).value);
}

void LawLanes::resizeEvent(QResizeEvent*) {
  if (hasLaw()) sample();
}

QRectF LawLanes::lane(int n) const {
  // the value is taller: its knots are dragged
  const double whole = height() - head_ - kLawAxis - 3 * kGap - 6, unit = whole / 4.6;
  const double top = head_ + 4 + (n == 0 ? 0 : 1.6 * unit + kGap + (n - 1) * (unit + kGap));
  return {kLawNames, top, width() - kLawNames - kLawRight, n == 0 ? 1.6 * unit : unit};
}
double LawLanes::xOf(double at) const { return kLawNames + (width() - kLawNames - kLawRight) * at / span_; }
double LawLanes::atOf(double x) const {
  return span_ * (x - kLawNames) / std::max(1.0, width() - kLawNames - kLawRight);
}
double LawLanes::yOf(int n, double v) const {
  const QRectF box = lane(n);
  return box.bottom() - box.height() * (v - low_[n]) / (high_[n] - low_[n]);
}
double LawLanes::valueOf(double y) const {
  const QRectF box = lane(0);
  return low_[0] + (box.bottom() - y) / box.height() * (high_[0] - low_[0]);
}

QPointF LawLanes::pixelOfKnot(int knot) const {
  if (!hasLaw()) return {};
  const double x = knots()[static_cast<std::size_t>(knot)];
  return {xOf(x), yOf(0, at(x)[0])};
}

int LawLanes::knotNear(const QPointF& at) const {
  if (!hasLaw()) return -1;
  int best = -1;
  double least = 11;
  const auto [from, to] = draggable();
  for (int i = from; i <= to; ++i)
    if (const double d = QLineF(pixelOfKnot(i), at).length(); d < least) {
      least = d;
      best = i;
    }
  return best;
}

void LawLanes::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const Theme& t = theme();
  p.fillRect(rect(), t.panel);
  if (!hasLaw()) return;
  const Axis axis = this->axis();
  const double end = this->end();
  p.setFont(uiFont(8.2));
  for (double v = 0; v <= end / axis.unit + 1e-9; v += axis.step) {
    const double x = xOf(v * axis.unit);
    QColor grid = t.line;
    grid.setAlphaF(0.6f);
    p.setPen(QPen(grid, 1));
    p.drawLine(QPointF(x, head_), QPointF(x, height() - kLawAxis));
    p.setPen(t.mute);
    QRectF label(x - 30, height() - kLawAxis + 2, 60, kLawAxis - 4);
    if (label.right() > width() - 4) label.moveRight(width() - 4);
    p.drawText(label, (label.right() >= width() - 4 ? Qt::AlignRight : Qt::AlignHCenter) | Qt::AlignVCenter,
               QString::number(std::abs(v) < 1e-9 * axis.step ? 0 : v, 'g', 6) + axis.suffix);
  }
  for (int k = 0; k < 4; ++k) {
    const QRectF box = lane(k);
    p.setPen(QPen(t.line, 1));
    if (k > 0) p.drawLine(QPointF(0, box.top() - kGap / 2), QPointF(width(), box.top() - kGap / 2));
    const double most = std::max(std::abs(least_[k]), std::abs(most_[k]));
    const LaneText text = laneText(k, most, most_[k] - least_[k]);
    p.setFont(uiFont(8.8, QFont::DemiBold));
    p.setPen(t.ink);
    p.drawText(QRectF(12, box.top(), kLawNames - 18, 17), Qt::AlignLeft | Qt::AlignVCenter,
               p.fontMetrics().elidedText(text.name, Qt::ElideRight, static_cast<int>(kLawNames) - 18));
    p.setFont(uiFont(8.2));
    p.setPen(t.mute);
    if (box.height() > 31)
      p.drawText(QRectF(12, box.top() + 17, kLawNames - 18, 16), Qt::AlignLeft | Qt::AlignVCenter, text.note);
    if (low_[k] < 0 && high_[k] > 0) {
      p.setPen(QPen(t.line, 1, Qt::DashLine));
      p.drawLine(QPointF(box.left(), yOf(k, 0)), QPointF(box.right(), yOf(k, 0)));
    }
    QPainterPath path;
    for (std::size_t i = 0; i < samples_.size(); ++i) {
      const QPointF at(xOf(end * static_cast<double>(i) / static_cast<double>(samples_.size() - 1)),
                       yOf(k, samples_[i][static_cast<std::size_t>(k)]));
      if (i == 0)
        path.moveTo(at);
      else
        path.lineTo(at);
    }
    p.save();
    p.setClipRect(box.adjusted(0, -2, 0, 2));
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(k == 0 ? t.accent : t.curve[k], 1.8));
    p.drawPath(path);
    p.restore();
  }
  paintMore(p);
  const auto [from, to] = draggable();
  const auto list = knots();
  for (int i = from; i <= to; ++i) {
    const double x = xOf(list[static_cast<std::size_t>(i)]);
    p.setPen(QPen(t.line, 1, Qt::DotLine));
    p.drawLine(QPointF(x, head_), QPointF(x, height() - kLawAxis));
    const bool hot = i == (dragged_ >= 0 ? dragged_ : over_);
    p.setPen(QPen(t.accent, 1.8));
    p.setBrush(hot ? t.accent : t.panel);
    p.drawEllipse(pixelOfKnot(i), hot ? 5.5 : 4.2, hot ? 5.5 : 4.2);
  }
  paintReading(p);
}

/// What the law is like under the pointer.
void LawLanes::paintReading(QPainter& p) {
  if (!pointer_) return;
  const Theme& t = theme();
  const double at = std::clamp(*pointer_, 0.0, end());
  p.setPen(QPen(t.ink, 1.2));
  p.drawLine(QPointF(xOf(at), head_), QPointF(xOf(at), height() - kLawAxis));
  const auto [text, wrong] = reading(at);
  p.setFont(uiFont(8.6, QFont::DemiBold));
  const double w = p.fontMetrics().horizontalAdvance(text) + 16;
  QRectF flag(xOf(at) + 8, head_ + 6, w, 21);
  if (flag.right() > width() - 4) flag.moveRight(xOf(at) - 8);
  p.setPen(QPen(t.line, 1));
  p.setBrush(t.field);
  p.drawRoundedRect(flag, 5, 5);
  p.setPen(wrong ? t.bad : t.ink);
  p.drawText(flag, Qt::AlignCenter, text);
}

bool LawLanes::keepsValue(const QPointF& to) {
  across_ = across_ || std::abs(to.y() - pressedAt_.y()) > 6;
  return !across_;
}

void LawLanes::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton || !hasLaw()) return;
  dragged_ = knotNear(e->position());
  pressedAt_ = e->position();
  across_ = false;
  bench_.document().endGesture();
  if (dragged_ < 0) pressed(e->position());
  update();
}

void LawLanes::mouseMoveEvent(QMouseEvent* e) {
  if (!hasLaw()) return;
  pointer_ = e->position().x() >= kLawNames ? std::optional<double>(atOf(e->position().x())) : std::nullopt;
  if (dragged_ >= 0 && e->buttons() & Qt::LeftButton) {
    dragKnot(dragged_, e->position(), e->modifiers());
  } else {
    over_ = knotNear(e->position());
    setCursor(over_ >= 0 ? Qt::SizeAllCursor : Qt::ArrowCursor);
  }
  update();
}

void LawLanes::mouseReleaseEvent(QMouseEvent*) {
  const bool was = dragged_ >= 0;
  dragged_ = -1;
  if (was) {
    bench_.document().endGesture();
    lawChanged();
  }
  update();
}

void LawLanes::leaveEvent(QEvent*) {
  pointer_.reset();
  over_ = -1;
  update();
}

}  // namespace cooperage::app
