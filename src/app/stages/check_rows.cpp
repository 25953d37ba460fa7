// SPDX-License-Identifier: GPL-3.0-or-later
// The rows of the check panel, a function for each kind.
#include "base/index.h"
#include "check_panel.h"
#include "clearance/joined_links.h"
#include "../gauge_readings.h"
#include "../text.h"

namespace cooperage::app {

using namespace model;

namespace {

/// "120.0 \u00d7 48.0 \u00d7 12.5 mm"
QString sizeText(const Vec3& size, const DocumentUnits& units, double accuracy = 0) {
  const double largest = size.maxCoeff();
  return QStringLiteral("%1 \u00d7 %2 \u00d7 %3")
      .arg(plainFigure(size.x(), dimension::kLength, units, largest, accuracy),
           plainFigure(size.y(), dimension::kLength, units, largest, accuracy),
           figureText(size.z(), dimension::kLength, units, largest, accuracy));
}

/// Words for what a check has found along its run.
class Found {
 public:
  Found(const RunData& run, const DocumentUnits& units) : run_(run), units_(units) {
    const auto& axis = run.result.axis;
    span_ = axis.empty() ? 0 : std::abs(axis.back() - axis.front());
  }
  /// Of a place on the axis; a thousandth of the travel is as far as one can go by the cursor.
  QString place(double x) const { return plainFigure(x, run_.result.axisDimension, units_, span_, 1e-3 * span_); }
  QString onAxis(const QString& figure) const { return withUnit(figure, units_.label(run_.result.axisDimension)); }
  QString pair(int a, int b) const { return name(a) + QStringLiteral(" \u2013 ") + name(b); }

 private:
  QString name(int l) const {
    const auto& links = run_.travel->resolved().links;
    return l < static_cast<int>(links.size()) ? q(links[u(l)].name) : QString();
  }
  const RunData& run_;
  const DocumentUnits& units_;
  double span_ = 0;
};

LedgerRow pairRow(const QString& title) {
  LedgerRow row;
  row.icon = QStringLiteral("app/pair");
  row.title = title;
  return row;
}

}  // namespace

std::vector<LedgerRow> CheckPanel::rows() const {
  std::vector<LedgerRow> out;
  envelopeRows(out);
  poseRows(out);
  commonRow(out);
  freeRangeRows(out);
  if (const CheckData* c = bench_.checks().check(); c && bench_.runs().run()) {
    interferenceRows(*c, out);
    clearanceRows(*c, out);
    requirementRows(*c, out);
    stopRows(*c, out);
    out.push_back(summaryRow(*c));
  } else {
    for (const auto& req : bench_.document().mechanism()->requirements) {
      LedgerRow row;
      row.id = req->id;
      row.icon = QStringLiteral("app/gauge");
      row.title = q(req->name);
      row.detail = q(req->measure.text());
      row.tag = tr("not checked");
      row.tone = Tone::quiet;
      out.push_back(row);
    }
  }
  LedgerRow links;
  links.heading = true;
  links.title = tr("Links");
  out.push_back(links);
  for (const auto& l : bench_.document().mechanism()->links) {
    LedgerRow row;
    row.id = l->id;
    row.icon = l->ground ? QStringLiteral("app/ground") : QStringLiteral("app/link");
    row.title = q(l->name);
    out.push_back(row);
  }
  return out;
}

/// What overlaps in the pose that is shown.
void CheckPanel::poseRows(std::vector<LedgerRow>& out) const {
  const auto& links = bench_.solution().resolved().links;
  int index = 0;
  for (const auto& o : bench_.checks().poseOverlaps()) {
    LedgerRow row = pairRow(q(links[u(o.linkA)].name + " \u2013 " + links[u(o.linkB)].name));
    row.of = LedgerRow::Of::poseOverlap;
    row.index = index++;
    row.detail = o.depth > 0 ? tr("in this pose %1 deep")
                                   .arg(figureText(o.depth, dimension::kLength, bench_.document().mechanism()->units, 0,
                                                   accuracyOfPose(bench_)))
                             : tr("in this pose");
    row.tag = tr("overlap");
    row.tone = Tone::bad;
    out.push_back(row);
  }
}

/// Overlaps of the run, and pairs of which it can't be said.
void CheckPanel::interferenceRows(const CheckData& c, std::vector<LedgerRow>& out) const {
  const auto& units = bench_.document().mechanism()->units;
  const Found found(*bench_.runs().run(), units);
  const bool stale = bench_.checks().isCheckStale();
  int index = 0;
  for (const auto& i : c.result.interference) {
    LedgerRow row = pairRow(found.pair(i.linkA, i.linkB));
    row.of = LedgerRow::Of::interference;
    row.index = index++;
    row.detail = tr("%1, %2 deep")
                     .arg(found.onAxis(found.place(i.from) + QStringLiteral("\u2013") + found.place(i.to)),
                          figureText(i.deepest.depth, dimension::kLength, units, 0, c.result.accuracy));
    row.tag = stale ? tr("out of date") : tr("overlap");
    row.tone = stale ? Tone::quiet : Tone::bad;
    out.push_back(row);
  }
  for (const auto& [a, b] : c.result.unsure) {
    LedgerRow row = pairRow(found.pair(a, b));
    row.detail = tr("nearer than %1 %2 somewhere: below the accuracy")
                     .arg(q(formatNumber(c.result.accuracy / units.factor(dimension::kLength), 3)), q(units.length));
    row.tag = tr("unsure");
    row.tone = stale ? Tone::quiet : Tone::warning;
    out.push_back(row);
  }
}

/// Least gaps of pairs that do not meet.
void CheckPanel::clearanceRows(const CheckData& c, std::vector<LedgerRow>& out) const {
  const auto& units = bench_.document().mechanism()->units;
  const Found found(*bench_.runs().run(), units);
  for (std::size_t i = 0; i < c.result.clearances.size(); ++i) {
    const auto& x = c.result.clearances[i];
    if (!(x.least > 0)) continue;  // meeting faces, or in the list above
    LedgerRow row = pairRow(found.pair(x.linkA, x.linkB));
    row.of = LedgerRow::Of::clearance;
    row.index = static_cast<int>(i);
    row.detail = tr("least gap %1 at %2")
                     .arg(figureText(x.least, dimension::kLength, units, 0, x.within), found.onAxis(found.place(x.at)));
    row.tag = bench_.checks().isCheckStale() ? tr("out of date") : tr("gap");
    row.tone = Tone::quiet;
    out.push_back(row);
  }
}

void CheckPanel::requirementRows(const CheckData& c, std::vector<LedgerRow>& out) const {
  const auto& m = *bench_.document().mechanism();
  const bool stale = bench_.checks().isCheckStale();
  for (const auto& x : c.result.requirements) {
    LedgerRow row;
    const auto req = findByName(m.requirements, x.name);
    row.id = req ? req->id : 0;
    row.icon = QStringLiteral("app/gauge");
    row.title = q(x.name);
    QString band;
    if (req && req->min && req->max)
      band = tr(", asked %1 to %2").arg(q(fieldText(m, *req->min)), q(fieldText(m, *req->max)));
    else if (req && req->min)
      band = tr(", at least %1").arg(q(fieldText(m, *req->min)));
    else if (req && req->max)
      band = tr(", at most %1").arg(q(fieldText(m, *req->max)));
    const std::string unit = m.units.label(x.dimension);
    band.remove(QLatin1Char(' ') + q(unit));  // the unit stands by the value already
    row.detail = withUnit(q(formatNumber(x.value / m.units.factor(x.dimension), 4)), unit) + band;
    row.tag = stale ? tr("out of date") : !x.isBounded() ? tr("no bound") : x.met ? tr("met") : tr("not met");
    row.tone = stale || !x.isBounded() ? Tone::quiet : x.met ? Tone::good : Tone::bad;
    out.push_back(row);
  }
}

void CheckPanel::stopRows(const CheckData& c, std::vector<LedgerRow>& out) const {
  const auto& m = *bench_.document().mechanism();
  for (const auto& s : c.result.stops) {
    LedgerRow row;
    row.icon = QStringLiteral("app/stops");
    const auto value = [&](double v) {
      return figureText(v, s.dimension, m.units, s.greatest - s.least, 0.05 * m.units.factor(s.dimension));
    };
    row.title = tr("stops of %1").arg(q(s.joint));
    const double left = std::min(s.low ? s.least - *s.low : 1e300, s.high ? *s.high - s.greatest : 1e300);
    row.tag = tr("%1 left").arg(value(left));
    row.tone = Tone::quiet;
    row.detail = tr("uses %1 to %2 of %3 to %4")
                     .arg(value(s.least), value(s.greatest), s.low ? value(*s.low) : tr("any"),
                          s.high ? value(*s.high) : tr("any"));
    const auto joint = findByName(m.joints, s.joint);
    row.id = joint ? joint->id : 0;
    out.push_back(row);
  }
}

/// How many pairs are free, how many of them proven so, and what was not looked at, with the reason.
LedgerRow CheckPanel::summaryRow(const CheckData& c) const {
  const auto& all = c.result;
  LedgerRow row;
  row.title = all.pairsProven == all.pairsFree
                  ? tr("%1 proven free, between the steps too").arg(counted(all.pairsFree, tr("pair"), tr("pairs")))
                  : tr("%1 free, %2 proven").arg(counted(all.pairsFree, tr("pair"), tr("pairs"))).arg(all.pairsProven);
  QStringList details{tr("%1 touching").arg(all.touching.size())};
  if (!all.withPlay.empty()) details << tr("%1 joined with play").arg(all.withPlay.size());
  std::map<std::string, int> why;
  for (const auto& l : all.leftOut) ++why[l.why];
  for (const auto& [text, n] : why) details << tr("%1 left out: %2").arg(n).arg(q(text));
  if (!all.notProven.empty()) details << tr("not proven: %1").arg(q(all.notProven));
  row.detail = details.join(QStringLiteral("; "));
  row.faded = true;
  row.icon = QStringLiteral("lucide/check");
  return row;
}

void CheckPanel::commonRow(std::vector<LedgerRow>& out) const {
  const auto& now = bench_.checks().commonVolume();
  if (!now) return;
  const auto& links = bench_.solution().resolved().links;
  const auto& units = bench_.document().mechanism()->units;
  const QString size = sizeText(now->common.boxHigh - now->common.boxLow, units);
  LedgerRow row;
  row.icon = QStringLiteral("app/pair");
  row.title = q(links[u(now->linkA)].name + " \u2013 " + links[u(now->linkB)].name);
  row.detail = now->common.volume > 0 ? QStringLiteral("%1, %2").arg(volumeText(now->common.volume), size)
                                      : tr("no shared volume in this pose");
  row.tag = tr("shared volume");
  row.tone = now->common.volume > 0 ? Tone::bad : Tone::quiet;
  out.push_back(row);
}

void CheckPanel::envelopeRows(std::vector<LedgerRow>& out) const {
  const auto* e = bench_.checks().envelope();
  if (!e) return;
  const auto& m = *bench_.document().mechanism();
  const bool old = e->source != bench_.document().mechanism();
  LedgerRow row;
  row.icon = QStringLiteral("app/envelope");
  QStringList names;
  for (Id id : e->ask.links)
    if (const auto link = findLink(m, id)) names << q(link->name);
  row.id = e->ask.links.empty() ? 0 : e->ask.links.front();
  row.title = tr("swept by %1").arg(names.join(QStringLiteral(", ")));
  const double unsure = (e->envelope.high - e->envelope.low) / 10;
  row.detail = tr("%1 (%2 to %3), %4")
                   .arg(volumeText(e->envelope.volume, unsure), volumeText(e->envelope.low, unsure),
                        volumeText(e->envelope.high, unsure),
                        sizeText(e->envelope.boxHigh - e->envelope.boxLow, m.units, e->envelope.error));
  if (old) {
    row.tag = tr("out of date");
    row.tone = Tone::quiet;
  }
  out.push_back(row);
  const auto joined = clearance::joinedLinks(bench_.solution().resolved());
  const auto isJoined = [&](int link) {
    const auto& links = bench_.solution().resolved().links;
    for (std::size_t l = 0; l < links.size(); ++l)
      if (std::find(e->ask.links.begin(), e->ask.links.end(), links[l].id) != e->ask.links.end() &&
          joined.count({std::min(link, static_cast<int>(l)), std::max(link, static_cast<int>(l))}))
        return true;
    return false;
  };
  int shown = 0;
  for (const auto& g : e->gaps) {
    if (++shown > 4 || g.link >= static_cast<int>(m.links.size())) break;
    LedgerRow other;
    other.indent = 1;
    other.icon = QStringLiteral("app/link");
    other.id = m.links[static_cast<std::size_t>(g.link)]->id;
    other.title = q(m.links[static_cast<std::size_t>(g.link)]->name);
    other.detail =
        g.least > 0 ? tr("%1 left").arg(figureText(g.least, dimension::kLength, m.units, 0, e->envelope.error))
                    : tr("penetrates %1").arg(figureText(-g.least, dimension::kLength, m.units, 0, e->envelope.error));
    other.tag = old ? tr("out of date") : g.least > 0 ? tr("clear") : tr("in the way");
    other.tone = old ? Tone::quiet : g.least > 0 ? Tone::good : Tone::bad;
    if (!old && g.least <= 0 && isJoined(g.link)) {  // it is made to be there
      other.tag = tr("joined");
      other.tone = Tone::quiet;
    }
    out.push_back(other);
  }
}

void CheckPanel::freeRangeRows(std::vector<LedgerRow>& out) const {
  const auto& m = *bench_.document().mechanism();
  const auto drive = findById(m.drives, bench_.checks().freeRangeDrive());
  if (!drive || !bench_.checks().freeRange()) return;
  const auto& range = *bench_.checks().freeRange();
  const auto value = [&](double v) {
    return figureText(v, range.dimension, m.units, range.high.value - range.low.value);
  };
  LedgerRow head;
  head.icon = QStringLiteral("app/stops");
  head.id = drive->id;
  head.title = tr("free range of %1").arg(q(drive->name));
  head.detail = tr("%1 to %2").arg(value(range.low.value), value(range.high.value));
  out.push_back(head);
  for (const auto& [end, side] : {std::pair{&range.low, tr("down")}, {&range.high, tr("up")}}) {
    LedgerRow row;
    row.indent = 1;
    row.title = side + QStringLiteral(": ") + value(end->value);
    row.detail =
        end->kind == kinematics::EndKind::contact
            ? tr("%1 meet%2")
                  .arg(q(end->by), end->stop ? tr(", before the stop at %1").arg(value(*end->stop)) : QString())
        : end->kind == kinematics::EndKind::stop   ? tr("stop of %1").arg(q(end->by))
        : end->kind == kinematics::EndKind::turn   ? tr("free over a whole turn")
        : end->kind == kinematics::EndKind::search ? tr("free as far as was looked")
                                                   : tr("the mechanism goes no farther (%1)").arg(q(end->by));
    row.tag = end->kind == kinematics::EndKind::contact ? tr("contact") : QString();
    row.tone = end->kind == kinematics::EndKind::contact ? Tone::warning : Tone::none;
    out.push_back(row);
  }
}

}  // namespace cooperage::app
