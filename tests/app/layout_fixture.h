// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "quick_fixture.h"

namespace cooperage::app {

/// Clicks and figures on a sheet, mm.
class LayoutTest : public QuickWays {
 protected:
  QPointF pixel(double x, double y) { return window.scene()->project(Vec3(x, y, 0) * 1e-3); }
  /// The pointer there, at once: moving the cursor of the display comes in its own time.
  void point(double x, double y, Qt::MouseButtons held = Qt::NoButton) {
    const QPointF at = pixel(x, y).toPoint();
    QMouseEvent move(QEvent::MouseMove, at, window.scene()->mapToGlobal(at), Qt::NoButton, held, Qt::NoModifier);
    QApplication::sendEvent(window.scene(), &move);
    QApplication::processEvents();
  }
  /// A click on the sheet, mm; counts.
  void click(double x, double y, Qt::KeyboardModifiers keys = Qt::NoModifier) {
    const QPoint at = pixel(x, y).toPoint();
    point(x, y);
    QTest::mouseClick(window.scene(), Qt::LeftButton, keys, at);
    settle();
    ++actions_;
  }
  /// Figures of a link that is begun, one field after another, and Enter; each counts.
  void figures(const QStringList& texts) {
    bool first = true;
    for (const QString& text : texts) {
      if (!first) QTest::keyClick(QApplication::focusWidget(), Qt::Key_Tab);
      first = false;
      if (text.isEmpty()) continue;
      QTest::keyClicks(QApplication::focusWidget(), text);
      ++actions_;
    }
    QTest::keyClick(QApplication::focusWidget(), Qt::Key_Return);
    settle();
  }
  /// Crank 40, coupler 110, rocker 80 over a base of 120, the crank at 60 degrees.
  void drawFourBar() {
    press(QStringLiteral("start layout"));
    click(0, 0);
    figures({QStringLiteral("40"), QStringLiteral("60")});
    point(100, 90);
    figures({QStringLiteral("110")});
    point(118, 3);
    figures({QStringLiteral("80"), {}, QStringLiteral("120"), QStringLiteral("0")});
  }
  double length(const std::string& link) {
    const auto& r = bench.solution().resolved();
    for (const auto& l : r.links)
      if (l.name == link) return (l.seats[1].frame.p - l.seats[0].frame.p).norm();
    ADD_FAILURE() << "no link " << link;
    return 0;
  }
};

}  // namespace cooperage::app
