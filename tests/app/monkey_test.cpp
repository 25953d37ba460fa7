// SPDX-License-Identifier: GPL-3.0-or-later
// Hands that know nothing: random keys, clicks, figures, commands and undo on the whole window, without a crash, and
// with a document that can be worked out, saved and read again all the time.
#include <QAbstractSlider>
#include <QComboBox>
#include <QDialog>
#include <QDir>
#include <QWheelEvent>
#include <cstdio>
#include <cstdlib>
#include <random>

#include "window_fixture.h"

namespace cooperage::app {
namespace {

int figureOf(const char* name, int otherwise) {
  const char* text = std::getenv(name);
  return text ? std::atoi(text) : otherwise;
}

class Monkey : public WindowTest {
 protected:
  void SetUp() override {
    WindowTest::SetUp();
    window.setAskBeforeLoss(false);
    // whatever asks is answered by going on
    connect_ = QObject::connect(&closer_, &QTimer::timeout, [] {
      if (auto* d = qobject_cast<QDialog*>(QApplication::activeModalWidget()))
        d->reject();
      else if (auto* w = QApplication::activePopupWidget())
        w->close();
    });
    closer_.start(15);
  }
  void TearDown() override {
    closer_.stop();
    WindowTest::TearDown();
  }

  int below(int n) { return n <= 0 ? 0 : static_cast<int>(random_() % static_cast<unsigned>(n)); }
  QPoint placeIn(const QWidget* w) { return {below(std::max(1, w->width())), below(std::max(1, w->height()))}; }
  void note(const QString& what) {
    if (trace_) std::fprintf(stderr, "%d: %s\n", step_, what.toUtf8().constData());
  }

  template <class W>
  W* anyVisible() {
    std::vector<W*> all;
    for (W* w : window.findChildren<W*>())
      if (w->isVisible() && w->isEnabled()) all.push_back(w);
    return all.empty() ? nullptr : all[static_cast<std::size_t>(below(static_cast<int>(all.size())))];
  }

  void copyDemo(const QString& name) {
    const QString from = QStringLiteral(COOPERAGE_DEMO) + '/' + name, to = folder.filePath(name);
    QDir().mkpath(to + "/parts");
    for (const QString& sub : {QString(), QStringLiteral("/parts")})
      for (const QString& f : QDir(from + sub).entryList(QDir::Files))
        QFile::copy(from + sub + '/' + f, to + sub + '/' + f);
  }

  void act() {
    QWidget* scene = window.scene();
    switch (below(12)) {
      case 0: {  // a command; not the one that ends all, nor those that only open another program's window
        const auto& all = window.actions()->all();
        QAction* a = all[static_cast<std::size_t>(below(static_cast<int>(all.size())))];
        const QString id = a->objectName();
        if (id == QStringLiteral("quit") || id == QStringLiteral("print") || id == QStringLiteral("new")) return;
        note("command " + a->text());
        a->trigger();
        break;
      }
      case 1: {
        static const Qt::Key kKeys[] = {Qt::Key_Escape, Qt::Key_Return, Qt::Key_Tab,   Qt::Key_Delete, Qt::Key_G,
                                        Qt::Key_H,      Qt::Key_F,      Qt::Key_W,     Qt::Key_X,      Qt::Key_1,
                                        Qt::Key_2,      Qt::Key_5,      Qt::Key_Space, Qt::Key_Left,   Qt::Key_Right,
                                        Qt::Key_F5,     Qt::Key_F6,     Qt::Key_Home,  Qt::Key_End,    Qt::Key_R};
        const Qt::Key k = kKeys[below(static_cast<int>(std::size(kKeys)))];
        QWidget* at = QApplication::focusWidget() ? QApplication::focusWidget() : &window;
        note(QStringLiteral("key %1 on %2 %3").arg(int(k)).arg(at->metaObject()->className(), at->objectName()));
        QTest::keyClick(at, k);
        break;
      }
      case 2:
      case 3: {
        const QPoint at = placeIn(scene);
        const auto keys = below(4) == 0 ? Qt::ControlModifier : Qt::NoModifier;
        note(QStringLiteral("click %1 %2").arg(at.x()).arg(at.y()));
        QTest::mouseMove(scene, at);
        QTest::mouseClick(scene, below(6) == 0 ? Qt::RightButton : Qt::LeftButton, keys, at);
        break;
      }
      case 4: {
        const QPoint from = placeIn(scene), to = placeIn(scene);
        const Qt::MouseButton button = below(3) == 0 ? Qt::MiddleButton : Qt::LeftButton;
        note(QStringLiteral("drag %1 %2 to %3 %4").arg(from.x()).arg(from.y()).arg(to.x()).arg(to.y()));
        QTest::mousePress(scene, button, Qt::NoModifier, from);
        for (int k = 1; k <= 5; ++k) {
          const QPoint at = from + (to - from) * k / 5;
          QMouseEvent move(QEvent::MouseMove, at, scene->mapToGlobal(at), Qt::NoButton, button, Qt::NoModifier);
          QApplication::sendEvent(scene, &move);
        }
        QTest::mouseRelease(scene, button, Qt::NoModifier, to);
        break;
      }
      case 5:
      case 6: {
        auto* edit = anyVisible<QLineEdit>();
        if (!edit) return;
        static const char* kTexts[] = {"0", "12", "-3", "45 deg", "1e9", "x", "2*(3+4) mm", "", "mod(7, 4)", "7,5"};
        const QString text = QLatin1String(kTexts[below(static_cast<int>(std::size(kTexts)))]);
        note("type " + text + " into " + edit->objectName());
        edit->setFocus();
        edit->selectAll();
        QTest::keyClicks(edit, text);
        static const Qt::Key kEnds[] = {Qt::Key_Return, Qt::Key_Tab, Qt::Key_Escape};
        const QPointer<QLineEdit> there(edit);
        if (below(4) > 0 && there) QTest::keyClick(there.data(), kEnds[below(3)]);
        break;
      }
      case 7: {
        auto* b = anyVisible<QAbstractButton>();
        if (!b) return;
        note("button " + b->objectName() + ' ' + b->text());
        QTest::mouseClick(b, Qt::LeftButton);
        break;
      }
      case 8: {
        auto* list = window.panel(bench.selection().stage())->list();
        if (list->rows().empty()) return;
        const int row = below(static_cast<int>(list->rows().size()));
        note("row " + list->rows()[static_cast<std::size_t>(row)].title);
        list->scrollTo(list->model()->index(row, 0));
        QTest::mouseClick(list->viewport(), Qt::LeftButton, below(3) == 0 ? Qt::ControlModifier : Qt::NoModifier,
                          list->rectOf(row).center());
        break;
      }
      case 9: {
        auto* box = anyVisible<QComboBox>();
        if (!box || box->count() == 0) return;
        const int index = below(box->count());
        note(QStringLiteral("choose %1 of %2").arg(index).arg(box->objectName()));
        const QPointer<QComboBox> there(box);
        box->setCurrentIndex(index);
        if (there) emit there->activated(index);
        break;
      }
      case 10: {
        const Stage stage = static_cast<Stage>(below(6));
        note(QStringLiteral("stage %1").arg(static_cast<int>(stage)));
        bench.selection().setStage(stage);
        break;
      }
      case 11: {
        const bool back = below(3) > 0;
        note(back ? "undo" : "redo");
        window.actions()->find(back ? "undo" : "redo")->trigger();
        break;
      }
      default: break;
    }
  }

  /// What stands there can be written down, read and worked out.
  void expectSound() {
    const std::string text = document();
    const auto again = io::readCoop(text);
    ASSERT_TRUE(again.ok()) << again.error().text << "\n" << text;
    EXPECT_EQ(io::writeCoop(*again), text);
    const auto r = model::resolve(*again);
    EXPECT_TRUE(r.ok()) << (r.ok() ? "" : r.error().text);
    for (const Pose& p : bench.pose().poses()) EXPECT_TRUE(p.p.allFinite() && p.R.allFinite());
  }

  std::mt19937 random_;
  QTimer closer_;
  QMetaObject::Connection connect_;
  int step_ = 0;
  const bool trace_ = std::getenv("COOPERAGE_MONKEY_TRACE") != nullptr;
};

// COOPERAGE_MONKEY sets the number of actions a seed, COOPERAGE_MONKEY_SEEDS the number of seeds, and
// COOPERAGE_MONKEY_FROM the first; with COOPERAGE_MONKEY_TRACE each action is told before it is done.
TEST_F(Monkey, RandomActionsBringNothingDown) {
  const int actions = figureOf("COOPERAGE_MONKEY", 120), seeds = figureOf("COOPERAGE_MONKEY_SEEDS", 1),
            first = figureOf("COOPERAGE_MONKEY_FROM", 1);
  const QString demos[] = {QStringLiteral("hoop-press"), QStringLiteral("char-drum")};
  for (const QString& d : demos) copyDemo(d);
  for (int seed = first; seed < first + seeds; ++seed) {
    SCOPED_TRACE("seed " + std::to_string(seed));
    random_.seed(static_cast<unsigned>(seed));
    const QString demo = demos[seed % 2];
    ASSERT_TRUE(window.openPath(folder.filePath(demo + '/' + demo + ".coop"))) << lastError.toStdString();
    settle();
    for (step_ = 0; step_ < actions; ++step_) {
      act();
      QApplication::processEvents();
      if (step_ % 100 == 99) {
        window.actions()->find("cancel")->trigger();
        settle();
        expectSound();
        if (HasFatalFailure()) return;
      }
    }
    window.actions()->find("cancel")->trigger();
    settle();
    expectSound();
  }
}

}  // namespace
}  // namespace cooperage::app
