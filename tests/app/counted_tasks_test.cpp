// SPDX-License-Identifier: GPL-3.0-or-later
// The tasks of docs/actions.md, played with real events from where a user stands; each fails if it takes longer.
#include "quick_fixture.h"

namespace cooperage::app {
namespace {

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
  confirmCard();
  ++actions_;
  ASSERT_EQ(m().joints.size(), 4u) << lastError.toStdString();
  EXPECT_TRUE(bench.solution().homeProblem().isEmpty()) << bench.solution().homeProblem().toStdString();
  ASSERT_TRUE(bench.solution().mobility());
  EXPECT_EQ(bench.solution().mobility()->freedoms, 1);
  clickRow(QString::fromStdString(m().joints[0]->name));
  key(Qt::Key_D, Qt::ShiftModifier);
  settle();
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
  key(Qt::Key_5, Qt::ControlModifier);  // from above
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
  // its edge gives the direction
  const Pose block = standing(3);
  const Vec3 edge = block * Vec3(0, 0.020, 0.010), along = block.R.col(0);
  pickWhere(3, edge,
            [&](const PickedPlace& p) { return (p.at - edge).norm() < 1e-6 && p.axis.cross(along).norm() < 1e-6; });
  QTest::keyClick(window.scene(), Qt::Key_Return);  // in place: the block slides where it is
  settle();
  confirmCard();
  actions_ += 2;
  ASSERT_EQ(m().joints.size(), 4u) << lastError.toStdString();
  ASSERT_TRUE(bench.solution().mobility()) << bench.solution().homeProblem().toStdString();
  EXPECT_EQ(bench.solution().mobility()->freedoms, 1);
  clickRow(QString::fromStdString(m().joints[0]->name));
  key(Qt::Key_D, Qt::ShiftModifier);
  settle();
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
    QTest::keyClick(card, Qt::Key_Return);
    ++actions_;
    settle();
    ASSERT_TRUE(window.proposals()->isVisible()) << lastError.toStdString();
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
  }
}

TEST_F(QuickWays, APlanetaryStageFromAnEmptyDocumentIsMadeAndDrivenInSixActions) {
  window.scene()->setFocus();
  key(Qt::Key_2, Qt::AltModifier);
  choose(QStringLiteral("machine elements"), QStringLiteral("Planetary stage"));
  EXPECT_EQ(find<QWidget>("machine card")->findChild<QLabel*>("machine problem"), nullptr);
  key(Qt::Key_Return);
  settle();
  ASSERT_GE(m().couplings.size(), 2u) << lastError.toStdString();
  ASSERT_TRUE(bench.solution().mobility()) << bench.solution().homeProblem().toStdString();
  EXPECT_EQ(bench.solution().mobility()->left, 1);
  clickRow(QStringLiteral("stage sun"));
  key(Qt::Key_D, Qt::ShiftModifier);
  settle();
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
  EXPECT_LE(actions_, 4);
  ASSERT_EQ(m().couplings.size(), 1u) << lastError.toStdString();
  EXPECT_EQ(m().joints.size(), 2u);
  EXPECT_EQ(bench.solution().mobility()->freedoms, 1);
}

TEST_F(QuickWays, AnAngleIsGaugedAndDrivenInFourActions) {
  openDemo();
  ASSERT_TRUE(bench.document().apply(QStringLiteral("no drive"), model::removed(m(), {m().drives[0]->id})));
  settle();
  window.scene()->setFocus();
  const auto flat = [&](std::size_t link) {
    // any flat face or straight edge whose direction lies in the plane of motion
    for (int y = 60; y < window.scene()->height() - 60; y += 4)
      for (int x = 10; x < window.scene()->width() - 10; x += 4) {
        QTest::mouseMove(window.scene(), QPoint(x, y));
        QApplication::processEvents();
        const PickedPlace* p = window.scene()->picker().present();
        const bool straight =
            p && (p->feature.kind == model::FeatureKind::plane || p->feature.kind == model::FeatureKind::line);
        if (!straight || p->link != m().links[link]->id || p->word != QStringLiteral("middle") ||
            std::abs(p->axis.y()) > 0.01)
          continue;
        QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::NoModifier, QPoint(x, y));
        settle();
        ++actions_;
        return;
      }
    ADD_FAILURE() << "no direction on link " << link;
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
  bench.document().newDocument();
  ASSERT_TRUE(window.openPath(file));
  settle();
  EXPECT_NEAR(*model::evaluateField(m(), model::findByName(m().parameters, "guard_gap")->value, dimension::kLength),
              0.040, 1e-15);
}

}  // namespace
}  // namespace cooperage::app
