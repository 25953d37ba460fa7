// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape_join_fixture.h"

namespace cooperage::app {
namespace {

/// A four-link press from a folder of parts, by picks only, then driven; all of it undone and redone.
TEST_F(ShapeJoin, APressFromAFolderOfPartsByPicksOnlyThenDriven) {
  const QString parts = partsFolder(sample("ram press"));
  auto* shelf = window.shapePanel()->shelf();
  shelf->setFolder(parts);
  ASSERT_EQ(shelf->list()->count(), 4);
  ASSERT_TRUE(waitFor([&] { return !shelf->isReading(); }));
  for (int i = 0; i < 4; ++i) {
    shelf->list()->setCurrentRow(i);
    QTest::keyClick(shelf->list(), Qt::Key_Return);
    settle();
    ASSERT_TRUE(window.placing()->isPlacing()) << lastError.toStdString();
    // the parts are drawn in place: the card's shift puts them where they belong
    for (const char* field : {"shift x", "shift y", "shift z"}) {
      auto* edit = window.placing()->findChild<QLineEdit*>(QLatin1String(field));
      for (auto* e : window.placing()->findChildren<QLineEdit*>(QLatin1String(field)))
        if (!e->isHidden()) edit = e;
      edit->setFocus();
      edit->selectAll();
      QTest::keyClicks(edit, "0");
      QTest::keyClick(edit, Qt::Key_Return);
      settle();
    }
    enterOn(window.placing());
    EXPECT_FALSE(window.placing()->isPlacing());
  }
  ASSERT_EQ(bench.document().mechanism()->links.size(), 4u);
  clickRow("frame");
  window.scene()->setFocus();
  key(Qt::Key_G);
  ASSERT_TRUE(model::findByName(bench.document().mechanism()->links, "frame")->ground);

  key(Qt::Key_2, Qt::AltModifier);
  look("top");
  press("make revolute");
  // the heads of the pins, seen from above
  joinAt("frame", "crank", Vec3(0, 0, 0.027));
  ASSERT_EQ(bench.document().mechanism()->joints.size(), 1u) << lastError.toStdString();
  EXPECT_TRUE(window.joinPanel()->isMaking()) << "the next one of the same kind";
  joinAt("crank", "rod", Vec3(0.030, 0.030, 0.047));
  joinAt("ram", "rod", Vec3(0.160, 0, 0.047));
  key(Qt::Key_Escape);
  EXPECT_FALSE(window.joinPanel()->isMaking());
  look("right");
  press("make prismatic");
  joinAt("ram", "frame", Vec3(0.230, 0, 0.020));
  key(Qt::Key_Escape);
  ASSERT_EQ(bench.document().mechanism()->joints.size(), 4u) << lastError.toStdString();
  ASSERT_TRUE(bench.solution().mobility());
  EXPECT_EQ(bench.solution().mobility()->freedoms, 1);
  key(Qt::Key_3, Qt::AltModifier);
  clickRow(QString::fromStdString(bench.document().mechanism()->joints[0]->name));
  press("steady");
  window.scene()->setFocus();
  key(Qt::Key_F5);
  settle();
  ASSERT_NE(bench.runs().run(), nullptr) << lastError.toStdString();
  EXPECT_TRUE(bench.runs().run()->result.travel.completed);
  undoAllAndRedo();
}

TEST_F(ShapeJoin, JointsOfAnAssemblyAreProposedAcceptedAndGiveOneFreedom) {
  const auto s = sample("ram press");
  std::vector<shape::StepPart> parts;
  for (const auto& p : s.parts) parts.push_back({p.shape, p.name, {}, {}});
  const QString file = folder.filePath("press.step");
  ASSERT_TRUE(shape::writeStep(parts, "press", file.toStdString()).ok());
  bench.importer().importFile(file);
  settle();
  ASSERT_EQ(bench.document().mechanism()->links.size(), 4u) << lastError.toStdString();
  clickRow("frame");
  window.scene()->setFocus();
  key(Qt::Key_G);
  key(Qt::Key_2, Qt::AltModifier);
  press("propose");
  settle();
  auto* proposals = window.proposals();
  ASSERT_TRUE(proposals->isVisible()) << lastError.toStdString();
  auto* sum = proposals->findChild<QLabel*>("proposal sum");
  ASSERT_TRUE(sum);
  EXPECT_THAT(sum->text().toStdString(), testing::HasSubstr("4 joints"));
  EXPECT_THAT(sum->text().toStdString(), testing::HasSubstr("1 freedom"));
  // one refused: the count follows at once
  auto* list = proposals->list();
  for (int i = 0; i < list->topLevelItemCount(); ++i)
    if (proposals->entries()[static_cast<std::size_t>(i)].kind == model::JointKind::prismatic) {
      list->topLevelItem(i)->setCheckState(0, Qt::Unchecked);
      EXPECT_THAT(sum->text().toStdString(), testing::HasSubstr("3 freedoms"));
      list->topLevelItem(i)->setCheckState(0, Qt::Checked);
    }
  enterOn(proposals);
  ASSERT_EQ(bench.document().mechanism()->joints.size(), 4u) << lastError.toStdString();
  ASSERT_TRUE(bench.solution().mobility());
  EXPECT_EQ(bench.solution().mobility()->freedoms, 1);
  undoAllAndRedo();
}

TEST_F(ShapeJoin, TheCardChangesAJointBeforeAndAfterItIsMade) {
  openDemo();
  bench.document().apply("cut",
                         model::removed(*bench.document().mechanism(),
                                        {model::findByName(bench.document().mechanism()->joints, "main bearing")->id}));
  bench.selection().setStage(Stage::join);
  look("back");
  const std::string before = document();
  press("make revolute");
  pick(linkId("crank"), Vec3(0.175, 0.084, 0.452));
  pick(linkId("frame"), Vec3(0.175, 0.070, 0.452));
  auto& card = window.maker()->card();
  ASSERT_TRUE(card.isVisible()) << lastError.toStdString();
  EXPECT_TRUE(window.maker()->wiggle().isRunning()) << "it moves by itself to show what it allows";
  EXPECT_THAT(card.findChild<QLabel*>("leaves")->text().toStdString(), testing::HasSubstr("turn about the axis"));
  // keys choose the kind; the card says what remains
  const auto kindNow = [&](model::JointKind kind) {  // buttons answer their keys a moment later
    return waitFor([&] { return bench.document().mechanism()->joints.back()->kind == kind; }, 5000);
  };
  QTest::keyClick(&card, Qt::Key_3);
  EXPECT_TRUE(kindNow(model::JointKind::cylindrical));
  const auto axis = [&] { return bench.solution().resolved().joints.back().seatA.R.col(2); };
  const Vec3 was = axis();
  QTest::keyClick(&card, Qt::Key_R);
  settle();
  EXPECT_NEAR((axis() + was).norm(), 0, 1e-9);
  // Esc takes the whole joint back, as if it had never been
  QTest::keyClick(&card, Qt::Key_Escape);
  settle();
  EXPECT_EQ(document(), before);
  EXPECT_FALSE(window.maker()->wiggle().isRunning());
  // once more, and confirmed; then its kind is changed later with the places kept
  pick(linkId("crank"), Vec3(0.175, 0.084, 0.452));
  pick(linkId("frame"), Vec3(0.175, 0.070, 0.452));
  enterOn(&card);
  key(Qt::Key_Escape);
  ASSERT_EQ(bench.document().mechanism()->joints.size(), 7u);
  const auto made = bench.document().mechanism()->joints.back();
  bench.selection().select({made->id});
  settle();
  window.scene()->setFocus();
  key(Qt::Key_E);
  ASSERT_TRUE(card.isVisible());
  QTest::keyClick(&card, Qt::Key_6);
  EXPECT_TRUE(kindNow(model::JointKind::spherical));
  enterOn(&card);
  const auto now = bench.document().mechanism()->joints.back();
  EXPECT_EQ(now->kind, model::JointKind::spherical);
  EXPECT_EQ(now->seats, made->seats);
  // a change taken back leaves the joint as it was
  key(Qt::Key_E);
  QTest::keyClick(&card, Qt::Key_9);
  EXPECT_TRUE(kindNow(model::JointKind::fixed));
  QTest::keyClick(&card, Qt::Key_Escape);
  settle();
  EXPECT_EQ(bench.document().mechanism()->joints.back()->kind, model::JointKind::spherical);
}

TEST_F(ShapeJoin, AnOffsetInMillimetresIsTypedInAnInchDocument) {
  model::Mechanism m;
  m.units.length = "in";
  bench.document().apply("inches", m);
  window.actions()->find("add box")->trigger();
  settle();
  window.actions()->find("add cylinder")->trigger();
  settle();
  ASSERT_EQ(bench.document().mechanism()->links.size(), 2u);
  bench.document().apply(
      "ground", model::grounded(*bench.document().mechanism(), {bench.document().mechanism()->links[0]->id}, true));
  bench.document().apply("aside",
                         model::changedLink(*bench.document().mechanism(), bench.document().mechanism()->links[1]->id,
                                            [](model::Link& l) { l.placement.at[0] = model::Field(4); }));
  bench.selection().setStage(Stage::join);
  look("corner");
  press("bring together");
  press("make revolute");
  pick(linkId("box"), Vec3(0, 0, 0.010));
  pick(linkId("cylinder"), Vec3(4 * 0.0254, 0, 0.040));
  auto& card = window.maker()->card();
  ASSERT_TRUE(card.isVisible()) << lastError.toStdString();
  window.maker()->wiggle().stop();
  const double before = bench.pose().poses()[1].p.z();
  press("card more");
  QLineEdit* along = nullptr;
  for (auto* e : card.findChildren<QLineEdit*>("card along"))
    if (!e->isHidden()) along = e;
  ASSERT_TRUE(along);
  along->setFocus();
  along->selectAll();
  QTest::keyClicks(along, "-14 mm");
  QTest::keyClick(along, Qt::Key_Return);
  settle();
  window.maker()->wiggle().stop();
  EXPECT_NEAR(bench.pose().poses()[1].p.z() - before, -0.014, 1e-9) << lastError.toStdString();
  enterOn(&card);
  EXPECT_EQ(model::fieldText(*bench.document().mechanism(), bench.document().mechanism()->joints[0]->slideOffset),
            "-14 mm");
}

TEST_F(ShapeJoin, ACoveredBoreIsReachedByTheNextKeyAndKeptPlacesStay) {
  openDemo();
  bench.selection().setStage(Stage::join);
  look("front");
  press("make revolute");
  // the knuckle's bores lie behind one another: the pointer rests on the front cheek
  const auto rod = linkId("rod");
  const Vec3 knuckle = [&] {
    for (const auto& j : bench.solution().resolved().joints)
      if (j.name == "rod knuckle") return Vec3((bench.pose().poses()[static_cast<std::size_t>(j.linkA)] * j.seatA).p);
    return Vec3(0, 0, 0);
  }();
  // on the rim of its bore, which is hidden by the cheek
  const QPoint at = window.scene()->project(knuckle + Vec3(0.008, 0, 0)).toPoint();
  auto& picker = window.scene()->picker();
  // parts are made to answer a few at a time
  ASSERT_TRUE(waitFor(
      [&] {
        QTest::mouseMove(window.scene(), at + QPoint(3, 1));
        QTest::mouseMove(window.scene(), at);
        QApplication::processEvents();
        return picker.present() != nullptr;
      },
      5000));
  EXPECT_NE(picker.present()->link, rod) << "something else lies in front";
  window.scene()->setFocus();
  bool found = false;
  for (std::size_t i = 0; i < picker.candidates().size() && !found; ++i) {
    key(Qt::Key_N);
    const Vec3 d = picker.present()->at - knuckle;
    found = picker.present()->link == rod && std::hypot(d.x(), d.z()) < 1e-6;
  }
  ASSERT_TRUE(found) << "every covered place is in the list";
  QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::NoModifier, at);
  EXPECT_THAT(window.statusText().toStdString(), testing::HasSubstr("second link"));
  EXPECT_THAT(window.statusText().toStdString(), testing::HasSubstr("rod"));
  // kept places stay while the pointer crosses other parts
  QTest::mouseMove(window.scene(), at + QPoint(2, 2));
  QTest::mouseMove(window.scene(), at);
  key(Qt::Key_K);
  const auto kept = picker.candidates().size();
  EXPECT_TRUE(picker.isKeeping());
  QTest::mouseMove(window.scene(), QPoint(window.scene()->width() / 2, window.scene()->height() - 80));
  QApplication::processEvents();
  EXPECT_EQ(picker.candidates().size(), kept);
  key(Qt::Key_K);
  EXPECT_FALSE(picker.isKeeping());
}

TEST_F(ShapeJoin, AStopIsTakenFromThePoseDraggedInTheSceneAndFelt) {
  openDemo();
  bench.selection().setStage(Stage::join);
  clickRow("main bearing");
  type("turnLower stop", "-20");
  type("turnUpper stop", "40");
  ASSERT_EQ(joint("main bearing").stops.count("turn"), 1u) << lastError.toStdString();
  // the handle of the upper stop is dragged: one undo step
  look("back");
  const auto handles = window.scene()->marks().handles();
  const auto upper = std::find_if(handles.begin(), handles.end(), [](const auto& h) { return h.which == 1; });
  ASSERT_NE(upper, handles.end());
  const int steps = bench.document().undoStack()->index();
  const QPoint from = upper->at.toPoint();
  const double reach = 58 * window.scene()->scale(), wanted = 60 * kPi / 180;
  const QPoint to =
      window.scene()->project(upper->frame * Vec3(reach * std::cos(wanted), reach * std::sin(wanted), 0)).toPoint();
  QTest::mousePress(window.scene(), Qt::LeftButton, Qt::NoModifier, from);
  for (int i = 1; i <= 6; ++i) QTest::mouseMove(window.scene(), from + (to - from) * i / 6);
  QTest::mouseRelease(window.scene(), Qt::LeftButton, Qt::NoModifier, to);
  settle();
  EXPECT_NEAR(joint("main bearing").stops.at("turn").high->number, 60, 2);
  EXPECT_EQ(bench.document().undoStack()->index(), steps + 1);
  // jogged by its slider it halts there
  ASSERT_TRUE(bench.pose().beginJog(joint("main bearing").id, 0));
  bench.pose().jogTo(3);
  const double high =
      bench.solution().resolved().joints[0].high[0] ? *bench.solution().resolved().joints[0].high[0] : 0;
  EXPECT_NEAR(bench.pose().jogTo(3), high, 1e-6);
  EXPECT_THAT(window.statusText().toStdString(), testing::HasSubstr("main bearing"));
  EXPECT_TRUE(bench.pose().isByHand());
  window.scene()->setFocus();
  key(Qt::Key_H);
  EXPECT_TRUE(bench.pose().isAtHome()) << "an accidental move never changes home";
}

TEST_F(ShapeJoin, TheWholeMechanismPlaysFromAnyOneJointWithoutADrive) {
  openDemo();
  std::vector<model::Id> drives;
  for (const auto& d : bench.document().mechanism()->drives) drives.push_back(d->id);
  bench.document().apply("no drives", model::removed(*bench.document().mechanism(), drives));
  bench.selection().setStage(Stage::join);
  clickRow("main bearing");
  auto* slider = find<QSlider>("jog turn");
  ASSERT_TRUE(slider);
  const auto before = bench.pose().poses();
  QTest::mousePress(slider, Qt::LeftButton, Qt::NoModifier,
                    QPoint(slider->width() * slider->value() / 1000, slider->height() / 2));
  slider->setSliderDown(true);
  slider->setValue(slider->value() + 140);
  QApplication::processEvents();
  double moved = 0;
  for (std::size_t i = 0; i < before.size(); ++i)
    moved = std::max(moved, (bench.pose().poses()[i].p - before[i].p).norm());
  EXPECT_GT(moved, 0.005) << "the ram has come down";
  slider->setSliderDown(false);
  settle();
  EXPECT_TRUE(bench.pose().isByHand());
  // and by itself, round and round, until it is stopped
  press("play turn");
  ASSERT_TRUE(bench.pose().isPlayingJoint());
  const Pose then = bench.pose().poses()[1];
  EXPECT_TRUE(waitFor([&] { return (bench.pose().poses()[1].R - then.R).norm() > 0.2; }, 10000));
  window.scene()->setFocus();
  key(Qt::Key_H);
  EXPECT_FALSE(bench.pose().isPlayingJoint());
  EXPECT_TRUE(bench.pose().isAtHome());
}

TEST_F(ShapeJoin, MeasuresBetweenTwoThings) {
  window.actions()->find("add box")->trigger();
  settle();
  bench.selection().setStage(Stage::join);
  look("corner");
  window.scene()->setFocus();
  key(Qt::Key_Q);
  EXPECT_THAT(window.statusText().toStdString(), testing::HasSubstr("Measure"));
  pick(linkId("box"), Vec3(0, 0, 0.010));
  pick(linkId("box"), Vec3(0, -0.020, 0));
  EXPECT_THAT(window.statusText().toStdString(), testing::HasSubstr("angle 90"));
}

TEST_F(ShapeJoin, TheLedgerFiltersAndTellsNeighbours) {
  openDemo();
  bench.selection().setStage(Stage::join);
  window.scene()->setFocus();
  key(Qt::Key_F, Qt::ControlModifier);
  auto* filter = find<QLineEdit>("filter");
  ASSERT_TRUE(filter);
  QTest::keyClicks(filter, "knuckle");
  QApplication::processEvents();
  const auto rows = window.panel(Stage::join)->list()->rows();
  EXPECT_GE(rows.size(), 2u);
  for (const auto& r : rows) EXPECT_TRUE((r.title + r.detail).contains("knuckle")) << r.title.toStdString();
  filter->clear();
  const LedgerRow* rod = row("rod");
  ASSERT_TRUE(rod);
  EXPECT_TRUE(rod->detail.contains("crank")) << rod->detail.toStdString();
}

TEST_F(ShapeJoin, AJointThatItsFacesContradictIsNamed) {
  // a pin in a bore without shoulders, joined as revolute to nothing else: it could slide off
  auto m = io::readCoop(
      R"({"format":"cooperage","version":1,"links":[
        {"name":"block","ground":true,"bodies":[{"name":"b","element":"disc","radius":20,"thickness":20,"bore":12}],"seats":[{"name":"bore"}]},
        {"name":"spindle","bodies":[{"name":"s","element":"cylinder","radius":6,"length":60}],"seats":[{"name":"axis"}]}],
        "joints":[{"name":"spindle","kind":"revolute","between":["block/bore","spindle/axis"]}]})");
  ASSERT_TRUE(m.ok()) << m.error().text;
  bench.document().apply("spindle", *m);
  bench.selection().setStage(Stage::join);
  const auto& remarks = window.joinPanel()->remarks();
  ASSERT_TRUE(waitFor([&] { return !remarks.messages().empty(); }, 20000));
  EXPECT_EQ(remarks.messages()[0].code, "slides");
  bool told = false;
  for (const auto& r : window.panel(Stage::join)->list()->rows())
    told = told || r.title.contains("nothing else holds it");
  EXPECT_TRUE(told);
  // made cylindrical, as the card advises, there is nothing left to say
  bench.document().apply("cure",
                         model::withKind(*bench.document().mechanism(), bench.document().mechanism()->joints[0]->id,
                                         model::JointKind::cylindrical));
  EXPECT_TRUE(waitFor([&] { return remarks.messages().empty(); }, 20000));
}

TEST_F(ShapeJoin, StopsComeFromTheEndsOfASlot) {
  const auto s = sample("croze yoke");
  std::vector<shape::StepPart> parts;
  for (const auto& p : s.parts) parts.push_back({p.shape, p.name, {}, {}});
  const QString file = folder.filePath("yoke.step");
  ASSERT_TRUE(shape::writeStep(parts, "yoke", file.toStdString()).ok());
  bench.importer().importFile(file);
  settle();
  bench.document().apply("ground", model::grounded(*bench.document().mechanism(), {linkId("frame")}, true));
  window.proposals()->start();
  settle();
  enterOn(window.proposals());
  ASSERT_EQ(bench.document().mechanism()->joints.size(), 3u) << lastError.toStdString();
  EXPECT_EQ(bench.solution().mobility()->freedoms, 1);
  for (const auto& j : bench.document().mechanism()->joints)
    if (j->kind == model::JointKind::pinSlot) bench.selection().select({j->id});
  bench.selection().setStage(Stage::join);
  settle();
  press("slide from faces");
  const auto joint = model::findJoint(*bench.document().mechanism(), bench.selection().ids()[0]);
  ASSERT_EQ(joint->stops.count("slide"), 1u) << lastError.toStdString();
  const auto& stops = joint->stops.at("slide");
  ASSERT_TRUE(stops.low && stops.high);
  EXPECT_NEAR(stops.high->number - stops.low->number, 68, 1e-3) << "between the ends of the slot";
  // a pin in a cross slot: the yoke's stroke is that of the pin, twice its radius, and follows its cosine
  model::Id crank = 0;
  for (const auto& j : bench.document().mechanism()->joints)
    if (j->kind == model::JointKind::revolute) crank = j->id;
  bench.document().apply(
      "free", model::changedJoint(*bench.document().mechanism(), joint->id, [](model::Joint& x) { x.stops.clear(); }));
  const double x0 = bench.pose().poses()[2].p.x();
  ASSERT_TRUE(bench.pose().beginJog(crank, 0));
  for (const double q : {0.5, 1.7, 3.0}) {
    bench.pose().jogTo(q);
    EXPECT_NEAR(bench.pose().poses()[2].p.x() - x0, 0.030 * (std::cos(q) - 1), 1e-7);
  }
}

TEST_F(ShapeJoin, WaysToCloseAreShownAsGhostsAndOneIsTaken) {
  auto m = io::readCoop(
      R"({"format":"cooperage","version":1,"links":[
        {"name":"g","ground":true,"seats":[{"name":"a"},{"name":"d","at":[100,0,0]}]},
        {"name":"crank","bodies":[{"name":"b","element":"bar","length":40,"width":10,"thickness":4,"bore":4}],"placement":{"at":[0,0,0],"turn":[0.866,0,0,0.5]},"seats":[{"name":"a"},{"name":"b","at":[40,0,0]}]},
        {"name":"rod","bodies":[{"name":"b","element":"bar","length":90,"width":10,"thickness":4,"bore":4}],"placement":{"at":[20,35,0]},"seats":[{"name":"b"},{"name":"c","at":[90,0,0]}]},
        {"name":"rocker","bodies":[{"name":"b","element":"bar","length":70,"width":10,"thickness":4,"bore":4}],"placement":{"at":[100,0,0],"turn":[0.7,0,0,0.7]},"seats":[{"name":"d"},{"name":"c","at":[70,0,0]}]}],
        "joints":[{"name":"A","kind":"revolute","between":["g/a","crank/a"],"home":{"turn":60}},{"name":"B","kind":"revolute","between":["crank/b","rod/b"]},
         {"name":"C","kind":"revolute","between":["rod/c","rocker/c"]},{"name":"D","kind":"revolute","between":["g/d","rocker/d"]}]})");
  ASSERT_TRUE(m.ok()) << m.error().text;
  bench.document().apply("four-bar", *m);
  bench.selection().setStage(Stage::join);
  window.scene()->setFocus();
  key(Qt::Key_W);
  ASSERT_EQ(bench.pose().ghosts().size(), 1u) << window.statusText().toStdString();
  const Vec3 other = bench.pose().ghosts()[0][3] * Vec3(0.07, 0, 0);
  clickRow("Assembly mode 2");
  EXPECT_TRUE(bench.pose().ghosts().empty());
  EXPECT_NEAR((bench.pose().poses()[3] * Vec3(0.07, 0, 0) - other).norm(), 0, 1e-6) << "it is home now";
  EXPECT_LT(other.y(), 0);
}

TEST_F(ShapeJoin, JointsAreCopiedToEqualParts) {
  partsFolder(sample("hoop lever"));
  for (int i = 0; i < 2; ++i) {
    bench.importer().insertPart(folder.filePath("rod.step"));
    settle();
    window.placing()->keep();
  }
  window.actions()->find("add box")->trigger();
  settle();
  auto m = *bench.document().mechanism();
  m = model::grounded(m, {linkId("box")}, true);
  bench.document().apply("ground", m);
  bench.selection().select({});
  bench.selection().setStage(Stage::join);
  model::Place a, b;
  a.link = linkId("box");
  b.link = bench.document().mechanism()->links[0]->id;
  a.at = Vec3(0, 0.04, 0.03);
  b.at = a.at;
  const auto made =
      model::joined(*bench.document().mechanism(), a, b, model::JointKind::revolute, true, bench.pose().poses());
  ASSERT_TRUE(made.ok());
  bench.document().apply("joint", made->first);
  bench.selection().select({bench.document().mechanism()->links[0]->id});
  settle();
  for (auto* button : window.findChildren<QPushButton*>())
    if (button->isVisible() && button->text() == "Copy its joints to them") {
      QTest::mouseClick(button, Qt::LeftButton);
      break;
    }
  settle();
  EXPECT_EQ(bench.document().mechanism()->joints.size(), 2u) << lastError.toStdString();
}

TEST_F(ShapeJoin, APointRunsAlongACurveOfTheFirstLink) {
  auto m = io::readCoop(
      R"({"format":"cooperage","version":1,"links":[
        {"name":"cam","ground":true,"bodies":[{"name":"b","element":"disc","radius":30,"thickness":6}],"seats":[{"name":"s"}],
         "curves":[{"name":"groove","seat":"s","kind":"circle","centre":[0,0],"radius":20}]},
        {"name":"pin","placement":{"at":[20,0,0]},"bodies":[{"name":"p","element":"sphere","radius":3,"placement":{"at":[0,0,20]}}]}]})");
  ASSERT_TRUE(m.ok()) << m.error().text;
  bench.document().apply("cam", *m);
  settle();
  bench.selection().setStage(Stage::join);
  look("top");
  press("make point-curve");
  pick(linkId("cam"), Vec3(0, 0, 0.003));
  pickAny(linkId("pin"));
  auto& card = window.maker()->card();
  ASSERT_TRUE(card.isVisible()) << lastError.toStdString();
  bool offered = false;
  for (auto* box : card.findChildren<QComboBox*>("curve"))
    offered = offered || (!box->isHidden() && box->currentText() == "groove");
  EXPECT_TRUE(offered);
  enterOn(&card);
  EXPECT_EQ(bench.document().mechanism()->joints[0]->kind, model::JointKind::pointCurve);
}

}  // namespace
}  // namespace cooperage::app
