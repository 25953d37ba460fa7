// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QDialog>
#include <QSize>
#include <functional>

#include "../workbench/workbench.h"

class QListWidget;
class QPainter;

namespace cooperage::app {

class Lanes;

/// A drawing as PNG (twice as many pixels), SVG or PDF, by the file's ending. @return false if it can't be written
bool saveDrawing(const QString& path, const QSize& size, const std::function<void(QPainter&, const QSizeF&)>& draw);

/// The lanes as a picture on the clipboard.
void copyLanes(Workbench& bench, const Lanes& lanes);
/// The lanes as PNG, SVG or PDF.
bool saveLanes(Workbench& bench, const Lanes& lanes, const QString& path);
/// The lanes on a page, with title, run and date in its head. @return false if the page can't be made
bool printLanes(Workbench& bench, const Lanes& lanes, class QPagedPaintDevice& page);
/// The table of the run as CSV, or as a workbook if the file's name ends in .xlsx.
/// @param columns indices; all if empty
bool saveRunTable(Workbench& bench, const QString& path, const std::vector<int>& columns);

/// Which columns of the table are saved; gauges are chosen to begin with.
class TableDialog : public QDialog {
  Q_OBJECT
 public:
  TableDialog(Workbench& bench, QWidget* parent = nullptr);
  std::vector<int> columns() const;
  QListWidget* list() { return list_; }

 private:
  QListWidget* list_;
};

}  // namespace cooperage::app
