// SPDX-License-Identifier: GPL-3.0-or-later
#include "document.h"

#include <QDir>
#include <QFileInfo>
#include <QSaveFile>
#include <QSettings>
#include <QStandardPaths>
#include <QUndoCommand>
#include <algorithm>

#include "io/coop_file.h"
#include "model/drawn_dimensions.h"
#include "../text.h"

namespace cooperage::app {

using namespace model;

/// Names of geometry files count from the document's folder: in another folder they change.
Mechanism withFilesFrom(const Mechanism& m, const QString& oldFolder, const QString& newFolder) {
  Mechanism out = m;
  if (oldFolder == newFolder) return out;
  const QDir from(oldFolder), to(newFolder);
  const auto moved = [&](std::string& name) {
    if (name.empty()) return;
    const QString file = q(name);
    if (newFolder.isEmpty())
      name = (QDir::isAbsolutePath(file) ? file : QDir::cleanPath(from.absoluteFilePath(file))).toStdString();
    else
      name = to.relativeFilePath(QDir::isAbsolutePath(file) ? file : from.absoluteFilePath(file)).toStdString();
  };
  for (const auto& l : m.links) {
    for (const auto& b : l->bodies)
      if (b->kind == BodyKind::file) out = changedBody(out, b->id, [&](Body& x) { moved(x.file); });
    if (!l->aside.empty())
      out = changedLink(out, l->id, [&](Link& x) { changeAll(x.aside, [&](Body& b) { moved(b.file); }); });
  }
  for (const auto& g : m.groups)
    if (!g->file.empty()) change<Group>(out.groups, g->id, [&](Group& x) { moved(x.file); });
  for (const auto& s : m.sheets)
    if (!s->file.empty()) change<Sheet>(out.sheets, s->id, [&](Sheet& x) { moved(x.file); });
  const auto named = [](const std::vector<ProgrammeRow>& rows) {
    return std::any_of(rows.begin(), rows.end(), [](const ProgrammeRow& r) { return !r.file.empty(); });
  };
  for (const auto& d : m.drives)
    if (named(d->programme))
      change<Drive>(out.drives, d->id, [&](Drive& x) {
        for (auto& r : x.programme) moved(r.file);
      });
  for (const auto& p : m.programmes)
    if (named(p->rows))
      change<NamedProgramme>(out.programmes, p->id, [&](NamedProgramme& x) {
        for (auto& r : x.rows) moved(r.file);
      });
  for (const auto& g : m.gauges)
    if (!g->overFile.empty()) change<Gauge>(out.gauges, g->id, [&](Gauge& x) { moved(x.overFile); });
  return out;
}

namespace {

QString autosavePath() {
  return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + QStringLiteral("/autosave.coop");
}
/// Beside it: the file that the document was opened from or saved as.
QString autosaveOwner() { return autosavePath() + QStringLiteral(".path"); }
}  // namespace

/// One change of the document: holds before and after, so undo is exact.
class DocumentCommand : public QUndoCommand {
 public:
  DocumentCommand(Document& document, const QString& text, MechanismPtr before, MechanismPtr after, int merge)
      : QUndoCommand(text), document_(document), before_(std::move(before)), after_(std::move(after)), merge_(merge) {}
  void undo() override { document_.set(before_); }
  void redo() override { document_.set(after_); }
  int id() const override { return merge_ == 0 ? -1 : merge_; }
  bool mergeWith(const QUndoCommand* other) override {
    after_ = static_cast<const DocumentCommand*>(other)->after_;
    return true;
  }

 private:
  Document& document_;
  MechanismPtr before_, after_;
  int merge_;
};

Document::Document(Speaker& speaker) : speaker_(speaker), mechanism_(std::make_shared<const Mechanism>()) {
  undo_.setUndoLimit(1000);
  connect(&undo_, &QUndoStack::cleanChanged, this, &Document::fileChanged);
  autosave_.setInterval(10000);
  connect(&autosave_, &QTimer::timeout, this, &Document::autosave);
  autosave_.start();
}

QString Document::title() const { return path_.isEmpty() ? tr("untitled") : QFileInfo(path_).completeBaseName(); }

bool Document::apply(const QString& text, const Result<Mechanism>& changed, int merge) {
  if (!changed.ok()) {
    speaker_.say(q(changed.error().text), true);
    return false;
  }
  const auto fit = settled(*changed);  // dimensions of drawn links are met in what is kept
  if (!fit.ok()) {
    speaker_.say(q(fit.error().text), true);
    return false;
  }
  auto r = resolve(*fit);
  if (!r.ok()) {
    speaker_.say(q(r.error().text), true);
    return false;
  }
  auto whole = followers_.along(*fit, *r);
  if (!whole.ok()) {
    speaker_.say(q(whole.error().text), true);
    return false;
  }
  const int key = merge == 0 ? 0 : merge + 1000 * gesture_;
  const bool same = whole->links == fit->links;  // nothing had to follow
  const auto next = std::make_shared<const Mechanism>(std::move(whole).value());
  figures_ = {next, std::nullopt};
  if (same) figures_.second = std::move(r).value();
  undo_.push(new DocumentCommand(*this, text, mechanism_, next, key));
  return true;
}

void Document::set(MechanismPtr mechanism) {
  mechanism_ = std::move(mechanism);
  Resolved figures;
  if (figures_.first == mechanism_ && figures_.second) {
    figures = std::move(*figures_.second);
  } else if (auto r = resolve(*mechanism_); r.ok()) {  // only documents that can be worked out become the present one
    figures = std::move(r).value();
  }
  figures_ = {};
  followers_.work(std::move(figures));
}

void Document::newDocument() {
  followers_.clear();
  path_.clear();
  followers_.folder({});
  undo_.clear();
  emit replaced();
  set(std::make_shared<const Mechanism>());
  emit fileChanged();
}

bool Document::open(const QString& path) {
  // everything that can fail comes before anything is changed
  const auto loaded = io::loadCoop(path.toStdString());
  if (!loaded.ok()) {
    speaker_.say(q(loaded.error().text), true);
    return false;
  }
  if (const auto r = resolve(*loaded); !r.ok()) {
    speaker_.say(QFileInfo(path).fileName() + QStringLiteral(": ") + q(r.error().text), true);
    return false;
  }
  newDocument();
  path_ = QFileInfo(path).absoluteFilePath();
  followers_.folder(QFileInfo(path_).absolutePath());
  set(std::make_shared<const Mechanism>(*loaded));
  remember(path_);
  emit fileChanged();
  return true;
}

bool Document::save(const QString& path) {
  const QString target = QFileInfo(path).absoluteFilePath();
  const QString oldFolder = path_.isEmpty() ? QString() : QFileInfo(path_).absolutePath();
  const QString newFolder = QFileInfo(target).absolutePath();
  const Mechanism m = withFilesFrom(*mechanism_, oldFolder, newFolder);
  if (const Status s = io::saveCoop(m, target.toStdString()); !s.ok()) {
    speaker_.say(q(s.error().text), true);
    return false;
  }
  path_ = target;
  followers_.folder(newFolder);
  if (oldFolder != newFolder) {
    undo_.push(
        new DocumentCommand(*this, tr("Save in another folder"), mechanism_, std::make_shared<const Mechanism>(m), 0));
  }
  undo_.setClean();
  dropAutosave();
  remember(path_);
  emit fileChanged();
  speaker_.say(tr("Saved %1").arg(QFileInfo(path_).fileName()));
  return true;
}

QStringList Document::recentFiles() { return QSettings().value(QStringLiteral("recent")).toStringList(); }

void Document::remember(const QString& path) {
  QStringList files = recentFiles();
  files.removeAll(path);
  files.prepend(path);
  while (files.size() > 8) files.removeLast();
  QSettings().setValue(QStringLiteral("recent"), files);
}

/// Written as it is, with the names of its files as they count from its own folder; where that is stands beside it.
void Document::autosave() {
  if (!isChanged()) return;
  const QFileInfo file(autosavePath());
  QDir().mkpath(file.absolutePath());
  QSaveFile beside(autosaveOwner());
  if (!beside.open(QIODevice::WriteOnly) || beside.write(path_.toUtf8()) < 0 || !beside.commit()) {
    speaker_.say(tr("What is being edited can't be kept for a crash: %1").arg(beside.errorString()), true);
    return;
  }
  const Status s = io::saveCoop(*mechanism_, file.absoluteFilePath().toStdString());
  if (!s.ok()) speaker_.say(q(s.error().text), true);
}

bool Document::hasAutosave() { return QFileInfo::exists(autosavePath()); }
void Document::dropAutosave() {
  QFile::remove(autosavePath());
  QFile::remove(autosaveOwner());
}

bool Document::recover() {
  const auto kept = io::loadCoop(autosavePath().toStdString());
  if (!kept.ok()) {
    speaker_.say(q(kept.error().text), true);
    return false;
  }
  if (const auto r = resolve(*kept); !r.ok()) {
    speaker_.say(q(r.error().text), true);
    return false;
  }
  QFile beside(autosaveOwner());
  const QString owner = beside.open(QIODevice::ReadOnly) ? QString::fromUtf8(beside.readAll()) : QString();
  newDocument();
  path_ = owner;
  followers_.folder(owner.isEmpty() ? QStringLiteral("/") : QFileInfo(owner).absolutePath());
  // one step beyond the file as it was saved, if it is still there
  MechanismPtr saved = mechanism_;
  if (!owner.isEmpty() && QFileInfo::exists(owner)) {
    const auto on = io::loadCoop(owner.toStdString());
    if (on.ok() && resolve(*on).ok()) saved = std::make_shared<const Mechanism>(*on);
    set(saved);
    remember(owner);
  }
  undo_.push(new DocumentCommand(*this, tr("Recover"), saved, std::make_shared<const Mechanism>(*kept), 0));
  emit fileChanged();
  speaker_.say(owner.isEmpty()
                   ? tr("Brought back. It has no file yet: save it.")
                   : tr("Brought back. It is not saved yet; Ctrl+S saves it as %1.").arg(QFileInfo(owner).fileName()));
  return true;
}

QString Document::relativeFile(const QString& path) const {
  return path_.isEmpty() ? path : QFileInfo(path_).absoluteDir().relativeFilePath(path);
}

}  // namespace cooperage::app
