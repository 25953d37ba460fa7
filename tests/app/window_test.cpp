// SPDX-License-Identifier: GPL-3.0-or-later
#include <QComboBox>
#include <QFile>
#include <QListWidget>

#include "window_fixture.h"

namespace cooperage::app {
namespace {

using testing::HasSubstr;
using testing::Not;

TEST_F(WindowTest, TheDemoOpensWithItsPartsAndFreedoms) {
  openDemo();
  EXPECT_THAT(window.chip()->text().toStdString(),
              testing::AllOf(HasSubstr("<b>1</b> freedom"), HasSubstr("determined"), Not(HasSubstr("redundant"))))
      << "of a planar mechanism the freedoms are those of its plane";
  EXPECT_EQ(bench.document().mechanism()->links.size(), 8u);
  for (const auto& l : bench.document().mechanism()->links)
    for (const auto& b : l->bodies) EXPECT_NE(bench.shapes().solid(b->id), nullptr) << b->name;
  // the parts are really drawn: many pixels differ from the background on the scene's middle row
  const QImage picture = window.scene()->picture();
  int different = 0;
  for (int x = 0; x < picture.width(); ++x)
    if (picture.pixel(x, picture.height() / 2) != picture.pixel(1, picture.height() / 2)) ++different;
  EXPECT_GT(different, picture.width() / 10);
}

TEST_F(WindowTest, DamagedAndImpossibleFilesLeaveTheDocumentAsItWas) {
  openDemo();
  const std::string before = document();
  const std::pair<const char*, const char*> bad[] = {
      {"", "empty"},
      {"{\"format\":", "JSON"},
      {R"({"format":"cooperage","version":1,"parameters":[{"name":"a","value":"a"}]})", "circle"},
      {R"({"format":"cooperage","version":1,"links":[{"name":"l","seats":[{"name":"s","axis":[0,0,0]}]}]})",
       "axis is zero"}};
  for (const auto& [text, says] : bad) {
    QFile f(folder.filePath("bad.coop"));
    ASSERT_TRUE(f.open(QIODevice::WriteOnly));
    f.write(text);
    f.close();
    EXPECT_FALSE(window.openPath(f.fileName()));
    EXPECT_THAT(window.statusText().toStdString(), HasSubstr(says));
    EXPECT_EQ(document(), before);
  }
  QFile step(folder.filePath("cut.step"));
  ASSERT_TRUE(step.open(QIODevice::WriteOnly));
  step.write("ISO-10303-21;\nHEADER;\n");
  step.close();
  bench.importer().importFile(step.fileName());
  settle();
  EXPECT_THAT(window.statusText().toStdString(), HasSubstr("cut off"));
  EXPECT_EQ(document(), before);
}

TEST_F(WindowTest, ALinkIsDraggedWithAllJointsKeptAndReturnsHome) {
  openDemo();
  window.actions()->find("view front")->trigger();
  QApplication::processEvents();
  const auto home = bench.pose().poses();
  const std::size_t ram = 5;
  ASSERT_EQ(bench.solution().resolved().links[ram].name, "ram");
  // a place on the ram's plate where only the plate is: left of the middle, in front of the post
  const QPoint from = window.scene()->project(home[ram] * Vec3(-0.06, -0.028, -0.032)).toPoint();
  ASSERT_EQ(model::findBody(*bench.document().mechanism(), window.scene()->bodyAt(from))->link->name, "ram");
  QTest::mousePress(window.scene(), Qt::LeftButton, Qt::NoModifier, from);
  for (int i = 1; i <= 10; ++i) QTest::mouseMove(window.scene(), from + QPoint(0, 2 * i));
  QTest::mouseRelease(window.scene(), Qt::LeftButton, Qt::NoModifier, from + QPoint(0, 20));
  EXPECT_LT(bench.pose().poses()[ram].p.z(), home[ram].p.z() - 0.005);
  EXPECT_NEAR(bench.pose().poses()[ram].p.x(), home[ram].p.x(), 1e-9) << "the guide holds it";
  EXPECT_GT((bench.pose().poses()[1].R - home[1].R).norm(), 0.05) << "the crank turned with it";
  EXPECT_TRUE(bench.pose().isByHand());
  EXPECT_FALSE(bench.document().undoStack()->canUndo()) << "a pose by hand is no change of the document";
  EXPECT_THAT(window.chip()->text().toStdString(), HasSubstr("moved by hand"));
  window.scene()->setFocus();
  key(Qt::Key_H);
  EXPECT_NEAR((bench.pose().poses()[ram].p - home[ram].p).norm(), 0, 1e-12);
}

TEST_F(WindowTest, ATakenHomePoseIsOneUndoStep) {
  openDemo();
  const auto home = bench.pose().poses();
  ASSERT_TRUE(bench.pose().beginDrag(linkId("ram"), home[5].p));
  bench.pose().dragTo(home[5].p - Vec3(0, 0, 0.02));
  bench.pose().endDrag(true);
  const Vec3 there = bench.pose().poses()[5].p;
  window.actions()->find("take home")->trigger();
  EXPECT_TRUE(bench.pose().isAtHome());
  EXPECT_NEAR((bench.pose().poses()[5].p - there).norm(), 0, 1e-8);
  key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_NEAR((bench.pose().poses()[5].p - home[5].p).norm(), 0, 1e-12);
}

TEST_F(WindowTest, NumberFieldsShowTheErrorInPlaceAndKeepTheLastGoodValue) {
  openDemo();
  settle();
  const std::string before = document();
  auto* edit = find<QLineEdit>("parameter guard_gap");
  ASSERT_NE(edit, nullptr);
  edit->setFocus();
  edit->selectAll();
  QTest::keyClicks(edit, "27 deg + 1 mm");
  EXPECT_TRUE(edit->property("wrong").toBool());
  QTest::keyClick(edit, Qt::Key_Return);
  EXPECT_EQ(document(), before);
  edit->selectAll();
  QTest::keyClicks(edit, "1 in + 1.6 mm");
  EXPECT_FALSE(edit->property("wrong").toBool());
  QTest::keyClick(edit, Qt::Key_Return);
  settle();
  EXPECT_NEAR(bench.solution().resolved().links[6].placement.p.z(), 0.452 + 0.027, 1e-12);
}

TEST_F(WindowTest, OtherUnitsKeepEverySize) {
  openDemo();
  const auto before = bench.pose().poses();
  auto* units = find<QComboBox>("unit Lengths");
  ASSERT_NE(units, nullptr);
  units->setFocus();
  units->setCurrentText("in");
  emit units->textActivated("in");
  settle();
  EXPECT_EQ(bench.document().mechanism()->units.length, "in");
  for (std::size_t i = 0; i < before.size(); ++i)
    EXPECT_NEAR((before[i].p - bench.pose().poses()[i].p).norm(), 0, 1e-9);
}

TEST_F(WindowTest, TheCheckShowsTheGuardAndTheParameterClearsIt) {
  openDemo();
  window.scene()->setFocus();
  key(Qt::Key_F6);
  EXPECT_TRUE(bench.jobs().busy()) << "it runs beside the window";
  settle();
  ASSERT_NE(row("rod \u2013 guard"), nullptr);
  EXPECT_EQ(row("stroke of the ram")->tag, "met");
  // a click on the bar of the strip goes to the deepest pose
  Lanes* lanes = window.strip()->lanes();
  const QRectF bar = lanes->barRect(0);
  ASSERT_TRUE(bar.isValid());
  QTest::mouseClick(lanes, Qt::LeftButton, Qt::NoModifier, bar.center().toPoint());
  settle();
  EXPECT_EQ(bench.selection().chosenInterference(), 0);
  EXPECT_NEAR(bench.runs().cursor(), bench.checks().check()->result.interference[0].deepest.time, 1e-12);
  type("parameter guard_gap", "27 mm");
  EXPECT_TRUE(bench.checks().isCheckStale());
  EXPECT_EQ(row("rod \u2013 guard")->tag, "out of date") << "what is out of date is not shown as true";
  window.scene()->setFocus();
  key(Qt::Key_F6);
  settle();
  EXPECT_TRUE(bench.checks().check()->result.interference.empty());
  // of the cask's round staves there is only the mesher's word
  EXPECT_THAT(window.statusText().toStdString(), HasSubstr("No overlap was found; not all of it is proven"));
}

TEST_F(WindowTest, AJobIsCancelledByItsButton) {
  openDemo();
  bench.selection().setStage(Stage::check);
  press("check");
  ASSERT_TRUE(waitFor([this] { return bench.jobs().busy(); }));
  press("cancel");
  settle();
  EXPECT_EQ(bench.checks().check(), nullptr);
  EXPECT_THAT(window.statusText().toStdString(), testing::ContainsRegex("[Cc]ancelled"));
}

TEST_F(WindowTest, PlayScrubLoopAndTypedPlacesKeepCursorAndSceneInStep) {
  openDemo();
  window.scene()->setFocus();
  key(Qt::Key_F5);
  settle();
  ASSERT_NE(bench.runs().run(), nullptr);
  type("position", "90");
  EXPECT_NEAR(bench.runs().run()->travel->axisAt(bench.runs().cursor()), kPi / 2, 1e-12);
  const Vec3 pin = bench.pose().poses()[1] * Vec3(0.034, 0, 0);
  EXPECT_NEAR(pin.z(), 0.452 + 0.034, 1e-12) << "a quarter turn: the pin stands on top";
  window.scene()->setFocus();
  key(Qt::Key_Right, Qt::ControlModifier);
  EXPECT_NEAR(bench.runs().run()->travel->axisAt(bench.runs().cursor()), 91 * kPi / 180, 1e-9);
  key(Qt::Key_Space);
  EXPECT_TRUE(window.strip()->isPlaying());
  const double from = bench.runs().cursor();
  ASSERT_TRUE(waitFor([&] { return bench.runs().cursor() > from + 0.05; }, 5000));
  window.scene()->orbit(QPoint(30, 10));  // the view turns while it plays
  key(Qt::Key_Space);
  EXPECT_FALSE(window.strip()->isPlaying());
  key(Qt::Key_End);
  EXPECT_NEAR(bench.runs().cursor(), 2, 1e-12);
  key(Qt::Key_Home);
  EXPECT_EQ(bench.runs().cursor(), 0);
}

TEST_F(WindowTest, SelectionGoesBothWaysBetweenListAndScene) {
  openDemo();
  bench.selection().setStage(Stage::shape);
  window.actions()->find("view front")->trigger();
  QApplication::processEvents();
  const QPoint cask = window.scene()->project(Vec3(0, -0.085, 0.13)).toPoint();
  QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::NoModifier, cask);
  EXPECT_TRUE(bench.selection().isSelected(linkId("cask")));
  const auto chosen = window.panel(Stage::shape)->list()->chosen();
  ASSERT_EQ(chosen.size(), 1u);
  EXPECT_EQ(chosen[0]->title, "cask");
  clickRow("crank");
  EXPECT_TRUE(bench.selection().isSelected(linkId("crank")));
  // several at once, hidden and shown again
  clickRow("guard", Qt::ControlModifier);
  EXPECT_EQ(bench.selection().ids().size(), 2u);
  press("hide");
  EXPECT_TRUE(model::findByName(bench.document().mechanism()->links, "guard")->hidden);
  EXPECT_NE(window.scene()->bodyAt(window.scene()->project(Vec3(0.103, -0.014, 0.53))),
            model::findByName(bench.document().mechanism()->links, "guard")->bodies[0]->id);
  key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_FALSE(model::findByName(bench.document().mechanism()->links, "guard")->hidden);
}

TEST_F(WindowTest, AnEnvelopeIsSweptShownAndMarkedWhenOutOfDate) {
  openDemo();
  bench.selection().setStage(Stage::check);
  clickRow("ram");
  press("sweep");  // as it stands, and its form opens
  settle();
  auto* clearance = find<QLineEdit>("clearance");
  clearance->setText("1 mm");
  press("sweep");
  settle();
  ASSERT_NE(bench.checks().envelope(), nullptr) << lastError.toStdString();
  EXPECT_GT(bench.checks().envelope()->envelope.volume, 1e-4);
  ASSERT_NE(row("swept by ram"), nullptr);
  EXPECT_TRUE(row("swept by ram")->tag.isEmpty());
  bench.selection().select({});
  settle();
  type("parameter guard_gap", "27 mm");
  EXPECT_EQ(row("swept by ram")->tag, "out of date");
}

TEST_F(WindowTest, TablesAndPicturesAreHandedOver) {
  openDemo();
  window.scene()->setFocus();
  key(Qt::Key_F5);
  settle();
  bench.selection().setStage(Stage::handOver);
  auto* hand = qobject_cast<HandOverPanel*>(window.panel(Stage::handOver));
  ASSERT_TRUE(hand->saveTableTo(folder.filePath("t.csv")));
  QFile table(folder.filePath("t.csv"));
  ASSERT_TRUE(table.open(QIODevice::ReadOnly));
  EXPECT_TRUE(table.readLine().startsWith("t [s],main bearing.turn [deg]"));
  int lines = 0;
  while (!table.readLine().isEmpty()) ++lines;
  EXPECT_EQ(lines, 361);
  ASSERT_TRUE(hand->savePictureTo(folder.filePath("p.png")));
  EXPECT_FALSE(QImage(folder.filePath("p.png")).isNull());
  EXPECT_FALSE(hand->saveTableTo(folder.filePath("none/t.csv")));
}

TEST_F(WindowTest, UnsavedChangesAreAskedAbout) {
  openDemo();
  bench.selection().setStage(Stage::shape);
  window.actions()->find("add box")->trigger();
  ASSERT_TRUE(bench.document().isChanged());
  const auto answer = [](QMessageBox::StandardButton button) {
    QTimer::singleShot(50, [button] {
      for (QWidget* w : QApplication::topLevelWidgets())
        if (auto* box = qobject_cast<QMessageBox*>(w)) QTest::mouseClick(box->button(button), Qt::LeftButton);
    });
  };
  answer(QMessageBox::Cancel);
  EXPECT_FALSE(window.mayLoseChanges());
  answer(QMessageBox::Discard);
  EXPECT_TRUE(window.mayLoseChanges());
  answer(QMessageBox::Cancel);
  EXPECT_FALSE(window.close()) << "closing asks too";
  EXPECT_TRUE(window.isVisible());
}

TEST_F(WindowTest, WhatWasEditedComesBackAfterACrash) {
  openDemo();
  bench.selection().setStage(Stage::shape);
  window.actions()->find("add sphere")->trigger();
  settle();
  bench.document().autosave();
  ASSERT_TRUE(Document::hasAutosave());
  Workbench after;  // a new start
  ASSERT_TRUE(after.document().recover());
  EXPECT_TRUE(waitFor([&] { return !after.shapes().isLoading(); }));
  EXPECT_EQ(after.document().mechanism()->links.size(), 9u);
  EXPECT_EQ(after.document().path(), bench.document().path());
  EXPECT_TRUE(after.document().isChanged());
  EXPECT_TRUE(after.shapes().problem(after.document().mechanism()->links[0]->bodies[0]->id).isEmpty())
      << "geometry is found again";
  Document::dropAutosave();
}

TEST_F(WindowTest, CommandsAndObjectsAreFoundByName) {
  openDemo();
  key(Qt::Key_K, Qt::ControlModifier);
  auto* text = find<QLineEdit>("search text");
  ASSERT_NE(text, nullptr);
  QTest::keyClicks(text, "guard_gap");
  QTest::keyClick(text, Qt::Key_Return);
  settle();
  ASSERT_EQ(bench.selection().ids().size(), 1u);
  EXPECT_EQ(model::nameOf(*bench.document().mechanism(), {bench.selection().ids()[0], ""}, false), "guard_gap");
  key(Qt::Key_K, Qt::ControlModifier);
  QTest::keyClicks(find<QLineEdit>("search text"), "stage drive");
  QTest::keyClick(find<QLineEdit>("search text"), Qt::Key_Return);
  EXPECT_EQ(bench.selection().stage(), Stage::drive);
}

TEST_F(WindowTest, RenameDeleteAndJointEditsAreSingleUndoSteps) {
  openDemo();
  const std::string before = document();
  bench.selection().setStage(Stage::join);
  clickRow("knuckle");
  type("name", "knee");
  EXPECT_NE(model::findByName(bench.document().mechanism()->joints, "knee"), nullptr);
  auto* kind = find<QComboBox>("kind");
  ASSERT_NE(kind, nullptr);
  kind->setCurrentText("spherical");
  emit kind->textActivated("spherical");
  settle();
  EXPECT_EQ(bench.solution().mobility()->freedoms, 1);
  EXPECT_EQ(bench.solution().mobility()->redundant, 4);
  window.scene()->setFocus();
  key(Qt::Key_Delete);
  settle();
  EXPECT_EQ(bench.document().mechanism()->joints.size(), 6u);
  for (int i = 0; i < 3; ++i) key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(document(), before);
}

}  // namespace
}  // namespace cooperage::app
