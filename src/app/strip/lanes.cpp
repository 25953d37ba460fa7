// SPDX-License-Identifier: GPL-3.0-or-later
#include "lanes.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QToolTip>
#include <QWheelEvent>
#include <cmath>

#include "../text.h"
#include "../theme.h"

namespace cooperage::app {

namespace {
constexpr double kNames = 196, kRight = 14, kAxis = 20;
QString q(const std::string& s) { return QString::fromStdString(s); }

/// Round step so that about `count` ticks fit.
double niceStep(double span, int count, bool degrees) {
  if (!(span > 0)) return 1;
  const double raw = span / count;
  if (degrees)
    for (double s : {1.0, 2.0, 5.0, 10.0, 15.0, 30.0, 45.0, 60.0, 90.0, 180.0, 360.0})
      if (s >= raw) return s;
  const double power = std::pow(10.0, std::floor(std::log10(raw)));
  for (double s : {1.0, 2.0, 5.0, 10.0})
    if (s * power >= raw) return s * power;
  return 10 * power;
}
}  // namespace

Lanes::Lanes(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
  setObjectName(QStringLiteral("lanes"));
  setAccessibleName(tr("Travel strip"));
  setMouseTracking(true);
  setMinimumHeight(120);
  connect(&session_, &Session::resultsChanged, this, &Lanes::rebuild);
  connect(&session_, &Session::documentChanged, this, &Lanes::rebuild);
  connect(&session_, &Session::selectionChanged, this, qOverload<>(&QWidget::update));
  connect(&session_, &Session::cursorChanged, this, qOverload<>(&QWidget::update));
  rebuild();
}

double Lanes::xOf(double axis) const { return kNames + (width() - kNames - kRight) * (axis - from_) / (to_ - from_); }
double Lanes::axisOf(double x) const {
  return from_ + (to_ - from_) * (x - kNames) / std::max(1.0, width() - kNames - kRight);
}

/// A jump of the curvature shows as a spike or a step in the follower's acceleration; marked, it can be told from too
/// few steps.
void Lanes::findPieceJoints() {
  pieceJoints_.clear();
  const RunData* run = session_.run();
  if (!run || run->result.rows.empty()) return;
  const auto& steps = run->result.travel.steps;
  for (const auto& j : run->travel->system().joints) {
    if (j.pair < 0) continue;
    const auto& curve = run->travel->resolved().camPairs[static_cast<std::size_t>(j.pair)].cam;
    if (!curve || curve->corners().size() < 2) continue;
    const double period = curve->high() - curve->low();
    const auto at = [&](std::size_t i) { return steps[i].c.q[static_cast<std::size_t>(j.firstDof)]; };
    for (std::size_t i = 1; i < steps.size() && i < run->result.axis.size(); ++i) {
      const double a = at(i - 1), b = at(i);
      if (a == b) continue;
      for (double corner : curve->corners()) {
        // of a closed curve every round
        const double first = curve->closed() ? corner + period * std::ceil((std::min(a, b) - corner) / period) : corner;
        if (first <= std::min(a, b) || first > std::max(a, b)) continue;
        const double share = (first - a) / (b - a);
        pieceJoints_.push_back(run->result.axis[i - 1] + share * (run->result.axis[i] - run->result.axis[i - 1]));
      }
    }
  }
}

void Lanes::rebuild() {
  lanes_.clear();
  findPieceJoints();
  const RunData* run = session_.run();
  if (run && !run->result.rows.empty()) {
    const auto& result = run->result;
    from_ = result.axis.front();
    to_ = result.axis.back();
    if (std::abs(to_ - from_) < 1e-300) to_ = from_ + 1;
    const auto& r = run->travel->resolved();
    int colour = 0;
    for (int d : run->travel->settings().drives) {
      const int active = run->travel->activeDrive(d);
      if (active < 0) continue;
      Lane l;
      l.kind = Lane::programme;
      l.title = q(r.drives[static_cast<std::size_t>(d)].name);
      l.drive = active;
      const auto& ref = r.drives[static_cast<std::size_t>(d)].value;
      const auto& joint = r.joints[static_cast<std::size_t>(ref.joint)];
      const std::string name =
          joint.name + "." + model::infoOf(joint.kind).values[static_cast<std::size_t>(ref.value)].name + " rate";
      for (std::size_t c = 0; c < result.columns.size(); ++c)
        if (result.columns[c].name == name) l.column = static_cast<int>(c);
      l.colour = theme().accent;
      lanes_.push_back(l);
    }
    for (std::size_t g = 0; g < r.gauges.size(); ++g) {
      Lane l;
      l.kind = Lane::gauge;
      l.title = q(r.gauges[g].name);
      l.column = run->measurer->firstGauge() + static_cast<int>(g);
      l.colour = theme().curve[colour++ % 6];
      for (const auto& req : r.requirements)
        if (req.gauge == static_cast<int>(g) && req.measure != "range") {
          l.bandLow = req.min;
          l.bandHigh = req.max;
        }
      lanes_.push_back(l);
    }
    for (Lane& l : lanes_) {
      l.low = 1e300;
      l.high = -1e300;
      for (const auto& row : result.rows) {
        const double v = l.column >= 0 ? row[static_cast<std::size_t>(l.column)] : 0;
        if (!std::isfinite(v)) continue;
        l.low = std::min(l.low, v);
        l.high = std::max(l.high, v);
      }
      if (l.low > l.high) l.low = l.high = 0;
      if (l.kind == Lane::programme) {
        l.low = std::min(l.low, 0.0);
        l.high = std::max(l.high, 0.0);
      }
      const double span = std::max(l.high - l.low, 1e-9 + 1e-6 * std::abs(l.high));
      l.low -= 0.08 * span;
      l.high += 0.08 * span;
    }
    std::map<std::pair<std::string, std::string>, std::vector<int>> marks;
    for (std::size_t i = 0; i < result.travel.marks.size(); ++i)
      marks[{result.travel.marks[i].object, result.travel.marks[i].code}].push_back(static_cast<int>(i));
    for (const auto& [key, list] : marks) {
      Lane l;
      l.kind = Lane::marks;
      l.title = key.second == "contact-lost" ? tr("%1: contact lost").arg(q(key.first))
                : key.second == "past-stop"  ? tr("%1: past its stop").arg(q(key.first))
                                             : tr("change points");
      l.mark = list;
      l.colour = theme().warn;
      lanes_.push_back(l);
    }
    if (const CheckData* c = session_.check()) {
      std::map<std::pair<int, int>, std::vector<int>> pairs;
      for (std::size_t i = 0; i < c->result.interference.size(); ++i)
        pairs[{c->result.interference[i].linkA, c->result.interference[i].linkB}].push_back(static_cast<int>(i));
      for (const auto& [pair, list] : pairs) {
        if (pair.second >= static_cast<int>(r.links.size())) continue;
        Lane l;
        l.kind = Lane::bars;
        l.title = q(r.links[static_cast<std::size_t>(pair.first)].name) + QStringLiteral(" \u2013 ") +
                  q(r.links[static_cast<std::size_t>(pair.second)].name);
        l.interference = list;
        l.colour = theme().bad;
        lanes_.push_back(l);
      }
    }
  }
  place();
  update();
}

void Lanes::resizeEvent(QResizeEvent*) { place(); }

void Lanes::place() {
  double fixed = 0;
  int gauges = 0;
  for (const Lane& l : lanes_) {
    if (l.kind == Lane::gauge)
      ++gauges;
    else
      fixed += l.kind == Lane::programme ? 38 : 24;
  }
  const double room = height() - kAxis - fixed;
  const double each = gauges ? std::clamp(room / gauges, 34.0, 90.0) : 0;
  double y = 0;
  for (Lane& l : lanes_) {
    l.top = y;
    l.height = l.kind == Lane::gauge ? each : l.kind == Lane::programme ? 38 : 24;
    y += l.height;
  }
  total_ = y;
  scroll_ = std::clamp(scroll_, 0.0, std::max(0.0, total_ - (height() - kAxis)));
}

QRectF Lanes::barRect(int interference) const {
  if (!session_.check()) return {};
  for (const Lane& l : lanes_)
    for (int i : l.interference)
      if (i == interference) {
        const auto& w = session_.check()->result.interference[static_cast<std::size_t>(i)];
        const double a = xOf(w.from), b = xOf(w.to);
        return {std::min(a, b), l.top - scroll_ + 4, std::max(3.0, std::abs(b - a)), l.height - 8};
      }
  return {};
}

QRectF Lanes::markRect(int mark) const {
  const RunData* run = session_.run();
  if (!run) return {};
  for (const Lane& l : lanes_)
    for (int i : l.mark)
      if (i == mark) {
        const auto& m = run->result.travel.marks[static_cast<std::size_t>(i)];
        const double a = xOf(m.from), b = xOf(m.to);
        return {std::min(a, b) - (a == b ? 2 : 0), l.top - scroll_ + 5, std::max(4.0, std::abs(b - a)), l.height - 10};
      }
  return {};
}

void Lanes::paintMarks(QPainter& p, const Lane& lane) {
  for (int i : lane.mark) {
    const QRectF bar = markRect(i).translated(0, scroll_);
    QColor fill = lane.colour;
    fill.setAlphaF(0.25f);
    p.setPen(QPen(lane.colour, 1.4));
    p.setBrush(fill);
    p.drawRoundedRect(bar, 3, 3);
  }
}

/// Where the travel ended early: a line with a word at its foot.
void Lanes::paintEnd(QPainter& p, double bottom) {
  const auto& ended = session_.run()->result.travel.ended;
  if (!ended) return;
  const double x = xOf(ended->at);
  p.setPen(QPen(theme().bad, 1.6, Qt::DashLine));
  p.drawLine(QPointF(x, 0), QPointF(x, bottom));
  const QString word = ended->kind == "stop"                ? tr("stop: %1").arg(q(ended->joint))
                       : ended->kind == "drives-contradict" ? tr("drives contradict")
                                                            : tr("dead point");
  p.setFont(uiFont(8.2, QFont::DemiBold));
  const double w = p.fontMetrics().horizontalAdvance(word) + 10;
  QRectF label(x - w - 3, bottom - 19, w, 16);
  if (label.left() < kNames) label.moveLeft(x + 3);
  p.setPen(Qt::NoPen);
  p.setBrush(theme().panel);
  p.drawRoundedRect(label, 3, 3);
  p.setPen(theme().bad);
  p.drawText(label, Qt::AlignCenter, word);
}

void Lanes::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const Theme& t = theme();
  p.fillRect(rect(), t.panel);
  const RunData* run = session_.run();
  if (!run || run->result.rows.empty()) {
    p.setPen(t.mute);
    p.setFont(uiFont(9.5));
    p.drawText(rect(), Qt::AlignCenter,
               session_.mechanism()->runs.empty()
                   ? tr("No run yet. A drive and a run make the travel that is shown here.")
                   : tr("Compute the run (F5) to see the travel here."));
    return;
  }
  p.setRenderHint(QPainter::Antialiasing);
  p.save();
  p.setClipRect(QRectF(0, 0, width(), height() - kAxis));
  p.translate(0, -scroll_);
  for (const Lane& l : lanes_) paintLane(p, l);
  p.restore();
  paintAxis(p);
  if (session_.isRunStale()) {
    QColor veil = t.panel;
    veil.setAlphaF(0.55f);
    p.fillRect(QRectF(kNames, 0, width() - kNames, height() - kAxis), veil);
    p.setPen(t.mute);
    p.setFont(uiFont(9, QFont::Medium));
    p.drawText(QRectF(kNames, 4, width() - kNames - kRight, 20), Qt::AlignRight,
               tr("out of date: the mechanism has changed"));
  }
}

void Lanes::paintLane(QPainter& p, const Lane& lane) {
  const Theme& t = theme();
  const RunData* run = session_.run();
  const auto& units = session_.mechanism()->units;
  const QRectF box(kNames, lane.top + 3, width() - kNames - kRight, lane.height - 6);
  p.setPen(QPen(t.line, 1));
  p.drawLine(QPointF(0, lane.top + lane.height - 0.5), QPointF(width(), lane.top + lane.height - 0.5));
  p.setPen(lane.kind == Lane::bars ? t.bad : lane.kind == Lane::marks ? t.warn : t.ink);
  p.setFont(uiFont(8.6, QFont::DemiBold));
  const QRectF name(12, lane.top + 2, kNames - 20, lane.height - 4);
  const bool two = lane.kind != Lane::bars && lane.kind != Lane::marks && lane.height >= 32;
  p.drawText(two ? name.adjusted(0, 0, 0, -lane.height / 2 + 3) : name, Qt::AlignVCenter | Qt::AlignLeft,
             p.fontMetrics().elidedText(lane.title, Qt::ElideRight, static_cast<int>(name.width())));
  if (two && lane.column >= 0 && static_cast<std::size_t>(lane.column) < session_.cursorRow().size()) {
    const auto d = run->result.columns[static_cast<std::size_t>(lane.column)].dimension;
    const double v = session_.cursorRow()[static_cast<std::size_t>(lane.column)] / units.factor(d);
    p.setPen(t.mute);
    p.setFont(uiFont(8.4));
    p.drawText(name.adjusted(0, lane.height / 2 - 3, 0, 0), Qt::AlignVCenter | Qt::AlignLeft,
               std::isfinite(v) ? withUnit(QString::number(v, 'f',
                                                           std::abs(v) >= 1000 ? 1
                                                           : std::abs(v) >= 10 ? 2
                                                                               : 3),
                                           units.label(d))
                                : tr("no value"));
  }
  if (lane.kind == Lane::marks) {
    paintMarks(p, lane);
    return;
  }
  if (lane.kind == Lane::bars) {
    for (int i : lane.interference) {
      const QRectF bar = barRect(i).translated(0, scroll_);
      const bool chosen = session_.chosenInterference() == i;
      p.setPen(chosen ? QPen(t.ink, 1.6) : QPen(Qt::NoPen));
      p.setBrush(t.bad);
      p.drawRoundedRect(bar, 3, 3);
      p.save();
      p.setClipRect(bar);
      QColor stripe = t.panel;
      stripe.setAlphaF(0.35f);
      p.setPen(QPen(stripe, 1.3));
      for (double x = bar.left() - 16; x < bar.right(); x += 9)
        p.drawLine(QPointF(x, bar.bottom()), QPointF(x + 14, bar.top()));
      p.restore();
    }
    return;
  }
  paintCurve(p, lane, box);
}

void Lanes::paintCurve(QPainter& p, const Lane& lane, const QRectF& box) {
  const Theme& t = theme();
  const RunData* run = session_.run();
  const auto& result = run->result;
  const auto y = [&](double v) { return box.bottom() - box.height() * (v - lane.low) / (lane.high - lane.low); };
  if (lane.bandLow || lane.bandHigh) {
    const double top = lane.bandHigh ? std::clamp(y(*lane.bandHigh), box.top(), box.bottom()) : box.top();
    const double bottom = lane.bandLow ? std::clamp(y(*lane.bandLow), box.top(), box.bottom()) : box.bottom();
    QColor band = t.ok;
    band.setAlphaF(0.10f);
    p.fillRect(QRectF(box.left(), top, box.width(), std::max(2.0, bottom - top)), band);
  }
  if (lane.low < 0 && lane.high > 0) {
    p.setPen(QPen(t.line, 1, Qt::DashLine));
    p.drawLine(QPointF(box.left(), y(0)), QPointF(box.right(), y(0)));
  }
  if (lane.kind == Lane::gauge)
    for (double at : pieceJoints_) {
      p.setPen(QPen(t.mute, 1, Qt::DotLine));
      p.drawLine(QPointF(xOf(at), box.top()), QPointF(xOf(at), box.bottom()));
      p.setBrush(t.mute);
      p.setPen(Qt::NoPen);
      p.drawPolygon(QPolygonF(
          {QPointF(xOf(at) - 3, box.top()), QPointF(xOf(at) + 3, box.top()), QPointF(xOf(at), box.top() + 4)}));
    }
  if (lane.column < 0) return;
  // no more points than pixels: a bucket keeps its least and greatest value
  QPainterPath path;
  bool open = false;
  const std::size_t n = result.rows.size();
  const std::size_t stride = std::max<std::size_t>(1, n / static_cast<std::size_t>(std::max(1.0, 2 * box.width())));
  for (std::size_t i = 0; i < n; i += stride) {
    const double v = result.rows[i][static_cast<std::size_t>(lane.column)];
    if (!std::isfinite(v)) {
      open = false;
      continue;
    }
    const QPointF at(xOf(result.axis[i]), y(v));
    if (open)
      path.lineTo(at);
    else
      path.moveTo(at);
    open = true;
  }
  p.setBrush(Qt::NoBrush);
  p.setPen(QPen(lane.colour, 1.8));
  p.drawPath(path);
  if (lane.kind != Lane::programme) return;
  for (double k : run->travel->programme(lane.drive).knots()) {
    if (k > result.rows.back()[0] + 1e-12) continue;
    const double axis = run->travel->axisAt(k);
    const QPointF at(xOf(axis), y(run->travel->programme(lane.drive).at(k).velocity));
    p.setPen(QPen(lane.colour, 1.8));
    p.setBrush(t.panel);
    p.drawEllipse(at, 3.6, 3.6);
  }
}

void Lanes::paintAxis(QPainter& p) {
  const Theme& t = theme();
  const RunData* run = session_.run();
  const auto& units = session_.mechanism()->units;
  const auto d = run->result.axisDimension;
  const double unit = units.factor(d);
  const bool degrees = d == dimension::kAngle && units.angle == "deg";
  const double a = from_ / unit, b = to_ / unit, low = std::min(a, b), high = std::max(a, b);
  const double step = niceStep(high - low, std::max(2, static_cast<int>((width() - kNames) / 110)), degrees);
  const double bottom = height() - kAxis;
  p.fillRect(QRectF(0, bottom, width(), kAxis), t.panel);
  p.setFont(uiFont(8.2));
  for (double v = std::ceil(low / step - 1e-9) * step; v <= high + 1e-9 * step; v += step) {
    const double x = xOf(v * unit);
    QColor grid = t.line;
    grid.setAlphaF(0.6f);
    p.setPen(QPen(grid, 1));
    p.drawLine(QPointF(x, 0), QPointF(x, bottom));
    p.setPen(t.mute);
    const QString text = QString::number(std::abs(v) < 1e-9 * step ? 0 : v, 'g', 6) +
                         (degrees ? QStringLiteral("\u00b0") : ' ' + unitText(units.label(d)));
    QRectF label(x - 40, bottom + 1, 80, kAxis - 2);
    if (label.right() > width() - 4) label.moveRight(width() - 4);
    p.drawText(label, (label.right() >= width() - 4 ? Qt::AlignRight : Qt::AlignHCenter) | Qt::AlignVCenter, text);
  }
  paintEnd(p, bottom);
  const double at = run->travel->axisAt(session_.cursor());
  const double x = xOf(at);
  p.setPen(QPen(t.ink, 1.4));
  p.drawLine(QPointF(x, 0), QPointF(x, bottom));
  const QString text = QString::number(at / unit, 'f', degrees ? 1 : 3) +
                       (degrees ? QStringLiteral("\u00b0") : ' ' + unitText(units.label(d)));
  p.setFont(uiFont(8.2, QFont::DemiBold));
  const double w = p.fontMetrics().horizontalAdvance(text) + 12;
  QRectF flag(x - w / 2, bottom + 1, w, kAxis - 3);
  if (flag.right() > width() - 2) flag.moveRight(width() - 2);
  p.setPen(Qt::NoPen);
  p.setBrush(t.ink);
  p.drawRoundedRect(flag, 4, 4);
  p.setPen(t.panel);
  p.drawText(flag, Qt::AlignCenter, text);
}

void Lanes::goTo(double x) {
  const RunData* run = session_.run();
  if (!run || run->result.rows.empty()) return;
  session_.setCursor(run->travel->timeOf(std::clamp(axisOf(x), std::min(from_, to_), std::max(from_, to_))));
}

void Lanes::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton) return;
  if (session_.check())
    for (std::size_t i = 0; i < session_.check()->result.interference.size(); ++i)
      if (barRect(static_cast<int>(i)).contains(e->position())) {
        session_.setStage(Stage::check);
        session_.select({});
        session_.chooseInterference(static_cast<int>(i));
        return;
      }
  if (e->position().x() >= kNames - 6) goTo(e->position().x());
}

void Lanes::mouseMoveEvent(QMouseEvent* e) {
  if (e->buttons() & Qt::LeftButton && e->position().x() >= kNames - 40) goTo(e->position().x());
}

void Lanes::wheelEvent(QWheelEvent* e) {
  scroll_ = std::clamp(scroll_ - e->angleDelta().y() / 3.0, 0.0, std::max(0.0, total_ - (height() - kAxis)));
  update();
}

bool Lanes::event(QEvent* e) {
  if (e->type() == QEvent::ToolTip && session_.check()) {
    const auto* help = static_cast<QHelpEvent*>(e);
    for (std::size_t i = 0; i < session_.check()->result.interference.size(); ++i)
      if (barRect(static_cast<int>(i)).contains(help->pos())) {
        QToolTip::showText(help->globalPos(), tr("Overlap: click to go to its deepest pose"), this);
        return true;
      }
    QToolTip::hideText();
  }
  return QWidget::event(e);
}

}  // namespace cooperage::app
