// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>

#include "../workbench/workbench.h"

class QComboBox;
class QCustomPlot;
class QCPCurve;
class QCPItemTracer;
class QLabel;

namespace cooperage::app {

/// One gauge against another, in a window of its own: the present run, the one compared with as a thin line, and a ring
/// where the cursor is. Drag and wheel move and zoom; double-click shows all.
class Chart : public QWidget {
  Q_OBJECT
 public:
  Chart(Workbench& bench, QWidget* parent = nullptr);
  /// What is drawn along and up, by their ids.
  void setGauges(model::Id along, model::Id up);
  /// Pixel of the ring, for tests.
  QPointF cursorPixel() const;
  QString readingText() const;
  /// PNG, SVG or PDF by the file's ending.
  bool saveTo(const QString& path);

 protected:
  void showEvent(QShowEvent* e) override;

 private:
  void fill();
  void refresh();
  void refreshCursor();
  void dress();

  Workbench& bench_;
  QCustomPlot* plot_;
  QCPCurve *now_, *before_;
  QCPItemTracer* ring_;
  QComboBox *along_, *up_;
  QLabel* reading_;
};

}  // namespace cooperage::app
