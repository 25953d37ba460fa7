// SPDX-License-Identifier: GPL-3.0-or-later
#include <QGridLayout>
#include <QHBoxLayout>
#include <QMenu>
#include <QPushButton>
#include <QToolButton>

#include "../workbench/pushing.h"
#include "join_panel.h"
#include "../text.h"
#include "model/cam_edits.h"
#include "model/coupling_edits.h"
#include "model/mesh_check.h"

namespace cooperage::app {

using namespace model;

JoinPanel::JoinPanel(Workbench& bench, Maker& maker, Proposals& proposals, MachineCard& machine, QWidget* parent)
    : StagePanel(bench, tr("Join"), parent),
      maker_(maker),
      proposals_(proposals),
      machine_(machine),
      remarks_(new ContactRemarks(bench, this)) {
  kinds_ = new QButtonGroup(this);
  kinds_->setExclusive(false);
  auto* box = new QWidget;
  auto* column = new QVBoxLayout(box);
  column->setContentsMargins(10, 0, 10, 4);
  column->setSpacing(5);
  auto* grid = new QGridLayout;
  addKindButtons(*grid, KindButtons::named, QStringLiteral("make "), [this](QToolButton* b, JointKind kind, int key) {
    const QString name = QLatin1String(infoOf(kind).name);
    const QString leaves = tr("Leaves: %1").arg(leavesOf(kind));
    b->setToolTip((key > 0 ? tr("Make a %1 joint: pick a place on each of two links (%2)").arg(name).arg(key)
                           : tr("Make a %1 joint: pick a place on each of two links").arg(name)) +
                  QLatin1Char('\n') + leaves);
    b->setAccessibleName(tr("Make a %1 joint").arg(name));
    if (key > 0) b->setShortcut(QKeySequence(QString::number(key)));
    kinds_->addButton(b, static_cast<int>(kind));
    connect(b, &QToolButton::clicked, this, [this, kind](bool on) {
      if (on || maker_.card().isVisible())
        startMaking(kind);
      else
        stopMaking();
    });
  });
  for (int i = 0; i < 3; ++i) grid->setColumnStretch(i, 1);
  column->addLayout(grid);
  auto* manner = new QHBoxLayout;
  inPlace_ = new QRadioButton(tr("keep in place"));
  inPlace_->setObjectName(QStringLiteral("keep in place"));
  inPlace_->setToolTip(tr("The links stay where they are; the joint only states how they move"));
  together_ = new QRadioButton(tr("bring together"));
  together_->setObjectName(QStringLiteral("bring together"));
  together_->setToolTip(tr("The second link is moved so that the two places meet"));
  inPlace_->setChecked(true);
  connect(inPlace_, &QRadioButton::toggled, this, [this](bool keep) { maker_.setKeepInPlace(keep); });
  manner->addWidget(inPlace_);
  manner->addWidget(together_);
  manner->addStretch(1);
  column->addLayout(manner);
  insertAbove(box);
  auto* propose = tool(QStringLiteral("lucide/scan"), tr("Propose"), tr("Propose joints from the faces that meet (P)"),
                       QStringLiteral("propose"), [this] { proposals_.start(); });
  auto* seat = tool(QStringLiteral("app/seat"), tr("Seat"), tr("Add a seat: a named place on a link (S)"),
                    QStringLiteral("add seat"), [this] { maker_.startSeat(); });
  auto* ways = tool(QStringLiteral("lucide/layers"), {}, tr("Show the other assembly modes at home (W)"),
                    QStringLiteral("ways"), [this] { bench_.pose().toggleWays(); });
  auto* measure = tool(QStringLiteral("lucide/ruler"), {}, tr("Measure between two things (Q)"),
                       QStringLiteral("measure"), [this] { maker_.startMeasure(); });
  toolRow({propose, seat, ways, measure});
  auto* couple = tool(QStringLiteral("joints/coupling"), tr("Couple"),
                      tr("Couple the selected joints; their geometry stays as it is"), QStringLiteral("couple"), [] {});
  auto* couplings = new QMenu(couple);
  const std::pair<CouplingKind, QString> kCouplings[] = {{CouplingKind::gear, tr("By teeth (gear pair)")},
                                                         {CouplingKind::ratio, tr("By a ratio")},
                                                         {CouplingKind::rack, tr("Rack: a turn and a slide")},
                                                         {CouplingKind::screw, tr("Screw: travel per turn")},
                                                         {CouplingKind::belt, tr("Belt or chain")},
                                                         {CouplingKind::table, tr("By a table")},
                                                         {CouplingKind::formula, tr("By a formula")},
                                                         {CouplingKind::linear, tr("Sum of several values")}};
  for (const auto& [kind, text] : kCouplings)
    connect(couplings->addAction(text), &QAction::triggered, this, [this, k = kind] { coupleSelected(k); });
  couplings->addSeparator();
  connect(couplings->addAction(tr("Selected curves: roll, or follow")), &QAction::triggered, this,
          [this] { joinCurves(); });
  auto* outline = couplings->addAction(tr("Curve from a face or edges\u2026"));
  connect(outline, &QAction::triggered, this, [this] { maker_.startOutline(); });
  couple->setMenu(couplings);
  auto* elements =
      tool(QStringLiteral("lucide/cog"), tr("Gears, cams\u2026"),
           tr("Make gears, belts, screws and cams between joints"), QStringLiteral("machine elements"), [] {});
  auto* menu = new QMenu(elements);
  connect(menu->addAction(tr("Shaft about an axis\u2026")), &QAction::triggered, this, [this] { maker_.startShaft(); });
  menu->addSeparator();
  for (const Machine what :
       {Machine::spur, Machine::ring, Machine::bevel, Machine::crossed, Machine::worm, Machine::rack})
    connect(menu->addAction(MachineCard::titleOf(what)), &QAction::triggered, this,
            [this, what] { machine_.start(what); });
  menu->addSeparator();
  for (const Machine what : {Machine::planetary, Machine::differential})
    connect(menu->addAction(MachineCard::titleOf(what)), &QAction::triggered, this,
            [this, what] { machine_.start(what); });
  menu->addSeparator();
  for (const Machine what : {Machine::belt, Machine::chain, Machine::screw, Machine::cam})
    connect(menu->addAction(MachineCard::titleOf(what)), &QAction::triggered, this,
            [this, what] { machine_.start(what); });
  elements->setMenu(menu);
  toolRow({couple, elements});
  addFilter();
  connect(&maker_, &Maker::changed, this, [this] {
    const bool making = maker_.task() == Maker::Task::joint || maker_.draft();
    const JointKind kind = maker_.draft() ? maker_.draft()->kind : maker_.kind();
    for (auto* b : kinds_->buttons()) b->setChecked(making && kinds_->id(b) == static_cast<int>(kind));
    inPlace_->setChecked(maker_.keepsInPlace());
    together_->setChecked(!maker_.keepsInPlace());
  });
  connect(&bench_.pose(), &PoseControl::ghostsChanged, this, &JoinPanel::refresh);
  connect(remarks_, &ContactRemarks::changed, this, &JoinPanel::refresh);
  refresh();
}

bool JoinPanel::isMaking() const { return maker_.isPicking() || maker_.card().isVisible(); }

void JoinPanel::startMaking(JointKind kind) {
  if (machine_.isOpen()) {  // its key came while a card waits for its figures
    bench_.say(tr("The card of what is being made is open: Enter keeps it, Esc takes it back"), true);
    for (auto* b : kinds_->buttons()) b->setChecked(false);
    return;
  }
  maker_.chooseKind(kind);
}
void JoinPanel::stopMaking() { maker_.stop(); }

void JoinPanel::coupleSelected(CouplingKind kind) {
  const auto& m = *bench_.document().mechanism();
  std::vector<Symbol> values;
  for (Id id : bench_.selection().ids())
    if (const auto j = findJoint(m, id))
      for (const char* value : {"turn", "slide"})
        if (valueIndex(j->kind, value) >= 0) {
          values.push_back({id, value});
          break;
        }
  if (values.size() < 2) {
    bench_.say(tr("Select two joints in the list or the scene first (Ctrl adds one), then couple them"), true);
    return;
  }
  // a rack and a screw want the turn first
  if ((kind == CouplingKind::rack || kind == CouplingKind::screw) && values[0].member == "slide")
    std::swap(values[0], values[1]);
  const Id id = newId();
  if (bench_.document().apply(tr("Couple joints"), withCoupling(m, kind, values, id))) bench_.selection().select({id});
}

void JoinPanel::joinCurves() {
  const auto& m = *bench_.document().mechanism();
  std::vector<Id> curves, seats;
  for (Id id : bench_.selection().ids()) {
    if (findCurve(m, id)) curves.push_back(id);
    if (findSeat(m, id)) seats.push_back(id);
  }
  const Id id = newId();
  if (curves.size() == 2) {
    if (bench_.document().apply(tr("Roll curves"), withRolling(m, curves[0], curves[1], id)))
      bench_.selection().select({id});
  } else if (curves.size() == 1 && seats.size() == 1) {
    if (bench_.document().apply(tr("Make contact"),
                                withContact(m, curves[0], seats[0], ContactKind::point, Field(0), id)))
      bench_.selection().select({id});
  } else {
    bench_.say(tr("Select two curves that roll on one another, or a curve and the seat that follows it"), true);
  }
}

std::pair<QString, Tone> JoinPanel::state() const {
  if (bench_.document().mechanism()->joints.empty()) return {};
  if (!bench_.solution().homeProblem().isEmpty()) return {QStringLiteral("!"), Tone::bad};
  if (!bench_.solution().prepared()->meshProblems.empty()) return {QStringLiteral("!"), Tone::warning};
  return {QStringLiteral("\u2713"), Tone::good};
}

QString JoinPanel::subtitle() const {
  return counted(static_cast<qsizetype>(bench_.document().mechanism()->joints.size()), tr("joint"), tr("joints"));
}

void JoinPanel::followHint(const QString& link) {
  if (link == QStringLiteral("propose")) proposals_.start();
  if (link == QStringLiteral("gap")) emit gapClosing();
  if (link == QStringLiteral("free")) takeFreePose(bench_);
}

void JoinPanel::rowsChosen(const std::vector<const LedgerRow*>& rows) {
  if (rows.size() == 1 && rows[0]->of == LedgerRow::Of::way) {
    const int way = rows[0]->index;
    bench_.pose().takeWay(way);
    return;
  }
  StagePanel::rowsChosen(rows);
}

QString JoinPanel::hint() const {
  const auto& m = *bench_.document().mechanism();
  if (m.links.empty()) return tr("There are no links yet: import or add some in stage Shape.");
  if (std::none_of(m.links.begin(), m.links.end(), [](const auto& l) { return l->ground; }))
    return tr("No link is grounded: ground one in stage Shape, or everything moves together.");
  if (m.joints.empty())
    return tr(
        "Choose a kind above and click a bore or a pin on one link and on the other, or let <a href='propose'>joints "
        "be proposed</a>.");
  if (const auto& open = bench_.solution().prepared()->open)
    return tr("Change a length or a placement, or <a href='gap'>close this gap</a> of %1: a seat moves.")
        .arg(exactText(open->gap, dimension::kLength, m.units, 1e-5));
  if (const auto& overlaps = bench_.solution().prepared()->overlaps; !overlaps.empty())
    return tr("%1 and %2 overlap by %3 at home. Fix: <a href='free'>take the nearest free pose</a>.")
        .arg(q(overlaps.front().links[0]), q(overlaps.front().links[1]),
             exactText(overlaps.front().depth, dimension::kLength, m.units, 1e-6));
  const auto& mobility = bench_.solution().mobility();
  if (mobility && mobility->left > 0)
    return tr("%1 left: drag a link to see, then drive one in stage Drive.")
        .arg(counted(mobility->left, tr("freedom"), tr("freedoms")));
  return {};
}

}  // namespace cooperage::app
