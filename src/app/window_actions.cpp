// SPDX-License-Identifier: GPL-3.0-or-later
// What the main window offers: every action with its name, its key and what it does.
#include <QLineEdit>
#include <QMessageBox>
#include <QSettings>
#include <QStackedWidget>

#include "workbench/pushing.h"
#include "card/card_page.h"
#include "layout/drawing_card.h"
#include "maker/reuse_card.h"
#include "layout/gatherer.h"
#include "layout/joiner.h"
#include "layout/pencil.h"
#include "main_window.h"
#include "maker/group_card.h"
#include "maker/pick_bar.h"
#include "scene/freedom_card.h"
#include "maker/placing_card.h"
#include "model/sheet_edits.h"
#include "text.h"

namespace cooperage::app {

void MainWindow::makeActions() {
  makeFileActions();
  makeEditActions();
  makeElementActions();
  makeJoinActions();
  makeGeometryActions();
  makeLayoutActions();
  makePickActions();
  makeTravelActions();
  makeViewActions();
}

void MainWindow::makeFileActions() {
  Actions& a = *actions_;
  a.add(QStringLiteral("new"), tr("&New"), QKeySequence::New, [this] {
    if (mayLoseChanges()) bench_.document().newDocument();
  });
  a.add(QStringLiteral("open"), tr("&Open\u2026"), QKeySequence::Open, [this] { open(); });
  a.add(QStringLiteral("save"), tr("&Save"), QKeySequence::Save, [this] { save(); });
  a.add(QStringLiteral("save as"), tr("Save &as\u2026"), QKeySequence(QStringLiteral("Ctrl+Shift+S")),
        [this] { saveAs(); });
  a.add(QStringLiteral("import"), tr("&Import geometry or a drawing\u2026"), QKeySequence(QStringLiteral("Ctrl+I")),
        [this] {
          bench_.selection().setStage(Stage::shape);
          shape_->importFile();
        });
  a.add(QStringLiteral("parts folder"), tr("Choose a &parts folder\u2026"),
        QKeySequence(QStringLiteral("Ctrl+Shift+I")), [this] {
          bench_.selection().setStage(Stage::shape);
          shape_->chooseFolder();
        });
  a.add(QStringLiteral("reuse"), tr("Put in another mec&hanism\u2026"), QKeySequence(QStringLiteral("Ctrl+Shift+M")),
        [this] {
          const QString path = QFileDialog::getOpenFileName(this, tr("Mechanism to put in"), {},
                                                            tr("Mechanisms (*.coop);;All files (*)"));
          if (!path.isEmpty()) bench_.reuser().read(path);
        })
      ->setProperty(kWords, tr("reuse insert copy document subassembly group library link"));
  a.add(QStringLiteral("reuse again"), tr("Refresh mechanisms that were put in"), {}, [this] {
     bench_.reuser().refresh();
   })->setProperty(kWords, tr("reuse update linked group source"));
  a.add(QStringLiteral("refresh"), tr("&Refresh geometry from files"), QKeySequence(Qt::Key_F8), [this] {
     bench_.shapes().refreshGeometry();
   })->setProperty(kWords, tr("reload update missing file"));
  a.add(QStringLiteral("quit"), tr("&Quit"), QKeySequence::Quit, [this] { close(); });
  a.add(QStringLiteral("table"), tr("Save &table\u2026"), {}, [this] { hand_->saveTable(); });
  a.add(QStringLiteral("picture"), tr("Save &picture\u2026"), {}, [this] { hand_->savePicture(); });
}

/// Undo and redo with the names of what they do, deletion, search, selection.
void MainWindow::makeEditActions() {
  Actions& a = *actions_;
  auto* undo =
      a.add(QStringLiteral("undo"), tr("&Undo"), QKeySequence::Undo, [this] { bench_.document().undoStack()->undo(); });
  auto* redo = a.add(QStringLiteral("redo"), tr("&Redo"), QKeySequence(QStringLiteral("Ctrl+Shift+Z")),
                     [this] { bench_.document().undoStack()->redo(); });
  const auto names = [this, undo, redo] {
    const auto* s = bench_.document().undoStack();
    undo->setEnabled(s->canUndo());
    redo->setEnabled(s->canRedo());
    undo->setText(s->canUndo() ? tr("&Undo %1").arg(s->undoText().toLower()) : tr("&Undo"));
    redo->setText(s->canRedo() ? tr("&Redo %1").arg(s->redoText().toLower()) : tr("&Redo"));
  };
  connect(bench_.document().undoStack(), &QUndoStack::indexChanged, this, names);
  connect(bench_.document().undoStack(), &QUndoStack::canUndoChanged, this, names);
  names();
  a.add(QStringLiteral("delete"), tr("&Delete"), QKeySequence::Delete, [this] { deleteSelection(); });
  a.add(QStringLiteral("search"), tr("&Find a command or an object"), QKeySequence(QStringLiteral("Ctrl+K")),
        [this] { search_->popUp(); });
  a.add(QStringLiteral("select none"), tr("Select nothing"), QKeySequence(Qt::Key_Escape), [this] {
    if (std::any_of(modes_.begin(), modes_.end(), [](SceneMode* mode) { return mode->cancel(); })) return;
    if (placing_->isPlacing())
      placing_->giveUp();
    else if (drawing_->isVisible())
      drawing_->giveUp();
    else if (reuse_->isVisible())
      reuse_->giveUp();
    else if (machine_->isOpen())
      machine_->giveUp();
    else if (proposals_->isVisible())
      proposals_->giveUp();
    else if (groups_->isVisible())
      groups_->giveUp();
    else if (freedoms_->isVisible())
      freedoms_->hide();
    else if (maker_->cancel() || scene_->isBoxing())
      scene_->setBoxing(false);
    else if (!bench_.pose().ghosts().empty())
      bench_.pose().toggleWays();
    else if (bench_.pose().isByHand())
      bench_.pose().goHome();
    else
      bench_.selection().select({});
  });
  a.add(QStringLiteral("ground"), tr("&Ground or free links"), QKeySequence(Qt::Key_G),
        [this] { shape_->toggleGround(); });
  a.add(QStringLiteral("hide"), tr("&Hide or show"), QKeySequence(QStringLiteral("Ctrl+H")),
        [this] { shape_->toggleShown(); });
  a.add(QStringLiteral("filter"), tr("Filter the ledger"), QKeySequence(QStringLiteral("Ctrl+F")), [this] {
    if (auto* field = ledger_->currentWidget()->findChild<QLineEdit*>(QStringLiteral("filter"))) field->setFocus();
  });
  a.add(QStringLiteral("box select"), tr("Select by a &box"), QKeySequence(Qt::Key_B),
        [this] { scene_->setBoxing(true); });
  a.add(QStringLiteral("select solids"), tr("Select single solids"), QKeySequence(QStringLiteral("Shift+S")), [this] {
    scene_->setSolids(!scene_->selectsSolids());
    bench_.say(scene_->selectsSolids() ? tr("Clicks select single solids") : tr("Clicks select links"));
  });
  a.add(QStringLiteral("cancel"), tr("Cancel what is being computed"), QKeySequence(QStringLiteral("Ctrl+.")),
        [this] { bench_.jobs().cancel(); });
}

/// Elements of one piece, and machine elements with their makers.
void MainWindow::makeElementActions() {
  Actions& a = *actions_;
  for (const auto& [kind, text] : {std::pair{model::BodyKind::box, tr("Add box")},
                                   {model::BodyKind::cylinder, tr("Add cylinder")},
                                   {model::BodyKind::sphere, tr("Add sphere")},
                                   {model::BodyKind::bar, tr("Add bar")},
                                   {model::BodyKind::plate, tr("Add plate")},
                                   {model::BodyKind::slottedBar, tr("Add slotted bar")},
                                   {model::BodyKind::disc, tr("Add disc")},
                                   {model::BodyKind::roller, tr("Add roller")},
                                   {model::BodyKind::shaft, tr("Add shaft")},
                                   {model::BodyKind::pin, tr("Add pin")}})
    a.add(QStringLiteral("add ") + QLatin1String(model::elementName(kind)), text, {}, [this, k = kind] {
      bench_.selection().setStage(Stage::shape);
      shape_->addElement(k);
    });
  a.add(QStringLiteral("add again"), tr("Add another of the same element"), QKeySequence(Qt::Key_Insert), [this] {
    bench_.selection().setStage(Stage::shape);
    shape_->addAgain();
  });
  for (const Machine what :
       {Machine::spur, Machine::ring, Machine::bevel, Machine::crossed, Machine::worm, Machine::rack, Machine::belt,
        Machine::chain, Machine::screw, Machine::cam, Machine::planetary, Machine::differential})
    a.add(QStringLiteral("machine %1").arg(static_cast<int>(what)), tr("Make: %1").arg(MachineCard::titleOf(what)),
          what == Machine::spur  ? QKeySequence(QStringLiteral("Ctrl+G"))
          : what == Machine::cam ? QKeySequence(QStringLiteral("Ctrl+M"))
                                 : QKeySequence(),
          [this, what] {
            bench_.selection().setStage(Stage::join);
            machine_->start(what);
          });
}

void MainWindow::makeJoinActions() {
  Actions& a = *actions_;
  a.add(QStringLiteral("curve from edges"), tr("Curve from a face or edges"), QKeySequence(Qt::Key_U), [this] {
    bench_.selection().setStage(Stage::join);
    maker_->startOutline();
  });
  a.add(QStringLiteral("couple"), tr("Couple the selected joints"), QKeySequence(QStringLiteral("Ctrl+L")), [this] {
    bench_.selection().setStage(Stage::join);
    join_->coupleSelected(model::CouplingKind::ratio);
  });
  a.add(QStringLiteral("take home"), tr("&Take pose as home"), QKeySequence(QStringLiteral("Ctrl+Shift+H")),
        [this] { bench_.pose().takeAsHome(); });
  a.add(QStringLiteral("next assembly mode"), tr("&Next assembly mode"), QKeySequence(QStringLiteral("Ctrl+Shift+W")),
        [this] { bench_.pose().nextWayToClose(); });
  const auto inJoin = [this](auto f) {
    return [this, f] {
      bench_.selection().setStage(Stage::join);
      f();
    };
  };
  a.add(QStringLiteral("propose"), tr("&Propose joints"), QKeySequence(Qt::Key_P),
        inJoin([this] { proposals_->start(); }));
  a.add(QStringLiteral("add seat"), tr("Add &seat"), QKeySequence(Qt::Key_S), inJoin([this] { maker_->startSeat(); }));
  a.add(QStringLiteral("shaft"), tr("Shaft about an a&xis"), {}, inJoin([this] { maker_->startShaft(); }))
      ->setProperty(kWords, tr("axle bore pin turn gear"));
  a.add(QStringLiteral("measure"), tr("&Measure"), QKeySequence(Qt::Key_Q), [this] {
    if (bench_.selection().stage() != Stage::shape) bench_.selection().setStage(Stage::join);
    maker_->startMeasure();
  });
  a.add(QStringLiteral("push"), tr("Links &push one another"), QKeySequence(QStringLiteral("Shift+C")),
        inJoin([this] { pushSelected(bench_); }))
      ->setProperty(kWords, tr("contact pair touch indexing wheel ratchet pawl latch bumper"));
  a.add(QStringLiteral("hold"), tr("Hold a joint by a &force"), QKeySequence(QStringLiteral("Shift+F")),
        inJoin([this] { holdSelected(bench_); }))
      ->setProperty(kWords, tr("spring weight torque effort pawl latch follower return"));
  a.add(QStringLiteral("free pose"), tr("Take the nearest free pose"), {}, [this] {
     takeFreePose(bench_);
   })->setProperty(kWords, tr("overlap contact home start"));
  a.add(QStringLiteral("free start"), tr("Begin the run at the nearest free pose"), {}, [this] {
     startFree(bench_);
   })->setProperty(kWords, tr("overlap contact start this run"));
  a.add(QStringLiteral("freedoms"), tr("Free&doms: left, idle, redundant"), {}, [this] {
     freedoms_->toggle();
   })->setProperty(kWords, tr("mobility degrees of freedom over-constrained cure"));
  a.add(QStringLiteral("close gap"), tr("Close the &gap of a loop that stays open"), {}, [this] {
     freedoms_->closeGap();
   })->setProperty(kWords, tr("assemble home open joint mend"));
  a.add(QStringLiteral("ways"), tr("Show other assembly &modes"), QKeySequence(Qt::Key_W),
        inJoin([this] { bench_.pose().toggleWays(); }));
  a.add(QStringLiteral("edit joint"), tr("&Edit joint in the scene"), QKeySequence(Qt::Key_E), inJoin([this] {
          if (bench_.selection().ids().size() == 1) maker_->editJoint(bench_.selection().ids()[0]);
        }));
}

/// What is done with the geometry of one body.
void MainWindow::makeGeometryActions() {
  Actions& a = *actions_;
  const auto chosen = [this]() -> model::Id {  // a body, or the only one of a link
    const auto& m = *bench_.document().mechanism();
    for (const model::Id id : bench_.selection().ids()) {
      if (findBody(m, id)) return id;
      if (const auto l = findLink(m, id); l && l->bodies.size() == 1) return l->bodies[0]->id;
    }
    bench_.say(tr("Choose one body, or a link of one body, first"), true);
    return 0;
  };
  a.add(QStringLiteral("replace geometry"), tr("Replace geometry\u2026"), {}, [this, chosen] {
     if (const model::Id body = chosen()) replaceGeometry(bench_, this, body);
   })->setProperty(kWords, tr("exchange swap file solid part"));
  a.add(QStringLiteral("exchange"), tr("Exchange a link's lines and its solid\u2026"), QKeySequence(tr("Shift+E")),
        [this] {
          for (const model::Id id : bench_.selection().ids())
            if (findLink(*bench_.document().mechanism(), id)) return exchangeLink(bench_, this, id);
          bench_.say(tr("Choose the link first"), true);
        })
      ->setProperty(kWords, tr("swap replace stand-in lines final solid back"));
  a.add(QStringLiteral("cut body"), tr("Cut a body in two\u2026"), {}, [this, chosen] {
     if (const model::Id body = chosen()) maker_->startCut(body);
   })->setProperty(kWords, tr("split part divide"));
  a.add(QStringLiteral("stretch body"), tr("Make a body longer or shorter\u2026"), {}, [this, chosen] {
     if (const model::Id body = chosen()) maker_->startStretch(body);
   })->setProperty(kWords, tr("stretch lengthen shorten extend reach plane section solid"));
  a.add(QStringLiteral("locate geometry"), tr("Locate missing files\u2026"), {}, [this] {
     const QStringList missing = bench_.importer().missingFiles();
     if (missing.isEmpty())
       bench_.say(tr("No file is missing"));
     else
       locateGeometry(bench_, this, missing.front());
   })->setProperty(kWords, tr("folder moved broken lost geometry"));
}

/// Sheets, what is drawn on them, and which link has which curve.
void MainWindow::makeLayoutActions() {
  Actions& a = *actions_;
  a.add(QStringLiteral("draw links"), tr("&Draw links as lines"), QKeySequence(Qt::Key_O), [this] {
     const bool was = pencil_->isOn();
     enter(Stage::shape);
     if (!was) pencil_->start();
   })->setProperty(kWords, tr("layout sketch pencil sheet planar pivot"));
  a.add(QStringLiteral("look square"), tr("Look s&quare on the sheet"), QKeySequence(Qt::Key_V), [this] {
     pencil_->lookSquare();
   })->setProperty(kWords, tr("normal view plane camera"));
  a.add(QStringLiteral("gather"), tr("G&ather curves into a link"), QKeySequence(QStringLiteral("Shift+G")), [this] {
     gatherSelected();
   })->setProperty(kWords, tr("group collect lines drawing"));
  a.add(QStringLiteral("join lines"), tr("&Join links in the plane"), QKeySequence(QStringLiteral("Shift+J")), [this] {
     const bool was = joiner_->isOn();
     enter(Stage::join);
     if (!was) joiner_->start();
   })->setProperty(kWords, tr("pin slot slide contact planar lines outlines"));
  a.add(QStringLiteral("thickness"), tr("Give links of lines &thickness"), QKeySequence(QStringLiteral("Shift+H")),
        [this] { bench_.levels().giveThickness(); })
      ->setProperty(kWords, tr("solids plates bars bosses bores pins extrude"));
  a.add(QStringLiteral("levels"), tr("Find &levels for the run"), QKeySequence(QStringLiteral("Shift+K")), [this] {
     bench_.levels().findLevels();
   })->setProperty(kWords, tr("layers stack side by side collide"));
  a.add(QStringLiteral("spread"), tr("Spread the levels, or bring them back"), {}, [this] {
     bench_.levels().toggleSpread();
   })->setProperty(kWords, tr("explode layers apart"));
  a.add(QStringLiteral("drawing again"), tr("Read drawings again"), {}, [this] {
     bench_.importer().readDrawingsAgain();
   })->setProperty(kWords, tr("refresh reload dxf svg changed"));
}

/// A stage with nothing begun in it.
void MainWindow::enter(Stage stage) {
  bench_.selection().setStage(stage);
  maker_->stop();
  stopModes();
}

void MainWindow::stopModes() {
  for (SceneMode* mode : modes_) mode->stop();
}

/// The chosen curves become a link, or come to the link that is chosen with them.
void MainWindow::gatherSelected() {
  const auto& m = *bench_.document().mechanism();
  std::vector<model::Id> curves;
  model::Id link = 0;
  for (const model::Id id : bench_.selection().ids()) {
    if (model::findSheetCurve(m, id)) curves.push_back(id);
    if (model::findLink(m, id)) link = id;
  }
  if (curves.empty()) {  // they are chosen by loops and clicks
    if (model::countLoose(m) == 0 && link == 0) {
      bench_.say(tr("Every curve belongs to a link: choose the link that is to get more, or to let some go"), true);
      return;
    }
    enter(Stage::shape);
    gatherer_->start(link);
    return;
  }
  auto made = model::gathered(m, curves, link, "link", bench_.pose().poses());
  if (!made.ok()) {
    bench_.say(QString::fromStdString(made.error().text), true);
    return;
  }
  bench_.document().endGesture();
  if (!bench_.document().apply(tr("Gather curves"), made->first)) return;
  bench_.selection().select({made->second});
  const int loose = model::countLoose(*bench_.document().mechanism());
  const QString name = QString::fromStdString(model::findLink(*bench_.document().mechanism(), made->second)->name);
  bench_.say(loose == 0 ? tr("%1 has them; every curve belongs to a link").arg(name)
                        : tr("%1 has them; %2 belong to no link").arg(name, counted(loose, tr("curve"), tr("curves"))));
}

/// While a place is picked in the scene.
void MainWindow::makePickActions() {
  Actions& a = *actions_;
  a.add(QStringLiteral("join in place"), tr("Join in place with one pick"), QKeySequence(Qt::Key_J),
        [this] { maker_->onePick(); });
  a.add(QStringLiteral("confirm pick"), tr("Confirm what was picked"), QKeySequence(QStringLiteral("Ctrl+Return")),
        [this] { maker_->confirm(); });
  a.add(QStringLiteral("next place"), tr("Next place under the pointer"), QKeySequence(Qt::Key_N), [this] {
    if (placing_->isPlacing())
      placing_->nextSpot();
    else if (joiner_->isOn())
      joiner_->step(1);
    else
      scene_->stepCandidate(1);
  });
  a.add(QStringLiteral("previous place"), tr("Previous place under the pointer"),
        QKeySequence(QStringLiteral("Shift+N")), [this] { scene_->stepCandidate(-1); });
  a.add(QStringLiteral("keep places"), tr("Keep the places under the pointer"), QKeySequence(Qt::Key_K),
        [this] { pickBar_->toggleKeep(); });
  a.add(QStringLiteral("isolate"), tr("Isolate the link under the pointer, or show all"), QKeySequence(Qt::Key_I),
        [this] { pickBar_->toggleIsolated(); });
  const std::tuple<const char*, QString, Qt::Key, PlaceBuilder::Mode> kModes[] = {
      {"place middle", tr("Place: middle between two picks"), Qt::Key_M, PlaceBuilder::Mode::middle},
      {"place three", tr("Place: centre of three points"), Qt::Key_T, PlaceBuilder::Mode::threePoints},
      {"place direction", tr("Place: direction from another pick"), Qt::Key_D, PlaceBuilder::Mode::direction}};
  for (const auto& [id, text, key, mode] : kModes)
    a.add(QLatin1String(id), text, QKeySequence(key), [this, m = mode] {
      if (m == PlaceBuilder::Mode::threePoints)
        maker_->turnOverOrThree();
      else if (maker_->isPicking())
        maker_->setMode(m);
    });
}

/// Stages, views and what is shown.
void MainWindow::makeViewActions() {
  Actions& a = *actions_;
  a.add(QStringLiteral("lanes"), tr("Lanes of the travel in every stage"), QKeySequence(QStringLiteral("Ctrl+T")),
        [this] {
          lanesAlways_ = !lanesAlways_;
          fitStrip();
        });
  a.add(QStringLiteral("marks joints"), tr("Show or hide joint marks"), QKeySequence(QStringLiteral("Ctrl+J")),
        [this] { scene_->setShown(Scene::Mark::joints, !scene_->shows(Scene::Mark::joints)); });
  a.add(QStringLiteral("marks seats"), tr("Show or hide seats"), QKeySequence(QStringLiteral("Ctrl+Shift+J")),
        [this] { scene_->setShown(Scene::Mark::seats, !scene_->shows(Scene::Mark::seats)); });
  a.add(QStringLiteral("fit"), tr("&Fit all"), QKeySequence(Qt::Key_F), [this] { scene_->fitAll(); });
  const struct {
    const char* id;
    QString text;
    const char* key;
    Vec3 from, up;
  } views[] = {{"view front", tr("From the front"), "Ctrl+1", -Vec3::UnitY(), Vec3::UnitZ()},
               {"view right", tr("From the right"), "Ctrl+2", Vec3::UnitX(), Vec3::UnitZ()},
               {"view back", tr("From the back"), "Ctrl+3", Vec3::UnitY(), Vec3::UnitZ()},
               {"view left", tr("From the left"), "Ctrl+4", -Vec3::UnitX(), Vec3::UnitZ()},
               {"view top", tr("From above"), "Ctrl+5", Vec3::UnitZ(), Vec3::UnitY()},
               {"view bottom", tr("From below"), "Ctrl+6", -Vec3::UnitZ(), Vec3::UnitY()},
               {"view corner", tr("From the corner"), "Ctrl+0", Vec3(-0.42, -1, 0.42), Vec3::UnitZ()}};
  for (const auto& v : views)
    a.add(QLatin1String(v.id), v.text, QKeySequence(QLatin1String(v.key)), [this, from = v.from, up = v.up] {
      scene_->lookFrom(from, up);
      scene_->fitAll();
    });
  a.add(QStringLiteral("section"), tr("&Section"), QKeySequence(Qt::Key_C), [this] { section_->toggle(); });
  const std::pair<Look, QString> looks[] = {{Look::edges, tr("Shaded with edges")},
                                            {Look::shaded, tr("Shaded")},
                                            {Look::wireframe, tr("Wireframe")},
                                            {Look::seeThrough, tr("See-through")}};
  for (const auto& [look, text] : looks)
    a.add(QStringLiteral("look %1").arg(static_cast<int>(look)), text, {}, [this, l = look] { scene_->setLook(l); });
  const QString stages[] = {tr("Stage Shape"), tr("Stage Join"),  tr("Stage Drive"),
                            tr("Stage Run"),   tr("Stage Check"), tr("Stage Hand over")};
  for (int i = 0; i < 6; ++i)
    a.add(QStringLiteral("stage %1").arg(i), stages[i], QKeySequence(QStringLiteral("Alt+%1").arg(i + 1)),
          [this, i] { bench_.selection().setStage(static_cast<Stage>(i)); });
  a.add(QStringLiteral("dark"), tr("Light or dark"), {}, [] {
    applyTheme(*qApp, !theme().dark);
    QSettings().setValue(QStringLiteral("dark"), theme().dark);
  });
  a.add(QStringLiteral("about"), tr("&About Cooperage"), {}, [this] {
    QMessageBox::about(
        this, tr("About Cooperage"),
        tr("Cooperage drives mechanisms through their travel and checks them.\n\nFree software under the GNU General "
           "Public License, version 3 or later. Fonts and icons keep their own licences."));
  });
}

/// Drives, runs, transport, gauges and what is saved of them.
void MainWindow::makeTravelActions() {
  Actions& a = *actions_;
  a.add(QStringLiteral("home"), tr("&Return home"), QKeySequence(Qt::Key_H), [this] { bench_.pose().goHome(); });
  a.add(QStringLiteral("compute"), tr("&Compute run"), QKeySequence(Qt::Key_F5), [this] { bench_.runs().startRun(); });
  a.add(QStringLiteral("check"), tr("C&heck run"), QKeySequence(Qt::Key_F6), [this] {
    bench_.selection().setStage(Stage::check);
    bench_.checks().startCheck();
  });
  using model::Purpose;
  const std::tuple<const char*, QString, Purpose> kPurposes[] = {
      {"steady", tr("Drive steadily"), Purpose::steady},
      {"go to", tr("Drive to a value"), Purpose::goTo},
      {"go by", tr("Drive by an amount"), Purpose::goBy},
      {"swing", tr("Oscillate"), Purpose::swing},
      {"follow table", tr("Follow a table"), Purpose::followTable},
      {"follow formula", tr("Follow a formula in time"), Purpose::followFormula}};
  for (const auto& [id, text, purpose] : kPurposes)
    a.add(QLatin1String(id), text,
          purpose == Purpose::steady ? QKeySequence(QStringLiteral("Shift+D"))
          : purpose == Purpose::goTo ? QKeySequence(QStringLiteral("Shift+T"))
                                     : QKeySequence(),
          [this, p = purpose] {
            bench_.selection().setStage(Stage::drive);
            drive_->addDrive(p);
          });
  a.add(QStringLiteral("follow value"), tr("Follow another joint value"), {}, [this] {
    bench_.selection().setStage(Stage::drive);
    drive_->addFollower();
  });
  a.add(QStringLiteral("reverse drive"), tr("&Reverse the drive"), QKeySequence(QStringLiteral("Shift+R")),
        [this] { drive_->reverseChosen(); });
  a.add(QStringLiteral("compute all"), tr("Compute &all runs"), QKeySequence(QStringLiteral("Shift+F5")),
        [this] { bench_.runs().startAllRuns(); });
  a.add(QStringLiteral("duplicate run"), tr("D&uplicate the run"), QKeySequence(QStringLiteral("Ctrl+D")),
        [this] { run_->duplicateRun(); });
  a.add(QStringLiteral("check pose"), tr("Overlaps in this &pose"), QKeySequence(Qt::Key_X), [this] {
    bench_.selection().setStage(Stage::check);
    bench_.checks().checkPose();
  });
  a.add(QStringLiteral("stop at contact"), tr("A drag by hand stops at contact"),
        QKeySequence(QStringLiteral("Shift+X")),
        [this] { bench_.checks().setHaltAtContact(!bench_.checks().haltsAtContact()); });
  a.add(QStringLiteral("free range"), tr("Find the free range of the drive"),
        QKeySequence(QStringLiteral("Ctrl+Shift+F")), [this] {
          bench_.selection().setStage(Stage::check);
          check_->findFreeRange();
        });
  const auto step = [this](int by) {
    const int n = bench_.checks().check() ? static_cast<int>(bench_.checks().check()->result.interference.size()) : 0;
    if (n == 0) return;
    const int now = bench_.selection().chosenInterference();
    bench_.selection().setStage(Stage::check);
    bench_.selection().select({});
    bench_.checks().chooseInterference(now < 0 ? (by > 0 ? 0 : n - 1) : (now + by + n) % n);
  };
  a.add(QStringLiteral("next contact"), tr("Next contact"), QKeySequence(Qt::Key_F7), [step] { step(1); });
  a.add(QStringLiteral("previous contact"), tr("Previous contact"), QKeySequence(QStringLiteral("Shift+F7")),
        [step] { step(-1); });
  a.add(QStringLiteral("play to contact"), tr("Play up to the contact"), QKeySequence(Qt::Key_F9),
        [this] { strip_->playToContact(); });
  a.add(QStringLiteral("common volume"), tr("Common &volume of the pair"), QKeySequence(QStringLiteral("Shift+V")),
        [this] {
          bench_.selection().setStage(Stage::check);
          bench_.checks().workOutCommonVolume();
        });
  a.add(QStringLiteral("leave pair out"), tr("Leave the pair out of the check"), {}, [this] {
    bench_.selection().setStage(Stage::check);
    bench_.checks().leavePairOut();
  });
  a.add(QStringLiteral("refine"), tr("Refine the steps"), {}, [this] { bench_.runs().refineRun(); });
  a.add(QStringLiteral("pin"), tr("Pin the curves to compare"), QKeySequence(QStringLiteral("Ctrl+B")),
        [this] { bench_.runs().togglePin(); });
  a.add(QStringLiteral("chart"), tr("One gauge against another"), QKeySequence(QStringLiteral("Ctrl+Y")),
        [this] { run_->showChart(); });
  for (const auto& [kind, text] : pickedGauges())
    a.add(QStringLiteral("gauge ") + QString::fromStdString(wordFor(kind)), tr("Gauge: %1").arg(text),
          kind == model::GaugeKind::distance ? QKeySequence(QStringLiteral("A"))
          : kind == model::GaugeKind::angle  ? QKeySequence(QStringLiteral("Shift+A"))
                                             : QKeySequence(),
          [this, k = kind] {
            if (bench_.selection().stage() != Stage::drive) bench_.selection().setStage(Stage::run);
            maker_->startGauge(k);
          });
  a.add(QStringLiteral("add path"), tr("Path of a point"), QKeySequence(QStringLiteral("Shift+P")), [this] {
    bench_.selection().setStage(Stage::run);
    maker_->startPath();
  });
  a.add(QStringLiteral("play"), tr("&Play or pause"), QKeySequence(Qt::Key_Space), [this] { strip_->togglePlay(); });
  a.add(QStringLiteral("play back"), tr("Play &backwards or pause"), QKeySequence(QStringLiteral("Shift+Space")),
        [this] { strip_->togglePlayBack(); });
  a.add(QStringLiteral("to start"), tr("To the start"), QKeySequence(Qt::Key_Home), [this] { strip_->toStart(); });
  a.add(QStringLiteral("to end"), tr("To the end"), QKeySequence(Qt::Key_End), [this] { strip_->toEnd(); });
  a.add(QStringLiteral("step on"), tr("One step on"), QKeySequence(Qt::CTRL | Qt::Key_Right),
        [this] { strip_->step(1); });
  a.add(QStringLiteral("step back"), tr("One step back"), QKeySequence(Qt::CTRL | Qt::Key_Left),
        [this] { strip_->step(-1); });
  a.add(QStringLiteral("next mark"), tr("To the next mark of the travel"),
        QKeySequence(QStringLiteral("Ctrl+Shift+Right")), [this] { strip_->toMark(1); });
  a.add(QStringLiteral("previous mark"), tr("To the mark before"), QKeySequence(QStringLiteral("Ctrl+Shift+Left")),
        [this] { strip_->toMark(-1); });
  const auto toggle = [this](Strip::AtEnd how) { strip_->setAtEnd(strip_->atEnd() == how ? Strip::AtEnd::stop : how); };
  a.add(QStringLiteral("loop"), tr("Loop"), QKeySequence(Qt::Key_L), [toggle] { toggle(Strip::AtEnd::loop); });
  a.add(QStringLiteral("back and forth"), tr("Back and forth"), QKeySequence(QStringLiteral("Shift+L")),
        [toggle] { toggle(Strip::AtEnd::toAndFro); });
  a.add(QStringLiteral("slower"), tr("Play slower"), QKeySequence(Qt::Key_BracketLeft),
        [this] { strip_->changeSpeed(-1); });
  a.add(QStringLiteral("faster"), tr("Play faster"), QKeySequence(Qt::Key_BracketRight),
        [this] { strip_->changeSpeed(1); });
  a.add(QStringLiteral("zoom in"), tr("Zoom into the travel"), QKeySequence(Qt::Key_Plus), [this] {
    if (const RunData* run = bench_.runs().run())
      strip_->lanes()->zoom(0.5, run->travel->axisAt(bench_.runs().cursor()));
  });
  a.add(QStringLiteral("zoom out"), tr("Zoom out of the travel"), QKeySequence(Qt::Key_Minus), [this] {
    if (const RunData* run = bench_.runs().run()) strip_->lanes()->zoom(2, run->travel->axisAt(bench_.runs().cursor()));
  });
  a.add(QStringLiteral("whole travel"), tr("Whole travel"), QKeySequence(Qt::Key_0),
        [this] { strip_->lanes()->zoomWhole(); });
  a.add(QStringLiteral("copy chart"), tr("&Copy the chart as a picture"), QKeySequence(QStringLiteral("Ctrl+Shift+C")),
        [this] { hand_->copyLanes(); });
  a.add(QStringLiteral("save chart"), tr("Save the c&hart\u2026"), {}, [this] { hand_->saveLanes(); });
  a.add(QStringLiteral("print"), tr("&Print the chart\u2026"), QKeySequence::Print, [this] { hand_->printLanes(); });
}

}  // namespace cooperage::app
