// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QButtonGroup>
#include <QRadioButton>

#include "../maker/contact_remarks.h"
#include "../maker/machine_card.h"
#include "../maker/maker.h"
#include "../maker/proposals.h"
#include "stage_panel.h"

namespace cooperage::app {

/// Joints, links and what is odd about them; the maker and the proposals are at hand.
class JoinPanel : public StagePanel {
  Q_OBJECT
 public:
  JoinPanel(Workbench& bench, Maker& maker, Proposals& proposals, MachineCard& machine, QWidget* parent = nullptr);
  std::pair<QString, Tone> state() const override;
  bool isMaking() const;
  const ContactRemarks& remarks() const { return *remarks_; }
 public slots:
  void startMaking(model::JointKind kind);
  void stopMaking();
  /// Couples the joints that are selected, without geometry.
  void coupleSelected(model::CouplingKind kind);
  /// Two selected curves roll on one another; a curve and a seat become a contact.
  void joinCurves();

 signals:
  /// The gap of a loop that stays open is to be closed.
  void gapClosing();

 protected:
  std::vector<LedgerRow> rows() const override;
  QString hint() const override;
  QString subtitle() const override;
  void followHint(const QString& link) override;
  void rowsChosen(const std::vector<const LedgerRow*>& rows) override;

 private:
  void homeRows(std::vector<LedgerRow>& out) const;
  void brokenSeatRows(std::vector<LedgerRow>& out) const;
  void jointRows(std::vector<LedgerRow>& out) const;
  void contactRows(std::vector<LedgerRow>& out) const;
  void pushRows(std::vector<LedgerRow>& out) const;
  void couplingRows(std::vector<LedgerRow>& out) const;
  void curveRows(std::vector<LedgerRow>& out) const;
  void linkRows(std::vector<LedgerRow>& out) const;
  LedgerRow remarkRow(const Message& x) const;
  void remarkRows(std::vector<LedgerRow>& out) const;
  void freedomRows(std::vector<LedgerRow>& out) const;
  void redundantRows(std::vector<LedgerRow>& out) const;
  Maker& maker_;
  Proposals& proposals_;
  MachineCard& machine_;
  ContactRemarks* remarks_;
  QButtonGroup* kinds_;
  QRadioButton *inPlace_, *together_;
};

}  // namespace cooperage::app
