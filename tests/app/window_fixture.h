// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <gmock/gmock.h>

#include <QApplication>
#include <QElapsedTimer>
#include <QLabel>
#include <QLineEdit>
#include <QMessageBox>
#include <QPushButton>
#include <QTemporaryDir>
#include <QTest>
#include <QTimer>

#include "io/coop_file.h"
#include "main_window.h"

namespace cooperage::app {

/// The real window on a workbench of its own; events go to real widgets.
class WindowTest : public testing::Test {
 protected:
  void SetUp() override {
    window.resize(1280, 800);
    window.show();
    window.activateWindow();
    ASSERT_TRUE(QTest::qWaitForWindowExposed(&window));
    QApplication::processEvents();
    ASSERT_TRUE(window.scene()->problem().isEmpty()) << window.scene()->problem().toStdString();
    QObject::connect(&bench.speaker(), &Speaker::said, [this](const QString& text, bool error) {
      if (error) lastError = text;
    });
  }
  void TearDown() override { window.setAskBeforeLoss(false); }

#ifdef __SANITIZE_ADDRESS__
  static constexpr int kPatience = 900000;  // ms: a check takes fifteen times as long under the sanitizers
#else
  static constexpr int kPatience = 60000;
#endif
  template <class F>
  bool waitFor(F done, int milliseconds = kPatience) {
    QElapsedTimer clock;
    clock.start();
    while (clock.elapsed() < milliseconds) {
      QApplication::processEvents(QEventLoop::AllEvents, 10);
      if (done()) return true;
    }
    return false;
  }
  /// Until no job runs and what was queued is done.
  void settle() {
    EXPECT_TRUE(waitFor([this] { return bench.isSettled() && !window.scene()->isFilling(); }))
        << "still at work after " << kPatience / 1000 << " s";
    for (int i = 0; i < 5; ++i) QApplication::processEvents();
  }
  void key(Qt::Key k, Qt::KeyboardModifiers m = Qt::NoModifier) {
    QTest::keyClick(&window, k, m);
    QApplication::processEvents();
  }
  void openDemo() {
    ASSERT_TRUE(window.openPath(QStringLiteral(COOPERAGE_DEMO) + "/hoop-press/hoop-press.coop"));
    settle();
  }
  template <class W>
  W* find(const QString& name) {
    for (W* w : window.findChildren<W*>(name))
      if (w->isVisible()) return w;
    ADD_FAILURE() << "nothing visible named " << name.toStdString();
    return nullptr;
  }
  void press(const QString& name) {
    auto* b = find<QAbstractButton>(name);
    if (b) QTest::mouseClick(b, Qt::LeftButton);
    QApplication::processEvents();
  }
  /// Types into a field of the card and leaves it with Enter.
  void type(const QString& field, const QString& text) {
    auto* edit = find<QLineEdit>(field);
    if (!edit) return;
    edit->setFocus();
    edit->selectAll();
    QTest::keyClicks(edit, text);
    QTest::keyClick(edit, Qt::Key_Return);
    settle();
  }
  /// Clicks the ledger row that bears this title.
  void clickRow(const QString& title, Qt::KeyboardModifiers modifiers = Qt::NoModifier) {
    LedgerList* list = window.panel(bench.selection().stage())->list();
    for (std::size_t i = 0; i < list->rows().size(); ++i) {
      if (list->rows()[i].title != title) continue;
      list->scrollTo(list->model()->index(static_cast<int>(i), 0));
      QTest::mouseClick(list->viewport(), Qt::LeftButton, modifiers, list->rectOf(static_cast<int>(i)).center());
      QApplication::processEvents();
      settle();
      return;
    }
    ADD_FAILURE() << "no row " << title.toStdString();
  }
  const LedgerRow* row(const QString& title) {
    LedgerList* list = window.panel(bench.selection().stage())->list();
    for (const auto& r : list->rows())
      if (r.title == title) return &r;
    return nullptr;
  }
  model::Id linkId(const std::string& name) {
    const auto l = model::findByName(bench.document().mechanism()->links, name);
    if (!l) ADD_FAILURE() << "no link " << name;
    return l ? l->id : 0;
  }
  /// A pixel of the scene under which the wanted place of a link is offered, as a user finds it by hovering.
  QPoint pixelOffering(model::Id link, const Vec3& place) {
    const QPointF near = window.scene()->project(place);
    for (int radius = 0; radius < 60; radius += 2)
      for (int a = 0; a < 24; ++a) {
        const QPointF at = near + radius * QPointF(std::cos(a * 0.2618), std::sin(a * 0.2618));
        if (!window.scene()->rect().contains(at.toPoint())) continue;
        const auto offered = window.scene()->placeAt(at.toPoint());
        if (offered && offered->link == link && (offered->at - place).norm() < 1e-6) return at.toPoint();
      }
    ADD_FAILURE() << "no pixel offers that place";
    return {};
  }
  /// Enter on the card beside the pick.
  void confirmCard() {
    ASSERT_TRUE(window.maker()->card().isVisible()) << lastError.toStdString();
    QTest::keyClick(&window.maker()->card(), Qt::Key_Return);
    settle();
  }
  std::string document() const { return io::writeCoop(*bench.document().mechanism()); }

  Workbench bench;
  MainWindow window{bench};
  QString lastError;
  QTemporaryDir folder;
};

}  // namespace cooperage::app
