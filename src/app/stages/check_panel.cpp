// SPDX-License-Identifier: GPL-3.0-or-later
#include <QFileDialog>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>

#include "io/coop_file.h"
#include "io/report.h"
#include "panels.h"
#include "../text.h"

namespace cooperage::app {

using namespace model;

namespace {
QString q(const std::string& s) { return QString::fromStdString(s); }
}  // namespace

CheckPanel::CheckPanel(Session& session, QWidget* parent) : StagePanel(session, tr("Check"), parent) {
  auto* go =
      tool(QStringLiteral("app/check"), tr("Check run"), tr("Check interference and requirements over the run (F6)"),
           QStringLiteral("check"), [this] { session_.startCheck(); });
  go->setProperty("primary", true);
  go->setIcon(icon(QStringLiteral("app/check"), theme().onAccent));
  toolRow({go});
  auto* sweep = tool(QStringLiteral("app/envelope"), tr("Sweep link"),
                     tr("The space that the selected link sweeps, grown by the clearance"), QStringLiteral("sweep"),
                     [this] { sweepSelected(); });
  clearance_ = new QLineEdit(QStringLiteral("2 mm"));
  clearance_->setObjectName(QStringLiteral("clearance"));
  clearance_->setAccessibleName(tr("Clearance of the envelope"));
  clearance_->setToolTip(tr("Clearance by which the envelope is grown"));
  clearance_->setFixedWidth(64);
  save_ = tool(QStringLiteral("lucide/save"), tr("STL"), tr("Save the envelope as STL"),
               QStringLiteral("save envelope"), [this] { saveEnvelope(); });
  toolRow({sweep, clearance_, save_});
  refresh();
}

std::pair<QString, Tone> CheckPanel::state() const {
  const CheckData* c = session_.check();
  if (!c) return {};
  if (session_.isCheckStale()) return {QStringLiteral("\u21bb"), Tone::quiet};
  auto bad = c->result.interference.size();
  for (const auto& r : c->result.requirements) bad += r.met ? 0 : 1;
  return bad ? std::pair<QString, Tone>{QString::number(bad), Tone::bad}
             : std::pair<QString, Tone>{QStringLiteral("\u2713"), Tone::good};
}

QString CheckPanel::subtitle() const {
  const CheckData* c = session_.check();
  if (!c) return {};
  const auto& units = session_.mechanism()->units;
  return tr("true to %1 %2")
      .arg(q(formatNumber(c->result.accuracy / units.factor(dimension::kLength), 3)), q(units.length));
}

std::vector<LedgerRow> CheckPanel::rows() const {
  std::vector<LedgerRow> out;
  const CheckData* c = session_.check();
  const auto& m = *session_.mechanism();
  const bool stale = session_.isCheckStale();
  if (const auto* e = session_.envelope()) {
    LedgerRow row;
    row.icon = QStringLiteral("app/envelope");
    const auto link = findLink(m, e->link);
    row.id = e->link;
    row.title = tr("swept by %1").arg(link ? q(link->name) : QString());
    row.detail = tr("%1 cm\u00b3 (%2 to %3)")
                     .arg(e->envelope.volume * 1e6, 0, 'f', 1)
                     .arg(e->envelope.low * 1e6, 0, 'f', 1)
                     .arg(e->envelope.high * 1e6, 0, 'f', 1);
    if (e->source != session_.mechanism()) {
      row.tag = tr("out of date");
      row.tone = Tone::quiet;
    }
    out.push_back(row);
  }
  if (c && session_.run()) {
    const auto& r = session_.run()->travel->resolved();
    const auto& units = m.units;
    const double axis = units.factor(session_.run()->result.axisDimension), mm = units.factor(dimension::kLength);
    const QString axisUnit = unitText(units.label(session_.run()->result.axisDimension));
    const auto name = [&](int l) {
      return l < static_cast<int>(r.links.size()) ? q(r.links[static_cast<std::size_t>(l)].name) : QString();
    };
    int index = 0;
    for (const auto& i : c->result.interference) {
      LedgerRow row;
      row.index = index++;
      row.icon = QStringLiteral("app/pair");
      row.title = name(i.linkA) + QStringLiteral(" \u2013 ") + name(i.linkB);
      row.detail = tr("%1\u2013%2%3, %4 %5 deep")
                       .arg(i.from / axis, 0, 'f', 1)
                       .arg(i.to / axis, 0, 'f', 1)
                       .arg(axisUnit)
                       .arg(i.deepest.depth / mm, 0, 'f', 2)
                       .arg(q(units.length));
      row.tag = stale ? tr("was") : tr("overlap");
      row.tone = stale ? Tone::quiet : Tone::bad;
      out.push_back(row);
    }
    for (const auto& x : c->result.requirements) {
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
      band.remove(QLatin1Char(' ') + q(units.label(x.dimension)));  // the unit stands by the value already
      row.detail = withUnit(q(formatNumber(x.value / units.factor(x.dimension), 4)), units.label(x.dimension)) + band;
      row.tag = stale ? tr("was") : x.met ? tr("met") : tr("not met");
      row.tone = stale ? Tone::quiet : x.met ? Tone::good : Tone::bad;
      out.push_back(row);
    }
    for (const auto& s : c->result.stops) {
      LedgerRow row;
      row.icon = QStringLiteral("app/stops");
      const double unit = units.factor(s.dimension);
      row.title = tr("stops of %1").arg(q(s.joint));
      row.detail = tr("uses %1 to %2 of %3 to %4 %5")
                       .arg(s.least / unit, 0, 'f', 1)
                       .arg(s.greatest / unit, 0, 'f', 1)
                       .arg(s.low ? QString::number(*s.low / unit, 'f', 0) : tr("any"),
                            s.high ? QString::number(*s.high / unit, 'f', 0) : tr("any"), q(units.label(s.dimension)));
      const auto joint = findByName(m.joints, s.joint);
      row.id = joint ? joint->id : 0;
      out.push_back(row);
    }
    LedgerRow rest;
    rest.title = tr("%1 free at every step").arg(counted(c->result.pairsFree, tr("pair"), tr("pairs")));
    rest.detail = tr("%1 touching, %2 left out (never move against one another)")
                      .arg(c->result.touching.size())
                      .arg(c->result.leftOut.size());
    rest.faded = true;
    rest.icon = QStringLiteral("lucide/check");
    out.push_back(rest);
  } else {
    for (const auto& req : m.requirements) {
      LedgerRow row;
      row.id = req->id;
      row.icon = QStringLiteral("app/gauge");
      row.title = q(req->name);
      row.detail = q(req->measure);
      row.tag = tr("not checked");
      row.tone = Tone::quiet;
      out.push_back(row);
    }
  }
  LedgerRow h;
  h.heading = true;
  h.title = tr("Links");
  out.push_back(h);
  for (const auto& l : m.links) {
    LedgerRow row;
    row.id = l->id;
    row.icon = l->ground ? QStringLiteral("app/ground") : QStringLiteral("app/link");
    row.title = q(l->name);
    out.push_back(row);
  }
  return out;
}

QString CheckPanel::hint() const {
  const CheckData* c = session_.check();
  if (session_.mechanism()->runs.empty()) return tr("There is no run to check yet: add one in stage Run.");
  if (!c) return tr("<a href='check'>Check the run</a> (F6): which links overlap, where, how deep.");
  if (session_.isCheckStale()) return tr("The mechanism has changed since: <a href='check'>check again</a> (F6).");
  if (!c->result.interference.empty())
    return tr("Click a pair to go to its deepest pose; change a parameter in the card and check again.");
  return tr("Choose a link below and sweep its envelope, or hand the results over.");
}

void CheckPanel::followHint(const QString&) { session_.startCheck(); }

void CheckPanel::rowsChosen(const std::vector<const LedgerRow*>& rows) {
  for (const auto* r : rows)
    if (r->index >= 0) {
      session_.select({});
      session_.chooseInterference(r->index);
      return;
    }
  if (session_.chosenInterference() >= 0) session_.chooseInterference(-1);
  StagePanel::rowsChosen(rows);
}

bool CheckPanel::rowSelected(const LedgerRow& row) const {
  if (row.index >= 0) return row.index == session_.chosenInterference();
  return StagePanel::rowSelected(row);
}

void CheckPanel::afterRefresh() {
  if (save_) save_->setEnabled(session_.envelope() != nullptr);
}

void CheckPanel::sweepSelected() {
  Id link = 0;
  for (Id id : session_.selection())
    if (findLink(*session_.mechanism(), id)) link = id;
  if (!link) {
    session_.say(tr("Choose the link to sweep first, in the list or in the scene"), true);
    return;
  }
  const auto f = parseField(*session_.mechanism(), clearance_->text().toStdString());
  const auto v = f.ok() ? evaluateField(*session_.mechanism(), *f, dimension::kLength) : Result<double>(f.error());
  if (!v.ok() || *v < 0) {
    session_.say(v.ok() ? tr("The clearance can't be negative") : q(v.error().text), true);
    return;
  }
  session_.startEnvelope(link, *v, 0);
}

void CheckPanel::saveEnvelope() {
  if (!session_.envelope()) return;
  const QString path =
      QFileDialog::getSaveFileName(this, tr("Save the envelope"), QStringLiteral("envelope.stl"), tr("STL (*.stl)"));
  if (path.isEmpty()) return;
  const Status s = io::writeFile(path.toStdString(), io::stlBinary(session_.envelope()->envelope.mesh, "envelope"));
  session_.say(s.ok() ? tr("Saved %1").arg(path) : q(s.error().text), !s.ok());
}

}  // namespace cooperage::app
