// SPDX-License-Identifier: GPL-3.0-or-later
#include <QComboBox>
#include <QFileDialog>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>

#include "io/coop_file.h"
#include "base/index.h"
#include "io/mesh_files.h"
#include "clearance/joined_links.h"
#include "check_panel.h"
#include "../gauge_readings.h"
#include "../text.h"

namespace cooperage::app {

using namespace model;

namespace {
// row indices: interference from 0 on, then pairs of the list of least clearances, then overlaps of the pose
constexpr int kPairs = 100000, kPose = 200000;
template <class T>
std::shared_ptr<const T> findByIdOrNull(const std::vector<std::shared_ptr<const T>>& list, Id id) {
  for (const auto& x : list)
    if (x->id == id && id != 0) return x;
  return nullptr;
}
/// "120.0 \u00d7 48.0 \u00d7 12.5 mm"
QString sizeText(const Vec3& size, const DocumentUnits& units, double accuracy = 0) {
  const double largest = size.maxCoeff();
  return QStringLiteral("%1 \u00d7 %2 \u00d7 %3")
      .arg(plainFigure(size.x(), dimension::kLength, units, largest, accuracy),
           plainFigure(size.y(), dimension::kLength, units, largest, accuracy),
           figureText(size.z(), dimension::kLength, units, largest, accuracy));
}
}  // namespace

CheckPanel::CheckPanel(Workbench& bench, QWidget* parent) : StagePanel(bench, tr("Check"), parent) {
  auto* go =
      tool(QStringLiteral("app/check"), tr("Check run"), tr("Check interference and requirements over the run (F6)"),
           QStringLiteral("check"), [this] { bench_.checks().startCheck(); });
  go->setProperty("primary", true);
  go->setIcon(icon(QStringLiteral("app/check"), theme().onAccent));
  auto* pose = tool(QStringLiteral("app/pair"), tr("Pose"), tr("Which links overlap in the pose that is shown (X)"),
                    QStringLiteral("check pose"), [this] { bench_.checks().checkPose(); });
  auto* free = tool(QStringLiteral("app/stops"), tr("Free range"),
                    tr("From home, how far the selected drive goes either way until the first contact or stop"),
                    QStringLiteral("free range"), [this] { findFreeRange(); });
  toolRow({go, pose, free});
  auto* sweep = tool(QStringLiteral("app/envelope"), tr("Sweep"),
                     tr("The space that the selected links sweep, grown by the clearance"), QStringLiteral("sweep"),
                     [this] { sweepSelected(); });
  const auto field = [&](const QString& text, const QString& name, const QString& tip) {
    auto* f = new QLineEdit(text);
    f->setObjectName(name);
    f->setAccessibleName(tip);
    f->setToolTip(tip);
    f->setFixedWidth(62);
    return f;
  };
  clearance_ =
      field(QStringLiteral("2 mm"), QStringLiteral("clearance"), tr("Clearance by which the envelope is grown"));
  accuracy_ = field(QString(), QStringLiteral("envelope accuracy"),
                    tr("Accuracy of the envelope's surface; empty: 1/200 of the size"));
  accuracy_->setPlaceholderText(tr("auto"));
  in_ = new QComboBox;
  in_->setObjectName(QStringLiteral("envelope in"));
  in_->setAccessibleName(tr("Link in whose axes the space is swept"));
  in_->setToolTip(in_->accessibleName());
  in_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  in_->setMinimumContentsLength(7);
  part_ = new QComboBox;
  part_->setObjectName(QStringLiteral("envelope part"));
  part_->setAccessibleName(tr("Part of the travel that is swept"));
  part_->setToolTip(part_->accessibleName());
  part_->addItem(tr("whole travel"));
  part_->addItem(tr("up to the cursor"));
  part_->addItem(tr("from the cursor on"));
  save_ = tool(QStringLiteral("lucide/save"), tr("Save"),
               tr("Save the envelope as STL, glTF or STEP, or its outline as SVG or DXF"),
               QStringLiteral("save envelope"), [this] { saveEnvelope(); });
  toolRow({sweep, clearance_, accuracy_, in_});
  along_ = new QComboBox;
  along_->setObjectName(QStringLiteral("outline along"));
  along_->setAccessibleName(tr("Direction along which the outline is seen, for SVG and DXF"));
  along_->setToolTip(along_->accessibleName());
  for (const QString& axis : {tr("x"), tr("y"), tr("z")}) along_->addItem(tr("along %1").arg(axis));
  along_->setCurrentIndex(2);
  toolRow({part_, save_, along_});
  refresh();
}

std::pair<QString, Tone> CheckPanel::state() const {
  const CheckData* c = bench_.checks().check();
  if (!c) return {};
  if (bench_.checks().isCheckStale()) return {QStringLiteral("\u21bb"), Tone::quiet};
  auto bad = c->result.interference.size();
  for (const auto& r : c->result.requirements) bad += r.fails() ? 1 : 0;
  return bad ? std::pair<QString, Tone>{QString::number(bad), Tone::bad}
             : std::pair<QString, Tone>{QStringLiteral("\u2713"), Tone::good};
}

QString CheckPanel::subtitle() const {
  const CheckData* c = bench_.checks().check();
  if (!c) return {};
  const auto& units = bench_.document().mechanism()->units;
  return tr("true to %1 %2")
      .arg(q(formatNumber(c->result.accuracy / units.factor(dimension::kLength), 3)), q(units.length));
}

std::vector<LedgerRow> CheckPanel::rows() const {
  std::vector<LedgerRow> out;
  const CheckData* c = bench_.checks().check();
  const auto& m = *bench_.document().mechanism();
  const bool stale = bench_.checks().isCheckStale();
  envelopeRows(out);
  int inPose = kPose;
  for (const auto& o : bench_.checks().poseOverlaps()) {
    const auto& links = bench_.solution().resolved().links;
    LedgerRow row;
    row.index = inPose++;
    row.icon = QStringLiteral("app/pair");
    row.title =
        q(links[static_cast<std::size_t>(o.linkA)].name + " \u2013 " + links[static_cast<std::size_t>(o.linkB)].name);
    row.detail = o.depth > 0 ? tr("in this pose %1 deep")
                                   .arg(figureText(o.depth, dimension::kLength, m.units, 0, accuracyOfPose(bench_)))
                             : tr("in this pose");
    row.tag = tr("overlap");
    row.tone = Tone::bad;
    out.push_back(row);
  }
  commonRow(out);
  freeRangeRows(out);
  if (c && bench_.runs().run()) {
    const auto& r = bench_.runs().run()->travel->resolved();
    const auto& units = m.units;
    const Dimension along = bench_.runs().run()->result.axisDimension;
    const double mm = units.factor(dimension::kLength);
    const auto& axis = bench_.runs().run()->result.axis;
    const double span = axis.empty() ? 0 : std::abs(axis.back() - axis.front());
    // a thousandth of the travel is as far as one can go by the cursor
    const auto place = [&](double x) { return plainFigure(x, along, units, span, 1e-3 * span); };
    const auto onAxis = [&](const QString& figure) { return withUnit(figure, units.label(along)); };
    const auto name = [&](int l) {
      return l < static_cast<int>(r.links.size()) ? q(r.links[static_cast<std::size_t>(l)].name) : QString();
    };
    int index = 0;
    for (const auto& i : c->result.interference) {
      LedgerRow row;
      row.index = index++;
      row.icon = QStringLiteral("app/pair");
      row.title = name(i.linkA) + QStringLiteral(" \u2013 ") + name(i.linkB);
      row.detail = tr("%1, %2 deep")
                       .arg(onAxis(place(i.from) + QStringLiteral("\u2013") + place(i.to)),
                            figureText(i.deepest.depth, dimension::kLength, units, 0, c->result.accuracy));
      row.tag = stale ? tr("was") : tr("overlap");
      row.tone = stale ? Tone::quiet : Tone::bad;
      out.push_back(row);
    }
    for (const auto& [a, b] : c->result.unsure) {
      LedgerRow row;
      row.icon = QStringLiteral("app/pair");
      row.title = name(a) + QStringLiteral(" \u2013 ") + name(b);
      row.detail = tr("nearer than %1 %2 somewhere: no more can be said")
                       .arg(q(formatNumber(c->result.accuracy / mm, 3)), q(units.length));
      row.tag = tr("unsure");
      row.tone = stale ? Tone::quiet : Tone::warning;
      out.push_back(row);
    }
    int pair = kPairs;
    for (const auto& x : c->result.clearances) {
      const int at = pair++;
      if (!(x.least > 0)) continue;  // meeting faces, or in the list above
      LedgerRow row;
      row.index = at;
      row.icon = QStringLiteral("app/pair");
      row.title = name(x.linkA) + QStringLiteral(" \u2013 ") + name(x.linkB);
      row.detail = tr("least gap %1 at %2")
                       .arg(figureText(x.least, dimension::kLength, units, 0, x.within), onAxis(place(x.at)));
      row.tag = stale ? tr("was") : tr("gap");
      row.tone = Tone::quiet;
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
      row.tag = stale ? tr("was") : !x.isBounded() ? tr("no bound") : x.met ? tr("met") : tr("not met");
      row.tone = stale || !x.isBounded() ? Tone::quiet : x.met ? Tone::good : Tone::bad;
      out.push_back(row);
    }
    for (const auto& s : c->result.stops) {
      LedgerRow row;
      row.icon = QStringLiteral("app/stops");
      const auto value = [&](double v) {
        return figureText(v, s.dimension, units, s.greatest - s.least, 0.05 * units.factor(s.dimension));
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
    LedgerRow rest;
    const auto& all = c->result;
    rest.title =
        all.pairsProven == all.pairsFree
            ? tr("%1 proven free, between the steps too").arg(counted(all.pairsFree, tr("pair"), tr("pairs")))
            : tr("%1 free, %2 proven").arg(counted(all.pairsFree, tr("pair"), tr("pairs"))).arg(all.pairsProven);
    QStringList details{tr("%1 touching").arg(all.touching.size())};
    if (!all.withPlay.empty()) details << tr("%1 joined with play").arg(all.withPlay.size());
    std::map<std::string, int> why;
    for (const auto& l : all.leftOut) ++why[l.why];
    for (const auto& [text, n] : why) details << tr("%1 left out: %2").arg(n).arg(q(text));
    if (!all.notProven.empty()) details << tr("not proven: %1").arg(q(all.notProven));
    rest.detail = details.join(QStringLiteral("; "));
    rest.faded = true;
    rest.icon = QStringLiteral("lucide/check");
    out.push_back(rest);
  } else {
    for (const auto& req : m.requirements) {
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
  const CheckData* c = bench_.checks().check();
  if (bench_.checks().freeRangeDrive() != 0)
    return tr("The free range can be <a href='stops'>taken as stops</a> of the driven joint.");
  if (bench_.document().mechanism()->runs.empty()) return tr("There is no run to check yet: add one in stage Run.");
  if (!c && bench_.checks().lookedAtPair().first >= 0) return ofPair();
  if (!c) return tr("<a href='check'>Check the run</a> (F6): which links overlap, where, how deep.");
  if (bench_.checks().isCheckStale())
    return tr("The mechanism has changed since: <a href='check'>check again</a> (F6).");
  if (!c->result.interference.empty())
    return bench_.checks().lookedAtPair().first < 0
               ? tr("Click a pair to go to its deepest pose, or <a href='play'>play up to the contact</a> (F9).")
               : ofPair();
  if (bench_.checks().lookedAtPair().first >= 0) return ofPair();
  return tr("Choose a link below and sweep its envelope, or hand the results over.");
}

QString CheckPanel::ofPair() const {
  return tr(
      "Of this pair: <a href='common'>common volume</a> (Shift+V), <a href='section'>section</a> (C), "
      "<a href='leave out'>leave it out</a> of the check.");
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
                                      : tr("no common volume in this pose");
  row.tag = tr("in common");
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
                    : tr("reaches %1 in").arg(figureText(-g.least, dimension::kLength, m.units, 0, e->envelope.error));
    other.tag = old ? tr("was") : g.least > 0 ? tr("clear") : tr("in the way");
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
  const auto drive = findByIdOrNull(m.drives, bench_.checks().freeRangeDrive());
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

void CheckPanel::followHint(const QString& link) {
  if (link == QStringLiteral("stops"))
    bench_.checks().takeFreeRangeAsStops();
  else if (link == QStringLiteral("common"))
    bench_.checks().workOutCommonVolume();
  else if (link == QStringLiteral("leave out"))
    bench_.checks().leavePairOut();
  else if (link == QStringLiteral("section"))
    emit sectionWanted();
  else if (link == QStringLiteral("play"))
    emit playWanted();
  else
    bench_.checks().startCheck();
}

void CheckPanel::rowsChosen(const std::vector<const LedgerRow*>& rows) {
  for (const auto* r : rows)
    if (r->index >= kPose) {
      const auto at = static_cast<std::size_t>(r->index - kPose);
      if (at >= bench_.checks().poseOverlaps().size()) return;
      const auto& o = bench_.checks().poseOverlaps()[at];
      bench_.selection().select({});
      bench_.checks().choosePair(o.linkA, o.linkB, false);
      return;
    } else if (r->index >= kPairs && bench_.checks().check()) {
      const auto& c = bench_.checks().check()->result.clearances[static_cast<std::size_t>(r->index - kPairs)];
      bench_.selection().select({});
      bench_.checks().choosePair(c.linkA, c.linkB);
      return;
    } else if (r->index >= 0) {
      bench_.selection().select({});
      bench_.checks().chooseInterference(r->index);
      return;
    }
  if (bench_.selection().chosenInterference() >= 0) bench_.checks().chooseInterference(-1);
  StagePanel::rowsChosen(rows);
}

bool CheckPanel::rowSelected(const LedgerRow& row) const {
  if (row.index >= kPose) {
    const auto at = static_cast<std::size_t>(row.index - kPose);
    if (at >= bench_.checks().poseOverlaps().size()) return false;
    const auto& o = bench_.checks().poseOverlaps()[at];
    return bench_.selection().chosenPair() == std::make_pair(o.linkA, o.linkB);
  }
  if (row.index >= kPairs && bench_.checks().check()) {
    const auto& c = bench_.checks().check()->result.clearances[static_cast<std::size_t>(row.index - kPairs)];
    return bench_.selection().chosenPair() == std::make_pair(c.linkA, c.linkB);
  }
  if (row.index >= 0) return row.index == bench_.selection().chosenInterference();
  return StagePanel::rowSelected(row);
}

void CheckPanel::afterRefresh() {
  if (save_) save_->setEnabled(bench_.checks().envelope() != nullptr);
  if (!in_) return;
  const QString was = in_->currentData().toString();
  in_->blockSignals(true);
  in_->clear();
  in_->addItem(tr("in ground"), QString());
  for (const auto& l : bench_.document().mechanism()->links)
    if (!l->ground) in_->addItem(tr("in %1").arg(q(l->name)), QString::number(l->id));
  in_->setCurrentIndex(std::max(0, in_->findData(was)));
  in_->blockSignals(false);
}

void CheckPanel::findFreeRange() {
  const auto& m = *bench_.document().mechanism();
  Id drive = 0;
  for (Id id : bench_.selection().ids())
    if (findByIdOrNull(m.drives, id)) drive = id;
  if (drive == 0 && m.drives.size() == 1) drive = m.drives.front()->id;
  if (drive == 0) {
    bench_.say(tr("Choose the drive first whose free range is wanted, in stage Drive"), true);
    return;
  }
  bench_.checks().findFreeRange(drive);
}

void CheckPanel::sweepSelected() {
  EnvelopeAsk ask;
  for (Id id : bench_.selection().ids())
    if (findLink(*bench_.document().mechanism(), id)) ask.links.push_back(id);
  if (ask.links.empty()) {
    bench_.say(tr("Choose the links to sweep first, in the list or in the scene"), true);
    return;
  }
  const auto read = [&](QLineEdit* from, double& into, const QString& what) {
    if (from->text().trimmed().isEmpty()) return true;
    const auto f = parseField(*bench_.document().mechanism(), from->text().toStdString());
    const auto v =
        f.ok() ? evaluateField(*bench_.document().mechanism(), *f, dimension::kLength) : Result<double>(f.error());
    if (!v.ok() || *v < 0) {
      bench_.say(v.ok() ? tr("The %1 can't be negative").arg(what) : q(v.error().text), true);
      return false;
    }
    into = *v;
    return true;
  };
  if (!read(clearance_, ask.clearance, tr("clearance")) || !read(accuracy_, ask.accuracy, tr("accuracy"))) return;
  ask.in = in_->currentData().toString().toULongLong();
  if (std::find(ask.links.begin(), ask.links.end(), ask.in) != ask.links.end()) {
    bench_.say(tr("A link sweeps nothing in its own axes: choose another link, or ground"), true);
    return;
  }
  if (part_->currentIndex() == 1) ask.to = bench_.runs().cursor();
  if (part_->currentIndex() == 2) ask.from = bench_.runs().cursor();
  bench_.checks().startEnvelope(ask);
}

void CheckPanel::saveEnvelope() {
  if (!bench_.checks().envelope()) return;
  const QString path = QFileDialog::getSaveFileName(
      this, tr("Save the envelope"), QStringLiteral("envelope.stl"),
      tr("Triangles (*.stl *.glb);;Flat faces (*.step *.stp);;Outline seen along %1 (*.svg *.dxf)")
          .arg(QStringLiteral("xyz").at(along_->currentIndex())));
  if (path.isEmpty()) return;
  const auto& e = bench_.checks().envelope()->envelope;
  const Status s = io::writeSwept(e.mesh, e.light, along_->currentIndex(), e.voxel / 8, "envelope", path.toStdString());
  bench_.say(s.ok() ? tr("Saved %1").arg(path) : q(s.error().text), !s.ok());
}

}  // namespace cooperage::app
