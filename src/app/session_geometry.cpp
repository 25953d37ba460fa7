// SPDX-License-Identifier: GPL-3.0-or-later
// Geometry from files: import, insertion of parts, refresh and exchange, and what becomes of the seats on it.
#include <QDir>
#include <QFileInfo>
#include <algorithm>
#include <set>

#include "merges.h"
#include "session.h"
#include "step_process.h"
#include "text.h"
// OCCT last
#include "shape/extent.h"
#include "shape/measure.h"

namespace cooperage::app {

using namespace model;

namespace {

QString q(const std::string& s) { return QString::fromStdString(s); }

Link linkOf(const shape::SolidPtr& s, const std::string& file, int index, const std::string& fallback) {
  Link link;
  link.id = newId();
  link.name = s->name.empty() ? fallback : s->name;
  Body body;
  body.id = newId();
  body.name = freeName(std::vector<std::shared_ptr<const Body>>{}, link.name);
  body.kind = BodyKind::file;
  body.file = file;
  body.solid = index;
  body.colour = s->colour;
  link.bodies.push_back(std::make_shared<const Body>(body));
  return link;
}

/// Adds links with free names in one go: 500 of them take no time.
void addLinks(Mechanism& m, std::vector<Link> links) {
  std::set<std::string> names;
  for (const auto& l : m.links) names.insert(l->name);
  for (Link& l : links) {
    for (char& c : l.name)
      if (c == '/') c = '-';
    const std::string base = l.name.empty() ? "part" : l.name;
    l.name = base;
    for (int n = 2; !names.insert(l.name).second; ++n) l.name = base + " " + std::to_string(n);
    m.links.push_back(std::make_shared<const Link>(std::move(l)));
  }
}

}  // namespace

QString Session::relativeFile(const QString& path) const {
  return path_.isEmpty() ? path : QFileInfo(path_).absoluteDir().relativeFilePath(path);
}

void Session::importFile(const QString& path) {
  const QString absolute = QFileInfo(path).absoluteFilePath();
  auto read = std::make_shared<std::optional<Result<std::vector<shape::SolidPtr>>>>();
  jobs_.start(
      tr("Importing %1").arg(QFileInfo(path).fileName()),
      [read, absolute](SharedProgress& progress) { *read = readStepInProcess(absolute.toStdString(), &progress); },
      [this, read, absolute] {
        auto& solids = **read;
        if (!solids.ok()) {
          say(solids.error().cancelled ? tr("Import cancelled") : q(solids.error().text), !solids.error().cancelled);
          return;
        }
        const std::string file = relativeFile(absolute).toStdString();
        store_.put(file, *solids);
        Mechanism m = *mechanism_;
        std::vector<Id> fresh;
        std::vector<Link> links;
        std::vector<ImportedSolid> imported;
        int index = 0;
        for (const auto& s : *solids) {
          links.push_back(linkOf(s, file, index++, QFileInfo(absolute).completeBaseName().toStdString()));
          const Id body = links.back().bodies[0]->id;
          solids_[body] = s;
          fresh.push_back(links.back().id);
          imported.push_back({body, s->path});
        }
        addLinks(m, std::move(links));
        endGesture();
        imported_ = std::move(imported);
        importedName_ = QFileInfo(absolute).completeBaseName();
        if (!apply(tr("Import %1").arg(QFileInfo(absolute).fileName()), m, kMergeImport)) return;
        select(fresh);
        watchFiles();
        say(tr("%1 imported, each as a link")
                .arg(counted(static_cast<qsizetype>(fresh.size()), tr("solid"), tr("solids"))));
      });
}

void Session::groupImported(LinkRule rule) {
  if (imported_.empty()) return;
  const std::vector<ImportedSolid> solids = imported_;
  const auto m = groupedByRule(*mechanism_, solids, rule, importedName_.toStdString());
  if (!apply(tr("Group imported solids"), m, kMergeImport)) return;
  imported_ = solids;
  std::set<Id> links;
  for (const auto& s : solids)
    if (const auto place = findBody(*mechanism_, s.body)) links.insert(place->link->id);
  select({links.begin(), links.end()});
  say(counted(static_cast<qsizetype>(links.size()), tr("link"), tr("links")));
}

void Session::insertPart(const QString& path) {
  const QString absolute = QFileInfo(path).absoluteFilePath();
  auto read = std::make_shared<std::optional<Result<std::vector<shape::SolidPtr>>>>();
  const std::string file = relativeFile(absolute).toStdString();
  jobs_.start(
      tr("Reading %1").arg(QFileInfo(path).fileName()),
      [this, read, file](SharedProgress& progress) { *read = store_.file(file, &progress); },
      [this, read, absolute, file] {
        auto& solids = **read;
        if (!solids.ok()) {
          say(solids.error().cancelled ? tr("Cancelled") : q(solids.error().text), !solids.error().cancelled);
          return;
        }
        // beside all that is there, on its own base: parts do not land on one another
        shape::Extent there, part;
        for (std::size_t l = 0; l < resolved_->links.size(); ++l)
          for (const auto& b : resolved_->links[l].bodies)
            if (const auto s = solid(b.id)) there.add(s->shape, poses_[l] * b.placement);
        Link link;
        link.id = newId();
        link.name = QFileInfo(absolute).completeBaseName().toStdString();
        int index = 0;
        for (const auto& s : *solids) {
          Link one = linkOf(s, file, index++, link.name);
          solids_[one.bodies[0]->id] = s;
          link.bodies.push_back(one.bodies[0]);
          part.add(s->shape, Pose{});
        }
        if (!there.empty() && !part.empty()) {
          const double gap = 0.1 * (part.high - part.low).norm();
          Pose p;
          if (part.meets(there, 0)) p.p = Vec3(there.high.x() + gap - part.low.x(), 0, 0);
          link.placement = placementOf(p, mechanism_->units);
        }
        const Id id = link.id;
        endGesture();
        if (!apply(tr("Insert %1").arg(q(link.name)), addLink(*mechanism_, std::move(link)), kMergePlacing)) return;
        select({id});
        watchFiles();
        emit partInserted(id);
      });
}

void Session::watchFiles() {
  QStringList files;
  bool missing = false;
  for (const auto& l : mechanism_->links)
    for (const auto& b : l->bodies)
      if (b->kind == BodyKind::file) {
        const QString name = q(b->file);
        const QString path =
            QDir::isAbsolutePath(name) ? name : QDir(q(store_.folder().string())).absoluteFilePath(name);
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

void Session::refreshGeometry() {
  struct Read {
    std::map<Id, shape::SolidPtr> found;
    std::map<Id, QString> problems;
  };
  std::vector<std::pair<Resolved::BodyR, std::string>> bodies;
  for (const auto& l : resolved_->links)
    for (const auto& b : l.bodies)
      if (b.kind == BodyKind::file) bodies.emplace_back(b, l.name);
  if (bodies.empty()) {
    say(tr("No body comes from a file: there is nothing to refresh"));
    return;
  }
  auto read = std::make_shared<Read>();
  loader_.start(
      tr("Refreshing geometry"),
      [this, bodies, read](SharedProgress& progress) {
        for (const auto& [body, link] : bodies) {
          auto s = store_.body(body, link, &progress);
          if (progress.cancelled()) return;
          if (s.ok())
            read->found[body.id] = *s;
          else
            read->problems[body.id] = q(s.error().text);
        }
      },
      [this, read] {
        std::vector<Id> fresh;
        for (const auto& [id, s] : read->found) {
          bodyProblems_.erase(id);
          if (solids_[id] == s) continue;
          solids_[id] = s;
          fresh.push_back(id);
        }
        for (const auto& [id, text] : read->problems) bodyProblems_[id] = text;  // the old geometry stays to be seen
        changedFiles_.clear();
        watchFiles();
        workOut();
        emit posesChanged();
        emit geometryChanged();
        emit documentChanged();
        if (!read->problems.empty()) {
          say(read->problems.begin()->second, true);
          return;
        }
        if (fresh.empty()) {
          say(tr("The geometry is as it was"));
          return;
        }
        say(tr("%1 refreshed").arg(counted(static_cast<qsizetype>(fresh.size()), tr("body"), tr("bodies"))));
        checkSeats(fresh, tr("Refresh geometry"));
      });
}

/// Looks for the geometry of all seats on some bodies, and marks what is lost or has moved.
void Session::checkSeats(const std::vector<Id>& bodies, const QString& why) {
  std::vector<shape::SeatCheck> all;
  QStringList lost, moved;
  for (Id body : bodies) {
    const auto place = findBody(*mechanism_, body);
    const auto s = solid(body);
    if (!place || !s) continue;
    for (auto& check : shape::checkSeats(*mechanism_, body, s)) {
      checks_[check.seat] = check;
      const auto seat = findSeat(*mechanism_, check.seat);
      const QString name = q(place->link->name + "/" + seat->seat->name);
      if (check.state == shape::SeatCheck::State::lost) lost << name;
      if (check.state == shape::SeatCheck::State::moved) moved << name;
      all.push_back(check);
    }
  }
  const Mechanism next = shape::withChecks(*mechanism_, all);
  bool changed = false;
  for (std::size_t i = 0; i < next.links.size(); ++i) changed = changed || next.links[i] != mechanism_->links[i];
  // what a cut changes in the seats belongs to it: one step
  if (changed) apply(why, next, undo_.undoText() == tr("Cut in two") ? kMergeCut : 0);
  if (!lost.isEmpty() || !moved.isEmpty()) {
    QString text;
    if (!lost.isEmpty()) text = tr("Lost their geometry: %1.").arg(lost.join(QStringLiteral(", ")));
    if (!moved.isEmpty())
      text += (text.isEmpty() ? "" : " ") + tr("Their geometry has moved: %1.").arg(moved.join(QStringLiteral(", ")));
    say(text + QLatin1Char(' ') + tr("They keep their last place; mend them in stage Join."), true);
  }
}

const shape::SeatCheck* Session::checkOf(Id seat) const {
  const auto it = checks_.find(seat);
  return it == checks_.end() ? nullptr : &it->second;
}

Mechanism Session::namedByLargest(const Mechanism& m, Id link) const {
  const auto made = findLink(m, link);
  std::string name;
  double largest = 0;
  for (const auto& b : made ? made->bodies : std::vector<std::shared_ptr<const Body>>{})
    if (const auto s = solid(b->id)) {
      const double size = shape::volumeOf(s->shape);
      if (!(size > largest)) continue;
      largest = size;
      // a link of that one body may have been given a name of its own
      const auto was = findBody(*mechanism_, b->id);
      name = was && was->link->bodies.size() == 1 ? was->link->name : b->name;
    }
  if (name.empty() || name == made->name) return m;
  return changedLink(m, link, [&](Link& l) { l.name = freeName(m.links, name); });
}

void Session::exchangeBody(Id body, const QString& path) {
  const QString absolute = QFileInfo(path).absoluteFilePath();
  const std::string file = relativeFile(absolute).toStdString();
  auto read = std::make_shared<std::optional<Result<std::vector<shape::SolidPtr>>>>();
  jobs_.start(
      tr("Reading %1").arg(QFileInfo(path).fileName()),
      [this, read, file](SharedProgress& progress) { *read = store_.file(file, &progress); },
      [this, read, body, file] {
        auto& solids = **read;
        if (!solids.ok()) {
          say(solids.error().cancelled ? tr("Cancelled") : q(solids.error().text), !solids.error().cancelled);
          return;
        }
        const auto before = solid(body);
        solids_[body] = solids->front();
        if (!apply(tr("Exchange geometry"), exchanged(*mechanism_, body, file, 0))) {
          solids_[body] = before;
          return;
        }
        emit geometryChanged();
        checkSeats({body}, tr("Exchange geometry"));
      });
}

void Session::cutBody(Id body, const std::vector<CutTool>& tools) {
  const auto place = findBody(*mechanism_, body);
  if (!place) return;
  const auto pose = poseOf(*mechanism_, place->body->placement);
  if (!pose.ok()) return;
  const Pose toBody = pose->inverse();
  // a seat goes to the side on which its geometry is; one without any to that on which it lies
  std::map<Id, bool> known;
  const auto goes = [&](const Seat& s) {
    if (s.source && s.source->body != body) return false;
    if (const auto at = known.find(s.id); at != known.end()) return at->second;
    Placement p;
    p.at = s.at;
    const auto at = poseOf(*mechanism_, p);
    if (!at.ok()) return false;
    const Vec3 x = toBody * at->p;
    for (const CutTool& t : tools) {
      const Vec3 d = x - t.at, axis = t.axis.normalized();
      const double outside = t.cylinder ? (d - d.dot(axis) * axis).norm() - t.radius : d.dot(axis);
      if (outside > 1e-9) return true;
    }
    return false;
  };
  // both parts are made before anything changes: a cut beside the solid is refused
  const auto trial = cutInTwo(*mechanism_, body, tools, goes);
  if (const auto r = resolve(trial.first); r.ok())
    for (const auto& l : r->links)
      for (const auto& b : l.bodies) {
        if (b.cuts.empty()) continue;
        const auto made = store_.body(b, l.name);
        if (!made.ok()) {
          say(q(made.error().text), true);
          return;
        }
        const bool rest = l.id == trial.second;
        if (b.id != body && !rest) continue;
        for (const auto& check : shape::checkSeats(*mechanism_, body, *made))
          if (check.state == shape::SeatCheck::State::same) known[check.seat] = rest;
      }
  const auto [next, link] = cutInTwo(*mechanism_, body, tools, goes);
  if (apply(tr("Cut in two"), next, kMergeCut)) select({link});
}

}  // namespace cooperage::app
