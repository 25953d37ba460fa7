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
  EXPECT_TRUE(bench.checks().check()->result.interference.empty());
  EXPECT_TRUE(lists("proven free, between the steps too")) << ledger().join('\n').toStdString();
  EXPECT_TRUE(lists("shaft clears the wall"));
  EXPECT_TRUE(lists("least gap"));
  for (const auto& r : bench.checks().check()->result.requirements) EXPECT_TRUE(r.met) << r.name;
}

TEST_F(Checking, AGapOfTheListIsShownAsADimensionAtItsPose) {
  openDrum();
  const auto& least = bench.checks().check()->result.clearances;
  const auto at = std::find_if(least.begin(), least.end(), [](const auto& c) { return c.least > 1e-4; });
  ASSERT_NE(at, least.end());
  bench.checks().choosePair(at->linkA, at->linkB);
  QApplication::processEvents();
  EXPECT_NEAR(bench.runs().cursor(), at->time, 1e-9);
  const auto shown = bench.checks().witnesses();
  ASSERT_EQ(shown.size(), 1u);
  EXPECT_NEAR(shown[0].distance, at->least, 1e-6);
  EXPECT_NEAR((shown[0].a - shown[0].b).norm(), shown[0].distance, 1e-9);
}

TEST_F(Checking, ContactsAreSteppedThroughByKeyAndOnlyWhatChangedIsCheckedAgain) {
  openDrum();
  closeTheWall();
  key(Qt::Key_F6);
  rest();
  ASSERT_FALSE(bench.checks().check()->result.interference.empty());
  EXPECT_TRUE(lists("|overlap"));
  key(Qt::Key_F7);
  EXPECT_EQ(bench.selection().chosenInterference(), 0);
  EXPECT_NEAR(bench.runs().cursor(), bench.checks().check()->result.interference[0].deepest.time, 1e-9);
  const int n = static_cast<int>(bench.checks().check()->result.interference.size());
  key(Qt::Key_F7, Qt::ShiftModifier);
  EXPECT_EQ(bench.selection().chosenInterference(), n - 1);
  bench.document().undoStack()->undo();
  rest();
  key(Qt::Key_F6);
  rest();
  EXPECT_TRUE(bench.checks().check()->result.interference.empty());
}

TEST_F(Checking, ThePoseThatIsShownIsLookedThrough) {
  openDrum();
  key(Qt::Key_X);
  rest();
  EXPECT_TRUE(bench.checks().poseOverlaps().empty());
  closeTheWall();
  bench.selection().setStage(Stage::check);
  key(Qt::Key_X);
  rest();
  ASSERT_FALSE(bench.checks().poseOverlaps().empty());
  EXPECT_GT(bench.checks().poseOverlaps()[0].depth, 0);
  EXPECT_FALSE(bench.checks().poseOverlaps()[0].region.empty());
  EXPECT_TRUE(lists("in this pose"));
  key(Qt::Key_F5);
  rest();
  bench.runs().setCursor(1.0);
  EXPECT_TRUE(bench.checks().poseOverlaps().empty()) << "another pose, another answer";
}

TEST_F(Checking, ARunThatStopsAtContactEndsThereInTheCardAndOnTheStrip) {
  openDrum();
  closeTheWall();
  const Id run = bench.document().mechanism()->runs.front()->id;
  const auto next = changed<model::Run>(*bench.document().mechanism(), &Mechanism::runs, run,
                                        [](model::Run& r) { r.stopAtContact = true; });
  ASSERT_TRUE(bench.document().apply("Stop at contact", next));
  bench.runs().startRun();
  rest();
  ASSERT_TRUE(bench.runs().run()->result.travel.ended.has_value());
  EXPECT_EQ(bench.runs().run()->result.travel.ended->kind, kinematics::EndKind::contact);
  EXPECT_FALSE(bench.runs().run()->result.travel.completed);
  EXPECT_EQ(endWords(*bench.runs().run()->result.travel.ended), QStringLiteral("contact")) << "on the strip";
}

TEST_F(Checking, TheFreeRangeOfADriveIsFoundAndTakenAsStops) {
  openDemo();
  const auto& press = *bench.document().mechanism();
  const auto guide = findByName(press.joints, "ram guide");
  ASSERT_TRUE(bench.document().apply("A nearer stop",
                                     changed<model::Joint>(press, &Mechanism::joints, guide->id,
                                                           [](model::Joint& j) { j.stops["slide"].low = Field(30); })));
  rest();
  bench.selection().setStage(Stage::check);
  const auto drive = bench.document().mechanism()->drives.front();
  bench.checks().findFreeRange(drive->id);
  rest();
  ASSERT_TRUE(bench.checks().freeRange().has_value()) << lastError.toStdString();
  EXPECT_EQ(bench.checks().freeRangeDrive(), drive->id);
  EXPECT_LT(bench.checks().freeRange()->low.value, bench.checks().freeRange()->home);
  EXPECT_GT(bench.checks().freeRange()->high.value, bench.checks().freeRange()->home);
  EXPECT_TRUE(lists("free range of"));
  const auto range = *bench.checks().freeRange();
  const bool lower = range.low.kind == kinematics::EndKind::contact || range.low.kind == kinematics::EndKind::stop,
             upper = range.high.kind == kinematics::EndKind::contact || range.high.kind == kinematics::EndKind::stop;
  ASSERT_TRUE(lower || upper) << wordFor(range.low.kind) << " " << wordFor(range.high.kind);
  const int steps = bench.document().undoStack()->index();
  bench.checks().takeFreeRangeAsStops();
  rest();
  EXPECT_EQ(bench.document().undoStack()->index(), steps + 1);
  const auto& joint = bench.solution().resolved().joints[static_cast<std::size_t>(range.joint)];
  const auto value = static_cast<std::size_t>(range.value);
  if (lower) {
    ASSERT_TRUE(joint.low[value]);
    EXPECT_GE(*joint.low[value], range.low.value - 1e-12) << "what is not free does not lie within the stops";
    EXPECT_LT(*joint.low[value], range.home);
  }
  if (upper) {
    ASSERT_TRUE(joint.high[value]);
    EXPECT_LE(*joint.high[value], range.high.value + 1e-12);
    EXPECT_GT(*joint.high[value], range.home);
  }
  EXPECT_EQ(bench.checks().freeRangeDrive(), 0u) << "of the document before";
}

TEST_F(Checking, AnEnvelopeSaysWhatIsLeftToTheOtherLinks) {
  openDrum();
  bench.selection().select({linkId("intermediate shaft")});
  auto* accuracy = window.findChild<QLineEdit*>(QStringLiteral("envelope accuracy"));
  ASSERT_NE(accuracy, nullptr);
  accuracy->setText(QStringLiteral("1 mm"));
  auto* clearance = window.findChild<QLineEdit*>(QStringLiteral("clearance"));
  clearance->setText(QStringLiteral("0 mm"));
  const QImage before = window.scene()->picture().copy();
  window.findChild<CheckPanel*>()->sweepSelected();
  rest();
  ASSERT_NE(bench.checks().envelope(), nullptr);
  EXPECT_GT(changedShare(before, window.scene()->picture()), 0.005) << "it is in the scene as soon as it is there";
  const auto& e = *bench.checks().envelope();
  EXPECT_LE(e.envelope.low, e.envelope.volume);
  EXPECT_GE(e.envelope.high, e.envelope.volume);
  ASSERT_FALSE(e.gaps.empty());
  EXPECT_TRUE(lists("swept by intermediate shaft"));
  // the shaft itself keeps the same distance to the wall, true to the envelope's surface
  const auto casing = std::find_if(e.gaps.begin(), e.gaps.end(), [](const auto& g) { return g.link == 0; });
  ASSERT_NE(casing, e.gaps.end());
  double least = 1e9;
  for (const auto& c : bench.checks().check()->result.clearances)
    if (c.linkA == 0 && c.linkB == 2) least = c.least;
  EXPECT_NEAR(casing->least, least, 1.5e-3);
}

}  // namespace
}  // namespace cooperage::app
