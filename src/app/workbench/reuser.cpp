// SPDX-License-Identifier: GPL-3.0-or-later
#include "reuser.h"

#include <QDir>
#include <QFileInfo>

#include "../text.h"
#include "io/reuse.h"
#include "model/edits.h"

namespace cooperage::app {

using namespace model;

Reuser::Reuser(Document& document, Selection& selection, JobRunner& jobs, Speaker& speaker)
    : document_(document), selection_(selection), jobs_(jobs), speaker_(speaker) {
  connect(&document_, &Document::replaced, this, &Reuser::drop);
}

namespace {

/// A document with its files named as this one names them. Any thread.
Result<Mechanism> readSource(const QString& path, const QString& folder) {
  auto m = io::loadCoop(path.toStdString());
  if (!m.ok()) return m;
  return withFilesFrom(*m, QFileInfo(path).absolutePath(), folder);
}

QString folderOf(const Document& document) {
  return document.path().isEmpty() ? QString() : QFileInfo(document.path()).absolutePath();
}

}  // namespace

void Reuser::read(const QString& path) {
  const QString absolute = QFileInfo(path).absoluteFilePath();
  auto read = std::make_shared<std::optional<Result<Mechanism>>>();
  auto may = std::make_shared<Status>(Done{});
  jobs_.start(
      tr("Reading %1").arg(QFileInfo(path).fileName()),
      [read, may, absolute, folder = folderOf(document_), own = document_.path()](SharedProgress&) {
        *may = io::mayReuse(own.toStdString(), absolute.toStdString());
        *read = readSource(absolute, folder);
      },
      [this, read, may, absolute] {
        if (!(*read)->ok()) return speaker_.say(q((*read)->error().text), true);
        if (!may->ok()) return speaker_.say(q(may->error().text), true);
        waiting_ = std::make_shared<const Waiting>(Waiting{absolute, ***read});
        emit came();
      });
}

QString Reuser::waitingName() const { return waiting_ ? QFileInfo(waiting_->path).completeBaseName() : QString(); }

QStringList Reuser::waitingSeats() const {
  QStringList out;
  if (waiting_)
    for (const auto& l : waiting_->source.links)
      if (l->ground)
        for (const auto& s : l->seats) out << q(s->name);
  return out;
}

bool Reuser::place(const Choice& choice) {
  if (!waiting_) return false;
  Mechanism m = *document_.mechanism();
  io::ReuseHow how;
  how.name = choice.name.toStdString();
  how.seat = choice.seat.toStdString();
  how.onto = choice.onto;
  how.mirrored = choice.mirrored;
  if (choice.linked) how.file = document_.relativeFile(waiting_->path).toStdString();
  if (how.onto == 0) {  // a seat at the origin of ground, which an empty document doesn't have yet
    const auto ground = std::find_if(m.links.begin(), m.links.end(), [](const auto& l) { return l->ground; });
    Id link = ground == m.links.end() ? 0 : (*ground)->id;
    if (link == 0) {
      Link fresh;
      fresh.id = link = newId();
      fresh.name = freeName(m.links, "ground");
      fresh.ground = true;
      m = addLink(m, std::move(fresh));
    }
    const auto stands = poseOf(m, findLink(m, link)->placement);
    Seat seat;
    seat.id = how.onto = newId();
    if (stands.ok()) {
      seat.at = placementOf(stands->inverse(), m.units).at;
      seat.axis = directionOf(stands->R.transpose().col(2));
      seat.ref = directionOf(stands->R.transpose().col(0));
    }
    m = changedLink(m, link, [&](Link& l) {
      seat.name = freeName(l.seats, "origin");
      l.seats.push_back(std::make_shared<const Seat>(seat));
    });
  }
  const auto made = io::withReused(m, waiting_->source, how);
  if (!made.ok()) {
    speaker_.say(tr("%1 can't be put in: %2").arg(QFileInfo(waiting_->path).fileName(), q(made.error().text)), true);
    return false;
  }
  document_.endGesture();
  if (!document_.apply(tr("Put in another mechanism"), made->first)) return false;
  const Id group = made->second;
  waiting_.reset();  // its ids are in use now
  select(group);
  const auto& joints = document_.mechanism()->joints;
  speaker_.say(tr("%1 is put in; the fixed joint at its base holds it where it is")
                   .arg(q(findById(document_.mechanism()->groups, group)->name)));
  emit placed(joints.empty() ? 0 : joints.back()->id);
  return true;
}

void Reuser::refresh() {
  struct Refreshed {
    Mechanism next;
    QStringList failed;
    int done = 0;
    bool changed = false;
  };
  const auto from = document_.mechanism();
  const QString folder = folderOf(document_);
  std::vector<std::pair<std::string, QString>> files;  // by the group's name: its id is another after a refresh
  for (const auto& g : from->groups)
    if (!g->file.empty()) files.emplace_back(g->name, QDir(folder).absoluteFilePath(q(g->file)));
  if (files.empty()) {
    speaker_.say(tr("No mechanism was put in from a file that it is refreshed from"));
    return;
  }
  auto made = std::make_shared<Refreshed>();
  jobs_.start(
      tr("Refreshing mechanisms"),
      [made, from, files, folder, own = document_.path()](SharedProgress&) {
        made->next = *from;
        for (const auto& [name, path] : files) {
          const auto may = io::mayReuse(own.toStdString(), path.toStdString());
          const auto source = readSource(path, folder);
          if (!source.ok() || !may.ok()) {
            made->failed << tr("%1: %2").arg(q(name), q(source.ok() ? may.error().text : source.error().text));
            continue;
          }
          auto next = io::withRefreshed(made->next, findByName(made->next.groups, name)->id, *source);
          if (next.ok()) {
            made->next = std::move(next).value();
            ++made->done;
          } else {
            made->failed << q(next.error().text);
          }
        }
        made->changed = io::writeCoop(made->next) != io::writeCoop(*from);
      },
      [this, made, from] {
        if (document_.mechanism() != from)
          return speaker_.say(tr("The document was changed meanwhile: refresh it again"), true);
        document_.endGesture();
        if (made->changed && !document_.apply(tr("Refresh mechanisms"), made->next)) return;
        if (!made->failed.isEmpty())
          speaker_.say(tr("Not refreshed, and left as it was: %1").arg(made->failed.join(QStringLiteral("; "))), true);
        else
          speaker_.say(made->changed ? tr("%1 refreshed").arg(counted(made->done, tr("mechanism"), tr("mechanisms")))
                                     : tr("All mechanisms are as in their files"));
      });
}

void Reuser::release(Id group) {
  const auto next = removed(*document_.mechanism(), {group});
  if (!next.ok()) return speaker_.say(q(next.error().text), true);
  document_.apply(tr("Let go of its source"), *next);
}

void Reuser::remove(Id group) {
  const auto g = findById(document_.mechanism()->groups, group);
  if (!g) return;
  std::vector<Id> ids;
  for (const auto& member : g->members) ids.push_back(member.id);
  const auto next = removed(*document_.mechanism(), ids);
  if (!next.ok()) return speaker_.say(q(next.error().text), true);
  document_.apply(tr("Delete %1").arg(q(g->name)), *next);
}

void Reuser::select(Id group) {
  const auto g = findById(document_.mechanism()->groups, group);
  if (!g) return;
  std::vector<Id> links;
  for (const auto& member : g->members)
    if (findLink(*document_.mechanism(), member.id)) links.push_back(member.id);
  selection_.select(links);
}

}  // namespace cooperage::app
