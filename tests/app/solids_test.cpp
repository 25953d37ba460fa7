// SPDX-License-Identifier: GPL-3.0-or-later
// From a layout to its solids: parts made longer at a plane, lines exchanged for the final part and back, other
// mechanisms put in; by mouse and keys on the real window.
#include <QCheckBox>

#include "choice_box.h"
#include "layout_fixture.h"
#include "model/thickness.h"
#include "shape/stretch.h"

namespace cooperage::app {
namespace {

using testing::HasSubstr;

class Solids : public LayoutTest {
 protected:
  QString file(const char* name) const { return folder.filePath(QLatin1String(name)); }
  void writePart(const TopoDS_Shape& shape, const char* name) {
    ASSERT_TRUE(shape::writeStep({{shape, "part", {}, {}}}, "part", file(name).toStdString()).ok());
  }
  double volumeOf(model::Id body) const {
    const auto solid = bench.shapes().solid(body);
    return solid ? shape::volumeOf(*shape::tessellate(solid->shape, 1e-5)) : -1;
  }
  void pressText(const QString& text) {
    for (auto* b : window.findChildren<QPushButton*>())
      if (b->isVisible() && b->text() == text) {
        QTest::mouseClick(b, Qt::LeftButton);
        settle();
        return;
      }
    ADD_FAILURE() << "no button " << text.toStdString();
  }
  void clickPlace(const Vec3& place) {
    const auto link = bench.document().mechanism()->links[0]->id;
    const QPoint at = pixelOffering(link, place);
    QTest::mouseMove(window.scene(), at);
    QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::NoModifier, at);
    settle();
  }
  double at(const std::string& seat) const {
    for (const auto& s : bench.solution().resolved().links[0].seats)
      if (s.name == seat) return s.frame.p.x();
    return -1;
  }
};

// A bar from a file gets a length of its own: one pick and a figure, which may be a new parameter; seats beyond go
// along.
TEST_F(Solids, AnImportedBarIsMadeLongerByOnePickAndAFigure) {
  writePart(*shape::elementShape(model::BodyKind::bar, {0.08, 0.016, 0.006, 0.007}), "bar.step");
  bench.importer().importFile(file("bar.step"));
  settle();
  const auto& m = [&]() -> const model::Mechanism& { return *bench.document().mechanism(); };
  const auto body = m().links[0]->bodies[0]->id;
  bench.selection().setStage(Stage::join);
  window.actions()->find("view top")->trigger();
  window.scene()->fitAll();
  settle();
  for (const double x : {0.0, 0.08}) {
    window.maker()->startSeat();
    clickPlace(Vec3(x, 0, 0));
  }
  window.maker()->stop();
  ASSERT_EQ(m().links[0]->seats.size(), 2u) << lastError.toStdString();
  const std::string first = m().links[0]->seats[0]->name, second = m().links[0]->seats[1]->name;
  const double whole = volumeOf(body);
  const std::string before = document();
  const int steps = bench.document().undoStack()->index();

  bench.selection().setStage(Stage::shape);
  clickRow(QString::fromStdString(m().links[0]->name));
  pressText(QStringLiteral("Make it longer or shorter\u2026"));
  EXPECT_THAT(window.statusText().toStdString(), HasSubstr("straight edge"));
  clickPlace(Vec3(0.04, 0.008, 0.003));
  ASSERT_EQ(m().links[0]->bodies[0]->stretches.size(), 1u) << lastError.toStdString();
  auto* field = qobject_cast<QLineEdit*>(QApplication::focusWidget());
  ASSERT_TRUE(field) << "the figure is asked for at once";
  QTest::keyClicks(field, QStringLiteral("25"));
  QTest::keyClick(field, Qt::Key_Return);
  settle();
  EXPECT_NEAR(volumeOf(body), whole + 0.025 * 0.016 * 0.006, 1e-9);
  EXPECT_NEAR(std::abs(at(second) - at(first)), 0.105, 1e-9) << "the bore beyond the plane, and its seat with it";
  EXPECT_EQ(bench.document().undoStack()->index(), steps + 2);

  // more than there is to take away is refused by name, and nothing has changed
  type(QStringLiteral("Longer by"), QStringLiteral("-100"));
  EXPECT_THAT(lastError.toStdString(), HasSubstr("constant over"));
  EXPECT_NEAR(volumeOf(body), whole + 0.025 * 0.016 * 0.006, 1e-9);
  type(QStringLiteral("Longer by"), QStringLiteral("-30 mm"));
  EXPECT_NEAR(volumeOf(body), whole - 0.03 * 0.016 * 0.006, 1e-9);
  EXPECT_NEAR(std::abs(at(second) - at(first)), 0.05, 1e-9);
  const double stays = at(first);
  press(QStringLiteral("stretch turn 1"));
  settle();
  EXPECT_NEAR(std::abs(at(second) - at(first)), 0.05, 1e-9);
  EXPECT_GT(std::abs(at(first) - stays), 0.02) << "the other half has moved";
  while (bench.document().undoStack()->index() > steps) bench.document().undoStack()->undo();
  settle();
  EXPECT_EQ(document(), before);
  EXPECT_NEAR(volumeOf(body), whole, 1e-10);
}

// The flat face that is to move out tells the way too; where nothing behind it is straight that is said.
TEST_F(Solids, AFaceIsMovedOutOrTheReasonIsTold) {
  writePart(*shape::elementShape(model::BodyKind::box, {0.06, 0.02, 0.01}), "block.step");
  bench.importer().importFile(file("block.step"));
  settle();
  const auto body = bench.document().mechanism()->links[0]->bodies[0]->id;
  window.actions()->find("view corner")->trigger();
  window.scene()->fitAll();
  window.maker()->startStretch(body);
  clickPlace(Vec3(0, 0, 0.005));
  ASSERT_EQ(bench.document().mechanism()->links[0]->bodies[0]->stretches.size(), 1u) << lastError.toStdString();
  QTest::keyClicks(QApplication::focusWidget(), QStringLiteral("4"));
  QTest::keyClick(QApplication::focusWidget(), Qt::Key_Return);
  settle();
  EXPECT_NEAR(volumeOf(body), 0.06 * 0.02 * 0.014, 1e-10);
  // a cut comes before it: refused with what to do
  bench.importer().cutBody(body, {{false, Vec3(0, 0, 0), Vec3::UnitX(), 0}});
  EXPECT_THAT(lastError.toStdString(), HasSubstr("take that away first"));

  bench.document().newDocument();
  writePart(*shape::elementShape(model::BodyKind::sphere, {0.02}), "ball.step");
  bench.importer().importFile(file("ball.step"));
  settle();
  const auto ball = bench.document().mechanism()->links[0]->bodies[0]->id;
  EXPECT_FALSE(bench.importer().stretchBody(ball, Vec3::Zero(), Vec3::UnitZ(), false));
  EXPECT_THAT(lastError.toStdString(), HasSubstr("not constant"));
}

// Lines, plates, the final part, and back: joints, drive and run stay; ten times to and fro gives the same bytes.
TEST_F(Solids, ALinkIsExchangedForItsFinalPartAndBackTenTimes) {
  drawFourBar();
  key(Qt::Key_Escape);
  window.actions()->find("thickness")->trigger();
  settle();
  const auto& m = [&]() -> const model::Mechanism& { return *bench.document().mechanism(); };
  // the coupler's part as made elsewhere: another outline, its bores as the pivots lie, drawn somewhere else in its
  // file
  const auto link = std::find_if(m().links.begin(), m().links.end(),
                                 [](const auto& l) { return !l->ground && l->seats.size() == 2; });
  ASSERT_NE(link, m().links.end());
  const std::string name = (*link)->name;
  const double apart = length(name);
  gp_Trsf away;
  away.SetTranslation(gp_Vec(300, -40, 17));
  const auto part = shape::elementShape(model::BodyKind::bar, {apart, 0.03, 0.012, 0.008});
  writePart(part->Moved(TopLoc_Location(away)), "part.step");
  const auto home = bench.pose().poses();
  const std::string before = document();
  const int steps = bench.document().undoStack()->index();

  bench.exchange().forSolid(linkId(name), file("part.step"));
  settle();
  ASSERT_EQ(bench.document().undoStack()->index(), steps + 1) << lastError.toStdString();
  const auto body = model::findLink(m(), linkId(name))->bodies[0];
  EXPECT_EQ(body->kind, model::BodyKind::file);
  EXPECT_GT(volumeOf(body->id), 0);
  // its bores are on the pivots
  const auto* r = &bench.solution().resolved();
  for (const auto& l : r->links)
    if (l.name == name)
      for (const auto& s : l.seats) {
        double nearest = 1;
        for (const auto& round : *bench.shapes().store().rounds(bench.shapes().solid(body->id))) {
          const Vec3 p = l.bodies[0].placement * round.low, a = (l.bodies[0].placement * round.high - p).normalized();
          nearest = std::min(nearest, (s.frame.p - p).cross(a).norm());
        }
        EXPECT_LT(nearest, 1e-9);
      }
  for (std::size_t i = 0; i < home.size(); ++i)
    EXPECT_LT((home[i].p - bench.pose().poses()[i].p).norm(), 1e-12) << "nothing has moved";
  const std::string after = document();
  clickRow(QString::fromStdString(name));
  for (int i = 0; i < 10; ++i) {
    pressText(QStringLiteral("Exchange back"));
    ASSERT_NE(document(), after);
    EXPECT_EQ(model::findLink(m(), linkId(name))->bodies[0]->kind, model::BodyKind::linkPlate);
    window.scene()->setFocus();
    key(Qt::Key_E, Qt::ShiftModifier);
    settle();
    ASSERT_EQ(document(), after) << i;
  }
  bench.document().undoStack()->undo();
  while (bench.document().undoStack()->index() > steps) bench.document().undoStack()->undo();
  settle();
  EXPECT_EQ(document(), before);
}

// What a seat was picked on and the other part doesn't have is named; the seat stays, and is whole again on the way
// back.
TEST_F(Solids, WhatIsNotFoundOnTheOtherPartIsNamed) {
  writePart(*shape::elementShape(model::BodyKind::bar, {0.08, 0.016, 0.006, 0.007}), "bar.step");
  writePart(*shape::elementShape(model::BodyKind::box, {0.12, 0.02, 0.006}), "plain.step");
  bench.importer().importFile(file("bar.step"));
  settle();
  bench.selection().setStage(Stage::join);
  window.actions()->find("view top")->trigger();
  window.scene()->fitAll();
  settle();
  window.maker()->startSeat();
  clickPlace(Vec3(0.08, 0, 0));
  window.maker()->stop();
  const auto link = bench.document().mechanism()->links[0]->id;
  const std::string seat = bench.document().mechanism()->links[0]->seats[0]->name, before = document();
  bench.exchange().forSolid(link, file("plain.step"));
  settle();
  EXPECT_THAT(lastError.toStdString(), HasSubstr("Not found on it: " + seat + " (bore of 7 mm)"));
  EXPECT_TRUE(bench.document().mechanism()->links[0]->seats[0]->broken);
  EXPECT_NEAR(bench.document().mechanism()->links[0]->seats[0]->at[0].number, 80, 1e-9);
  const std::string there = document();
  // kept through the file
  const auto again = io::readCoop(there);
  ASSERT_TRUE(again.ok()) << again.error().text;
  EXPECT_EQ(io::writeCoop(*again), there);
  bench.exchange().back(link);
  settle();
  EXPECT_FALSE(bench.document().mechanism()->links[0]->seats[0]->broken);
  bench.exchange().back(link);
  settle();
  EXPECT_EQ(document(), there);
}

// Two copies of a four-bar by the card, one mirrored; then their source changes.
TEST_F(Solids, AnotherMechanismIsPutInTwiceAndRefreshed) {
  drawFourBar();
  key(Qt::Key_Escape);
  settle();
  ASSERT_TRUE(bench.document().save(file("bars.coop")));
  const auto links = bench.document().mechanism()->links.size();
  bench.document().newDocument();
  settle();
  ASSERT_TRUE(bench.document().save(file("pair.coop")));
  const int saved = bench.document().undoStack()->index();

  bench.reuser().read(file("bars.coop"));
  settle();
  // the name is asked for first
  QTest::keyClicks(QApplication::focusWidget(), QStringLiteral("left"));
  find<QCheckBox>(QStringLiteral("reuse linked"))->click();
  press(QStringLiteral("confirm card"));
  settle();
  const auto& m = [&]() -> const model::Mechanism& { return *bench.document().mechanism(); };
  ASSERT_EQ(m().groups.size(), 1u) << lastError.toStdString();
  EXPECT_EQ(m().groups[0]->name, "left");
  EXPECT_EQ(m().groups[0]->file, "bars.coop");
  EXPECT_EQ(bench.selection().ids().size(), links) << "its links are chosen";
  EXPECT_EQ(bench.document().undoStack()->index(), saved + 1) << "one step";

  bench.reuser().read(file("bars.coop"));
  settle();
  QTest::keyClicks(QApplication::focusWidget(), QStringLiteral("right"));
  find<QCheckBox>(QStringLiteral("reuse mirrored"))->click();
  find<QCheckBox>(QStringLiteral("reuse linked"))->click();
  EXPECT_EQ(QApplication::focusWidget()->objectName(), "reuse name");
  QTest::keyClick(QApplication::focusWidget(), Qt::Key_Return);
  settle();
  ASSERT_EQ(m().groups.size(), 2u) << lastError.toStdString() << window.statusText().toStdString();
  // mirrored in the plane of the drawing, about x
  const auto middle = [&](const std::string& name) {
    const auto i = model::indexOf(m(), linkId(name));
    return bench.pose().poses()[*i].p;
  };
  for (const auto& l : m().links)
    if (l->name.rfind("left ", 0) == 0) {
      const Vec3 a = middle(l->name), b = middle("right " + l->name.substr(5));
      EXPECT_NEAR(b.x(), a.x(), 1e-9);
      EXPECT_NEAR(b.y(), -a.y(), 1e-9);
      EXPECT_NEAR(b.z(), a.z(), 1e-9);
    }
  EXPECT_EQ(bench.solution().prepared()->mobility->freedoms, 2);

  // their source gets another length
  auto changed = *io::loadCoop(file("bars.coop").toStdString());
  changed.title = "longer";
  model::Link cover;
  cover.id = model::newId();
  cover.name = "cover";
  changed.links.push_back(std::make_shared<const model::Link>(cover));
  ASSERT_TRUE(io::saveCoop(changed, file("bars.coop").toStdString()).ok());
  bench.selection().select({});
  settle();
  pressText(QStringLiteral("Refresh from their files"));
  EXPECT_TRUE(model::findByName(m().links, "right cover")) << lastError.toStdString();
  EXPECT_EQ(m().groups.size(), 2u);
  const std::string refreshed = document();
  pressText(QStringLiteral("Refresh from their files"));
  EXPECT_EQ(document(), refreshed);
  // the file is gone: named, nothing changes
  QFile::remove(file("bars.coop"));
  pressText(QStringLiteral("Refresh from their files"));
  EXPECT_THAT(lastError.toStdString(), HasSubstr("bars.coop"));
  EXPECT_EQ(document(), refreshed);
  press(QStringLiteral("remove left"));
  settle();
  EXPECT_EQ(m().groups.size(), 1u);
  for (const auto& l : m().links) EXPECT_NE(l->name.rfind("left ", 0), 0u);
  press(QStringLiteral("release right"));
  settle();
  EXPECT_TRUE(m().groups.empty());
  EXPECT_TRUE(model::findByName(m().links, "right cover"));
  while (bench.document().undoStack()->canUndo()) bench.document().undoStack()->undo();
  settle();
  EXPECT_TRUE(m().links.empty());
}

// Neither into itself nor by a wrong file; with a place to be picked the card of its base opens.
TEST_F(Solids, WhatCantBePutInIsNamed) {
  drawFourBar();
  key(Qt::Key_Escape);
  ASSERT_TRUE(bench.document().save(file("bars.coop")));
  bench.reuser().read(file("bars.coop"));
  settle();
  EXPECT_THAT(lastError.toStdString(), HasSubstr("can't be put into itself"));
  QFile wrong(file("wrong.coop"));
  ASSERT_TRUE(wrong.open(QIODevice::WriteOnly));
  wrong.write("{}");
  wrong.close();
  bench.reuser().read(file("wrong.coop"));
  settle();
  EXPECT_THAT(lastError.toStdString(), HasSubstr("wrong.coop"));

  ASSERT_TRUE(bench.document().save(file("other.coop")));
  bench.reuser().read(file("bars.coop"));
  settle();
  auto* onto = find<ChoiceBox>(QStringLiteral("reuse onto"));
  onto->setCurrentIndex(1);
  press(QStringLiteral("confirm card"));
  settle();
  EXPECT_TRUE(window.maker()->card().isVisible()) << "the base joint's card, where its place can be picked anew";
  key(Qt::Key_Escape);
}

}  // namespace
}  // namespace cooperage::app
