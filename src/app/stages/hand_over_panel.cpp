// SPDX-License-Identifier: GPL-3.0-or-later
#include <QFileDialog>
#include <QPrintDialog>
#include <QPrinter>
#include <QPushButton>

#include "../strip/lanes.h"
#include "../strip/outputs.h"
#include "../text.h"
#include "hand_over_panel.h"

namespace cooperage::app {

using namespace model;

HandOverPanel::HandOverPanel(Workbench& bench, Scene& scene, Lanes& lanes, QWidget* parent)
    : StagePanel(bench, tr("Hand over"), parent), scene_(scene), lanes_(lanes) {
  toolRow({tool(QStringLiteral("lucide/table"), tr("Table"), tr("Save the table of the run as CSV or as a workbook"),
                QStringLiteral("save table"), [this] { saveTable(); }),
           tool(QStringLiteral("lucide/camera"), tr("Picture"), tr("Save a picture of the scene as PNG"),
                QStringLiteral("save picture"), [this] { savePicture(); })});
  toolRow({tool(QStringLiteral("lucide/chart-line"), tr("Chart"), tr("Save the lanes as PNG, SVG or PDF"),
                QStringLiteral("save lanes"), [this] { saveLanes(); }),
           tool(QStringLiteral("lucide/copy"), tr("Copy"), tr("Copy the lanes as a picture (Ctrl+Shift+C)"),
                QStringLiteral("copy lanes"), [this] { copyLanes(); }),
           tool(QStringLiteral("lucide/printer"), tr("Print"), tr("Print the lanes (Ctrl+P)"),
                QStringLiteral("print lanes"), [this] { printLanes(); })});
  refresh();
}

std::vector<LedgerRow> HandOverPanel::rows() const {
  std::vector<LedgerRow> out;
  const RunData* run = bench_.runs().run();
  const auto add = [&](const char* iconName, const QString& title, const QString& detail, bool there, bool ofRun) {
    LedgerRow r;
    r.icon = QLatin1String(iconName);
    r.title = title;
    r.detail = detail;
    r.faded = !there;
    if (ofRun && there && bench_.runs().isRunStale()) {
      r.tag = tr("out of date");
      r.tone = Tone::quiet;
    }
    out.push_back(r);
  };
  add("lucide/table", tr("Table of the run"),
      run ? tr("%1 rows, %2 columns: CSV or workbook").arg(run->result.rows.size()).arg(run->result.columns.size())
          : tr("compute a run first"),
      run != nullptr, true);
  add("lucide/chart-line", tr("Chart of the travel"), tr("the lanes below: PNG, SVG, PDF, printed"), run != nullptr,
      true);
  add("lucide/camera", tr("Picture of the scene"), tr("PNG, as it stands now"), true, false);
  add("app/envelope", tr("Envelope"),
      bench_.checks().envelope() ? tr("STL, from stage Check") : tr("sweep a link in stage Check first"),
      bench_.checks().envelope() != nullptr, false);
  return out;
}

QString HandOverPanel::hint() const {
  return bench_.runs().run() ? QString() : tr("Compute a run first (F5): its table and pictures can be saved here.");
}

bool HandOverPanel::saveTableTo(const QString& path) { return saveRunTable(bench_, path, {}); }

bool HandOverPanel::savePictureTo(const QString& path) {
  const bool ok = scene_.picture().save(path, "PNG");
  bench_.say(ok ? tr("Saved %1").arg(path) : tr("%1 can't be written").arg(path), !ok);
  return ok;
}

void HandOverPanel::saveTable() {
  TableDialog dialog(bench_, this);
  if (dialog.exec() != QDialog::Accepted) return;
  const QString path =
      QFileDialog::getSaveFileName(this, tr("Save the table"), bench_.document().title() + QStringLiteral(".xlsx"),
                                   tr("Workbook (*.xlsx);;CSV (*.csv)"));
  if (!path.isEmpty()) saveRunTable(bench_, path, dialog.columns());
}
void HandOverPanel::savePicture() {
  const QString path = QFileDialog::getSaveFileName(
      this, tr("Save a picture"), bench_.document().title() + QStringLiteral(".png"), tr("PNG (*.png)"));
  if (!path.isEmpty()) savePictureTo(path);
}
void HandOverPanel::saveLanes() {
  const QString path =
      QFileDialog::getSaveFileName(this, tr("Save the chart"), bench_.document().title() + QStringLiteral(".pdf"),
                                   tr("PDF (*.pdf);;SVG (*.svg);;PNG (*.png)"));
  if (!path.isEmpty()) app::saveLanes(bench_, lanes_, path);
}
void HandOverPanel::copyLanes() { app::copyLanes(bench_, lanes_); }
void HandOverPanel::printLanes() {
  QPrinter printer(QPrinter::ScreenResolution);
  printer.setPageOrientation(QPageLayout::Landscape);
  QPrintDialog dialog(&printer, this);
  if (dialog.exec() == QDialog::Accepted && !app::printLanes(bench_, lanes_, printer))
    bench_.say(tr("The printer took no page"), true);
}

}  // namespace cooperage::app
