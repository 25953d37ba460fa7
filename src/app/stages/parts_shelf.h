// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QListWidget>
#include <QWidget>

#include "../workbench/workbench.h"

class QLabel;

namespace cooperage::app {

/// A folder of parts as small pictures: Enter, a double click or a drag into the scene puts one in. Pictures are made
/// off the interface thread.
class PartsShelf : public QWidget {
  Q_OBJECT
 public:
  PartsShelf(Workbench& bench, QWidget* parent = nullptr);
  ~PartsShelf() override;
  void setFolder(const QString& folder);
  QString folder() const { return folder_; }
  QListWidget* list() { return list_; }
  bool isReading() const { return reader_.busy(); }
  void chooseFolder();

 private:
  void readPictures();
  void insert(QListWidgetItem* item);
  Workbench& bench_;
  QString folder_;
  QLabel* name_;
  QListWidget* list_;
  shape::ShapeStore store_;
  JobRunner reader_;  // last: it stops before what it reads goes
};

/// A picture of solids seen from the front, above and the left, drawn from their meshes.
QImage pictureOf(const std::vector<shape::SolidPtr>& solids, int size, const QColor& colour, const QColor& line);

}  // namespace cooperage::app
