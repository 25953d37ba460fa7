// SPDX-License-Identifier: GPL-3.0-or-later
#include <QComboBox>
#include <QFileDialog>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>

#include "io/coop_file.h"
#include "base/index.h"
#include "io/mesh_files.h"
#include "clearance/joined_links.h"
#include "check_panel.h"
#include "../choice_box.h"
#include "../gauge_readings.h"
#include "../text.h"

namespace cooperage::app {

using namespace model;

CheckPanel::CheckPanel(Workbench& bench, QWidget* parent) : StagePanel(bench, tr("Check"), parent) {
  auto* go =
      tool(QStringLiteral("app/check"), tr("Check run"), tr("Check interference and requirements over the run (F6)"),
           QStringLiteral("check"), [this] { bench_.checks().startCheck(); });
  go->setProperty("primary", true);
  dressIcon(go, QStringLiteral("app/check"), Ink::onAccent);
  auto* pose = tool(QStringLiteral("app/pair"), tr("Pose"), tr("Which links overlap in the pose that is shown (X)"),
                    QStringLiteral("check pose"), [this] { bench_.checks().checkPose(); });
  auto* free = tool(QStringLiteral("app/stops"), tr("Free range"),
                    tr("From home, how far the selected drive goes either way until the first contact or stop"),
                    QStringLiteral("free range"), [this] { findFreeRange(); });
  toolRow({go, pose});
  auto* sweep = tool(QStringLiteral("app/envelope"), tr("Sweep"),
                     tr("The space that the selected links sweep, grown by the clearance"), QStringLiteral("sweep"),
                     [this] { sweepSelected(); });
  toolRow({free, sweep});
  makeSweepForm();
  refresh();
}

/// How the next envelope is swept, and how the last is saved; it opens with the first sweep.
void CheckPanel::makeSweepForm() {
  sweepForm_ = new QWidget;
  sweepForm_->setObjectName(QStringLiteral("sweep form"));
  auto* form = new QFormLayout(sweepForm_);
  form->setContentsMargins(12, 0, 10, 4);
  form->setVerticalSpacing(4);
  const auto row = [&](const QString& label, QWidget* widget, const QString& name, const QString& tip) {
    widget->setObjectName(name);
    widget->setAccessibleName(tip);
    widget->setToolTip(tip);
    auto* l = new QLabel(label);
    l->setProperty("mute", true);
    form->addRow(l, widget);
  };
  clearance_ = new QLineEdit(QStringLiteral("2 mm"));
  row(tr("Clearance"), clearance_, QStringLiteral("clearance"), tr("Clearance by which the envelope is grown"));
  accuracy_ = new QLineEdit;
  accuracy_->setPlaceholderText(tr("1/200 of the size"));
  row(tr("Accuracy"), accuracy_, QStringLiteral("envelope accuracy"),
      tr("Accuracy of the envelope's surface; empty: 1/200 of the size"));
  in_ = new ChoiceBox;
  in_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  in_->setMinimumContentsLength(7);
  row(tr("In axes of"), in_, QStringLiteral("envelope in"), tr("Link in whose axes the space is swept"));
  part_ = new ChoiceBox;
  for (const QString& part : {tr("whole travel"), tr("up to the cursor"), tr("from the cursor on")})
    part_->addItem(part);
  row(tr("Travel"), part_, QStringLiteral("envelope part"), tr("Part of the travel that is swept"));
  along_ = new ChoiceBox;
  for (const QString& axis : {tr("x"), tr("y"), tr("z")}) along_->addItem(tr("along %1").arg(axis));
  along_->setCurrentIndex(2);
  row(tr("Outline seen"), along_, QStringLiteral("outline along"),
      tr("Direction along which the outline is seen, for SVG and DXF"));
  save_ = tool(QStringLiteral("lucide/save"), tr("Save envelope\u2026"),
               tr("Save the envelope as STL, glTF or STEP, or its outline as SVG or DXF"),
               QStringLiteral("save envelope"), [this] { saveEnvelope(); });
  form->addRow(save_);
  sweepForm_->hide();
  insertAbove(sweepForm_);
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
  return tr("accuracy %1 %2")
      .arg(q(formatNumber(c->result.accuracy / units.factor(dimension::kLength), 3)), q(units.length));
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
  for (const auto* r : rows) {
    if (r->of == LedgerRow::Of::interference) {
      bench_.selection().select({});
      bench_.checks().chooseInterference(r->index);
      return;
    }
    if (const auto pair = pairOf(*r); pair.first >= 0) {
      bench_.selection().select({});
      bench_.checks().choosePair(pair.first, pair.second, r->of != LedgerRow::Of::poseOverlap);
      return;
    }
  }
  if (bench_.selection().chosenInterference() >= 0) bench_.checks().chooseInterference(-1);
  StagePanel::rowsChosen(rows);
}

bool CheckPanel::rowSelected(const LedgerRow& row) const {
  if (row.of == LedgerRow::Of::interference) return row.index == bench_.selection().chosenInterference();
  if (const auto pair = pairOf(row); pair.first >= 0) return bench_.selection().chosenPair() == pair;
  return row.of == LedgerRow::Of::none && StagePanel::rowSelected(row);
}

/// The links of a row that stands for a pair of them; -1 of another.
std::pair<int, int> CheckPanel::pairOf(const LedgerRow& row) const {
  const auto i = static_cast<std::size_t>(std::max(0, row.index));
  if (row.of == LedgerRow::Of::poseOverlap && i < bench_.checks().poseOverlaps().size()) {
    const auto& o = bench_.checks().poseOverlaps()[i];
    return {o.linkA, o.linkB};
  }
  if (row.of == LedgerRow::Of::clearance && bench_.checks().check()) {
    const auto& c = bench_.checks().check()->result.clearances[i];
    return {c.linkA, c.linkB};
  }
  return {-1, -1};
}

void CheckPanel::afterRefresh() {
  if (save_) save_->setEnabled(bench_.checks().envelope() != nullptr);
  if (!in_) return;
  const QString was = in_->currentData().toString();
  in_->blockSignals(true);
  in_->clear();
  in_->addItem(tr("ground"), QString());
  for (const auto& l : bench_.document().mechanism()->links)
    if (!l->ground) in_->addItem(q(l->name), QString::number(l->id));
  in_->setCurrentIndex(std::max(0, in_->findData(was)));
  in_->blockSignals(false);
}

void CheckPanel::findFreeRange() {
  const auto& m = *bench_.document().mechanism();
  Id drive = 0;
  for (Id id : bench_.selection().ids())
    if (findById(m.drives, id)) drive = id;
  if (drive == 0 && m.drives.size() == 1) drive = m.drives.front()->id;
  if (drive == 0) {
    bench_.say(tr("Choose the drive first whose free range is wanted, in stage Drive"), true);
    return;
  }
  bench_.checks().findFreeRange(drive);
}

void CheckPanel::sweepSelected() {
  sweepForm_->show();
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
