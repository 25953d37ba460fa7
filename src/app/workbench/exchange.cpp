// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange.h"

#include <QFileInfo>

#include "../text.h"
#include "model/grouping.h"
#include "model/joint_edits.h"
#include "shape/fit_axes.h"

namespace cooperage::app {

using namespace model;

Exchange::Exchange(Document& document, Selection& selection, BodyShapes& shapes, JobRunner& jobs, Speaker& speaker)
    : document_(document), selection_(selection), shapes_(shapes), jobs_(jobs), speaker_(speaker) {}

namespace {

/// Where a link is pinned, in its axes.
std::vector<Pose> pivotsOf(const Mechanism& m, const Link& link) {
  std::vector<Pose> out;
  for (const auto& j : m.joints)
    for (const Id id : j->seats)
      if (const auto s = findById(link.seats, id); s && j->kind == JointKind::revolute)
        if (const auto frame = frameOf(m, *s); frame.ok()) out.push_back(*frame);
  return out;
}

/// The figures of all bodies of a link.
std::vector<Resolved::BodyR> bodiesOf(const Mechanism& m, Id link) {
  if (const auto r = resolve(m); r.ok())
    for (const auto& l : r->links)
      if (l.id == link) return l.bodies;
  return {};
}

}  // namespace

void Exchange::back(Id link) {
  const auto now = findLink(*document_.mechanism(), link);
  if (!now) return;
  if (now->aside.empty()) {
    speaker_.say(tr("%1 was not exchanged: there is nothing to come back").arg(q(now->name)), true);
    return;
  }
  take(link, exchanged(*document_.mechanism(), link), {});
}

/// Solids are read first, so that what has become of the seats is known when the change is made: it is one step.
void Exchange::take(Id link, const Mechanism& next, const QString& note) {
  struct Brought {
    std::map<Id, shape::SolidPtr> solids;
    std::optional<Error> problem;
  };
  auto brought = std::make_shared<Brought>();
  const auto from = document_.mechanism();
  const std::string name = findLink(*from, link)->name;
  jobs_.start(
      tr("Exchanging %1").arg(q(name)),
      [this, brought, name, bodies = bodiesOf(next, link)](SharedProgress& progress) {
        for (const auto& b : bodies) {
          auto solid = shapes_.store().body(b, name, &progress);
          if (solid.ok())
            brought->solids[b.id] = *solid;
          else if (!brought->problem)
            brought->problem = solid.error();
        }
      },
      [this, brought, link, next, note, name, from] {
        if (brought->problem) {
          speaker_.say(brought->problem->cancelled ? tr("Cancelled") : q(brought->problem->text),
                       !brought->problem->cancelled);
          return;
        }
        if (document_.mechanism() != from) {
          speaker_.say(tr("%1 was changed meanwhile: exchange it again").arg(q(name)), true);
          return;
        }
        const auto checks = shape::checkSeatsOf(next, link, brought->solids);
        for (const auto& [id, solid] : brought->solids) shapes_.put(id, solid);
        document_.endGesture();
        if (!document_.apply(tr("Exchange geometry"), shape::withChecks(next, checks))) return;
        selection_.select({link});
        emit shapes_.changed();
        QStringList lost;
        for (const auto& c : checks)
          if (c.state != shape::SeatCheck::State::same)
            if (const auto s = findSeat(*document_.mechanism(), c.seat))
              lost << tr("%1 (%2)").arg(q(s->seat->name), q(c.what));
        if (!lost.isEmpty())
          speaker_.say(tr("%1 is exchanged. Not found on it: %2; these seats keep their place")
                           .arg(q(name), lost.join(QStringLiteral(", "))),
                       true);
        else
          speaker_.say(tr("%1 is exchanged, with its seats and joints%2").arg(q(name), note));
      });
}

void Exchange::forSolid(Id link, const QString& path) {
  const auto now = findLink(*document_.mechanism(), link);
  if (!now) return;
  const std::string file = document_.relativeFile(QFileInfo(path).absoluteFilePath()).toStdString();
  auto read = std::make_shared<std::optional<Result<std::vector<shape::SolidPtr>>>>();
  jobs_.start(
      tr("Reading %1").arg(QFileInfo(path).fileName()),
      [this, read, file](SharedProgress& progress) {
        *read = shapes_.store().file(file, &progress);
        if ((*read)->ok()) shapes_.store().rounds((*read)->value().front());  // found here: kept for what follows
      },
      [this, read, link, file] {
        const auto& solids = **read;
        if (!solids.ok()) {
          speaker_.say(solids.error().cancelled ? tr("Cancelled") : q(solids.error().text), !solids.error().cancelled);
          return;
        }
        const auto& m = *document_.mechanism();
        const auto owner = findLink(m, link);
        if (!owner) return;
        const auto pivots = pivotsOf(m, *owner);
        const auto stands = shape::poseOnPivots(pivots, *shapes_.store().rounds(solids->front()));
        Body body;
        body.id = newId();
        body.name = solids->front()->name.empty() ? owner->name : solids->front()->name;
        body.kind = BodyKind::file;
        body.file = file;
        if (stands) body.placement = placementOf(*stands, m.units);
        QString note;
        if (!stands)
          note = tr("; none of its bores lie as its pivots do: place it by its figures");
        else if (solids->size() > 1)
          note = tr("; the file holds %1 solids, the first was taken").arg(solids->size());
        take(link, withSolidFor(m, link, std::move(body)), note);
      });
}

}  // namespace cooperage::app
