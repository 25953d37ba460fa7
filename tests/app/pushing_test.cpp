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
  std::size_t linkIndex(const char* name) const {
    const auto& links = bench.document().mechanism()->links;
    for (std::size_t i = 0; i < links.size(); ++i)
      if (links[i]->name == name) return i;
    return 0;
  }
  /// A pixel of the scene that shows a link.
  QPoint pixelOn(Id id) {
    for (int y = 20; y < window.scene()->height() - 20; y += 12)
      for (int x = 20; x < window.scene()->width() - 20; x += 12) {
        const auto body = findBody(*bench.document().mechanism(), window.scene()->bodyAt(QPointF(x, y)));
        if (body && body->link->id == id) return {x, y};
      }
    ADD_FAILURE() << "it is not to be seen";
    return {};
  }
  /// The wheel turned at home by 1.5 degrees, so that it overlaps the driver's lock.
  void openOverlap() {
    ASSERT_TRUE(window.openPath(QStringLiteral(COOPERAGE_DEMO) + "/head-indexer/head-indexer.coop"));
    settle();
    const auto index = findByName(bench.document().mechanism()->joints, "index")->id;
    bench.document().apply("turn the wheel", changedJoint(*bench.document().mechanism(), index,
                                                          [](Joint& j) { j.home["turn"] = Field(31.5); }));
    settle();
    ASSERT_EQ(bench.solution().prepared()->overlaps.size(), 1u);
  }
  QLabel* hintOf(Stage stage) { return window.panel(stage)->findChild<QLabel*>(QStringLiteral("hint")); }
  double angle(const kinematics::TravelStep& s, int joint) const {
    const auto& run = *bench.runs().run()->travel;
    return kinematics::jointValue(run.system(), s.c, joint, 0, run.resolved()) / kDegree;
  }
};

TEST_F(PushingTest, TwoLinksChosenPushAndTheHeadIsIndexed) {
  openIndexer();
  EXPECT_EQ(bench.solution().mobility()->left, 1) << "nothing moves the wheel yet";
  // four actions, from any stage
  const QPoint driver = pixelOn(link("driver")), wheel = pixelOn(link("wheel"));
  QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::NoModifier, driver);
  QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::ControlModifier, wheel);
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
  // scrub: in the middle of the strip the head has turned by half of a sixth of a turn, as its closed form has it there
  Lanes* lanes = window.strip()->lanes();
  const auto& axis = bench.runs().run()->result.axis;
  QTest::mouseClick(lanes, Qt::LeftButton, Qt::NoModifier,
                    QPoint(static_cast<int>(lanes->xOf(0.5 * (axis.front() + axis.back()))), lanes->height() / 3));
  const auto wheelNow = [&] { return rotationVector(bench.pose().poses()[linkIndex("wheel")].R).z() / kDegree; };
  const double half = wheelNow();
  key(Qt::Key_Home);
  EXPECT_GT(std::abs(std::remainder(wheelNow() - half, 360)), 10) << "the picture follows the cursor";
  // step through what happens
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
  openOverlap();
  key(Qt::Key_2, Qt::AltModifier);
  EXPECT_THAT(hintOf(Stage::join)->text().toStdString(), testing::HasSubstr("driver and wheel overlap by"));
  const std::string before = io::writeCoop(*bench.document().mechanism());
  emit hintOf(Stage::join)->linkActivated(QStringLiteral("free"));
  settle();
  EXPECT_TRUE(bench.solution().prepared()->overlaps.empty());
  const auto home = bench.document().mechanism()->joints;
  EXPECT_NEAR(findByName(home, "index")->home.at("turn").number, 30, 0.2) << "back until the lock just touches";
  key(Qt::Key_Z, Qt::ControlModifier);
  settle();
  EXPECT_EQ(io::writeCoop(*bench.document().mechanism()), before);
}

TEST_F(PushingTest, ARunBeginsAtTheNearestFreePose) {
  openOverlap();
  key(Qt::Key_4, Qt::AltModifier);
  const std::string before = io::writeCoop(*bench.document().mechanism());
  EXPECT_THAT(hintOf(Stage::run)->text().toStdString(), testing::HasSubstr("for this run"));
  emit hintOf(Stage::run)->linkActivated(QStringLiteral("free start"));
  settle();
  ASSERT_TRUE(bench.runs().run());
  const auto& travel = bench.runs().run()->result.travel;
  EXPECT_TRUE(travel.completed);
  EXPECT_NEAR(angle(travel.steps.front(), 1), 30, 0.2);
  const auto& joints = bench.document().mechanism()->joints;
  EXPECT_EQ(findByName(joints, "index")->home.at("turn").number, 31.5) << "home stays";
  EXPECT_THAT(hintOf(Stage::run)->text().toStdString(), testing::Not(testing::HasSubstr("overlap")));
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
