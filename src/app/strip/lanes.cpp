// SPDX-License-Identifier: GPL-3.0-or-later
#include "lanes.h"

#include <QPainter>
#include <cmath>

#include "../gauge_readings.h"
#include "../text.h"
#include "../theme.h"

namespace cooperage::app {

namespace {
/// Depth along a bar, in shares of its width and of the greatest depth of all bars.
std::vector<QPointF> depthProfile(const Workbench& bench, int interference) {
  const auto& list = bench.checks().check()->result.interference;
  const auto& w = list[static_cast<std::size_t>(interference)];
  const double most = list.front().deepest.depth, span = w.to - w.from;
  std::vector<QPointF> out;
  if (!bench.runs().run() || !(most > 0) || span == 0) return out;
  for (const auto& [t, depth] : w.profile)
    out.emplace_back((bench.runs().run()->travel->axisAt(t) - w.from) / span, depth / most);
  if (w.to < w.from) std::reverse(out.begin(), out.end());
  return out;
}
}  // namespace

using namespace model;

namespace {
constexpr double kNames = 196, kRight = 14, kAxis = 20;
}  // namespace

Lanes::Lanes(Workbench& bench, QWidget* parent) : QWidget(parent), bench_(bench) {
  setObjectName(QStringLiteral("lanes"));
  setAccessibleName(tr("Travel strip"));
  setMouseTracking(true);
  setMinimumHeight(120);
  const auto draw = [this] {
    cache_ = {};
    update();
  };
  connect(&bench_, &Workbench::resultsChanged, this, &Lanes::rebuild);
  connect(&themeWatch(), &ThemeWatch::changed, this, draw);
  connect(&bench_.document(), &Document::changed, this, [this, draw] {
    // the curves stay until the next run has come; what is drawn of the document itself may have changed
    if (bench_.runs().live().busy()) return;  // both at once, then
    if (bench_.runs().isRunStale() || !bench_.runs().run())
      draw();
    else
      rebuild();
  });
  connect(&bench_.selection(), &Selection::changed, this, draw);
  connect(&bench_.runs(), &RunBook::cursorChanged, this, qOverload<>(&QWidget::update));
  // rows of a long run as they come
  partial_.setInterval(80);
  connect(&partial_, &QTimer::timeout, this, [this] {
    if (bench_.runs().partial())
      rebuild();
    else
      partial_.stop();
  });
  connect(&bench_.runs(), &RunBook::partialChanged, this, [this] {
    if (bench_.runs().partial()) partial_.start();
  });
  rebuild();
}

Dimension Lanes::axisDimension() const {
  const RunData* run = bench_.runs().run();
  return run ? run->result.axisDimension : dimension::kTime;
}

/// A jump of the curvature shows as a spike or a step in the follower's acceleration; marked, it can be told from too
/// few steps.
void Lanes::findPieceJoints() {
  pieceJoints_.clear();
  const RunData* run = bench_.runs().run();
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
  lanes_ = lanesOf(bench_, difference_);
  const double from = wholeFrom_, to = wholeTo_;
  if (const auto partial = bench_.runs().partial()) {
    wholeFrom_ = partial->from();
    wholeTo_ = partial->to();
  } else if (const RunData* run = bench_.runs().run(); run && !run->result.axis.empty()) {
    wholeFrom_ = run->result.axis.front();
    wholeTo_ = run->travel->axisAt(run->travel->settings().duration);
    if (run->travel->settings().reverseAtLimit || wholeTo_ == wholeFrom_) wholeTo_ = run->result.axis.back();
  }
  if (wholeFrom_ == wholeTo_) wholeTo_ = wholeFrom_ + 1;
  if (!zoomed_ || from != wholeFrom_ || to != wholeTo_) {
    zoomed_ =
        zoomed_ && (wholeTo_ - wholeFrom_) * (to - from) > 0 && std::abs(wholeTo_ - to) < 0.5 * std::abs(to - from);
    if (!zoomed_) {
      view_.from = wholeFrom_;
      view_.to = wholeTo_;
    }
  }
  for (Lane& l : lanes_)
    if (const auto it = acrossOf_.find(l.id); it != acrossOf_.end()) std::tie(l.low, l.high) = it->second;
  findPieceJoints();
  layOut();
}

void Lanes::resizeEvent(QResizeEvent*) { layOut(); }

void Lanes::place(std::vector<Lane>& lanes, LaneView& view, double height, bool scrolls) const {
  double fixed = 0;
  int gauges = 0;
  const auto given = [&](const Lane& l) {
    const auto it = heights_.find(l.id);
    return it == heights_.end() || l.id == 0 ? 0.0 : it->second;
  };
  const auto own = [&](const Lane& l) { return l.kind == Lane::programme ? 38.0 : 24.0; };
  for (const Lane& l : lanes) {
    if (given(l) > 0)
      fixed += given(l);
    else if (l.kind == Lane::gauge)
      ++gauges;
    else
      fixed += own(l);
  }
  const double each = gauges ? std::clamp((height - fixed) / gauges, 36.0, scrolls ? 96.0 : 1e4) : 0;
  double y = 0;
  for (Lane& l : lanes) {
    l.top = y;
    l.height = given(l) > 0 ? given(l) : l.kind == Lane::gauge ? each : own(l);
    y += l.height;
  }
  view.bottom = height;
}

void Lanes::layOut() {
  place(lanes_, view_, height() - kAxis, true);
  view_.left = kNames;
  view_.right = width() - kRight;
  view_.width = width();
  total_ = lanes_.empty() ? 0 : lanes_.back().top + lanes_.back().height;
  scroll_ = std::clamp(scroll_, 0.0, std::max(0.0, total_ - (height() - kAxis)));
  cache_ = {};
  update();
}

QRectF Lanes::laneRect(int lane) const {
  const Lane& l = lanes_[static_cast<std::size_t>(lane)];
  return {0, l.top - scroll_, static_cast<double>(width()), l.height};
}

QRectF Lanes::barRect(int interference) const {
  if (!bench_.checks().check()) return {};
  for (const Lane& l : lanes_)
    for (int i : l.interference)
      if (i == interference) {
        const auto& w = bench_.checks().check()->result.interference[static_cast<std::size_t>(i)];
        const double a = xOf(w.from), b = xOf(w.to);
        return {std::min(a, b), l.top - scroll_ + 4, std::max(3.0, std::abs(b - a)), l.height - 8};
      }
  return {};
}

QRectF Lanes::markRect(int mark) const {
  const RunData* run = bench_.runs().run();
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

/// Where the travel ended early: a line with a word at its foot.
void Lanes::paintEnd(QPainter& p, const LaneView& view) const {
  const RunData* run = bench_.runs().run();
  if (!run || !run->result.travel.ended || bench_.runs().partial()) return;
  const auto& ended = run->result.travel.ended;
  const double x = view.xOf(ended->at);
  if (x < view.left - 1 || x > view.right + 1) return;
  QColor beyond = theme().bad;
  beyond.setAlphaF(0.06f);
  const double end = view.xOf(wholeTo_);
  p.fillRect(QRectF(std::min(x, end), 0, std::abs(end - x), view.bottom), beyond);
  p.setPen(QPen(theme().bad, 1.6, Qt::DashLine));
  p.drawLine(QPointF(x, 0), QPointF(x, view.bottom));
  const QString word = endWords(*ended);
  p.setFont(uiFont(8.2, QFont::DemiBold));
  const double w = p.fontMetrics().horizontalAdvance(word) + 10;
  QRectF label(x - w - 3, view.bottom - 19, w, 16);
  if (label.left() < view.left) label.moveLeft(x + 3);
  p.setPen(Qt::NoPen);
  p.setBrush(theme().panel);
  p.drawRoundedRect(label, 3, 3);
  p.setPen(theme().bad);
  p.drawText(label, Qt::AlignCenter, word);
}

void Lanes::paintPieceJoints(QPainter& p, const LaneView& view) const {
  const Theme& t = theme();
  for (const Lane& l : lanes_) {
    if (l.kind != Lane::gauge) continue;
    for (double at : pieceJoints_) {
      const double x = view.xOf(at), top = l.top + 3;
      if (x < view.left || x > view.right) continue;
      p.setPen(QPen(t.mute, 1, Qt::DotLine));
      p.drawLine(QPointF(x, top), QPointF(x, l.top + l.height - 3));
      p.setBrush(t.mute);
      p.setPen(Qt::NoPen);
      p.drawPolygon(QPolygonF({QPointF(x - 3, top), QPointF(x + 3, top), QPointF(x, top + 4)}));
    }
  }
}

/// Everything but the cursor and its read-outs.
void Lanes::paintLanes(QPainter& p, const std::vector<Lane>& lanes, const LaneView& view, bool screen) const {
  const auto& units = bench_.document().mechanism()->units;
  LanePainter painter(p, view, units);
  p.setRenderHint(QPainter::Antialiasing);
  painter.axis(axisDimension());
  const double scroll = screen ? scroll_ : 0;
  p.save();
  p.setClipRect(QRectF(0, 0, view.width, view.bottom), Qt::IntersectClip);
  p.translate(0, -scroll);
  for (const Lane& l : lanes) {
    if (l.top - scroll > view.bottom || l.top + l.height - scroll < 0) continue;
    painter.lane(l, screen ? bench_.selection().ids() : std::vector<Id>{});
    if (!screen) {
      painter.reading(l, {}, {}, {});
      continue;
    }
    for (int i : l.mark) painter.mark(markRect(i).translated(0, scroll), l.colour);
    for (int i : l.interference)
      painter.bar(barRect(i).translated(0, scroll), bench_.selection().chosenInterference() == i,
                  bench_.checks().isCheckStale(), depthProfile(bench_, i));
    for (const auto& [a, b] : l.unsure) {
      const double x = view.xOf(a), y = view.xOf(b);
      painter.unsure({std::min(x, y), l.top + 4, std::max(3.0, std::abs(y - x)), l.height - 8});
    }
    if (!l.interference.empty() && bench_.checks().isCheckStale()) {
      p.setPen(theme().mute);
      p.setFont(uiFont(8.2));
      p.drawText(QRectF(view.right - 160, l.top, 150, l.height), Qt::AlignRight | Qt::AlignVCenter, tr("pending"));
    }
  }
  if (screen) paintPieceJoints(p, view);
  p.restore();
  paintEnd(p, view);
}

void Lanes::paintEmpty(QPainter& p) {
  p.setPen(theme().mute);
  p.setFont(uiFont(9.5));
  p.drawText(rect(), Qt::AlignCenter,
             bench_.document().mechanism()->runs.empty()
                 ? tr("No run yet. A drive and a run make the travel that is shown here.")
             : bench_.jobs().busy() ? tr("Computing\u2026")
                                    : tr("Compute the run (F5) to see the travel here."));
}

void Lanes::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const Theme& t = theme();
  const RunData* run = bench_.runs().run();
  if (!bench_.runs().partial() && (!run || run->result.rows.empty())) {
    p.fillRect(rect(), t.panel);
    paintEmpty(p);
    return;
  }
  if (cache_.isNull()) {
    for (Lane& l : lanes_)
      for (LaneCurve& c : l.curves)
        if (!c.readings && c.gauge != 0 && bench_.selection().isSelected(c.gauge))
          c.readings = c.isDifference || !run ? kinematics::read(c.now)
                                              : readingsOf(*run, *bench_.document().mechanism(), c.gauge);
    const double ratio = devicePixelRatioF();
    cache_ = QPixmap(size() * ratio);
    cache_.setDevicePixelRatio(ratio);
    cache_.fill(t.panel);
    QPainter c(&cache_);
    paintLanes(c, lanes_, view_, true);
  }
  p.drawPixmap(0, 0, cache_);
  p.setRenderHint(QPainter::Antialiasing);
  if (bench_.runs().partial() || !run) return;
  const auto& units = bench_.document().mechanism()->units;
  LanePainter painter(p, view_, units);
  p.save();
  p.setClipRect(QRectF(0, 0, width(), height() - kAxis));
  p.translate(0, -scroll_);
  for (std::size_t i = 0; i < lanes_.size(); ++i)
    if (lanes_[i].kind == Lane::gauge || lanes_[i].kind == Lane::programme)
      painter.reading(lanes_[i], valueText(lanes_[i]), differenceOf(static_cast<int>(i)), comparisonText(lanes_[i]));
  p.restore();
  paintCursor(p);
  if (bench_.runs().isRunStale() && !bench_.runs().live().busy()) {
    QColor veil = t.panel;
    veil.setAlphaF(0.55f);
    p.fillRect(QRectF(kNames, 0, width() - kNames, height() - kAxis), veil);
    p.setPen(t.mute);
    p.setFont(uiFont(9, QFont::Medium));
    p.drawText(QRectF(kNames, 4, width() - kNames - kRight, 20), Qt::AlignRight,
               tr("out of date: the mechanism has changed"));
  }
}

void Lanes::paintCursor(QPainter& p) {
  const Theme& t = theme();
  const RunData* run = bench_.runs().run();
  const auto& units = bench_.document().mechanism()->units;
  LanePainter painter(p, view_, units);
  const double bottom = height() - kAxis;
  const auto line = [&](double at, const QColor& colour, const QString& text, const QColor& ink) {
    const double x = xOf(at);
    if (x < view_.left - 2 || x > view_.right + 2) return;
    p.setPen(QPen(colour, 1.4));
    p.drawLine(QPointF(x, 0), QPointF(x, bottom));
    p.setFont(uiFont(8.2, QFont::DemiBold));
    const double w = p.fontMetrics().horizontalAdvance(text) + 12;
    QRectF flag(x - w / 2, bottom + 1, w, kAxis - 3);
    if (flag.right() > width() - 2) flag.moveRight(width() - 2);
    p.setPen(Qt::NoPen);
    p.setBrush(colour);
    p.drawRoundedRect(flag, 4, 4);
    p.setPen(ink);
    p.drawText(flag, Qt::AlignCenter, text);
  };
  const auto d = run->result.axisDimension;
  const double now = run->travel->axisAt(bench_.runs().cursor());
  if (second_) {
    const double a = xOf(*second_), b = xOf(now);
    QColor tint = t.accent;
    tint.setAlphaF(0.07f);
    p.fillRect(QRectF(std::min(a, b), 0, std::abs(b - a), bottom), tint);
    line(*second_, t.accent, QStringLiteral("\u0394 ") + painter.axisText(now - *second_, d), t.onAccent);
  }
  line(now, t.ink, painter.axisText(now, d), t.panel);
}

QString Lanes::valueText(const Lane& lane) const {
  const auto& units = bench_.document().mechanism()->units;
  const RunData* run = bench_.runs().run();
  QStringList out;
  for (const auto& c : lane.curves) {
    std::optional<double> v;
    if (lane.kind == Lane::programme) {
      v = run->travel->programme(lane.drive).at(bench_.runs().cursor()).velocity;
    } else if (difference_ || c.column < 0 || static_cast<std::size_t>(c.column) >= bench_.runs().cursorRow().size()) {
      v = kinematics::valueAt(c.now, run->travel->axisAt(bench_.runs().cursor()));
    } else {
      v = bench_.runs().cursorRow()[static_cast<std::size_t>(c.column)];  // solved there, not read off the curve
    }
    out << figureText(v.value_or(std::nan("")), c.dimension, units, lane.high - lane.low, c.accuracy);
    if (c.accuracy > 0 && v) out.back() += QStringLiteral(" \u00b1") + plainFigure(c.accuracy, c.dimension, units);
  }
  return out.join(QStringLiteral("   "));
}

QString Lanes::comparisonText(const Lane& lane) const {
  const RunData* run = bench_.runs().run();
  if (lane.curves.size() != 1 || lane.curves.front().before.x.empty() || second_) return {};
  const auto& c = lane.curves.front();
  const double at = run->travel->axisAt(bench_.runs().cursor());
  const auto now = kinematics::valueAt(c.now, at), was = kinematics::valueAt(c.before, at);
  if (!now || !was) return {};
  return signedText(*now - *was, lane);
}

QString Lanes::signedText(double change, const Lane& lane) const {
  const auto& c = lane.curves.front();
  const QString text =
      figureText(std::abs(change), c.dimension, bench_.document().mechanism()->units, lane.high - lane.low, c.accuracy);
  return (change < 0 ? QStringLiteral("\u2212") : QStringLiteral("+")) + text;
}

QString Lanes::readingOf(int lane) const { return valueText(lanes_[static_cast<std::size_t>(lane)]); }

QString Lanes::differenceOf(int lane) const {
  const Lane& l = lanes_[static_cast<std::size_t>(lane)];
  const RunData* run = bench_.runs().run();
  if (l.curves.empty() || !run) return {};
  const auto& c = l.curves.front();
  if (!second_)
    return c.largest && l.curves.size() == 1 ? tr("largest \u0394 %1").arg(signedText(*c.largest, l)) : QString();
  const auto a = kinematics::valueAt(c.now, *second_),
             b = kinematics::valueAt(c.now, run->travel->axisAt(bench_.runs().cursor()));
  if (!a || !b) return {};
  return QStringLiteral("\u0394 ") +
         figureText(*b - *a, c.dimension, bench_.document().mechanism()->units, l.high - l.low);
}

void Lanes::draw(QPainter& p, const QSizeF& size) const {
  std::vector<Lane> lanes = lanes_;
  LaneView view = view_;
  place(lanes, view, size.height() - kAxis - 4, false);
  view.left = kNames;
  view.right = size.width() - kRight;
  view.width = size.width();
  p.fillRect(QRectF(QPointF(0, 0), size), theme().panel);
  paintLanes(p, lanes, view, false);
  for (Lane& l : lanes) {
    const double dy = l.top;
    for (int i : l.interference) {
      const auto& w = bench_.checks().check()->result.interference[static_cast<std::size_t>(i)];
      const double a = view.xOf(w.from), b = view.xOf(w.to);
      LanePainter(p, view, bench_.document().mechanism()->units)
          .bar({std::min(a, b), dy + 4, std::max(3.0, std::abs(b - a)), l.height - 8}, false,
               bench_.checks().isCheckStale(), depthProfile(bench_, i));
    }
  }
}

QStringList Lanes::chosenTitles() const {
  QStringList out;
  for (const Lane& l : lanes_)
    if (l.kind == Lane::gauge) out << l.title;
  return out;
}

// ---------------------------------------------------------------- view

void Lanes::zoom(double factor, double around) {
  const double whole = wholeTo_ - wholeFrom_;
  double span = (view_.to - view_.from) * factor;
  if (std::abs(span) >= std::abs(whole)) return zoomWhole();
  if (std::abs(span) < 1e-9 * std::abs(whole)) return;
  const double share = (around - view_.from) / (view_.to - view_.from);
  double from = around - share * span;
  const double low = std::min(wholeFrom_, wholeTo_), high = std::max(wholeFrom_, wholeTo_);
  if (span > 0)
    from = std::clamp(from, low, high - span);
  else
    from = std::clamp(from, low - span, high);
  view_.from = from;
  view_.to = from + span;
  zoomed_ = true;
  cache_ = {};
  update();
}

void Lanes::zoomWhole() {
  view_.from = wholeFrom_;
  view_.to = wholeTo_;
  zoomed_ = false;
  cache_ = {};
  update();
}

void Lanes::zoomLane(int lane, double factor, double around) {
  Lane& l = lanes_[static_cast<std::size_t>(lane)];
  if (l.curves.empty() || l.id == 0) return;
  const double span = (l.high - l.low) * factor, share = (around - l.low) / (l.high - l.low);
  l.low = around - share * span;
  l.high = l.low + span;
  acrossOf_[l.id] = {l.low, l.high};
  cache_ = {};
  update();
}

void Lanes::setSecondCursor(std::optional<double> axis) {
  second_ = axis;
  update();
}

void Lanes::setDifference(bool on) {
  difference_ = on;
  acrossOf_.clear();
  rebuild();
}

int Lanes::laneAt(double y) const {
  for (std::size_t i = 0; i < lanes_.size(); ++i)
    if (y + scroll_ >= lanes_[i].top && y + scroll_ < lanes_[i].top + lanes_[i].height) return static_cast<int>(i);
  return -1;
}

/// Lane whose lower edge is under the pointer.
int Lanes::edgeAt(const QPointF& at) const {
  if (at.y() > height() - kAxis) return -1;
  for (std::size_t i = 0; i < lanes_.size(); ++i)
    if (lanes_[i].id != 0 && std::abs(lanes_[i].top + lanes_[i].height - scroll_ - at.y()) < 4)
      return static_cast<int>(i);
  return -1;
}

void Lanes::goTo(double x) {
  const RunData* run = bench_.runs().run();
  if (!run || run->result.rows.empty()) return;
  bench_.runs().setCursor(
      run->travel->timeOf(std::clamp(axisOf(x), std::min(view_.from, view_.to), std::max(view_.from, view_.to))));
}

}  // namespace cooperage::app
