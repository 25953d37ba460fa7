// SPDX-License-Identifier: GPL-3.0-or-later
// The travel strip, programmes, gauges and comparisons, with mouse and keys on the real window.
#include <QClipboard>
#include <QFile>
#include <QPdfWriter>
#include <QSlider>
#include <QToolButton>
#include <fstream>
#include <random>

#include "travel_fixture.h"

namespace cooperage::app {
namespace {

using namespace model;

TEST_F(Travel, AKnotDraggedChangesFileCurveAndRun) {
  openLifter();
  bench.runs().setCurrentRun(bench.document().mechanism()->runs[1]->id);  // moves and dwells
  rest();
  bench.selection().setStage(Stage::drive);
  bench.selection().select({driveId("indexer")});
  QApplication::processEvents();
  ASSERT_TRUE(programme().isVisible());
  const std::string before = document();
  const int steps = bench.document().undoStack()->index();
  const auto turnAt = [&](double t) {
    kinematics::TravelStep s;
    EXPECT_TRUE(bench.runs().run()->travel->poseAt(bench.runs().run()->result.travel, t, s));
    return kinematics::jointValue(bench.runs().run()->travel->system(), s.c, 0, 0,
                                  bench.runs().run()->travel->resolved()) /
           kDegree;
  };
  EXPECT_NEAR(turnAt(1.5), 210, 1e-9);
  // the second knot: end of the first lift, at 1.5 s
  const QPointF knot = programme().pixelOfKnot(2);
  dragIn(&programme(), knot, {programme().xOf(1.7), programme().yOfValue(300 * kDegree)});
  rest();
  const auto& rows =
      rowsOf(*bench.document().mechanism(), *findById(bench.document().mechanism()->drives, driveId("indexer")));
  const auto time = evaluateField(*bench.document().mechanism(), rows[1].figures.at("time"), dimension::kTime);
  const auto by = evaluateField(*bench.document().mechanism(), rows[1].figures.at("by"), dimension::kAngle);
  EXPECT_NEAR(*time, 1.3, 0.011) << "0.4 to 1.7 s";
  EXPECT_NEAR(*by / kDegree, 240, 6) << "two or three degrees a pixel";
  EXPECT_NEAR(std::remainder(*by / kDegree, 1), 0, 1e-9) << "round figures";
  EXPECT_THAT(document(), testing::HasSubstr(fieldText(*bench.document().mechanism(), rows[1].figures.at("time"))));
  EXPECT_EQ(bench.runs().run()->source, bench.document().mechanism()) << "the run has followed";
  EXPECT_NEAR(turnAt(0.4 + *time), 60 + *by / kDegree, 1e-9);
  EXPECT_NEAR(turnAt(3.8), 420, 1e-9) << "what comes after stays where it was";
  EXPECT_EQ(bench.document().undoStack()->index(), steps + 1) << "one gesture, one step";
  // the same figures typed give the same programme
  key(Qt::Key_Z, Qt::ControlModifier);
  rest();
  EXPECT_EQ(document(), before);
  EXPECT_NEAR(turnAt(1.5), 210, 1e-9);
  const auto typeRow = [&](const char* field, const Field& f) {
    type(QLatin1String(field), QString::fromStdString(fieldText(*bench.document().mechanism(), f)));
    rest();
  };
  const auto wanted = rows;
  typeRow("time 2", wanted[1].figures.at("time"));
  typeRow("by 2", wanted[1].figures.at("by"));
  typeRow("time 3", wanted[2].figures.at("time"));
  typeRow("by 4", wanted[3].figures.at("by"));
  const auto& typed =
      rowsOf(*bench.document().mechanism(), *findById(bench.document().mechanism()->drives, driveId("indexer")));
  ASSERT_EQ(typed.size(), wanted.size());
  const auto& m = *bench.document().mechanism();
  for (std::size_t i = 0; i < typed.size(); ++i)
    for (const auto& [name, f] : wanted[i].figures) {
      const Dimension d = name == "time" ? dimension::kTime : dimension::kAngle;
      EXPECT_NEAR(*evaluateField(m, typed[i].figures.at(name), d), *evaluateField(m, f, d), 1e-12) << name << " " << i;
    }
}

TEST_F(Travel, AShiftDragTakesTheRestAlongAndADoubleClickPutsADwellIn) {
  openLifter();
  bench.runs().setCurrentRun(bench.document().mechanism()->runs[1]->id);
  rest();
  bench.selection().setStage(Stage::drive);
  bench.selection().select({driveId("indexer")});
  QApplication::processEvents();
  const double end = programme().programme()->end();
  const QPointF knot = programme().pixelOfKnot(2);
  dragIn(&programme(), knot, knot + QPointF(programme().xOf(0.2) - programme().xOf(0), 0), Qt::ShiftModifier);
  rest();
  EXPECT_NEAR(programme().programme()->end(), end + 0.2, 0.021);
  const auto rows = [&] {
    return rowsOf(*bench.document().mechanism(), *findById(bench.document().mechanism()->drives, driveId("indexer")));
  };
  const auto n = rows().size();
  const double middle = 0.9, level = programme().programme()->at(middle).position;
  QTest::mouseDClick(&programme(), Qt::LeftButton, Qt::NoModifier,
                     QPointF(programme().xOf(middle), programme().yOfValue(level) - 20).toPoint());
  rest();
  ASSERT_EQ(rows().size(), n + 2);
  EXPECT_EQ(rows()[2].law, motion::LawKind::dwell);
  // laws are chosen in the card, rows added and removed
  choose("law 2", "cycloidal");
  EXPECT_EQ(rows()[1].law, motion::LawKind::cycloidal);
  press("add move");
  rest();
  EXPECT_EQ(rows().size(), n + 3);
  press(QStringLiteral("remove %1").arg(n + 3));
  rest();
  EXPECT_EQ(rows().size(), n + 2);
}

/// A random walk of everything that the transport offers: picture, cursor and read-outs are those of one pose always.
TEST_F(Travel, TheTransportKeepsCursorSceneAndReadOutsInStep) {
  openLifter();
  Strip& strip = *window.strip();
  auto* position = find<QLineEdit>("position");
  std::mt19937 random(20261126);
  const auto pick = [&](int n) { return static_cast<int>(random() % static_cast<unsigned>(n)); };
  const auto fresh = kinematics::TravelRun::prepare(bench.solution().resolved(), 0).value();
  const auto travel = fresh->run();
  kinematics::Measurer measurer(*fresh);
  const double end = travel.steps.back().t;
  for (int k = 0; k < 120; ++k) {
    const int command = pick(12);
    switch (command) {
      case 0: key(Qt::Key_Home); break;
      case 1: key(Qt::Key_End); break;
      case 2: key(Qt::Key_Right, Qt::ControlModifier); break;
      case 3: key(Qt::Key_Left, Qt::ControlModifier); break;
      case 4: key(pick(2) ? Qt::Key_BracketLeft : Qt::Key_BracketRight); break;
      case 5: key(Qt::Key_L, pick(2) ? Qt::ShiftModifier : Qt::NoModifier); break;
      case 6:
      case 7:  // plays by a moment, forwards or backwards, and pauses
        if (command == 6)
          strip.togglePlay();
        else
          strip.togglePlayBack();
        for (int n = pick(4); n >= 0; --n) strip.advance(0.003 * pick(200));
        if (strip.isPlaying()) strip.direction() > 0 ? strip.togglePlay() : strip.togglePlayBack();
        break;
      case 8: {  // scrubs
        const QPointF a(lanes().xOf(lanes().range().first) + pick(900), 60);
        dragIn(&lanes(), a, a + QPointF(pick(200) - 100, 5));
        break;
      }
      case 9:  // types an angle
        position->setFocus();
        position->selectAll();
        QTest::keyClicks(position, QString::number(60 + 3.6 * pick(100)));
        QTest::keyClick(position, Qt::Key_Return);
        window.scene()->setFocus();
        break;
      case 10:  // or a time
        position->setFocus();
        position->selectAll();
        QTest::keyClicks(position, QString::number(0.02 * pick(100)) + " s");
        QTest::keyClick(position, Qt::Key_Return);
        window.scene()->setFocus();
        break;
      case 11:
        window.scene()->lookFrom(Vec3(pick(5) - 2, -3, 1), Vec3::UnitZ());
        break;  // the scene is turned meanwhile
    }
    QApplication::processEvents();
    const double t = bench.runs().cursor();
    ASSERT_GE(t, 0);
    ASSERT_LE(t, end);
    kinematics::TravelStep s;
    ASSERT_TRUE(fresh->poseAt(travel, t, s));
    std::vector<double> row;
    measurer.row(s, row);
    ASSERT_EQ(row, bench.runs().cursorRow()) << "to the bit, after command " << command;
    std::vector<Pose> poses;
    measurer.linkPoses(s, poses);
    if (!bench.pose().isAtHome())
      for (std::size_t l = 0; l < poses.size(); ++l) {
        ASSERT_EQ(poses[l].p, bench.pose().poses()[l].p) << "link " << l << " after command " << command;
        ASSERT_EQ(poses[l].R, bench.pose().poses()[l].R);
      }
    if (!strip.isPlaying() && !position->hasFocus()) {
      ASSERT_EQ(position->text().toStdString(),
                QStringLiteral("%1 deg").arg(axis() / kDegree, 0, 'f', 2).toStdString());
    }
  }
}

TEST_F(Travel, PlayingMeetsTheEndAsItIsTold) {
  openLifter();
  Strip& strip = *window.strip();
  const double end = bench.runs().run()->result.travel.steps.back().t;
  while (strip.speed() != 1) strip.changeSpeed(strip.speed() < 1 ? 1 : -1);
  strip.togglePlay();
  strip.advance(end + 0.3);
  EXPECT_EQ(bench.runs().cursor(), end) << "stops at the end";
  EXPECT_FALSE(strip.isPlaying());
  strip.setAtEnd(Strip::AtEnd::loop);
  strip.togglePlay();
  strip.advance(end + 0.3);
  EXPECT_NEAR(bench.runs().cursor(), 0.3, 1e-9);
  strip.setAtEnd(Strip::AtEnd::toAndFro);
  strip.advance(end - 0.3 + 0.2);
  EXPECT_NEAR(bench.runs().cursor(), end - 0.2, 1e-9);
  EXPECT_EQ(strip.direction(), -1);
  strip.advance(end);
  EXPECT_NEAR(bench.runs().cursor(), 0.2, 1e-9);
  EXPECT_EQ(strip.direction(), 1);
  for (int i = 0; i < 20; ++i) strip.changeSpeed(-1);
  EXPECT_EQ(strip.speed(), 0.05);
  for (int i = 0; i < 20; ++i) strip.changeSpeed(1);
  EXPECT_EQ(strip.speed(), 20);
  strip.togglePlay();
  key(Qt::Key_H);
  EXPECT_TRUE(bench.pose().isAtHome());
}

TEST_F(Travel, AGaugeIsMadeByTwoPicksAndReadAtTheCursor) {
  openLifter();
  key(Qt::Key_H);
  window.actions()->find("view front")->trigger();
  settle();
  key(Qt::Key_A);
  EXPECT_THAT(window.statusText().toStdString(), testing::HasSubstr("pick the first place"));
  // the crank's bearing and the fork: covered places are reached by the next key
  pickPlace("crank", Vec3::Zero());
  pickPlace("coupler", fork(60 * kDegree));
  rest();
  const auto& gauges = bench.document().mechanism()->gauges;
  ASSERT_EQ(gauges.size(), 4u) << lastError.toStdString();
  const std::string name = gauges.back()->name;
  EXPECT_EQ(gauges.back()->kind, model::GaugeKind::distance);
  EXPECT_TRUE(bench.selection().isSelected(gauges.back()->id));
  const int lane = laneOf(QString::fromStdString(name));
  for (double turn : {100.0, 222.5, 351.7}) {
    const double x = lanes().xOf(turn * kDegree);
    QTest::mouseClick(&lanes(), Qt::LeftButton, Qt::NoModifier,
                      QPointF(x, lanes().laneRect(lane).center().y()).toPoint());
    QApplication::processEvents();
    const double closed = fork(axis()).norm();
    EXPECT_NEAR(valueNow(name.c_str()), closed, 1e-9);
    // what stands in the lane and in the ledger is that figure
    EXPECT_NEAR(lanes().readingOf(lane).split(' ').first().toDouble(), closed * 1e3, 0.006);
    EXPECT_NEAR(row(QString::fromStdString(name))->tag.split(' ').first().toDouble(), closed * 1e3, 0.006);
    EXPECT_TRUE(lanes().readingOf(lane).endsWith("mm")) << lanes().readingOf(lane).toStdString();
  }
}

TEST_F(Travel, ALengthInTheHandIsFollowedByCurvesPathAndPose) {
  openLifter();
  bench.runs().setCursor(bench.runs().run()->travel->timeOf(140 * kDegree));
  auto* slider = find<QSlider>("slide crank");
  ASSERT_TRUE(slider);
  slider->setSliderDown(true);
  for (int v : {360, 350, 340, 330}) {
    slider->setValue(v);
    rest();
    const auto value = bench.solution().resolved().parameters.front().second.value;
    ASSERT_EQ(bench.runs().run()->source, bench.document().mechanism()) << "computed anew by itself";
    EXPECT_NEAR(valueNow("fork height"), fork(axis(), value).z(), 1e-9);
    const int lane = laneOf("fork height");
    const auto& curve = lanes().lanes()[static_cast<std::size_t>(lane)].curves.front();
    EXPECT_NEAR(curve.now.y[90], fork(curve.now.x[90], value).z(), 1e-9) << "the curve";
    EXPECT_NEAR(curve.before.y[90], fork(curve.before.x[90], 0.06).z(), 1e-9) << "the one before the gesture stays";
    const auto& path = bench.runs().run()->paths.front();
    EXPECT_NEAR((path.points[path.steps[90]] - fork(curve.now.x[90], value)).norm(), 0, 1e-9) << "the path";
  }
  slider->setSliderDown(false);
  rest();
  const int steps = bench.document().undoStack()->index();
  key(Qt::Key_Z, Qt::ControlModifier);
  rest();
  EXPECT_EQ(bench.document().undoStack()->index(), steps - 1);
  EXPECT_NEAR(bench.solution().resolved().parameters.front().second.value, 0.06, 1e-12) << "one gesture, one step";
}

TEST_F(Travel, InterferenceIsPendingWhileALengthMovesAndTrueAtRest) {
  openLifter();
  key(Qt::Key_F6);
  rest();
  ASSERT_NE(bench.checks().check(), nullptr);
  EXPECT_TRUE(bench.checks().check()->result.interference.empty());
  bench.selection().setStage(Stage::run);
  const auto change = [&](const char* text) {
    const auto& m = *bench.document().mechanism();
    const auto p = findByName(m.parameters, "fork_y");
    const auto f = parseField(m, text);
    ASSERT_TRUE(bench.document().apply(
        "Change parameter", changed<Parameter>(m, &Mechanism::parameters, p->id, [&](Parameter& x) { x.value = *f; })));
  };
  change("170 mm");
  EXPECT_TRUE(bench.checks().isCheckStale()) << "pending";
  QElapsedTimer clock;
  clock.start();
  ASSERT_TRUE(waitFor([&] { return !bench.checks().isCheckStale(); }, 20000));
  EXPECT_EQ(bench.checks().check()->source, bench.document().mechanism());
  const bool any = !bench.checks().check()->result.interference.empty();
  change("120 mm");
  rest();
  EXPECT_TRUE(bench.checks().check()->result.interference.empty());
  EXPECT_TRUE(any) << "on an arm 50 mm longer the stave meets the jointer";
}

TEST_F(Travel, PinnedCurvesAreComparedWithTheirDifference) {
  openLifter();
  press("pin");
  ASSERT_TRUE(bench.runs().isPinned());
  const auto& m = *bench.document().mechanism();
  for (const char* text : {"55 mm", "50 mm"}) {
    const auto f = parseField(m, text);
    bench.document().apply("Change parameter",
                           changed<Parameter>(*bench.document().mechanism(), &Mechanism::parameters,
                                              m.parameters[0]->id, [&](Parameter& x) { x.value = *f; }));
    rest();
  }
  const auto curveOf = [&] { return lanes().lanes()[static_cast<std::size_t>(laneOf("fork height"))].curves.front(); };
  EXPECT_NEAR(curveOf().before.y[50], fork(curveOf().before.x[50], 0.06).z(), 1e-9) << "the pinned one, not the last";
  double largest = 0;
  for (const double x : curveOf().now.x)
    if (const double d = fork(x, 0.05).z() - fork(x, 0.06).z(); std::abs(d) > std::abs(largest)) largest = d;
  const QString told = lanes().differenceOf(laneOf("fork height"));
  ASSERT_TRUE(told.startsWith(QStringLiteral("largest"))) << told.toStdString();
  EXPECT_NEAR(QString(told.split(' ')[2]).replace(QChar(0x2212), '-').toDouble(), largest * 1e3, 0.006)
      << told.toStdString();
  auto* difference = find<QToolButton>("difference");
  ASSERT_TRUE(difference->isEnabled());
  QTest::mouseClick(difference, Qt::LeftButton);
  EXPECT_TRUE(lanes().showsDifference());
  const int lane = laneOf("fork height, difference");
  const auto& c = lanes().lanes()[static_cast<std::size_t>(lane)].curves.front();
  EXPECT_NEAR(c.now.y[50], fork(c.now.x[50], 0.05).z() - fork(c.now.x[50], 0.06).z(), 1e-9);
  press("pin");
  EXPECT_FALSE(bench.runs().isPinned());
}

TEST_F(Travel, ATravelThatCannotGoOnSaysWhyAndMendsItself) {
  openLifter();
  const auto set = [&](const char* name, const char* text) {
    const auto f = parseField(*bench.document().mechanism(), text);
    const auto p = findByName(bench.document().mechanism()->parameters, name);
    bench.document().apply("Change parameter", changed<Parameter>(*bench.document().mechanism(), &Mechanism::parameters,
                                                                  p->id, [&](Parameter& x) { x.value = *f; }));
    rest();
  };
  set("rocker", "90 mm");  // 60 + 184.4 > 170 + 90 no longer: the crank can't go round
  set("coupler", "130 mm");
  const auto* run = bench.runs().run();
  ASSERT_TRUE(run->result.travel.ended.has_value());
  EXPECT_EQ(run->result.travel.ended->kind, kinematics::EndKind::deadPoint);
  // stretched out: coupler and rocker in line, 220 mm from the crank's pin to the base
  const double at = run->result.travel.ended->at, dx = 0.18 - 0.06 * std::cos(at), dz = 0.04 - 0.06 * std::sin(at);
  EXPECT_NEAR(std::hypot(dx, dz), 0.22, 1e-9);
  EXPECT_EQ(run->nearest.size(), bench.pose().poses().size()) << "the nearest pose is shown";
  const QString hint = [&] {
    for (auto* l : window.panel(Stage::run)->findChildren<QLabel*>())
      if (l->text().contains("Fix: ")) return l->text();
    return QString();
  }();
  EXPECT_TRUE(hint.contains("dead point") && hint.contains("would have to open")) << hint.toStdString();
  EXPECT_TRUE(hint.contains("turn back at the limit") && hint.contains("take the next assembly mode"));
  bench.runs().turnBackAtLimit();
  rest();
  EXPECT_TRUE(bench.runs().run()->result.travel.completed) << "there and back";
}

TEST_F(Travel, AStopInTheWayGivesWay) {
  openLifter();
  const auto j = findByName(bench.document().mechanism()->joints, "rocker shaft");
  const auto now = bench.solution().resolved().joints[3];
  double low = 1e9, high = -1e9;
  const auto& run = *bench.runs().run();
  for (const auto& s : run.result.travel.steps) {
    const double x = kinematics::jointValue(run.travel->system(), s.c, 3, 0, run.travel->resolved());
    low = std::min(low, x);
    high = std::max(high, x);
  }
  bench.document().apply("Stop", changedJoint(*bench.document().mechanism(), j->id, [&](Joint& x) {
                           x.stops["turn"].high = Field((high - 10 * kDegree) / kDegree);
                         }));
  rest();
  ASSERT_TRUE(bench.runs().run()->result.travel.ended.has_value());
  EXPECT_EQ(bench.runs().run()->result.travel.ended->kind, kinematics::EndKind::stop);
  bench.runs().moveStopAway();
  rest();
  EXPECT_TRUE(bench.runs().run()->result.travel.completed);
  const double stop = *bench.solution().resolved().joints[3].high[0];
  EXPECT_GE(stop, high - 1e-9);
  EXPECT_LT(stop, high + 0.02 * kDegree) << "no further than it must";
}

TEST_F(Travel, LanesZoomStackAndCompareTwoCursors) {
  openLifter();
  const auto whole = lanes().range();
  const int speed = laneOf("fork speed"), height = laneOf("fork height");
  const QPointF at(lanes().xOf(180 * kDegree), lanes().laneRect(speed).center().y());
  QWheelEvent in(at, lanes().mapToGlobal(at), {}, {0, 480}, Qt::NoButton, Qt::ControlModifier, Qt::NoScrollPhase,
                 false);
  QApplication::sendEvent(&lanes(), &in);
  EXPECT_LT(lanes().range().second - lanes().range().first, 0.5 * (whole.second - whole.first));
  EXPECT_NEAR(lanes().xOf(180 * kDegree), at.x(), 1e-6) << "about the pointer";
  key(Qt::Key_0);
  EXPECT_EQ(lanes().range(), whole);
  // two cursors
  bench.runs().setCursor(bench.runs().run()->travel->timeOf(120 * kDegree));
  QTest::mouseClick(&lanes(), Qt::LeftButton, Qt::ShiftModifier, QPointF(lanes().xOf(300 * kDegree), at.y()).toPoint());
  ASSERT_TRUE(lanes().secondCursor().has_value());
  const double there = *lanes().secondCursor();
  const double closed = (fork(axis()).z() - fork(there).z()) * 1e3;
  EXPECT_NEAR(lanes().differenceOf(height).split(' ')[1].toDouble(), closed, 0.02)
      << lanes().differenceOf(height).toStdString();
  // taller by its lower edge
  const QRectF was = lanes().laneRect(height);
  dragIn(&lanes(), {400, was.bottom()}, {400, was.bottom() + 30});
  EXPECT_NEAR(lanes().laneRect(height).height(), was.height() + 30, 1.5);
  // a name dropped on another overlays them, if they are of one kind
  dragIn(&lanes(), {40, lanes().laneRect(speed).center().y()}, {40, lanes().laneRect(height).center().y()});
  EXPECT_THAT(lastError.toStdString(), testing::HasSubstr("same unit"));
  window.panel(Stage::run)->list();
  Mechanism next = *bench.document().mechanism();
  Gauge g = *next.gauges[0];
  g.id = newId();
  g.name = "fork x";
  g.component = model::Component::x;
  g.lane = 0;
  next.gauges.push_back(std::make_shared<const Gauge>(g));
  bench.document().apply("Add gauge", next);
  ASSERT_TRUE(waitFor([&] { return hasLane("fork x"); }));
  rest();
  const int lanesBefore = lanes().laneCount();
  dragIn(&lanes(), {40, lanes().laneRect(laneOf("fork x")).center().y()},
         {40, lanes().laneRect(laneOf("fork height")).center().y()});
  ASSERT_TRUE(waitFor([&] { return hasLane("fork height, fork x"); }));
  rest();
  EXPECT_EQ(lanes().laneCount(), lanesBefore - 1);
  EXPECT_EQ(lanes().lanes()[static_cast<std::size_t>(laneOf("fork height, fork x"))].curves.size(), 2u);
}

TEST_F(Travel, ViolationsStandWhereTheyAre) {
  openLifter();
  bench.runs().setCurrentRun(bench.document().mechanism()->runs[1]->id);
  rest();
  const auto& lane = lanes().lanes()[static_cast<std::size_t>(laneOf("fork speed"))];
  ASSERT_EQ(lane.bands.size(), 1u);
  EXPECT_FALSE(lane.bands[0].met);
  ASSERT_FALSE(lane.bands[0].violations.empty());
  const int column = bench.runs().columnOf(gaugeId("fork speed"));
  for (const auto& v : lane.bands[0].violations)
    for (double end : {v.from, v.to}) {
      bench.runs().setCursor(bench.runs().run()->travel->timeOf(end));
      EXPECT_NEAR(bench.runs().cursorRow()[static_cast<std::size_t>(column)], 0.36, 2e-4) << "at the bound";
    }
  bench.runs().setCursor(0);
  key(Qt::Key_Right, Qt::ControlModifier | Qt::ShiftModifier);  // knots and violations are marks
  EXPECT_NEAR(bench.runs().cursor(), 0.4, 1e-9);
  bench.selection().setStage(Stage::run);
  bench.selection().select({findByName(bench.document().mechanism()->requirements, "not too fast")->id});
  QApplication::processEvents();
  EXPECT_THAT(find<QLabel>("judged")->text().toStdString(), testing::HasSubstr("mm/s"));
}

TEST_F(Travel, TooCoarseStepsAreSaidAndRefined) {
  openLifter();
  bench.document().apply(
      "Few steps", changed<model::Run>(*bench.document().mechanism(), &Mechanism::runs,
                                       bench.document().mechanism()->runs[0]->id, [](model::Run& r) { r.steps = 8; }));
  rest();
  ASSERT_FALSE(bench.runs().run()->steps.coarse.empty());
  EXPECT_THAT(find<QLabel>("info")->text().toStdString(), testing::HasSubstr("too coarse"));
  press("refine");
  rest();
  EXPECT_GT(bench.runs().run()->result.rows.size(), 30u);
  EXPECT_TRUE(bench.runs().run()->steps.coarse.empty());
}

TEST_F(Travel, ALongRunShowsItsRowsAsTheyComeAndIsCancelled) {
  openLifter();
  bench.document().apply("Many steps",
                         changed<model::Run>(*bench.document().mechanism(), &Mechanism::runs,
                                             bench.document().mechanism()->runs[0]->id, [](model::Run& r) {
                                               r.steps = 2000000;
                                               r.turns.reset();
                                               r.duration = Field(20);
                                             }));
  bench.runs().live().stop();
  bench.runs().startRun();
  ASSERT_TRUE(waitFor(
      [&] { return bench.runs().partial() && bench.runs().partial()->samples("fork height").x.size() > 2000; }));
  waitFor([&] { return lanes().laneCount() == 3; }, 2000);
  ASSERT_EQ(lanes().laneCount(), 3) << "gauges only, while rows come";
  const auto some = bench.runs().partial()->samples("fork height");
  for (std::size_t i = 0; i < some.x.size(); i += 500) EXPECT_NEAR(some.y[i], fork(some.x[i]).z(), 1e-9);
  EXPECT_TRUE(find<QPushButton>("cancel")->isVisible());
  EXPECT_GT(bench.jobs().share(), 0);
  press("cancel");
  ASSERT_TRUE(waitFor([&] { return !bench.jobs().busy(); }, 5000));
  EXPECT_EQ(bench.runs().partial(), nullptr);
  EXPECT_NE(bench.runs().run(), nullptr) << "the run before is still there";
}

TEST_F(Travel, OneGaugeAgainstAnother) {
  openLifter();
  bench.selection().select({gaugeId("fork speed"), gaugeId("fork height")});
  window.actions()->find("chart")->trigger();
  auto* chart = window.findChild<Chart*>();
  ASSERT_TRUE(chart && chart->isVisible());
  chart->setGauges(gaugeId("fork height"), gaugeId("fork speed"));
  bench.runs().setCursor(bench.runs().run()->travel->timeOf(200 * kDegree));
  QApplication::processEvents();
  EXPECT_THAT(chart->readingText().toStdString(), testing::HasSubstr("fork height"));
  for (const char* ending : {"png", "svg", "pdf"}) {
    const QString path = folder.filePath(QStringLiteral("chart.%1").arg(ending));
    EXPECT_TRUE(chart->saveTo(path));
    EXPECT_GT(QFileInfo(path).size(), 800) << ending;
  }
}

TEST_F(Travel, ChartsAndTablesGoOut) {
  openLifter();
  for (const char* ending : {"png", "svg", "pdf"}) {
    const QString path = folder.filePath(QStringLiteral("lanes.%1").arg(ending));
    ASSERT_TRUE(saveLanes(bench, lanes(), path));
    QFile f(path);
    ASSERT_TRUE(f.open(QIODevice::ReadOnly));
    const QByteArray bytes = f.readAll();
    EXPECT_TRUE(bytes.startsWith(ending[0] == 'p' ? (ending[1] == 'n' ? "\x89PNG" : "%PDF") : "<?xml")) << ending;
    EXPECT_TRUE(ending[0] != 's' || bytes.contains("transmission angle"));
  }
  EXPECT_FALSE(saveLanes(bench, lanes(), folder.filePath("no/where.png")));
  window.actions()->find("copy chart")->trigger();
  EXPECT_GT(QGuiApplication::clipboard()->image().width(), 1000);
  QPdfWriter page(folder.filePath("page.pdf"));
  page.setResolution(96);
  EXPECT_TRUE(printLanes(bench, lanes(), page));
  TableDialog dialog(bench);
  const auto columns = dialog.columns();
  EXPECT_EQ(columns.size(), 4u) << "time and three gauges";
  ASSERT_TRUE(saveRunTable(bench, folder.filePath("t.csv"), columns));
  std::ifstream csv(folder.filePath("t.csv").toStdString());
  std::string head, first;
  std::getline(csv, head);
  std::getline(csv, first);
  EXPECT_EQ(head, "t [s],fork height [mm],fork speed [mm/s],transmission angle [deg]");
  EXPECT_NEAR(QString::fromStdString(first).split(',')[1].toDouble(), fork(60 * kDegree).z() * 1e3, 1e-6);
  EXPECT_TRUE(saveRunTable(bench, folder.filePath("t.xlsx"), {}));
  EXPECT_FALSE(saveRunTable(bench, folder.filePath("no/t.xlsx"), {}));
}

TEST_F(Travel, DrivesAreMadeByPurposeReversedAndRestPerRun) {
  openLifter();
  bench.selection().setStage(Stage::drive);
  QApplication::processEvents();
  clickRow("rocker shaft");
  press("swing");
  rest();
  ASSERT_EQ(bench.document().mechanism()->drives.size(), 3u) << lastError.toStdString();
  EXPECT_EQ(bench.document().mechanism()->drives[2]->programme[0].law, motion::LawKind::sine);
  EXPECT_EQ(row("rocker shaft drive")->tag, "not in this run") << "the run names its drives";
  window.scene()->setFocus();
  key(Qt::Key_R, Qt::ShiftModifier);
  EXPECT_TRUE(bench.document().mechanism()->drives[2]->reverse);
  EXPECT_EQ(row("rocker shaft drive")->tag, "reversed");
  // an angle or a distance is driven like a joint
  Mechanism next = *bench.document().mechanism();
  Gauge g;
  g.id = newId();
  g.name = "reach";
  g.kind = GaugeKind::distance;
  for (const auto& l : next.links)
    for (const auto& s : l->seats)
      if ((l->name == "frame" && s->name == "crank bearing") || (l->name == "coupler" && s->name == "fork"))
        g.of.push_back({s->id, ""});
  next.gauges.push_back(std::make_shared<const Gauge>(g));
  ASSERT_TRUE(bench.document().apply("Add gauge", next)) << lastError.toStdString();
  rest();
  clickRow("reach");
  for (QAction* a : find<QPushButton>("go to")->menu()->actions())
    if (a->text().startsWith("By")) a->trigger();
  rest();
  ASSERT_EQ(bench.document().mechanism()->drives.size(), 4u) << lastError.toStdString();
  EXPECT_EQ(bench.document().mechanism()->drives[3]->gauge, g.id);
}

TEST_F(Travel, RunsAreDuplicatedShapedAndComputedTogether) {
  openLifter();
  key(Qt::Key_D, Qt::ControlModifier);
  rest();
  ASSERT_EQ(bench.document().mechanism()->runs.size(), 3u);
  EXPECT_EQ(bench.document().mechanism()->runs[1]->name, "one turn 2");
  choose("lasts", "duration");
  choose("steps by", "size");
  type("Step", "2 deg");
  rest();
  EXPECT_EQ(bench.runs().run()->result.rows.size(), 181u);
  choose("steps by", "rate");
  type("Rate", "50 Hz");
  rest();
  EXPECT_EQ(bench.runs().run()->result.rows.size(), 101u);
  key(Qt::Key_F5, Qt::ShiftModifier);
  rest();
  for (const auto& r : bench.document().mechanism()->runs) {
    ASSERT_NE(bench.runs().resultOf(r->id), nullptr) << r->name;
    EXPECT_TRUE(bench.runs().resultOf(r->id)->result.travel.completed);
  }
  EXPECT_EQ(row("lift cycle")->tag, "1 not met");
  EXPECT_EQ(row("one turn")->tag, "all met");
}

}  // namespace
}  // namespace cooperage::app
