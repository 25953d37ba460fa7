// SPDX-License-Identifier: GPL-3.0-or-later
// What the window says is so: seats keep to their bores, picks count where they are seen, figures show no noise, and
// what a card or a list says of a run, a gauge or a pair is what is there.
#include <QCheckBox>
#include <QComboBox>
#include <QToolTip>
#include <fstream>

#include "../scratch_folder.h"
#include "maker/machine_card.h"
#include "model/programme_edits.h"
#include "shape_join_fixture.h"
#include "strip/lanes.h"
#include "strip/strip.h"

namespace cooperage::app {
namespace {

using testing::HasSubstr;
using testing::Not;

class TruthTest : public ShapeJoin {
 protected:
  bool open(const std::string& text) {
    std::ofstream(scratch_ / "m.coop") << text;
    const bool ok = window.openPath(QString::fromStdString((scratch_ / "m.coop").string()));
    EXPECT_TRUE(ok) << lastError.toStdString();
    settle();
    return ok;
  }
  /// All that the card of the selection says.
  std::string said(const QString& figure) {
    auto* label = find<QLabel>(figure);
    return label ? label->text().toStdString() : std::string();
  }
  bool ledgerSays(const QString& part) {
    for (const auto& r : window.panel(bench.selection().stage())->list()->rows())
      if (r.title.contains(part) || r.detail.contains(part)) return true;
    return false;
  }
  Vec3 seatAt(const std::string& link, std::size_t seat) {
    const auto l = model::findByName(bench.document().mechanism()->links, link);
    return model::frameOf(*bench.document().mechanism(), *l->seats.at(seat))->p;
  }
  /// A crank that turns on ground by rows of a programme, with gauges of its turn.
  std::string arm(const std::string& rows, const std::string& more = "") {
    return R"({"format":"cooperage","version":1,"links":[{"name":"g","ground":true,"seats":[{"name":"s"}]},
      {"name":"arm","seats":[{"name":"s"},{"name":"tip","at":[50,0,0]}],
       "bodies":[{"name":"bar","element":"bar","length":50,"width":10,"thickness":4,"bore":5}]}],
     "joints":[{"name":"pin","kind":"revolute","between":["g/s","arm/s"]}],
     "drives":[{"name":"motor","value":"pin.turn","programme":[)" +
           rows + R"(]}],
     "gauges":[{"name":"turn","kind":"joint-value","of":"pin.turn"},
      {"name":"acc","kind":"joint-acceleration","of":"pin.turn"},{"name":"height","kind":"point-position","of":"arm/tip","component":"y"}])" +
           more + "}";
  }
  const test::ScratchFolder scratch_;
};

TEST_F(TruthTest, ASeatStaysAtItsEndOfItsBoreWhenThePartGrowsAndShrinks) {
  bench.document().apply(
      "arm", io::readCoop(R"({"format":"cooperage","version":1,"parameters":[{"name":"rod_length","value":"150 mm"}],
    "links":[{"name":"g","ground":true,"seats":[{"name":"s"}]},{"name":"rod","bodies":[
    {"name":"bar","element":"bar","length":"rod_length","width":20,"thickness":8,"bore":8}]}]})"));
  settle();
  bench.selection().setStage(Stage::join);
  look("top");
  for (const Vec3& place : {Vec3(0, 0, 0.004), Vec3(0.15, 0, 0.004)}) {
    window.maker()->startSeat();
    pick(linkId("rod"), place);
    settle();
  }
  window.maker()->stop();
  ASSERT_EQ(model::findLink(*bench.document().mechanism(), linkId("rod"))->seats.size(), 2u) << lastError.toStdString();
  for (const double length : {160.0, 150.0, 90.0}) {
    bench.selection().select({bench.document().mechanism()->parameters[0]->id});
    settle();
    type(QStringLiteral("parameter rod_length"), QString::number(length) + QStringLiteral(" mm"));
    EXPECT_NEAR((seatAt("rod", 0) - Vec3(0, 0, 0.004)).norm(), 0, 1e-9) << length;
    EXPECT_NEAR((seatAt("rod", 1) - Vec3(length * 1e-3, 0, 0.004)).norm(), 0, 1e-9) << length;
  }
}

// A chain is drawn by hand until its end is near a pivot; the joint is made of the bores that were picked.
TEST_F(TruthTest, AJointPickedOnALinkThatAHandHasMovedIsWhereItWasPicked) {
  ASSERT_TRUE(open(R"({"format":"cooperage","version":1,"links":[
    {"name":"g","ground":true,"seats":[{"name":"o","at":[0,0,4]}],"bodies":[
     {"name":"bed","element":"bar","length":100,"width":20,"thickness":8,"bore":8}]},
    {"name":"a","placement":{"at":[0,0,9]},"seats":[{"name":"o","at":[0,0,-5]},{"name":"p","at":[40,0,0]}],"bodies":[
     {"name":"bar","element":"bar","length":40,"width":16,"thickness":8,"bore":8}]},
    {"name":"b","placement":{"at":[40,0,9]},"seats":[{"name":"p","at":[0,0,0]}],"bodies":[
     {"name":"bar","element":"bar","length":80,"width":16,"thickness":8,"bore":8,"placement":{"at":[0,0,9]}}]}],
   "joints":[{"name":"o","kind":"revolute","between":["g/o","a/o"]},
    {"name":"p","kind":"revolute","between":["a/p","b/p"]}]})"));
  bench.selection().setStage(Stage::join);
  look("top");
  // drawn aside by its far end
  const auto from = window.scene()->project(Vec3(0.115, 0, 0.022)).toPoint(),
             to = window.scene()->project(Vec3(0.070, 0.040, 0.022)).toPoint();
  QTest::mousePress(window.scene(), Qt::LeftButton, Qt::NoModifier, from);
  for (int k = 1; k <= 8; ++k) {
    QMouseEvent move(QEvent::MouseMove, from + (to - from) * k / 8, window.scene()->mapToGlobal(from), Qt::NoButton,
                     Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(window.scene(), &move);
  }
  QTest::mouseRelease(window.scene(), Qt::LeftButton, Qt::NoModifier, to);
  settle();
  ASSERT_TRUE(bench.pose().isByHand());
  const Pose b = bench.pose().poses()[2];
  press("make revolute");
  pick(linkId("g"), Vec3(0.1, 0, 0.004));
  if (!HasFailure()) pick(linkId("b"), b * Vec3(0.08, 0, 0.013));
  settle();
  confirmCard();
  ASSERT_EQ(bench.document().mechanism()->joints.size(), 3u) << lastError.toStdString();
  const auto& seats = model::findByName(bench.document().mechanism()->links, "b")->seats;
  ASSERT_EQ(seats.size(), 2u);
  const Vec3 at = model::frameOf(*bench.document().mechanism(), *seats[1])->p;
  EXPECT_NEAR(at.x(), 0.08, 1e-9) << "the bore that was picked";
  EXPECT_NEAR(at.y(), 0, 1e-9);
  EXPECT_TRUE(bench.solution().homeProblem().isEmpty()) << bench.solution().homeProblem().toStdString();
  window.actions()->find("undo")->trigger();
  settle();
  EXPECT_EQ(bench.document().mechanism()->joints.size(), 2u) << "one step";
}

TEST_F(TruthTest, AHomeThatCantCloseTellsTheGapThereAndWhereTheFigureCloses) {
  ASSERT_TRUE(open(R"({"format":"cooperage","version":1,"parameters":[{"name":"crank","value":"40 mm"}],"links":[
    {"name":"g","ground":true,"seats":[{"name":"o"},{"name":"r","at":[100,0,0]}]},
    {"name":"crank","seats":[{"name":"o"},{"name":"p","at":["crank",0,0]}]},
    {"name":"rod","placement":{"at":[40,0,0]},"seats":[{"name":"p"},{"name":"q","at":[90,0,0]}]},
    {"name":"rocker","placement":{"at":[100,0,0],"turn":[0.7,0,0,0.714]},"seats":[{"name":"r"},{"name":"q","at":[60,0,0]}]}],
   "joints":[{"name":"in","kind":"revolute","between":["g/o","crank/o"],"home":{"turn":90}},
    {"name":"p","kind":"revolute","between":["crank/p","rod/p"]},
    {"name":"q","kind":"revolute","between":["rod/q","rocker/q"]},{"name":"out","kind":"revolute","between":["g/r","rocker/r"]}]})"));
  ASSERT_TRUE(bench.solution().homeProblem().isEmpty()) << bench.solution().homeProblem().toStdString();
  // the pin is hypot(100, crank) from the pivot, the rod and the rocker reach 150 mm: up to 111.803 mm
  bench.selection().select({bench.document().mechanism()->parameters[0]->id});
  settle();
  type(QStringLiteral("parameter crank"), QStringLiteral("200 mm"));
  const std::string problem = bench.solution().homeProblem().toStdString();
  EXPECT_THAT(problem, HasSubstr("crank closes at home up to 111.803 mm"));
  EXPECT_THAT(problem, HasSubstr("73.6068 mm")) << "hypot(100, 200) - 150";
  window.actions()->find("next assembly mode")->trigger();
  EXPECT_THAT(lastError.toStdString(), HasSubstr("can't be assembled"));
  type(QStringLiteral("parameter crank"), QStringLiteral("110 mm"));
  EXPECT_TRUE(bench.solution().homeProblem().isEmpty()) << bench.solution().homeProblem().toStdString();
}

TEST_F(TruthTest, LanesTellThePeaksOfTheLawAndNoNoise) {
  ASSERT_TRUE(open(arm(R"({"law":"poly-345","by":"90 deg","time":"1 s"},{"law":"dwell","time":"1 s"})")));
  bench.selection().setStage(Stage::drive);
  bench.selection().select({bench.document().mechanism()->drives[0]->id});
  settle();
  auto* lanes = window.findChild<Strip*>()->programmeLanes();
  ASSERT_TRUE(lanes->isVisible());
  // 3-4-5: 15/8 of the mean speed, 10/sqrt 3 of the mean acceleration over the time, 60 of the jerk
  EXPECT_THAT(lanes->noteOf(1).toStdString(), HasSubstr("168.75"));
  EXPECT_THAT(lanes->noteOf(2).toStdString(), HasSubstr("519.62"));
  EXPECT_THAT(lanes->noteOf(3).toStdString(), HasSubstr("5400"));
}

TEST_F(TruthTest, AGaugeAndItsRequirementTellOneExtreme) {
  ASSERT_TRUE(open(arm(
      R"({"law":"linear","by":"137 deg","time":"2 s"})",
      R"(,"requirements":[{"name":"low enough","gauge":"height","measure":"always","max":"40 mm"},{"name":"no bound","gauge":"turn","measure":"max"}],
       "runs":[{"name":"r","steps":13,"check":["requirements"]}])")));
  ASSERT_TRUE(waitFor([&] { return bench.runs().run() && !bench.runs().run()->requirements.empty(); }));
  bench.selection().setStage(Stage::run);
  bench.selection().select({bench.document().mechanism()->gauges[2]->id});
  settle();
  const std::string greatest = said(QStringLiteral("greatest"));
  EXPECT_EQ(greatest, "50.000 mm") << "the arm upright, between two steps";
  bench.selection().select({bench.document().mechanism()->requirements[0]->id});
  settle();
  EXPECT_EQ(said(QStringLiteral("judged")), greatest);
  bench.selection().select({bench.document().mechanism()->requirements[1]->id});
  settle();
  bool told = false;
  for (auto* l : window.findChildren<QLabel*>())
    told = told || (l->isVisible() && l->text() == QStringLiteral("No bound"));
  EXPECT_TRUE(told) << "nothing is required";
}

TEST_F(TruthTest, ARestIsAsLongAsItsProgrammeSaysAndItsToleranceCanBeSet) {
  ASSERT_TRUE(open(
      arm(R"({"law":"dwell","time":"1 s"},{"law":"poly-345","by":"90 deg","time":"1 s"},{"law":"dwell","time":"1 s"})",
          R"(,"runs":[{"name":"r","steps":200}])")));
  ASSERT_TRUE(waitFor([&] { return bench.runs().run() != nullptr; }));
  EXPECT_NEAR(bench.runs().run()->result.rows.back()[0], 3, 1e-12) << "as long as its programme";
  bench.selection().setStage(Stage::run);
  bench.selection().select({bench.document().mechanism()->gauges[0]->id});
  settle();
  EXPECT_EQ(said(QStringLiteral("index 1")), "90.000\u00b0 in 1.0000 s");
  type(QStringLiteral("dwell within"), QStringLiteral("1 deg"));
  ASSERT_TRUE(waitFor([&] { return bench.runs().run() && !bench.runs().isRunStale(); }));
  settle();
  EXPECT_THAT(said(QStringLiteral("index 1")), Not(HasSubstr("in 1.0000 s"))) << "what stays within a degree is longer";
  EXPECT_THAT(document(), HasSubstr("\"dwell_within\": \"1 deg\""));
}

TEST_F(TruthTest, AJumpIsToldWithItsPlaceAndCauseNotAsCoarseSteps) {
  ASSERT_TRUE(open(arm(
      R"({"law":"run-up","speed":"60 rpm","acceleration":"720 deg/s^2"},{"law":"constant-speed","speed":"60 rpm","time":"1 s"})",
      R"(,"runs":[{"name":"r","steps":100}])")));
  ASSERT_TRUE(waitFor([&] { return bench.runs().run() && !bench.runs().run()->steps.jumps.empty(); }));
  bench.selection().setStage(Stage::run);
  settle();
  bool told = false;
  for (auto* l : window.findChildren<QLabel*>())
    if (l->isVisible() && l->text() == QStringLiteral("acc jumps")) {
      told = true;
      EXPECT_THAT(l->toolTip().toStdString(), HasSubstr("from 720.00 deg/s\u00b2 to 0"));
      EXPECT_THAT(l->toolTip().toStdString(), HasSubstr("drive motor: its programme jumps there"));
    }
  EXPECT_TRUE(told);
}

TEST_F(TruthTest, ADriveThatSwingsIsNoTravelAxis) {
  ASSERT_TRUE(open(arm(R"({"law":"constant-speed","speed":"60 rpm","time":"1 s"})",
                       R"(,"runs":[{"name":"r","steps":100,"axis":"motor"}])")));
  ASSERT_TRUE(waitFor([&] { return bench.runs().run() != nullptr; }));
  EXPECT_NEAR(bench.runs().run()->result.axis.back(), 2 * kPi, 1e-9);
  bench.selection().setStage(Stage::drive);
  bench.selection().select({bench.document().mechanism()->drives[0]->id});
  settle();
  auto* law = find<QComboBox>(QStringLiteral("law 1"));
  ASSERT_TRUE(law);
  const int sine = law->findData(QStringLiteral("sine"));
  ASSERT_GE(sine, 0);
  law->setFocus();
  law->setCurrentIndex(sine);
  emit law->activated(sine);
  settle();
  ASSERT_TRUE(waitFor([&] { return bench.runs().run() && !bench.runs().isRunStale(); }));
  EXPECT_TRUE(bench.runs().run()->result.axisDimension == dimension::kTime);
  EXPECT_GT(bench.runs().run()->result.axis.back(), 0.5);
  bool told = false;
  for (const auto& m : bench.runs().run()->result.travel.messages)
    told = told || m.text.find("time is taken") != std::string::npos;
  EXPECT_TRUE(told);
}

TEST_F(TruthTest, WithNothingDrivenNothingIsDetermined) {
  ASSERT_TRUE(open(R"({"format":"cooperage","version":1,"links":[{"name":"g","ground":true,"seats":[{"name":"s"}]},
    {"name":"a","seats":[{"name":"s"}]},{"name":"b","seats":[{"name":"s"}]},{"name":"bed","ground":true,"seats":[{"name":"s"}]}],
    "joints":[{"name":"x","kind":"revolute","between":["g/s","a/s"]},{"name":"y","kind":"revolute","between":["g/s","b/s"]},
     {"name":"idle","kind":"revolute","between":["g/s","bed/s"]}]})"));
  bench.selection().setStage(Stage::join);
  settle();
  EXPECT_THAT(
      window.chip()->text().toStdString(),
      testing::AllOf(HasSubstr("<b>2</b> freedoms"), HasSubstr("nothing driven"), Not(HasSubstr("determined"))));
  EXPECT_TRUE(ledgerSays(QStringLiteral("joint idle: both its links are ground")));
}

// Another document: no card, mode, tooltip or highlight of the one before, and all of it in the picture.
TEST_F(TruthTest, NothingOfOneDocumentShowsInTheNext) {
  ASSERT_TRUE(open(arm(R"({"law":"linear","by":"90 deg","time":"1 s"})")));
  bench.selection().setStage(Stage::join);
  press("make revolute");
  ASSERT_TRUE(window.maker()->isPicking());
  window.scene()->setToolTip(QStringLiteral("arm"));
  openDemo();
  EXPECT_FALSE(window.maker()->isPicking());
  EXPECT_FALSE(window.maker()->card().isVisible());
  EXPECT_TRUE(window.scene()->toolTip().isEmpty());
  EXPECT_EQ(window.scene()->hoveredLink(), 0u);
  // every link stands in the picture, which it fills
  QRectF all;
  for (const Pose& p : bench.pose().poses()) {
    const QPointF at = window.scene()->project(p.p);
    EXPECT_TRUE(QRectF(window.scene()->rect()).contains(at));
    all |= QRectF(at - QPointF(1, 1), QSizeF(2, 2));
  }
  EXPECT_GT(all.height(), 0.3 * window.scene()->height());
}

TEST_F(TruthTest, AFileInTwoSpellingsIsOneFile) {
  shape::ShapeStore store;
  store.setFolder(folder.path().toStdString());
  QDir(folder.path()).mkdir(QStringLiteral("parts"));
  const auto write = [&](double size) {
    const auto box = *shape::elementShape(model::BodyKind::box, {size, 0.01, 0.01});
    ASSERT_TRUE(shape::writeStep({{box, "a", {}, {}}}, "a", folder.filePath("parts/a.step").toStdString()).ok());
  };
  write(0.02);
  const std::vector<std::string> spellings{"parts/a.step", "./parts/a.step", "parts/../parts/a.step",
                                           folder.filePath("parts/a.step").toStdString()};
  for (const auto& name : spellings) ASSERT_TRUE(store.file(name).ok());
  EXPECT_TRUE(store.changedFiles(spellings).empty());
  QTest::qWait(20);
  write(0.031);
  EXPECT_EQ(store.changedFiles(spellings).size(), 1u);
  EXPECT_TRUE(store.changedFiles({"parts/b.step"}).empty());
}

/// Two shafts on ground for a pair of gears.
const char* kShafts = R"({"format":"cooperage","version":1,"links":[
  {"name":"g","ground":true,"seats":[{"name":"x"},{"name":"y","at":[50,0,0]}]},
  {"name":"a","seats":[{"name":"x"}]},{"name":"b","placement":{"at":[50,0,0]},"seats":[{"name":"y"}]}],
 "joints":[{"name":"x","kind":"revolute","between":["g/x","a/x"]},{"name":"y","kind":"revolute","between":["g/y","b/y"]}]})";

TEST_F(TruthTest, EscapeInADropDownClosesItAloneAndDigitsStartNothingOverAMaker) {
  ASSERT_TRUE(open(kShafts));
  bench.selection().setStage(Stage::join);
  bench.selection().select({bench.document().mechanism()->joints[0]->id, bench.document().mechanism()->joints[1]->id});
  settle();
  window.machine()->start(Machine::spur);
  settle();
  ASSERT_TRUE(window.machine()->isOpen()) << lastError.toStdString();
  QComboBox* box = nullptr;
  for (auto* b : window.machine()->findChildren<QComboBox*>())
    if (b->isVisible()) box = b;
  ASSERT_TRUE(box) << "a card with a drop-down";
  box->setFocus();
  box->showPopup();
  ASSERT_TRUE(waitFor([&] { return QApplication::activePopupWidget() != nullptr; }, 5000));
  QTest::keyClick(QApplication::activePopupWidget(), Qt::Key_Escape);
  QApplication::processEvents();
  EXPECT_TRUE(window.machine()->isOpen()) << "only the drop-down closes";
  box->hidePopup();
  window.scene()->setFocus();
  key(Qt::Key_1);
  EXPECT_TRUE(window.machine()->isOpen());
  EXPECT_FALSE(window.maker()->isPicking()) << "no joint tool over an open card";
  EXPECT_TRUE(waitFor([&] { return lastError.contains(QStringLiteral("Enter keeps it")); }, 2000))
      << lastError.toStdString();
  window.machine()->giveUp();
  settle();
  window.scene()->setFocus();
  key(Qt::Key_1);
  EXPECT_TRUE(waitFor([&] { return window.maker()->isPicking(); }, 2000)) << "the key is that of the tool";
}

TEST_F(TruthTest, APairThatMeshesNoMoreIsToldInTheLedger) {
  ASSERT_TRUE(open(kShafts));
  bench.selection().setStage(Stage::join);
  bench.selection().select({bench.document().mechanism()->joints[0]->id, bench.document().mechanism()->joints[1]->id});
  settle();
  window.machine()->start(Machine::spur);
  settle();
  window.machine()->keep();
  settle();
  ASSERT_EQ(window.panel(Stage::join)->state().second, Tone::good);
  const auto m = bench.document().mechanism();
  const auto& c = *m->couplings.back();
  ASSERT_EQ(c.bodies.size(), 2u);
  bench.document().apply(
      "module", model::changedBody(*m, c.bodies[0], [](model::Body& b) { b.figures["module"] = model::Field(2.5); }));
  settle();
  EXPECT_TRUE(ledgerSays(QStringLiteral("don't mesh")));
  EXPECT_NE(window.panel(Stage::join)->state().second, Tone::good);
}

// An angle about a seat's axis has a sense; without one it is that of the plane of both directions.
TEST_F(TruthTest, TheAxisOfAnAngleIsChosenInItsCard) {
  ASSERT_TRUE(open(R"({"format":"cooperage","version":1,"links":[
    {"name":"g","ground":true,"seats":[{"name":"o"},{"name":"along","axis":[1,0,0],"ref":[0,1,0]}]},
    {"name":"arm","seats":[{"name":"o"},{"name":"along","axis":[1,0,0],"ref":[0,1,0]}]}],
   "joints":[{"name":"pin","kind":"revolute","between":["g/o","arm/o"]}],
   "drives":[{"name":"motor","value":"pin.turn","programme":[{"law":"constant-speed","speed":"300 deg/s","time":"1 s"}]}],
   "gauges":[{"name":"lean","kind":"angle","of":["g/along","arm/along"]}],
   "runs":[{"name":"run","duration":"1 s","steps":50}]})"));
  bench.selection().setStage(Stage::run);
  key(Qt::Key_F5);
  ASSERT_TRUE(waitFor([&] { return bench.runs().run() && !bench.jobs().busy(); }));
  bench.selection().select({bench.document().mechanism()->gauges[0]->id});
  settle();
  bench.runs().setCursor(1);
  settle();
  const auto column = [&] {
    return static_cast<std::size_t>(bench.runs().columnOf(bench.document().mechanism()->gauges[0]->id));
  };
  EXPECT_NEAR(bench.runs().cursorRow()[column()], 60 * kPi / 180, 1e-9) << "300 degrees are 60 the short way";
  auto* about = find<QComboBox>(QStringLiteral("about"));
  ASSERT_TRUE(about);
  const int axis = about->findText(QStringLiteral("g/o"));
  ASSERT_GE(axis, 0);
  about->setFocus();
  while (about->currentIndex() != axis) {
    const int was = about->currentIndex();
    QTest::keyClick(about, was < axis ? Qt::Key_Down : Qt::Key_Up);
    about = find<QComboBox>(QStringLiteral("about"));  // the card is made anew with the document
    ASSERT_TRUE(about);
    ASSERT_NE(about->currentIndex(), was);
    about->setFocus();
  }
  ASSERT_TRUE(waitFor([&] { return bench.runs().run() && !bench.runs().isRunStale() && !bench.isPending(); }));
  bench.runs().setCursor(1);
  settle();
  EXPECT_NEAR(bench.runs().cursorRow()[column()], -60 * kPi / 180, 1e-9) << "behind, not before";
}

// A base circle too small for its roller: the outline can't be cut so that the follower keeps to its law.
TEST_F(TruthTest, TheOutlineOfAnUndercutCamIsSavedOnlyWhenOneSaysSo) {
  ASSERT_TRUE(open(R"({"format":"cooperage","version":1,"links":[
    {"name":"g","ground":true,"seats":[{"name":"o"}]},
    {"name":"cam","seats":[{"name":"o"}],"curves":[{"name":"law","seat":"o","kind":"cam-law","form":"disc","base":12,
      "follower":{"kind":"roller","radius":10},"rows":[
      {"law":"poly-345","over":"30 deg","lift":20},{"law":"dwell","over":"60 deg"},
      {"law":"poly-345","over":"90 deg","lift":-20},{"law":"dwell","over":"180 deg"}]}]}],
   "joints":[{"name":"shaft","kind":"revolute","between":["g/o","cam/o"]}]})"));
  bench.selection().select({bench.document().mechanism()->links[1]->curves[0]->id});
  settle();
  QPushButton* save = nullptr;
  for (auto* b : window.findChildren<QPushButton*>())
    if (b->isVisible() && b->text().startsWith(QStringLiteral("Save the outline"))) save = b;
  ASSERT_TRUE(save);
  QString asked;
  QTimer::singleShot(100, [&] {
    if (auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget())) {
      asked = box->text();
      QTest::mouseClick(box->button(QMessageBox::No), Qt::LeftButton);
    } else if (auto* other = qobject_cast<QDialog*>(QApplication::activeModalWidget())) {
      asked = QStringLiteral("no question");
      other->reject();
    }
  });
  QTest::mouseClick(save, Qt::LeftButton);
  EXPECT_THAT(asked.toStdString(), HasSubstr("undercut"));
  EXPECT_FALSE(QApplication::activeModalWidget()) << "after No nothing else is asked";
}

// A stage's module, typed into any of its pairs, is that of the whole stage.
TEST_F(TruthTest, AModuleTypedIntoOnePairOfAStageIsThatOfTheStage) {
  ASSERT_TRUE(
      open(R"({"format":"cooperage","version":1,"links":[{"name":"g","ground":true,"seats":[{"name":"o"}]}]})"));
  bench.selection().setStage(Stage::join);
  window.machine()->start(Machine::planetary);
  settle();
  window.machine()->keep();
  settle();
  ASSERT_EQ(bench.document().mechanism()->couplings.size(), 6u) << lastError.toStdString();
  ASSERT_EQ(window.panel(Stage::join)->state().second, Tone::good);
  bench.selection().select({bench.document().mechanism()->couplings[3]->id});
  settle();
  for (auto* b : window.findChildren<QPushButton*>())
    if (b->text().startsWith(QStringLiteral("Edit the gears")) && b->isVisible()) {
      QTest::mouseClick(b, Qt::LeftButton);
      break;
    }
  settle();
  ASSERT_TRUE(window.machine()->isOpen());
  type(QStringLiteral("module"), QStringLiteral("2.5"));
  settle();
  QTest::keyClick(window.machine(), Qt::Key_Return);
  settle();
  int gears = 0;
  for (const auto& l : bench.document().mechanism()->links)
    for (const auto& b : l->bodies)
      if (const auto at = b->figures.find("module"); at != b->figures.end()) {
        EXPECT_EQ(at->second.number, 2.5) << l->name;
        ++gears;
      }
  EXPECT_EQ(gears, 5);
  EXPECT_TRUE(bench.solution().homeProblem().isEmpty());
  EXPECT_FALSE(ledgerSays(QStringLiteral("mesh")));
  EXPECT_EQ(window.panel(Stage::join)->state().second, Tone::good);
}

// What a check remembers of a pair knows which way the pair turns.
TEST_F(TruthTest, APairThatIsTurnedRoundIsCheckedAnew) {
  ASSERT_TRUE(open(kShafts));
  bench.selection().setStage(Stage::join);
  bench.selection().select({bench.document().mechanism()->joints[0]->id, bench.document().mechanism()->joints[1]->id});
  settle();
  window.machine()->start(Machine::spur);
  settle();
  window.machine()->keep();
  settle();
  const model::Mechanism m = *bench.document().mechanism();
  const auto driven = model::withDrive(m, {m.joints[0]->id, "turn"}, 0, model::Purpose::steady, 0);
  ASSERT_TRUE(driven.ok()) << driven.error().text;
  // a tooth's way is enough
  bench.document().apply("drive", model::changed<model::Run>(driven->first, &model::Mechanism::runs,
                                                             driven->first.runs[0]->id, [](model::Run& r) {
                                                               r.duration = model::Field(0.01);
                                                               r.turns.reset();
                                                               r.steps = 2;
                                                             }));
  settle();
  key(Qt::Key_F6);
  ASSERT_TRUE(
      waitFor([&] { return bench.checks().check() && !bench.checks().isCheckStale() && !bench.jobs().busy(); }));
  EXPECT_TRUE(bench.checks().check()->result.interference.empty());
  bench.selection().select({bench.document().mechanism()->couplings.back()->id});
  settle();
  auto* reversed = find<QCheckBox>(QStringLiteral("coupling flip"));
  ASSERT_TRUE(reversed);
  reversed->click();
  settle();
  key(Qt::Key_F6);
  ASSERT_TRUE(
      waitFor([&] { return bench.checks().check() && !bench.checks().isCheckStale() && !bench.jobs().busy(); }));
  EXPECT_FALSE(bench.checks().check()->result.interference.empty()) << "teeth run into one another";
}

TEST_F(TruthTest, OtherWaysOfAFreeCrankAreThoseOfItsPresentPlaceAndCanBeClicked) {
  ASSERT_TRUE(open(R"({"format":"cooperage","version":1,"links":[
    {"name":"g","ground":true,"seats":[{"name":"o"},{"name":"r","at":[100,0,0]}]},
    {"name":"crank","placement":{"at":[0,0,0],"turn":[0.9,0,0,0.43589]},"seats":[{"name":"o"},{"name":"p","at":[40,0,0]}],
     "bodies":[{"name":"b","element":"bar","length":40,"width":8,"thickness":4,"bore":4}]},
    {"name":"rod","placement":{"at":[25,31,0]},"seats":[{"name":"p"},{"name":"q","at":[90,0,0]}],
     "bodies":[{"name":"b","element":"bar","length":90,"width":8,"thickness":4,"bore":4}]},
    {"name":"rocker","placement":{"at":[100,0,0],"turn":[0.7,0,0,0.714]},"seats":[{"name":"r"},{"name":"q","at":[60,0,0]}],
     "bodies":[{"name":"b","element":"bar","length":60,"width":8,"thickness":4,"bore":4}]}],
   "joints":[{"name":"in","kind":"revolute","between":["g/o","crank/o"]},{"name":"p","kind":"revolute","between":["crank/p","rod/p"]},
    {"name":"q","kind":"revolute","between":["rod/q","rocker/q"]},{"name":"out","kind":"revolute","between":["g/r","rocker/r"]}]})"));
  bench.selection().setStage(Stage::join);
  window.actions()->find("view top")->trigger();
  window.scene()->fitAll();
  const Pose crank = bench.pose().poses()[1], rocker = bench.pose().poses()[3];
  window.actions()->find("ways")->trigger();
  settle();
  ASSERT_EQ(bench.pose().ghosts().size(), 1u) << "one other way with the crank where it is";
  EXPECT_LT((bench.pose().ghosts()[0][1].R - crank.R).norm(), 1e-9);
  EXPECT_GT((bench.pose().ghosts()[0][3].R - rocker.R).norm(), 0.1);
  window.scene()->repaint();
  QPoint label;
  for (int y = 0; y < window.scene()->height() && label.isNull(); y += 4)
    for (int x = 0; x < window.scene()->width() && label.isNull(); x += 4)
      if (window.scene()->marks().ghostAt(QPointF(x, y)) == 0) label = {x, y};
  ASSERT_FALSE(label.isNull()) << "its label is there to be clicked";
  QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::NoModifier, label);
  settle();
  EXPECT_GT((bench.pose().poses()[3].R - rocker.R).norm(), 0.1);
  EXPECT_TRUE(bench.pose().ghosts().empty());
}

TEST_F(TruthTest, WhatIsPutTogetherBearsTheNameOfItsLargestBody) {
  bench.document().apply("two", io::readCoop(R"({"format":"cooperage","version":1,"links":[
    {"name":"peg","bodies":[{"name":"peg","element":"cylinder","radius":3,"length":10}]},
    {"name":"stave","bodies":[{"name":"stave","element":"box","size":[200,60,12]}]}]})"));
  settle();
  bench.selection().setStage(Stage::shape);
  bench.selection().select({linkId("peg"), linkId("stave")});
  settle();
  for (auto* b : window.findChildren<QPushButton*>())
    if (b->isVisible() && b->text() == QStringLiteral("Merge to one link")) {
      QTest::mouseClick(b, Qt::LeftButton);
      break;
    }
  settle();
  ASSERT_EQ(bench.document().mechanism()->links.size(), 1u);
  EXPECT_EQ(bench.document().mechanism()->links[0]->name, "stave");
}

}  // namespace
}  // namespace cooperage::app
