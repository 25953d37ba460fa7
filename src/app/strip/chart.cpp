// SPDX-License-Identifier: GPL-3.0-or-later
#include "chart.h"

#include <qcustomplot.h>

#include <QFileDialog>
#include <QHBoxLayout>
#include <QPushButton>
#include <QVBoxLayout>

#include "../choice_box.h"
#include "../text.h"
#include "../theme.h"
#include "lane_list.h"
#include "outputs.h"

namespace cooperage::app {

using namespace model;

Chart::Chart(Workbench& bench, QWidget* parent) : QWidget(parent, Qt::Tool), bench_(bench) {
  setObjectName(QStringLiteral("chart"));
  setWindowTitle(tr("One gauge against another"));
  resize(560, 460);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(12, 10, 12, 10);
  auto* row = new QHBoxLayout;
  const auto box = [&](const QString& label, const char* name) {
    auto* l = new QLabel(label);
    l->setProperty("mute", true);
    row->addWidget(l);
    auto* b = new ChoiceBox;
    b->setObjectName(QLatin1String(name));
    b->setAccessibleName(label);
    b->setMinimumWidth(150);
    row->addWidget(b);
    connect(b, &QComboBox::activated, this, &Chart::refresh);
    return b;
  };
  up_ = box(tr("up"), "chart up");
  along_ = box(tr("along"), "chart along");
  row->addStretch(1);
  auto* save = new QPushButton(tr("Save\u2026"));
  save->setObjectName(QStringLiteral("save chart"));
  connect(save, &QPushButton::clicked, this, [this] {
    const QString path = QFileDialog::getSaveFileName(this, tr("Save the chart"), QStringLiteral("chart.pdf"),
                                                      tr("PDF (*.pdf);;SVG (*.svg);;PNG (*.png)"));
    if (!path.isEmpty()) saveTo(path);
  });
  row->addWidget(save);
  column->addLayout(row);
  plot_ = new QCustomPlot;
  plot_->setInteractions(QCP::iRangeDrag | QCP::iRangeZoom);
  plot_->setMinimumSize(300, 240);
  column->addWidget(plot_, 1);
  reading_ = new QLabel;
  reading_->setObjectName(QStringLiteral("chart reading"));
  column->addWidget(reading_);
  before_ = new QCPCurve(plot_->xAxis, plot_->yAxis);
  now_ = new QCPCurve(plot_->xAxis, plot_->yAxis);
  ring_ = new QCPItemTracer(plot_);
  ring_->setStyle(QCPItemTracer::tsCircle);
  ring_->setSize(10);
  ring_->position->setType(QCPItemPosition::ptPlotCoords);
  connect(plot_, &QCustomPlot::mouseDoubleClick, this, [this] {
    plot_->rescaleAxes();
    plot_->xAxis->scaleRange(1.08);
    plot_->yAxis->scaleRange(1.08);
    plot_->replot();
  });
  connect(&bench_, &Workbench::resultsChanged, this, &Chart::fill);
  connect(&bench_.runs(), &RunBook::cursorChanged, this, &Chart::refreshCursor);
  fill();
}

void Chart::showEvent(QShowEvent*) { fill(); }

void Chart::setGauges(Id along, Id up) {
  fill();
  along_->setCurrentIndex(std::max(0, along_->findData(QVariant::fromValue<qulonglong>(along))));
  up_->setCurrentIndex(std::max(0, up_->findData(QVariant::fromValue<qulonglong>(up))));
  refresh();
}

void Chart::fill() {
  const auto gauges =
      bench_.runs().run() ? bench_.runs().run()->travel->resolved().gauges : std::vector<Resolved::GaugeR>{};
  int n = 0;
  for (auto* box : {along_, up_}) {
    const auto was = box->currentData();
    box->clear();
    for (const auto& g : gauges) box->addItem(q(g.name), QVariant::fromValue<qulonglong>(g.id));
    const int known = box->findData(was);
    box->setCurrentIndex(known >= 0 ? known : std::min(n, box->count() - 1));
    ++n;
  }
  refresh();
}

void Chart::dress() {
  const Theme& t = theme();
  plot_->setBackground(t.panel);
  for (QCPAxis* a : {plot_->xAxis, plot_->yAxis}) {
    a->setBasePen(QPen(t.mute, 1));
    a->setTickPen(QPen(t.mute, 1));
    a->setSubTickPen(Qt::NoPen);
    a->setTickLabelColor(t.mute);
    a->setLabelColor(t.ink);
    a->setTickLabelFont(uiFont(8.4));
    a->setLabelFont(uiFont(9, QFont::Medium));
    a->grid()->setPen(QPen(t.line, 1));
    a->grid()->setZeroLinePen(QPen(t.mute, 1, Qt::DashLine));
  }
  QColor thin = t.curve[0];
  thin.setAlphaF(0.55f);
  before_->setPen(QPen(thin, 1));
  now_->setPen(QPen(t.curve[0], 1.8));
  ring_->setPen(QPen(t.ink, 1.6));
  ring_->setBrush(t.panel);
}

void Chart::refresh() {
  dress();
  const auto& units = bench_.document().mechanism()->units;
  const Id x = along_->currentData().toULongLong(), y = up_->currentData().toULongLong();
  const auto draw = [&](QCPCurve* curve, const RunData* run) {
    QVector<QCPCurveData> points;
    int columns[2] = {-1, -1};
    if (run) {
      const auto& gauges = run->travel->resolved().gauges;
      for (std::size_t g = 0; g < gauges.size(); ++g) {
        if (gauges[g].id == x) columns[0] = run->measurer->firstGauge() + static_cast<int>(g);
        if (gauges[g].id == y) columns[1] = run->measurer->firstGauge() + static_cast<int>(g);
      }
    }
    if (columns[0] >= 0 && columns[1] >= 0) {
      const auto unit = [&](int c) { return units.factor(run->result.columns[static_cast<std::size_t>(c)].dimension); };
      for (const auto& row : run->result.rows)
        points.push_back(QCPCurveData(row[0], row[static_cast<std::size_t>(columns[0])] / unit(columns[0]),
                                      row[static_cast<std::size_t>(columns[1])] / unit(columns[1])));
    }
    curve->data()->set(points, true);
  };
  draw(now_, bench_.runs().run());
  draw(before_, bench_.runs().before() != bench_.runs().run() ? bench_.runs().before() : nullptr);
  const auto label = [&](QComboBox* box, Id id) {
    const int c = bench_.runs().columnOf(id);
    if (c < 0) return box->currentText();
    const QString unit =
        unitText(units.label(bench_.runs().run()->result.columns[static_cast<std::size_t>(c)].dimension));
    return unit.isEmpty() ? box->currentText() : box->currentText() + QStringLiteral(" [%1]").arg(unit);
  };
  plot_->xAxis->setLabel(label(along_, x));
  plot_->yAxis->setLabel(label(up_, y));
  plot_->rescaleAxes();
  plot_->xAxis->scaleRange(1.08);
  plot_->yAxis->scaleRange(1.08);
  refreshCursor();
}

QString Chart::readingText() const { return reading_->text(); }

void Chart::refreshCursor() {
  if (!isVisible()) return;
  const auto& units = bench_.document().mechanism()->units;
  const int x = bench_.runs().columnOf(along_->currentData().toULongLong()),
            y = bench_.runs().columnOf(up_->currentData().toULongLong());
  const auto& row = bench_.runs().cursorRow();
  const bool known = x >= 0 && y >= 0 && static_cast<std::size_t>(std::max(x, y)) < row.size();
  ring_->setVisible(known);
  if (known) {
    const auto& columns = bench_.runs().run()->result.columns;
    const auto figure = [&](int c) {
      return figureText(row[static_cast<std::size_t>(c)], columns[static_cast<std::size_t>(c)].dimension, units);
    };
    const auto plain = [&](int c) {
      return row[static_cast<std::size_t>(c)] / units.factor(columns[static_cast<std::size_t>(c)].dimension);
    };
    ring_->position->setCoords(plain(x), plain(y));
    reading_->setText(
        tr("at the cursor: %1 %2, %3 %4").arg(up_->currentText(), figure(y), along_->currentText(), figure(x)));
  } else {
    reading_->setText(bench_.runs().run() ? tr("Choose two gauges") : tr("Compute a run first (F5)"));
  }
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

QPointF Chart::cursorPixel() const { return ring_->position->pixelPosition(); }

bool Chart::saveTo(const QString& path) {
  const bool ok = saveDrawing(path, plot_->size(), [this](QPainter& p, const QSizeF& size) {
    auto* painter = static_cast<QCPPainter*>(&p);
    plot_->toPainter(painter, static_cast<int>(size.width()), static_cast<int>(size.height()));
  });
  bench_.say(ok ? tr("Saved %1").arg(path) : tr("%1 can't be written").arg(path), !ok);
  return ok;
}

}  // namespace cooperage::app
