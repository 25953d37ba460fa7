// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "stage_panel.h"

namespace cooperage::app {

class CheckPanel : public StagePanel {
  Q_OBJECT
 public:
  CheckPanel(Workbench& bench, QWidget* parent = nullptr);
  std::pair<QString, Tone> state() const override;
 public slots:
  void saveEnvelope();
  void sweepSelected();
  /// Of the selected drive, or the only one.
  void findFreeRange();

 signals:
  void sectionWanted();
  void playWanted();

 protected:
  std::vector<LedgerRow> rows() const override;
  QString hint() const override;
  QString subtitle() const override;
  void followHint(const QString& link) override;
  void rowsChosen(const std::vector<const LedgerRow*>& rows) override;
  bool rowSelected(const LedgerRow& row) const override;
  void afterRefresh() override;

 private:
  void envelopeRows(std::vector<LedgerRow>& out) const;
  void freeRangeRows(std::vector<LedgerRow>& out) const;
  void commonRow(std::vector<LedgerRow>& out) const;
  void poseRows(std::vector<LedgerRow>& out) const;
  void interferenceRows(const CheckData& c, std::vector<LedgerRow>& out) const;
  void clearanceRows(const CheckData& c, std::vector<LedgerRow>& out) const;
  void requirementRows(const CheckData& c, std::vector<LedgerRow>& out) const;
  void stopRows(const CheckData& c, std::vector<LedgerRow>& out) const;
  LedgerRow summaryRow(const CheckData& c) const;
  std::pair<int, int> pairOf(const LedgerRow& row) const;
  void makeSweepForm();
  /// What can be done with the pair that is looked at.
  QString ofPair() const;
  class QLineEdit *clearance_ = nullptr, *accuracy_ = nullptr;
  class QComboBox *in_ = nullptr, *part_ = nullptr, *along_ = nullptr;
  QWidget* sweepForm_ = nullptr;
  QPushButton* save_ = nullptr;
};

}  // namespace cooperage::app
