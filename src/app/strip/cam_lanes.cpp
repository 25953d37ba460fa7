// SPDX-License-Identifier: GPL-3.0-or-later
#include "cam_lanes.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <cmath>

#include "../merges.h"
#include "../theme.h"
#include "model/machine_edits.h"

namespace cooperage::app {

using namespace model;

namespace {
constexpr double kNames = 150, kRight = 16, kAxis = 22, kGap = 6, kDegree = kPi / 180;
QString q(const std::string& s) { return QString::fromStdString(s); }
}  // namespace

CamLanes::CamLanes(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
  setObjectName(QStringLiteral("cam lanes"));
  setAccessibleName(tr("Law of the cam"));
  setMouseTracking(true);
  setMinimumHeight(150);
  connect(&session_, &Session::selectionChanged, this, &CamLanes::look);
  connect(&session_, &Session::documentChanged, this, &CamLanes::look);
  look();
}

void CamLanes::look() {
  const auto& m = *session_.mechanism();
  Id cam = 0;
  if (session_.selection().size() == 1) {
    Id id = session_.selection()[0];
    if (const auto b = findBody(m, id); b && b->body->curve != 0) id = b->body->curve;
    for (const auto& p : m.camPairs)
      if (p->id == id) id = p->cam;
    if (const auto c = findCurve(m, id); c && c->curve->kind == "cam-law") cam = id;
  }
  spec_.reset();
  for (const auto& c : session_.resolved().curveList)
    if (c.id == cam) spec_ = c.cam;
  if (!spec_) cam = 0;
  const bool other = cam != cam_;
  cam_ = cam;
  if (spec_) sample();
  if (other) emit camChanged();
  update();
}

void CamLanes::sample() {
  samples_.clear();
  const int n = std::max(200, width());
  const double end = spec_->law->end();
  for (int k = 0; k < 4; ++k) {
    low_[k] = 1e300;
    high_[k] = -1e300;
  }
  for (int i = 0; i <= n; ++i) {
    samples_.push_back(spec_->law->derivatives(end * i / n));
    for (std::size_t k = 0; k < 4; ++k) {
      low_[k] = std::min(low_[k], samples_.back()[k]);
      high_[k] = std::max(high_[k], samples_.back()[k]);
    }
  }
  for (int k = 0; k < 4; ++k) {
    const double span = std::max(high_[k] - low_[k], 1e-9);
    low_[k] -= 0.08 * span;
    high_[k] += 0.08 * span;
  }
}

void CamLanes::resizeEvent(QResizeEvent*) {
  if (spec_) sample();
}

QRectF CamLanes::lane(int n) const {
  // the displacement is taller: its knots are dragged
  const double whole = height() - kAxis - 3 * kGap - 6, unit = whole / 4.6;
  const double top = 4 + (n == 0 ? 0 : 1.6 * unit + kGap + (n - 1) * (unit + kGap));
  return {kNames, top, width() - kNames - kRight, n == 0 ? 1.6 * unit : unit};
}
double CamLanes::xOf(double at) const {
  return kNames + (width() - kNames - kRight) * at / (spec_ ? spec_->law->end() : 1);
}
double CamLanes::atOf(double x) const {
  return (spec_ ? spec_->law->end() : 1) * (x - kNames) / std::max(1.0, width() - kNames - kRight);
}
double CamLanes::yOf(int n, double v) const {
  const QRectF box = lane(n);
  return box.bottom() - box.height() * (v - low_[n]) / (high_[n] - low_[n]);
}

QPointF CamLanes::knotAt(int row) const {
  if (!spec_) return {};
  const auto& knots = spec_->law->knots();
  const double at = knots[static_cast<std::size_t>(row) + 1];
  return {xOf(at), yOf(0, spec_->law->at(at).position)};
}

int CamLanes::knotNear(const QPointF& at) const {
  if (!spec_) return -1;
  int best = -1;
  double least = 11;
  for (int i = 0; i + 2 < static_cast<int>(spec_->law->knots().size()); ++i)
    if (const double d = QLineF(knotAt(i), at).length(); d < least) {
      least = d;
      best = i;
    }
  return best;
}

void CamLanes::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const Theme& t = theme();
  p.fillRect(rect(), t.panel);
  if (!spec_) return;
  const auto c = findCurve(*session_.mechanism(), cam_);
  const auto& units = session_.mechanism()->units;
  const bool linear = spec_->form == elements::CamSpec::Form::linear, swing = spec_->swing;
  const double end = spec_->law->end(), axisUnit = linear ? units.factor(dimension::kLength) : kDegree;
  const QString lift = swing ? QStringLiteral("\u00b0") : q(units.length),
                per = linear ? q(units.length) : QStringLiteral("rad");
  const double liftUnit = swing ? kDegree : units.factor(dimension::kLength);
  const double perUnit = linear ? units.factor(dimension::kLength) : 1;
  const QString names[] = {tr("displacement"), tr("velocity"), tr("acceleration"), tr("jerk")};
  const QString powers[] = {QString(), QString(), QStringLiteral("\u00b2"), QStringLiteral("\u00b3")};
  const double step = linear ? std::pow(10, std::floor(std::log10(end / axisUnit))) / 2 : 30;
  p.setFont(uiFont(8.2));
  for (double v = 0; v <= end / axisUnit + 1e-9; v += step) {
    const double x = xOf(v * axisUnit);
    QColor grid = t.line;
    grid.setAlphaF(0.6f);
    p.setPen(QPen(grid, 1));
    p.drawLine(QPointF(x, 0), QPointF(x, height() - kAxis));
    p.setPen(t.mute);
    QRectF label(x - 30, height() - kAxis + 2, 60, kAxis - 4);
    if (label.right() > width() - 4) label.moveRight(width() - 4);
    p.drawText(label, (label.right() >= width() - 4 ? Qt::AlignRight : Qt::AlignHCenter) | Qt::AlignVCenter,
               QString::number(v, 'g', 6) + (linear ? ' ' + q(units.length) : QStringLiteral("\u00b0")));
  }
  for (int k = 0; k < 4; ++k) {
    const QRectF box = lane(k);
    p.setPen(QPen(t.line, 1));
    if (k > 0) p.drawLine(QPointF(0, box.top() - kGap / 2), QPointF(width(), box.top() - kGap / 2));
    p.setFont(uiFont(8.8, QFont::DemiBold));
    p.setPen(t.ink);
    p.drawText(QRectF(12, box.top(), kNames - 18, 17), Qt::AlignLeft | Qt::AlignVCenter,
               k == 0 && c ? q(c->curve->name) + QStringLiteral(": ") + names[0] : names[k]);
    p.setFont(uiFont(8.2));
    p.setPen(t.mute);
    const double unit = liftUnit / std::pow(perUnit, k);
    const double peak = std::max(std::abs(low_[k]), std::abs(high_[k])) / 1.08;
    const QString label = k == 0 ? lift : lift + QLatin1Char('/') + per + powers[k];
    if (box.height() > 34)
      p.drawText(QRectF(12, box.top() + 17, kNames - 18, 16), Qt::AlignLeft | Qt::AlignVCenter,
                 k == 0 ? tr("lift %1 %2").arg(QString::number((high_[0] - low_[0]) / 1.16 / unit, 'g', 5), label)
                        : tr("most %1 %2").arg(QString::number(peak / unit, 'g', 4), label));
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
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(k == 0 ? t.accent : t.curve[k], 1.8));
    p.drawPath(path);
  }
  const auto& knots = spec_->law->knots();
  for (std::size_t i = 1; i + 1 < knots.size(); ++i) {
    p.setPen(QPen(t.line, 1, Qt::DotLine));
    p.drawLine(QPointF(xOf(knots[i]), 0), QPointF(xOf(knots[i]), height() - kAxis));
    const bool hot = static_cast<int>(i) - 1 == (dragged_ >= 0 ? dragged_ : over_);
    p.setPen(QPen(t.accent, 1.8));
    p.setBrush(hot ? t.accent : t.panel);
    p.drawEllipse(knotAt(static_cast<int>(i) - 1), hot ? 5.5 : 4.2, hot ? 5.5 : 4.2);
  }
  paintReading(p);
}

/// What the cam is like under the pointer.
void CamLanes::paintReading(QPainter& p) {
  if (!pointer_) return;
  const Theme& t = theme();
  const double end = spec_->law->end(), at = std::clamp(*pointer_, 0.0, end);
  const auto place = elements::camAt(*spec_, at);
  const auto& units = session_.mechanism()->units;
  const bool linear = spec_->form == elements::CamSpec::Form::linear;
  const double mm = units.factor(dimension::kLength);
  p.setPen(QPen(t.ink, 1.2));
  p.drawLine(QPointF(xOf(at), 0), QPointF(xOf(at), height() - kAxis));
  QString text = linear ? tr("%1 %2").arg(QString::number(at / mm, 'f', 1), q(units.length))
                        : tr("%1\u00b0").arg(QString::number(at / kDegree, 'f', 1));
  text += spec_->swing ? tr("  lift %1\u00b0").arg(QString::number(place.lift[0] / kDegree, 'f', 3))
                       : tr("  lift %1 %2").arg(QString::number(place.lift[0] / mm, 'f', 3), q(units.length));
  text += tr("  pressure %1\u00b0").arg(QString::number(place.pressure / kDegree, 'f', 1));
  if (place.undercut)
    text += tr("  undercut");
  else if (std::abs(place.profileCurvature) > 1e-6)
    text += tr("  radius %1 %2").arg(QString::number(1 / place.profileCurvature / mm, 'f', 2), q(units.length));
  p.setFont(uiFont(8.6, QFont::DemiBold));
  const double w = p.fontMetrics().horizontalAdvance(text) + 16;
  QRectF flag(xOf(at) + 8, 6, w, 21);
  if (flag.right() > width() - 4) flag.moveRight(xOf(at) - 8);
  p.setPen(QPen(t.line, 1));
  p.setBrush(t.field);
  p.drawRoundedRect(flag, 5, 5);
  p.setPen(place.undercut ? t.bad : t.ink);
  p.drawText(flag, Qt::AlignCenter, text);
}

void CamLanes::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton || !spec_) return;
  dragged_ = knotNear(e->position());
  session_.endGesture();
  update();
}

void CamLanes::mouseMoveEvent(QMouseEvent* e) {
  if (!spec_) return;
  pointer_ = e->position().x() >= kNames ? std::optional<double>(atOf(e->position().x())) : std::nullopt;
  if (dragged_ >= 0 && e->buttons() & Qt::LeftButton) {
    drag(e->position());
  } else {
    over_ = knotNear(e->position());
    setCursor(over_ >= 0 ? Qt::SizeAllCursor : Qt::ArrowCursor);
  }
  update();
}

void CamLanes::mouseReleaseEvent(QMouseEvent*) {
  if (dragged_ >= 0) session_.endGesture();
  dragged_ = -1;
  update();
}

void CamLanes::leaveEvent(QEvent*) {
  pointer_.reset();
  over_ = -1;
  update();
}

/// Along: the row before the knot becomes longer and the one after it shorter. Up: both rows lead to another height.
void CamLanes::drag(const QPointF& to) {
  const auto place = findCurve(*session_.mechanism(), cam_);
  if (!place) return;
  const auto& units = session_.mechanism()->units;
  const auto& knots = spec_->law->knots();
  const auto i = static_cast<std::size_t>(dragged_);
  const bool linear = spec_->form == elements::CamSpec::Form::linear;
  const double overUnit = linear ? units.factor(dimension::kLength) : units.factor(dimension::kAngle);
  const double liftUnit = spec_->swing ? units.factor(dimension::kAngle) : units.factor(dimension::kLength);
  // whole degrees (half millimetres of a linear cam), tenths of a millimetre or of a degree
  const double grid = linear ? 0.5e-3 : kDegree, fine = spec_->swing ? 0.1 * kDegree : 0.1e-3;
  double at = std::round(atOf(to.x()) / grid) * grid;
  at = std::clamp(at, knots[i] + grid, knots[i + 2] - grid);
  const QRectF box = lane(0);
  double level = low_[0] + (box.bottom() - to.y()) / box.height() * (high_[0] - low_[0]);
  level = std::max(0.0, std::round(level / fine) * fine);
  // a few pixels up or down while dragging along change nothing
  const double now = spec_->law->at(knots[i + 1]).position;
  if (std::abs(yOf(0, now) - to.y()) < 9) level = now;
  std::vector<double> levels{0};
  for (std::size_t k = 1; k < knots.size(); ++k) levels.push_back(spec_->law->at(knots[k]).position);
  const auto& rows = place->curve->rows;
  // a dwell keeps one height: the knot at its other end goes along
  levels[i + 1] = level;
  for (std::size_t k = i + 1; k < rows.size() && rows[k].law == "dwell"; ++k) levels[k + 1] = level;
  for (std::size_t k = i + 1; k-- > 0 && rows[k].law == "dwell";) levels[k] = level;
  if (levels.front() != 0 || std::abs(levels.back()) > 1e-12) return;  // it must begin and end at its lowest
  const auto tidy = [](double x) { return Field(std::round(x * 1e9) / 1e9); };
  const auto fixedField = [](const Field& f) { return !f.formula || f.formula->references().empty(); };
  for (const auto& row : rows)
    for (const auto& [key, f] : row.figures)
      if (!fixedField(f)) {
        session_.say(tr("A figure of this law is a formula of parameters: change those"), true);
        return;
      }
  session_.apply(tr("Drag cam law"),
                 changedLink(*session_.mechanism(), place->link->id,
                             [&](Link& l) {
                               change<Curve>(l.curves, cam_, [&](Curve& c) {
                                 c.rows[i].figures["over"] = tidy((at - knots[i]) / overUnit);
                                 c.rows[i + 1].figures["over"] = tidy((knots[i + 2] - at) / overUnit);
                                 for (std::size_t k = 0; k < c.rows.size(); ++k)
                                   if (c.rows[k].law != "dwell")
                                     c.rows[k].figures["lift"] = tidy((levels[k + 1] - levels[k]) / liftUnit);
                               });
                             }),
                 kMergeKnot);
}

}  // namespace cooperage::app
