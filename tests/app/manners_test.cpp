// SPDX-License-Identifier: GPL-3.0-or-later
// What is typed is never lost, nor taken for something else: fields, focus, wheel, undo, results that arrive.
#include <QAbstractItemView>
#include <QComboBox>
#include <QScrollBar>
#include <fstream>

#include "../scratch_folder.h"
#include "window_fixture.h"

namespace cooperage::app {
namespace {

using testing::HasSubstr;

class MannersTest : public WindowTest {
 protected:
  /// The field has the focus and all of its text chosen, as after a click and Ctrl+A.
  QLineEdit* into(const QString& field) {
    auto* edit = find<QLineEdit>(field);
    if (!edit) return nullptr;
    edit->setFocus();
    edit->selectAll();
    QApplication::processEvents();
    return edit;
  }
  void select(const std::string& link) {
    bench.selection().select({linkId(link)});
    settle();
  }
  double atX(const std::string& link) {
    return *model::evaluateField(*bench.document().mechanism(),
                                 model::findLink(*bench.document().mechanism(), linkId(link))->placement.at[0],
                                 dimension::kLength);
  }
};

// The card goes while a figure in it is not given yet: by Escape, by another selection, by deleting what it is of.
TEST_F(MannersTest, ACardThatGoesWithTypedTextEndsNothing) {
  openDemo();
  bench.selection().setStage(Stage::shape);
  for (const char* name : {"crank", "rod"}) {
    select(name);
    const std::string before = document();
    for (const QString& field : {QStringLiteral("At x"), QStringLiteral("At z"), QStringLiteral("Turn about y")}) {
      select(name);
      auto* edit = into(field);
      ASSERT_NE(edit, nullptr);
      QTest::keyClicks(edit, "77");
      QTest::keyClick(edit, Qt::Key_Escape);
      settle();
      EXPECT_TRUE(document() == before) << "what was not given is not taken";
      edit = find<QLineEdit>(field);
      ASSERT_NE(edit, nullptr);
      EXPECT_FALSE(edit->text().startsWith(QStringLiteral("77"))) << "Escape takes the typing back";
      QTest::keyClick(edit, Qt::Key_Escape);
      settle();
      EXPECT_TRUE(bench.selection().ids().empty()) << "once more lets go of the selection";
      EXPECT_TRUE(document() == before);
    }
  }
  select("crank");
  auto* edit = into(QStringLiteral("At x"));
  QTest::keyClicks(edit, "78");
  bench.selection().select({linkId("ram")});
  settle();
  select("crank");
  edit = into(QStringLiteral("name"));
  QTest::keyClicks(edit, "half");
  bench.document().undoStack()->undo();
  window.actions()->find("delete")->trigger();
  settle();
}

// By 20 degrees, then Tab: the value is taken, and the next field is ready to be typed over.
TEST_F(MannersTest, TabTakesTheFigureAndChoosesTheNextText) {
  const test::ScratchFolder scratch;
  std::ofstream(scratch / "arm.coop") << R"({"format":"cooperage","version":1,"links":[
    {"name":"g","ground":true,"seats":[{"name":"s"}]},{"name":"arm","seats":[{"name":"s"}]}],
   "joints":[{"name":"j","kind":"revolute","between":["g/s","arm/s"]}],
   "drives":[{"name":"d","value":"j.turn","programme":[{"law":"poly-345","by":"90 deg","time":"1 s"}]}],
   "runs":[{"name":"r","duration":"2 s","steps":36}]})";
  ASSERT_TRUE(window.openPath(QString::fromStdString((scratch / "arm.coop").string())));
  settle();
  bench.selection().setStage(Stage::drive);
  bench.selection().select({bench.document().mechanism()->drives[0]->id});
  settle();
  for (const char* figure : {"20", "35"}) {
    auto* by = into(QStringLiteral("by 1"));
    ASSERT_NE(by, nullptr);
    QTest::keyClicks(by, figure);
    QTest::keyClick(by, Qt::Key_Tab);
    settle();
    const double shown = *model::evaluateField(*bench.document().mechanism(),
                                               bench.document().mechanism()->drives[0]->programme[0].figures.at("by"),
                                               dimension::kAngle);
    EXPECT_NEAR(shown, std::stod(figure) * kPi / 180, 1e-12);
    auto* next = qobject_cast<QLineEdit*>(QApplication::focusWidget());
    ASSERT_NE(next, nullptr);
    EXPECT_EQ(next->objectName(), QStringLiteral("time 1"));
    EXPECT_EQ(next->selectedText(), next->text());
    QTest::keyClicks(next, figure);
    QTest::keyClick(next, Qt::Key_Tab);
    settle();
    EXPECT_NEAR(*model::evaluateField(*bench.document().mechanism(),
                                      bench.document().mechanism()->drives[0]->programme[0].figures.at("time"),
                                      dimension::kTime),
                std::stod(figure), 1e-12)
        << "typed over, not beside what was there";
  }
}

// A result comes while a figure is being typed: text, cursor and focus stay, and the document is untouched until Enter.
TEST_F(MannersTest, AResultThatArrivesLeavesWhatIsBeingTyped) {
  openDemo();
  select("crank");
  auto* edit = into(QStringLiteral("At x"));
  ASSERT_NE(edit, nullptr);
  QTest::keyClicks(edit, "12.5");
  QTest::keyClick(edit, Qt::Key_Left);
  emit bench.resultsChanged();
  settle();
  auto* now = qobject_cast<QLineEdit*>(QApplication::focusWidget());
  ASSERT_NE(now, nullptr);
  EXPECT_EQ(now->objectName(), QStringLiteral("At x"));
  EXPECT_EQ(now->text(), QStringLiteral("12.5"));
  EXPECT_EQ(now->cursorPosition(), 3);
  QTest::keyClicks(now, "7");
  emit bench.resultsChanged();
  settle();
  now = qobject_cast<QLineEdit*>(QApplication::focusWidget());
  ASSERT_NE(now, nullptr);
  EXPECT_EQ(now->text(), QStringLiteral("12.75"));
  QTest::keyClick(now, Qt::Key_Return);
  settle();
  EXPECT_NEAR(atX("crank"), 0.01275, 1e-12);
  // a wrong text stays, too, marked as wrong
  edit = into(QStringLiteral("At y"));
  QTest::keyClicks(edit, "1 deg");
  QTest::keyClick(edit, Qt::Key_Return);
  emit bench.resultsChanged();
  settle();
  edit = find<QLineEdit>(QStringLiteral("At y"));
  ASSERT_NE(edit, nullptr);
  EXPECT_EQ(edit->text(), QStringLiteral("1 deg"));
  EXPECT_TRUE(edit->property("wrong").toBool());
}

TEST_F(MannersTest, UndoInAFieldIsOfTheTextWhileOneTypesElseOfTheDocument) {
  openDemo();
  select("crank");
  const double was = atX("crank");
  type(QStringLiteral("At x"), QStringLiteral("41"));
  EXPECT_NEAR(atX("crank"), 0.041, 1e-12);
  auto* edit = into(QStringLiteral("At x"));
  QTest::keyClicks(edit, "5");
  QTest::keyClick(edit, Qt::Key_Z, Qt::ControlModifier);
  EXPECT_NEAR(atX("crank"), 0.041, 1e-12) << "the typing alone is taken back";
  QTest::keyClick(edit, Qt::Key_Escape);
  settle();
  select("crank");
  edit = into(QStringLiteral("At x"));
  QTest::keyClick(edit, Qt::Key_Z, Qt::ControlModifier);
  settle();
  EXPECT_NEAR(atX("crank"), was, 1e-12);
}

TEST_F(MannersTest, TheWheelScrollsTheCardNotWhatLiesUnderThePointer) {
  openDemo();
  bench.selection().select({});
  settle();
  QComboBox* box = nullptr;
  for (auto* b : window.findChildren<QComboBox*>())
    if (b->isVisible()) box = b;
  ASSERT_NE(box, nullptr);
  find<QLineEdit>(QStringLiteral("title"))->setFocus();
  const std::string before = document();
  const auto turn = [&] {
    QWheelEvent wheel(QPointF(5, 5), box->mapToGlobal(QPointF(5, 5)), {}, {0, -120}, Qt::NoButton, Qt::NoModifier,
                      Qt::NoScrollPhase, false);
    QApplication::sendEvent(box, &wheel);
    settle();
  };
  turn();
  EXPECT_TRUE(document() == before);
  EXPECT_FALSE(box->hasFocus());
}

TEST_F(MannersTest, EscapeClosesTheSearchAndTheFocusIsTheScenes) {
  openDemo();
  select("crank");
  window.scene()->setFocus();
  key(Qt::Key_K, Qt::ControlModifier);
  auto* text = find<QLineEdit>(QStringLiteral("search text"));
  ASSERT_NE(text, nullptr);
  QTest::keyClicks(text, "crank");
  QTest::keyClick(text, Qt::Key_Escape);
  QApplication::processEvents();
  EXPECT_FALSE(text->isVisible());
  EXPECT_EQ(bench.selection().ids().size(), 1u) << "the search alone goes";
  EXPECT_FALSE(qobject_cast<QLineEdit*>(QApplication::focusWidget())) << "the next key would rename something";
  // a command from it: the same
  key(Qt::Key_K, Qt::ControlModifier);
  QTest::keyClicks(text, "fit all");
  QTest::keyClick(text, Qt::Key_Return);
  settle();
  EXPECT_FALSE(qobject_cast<QLineEdit*>(QApplication::focusWidget()));
}

// The release over the bar above the scene is never told: the view stands still under a pointer without a button.
TEST_F(MannersTest, AHoverAfterALostReleaseTurnsNothing) {
  openDemo();
  Scene* scene = window.scene();
  const QPoint at(scene->width() / 2, scene->height() - 30);
  QTest::mousePress(scene, Qt::LeftButton, Qt::NoModifier, at);
  const QPointF before = scene->project(Vec3(0.1, 0.2, 0.3));
  for (int i = 1; i < 12; ++i) {
    QMouseEvent move(QEvent::MouseMove, QPointF(at.x() + 8 * i, at.y() - 5 * i), scene->mapToGlobal(QPointF(at)),
                     Qt::NoButton, Qt::NoButton, Qt::NoModifier);
    QApplication::sendEvent(scene, &move);
  }
  QApplication::processEvents();
  const QPointF after = scene->project(Vec3(0.1, 0.2, 0.3));
  EXPECT_NEAR(after.x(), before.x(), 1e-6);
  EXPECT_NEAR(after.y(), before.y(), 1e-6);
}

// A crash with the document in a folder of its own: it comes back under its name, with its parts, and once more after
// it has been saved and opened.
TEST_F(MannersTest, WhatIsBroughtBackHasItsNameAndItsParts) {
  const test::ScratchFolder scratch;
  const std::filesystem::path home = std::filesystem::path(scratch.path()) / "press";
  std::filesystem::copy(std::filesystem::path(COOPERAGE_DEMO) / "hoop-press", home,
                        std::filesystem::copy_options::recursive);
  const QString file = QString::fromStdString((home / "hoop-press.coop").string());
  ASSERT_TRUE(window.openPath(file));
  settle();
  const std::string files = document();
  select("crank");
  type(QStringLiteral("name"), QStringLiteral("throw"));
  bench.document().autosave();
  Workbench after;
  ASSERT_TRUE(after.document().recover());
  EXPECT_TRUE(waitFor([&] { return !after.shapes().isLoading(); }));
  EXPECT_EQ(after.document().path(), file);
  EXPECT_TRUE(after.document().isChanged());
  const auto fileOf = [](const Workbench& s) {
    for (const auto& l : s.document().mechanism()->links)
      for (const auto& b : l->bodies)
        if (!b->file.empty()) return b->file;
    return std::string();
  };
  EXPECT_EQ(fileOf(after), fileOf(bench)) << "named as before, from the document's folder";
  EXPECT_TRUE(after.shapes().problem(after.document().mechanism()->links[0]->bodies[0]->id).isEmpty());
  ASSERT_TRUE(after.document().save(after.document().path()));
  Workbench again;
  ASSERT_TRUE(again.document().open(file));
  EXPECT_TRUE(waitFor([&] { return !again.shapes().isLoading(); }));
  EXPECT_EQ(again.document().mechanism()->links.size(), bench.document().mechanism()->links.size());
  EXPECT_TRUE(model::findByName(again.document().mechanism()->links, "throw"));
  EXPECT_TRUE(again.shapes().problem(again.document().mechanism()->links[0]->bodies[0]->id).isEmpty());
  Document::dropAutosave();
}

}  // namespace
}  // namespace cooperage::app
