// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Tasks as a user does them, with their clicks, keys and typed fields counted: docs/actions.md tells the counts.
#include <QDir>
#include <QDropEvent>
#include <QMenu>
#include <QMimeData>
#include <QSettings>
#include <QToolButton>
#include "model/gauge_edits.h"
#include "card/card.h"
#include "fastened_stand.h"
#include "maker/group_card.h"
#include "maker/machine_card.h"
#include "scene/freedom_card.h"
#include "scene/picker.h"
#include "scene/start_card.h"
#include "theme.h"
#include "workbench/link_geometry.h"
#include "window_fixture.h"

namespace cooperage::app {

class QuickWays : public WindowTest {
 protected:
  void SetUp() override {
    QSettings().clear();
    WindowTest::SetUp();
  }
  void TearDown() override {
    if (theme().dark) applyTheme(*qApp, false);
    QSettings().clear();
    WindowTest::TearDown();
  }
  /// Each of these is one action of a user.
  void press(const QString& name) {
    WindowTest::press(name);
    ++actions_;
  }
  void key(Qt::Key k, Qt::KeyboardModifiers m = Qt::NoModifier) {
    WindowTest::key(k, m);
    ++actions_;
  }
  void clickRow(const QString& title) {
    WindowTest::clickRow(title);
    ++actions_;
  }
  void type(const QString& field, const QString& text) {
    WindowTest::type(field, text);
    ++actions_;
  }
  /// Types where the cursor is, and Enter.
  void typeHere(const QString& text) {
    QWidget* at = QApplication::focusWidget();
    ASSERT_NE(qobject_cast<QLineEdit*>(at), nullptr) << "the cursor is in no field";
    QTest::keyClicks(at, text);
    QTest::keyClick(at, Qt::Key_Return);
    QApplication::processEvents();
    settle();
    ++actions_;
  }
  /// An entry of a button's menu: the button, then the entry.
  void choose(const QString& button, const QString& entry) {
    auto* b = find<QAbstractButton>(button);
    QMenu* menu = nullptr;
    if (auto* push = qobject_cast<QPushButton*>(b)) menu = push->menu();
    ASSERT_NE(menu, nullptr);
    bool found = false;
    for (QAction* a : menu->actions())
      if (a->text() == entry) {
        menu->popup(b->mapToGlobal(QPoint(0, b->height())));
        QApplication::processEvents();
        QTest::mouseClick(menu, Qt::LeftButton, Qt::NoModifier, menu->actionGeometry(a).center());
        found = true;
        break;
      }
    EXPECT_TRUE(found) << entry.toStdString();
    settle();
    actions_ += 2;
  }
  /// A file dropped on the window.
  void drop(const QString& file) {
    QMimeData data;
    data.setUrls({QUrl::fromLocalFile(file)});
    QDragEnterEvent enter(QPoint(500, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(&window, &enter);
    EXPECT_TRUE(enter.isAccepted());
    QDropEvent event(QPointF(500, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(&window, &event);
  }
  const model::Mechanism& m() const { return *bench.document().mechanism(); }
  /// Clicks where a place of a link is offered that fits, as a user finds it by moving about it; covered ones are
  /// reached by the next key, which counts.
  template <class F>
  void pickWhere(std::size_t link, const Vec3& near, F fits) {
    const QPointF middle = window.scene()->project(near);
    const Picker& picker = window.scene()->picker();
    const auto isIt = [&](const PickedPlace* p) { return p && p->link == m().links[link]->id && fits(*p); };
    for (const int keys : {0, 8})
      for (int radius = 0; radius < 60; radius += keys ? 6 : 3)
        for (int a = 0; a < 16; ++a) {
          const QPoint at = (middle + radius * QPointF(std::cos(a * 0.3927), std::sin(a * 0.3927))).toPoint();
          if (!window.scene()->rect().contains(at)) continue;
          QTest::mouseMove(window.scene(), at);
          QApplication::processEvents();
          int used = 0;
          for (; used < keys && !isIt(picker.present()); ++used) WindowTest::key(Qt::Key_N);
          if (!isIt(picker.present())) continue;
          QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::NoModifier, at);
          settle();
          actions_ += used + 1;
          return;
        }

    ADD_FAILURE() << "link " << link << " offers no such place; " << window.statusText().toStdString();
  }
  /// Where a link stands when nothing is moved to be shown.
  Pose standing(std::size_t link) {
    QTest::mouseMove(window.scene(), QPoint(4, 4));
    for (int i = 0; i < 200 && window.maker()->wiggle().isRunning(); ++i) QTest::qWait(10);
    EXPECT_FALSE(window.maker()->wiggle().isRunning()) << "the pointer has gone off for the next place";
    return bench.pose().poses()[link];
  }
  /// The axis of a bar's bore at a distance along it, at the middle of the bore.
  void pickBore(std::size_t link, double along) {
    const Pose pose = standing(link);
    const Vec3 at = pose * Vec3(along, 0, 0);
    pickWhere(link, at, [&](const PickedPlace& p) { return (p.at - at).norm() < 1e-6; });
  }
  /// The middle of a flat face, in the link's axes.
  void pickFace(std::size_t link, const Vec3& middle, const Vec3& normal) {
    const Pose pose = standing(link);
    const Vec3 at = pose * middle, axis = pose.R * normal;
    pickWhere(link, at,
              [&](const PickedPlace& p) { return (p.at - at).norm() < 1e-6 && p.axis.cross(axis).norm() < 1e-6; });
  }
  /// Moves the pointer about until a place of a link on an axis is offered with a partner on that axis; Enter joins
  /// them there and Enter makes the joint.
  void joinHere(const std::string& link, const Vec3& at, const Vec3& axis, const std::string& partner) {
    standing(0);
    const QPointF middle = window.scene()->project(at);
    const Picker& picker = window.scene()->picker();
    const QString wanted = QStringLiteral("joins %1 and %2 here").arg(link.c_str(), partner.c_str());
    const auto isIt = [&] {
      const PickedPlace* p = picker.present();
      if (!p || p->link != linkId(link)) return false;
      const Vec3 d = p->at - at;
      return (d - d.dot(axis) * axis).norm() < 1e-6 && p->axis.normalized().cross(axis).norm() < 1e-6 &&
             window.maker()->prompt().contains(wanted);
    };
    for (const int keys : {0, 8})
      for (int radius = 0; radius < 60; radius += keys ? 6 : 3)
        for (int a = 0; a < 16; ++a) {
          const QPoint here = (middle + radius * QPointF(std::cos(a * 0.3927), std::sin(a * 0.3927))).toPoint();
          QTest::mouseMove(window.scene(), here);
          QApplication::processEvents();
          int used = 0;
          for (; used < keys && !isIt(); ++used) WindowTest::key(Qt::Key_N);
          if (!isIt()) continue;
          actions_ += used;
          QTest::keyClick(window.scene(), Qt::Key_Return);
          ++actions_;
          settle();
          confirmCard();
          ++actions_;
          settle();
          return;
        }
    ADD_FAILURE() << "no joint of " << link << " and " << partner << " is offered; "
                  << window.maker()->prompt().toStdString();
  }
  /// A figure of the worm that is there.
  model::Field worm(const std::string& figure) {
    for (const auto& l : m().links)
      for (const auto& b : l->bodies)
        if (b->kind == model::BodyKind::worm) return b->figures.at(figure);
    ADD_FAILURE() << "no worm";
    return {};
  }
  int actions_ = 0;
};

}  // namespace cooperage::app
