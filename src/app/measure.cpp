// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure.h"

#include <QApplication>
#include <QElapsedTimer>
#include <QMouseEvent>
#include <QSlider>
#include <QTimer>
#include <algorithm>
#include <cstdio>
// OCCT last
#include <BRep_Tool.hxx>
#include <Poly_Triangulation.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>

namespace cooperage::app {
namespace {

long trianglesOf(const TopoDS_Shape& shape) {
  long n = 0;
  for (TopExp_Explorer e(shape, TopAbs_FACE); e.More(); e.Next()) {
    TopLoc_Location location;
    const auto tri = BRep_Tool::Triangulation(TopoDS::Face(e.Current()), location);
    if (!tri.IsNull()) n += tri->NbTriangles();
  }
  return n;
}

}  // namespace

bool measureTravel(Session& session, MainWindow& window, const QString& parameter) {
  const auto rest = [&] {
    for (QElapsedTimer clock; !clock.isValid() || clock.elapsed() < 20000;) {
      if (!clock.isValid()) clock.start();
      QApplication::processEvents(QEventLoop::AllEvents, 2);
      if (!session.jobs().busy() && !session.live().busy() && !session.isLoading()) break;
    }
  };
  session.setStage(Stage::run);
  rest();
  auto* slider = window.findChild<QSlider*>(QStringLiteral("slide ") + parameter);
  if (!slider || !session.run()) return false;
  session.setCursor(0.4 * session.run()->result.travel.steps.back().t);
  QApplication::processEvents();
  QElapsedTimer clock;
  slider->setSliderDown(true);
  constexpr int kMoves = 60;
  clock.start();
  for (int i = 0; i < kMoves; ++i) {
    slider->setValue(333 - 2 * (i < kMoves / 2 ? i : kMoves - i));
    rest();
    for (int k = 0; k < 3; ++k) QApplication::processEvents();  // what has been asked to be painted
  }
  std::printf("live_redesign_fps %.1f updates/s\n", kMoves * 1000.0 / static_cast<double>(clock.elapsed()));
  slider->setSliderDown(false);
  rest();
  session.live().stop();
  session.apply(QStringLiteral("steps"), model::changed<model::Run>(*session.mechanism(), &model::Mechanism::runs,
                                                                    session.run()->id, [](model::Run& r) {
                                                                      r.steps = 100000;
                                                                      r.stepSize.reset();
                                                                      r.stepRate.reset();
                                                                    }));
  session.live().stop();
  session.startRun();
  rest();
  Lanes* lanes = window.strip()->lanes();
  for (int k = 0; k < 5; ++k) QApplication::processEvents();
  window.repaint();
  double worst = 0;
  for (int i = 0; i < 60; ++i) {
    const double middle = 0.5 * (session.run()->result.axis.front() + session.run()->result.axis.back());
    clock.start();
    lanes->zoom(i < 30 ? 0.85 : 1 / 0.85, middle);
    lanes->repaint();
    worst = std::max(worst, static_cast<double>(clock.nsecsElapsed()) * 1e-6);
  }
  std::printf("strip_zoom_ms %.1f\n", worst);
  double slowest = 0;
  for (int share = 1; share <= 5; ++share) {
    session.startRun();
    for (clock.start(); clock.elapsed() < 25 * share && session.jobs().busy();)
      QApplication::processEvents(QEventLoop::AllEvents, 2);
    clock.start();
    session.jobs().cancel();
    while (session.jobs().busy() && clock.elapsed() < 20000) QApplication::processEvents(QEventLoop::AllEvents, 1);
    slowest = std::max(slowest, static_cast<double>(clock.nsecsElapsed()) * 1e-6);
  }
  std::printf("run_cancel_ms %.1f\n", slowest);
  return true;
}

bool measureWindow(Session& session, MainWindow& window, const QString& file) {
  QElapsedTimer clock, gapClock;
  double gap = 0;
  QTimer beat;
  beat.setInterval(0);
  QObject::connect(&beat, &QTimer::timeout, [&] {
    gap = std::max(gap, static_cast<double>(gapClock.nsecsElapsed()) * 1e-6);
    gapClock.start();
  });
  clock.start();
  gapClock.start();
  beat.start();
  session.importFile(file);
  // until all is in the scene, and a moment more
  QElapsedTimer quiet;
  quiet.start();
  while (clock.elapsed() < 600000) {
    QApplication::processEvents(QEventLoop::AllEvents, 5);
    if (session.jobs().busy() || session.isLoading() || window.scene()->isFilling()) quiet.start();
    if (quiet.elapsed() > 400) break;
  }
  beat.stop();
  if (session.mechanism()->links.empty()) return false;
  std::printf("import_s %.2f\nimport_event_gap_ms %.0f\n", static_cast<double>(clock.elapsed() - 400) * 1e-3, gap);
  long triangles = 0;
  for (const auto& l : session.resolved().links)
    for (const auto& b : l.bodies)
      if (const auto s = session.solid(b.id)) triangles += trianglesOf(s->shape);
  std::printf("solids %zu, triangles %ld\n", session.resolved().links.size(), triangles);
  Scene* scene = window.scene();
  scene->fitAll();
  QApplication::processEvents();
  clock.start();
  const int frames = 40;
  for (int i = 0; i < frames; ++i) {
    scene->orbit(QPoint(6, i % 2));
    scene->repaint();
    QApplication::processEvents();
  }
  std::printf("scene_fps %.1f\n", frames * 1000.0 / static_cast<double>(clock.elapsed()));
  clock.start();
  scene->invalidate(false);
  scene->repaint();
  std::printf("scene_rest_ms %.0f\n", static_cast<double>(clock.nsecsElapsed()) * 1e-6);
  std::vector<double> hover;
  for (int i = 0; i < 200; ++i) {
    const QPoint at(40 + (i * 37) % std::max(1, scene->width() - 80),
                    60 + (i * 23) % std::max(1, scene->height() - 120));
    clock.start();
    QMouseEvent move(QEvent::MouseMove, at, scene->mapToGlobal(QPointF(at)), Qt::NoButton, Qt::NoButton,
                     Qt::NoModifier);
    QApplication::sendEvent(scene, &move);
    scene->repaint();
    hover.push_back(static_cast<double>(clock.nsecsElapsed()) * 1e-6);
  }
  std::sort(hover.begin(), hover.end());
  std::printf("hover_ms %.1f (median %.1f)\n", hover.back(), hover[hover.size() / 2]);
  return true;
}

}  // namespace cooperage::app
