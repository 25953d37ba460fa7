// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "stages/check_panel.h"
#include "travel_fixture.h"

namespace cooperage::app {

/// The char drum in stage Check.
class CheckFixture : public Travel {
 protected:
  void openDrum() {
    ASSERT_TRUE(window.openPath(QStringLiteral(COOPERAGE_DEMO) + "/char-drum/char-drum.coop"));
    rest();
    bench.selection().setStage(Stage::check);
    key(Qt::Key_F6);
    rest();
    ASSERT_NE(bench.checks().check(), nullptr);
  }
  /// Text of the ledger's rows: title, detail, tag.
  QStringList ledger() {
    QStringList out;
    for (const auto& r : window.findChild<CheckPanel*>()->list()->rows())
      out << r.title + QLatin1Char('|') + r.detail + QLatin1Char('|') + r.tag;
    return out;
  }
  bool lists(const QString& part) {
    const auto all = ledger();
    return std::any_of(all.begin(), all.end(), [&](const QString& s) { return s.contains(part); });
  }
  /// The drum's wall made thicker, so that the shaft runs into it.
  void closeTheWall() {
    const auto& m = *bench.document().mechanism();
    const auto wall = model::findByName(m.links, "casing")->bodies.at(1);
    const model::Mechanism next =
        model::changedBody(m, wall->id, [](model::Body& b) { b.figures["bore"] = model::Field(20); });
    ASSERT_TRUE(bench.document().apply("Smaller bore", next));
    rest();
  }
  /// Checks once more, by its key.
  void checkAgain() {
    bench.selection().setStage(Stage::check);
    window.scene()->setFocus();
    key(Qt::Key_F6);
    rest();
    ASSERT_NE(bench.checks().check(), nullptr);
    ASSERT_FALSE(bench.checks().isCheckStale());
  }
  /// Share of the pixels that two pictures of one size differ in.
  static double changedShare(const QImage& a, const QImage& b) {
    if (a.size() != b.size()) return 1;
    qint64 n = 0;
    for (int y = 0; y < a.height(); ++y)
      for (int x = 0; x < a.width(); ++x) {
        const QRgb p = a.pixel(x, y), q = b.pixel(x, y);
        n += std::abs(qRed(p) - qRed(q)) + std::abs(qGreen(p) - qGreen(q)) + std::abs(qBlue(p) - qBlue(q)) > 24 ? 1 : 0;
      }
    return static_cast<double>(n) / (static_cast<double>(a.width()) * a.height());
  }
};

}  // namespace cooperage::app
