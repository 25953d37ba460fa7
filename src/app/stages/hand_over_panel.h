// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "../scene/scene.h"
#include "stage_panel.h"

namespace cooperage::app {

class HandOverPanel : public StagePanel {
  Q_OBJECT
 public:
  HandOverPanel(Workbench& bench, Scene& scene, class Lanes& lanes, QWidget* parent = nullptr);
 public slots:
  void saveTable();
  void savePicture();
  void saveLanes();
  void copyLanes();
  void printLanes();
  bool saveTableTo(const QString& path);
  bool savePictureTo(const QString& path);

 protected:
  std::vector<LedgerRow> rows() const override;
  QString hint() const override;

 private:
  Scene& scene_;
  class Lanes& lanes_;
};

}  // namespace cooperage::app
