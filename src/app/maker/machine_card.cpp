// SPDX-License-Identifier: GPL-3.0-or-later
#include "machine_card.h"

#include <QKeyEvent>
#include <QTimer>
#include <algorithm>

#include "../merges.h"

namespace cooperage::app {

using namespace model;

namespace {
QString q(const std::string& s) { return QString::fromStdString(s); }
}  // namespace

QString MachineCard::titleOf(What what) {
  switch (what) {
    case What::spur: return tr("Gear pair");
    case What::ring: return tr("Pinion and ring");
    case What::bevel: return tr("Bevel pair");
    case What::crossed: return tr("Crossed helical pair");
    case What::worm: return tr("Worm and wheel");
    case What::rack: return tr("Rack and pinion");
    case What::belt: return tr("Belt");
    case What::chain: return tr("Chain");
    case What::screw: return tr("Screw and nut");
    case What::cam: return tr("Cam and follower");
    case What::planetary: return tr("Planetary stage");
    case What::differential: return tr("Differential");
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

bool MachineCard::hasValue(const Joint& j, const char* value) const {
  return *value ? valueIndex(j.kind, value) >= 0 : valueIndex(j.kind, "turn") >= 0 || valueIndex(j.kind, "slide") >= 0;
}

void MachineCard::begin(What what) {
  if (open_) keep();
  bench_.pose().goHome();
  what_ = what;
  before_ = bench_.document().undoStack()->index();
  bench_.document().endGesture();
  problem_.clear();
  base_ = bench_.document().mechanism();
  poses_ = bench_.pose().poses();
  open_ = true;
}

void MachineCard::start(What what) {
  begin(what);
  const auto& m = *base_;
  const double mm = 1e-3 / m.units.factor(dimension::kLength);
  std::vector<Id> turns, slides, seats;
  for (Id id : bench_.selection().ids()) {
    if (const auto j = findJoint(m, id)) {
      if (hasValue(*j, "turn")) turns.push_back(id);
      if (hasValue(*j, "slide")) slides.push_back(id);
    }
    if (findSeat(m, id)) seats.push_back(id);
  }
  // seats alone: shafts are put about them
  if (turns.empty() && slides.empty() && seats.size() > 1 && what <= What::chain && what != What::rack) {
    Mechanism with = m;
    std::vector<Pose> poses = poses_;
    for (Id seat : seats) {
      Id joint = newId();
      auto next = withShaft(with, seat, joint, poses);
      if (!next.ok()) {
        bench_.say(q(next.error().text), true);
        break;
      }
      with = std::move(next).value();
      turns.push_back(joint);
    }
    base_ = std::make_shared<const Mechanism>(with);
    poses_ = poses;
  }
  // what is not chosen is proposed: the first joints that could serve
  const auto fillUp = [&](std::vector<Id>& list, std::size_t n, const char* value) {
    for (const auto& j : base_->joints)
      if (list.size() < n && j->enabled && hasValue(*j, value) &&
          std::find(list.begin(), list.end(), j->id) == list.end())
        list.push_back(j->id);
  };
  const auto length = [&](double v) { return Field(v * mm); };
  const std::size_t chosenTurns = turns.size();
  switch (what) {
    case What::rack:
      fillUp(turns, 1, "turn");
      fillUp(slides, 1, "slide");
      break;
    case What::screw:
      fillUp(turns, 1, "turn");
      fillUp(slides, 1, "slide");
      break;
    case What::cam:
      fillUp(turns, 1, "turn");
      if (chosenTurns < 2) fillUp(slides, 1, "slide");
      break;
    case What::planetary:
    case What::differential: break;
    default: fillUp(turns, 2, "turn");
  }
  const auto at = [](const std::vector<Id>& list, std::size_t i) { return i < list.size() ? list[i] : Id(0); };
  gear_ = GearDraft{};
  gear_.kind = static_cast<GearDraft::Kind>(static_cast<int>(what));
  gear_.module = length(2);
  gear_.width = length(12);
  gear_.joints = {at(turns, 0), what == What::rack ? at(slides, 0) : at(turns, 1)};
  const double degree = kPi / 180 / m.units.factor(dimension::kAngle);
  if (what == What::worm) {
    gear_.teeth = {Field(1), Field(40)};
    gear_.helix = Field(5 * degree);
  }
  if (what == What::crossed) gear_.helix = Field(45 * degree);
  if (what == What::ring) gear_.teeth = {Field(20), Field(60)};
  if (what == What::rack) gear_.teeth = {Field(20), Field(20)};
  if (what == What::bevel) gear_.width = length(8);
  belt_ = BeltDraft{};
  belt_.chain = what == What::chain;
  belt_.joints = turns;
  belt_.sizes.assign(turns.size(), belt_.chain ? Field(19) : length(40));
  belt_.sides.assign(turns.size(), 1);
  belt_.width = length(15);
  belt_.pitch = length(12.7);
  screw_ = ScrewDraft{};
  screw_.turn = at(turns, 0);
  screw_.slides = slides;
  if (screw_.slides.size() > 2) screw_.slides.resize(2);
  screw_.lead = length(4);
  screw_.diameter = length(16);
  screw_.length = length(160);
  cam_ = CamDraft{};
  cam_.cam = at(turns, 0);
  cam_.follower = chosenTurns >= 2 ? turns[1] : at(slides, 0);
  cam_.base = length(40);
  cam_.roller = length(8);
  cam_.thickness = length(12);
  cam_.arm = length(60);
  stage_ = PlanetaryDraft{};
  differential_ = DifferentialDraft{};
  stage_.seat = differential_.seat = at(seats, 0);
  if (stage_.seat == 0)
    for (const auto& l : base_->links)
      if (l->ground && !l->seats.empty() && stage_.seat == 0) stage_.seat = differential_.seat = l->seats.front()->id;
  stage_.module = differential_.module = length(2);
  stage_.width = length(12);
  differential_.width = length(6);
  stage_.name = freeName(base_->links, "stage sun") == "stage sun" ? "stage" : freeName(base_->links, "stage");
  make();
  fill();
  openBeside(QPointF(scene_.width() - 20.0, 60));
  setFocus();
  bench_.say(tr("Give the figures; Enter keeps what was made, Esc takes it back"));
}

void MachineCard::editGears(Id coupling) {
  const auto d = gearDraftOf(*bench_.document().mechanism(), coupling);
  if (!d) {
    bench_.say(tr("This coupling has no gears of its own: change it in its card"), true);
    return;
  }
  begin(static_cast<What>(static_cast<int>(d->kind)));
  gear_ = *d;
  // wrong way round before stays so
  const auto was = findById(base_->couplings, coupling);
  if (const auto plain = withGears(*base_, gear_, poses_); plain.ok())
    gear_.flip = findById(plain->couplings, coupling)->flip != was->flip;
  make();
  fill();
  openBeside(QPointF(scene_.width() - 20.0, 60));
  setFocus();
}

Result<Mechanism> MachineCard::made() {
  switch (what_) {
    case What::belt:
    case What::chain: return withBelt(*base_, belt_, poses_);
    case What::screw: return withScrew(*base_, screw_, poses_);
    case What::cam: return withCam(*base_, cam_, poses_);
    case What::planetary: return withPlanetary(*base_, stage_, poses_);
    case What::differential: return withDifferential(*base_, differential_, poses_);
    default: return madeGears();
  }
}

/// A pair that shares gears with others has its module in common with them: the whole train takes it.
Result<Mechanism> MachineCard::madeGears() const {
  const auto was = gearDraftOf(*base_, gear_.coupling);
  const bool same = was && was->module.formula == gear_.module.formula && was->module.number == gear_.module.number;
  if (!was || same || trainOf(*base_, gear_.coupling).size() < 2) return withGears(*base_, gear_, poses_);
  auto poses = poses_;
  auto train = withTrainModule(*base_, gear_.coupling, gear_.module, poses);
  return train.ok() ? withGears(*train, gear_, poses) : train;
}

void MachineCard::make() {
  if (filling_) return;
  auto next = made();
  problem_ = next.ok() ? QString() : q(next.error().text);
  if (next.ok()) {
    const auto resolved = resolve(*next);
    if (!resolved.ok())
      problem_ = q(resolved.error().text);
    else if (bench_.document().apply(tr("Make %1").arg(titleOf(what_).toLower()), next, kMergeMaker)) {
      Id id = 0;
      if (gears()) id = gear_.coupling;
      if (what_ == What::belt || what_ == What::chain) id = belt_.coupling;
      if (what_ == What::screw && !screw_.couplings.empty()) id = screw_.couplings.front();
      if (what_ == What::cam) id = cam_.curve;
      if (id != 0) bench_.selection().select({id});
    }
  }
  // after the field that caused it has left the stack
  QTimer::singleShot(0, this, [this] {
    if (open_) fill();
  });
}

void MachineCard::flip() {
  if (what_ == What::screw) {
    if (screw_.lead.formula) {
      const auto f = parseField(*base_, "-(" + fieldText(*base_, screw_.lead) + ")");
      if (f.ok()) screw_.lead = *f;
    } else {
      screw_.lead.number = -screw_.lead.number;
    }
  } else if (what_ == What::cam) {
    cam_.hand = -cam_.hand;
  } else if (gears()) {
    gear_.flip = !gear_.flip;
  } else {
    return;
  }
  make();
}

void MachineCard::keep() {
  if (!open_) return;
  open_ = false;
  hide();
  base_.reset();
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
  base_.reset();
  while (bench_.document().undoStack()->index() > before_) bench_.document().undoStack()->undo();
  bench_.document().endGesture();
}

void MachineCard::keyPressEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_R && e->modifiers() == Qt::NoModifier) return flip();
  FloatCard::keyPressEvent(e);
}

}  // namespace cooperage::app
