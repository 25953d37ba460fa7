// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "../maker/maker.h"
#include "stage_panel.h"

namespace cooperage::app {

class RunPanel : public StagePanel {
  Q_OBJECT
 public:
  RunPanel(Workbench& bench, Maker& maker, QWidget* parent = nullptr);
  std::pair<QString, Tone> state() const override;
 public slots:
  void addRun();
  void duplicateRun();
  void addJointGauges();
  void addRatioGauge();
  void addSeatGauges();
  void addFormulaGauge();
  /// A gauge of the chosen joint or contact.
  void addNamed(model::GaugeKind kind);
  /// One gauge against another: the two chosen ones, or the first two.
  class Chart* showChart();

 protected:
  std::vector<LedgerRow> rows() const override;
  QString hint() const override;
  void followHint(const QString& link) override;
  void rowsChosen(const std::vector<const LedgerRow*>& rows) override;

 private:
  bool add(const QString& what, std::vector<model::Gauge> gauges);
  QString gaugeTag(const std::string& name) const;
  void refreshTags();
  void contactEvents(std::vector<LedgerRow>& out) const;
  Maker& maker_;
  class Chart* chart_ = nullptr;
};

/// Kinds of gauges that are made by picking, with what people call them.
const std::vector<std::pair<model::GaugeKind, QString>>& pickedGauges();

}  // namespace cooperage::app
