// SPDX-License-Identifier: GPL-3.0-or-later
#include <QApplication>
#include <QMouseEvent>
#include <QCommandLineParser>
#include <QElapsedTimer>
#include <QMessageBox>
#include <QRegularExpression>
#include <QSettings>
#include <QTimer>
#include <clocale>
#include <cstdio>

#include "main_window.h"
#include "measure.h"
#include "theme.h"

using namespace cooperage;
using namespace cooperage::app;

namespace {

/// Lets queued work and jobs come to an end before a picture is taken.
void settle(Workbench& bench, int milliseconds) {
  QElapsedTimer clock;
  clock.start();
  while (clock.elapsed() < milliseconds || !bench.isSettled()) {
    QApplication::processEvents(QEventLoop::AllEvents, 20);
    if (clock.elapsed() > 120000) break;
  }
}

bool goToPlace(Workbench& bench, const QString& at) {
  RunData* run = bench.runs().run();
  if (!run) return false;
  const auto& m = *bench.document().mechanism();
  const auto f = model::parseField(m, at.toStdString());
  if (!f.ok()) return false;
  const auto v = model::evaluateField(m, *f, run->result.axisDimension);
  if (!v.ok()) return false;
  bench.runs().setCursor(run->travel->timeOf(*v));
  return true;
}

}  // namespace

int main(int argc, char** argv) {
  if (qEnvironmentVariableIsEmpty("DISPLAY")) {
    std::fprintf(
        stderr,
        "cooperage: there is no display; start it in a graphical bench, or use scripts/demo or cooperage-cli\n");
    return 2;
  }
  QApplication application(argc, argv);
  std::setlocale(LC_NUMERIC, "C");  // QApplication takes the user's; files and figures have a decimal point
  QApplication::setApplicationName(QStringLiteral("cooperage"));
  QApplication::setOrganizationName(QStringLiteral("cooperage"));
  QApplication::setApplicationVersion(QStringLiteral("0.1.0"));
  QCommandLineParser parser;
  parser.setApplicationDescription(QStringLiteral("Drives mechanisms through their travel and checks them"));
  parser.addHelpOption();
  parser.addVersionOption();
  parser.addPositionalArgument(QStringLiteral("FILE"), QStringLiteral("the mechanism to open"));
  const QCommandLineOption stage(QStringLiteral("stage"),
                                 QStringLiteral("stage to show: shape, join, drive, run, check, hand-over"),
                                 QStringLiteral("STAGE"));
  const QCommandLineOption at(QStringLiteral("at"),
                              QStringLiteral("place on the travel axis, after the run is computed"),
                              QStringLiteral("VALUE"));
  const QCommandLineOption size(QStringLiteral("size"), QStringLiteral("size of the window"), QStringLiteral("WxH"));
  const QCommandLineOption shot(QStringLiteral("screenshot"), QStringLiteral("save a picture of the window and quit"),
                                QStringLiteral("OUT.png"));
  const QCommandLineOption dark(QStringLiteral("dark"), QStringLiteral("dark palette"));
  const QCommandLineOption light(QStringLiteral("light"), QStringLiteral("light palette"));
  const QCommandLineOption select(QStringLiteral("select"), QStringLiteral("object to select"), QStringLiteral("NAME"));
  const QCommandLineOption envelope(QStringLiteral("envelope"), QStringLiteral("link whose envelope is swept"),
                                    QStringLiteral("LINK"));
  const QCommandLineOption view(QStringLiteral("view"), QStringLiteral("id of a view action, for example \"front\""),
                                QStringLiteral("VIEW"));
  const QCommandLineOption fps(QStringLiteral("scene-fps"), QStringLiteral("play the run and print scene_fps"));
  const QCommandLineOption action(QStringLiteral("action"), QStringLiteral("id of an action to trigger at the end"),
                                  QStringLiteral("ID"));
  const QCommandLineOption measure(QStringLiteral("measure"), QStringLiteral("import a file and print how fast it is"),
                                   QStringLiteral("FILE"));
  const QCommandLineOption hover(QStringLiteral("hover"), QStringLiteral("pixel of the scene under the pointer"),
                                 QStringLiteral("X,Y"));
  const QCommandLineOption shelf(QStringLiteral("parts"), QStringLiteral("folder for the parts shelf"),
                                 QStringLiteral("FOLDER"));
  const QCommandLineOption redesign(QStringLiteral("measure-travel"),
                                    QStringLiteral("slide a parameter, zoom and cancel, and print how fast it is"),
                                    QStringLiteral("PARAMETER"));
  const QCommandLineOption edits(QStringLiteral("measure-edits"),
                                 QStringLiteral("slide a parameter and print how long the window stands still"),
                                 QStringLiteral("PARAMETER"));
  parser.addOption(redesign);
  parser.addOption(edits);
  for (const auto& o : {stage, at, size, shot, dark, light, select, envelope, view, fps, action, shelf, measure, hover})
    parser.addOption(o);
  parser.process(application);

  const bool useDark =
      parser.isSet(dark) || (!parser.isSet(light) && QSettings().value(QStringLiteral("dark"), false).toBool());
  applyTheme(application, useDark);
  Workbench bench;
  MainWindow window(bench);
  if (parser.isSet(size)) {
    const auto parts = parser.value(size).split('x');
    if (parts.size() != 2 || parts[0].toInt() < 200 || parts[1].toInt() < 200) {
      std::fprintf(stderr, "cooperage: --size should look like 1280x800\n");
      return 2;
    }
    window.resize(parts[0].toInt(), parts[1].toInt());
  }
  static const QStringList kStages{"shape", "join", "drive", "run", "check", "hand-over"};
  const auto stageIndex = kStages.indexOf(parser.value(stage));
  if (parser.isSet(stage) && stageIndex < 0) {
    std::fprintf(stderr, "cooperage: there is no stage '%s'\n", qPrintable(parser.value(stage)));
    return 2;
  }
  window.show();
  window.activateWindow();
  const bool batch =
      parser.isSet(shot) || parser.isSet(fps) || parser.isSet(measure) || parser.isSet(redesign) || parser.isSet(edits);
  if (!parser.positionalArguments().isEmpty()) {
    QString problem;
    const auto hold = QObject::connect(&bench.speaker(), &Speaker::said, [&problem](const QString& text, bool error) {
      if (error) problem = text;
    });
    const bool ok = window.openPath(parser.positionalArguments().first());
    QObject::disconnect(hold);
    if (!ok && batch) {
      std::fprintf(stderr, "cooperage: %s\n", qPrintable(problem));
      return 2;
    }
  }
  if (stageIndex >= 0) bench.selection().setStage(static_cast<Stage>(stageIndex));
  if (!batch) {
    if (parser.positionalArguments().isEmpty() && Document::hasAutosave() &&
        QMessageBox::question(&window, QStringLiteral("Cooperage"),
                              QObject::tr("The last session ended unexpectedly. Bring back what was being edited?")) ==
            QMessageBox::Yes)
      bench.document().recover();
    return QApplication::exec();
  }

  window.setAskBeforeLoss(false);
  settle(bench, 200);
  if (parser.isSet(redesign)) return measureTravel(bench, window, parser.value(redesign)) ? 0 : 2;
  if (parser.isSet(edits)) return measureEdits(bench, window, parser.value(edits)) ? 0 : 2;
  if (parser.isSet(measure)) return measureWindow(bench, window, parser.value(measure)) ? 0 : 2;
  if (stageIndex >= 3 || parser.isSet(at) || parser.isSet(fps)) {
    if (static_cast<Stage>(stageIndex) == Stage::check)
      bench.checks().startCheck();
    else
      bench.runs().startRun();
    settle(bench, 50);
    if (bench.checks().check() && !bench.checks().check()->result.interference.empty() && !parser.isSet(at))
      bench.checks().chooseInterference(0);
  }
  if (parser.isSet(at) && !goToPlace(bench, parser.value(at))) {
    std::fprintf(stderr, "cooperage: --at %s can't be reached\n", qPrintable(parser.value(at)));
    return 2;
  }
  if (parser.isSet(envelope))
    if (const auto l = model::findByName(bench.document().mechanism()->links, parser.value(envelope).toStdString())) {
      bench.checks().startEnvelope({{l->id}, 0, 2e-3, 1e-3, {}, {}});
      settle(bench, 50);
    }
  if (parser.isSet(select)) {
    const std::string name = parser.value(select).toStdString();
    const auto& m = *bench.document().mechanism();
    if (const auto j = model::findByName(m.joints, name))
      bench.selection().select({j->id});
    else if (const auto l = model::findByName(m.links, name))
      bench.selection().select({l->id});
    else if (const auto d = model::findByName(m.drives, name))
      bench.selection().select({d->id});
    else if (const auto g = model::findByName(m.gauges, name))
      bench.selection().select({g->id});
    else if (const auto run = model::findByName(m.runs, name)) {
      bench.runs().setCurrentRun(run->id);
      bench.selection().select({run->id});
      settle(bench, 50);
    } else if (const auto c = model::findByName(bench.document().mechanism()->couplings, name))
      bench.selection().select({c->id});
    else if (const auto sheet = model::findByName(m.sheets, name))
      bench.selection().select({sheet->id});
    else
      for (const auto& k : bench.solution().resolved().curveList)
        if (k.name == name) bench.selection().select({k.id});
    for (const auto& l : m.links)
      for (const auto& b : l->bodies)
        if (l->name + "/" + b->name == name) bench.selection().select({b->id});
  }
  if (parser.isSet(view))
    if (QAction* a = window.actions()->find(QStringLiteral("view ") + parser.value(view))) a->trigger();
  settle(bench, 300);
  if (parser.isSet(shelf)) {
    window.shapePanel()->shelf()->setFolder(parser.value(shelf));
    for (int i = 0; i < 600 && window.shapePanel()->shelf()->isReading(); ++i) settle(bench, 20);
  }
  for (const QString& id : parser.values(action)) {
    QAction* a = window.actions()->find(id);
    if (!a) {
      std::fprintf(stderr, "cooperage: there is no action '%s'\n", qPrintable(id));
      return 2;
    }
    a->trigger();
    settle(bench, 300);
  }
  if (const auto pointer = parser.value(hover).split(','); pointer.size() == 2) {
    const QPointF pixel(pointer[0].toDouble(), pointer[1].toDouble());
    QMouseEvent move(QEvent::MouseMove, pixel, window.scene()->mapToGlobal(pixel), Qt::NoButton, Qt::NoButton,
                     Qt::NoModifier);
    QApplication::sendEvent(window.scene(), &move);
    settle(bench, 50);
  }
  if (parser.isSet(fps)) {
    // the whole window is repainted for every pose, as when playing
    const double end = bench.runs().run() ? bench.runs().run()->result.travel.steps.back().t : 0;
    QElapsedTimer clock;
    clock.start();
    const int frames = 120;
    for (int i = 0; i < frames; ++i) {
      bench.runs().setCursor(end * i / frames);
      window.scene()->repaint();
      window.strip()->lanes()->repaint();
      QApplication::processEvents();
    }
    std::printf("scene_fps %.1f frames/s\n", frames * 1000.0 / static_cast<double>(clock.elapsed()));
    return 0;
  }
  window.scene()->invalidate(false);
  settle(bench, 60);
  if (!window.grab().save(parser.value(shot), "PNG")) {
    std::fprintf(stderr, "cooperage: %s can't be written\n", qPrintable(parser.value(shot)));
    return 2;
  }
  return 0;
}
