// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>

#include "stages/stage_panel.h"

namespace cooperage::app {

/// The stages in the order of the work; none is ever locked.
class Rail : public QWidget {
  Q_OBJECT
 public:
  Rail(Workbench& bench, QWidget* parent = nullptr);
  /// Panels tell their state; one a stage, in order.
  void watch(const std::vector<StagePanel*>& panels);

 private:
  void refresh();
  Workbench& bench_;
  std::vector<class RailButton*> buttons_;
  std::vector<StagePanel*> panels_;
};

}  // namespace cooperage::app
