// SPDX-License-Identifier: GPL-3.0-or-later
#include "body_shapes.h"

#include <QDir>
#include <QFileInfo>
#include <algorithm>

#include "../merges.h"
#include "../step_process.h"
#include "../text.h"
#include "shape/element_mesh.h"

namespace cooperage::app {

using namespace model;

namespace {

/// Whether two bodies have the same solid.
bool sameSource(const Resolved::BodyR& a, const Resolved::BodyR& b) {
  return a.kind == b.kind && a.file == b.file && a.solid == b.solid && a.cuts == b.cuts && a.stretches == b.stretches;
}

/// What is read from files, in the thread of the loader.
struct Read {
  std::map<Id, shape::SolidPtr> found;
  std::map<Id, QString> problems;
};
using Bodies = std::vector<std::pair<Resolved::BodyR, std::string>>;

void readAll(const Bodies& bodies, shape::ShapeStore& store, Read& into, SharedProgress& progress) {
  std::size_t n = 0;
  for (const auto& [body, link] : bodies) {
    auto s = store.body(body, link, &progress);
    if (progress.cancelled()) return;
    if (s.ok())
      into.found[body.id] = *s;
    else
      into.problems[body.id] = q(s.error().text);
    progress.report(static_cast<double>(++n) / static_cast<double>(bodies.size()));
  }
}
}  // namespace

BodyShapes::BodyShapes(Document& document, Speaker& speaker)
    : document_(document), speaker_(speaker), store_(readStepInProcess, shape::ShapeStore::Use::looking) {
  watchDelay_.setSingleShot(true);
  watchDelay_.setInterval(300);
  connect(&watcher_, &QFileSystemWatcher::fileChanged, this, [this] { watchDelay_.start(); });
  connect(&watchDelay_, &QTimer::timeout, this, [this] {
    changedFiles_.clear();
    std::vector<std::string> files;
    for (const auto& [b, link] : bodies_)
      if (b.kind == BodyKind::file) files.push_back(b.file);
    for (const auto& f : store_.changedFiles(files)) changedFiles_ << q(f);
    watchFiles();
    if (changedFiles_.isEmpty()) return;
    speaker_.say(tr("%1 changed on disk. F8 refreshes the geometry.").arg(changedFiles_.join(QStringLiteral(", "))));
    emit document_.changed();
  });
}

shape::SolidPtr BodyShapes::solid(Id body) const {
  const auto it = solids_.find(body);
  return it == solids_.end() ? nullptr : it->second;
}

QString BodyShapes::problem(Id body) const {
  const auto it = problems_.find(body);
  return it == problems_.end() ? QString() : it->second;
}

BodyShapes::Elements BodyShapes::make(const Resolved& figures, shape::ShapeStore& store) {
  Elements out;
  for (const auto& l : figures.links)
    for (const auto& b : l.bodies) {
      // what is read comes later, if it is not there; what is made of it is made at once
      if (b.kind == BodyKind::file && (b.stretches.empty() || !store.fileAsRead(b.file))) continue;
      auto made = store.bodyAsRead(b, l.name);
      if (made.ok())
        out.solids[b.id] = *made;
      else
        out.problems[b.id] = q(made.error().text);
    }
  return out;
}

bool BodyShapes::hasSlowOnes(const Resolved& figures) const {
  std::map<Id, const Resolved::BodyR*> was;
  for (const auto& [b, link] : bodies_) was[b.id] = &b;
  for (const auto& l : figures.links)
    for (const auto& b : l.bodies) {
      const auto at = was.find(b.id);
      if (b.kind == BodyKind::file && at != was.end() && !(at->second->stretches == b.stretches)) return true;
      if (!shape::hasElementMesh(b.kind) && b.kind != BodyKind::cam) continue;
      if (at == was.end() || at->second->figures != b.figures || at->second->profile != b.profile) return true;
    }
  return false;
}

void BodyShapes::take(const Resolved& figures, Elements elements) {
  std::map<Id, const Resolved::BodyR*> was;
  for (const auto& [b, link] : bodies_) was[b.id] = &b;
  Bodies now;
  for (const auto& l : figures.links)
    for (const auto& b : l.bodies) {
      if (const auto at = was.find(b.id); at != was.end() && !sameSource(*at->second, b)) {
        solids_.erase(b.id);
        problems_.erase(b.id);
      }
      if (b.kind != BodyKind::file) problems_.erase(b.id);
      now.emplace_back(b, l.name);
    }
  bodies_ = std::move(now);
  for (auto& [id, s] : elements.solids) solids_[id] = std::move(s);
  for (auto& [id, text] : elements.problems) problems_[id] = text;
}

void BodyShapes::load() {
  Bodies missing;
  for (const auto& one : bodies_)
    if (one.first.kind == BodyKind::file && !solids_.count(one.first.id) && !problems_.count(one.first.id))
      missing.push_back(one);
  if (missing.empty()) {
    emit changed();
    return;
  }
  auto done = std::make_shared<Read>();
  loader_.start(
      tr("Reading geometry"),
      [this, missing, done](SharedProgress& progress) { readAll(missing, store_, *done, progress); },
      [this, done] {
        for (const auto& [id, s] : done->found) solids_[id] = s;
        for (const auto& [id, text] : done->problems) problems_[id] = text;
        if (!done->problems.empty()) speaker_.say(done->problems.begin()->second, true);
        emit read();
        std::vector<Id> fresh;
        for (const auto& [id, s] : done->found) fresh.push_back(id);
        checkSeats(fresh, tr("Geometry has changed"));
        watchFiles();
      });
}

void BodyShapes::refreshGeometry() {
  Bodies files;
  for (const auto& one : bodies_)
    if (one.first.kind == BodyKind::file) files.push_back(one);
  if (files.empty()) {
    speaker_.say(tr("No body comes from a file: there is nothing to refresh"));
    return;
  }
  auto done = std::make_shared<Read>();
  loader_.start(
      tr("Refreshing geometry"),
      [this, files, done](SharedProgress& progress) { readAll(files, store_, *done, progress); },
      [this, done] {
        std::vector<Id> fresh;
        for (const auto& [id, s] : done->found) {
          problems_.erase(id);
          if (solids_[id] == s) continue;
          solids_[id] = s;
          fresh.push_back(id);
        }
        for (const auto& [id, text] : done->problems) problems_[id] = text;  // the old geometry stays to be seen
        changedFiles_.clear();
        watchFiles();
        emit read();
        if (!done->problems.empty()) {
          speaker_.say(done->problems.begin()->second, true);
          return;
        }
        if (fresh.empty()) {
          speaker_.say(tr("The geometry is as it was"));
          return;
        }
        speaker_.say(tr("%1 refreshed").arg(counted(static_cast<qsizetype>(fresh.size()), tr("body"), tr("bodies"))));
        checkSeats(fresh, tr("Refresh geometry"));
      });
}

void BodyShapes::watchFiles() {
  QStringList files;
  bool missing = false;
  for (const auto& [b, link] : bodies_)
    if (b.kind == BodyKind::file) {
      const QString name = q(b.file);
      const QString path = QDir::isAbsolutePath(name) ? name : QDir(q(store_.folder().string())).absoluteFilePath(name);
      if (!QFileInfo::exists(path))
        missing = true;
      else if (!files.contains(path))
        files << path;
    }
  const QStringList watched = watcher_.files();
  for (const QString& f : watched)
    if (!files.contains(f)) watcher_.removePath(f);
  for (const QString& f : files)
    if (!watched.contains(f)) watcher_.addPath(f);
  // programs that write a file anew take it away first: look again until it is back
  if (missing) QTimer::singleShot(1000, &watchDelay_, [this] { watchDelay_.start(); });
}

void BodyShapes::checkSeats(const std::vector<Id>& bodies, const QString& why) {
  std::vector<shape::SeatCheck> all;
  QStringList lost, moved;
  for (Id body : bodies) {
    const auto place = findBody(*document_.mechanism(), body);
    const auto s = solid(body);
    if (!place || !s) continue;
    for (auto& check : shape::checkSeats(*document_.mechanism(), body, s)) {
      checks_[check.seat] = check;
      const auto seat = findSeat(*document_.mechanism(), check.seat);
      const QString name = q(place->link->name + "/" + seat->seat->name);
      if (check.state == shape::SeatCheck::State::lost) lost << name;
      if (check.state == shape::SeatCheck::State::moved) moved << name;
      all.push_back(check);
    }
  }
  const Mechanism next = shape::withChecks(*document_.mechanism(), all);
  bool changed = false;
  for (std::size_t i = 0; i < next.links.size(); ++i)
    changed = changed || next.links[i] != document_.mechanism()->links[i];
  if (changed) document_.apply(why, next);
  if (!lost.isEmpty() || !moved.isEmpty()) {
    QString text;
    if (!lost.isEmpty()) text = tr("Lost their geometry: %1.").arg(lost.join(QStringLiteral(", ")));
    if (!moved.isEmpty())
      text += (text.isEmpty() ? "" : " ") + tr("Their geometry has moved: %1.").arg(moved.join(QStringLiteral(", ")));
    speaker_.say(text + QLatin1Char(' ') + tr("They keep their last place; fix them in stage Join."), true);
  }
}

const shape::SeatCheck* BodyShapes::checkOf(Id seat) const {
  const auto it = checks_.find(seat);
  return it == checks_.end() ? nullptr : &it->second;
}

void BodyShapes::clear() {
  loader_.stop();
  bodies_.clear();
  solids_.clear();
  problems_.clear();
  checks_.clear();
  changedFiles_.clear();
}

}  // namespace cooperage::app
