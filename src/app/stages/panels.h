// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QButtonGroup>
#include <QRadioButton>

#include "../maker/contact_remarks.h"
#include "../maker/machine_card.h"
#include "../maker/maker.h"
#include "../maker/proposals.h"
#include "../scene/scene.h"
#include "model/programme_edits.h"
#include "parts_shelf.h"
#include "stage_panel.h"

namespace cooperage::app {

class ShapePanel : public StagePanel {
  Q_OBJECT
 public:
  ShapePanel(Workbench& bench, QWidget* parent = nullptr);
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
  void addNamed(const std::string& kind);
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
  Maker& maker_;
  class Chart* chart_ = nullptr;
};

/// Kinds of gauges that are made by picking, with what people call them.
const std::vector<std::pair<const char*, QString>>& pickedGauges();

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
  /// What can be done with the pair that is looked at.
  QString ofPair() const;
  class QLineEdit *clearance_ = nullptr, *accuracy_ = nullptr;
  class QComboBox *in_ = nullptr, *part_ = nullptr, *along_ = nullptr;
  QPushButton* save_ = nullptr;
};

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
