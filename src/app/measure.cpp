// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure.h"

#include <QApplication>
#include <QElapsedTimer>
#include <QMouseEvent>
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
