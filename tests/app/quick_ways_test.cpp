// SPDX-License-Identifier: GPL-3.0-or-later
// Tasks as a user does them, with their clicks, keys and typed fields counted: docs/actions.md tells the counts. Also
// what makes them quick: where a new element stands, where the cursor is, what an empty window offers.
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
namespace {

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
          if (used) std::printf("covered place of link %zu: %d times N\n", link, used);
          return;
        }

    if (!QFile::exists("/tmp/fail.png")) window.grab().save("/tmp/fail.png");
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
          if (used) std::printf("covered place of %s: %d times N\n", link.c_str(), used);
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

TEST_F(QuickWays, AParameterIsChangedByTheKeyboardInFourActions) {
  openDemo();
  window.scene()->setFocus();
  key(Qt::Key_K, Qt::ControlModifier);
  typeHere(QStringLiteral("guard_gap"));
  auto* field = qobject_cast<QLineEdit*>(QApplication::focusWidget());
  ASSERT_NE(field, nullptr);
  EXPECT_EQ(field->objectName(), "parameter guard_gap");
  EXPECT_EQ(field->selectedText(), field->text()) << "what is typed takes its place";
  typeHere(QStringLiteral("27 mm"));
  const auto p = model::findByName(m().parameters, "guard_gap");
  ASSERT_TRUE(p);
  EXPECT_NEAR(*model::evaluateField(m(), p->value, dimension::kLength), 0.027, 1e-15);
  EXPECT_LE(actions_, 4);
}

TEST_F(QuickWays, ThreeRequirementsAreMadeInEightActions) {
  openDemo();
  const auto before = m().requirements.size();
  window.scene()->setFocus();
  key(Qt::Key_4, Qt::AltModifier);
  clickRow(QStringLiteral("ram slide"));
  type(QStringLiteral("gauge at most"), QStringLiteral("60 mm"));
  clickRow(QStringLiteral("ram acceleration"));
  type(QStringLiteral("gauge at least"), QStringLiteral("-4 m/s^2"));
  clickRow(QStringLiteral("rod transmission"));
  type(QStringLiteral("gauge at least"), QStringLiteral("100 deg"));
  window.scene()->setFocus();
  key(Qt::Key_F5);
  settle();
  EXPECT_LE(actions_, 8);
  EXPECT_GE(m().requirements.size(), before + 1);
  const auto held = [&](const char* gauge) {
    const auto g = model::findByName(m().gauges, gauge);
    return g ? model::boundsOf(m(), g->id) : nullptr;
  };
  for (const char* gauge : {"ram slide", "ram acceleration", "rod transmission"}) ASSERT_TRUE(held(gauge)) << gauge;
  EXPECT_TRUE(held("ram slide")->max);
  // judged at once, in the gauge's own card: the transmission angle falls below 100 degrees
  ASSERT_TRUE(bench.runs().run());
  EXPECT_TRUE(std::any_of(bench.runs().run()->requirements.begin(), bench.runs().run()->requirements.end(),
                          [&](const auto& r) { return r.name == held("rod transmission")->name && r.fails(); }));
  auto* judged = find<QLabel>("judged");
  ASSERT_NE(judged, nullptr);
  EXPECT_TRUE(judged->text().contains(QStringLiteral("\u00b0"))) << judged->text().toStdString();
  // its last bound taken away, the requirement goes
  const auto made = m().requirements.size();
  type(QStringLiteral("gauge at least"), QString());
  auto* least = find<QLineEdit>("gauge at least");
  least->setFocus();
  least->selectAll();
  QTest::keyClick(least, Qt::Key_Delete);
  QTest::keyClick(least, Qt::Key_Return);
  settle();
  EXPECT_EQ(held("rod transmission"), nullptr);
  EXPECT_EQ(m().requirements.size(), made - 1);
}

TEST_F(QuickWays, OnePickOfAPointGivesPositionVelocityAndAcceleration) {
  openDemo();
  const auto before = m().gauges.size();
  window.scene()->setFocus();
  key(Qt::Key_4, Qt::AltModifier);
  choose(QStringLiteral("gauge"), QStringLiteral("Motion of a point: position, velocity, acceleration"));
  ASSERT_TRUE(window.maker()->isPicking());
  // a place of the upper toggle: where it is pinned to the frame or the rod, whatever the pointer finds there
  std::optional<PickedPlace> found;
  QPoint where;
  for (int x = 60; x < window.scene()->width() - 60 && !found; x += 9)
    for (int y = 60; y < window.scene()->height() - 60 && !found; y += 9)
      if (const auto place = window.scene()->placeAt(QPoint(x, y)); place && place->link == linkId("upper toggle")) {
        found = place;
        where = {x, y};
      }
  ASSERT_TRUE(found);
  QTest::mouseMove(window.scene(), where);
  QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::NoModifier, where);
  settle();
  ++actions_;
  EXPECT_LE(actions_, 5);
  ASSERT_EQ(m().gauges.size(), before + 3) << lastError.toStdString();
  const auto kind = [&](std::size_t i) { return m().gauges[before + i]->kind.value(); };
  EXPECT_EQ(kind(0), model::GaugeKind::pointPosition);
  EXPECT_EQ(kind(1), model::GaugeKind::pointVelocity);
  EXPECT_EQ(kind(2), model::GaugeKind::pointAcceleration);
  for (std::size_t i = 1; i < 3; ++i)
    EXPECT_EQ(m().gauges[before + i]->of[0].id, m().gauges[before]->of[0].id) << "of one and the same seat";
  WindowTest::key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(m().gauges.size(), before) << "one step back takes all three";
}

TEST_F(QuickWays, ANewElementStandsBesideWhatIsThereInViewWithItsFirstFigureReadyToType) {
  for (int i = 0; i < 3; ++i) {
    choose(QStringLiteral("add"), QStringLiteral("Box"));
    ASSERT_EQ(m().links.size(), static_cast<std::size_t>(i + 1));
    typeHere(QString::number(70 + i) + QStringLiteral(" mm"));
  }
  EXPECT_EQ(actions_, 9);
  const auto& r = bench.solution().resolved();
  for (std::size_t i = 0; i < 3; ++i)
    EXPECT_NEAR(r.links[i].bodies[0].figures[0], 0.070 + 1e-3 * static_cast<double>(i), 1e-12)
        << "what was typed went into its first figure";
  for (std::size_t i = 1; i < 3; ++i) {
    const double gap = bench.pose().poses()[i].p.x() - bench.pose().poses()[i - 1].p.x() -
                       0.5 * (r.links[i].bodies[0].figures[0] + r.links[i - 1].bodies[0].figures[0]);
    EXPECT_GT(gap, 0) << "they don't lie in one another";
    EXPECT_LT(gap, 0.05) << "but side by side";
  }
  for (const auto& pose : bench.pose().poses())
    EXPECT_TRUE(window.scene()->rect().contains(window.scene()->project(pose.p).toPoint()));
}

TEST_F(QuickWays, TheOtherPaletteIsThereAtOnce) {
  openDemo();
  bench.selection().setStage(Stage::run);
  settle();
  const auto middle = [&](QWidget* w) { return w->grab().toImage().pixelColor(w->width() - 6, w->height() / 2); };
  QWidget* lanes = window.strip()->lanes();
  auto* compute = find<QPushButton>("compute");
  const QImage icon = compute->icon().pixmap(16, 16).toImage();
  const int scene = window.scene()->picture().pixelColor(4, 4).lightness();
  EXPECT_GT(middle(lanes).lightness(), 200);
  EXPECT_GT(scene, 200);
  window.actions()->find(QStringLiteral("dark"))->trigger();
  settle();
  EXPECT_LT(middle(lanes).lightness(), 80);
  EXPECT_LT(window.scene()->picture().pixelColor(4, 4).lightness(), 80);
  EXPECT_LT(middle(window.card()).lightness(), 80);
  EXPECT_NE(compute->icon().pixmap(16, 16).toImage(), icon);
  EXPECT_TRUE(QSettings().value(QStringLiteral("dark")).toBool()) << "and at the next start";
  window.actions()->find(QStringLiteral("dark"))->trigger();
  settle();
  EXPECT_GT(middle(lanes).lightness(), 200);
  EXPECT_EQ(compute->icon().pixmap(16, 16).toImage(), icon);
}

TEST_F(QuickWays, TheFreedomsAreListedAndACureIsOneClickAndOneUndo) {
  openDemo();
  bench.selection().setStage(Stage::join);
  ASSERT_TRUE(bench.solution().mobility());
  const int redundant = bench.solution().mobility()->redundant;
  ASSERT_EQ(redundant, 6) << "two planar loops";
  EXPECT_TRUE(window.chip()->text().contains(theme().mute.name())) << "that they are planar is no warning";
  EXPECT_FALSE(window.chip()->text().contains(theme().warn.name()));
  QTest::mouseClick(window.chip(), Qt::LeftButton);
  ++actions_;
  auto* card = window.findChild<FreedomCard*>();
  ASSERT_TRUE(card && card->isVisible());
  EXPECT_TRUE(find<QLabel>("redundant")->text().contains("parallel planes"));
  press(QStringLiteral("cure knuckle spherical"));
  settle();
  EXPECT_EQ(model::findByName(m().joints, "knuckle")->kind, model::JointKind::spherical);
  EXPECT_EQ(bench.solution().mobility()->redundant, redundant - 2);
  EXPECT_TRUE(find<QLabel>("redundant")->text().contains("4 redundant"))
      << find<QLabel>("redundant")->text().toStdString();
  WindowTest::key(Qt::Key_Z, Qt::ControlModifier);
  settle();
  EXPECT_EQ(bench.solution().mobility()->redundant, redundant);
  QTest::keyClick(card, Qt::Key_Escape);
  EXPECT_FALSE(card->isVisible());
  EXPECT_EQ(actions_, 2);
}

TEST_F(QuickWays, AnEmptyWindowOffersWhatToBeginWith) {
  auto* start = window.findChild<StartCard*>();
  ASSERT_TRUE(start && start->isVisible());
  for (const char* way : {"start import", "start folder", "start element", "start open"})
    EXPECT_NE(find<QPushButton>(way), nullptr);
  ASSERT_FALSE(demoFolder().isEmpty());
  press(QStringLiteral("document stave-lifter"));
  settle();
  EXPECT_FALSE(m().links.empty());
  EXPECT_FALSE(start->isVisible());
  EXPECT_EQ(actions_, 1);
  // what was open is offered with its picture the next time
  const QString path = bench.document().path();
  ASSERT_TRUE(window.openPath(QStringLiteral(COOPERAGE_DEMO) + "/hoop-press/hoop-press.coop"));
  bench.document().newDocument();
  settle();
  ASSERT_TRUE(start->isVisible());
  auto* tile = find<QToolButton>("document stave-lifter");
  ASSERT_NE(tile, nullptr);
  EXPECT_EQ(tile->toolTip(), path);
  EXPECT_GT(tile->iconSize().width(), 100) << "a picture, not a mark";
}

TEST_F(QuickWays, AnEmptyWindowsElementsAreThoseOfTheShapeStage) {
  choose(QStringLiteral("start element"), QStringLiteral("Bar with two pivots"));
  ASSERT_EQ(m().links.size(), 1u);
  EXPECT_FALSE(window.findChild<StartCard*>()->isVisible());
}

TEST_F(QuickWays, JointKindsBearTheirNamesAndKeys) {
  bench.selection().setStage(Stage::join);
  settle();
  for (const auto& info : model::jointKinds()) {
    auto* b = find<QToolButton>(QStringLiteral("make ") + QLatin1String(info.name));
    ASSERT_NE(b, nullptr);
    EXPECT_EQ(b->text(), QString::fromLatin1(info.name).replace('-', ' '));
    EXPECT_GE(b->width(), b->sizeHint().width() - 2) << "not cut off: " << info.name;
    EXPECT_TRUE(b->toolTip().contains("Leaves"));
  }
}

TEST_F(QuickWays, SeatsBodiesAndCommandsAreFoundBySeveralWords) {
  openDemo();
  window.scene()->setFocus();
  const auto first = [&](const QString& words) {
    key(Qt::Key_K, Qt::ControlModifier);
    auto* list = window.findChild<Search*>()->findChild<QListWidget*>();
    QTest::keyClicks(QApplication::focusWidget(), words);
    const QString text = list->count() ? list->item(0)->text() : QString();
    QTest::keyClick(QApplication::focusWidget(), Qt::Key_Escape);
    return text;
  };
  EXPECT_TRUE(first(QStringLiteral("reload missing")).startsWith("Refresh geometry"));
  EXPECT_TRUE(first(QStringLiteral("degrees of freedom")).startsWith("Freedoms"));
  EXPECT_TRUE(first(QStringLiteral("seat upper toggle knuckle")).startsWith("knuckle"));
}

TEST_F(QuickWays, AFourBarFromNothingIsMadeAndDrivenInTwentyFiveActions) {
  choose(QStringLiteral("start element"), QStringLiteral("Bar with two pivots"));
  typeHere(QStringLiteral("100 mm"));
  for (const char* length : {"30 mm", "90 mm", "60 mm"}) {
    key(Qt::Key_Insert);
    typeHere(QLatin1String(length));
  }
  ASSERT_EQ(m().links.size(), 4u);
  ASSERT_TRUE(m().links[0]->ground) << "the first link stands still";
  key(Qt::Key_5, Qt::ControlModifier);  // from above
  key(Qt::Key_2, Qt::AltModifier);
  press(QStringLiteral("bring together"));
  press(QStringLiteral("make revolute"));
  const double length[] = {0.1, 0.03, 0.09, 0.06};
  pickBore(0, 0);
  for (std::size_t i = 1; i < 4; ++i) {
    pickBore(i, 0);
    pickBore(i, length[i]);
  }
  pickBore(0, length[0]);
  window.grab().save("/tmp/four.png");
  confirmCard();
  ++actions_;
  ASSERT_EQ(m().joints.size(), 4u) << lastError.toStdString();
  EXPECT_TRUE(bench.solution().homeProblem().isEmpty()) << bench.solution().homeProblem().toStdString();
  ASSERT_TRUE(bench.solution().mobility());
  EXPECT_EQ(bench.solution().mobility()->freedoms, 1);
  clickRow(QString::fromStdString(m().joints[0]->name));
  key(Qt::Key_D, Qt::ShiftModifier);
  settle();
  std::printf("four-bar: %d\n", actions_);
  EXPECT_LE(actions_, 25);
  ASSERT_TRUE(bench.runs().run()) << lastError.toStdString();
  EXPECT_TRUE(bench.runs().run()->result.travel.completed);
  // it is the four-bar that was typed: all pivots keep their distances through the travel
  const auto& steps = bench.runs().run()->result.travel.steps;
  for (const double share : {0.0, 0.3, 0.7, 1.0}) {
    bench.runs().setCursor(share * steps.back().t);
    const auto& pose = bench.pose().poses();
    const Vec3 a = pose[1] * Vec3(length[1], 0, 0), b = pose[2] * Vec3(length[2], 0, 0);
    EXPECT_NEAR((a - pose[2].p).norm(), 0, 1e-9);
    EXPECT_NEAR((b - pose[3].p).norm(), 0, 1e-9);
    EXPECT_NEAR((pose[3] * Vec3(length[3], 0, 0) - pose[0] * Vec3(length[0], 0, 0)).norm(), 0, 1e-9);
  }
}

TEST_F(QuickWays, ASliderCrankFromNothingIsMadeAndDrivenInTwentyEightActions) {
  choose(QStringLiteral("start element"), QStringLiteral("Box"));
  typeHere(QStringLiteral("200 mm"));
  choose(QStringLiteral("add"), QStringLiteral("Bar with two pivots"));
  typeHere(QStringLiteral("30 mm"));
  key(Qt::Key_Insert);
  typeHere(QStringLiteral("100 mm"));
  choose(QStringLiteral("add"), QStringLiteral("Box"));
  ASSERT_EQ(m().links.size(), 4u);
  key(Qt::Key_2, Qt::AltModifier);
  press(QStringLiteral("bring together"));
  press(QStringLiteral("make revolute"));
  pickFace(0, Vec3(0, 0, 0.010), Vec3::UnitZ());
  pickBore(1, 0);
  pickBore(1, 0.030);
  pickBore(2, 0);
  pickBore(2, 0.100);
  pickFace(3, Vec3(0, 0, 0.010), Vec3::UnitZ());
  confirmCard();
  ++actions_;
  press(QStringLiteral("make prismatic"));
  const Vec3 side(0.030, 0, 0);
  pickFace(3, side, Vec3::UnitX());
  QTest::keyClick(window.scene(), Qt::Key_Return, Qt::ControlModifier);  // in place: the block slides where it is
  settle();
  confirmCard();
  actions_ += 2;
  ASSERT_EQ(m().joints.size(), 4u) << lastError.toStdString();
  ASSERT_TRUE(bench.solution().mobility()) << bench.solution().homeProblem().toStdString();
  EXPECT_EQ(bench.solution().mobility()->freedoms, 1);
  clickRow(QString::fromStdString(m().joints[0]->name));
  key(Qt::Key_D, Qt::ShiftModifier);
  settle();
  std::printf("slider-crank: %d\n", actions_);
  EXPECT_LE(actions_, 28);
  ASSERT_TRUE(bench.runs().run()) << lastError.toStdString();
  EXPECT_TRUE(bench.runs().run()->result.travel.completed);
  // its stroke is twice the crank
  double low = 1e300, high = -1e300;
  const auto& steps = bench.runs().run()->result.travel.steps;
  for (const auto& s : steps) {
    bench.runs().setCursor(s.t);
    const double x = bench.pose().poses()[3].p.x();
    low = std::min(low, x);
    high = std::max(high, x);
  }
  EXPECT_NEAR(high - low, 0.060, 1e-4);
}

TEST_F(QuickWays, TheSevenJointsOfThePressAreMadeFromItsPartsInFiftyActions) {
  openDemo();
  auto parts = model::withPlacements(m(), bench.pose().poses());
  const std::size_t wanted = parts.joints.size();
  ASSERT_EQ(wanted, 7u);
  std::map<std::string, std::pair<Vec3, Vec3>> axes;
  for (const auto& j : bench.solution().resolved().joints) {
    const Pose at = bench.pose().poses()[static_cast<std::size_t>(j.linkA)] * j.seatA;
    axes[j.name] = {at.p, at.R.col(2)};
  }
  parts.joints.clear();
  parts.couplings.clear();
  parts.drives.clear();
  parts.gauges.clear();
  parts.requirements.clear();
  parts.runs.clear();
  ASSERT_TRUE(bench.document().apply(QStringLiteral("parts alone"), Result<model::Mechanism>(parts)));
  settle();
  window.scene()->setFocus();
  key(Qt::Key_2, Qt::AltModifier);
  press(QStringLiteral("make revolute"));
  const std::tuple<const char*, const char*, const char*> kPins[] = {
      {"main bearing", "crank", "frame"},          {"crank pin", "rod", "crank"},
      {"top pivot", "upper toggle", "frame"},      {"rod knuckle", "upper toggle", "rod"},
      {"knuckle", "upper toggle", "lower toggle"}, {"ram pin", "ram", "lower toggle"}};
  for (const auto& [name, link, partner] : kPins) joinHere(link, axes[name].first, axes[name].second, partner);
  press(QStringLiteral("make prismatic"));
  // a bore of the ram on its column
  bool found = false;
  for (const auto& [faces, pose] : roundsOf(bench, linkId("ram")))
    for (const auto& f : *faces) {
      const Vec3 axis = (pose.R * (f.high - f.low)).normalized();
      if (found || !f.inward || std::abs(axis.z()) < 0.999) continue;
      found = true;
      joinHere("ram", pose * Vec3(0.5 * (f.low + f.high)), axis, "frame");
    }
  ASSERT_TRUE(found);
  std::printf("press: %d\n", actions_);
  EXPECT_LE(actions_, 50);
  ASSERT_EQ(m().joints.size(), wanted) << lastError.toStdString();
  ASSERT_TRUE(bench.solution().mobility()) << bench.solution().homeProblem().toStdString();
  EXPECT_EQ(bench.solution().mobility()->freedoms, 1);
}

TEST_F(QuickWays, AnExchangeAssemblyIsGroupedGroundedJoinedAndDrivenInEightActions) {
  for (const bool splines : {false, true}) {
    actions_ = 0;
    bench.document().newDocument();
    demo::FastenedStand how;
    how.splines = splines;
    const QString file = folder.filePath(QStringLiteral("stand %1.step").arg(splines));
    ASSERT_TRUE(shape::writeStep(demo::fastenedStand(how), "stand", file.toStdString()).ok());
    drop(file);
    ++actions_;
    settle();
    auto* card = window.findChild<GroupCard*>();
    ASSERT_TRUE(card && card->isVisible()) << lastError.toStdString();
    ASSERT_EQ(bench.importer().imported().size(), 18u);
    ASSERT_EQ(m().links.size(), 2u) << "what is clamped, and the rod with its nuts";
    EXPECT_TRUE(m().links[0]->ground);
    EXPECT_EQ(m().links[0]->bodies.size(), 15u);
    EXPECT_EQ(m().links[1]->bodies.size(), 3u);
    bool why = false;
    for (auto* l : card->findChildren<QLabel*>(QStringLiteral("group why")))
      why = why || l->text() == QStringLiteral("4 \u00d7 bolt of 8 mm with its nut clamps 2 parts");
    EXPECT_TRUE(why);
    if (!splines) window.grab().save("/tmp/group.png");
    QTest::keyClick(card, Qt::Key_Return);
    ++actions_;
    settle();
    ASSERT_TRUE(window.proposals()->isVisible()) << lastError.toStdString();
    if (!splines) window.grab().save("/tmp/proposals.png");
    QTest::keyClick(window.proposals(), Qt::Key_Return);
    ++actions_;
    settle();
    ASSERT_EQ(m().joints.size(), 1u);
    EXPECT_EQ(m().joints[0]->kind, model::JointKind::cylindrical);
    ASSERT_TRUE(bench.solution().mobility());
    clickRow(QString::fromStdString(m().joints[0]->name));
    key(Qt::Key_D, Qt::ShiftModifier);
    settle();
    EXPECT_LE(actions_, 8);
    ASSERT_TRUE(bench.runs().run()) << lastError.toStdString();
    EXPECT_TRUE(bench.runs().run()->result.travel.completed);
    // one step back takes the drive, one the joint, one the whole import
    while (!m().joints.empty()) WindowTest::key(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(m().links.size(), 2u);
    WindowTest::key(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_TRUE(m().links.empty());
    std::printf("stand: %d\n", actions_);
  }
}

TEST_F(QuickWays, AnImportIsGroupedByEachWayAndByHand) {
  const QString file = folder.filePath(QStringLiteral("stand.step"));
  ASSERT_TRUE(shape::writeStep(demo::fastenedStand({}), "stand", file.toStdString()).ok());
  drop(file);
  settle();
  auto* card = window.findChild<GroupCard*>();
  ASSERT_TRUE(card && card->isVisible());
  press(QStringLiteral("way solids"));
  EXPECT_EQ(m().links.size(), 18u);
  press(QStringLiteral("way one"));
  EXPECT_EQ(m().links.size(), 1u);
  press(QStringLiteral("way fasteners"));
  EXPECT_EQ(m().links.size(), 2u);
  press(QStringLiteral("way solids"));
  bench.selection().select({m().links[0]->id, m().links[1]->id, m().links[2]->id});
  press(QStringLiteral("way merge"));
  ASSERT_EQ(m().links.size(), 16u);
  EXPECT_TRUE(std::any_of(m().links.begin(), m().links.end(), [](const auto& l) { return l->bodies.size() == 3; }));
  QTest::keyClick(card, Qt::Key_Escape);
  EXPECT_FALSE(card->isVisible());
  EXPECT_EQ(m().links.size(), 16u) << "the links stay as they were listed";
}

TEST_F(QuickWays, APlanetaryStageFromAnEmptyDocumentIsMadeAndDrivenInSixActions) {
  window.scene()->setFocus();
  key(Qt::Key_2, Qt::AltModifier);
  choose(QStringLiteral("machine elements"), QStringLiteral("Planetary stage"));
  window.grab().save("/tmp/stage.png");
  EXPECT_EQ(find<QWidget>("machine card")->findChild<QLabel*>("machine problem"), nullptr);
  key(Qt::Key_Return);
  settle();
  ASSERT_GE(m().couplings.size(), 2u) << lastError.toStdString();
  ASSERT_TRUE(bench.solution().mobility()) << bench.solution().homeProblem().toStdString();
  EXPECT_EQ(bench.solution().mobility()->left, 1);
  clickRow(QStringLiteral("stage sun"));
  key(Qt::Key_D, Qt::ShiftModifier);
  settle();
  std::printf("stage: %d\n", actions_);
  EXPECT_LE(actions_, 6);
  ASSERT_TRUE(bench.runs().run()) << lastError.toStdString();
  EXPECT_TRUE(bench.runs().run()->result.travel.completed);
  WindowTest::key(Qt::Key_Z, Qt::ControlModifier);
  WindowTest::key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_TRUE(m().links.empty()) << "shafts, frame and stage are one step";
}

TEST_F(QuickWays, GearsFromAnEmptyDocumentAreMadeInFourActions) {
  window.scene()->setFocus();
  key(Qt::Key_G, Qt::ControlModifier);
  type(QStringLiteral("ratio"), QStringLiteral("3"));
  key(Qt::Key_Return);
  settle();
  std::printf("pair: %d\n", actions_);
  EXPECT_LE(actions_, 4);
  ASSERT_EQ(m().couplings.size(), 1u) << lastError.toStdString();
  EXPECT_EQ(m().joints.size(), 2u);
  EXPECT_EQ(bench.solution().mobility()->freedoms, 1);
}

TEST_F(QuickWays, EveryMakerStartsFromNothing) {
  bench.selection().setStage(Stage::join);
  for (const Machine what :
       {Machine::spur, Machine::ring, Machine::bevel, Machine::crossed, Machine::worm, Machine::rack, Machine::belt,
        Machine::chain, Machine::screw, Machine::cam, Machine::planetary, Machine::differential}) {
    window.actions()->find(QStringLiteral("machine %1").arg(static_cast<int>(what)))->trigger();
    settle();
    auto* card = find<QWidget>("machine card");
    ASSERT_NE(card, nullptr);
    EXPECT_EQ(card->findChild<QLabel*>("machine problem"), nullptr)
        << MachineCard::titleOf(what).toStdString() << ": "
        << card->findChild<QLabel*>("machine problem")->text().toStdString();
    EXPECT_FALSE(m().links.empty());
    EXPECT_TRUE(bench.solution().homeProblem().isEmpty()) << bench.solution().homeProblem().toStdString();
    ASSERT_TRUE(bench.solution().mobility());
    EXPECT_EQ(bench.solution().mobility()->left, what == Machine::differential ? 2 : 1)
        << MachineCard::titleOf(what).toStdString();
    QTest::keyClick(card, Qt::Key_Escape);
    settle();
    EXPECT_TRUE(m().links.empty()) << "taken back whole";
  }
}

TEST_F(QuickWays, ShaftAngleAndWormSizeAreTyped) {
  bench.selection().setStage(Stage::join);
  window.actions()->find(QStringLiteral("machine %1").arg(static_cast<int>(Machine::bevel)))->trigger();
  settle();
  type(QStringLiteral("shaft angle"), QStringLiteral("70 deg"));
  ASSERT_EQ(m().couplings.size(), 1u) << lastError.toStdString();
  EXPECT_NEAR(*model::shaftAngleOf(m(), m().joints[0]->id, m().joints[1]->id, bench.pose().poses()), 70 * kDegree,
              1e-9);
  EXPECT_EQ(find<QLineEdit>("shaft angle")->text().toStdString(), "70 deg");
  QTest::keyClick(find<QWidget>("machine card"), Qt::Key_Escape);
  window.actions()->find(QStringLiteral("machine %1").arg(static_cast<int>(Machine::worm)))->trigger();
  settle();
  type(QStringLiteral("quotient"), QStringLiteral("10"));
  // z = 1, q = 10: the lead angle is atan(1/10), the diameter m / sin of it
  EXPECT_NEAR(*model::evaluateField(m(), worm("lead angle"), dimension::kAngle), std::atan(0.1), 1e-9);
  type(QStringLiteral("worm diameter"), QStringLiteral("25 mm"));
  EXPECT_NEAR(*model::evaluateField(m(), worm("lead angle"), dimension::kAngle), std::asin(2.0 / 25), 1e-9);
}

TEST_F(QuickWays, AnAngleIsGaugedAndDrivenInFourActions) {
  openDemo();
  ASSERT_TRUE(bench.document().apply(QStringLiteral("no drive"), model::removed(m(), {m().drives[0]->id})));
  settle();
  window.scene()->setFocus();
  const auto flat = [&](std::size_t link) {
    // any flat face that stands in the plane of motion
    for (int y = 60; y < window.scene()->height() - 60; y += 4)
      for (int x = 10; x < window.scene()->width() - 10; x += 4) {
        QTest::mouseMove(window.scene(), QPoint(x, y));
        QApplication::processEvents();
        const PickedPlace* p = window.scene()->picker().present();
        if (!p || p->link != m().links[link]->id || p->feature.kind != model::FeatureKind::plane ||
            p->word != QStringLiteral("middle") || std::abs(p->axis.y()) > 0.01)
          continue;
        QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::NoModifier, QPoint(x, y));
        settle();
        ++actions_;
        return;
      }
    ADD_FAILURE() << "no flat face of link " << link;
  };
  key(Qt::Key_A, Qt::ShiftModifier);
  flat(0);
  flat(2);
  ASSERT_FALSE(m().gauges.empty()) << lastError.toStdString();
  ASSERT_EQ(m().gauges.back()->kind, model::GaugeKind::angle);
  key(Qt::Key_T, Qt::ShiftModifier);
  settle();
  EXPECT_EQ(actions_, 4);
  ASSERT_EQ(m().drives.size(), 1u) << lastError.toStdString();
  EXPECT_EQ(m().drives[0]->gauge, m().gauges.back()->id);
  ASSERT_TRUE(bench.runs().run()) << lastError.toStdString();
  EXPECT_FALSE(bench.runs().run()->result.travel.steps.empty());
}

TEST_F(QuickWays, TheDemoIsCheckedChangedCheckedAndSavedByKeysAlone) {
  const QString from = QStringLiteral(COOPERAGE_DEMO) + QStringLiteral("/hoop-press"), to = folder.path();
  QDir(to).mkpath(QStringLiteral("parts"));
  for (const QString& sub : {QString(), QStringLiteral("/parts")})
    for (const QString& f : QDir(from + sub).entryList(QDir::Files))
      ASSERT_TRUE(QFile::copy(from + sub + '/' + f, to + sub + '/' + f));
  const QString file = to + QStringLiteral("/hoop-press.coop");
  ASSERT_TRUE(window.openPath(file));
  settle();
  const auto keys = [&](Qt::Key k, Qt::KeyboardModifiers m = Qt::NoModifier) {
    QTest::keyClick(QApplication::focusWidget() ? QApplication::focusWidget() : &window, k, m);
    QApplication::processEvents();
    settle();
    ++actions_;
  };
  keys(Qt::Key_F6);
  EXPECT_EQ(window.statusText(), QStringLiteral("1 interference found"));
  keys(Qt::Key_F7);
  ASSERT_TRUE(bench.runs().run());
  const double turned = 360 * bench.runs().cursor() / bench.runs().run()->result.travel.steps.back().t;
  EXPECT_GT(turned, 64) << "within the contact";
  EXPECT_LT(turned, 133);
  keys(Qt::Key_K, Qt::ControlModifier);
  typeHere(QStringLiteral("guard_gap"));
  typeHere(QStringLiteral("40 mm"));
  keys(Qt::Key_F6);
  EXPECT_TRUE(window.statusText().startsWith(QStringLiteral("No overlap was found")))
      << window.statusText().toStdString();
  keys(Qt::Key_S, Qt::ControlModifier);
  EXPECT_FALSE(bench.document().isChanged());
  EXPECT_LE(actions_, 8);
  std::printf("keys alone: %d\n", actions_);
  bench.document().newDocument();
  ASSERT_TRUE(window.openPath(file));
  settle();
  EXPECT_NEAR(*model::evaluateField(m(), model::findByName(m().parameters, "guard_gap")->value, dimension::kLength),
              0.040, 1e-15);
}

}  // namespace
}  // namespace cooperage::app
