// SPDX-License-Identifier: GPL-3.0-or-later
// Laying out in the plane by real events: links drawn as lines, drawings brought in, curves gathered.
#include <fstream>

#include "layout/drawing_card.h"
#include "layout/gatherer.h"
#include "layout/pencil.h"
#include "kinematics/gauges.h"
#include "model/drawn_dimensions.h"
#include "model/outlines.h"
#include "model/sheet_edits.h"
#include "layout_fixture.h"

namespace cooperage::app {
namespace {

TEST_F(LayoutTest, AFourBarFromNothingRunsAfterTwelveActions) {
  press(QStringLiteral("start layout"));
  click(0, 0);
  point(20, 30);
  figures({QStringLiteral("crank=40"), QStringLiteral("60")});
  ASSERT_EQ(m().links.size(), 2u) << lastError.toStdString();
  point(100, 90);
  figures({QStringLiteral("110 mm")});
  point(118, 3);
  figures({QStringLiteral("80"), {}, QStringLiteral("120"), QStringLiteral("0")});
  ASSERT_EQ(m().joints.size(), 4u) << lastError.toStdString();
  EXPECT_TRUE(bench.solution().homeProblem().isEmpty()) << bench.solution().homeProblem().toStdString();
  key(Qt::Key_D, Qt::ShiftModifier);
  settle();
  EXPECT_LE(actions_, 12);
  ASSERT_TRUE(bench.runs().run()) << lastError.toStdString();
  const auto& result = bench.runs().run()->result;
  ASSERT_TRUE(result.travel.completed);
  EXPECT_NEAR(length("crank"), 0.040, 1e-15);
  EXPECT_NEAR(length("coupler"), 0.110, 1e-15);
  EXPECT_NEAR(length("rocker"), 0.080, 1e-15);
  EXPECT_TRUE(model::findByName(m().parameters, "crank"));
  // the rocker by the law of cosines, over the whole turn
  std::size_t in = 0, out = 0;
  for (std::size_t i = 0; i < result.columns.size(); ++i) {
    if (result.columns[i].name == "frame - crank.turn") in = i;
    if (result.columns[i].name == "frame - rocker.turn") out = i;
  }
  ASSERT_TRUE(in > 0 && out > 0);
  EXPECT_NEAR(result.rows[0][in], kPi / 3, 1e-12);
  for (const auto& row : result.rows) {
    const double x = 0.04 * std::cos(row[in]) - 0.12, y = 0.04 * std::sin(row[in]), f = std::hypot(x, y);
    const double rocker = std::atan2(y, x) - std::acos((0.08 * 0.08 - 0.11 * 0.11 + f * f) / (2 * 0.08 * f));
    EXPECT_NEAR(std::remainder(row[out] - rocker - kPi, 2 * kPi), 0, 1e-9);
  }
  // the path of a pivot that the coupler gets in its middle, by the closed form
  key(Qt::Key_Escape);
  bench.selection().setStage(Stage::shape);
  key(Qt::Key_O);
  press(QStringLiteral("draw pivot"));
  const auto placed = bench.solution().resolved().links;
  const auto seatPlace = [&](std::size_t link, std::size_t seat) {
    return Vec3(bench.pose().poses()[link] * placed[link].seats[seat].frame.p * 1e3);
  };
  const Vec3 pin = seatPlace(1, 1), fork = seatPlace(2, 1), middle = 0.5 * (pin + fork);
  click(0.8 * pin.x() + 0.2 * fork.x(), 0.8 * pin.y() + 0.2 * fork.y());
  point(middle.x(), middle.y());
  EXPECT_TRUE(window.pencil()->snap().word.startsWith(QStringLiteral("middle of")));
  click(middle.x(), middle.y());
  key(Qt::Key_Escape);
  key(Qt::Key_Escape);
  ASSERT_EQ(m().links[2]->seats.size(), 3u) << lastError.toStdString();
  bench.selection().setStage(Stage::run);
  settle();
  window.maker()->startPath();
  point(middle.x(), middle.y());
  QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::NoModifier, pixel(middle.x(), middle.y()).toPoint());
  settle();
  ASSERT_EQ(m().paths.size(), 1u) << lastError.toStdString();
  ASSERT_TRUE(
      waitFor([&] { return bench.isSettled() && !bench.isPending() && !bench.runs().run()->result.rows.empty(); }));
  const auto& traced = *bench.runs().run();
  kinematics::Measurer measurer(*traced.travel);
  std::vector<Pose> poses;
  for (std::size_t k = 0; k < traced.result.travel.steps.size(); k += 7) {
    measurer.linkPoses(traced.result.travel.steps[k], poses);
    Vec3 at = Vec3::Zero();
    for (const auto& s : traced.travel->resolved().links[2].seats)
      if (s.id == m().links[2]->seats[2]->id) at = poses[2] * s.frame.p;
    const double turn =
        std::atan2((poses[1] * placed[1].seats[1].frame.p).y(), (poses[1] * placed[1].seats[1].frame.p).x());
    const Vec3 a(0.04 * std::cos(turn), 0.04 * std::sin(turn), 0), back = Vec3(0.12, 0, 0) - a;
    const double d = back.norm(), lean = std::atan2(back.y(), back.x()) +
                                         std::acos((0.11 * 0.11 + d * d - 0.08 * 0.08) / (2 * 0.11 * d));
    EXPECT_NEAR((at - a - 0.055 * Vec3(std::cos(lean), std::sin(lean), 0)).norm(), 0, 1e-9);
  }
}

TEST_F(LayoutTest, ASliderCrankFromNothingRunsAfterTenActions) {
  press(QStringLiteral("start layout"));
  press(QStringLiteral("draw line"));
  click(-20, 0);
  click(130, 0);
  press(QStringLiteral("draw link"));
  click(0, 0);
  point(10, 25);
  figures({QStringLiteral("30")});
  point(90, 0.2);
  QTest::keyClicks(window.scene(), QStringLiteral("100"));
  ++actions_;
  click(90, 0.2);
  ASSERT_EQ(m().links.size(), 4u) << lastError.toStdString();
  EXPECT_EQ(m().links.back()->name, "slider");
  key(Qt::Key_D, Qt::ShiftModifier);
  settle();
  EXPECT_LE(actions_, 10);
  ASSERT_TRUE(bench.runs().run()) << lastError.toStdString();
  const auto& result = bench.runs().run()->result;
  ASSERT_TRUE(result.travel.completed);
  EXPECT_NEAR(length("crank"), 0.030, 1e-15);
  EXPECT_NEAR(length("coupler"), 0.100, 1e-15);
  EXPECT_EQ(model::countLoose(m()), 0) << "the line on which it slides belongs to the frame";
  // the slide by the closed form x = r cos + sqrt(l^2 - r^2 sin^2)
  std::size_t in = 0, slide = 0;
  for (std::size_t i = 0; i < result.columns.size(); ++i) {
    if (result.columns[i].name == "frame - crank.turn") in = i;
    if (result.columns[i].name == "frame - slider.slide") slide = i;
  }
  ASSERT_TRUE(in > 0 && slide > 0);
  const auto x = [](double q) { return 0.03 * std::cos(q) + std::sqrt(0.01 - std::pow(0.03 * std::sin(q), 2)); };
  const double offset = result.rows[0][slide] - x(result.rows[0][in]);
  for (const auto& row : result.rows) EXPECT_NEAR(row[slide], x(row[in]) + offset, 1e-9);
}

TEST_F(LayoutTest, EachStepIsUndoneSinglyAndDrawingGoesOn) {
  press(QStringLiteral("start layout"));
  click(0, 0);
  click(20, 30);
  click(100, 60);
  ASSERT_EQ(m().links.size(), 3u);
  key(Qt::Key_Z, Qt::ControlModifier);
  settle();
  EXPECT_EQ(m().links.size(), 2u);
  click(90, 70);
  ASSERT_EQ(m().links.size(), 3u) << "the next link goes on from the one that is left";
  EXPECT_EQ(m().joints.back()->name, "crank - coupler");
  click(120, 0, Qt::ShiftModifier);
  EXPECT_EQ(m().joints.size(), 4u);
  for (int i = 0; i < 5; ++i) {
    key(Qt::Key_Z, Qt::ControlModifier);
    settle();
  }
  EXPECT_LE(m().links.size(), 1u) << "at most the frame that the first pivot stands on";
  EXPECT_TRUE(m().joints.empty());
}

TEST_F(LayoutTest, CurvesOfEveryKindComeOntoTheSheet) {
  press(QStringLiteral("start layout"));
  const auto last = [&] { return model::outlineOf(m(), *m().sheets[0]->curves.back()).value(); };
  press(QStringLiteral("draw rectangle"));
  click(0, 0);
  click(40, 30);
  ASSERT_EQ(m().sheets.size(), 1u) << lastError.toStdString();
  EXPECT_NEAR(std::abs(drawing::areaOf(last())), 1200e-6, 1e-12);
  press(QStringLiteral("draw circle"));
  click(60, 0);
  figures({QStringLiteral("7.5")});
  EXPECT_NEAR(drawing::lengthOf(last()), 15e-3 * kPi, 1e-12) << "its radius as typed";
  // an arc by its ends and a point between: the half of a circle about (0, -40)
  press(QStringLiteral("draw arc"));
  click(-30, -40);
  click(30, -40);
  click(0, -70);
  EXPECT_NEAR(drawing::lengthOf(last()), 30e-3 * kPi, 1e-9);
  EXPECT_NEAR(drawing::boxOf(last()).low.y(), -70e-3, 1e-9);
  press(QStringLiteral("draw centre arc"));
  click(80, 60);
  click(100, 60);
  click(80, 80);
  EXPECT_NEAR(drawing::lengthOf(last()), 10e-3 * kPi, 1e-9) << "a quarter, counter-clockwise";
  press(QStringLiteral("draw construction"));
  press(QStringLiteral("draw spline"));
  click(-60, 0);
  click(-50, 20);
  click(-40, 0);
  QTest::keyClick(window.scene(), Qt::Key_Return);
  settle();
  ASSERT_EQ(m().sheets[0]->curves.size(), 5u);
  EXPECT_TRUE(m().sheets[0]->curves.back()->construction);
  EXPECT_EQ(model::countLoose(m()), 4) << "construction is not counted";
}

TEST_F(LayoutTest, LinesGoOnAsOneCurveUntilTheyClose) {
  press(QStringLiteral("start layout"));
  press(QStringLiteral("draw line"));
  click(0, 0);
  click(40, 0);
  click(40, 30);
  ASSERT_EQ(m().sheets[0]->curves.size(), 1u) << lastError.toStdString();
  EXPECT_EQ(m().sheets[0]->curves[0]->pieces.size(), 2u);
  click(10, 60);
  key(Qt::Key_Z, Qt::ControlModifier);
  settle();
  EXPECT_EQ(m().sheets[0]->curves[0]->pieces.size(), 2u) << "one step back";
  point(0.2, 30);
  click(0, 30);
  point(0.3, 0.2);
  EXPECT_TRUE(window.pencil()->snap().word.startsWith(QStringLiteral("end of")))
      << window.pencil()->snap().word.toStdString();
  click(0.3, 0.2);
  const auto outline = model::outlineOf(m(), *m().sheets[0]->curves[0]).value();
  EXPECT_TRUE(outline.closed);
  EXPECT_NEAR(std::abs(drawing::areaOf(outline)), 1200e-6, 1e-12) << "it goes on from where undo left it";
  click(80, 80);
  click(90, 80);
  EXPECT_EQ(m().sheets[0]->curves.size(), 2u) << "a closed one is done with";
}

TEST_F(LayoutTest, ALineTouchesACircleAndMeetsALineSquarely) {
  press(QStringLiteral("start layout"));
  press(QStringLiteral("draw circle"));
  click(60, 0);
  figures({QStringLiteral("30")});
  press(QStringLiteral("draw line"));
  click(0, 0);
  // a circle of 30 about (60, 0) is touched from the origin at 30 degrees: cos = 52/60 to rounding of the figures
  const double along = std::sqrt(60.0 * 60 - 30.0 * 30);
  point(along * std::cos(kPi / 6) + 0.4, along * std::sin(kPi / 6) - 0.3);
  EXPECT_EQ(window.pencil()->snap().word, QStringLiteral("tangent to circle 1"));
  const auto at = window.pencil()->snap().spot.at;
  EXPECT_NEAR(at.x(), along * std::cos(kPi / 6) * 1e-3, 1e-12);
  EXPECT_NEAR(at.y(), along * std::sin(kPi / 6) * 1e-3, 1e-12);
  click(along * std::cos(kPi / 6), along * std::sin(kPi / 6));
  QTest::keyClick(window.scene(), Qt::Key_Return);
  // from (10, 60) square onto it
  click(10, 60);
  const Vec3 way(std::cos(kPi / 6), std::sin(kPi / 6), 0);
  const Vec3 foot = way * way.dot(Vec3(10, 60, 0));
  point(foot.x() + 0.2, foot.y() + 0.2);
  EXPECT_EQ(window.pencil()->snap().word, QStringLiteral("square to line 1"));
  EXPECT_NEAR((Vec3(window.pencil()->snap().spot.at.x(), window.pencil()->snap().spot.at.y(), 0) - foot * 1e-3).norm(),
              0, 1e-12);
}

TEST_F(LayoutTest, PlatesAndFurtherPivotsMakeTernaryLinks) {
  press(QStringLiteral("start layout"));
  click(0, 0);
  click(20, 40);
  key(Qt::Key_Escape);
  press(QStringLiteral("draw plate"));
  click(20, 40);
  click(90, 50);
  click(60, 90);
  click(20, 40);  // back at the first corner
  ASSERT_EQ(m().links.size(), 3u) << lastError.toStdString();
  const auto& plate = *m().links.back();
  EXPECT_EQ(plate.name, "plate");
  EXPECT_EQ(plate.seats.size(), 3u);
  EXPECT_TRUE(plate.curves.front()->closed);
  ASSERT_EQ(m().joints.size(), 2u);
  EXPECT_EQ(m().joints.back()->name, "crank - plate");
  // a corner on ground with Shift; Enter ends
  click(90, 50);
  click(120, 50);
  click(120, 0, Qt::ShiftModifier);
  QTest::keyClick(window.scene(), Qt::Key_Return);
  settle();
  ASSERT_EQ(m().links.size(), 4u) << lastError.toStdString();
  EXPECT_EQ(m().joints.size(), 4u) << "pinned to the plate and to ground";
  EXPECT_TRUE(bench.solution().homeProblem().isEmpty()) << bench.solution().homeProblem().toStdString();
  // one more pivot for the crank
  press(QStringLiteral("draw pivot"));
  EXPECT_TRUE(window.pencil()->prompt().contains(QStringLiteral("plate 2"))) << "the one that is chosen";
  key(Qt::Key_Escape);
  click(10, 20);
  EXPECT_TRUE(window.pencil()->prompt().contains(QStringLiteral("crank")));
  click(-10, 30);
  const auto crank = model::findByName(m().links, "crank");
  ASSERT_EQ(crank->seats.size(), 3u) << lastError.toStdString();
  EXPECT_EQ(crank->curves.size(), 3u) << "lines to the pivots beside it";
  key(Qt::Key_Z, Qt::ControlModifier);
  settle();
  EXPECT_EQ(model::findByName(m().links, "crank")->seats.size(), 2u);
}

TEST_F(LayoutTest, ALengthThatLetsNoPoseCloseTellsWhichDo) {
  drawFourBar();
  key(Qt::Key_Escape);
  ASSERT_TRUE(bench.solution().homeProblem().isEmpty());
  const auto coupler = model::findByName(m().links, "coupler");
  auto longer = model::withDimension(m(), coupler->id, model::DimensionKind::length,
                                     {{coupler->seats[0]->id, 0}, {coupler->seats[1]->id, 0}}, model::Field(300));
  bench.document().apply(QStringLiteral("longer"), std::move(longer));
  ASSERT_TRUE(waitFor([&] { return bench.solution().homeProblem().contains(QStringLiteral("closes at home from")); }))
      << bench.solution().homeProblem().toStdString();
  const QString told = bench.solution().homeProblem();
  EXPECT_TRUE(told.contains(QStringLiteral("length of coupler closes at home from"))) << told.toStdString();
  EXPECT_TRUE(told.contains(QStringLiteral("mm remain open"))) << told.toStdString();
  // the triangle of coupler, rocker and what lies between crank pin and bearing: from its difference to its sum
  const double between = std::hypot(120 - 40 * std::cos(kPi / 3), 40 * std::sin(kPi / 3));
  double from = 0, to = 0;
  const std::string range = told.mid(told.indexOf(QStringLiteral("home from"))).toStdString();
  ASSERT_EQ(std::sscanf(range.c_str(), "home from %lf mm to %lf mm", &from, &to), 2) << range;
  EXPECT_NEAR(from, between - 80, 2e-3);
  EXPECT_NEAR(to, between + 80, 2e-3);
}

TEST_F(LayoutTest, AWordSaysWhereAClickWouldLandAndAltLetsGo) {
  press(QStringLiteral("start layout"));
  click(0, 0);
  click(30, 40);
  const Snap& snap = window.pencil()->snap();
  key(Qt::Key_Escape);
  point(30.4, 40.3);
  EXPECT_EQ(snap.word, QStringLiteral("pivot of crank"));
  EXPECT_NE(snap.spot.seat, 0u);
  // a held Alt lets go of it
  const QPointF at = pixel(30.4, 40.3).toPoint();
  QMouseEvent loose(QEvent::MouseMove, at, window.scene()->mapToGlobal(at), Qt::NoButton, Qt::NoButton,
                    Qt::AltModifier);
  QApplication::sendEvent(window.scene(), &loose);
  EXPECT_TRUE(snap.word.isEmpty());
  EXPECT_EQ(snap.spot.seat, 0u);
  point(15.2, 20.1);
  EXPECT_EQ(snap.word, QStringLiteral("middle of crank"));
  click(0, 0);
  point(70, 0.4);
  EXPECT_EQ(snap.word, QStringLiteral("horizontal"));
  EXPECT_NEAR(snap.spot.at.y(), 0, 1e-12);
  key(Qt::Key_Escape);
  // on the crank's own pivot lies one of the frame: a third link there is a second pin, and it is said
  click(30, 40);
  click(0, 0);
  EXPECT_EQ(m().links.size(), 3u);
  EXPECT_TRUE(window.statusText().contains(QStringLiteral("two pins"))) << window.statusText().toStdString();
}

TEST_F(LayoutTest, DimensionsStandAtTheLinesAndAreEditedThere) {
  press(QStringLiteral("start layout"));
  click(0, 0);
  point(30, 40);
  figures({QStringLiteral("50")});
  click(100, 60);
  click(120, 0, Qt::ShiftModifier);
  ASSERT_EQ(m().joints.size(), 4u);
  EXPECT_TRUE(window.statusText().contains(QStringLiteral("crank")))
      << "what its lengths let turn is said: " << window.statusText().toStdString();
  ASSERT_TRUE(row(QStringLiteral("coupler")));
  EXPECT_TRUE(row(QStringLiteral("coupler"))->detail.contains(QStringLiteral("1 figure missing")))
      << row(QStringLiteral("coupler"))->detail.toStdString();
  EXPECT_EQ(row(QStringLiteral("crank"))->detail, QStringLiteral("1 line"));
  // the tool, a line, a figure
  press(QStringLiteral("draw dimension"));
  const auto at = [&](std::size_t link, double share) {
    const auto& r = bench.solution().resolved();
    const Pose& pose = bench.pose().poses()[link];
    return Vec3(1e3 * (pose * ((1 - share) * r.links[link].seats[0].frame.p + share * r.links[link].seats[1].frame.p)));
  };
  Vec3 middle = at(2, 0.3);
  click(middle.x(), middle.y());
  auto* value = find<QLineEdit>(QStringLiteral("dimension value"));
  ASSERT_NE(value, nullptr);
  value->selectAll();
  QTest::keyClicks(value, QStringLiteral("3.25 in"));
  QTest::keyClick(value, Qt::Key_Return);
  settle();
  EXPECT_NEAR(length("coupler"), 0.08255, 1e-14) << lastError.toStdString();
  EXPECT_EQ(row(QStringLiteral("coupler"))->detail, QStringLiteral("1 line"));
  // its step is remembered, the arrow keys step by it, rounding rounds to it; nothing else changes
  middle = at(2, 0.3);
  click(middle.x(), middle.y());
  auto* step = find<QLineEdit>(QStringLiteral("dimension step"));
  QTest::keyClicks(step, QStringLiteral("0.5 mm"));
  press(QStringLiteral("dimension round"));
  settle();
  EXPECT_NEAR(length("coupler"), 0.0825, 1e-14);
  value = find<QLineEdit>(QStringLiteral("dimension value"));
  QTest::keyClick(value, Qt::Key_Up);
  QTest::keyClick(value, Qt::Key_Up);
  settle();
  EXPECT_NEAR(length("coupler"), 0.0835, 1e-14);
  EXPECT_NEAR(length("crank"), 0.050, 1e-15);
  QTest::keyClick(value, Qt::Key_Escape);
  ASSERT_EQ(m().links[2]->dimensions.size(), 1u);
  ASSERT_TRUE(m().links[2]->dimensions[0]->step);
  EXPECT_EQ(model::fieldText(m(), *m().links[2]->dimensions[0]->step), "0.5 mm");
  key(Qt::Key_Z, Qt::ControlModifier);
  settle();
  EXPECT_NEAR(length("coupler"), 0.0825, 1e-14) << "steps of the keys are one undo";
  // free again
  middle = at(2, 0.3);
  click(middle.x(), middle.y());
  press(QStringLiteral("dimension free"));
  settle();
  EXPECT_TRUE(m().links[2]->dimensions.empty());
}

TEST_F(LayoutTest, APivotIsPulledWithTheMouse) {
  press(QStringLiteral("start layout"));
  click(0, 0);
  click(30, 40);
  click(100, 60);
  click(120, 0, Qt::ShiftModifier);
  ASSERT_EQ(m().joints.size(), 4u);
  const std::string before = document();
  QTest::mousePress(window.scene(), Qt::LeftButton, Qt::NoModifier, pixel(100, 60).toPoint());
  for (int i = 1; i <= 5; ++i) point(100 - 2 * i, 60 + 4 * i, Qt::LeftButton);
  const QPoint to = pixel(90, 80).toPoint();
  QTest::mouseRelease(window.scene(), Qt::LeftButton, Qt::NoModifier, to);
  settle();
  const auto& poses = bench.pose().poses();
  const auto& r = bench.solution().resolved();
  const Vec3 tip = poses[2] * r.links[2].seats[1].frame.p;
  EXPECT_LT((tip - Vec3(0.09, 0.08, 0)).norm(), 2e-3) << tip.transpose();
  key(Qt::Key_Z, Qt::ControlModifier);
  settle();
  EXPECT_EQ(document(), before) << "one undo step";
}

/// A drawing of a lever and a plate with a bore, on two layers, without a unit.
QString drawing(const QTemporaryDir& folder) {
  const QString path = folder.filePath(QStringLiteral("saddle.dxf"));
  std::ofstream f(path.toStdString());
  f << "0\nSECTION\n2\nENTITIES\n";
  const auto line = [&](const char* layer, double a, double b, double c, double d) {
    f << "0\nLINE\n8\n" << layer << "\n10\n" << a << "\n20\n" << b << "\n11\n" << c << "\n21\n" << d << "\n";
  };
  line("lever", 0, 0, 80, 0);
  line("lever", 80, 0, 80, 20);
  line("lever", 80, 20.0001, 0, 0);
  line("plate", 0, 40, 100, 40);
  f << "0\nCIRCLE\n8\nplate\n10\n50\n20\n60\n40\n8\n";
  f << "0\nTEXT\n8\nplate\n10\n0\n20\n0\n40\n5\n1\nplate 3 mm\n0\nENDSEC\n0\nEOF\n";
  return path;
}

TEST_F(LayoutTest, ADrawingIsConfirmedPlacedGatheredAndReadAgain) {
  const QString path = drawing(folder);
  drop(path);
  ASSERT_TRUE(waitFor([&] { return bench.importer().drawings().waiting() != nullptr; }));
  settle();
  auto* card = find<QFrame>(QStringLiteral("drawing card"));
  ASSERT_NE(card, nullptr);
  auto* unit = find<QComboBox>(QStringLiteral("drawing unit"));
  ASSERT_NE(unit, nullptr) << "the file names no unit: it is asked for";
  unit->setCurrentIndex(unit->findData(QStringLiteral("in")));
  EXPECT_TRUE(find<QLabel>(QStringLiteral("drawing size"))->text().contains(QStringLiteral("2540")))
      << "100 in over all";
  unit->setCurrentIndex(unit->findData(QStringLiteral("mm")));
  EXPECT_TRUE(find<QLabel>(QStringLiteral("drawing layers"))->text().contains(QStringLiteral("lever (3)")));
  const QString found = find<QLabel>(QStringLiteral("drawing findings"))->text();
  EXPECT_TRUE(found.contains(QStringLiteral("1 text"))) << found.toStdString();
  EXPECT_TRUE(found.contains(QStringLiteral("1 end merged"))) << found.toStdString();
  QTest::mouseClick(find<QCheckBox>(QStringLiteral("sheet a layer")), Qt::LeftButton);
  QTest::keyClick(card, Qt::Key_Return);
  ASSERT_TRUE(waitFor([&] { return m().sheets.size() == 2u; })) << lastError.toStdString();
  settle();
  EXPECT_EQ(m().sheets[0]->name, "lever");
  EXPECT_EQ(m().sheets[0]->curves.size(), 3u);
  EXPECT_EQ(model::countLoose(m()), 5);
  ASSERT_TRUE(row(QStringLiteral("plate")));
  EXPECT_TRUE(row(QStringLiteral("plate"))->detail.contains(QStringLiteral("2 curves of no link")));
  // a click takes one curve, with Ctrl another; Shift+G makes a link of them
  const QPoint one = pixel(40, 0).toPoint(), two = pixel(80, 10).toPoint();
  QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::NoModifier, one);
  QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::ControlModifier, two);
  settle();
  ASSERT_EQ(bench.selection().ids().size(), 2u);
  window.scene()->setFocus();
  key(Qt::Key_G, Qt::ShiftModifier);
  settle();
  ASSERT_EQ(m().links.size(), 1u) << lastError.toStdString();
  EXPECT_EQ(m().links[0]->curves.size(), 2u);
  EXPECT_EQ(model::countLoose(m()), 3);
  const std::string grouped = document();
  // saved beside its drawing, which changes: the grouping stays, what is gone is marked
  ASSERT_TRUE(bench.document().save(folder.filePath(QStringLiteral("saddle.coop"))));
  std::string text;
  {
    std::ifstream in(path.toStdString());
    text.assign(std::istreambuf_iterator<char>(in), {});
  }
  text.replace(text.find("\n40\n8\n"), 6, "\n40\n9\n");
  std::ofstream(path.toStdString()) << text;
  window.actions()->find(QStringLiteral("drawing again"))->trigger();
  ASSERT_TRUE(waitFor([&] { return document() != grouped && bench.isSettled(); })) << window.statusText().toStdString();
  EXPECT_EQ(m().links[0]->curves.size(), 2u);
  ASSERT_EQ(m().sheets[1]->curves.size(), 3u);
  EXPECT_TRUE(m().sheets[1]->curves[1]->gone) << "the bore of 8 mm";
  EXPECT_EQ(row(QStringLiteral("plate"))->tag, QStringLiteral("1 gone"));
}

/// The drawing placed on one sheet, in mm.
TEST_F(LayoutTest, CurvesAreGatheredByLoopsClicksAndChains) {
  drop(drawing(folder));
  ASSERT_TRUE(waitFor([&] { return bench.importer().drawings().waiting() != nullptr; }));
  settle();
  QTest::keyClick(find<QFrame>(QStringLiteral("drawing card")), Qt::Key_Return);
  ASSERT_TRUE(waitFor([&] { return m().sheets.size() == 1u; })) << lastError.toStdString();
  settle();
  window.scene()->setFocus();
  key(Qt::Key_G, Qt::ShiftModifier);
  ASSERT_TRUE(window.gatherer()->isOn());
  EXPECT_TRUE(
      find<QLabel>(QStringLiteral("gather count"))->text().contains(QStringLiteral("5 curves belong to no link")));
  // a double click takes the chain of the lever's three lines
  auto* name = find<QLineEdit>(QStringLiteral("gather name"));
  QTest::keyClicks(name, QStringLiteral("lever"));
  QTest::mouseDClick(window.scene(), Qt::LeftButton, Qt::NoModifier, pixel(40, 0).toPoint());
  settle();
  ASSERT_EQ(m().links.size(), 1u) << lastError.toStdString();
  EXPECT_EQ(m().links[0]->name, "lever");
  EXPECT_EQ(m().links[0]->curves.size(), 3u);
  // a loop around the bore and the plate's edge, into a new link; a click lets the edge go
  auto* links = find<QComboBox>(QStringLiteral("gather link"));
  links->setCurrentIndex(0);
  const double corners[][2] = {{-10, 30}, {110, 30}, {110, 80}, {-10, 80}, {-10, 32}};
  QTest::mousePress(window.scene(), Qt::LeftButton, Qt::NoModifier, pixel(-10, 30).toPoint());
  for (const auto& c : corners) point(c[0], c[1], Qt::LeftButton);
  QTest::mouseRelease(window.scene(), Qt::LeftButton, Qt::NoModifier, pixel(-10, 32).toPoint());
  settle();
  ASSERT_EQ(m().links.size(), 2u) << lastError.toStdString();
  EXPECT_EQ(m().links[1]->curves.size(), 2u);
  EXPECT_EQ(model::countLoose(m()), 0);
  click(30, 40);
  EXPECT_EQ(m().links[1]->curves.size(), 1u) << "the edge is let go";
  EXPECT_EQ(model::countLoose(m()), 1);
  // a curve of the lever isn't taken at the first click: its owner is named
  click(80, 10);
  EXPECT_EQ(m().links[0]->curves.size(), 3u);
  EXPECT_TRUE(window.gatherer()->prompt().contains(QStringLiteral("lever has it")));
  click(80, 10);
  EXPECT_EQ(m().links[0]->curves.size(), 2u);
  EXPECT_EQ(m().links[1]->curves.size(), 2u);
  // and one used in both stays with its owner
  const QPoint both = pixel(40, 0).toPoint();
  QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::AltModifier, both);
  settle();
  EXPECT_EQ(m().links[0]->curves.size(), 2u);
  EXPECT_EQ(m().links[1]->curves.size(), 3u);
  key(Qt::Key_Escape);
  EXPECT_FALSE(window.gatherer()->isOn());
}

}  // namespace
}  // namespace cooperage::app
