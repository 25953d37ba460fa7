// SPDX-License-Identifier: GPL-3.0-or-later
#include "pushing.h"

#include "../text.h"
#include "model/edits.h"
#include "model/joint_kind.h"
#include "study/prepared.h"
#include "workbench.h"

namespace cooperage::app {

using namespace model;

void pushSelected(Workbench& bench) {
  const auto& m = *bench.document().mechanism();
  std::vector<Id> links;
  for (const Id id : bench.selection().ids()) {
    const auto body = findBody(m, id);
    const Id link = body ? body->link->id : findLink(m, id) ? id : 0;
    if (link != 0 && std::find(links.begin(), links.end(), link) == links.end()) links.push_back(link);
  }
  if (links.size() < 2) {
    bench.say(QObject::tr("Choose the links that push one another first: click one, Ctrl+click the others"), true);
    return;
  }
  Contact c;
  c.id = newId();
  c.sideA = {links.front()};
  c.sideB.assign(links.begin() + 1, links.end());
  c.name = freeName(m.contacts, findLink(m, c.sideA[0])->name + " - " + findLink(m, c.sideB[0])->name);
  Mechanism next = m;
  next.contacts.push_back(std::make_shared<const Contact>(c));
  if (bench.document().apply(QObject::tr("Links push one another"), next)) bench.selection().select({c.id});
}

void holdSelected(Workbench& bench) {
  const auto& m = *bench.document().mechanism();
  for (const Id id : bench.selection().ids()) {
    const auto j = findJoint(m, id);
    if (!j || infoOf(j->kind).values.empty()) continue;
    const auto& value = infoOf(j->kind).values.front();
    Force f;
    f.id = newId();
    f.of = Symbol{j->id, value.name};
    f.name = freeName(m.forces, "holds " + j->name);
    if (const auto effort = parseField(m, value.angle ? "1 N*m" : "10 N"); effort.ok()) f.effort = *effort;
    Mechanism next = m;
    next.forces.push_back(std::make_shared<const Force>(f));
    if (bench.document().apply(QObject::tr("Hold a joint"), next)) bench.selection().select({f.id});
    return;
  }
  bench.say(QObject::tr("Choose the joint that is to be held first"), true);
}

void takeFreePose(Workbench& bench) {
  if (bench.solution().prepared()->overlaps.empty()) {
    bench.say(QObject::tr("No links of contacts overlap at home"));
    return;
  }
  auto next = study::withFreePose(*bench.solution().prepared());
  if (!next.ok()) {
    bench.say(q(next.error().text), true);
    return;
  }
  if (bench.document().apply(QObject::tr("Nearest free pose"), *next))
    bench.say(QObject::tr("Home is the nearest pose without overlap"));
}

std::optional<contact::Overlap> overlapInTheWay(const Workbench& bench) {
  const auto& overlaps = bench.solution().prepared()->overlaps;
  const auto& runs = bench.solution().resolved().runs;
  const int run = bench.runs().currentRun();
  if (overlaps.empty() || (run >= 0 && runs[static_cast<std::size_t>(run)].freeStart)) return std::nullopt;
  return overlaps.front();
}

void startFree(Workbench& bench) {
  const int run = bench.runs().currentRun();
  if (run < 0 || !overlapInTheWay(bench)) {
    bench.say(run < 0 ? QObject::tr("There is no run yet: add one in stage Run")
                      : QObject::tr("No links of contacts overlap where the run begins"));
    return;
  }
  const auto next = changed<Run>(*bench.document().mechanism(), &Mechanism::runs,
                                 bench.solution().resolved().runs[static_cast<std::size_t>(run)].id,
                                 [](Run& r) { r.freeStart = true; });
  if (!bench.document().apply(QObject::tr("Begin at the nearest free pose"), next)) return;
  bench.say(QObject::tr("The run begins at the nearest pose without overlap; home stays"));
  if (!bench.runs().live().busy()) bench.runs().startRun();
}

QString pushWord(const std::string& code) {
  return code == "touches"      ? QObject::tr("touches")
         : code == "hands-over" ? QObject::tr("hands over")
         : code == "leaves"     ? QObject::tr("leaves")
                                : QObject::tr("falls");
}

QString pushText(const kinematics::Mark& mark, const DocumentUnits& units) {
  const double mm = units.factor(dimension::kLength);
  const auto figure = [&](double x) { return QString::number(x / mm, 'f', 1); };
  return QObject::tr("gap %1, at %2, %3, %4 %5")
      .arg(std::abs(mark.gap) < 1e-9 ? QStringLiteral("0") : exactText(mark.gap, dimension::kLength, units, 1e-7),
           figure(mark.place.x()), figure(mark.place.y()), figure(mark.place.z()), q(units.length));
}

QString pushTitle(const kinematics::Mark& mark, const RunData& run, const DocumentUnits& units) {
  return QObject::tr("%1 \u2013 %2 at %3")
      .arg(q(mark.links[0]), q(mark.links[1]), exactText(mark.from, run.result.axisDimension, units, 1e-4));
}

}  // namespace cooperage::app
