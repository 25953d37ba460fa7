// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The stages Shape and Join as a user meets them: mouse and keys on the real window.
#include <QComboBox>
#include <QDir>
#include <QSlider>
#include <QToolButton>
#include <QTreeWidget>

#include "many_parts.h"
#include "maker/placing_card.h"
#include "sample_assemblies.h"
#include "shape/cut.h"
#include "scene/picker.h"
#include "window_fixture.h"

namespace cooperage::app {

class ShapeJoin : public WindowTest {
 protected:
  /// Writes the parts of a sample as one file each, in place.
  QString partsFolder(const demo::Sample& sample) {
    for (const auto& p : sample.parts)
      EXPECT_TRUE(shape::writeStep({{p.shape, p.name, {}, {}}}, p.name,
                                   folder.filePath(QString::fromStdString(p.name + ".step")).toStdString())
                      .ok());
    return folder.path();
  }
  demo::Sample sample(const std::string& name) {
    for (auto& s : demo::sampleAssemblies(0))
      if (s.name == name) return s;
    ADD_FAILURE() << "no sample " << name;
    return {};
  }
  void pick(model::Id link, const Vec3& place) {
    const QPoint at = pixelOffering(link, place);
    QTest::mouseMove(window.scene(), at);
    QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::NoModifier, at);
    QApplication::processEvents();
  }
  void enterOn(QWidget* card) {
    QTest::keyClick(card, Qt::Key_Return);
    settle();
  }
  void look(const char* view) {
    window.actions()->find(QStringLiteral("view ") + QLatin1String(view))->trigger();
    window.scene()->fitAll();
    QApplication::processEvents();
  }
  /// Any place of a link: in place only the first pick says where the joint is.
  void pickAny(model::Id link) {
    for (int y = 60; y < window.scene()->height() - 60; y += 5)
      for (int x = 10; x < window.scene()->width() - 10; x += 5) {
        const auto offered = window.scene()->placeAt(QPoint(x, y));
        if (!offered || offered->link != link) continue;
        QTest::mouseMove(window.scene(), QPoint(x, y));
        QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::NoModifier, QPoint(x, y));
        QApplication::processEvents();
        return;
      }
    ADD_FAILURE() << "the link is nowhere to be seen";
  }
  /// Makes a joint in place at a place of the first link, as the card has it, and confirms it.
  void joinAt(const std::string& a, const std::string& b, const Vec3& place) {
    pick(linkId(a), place);
    pickAny(linkId(b));
    ASSERT_TRUE(window.maker()->card().isVisible()) << lastError.toStdString();
    enterOn(&window.maker()->card());
  }
  const model::Joint& joint(const std::string& name) {
    const auto j = model::findByName(bench.document().mechanism()->joints, name);
    EXPECT_TRUE(j) << name;
    static const model::Joint kNone;
    return j ? *j : kNone;
  }
  void undoAllAndRedo() {
    const std::string finished = document();
    int steps = 0;
    while (bench.document().undoStack()->canUndo() && ++steps < 200) bench.document().undoStack()->undo();
    EXPECT_TRUE(bench.document().mechanism()->links.empty());
    EXPECT_TRUE(bench.document().mechanism()->joints.empty());
    while (bench.document().undoStack()->canRedo()) bench.document().undoStack()->redo();
    settle();
    EXPECT_EQ(document(), finished);
  }
};

}  // namespace cooperage::app
