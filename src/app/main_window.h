// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QMainWindow>

#include "commands/actions.h"
#include "commands/search.h"
#include "scene/scene_bar.h"
#include "scene/section_bar.h"
#include "workbench/workbench.h"
#include "stages/check_panel.h"
#include "stages/drive_panel.h"
#include "stages/hand_over_panel.h"
#include "stages/join_panel.h"
#include "stages/run_panel.h"
#include "stages/shape_panel.h"
#include "strip/strip.h"

class QLabel;
class QMenu;
class QSplitter;
class QStackedWidget;

namespace cooperage::app {

class Card;
class PickBar;
class GroupCard;
class Gatherer;
class Joiner;
class SceneMode;
class Pencil;
class PlacingCard;
class Rail;

/// Lays the window out and binds actions to what its parts can do; holds no logic of the mechanism.
class MainWindow : public QMainWindow {
  Q_OBJECT
 public:
  explicit MainWindow(Workbench& bench, QWidget* parent = nullptr);

  Scene* scene() { return scene_; }
  Strip* strip() { return strip_; }
  Actions* actions() { return actions_; }
  StagePanel* panel(Stage stage) { return panels_[static_cast<std::size_t>(stage)]; }
  JoinPanel* joinPanel() { return join_; }
  ShapePanel* shapePanel() { return shape_; }
  Maker* maker() { return maker_; }
  Pencil* pencil() { return pencil_; }
  Gatherer* gatherer() { return gatherer_; }
  Joiner* joiner() { return joiner_; }
  Proposals* proposals() { return proposals_; }
  MachineCard* machine() { return machine_; }
  Card* card() { return card_; }
  PlacingCard* placing() { return placing_; }
  FreedomChip* chip() { return chip_; }
  SectionBar* section() { return section_; }
  QString statusText() const;

  bool openPath(const QString& path);
  /// Asks before changes are lost. @return true to go on
  bool mayLoseChanges();
  /// Opens without asking, for tests and screenshots.
  void setAskBeforeLoss(bool ask) { ask_ = ask; }

 protected:
  void closeEvent(QCloseEvent* e) override;
  void dragEnterEvent(QDragEnterEvent* e) override;
  void dropEvent(QDropEvent* e) override;

 private:
  void makeActions();
  void makeFileActions();
  void makeEditActions();
  void makeElementActions();
  void makeJoinActions();
  void makeGeometryActions();
  void makeLayoutActions();
  void gatherSelected();
  void enter(Stage stage);
  void stopModes();
  void makePickActions();
  void makeViewActions();
  void makeTravelActions();
  void makeMenus();
  void refreshTitle();
  void fitStrip();
  bool save();
  bool saveAs();
  void open();
  void deleteSelection();
  void showMessage(const QString& text, bool error);
  void fillRecent();
  void keepPicture();

  Workbench& bench_;
  Actions* actions_;
  Scene* scene_ = nullptr;
  FreedomChip* chip_ = nullptr;
  class FreedomCard* freedoms_ = nullptr;
  SectionBar* section_ = nullptr;
  Maker* maker_ = nullptr;
  PickBar* pickBar_ = nullptr;
  PlacingCard* placing_ = nullptr;
  Proposals* proposals_ = nullptr;
  GroupCard* groups_ = nullptr;
  Pencil* pencil_ = nullptr;
  Gatherer* gatherer_ = nullptr;
  Joiner* joiner_ = nullptr;
  std::vector<SceneMode*> modes_;  ///< of which one at a time is on
  class DrawingCard* drawing_ = nullptr;
  class ReuseCard* reuse_ = nullptr;
  MachineCard* machine_ = nullptr;
  Strip* strip_ = nullptr;
  Card* card_ = nullptr;
  Rail* rail_ = nullptr;
  QStackedWidget* ledger_ = nullptr;
  std::vector<StagePanel*> panels_;
  ShapePanel* shape_ = nullptr;
  JoinPanel* join_ = nullptr;
  DrivePanel* drive_ = nullptr;
  RunPanel* run_ = nullptr;
  CheckPanel* check_ = nullptr;
  HandOverPanel* hand_ = nullptr;
  Search* search_ = nullptr;
  QLabel *name_ = nullptr, *status_ = nullptr;
  QMenu* recent_ = nullptr;
  QSplitter* whole_ = nullptr;
  bool lanesAlways_ = false, stripLow_ = false;
  bool ask_ = true;
};

}  // namespace cooperage::app
