// SPDX-License-Identifier: GPL-3.0-or-later
// What the kinematic core finds, as the window shows it: contacts and couplings, marks on the strip, ways to close.
#include <QFile>

#include "window_fixture.h"

namespace cooperage::app {
namespace {

using testing::HasSubstr;

/// A cam with four bumps that lifts a roller of the given radius in mm, and drives a wheel by a belt.
std::string bumps(int radius, const char* more) {
  const std::string r = std::to_string(radius), y = std::to_string(44 + radius);
  return R"j({"format":"cooperage","version":1,"units":{"length":"mm","angle":"deg"},"links":[
   {"name":"frame","ground":true,"seats":[{"name":"shaft"},{"name":"guide","at":[0,)j" +
         y + R"j(,0],"axis":[0,1,0],"ref":[0,0,1]},{"name":"arm","at":[160,0,0]}]},
   {"name":"cam","seats":[{"name":"shaft"}],"curves":[{"name":"wave","seat":"shaft","kind":"formula","u":[0,"2*pi"],
     "x":"(40 mm+4 mm*cos(4*u))*cos(u)","y":"(40 mm+4 mm*cos(4*u))*sin(u)"}],"bodies":[{"name":"d","element":"cylinder","radius":36,"length":10}]},
   {"name":"follower","seats":[{"name":"roller","at":[0,)j" +
         y + R"j(,0]},{"name":"guide","at":[0,)j" + y + R"j(,0],"axis":[0,1,0],"ref":[0,0,1]}]},
   {"name":"wheel","seats":[{"name":"arm","at":[160,0,0]}]}],
  "joints":[{"name":"shaft","kind":"revolute","between":["frame/shaft","cam/shaft"]},
   {"name":"guide","kind":"prismatic","between":["frame/guide","follower/guide"],"stops":{"slide":[-4,4]}},
   {"name":"wheel","kind":"revolute","between":["frame/arm","wheel/arm"]}],
  "couplings":[{"name":"belt","kind":"belt","values":["shaft.turn","wheel.turn"],"radii":["40 mm","30 mm"]}],
  "cam_pairs":[{"name":"lift","kind":"roller","cam":"cam/wave","follower":"follower/roller","radius":")j" +
         r + R"j( mm"}],
  "drives":[{"name":"motor","value":"shaft.turn","programme":[{"law":"constant-speed","speed":"30 rpm","time":"4 s"}]}],
  "runs":[{"name":"turn","duration":"2 s","steps":90,"axis":"motor")j" +
         more + "}]}";
}

class CoreShown : public WindowTest {
 protected:
  void openText(const std::string& text) {
    QFile f(folder.filePath("shown.coop"));
    ASSERT_TRUE(f.open(QIODevice::WriteOnly));
    f.write(text.c_str());
    f.close();
    ASSERT_TRUE(window.openPath(f.fileName()));
    settle();
  }
  void compute() {
    window.scene()->setFocus();
    key(Qt::Key_F5);
    settle();
  }
};  // namespace cooperage::app

TEST_F(CoreShown, ContactsAndCouplingsStandInJoinAndCountInTheChip) {
  openText(bumps(40, ""));
  bench.selection().setStage(Stage::join);
  settle();
  ASSERT_NE(row("lift"), nullptr);
  EXPECT_THAT(row("lift")->detail.toStdString(), HasSubstr("roller contact: cam/wave"));
  ASSERT_NE(row("belt"), nullptr);
  EXPECT_THAT(row("belt")->detail.toStdString(), HasSubstr("shaft.turn, wheel.turn"));
  EXPECT_THAT(window.chip()->text().toStdString(),
              testing::AllOf(HasSubstr("<b>1</b> freedom"), HasSubstr("determined")));
}

TEST_F(CoreShown, APassedStopIsABarOnTheStripAndAMetOneEndsIt) {
  openText(bumps(40, R"(,"past_stops":true)"));
  compute();
  ASSERT_NE(bench.runs().run(), nullptr);
  ASSERT_EQ(bench.runs().run()->result.travel.marks.size(), 4u) << "each of the four valleys";
  Lanes* lanes = window.strip()->lanes();
  const QRectF first = lanes->markRect(0), second = lanes->markRect(1);
  ASSERT_TRUE(first.isValid());
  EXPECT_GT(first.width(), 4);
  EXPECT_GT(second.left(), first.right());
  EXPECT_EQ(lanes->laneTitle(lanes->laneCount() - 1), "guide: past its stop");
  EXPECT_THAT(window.statusText().toStdString(), HasSubstr("past its stop"));
  openText(bumps(40, ""));
  compute();
  EXPECT_THAT(window.statusText().toStdString(),
              testing::AllOf(HasSubstr("guide"), HasSubstr("meets its stop"), HasSubstr("deg")));
}

TEST_F(CoreShown, ALostContactIsNamed) {
  openText(bumps(60, R"(,"past_stops":true)"));
  compute();
  EXPECT_THAT(window.statusText().toStdString(), testing::AllOf(HasSubstr("lift"), HasSubstr("loses contact")));
}

TEST_F(CoreShown, TheNextWayToCloseIsTakenAndUndone) {
  openText(R"({"format":"cooperage","version":1,"links":[
    {"name":"g","ground":true,"seats":[{"name":"a"},{"name":"d","at":[100,0,0]}]},
    {"name":"crank","seats":[{"name":"a"},{"name":"p","at":[0,40,0]}]},
    {"name":"rod","seats":[{"name":"p","at":[0,40,0]},{"name":"q","at":[100,60,0]}]},
    {"name":"rocker","seats":[{"name":"q","at":[100,60,0]},{"name":"d","at":[100,0,0]}]}],
   "joints":[{"name":"1","kind":"revolute","between":["g/a","crank/a"]},{"name":"2","kind":"revolute","between":["crank/p","rod/p"]},
    {"name":"3","kind":"revolute","between":["rod/q","rocker/q"]},{"name":"4","kind":"revolute","between":["g/d","rocker/d"]}],
   "drives":[{"name":"m","value":"1.turn","programme":[{"law":"constant-speed","speed":"30 rpm","time":"2 s"}]}],
   "runs":[{"name":"turn","duration":"2 s"}]})");
  const auto home = bench.pose().poses();
  window.scene()->setFocus();
  key(Qt::Key_W, Qt::ControlModifier | Qt::ShiftModifier);
  settle();
  // the rocker's pin on the other side of the line from the crank pin (0, 40) to the pivot (100, 0)
  const Vec3 pin = bench.pose().poses()[3] * Vec3(0.1, 0.06, 0), line(0.1, -0.04, 0);
  const Vec3 before = Vec3(0.1, 0.06, 0) - Vec3(0, 0.04, 0), after = pin - Vec3(0, 0.04, 0);
  EXPECT_NEAR(line.cross(before).z(), -line.cross(after).z(), 1e-9) << "mirrored";
  EXPECT_NEAR((bench.pose().poses()[1].p - home[1].p).norm(), 0, 1e-9) << "the driven crank stays";
  EXPECT_THAT(window.statusText().toStdString(), HasSubstr("of 2"));
  key(Qt::Key_Z, Qt::ControlModifier);
  settle();
  EXPECT_NEAR((bench.pose().poses()[3].p - home[3].p).norm() + (bench.pose().poses()[3].R - home[3].R).norm(), 0, 1e-9);
}

}  // namespace
}  // namespace cooperage::app
