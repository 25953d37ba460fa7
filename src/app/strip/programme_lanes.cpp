// SPDX-License-Identifier: GPL-3.0-or-later
#include "programme_lanes.h"

#include <QContextMenuEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <cmath>

#include "../merges.h"
#include "../text.h"
#include "../theme.h"
#include "model/programme_edits.h"

namespace cooperage::app {

using namespace model;

namespace {
constexpr double kHead = 27;
/// 1, 2 or 5 times a power of ten, at least so much.
double roundStep(double least) {
  const double power = std::pow(10.0, std::floor(std::log10(std::max(least, 1e-300))));
  for (double s : {1.0, 2.0, 5.0})
    if (s * power >= least * (1 - 1e-9)) return s * power;
  return 10 * power;
}
}  // namespace

QString lawText(const Word<motion::LawKind>& law) {
  QString s = q(law.text()).replace(QStringLiteral("poly-345"), QStringLiteral("3-4-5 polynomial"));
  s.replace(QStringLiteral("poly-4567"), QStringLiteral("4-5-6-7 polynomial"));
  if (!s[0].isDigit()) s.replace('-', ' ');
  return s;
}

QPixmap lawPicture(const Word<motion::LawKind>& law, const QSize& size, const QColor& colour, double ratio) {
  QPixmap picture(QSizeF(size * ratio).toSize());
  picture.setDevicePixelRatio(ratio);
  picture.fill(Qt::transparent);
  QPainter p(&picture);
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(QPen(colour, 1.5, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
  const double w = size.width() - 4, h = size.height() - 4;
  const auto known = motion::Law::named(law);
  const auto value = [&](double x) {
    if (law == motion::LawKind::dwell) return 0.5;
    if (law == motion::LawKind::runUp) return x * x;
    if (law == motion::LawKind::runDown) return 1 - (1 - x) * (1 - x);
    if (law == motion::LawKind::sine) return 0.5 + 0.5 * std::sin(2 * kPi * x);
    if (law == motion::LawKind::constantSpeed) return x;
    if (law == motion::LawKind::table || law == motion::LawKind::spline)
      return 0.5 - 0.4 * std::cos(3.4 * kPi * x) * (1 - 0.4 * x);
    if (law == motion::LawKind::formula || law == motion::LawKind::speedFormula)
      return 0.5 + 0.45 * std::sin(6 * x) * std::exp(-0.7 * x);
    if (law == motion::LawKind::quintic) return x * x * x * (10 - 15 * x + 6 * x * x) * 0.9 + 0.1 * x;
    return known ? known->at(x)[0] : x * x * (3 - 2 * x);
  };
  QPainterPath path;
  for (int i = 0; i <= 40; ++i) {
    const double x = i / 40.0;
    const QPointF at(2 + w * x, 2 + h * (1 - value(x)));
    i == 0 ? path.moveTo(at) : path.lineTo(at);
  }
  p.drawPath(path);
  if (law == motion::LawKind::table)
    for (int i = 0; i <= 3; ++i) p.drawEllipse(QPointF(2 + w * i / 3, 2 + h * (1 - value(i / 3.0))), 1.2, 1.2);
  return picture;
}

ProgrammeLanes::ProgrammeLanes(Workbench& bench, QWidget* parent) : LawLanes(bench, parent) {
  setObjectName(QStringLiteral("programme lanes"));
  setAccessibleName(tr("Programme of the drive"));
  setToolTip(
      tr("Drag a knot: along changes the times, up and down the value; with Shift the rest moves along. "
         "Double-click puts a dwell in."));
  setHeadRoom(kHead);
  connect(&bench_.selection(), &Selection::changed, this, &ProgrammeLanes::look);
  connect(&bench_.document(), &Document::changed, this, &ProgrammeLanes::look);
  connect(&bench_.selection(), &Selection::stageChanged, this, &ProgrammeLanes::look);
  connect(&bench_, &Workbench::resultsChanged, this, &ProgrammeLanes::look);
  look();
}

void ProgrammeLanes::look() {
  Id chosen = 0;
  if (bench_.selection().ids().size() == 1 && bench_.selection().stage() == Stage::drive)
    if (findById(bench_.document().mechanism()->drives, bench_.selection().ids()[0]))
      chosen = bench_.selection().ids()[0];
  const bool other = chosen != drive_;
  drive_ = chosen;
  programme_.reset();
  knots_.clear();
  jumps_.clear();
  rows_.clear();
  const auto& r = bench_.solution().resolved();
  for (std::size_t d = 0; d < r.drives.size(); ++d) {
    if (r.drives[d].id != drive_ || drive_ == 0) continue;
    double start = 0;
    if (bench_.solution().system() && bench_.solution().home()) {
      const int dof = bench_.solution().system()->dofOfDrive(r, static_cast<int>(d));
      if (dof >= 0) start = bench_.solution().home()->configuration.q[static_cast<std::size_t>(dof)];
    }
    dimension_ = r.drives[d].dimension;
    rows_ = r.drives[d].rows;
    auto made = motion::Programme::compile(rows_, start, r.drives[d].reverse, r.drives[d].name);
    if (!made.ok()) continue;
    programme_ = std::move(made).value();
    jumps_ = programme_->jumps();
    for (double k : programme_->knots())
      if (std::isfinite(k)) knots_.push_back(k);
    end_ = knots_.back();
    if (!std::isfinite(programme_->end())) {  // it goes on: as far as the run does
      const int run = bench_.runs().currentRun();
      end_ += 2;
      if (run >= 0) end_ = std::max(end_ - 1, r.runs[static_cast<std::size_t>(run)].duration);
    }
  }
  if (other || row_ >= static_cast<int>(rows_.size())) row_ = -1;
  lawChanged();
  if (other) emit driveChanged();
}

motion::Derivatives ProgrammeLanes::at(double x) const {
  const auto d = programme_->derivatives(x);
  return d;
}

LawLanes::Axis ProgrammeLanes::axis() const {
  const auto& units = bench_.document().mechanism()->units;
  const double unit = units.factor(dimension::kTime);
  return {unit, roundStep(end_ / unit / 12), ' ' + q(units.time)};
}

LawLanes::LaneText ProgrammeLanes::laneText(int k, double most, double range) const {
  const auto& units = bench_.document().mechanism()->units;
  const auto d = findById(bench_.document().mechanism()->drives, drive_);
  const Dimension dim = dimension_ + static_cast<double>(k) * dimension::kPerSecond;
  const QString names[] = {d ? q(d->name) : QString(), tr("speed"), tr("acceleration"), tr("jerk")};
  const auto figure = [&](double v) {
    return withUnit(q(formatNumber(std::abs(v) <= noiseOf(dim) ? 0 : v / units.factor(dim), 5)), units.label(dim));
  };
  if (k == 0) return {names[0], tr("travel %1").arg(figure(range))};
  return {names[k], tr("most %1").arg(figure(most))};
}

std::pair<QString, bool> ProgrammeLanes::reading(double x) const {
  const auto& units = bench_.document().mechanism()->units;
  const auto s = programme_->derivatives(x);
  QString text = figureText(x, dimension::kTime, units, end_);
  for (std::size_t k = 0; k < 3; ++k) {
    const Dimension dim = dimension_ + static_cast<double>(k) * dimension::kPerSecond;
    text += QStringLiteral("   ") + figureText(s[k], dim, units, sizeOf(static_cast<int>(k)));
  }
  return {text, false};
}

QRectF ProgrammeLanes::blockRect(int row) const {
  const auto i = static_cast<std::size_t>(row);
  if (!hasLaw() || i >= rows_.size()) return {};
  const double a = xOf(i < knots_.size() ? knots_[i] : end_), b = xOf(i + 1 < knots_.size() ? knots_[i + 1] : end_);
  return {a + 1, 4, std::max(4.0, b - a - 2), kHead - 7};
}

void ProgrammeLanes::paintMore(QPainter& p) {
  const Theme& t = theme();
  p.setFont(uiFont(8.2, QFont::Medium));
  for (std::size_t i = 0; i < rows_.size(); ++i) {
    const QRectF box = blockRect(static_cast<int>(i));
    const bool chosen = static_cast<int>(i) == row_, still = rows_[i].law == motion::LawKind::dwell;
    p.setPen(QPen(chosen ? t.accent : t.line, chosen ? 1.6 : 1));
    p.setBrush(chosen ? t.accentTint : still ? t.paper : t.field);
    p.drawRoundedRect(box, 4, 4);
    double left = box.left() + 5;
    if (box.width() > 34) {
      p.drawPixmap(QPointF(left, box.top() + 3),
                   lawPicture(rows_[i].law, {16, 14}, still ? t.mute : t.accent, devicePixelRatioF()));
      left += 20;
    }
    p.setPen(still ? t.mute : t.ink);
    const double room = box.right() - left - 3;
    if (room > 24)
      p.drawText(QRectF(left, box.top(), room, box.height()), Qt::AlignLeft | Qt::AlignVCenter,
                 p.fontMetrics().elidedText(lawText(rows_[i].law), Qt::ElideRight, static_cast<int>(room)));
  }
  p.setPen(t.mute);
  p.setFont(uiFont(8.2));
  p.drawText(QRectF(12, 4, 130, kHead - 7), Qt::AlignLeft | Qt::AlignVCenter, tr("rows"));
  // a jump of the speed: no drive can follow there
  for (const auto& j : jumps_) {
    if (j.t > end_) continue;
    const double x = xOf(j.t), a = yOf(1, j.from), b = yOf(1, j.to);
    p.setPen(QPen(t.warn, 2.4));
    p.drawLine(QPointF(x, a), QPointF(x, b));
    const QRectF box = lane(1);
    p.setFont(uiFont(8.2, QFont::DemiBold));
    const QString word = tr("speed jumps");
    const double w = p.fontMetrics().horizontalAdvance(word) + 8;
    QRectF label(x + 4, box.top() - 1, w, 15);
    if (label.right() > width() - 4) label.moveRight(x - 4);
    p.setPen(Qt::NoPen);
    p.setBrush(t.warnTint);
    p.drawRoundedRect(label, 3, 3);
    p.setPen(t.warn);
    p.drawText(label, Qt::AlignCenter, word);
  }
}

void ProgrammeLanes::setRow(int row) {
  if (row == row_) return;
  row_ = row;
  update();
}

void ProgrammeLanes::pressed(const QPointF& at) {
  for (std::size_t i = 0; i < rows_.size(); ++i)
    if (blockRect(static_cast<int>(i)).contains(at)) setRow(static_cast<int>(i));
}

void ProgrammeLanes::mouseDoubleClickEvent(QMouseEvent* e) {
  if (hasLaw() && e->position().x() >= xOf(0)) insertDwell(atOf(e->position().x()));
}

void ProgrammeLanes::insertDwell(double at) {
  if (!programme_) return;
  const double grid = roundStep(end_ / std::max(1.0, xOf(end_) - xOf(0)) * 3);
  at = std::round(at / grid) * grid;
  bench_.document().apply(tr("Insert dwell"),
                          withDwell(*bench_.document().mechanism(), drive_, at, roundStep(end_ / 12), *programme_));
}

void ProgrammeLanes::contextMenuEvent(QContextMenuEvent* e) {
  if (!hasLaw()) return;
  const double at = atOf(e->pos().x());
  int row = -1;
  for (std::size_t i = 0; i < rows_.size(); ++i)
    if (const QRectF b = blockRect(static_cast<int>(i)); e->pos().x() >= b.left() && e->pos().x() <= b.right())
      row = static_cast<int>(i);
  QMenu menu(this);
  menu.addAction(tr("Insert a dwell here"), this, [this, at] { insertDwell(at); });
  if (row >= 0) {
    setRow(row);
    auto* laws = menu.addMenu(tr("Law of this row"));
    for (const auto& law : motion::Law::kinds())
      laws->addAction(
          QIcon(lawPicture(law, {18, 16}, theme().ink, devicePixelRatioF())), lawText(law), this, [this, row, law] {
            const auto d = findById(bench_.document().mechanism()->drives, drive_);
            if (!d) return;
            auto rows = rowsOf(*bench_.document().mechanism(), *d);
            auto& r = rows[static_cast<std::size_t>(row)];
            r = rowWithLaw(*bench_.document().mechanism(), r, law, dimension_);
            bench_.document().apply(tr("Change law"), withRows(*bench_.document().mechanism(), drive_, rows));
          });
    menu.addAction(tr("Another row after this one"), this, [this, row] {
      bench_.document().apply(tr("Add row"), withRowAfter(*bench_.document().mechanism(), drive_, row,
                                                          rows_[static_cast<std::size_t>(row)].law));
    });
    menu.addAction(tr("Remove this row"), this, [this, row] {
      bench_.document().apply(tr("Remove row"), withoutRow(*bench_.document().mechanism(), drive_, row));
    });
  }
  menu.exec(e->globalPos());
}

/// Round figures about three pixels apart; a few pixels up or down while dragging along change nothing.
void ProgrammeLanes::dragKnot(int knot, const QPointF& to, Qt::KeyboardModifiers keys) {
  const auto i = static_cast<std::size_t>(knot);
  const auto& units = bench_.document().mechanism()->units;
  const double second = units.factor(dimension::kTime), unit = units.factor(dimension_);
  const bool rest = keys.testFlag(Qt::ShiftModifier);
  const double timeGrid = roundStep(end_ / second / std::max(1.0, xOf(end_) - xOf(0)) * 3) * second;
  const double valueGrid = roundStep(std::abs(valueOf(0) - valueOf(1)) / unit * 2) * unit;
  double t = std::round(atOf(to.x()) / timeGrid) * timeGrid;
  t = std::max(t, knots_[i - 1] + timeGrid);
  if (!rest && i + 1 < knots_.size()) t = std::min(t, knots_[i + 1] - timeGrid);
  if (std::abs(xOf(knots_[i]) - to.x()) < 3) t = knots_[i];
  const double now = programme_->at(knots_[i]).position;
  double v = std::round(valueOf(to.y()) / valueGrid) * valueGrid;
  if (keepsValue(to)) v = now;
  if (t == knots_[i] && v == now) return;
  auto moved = withKnotMoved(*bench_.document().mechanism(), drive_, knot, t - knots_[i], v - now, rest);
  if (!moved.ok() && v != now && t != knots_[i])  // what can't be dragged up can be dragged along
    moved = withKnotMoved(*bench_.document().mechanism(), drive_, knot, t - knots_[i], 0, rest);
  bench_.document().apply(tr("Drag programme"), moved, kMergeKnot);
}

}  // namespace cooperage::app
