// SPDX-License-Identifier: GPL-3.0-or-later
// From a drawing to a running mechanism by real events: curves gathered into links, links joined in the plane.
#include <QComboBox>
#include <fstream>

#include "layout/gatherer.h"
#include "layout/joiner.h"
#include "layout_fixture.h"
#include "model/sheet_edits.h"
#include "model/thickness.h"
#include "workbench/check_book.h"
#include "strip/programme_lanes.h"
#include "strip/strip.h"

namespace cooperage::app {
namespace {

using Vec2 = Eigen::Vector2d;

Vec2 towards(double angle) { return {std::cos(angle), std::sin(angle)}; }

class GatherTest : public LayoutTest {
 protected:
  void place(const QString& file) {
    drop(file);
    ASSERT_TRUE(waitFor([&] { return bench.importer().drawings().waiting() != nullptr; }));
    settle();
    QTest::keyClick(find<QFrame>(QStringLiteral("drawing card")), Qt::Key_Return);
    ASSERT_TRUE(waitFor([&] { return m().sheets.size() == 1u; })) << lastError.toStdString();
    settle();
    window.scene()->setFocus();
  }
  /// A loop drawn by hand through points, mm.
  void loop(const std::vector<Vec2>& corners) {
    const QPoint first = pixel(corners.front().x(), corners.front().y()).toPoint();
    QTest::mousePress(window.scene(), Qt::LeftButton, Qt::NoModifier, first);
    for (const Vec2& c : corners) point(c.x(), c.y(), Qt::LeftButton);
    QTest::mouseRelease(window.scene(), Qt::LeftButton, Qt::NoModifier, first + QPoint(1, 1));
    settle();
    ++actions_;
  }
  /// Around a bar with round ends, outside it by a margin.
  void loopAround(const Vec2& a, double ra, const Vec2& b, double rb, double margin) {
    const double along = std::atan2(b.y() - a.y(), b.x() - a.x());
    std::vector<Vec2> corners;
    for (int k = 0; k <= 12; ++k) corners.push_back(b + (rb + margin) * towards(along - kPi / 2 + k * kPi / 12));
    for (int k = 0; k <= 12; ++k) corners.push_back(a + (ra + margin) * towards(along + kPi / 2 + k * kPi / 12));
    loop(corners);
  }
  using LayoutTest::click;
  void click(const Vec2& at, Qt::KeyboardModifiers keys = Qt::NoModifier) { LayoutTest::click(at.x(), at.y(), keys); }
  /// The next curves go to a new link of this name.
  void into(const QString& name) {
    if (window.gatherer()->link() != 0) {
      find<QComboBox>(QStringLiteral("gather link"))->setCurrentIndex(0);
      ++actions_;
    }
    auto* field = find<QLineEdit>(QStringLiteral("gather name"));
    field->selectAll();
    QTest::keyClicks(field, name);
    ++actions_;
  }
  void chain(const Vec2& at) {
    QTest::mouseDClick(window.scene(), Qt::LeftButton, Qt::NoModifier, pixel(at.x(), at.y()).toPoint());
    settle();
    ++actions_;
  }
  std::size_t curvesOf(const char* link) {
    const auto l = model::findByName(m().links, link);
    return l ? l->curves.size() : 0;
  }
  const model::Joint& joint(std::size_t i) { return *m().joints.at(i); }
};

/// The cradle: arms of 160 and 140 mm on bearings 420 mm apart, a tie bar of 430 mm; the left arm stands at 70 degrees.
struct Cradle {
  Vec2 left{0, 0}, right{420, 0};
  static constexpr double kHome = 70 * kDegree;
  Vec2 leftTie(double turn) const { return left + 160 * towards(kHome + turn); }
  /// The right arm's angle: the law of cosines in the triangle of its bearing, its pin and the left pin.
  double rightAngle(double turn) const {
    const Vec2 way = leftTie(turn) - right;
    const double d = way.norm();
    return std::atan2(way.y(), way.x()) - std::acos((140.0 * 140 + d * d - 430.0 * 430) / (2 * 140 * d));
  }
  Vec2 rightTie(double turn) const { return right + 140 * towards(rightAngle(turn)); }
};

TEST_F(GatherTest, ACradleComesFromItsDrawingGatheredJoinedAndDriven) {
  const Cradle c;
  const Vec2 leftTie = c.leftTie(0), rightTie = c.rightTie(0), tie = (rightTie - leftTie).normalized();
  place(QStringLiteral(COOPERAGE_DEMO) + QStringLiteral("/tilt-cradle/cradle.dxf"));
  ASSERT_EQ(model::countLoose(m()), 42);
  key(Qt::Key_G, Qt::ShiftModifier);
  ASSERT_TRUE(window.gatherer()->isOn());
  // the left arm: what lies in the loop and belongs to the frame and the tie bar is let go
  into(QStringLiteral("left arm"));
  loopAround(c.left, 25, leftTie, 19, 4);
  ASSERT_EQ(curvesOf("left arm"), 14u) << lastError.toStdString();
  click(c.left + Vec2(0, 17));
  click(c.left + Vec2(-11, 0));
  click(leftTie - 13 * tie);
  click(leftTie - 6 * tie);
  EXPECT_EQ(curvesOf("left arm"), 10u);
  // the tie bar: a chain, and its two bores
  into(QStringLiteral("tie bar"));
  chain(0.75 * leftTie + 0.25 * rightTie + 13 * Vec2(-tie.y(), tie.x()));
  EXPECT_EQ(curvesOf("tie bar"), 4u) << lastError.toStdString();
  click(leftTie - 6 * tie);
  click(rightTie + 6 * tie);
  EXPECT_EQ(curvesOf("tie bar"), 6u);
  into(QStringLiteral("right arm"));
  loopAround(c.right, 25, rightTie, 19, 4);
  click(c.right + Vec2(0, 17));
  click(c.right + Vec2(-11, 0));
  EXPECT_EQ(curvesOf("right arm"), 10u);
  into(QStringLiteral("frame"));
  chain({200, -92});
  click(c.left + Vec2(-11, 0));
  click(c.right + Vec2(-11, 0));
  EXPECT_EQ(curvesOf("frame"), 14u);
  EXPECT_EQ(find<QLabel>(QStringLiteral("gather count"))->text(), QStringLiteral("2 curves belong to no link"));
  // the row of a link, dragged into the scene, moves that link alone, and nothing for good
  {
    LedgerList* list = window.panel(Stage::shape)->list();
    std::size_t at = 0;
    while (list->rows()[at].title != QStringLiteral("left arm")) ++at;
    const QPoint from = list->rectOf(static_cast<int>(at)).center();
    const std::string before = document();
    const auto stood = bench.pose().poses();
    QTest::mousePress(list->viewport(), Qt::LeftButton, Qt::NoModifier, from);
    for (const int x : {60, 460, 560}) {
      const QPointF to(from.x() + x, from.y() + 30);
      QMouseEvent move(QEvent::MouseMove, to, list->viewport()->mapToGlobal(to), Qt::NoButton, Qt::LeftButton,
                       Qt::NoModifier);
      QApplication::sendEvent(list->viewport(), &move);
    }
    const auto index = *model::indexOf(m(), linkId("left arm"));
    for (std::size_t i = 0; i < stood.size(); ++i)
      EXPECT_NEAR((bench.pose().poses()[i].p - stood[i].p).norm(), i == index ? 100 * window.scene()->scale() : 0,
                  1e-9);
    QTest::mouseRelease(list->viewport(), Qt::LeftButton, Qt::NoModifier, from + QPoint(560, 30));
    for (std::size_t i = 0; i < stood.size(); ++i) EXPECT_EQ(bench.pose().poses()[i].p, stood[i].p);
    EXPECT_EQ(document(), before);
  }
  // ground, then pins: one by a click where two meet, the rest at once
  key(Qt::Key_Escape);
  EXPECT_FALSE(window.gatherer()->isOn());
  EXPECT_EQ(bench.selection().ids(), std::vector<model::Id>{linkId("frame")});
  key(Qt::Key_G);
  ASSERT_TRUE(model::findByName(m().links, "frame")->ground);
  key(Qt::Key_J, Qt::ShiftModifier);
  ASSERT_TRUE(window.joiner()->isOn());
  point(0, 0);
  EXPECT_TRUE(window.joiner()->prompt().contains(QStringLiteral("meet: click makes 1 pin")))
      << window.joiner()->prompt().toStdString();
  click(c.left);
  ASSERT_EQ(m().joints.size(), 1u) << lastError.toStdString();
  EXPECT_EQ(joint(0).name, "left arm - frame");
  EXPECT_EQ(find<QToolButton>(QStringLiteral("join all"))->text(),
            QStringLiteral("Pin all 3 places where circles meet"));
  press(QStringLiteral("join all"));
  settle();
  ASSERT_EQ(m().joints.size(), 4u) << lastError.toStdString();
  EXPECT_FALSE(find<QToolButton>(QStringLiteral("join all"))->isEnabled());
  key(Qt::Key_Escape);
  ASSERT_TRUE(bench.solution().mobility());
  EXPECT_EQ(bench.solution().mobility()->freedoms, 1);
  // driven: a move to 40 degrees, a dwell put into it and dragged longer
  clickRow(QStringLiteral("left arm - frame"));
  key(Qt::Key_T, Qt::ShiftModifier);
  settle();
  ASSERT_EQ(m().drives.size(), 1u) << lastError.toStdString();
  auto& programme = *window.strip()->programmeLanes();
  ASSERT_TRUE(waitFor([&] { return programme.isVisible() && programme.programme() != nullptr && bench.isSettled(); }));
  type(QStringLiteral("to 1"), QStringLiteral("40"));
  ASSERT_TRUE(waitFor([&] { return bench.isSettled() && !bench.isPending(); }));
  const double middle = 0.5 * programme.programme()->end();
  QTest::mouseDClick(
      &programme, Qt::LeftButton, Qt::NoModifier,
      QPointF(programme.xOf(middle), programme.yOfValue(programme.programme()->at(middle).position) - 20).toPoint());
  settle();
  const auto rows = [&] { return model::rowsOf(m(), *m().drives[0]); };
  ASSERT_EQ(rows().size(), 3u) << lastError.toStdString();
  EXPECT_EQ(rows()[1].law, motion::LawKind::dwell);
  const double before = *model::evaluateField(m(), rows()[1].figures.at("time"), dimension::kTime);
  const double end = programme.programme()->end();
  const QPointF knot = programme.pixelOfKnot(2);
  QTest::mousePress(&programme, Qt::LeftButton, Qt::ShiftModifier, knot.toPoint());
  for (const double share : {0.5, 1.0}) {
    const QPointF at = knot + QPointF(share * (programme.xOf(0.3) - programme.xOf(0)), 0);
    QMouseEvent move(QEvent::MouseMove, at, programme.mapToGlobal(at), Qt::NoButton, Qt::LeftButton, Qt::ShiftModifier);
    QApplication::sendEvent(&programme, &move);
  }
  QTest::mouseRelease(&programme, Qt::LeftButton, Qt::ShiftModifier,
                      (knot + QPointF(programme.xOf(0.3) - programme.xOf(0), 0)).toPoint());
  ASSERT_TRUE(waitFor([&] { return bench.isSettled() && !bench.isPending(); }));
  EXPECT_GT(*model::evaluateField(m(), rows()[1].figures.at("time"), dimension::kTime), before + 0.1);
  EXPECT_GT(programme.programme()->end(), end + 0.1);
  // both arms and their difference by the closed form, at every pose
  const auto& run = bench.runs().run();
  ASSERT_TRUE(run) << lastError.toStdString();
  EXPECT_TRUE(run->result.travel.completed);
  std::size_t in = 0, out = 0;
  for (std::size_t i = 0; i < run->result.columns.size(); ++i) {
    if (run->result.columns[i].name == "left arm - frame.turn") in = i;
    if (run->result.columns[i].name == "right arm - frame.turn") out = i;
  }
  ASSERT_TRUE(in > 0 && out > 0);
  double widest = 0;
  for (const auto& r : run->result.rows) {
    const double turn = r[in], right = c.rightAngle(turn) - c.rightAngle(0);
    EXPECT_NEAR(r[out], right, 1e-9);
    EXPECT_NEAR(r[in] - r[out], turn - right, 1e-9);
    widest = std::max(widest, std::abs(turn));
  }
  EXPECT_GT(widest, 0.3) << "the arms went somewhere";
  EXPECT_LE(actions_, 34);
}

TEST_F(GatherTest, LinesGetThicknessAndLevelsInOneActionEach) {
  drawFourBar();
  key(Qt::Key_D, Qt::ShiftModifier);
  ASSERT_TRUE(waitFor([&] { return bench.isSettled() && bench.runs().run() != nullptr; })) << lastError.toStdString();
  const std::string lines = document();
  const auto before = bench.runs().run()->result.rows;
  key(Qt::Key_H, Qt::ShiftModifier);
  ASSERT_TRUE(waitFor([&] { return bench.isSettled() && !bench.isPending(); }));
  for (const auto& l : m().links) EXPECT_TRUE(model::plateOf(*l)) << l->name << lastError.toStdString();
  EXPECT_TRUE(model::findByName(m().parameters, "level_pitch"));
  const auto& after = bench.runs().run()->result.rows;
  ASSERT_EQ(after.size(), before.size());
  for (std::size_t i = 0; i < after.size(); ++i)
    for (std::size_t k = 0; k < after[i].size(); ++k) EXPECT_NEAR(after[i][k], before[i][k], 1e-12);
  key(Qt::Key_Z, Qt::ControlModifier);
  settle();
  EXPECT_EQ(document(), lines) << "one step back";
  key(Qt::Key_H, Qt::ShiftModifier);
  ASSERT_TRUE(waitFor([&] { return bench.isSettled() && !bench.isPending(); }));
  key(Qt::Key_Escape);
  bench.selection().select({});
  key(Qt::Key_K, Qt::ShiftModifier);
  ASSERT_TRUE(waitFor([&] { return bench.isSettled() && window.statusText().contains(QStringLiteral("level")); }));
  EXPECT_TRUE(window.statusText().startsWith(QStringLiteral("2 levels")) ||
              window.statusText().startsWith(QStringLiteral("3 levels")))
      << window.statusText().toStdString();
  EXPECT_EQ(model::levelOf(m(), linkId("frame")), 0);
  EXPECT_NE(model::levelOf(m(), linkId("crank")), model::levelOf(m(), linkId("coupler")));
  // spread to show them, and back
  const auto stood = bench.pose().poses();
  window.actions()->find(QStringLiteral("spread"))->trigger();
  EXPECT_GT((bench.pose().poses()[2].p - stood[2].p).norm(), 1e-3);
  window.actions()->find(QStringLiteral("spread"))->trigger();
  EXPECT_EQ(bench.pose().poses()[2].p, stood[2].p);
  // the check finds nothing
  key(Qt::Key_F6);
  ASSERT_TRUE(waitFor([&] { return bench.isSettled() && bench.checks().check() != nullptr; }));
  EXPECT_TRUE(bench.checks().check()->result.interference.empty());
}

/// Two bars whose places nearly meet, a line and a curve each: what can be joined in the plane, and what can't.
QString plates(const QTemporaryDir& folder) {
  const QString path = folder.filePath(QStringLiteral("plates.dxf"));
  std::ofstream f(path.toStdString());
  f << "0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n";
  const auto line = [&](double x1, double y1, double x2, double y2) {
    f << "0\nLINE\n8\na\n10\n" << x1 << "\n20\n" << y1 << "\n11\n" << x2 << "\n21\n" << y2 << "\n";
  };
  const auto circle = [&](double x, double y, double r) {
    f << "0\nCIRCLE\n8\na\n10\n" << x << "\n20\n" << y << "\n40\n" << r << "\n";
  };
  circle(0, 0, 8);         // base
  line(0, -40, 100, -40);  // base
  circle(0.12, 0, 5);      // arm: its bore lies beside the base's
  line(20, 30, 90, 30);    // arm
  circle(60, 60, 4);       // arm
  line(20, -60, 90, -60);  // slider
  line(20, -60, 20, -80);  // slider, square to the line before
  circle(60, 60.0, 10);    // follower
  f << "0\nENDSEC\n0\nEOF\n";
  return path;
}

TEST_F(GatherTest, LinksAreJoinedByWhatIsPicked) {
  place(plates(folder));
  const auto curves = m().sheets[0]->curves;
  ASSERT_EQ(curves.size(), 8u);
  const std::pair<const char*, std::pair<int, int>> links[] = {
      {"base", {0, 2}}, {"arm", {2, 5}}, {"slider", {5, 7}}, {"follower", {7, 8}}};
  auto doc = m();
  for (const auto& [name, range] : links) {
    std::vector<model::Id> ids;
    for (int i = range.first; i < range.second; ++i) ids.push_back(curves[static_cast<std::size_t>(i)]->id);
    doc = model::gathered(doc, ids, 0, name)->first;
  }
  doc = model::changedLink(doc, doc.links[0]->id, [](model::Link& l) { l.ground = true; });
  ASSERT_TRUE(bench.document().apply(QStringLiteral("gather"), doc));
  settle();
  key(Qt::Key_J, Qt::ShiftModifier);
  // places that nearly meet are named, and joined at a second click only
  point(0, 0);
  EXPECT_TRUE(window.joiner()->prompt().contains(QStringLiteral("0.120 mm beside it")))
      << window.joiner()->prompt().toStdString();
  click(0, 0);
  click(0.12, 0);
  EXPECT_TRUE(window.joiner()->prompt().contains(QStringLiteral("0.120 mm apart")))
      << window.joiner()->prompt().toStdString();
  EXPECT_TRUE(m().joints.empty());
  click(0.12, 0);
  ASSERT_EQ(m().joints.size(), 1u) << lastError.toStdString();
  EXPECT_EQ(joint(0).kind, model::JointKind::revolute);
  const auto& poses = bench.pose().poses();
  EXPECT_NEAR(poses[1].p.x() - poses[0].p.x(), -0.12e-3, 1e-12) << "the arm was brought to the base";
  key(Qt::Key_Z, Qt::ControlModifier);
  settle();
  EXPECT_TRUE(m().joints.empty());
  // with Alt nothing moves
  click(0, 0);
  click(Vec2(0.12, 0), Qt::AltModifier);
  ASSERT_EQ(m().joints.size(), 1u);
  EXPECT_NEAR(bench.pose().poses()[1].p.x(), bench.pose().poses()[0].p.x(), 1e-15);
  // lines that aren't parallel slide nowhere, parallel ones do
  click(40, -40);
  click(20, -70);
  EXPECT_TRUE(window.statusText().contains(QStringLiteral("90 deg to one another")))
      << window.statusText().toStdString();
  EXPECT_EQ(m().joints.size(), 1u);
  point(50, -60);
  EXPECT_TRUE(window.joiner()->prompt().endsWith(QStringLiteral("a slide"))) << window.joiner()->prompt().toStdString();
  click(50, -60);
  ASSERT_EQ(m().joints.size(), 2u) << lastError.toStdString();
  EXPECT_EQ(joint(1).kind, model::JointKind::prismatic);
  EXPECT_EQ(joint(1).name, "slider - base");
  // a line and a point: a slot, through the point when asked twice
  click(50, 30);
  click(20, -80);
  EXPECT_TRUE(window.joiner()->prompt().contains(QStringLiteral("off the line")))
      << window.joiner()->prompt().toStdString();
  click(Vec2(20, -80), Qt::AltModifier);
  ASSERT_EQ(m().joints.size(), 3u) << lastError.toStdString();
  EXPECT_EQ(joint(2).kind, model::JointKind::pinSlot);
  // two circles touch: a cam and a roller
  click(64, 60);
  click(70, 60);
  ASSERT_EQ(m().camPairs.size(), 1u) << window.statusText().toStdString();
  EXPECT_EQ(m().camPairs[0]->kind, model::ContactKind::roller);
  EXPECT_TRUE(m().camPairs[0]->inside) << "the follower lies about it";
  // Esc lets go of the first pick, then of joining
  click(50, 30);
  key(Qt::Key_Escape);
  EXPECT_TRUE(window.joiner()->isOn());
  key(Qt::Key_Escape);
  EXPECT_FALSE(window.joiner()->isOn());
}

}  // namespace
}  // namespace cooperage::app
