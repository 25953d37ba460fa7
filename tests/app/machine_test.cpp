// SPDX-License-Identifier: GPL-3.0-or-later
// Gears, couplings, cams and screws made in the real window, with mouse and keys.
#include <QCheckBox>
#include <QSpinBox>

#include "card/card.h"
#include "card/card_page.h"
#include "maker/machine_card.h"
#include "shape_join_fixture.h"
#include "strip/cam_lanes.h"

namespace cooperage::app {
namespace {

using namespace model;

class Machine : public ShapeJoin {
 protected:
  /// Two shafts on a frame and a slide, without any body.
  void openPlain() {
    const QString path = folder.filePath(QStringLiteral("plain.coop"));
    std::ofstream(path.toStdString()) << R"({"format":"cooperage","version":1,"links":[
      {"name":"frame","ground":true,"seats":[{"name":"a"},{"name":"b","at":[70,0,0]},{"name":"s","at":[0,80,0],"axis":[0,1,0],"ref":[0,0,1]},
        {"name":"x","at":[0,0,0],"axis":[1,0,0],"ref":[0,0,1]}]},
      {"name":"driver","seats":[{"name":"hub"},{"name":"x","axis":[1,0,0],"ref":[0,0,1]}]},
      {"name":"driven","placement":{"at":[70,0,0]},"seats":[{"name":"hub"}]},
      {"name":"ram","placement":{"at":[0,80,0]},"seats":[{"name":"guide","axis":[0,1,0],"ref":[0,0,1]}]}],
     "joints":[{"name":"in","kind":"revolute","between":["frame/a","driver/hub"]},
      {"name":"out","kind":"revolute","between":["frame/b","driven/hub"]},
      {"name":"guide","kind":"prismatic","between":["frame/s","ram/guide"]}]})";
    ASSERT_TRUE(window.openPath(path)) << lastError.toStdString();
    bench.selection().setStage(Stage::join);
    settle();
  }
  void choose(const QString& name, const QString& key) {
    auto* box = find<QComboBox>(name);
    ASSERT_TRUE(box) << name.toStdString();
    const int i = box->findData(key) >= 0 ? box->findData(key) : box->findText(key);
    ASSERT_GE(i, 0) << key.toStdString();
    box->setFocus();
    box->setCurrentIndex(i);
    emit box->activated(i);
    settle();
  }
  QString words(const QString& name) {
    for (auto* l : window.findChildren<QLabel*>(name))
      if (l->isVisible()) return l->text();
    return {};
  }
  const Coupling& coupling(std::size_t i = 0) { return *bench.document().mechanism()->couplings.at(i); }
  double turnOf(const char* joint) {
    for (std::size_t l = 0; l < bench.solution().resolved().joints.size(); ++l)
      if (bench.solution().resolved().joints[l].name == joint) {
        const auto& j = bench.solution().resolved().joints[l];
        const Pose a = bench.pose().poses()[static_cast<std::size_t>(j.linkA)] * j.seatA,
                   b = bench.pose().poses()[static_cast<std::size_t>(j.linkB)] * j.seatB;
        const Mat3 rel = a.R.transpose() * b.R;
        return std::atan2(rel(1, 0), rel(0, 0));
      }
    ADD_FAILURE() << joint;
    return 0;
  }
};

TEST_F(Machine, AGearPairIsMadeFlippedAndEdited) {
  openPlain();
  const std::string before = document();
  clickRow(QStringLiteral("in"));
  clickRow(QStringLiteral("out"), Qt::ControlModifier);
  key(Qt::Key_G, Qt::ControlModifier);
  settle();
  ASSERT_TRUE(window.machine()->isOpen());
  // 20 and 40 teeth of module 2 want 60 mm: the second shaft has come nearer
  EXPECT_NEAR(bench.solution().resolved().links[2].placement.p.x(), 0.060, 1e-12);
  EXPECT_THAT(words(QStringLiteral("gear figures")).toStdString(), testing::HasSubstr("60.000 mm apart"));
  type(QStringLiteral("ratio"), QStringLiteral("1.5"));
  settle();
  EXPECT_EQ(coupling().figures[1].number, 30);
  type(QStringLiteral("teeth first"), QStringLiteral("12"));
  settle();
  EXPECT_THAT(words(QStringLiteral("gear figures")).toStdString(), testing::HasSubstr("undercut"));
  type(QStringLiteral("teeth first"), QStringLiteral("many"));
  settle();
  EXPECT_EQ(coupling().figures[0].number, 12) << "a wrong figure keeps the last good one";
  type(QStringLiteral("teeth first"), QStringLiteral("18"));
  settle();
  const bool plain = coupling().flip;
  press(QStringLiteral("flip"));
  settle();
  EXPECT_NE(coupling().flip, plain);
  press(QStringLiteral("flip"));
  settle();
  EXPECT_EQ(coupling().flip, plain);
  enterOn(window.machine());
  EXPECT_FALSE(window.machine()->isOpen());
  // it turns: the second by 18/30, against the first
  const Id in = findByName(bench.document().mechanism()->joints, "in")->id;
  ASSERT_TRUE(bench.pose().beginJog(in, 0));
  bench.pose().jogTo(0.5);
  EXPECT_NEAR(turnOf("in"), 0.5, 1e-9);
  EXPECT_NEAR(turnOf("out"), -0.3, 1e-9);
  bench.pose().endJog();
  // edited from the card of the coupling
  clickRow(QString::fromStdString(coupling().name));
  settle();
  EXPECT_THAT(words(QStringLiteral("pair centre")).toStdString(), testing::HasSubstr("48.0000"));
  EXPECT_THAT(words(QStringLiteral("solved out.turn")).toStdString(), testing::HasSubstr("-0.600000"));
  EXPECT_THAT(words(QStringLiteral("willis out.turn")).toStdString(), testing::HasSubstr("-0.600000"));
  for (auto* b : window.findChildren<QPushButton*>())
    if (b->text().startsWith(QStringLiteral("Edit the gears")) && b->isVisible()) QTest::mouseClick(b, Qt::LeftButton);
  settle();
  ASSERT_TRUE(window.machine()->isOpen());
  type(QStringLiteral("teeth second"), QStringLiteral("42"));
  settle();
  EXPECT_NEAR(bench.solution().resolved().links[2].placement.p.x(), 0.060, 1e-9);
  EXPECT_EQ(bench.document().mechanism()->couplings.size(), 1u);
  QTest::keyClick(window.machine(), Qt::Key_Escape);
  settle();
  EXPECT_EQ(coupling().figures[1].number, 30) << "Esc takes the edit back";
  while (bench.document().undoStack()->canUndo()) bench.document().undoStack()->undo();
  EXPECT_EQ(document(), before) << "made in one step, undone in one";
}

TEST_F(Machine, TwoJointsThatAreThereAreCoupled) {
  openPlain();
  clickRow(QStringLiteral("in"));
  clickRow(QStringLiteral("guide"), Qt::ControlModifier);
  key(Qt::Key_L, Qt::ControlModifier);
  settle();
  ASSERT_EQ(bench.document().mechanism()->couplings.size(), 1u) << lastError.toStdString();
  type(QStringLiteral("Ratio"), QStringLiteral("12 mm/rev"));
  settle();
  const Id in = findByName(bench.document().mechanism()->joints, "in")->id;
  ASSERT_TRUE(bench.pose().beginJog(in, 0));
  bench.pose().jogTo(kPi / 2);
  EXPECT_NEAR(bench.pose().poses()[3].p.y(), 0.080 + 0.003, 1e-9);
  bench.pose().endJog();
  bench.pose().goHome();
  // another kind on the same joints: a formula, then a rack
  choose(QStringLiteral("coupling kind"), QStringLiteral("formula"));
  EXPECT_EQ(coupling().kind, CouplingKind::formula);
  type(QStringLiteral("coupling formula"), QStringLiteral("20 mm*(1-cos(in.turn))"));
  settle();
  EXPECT_THAT(fieldText(*bench.document().mechanism(), coupling().formula), testing::HasSubstr("cos"))
      << lastError.toStdString();
  ASSERT_TRUE(bench.pose().beginJog(in, 0));
  bench.pose().jogTo(kPi / 3);
  EXPECT_NEAR(bench.pose().poses()[3].p.y(), 0.080 + 0.010, 1e-9);
  bench.pose().endJog();
  bench.pose().goHome();
  choose(QStringLiteral("coupling kind"), QStringLiteral("rack"));
  EXPECT_EQ(coupling().kind, CouplingKind::rack);
  // one joint alone can't be coupled
  bench.selection().select({in});
  key(Qt::Key_L, Qt::ControlModifier);
  EXPECT_EQ(bench.document().mechanism()->couplings.size(), 1u);
  EXPECT_TRUE(lastError.contains(QStringLiteral("two joints"))) << lastError.toStdString();
}

TEST_F(Machine, ACamIsMadeAndItsDwellDraggedLonger) {
  openPlain();
  clickRow(QStringLiteral("in"));
  clickRow(QStringLiteral("guide"), Qt::ControlModifier);
  key(Qt::Key_M, Qt::ControlModifier);
  settle();
  ASSERT_TRUE(window.machine()->isOpen()) << lastError.toStdString();
  ASSERT_EQ(bench.document().mechanism()->camPairs.size(), 1u)
      << words(QStringLiteral("machine problem")).toStdString();
  type(QStringLiteral("base"), QStringLiteral("50"));
  settle();
  enterOn(window.machine());
  auto* lanes = window.findChild<CamLanes*>();
  ASSERT_TRUE(lanes && lanes->isVisible()) << "the law is on the strip";
  const auto curveOf = [&] { return bench.solution().resolved().curveList.at(0); };
  const auto lift = [&](double degrees) { return curveOf().cam->law->at(degrees * kPi / 180).position; };
  EXPECT_NEAR(lift(150), 0.020, 1e-12);
  EXPECT_LT(lift(200), 0.0199) << "the return has begun";
  const auto profile = curveOf().curve->at(200 * kPi / 180)[0];
  // the knot at the end of the dwell, 180 degrees, is dragged to 225
  const QPoint knot = lanes->knotAt(1).toPoint(),
               to(static_cast<int>(std::lround(lanes->xOf(225 * kPi / 180))), knot.y() + 2);
  QTest::mouseMove(lanes, knot);
  QTest::mousePress(lanes, Qt::LeftButton, Qt::NoModifier, knot);
  for (int k = 1; k <= 5; ++k) {
    const QPointF at = QPointF(knot) + (QPointF(to) - QPointF(knot)) * k / 5.0;
    QMouseEvent move(QEvent::MouseMove, at, lanes->mapToGlobal(at), Qt::NoButton, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(lanes, &move);
    QApplication::processEvents();
    if (k != 3) continue;
    EXPECT_GT((curveOf().curve->at(200 * kPi / 180)[0] - profile).norm(), 1e-5) << "the profile follows live";
  }
  QTest::mouseRelease(lanes, Qt::LeftButton, Qt::NoModifier, to);
  settle();
  EXPECT_NEAR(lift(200), 0.020, 1e-12);
  EXPECT_NEAR(curveOf().cam->law->knots()[2] * 180 / kPi, 225, 0.51);
  EXPECT_NEAR(curveOf().cam->law->end(), 2 * kPi, 1e-12) << "the return gave way";
  // typed figures and drag agree: the card shows what was dragged
  auto* over = find<QLineEdit>(QStringLiteral("Over 2"));
  ASSERT_TRUE(over);
  EXPECT_NEAR(over->text().section(QLatin1Char(' '), 0, 0).toDouble(), 105, 0.51) << over->text().toStdString();
  EXPECT_THAT(words(QStringLiteral("cam pressure")).toStdString(), testing::HasSubstr("\u00b0 at"));
  // up: the plateau rises at both its ends
  const QPoint top = lanes->knotAt(1).toPoint();
  QTest::mousePress(lanes, Qt::LeftButton, Qt::NoModifier, top);
  for (int k = 1; k <= 4; ++k) {
    const QPointF at(top.x(), top.y() + 10.0 * k);
    QMouseEvent move(QEvent::MouseMove, at, lanes->mapToGlobal(at), Qt::NoButton, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(lanes, &move);
  }
  QTest::mouseRelease(lanes, Qt::LeftButton, Qt::NoModifier, top + QPoint(0, 40));
  settle();
  EXPECT_LT(lift(150), 0.0195);
  EXPECT_NEAR(lift(130), lift(200), 1e-12);
  bench.document().undoStack()->undo();
  EXPECT_NEAR(lift(150), 0.020, 1e-12) << "a drag is one step";
  // the outline leaves as a file that holds the profile's points in mm
  const QString file = folder.filePath(QStringLiteral("profile.csv"));
  ASSERT_TRUE(saveOutlineTo(bench, curveOf().id, file)) << lastError.toStdString();
  std::ifstream csv(file.toStdString());
  std::string head, first;
  std::getline(csv, head);
  std::getline(csv, first);
  EXPECT_EQ(head, "x [mm],y [mm]");
  EXPECT_NEAR(std::stod(first), curveOf().curve->at(0)[0].x() * 1e3, 1e-6);
  for (const char* ending : {"dxf", "svg", "step"}) {
    const QString other = folder.filePath(QStringLiteral("profile.") + QLatin1String(ending));
    EXPECT_TRUE(saveOutlineTo(bench, curveOf().id, other)) << ending << lastError.toStdString();
    EXPECT_GT(QFileInfo(other).size(), 1000);
  }
}

TEST_F(Machine, AScrewJoinsTheHeadClamp) {
  ASSERT_TRUE(window.openPath(QStringLiteral(COOPERAGE_DEMO) + "/head-clamp/head-clamp.coop"))
      << lastError.toStdString();
  bench.selection().setStage(Stage::join);
  settle();
  // take the screw out and make it anew from the three joints
  std::vector<Id> gone;
  for (const auto& c : bench.document().mechanism()->couplings) gone.push_back(c->id);
  for (const auto& l : bench.document().mechanism()->links)
    for (const auto& b : l->bodies)
      if (b->kind == BodyKind::screw || b->kind == BodyKind::nut) gone.push_back(b->id);
  ASSERT_TRUE(
      bench.document().apply(QStringLiteral("Take the screw out"), removed(*bench.document().mechanism(), gone)));
  ASSERT_GT(bench.solution().mobility()->freedoms, 1);
  const auto id = [&](const char* name) { return findByName(bench.document().mechanism()->joints, name)->id; };
  bench.selection().select({id("spindle"), id("right nut"), id("left nut")});
  window.actions()->find(QStringLiteral("machine %1").arg(static_cast<int>(app::Machine::screw)))->trigger();
  settle();
  ASSERT_TRUE(window.machine()->isOpen());
  type(QStringLiteral("lead"), QStringLiteral("6 mm"));
  settle();
  EXPECT_TRUE(words(QStringLiteral("machine problem")).isEmpty())
      << words(QStringLiteral("machine problem")).toStdString();
  enterOn(window.machine());
  EXPECT_EQ(bench.solution().mobility()->freedoms, 1) << "one hand wheel moves it all";
  ASSERT_TRUE(bench.pose().beginJog(id("spindle"), 0));
  bench.pose().jogTo(2 * kPi);
  const auto x = [&](const char* link) {
    for (std::size_t l = 0; l < bench.solution().resolved().links.size(); ++l)
      if (bench.solution().resolved().links[l].name == link) return bench.pose().poses()[l].p;
    return Vec3(Vec3::Zero());
  };
  EXPECT_NEAR(x("right carriage").x(), -0.006, 1e-9);
  EXPECT_NEAR(x("left carriage").x(), 0.006, 1e-9);
  EXPECT_GT(x("plate").z(), 0.003) << "the plate rises";
  bench.pose().endJog();
}

TEST_F(Machine, APlanetaryStageIsMadeAndRefusedWithItsReason) {
  openPlain();
  window.actions()->find(QStringLiteral("machine %1").arg(static_cast<int>(app::Machine::planetary)))->trigger();
  settle();
  ASSERT_TRUE(window.machine()->isOpen());
  ASSERT_EQ(bench.document().mechanism()->couplings.size(), 6u)
      << words(QStringLiteral("machine problem")).toStdString();
  auto* planets = find<QSpinBox>(QStringLiteral("planets"));
  ASSERT_TRUE(planets);
  planets->setValue(5);
  settle();
  EXPECT_THAT(words(QStringLiteral("machine problem")).toStdString(), testing::HasSubstr("can't be spread"));
  planets = find<QSpinBox>(QStringLiteral("planets"));
  planets->setValue(4);
  settle();
  EXPECT_TRUE(window.machine()->findChild<QLabel*>(QStringLiteral("machine problem")) == nullptr);
  EXPECT_EQ(bench.document().mechanism()->couplings.size(), 8u);
  enterOn(window.machine());
  clickRow(QString::fromStdString(coupling(0).name));
  settle();
  choose(QStringLiteral("train input"), QStringLiteral("stage sun.turn"));
  EXPECT_THAT(words(QStringLiteral("willis stage carrier.turn")).toStdString(), testing::HasSubstr("0.285714"))
      << "24 / (24 + 60)";
  EXPECT_EQ(words(QStringLiteral("willis stage carrier.turn")), words(QStringLiteral("solved stage carrier.turn")));
}

TEST_F(Machine, ABeltIsLaidCrossedAndTypedWider) {
  openPlain();
  clickRow(QStringLiteral("in"));
  clickRow(QStringLiteral("out"), Qt::ControlModifier);
  window.actions()->find(QStringLiteral("machine %1").arg(static_cast<int>(app::Machine::belt)))->trigger();
  settle();
  ASSERT_TRUE(window.machine()->isOpen());
  type(QStringLiteral("size 1"), QStringLiteral("20"));
  type(QStringLiteral("size 2"), QStringLiteral("30"));
  settle();
  const double c = 0.070, r = 0.020, R = 0.030, a = std::asin((R - r) / c);
  ASSERT_TRUE(bench.machine().beltPath(coupling().id));
  EXPECT_NEAR(bench.machine().beltPath(coupling().id)->length,
              2 * c * std::cos(a) + r * (kPi - 2 * a) + R * (kPi + 2 * a), 1e-9);
  auto* crossed = find<QCheckBox>(QStringLiteral("crossed"));
  ASSERT_TRUE(crossed);
  crossed->click();
  settle();
  EXPECT_TRUE(coupling().flip);
  type(QStringLiteral("size 2"), QStringLiteral("60"));
  settle();
  EXPECT_THAT(words(QStringLiteral("machine problem")).toStdString(), testing::HasSubstr("overlap"));
  EXPECT_EQ(coupling().figures[1].number, 30) << "what can't be made leaves the last that could";
  type(QStringLiteral("size 2"), QStringLiteral("30"));
  settle();
  enterOn(window.machine());
  const Id in = findByName(bench.document().mechanism()->joints, "in")->id;
  ASSERT_TRUE(bench.pose().beginJog(in, 0));
  bench.pose().jogTo(0.6);
  EXPECT_NEAR(turnOf("out"), -0.4, 1e-9);
  bench.pose().endJog();
  bench.pose().goHome();
  // a radius typed in the coupling's card takes the pulley along
  bench.selection().select({coupling().id});
  settle();
  type(QStringLiteral("Radius 1"), QStringLiteral("25"));
  settle();
  EXPECT_EQ(findBody(*bench.document().mechanism(), coupling().bodies.at(0))->body->figures.at("radius").number, 25);
}

TEST_F(Machine, AnOutlinePickedOnABodyBecomesACurve) {
  openPlain();
  ASSERT_TRUE(bench.document().apply(
      QStringLiteral("Add"), changedLink(*bench.document().mechanism(), linkId("driver"), [](Link& l) {
        Body b;
        b.id = newId();
        b.name = "disc";
        b.kind = BodyKind::disc;
        b.figures = {{"radius", Field(30)}, {"thickness", Field(10)}, {"bore", Field(10)}};
        l.bodies.push_back(std::make_shared<const Body>(b));
      })));
  settle();
  look("top");
  key(Qt::Key_U);
  ASSERT_TRUE(window.maker()->isPicking());
  pickAny(linkId("driver"));
  settle();
  ASSERT_EQ(bench.solution().resolved().curveList.size(), 1u) << lastError.toStdString();
  ASSERT_TRUE(bench.solution().resolved().curveList[0].curve);
  const double length =
      bench.solution().resolved().curveList[0].curve->lengthTo(bench.solution().resolved().curveList[0].curve->high());
  EXPECT_TRUE(std::abs(length - 2 * kPi * 0.030) < 1e-6 || std::abs(length - 2 * kPi * 0.005) < 1e-6) << length;
}

TEST_F(Machine, ACurveOnAnImportedBodyIsAttachedWhenItsDocumentIsOpened) {
  const auto disc = shape::elementShape(BodyKind::disc, {0.030, 0.010, 0.010});
  ASSERT_TRUE(disc.ok());
  ASSERT_TRUE(
      shape::writeStep({{*disc, "disc", {}, {}}}, "disc", folder.filePath(QStringLiteral("disc.step")).toStdString())
          .ok());
  bench.importer().importFile(folder.filePath(QStringLiteral("disc.step")));
  settle();
  bench.selection().setStage(Stage::join);
  look("top");
  key(Qt::Key_U);
  pickAny(linkId("disc"));
  settle();
  ASSERT_EQ(bench.solution().resolved().curveList.size(), 1u) << lastError.toStdString();
  const auto length = [&] {
    const auto& curve = bench.solution().resolved().curveList.at(0).curve;
    return curve ? curve->lengthTo(curve->high()) : 0;
  };
  const double before = length();
  EXPECT_GT(before, 0.02);
  const QString file = folder.filePath(QStringLiteral("outline.coop"));
  ASSERT_TRUE(bench.document().save(file)) << lastError.toStdString();
  bench.document().newDocument();
  settle();
  ASSERT_TRUE(bench.solution().resolved().curveList.empty());
  ASSERT_TRUE(window.openPath(file)) << lastError.toStdString();
  settle();
  ASSERT_EQ(bench.solution().resolved().curveList.size(), 1u);
  EXPECT_NEAR(length(), before, 1e-12) << "attached as soon as its body is read, not at the next edit";
  EXPECT_TRUE(bench.solution().homeProblem().isEmpty()) << bench.solution().homeProblem().toStdString();
}

TEST_F(Machine, EveryMachineDemoOpensAndMeetsItsRequirements) {
  for (const char* name : {"croze-cutter", "cask-turner", "head-clamp", "bung-borer"}) {
    ASSERT_TRUE(window.openPath(QStringLiteral(COOPERAGE_DEMO "/%1/%1.coop").arg(QLatin1String(name))))
        << lastError.toStdString();
    settle();
    EXPECT_TRUE(bench.solution().homeProblem().isEmpty()) << name;
    for (const auto& l : bench.document().mechanism()->links)
      for (const auto& b : l->bodies)
        EXPECT_TRUE(bench.shapes().problem(b->id).isEmpty())
            << name << ' ' << bench.shapes().problem(b->id).toStdString();
    bench.checks().startCheck();
    ASSERT_TRUE(waitFor([&] { return bench.checks().check() && !bench.jobs().busy(); }, 240000)) << name;
    for (const auto& r : bench.checks().check()->result.requirements) EXPECT_TRUE(r.met) << name << ": " << r.name;
  }
}

}  // namespace
}  // namespace cooperage::app
