// SPDX-License-Identifier: GPL-3.0-or-later
#include <QMenu>
#include <QPushButton>

#include "../strip/programme_lanes.h"
#include "../text.h"
#include "drive_panel.h"

namespace cooperage::app {

using namespace model;

namespace {

QString summary(const Mechanism& m, const Drive& d) {
  const auto& rows = rowsOf(m, d);
  if (rows.empty()) return QObject::tr("no programme");
  if (const auto shared = findById(m.programmes, d.shared))
    return QObject::tr("programme \u201c%1\u201d").arg(q(shared->name));
  const auto& row = rows.front();
  QString s = lawText(row.law);
  for (const char* key : {"speed", "to", "by", "amplitude", "time"}) {
    const auto it = row.figures.find(key);
    if (it != row.figures.end()) s += QStringLiteral(", %1 %2").arg(QLatin1String(key), q(fieldText(m, it->second)));
  }
  if (rows.size() > 1) s += QObject::tr(", and %1 more").arg(rows.size() - 1);
  return s;
}

bool drivable(const Gauge& g) { return isDistance(g.kind) || g.kind == GaugeKind::angle; }
}  // namespace

DrivePanel::DrivePanel(Workbench& bench, QWidget* parent) : StagePanel(bench, tr("Drive"), parent) {
  const auto purpose = [this](const char* iconName, const QString& text, const QString& tip, const char* name,
                              Purpose p) {
    return tool(QLatin1String(iconName), text, tip, QLatin1String(name), [this, p] { addDrive(p); });
  };
  auto* follow = tool({}, tr("Follow"), tr("Follow a table, a formula in time, or another value"),
                      QStringLiteral("follow"), [] {});
  auto* menu = new QMenu(follow);
  menu->addAction(tr("A table"), this, [this] { addDrive(Purpose::followTable); });
  menu->addAction(tr("A formula in t"), this, [this] { addDrive(Purpose::followFormula); });
  menu->addAction(tr("Another joint value, by a formula"), this, [this] { addFollower(); });
  follow->setMenu(menu);
  auto* goTo = tool({}, tr("Go to"), tr("Go to a value, or by an amount"), QStringLiteral("go to"), [] {});
  auto* ways = new QMenu(goTo);
  ways->addAction(tr("To a value"), this, [this] { addDrive(Purpose::goTo); });
  ways->addAction(tr("By an amount from where it is"), this, [this] { addDrive(Purpose::goBy); });
  goTo->setMenu(ways);
  toolRow(
      {purpose("joints/drive", tr("Steady"), tr("Drive the chosen value at a steady speed"), "steady", Purpose::steady),
       goTo, purpose("", tr("Swing"), tr("Oscillate the chosen value"), "swing", Purpose::swing)});
  toolRow(
      {follow,
       tool(QStringLiteral("lucide/rotate-ccw"), tr("Reverse"), tr("Turn the chosen drive the other way (Shift+R)"),
            QStringLiteral("reverse drive"), [this] { reverseChosen(); }),
       tool(QStringLiteral("lucide/trash-2"), {}, tr("Delete the selection (Del)"), QStringLiteral("remove"), [this] {
         if (!bench_.selection().ids().empty())
           bench_.document().apply(tr("Delete"), removed(*bench_.document().mechanism(), bench_.selection().ids()));
       })});
  connect(&bench_.selection(), &Selection::changed, this, &StagePanel::refresh);
  refresh();
}

std::pair<QString, Tone> DrivePanel::state() const {
  if (bench_.document().mechanism()->drives.empty()) return {};
  const auto& mob = bench_.solution().mobility();
  if (mob && (!mob->stuckDrives.empty() || !mob->redundantDrives.empty())) return {QStringLiteral("!"), Tone::warning};
  return {QStringLiteral("\u2713"), Tone::good};
}

std::vector<LedgerRow> DrivePanel::rows() const {
  const auto& m = *bench_.document().mechanism();
  std::vector<LedgerRow> out;
  const int current = bench_.runs().currentRun();
  for (std::size_t i = 0; i < m.drives.size(); ++i) {
    const auto& d = m.drives[i];
    LedgerRow r;
    r.id = d->id;
    r.icon = QStringLiteral("joints/drive");
    r.title = q(d->name);
    const auto gauge = findById(m.gauges, d->gauge);
    r.detail = (gauge ? q(gauge->name) : q(nameOf(m, d->value, false))) + QStringLiteral(": ") + summary(m, *d);
    r.faded = !d->enabled;
    r.editable = true;
    if (current >= 0) {
      const auto& acting = bench_.solution().resolved().runs[static_cast<std::size_t>(current)].drives;
      if (std::find(acting.begin(), acting.end(), static_cast<int>(i)) == acting.end()) {
        r.tag = d->enabled ? tr("not in this run") : tr("off");
        r.tone = Tone::quiet;
        r.faded = true;
      }
    }
    if (d->reverse) r.tag = tr("reversed");
    if (const auto& mob = bench_.solution().mobility()) {
      for (const auto& n : mob->stuckDrives)
        if (n == d->name) {
          r.tag = tr("can't move");
          r.tone = Tone::bad;
        }
      for (const auto& n : mob->redundantDrives)
        if (n == d->name) {
          r.tag = tr("over-driven");
          r.tone = Tone::warning;
        }
    }
    out.push_back(r);
  }
  LedgerRow h;
  h.heading = true;
  h.title = tr("Joints that could be driven");
  out.push_back(h);
  for (const auto& j : m.joints) {
    if (!j->enabled || infoOf(j->kind).values.empty()) continue;
    const auto& values = infoOf(j->kind).values;
    for (std::size_t v = 0; v < values.size(); ++v) {
      if (!values[v].drivable) continue;
      if (std::any_of(m.drives.begin(), m.drives.end(),
                      [&](const auto& d) { return d->value.id == j->id && d->value.member == values[v].name; }))
        continue;
      LedgerRow r;
      r.id = j->id;
      r.of = LedgerRow::Of::value;
      r.index = static_cast<int>(v);
      r.icon = QStringLiteral("joints/") + QLatin1String(infoOf(j->kind).name);
      r.title = q(j->name);
      r.detail = QLatin1String(values[v].name);
      out.push_back(r);
    }
  }
  h.title = tr("Angles and distances that could be driven");
  bool any = false;
  for (const auto& g : m.gauges) {
    if (!drivable(*g) ||
        std::any_of(m.drives.begin(), m.drives.end(), [&](const auto& d) { return d->gauge == g->id; }))
      continue;
    if (!any) out.push_back(h);
    any = true;
    LedgerRow r;
    r.id = g->id;
    r.icon = QStringLiteral("app/gauge");
    r.title = q(g->name);
    r.detail = q(g->kind.text()).replace('-', ' ');
    out.push_back(r);
  }
  return out;
}

QString DrivePanel::hint() const {
  const auto& m = *bench_.document().mechanism();
  if (m.joints.empty()) return tr("There are no joints to drive yet: make some in stage Join.");
  if (m.drives.empty())
    return tr("Choose a joint in the list and give it a steady speed, a value to go to, or a table to follow.");
  const auto& mob = bench_.solution().mobility();
  if (mob && mob->left - mob->idle > 0)
    return tr("%1 left without a drive: what is left stays at home in a run.")
        .arg(counted(mob->left, tr("freedom is"), tr("freedoms are")));
  if (std::none_of(m.drives.begin(), m.drives.end(),
                   [&](const auto& d) { return bench_.selection().isSelected(d->id); }))
    return tr("Choose a drive to drag its programme on the strip below.");
  return {};
}

void DrivePanel::rowsChosen(const std::vector<const LedgerRow*>& rows) {
  wanted_.reset();
  for (const auto* r : rows)
    if (const auto j = findJoint(*bench_.document().mechanism(), r->id); j && r->of == LedgerRow::Of::value)
      wanted_ = Symbol{j->id, infoOf(j->kind).values[static_cast<std::size_t>(r->index)].name};
  StagePanel::rowsChosen(rows);
}

bool DrivePanel::rowSelected(const LedgerRow& row) const {
  if (!StagePanel::rowSelected(row)) return false;
  const auto j = findJoint(*bench_.document().mechanism(), row.id);
  if (!j || row.of != LedgerRow::Of::value || !wanted_ || wanted_->id != j->id) return true;
  return wanted_->member == infoOf(j->kind).values[static_cast<std::size_t>(row.index)].name;
}

std::optional<Symbol> DrivePanel::chosenValue() const {
  if (wanted_ && bench_.selection().isSelected(wanted_->id)) return wanted_;
  for (Id id : bench_.selection().ids())
    if (const auto j = findJoint(*bench_.document().mechanism(), id))
      for (const auto& v : infoOf(j->kind).values)
        if (v.drivable) return Symbol{j->id, v.name};
  return std::nullopt;
}

/// The value at home, so that a first programme starts without a jump.
double DrivePanel::valueAtHome(const Symbol& value, Id gauge) const {
  const auto& r = bench_.solution().resolved();
  if (gauge == 0) {
    for (std::size_t j = 0; j < r.joints.size(); ++j)
      if (r.joints[j].id == value.id && bench_.solution().home() && bench_.solution().system())
        return kinematics::jointValue(*bench_.solution().system(), bench_.solution().home()->configuration,
                                      static_cast<int>(j), std::max(0, valueIndex(r.joints[j].kind, value.member)), r);
    return 0;
  }
  const int column = bench_.runs().columnOf(gauge);
  if (column >= 0 && bench_.runs().run() && !bench_.runs().run()->result.rows.empty())
    return bench_.runs().run()->result.rows.front()[static_cast<std::size_t>(column)];
  return 0;
}

void DrivePanel::addDrive(Purpose purpose) {
  const auto& m = *bench_.document().mechanism();
  Id gauge = 0;
  for (Id id : bench_.selection().ids())
    if (const auto g = findById(m.gauges, id); g && drivable(*g)) gauge = id;
  const auto value = chosenValue();
  if (!value && gauge == 0) {
    bench_.say(tr("Choose the joint to drive first, or an angle or distance, in the list or in the scene"), true);
    return;
  }
  const auto made =
      withDrive(m, gauge == 0 ? *value : Symbol{}, gauge, purpose, valueAtHome(gauge == 0 ? *value : Symbol{}, gauge));
  if (!made.ok()) {
    bench_.say(q(made.error().text), true);
    return;
  }
  if (bench_.document().apply(tr("Add drive"), made->first)) {
    bench_.selection().select({made->second});
    if (!bench_.runs().run()) bench_.runs().startRun();
  }
}

void DrivePanel::addFollower() {
  std::vector<Symbol> values;
  for (Id id : bench_.selection().ids())
    if (const auto j = findJoint(*bench_.document().mechanism(), id); j && !infoOf(j->kind).values.empty())
      values.push_back({j->id, infoOf(j->kind).values.front().name});
  if (values.size() != 2) {
    bench_.say(tr("Choose two joints (Ctrl+click): first the one that follows, then the one that leads"), true);
    return;
  }
  const auto made = withFollower(*bench_.document().mechanism(), values[0], values[1]);
  if (!made.ok()) {
    bench_.say(q(made.error().text), true);
    return;
  }
  if (bench_.document().apply(tr("Follow another value"), made->first)) bench_.selection().select({made->second});
}

void DrivePanel::reverseChosen() {
  for (Id id : bench_.selection().ids())
    if (findById(bench_.document().mechanism()->drives, id)) {
      bench_.document().apply(tr("Reverse drive"), changed<Drive>(*bench_.document().mechanism(), &Mechanism::drives,
                                                                  id, [](Drive& d) { d.reverse = !d.reverse; }));
      return;
    }
  bench_.say(tr("Choose a drive to turn the other way"), true);
}

}  // namespace cooperage::app
