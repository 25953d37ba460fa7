// SPDX-License-Identifier: GPL-3.0-or-later
#include "session.h"

#include "closing_range.h"

#include <QDir>
#include <QFileInfo>
#include <QSaveFile>
#include <QSettings>
#include <QStandardPaths>
#include <QUndoCommand>
#include <algorithm>
#include <cmath>

#include "io/coop_file.h"
#include "shape/surface.h"
#include "step_process.h"
#include "text.h"

namespace cooperage::app {

using namespace model;

namespace {
QString q(const std::string& s) { return QString::fromStdString(s); }

/// Names of geometry files count from the document's folder: in another folder they change.
Mechanism withFilesFrom(const Mechanism& m, const QString& oldFolder, const QString& newFolder) {
  Mechanism out = m;
  if (oldFolder == newFolder) return out;
  const QDir from(oldFolder), to(newFolder);
  const auto moved = [&](std::string& name) {
    if (name.empty()) return;
    const QString file = q(name);
    name = to.relativeFilePath(QDir::isAbsolutePath(file) ? file : from.absoluteFilePath(file)).toStdString();
  };
  for (const auto& l : m.links)
    for (const auto& b : l->bodies)
      if (b->kind == BodyKind::file) out = changedBody(out, b->id, [&](Body& x) { moved(x.file); });
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

QString autosavePath() {
  return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + QStringLiteral("/autosave.coop");
}
/// Beside it: the file that the document was opened from or saved as.
QString autosaveOwner() { return autosavePath() + QStringLiteral(".path"); }
}  // namespace

/// One change of the document: holds before and after, so undo is exact.
class DocumentCommand : public QUndoCommand {
 public:
  DocumentCommand(Session& session, const QString& text, MechanismPtr before, MechanismPtr after, int merge)
      : QUndoCommand(text), session_(session), before_(std::move(before)), after_(std::move(after)), merge_(merge) {}
  void undo() override { session_.setMechanism(before_); }
  void redo() override { session_.setMechanism(after_); }
  int id() const override { return merge_ == 0 ? -1 : merge_; }
  bool mergeWith(const QUndoCommand* other) override {
    after_ = static_cast<const DocumentCommand*>(other)->after_;
    return true;
  }

 private:
  Session& session_;
  MechanismPtr before_, after_;
  int merge_;
};

Session::Session(QObject* parent) : QObject(parent), store_(readStepInProcess, shape::ShapeStore::Use::looking) {
  undo_.setUndoLimit(1000);
  connect(&undo_, &QUndoStack::cleanChanged, this, &Session::fileChanged);
  autosave_.setInterval(10000);
  connect(&autosave_, &QTimer::timeout, this, &Session::autosave);
  recheck_.setSingleShot(true);
  recheck_.setInterval(150);
  connect(&recheck_, &QTimer::timeout, this, [this] {
    if (!isCheckStale() || !homeProblem_.isEmpty() || jobs_.busy()) return;
    startCheck();
    rechecking_ = true;
  });
  autosave_.start();
  playJoint_.setInterval(30);
  connect(&playJoint_, &QTimer::timeout, this, &Session::stepPlayJoint);
  watchDelay_.setSingleShot(true);
  watchDelay_.setInterval(300);
  connect(&watcher_, &QFileSystemWatcher::fileChanged, this, [this] { watchDelay_.start(); });
  connect(&watchDelay_, &QTimer::timeout, this, [this] {
    changedFiles_.clear();
    std::vector<std::string> files;
    for (const auto& l : mechanism_->links)
      for (const auto& b : l->bodies)
        if (b->kind == BodyKind::file) files.push_back(b->file);
    for (const auto& f : store_.changedFiles(files)) changedFiles_ << q(f);
    watchFiles();
    if (changedFiles_.isEmpty()) return;
    say(tr("%1 changed on disk. F8 refreshes the geometry.").arg(changedFiles_.join(QStringLiteral(", "))));
    emit documentChanged();
  });
  setMechanism(std::make_shared<const Mechanism>());
}

Session::~Session() {
  jobs_.stop();
  live_.stop();
  loader_.stop();
}

QString Session::title() const { return path_.isEmpty() ? tr("untitled") : QFileInfo(path_).completeBaseName(); }

bool Session::apply(const QString& text, const Result<Mechanism>& changed, int merge) {
  if (!changed.ok()) {
    say(q(changed.error().text), true);
    return false;
  }
  const auto r = resolve(*changed);
  if (!r.ok()) {
    say(q(r.error().text), true);
    return false;
  }
  const auto whole = shape::withSeatsOfElements(*mechanism_, *resolved_, *changed, *r, store_);
  if (!whole.ok()) {
    say(q(whole.error().text), true);
    return false;
  }
  const int key = merge == 0 ? 0 : merge + 1000 * gesture_;
  undo_.push(new DocumentCommand(*this, text, mechanism_, std::make_shared<const Mechanism>(*whole), key));
  return true;
}

/// Bodies that come from another file, solid or cut than before are read anew, by undo and redo too.
void Session::dropOtherSolids(const Resolved& before) {
  const auto same = [](const Resolved::BodyR& a, const Resolved::BodyR& b) {
    const auto tool = [](const CutTool& x, const CutTool& y) {
      return x.cylinder == y.cylinder && x.at == y.at && x.axis == y.axis && x.radius == y.radius;
    };
    const auto cut = [&](const Cut& x, const Cut& y) {
      return x.inside == y.inside && std::equal(x.tools.begin(), x.tools.end(), y.tools.begin(), y.tools.end(), tool);
    };
    return a.kind == b.kind && a.file == b.file && a.solid == b.solid &&
           std::equal(a.cuts.begin(), a.cuts.end(), b.cuts.begin(), b.cuts.end(), cut);
  };
  std::map<Id, const Resolved::BodyR*> was;
  for (const auto& l : before.links)
    for (const auto& b : l.bodies) was[b.id] = &b;
  for (const auto& l : resolved_->links)
    for (const auto& b : l.bodies)
      if (const auto at = was.find(b.id); at != was.end() && !same(*at->second, b)) {
        solids_.erase(b.id);
        bodyProblems_.erase(b.id);
      }
}

void Session::setMechanism(MechanismPtr mechanism) {
  mechanism_ = std::move(mechanism);
  auto r = resolve(*mechanism_);
  const auto before = std::move(resolved_);
  // only documents that can be worked out become the present one
  resolved_ = std::make_unique<Resolved>(r.ok() ? std::move(r).value() : Resolved{});
  if (before) dropOtherSolids(*before);
  std::vector<Id> kept;
  for (Id id : selection_)
    if (findLink(*mechanism_, id) || findJoint(*mechanism_, id) || findSeat(*mechanism_, id) ||
        findBody(*mechanism_, id) || findById(mechanism_->drives, id) || findById(mechanism_->gauges, id) ||
        findById(mechanism_->requirements, id) || findById(mechanism_->runs, id) ||
        findById(mechanism_->parameters, id) || findById(mechanism_->couplings, id) ||
        findById(mechanism_->camPairs, id) || findById(mechanism_->paths, id) || findCurve(*mechanism_, id))
      kept.push_back(id);
  const bool fewer = kept.size() != selection_.size();
  imported_.erase(std::remove_if(imported_.begin(), imported_.end(),
                                 [&](const ImportedSolid& s) { return !findBody(*mechanism_, s.body); }),
                  imported_.end());
  selection_ = std::move(kept);
  drag_.reset();
  endJog();
  ghosts_.clear();
  ways_.clear();
  takeSolids();
  if (rechecking_ && jobs_.busy()) jobs_.stop();
  rechecking_ = false;
  // a short run follows the change at once: until it has come, the picture stays where the cursor is
  const bool stays = atCursor_ && goesOnLive() && poses_.size() == resolved_->links.size();
  const auto poses = poses_;
  workOut();
  if (stays && homeProblem_.isEmpty()) {
    poses_ = poses;
    atCursor_ = true;
  }
  if (goesOnLive() && homeProblem_.isEmpty()) startLive();
  emit documentChanged();
  if (fewer) emit selectionChanged();
  emit posesChanged();
  loadGeometry();
  if (check_ && checkTime_ < 4000 && homeProblem_.isEmpty()) recheck_.start();
}

/// Home pose and freedoms; milliseconds for what people build by hand.
void Session::workOut() {
  homeProblem_.clear();
  home_.reset();
  mobility_.reset();
  system_.reset();
  // surfaces of bodies that are still being read come later: then this is done again
  const Status surfaces = shape::attachGeometry(*resolved_, [this](const auto&, const auto& body) {
    const auto solid = solids_.find(body.id);
    return solid == solids_.end() ? nullptr : solid->second;
  });
  auto system = surfaces.ok() ? kinematics::System::compile(*resolved_) : Result<kinematics::System>(surfaces.error());
  if (!system.ok()) {
    homeProblem_ = q(system.error().text);
  } else {
    system_ = std::make_unique<kinematics::System>(std::move(system).value());
    auto home = kinematics::assemble(*system_, *resolved_);
    if (!home.ok()) {
      homeProblem_ = q(home.error().text);
      tellClosingRange();
    } else {
      home_ = std::move(home).value();
      mobility_ = kinematics::analyse(*system_, withActingDrives(), *home_);
    }
  }
  showHome();
  // placed as they stand, so that a figure can be tried without the way from the placements
  if (home_) closed_ = std::make_shared<const Mechanism>(withPlacements(*mechanism_, poses_));
}

/// Where the one figure that was changed would close, found once while it is played with.
void Session::tellClosingRange() {
  if (!closed_) return;
  const QString figure = changedFigure(*closed_, *mechanism_);
  if (figure.isEmpty()) return;
  if (closingOf_ != closed_ || closingFigure_ != figure) closing_ = closingRange(*closed_, *mechanism_, store_);
  closingOf_ = closed_;
  closingFigure_ = figure;
  if (!closing_.isEmpty()) homeProblem_ += QStringLiteral("; ") + closing_;
}

void Session::showHome() {
  byHand_ = false;
  atCursor_ = false;
  poses_.clear();
  if (home_) {
    kinematics::Solver solver(*system_, {});
    solver.forward(home_->configuration);
    for (std::size_t i = 0; i < resolved_->links.size(); ++i) poses_.push_back(solver.linkPose(static_cast<int>(i)));
  } else {
    for (const auto& l : resolved_->links) poses_.push_back(l.placement);
  }
}

void Session::goHome() {
  dropPoseOverlaps();
  drag_.reset();
  endJog();
  showHome();
  emit posesChanged();
}

void Session::newDocument() {
  jobs_.stop();
  live_.stop();
  loader_.stop();
  recheck_.stop();
  run_.reset();
  before_.reset();
  pinned_.reset();
  results_.clear();
  partial_.reset();
  check_.reset();
  envelope_.reset();
  solids_.clear();
  bodyProblems_.clear();
  path_.clear();
  selection_.clear();
  currentRun_ = 0;
  chosenInterference_ = -1;
  store_.setFolder({});
  undo_.clear();
  imported_.clear();
  checks_.clear();
  changedFiles_.clear();
  geometry_.reset();
  dropPoseOverlaps();
  common_.reset();
  freeRange_.reset();
  freeRangeDrive_ = 0;
  chosenPair_ = {-1, -1};
  closed_.reset();
  emit documentReplaced();
  setMechanism(std::make_shared<const Mechanism>());
  watchFiles();
  emit selectionChanged();
  emit resultsChanged();
  emit fileChanged();
}

bool Session::open(const QString& path) {
  // everything that can fail comes before anything is changed
  const auto loaded = io::loadCoop(path.toStdString());
  if (!loaded.ok()) {
    say(q(loaded.error().text), true);
    return false;
  }
  if (const auto r = resolve(*loaded); !r.ok()) {
    say(QFileInfo(path).fileName() + QStringLiteral(": ") + q(r.error().text), true);
    return false;
  }
  newDocument();
  path_ = QFileInfo(path).absoluteFilePath();
  store_.setFolder(QFileInfo(path_).absolutePath().toStdString());
  setMechanism(std::make_shared<const Mechanism>(*loaded));
  remember(path_);
  emit fileChanged();
  return true;
}

bool Session::save(const QString& path) {
  const QString target = QFileInfo(path).absoluteFilePath();
  const QString oldFolder = path_.isEmpty() ? QString() : QFileInfo(path_).absolutePath();
  const QString newFolder = QFileInfo(target).absolutePath();
  const Mechanism m = withFilesFrom(*mechanism_, oldFolder, newFolder);
  if (const Status s = io::saveCoop(m, target.toStdString()); !s.ok()) {
    say(q(s.error().text), true);
    return false;
  }
  path_ = target;
  store_.setFolder(newFolder.toStdString());
  if (oldFolder != newFolder) {
    undo_.push(
        new DocumentCommand(*this, tr("Save in another folder"), mechanism_, std::make_shared<const Mechanism>(m), 0));
  }
  undo_.setClean();
  dropAutosave();
  remember(path_);
  emit fileChanged();
  say(tr("Saved %1").arg(QFileInfo(path_).fileName()));
  return true;
}

QStringList Session::recentFiles() { return QSettings().value(QStringLiteral("recent")).toStringList(); }

void Session::remember(const QString& path) {
  QStringList files = recentFiles();
  files.removeAll(path);
  files.prepend(path);
  while (files.size() > 8) files.removeLast();
  QSettings().setValue(QStringLiteral("recent"), files);
}

/// Written as it is, with the names of its files as they count from its own folder; where that is stands beside it.
void Session::autosave() {
  if (!isChanged()) return;
  const QFileInfo file(autosavePath());
  QDir().mkpath(file.absolutePath());
  QSaveFile beside(autosaveOwner());
  if (!beside.open(QIODevice::WriteOnly) || beside.write(path_.toUtf8()) < 0 || !beside.commit()) {
    say(tr("What is being edited can't be kept for a crash: %1").arg(beside.errorString()), true);
    return;
  }
  const Status s = io::saveCoop(*mechanism_, file.absoluteFilePath().toStdString());
  if (!s.ok()) say(q(s.error().text), true);
}

bool Session::hasAutosave() { return QFileInfo::exists(autosavePath()); }
void Session::dropAutosave() {
  QFile::remove(autosavePath());
  QFile::remove(autosaveOwner());
}

bool Session::recover() {
  const auto kept = io::loadCoop(autosavePath().toStdString());
  if (!kept.ok()) {
    say(q(kept.error().text), true);
    return false;
  }
  if (const auto r = resolve(*kept); !r.ok()) {
    say(q(r.error().text), true);
    return false;
  }
  QFile beside(autosaveOwner());
  const QString owner = beside.open(QIODevice::ReadOnly) ? QString::fromUtf8(beside.readAll()) : QString();
  newDocument();
  path_ = owner;
  store_.setFolder(owner.isEmpty() ? "/" : QFileInfo(owner).absolutePath().toStdString());
  // one step beyond the file as it was saved, if it is still there
  MechanismPtr saved = mechanism_;
  if (!owner.isEmpty() && QFileInfo::exists(owner)) {
    const auto on = io::loadCoop(owner.toStdString());
    if (on.ok() && resolve(*on).ok()) saved = std::make_shared<const Mechanism>(*on);
    setMechanism(saved);
    remember(owner);
  }
  undo_.push(new DocumentCommand(*this, tr("Recover"), saved, std::make_shared<const Mechanism>(*kept), 0));
  emit fileChanged();
  say(owner.isEmpty()
          ? tr("Brought back. It has no file yet: save it.")
          : tr("Brought back. It is not saved yet; Ctrl+S saves it as %1.").arg(QFileInfo(owner).fileName()));
  return true;
}

bool Session::isSelected(Id id) const {
  return std::find(selection_.begin(), selection_.end(), id) != selection_.end();
}

void Session::select(std::vector<Id> ids) {
  if (ids == selection_) return;
  selection_ = std::move(ids);
  emit selectionChanged();
}

void Session::setStage(Stage stage) {
  if (stage == stage_) return;
  stage_ = stage;
  emit stageChanged();
}

void Session::chooseInterference(int index) {
  chosenInterference_ = index;
  if (index >= 0) chosenPair_ = {-1, -1};
  if (check_ && run_ && index >= 0 && index < static_cast<int>(check_->result.interference.size()))
    setCursor(check_->result.interference[static_cast<std::size_t>(index)].deepest.time);
  emit selectionChanged();
}

// ---------------------------------------------------------------- geometry

shape::SolidPtr Session::solid(Id body) const {
  const auto it = solids_.find(body);
  return it == solids_.end() ? nullptr : it->second;
}

QString Session::bodyProblem(Id body) const {
  const auto it = bodyProblems_.find(body);
  return it == bodyProblems_.end() ? QString() : it->second;
}

/// Elements are made at once; files come from the loader.
void Session::takeSolids() {
  for (const auto& l : resolved_->links)
    for (const auto& b : l.bodies) {
      if (b.kind == BodyKind::file) continue;
      auto made = store_.body(b, l.name);
      if (made.ok())
        solids_[b.id] = *made;
      else
        bodyProblems_[b.id] = q(made.error().text);
    }
}

void Session::loadGeometry() {
  std::vector<std::pair<Resolved::BodyR, std::string>> missing;
  for (const auto& l : resolved_->links)
    for (const auto& b : l.bodies)
      if (b.kind == BodyKind::file && !solids_.count(b.id) && !bodyProblems_.count(b.id))
        missing.emplace_back(b, l.name);
  if (missing.empty()) {
    emit geometryChanged();
    return;
  }
  auto found = std::make_shared<std::map<Id, shape::SolidPtr>>();
  auto problems = std::make_shared<std::map<Id, QString>>();
  loader_.start(
      tr("Reading geometry"),
      [this, missing, found, problems](SharedProgress& progress) {
        std::size_t n = 0;
        for (const auto& [body, link] : missing) {
          auto s = store_.body(body, link, &progress);
          if (progress.cancelled()) return;
          if (s.ok())
            (*found)[body.id] = *s;
          else
            (*problems)[body.id] = q(s.error().text);
          progress.report(static_cast<double>(++n) / static_cast<double>(missing.size()));
        }
      },
      [this, found, problems] {
        for (const auto& [id, s] : *found) solids_[id] = s;
        for (const auto& [id, text] : *problems) bodyProblems_[id] = text;
        if (!problems->empty()) say(problems->begin()->second, true);
        const auto onSurface = [](const auto& j) { return j.kind == model::JointKind::pointSurface && !j.surface; };
        if (std::any_of(resolved_->joints.begin(), resolved_->joints.end(), onSurface)) {
          workOut();
          emit posesChanged();
        }
        emit geometryChanged();
        emit documentChanged();
        std::vector<Id> read;
        for (const auto& [id, s] : *found) read.push_back(id);
        checkSeats(read, tr("Geometry has changed"));
        watchFiles();
      });
}

}  // namespace cooperage::app
