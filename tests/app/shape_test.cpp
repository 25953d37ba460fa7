// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape_join_fixture.h"

namespace cooperage::app {
namespace {

TEST_F(ShapeJoin, AReferenceBrokenByAFileIsShownAndMended) {
  // a block with a bore, joined; then the file comes back with a larger bore
  const auto block = [](double radius, double x) {
    const auto bar = *shape::elementShape(model::BodyKind::box, {0.08, 0.04, 0.02});
    return *shape::cutShape(bar, {{{true, Vec3(x, 0, 0), Vec3::UnitZ(), radius}}, false});
  };
  const QString file = folder.filePath("block.step");
  const auto write = [&](const TopoDS_Shape& s) {
    QFile::remove(file);
    ASSERT_TRUE(shape::writeStep({{s, "block", {}, {}}}, "block", file.toStdString()).ok());
  };
  write(block(0.006, 0.01));
  bench.importer().importFile(file);
  settle();
  window.actions()->find("add cylinder")->trigger();
  settle();
  bench.document().apply("ground", model::grounded(*bench.document().mechanism(), {linkId("block")}, true));
  bench.document().apply("aside", model::changedLink(*bench.document().mechanism(), linkId("cylinder"),
                                                     [](model::Link& l) { l.placement.at[1] = model::Field(90); }));
  bench.selection().setStage(Stage::join);
  look("corner");
  press("make revolute");
  pick(linkId("block"), Vec3(0.01, 0, 0.010));
  pickAny(linkId("cylinder"));
  ASSERT_TRUE(window.maker()->card().isVisible()) << lastError.toStdString();
  enterOn(&window.maker()->card());
  key(Qt::Key_Escape);
  const auto seat = bench.document().mechanism()->joints[0]->seats[0];
  const auto placeOf = [&] { return model::findSeat(*bench.document().mechanism(), seat)->seat->at[0].number; };
  ASSERT_NEAR(placeOf(), 10, 1e-6);

  write(block(0.009, 0.02));
  ASSERT_TRUE(waitFor([&] { return !bench.shapes().changedFiles().isEmpty(); }, 10000)) << "the change is noticed";
  window.scene()->setFocus();
  key(Qt::Key_F8);
  settle();
  EXPECT_TRUE(model::findSeat(*bench.document().mechanism(), seat)->seat->broken);
  EXPECT_NEAR(placeOf(), 10, 1e-6) << "it keeps its last place";
  EXPECT_EQ(bench.document().mechanism()->joints.size(), 1u);
  EXPECT_THAT(window.statusText().toStdString(), testing::HasSubstr("Lost their geometry"));
  // listed with its joint; picked again
  const LedgerRow* broken = nullptr;
  for (const auto& r : window.panel(Stage::join)->list()->rows())
    if (r.tag == "broken") broken = &r;
  ASSERT_TRUE(broken);
  EXPECT_TRUE(broken->detail.contains("cylinder - block"));
  clickRow(broken->title);
  for (auto* b : window.findChildren<QPushButton*>())
    if (b->isVisible() && b->text().startsWith("Pick again")) {
      QTest::mouseClick(b, Qt::LeftButton);
      break;
    }
  pick(linkId("block"), Vec3(0.02, 0, 0.010));
  settle();
  EXPECT_FALSE(model::findSeat(*bench.document().mechanism(), seat)->seat->broken);
  EXPECT_NEAR(placeOf(), 20, 1e-6);
  // a bore that has only moved offers to be followed
  write(block(0.009, 0.025));
  window.scene()->setFocus();
  key(Qt::Key_F8);
  settle();
  bench.selection().select({seat});
  settle();
  for (auto* b : window.findChildren<QPushButton*>())
    if (b->isVisible() && b->text() == "Follow it there") {
      QTest::mouseClick(b, Qt::LeftButton);
      break;
    }
  settle();
  EXPECT_NEAR(placeOf(), 25, 1e-6);
}

TEST_F(ShapeJoin, PartsAreTurnedShiftedAndDoNotLandOnOneAnother) {
  partsFolder(sample("hoop lever"));
  auto* shelf = window.shapePanel()->shelf();
  shelf->setFolder(folder.path());
  bench.importer().insertPart(folder.filePath("rod.step"));
  settle();
  enterOn(window.placing());
  bench.importer().insertPart(folder.filePath("rod.step"));
  settle();
  ASSERT_EQ(bench.document().mechanism()->links.size(), 2u);
  EXPECT_EQ(bench.shapes().solid(bench.document().mechanism()->links[0]->bodies[0]->id),
            bench.shapes().solid(bench.document().mechanism()->links[1]->bodies[0]->id))
      << "the same part shares its geometry";
  EXPECT_GT(bench.pose().poses()[1].p.x(), 0.12) << "beside the first, not on it";
  QTest::keyClick(window.placing(), Qt::Key_Z);
  settle();
  EXPECT_NEAR(bench.pose().poses()[1].R(1, 0), 1, 1e-9) << "a quarter turn about z";
  const int steps = bench.document().undoStack()->index();
  QTest::keyClick(window.placing(), Qt::Key_N);
  settle();
  EXPECT_EQ(bench.document().undoStack()->index(), steps) << "placing is one step";
  QTest::keyClick(window.placing(), Qt::Key_Escape);
  settle();
  EXPECT_EQ(bench.document().mechanism()->links.size(), 1u) << "Esc takes the part out again";
}

TEST_F(ShapeJoin, ImportedSolidsAreGroupedByARuleAndByABox) {
  bench.importer().importFile(QStringLiteral(COOPERAGE_DEMO) + "/hoop-press/parts/cask.step");
  settle();
  ASSERT_EQ(bench.document().mechanism()->links.size(), 5u);
  press("rule one");
  settle();
  ASSERT_EQ(bench.document().mechanism()->links.size(), 1u);
  press("rule solid");
  settle();
  ASSERT_EQ(bench.document().mechanism()->links.size(), 5u);
  // import and rules are one step
  bench.document().undoStack()->undo();
  EXPECT_TRUE(bench.document().mechanism()->links.empty());
  bench.document().undoStack()->redo();
  settle();
  bench.selection().select({});
  window.scene()->fitAll();
  window.scene()->setFocus();
  key(Qt::Key_B);
  ASSERT_TRUE(window.scene()->isBoxing());
  const QRect all = window.scene()->rect().adjusted(4, 4, -4, -4);
  QTest::mousePress(window.scene(), Qt::LeftButton, Qt::NoModifier, all.topLeft());
  QTest::mouseMove(window.scene(), all.center());
  QTest::mouseMove(window.scene(), all.bottomRight());
  QTest::mouseRelease(window.scene(), Qt::LeftButton, Qt::NoModifier, all.bottomRight());
  settle();
  EXPECT_EQ(bench.selection().ids().size(), 5u);
}

TEST_F(ShapeJoin, ASolidIsCutInTwoByOneOfItsFaces) {
  window.actions()->find("add shaft")->trigger();
  settle();
  const auto step = folder.filePath("shaft.step");
  const auto solid = bench.shapes().solid(bench.document().mechanism()->links[0]->bodies[0]->id);
  ASSERT_TRUE(shape::writeStep({{solid->shape, "shaft", {}, {}}}, "shaft", step.toStdString()).ok());
  bench.document().newDocument();
  bench.importer().importFile(step);
  settle();
  const auto body = bench.document().mechanism()->links[0]->bodies[0]->id;
  window.maker()->startCut(body);
  look("front");
  // the collar's face at its near end: a plane across the shaft
  const Vec3 low(0, 0, -0.04 + 0.037);
  bool picked = false;
  for (int x = -90; x <= 90 && !picked; x += 3)
    for (int y = -60; y <= 60 && !picked; y += 3) {
      const QPoint at = window.scene()->project(low).toPoint() + QPoint(x, y);
      for (const auto& h : window.scene()->hitsAt(at)) {
        if (h.part.IsNull() || h.part.ShapeType() != TopAbs_FACE) continue;
        const auto f = shape::featureOf(h.part);
        if (f.kind != model::FeatureKind::cylinder || std::abs(f.radius - 0.006) > 1e-9) continue;
        QTest::mouseMove(window.scene(), at);
        QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::NoModifier, at);
        picked = window.statusText().contains("1 face");
        break;
      }
    }
  ASSERT_TRUE(picked) << window.statusText().toStdString();
  key(Qt::Key_Return, Qt::ControlModifier);
  settle();
  ASSERT_EQ(bench.document().mechanism()->links.size(), 2u) << lastError.toStdString();
  const auto volume = [&](std::size_t i) {
    return shape::volumeOf(
        *shape::tessellate(bench.shapes().solid(bench.document().mechanism()->links[i]->bodies[0]->id)->shape, 1e-6));
  };
  EXPECT_NEAR(volume(0), kPi * 36e-6 * 0.08, 2e-8) << "the shaft itself";
  EXPECT_NEAR(volume(1), kPi * (1e-4 - 36e-6) * 0.006, 1e-8) << "its collar";
  // one step back, and the whole shaft is in the scene again; one step on, and it is cut
  const double whole = kPi * 36e-6 * 0.08 + kPi * (1e-4 - 36e-6) * 0.006;
  for (int k = 0; k < 2; ++k) {
    bench.document().undoStack()->undo();
    settle();
    ASSERT_EQ(bench.document().mechanism()->links.size(), 1u);
    ASSERT_TRUE(bench.shapes().solid(bench.document().mechanism()->links[0]->bodies[0]->id));
    EXPECT_NEAR(volume(0), whole, 3e-8);
    bench.document().undoStack()->redo();
    settle();
    ASSERT_EQ(bench.document().mechanism()->links.size(), 2u);
    EXPECT_NEAR(volume(0), kPi * 36e-6 * 0.08, 2e-8);
  }
}

TEST_F(ShapeJoin, ThePlaneOfASeatCutsASolidToo) {
  const auto step = folder.filePath("bar.step");
  ASSERT_TRUE(shape::writeStep({{*shape::elementShape(model::BodyKind::box, {0.08, 0.02, 0.01}), "bar", {}, {}}}, "bar",
                               step.toStdString())
                  .ok());
  bench.importer().importFile(step);
  settle();
  const auto body = bench.document().mechanism()->links[0]->bodies[0]->id;
  model::Seat seat;
  seat.id = model::newId();
  seat.name = "parting";
  seat.at = {model::Field(10), model::Field(0), model::Field(0)};
  seat.axis = {model::Field(1), model::Field(0), model::Field(0)};
  seat.ref = {model::Field(0), model::Field(0), model::Field(1)};
  bench.document().apply("seat", model::changedLink(*bench.document().mechanism(), linkId("bar"), [&](model::Link& l) {
                           l.seats.push_back(std::make_shared<const model::Seat>(seat));
                         }));
  bench.selection().setStage(Stage::join);
  look("top");
  // picked on the end face of either part
  for (const double x : {0.04, -0.04}) {
    window.maker()->startSeat();
    pick(linkId("bar"), Vec3(x, 0, 0.005));
    settle();
  }
  window.maker()->stop();
  ASSERT_EQ(model::findLink(*bench.document().mechanism(), linkId("bar"))->seats.size(), 3u) << lastError.toStdString();
  const int steps = bench.document().undoStack()->index();
  window.maker()->startCut(body);
  const QPoint at = window.scene()->project(Vec3(0.010, 0, 0)).toPoint();
  QTest::mouseMove(window.scene(), at);
  window.scene()->setFocus();
  for (int i = 0; i < 20 && !(window.scene()->picker().present() && window.scene()->picker().present()->seat); ++i)
    key(Qt::Key_N);
  QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::NoModifier, at);
  key(Qt::Key_Return, Qt::ControlModifier);
  settle();
  ASSERT_EQ(bench.document().mechanism()->links.size(), 2u)
      << lastError.toStdString() << window.statusText().toStdString();
  const auto part = bench.shapes().solid(bench.document().mechanism()->links[1]->bodies[0]->id);
  EXPECT_NEAR(shape::volumeOf(*shape::tessellate(part->shape, 1e-5)), 0.03 * 0.02 * 0.01, 1e-10);
  EXPECT_EQ(bench.document().undoStack()->index(), steps + 1) << "one step";
  for (const auto& l : bench.document().mechanism()->links)
    for (const auto& s : l->seats) {
      model::Placement stands;
      stands.at = s->at;
      const Vec3 place = model::poseOf(*bench.document().mechanism(), stands)->p;
      EXPECT_EQ(l == bench.document().mechanism()->links[1], place.x() > 0.0101) << s->name;
      EXPECT_FALSE(s->broken) << s->name;
    }
}

TEST_F(ShapeJoin, AParameterIsSweptLiveAndBodySeatAndJointFollow) {
  auto m = io::readCoop(
      R"({"format":"cooperage","version":1,"parameters":[{"name":"reach","value":"80 mm"}],
        "links":[{"name":"g","ground":true,"seats":[{"name":"s"}]},
        {"name":"arm","bodies":[{"name":"bar","element":"bar","length":"reach","width":20,"thickness":6,"bore":8}]}]})");
  ASSERT_TRUE(m.ok());
  bench.document().apply("arm", *m);
  settle();
  bench.selection().setStage(Stage::join);
  look("top");
  window.maker()->startSeat();
  pick(linkId("arm"), Vec3(0.08, 0, 0.003));
  settle();
  ASSERT_EQ(model::findByName(bench.document().mechanism()->links, "arm")->seats.size(), 1u) << lastError.toStdString();
  window.maker()->stop();
  bench.selection().select({});
  settle();
  auto* slider = find<QSlider>("slide reach");
  ASSERT_TRUE(slider);
  const int steps = bench.document().undoStack()->index();
  slider->setSliderDown(true);
  for (int v = slider->value(); v < 660; v += 40) slider->setValue(v);
  slider->setValue(667);
  slider->setSliderDown(false);
  settle();
  EXPECT_EQ(bench.document().undoStack()->index(), steps + 1) << "one gesture, one step";
  double reach = 0;
  for (const auto& [id, value] : bench.solution().resolved().parameters) reach = value.value;
  EXPECT_NEAR(reach, 0.12, 1e-3);
  EXPECT_NEAR(bench.solution().resolved().links[1].seats[0].frame.p.x(), reach, 1e-9) << "the seat keeps to its bore";
}

TEST_F(ShapeJoin, ALongImportIsCancelledAndTheWindowStaysAlive) {
  const QString file = folder.filePath("yard.step");
  ASSERT_TRUE(demo::makeManyParts(file.toStdString(), 300, 300, 1));
  bench.importer().importFile(file);
  QElapsedTimer clock;
  clock.start();
  ASSERT_TRUE(waitFor([&] { return bench.jobs().busy() && clock.elapsed() > 200; }));
  // meanwhile the window works
  window.actions()->find("add box")->trigger();
  EXPECT_EQ(bench.document().mechanism()->links.size(), 1u);
  EXPECT_TRUE(bench.jobs().busy());
  window.actions()->find("cancel")->trigger();
  settle();
  EXPECT_EQ(bench.document().mechanism()->links.size(), 1u);
  EXPECT_THAT(window.statusText().toStdString(), testing::HasSubstr("cancelled"));
  // and the next import is none the worse
  bench.importer().importFile(file);
  settle();
  EXPECT_EQ(bench.document().mechanism()->links.size(), 301u);
  ASSERT_TRUE(waitFor([&] { return !window.scene()->isFilling(); }));
}

}  // namespace
}  // namespace cooperage::app
