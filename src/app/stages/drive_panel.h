// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "model/programme_edits.h"
#include "stage_panel.h"

namespace cooperage::app {

class DrivePanel : public StagePanel {
  Q_OBJECT
 public:
  DrivePanel(Workbench& bench, QWidget* parent = nullptr);
  std::pair<QString, Tone> state() const override;
 public slots:
  /// A drive of the joint value, angle or distance that is chosen in the ledger.
  void addDrive(model::Purpose purpose);
  /// One joint value follows another by a formula.
  void addFollower();
  void reverseChosen();

 protected:
  std::vector<LedgerRow> rows() const override;
  QString hint() const override;
  void rowsChosen(const std::vector<const LedgerRow*>& rows) override;
  bool rowSelected(const LedgerRow& row) const override;

 private:
  std::optional<Symbol> chosenValue() const;
  double valueAtHome(const Symbol& value, model::Id gauge) const;
  std::optional<Symbol> wanted_;
};

}  // namespace cooperage::app
