// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure.h"

#include <QApplication>
#include <QElapsedTimer>
#include <QMouseEvent>
#include <QTimer>
#include <algorithm>
#include <cstdio>

namespace cooperage::app {

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
