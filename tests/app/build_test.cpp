// SPDX-License-Identifier: GPL-3.0-or-later
#include <QMenu>
#include <QToolButton>

#include "window_fixture.h"

namespace cooperage::app {
namespace {

/// From STEP files to a driven and checked mechanism with mouse and keys only, then all of it undone and redone.
TEST_F(WindowTest, ImportJoinDriveRunScrubCheckUndoRedoSaveOpen) {
  const QString parts = QStringLiteral(COOPERAGE_DEMO) + "/hoop-press/parts/";
  // Shape: two files, one grounded by key
  bench.importer().importFile(parts + "frame.step");
  settle();
  bench.importer().importFile(parts + "crank.step");
  settle();
  ASSERT_EQ(bench.document().mechanism()->links.size(), 2u) << lastError.toStdString();
  EXPECT_EQ(window.panel(Stage::shape)->list()->rows().front().title, QStringLiteral("No link is grounded"))
      << "said first of all";
  clickRow("frame");
  window.scene()->setFocus();
  key(Qt::Key_G);
  EXPECT_TRUE(bench.document().mechanism()->links[0]->ground);
  EXPECT_NE(window.panel(Stage::shape)->list()->rows().front().title, QStringLiteral("No link is grounded"));
  // the crank stands aside, placed by figures in its card
  clickRow("crank");
  type("At x", "420");
  type("At z", "11.811 in");
  EXPECT_NEAR(bench.pose().poses()[1].p.x(), 0.42, 1e-12);
  EXPECT_NEAR(bench.pose().poses()[1].p.z(), 0.3, 1e-6);
  window.scene()->fitAll();
  QApplication::processEvents();

  // Join: bearing and shaft, brought together by two clicks
  key(Qt::Key_2, Qt::AltModifier);
  ASSERT_EQ(bench.selection().stage(), Stage::join);
  press("bring together");
  press("make revolute");
  ASSERT_TRUE(window.joinPanel()->isMaking());
  const QPoint first = pixelOffering(linkId("frame"), Vec3(0.175, 0.030, 0.452));
  QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::NoModifier, first);
  EXPECT_THAT(window.statusText().toStdString(), testing::HasSubstr("second link"));
  const QPoint second = pixelOffering(linkId("crank"), Vec3(0.42, 0.010, bench.pose().poses()[1].p.z()));
  QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::NoModifier, second);
  settle();
  confirmCard();
  ASSERT_EQ(bench.document().mechanism()->joints.size(), 1u) << lastError.toStdString();
  EXPECT_NEAR(bench.pose().poses()[1].p.x(), 0.175, 1e-9) << "the crank came to the bearing";
  EXPECT_NEAR(bench.pose().poses()[1].p.z(), 0.452, 1e-9);
  EXPECT_THAT(window.chip()->text().toStdString(), testing::HasSubstr("<b>1</b> freedom"));
  key(Qt::Key_Escape);
  EXPECT_FALSE(window.joinPanel()->isMaking());
  // both rims faced one another; an offset brings the disc clear of the bracket, with its own unit
  const std::string joint = bench.document().mechanism()->joints[0]->name;
  clickRow(QString::fromStdString(joint));
  type("Offset along", "1/4 in");
  EXPECT_TRUE(lastError.isEmpty()) << lastError.toStdString();

  // an obstacle without a file, in the way of the crank pin
  window.actions()->find("add box")->trigger();
  settle();
  const double side = bench.pose().poses()[1].R(1, 1);  // which way the crank's own y looks
  clickRow("box");
  type("At x", "175");
  type("At y", QString::number((bench.pose().poses()[1].p.y() + side * -0.009) * 1e3 - side * 15, 'g', 10));
  type("At z", "486");
  window.scene()->setFocus();
  key(Qt::Key_G);

  // Drive and run
  key(Qt::Key_3, Qt::AltModifier);
  clickRow(QString::fromStdString(joint));
  press("steady");
  ASSERT_EQ(bench.document().mechanism()->drives.size(), 1u) << lastError.toStdString();
  key(Qt::Key_4, Qt::AltModifier);
  clickRow(QString::fromStdString(joint));
  for (QAction* a : find<QPushButton>("gauge")->menu()->actions())
    if (a->text() == "Motion of the chosen joints: values, rates, accelerations") a->trigger();
  settle();
  EXPECT_EQ(bench.document().mechanism()->gauges.size(), 3u);
  window.scene()->setFocus();
  key(Qt::Key_F5);
  settle();
  ASSERT_NE(bench.runs().run(), nullptr) << lastError.toStdString();
  EXPECT_TRUE(bench.runs().run()->result.travel.completed);

  // scrub: a click in the middle of the strip stands at half of the travel
  Lanes* lanes = window.strip()->lanes();
  const double half = 0.5 * (bench.runs().run()->result.axis.front() + bench.runs().run()->result.axis.back());
  const Vec3 before = bench.pose().poses()[1] * Vec3(0.034, 0, 0);
  QTest::mouseClick(lanes, Qt::LeftButton, Qt::NoModifier,
                    QPoint(static_cast<int>(lanes->xOf(half)), lanes->height() / 3));
  EXPECT_NEAR(bench.runs().cursor(), 1.0, 0.01);
  key(Qt::Key_Home);
  EXPECT_EQ(bench.runs().cursor(), 0);
  QTest::mouseClick(lanes, Qt::LeftButton, Qt::NoModifier,
                    QPoint(static_cast<int>(lanes->xOf(0.5 * half)), lanes->height() / 3));
  EXPECT_GT((bench.pose().poses()[1] * Vec3(0.034, 0, 0) - before).norm(), 0.03) << "the picture follows the cursor";

  // Check: the obstacle is found, listed, and a click goes there
  key(Qt::Key_F6);
  settle();
  ASSERT_NE(bench.checks().check(), nullptr) << lastError.toStdString();
  bool found = false;
  for (const auto& r : window.panel(Stage::check)->list()->rows())
    if (r.index >= 0 && r.title.contains("crank") && r.title.contains("box")) {
      found = true;
      EXPECT_EQ(r.tag, QStringLiteral("overlap"));
      clickRow(r.title);
      break;
    }
  ASSERT_TRUE(found);
  ASSERT_GE(bench.selection().chosenInterference(), 0);
  const auto& chosen =
      bench.checks().check()->result.interference[static_cast<std::size_t>(bench.selection().chosenInterference())];
  EXPECT_NEAR(bench.runs().cursor(), chosen.deepest.time, 1e-12);
  EXPECT_GT(chosen.deepest.depth, 1e-3);

  // undo to empty, redo to the end: the same document to the byte; saved and opened again as well
  const std::string finished = document();
  int steps = 0;
  while (bench.document().undoStack()->canUndo()) {
    key(Qt::Key_Z, Qt::ControlModifier);
    ASSERT_LT(++steps, 100);
  }
  EXPECT_TRUE(bench.document().mechanism()->links.empty());
  while (bench.document().undoStack()->canRedo()) key(Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
  settle();
  EXPECT_EQ(document(), finished);
  const QString path = folder.filePath("built.coop");
  ASSERT_TRUE(bench.document().save(path));
  const std::string saved = document();
  bench.document().newDocument();
  EXPECT_TRUE(bench.document().mechanism()->links.empty());
  ASSERT_TRUE(window.openPath(path)) << lastError.toStdString();
  settle();
  EXPECT_EQ(document(), saved);
  EXPECT_TRUE(Document::recentFiles().contains(path));
  EXPECT_TRUE(bench.shapes().problem(bench.document().mechanism()->links[0]->bodies[0]->id).isEmpty())
      << "geometry is found from the new folder";
}

TEST_F(WindowTest, KeepInPlaceStatesTheMotionAndMovesNothing) {
  openDemo();
  // without its bearing the crank is loose; joining it again in place gives the same freedom back
  bench.document().apply("cut",
                         model::removed(*bench.document().mechanism(),
                                        {model::findByName(bench.document().mechanism()->joints, "main bearing")->id}));
  bench.selection().setStage(Stage::join);
  window.actions()->find("view back")->trigger();
  QApplication::processEvents();
  const auto before = bench.pose().poses();
  press("keep in place");
  press("make revolute");
  const auto crank = linkId("crank"), frame = linkId("frame");
  QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::NoModifier, pixelOffering(crank, Vec3(0.175, 0.084, 0.452)));
  QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::NoModifier, pixelOffering(frame, Vec3(0.175, 0.070, 0.452)));
  settle();
  confirmCard();
  ASSERT_EQ(bench.document().mechanism()->joints.size(), 7u) << lastError.toStdString();
  for (std::size_t i = 0; i < before.size(); ++i)
    EXPECT_NEAR((before[i].p - bench.pose().poses()[i].p).norm(), 0, 1e-9);
  EXPECT_EQ(bench.solution().mobility()->freedoms, 1);
}

TEST_F(WindowTest, SeveralSolidsArePutTogetherAndTakenApartAgain) {
  bench.importer().importFile(QStringLiteral(COOPERAGE_DEMO) + "/hoop-press/parts/cask.step");
  settle();
  ASSERT_EQ(bench.document().mechanism()->links.size(), 5u);
  std::vector<model::Id> all;
  for (const auto& l : bench.document().mechanism()->links) all.push_back(l->id);
  bench.selection().select(all);
  settle();
  for (auto* b : window.findChildren<QPushButton*>())
    if (b->isVisible() && b->text() == "Merge to one link") {
      QTest::mouseClick(b, Qt::LeftButton);
      break;
    }
  settle();
  ASSERT_EQ(bench.document().mechanism()->links.size(), 1u);
  EXPECT_EQ(bench.document().mechanism()->links[0]->bodies.size(), 5u);
  clickRow("chime hoop");
  for (auto* b : window.findChildren<QPushButton*>())
    if (b->isVisible() && b->text() == "Separate from the link") {
      QTest::mouseClick(b, Qt::LeftButton);
      break;
    }
  settle();
  EXPECT_EQ(bench.document().mechanism()->links.size(), 2u);
}

}  // namespace
}  // namespace cooperage::app
