// SPDX-License-Identifier: GPL-3.0-or-later
#include "drawings.h"

#include <QDir>
#include <QFile>
#include <QFileInfo>
#include <map>

#include "../merges.h"
#include "../text.h"
#include "model/sheet_edits.h"

namespace cooperage::app {

using namespace model;

namespace {

constexpr double kMergeShare = 1e-6;  // of a drawing's size: ends nearer than that are meant to be one
constexpr double kWide = 100;         // times the tolerance: what is called a gap

Result<drawing::Drawing> readFile(const QString& path, Progress* progress) {
  QFile file(path);
  const std::string name = QFileInfo(path).fileName().toStdString();
  if (!file.open(QIODevice::ReadOnly))
    return Error{"file", name, name + ": can't be opened: " + file.errorString().toStdString()};
  return drawing::readDrawing(file.readAll().toStdString(), name, progress);
}

}  // namespace

Drawings::Drawings(Document& document, Selection& selection, JobRunner& jobs, Speaker& speaker)
    : document_(document), selection_(selection), jobs_(jobs), speaker_(speaker) {}

bool Drawings::isDrawing(const QString& path) {
  const QString suffix = QFileInfo(path).suffix().toLower();
  return suffix == QStringLiteral("dxf") || suffix == QStringLiteral("svg");
}

void Drawings::read(const QString& path) {
  const QString absolute = QFileInfo(path).absoluteFilePath();
  auto made = std::make_shared<std::optional<Result<Waiting>>>();
  jobs_.start(
      tr("Reading %1").arg(QFileInfo(path).fileName()),
      [made, absolute](SharedProgress& progress) {
        auto d = readFile(absolute, &progress);
        if (!d.ok()) {
          *made = d.error();
          return;
        }
        Waiting w;
        w.path = absolute;
        w.box = d->box();
        w.tolerance = kMergeShare * std::max(w.box.size().norm(), 1e-9);
        w.joined = drawing::withEndsMerged(*d, w.tolerance, kWide * w.tolerance);
        w.drawing = std::move(d).value();
        *made = std::move(w);
      },
      [this, made] {
        auto& w = **made;
        if (!w.ok()) {
          speaker_.say(w.error().cancelled ? tr("Import cancelled") : q(w.error().text), !w.error().cancelled);
          return;
        }
        if (w->drawing.curves.empty()) {
          speaker_.say(tr("%1 holds no curves").arg(QFileInfo(w->path).fileName()), true);
          return;
        }
        waiting_ = std::make_shared<const Waiting>(std::move(w).value());
        emit came();
      });
}

void Drawings::place(const Choice& choice) {
  if (!waiting_) return;
  const auto waiting = waiting_;
  const auto before = document_.mechanism();
  Sheet plane;
  plane.name = QFileInfo(waiting->path).completeBaseName().toStdString();
  for (char& c : plane.name)
    if (c == '/') c = '-';
  plane.file = document_.relativeFile(waiting->path).toStdString();
  if (waiting->drawing.unit == 0) plane.unit = choice.unitName;
  plane.annotated = choice.annotated;
  plane.merge = Field(choice.merge / before->units.factor(dimension::kLength));
  auto made = std::make_shared<std::pair<Mechanism, std::vector<Id>>>();
  jobs_.start(
      tr("Placing %1").arg(QFileInfo(waiting->path).fileName()),
      [made, waiting, choice, before, plane](SharedProgress&) {
        const double tolerance = choice.merge / choice.unit;
        auto joined = drawing::withEndsMerged(waiting->drawing, tolerance, tolerance);
        if (!choice.annotated) joined.drawing = drawing::withoutAnnotations(std::move(joined.drawing));
        *made = withDrawing(*before, drawing::scaled(joined.drawing, choice.unit), plane, choice.sheetALayer);
      },
      [this, made, before, waiting] {
        if (document_.mechanism() != before) {
          speaker_.say(tr("The mechanism was changed meanwhile; place the drawing again"), true);
          return;
        }
        document_.endGesture();
        if (!document_.apply(tr("Import %1").arg(QFileInfo(waiting->path).fileName()), std::move(made->first))) return;
        waiting_.reset();
        selection_.select(made->second);
        speaker_.say(
            tr("%1 belong to no link yet").arg(counted(countLoose(*document_.mechanism()), tr("curve"), tr("curves"))));
        emit placed();
      });
}

void Drawings::readAgain() {
  const auto before = document_.mechanism();
  struct One {
    std::string file;
    QString path;
    double unit, merge;
    bool annotated;
  };
  std::vector<One> files;
  const QDir folder = document_.path().isEmpty() ? QDir() : QFileInfo(document_.path()).dir();
  for (const auto& s : before->sheets) {
    if (s->file.empty() || std::any_of(files.begin(), files.end(), [&](const One& f) { return f.file == s->file; }))
      continue;
    const auto unit = findUnit(s->unit);
    const auto merge = s->merge ? evaluateField(*before, *s->merge, dimension::kLength) : Result<double>(0.0);
    files.push_back(
        {s->file, folder.absoluteFilePath(q(s->file)), unit ? unit->factor : 0, merge.ok() ? *merge : 0, s->annotated});
  }
  if (files.empty()) {
    speaker_.say(tr("No sheet comes from a drawing"));
    return;
  }
  struct Outcome {
    Mechanism m;
    int same = 0, fresh = 0, gone = 0;
    Error error;
  };
  auto made = std::make_shared<Outcome>();
  jobs_.start(
      tr("Reading drawings again"),
      [made, files, before](SharedProgress& progress) {
        made->m = *before;
        for (const One& f : files) {
          const auto d = readFile(f.path, &progress);
          if (!d.ok()) {
            made->error = d.error();
            return;
          }
          const double unit = d->unit > 0 ? d->unit : f.unit > 0 ? f.unit : 1e-3;
          auto joined = drawing::withEndsMerged(*d, f.merge / unit, f.merge / unit);
          if (!f.annotated) joined.drawing = drawing::withoutAnnotations(std::move(joined.drawing));
          const auto again =
              withDrawingReadAgain(made->m, f.file, drawing::scaled(joined.drawing, unit), std::max(f.merge, 1e-9));
          made->m = again.mechanism;
          made->same += again.same;
          made->fresh += again.fresh;
          made->gone += again.gone;
        }
      },
      [this, made, before] {
        if (!made->error.text.empty()) {
          speaker_.say(made->error.cancelled ? tr("Cancelled") : q(made->error.text), !made->error.cancelled);
          return;
        }
        if (document_.mechanism() != before) return;
        document_.endGesture();
        const bool anything = made->fresh + made->gone > 0;
        if (anything && !document_.apply(tr("Read drawings again"), std::move(made->m))) return;
        speaker_.say(tr("%1 as before, %2 new, %3 gone").arg(made->same).arg(made->fresh).arg(made->gone));
      });
}

}  // namespace cooperage::app
