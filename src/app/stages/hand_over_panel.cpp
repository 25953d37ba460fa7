// SPDX-License-Identifier: GPL-3.0-or-later
#include <QFileDialog>
#include <QPrintDialog>
#include <QPrinter>
#include <QPushButton>

#include "../strip/lanes.h"
#include "../strip/outputs.h"
#include "../text.h"
#include "panels.h"

namespace cooperage::app {

using namespace model;

HandOverPanel::HandOverPanel(Session& session, Scene& scene, Lanes& lanes, QWidget* parent)
    : StagePanel(session, tr("Hand over"), parent), scene_(scene), lanes_(lanes) {
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
  const RunData* run = session_.run();
  const auto add = [&](const char* iconName, const QString& title, const QString& detail, bool there, bool ofRun) {
    LedgerRow r;
    r.icon = QLatin1String(iconName);
    r.title = title;
    r.detail = detail;
    r.faded = !there;
    if (ofRun && there && session_.isRunStale()) {
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
      session_.envelope() ? tr("STL, from stage Check") : tr("sweep a link in stage Check first"),
      session_.envelope() != nullptr, false);
  return out;
}

QString HandOverPanel::hint() const {
  return session_.run() ? QString() : tr("Compute a run first (F5): its table and pictures can be saved here.");
}

bool HandOverPanel::saveTableTo(const QString& path) { return saveRunTable(session_, path, {}); }

bool HandOverPanel::savePictureTo(const QString& path) {
  const bool ok = scene_.picture().save(path, "PNG");
  session_.say(ok ? tr("Saved %1").arg(path) : tr("%1 can't be written").arg(path), !ok);
  return ok;
}

void HandOverPanel::saveTable() {
  TableDialog dialog(session_, this);
  if (dialog.exec() != QDialog::Accepted) return;
  const QString path = QFileDialog::getSaveFileName(
      this, tr("Save the table"), session_.title() + QStringLiteral(".xlsx"), tr("Workbook (*.xlsx);;CSV (*.csv)"));
  if (!path.isEmpty()) saveRunTable(session_, path, dialog.columns());
}
void HandOverPanel::savePicture() {
  const QString path = QFileDialog::getSaveFileName(this, tr("Save a picture"),
                                                    session_.title() + QStringLiteral(".png"), tr("PNG (*.png)"));
  if (!path.isEmpty()) savePictureTo(path);
}
void HandOverPanel::saveLanes() {
  const QString path =
      QFileDialog::getSaveFileName(this, tr("Save the chart"), session_.title() + QStringLiteral(".pdf"),
                                   tr("PDF (*.pdf);;SVG (*.svg);;PNG (*.png)"));
  if (!path.isEmpty()) app::saveLanes(session_, lanes_, path);
}
void HandOverPanel::copyLanes() { app::copyLanes(session_, lanes_); }
void HandOverPanel::printLanes() {
  QPrinter printer(QPrinter::ScreenResolution);
  printer.setPageOrientation(QPageLayout::Landscape);
  QPrintDialog dialog(&printer, this);
  if (dialog.exec() == QDialog::Accepted && !app::printLanes(session_, lanes_, printer))
    session_.say(tr("The printer took no page"), true);
}

}  // namespace cooperage::app
