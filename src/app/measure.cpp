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

bool measureTravel(Workbench& bench, MainWindow& window, const QString& parameter) {
  const auto rest = [&] {
    for (QElapsedTimer clock; !clock.isValid() || clock.elapsed() < 20000;) {
      if (!clock.isValid()) clock.start();
      QApplication::processEvents(QEventLoop::AllEvents, 2);
      if (!bench.jobs().busy() && !bench.runs().live().busy() && !bench.shapes().isLoading()) break;
    }
  };
  bench.selection().setStage(Stage::run);
  rest();
  auto* slider = window.findChild<QSlider*>(QStringLiteral("slide ") + parameter);
  if (!slider || !bench.runs().run()) return false;
  bench.runs().setCursor(0.4 * bench.runs().run()->result.travel.steps.back().t);
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
  bench.runs().live().stop();
  bench.document().apply(QStringLiteral("steps"),
                         model::changed<model::Run>(*bench.document().mechanism(), &model::Mechanism::runs,
                                                    bench.runs().run()->id, [](model::Run& r) {
                                                      r.steps = 100000;
                                                      r.stepSize.reset();
                                                      r.stepRate.reset();
                                                    }));
  bench.runs().live().stop();
  bench.runs().startRun();
  rest();
  Lanes* lanes = window.strip()->lanes();
  for (int k = 0; k < 5; ++k) QApplication::processEvents();
  window.repaint();
  double worst = 0;
  for (int i = 0; i < 60; ++i) {
    const double middle = 0.5 * (bench.runs().run()->result.axis.front() + bench.runs().run()->result.axis.back());
    clock.start();
    lanes->zoom(i < 30 ? 0.85 : 1 / 0.85, middle);
    lanes->repaint();
    worst = std::max(worst, static_cast<double>(clock.nsecsElapsed()) * 1e-6);
  }
  std::printf("strip_zoom_ms %.1f\n", worst);
  double slowest = 0;
  for (int share = 1; share <= 5; ++share) {
    bench.runs().startRun();
    for (clock.start(); clock.elapsed() < 25 * share && bench.jobs().busy();)
      QApplication::processEvents(QEventLoop::AllEvents, 2);
    clock.start();
    bench.jobs().cancel();
    while (bench.jobs().busy() && clock.elapsed() < 20000) QApplication::processEvents(QEventLoop::AllEvents, 1);
    slowest = std::max(slowest, static_cast<double>(clock.nsecsElapsed()) * 1e-6);
  }
  std::printf("run_cancel_ms %.1f\n", slowest);
  return true;
}

namespace {
/// One module for all gears, by a parameter.
model::Mechanism withCommonModule(model::Mechanism m) {
  auto p = std::make_shared<model::Parameter>();
  p->id = model::newId();
  p->name = "module";
  for (const auto& l : m.links)
    for (const auto& b : l->bodies)
      if (const auto at = b->figures.find("module"); at != b->figures.end()) p->value = at->second;
  m.parameters.push_back(p);
  const auto formula = model::parseField(m, "module");
  for (const auto& l : m.links)
    for (const auto& b : l->bodies)
      if (b->figures.count("module") && formula.ok())
        m = model::changedBody(m, b->id, [&](model::Body& x) { x.figures["module"] = *formula; });
  return m;
}
}  // namespace

bool measureEdits(Workbench& bench, MainWindow& window, const QString& parameter) {
  const auto rest = [&](int least, int most) {
    QElapsedTimer clock;
    clock.start();
    while (clock.elapsed() < least || (!bench.isSettled() && clock.elapsed() < most))
      QApplication::processEvents(QEventLoop::AllEvents, 2);
  };
  rest(200, 60000);
  if (parameter == QStringLiteral("module") && !model::findByName(bench.document().mechanism()->parameters, "module"))
    bench.document().apply(parameter, withCommonModule(*bench.document().mechanism()));
  bench.selection().setStage(Stage::run);
  rest(200, 60000);
  if (bench.runs().currentRun() >= 0 && !bench.runs().run()) bench.runs().startRun();
  rest(200, 60000);
  auto* slider = window.findChild<QSlider*>(QStringLiteral("slide ") + parameter);
  if (!slider) return false;
  QElapsedTimer gapClock;
  std::vector<double> gaps;
  QTimer beat;
  beat.setInterval(0);
  QObject::connect(&beat, &QTimer::timeout, [&] {
    gaps.push_back(static_cast<double>(gapClock.nsecsElapsed()) * 1e-6);
    gapClock.start();
  });
  const long before = model::resolvesDone();
  slider->setSliderDown(true);
  constexpr int kMoves = 60;
  int edits = 0;
  gapClock.start();
  beat.start();
  for (int i = 0; i < kMoves; ++i) {
    const auto was = bench.document().mechanism();
    slider->setValue(333 - 2 * (i < kMoves / 2 ? i : kMoves - i));
    edits += bench.document().mechanism() != was ? 1 : 0;
    rest(25, 25);  // a hand moves on whether the picture has followed or not
  }
  beat.stop();
  const long done = model::resolvesDone() - before;
  slider->setSliderDown(false);
  std::sort(gaps.begin(), gaps.end());
  const std::string title = bench.document().title().toStdString();
  std::printf("edit_gap_ms %.1f ms  # %s; one in ten longer than %.1f\n", gaps.back(), title.c_str(),
              gaps[gaps.size() * 9 / 10]);
  std::printf("resolves_per_edit %.2f 1  # %s\n", static_cast<double>(done) / std::max(1, edits), title.c_str());
  bench.runs().live().stop();
  bench.jobs().stop();
  return true;
}

bool measureWindow(Workbench& bench, MainWindow& window, const QString& file) {
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
  bench.importer().importFile(file);
  // until all is in the scene, and a moment more
  QElapsedTimer quiet;
  quiet.start();
  while (clock.elapsed() < 600000) {
    QApplication::processEvents(QEventLoop::AllEvents, 5);
    if (bench.jobs().busy() || bench.shapes().isLoading() || window.scene()->isFilling()) quiet.start();
    if (quiet.elapsed() > 400) break;
  }
  beat.stop();
  if (bench.document().mechanism()->links.empty()) return false;
  std::printf("import_s %.2f\nimport_event_gap_ms %.0f\n", static_cast<double>(clock.elapsed() - 400) * 1e-3, gap);
  long triangles = 0;
  for (const auto& l : bench.solution().resolved().links)
    for (const auto& b : l.bodies)
      if (const auto s = bench.shapes().solid(b.id)) triangles += trianglesOf(s->shape);
  std::printf("solids %zu, triangles %ld\n", bench.solution().resolved().links.size(), triangles);
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
  std::printf("scene_light %d of %zu bodies\n", scene->countInLight(), bench.solution().resolved().links.size());
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
