// SPDX-License-Identifier: GPL-3.0-or-later
#include <QMenu>
#include <QPushButton>
#include <algorithm>
#include <cmath>

#include "../workbench/pushing.h"
#include "../strip/chart.h"
#include "../strip/lane_list.h"
#include "../text.h"
#include "model/gauge_edits.h"
#include "motion/programme.h"
#include "run_panel.h"
#include "load_gauges.h"

namespace cooperage::app {

using namespace model;

const std::vector<std::pair<GaugeKind, QString>>& pickedGauges() {
  static const std::vector<std::pair<GaugeKind, QString>> kKinds = {
      {GaugeKind::distance, QObject::tr("Distance of two places")},
      {GaugeKind::distancePlane, QObject::tr("Distance from a plane")},
      {GaugeKind::distanceAxis, QObject::tr("Distance from an axis")},
      {GaugeKind::angle, QObject::tr("Angle of two directions")},
      {GaugeKind::pointPosition, QObject::tr("Position of a point")},
      {GaugeKind::pointVelocity, QObject::tr("Velocity of a point")},
      {GaugeKind::pointAcceleration, QObject::tr("Acceleration of a point")},
      {GaugeKind::linkRate, QObject::tr("Turning speed of a link")},
      {GaugeKind::linkAcceleration, QObject::tr("Turning acceleration of a link")},
      {GaugeKind::clearance, QObject::tr("Clearance of two links")}};
  return kKinds;
}

RunPanel::RunPanel(Workbench& bench, Maker& maker, QWidget* parent)
    : StagePanel(bench, tr("Run"), parent), maker_(maker) {
  auto* go = tool(QStringLiteral("lucide/activity"), tr("Compute"), tr("Compute the run (F5)"),
                  QStringLiteral("compute"), [this] { bench_.runs().startRun(); });
  toolRow(
      {go,
       tool({}, tr("All"), tr("Compute all runs (Shift+F5)"), QStringLiteral("compute all"),
            [this] { bench_.runs().startAllRuns(); }),
       tool(QStringLiteral("lucide/plus"), tr("Run"), tr("Add a run"), QStringLiteral("add run"), [this] { addRun(); }),
       tool(QStringLiteral("lucide/copy-plus"), {}, tr("Duplicate the chosen run (Ctrl+D)"),
            QStringLiteral("duplicate run"), [this] { duplicateRun(); }),
       tool(QStringLiteral("lucide/trash-2"), {}, tr("Delete the selection (Del)"), QStringLiteral("remove"), [this] {
         if (!bench_.selection().ids().empty())
           bench_.document().apply(tr("Delete"), removed(*bench_.document().mechanism(), bench_.selection().ids()));
       })});
  auto* pick = tool(QStringLiteral("app/gauge"), tr("Gauge"), tr("Measure along the travel, by picking in the scene"),
                    QStringLiteral("gauge"), [] {});
  auto* menu = new QMenu(pick);
  menu->addAction(tr("Motion of a point: position, velocity, acceleration"), this, [this] {
    maker_.startGauges({GaugeKind::pointPosition, GaugeKind::pointVelocity, GaugeKind::pointAcceleration});
  });
  for (const auto& [kind, text] : pickedGauges())
    menu->addAction(text, this, [this, k = kind] { maker_.startGauge(k); });
  menu->addSeparator();
  menu->addAction(tr("Motion of the chosen joints: values, rates, accelerations"), this, [this] { addJointGauges(); });
  menu->addAction(tr("Velocity ratio of the two chosen joints"), this, [this] { addRatioGauge(); });
  menu->addAction(tr("Transmission angle at the chosen joint"), this,
                  [this] { addNamed(GaugeKind::transmissionAngle); });
  menu->addAction(tr("Pressure angle of the chosen contact"), this, [this] { addNamed(GaugeKind::pressureAngle); });
  menu->addAction(tr("Curvature at the chosen contact"), this, [this] { addNamed(GaugeKind::curvature); });
  menu->addAction(tr("Formula of joint values"), this, [this] { addFormulaGauge(); });
  menu->addSeparator();
  addLoadGauges(menu, bench_, [this](const QString& what, std::vector<Gauge> made) { return add(what, made); });
  pick->setMenu(menu);
  toolRow({pick,
           tool(QStringLiteral("lucide/route"), tr("Path"), tr("The curve that a picked point draws"),
                QStringLiteral("add path"), [this] { maker_.startPath(); }),
           tool(QStringLiteral("lucide/chart-line"), tr("Chart"), tr("One gauge against another (Ctrl+Y)"),
                QStringLiteral("chart"), [this] { showChart(); })});
  connect(&bench_.runs(), &RunBook::cursorChanged, this, [this] {
    if (bench_.selection().stage() == Stage::run) refreshTags();
  });
  refresh();
}

std::pair<QString, Tone> RunPanel::state() const {
  const RunData* run = bench_.runs().run();
  if (!run) return {};
  if (bench_.runs().isRunStale()) return {QStringLiteral("\u21bb"), Tone::quiet};
  return run->result.travel.completed ? std::pair<QString, Tone>{QStringLiteral("\u2713"), Tone::good}
                                      : std::pair<QString, Tone>{QStringLiteral("!"), Tone::bad};
}

QString RunPanel::gaugeTag(const std::string& name) const {
  const RunData* run = bench_.runs().run();
  if (!run || bench_.runs().isRunStale()) return {};
  for (std::size_t c = 0; c < run->result.columns.size() && c < bench_.runs().cursorRow().size(); ++c)
    if (run->result.columns[c].name == name && static_cast<int>(c) >= run->measurer->firstGauge())
      return run->text(static_cast<int>(c), bench_.runs().cursorRow()[c], bench_.document().mechanism()->units);
  return {};
}

std::vector<LedgerRow> RunPanel::rows() const {
  const auto& m = *bench_.document().mechanism();
  std::vector<LedgerRow> out;
  for (const auto& r : m.runs) {
    LedgerRow row;
    row.id = r->id;
    row.icon = QStringLiteral("app/run");
    row.title = q(r->name);
    const QString steps = r->stepSize   ? tr("steps of %1").arg(q(fieldText(m, *r->stepSize)))
                          : r->stepRate ? tr("%1 steps a second").arg(q(fieldText(m, *r->stepRate)))
                                        : tr("%1 steps").arg(r->steps);
    row.detail =
        (r->turns      ? (q(fieldText(m, *r->turns)) == QStringLiteral("1") ? tr("1 turn")
                                                                            : tr("%1 turns").arg(q(fieldText(m, *r->turns))))
         : r->duration ? q(fieldText(m, *r->duration)) + (r->duration->formula ? "" : " " + q(m.units.time))
         : r->sweep    ? tr("sweep")
                       : tr("as its programmes")) +
        QStringLiteral(", ") + steps;
    row.editable = true;
    const RunData* known =
        bench_.runs().run() && bench_.runs().run()->id == r->id ? bench_.runs().run() : bench_.runs().resultOf(r->id);
    if (known) {
      const bool stale = known->source != bench_.document().mechanism(), done = known->result.travel.completed;
      row.tag = stale ? tr("out of date") : done ? tr("complete") : tr("ends early");
      row.tone = stale ? Tone::quiet : done ? Tone::good : Tone::bad;
      if (!stale && done && !known->requirements.empty()) {
        std::size_t bad = 0;
        for (const auto& q : known->requirements) bad += q.fails() ? 1 : 0;
        row.tag = bad ? tr("%1 not met").arg(bad) : tr("all met");
        row.tone = bad ? Tone::bad : Tone::good;
      }
    }
    out.push_back(row);
  }
  LedgerRow h;
  h.heading = true;
  h.title = tr("Gauges");
  out.push_back(h);
  for (const auto& g : m.gauges) {
    LedgerRow row;
    row.id = g->id;
    row.icon = QStringLiteral("app/gauge");
    row.title = q(g->name);
    row.detail = q(g->kind.text()).replace('-', ' ');
    row.editable = true;
    row.tag = gaugeTag(g->name);
    row.tone = Tone::quiet;
    out.push_back(row);
  }
  if (!m.paths.empty()) {
    h.title = tr("Paths");
    out.push_back(h);
    for (const auto& p : m.paths) {
      LedgerRow row;
      row.id = p->id;
      row.icon = QStringLiteral("lucide/route");
      row.title = q(p->name);
      const auto in = p->in ? findLink(m, *p->in) : nullptr;
      row.detail = tr("of %1, in %2").arg(q(nameOf(m, {p->of, ""}, false)), in ? q(in->name) : tr("ground"));
      row.editable = true;
      out.push_back(row);
    }
  }
  contactEvents(out);
  h.title = tr("Joints and contacts to measure");
  out.push_back(h);
  for (const auto& j : m.joints) {
    LedgerRow row;
    row.id = j->id;
    row.icon = QStringLiteral("joints/") + QLatin1String(infoOf(j->kind).name);
    row.title = q(j->name);
    out.push_back(row);
  }
  for (const auto& c : m.camPairs) {
    LedgerRow row;
    row.id = c->id;
    row.icon = QStringLiteral("app/pair");
    row.title = q(c->name);
    out.push_back(row);
  }
  return out;
}

/// What happened where links push one another: pair, place, and what is left between them.
void RunPanel::contactEvents(std::vector<LedgerRow>& out) const {
  const RunData* run = bench_.runs().run();
  if (!run || bench_.runs().isRunStale()) return;
  const auto& marks = run->result.travel.marks;
  bool headed = false;
  constexpr std::size_t kMost = 200;
  std::size_t shown = 0;
  for (std::size_t i = 0; i < marks.size() && shown < kMost; ++i) {
    if (marks[i].links.empty()) continue;
    if (!headed) {
      LedgerRow h;
      h.heading = true;
      h.title = tr("Contact");
      out.push_back(h);
      headed = true;
    }
    LedgerRow r;
    r.of = LedgerRow::Of::push;
    r.index = static_cast<int>(i);
    r.icon = QStringLiteral("app/pair");
    r.title = pushTitle(marks[i], *run, bench_.document().mechanism()->units);
    r.detail = pushText(marks[i], bench_.document().mechanism()->units);
    r.tag = pushWord(marks[i].code);
    r.tone = marks[i].code == "falls" ? Tone::warning : Tone::quiet;
    out.push_back(r);
    ++shown;
  }
}

/// Only the figures change as the cursor moves.
void RunPanel::refreshTags() {
  const auto& m = *bench_.document().mechanism();
  list()->setTags([&](const LedgerRow& row) -> std::optional<QString> {
    const auto g = findById(m.gauges, row.id);
    return g ? std::optional<QString>(gaugeTag(g->name)) : std::nullopt;
  });
}

QString RunPanel::hint() const {
  const auto& m = *bench_.document().mechanism();
  if (m.drives.empty()) return tr("Nothing is driven yet: add a drive in stage Drive.");
  if (m.runs.empty()) return tr("<a href='add'>Add a run</a>: how long, and in how many steps.");
  if (const auto overlap = overlapInTheWay(bench_))
    return tr("%1 and %2 overlap by %3 at home. Fix: take the nearest free pose <a href='free'>as home</a>, or <a "
              "href='free start'>for this run</a>.")
        .arg(q(overlap->links[0]).toHtmlEscaped(), q(overlap->links[1]).toHtmlEscaped(),
             exactText(overlap->depth, dimension::kLength, m.units, 1e-6));
  const RunData* run = bench_.runs().run();
  if (!run) return tr("<a href='compute'>Compute the run</a> (F5), then play it with Space.");
  if (bench_.runs().isRunStale() && !bench_.runs().live().busy())
    return tr("The mechanism has changed since: <a href='compute'>compute again</a> (F5).");
  if (const auto& ended = run->result.travel.ended) {
    QString text;
    for (const auto& x : run->result.travel.messages)
      if (x.severity == Severity::error) text = q(x.text).toHtmlEscaped();
    if (!text.isEmpty()) text[0] = text[0].toUpper();
    QStringList mends;
    if (ended->kind == kinematics::EndKind::stop) mends << tr("<a href='stop'>move the stop</a>");
    if (ended->kind == kinematics::EndKind::stop || ended->kind == kinematics::EndKind::deadPoint ||
        ended->kind == kinematics::EndKind::jammed)
      mends << tr("<a href='reverse'>turn back at the limit</a>");
    if (ended->kind == kinematics::EndKind::deadPoint) {
      mends << tr("<a href='joint'>change a length at %1</a>").arg(q(ended->joint).toHtmlEscaped());
      mends << tr("<a href='way'>take the next assembly mode</a>");
    }
    if (ended->kind == kinematics::EndKind::drivesContradict)
      mends << tr("<a href='drives'>switch a drive off in this run</a>");
    return text + (mends.isEmpty() ? QString() : tr(". Fix: ") + mends.join(tr(", or ")));
  }
  if (m.gauges.empty()) return tr("Measure along the travel: Gauge, then pick in the scene.");
  return {};
}

void RunPanel::followHint(const QString& link) {
  if (link == QStringLiteral("add")) addRun();
  if (link == QStringLiteral("compute")) bench_.runs().startRun();
  if (link == QStringLiteral("free")) takeFreePose(bench_);
  if (link == QStringLiteral("free start")) startFree(bench_);
  if (link == QStringLiteral("reverse")) bench_.runs().turnBackAtLimit();
  if (link == QStringLiteral("stop")) bench_.runs().moveStopAway();
  if (link == QStringLiteral("drives") && bench_.runs().run()) bench_.selection().select({bench_.runs().run()->id});
  if (link == QStringLiteral("way")) {
    bench_.pose().goHome();
    bench_.pose().nextWayToClose();
    bench_.runs().startRun();
  }
  if (link == QStringLiteral("joint") && bench_.runs().run() && bench_.runs().run()->result.travel.ended)
    if (const auto j =
            findByName(bench_.document().mechanism()->joints, bench_.runs().run()->result.travel.ended->joint)) {
      const auto seat = findSeat(*bench_.document().mechanism(), j->seats[0]);
      bench_.selection().select({seat ? seat->seat->id : j->id});
    }
}

void RunPanel::rowsChosen(const std::vector<const LedgerRow*>& rows) {
  StagePanel::rowsChosen(rows);
  if (rows.size() == 1 && findById(bench_.document().mechanism()->runs, rows.front()->id))
    bench_.runs().setCurrentRun(rows.front()->id);
  if (const RunData* run = bench_.runs().run(); run && rows.size() == 1 && rows.front()->of == LedgerRow::Of::push)
    bench_.runs().setCursor(
        run->travel->timeOf(run->result.travel.marks[static_cast<std::size_t>(rows.front()->index)].from));
}

namespace {

/// Whether a run can last as long as its drives' programmes.
bool programmesEnd(const Resolved& r) {
  double longest = 0;
  for (const auto& d : r.drives) {
    const auto programme = motion::Programme::compile(d.rows, 0, d.reverse, d.name);
    if (!programme.ok() || !std::isfinite(programme->end())) return false;
    longest = std::max(longest, programme->end());
  }
  return longest > 0;
}

}  // namespace

void RunPanel::addRun() {
  Mechanism next = *bench_.document().mechanism();
  Run r;
  r.id = newId();
  r.name = freeName(next.runs, "run");
  // as long as the programmes, if they end
  if (!programmesEnd(bench_.solution().resolved())) r.duration = *parseField(next, "2 s");
  const Id id = r.id;
  next.runs.push_back(std::make_shared<const Run>(r));
  if (bench_.document().apply(tr("Add run"), next)) {
    bench_.selection().select({id});
    bench_.runs().setCurrentRun(id);
  }
}

void RunPanel::duplicateRun() {
  Id run = 0;
  for (Id id : bench_.selection().ids())
    if (findById(bench_.document().mechanism()->runs, id)) run = id;
  if (run == 0 && bench_.runs().currentRun() >= 0)
    run = bench_.solution().resolved().runs[static_cast<std::size_t>(bench_.runs().currentRun())].id;
  const auto made = withRunCopied(*bench_.document().mechanism(), run);
  if (!made.ok()) {
    bench_.say(q(made.error().text), true);
    return;
  }
  if (bench_.document().apply(tr("Duplicate run"), made->first)) {
    bench_.selection().select({made->second});
    bench_.runs().setCurrentRun(made->second);
  }
}

bool RunPanel::add(const QString& what, std::vector<Gauge> gauges) {
  if (gauges.empty()) return false;
  Mechanism next = *bench_.document().mechanism();
  for (Gauge& g : gauges) {
    g.id = newId();
    g.name = freeName(next.gauges, g.name);
    next.gauges.push_back(std::make_shared<const Gauge>(g));
  }
  if (!bench_.document().apply(what, next)) return false;
  bench_.selection().select({gauges.front().id});
  return true;
}

void RunPanel::addJointGauges() {
  std::vector<Gauge> made;
  for (Id id : bench_.selection().ids()) {
    const auto j = findJoint(*bench_.document().mechanism(), id);
    if (!j) continue;
    for (const auto& v : infoOf(j->kind).values)
      for (const auto& [kind, word] : {std::pair{GaugeKind::jointValue, ""},
                                       {GaugeKind::jointRate, " rate"},
                                       {GaugeKind::jointAcceleration, " acceleration"}}) {
        Gauge g;
        g.kind = kind;
        g.of = {{j->id, v.name}};
        g.name = j->name + " " + v.name + word;
        made.push_back(g);
      }
  }
  if (!add(tr("Gauge joint"), made)) bench_.say(tr("Choose a joint to gauge first"), true);
}

void RunPanel::addRatioGauge() {
  std::vector<Symbol> of;
  std::string name;
  for (Id id : bench_.selection().ids())
    if (const auto j = findJoint(*bench_.document().mechanism(), id); j && !infoOf(j->kind).values.empty()) {
      of.push_back({j->id, infoOf(j->kind).values.front().name});
      name += (name.empty() ? "" : " to ") + j->name;
    }
  if (of.size() != 2) {
    bench_.say(tr("Choose two joints (Ctrl+click): their speeds are compared, the first over the second"), true);
    return;
  }
  Gauge g;
  g.kind = GaugeKind::velocityRatio;
  g.of = of;
  g.name = name + " ratio";
  add(tr("Gauge velocity ratio"), {g});
}

void RunPanel::addNamed(GaugeKind kind) {
  const auto& m = *bench_.document().mechanism();
  for (Id id : bench_.selection().ids()) {
    const auto j = findJoint(m, id);
    const auto c = findById(m.camPairs, id);
    if (kind == GaugeKind::transmissionAngle ? !j : !c) continue;
    Gauge g;
    g.kind = kind;
    g.of = {{id, ""}};
    g.name = (j ? j->name : c->name) + " " + q(wordFor(kind)).replace('-', ' ').toStdString();
    add(tr("Add gauge"), {g});
    return;
  }
  bench_.say(kind == GaugeKind::transmissionAngle ? tr("Choose a joint in the list below first")
                                                  : tr("Choose a cam's contact in the list below first"),
             true);
}

void RunPanel::addFormulaGauge() {
  const auto& m = *bench_.document().mechanism();
  std::string value = "1*t";
  for (const auto& j : m.joints)
    if (!infoOf(j->kind).values.empty()) {
      value = nameOf(m, {j->id, infoOf(j->kind).values.front().name}, true) + "*1";
      break;
    }
  const auto f = parseField(m, value);
  if (!f.ok()) return;
  Gauge g;
  g.kind = GaugeKind::formula;
  g.formula = *f;
  g.name = "formula";
  add(tr("Add formula gauge"), {g});
}

void RunPanel::addSeatGauges() {
  std::vector<Gauge> made;
  for (Id id : bench_.selection().ids()) {
    const auto place = findSeat(*bench_.document().mechanism(), id);
    if (!place) continue;
    for (const auto& [kind, word] : {std::pair{GaugeKind::pointPosition, " position"},
                                     {GaugeKind::pointVelocity, " velocity"},
                                     {GaugeKind::pointAcceleration, " acceleration"}}) {
      Gauge g;
      g.kind = kind;
      g.of = {{id, ""}};
      g.component = model::Component::size;
      g.name = place->link->name + " " + place->seat->name + word;
      made.push_back(g);
    }
  }
  if (!add(tr("Gauge seat"), made)) bench_.say(tr("Choose a seat to gauge first"), true);
}

Chart* RunPanel::showChart() {
  if (!chart_) chart_ = new Chart(bench_, window());
  std::vector<Id> chosen;
  for (Id id : bench_.selection().ids())
    if (findById(bench_.document().mechanism()->gauges, id)) chosen.push_back(id);
  chart_->show();
  chart_->raise();
  if (chosen.size() == 2) chart_->setGauges(chosen[0], chosen[1]);
  return chart_;
}

}  // namespace cooperage::app
