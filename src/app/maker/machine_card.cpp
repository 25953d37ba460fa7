// SPDX-License-Identifier: GPL-3.0-or-later
#include "machine_card.h"

#include <QFormLayout>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QTimer>
#include <algorithm>

#include "../merges.h"
#include "../text.h"
#include "../theme.h"
#include "model/train_edits.h"
#include "shape/extent.h"

namespace cooperage::app {

using namespace model;

QString MachineCard::titleOf(Machine machine) {
  switch (machine) {
    case Machine::spur: return tr("Gear pair");
    case Machine::ring: return tr("Pinion and ring");
    case Machine::bevel: return tr("Bevel pair");
    case Machine::crossed: return tr("Crossed helical pair");
    case Machine::worm: return tr("Worm and wheel");
    case Machine::rack: return tr("Rack and pinion");
    case Machine::belt: return tr("Belt");
    case Machine::chain: return tr("Chain");
    case Machine::screw: return tr("Screw and nut");
    case Machine::cam: return tr("Cam and follower");
    case Machine::planetary: return tr("Planetary stage");
    case Machine::differential: return tr("Differential");
  }
  return {};
}

MachineCard::MachineCard(Workbench& bench, Scene& scene)
    : FloatCard(&scene, QStringLiteral("machine card")), bench_(bench), scene_(scene) {
  setFixedWidth(292);
  connect(this, &FloatCard::confirmed, this, &MachineCard::keep);
  connect(this, &FloatCard::cancelled, this, &MachineCard::giveUp);
  connect(&bench_.selection(), &Selection::stageChanged, this, [this] {
    if (open_ && bench_.selection().stage() != Stage::join && bench_.selection().stage() != Stage::shape) keep();
  });
}

void MachineCard::begin() {
  if (open_) keep();
  filling_ = true;  // rows that go must not write into the draft that goes with them
  clear();
  filling_ = false;
  bench_.pose().goHome();
  before_ = bench_.document().undoStack()->index();
  bench_.document().endGesture();
  problem_.clear();
  base_ = bench_.document().mechanism();
  poses_ = bench_.pose().poses();
  open_ = true;
}

/// Joints and seats that are selected.
MachineStart MachineCard::chosen() const {
  MachineStart out;
  for (Id id : bench_.selection().ids()) {
    if (const auto j = findJoint(*base_, id)) {
      if (hasValue(*j, "turn")) out.turns.push_back(id);
      if (hasValue(*j, "slide")) out.slides.push_back(id);
    }
    if (findSeat(*base_, id)) out.seats.push_back(id);
  }
  return out;
}

/// Seats alone: shafts are put about them.
void MachineCard::putShafts(MachineStart& start) {
  Mechanism with = *base_;
  for (Id seat : start.seats) {
    Id joint = newId();
    auto next = withShaft(with, seat, joint, poses_);
    if (!next.ok()) {
      bench_.say(q(next.error().text), true);
      break;
    }
    with = std::move(next).value();
    start.turns.push_back(joint);
  }
  base_ = std::make_shared<const Mechanism>(with);
}

/// What is missing of shafts and slides is made: about a joint that is there, else beside all that is.
void MachineCard::putBase(MachineStart& start, const MachineWants& wants) {
  auto axes = baseOf(machine_);
  const bool stage = machine_ == Machine::planetary || machine_ == Machine::differential;
  if (stage ? stageSeat(*base_, start) != 0 : start.turns.size() >= wants.turns && start.slides.size() >= wants.slides)
    return;
  Pose at;
  if (!stage && !start.turns.empty()) {
    if (const auto axis = axisOf(*base_, start.turns.front(), poses_); axis.ok()) at = *axis;
    axes.erase(axes.begin());
    start.turns.resize(1);
  } else {
    constexpr double kRoom = 0.1;  // m, to either side
    at = bench_.importer().freePlace({Vec3::Constant(-kRoom), Vec3::Constant(kRoom)});
  }
  const auto base = withMachineBase(*base_, axes, at, poses_);
  if (!base.ok()) {
    bench_.say(q(base.error().text), true);
    return;
  }
  base_ = std::make_shared<const Mechanism>(base->mechanism);
  for (std::size_t i = 0; i < axes.size(); ++i)
    (axes[i].carries == BaseAxis::Carries::nothing ? start.seats
     : axes[i].carries == BaseAxis::Carries::shaft ? start.turns
                                                   : start.slides)
        .push_back(base->made[i]);
}

void MachineCard::start(Machine machine) {
  begin();
  machine_ = machine;
  MachineStart start = chosen();
  const bool onShafts = machine <= Machine::chain && machine != Machine::rack;
  if (start.turns.empty() && start.slides.empty() && start.seats.size() > 1 && onShafts) putShafts(start);
  start.chosenTurns = start.turns.size();
  // what is not chosen is proposed: the first joints that could serve
  const auto fillUp = [&](std::vector<Id>& list, std::size_t n, const char* value) {
    for (const auto& j : base_->joints)
      if (list.size() < n && j->enabled && hasValue(*j, value) &&
          std::find(list.begin(), list.end(), j->id) == list.end())
        list.push_back(j->id);
  };
  const MachineWants wants = wantsOf(machine, start.chosenTurns);
  fillUp(start.turns, wants.turns, "turn");
  fillUp(start.slides, wants.slides, "slide");
  putBase(start, wants);
  form_ = machineForm(machine, *base_, start);
  open();
  bench_.say(tr("Give the figures; Enter keeps what was made, Esc takes it back"));
}

void MachineCard::editGears(Id coupling) {
  if (!gearDraftOf(*bench_.document().mechanism(), coupling)) {
    bench_.say(tr("This coupling has no gears of its own: change it in its card"), true);
    return;
  }
  begin();
  form_ = gearFormOf(*base_, coupling, poses_, machine_);
  open();
}

void MachineCard::editStage(Id coupling) {
  if (!planetaryDraftOf(*bench_.document().mechanism(), coupling)) {
    bench_.say(tr("This coupling is of no planetary stage with gears of its own"), true);
    return;
  }
  begin();
  machine_ = Machine::planetary;
  form_ = planetaryFormOf(*base_, coupling);
  open();
}

void MachineCard::open() {
  make();
  fill();
  openBeside(QPointF(scene_.width(), 60));
  scene_.fitAll();
  scene_.showAllBeside(dock());
  setFocus();
}

void MachineCard::fill() {
  const QString focused = focusedName();
  filling_ = true;
  clear();
  setTitle(titleOf(machine_));
  MachineFields fields(bench_, *base_,
                       {this, [this] { return addForm(); }, [this] { return addRow(); },
                        [this](const QString& name) { return addText(name); },
                        [this](QHBoxLayout* row, const QString& text, const QString& tip, const QString& name,
                               std::function<void()> press) { addButton(row, text, tip, name, std::move(press)); },
                        [this] { make(); }, problem_.isEmpty()});
  form_->fill(fields);
  fields.finish();
  if (!problem_.isEmpty()) {
    auto* wrong = addText(QStringLiteral("machine problem"));
    wrong->setText(problem_);
    wrong->setStyleSheet(QStringLiteral("color: %1").arg(theme().bad.name()));
  }
  addEnd(tr("Keep"));
  filling_ = false;
  fit();
  focusAgain(focused);
}

void MachineCard::make() {
  if (filling_) return;
  auto next = form_->made(*base_, poses_);
  problem_ = next.ok() ? QString() : q(next.error().text);
  if (next.ok()) {
    const auto resolved = resolve(*next);
    if (!resolved.ok())
      problem_ = q(resolved.error().text);
    else if (bench_.document().apply(tr("Make %1").arg(titleOf(machine_).toLower()), next, kMergeMaker) &&
             form_->shown() != 0)
      bench_.selection().select({form_->shown()});
  }
  // after the field that caused it has left the stack
  QTimer::singleShot(0, this, [this] {
    if (open_) fill();
  });
}

void MachineCard::flip() {
  if (form_ && form_->flip(*base_)) make();
}

void MachineCard::keep() {
  if (!open_) return;
  open_ = false;
  hide();
  bench_.document().endGesture();
  if (problem_.isEmpty())
    bench_.say(tr("Kept"));
  else
    bench_.say(problem_, true);
}

void MachineCard::giveUp() {
  if (!open_) return;
  open_ = false;
  hide();
  while (bench_.document().undoStack()->index() > before_) bench_.document().undoStack()->undo();
  bench_.document().endGesture();
}

void MachineCard::keyPressEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_R && e->modifiers() == Qt::NoModifier) return flip();
  FloatCard::keyPressEvent(e);
}

}  // namespace cooperage::app
