// SPDX-License-Identifier: GPL-3.0-or-later
#include "importer.h"

#include <QDir>
#include <QFileInfo>
#include <algorithm>
#include <set>

#include "../merges.h"
#include "../step_process.h"
#include "../text.h"
#include "model/joint_edits.h"
// OCCT last
#include "shape/extent.h"
#include "shape/measure.h"
#include "shape/stretch.h"

namespace cooperage::app {

using namespace model;

namespace {

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

Importer::Importer(Document& document, Selection& selection, BodyShapes& shapes, const Solution& solution,
                   const PoseControl& pose, JobRunner& jobs, Speaker& speaker)
    : document_(document),
      selection_(selection),
      shapes_(shapes),
      solution_(solution),
      pose_(pose),
      jobs_(jobs),
      speaker_(speaker),
      drawings_(document, selection, jobs, speaker) {}

void Importer::follow(const Mechanism& m) {
  const auto gone =
      std::remove_if(imported_.begin(), imported_.end(), [&](const ImportedSolid& s) { return !findBody(m, s.body); });
  if (gone == imported_.end()) return;
  imported_.erase(gone, imported_.end());
  proposed_.clear();
}

void Importer::clear() {
  imported_.clear();
  proposed_.clear();
  drawings_.drop();
}

void Importer::importFile(const QString& path) {
  if (Drawings::isDrawing(path)) {
    drawings_.read(path);
    return;
  }
  const QString absolute = QFileInfo(path).absoluteFilePath();
  auto read = std::make_shared<std::optional<Result<std::vector<shape::SolidPtr>>>>();
  jobs_.start(
      tr("Importing %1").arg(QFileInfo(path).fileName()),
      [read, absolute](SharedProgress& progress) { *read = readStepInProcess(absolute.toStdString(), &progress); },
      [this, read, absolute] {
        auto& solids = **read;
        if (!solids.ok()) {
          speaker_.say(solids.error().cancelled ? tr("Import cancelled") : q(solids.error().text),
                       !solids.error().cancelled);
          return;
        }
        const std::string file = document_.relativeFile(absolute).toStdString();
        shapes_.store().put(file, *solids);
        Mechanism m = *document_.mechanism();
        std::vector<Id> fresh;
        std::vector<Link> links;
        std::vector<ImportedSolid> imported;
        int index = 0;
        for (const auto& s : *solids) {
          links.push_back(linkOf(s, file, index++, QFileInfo(absolute).completeBaseName().toStdString()));
          const Id body = links.back().bodies[0]->id;
          shapes_.put(body, s);
          fresh.push_back(links.back().id);
          imported.push_back({body, s->path});
        }
        addLinks(m, std::move(links));
        document_.endGesture();
        imported_ = std::move(imported);
        proposed_.clear();
        importedName_ = QFileInfo(absolute).completeBaseName();
        if (!document_.apply(tr("Import %1").arg(QFileInfo(absolute).fileName()), m, kMergeImport)) return;
        selection_.select(fresh);
        shapes_.watchFiles();
        speaker_.say(tr("%1 imported, each as a link")
                         .arg(counted(static_cast<qsizetype>(fresh.size()), tr("solid"), tr("solids"))));
        if (fresh.size() > 1) lookForFasteners();
      });
}

void Importer::lookForFasteners() {
  struct Work {
    std::vector<std::pair<TopoDS_Shape, Pose>> solids;
    std::vector<shape::LinkProposal> found;
  };
  auto work = std::make_shared<Work>();
  for (const ImportedSolid& s : imported_) {
    const auto solid = shapes_.solid(s.body);
    if (!solid) return;
    work->solids.emplace_back(solid->shape, Pose{});  // an import stands where its file has it
  }
  const MechanismPtr source = document_.mechanism();
  jobs_.start(
      tr("Looking for fasteners"),
      [work](SharedProgress& progress) { work->found = shape::proposeLinks(work->solids, &progress); },
      [this, work, source] {
        if (source != document_.mechanism()) return;  // it has changed meanwhile
        if (work->found.size() < work->solids.size()) proposed_ = std::move(work->found);
        emit cameTogether();
      });
}

bool Importer::hasGroups() const {
  return std::any_of(imported_.begin(), imported_.end(), [](const ImportedSolid& s) { return s.path.size() > 1; });
}

std::vector<Id> Importer::importedLinks() const {
  std::set<Id> bodies;
  for (const auto& s : imported_) bodies.insert(s.body);
  std::vector<Id> out;
  for (const auto& l : document_.mechanism()->links)
    if (std::any_of(l->bodies.begin(), l->bodies.end(), [&](const auto& b) { return bodies.count(b->id) > 0; }))
      out.push_back(l->id);
  return out;
}

void Importer::group(const Mechanism& m) {
  const auto solids = imported_;
  const auto proposed = proposed_;
  if (!document_.apply(tr("Group imported solids"), m, kMergeImport)) return;
  imported_ = solids;
  proposed_ = proposed;
  const auto links = importedLinks();
  selection_.select(links);
  speaker_.say(counted(static_cast<qsizetype>(links.size()), tr("link"), tr("links")));
}

void Importer::groupAsProposed() {
  std::vector<BodyGroup> groups;
  const bool grounded = std::any_of(document_.mechanism()->links.begin(), document_.mechanism()->links.end(),
                                    [](const auto& l) { return l->ground; });
  for (const auto& link : proposed_) {
    BodyGroup g;
    double most = -1;
    for (const int i : link.solids) {
      const Id body = imported_[static_cast<std::size_t>(i)].body;
      g.bodies.push_back(body);
      const auto solid = shapes_.solid(body);
      const auto place = findBody(*document_.mechanism(), body);
      const double size = solid ? shape::volumeOf(solid->shape) : 0;
      if (size <= most || !place) continue;
      most = size;
      g.name = place->body->name;
    }
    g.ground = link.ground && !grounded;
    groups.push_back(std::move(g));
  }
  if (!groups.empty()) group(groupedAs(*document_.mechanism(), groups));
}

void Importer::groupImported(LinkRule rule) {
  if (!imported_.empty()) group(groupedByRule(*document_.mechanism(), imported_, rule, importedName_.toStdString()));
}

void Importer::groupTogether(const std::vector<Id>& bodies) {
  const auto [m, link] = regrouped(*document_.mechanism(), bodies, 0, "link");
  group(namedByLargest(m, link));
}

Pose Importer::freePlace(const shape::Extent& part) const {
  shape::Extent there;
  for (std::size_t l = 0; l < solution_.resolved().links.size(); ++l)
    for (const auto& b : solution_.resolved().links[l].bodies)
      if (const auto s = shapes_.solid(b.id)) there.add(s->shape, pose_.poses()[l] * b.placement);
  Pose p;
  if (there.empty() || part.empty() || !part.meets(there, 0)) return p;
  const double beside = there.high.x() + 0.1 * part.size() - part.low.x();
  p.p = Vec3(std::ceil(beside * 1e3) * 1e-3, 0, 0);  // whole millimetres: people read and type them
  return p;
}

void Importer::insertPart(const QString& path) {
  const QString absolute = QFileInfo(path).absoluteFilePath();
  auto read = std::make_shared<std::optional<Result<std::vector<shape::SolidPtr>>>>();
  const std::string file = document_.relativeFile(absolute).toStdString();
  jobs_.start(
      tr("Reading %1").arg(QFileInfo(path).fileName()),
      [this, read, file](SharedProgress& progress) { *read = shapes_.store().file(file, &progress); },
      [this, read, absolute, file] {
        auto& solids = **read;
        if (!solids.ok()) {
          speaker_.say(solids.error().cancelled ? tr("Cancelled") : q(solids.error().text), !solids.error().cancelled);
          return;
        }
        shape::Extent part;
        Link link;
        link.id = newId();
        link.name = QFileInfo(absolute).completeBaseName().toStdString();
        int index = 0;
        for (const auto& s : *solids) {
          Link one = linkOf(s, file, index++, link.name);
          shapes_.put(one.bodies[0]->id, s);
          link.bodies.push_back(one.bodies[0]);
          part.add(s->shape, Pose{});
        }
        link.placement = placementOf(freePlace(part), document_.mechanism()->units);
        const Id id = link.id;
        document_.endGesture();
        if (!document_.apply(tr("Insert %1").arg(q(link.name)), addLink(*document_.mechanism(), std::move(link)),
                             kMergePlacing))
          return;
        selection_.select({id});
        shapes_.watchFiles();
        emit inserted(id);
      });
}

Mechanism Importer::namedByLargest(const Mechanism& m, Id link) const {
  const auto made = findLink(m, link);
  std::string name;
  double largest = 0;
  for (const auto& b : made ? made->bodies : std::vector<std::shared_ptr<const Body>>{})
    if (const auto s = shapes_.solid(b->id)) {
      const double size = shape::volumeOf(s->shape);
      if (!(size > largest)) continue;
      largest = size;
      // a link of that one body may have been given a name of its own
      const auto was = findBody(*document_.mechanism(), b->id);
      name = was && was->link->bodies.size() == 1 ? was->link->name : b->name;
    }
  if (name.empty() || name == made->name) return m;
  return changedLink(m, link, [&](Link& l) { l.name = freeName(m.links, name); });
}

void Importer::replaceGeometry(Id body, const QString& path) {
  const QString absolute = QFileInfo(path).absoluteFilePath();
  const std::string file = document_.relativeFile(absolute).toStdString();
  auto read = std::make_shared<std::optional<Result<std::vector<shape::SolidPtr>>>>();
  jobs_.start(
      tr("Reading %1").arg(QFileInfo(path).fileName()),
      [this, read, file](SharedProgress& progress) { *read = shapes_.store().file(file, &progress); },
      [this, read, body, file] {
        auto& solids = **read;
        if (!solids.ok()) {
          speaker_.say(solids.error().cancelled ? tr("Cancelled") : q(solids.error().text), !solids.error().cancelled);
          return;
        }
        const auto before = shapes_.solid(body);
        shapes_.put(body, solids->front());
        if (!document_.apply(tr("Replace geometry"), withGeometryReplaced(*document_.mechanism(), body, file, 0))) {
          shapes_.put(body, before);
          return;
        }
        emit shapes_.changed();
        shapes_.checkSeats({body}, tr("Replace geometry"));
      });
}

QStringList Importer::missingFiles() const {
  QStringList out;
  for (const auto& l : document_.mechanism()->links)
    for (const auto& b : l->bodies)
      if (b->kind == BodyKind::file && !shapes_.problem(b->id).isEmpty() && !out.contains(q(b->file)))
        out << q(b->file);
  return out;
}

void Importer::locate(const QString& missing, const QString& path) {
  const QDir beside = QFileInfo(path).absoluteDir();
  std::map<std::string, std::string> moved;
  for (const QString& file : missingFiles()) {
    const QString there =
        file == missing ? QFileInfo(path).absoluteFilePath() : beside.filePath(QFileInfo(file).fileName());
    if (QFileInfo::exists(there)) moved[file.toStdString()] = document_.relativeFile(there).toStdString();
  }
  Mechanism m = *document_.mechanism();
  for (const auto& l : document_.mechanism()->links)
    for (const auto& b : l->bodies)
      if (const auto to = moved.find(b->file); b->kind == BodyKind::file && to != moved.end())
        m = changedBody(m, b->id, [&](Body& x) { x.file = to->second; });
  if (!document_.apply(tr("Locate geometry"), m)) return;
  shapes_.load();
  shapes_.watchFiles();
  speaker_.say(tr("%1 found").arg(counted(static_cast<qsizetype>(moved.size()), tr("file"), tr("files"))));
}

void Importer::cutBody(Id body, const std::vector<CutTool>& tools) {
  const auto place = findBody(*document_.mechanism(), body);
  if (!place) return;
  if (!place->body->stretches.empty()) {
    speaker_.say(tr("%1 is made longer or shorter, which comes after its cuts: take that away first, cut it, then make "
                    "it longer again")
                     .arg(q(place->body->name)),
                 true);
    return;
  }
  const auto pose = poseOf(*document_.mechanism(), place->body->placement);
  if (!pose.ok()) return;
  const Pose toBody = pose->inverse();
  // a seat goes to the side on which its geometry is; one without any to that on which it lies
  std::map<Id, bool> known;
  const auto goes = [&](const Seat& s) {
    if (s.source && s.source->body != body) return false;
    if (const auto at = known.find(s.id); at != known.end()) return at->second;
    Placement p;
    p.at = s.at;
    const auto at = poseOf(*document_.mechanism(), p);
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
  const auto trial = cutInTwo(*document_.mechanism(), body, tools, goes);
  if (const auto r = resolve(trial.first); r.ok())
    for (const auto& l : r->links)
      for (const auto& b : l.bodies) {
        if (b.cuts.empty()) continue;
        const auto made = shapes_.store().body(b, l.name);
        if (!made.ok()) {
          speaker_.say(q(made.error().text), true);
          return;
        }
        const bool rest = l.id == trial.second;
        if (b.id != body && !rest) continue;
        for (const auto& check : shape::checkSeats(*document_.mechanism(), body, *made))
          if (check.state == shape::SeatCheck::State::same) known[check.seat] = rest;
      }
  auto [next, link] = cutInTwo(*document_.mechanism(), body, tools, goes);
  // what a cut takes from a seat is told by the cut itself
  std::vector<shape::SeatCheck> checks;
  if (const auto r = resolve(next); r.ok())
    for (const auto& l : r->links)
      for (const auto& b : l.bodies) {
        if (b.id != body && l.id != link) continue;
        const auto made = shapes_.store().body(b, l.name);
        if (!made.ok()) continue;
        for (auto& check : shape::checkSeats(next, b.id, *made)) checks.push_back(std::move(check));
      }
  if (document_.apply(tr("Cut in two"), shape::withChecks(next, checks))) selection_.select({link});
}

bool Importer::stretchBody(Id body, const Vec3& at, const Vec3& axis, bool face) {
  const auto refuse = [this](const QString& why) {
    speaker_.say(why, true);
    return false;
  };
  const auto& m = *document_.mechanism();
  const auto place = findBody(m, body);
  if (!place) return false;
  const QString name = q(place->link->name + "/" + place->body->name);
  if (place->body->kind != BodyKind::file) return refuse(tr("%1 is drawn from figures: change those").arg(name));
  const Resolved::BodyR* figures = nullptr;
  const auto& r = solution_.resolved();
  for (const auto& l : r.links)
    for (const auto& b : l.bodies)
      if (b.id == body) figures = &b;
  const auto now = shapes_.solid(body);
  if (!figures || !now) return refuse(tr("%1 is not read yet").arg(name));
  Vec3 plane = at, way = axis;
  if (face) {
    const auto behind = shape::placeBehind(now->shape, at, axis);
    if (!behind.ok()) return refuse(tr("%1 can't be made longer: %2").arg(name, q(behind.error().text)));
    plane = *behind;
  } else if (const auto trial = shape::stretched(now->shape, plane, axis, 0); !trial.ok()) {
    return refuse(tr("%1 can't be made longer: %2").arg(name, q(trial.error().text)));
  } else {
    int balance = 0;
    for (const auto& s : place->link->seats) {
      const auto frame = frameOf(m, *s);
      if (!frame.ok() || !s->source || s->source->body != body) continue;
      balance += (figures->placement.inverse() * frame->p - plane).dot(axis) > 0 ? 1 : -1;
    }
    if (balance > 0) way = -axis;
  }
  Stretch stretch;
  stretch.at = shape::unstretched(figures->stretches, plane);
  stretch.axis = way;
  stretch.by = Field(0);
  const auto next = changedBody(m, body, [&](Body& b) { b.stretches.push_back(stretch); });
  if (!document_.apply(tr("Make longer or shorter"), next)) return false;
  selection_.select({body});
  return true;
}

}  // namespace cooperage::app
