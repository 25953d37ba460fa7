// SPDX-License-Identifier: GPL-3.0-or-later
#include "load_gauges.h"

#include <QMenu>

#include "../text.h"
#include "model/gauge_kinds.h"

namespace cooperage::app {

using namespace model;

namespace {

using Add = std::function<bool(const QString&, std::vector<Gauge>)>;

QString tr(const char* text) { return QObject::tr(text); }

Gauge gaugeOf(GaugeKind kind, const std::string& name, Id of = 0) {
  Gauge g;
  g.kind = kind;
  g.name = name;
  if (of != 0) g.of = {{of, ""}};
  return g;
}

/// What it takes to drive: of the chosen drives, or of all.
void ofDrives(Workbench& bench, const Add& add) {
  const auto& m = *bench.document().mechanism();
  std::vector<Gauge> made;
  const auto both = [&](const Drive& d) {
    made.push_back(gaugeOf(GaugeKind::driveForce, d.name + " effort", d.id));
    made.push_back(gaugeOf(GaugeKind::drivePower, d.name + " power", d.id));
  };
  for (const Id id : bench.selection().ids())
    if (const auto d = findById(m.drives, id)) both(*d);
  if (made.empty())
    for (const auto& d : m.drives)
      if (d->enabled) both(*d);
  if (!add(tr("Gauge effort"), made)) bench.say(tr("There is no drive; stage Drive makes one"), true);
}

/// Components that can be decided: in a planar mechanism those in its plane, where that is square to an axis.
std::vector<Component> componentsOf(const Resolved& r, const std::vector<Pose>& poses) {
  const std::vector<Component> all{Component::fx, Component::fy, Component::fz,
                                   Component::mx, Component::my, Component::mz};
  if (r.normals.empty() || poses.empty()) return all;
  const Vec3 normal = poses[0].R * r.normals[0];
  for (int k = 0; k < 3; ++k)
    if (std::abs(normal[k]) > 1 - 1e-9) {
      std::vector<Component> flat;
      for (int c = 0; c < 3; ++c)
        if (c != k) flat.push_back(all[static_cast<std::size_t>(c)]);
      flat.push_back(all[static_cast<std::size_t>(3 + k)]);
      return flat;
    }
  return all;
}

void ofJoints(Workbench& bench, const Add& add) {
  const auto& m = *bench.document().mechanism();
  std::vector<Gauge> made;
  for (const Id id : bench.selection().ids())
    if (const auto j = findJoint(m, id))
      for (const Component c : componentsOf(bench.solution().resolved(), bench.solution().prepared()->poses)) {
        made.push_back(gaugeOf(GaugeKind::reaction, j->name + " " + wordFor(c), id));
        made.back().component = c;
      }
  if (!add(tr("Gauge reaction"), made)) bench.say(tr("Choose a joint in the list below first"), true);
}

void ofContacts(Workbench& bench, const Add& add) {
  const auto& m = *bench.document().mechanism();
  std::vector<Gauge> made;
  for (const Id id : bench.selection().ids()) {
    const auto pair = findById(m.camPairs, id);
    const auto contact = findById(m.contacts, id);
    if (pair || contact)
      made.push_back(gaugeOf(GaugeKind::contactForce, (pair ? pair->name : contact->name) + " force", id));
  }
  if (!add(tr("Gauge contact force"), made)) bench.say(tr("Choose a contact in the list below first"), true);
}

void ofEnergy(const Add& add) {
  std::vector<Gauge> made;
  for (const EnergyPart part : {EnergyPart::kinetic, EnergyPart::potential}) {
    made.push_back(gaugeOf(GaugeKind::energy, wordFor(part) + " energy"));
    made.back().part = part;
  }
  add(tr("Gauge energy"), made);
}

void ofAxes(GaugeKind kind, const std::string& name, const std::vector<Component>& components, const Add& add) {
  std::vector<Gauge> made;
  for (const Component c : components) {
    made.push_back(gaugeOf(kind, name + " " + wordFor(c)));
    made.back().component = c;
  }
  add(QObject::tr("Add gauge"), made);
}

}  // namespace

void addLoadGauges(QMenu* menu, Workbench& bench, Add add) {
  const auto entry = [&](const QString& text, std::function<void()> make) {
    QObject::connect(menu->addAction(text), &QAction::triggered, menu, std::move(make));
  };
  entry(tr("Effort and power of the drives"), [&bench, add] { ofDrives(bench, add); });
  entry(tr("Reactions at the chosen joint"), [&bench, add] { ofJoints(bench, add); });
  entry(tr("Force at the chosen contact"), [&bench, add] { ofContacts(bench, add); });
  entry(tr("Kinetic and potential energy"), [add] { ofEnergy(add); });
  entry(tr("Centre of mass of all that moves"), [add] {
    ofAxes(GaugeKind::massCentre, "centre of mass", {Component::x, Component::y, Component::z}, add);
  });
  entry(tr("Shaking force on the ground"), [add] {
    ofAxes(GaugeKind::shaking, "shaking", {Component::fx, Component::fy, Component::fz}, add);
  });
}

}  // namespace cooperage::app
