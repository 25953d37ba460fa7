// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QComboBox>
#include <QMenu>

#include "card/card.h"
#include "scene/picker.h"
#include "strip/chart.h"
#include "strip/outputs.h"
#include "window_fixture.h"

namespace cooperage::app {

/// The stave lifter in the real window, driven and run.
class Travel : public WindowTest {
 protected:
  void openLifter() {
    ASSERT_TRUE(window.openPath(QStringLiteral(COOPERAGE_DEMO) + "/stave-lifter/stave-lifter.coop"));
    bench.selection().setStage(Stage::run);
    rest();
    ASSERT_NE(bench.runs().run(), nullptr);
  }
  /// Until nothing is computed any more, and runs that follow a change have come.
  void rest() {
    // a change may be worked out aside first, and its run starts only then
    EXPECT_TRUE(waitFor([this] { return bench.isSettled() && !bench.isPending(); }))
        << "still at work after " << kPatience / 1000 << " s";
    for (int i = 0; i < 5; ++i) QApplication::processEvents();
  }
  Lanes& lanes() { return *window.strip()->lanes(); }
  ProgrammeLanes& programme() { return *window.strip()->programmeLanes(); }
  bool hasLane(const QString& title) {
    for (int i = 0; i < lanes().laneCount(); ++i)
      if (lanes().laneTitle(i) == title) return true;
    return false;
  }
  int laneOf(const QString& title) {
    for (int i = 0; i < lanes().laneCount(); ++i)
      if (lanes().laneTitle(i) == title) return i;
    ADD_FAILURE() << "no lane " << title.toStdString();
    return 0;
  }
  model::Id gaugeId(const char* name) {
    const auto g = model::findByName(bench.document().mechanism()->gauges, name);
    return g ? g->id : 0;
  }
  model::Id driveId(const char* name) {
    const auto d = model::findByName(bench.document().mechanism()->drives, name);
    return d ? d->id : 0;
  }
  double axis() { return bench.runs().run()->travel->axisAt(bench.runs().cursor()); }
  double valueNow(const char* gauge) {
    return bench.runs().cursorRow().at(static_cast<std::size_t>(bench.runs().columnOf(gaugeId(gauge))));
  }
  /// Of the four-bar: crank 60, coupler 170, rocker 150, base (180, 40), fork (95, 120) on the coupler.
  static Vec3 fork(double turn, double crank = 0.06) {
    const double b = 0.17, c = 0.15, dx = 0.18 - crank * std::cos(turn), dz = 0.04 - crank * std::sin(turn);
    const double d = std::hypot(dx, dz);
    const double lean = std::atan2(dz, dx) + std::acos((b * b + d * d - c * c) / (2 * b * d));
    return {crank * std::cos(turn) + 0.095 * std::cos(lean) - 0.12 * std::sin(lean), 0,
            crank * std::sin(turn) + 0.095 * std::sin(lean) + 0.12 * std::cos(lean)};
  }
  /// Picks a place of a link as a user does: near it, with N until it is offered.
  void pickPlace(const char* link, const Vec3& place) {
    const model::Id id = linkId(link);
    const QPointF near = window.scene()->project(place);
    for (int radius = 0; radius < 40; radius += 3)
      for (int a = 0; a < 12; ++a) {
        const QPoint at = (near + radius * QPointF(std::cos(a * 0.5236), std::sin(a * 0.5236))).toPoint();
        if (!window.scene()->rect().contains(at)) continue;
        for (int k = 0; k < 14; ++k) {
          const auto offered = k == 0 ? window.scene()->placeAt(at) : std::nullopt;
          if (k > 0) window.scene()->stepCandidate(1);
          const auto* now = window.scene()->picker().present();
          Q_UNUSED(offered);
          const Vec3 off = now ? Vec3(now->at - place) : Vec3::Ones();
          // in the plane of the motion: a bore's axis has ends in front and behind
          if (!now || now->link != id || std::hypot(off.x(), off.z()) > 1e-6 || std::abs(off.y()) > 1e-6) continue;
          QTest::mouseClick(window.scene(), Qt::LeftButton, Qt::NoModifier, at);
          QApplication::processEvents();
          return;
        }
      }
    ADD_FAILURE() << "no pixel offers that place of " << link;
  }
  void dragIn(QWidget* w, const QPointF& from, const QPointF& to, Qt::KeyboardModifiers m = Qt::NoModifier,
              bool release = true) {
    QTest::mouseMove(w, from.toPoint());
    QTest::mousePress(w, Qt::LeftButton, m, from.toPoint());
    for (int i = 1; i <= 4; ++i) {
      const QPointF at = from + (to - from) * i / 4.0;
      QMouseEvent move(QEvent::MouseMove, at, w->mapToGlobal(at), Qt::NoButton, Qt::LeftButton, m);
      QApplication::sendEvent(w, &move);
      QApplication::processEvents();
    }
    if (release) QTest::mouseRelease(w, Qt::LeftButton, m, to.toPoint());
    QApplication::processEvents();
  }
  void choose(const QString& name, const QString& data) {
    auto* box = find<QComboBox>(name);
    ASSERT_TRUE(box);
    const int i = box->findData(data);
    ASSERT_GE(i, 0) << data.toStdString();
    box->setCurrentIndex(i);
    emit box->activated(i);
    QApplication::processEvents();
    rest();
  }
};

}  // namespace cooperage::app
