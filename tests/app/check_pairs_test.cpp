// SPDX-License-Identifier: GPL-3.0-or-later
// Pairs in stage Check as a user works with them: looked into, cut open, left out, played up to.
#include <QCheckBox>
#include <QLabel>
#include <QLineEdit>
#include <QSlider>
#include <QToolButton>

#include "check_fixture.h"

namespace cooperage::app {
namespace {

using namespace cooperage::model;

class Pairs : public CheckFixture {};

TEST_F(Pairs, TheCommonVolumeOfAnOverlapIsWorkedOutAndLitUp) {
  openDrum();
  closeTheWall();
  bench.selection().setStage(Stage::check);
  key(Qt::Key_X);
  rest();
  ASSERT_FALSE(bench.checks().poseOverlaps().empty());
  const QImage before = window.scene()->picture().copy();
  key(Qt::Key_V, Qt::ShiftModifier);
  rest();
  ASSERT_TRUE(bench.checks().commonVolume().has_value()) << lastError.toStdString();
  EXPECT_GT(bench.checks().commonVolume()->common.volume, 0);
  EXPECT_TRUE(lists("|shared volume")) << ledger().join('\n').toStdString();
  // where a triangle of its surface is, the picture is red now, whatever lies in front
  const auto& mesh = bench.checks().commonVolume()->common.mesh;
  const QImage lit = window.scene()->picture();
  ASSERT_FALSE(mesh.triangles.empty());
  int red = 0, shown = 0, were = 0;
  const auto isRed = [](QRgb c) { return qRed(c) > 2 * qGreen(c) && qRed(c) > 2 * qBlue(c); };
  for (std::size_t i = 0; i < mesh.triangles.size(); i += std::max<std::size_t>(1, mesh.triangles.size() / 40)) {
    Vec3 middle = Vec3::Zero();
    for (int k : mesh.triangles[i]) middle += mesh.vertices[static_cast<std::size_t>(k)] / 3;
    const QPoint at = (window.scene()->project(middle) * lit.devicePixelRatio()).toPoint();
    if (!lit.rect().contains(at)) continue;
    ++shown;
    red += isRed(lit.pixel(at)) ? 1 : 0;
    were += isRed(before.pixel(at)) ? 1 : 0;
  }
  EXPECT_GT(shown, 0);
  EXPECT_GT(red, 0.6 * shown) << "of " << shown << ", red before: " << were;
  key(Qt::Key_F5);
  rest();
  bench.runs().setCursor(1.0);
  EXPECT_FALSE(bench.checks().commonVolume().has_value()) << "another pose, another volume";
  EXPECT_FALSE(lists("|shared volume"));
}

TEST_F(Pairs, WithoutAPairTheCommonVolumeSaysWhatToDo) {
  openDrum();
  bench.selection().select({});
  key(Qt::Key_V, Qt::ShiftModifier);
  rest();
  EXPECT_TRUE(lastError.contains("Choose a pair")) << lastError.toStdString();
}

TEST_F(Pairs, ASectionCutsThePictureOpenAndIsMovedTurnedAndClosed) {
  openDrum();
  const QImage whole = window.scene()->picture().copy();
  key(Qt::Key_C);
  ASSERT_TRUE(window.scene()->section().has_value());
  ASSERT_TRUE(window.section()->isVisible());
  EXPECT_GT(window.scene()->section()->normal.dot(window.scene()->eyeDirection()), 0) << "the near side goes";
  const QImage cut = window.scene()->picture().copy();
  EXPECT_GT(changedShare(whole, cut), 0.01);
  press(QStringLiteral("section flip"));
  EXPECT_LT(window.scene()->section()->normal.dot(window.scene()->eyeDirection()), 0);
  EXPECT_GT(changedShare(cut, window.scene()->picture()), 0.01);
  press(QStringLiteral("section 0"));
  EXPECT_NEAR(std::abs(window.scene()->section()->normal.x()), 1, 1e-12);
  auto* place = find<QSlider>(QStringLiteral("section place"));
  ASSERT_NE(place, nullptr);
  double low = 0, high = 0;
  window.scene()->extentAlong(Vec3::UnitX(), low, high);
  place->setValue(250);
  EXPECT_NEAR(window.scene()->section()->at.x(), low + 0.25 * (high - low), 1e-9);
  type(QStringLiteral("section offset"), QStringLiteral("1 in"));
  EXPECT_NEAR(window.scene()->section()->at.x(), 0.0254, 1e-9);
  type(QStringLiteral("section offset"), QStringLiteral("1 kg"));
  EXPECT_FALSE(lastError.isEmpty());
  EXPECT_NEAR(window.scene()->section()->at.x(), 0.0254, 1e-9) << "the last good one stays";
  window.scene()->setFocus();
  key(Qt::Key_C);
  EXPECT_FALSE(window.scene()->section().has_value());
  EXPECT_FALSE(window.section()->isVisible());
  EXPECT_LT(changedShare(whole, window.scene()->picture()), 0.002);
}

TEST_F(Pairs, APairIsLeftOutFromTheListAndTakenInAgainInTheCard) {
  openDrum();
  closeTheWall();
  checkAgain();
  ASSERT_FALSE(bench.checks().check()->result.interference.empty());
  key(Qt::Key_F7);
  const auto pair = bench.checks().lookedAtPair();
  ASSERT_GE(pair.first, 0);
  const auto before = document();
  auto* hint = window.panel(Stage::check)->findChild<QLabel*>(QStringLiteral("hint"));
  ASSERT_NE(hint, nullptr);
  ASSERT_TRUE(hint->text().contains(QLatin1String("leave out"))) << hint->text().toStdString();
  emit hint->linkActivated(QStringLiteral("leave out"));
  rest();
  const model::Run& run = *bench.document().mechanism()->runs.front();
  ASSERT_EQ(run.leaveOut.size(), 1u);
  checkAgain();
  const auto& out = bench.checks().check()->result.leftOut;
  EXPECT_TRUE(std::any_of(out.begin(), out.end(), [&](const auto& l) {
    return std::minmax(l.linkA, l.linkB) == std::minmax(pair.first, pair.second);
  })) << "what is left out is said";
  for (const auto& i : bench.checks().check()->result.interference) EXPECT_NE(std::make_pair(i.linkA, i.linkB), pair);
  // its box in the run's card
  bench.selection().select({run.id});
  rest();
  QCheckBox* box = nullptr;
  for (auto* b : window.card()->findChildren<QCheckBox*>())
    if (b->objectName().startsWith(QLatin1String("pair "))) box = b;
  ASSERT_NE(box, nullptr);
  box->click();
  rest();
  EXPECT_EQ(document(), before);
}

TEST_F(Pairs, OneSideIsCheckedAgainstTheOtherAlone) {
  openDrum();
  const Id run = bench.document().mechanism()->runs.front()->id;
  bench.selection().select({run});
  rest();
  choose(QStringLiteral("pairs"), QStringLiteral("sides"));
  rest();
  {
    const model::Run& r = *bench.document().mechanism()->runs.front();
    EXPECT_FALSE(r.sideA.empty());
    EXPECT_FALSE(r.sideB.empty());
  }
  choose(QStringLiteral("side drum"), QStringLiteral("-"));
  rest();
  const Id drum = linkId("drum");
  const model::Run& r = *bench.document().mechanism()->runs.front();
  for (const auto* side : {&r.sideA, &r.sideB}) EXPECT_EQ(std::count(side->begin(), side->end(), drum), 0);
  checkAgain();
  EXPECT_TRUE(lists("not in the two lists")) << ledger().join('\n').toStdString();
  bench.selection().select({run});
  rest();
  choose(QStringLiteral("pairs"), QStringLiteral("each"));
  rest();
  EXPECT_TRUE(bench.document().mechanism()->runs.front()->sideA.empty());
}

TEST_F(Pairs, TheTravelIsPlayedUpToTheContactAndHaltsThere) {
  openDrum();
  key(Qt::Key_F9);
  EXPECT_FALSE(window.strip()->isPlaying()) << "nothing meets in it";
  closeTheWall();
  checkAgain();
  const auto& list = bench.checks().check()->result.interference;
  ASSERT_FALSE(list.empty());
  double first = 1e300;
  for (const auto& i : list)
    if (i.fromTime > 1e-6) first = std::min(first, i.fromTime);
  bench.runs().setCursor(0);
  key(Qt::Key_F9);
  if (first > 1e299) return;  // they meet from the start on
  ASSERT_TRUE(window.strip()->isPlaying());
  window.strip()->advance(0.5 * first / window.strip()->speed());
  EXPECT_TRUE(window.strip()->isPlaying());
  window.strip()->advance(100);
  EXPECT_FALSE(window.strip()->isPlaying());
  EXPECT_NEAR(bench.runs().cursor(), first, 1e-12);
}

}  // namespace
}  // namespace cooperage::app
