// SPDX-License-Identifier: GPL-3.0-or-later
#include "cam_lanes.h"

#include <cmath>

#include "../merges.h"
#include "../text.h"
#include "../theme.h"
#include "model/cam_edits.h"

namespace cooperage::app {

using namespace model;

namespace {}  // namespace

CamLanes::CamLanes(Workbench& bench, QWidget* parent) : LawLanes(bench, parent) {
  setObjectName(QStringLiteral("cam lanes"));
  setAccessibleName(tr("Law of the cam"));
  connect(&bench_.selection(), &Selection::changed, this, &CamLanes::look);
  connect(&bench_.document(), &Document::changed, this, &CamLanes::look);
  look();
}

void CamLanes::look() {
  const auto& m = *bench_.document().mechanism();
  Id cam = 0;
  if (bench_.selection().ids().size() == 1) {
    Id id = bench_.selection().ids()[0];
    if (const auto b = findBody(m, id); b && b->body->curve != 0) id = b->body->curve;
    for (const auto& p : m.camPairs)
      if (p->id == id) id = p->cam;
    if (const auto c = findCurve(m, id); c && c->curve->kind == CurveKind::camLaw) cam = id;
  }
  spec_.reset();
  for (const auto& c : bench_.solution().resolved().curveList)
    if (c.id == cam) spec_ = c.cam;
  if (!spec_) cam = 0;
  const bool other = cam != cam_;
  cam_ = cam;
  lawChanged();
  if (other) emit camChanged();
}

LawLanes::Axis CamLanes::axis() const {
  const auto& units = bench_.document().mechanism()->units;
  if (spec_->form != elements::CamSpec::Form::linear) return {kDegree, 30, QStringLiteral("\u00b0")};
  const double unit = units.factor(dimension::kLength);
  return {unit, std::pow(10, std::floor(std::log10(end() / unit))) / 2, ' ' + q(units.length)};
}

LawLanes::LaneText CamLanes::laneText(int k, double most, double range) const {
  const auto c = findCurve(*bench_.document().mechanism(), cam_);
  const auto& units = bench_.document().mechanism()->units;
  const bool linear = spec_->form == elements::CamSpec::Form::linear, swing = spec_->swing;
  const double mm = units.factor(dimension::kLength), perUnit = linear ? mm : 1, liftUnit = swing ? kDegree : mm;
  const QString lift = swing ? QStringLiteral("\u00b0") : q(units.length),
                per = linear ? q(units.length) : QStringLiteral("rad");
  const QString names[] = {tr("displacement"), tr("velocity"), tr("acceleration"), tr("jerk")};
  const QString powers[] = {QString(), QString(), QStringLiteral("\u00b2"), QStringLiteral("\u00b3")};
  const QString name = k == 0 && c ? q(c->curve->name) + QStringLiteral(": ") + names[0] : names[k];
  if (k == 0) return {name, tr("lift %1 %2").arg(QString::number(range / liftUnit, 'g', 5), lift)};
  return {name, tr("most %1 %2")
                    .arg(QString::number(most / (liftUnit / std::pow(perUnit, k)), 'g', 4),
                         lift + QLatin1Char('/') + per + powers[k])};
}

std::pair<QString, bool> CamLanes::reading(double at) const {
  const auto place = elements::camAt(*spec_, at);
  const auto& units = bench_.document().mechanism()->units;
  const bool linear = spec_->form == elements::CamSpec::Form::linear;
  const auto length = [&](double v, double step) { return exactText(v, dimension::kLength, units, step); };
  const auto angle = [&](double v, double step) { return exactText(v, dimension::kAngle, units, step * kDegree); };
  QString text = linear ? length(at, 1e-4) : angle(at, 0.1);
  text += tr("  lift %1").arg(spec_->swing ? angle(place.lift[0], 1e-3) : length(place.lift[0], 1e-6));
  text += tr("  pressure %1").arg(angle(place.pressure, 0.1));
  if (place.undercut)
    text += tr("  undercut");
  else if (std::abs(place.profileCurvature) > 1e-6)
    text += tr("  radius %1").arg(length(1 / place.profileCurvature, 1e-5));
  return {text, place.undercut};
}

/// Along: the row before the knot becomes longer and the one after it shorter. Up: both rows lead to another height.
void CamLanes::dragKnot(int knot, const QPointF& to, Qt::KeyboardModifiers) {
  const auto place = findCurve(*bench_.document().mechanism(), cam_);
  if (!place) return;
  const auto& units = bench_.document().mechanism()->units;
  const auto& knots = spec_->law->knots();
  const auto i = static_cast<std::size_t>(knot - 1);
  const bool linear = spec_->form == elements::CamSpec::Form::linear;
  const double overUnit = linear ? units.factor(dimension::kLength) : units.factor(dimension::kAngle);
  const double liftUnit = spec_->swing ? units.factor(dimension::kAngle) : units.factor(dimension::kLength);
  // whole degrees (half millimetres of a linear cam), tenths of a millimetre or of a degree
  const double grid = linear ? 0.5e-3 : kDegree, fine = spec_->swing ? 0.1 * kDegree : 0.1e-3;
  double at = std::round(atOf(to.x()) / grid) * grid;
  at = std::clamp(at, knots[i] + grid, knots[i + 2] - grid);
  double level = std::max(0.0, std::round(valueOf(to.y()) / fine) * fine);
  // a few pixels up or down while dragging along change nothing
  const double now = spec_->law->at(knots[i + 1]).position;
  if (std::abs(yOf(0, now) - to.y()) < 9) level = now;
  std::vector<double> levels{0};
  for (std::size_t k = 1; k < knots.size(); ++k) levels.push_back(spec_->law->at(knots[k]).position);
  const auto& rows = place->curve->rows;
  // a dwell keeps one height: the knot at its other end goes along
  levels[i + 1] = level;
  for (std::size_t k = i + 1; k < rows.size() && rows[k].law == motion::LawKind::dwell; ++k) levels[k + 1] = level;
  for (std::size_t k = i + 1; k-- > 0 && rows[k].law == motion::LawKind::dwell;) levels[k] = level;
  if (levels.front() != 0 || std::abs(levels.back()) > 1e-12) return;  // it must begin and end at its lowest
  const auto tidy = [](double x) { return Field(std::round(x * 1e9) / 1e9); };
  const auto fixedField = [](const Field& f) { return !f.formula || f.formula->references().empty(); };
  for (const auto& row : rows)
    for (const auto& [key, f] : row.figures)
      if (!fixedField(f)) {
        bench_.say(tr("A figure of this law is a formula of parameters: change those"), true);
        return;
      }
  bench_.document().apply(tr("Drag cam law"),
                          changedLink(*bench_.document().mechanism(), place->link->id,
                                      [&](Link& l) {
                                        change<Curve>(l.curves, cam_, [&](Curve& c) {
                                          c.rows[i].figures["over"] = tidy((at - knots[i]) / overUnit);
                                          c.rows[i + 1].figures["over"] = tidy((knots[i + 2] - at) / overUnit);
                                          for (std::size_t k = 0; k < c.rows.size(); ++k)
                                            if (c.rows[k].law != motion::LawKind::dwell)
                                              c.rows[k].figures["lift"] = tidy((levels[k + 1] - levels[k]) / liftUnit);
                                        });
                                      }),
                          kMergeKnot);
}

}  // namespace cooperage::app
