// SPDX-License-Identifier: GPL-3.0-or-later
// Stage Check as a user works in it: the list, the bars, contacts by key, gaps as dimensions, poses by hand, the free
// range, envelopes.
#include <QLineEdit>
#include <QToolButton>

#include "check_fixture.h"

namespace cooperage::app {
namespace {

using namespace cooperage::model;

class Checking : public CheckFixture {};

TEST_F(Checking, TheDrumIsProvenFreeAndItsGapsAreListed) {
  openDrum();
  EXPECT_TRUE(session.check()->result.interference.empty());
  EXPECT_TRUE(lists("proven free, between the steps too")) << ledger().join('\n').toStdString();
  EXPECT_TRUE(lists("shaft clears the wall"));
  EXPECT_TRUE(lists("least gap"));
  for (const auto& r : session.check()->result.requirements) EXPECT_TRUE(r.met) << r.name;
}

TEST_F(Checking, AGapOfTheListIsShownAsADimensionAtItsPose) {
  openDrum();
  const auto& least = session.check()->result.clearances;
  const auto at = std::find_if(least.begin(), least.end(), [](const auto& c) { return c.least > 1e-4; });
  ASSERT_NE(at, least.end());
  session.choosePair(at->linkA, at->linkB);
  QApplication::processEvents();
  EXPECT_NEAR(session.cursor(), at->time, 1e-9);
  const auto shown = session.witnesses();
  ASSERT_EQ(shown.size(), 1u);
  EXPECT_NEAR(shown[0].distance, at->least, 1e-6);
  EXPECT_NEAR((shown[0].a - shown[0].b).norm(), shown[0].distance, 1e-9);
}

TEST_F(Checking, ContactsAreSteppedThroughByKeyAndOnlyWhatChangedIsCheckedAgain) {
  openDrum();
  closeTheWall();
  key(Qt::Key_F6);
  rest();
  ASSERT_FALSE(session.check()->result.interference.empty());
  EXPECT_TRUE(lists("|overlap"));
  key(Qt::Key_F7);
  EXPECT_EQ(session.chosenInterference(), 0);
  EXPECT_NEAR(session.cursor(), session.check()->result.interference[0].deepest.time, 1e-9);
  const int n = static_cast<int>(session.check()->result.interference.size());
  key(Qt::Key_F7, Qt::ShiftModifier);
  EXPECT_EQ(session.chosenInterference(), n - 1);
  session.undoStack()->undo();
  rest();
  key(Qt::Key_F6);
  rest();
  EXPECT_TRUE(session.check()->result.interference.empty());
}

TEST_F(Checking, ThePoseThatIsShownIsLookedThrough) {
  openDrum();
  key(Qt::Key_X);
  rest();
  EXPECT_TRUE(session.poseOverlaps().empty());
  closeTheWall();
  session.setStage(Stage::check);
  key(Qt::Key_X);
  rest();
  ASSERT_FALSE(session.poseOverlaps().empty());
  EXPECT_GT(session.poseOverlaps()[0].depth, 0);
  EXPECT_FALSE(session.poseOverlaps()[0].region.empty());
  EXPECT_TRUE(lists("in this pose"));
  session.setCursor(1.0);
  EXPECT_TRUE(session.poseOverlaps().empty()) << "another pose, another answer";
}

TEST_F(Checking, ARunThatStopsAtContactEndsThereInTheCardAndOnTheStrip) {
  openDrum();
  closeTheWall();
  const Id run = session.mechanism()->runs.front()->id;
  const auto next =
      changed<model::Run>(*session.mechanism(), &Mechanism::runs, run, [](model::Run& r) { r.stopAtContact = true; });
  ASSERT_TRUE(session.apply("Stop at contact", next));
  session.startRun();
  rest();
  ASSERT_TRUE(session.run()->result.travel.ended.has_value());
  EXPECT_EQ(session.run()->result.travel.ended->kind, "contact");
  EXPECT_FALSE(session.run()->result.travel.completed);
}

TEST_F(Checking, TheFreeRangeOfADriveIsFoundAndTakenAsStops) {
  ASSERT_TRUE(window.openPath(QStringLiteral(COOPERAGE_DEMO) + "/stave-lifter/stave-lifter.coop"));
  rest();
  session.setStage(Stage::check);
  const auto drive = session.mechanism()->drives.front();
  session.findFreeRange(drive->id);
  rest();
  ASSERT_TRUE(session.freeRange().has_value());
  EXPECT_EQ(session.freeRangeDrive(), drive->id);
  EXPECT_LT(session.freeRange()->low.value, session.freeRange()->home);
  EXPECT_GT(session.freeRange()->high.value, session.freeRange()->home);
  EXPECT_TRUE(lists("free range of"));
  const int steps = session.undoStack()->index();
  session.takeFreeRangeAsStops();
  rest();
  EXPECT_LE(session.undoStack()->index(), steps + 1);
  EXPECT_EQ(session.freeRangeDrive(), 0u) << "of the document before";
}

TEST_F(Checking, AnEnvelopeSaysWhatIsLeftToTheOtherLinks) {
  openDrum();
  session.select({linkId("intermediate shaft")});
  auto* accuracy = window.findChild<QLineEdit*>(QStringLiteral("envelope accuracy"));
  ASSERT_NE(accuracy, nullptr);
  accuracy->setText(QStringLiteral("1 mm"));
  auto* clearance = window.findChild<QLineEdit*>(QStringLiteral("clearance"));
  clearance->setText(QStringLiteral("0 mm"));
  window.findChild<CheckPanel*>()->sweepSelected();
  rest();
  ASSERT_NE(session.envelope(), nullptr);
  const auto& e = *session.envelope();
  EXPECT_LE(e.envelope.low, e.envelope.volume);
  EXPECT_GE(e.envelope.high, e.envelope.volume);
  ASSERT_FALSE(e.gaps.empty());
  EXPECT_TRUE(lists("swept by intermediate shaft"));
  // the shaft itself keeps the same distance to the wall, true to the envelope's surface
  const auto casing = std::find_if(e.gaps.begin(), e.gaps.end(), [](const auto& g) { return g.link == 0; });
  ASSERT_NE(casing, e.gaps.end());
  double least = 1e9;
  for (const auto& c : session.check()->result.clearances)
    if (c.linkA == 0 && c.linkB == 2) least = c.least;
  EXPECT_NEAR(casing->least, least, 1.5e-3);
}

}  // namespace
}  // namespace cooperage::app
