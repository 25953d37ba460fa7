// SPDX-License-Identifier: GPL-3.0-or-later
#include "outputs.h"

#include <qcustomplot.h>

#include <QClipboard>
#include <QDate>
#include <QDialogButtonBox>
#include <QFileInfo>
#include <QGuiApplication>
#include <QLabel>
#include <QListWidget>
#include <QPainter>
#include <QPdfWriter>
#include <QPushButton>
#include <QSvgGenerator>
#include <QVBoxLayout>

#include "../theme.h"
#include "../text.h"
#include "io/coop_file.h"
#include "io/report.h"
#include "io/xlsx.h"
#include "lanes.h"

namespace cooperage::app {

bool saveDrawing(const QString& path, const QSize& size, const std::function<void(QPainter&, const QSizeF&)>& draw) {
  const QString ending = QFileInfo(path).suffix().toLower();
  if (ending == QStringLiteral("svg")) {
    QSvgGenerator svg;
    svg.setFileName(path);
    svg.setSize(size);
    svg.setViewBox(QRect(QPoint(0, 0), size));
    svg.setTitle(QStringLiteral("Cooperage"));
    QCPPainter p;  // a painter that a chart accepts too
    if (!p.begin(&svg)) return false;
    draw(p, size);
    return p.end();
  }
  if (ending == QStringLiteral("pdf")) {
    QPdfWriter pdf(path);
    pdf.setResolution(96);
    pdf.setPageMargins({});
    pdf.setPageSize(QPageSize(QSizeF(size) / 96, QPageSize::Inch, {}, QPageSize::ExactMatch));
    QCPPainter p;
    if (!p.begin(&pdf)) return false;
    p.setMode(QCPPainter::pmVectorized);
    draw(p, size);
    return p.end();
  }
  QImage image(size * 2, QImage::Format_ARGB32_Premultiplied);
  image.setDevicePixelRatio(2);
  image.fill(theme().panel);
  {
    QCPPainter p;
    p.begin(&image);
    p.setRenderHint(QPainter::Antialiasing);
    draw(p, size);
  }
  return image.save(path, "PNG");
}

namespace {
QSize sizeOf(const Lanes& lanes) { return {std::max(900, lanes.width()), std::max(300, lanes.height())}; }
}  // namespace

void copyLanes(Workbench& bench, const Lanes& lanes) {
  const QSize size = sizeOf(lanes);
  QImage image(size * 2, QImage::Format_ARGB32_Premultiplied);
  image.setDevicePixelRatio(2);
  {
    QPainter p(&image);
    lanes.draw(p, size);
  }
  QGuiApplication::clipboard()->setImage(image);
  bench.say(QObject::tr("The chart is on the clipboard"));
}

bool saveLanes(Workbench& bench, const Lanes& lanes, const QString& path) {
  const bool ok = saveDrawing(path, sizeOf(lanes), [&](QPainter& p, const QSizeF& size) { lanes.draw(p, size); });
  bench.say(ok ? QObject::tr("Saved %1").arg(path) : QObject::tr("%1 can't be written").arg(path), !ok);
  return ok;
}

bool printLanes(Workbench& bench, const Lanes& lanes, QPagedPaintDevice& page) {
  QPainter p;
  if (!p.begin(&page)) return false;
  const double unit = page.logicalDpiX() / 96.0;  // the drawing is laid out in screen pixels
  p.scale(unit, unit);
  const QSizeF size(page.width() / unit, page.height() / unit);
  p.setFont(uiFont(13, QFont::DemiBold));
  p.setPen(theme().ink);
  const auto& m = *bench.document().mechanism();
  p.drawText(QRectF(0, 0, size.width(), 26), Qt::AlignLeft | Qt::AlignVCenter,
             m.title.empty() ? bench.document().title() : q(m.title));
  p.setFont(uiFont(9));
  p.setPen(theme().mute);
  const RunData* run = bench.runs().run();
  p.drawText(QRectF(0, 26, size.width(), 18), Qt::AlignLeft | Qt::AlignVCenter,
             (run ? QObject::tr("run \u201c%1\u201d").arg(q(run->travel->settings().name)) : QString()) +
                 QStringLiteral("   ") + QDate::currentDate().toString(Qt::ISODate));
  p.translate(0, 52);
  const double height = std::min(size.height() - 60, 110.0 * std::max(1, lanes.laneCount()) + 30);
  lanes.draw(p, {size.width(), height});
  return p.end();
}

bool saveRunTable(Workbench& bench, const QString& path, const std::vector<int>& columns) {
  const RunData* run = bench.runs().run();
  if (!run) {
    bench.say(QObject::tr("There is no run to save yet: compute it first (F5)"), true);
    return false;
  }
  const auto& units = bench.document().mechanism()->units;
  const Status s = path.endsWith(QStringLiteral(".xlsx"), Qt::CaseInsensitive)
                       ? io::saveXlsx(run->result, units, columns, run->travel->settings().name, path.toStdString())
                       : io::writeFile(path.toStdString(), io::tableCsv(run->result, units, columns));
  bench.say(s.ok() ? QObject::tr("Saved %1").arg(path) : q(s.error().text), !s.ok());
  return s.ok();
}

TableDialog::TableDialog(Workbench& bench, QWidget* parent) : QDialog(parent), list_(new QListWidget) {
  setObjectName(QStringLiteral("table dialog"));
  setWindowTitle(tr("Save the table"));
  resize(360, 420);
  auto* column = new QVBoxLayout(this);
  column->addWidget(new QLabel(tr("Columns to save")));
  list_->setObjectName(QStringLiteral("columns"));
  if (const RunData* run = bench.runs().run()) {
    const auto& columns = run->result.columns;
    for (std::size_t i = 0; i < columns.size(); ++i) {
      auto* item = new QListWidgetItem(q(columns[i].head(bench.document().mechanism()->units)), list_);
      const bool gauge = static_cast<int>(i) >= run->measurer->firstGauge();
      const bool any = run->measurer->firstGauge() < static_cast<int>(columns.size());
      item->setFlags(Qt::ItemIsUserCheckable | Qt::ItemIsEnabled | Qt::ItemIsSelectable);
      item->setCheckState(i == 0 || gauge || !any ? Qt::Checked : Qt::Unchecked);
    }
  }
  column->addWidget(list_, 1);
  auto* all = new QPushButton(tr("All columns"));
  all->setObjectName(QStringLiteral("all columns"));
  connect(all, &QPushButton::clicked, this, [this] {
    for (int i = 0; i < list_->count(); ++i) list_->item(i)->setCheckState(Qt::Checked);
  });
  column->addWidget(all);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Save | QDialogButtonBox::Cancel);
  connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
  column->addWidget(buttons);
}

std::vector<int> TableDialog::columns() const {
  std::vector<int> out;
  for (int i = 0; i < list_->count(); ++i)
    if (list_->item(i)->checkState() == Qt::Checked) out.push_back(i);
  return out;
}

}  // namespace cooperage::app
