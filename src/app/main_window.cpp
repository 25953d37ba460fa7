// SPDX-License-Identifier: GPL-3.0-or-later
#include "main_window.h"

#include <QApplication>
#include <QCloseEvent>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenuBar>
#include <QMessageBox>
#include <QMimeData>
#include <QPushButton>
#include <QSettings>
#include <QSplitter>
#include <QStackedWidget>
#include <QTimer>
#include <QToolTip>
#include <QVBoxLayout>

#include "card/card.h"
#include "input_manners.h"
#include "layout/drawing_card.h"
#include "maker/reuse_card.h"
#include "layout/gatherer.h"
#include "layout/joiner.h"
#include "layout/link_shift.h"
#include "layout/pencil.h"
#include "strip/chart.h"
#include "maker/group_card.h"
#include "maker/pick_bar.h"
#include "maker/placing_card.h"
#include "rail.h"
#include "scene/freedom_card.h"
#include "scene/start_card.h"

namespace cooperage::app {

MainWindow::MainWindow(Workbench& bench, QWidget* parent) : QMainWindow(parent), bench_(bench) {
  setAcceptDrops(true);
  actions_ = new Actions(this);
  scene_ = new Scene(bench_);
  new InputManners(scene_, this);
  chip_ = new FreedomChip(bench_, *scene_);
  freedoms_ = new FreedomCard(bench_, scene_);
  connect(chip_, &FreedomChip::pressed, freedoms_, &FreedomCard::toggle);
  section_ = new SectionBar(bench_, *scene_);
  connect(new SceneBar(*scene_), &SceneBar::sectionAsked, section_, &SectionBar::toggle);
  maker_ = new Maker(bench_, *scene_);
  pickBar_ = new PickBar(*maker_, *scene_);
  placing_ = new PlacingCard(bench_, *scene_);
  proposals_ = new Proposals(bench_, *scene_);
  groups_ = new GroupCard(bench_, *scene_);
  connect(groups_, &GroupCard::grouped, this, [this] { actions_->find(QStringLiteral("propose"))->trigger(); });
  machine_ = new MachineCard(bench_, *scene_);
  drawing_ = new DrawingCard(bench_, *scene_);
  reuse_ = new ReuseCard(bench_, *scene_);
  pencil_ = new Pencil(bench_, *scene_);
  gatherer_ = new Gatherer(bench_, *scene_);
  joiner_ = new Joiner(bench_, *scene_);
  modes_ = {pencil_, gatherer_, joiner_};
  shape_ = new ShapePanel(bench_);
  join_ = new JoinPanel(bench_, *maker_, *proposals_, *machine_);
  connect(join_, &JoinPanel::gapClosing, freedoms_, &FreedomCard::closeGap);
  drive_ = new DrivePanel(bench_);
  strip_ = new Strip(bench_);
  run_ = new RunPanel(bench_, *maker_);
  check_ = new CheckPanel(bench_);
  hand_ = new HandOverPanel(bench_, *scene_, *strip_->lanes());
  panels_ = {shape_, join_, drive_, run_, check_, hand_};
  rail_ = new Rail(bench_);
  rail_->watch(panels_);
  ledger_ = new QStackedWidget;
  for (StagePanel* p : panels_) ledger_->addWidget(p);
  card_ = new Card(bench_);
  auto* start = new StartCard(bench_, *scene_, shape_->elements());
  connect(start, &StartCard::importAsked, this, [this] { actions_->find(QStringLiteral("import"))->trigger(); });
  connect(start, &StartCard::folderAsked, this, [this] { actions_->find(QStringLiteral("parts folder"))->trigger(); });
  connect(start, &StartCard::openAsked, this, &MainWindow::open);
  connect(start, &StartCard::layoutAsked, this, [this] { actions_->find(QStringLiteral("draw links"))->trigger(); });
  connect(pencil_, &Pencil::changed, start, [this, start] { start->stepAside(pencil_->isOn()); });
  connect(maker_, &Maker::changed, pencil_, [this] {
    if (maker_->isPicking()) stopModes();
  });
  connect(start, &StartCard::documentAsked, this, &MainWindow::openPath, Qt::QueuedConnection);
  auto* shift = new LinkShift(bench_, *scene_);
  for (StagePanel* panel : panels_) {
    connect(panel, &StagePanel::linkDragged, shift, &LinkShift::move);
    connect(panel, &StagePanel::linkDragEnded, shift, &LinkShift::end);
  }
  connect(gatherer_, &Gatherer::joinAsked, this, [this] { actions_->find(QStringLiteral("join lines"))->trigger(); });
  connect(shape_, &ShapePanel::drawAsked, this, [this] { actions_->find(QStringLiteral("draw links"))->trigger(); });
  connect(shape_, &ShapePanel::added, this, [this] {
    scene_->keepInView();
    card_->focusFigure();
  });
  connect(card_, &Card::editJoint, maker_, &Maker::editJoint);
  connect(reuse_, &ReuseCard::placeWanted, maker_, &Maker::editJoint);
  connect(card_, &Card::pickSeatAnew, maker_, &Maker::startSeatAnew);
  connect(card_, &Card::pickSeatDirection, maker_, &Maker::startSeatDirection);
  connect(card_, &Card::cutBody, maker_, &Maker::startCut);
  connect(card_, &Card::stretchBody, maker_, &Maker::startStretch);
  connect(maker_, &Maker::stretchMade, card_, [this] { card_->focusFigure(Card::stretchFigure()); });
  connect(card_, &Card::editGears, machine_, &MachineCard::editGears);
  connect(card_, &Card::editStage, machine_, &MachineCard::editStage);
  connect(maker_, &Maker::measured, &bench_, [this](const QString& text) { bench_.say(text); });
  connect(card_, &Card::chartWanted, run_, [this](model::Id gauge) {
    const auto& gauges = bench_.document().mechanism()->gauges;
    for (const auto& g : gauges)
      if (g->id != gauge) {
        run_->showChart()->setGauges(gauge, g->id);
        return;
      }
    run_->showChart();
  });

  connect(check_, &CheckPanel::sectionWanted, section_, &SectionBar::toggle);
  connect(check_, &CheckPanel::playWanted, strip_, &Strip::playToContact);

  auto* upper = new QSplitter(Qt::Horizontal);
  upper->setHandleWidth(1);
  upper->addWidget(ledger_);
  upper->addWidget(scene_);
  upper->addWidget(card_);
  upper->setStretchFactor(1, 1);
  upper->setSizes({266, 690, 258});
  ledger_->setMinimumWidth(252);
  ledger_->setMaximumWidth(420);
  card_->setMinimumWidth(230);
  scene_->setMinimumSize(320, 200);
  auto* whole = whole_ = new QSplitter(Qt::Vertical);
  whole->setHandleWidth(1);
  whole->addWidget(upper);
  whole->addWidget(strip_);
  whole->setStretchFactor(0, 1);
  whole->setSizes({510, 252});
  for (auto* s : {upper, whole}) s->setChildrenCollapsible(false);

  status_ = new QLabel;
  status_->setObjectName(QStringLiteral("status"));
  status_->setWordWrap(true);  // a long message takes two lines
  status_->setContentsMargins(12, 3, 12, 4);
  status_->setFont(uiFont(8.8));
  auto* right = new QWidget;
  auto* column = new QVBoxLayout(right);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  column->addWidget(whole, 1);
  column->addWidget(status_);
  auto* central = new QWidget;
  auto* row = new QHBoxLayout(central);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(0);
  row->addWidget(rail_);
  row->addWidget(right, 1);
  setCentralWidget(central);
  resize(1280, 800);

  makeActions();
  makeMenus();
  search_ = new Search(bench_, *actions_, this);
  connect(search_, &Search::figureWanted, card_, &Card::focusFigure);
  connect(&bench_.selection(), &Selection::stageChanged, this, [this] {
    ledger_->setCurrentIndex(static_cast<int>(bench_.selection().stage()));
    fitStrip();
  });
  connect(strip_->camLanes(), &CamLanes::camChanged, this, &MainWindow::fitStrip);
  connect(strip_->programmeLanes(), &ProgrammeLanes::driveChanged, this, &MainWindow::fitStrip);
  fitStrip();
  connect(&bench_.document(), &Document::replaced, this, [this] {
    maker_->stop();
    placing_->giveUp();
    machine_->giveUp();
    proposals_->giveUp();
    groups_->giveUp();
    scene_->forgetPointer();
    QToolTip::hideText();
    scene_->setFocus();
  });
  connect(&bench_.speaker(), &Speaker::said, this, &MainWindow::showMessage);
  connect(&bench_.document(), &Document::fileChanged, this, &MainWindow::refreshTitle);
  connect(bench_.document().undoStack(), &QUndoStack::indexChanged, this, &MainWindow::refreshTitle);
  connect(&themeWatch(), &ThemeWatch::changed, this, &MainWindow::refreshTitle);
  refreshTitle();
  showMessage({}, false);
  scene_->setFocus();
}

void MainWindow::makeMenus() {
  auto* bar = new QWidget;
  auto* row = new QHBoxLayout(bar);
  row->setContentsMargins(12, 2, 12, 2);
  row->setSpacing(10);
  name_ = new QLabel;
  name_->setObjectName(QStringLiteral("document name"));
  row->addWidget(name_);
  auto* menus = new QMenuBar;
  menus->setNativeMenuBar(false);
  const auto fill = [&](const QString& title, const QStringList& ids) {
    QMenu* m = menus->addMenu(title);
    for (const QString& id : ids) {
      if (id == QStringLiteral("-"))
        m->addSeparator();
      else if (id == QStringLiteral("recent"))
        recent_ = m->addMenu(tr("Open &recent"));
      else
        m->addAction(actions_->find(id));
    }
  };
  fill(tr("&File"), {"new",          "open",       "recent",        "save",  "save as",     "-",   "import",
                     "parts folder", "refresh",    "drawing again", "reuse", "reuse again", "-",   "table",
                     "picture",      "save chart", "copy chart",    "print", "-",           "quit"});
  fill(tr("&Edit"), {"undo",       "redo",          "-",          "delete",    "hide",   "ground",      "-",
                     "box select", "select solids", "-",          "search",    "filter", "select none", "-",
                     "draw links", "gather",        "join lines", "thickness", "levels", "spread"});
  fill(tr("&View"),
       {"fit",      "look square",  "-",           "view corner", "view front", "view right", "view back", "view left",
        "view top", "view bottom",  "-",           "look 0",      "look 1",     "look 2",     "look 3",    "section",
        "-",        "marks joints", "marks seats", "lanes",       "-",          "dark"});
  QList<QAction*> directions;
  for (const char* from : {"corner", "front", "right", "back", "left", "top", "bottom"})
    directions << actions_->find(QStringLiteral("view ") + QLatin1String(from));
  new ViewMenu(*scene_, directions);
  fill(tr("&Mechanism"), {"propose",
                          "add seat",
                          "edit joint",
                          "ways",
                          "measure",
                          "freedoms",
                          "close gap",
                          "-",
                          "take home",
                          "home",
                          "-",
                          "steady",
                          "go to",
                          "swing",
                          "follow table",
                          "follow formula",
                          "reverse drive",
                          "-",
                          "compute",
                          "compute all",
                          "duplicate run",
                          "cancel"});
  fill(tr("&Travel"), {"play",
                       "play back",
                       "step on",
                       "step back",
                       "to start",
                       "to end",
                       "next mark",
                       "previous mark",
                       "-",
                       "loop",
                       "back and forth",
                       "slower",
                       "faster",
                       "-",
                       "zoom in",
                       "zoom out",
                       "whole travel",
                       "-",
                       "gauge distance",
                       "gauge angle",
                       "gauge point-position",
                       "gauge point-velocity",
                       "add path",
                       "-",
                       "chart",
                       "pin",
                       "refine"});
  fill(tr("&Check"), {"check", "check pose", "common volume", "leave pair out", "stop at contact", "free range", "-",
                      "next contact", "previous contact", "play to contact", "-", "section"});
  fill(tr("&Help"), {"about"});
  menus->setSizePolicy(QSizePolicy::Maximum, QSizePolicy::Preferred);
  row->addWidget(menus);
  row->addStretch(1);
  auto* find = new QPushButton(tr("Find a command or an object      Ctrl+K"));
  find->setObjectName(QStringLiteral("find"));
  dress(find, QStringLiteral("QPushButton { color: @mute; text-align: left; }"));
  find->setFocusPolicy(Qt::NoFocus);
  connect(find, &QPushButton::clicked, this, [this] { search_->popUp(); });
  row->addWidget(find);
  auto* line = new QFrame;
  line->setFixedHeight(1);
  dress(line, QStringLiteral("background: @line"));
  auto* top = new QWidget;
  auto* column = new QVBoxLayout(top);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  column->addWidget(bar);
  column->addWidget(line);
  setMenuWidget(top);
  connect(recent_, &QMenu::aboutToShow, this, &MainWindow::fillRecent);
  fillRecent();
}

void MainWindow::fillRecent() {
  recent_->clear();
  for (const QString& path : Document::recentFiles()) {
    QAction* a = recent_->addAction(QFileInfo(path).fileName());
    a->setToolTip(path);
    connect(a, &QAction::triggered, this, [this, path] { openPath(path); });
  }
  recent_->setEnabled(!recent_->isEmpty());
}

/// Lanes are for what moves: while shapes and joints are made, the scene has their room.
void MainWindow::fitStrip() {
  const bool compact =
      !lanesAlways_ && (bench_.selection().stage() == Stage::shape || bench_.selection().stage() == Stage::join);
  const bool low = compact && !strip_->showsLaw();
  strip_->setCompact(compact);
  if (low == stripLow_) return;
  stripLow_ = low;
  const int total = whole_->height();
  if (total > 100) whole_->setSizes(low ? QList<int>{total - 36, 36} : QList<int>{total - 252, 252});
}

void MainWindow::refreshTitle() {
  const QString edited = bench_.document().isChanged() ? tr("edited") : QString();
  name_->setText(QStringLiteral("<b>%1</b> <span style='color:%2'>&nbsp;%3</span>")
                     .arg(bench_.document().title().toHtmlEscaped(), theme().mute.name(), edited));
  setWindowTitle(tr("%1%2 \u2013 Cooperage")
                     .arg(bench_.document().title(), bench_.document().isChanged() ? QStringLiteral("*") : QString()));
}

QString MainWindow::statusText() const { return status_->text(); }

void MainWindow::showMessage(const QString& text, bool error) {
  status_->setText(text);
  status_->setToolTip(text);
  dress(status_, error ? QStringLiteral("background: @badtint; color: @bad; border-top: 1px solid @line;")
                       : QStringLiteral("background: @panel; color: @mute; border-top: 1px solid @line;"));
}

bool MainWindow::openPath(const QString& path) {
  if (!mayLoseChanges()) return false;
  keepPicture();
  if (!bench_.document().open(path)) return false;
  fillRecent();
  scene_->fitAll();
  // the travel is shown at once; a long one shows its progress and can be cancelled
  if (!bench_.solution().resolved().runs.empty() && bench_.solution().homeProblem().isEmpty()) bench_.runs().startRun();
  return true;
}

/// For the list of what was open lately.
void MainWindow::keepPicture() {
  if (!bench_.document().mechanism()->links.empty()) StartCard::keepPicture(*scene_, bench_.document().path());
}

void MainWindow::open() {
  const QString path =
      QFileDialog::getOpenFileName(this, tr("Open a mechanism"), {}, tr("Mechanisms (*.coop);;All files (*)"));
  if (!path.isEmpty()) openPath(path);
}

bool MainWindow::save() {
  return bench_.document().path().isEmpty() ? saveAs() : bench_.document().save(bench_.document().path());
}

bool MainWindow::saveAs() {
  QString path = QFileDialog::getSaveFileName(
      this, tr("Save the mechanism"), bench_.document().title() + QStringLiteral(".coop"), tr("Mechanisms (*.coop)"));
  if (path.isEmpty()) return false;
  if (QFileInfo(path).suffix().isEmpty()) path += QStringLiteral(".coop");
  return bench_.document().save(path);
}

bool MainWindow::mayLoseChanges() {
  if (!bench_.document().isChanged() || !ask_) return true;
  QMessageBox box(QMessageBox::Question, tr("Unsaved changes"),
                  tr("%1 has changes that are not saved.").arg(bench_.document().title()),
                  QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel, this);
  box.setObjectName(QStringLiteral("unsaved"));
  box.setDefaultButton(QMessageBox::Save);
  const int answer = box.exec();
  return answer == QMessageBox::Discard || (answer == QMessageBox::Save && save());
}

void MainWindow::deleteSelection() {
  if (bench_.selection().ids().empty()) return;
  bench_.document().apply(tr("Delete"), model::removed(*bench_.document().mechanism(), bench_.selection().ids()));
}

void MainWindow::closeEvent(QCloseEvent* e) {
  if (!mayLoseChanges()) {
    e->ignore();
    return;
  }
  keepPicture();
  Document::dropAutosave();  // nothing to recover after a proper end
  e->accept();
}

void MainWindow::dragEnterEvent(QDragEnterEvent* e) {
  if (e->mimeData()->hasUrls()) e->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* e) {
  for (const QUrl& url : e->mimeData()->urls()) {
    const QString path = url.toLocalFile();
    if (path.endsWith(QStringLiteral(".coop"), Qt::CaseInsensitive))
      openPath(path);
    else if (e->mimeData()->hasFormat(QStringLiteral("application/x-cooperage-part")))
      bench_.importer().insertPart(path);
    else if (!path.isEmpty())
      bench_.importer().importFile(path);
  }
}

}  // namespace cooperage::app
