// SPDX-License-Identifier: GPL-3.0-or-later
#include <QPushButton>

#include "panels.h"
#include "../text.h"

namespace cooperage::app {

using namespace model;

namespace {
QString q(const std::string& s) { return QString::fromStdString(s); }

QString summary(const Mechanism& m, const Drive& d) {
  if (d.programme.empty()) return QObject::tr("no programme");
  const auto& row = d.programme.front();
  const auto text = [&](const char* key) {
    const auto it = row.figures.find(key);
    return it == row.figures.end() ? QString() : q(fieldText(m, it->second));
  };
  QString s = q(row.law).replace('-', ' ');
  for (const char* key : {"speed", "to", "by", "amplitude", "time"})
    if (const QString v = text(key); !v.isEmpty()) s += QStringLiteral(", %1 %2").arg(QLatin1String(key), v);
  if (d.programme.size() > 1) s += QObject::tr(", and %1 more").arg(d.programme.size() - 1);
  return s;
}
}  // namespace

DrivePanel::DrivePanel(Session& session, QWidget* parent) : StagePanel(session, tr("Drive"), parent) {
  toolRow(
      {tool(QStringLiteral("joints/drive"), tr("Steady"), tr("Drive the chosen joint at a steady speed"),
            QStringLiteral("steady"), [this] { addDrive(true); }),
       tool(QStringLiteral("lucide/chevron-right"), tr("Go to"), tr("Drive the chosen joint to a value"),
            QStringLiteral("go to"), [this] { addDrive(false); }),
       tool(QStringLiteral("lucide/trash-2"), {}, tr("Delete the selection (Del)"), QStringLiteral("remove"), [this] {
         if (!session_.selection().empty())
           session_.apply(tr("Delete"), removed(*session_.mechanism(), session_.selection()));
       })});
  refresh();
}

std::pair<QString, Tone> DrivePanel::state() const {
  if (session_.mechanism()->drives.empty()) return {};
  const auto& mob = session_.mobility();
  if (mob && (!mob->stuckDrives.empty() || !mob->redundantDrives.empty())) return {QStringLiteral("!"), Tone::warning};
  return {QStringLiteral("\u2713"), Tone::good};
}

std::vector<LedgerRow> DrivePanel::rows() const {
  const auto& m = *session_.mechanism();
  std::vector<LedgerRow> out;
  for (const auto& d : m.drives) {
    LedgerRow r;
    r.id = d->id;
    r.icon = QStringLiteral("joints/drive");
    r.title = q(d->name);
    r.detail = q(nameOf(m, d->value, false)) + QStringLiteral(": ") + summary(m, *d);
    r.faded = !d->enabled;
    r.editable = true;
    if (d->reverse) r.tag = tr("reversed");
    if (const auto& mob = session_.mobility()) {
      for (const auto& n : mob->stuckDrives)
        if (n == d->name) {
          r.tag = tr("can't move");
          r.tone = Tone::bad;
        }
      for (const auto& n : mob->redundantDrives)
        if (n == d->name) {
          r.tag = tr("driven twice");
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
    if (std::any_of(m.drives.begin(), m.drives.end(), [&](const auto& d) { return d->value.id == j->id; })) continue;
    LedgerRow r;
    r.id = j->id;
    r.icon = QStringLiteral("joints/") + QLatin1String(infoOf(j->kind).name);
    r.title = q(j->name);
    QString values;
    for (const auto& v : infoOf(j->kind).values)
      values += (values.isEmpty() ? "" : ", ") + QString(QLatin1String(v.name));
    r.detail = values;
    out.push_back(r);
  }
  return out;
}

QString DrivePanel::hint() const {
  const auto& m = *session_.mechanism();
  if (m.joints.empty()) return tr("There are no joints to drive yet: make some in stage Join.");
  if (m.drives.empty()) return tr("Choose a joint in the list and give it a steady speed, or a value to go to.");
  const auto& mob = session_.mobility();
  if (mob && mob->left - mob->idle > 0)
    return tr("%1 left without a drive: what is left stays at home in a run.")
        .arg(counted(mob->left - mob->idle, tr("freedom is"), tr("freedoms are")));
  return {};
}

std::optional<Symbol> DrivePanel::chosenValue() const {
  for (Id id : session_.selection())
    if (const auto j = findJoint(*session_.mechanism(), id); j && !infoOf(j->kind).values.empty())
      return Symbol{j->id, infoOf(j->kind).values.front().name};
  return std::nullopt;
}

void DrivePanel::addDrive(bool steady) {
  const auto value = chosenValue();
  if (!value) {
    session_.say(tr("Choose the joint to drive first, in the list or in the scene"), true);
    return;
  }
  Mechanism next = *session_.mechanism();
  const auto joint = findJoint(next, value->id);
  const auto& kind =
      infoOf(joint->kind).values[static_cast<std::size_t>(std::max(0, valueIndex(joint->kind, value->member)))];
  const bool angle = kind.angle;
  Drive d;
  d.id = newId();
  d.name = freeName(next.drives, joint->name + " drive");
  d.value = *value;
  ProgrammeRow row;
  const auto text = [&](const char* t) { return *parseField(next, t); };
  if (steady) {
    row.law = "constant-speed";
    row.figures = {{"speed", text(angle ? "30 rpm" : kind.plain ? "0.1" : "20 mm/s")}, {"time", text("2 s")}};
  } else {
    row.law = "poly-345";
    row.figures = {{"to", text(angle ? "90 deg" : kind.plain ? "0.5" : "20 mm")}, {"time", text("2 s")}};
  }
  d.programme.push_back(row);
  const Id id = d.id;
  next.drives.push_back(std::make_shared<const Drive>(d));
  if (next.runs.empty()) {  // a first drive wants a run to be seen in
    Run run;
    run.id = newId();
    run.name = "first run";
    run.duration = text("2 s");
    run.axis = steady ? id : 0;
    next.runs.push_back(std::make_shared<const Run>(run));
  }
  if (session_.apply(steady ? tr("Add steady drive") : tr("Add drive to a value"), next)) session_.select({id});
}

RunPanel::RunPanel(Session& session, QWidget* parent) : StagePanel(session, tr("Run"), parent) {
  auto* go = tool(QStringLiteral("lucide/activity"), tr("Compute"), tr("Compute the run (F5)"),
                  QStringLiteral("compute"), [this] { session_.startRun(); });
  toolRow(
      {go,
       tool(QStringLiteral("lucide/plus"), tr("Run"), tr("Add a run"), QStringLiteral("add run"), [this] { addRun(); }),
       tool(QStringLiteral("lucide/trash-2"), {}, tr("Delete the selection (Del)"), QStringLiteral("remove"), [this] {
         if (!session_.selection().empty())
           session_.apply(tr("Delete"), removed(*session_.mechanism(), session_.selection()));
       })});
  toolRow({tool(QStringLiteral("app/gauge"), tr("Gauge joint"), tr("Add gauges of the chosen joint's value and rate"),
                QStringLiteral("gauge joint"), [this] { addJointGauges(); }),
           tool(QStringLiteral("app/seat"), tr("Gauge seat"),
                tr("Add position, velocity and acceleration gauges of the chosen seat"), QStringLiteral("gauge seat"),
                [this] { addSeatGauges(); })});
  connect(&session_, &Session::cursorChanged, this, &StagePanel::refresh);
  refresh();
}

std::pair<QString, Tone> RunPanel::state() const {
  const RunData* run = session_.run();
  if (!run) return {};
  if (session_.isRunStale()) return {QStringLiteral("\u21bb"), Tone::quiet};
  return run->result.travel.completed ? std::pair<QString, Tone>{QStringLiteral("\u2713"), Tone::good}
                                      : std::pair<QString, Tone>{QStringLiteral("!"), Tone::bad};
}

std::vector<LedgerRow> RunPanel::rows() const {
  const auto& m = *session_.mechanism();
  std::vector<LedgerRow> out;
  for (const auto& r : m.runs) {
    LedgerRow row;
    row.id = r->id;
    row.icon = QStringLiteral("app/run");
    row.title = q(r->name);
    row.detail = r->duration
                     ? tr("%1, %2 steps")
                           .arg(q(fieldText(m, *r->duration)) + (r->duration->formula ? "" : " " + q(m.units.time)))
                           .arg(r->steps)
                     : tr("sweep, %1 steps").arg(r->steps);
    row.editable = true;
    const int current = session_.currentRun();
    if (session_.run() && current >= 0 && session_.resolved().runs[static_cast<std::size_t>(current)].id == r->id) {
      const bool stale = session_.isRunStale(), done = session_.run()->result.travel.completed;
      row.tag = stale ? tr("out of date") : done ? tr("complete") : tr("ends early");
      row.tone = stale ? Tone::quiet : done ? Tone::good : Tone::bad;
    }
    out.push_back(row);
  }
  LedgerRow h;
  h.heading = true;
  h.title = tr("Gauges");
  out.push_back(h);
  const RunData* run = session_.run();
  for (const auto& g : m.gauges) {
    LedgerRow row;
    row.id = g->id;
    row.icon = QStringLiteral("app/gauge");
    row.title = q(g->name);
    row.detail = q(g->kind).replace('-', ' ');
    row.editable = true;
    if (run && !session_.isRunStale())
      for (std::size_t c = 0; c < run->result.columns.size() && c < session_.cursorRow().size(); ++c)
        if (run->result.columns[c].name == g->name && static_cast<int>(c) >= run->measurer->firstGauge()) {
          const auto d = run->result.columns[c].dimension;
          row.tag = QStringLiteral("%1 %2").arg(q(formatNumber(session_.cursorRow()[c] / m.units.factor(d), 5)),
                                                unitText(m.units.label(d)));
          row.tone = Tone::quiet;
        }
    out.push_back(row);
  }
  LedgerRow seats;
  seats.heading = true;
  seats.title = tr("Joints and seats to measure");
  out.push_back(seats);
  for (const auto& j : m.joints) {
    LedgerRow row;
    row.id = j->id;
    row.icon = QStringLiteral("joints/") + QLatin1String(infoOf(j->kind).name);
    row.title = q(j->name);
    out.push_back(row);
  }
  for (const auto& l : m.links) {
    if (l->ground) continue;
    for (const auto& s : l->seats) {
      LedgerRow row;
      row.id = s->id;
      row.icon = QStringLiteral("app/seat");
      row.title = q(l->name + "/" + s->name);
      out.push_back(row);
    }
  }
  return out;
}

QString RunPanel::hint() const {
  const auto& m = *session_.mechanism();
  if (m.drives.empty()) return tr("Nothing is driven yet: add a drive in stage Drive.");
  if (m.runs.empty()) return tr("<a href='add'>Add a run</a>: how long, and in how many steps.");
  if (!session_.run()) return tr("<a href='compute'>Compute the run</a> (F5), then play it with Space.");
  if (session_.isRunStale()) return tr("The mechanism has changed since: <a href='compute'>compute again</a> (F5).");
  if (m.gauges.empty()) return tr("Choose a joint or a seat below and gauge it.");
  return {};
}

void RunPanel::followHint(const QString& link) {
  if (link == QStringLiteral("add")) addRun();
  if (link == QStringLiteral("compute")) session_.startRun();
}

void RunPanel::addRun() {
  Mechanism next = *session_.mechanism();
  Run r;
  r.id = newId();
  r.name = freeName(next.runs, "run");
  r.duration = *parseField(next, "2 s");
  const Id id = r.id;
  next.runs.push_back(std::make_shared<const Run>(r));
  if (session_.apply(tr("Add run"), next)) {
    session_.setCurrentRun(id);
    session_.select({id});
  }
}

void RunPanel::addJointGauges() {
  Mechanism next = *session_.mechanism();
  std::vector<Id> made;
  for (Id id : session_.selection()) {
    const auto j = findJoint(next, id);
    if (!j) continue;
    for (const auto& v : infoOf(j->kind).values)
      for (const auto& [kind, word] : {std::pair{"joint-value", ""}, {"joint-rate", " rate"}}) {
        Gauge g;
        g.id = newId();
        g.kind = kind;
        g.of = {{j->id, v.name}};
        g.name = freeName(next.gauges, j->name + " " + v.name + word);
        made.push_back(g.id);
        next.gauges.push_back(std::make_shared<const Gauge>(g));
      }
  }
  if (made.empty()) {
    session_.say(tr("Choose a joint to gauge first"), true);
    return;
  }
  if (session_.apply(tr("Gauge joint"), next)) session_.select({made.front()});
}

void RunPanel::addSeatGauges() {
  Mechanism next = *session_.mechanism();
  std::vector<Id> made;
  for (Id id : session_.selection()) {
    const auto place = findSeat(next, id);
    if (!place) continue;
    for (const auto& [kind, word] : {std::pair{"point-position", " position"},
                                     {"point-velocity", " velocity"},
                                     {"point-acceleration", " acceleration"}}) {
      Gauge g;
      g.id = newId();
      g.kind = kind;
      g.of = {{id, ""}};
      g.component = "size";
      g.name = freeName(next.gauges, place->link->name + " " + place->seat->name + word);
      made.push_back(g.id);
      next.gauges.push_back(std::make_shared<const Gauge>(g));
    }
  }
  if (made.empty()) {
    session_.say(tr("Choose a seat to gauge first"), true);
    return;
  }
  if (session_.apply(tr("Gauge seat"), next)) session_.select({made.front()});
}

}  // namespace cooperage::app
