// SPDX-License-Identifier: GPL-3.0-or-later
// Masses and forces in the window: what a link weighs, and gauges of what a motion takes.
#include <QComboBox>

#include "quick_fixture.h"

namespace cooperage::app {
namespace {

using namespace model;

class ForcesTest : public QuickWays {
 protected:
  /// Chooses in a list by the keys of its entry.
  void pick(const QString& list, const QString& entry) {
    auto* box = find<QComboBox>(list);
    ASSERT_NE(box, nullptr);
    const int at = box->findText(entry);
    ASSERT_GE(at, 0) << entry.toStdString();
    box->setFocus();
    box->setCurrentIndex(at);
    emit box->activated(at);
    settle();
  }
  QString shown(const QString& label) {
    auto* l = find<QLabel>(label);
    return l ? l->text() : QString();
  }
  bool says(const QString& part) {
    for (const auto* l : window.findChildren<QLabel*>())
      if (l->isVisible() && l->text().contains(part)) return true;
    return false;
  }
  double atCursor(const char* gauge) {
    const auto g = findByName(bench.document().mechanism()->gauges, gauge);
    const int column = g ? bench.runs().columnOf(g->id) : -1;
    const auto& row = bench.runs().cursorRow();
    return column < 0 || static_cast<std::size_t>(column) >= row.size() ? std::nan("")
                                                                        : row[static_cast<std::size_t>(column)];
  }
};

TEST_F(ForcesTest, ALinkWeighsWhatItsMaterialSaysOrWhatIsTyped) {
  openDemo();
  key(Qt::Key_1, Qt::AltModifier);
  clickRow("rod");
  EXPECT_TRUE(says("No density: it is massless."));
  const std::string before = document();
  pick("link material", "steel");
  const auto mass = [&] {
    for (const auto& l : bench.solution().resolved().links)
      if (l.name == "rod") return l.mass;
    return std::optional<Resolved::MassR>();
  };
  ASSERT_TRUE(mass());
  const double steel = mass()->value;
  EXPECT_GT(steel, 0.05);
  EXPECT_TRUE(shown("mass of solids").endsWith(" kg")) << shown("mass of solids").toStdString();
  EXPECT_NEAR(shown("mass of solids").section(' ', 0, 0).toDouble(), steel, 0.01 * steel);
  EXPECT_THAT(document(), testing::HasSubstr("\"material\": \"steel\""));
  pick("link material", "aluminium");
  EXPECT_NEAR(mass()->value, steel * 2700 / 7850, 1e-12) << "the same solid of another density";

  type("typed mass", "1.2 kg");
  EXPECT_TRUE(says("The typed mass counts."));
  EXPECT_DOUBLE_EQ(mass()->value, 1.2);
  EXPECT_FALSE(shown("mass of solids").isEmpty()) << "both are shown";
  type("Izz", "3 kg*m^2");
  EXPECT_THAT(lastError.toStdString(), testing::HasSubstr("triangle rule")) << "what can't be is refused";
  EXPECT_DOUBLE_EQ(mass()->inertia(2, 2), 0);
  auto* typed = find<QLineEdit>("typed mass");
  ASSERT_NE(typed, nullptr);
  typed->setFocus();
  typed->selectAll();
  QTest::keyClick(typed, Qt::Key_Delete);
  QTest::keyClick(typed, Qt::Key_Return);
  settle();
  EXPECT_NEAR(mass()->value, steel * 2700 / 7850, 1e-12);
  window.scene()->setFocus();
  while (document() != before) {
    const std::string now = document();
    key(Qt::Key_Z, Qt::ControlModifier);
    settle();
    ASSERT_FALSE(document() == now) << "an undo undid nothing";
  }
  EXPECT_FALSE(mass());
}

TEST_F(ForcesTest, EffortAndReactionsAreGaugedAndFollowAnEdit) {
  openDemo();
  key(Qt::Key_1, Qt::AltModifier);
  clickRow("ram");
  type("typed mass", "4 kg");
  // gravity is on the card of the whole
  window.scene()->setFocus();
  key(Qt::Key_Escape);
  auto* add = [&]() -> QPushButton* {
    for (auto* b : window.findChildren<QPushButton*>())
      if (b->isVisible() && b->text() == "Add gravity") return b;
    return nullptr;
  }();
  ASSERT_NE(add, nullptr);
  QTest::mouseClick(add, Qt::LeftButton);
  settle();
  EXPECT_TRUE(shown("whole mass").startsWith("4.0")) << shown("whole mass").toStdString();
  key(Qt::Key_4, Qt::AltModifier);
  choose("gauge", "Effort and power of the drives");
  clickRow("crank pin");
  choose("gauge", "Reactions at the chosen joint");
  const auto& gauges = bench.document().mechanism()->gauges;
  EXPECT_TRUE(findByName(gauges, "crank pin fx"));
  EXPECT_TRUE(findByName(gauges, "crank pin fz"));
  EXPECT_TRUE(findByName(gauges, "crank pin my"));
  EXPECT_FALSE(findByName(gauges, "crank pin fy")) << "square to its plane nothing is decided";
  window.scene()->setFocus();
  key(Qt::Key_F5);
  settle();
  ASSERT_NE(bench.runs().run(), nullptr) << lastError.toStdString();
  bench.runs().setCursor(0.4 * bench.runs().run()->result.axis.back());
  settle();
  const double one = atCursor("motor effort");
  ASSERT_TRUE(std::isfinite(one));
  ASSERT_GT(std::abs(one), 1e-3);
  // only the ram weighs: twice the mass takes twice the effort
  key(Qt::Key_1, Qt::AltModifier);
  clickRow("ram");
  type("typed mass", "8 kg");
  key(Qt::Key_4, Qt::AltModifier);
  window.scene()->setFocus();
  if (bench.runs().isRunStale()) {
    key(Qt::Key_F5);
    settle();
  }
  EXPECT_NEAR(atCursor("motor effort"), 2 * one, 1e-9 * std::abs(one));
  EXPECT_NEAR(atCursor("crank pin my"), 0, 1e-9) << "a pin bears no moment about its axis";
}

}  // namespace
}  // namespace cooperage::app
