// SPDX-License-Identifier: GPL-3.0-or-later
// What makes the ways quick: where a new element stands, where the cursor is, what is offered, what is found by words.
#include <QAbstractButton>
#include <QComboBox>
#include <QSpinBox>

#include "quick_fixture.h"

namespace cooperage::app {
namespace {

TEST_F(QuickWays, OnePickOfAPointGivesPositionVelocityAndAcceleration) {
  openDemo();
  const auto before = m().gauges.size();
  window.scene()->setFocus();
  key(Qt::Key_4, Qt::AltModifier);
  choose(QStringLiteral("gauge"), QStringLiteral("Motion of a point: position, velocity, acceleration"));
  ASSERT_TRUE(window.maker()->isPicking());
  // a place of the upper toggle: where it is pinned to the frame or the rod, whatever the pointer finds there
  std::optional<PickedPlace> found;
  QPoint where;
  for (int x = 60; x < window.scene()->width() - 60 && !found; x += 9)
    for (int y = 60; y < window.scene()->height() - 60 && !found; y += 9)
      if (const auto place = window.scene()->placeAt(QPoint(x, y)); place && place->link == linkId("upper toggle")) {
        found = place;
        where = {x, y};
      }
  ASSERT_TRUE(found);
  QTest::mouseMove(window.scene(), where);
  QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::NoModifier, where);
  settle();
  ++actions_;
  EXPECT_LE(actions_, 5);
  ASSERT_EQ(m().gauges.size(), before + 3) << lastError.toStdString();
  const auto kind = [&](std::size_t i) { return m().gauges[before + i]->kind.value(); };
  EXPECT_EQ(kind(0), model::GaugeKind::pointPosition);
  EXPECT_EQ(kind(1), model::GaugeKind::pointVelocity);
  EXPECT_EQ(kind(2), model::GaugeKind::pointAcceleration);
  for (std::size_t i = 1; i < 3; ++i)
    EXPECT_EQ(m().gauges[before + i]->of[0].id, m().gauges[before]->of[0].id) << "of one and the same seat";
  WindowTest::key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(m().gauges.size(), before) << "one step back takes all three";
}

TEST_F(QuickWays, ANewElementStandsBesideWhatIsThereInViewWithItsFirstFigureReadyToType) {
  for (int i = 0; i < 3; ++i) {
    choose(QStringLiteral("add"), QStringLiteral("Box"));
    ASSERT_EQ(m().links.size(), static_cast<std::size_t>(i + 1));
    typeHere(QString::number(70 + i) + QStringLiteral(" mm"));
  }
  EXPECT_EQ(actions_, 9);
  const auto& r = bench.solution().resolved();
  for (std::size_t i = 0; i < 3; ++i)
    EXPECT_NEAR(r.links[i].bodies[0].figures[0], 0.070 + 1e-3 * static_cast<double>(i), 1e-12)
        << "what was typed went into its first figure";
  for (std::size_t i = 1; i < 3; ++i) {
    const double gap = bench.pose().poses()[i].p.x() - bench.pose().poses()[i - 1].p.x() -
                       0.5 * (r.links[i].bodies[0].figures[0] + r.links[i - 1].bodies[0].figures[0]);
    EXPECT_GT(gap, 0) << "they don't lie in one another";
    EXPECT_LT(gap, 0.05) << "but side by side";
  }
  for (const auto& pose : bench.pose().poses())
    EXPECT_TRUE(window.scene()->rect().contains(window.scene()->project(pose.p).toPoint()));
}

TEST_F(QuickWays, TheOtherPaletteIsThereAtOnce) {
  openDemo();
  bench.selection().setStage(Stage::run);
  settle();
  const auto middle = [&](QWidget* w) { return w->grab().toImage().pixelColor(w->width() - 6, w->height() / 2); };
  QWidget* lanes = window.strip()->lanes();
  auto* compute = find<QPushButton>("compute");
  const QImage icon = compute->icon().pixmap(16, 16).toImage();
  const int scene = window.scene()->picture().pixelColor(4, 4).lightness();
  EXPECT_GT(middle(lanes).lightness(), 200);
  EXPECT_GT(scene, 200);
  window.actions()->find(QStringLiteral("dark"))->trigger();
  settle();
  EXPECT_LT(middle(lanes).lightness(), 80);
  EXPECT_LT(window.scene()->picture().pixelColor(4, 4).lightness(), 80);
  EXPECT_LT(middle(window.card()).lightness(), 80);
  EXPECT_NE(compute->icon().pixmap(16, 16).toImage(), icon);
  EXPECT_TRUE(QSettings().value(QStringLiteral("dark")).toBool()) << "and at the next start";
  window.actions()->find(QStringLiteral("dark"))->trigger();
  settle();
  EXPECT_GT(middle(lanes).lightness(), 200);
  EXPECT_EQ(compute->icon().pixmap(16, 16).toImage(), icon);
}

TEST_F(QuickWays, TheFreedomsAreListedAndACureIsOneClickAndOneUndo) {
  openDemo();
  bench.selection().setStage(Stage::join);
  ASSERT_TRUE(bench.solution().mobility());
  const int redundant = bench.solution().mobility()->redundant;
  ASSERT_EQ(redundant, 6) << "two planar loops";
  EXPECT_FALSE(window.chip()->text().contains(QStringLiteral("redundant"))) << "who asks is told: in the card";
  EXPECT_FALSE(window.chip()->text().contains(theme().warn.name()));
  QTest::mouseClick(window.chip(), Qt::LeftButton);
  ++actions_;
  auto* card = window.findChild<FreedomCard*>();
  ASSERT_TRUE(card && card->isVisible());
  EXPECT_TRUE(find<QLabel>("redundant")->text().contains("parallel planes"));
  press(QStringLiteral("cure knuckle spherical"));
  settle();
  EXPECT_EQ(model::findByName(m().joints, "knuckle")->kind, model::JointKind::spherical);
  EXPECT_EQ(bench.solution().mobility()->redundant, redundant - 2);
  EXPECT_TRUE(find<QLabel>("redundant")->text().contains("4 redundant"))
      << find<QLabel>("redundant")->text().toStdString();
  WindowTest::key(Qt::Key_Z, Qt::ControlModifier);
  settle();
  EXPECT_EQ(bench.solution().mobility()->redundant, redundant);
  QTest::keyClick(card, Qt::Key_Escape);
  EXPECT_FALSE(card->isVisible());
  EXPECT_EQ(actions_, 2);
}

TEST_F(QuickWays, AnEmptyWindowOffersWhatToBeginWith) {
  auto* start = window.findChild<StartCard*>();
  ASSERT_TRUE(start && start->isVisible());
  for (const char* way : {"start import", "start folder", "start element", "start open"})
    EXPECT_NE(find<QPushButton>(way), nullptr);
  ASSERT_FALSE(demoFolder().isEmpty());
  press(QStringLiteral("document stave-lifter"));
  settle();
  EXPECT_FALSE(m().links.empty());
  EXPECT_FALSE(start->isVisible());
  EXPECT_EQ(actions_, 1);
  // what was open is offered with its picture the next time
  const QString path = bench.document().path();
  ASSERT_TRUE(window.openPath(QStringLiteral(COOPERAGE_DEMO) + "/hoop-press/hoop-press.coop"));
  bench.document().newDocument();
  settle();
  ASSERT_TRUE(start->isVisible());
  auto* tile = find<QToolButton>("document stave-lifter");
  ASSERT_NE(tile, nullptr);
  EXPECT_EQ(tile->toolTip(), path);
  EXPECT_GT(tile->iconSize().width(), 100) << "a picture, not a mark";
}

TEST_F(QuickWays, AnEmptyWindowsElementsAreThoseOfTheShapeStage) {
  choose(QStringLiteral("start element"), QStringLiteral("Bar with two pivots"));
  ASSERT_EQ(m().links.size(), 1u);
  EXPECT_FALSE(window.findChild<StartCard*>()->isVisible());
}

TEST_F(QuickWays, JointKindsBearTheirNamesAndKeys) {
  bench.selection().setStage(Stage::join);
  settle();
  for (const auto& info : model::jointKinds()) {
    auto* b = find<QToolButton>(QStringLiteral("make ") + QLatin1String(info.name));
    ASSERT_NE(b, nullptr);
    EXPECT_EQ(b->text(), QString::fromLatin1(info.name).replace('-', ' '));
    EXPECT_GE(b->width(), b->sizeHint().width() - 2) << "not cut off: " << info.name;
    EXPECT_TRUE(b->toolTip().contains("Leaves"));
  }
}

TEST_F(QuickWays, SeatsBodiesAndCommandsAreFoundBySeveralWords) {
  openDemo();
  window.scene()->setFocus();
  const auto first = [&](const QString& words) {
    key(Qt::Key_K, Qt::ControlModifier);
    auto* list = window.findChild<Search*>()->findChild<QListWidget*>();
    QTest::keyClicks(QApplication::focusWidget(), words);
    const QString text = list->count() ? list->item(0)->text() : QString();
    QTest::keyClick(QApplication::focusWidget(), Qt::Key_Escape);
    return text;
  };
  EXPECT_TRUE(first(QStringLiteral("reload missing")).startsWith("Refresh geometry"));
  EXPECT_TRUE(first(QStringLiteral("exchange")).startsWith("Replace geometry"));
  EXPECT_TRUE(first(QStringLiteral("replace")).startsWith("Replace geometry"));
  EXPECT_TRUE(first(QStringLiteral("missing folder")).startsWith("Locate missing"));
  EXPECT_TRUE(first(QStringLiteral("degrees of freedom")).startsWith("Freedoms"));
  EXPECT_TRUE(first(QStringLiteral("seat upper toggle knuckle")).startsWith("knuckle"));
}

TEST_F(QuickWays, AnImportIsGroupedByEachWayAndByHand) {
  const QString file = folder.filePath(QStringLiteral("stand.step"));
  ASSERT_TRUE(shape::writeStep(demo::fastenedStand({}), "stand", file.toStdString()).ok());
  drop(file);
  settle();
  auto* card = window.findChild<GroupCard*>();
  ASSERT_TRUE(card && card->isVisible());
  press(QStringLiteral("way solids"));
  EXPECT_EQ(m().links.size(), 18u);
  press(QStringLiteral("way one"));
  EXPECT_EQ(m().links.size(), 1u);
  press(QStringLiteral("way fasteners"));
  EXPECT_EQ(m().links.size(), 2u);
  press(QStringLiteral("way solids"));
  bench.selection().select({m().links[0]->id, m().links[1]->id, m().links[2]->id});
  press(QStringLiteral("way merge"));
  ASSERT_EQ(m().links.size(), 16u);
  EXPECT_TRUE(std::any_of(m().links.begin(), m().links.end(), [](const auto& l) { return l->bodies.size() == 3; }));
  QTest::keyClick(card, Qt::Key_Escape);
  EXPECT_FALSE(card->isVisible());
  EXPECT_EQ(m().links.size(), 16u) << "the links stay as they were listed";
}

TEST_F(QuickWays, EveryMakerStartsFromNothing) {
  bench.selection().setStage(Stage::join);
  for (const Machine what :
       {Machine::spur, Machine::ring, Machine::bevel, Machine::crossed, Machine::worm, Machine::rack, Machine::belt,
        Machine::chain, Machine::screw, Machine::cam, Machine::planetary, Machine::differential}) {
    window.actions()->find(QStringLiteral("machine %1").arg(static_cast<int>(what)))->trigger();
    settle();
    auto* card = find<QWidget>("machine card");
    ASSERT_NE(card, nullptr);
    EXPECT_EQ(card->findChild<QLabel*>("machine problem"), nullptr)
        << MachineCard::titleOf(what).toStdString() << ": "
        << card->findChild<QLabel*>("machine problem")->text().toStdString();
    EXPECT_FALSE(m().links.empty());
    EXPECT_TRUE(bench.solution().homeProblem().isEmpty()) << bench.solution().homeProblem().toStdString();
    ASSERT_TRUE(bench.solution().mobility());
    EXPECT_EQ(bench.solution().mobility()->left, what == Machine::differential ? 2 : 1)
        << MachineCard::titleOf(what).toStdString();
    QTest::keyClick(card, Qt::Key_Escape);
    settle();
    EXPECT_TRUE(m().links.empty()) << "taken back whole";
  }
}

TEST_F(QuickWays, ShaftAngleAndWormSizeAreTyped) {
  bench.selection().setStage(Stage::join);
  window.actions()->find(QStringLiteral("machine %1").arg(static_cast<int>(Machine::bevel)))->trigger();
  settle();
  type(QStringLiteral("shaft angle"), QStringLiteral("70 deg"));
  ASSERT_EQ(m().couplings.size(), 1u) << lastError.toStdString();
  EXPECT_NEAR(*model::shaftAngleOf(m(), m().joints[0]->id, m().joints[1]->id, bench.pose().poses()), 70 * kDegree,
              1e-9);
  EXPECT_EQ(find<QLineEdit>("shaft angle")->text().toStdString(), "70 deg");
  QTest::keyClick(find<QWidget>("machine card"), Qt::Key_Escape);
  window.actions()->find(QStringLiteral("machine %1").arg(static_cast<int>(Machine::worm)))->trigger();
  settle();
  type(QStringLiteral("quotient"), QStringLiteral("10"));
  // z = 1, q = 10: the lead angle is atan(1/10), the diameter m / sin of it
  EXPECT_NEAR(*model::evaluateField(m(), worm("lead angle"), dimension::kAngle), std::atan(0.1), 1e-9);
  type(QStringLiteral("worm diameter"), QStringLiteral("25 mm"));
  EXPECT_NEAR(*model::evaluateField(m(), worm("lead angle"), dimension::kAngle), std::asin(2.0 / 25), 1e-9);
}

TEST_F(QuickWays, ALinkOfOneBodyShowsItsFiguresAndIsNamedAsOne) {
  choose(QStringLiteral("start element"), QStringLiteral("Bar with two pivots"));
  bench.selection().select({m().links[0]->id});
  settle();
  type(QStringLiteral("length"), QStringLiteral("120 mm"));
  EXPECT_NEAR(bench.solution().resolved().links[0].bodies[0].figures[0], 0.12, 1e-12);
  type(QStringLiteral("name"), QStringLiteral("hoop lever"));
  EXPECT_EQ(m().links[0]->name, "hoop lever");
  EXPECT_EQ(m().links[0]->bodies[0]->name, "hoop lever");
  WindowTest::key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_NE(m().links[0]->bodies[0]->name, "hoop lever");
}

TEST_F(QuickWays, MissingFilesAreLocatedInOneStep) {
  const QDir there(folder.path());
  ASSERT_TRUE(there.mkpath(QStringLiteral("parts")) && there.mkpath(QStringLiteral("moved")));
  for (const char* name : {"hoop", "stave"}) {
    const auto disc = shape::elementShape(model::BodyKind::disc, {0.030, 0.010, 0.010});
    ASSERT_TRUE(disc.ok());
    ASSERT_TRUE(shape::writeStep({{*disc, name, {}, {}}}, name,
                                 there.filePath(QStringLiteral("parts/%1.step").arg(name)).toStdString())
                    .ok());
  }
  for (const char* name : {"hoop", "stave"}) {
    bench.importer().insertPart(there.filePath(QStringLiteral("parts/%1.step").arg(name)));
    settle();
  }
  ASSERT_EQ(m().links.size(), 2u) << "the part before is kept";
  const QString file = there.filePath(QStringLiteral("yard.coop"));
  ASSERT_TRUE(bench.document().save(file));
  for (const char* name : {"hoop", "stave"})
    ASSERT_TRUE(QFile::rename(there.filePath(QStringLiteral("parts/%1.step").arg(name)),
                              there.filePath(QStringLiteral("moved/%1.step").arg(name))));
  bench.document().newDocument();
  ASSERT_TRUE(window.openPath(file));
  settle();
  ASSERT_EQ(bench.importer().missingFiles().size(), 2);
  bench.importer().locate(bench.importer().missingFiles().front(), there.filePath(QStringLiteral("moved/hoop.step")));
  settle();
  EXPECT_TRUE(bench.importer().missingFiles().isEmpty());
  for (const auto& l : m().links) {
    EXPECT_EQ(l->bodies[0]->file.rfind("moved/", 0), 0u) << l->bodies[0]->file;
    EXPECT_TRUE(bench.shapes().solid(l->bodies[0]->id));
  }
  WindowTest::key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(m().links[0]->bodies[0]->file.rfind("parts/", 0), 0u) << "one step back takes both";
}

TEST_F(QuickWays, ASeatsDirectionIsChosenOrPicked) {
  openDemo();
  const auto upper = model::findByName(m().links, "upper toggle");
  const model::Id seat = model::findByName(upper->seats, "top")->id;
  bench.selection().select({seat});
  settle();
  const auto axis = [&] { return model::frameOf(m(), *model::findSeat(m(), seat)->seat)->R.col(2).eval(); };
  auto* box = find<QComboBox>("seat axis");
  ASSERT_NE(box, nullptr);
  EXPECT_EQ(box->currentText(), QStringLiteral("along \u2212y"));
  box->setCurrentIndex(2);
  emit box->activated(2);
  settle();
  EXPECT_NEAR((axis() - Vec3::UnitZ()).norm(), 0, 1e-12);
  WindowTest::key(Qt::Key_Z, Qt::ControlModifier);
  settle();
  EXPECT_NEAR((axis() + Vec3::UnitY()).norm(), 0, 1e-12);
  // the normal of a flat face of the frame that looks along x
  press(QStringLiteral("pick seat axis"));
  ASSERT_TRUE(window.maker()->isPicking());
  bool taken = false;
  for (int y = 60; y < window.scene()->height() - 60 && !taken; y += 5)
    for (int x = 10; x < window.scene()->width() - 10 && !taken; x += 5) {
      QTest::mouseMove(window.scene(), QPoint(x, y));
      QApplication::processEvents();
      const PickedPlace* p = window.scene()->picker().present();
      if (!p || std::abs(p->axis.normalized().x()) < 1 - 1e-9) continue;
      QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::NoModifier, QPoint(x, y));
      settle();
      taken = true;
    }
  ASSERT_TRUE(taken);
  const auto index = static_cast<std::size_t>(
      std::find(m().links.begin(), m().links.end(), model::findSeat(m(), seat)->link) - m().links.begin());
  EXPECT_NEAR(std::abs((bench.pose().poses()[index].R * axis()).x()), 1, 1e-6) << lastError.toStdString();
}

TEST_F(QuickWays, AFreedomIsPlayedWhileThePointerIsOverIt) {
  openDemo();
  ASSERT_TRUE(bench.document().apply(QStringLiteral("no drive"), model::removed(m(), {m().drives[0]->id})));
  settle();
  QTest::mouseClick(window.chip(), Qt::LeftButton);
  auto* left = find<QLabel>("left 1");
  ASSERT_NE(left, nullptr);
  const auto home = bench.pose().poses();
  QEnterEvent enter(QPointF(3, 3), QPointF(3, 3), QPointF(3, 3));
  QApplication::sendEvent(left, &enter);
  const auto moved = [&] {
    double most = 0;
    for (std::size_t l = 0; l < home.size(); ++l) most = std::max(most, (bench.pose().poses()[l].p - home[l].p).norm());
    return most;
  };
  for (int i = 0; i < 100 && moved() < 1e-3; ++i) QTest::qWait(10);
  EXPECT_GT(moved(), 1e-3) << "the mechanism moves";
  EXPECT_NEAR((bench.pose().poses()[0].p - home[0].p).norm(), 0, 1e-12) << "its frame doesn't";
  QEvent leave(QEvent::Leave);
  QApplication::sendEvent(left, &leave);
  EXPECT_NEAR(moved(), 0, 1e-12);
}

TEST_F(QuickWays, WhatIsWhollyInViewStaysSoWhenTheStripTakesRoom) {
  openDemo();
  bench.selection().setStage(Stage::shape);
  settle();
  window.scene()->fitAll();
  settle();
  ASSERT_TRUE(window.scene()->holdsAll());
  const int before = window.scene()->height();
  bench.selection().setStage(Stage::run);
  settle();
  for (int i = 0; i < 50 && !window.scene()->holdsAll(); ++i) QTest::qWait(20);
  EXPECT_LT(window.scene()->height(), before - 40);
  EXPECT_TRUE(window.scene()->holdsAll());
}

TEST_F(QuickWays, DirectionsOfViewStandInAMenuAtTheAxesWithTheirKeys) {
  auto* view = find<QToolButton>("viewmenu");
  ASSERT_TRUE(view && view->menu());
  ASSERT_EQ(view->menu()->actions().size(), 7);
  for (QAction* a : view->menu()->actions()) EXPECT_FALSE(a->shortcut().isEmpty()) << a->text().toStdString();
  openDemo();
  view->menu()->actions().back()->trigger();
  EXPECT_NEAR((window.scene()->eyeDirection() + Vec3::UnitZ()).norm(), 0, 1e-9) << "from below";
}

TEST_F(QuickWays, AShaftIsPutAboutAPickedAxis) {
  choose(QStringLiteral("start element"), QStringLiteral("Bar with two pivots"));
  settle();
  key(Qt::Key_2, Qt::AltModifier);
  window.actions()->find(QStringLiteral("shaft"))->trigger();
  ASSERT_TRUE(window.maker()->isPicking());
  pickBore(0, 0);
  ASSERT_EQ(m().links.size(), 2u) << lastError.toStdString();
  ASSERT_EQ(m().joints.size(), 1u);
  EXPECT_EQ(m().joints[0]->kind, model::JointKind::revolute);
  ASSERT_EQ(m().links[1]->bodies.size(), 1u);
  EXPECT_NEAR(bench.solution().resolved().links[1].bodies[0].figures[0], 0.004, 1e-12) << "as wide as the bore";
  EXPECT_NEAR((bench.pose().poses()[1].p - bench.pose().poses()[0].p).norm(), 0, 1e-9);
  WindowTest::key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(m().links.size(), 1u) << "one step";
}

TEST_F(QuickWays, AGapOfALoopIsClosedFromTheFreedoms) {
  choose(QStringLiteral("start element"), QStringLiteral("Bar with two pivots"));
  typeHere(QStringLiteral("106 mm"));
  for (const char* length : {"30 mm", "40 mm", "30 mm"}) {
    key(Qt::Key_Insert);
    typeHere(QLatin1String(length));
  }
  const double length[] = {0.106, 0.03, 0.04, 0.03};
  auto poses = bench.pose().poses();
  model::Mechanism linked = m();
  const std::pair<std::pair<int, double>, std::pair<int, double>> kPins[] = {
      {{0, 0}, {1, 0}}, {{1, length[1]}, {2, 0}}, {{2, length[2]}, {3, 0}}, {{0, length[0]}, {3, length[3]}}};
  for (const auto& [a, b] : kPins) {
    const auto place = [&](const std::pair<int, double>& at) {
      model::Place p;
      const auto l = static_cast<std::size_t>(at.first);
      p.link = linked.links[l]->id;
      p.at = poses[l] * Vec3(at.second, 0, 0);
      return p;
    };
    auto made = model::joined(linked, place(a), place(b), model::JointKind::revolute, false, poses);
    ASSERT_TRUE(made.ok());
    linked = made->first;
    const auto r = model::resolve(linked);
    ASSERT_TRUE(r.ok());
    for (std::size_t l = 0; l < poses.size(); ++l) poses[l] = r->links[l].placement;
  }
  ASSERT_TRUE(bench.document().apply(QStringLiteral("join"), Result<model::Mechanism>(linked)));
  bench.selection().setStage(Stage::join);
  settle();
  ASSERT_FALSE(bench.solution().homeProblem().isEmpty());
  QTest::mouseClick(window.chip(), Qt::LeftButton);
  auto* close = find<QPushButton>("close gap");
  ASSERT_NE(close, nullptr);
  EXPECT_EQ(close->text().toStdString(), "Close this gap (6.00 mm)");
  press(QStringLiteral("close gap"));
  settle();
  EXPECT_TRUE(bench.solution().homeProblem().isEmpty()) << bench.solution().homeProblem().toStdString();
  WindowTest::key(Qt::Key_Z, Qt::ControlModifier);
  settle();
  EXPECT_FALSE(bench.solution().homeProblem().isEmpty());
}

TEST_F(QuickWays, AGhostIsPutAtTheCursorAndTakenAway) {
  openDemo();
  bench.selection().setStage(Stage::run);
  settle();
  const auto before = m().runs[0]->ghostMarks.size();
  bench.selection().select({m().runs[0]->id});
  bench.runs().setCursor(0.5 * bench.runs().run()->result.travel.steps.back().t);
  settle();
  QPushButton* button = nullptr;
  for (auto* b : window.card()->findChildren<QPushButton*>())
    if (b->isVisible() && b->text() == QStringLiteral("Ghost at the cursor")) button = b;
  ASSERT_NE(button, nullptr);
  QTest::mouseClick(button, Qt::LeftButton);
  settle();
  ASSERT_EQ(m().runs[0]->ghostMarks.size(), before + 1);
  const QString name = QStringLiteral("ghost mark %1").arg(before + 1);
  ASSERT_NE(find<QLineEdit>(name), nullptr);
  auto* field = find<QLineEdit>(name);
  field->setFocus();
  field->selectAll();
  QTest::keyClick(field, Qt::Key_Delete);
  QTest::keyClick(field, Qt::Key_Return);
  settle();
  EXPECT_EQ(m().runs[0]->ghostMarks.size(), before);
}

TEST_F(QuickWays, JointsSeatsAndCurvesAreSelectedByAClickTwoWithCtrl) {
  openDemo();
  bench.selection().setStage(Stage::join);
  settle();
  window.scene()->picture();
  window.scene()->grab();
  const auto at = [&](const char* joint) {
    for (const auto& j : bench.solution().resolved().joints)
      if (j.name == joint)
        return window.scene()->project((bench.pose().poses()[static_cast<std::size_t>(j.linkA)] * j.seatA).p).toPoint();
    return QPoint();
  };
  QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::NoModifier, at("crank pin"));
  settle();
  EXPECT_EQ(bench.selection().ids(), (std::vector<model::Id>{model::findByName(m().joints, "crank pin")->id}));
  QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::ControlModifier, at("ram pin"));
  settle();
  EXPECT_EQ(bench.selection().ids().size(), 2u);
  // a curve of the machine with the cam
  ASSERT_TRUE(window.openPath(QStringLiteral(COOPERAGE_DEMO) + "/croze-cutter/croze-cutter.coop"));
  bench.selection().setStage(Stage::shape);
  settle();
  window.scene()->grab();
  const auto& curves = bench.solution().resolved().curveList;
  ASSERT_FALSE(curves.empty());
  bool chosen = false;
  for (const auto& c : curves)
    for (int i = 0; i < 24 && !chosen; ++i) {
      const double u = c.curve->low() + (c.curve->high() - c.curve->low()) * i / 24;
      const QPoint on =
          window.scene()
              ->project(bench.pose().poses()[static_cast<std::size_t>(c.link)] * c.seat * c.curve->at(u)[0])
              .toPoint();
      if (window.scene()->marks().objectAt(on) != c.id) continue;
      QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::NoModifier, on);
      settle();
      chosen = bench.selection().isSelected(c.id);
    }
  EXPECT_TRUE(chosen);
}

TEST_F(QuickWays, AStageIsHeldElsewhereEditedAndRenamed) {
  bench.selection().setStage(Stage::join);
  choose(QStringLiteral("machine elements"), QStringLiteral("Planetary stage"));
  EXPECT_TRUE(find<QLabel>("stage figures")->text().startsWith("Ratio 3.5, sun to carrier"));
  WindowTest::key(Qt::Key_Return);
  settle();
  const model::Id coupling = m().couplings[0]->id;
  bench.selection().select({coupling});
  settle();
  auto* held = find<QComboBox>("train held");
  ASSERT_NE(held, nullptr);
  EXPECT_EQ(held->currentText(), QStringLiteral("stage ring"));
  const int sun = held->findText(QStringLiteral("stage sun"));
  held->setCurrentIndex(sun);
  emit held->activated(sun);
  settle();
  EXPECT_TRUE(model::findByName(m().joints, "stage sun")->held);
  EXPECT_FALSE(model::findByName(m().joints, "stage ring")->held);
  press(QStringLiteral("ratio gauge stage carrier.turn"));
  ASSERT_EQ(m().gauges.size(), 1u) << lastError.toStdString();
  EXPECT_EQ(m().gauges[0]->kind, model::GaugeKind::velocityRatio);
  QPushButton* edit = nullptr;
  for (auto* b : window.card()->findChildren<QPushButton*>())
    if (b->isVisible() && b->text() == QStringLiteral("Edit the stage\u2026")) edit = b;
  ASSERT_NE(edit, nullptr);
  QTest::mouseClick(edit, Qt::LeftButton);
  settle();
  type(QStringLiteral("stage name"), QStringLiteral("head"));
  auto* planets = find<QSpinBox>("planets");
  ASSERT_NE(planets, nullptr);
  planets->setValue(2);
  settle();
  WindowTest::key(Qt::Key_Return);
  settle();
  EXPECT_TRUE(model::findByName(m().links, "head sun"));
  EXPECT_FALSE(model::findByName(m().links, "head planet 3"));
  EXPECT_TRUE(model::findByName(m().joints, "head sun")->held) << "as it was chosen before";
  EXPECT_EQ(m().gauges.size(), 1u) << "what hangs on it stays";
  EXPECT_TRUE(bench.solution().homeProblem().isEmpty()) << bench.solution().homeProblem().toStdString();
}

}  // namespace
}  // namespace cooperage::app
