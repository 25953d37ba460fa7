// SPDX-License-Identifier: GPL-3.0-or-later
// Links that push one another, with mouse and keys on the real window.
#include <QCheckBox>

#include "kinematics/home.h"
#include "model/edits.h"
#include "window_fixture.h"

namespace cooperage::app {
namespace {

using namespace model;

class PushingTest : public WindowTest {
 protected:
  /// The indexer without its contact, as one has it before.
  void openIndexer() {
    ASSERT_TRUE(window.openPath(QStringLiteral(COOPERAGE_DEMO) + "/head-indexer/head-indexer.coop"));
    settle();
    const auto& m = *bench.document().mechanism();
    bench.document().apply("take the contact away", removed(m, {m.contacts[0]->id}));
    settle();
    ASSERT_TRUE(bench.document().mechanism()->contacts.empty());
  }
  Id link(const char* name) const { return findByName(bench.document().mechanism()->links, name)->id; }
  double angle(const kinematics::TravelStep& s, int joint) const {
    const auto& run = *bench.runs().run()->travel;
    return kinematics::jointValue(run.system(), s.c, joint, 0, run.resolved()) / kDegree;
  }
};

TEST_F(PushingTest, TwoLinksChosenPushAndTheHeadIsIndexed) {
  openIndexer();
  EXPECT_EQ(bench.solution().mobility()->left, 1) << "nothing moves the wheel yet";
  bench.selection().select({link("driver"), link("wheel")});
  QApplication::processEvents();
  key(Qt::Key_C, Qt::ShiftModifier);
  settle();
  ASSERT_EQ(bench.document().mechanism()->contacts.size(), 1u);
  EXPECT_EQ(bench.document().mechanism()->contacts[0]->name, "driver - wheel");
  EXPECT_EQ(bench.solution().mobility()->left, 0);
  EXPECT_EQ(bench.solution().mobility()->byContact, 1);
  EXPECT_TRUE(find<QCheckBox>("contact enabled")->isChecked()) << "its card is open";
  key(Qt::Key_F5);
  settle();
  ASSERT_TRUE(bench.runs().run());
  const auto& travel = bench.runs().run()->result.travel;
  ASSERT_TRUE(travel.completed);
  EXPECT_NEAR(angle(travel.steps.front(), 1) - angle(travel.steps.back(), 1), 60, 0.05);
  // step through what happens
  bench.runs().setCursor(0);
  std::vector<double> at;
  for (int k = 0; k < 3; ++k) {
    key(Qt::Key_Right, Qt::ControlModifier | Qt::ShiftModifier);
    at.push_back(bench.runs().run()->travel->axisAt(bench.runs().cursor()));
  }
  ASSERT_FALSE(travel.marks.empty());
  EXPECT_NEAR(at.front(), travel.marks.front().from, 1e-9);
  EXPECT_EQ(travel.marks.front().code, "touches");
  EXPECT_EQ(bench.runs().run()->travel->pushed()->touching(bench.runs().cursor()).size(), 1u);
  // undo takes the contact away again
  for (int k = 0; k < 1; ++k) key(Qt::Key_Z, Qt::ControlModifier);
  settle();
  EXPECT_TRUE(bench.document().mechanism()->contacts.empty());
}

TEST_F(PushingTest, OneLinkAloneIsRefusedWithTheReason) {
  openIndexer();
  bench.selection().select({link("driver")});
  key(Qt::Key_C, Qt::ShiftModifier);
  EXPECT_TRUE(bench.document().mechanism()->contacts.empty());
  EXPECT_THAT(lastError.toStdString(), testing::HasSubstr("click one"));
}

TEST_F(PushingTest, AnOverlapIsNamedAndTheNearestFreePoseTaken) {
  ASSERT_TRUE(window.openPath(QStringLiteral(COOPERAGE_DEMO) + "/head-indexer/head-indexer.coop"));
  settle();
  const auto index = findByName(bench.document().mechanism()->joints, "index")->id;
  bench.document().apply("turn the wheel", changedJoint(*bench.document().mechanism(), index,
                                                        [](Joint& j) { j.home["turn"] = Field(31.5); }));
  settle();
  ASSERT_EQ(bench.solution().prepared()->overlaps.size(), 1u);
  bench.selection().setStage(Stage::join);
  QApplication::processEvents();
  const std::string before = io::writeCoop(*bench.document().mechanism());
  window.actions()->find("free pose")->trigger();
  settle();
  EXPECT_TRUE(bench.solution().prepared()->overlaps.empty());
  const auto home = bench.document().mechanism()->joints;
  EXPECT_NEAR(findByName(home, "index")->home.at("turn").number, 30, 0.2) << "back until the lock just touches";
  key(Qt::Key_Z, Qt::ControlModifier);
  settle();
  EXPECT_EQ(io::writeCoop(*bench.document().mechanism()), before);
}

TEST_F(PushingTest, AJointIsHeldByAForceOfItsOwn) {
  openIndexer();
  bench.selection().select({findByName(bench.document().mechanism()->joints, "index")->id});
  key(Qt::Key_F, Qt::ShiftModifier);
  settle();
  ASSERT_EQ(bench.document().mechanism()->forces.size(), 1u);
  EXPECT_EQ(bench.document().mechanism()->forces[0]->name, "holds index");
  EXPECT_TRUE(find<QCheckBox>("force enabled")->isChecked());
}

}  // namespace
}  // namespace cooperage::app
