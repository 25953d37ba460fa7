// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QButtonGroup>
#include <QRadioButton>

#include "../maker/contact_remarks.h"
#include "../maker/machine_card.h"
#include "../maker/maker.h"
#include "../maker/proposals.h"
#include "../scene/scene.h"
#include "parts_shelf.h"
#include "stage_panel.h"

namespace cooperage::app {

class ShapePanel : public StagePanel {
  Q_OBJECT
 public:
  ShapePanel(Session& session, QWidget* parent = nullptr);
  std::pair<QString, Tone> state() const override;
  PartsShelf* shelf() { return shelf_; }
 public slots:
  void importFile();
  void chooseFolder() { shelf_->chooseFolder(); }
  void addElement(model::BodyKind kind);
  void removeSelected();
  void toggleShown();
  void toggleGround();

 protected:
  std::vector<LedgerRow> rows() const override;
  QString hint() const override;
  void followHint(const QString& link) override;
  void afterRefresh() override;

 private:
  QPushButton *ground_ = nullptr, *show_ = nullptr, *remove_ = nullptr;
  QWidget* rules_ = nullptr;
  PartsShelf* shelf_ = nullptr;
};

/// Joints, links and what is odd about them; the maker and the proposals are at hand.
class JoinPanel : public StagePanel {
  Q_OBJECT
 public:
  JoinPanel(Session& session, Maker& maker, Proposals& proposals, MachineCard& machine, QWidget* parent = nullptr);
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

 protected:
  std::vector<LedgerRow> rows() const override;
  QString hint() const override;
  QString subtitle() const override;
  void followHint(const QString& link) override;
  void rowsChosen(const std::vector<const LedgerRow*>& rows) override;

 private:
  Maker& maker_;
  Proposals& proposals_;
  MachineCard& machine_;
  ContactRemarks* remarks_;
  QButtonGroup* kinds_;
  QRadioButton *inPlace_, *together_;
};

class DrivePanel : public StagePanel {
  Q_OBJECT
 public:
  DrivePanel(Session& session, QWidget* parent = nullptr);
  std::pair<QString, Tone> state() const override;
 public slots:
  /// A steady drive or one that goes to a value, on the joint value chosen in the ledger.
  void addDrive(bool steady);

 protected:
  std::vector<LedgerRow> rows() const override;
  QString hint() const override;

 private:
  std::optional<Symbol> chosenValue() const;
};

class RunPanel : public StagePanel {
  Q_OBJECT
 public:
  RunPanel(Session& session, QWidget* parent = nullptr);
  std::pair<QString, Tone> state() const override;
 public slots:
  void addRun();
  void addJointGauges();
  void addSeatGauges();

 protected:
  std::vector<LedgerRow> rows() const override;
  QString hint() const override;
  void followHint(const QString& link) override;
};

class CheckPanel : public StagePanel {
  Q_OBJECT
 public:
  CheckPanel(Session& session, QWidget* parent = nullptr);
  std::pair<QString, Tone> state() const override;
 public slots:
  void saveEnvelope();
  void sweepSelected();

 protected:
  std::vector<LedgerRow> rows() const override;
  QString hint() const override;
  QString subtitle() const override;
  void followHint(const QString& link) override;
  void rowsChosen(const std::vector<const LedgerRow*>& rows) override;
  bool rowSelected(const LedgerRow& row) const override;
  void afterRefresh() override;

 private:
  class QLineEdit* clearance_ = nullptr;
  QPushButton* save_ = nullptr;
};

class HandOverPanel : public StagePanel {
  Q_OBJECT
 public:
  HandOverPanel(Session& session, Scene& scene, QWidget* parent = nullptr);
 public slots:
  void saveTable();
  void savePicture();
  bool saveTableTo(const QString& path);
  bool savePictureTo(const QString& path);

 protected:
  std::vector<LedgerRow> rows() const override;
  QString hint() const override;

 private:
  Scene& scene_;
};

}  // namespace cooperage::app
