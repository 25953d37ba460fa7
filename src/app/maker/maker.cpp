// SPDX-License-Identifier: GPL-3.0-or-later
#include "maker.h"

#include <QMouseEvent>

#include "../merges.h"
#include "shape/cut.h"
#include "model/thread_pitch.h"
#include "shape/extent.h"
#include "../scene/picker.h"
#include "../text.h"
#include "../theme.h"

namespace cooperage::app {

using namespace model;

Maker::Maker(Workbench& bench, Scene& scene)
    : QObject(&scene), bench_(bench), scene_(scene), card_(new JointCard(bench, &scene)), wiggle_(bench) {
  scene_.installEventFilter(this);
  connect(&scene_, &Scene::picked, this, &Maker::place);
  connect(&scene_, &Scene::candidateChanged, this, &Maker::lookForPartner);
  connect(&scene_, &Scene::entered, this, &Maker::confirm);
  connect(card_, &FloatCard::confirmed, this, &Maker::confirm);
  connect(card_, &FloatCard::cancelled, this, [this] { cancel(); });
  connect(card_, &JointCard::kindChosen, this, [this](JointKind kind) {
    if (draft_) {
      draft_->kind = kind_ = kind;
      applyDraft();
    } else {
      edit(tr("Change joint kind"), withKind(*bench_.document().mechanism(), editing_, kind));
    }
  });
  connect(card_, &JointCard::reversed, this, [this] {
    if (draft_) {
      draft_->reverse = !draft_->reverse;
      applyDraft();
    } else {
      edit(tr("Reverse joint"), model::reversed(*bench_.document().mechanism(), editing_));
    }
  });
  connect(card_, &JointCard::turnedOver, this, [this] {
    if (draft_) {
      draft_->turnedOver = !draft_->turnedOver;
      applyDraft();
    } else {
      edit(tr("Turn over"), changedJoint(*bench_.document().mechanism(), editing_, [](Joint& j) { j.flip = !j.flip; }));
    }
  });
  connect(card_, &JointCard::mannerChosen, this, [this](bool keep) {
    keepInPlace_ = keep;
    if (!draft_) return;
    draft_->keepInPlace = keep;
    turnAside();
    applyDraft();
  });
  connect(card_, &JointCard::partnerChosen, this, [this](Id link) {
    if (!draft_) return;
    draft_->second.link = link;
    applyDraft();
  });
  connect(card_, &JointCard::movedChosen, this, [this](Id link) {
    if (!draft_) return;
    draft_->moved = link;
    turnAside();
    applyDraft();
  });
  const auto field = [this](Field JointDraft::*ofDraft, Field Joint::*ofJoint, const QString& text) {
    return [this, ofDraft, ofJoint, text](const Field& f) {
      if (draft_) {
        (*draft_).*ofDraft = f;
        applyDraft();
      } else {
        edit(text, changedJoint(*bench_.document().mechanism(), editing_, [&](Joint& j) { j.*ofJoint = f; }));
      }
    };
  };
  connect(card_, &JointCard::alongTyped, this,
          field(&JointDraft::slideOffset, &Joint::slideOffset, tr("Change offset")));
  connect(card_, &JointCard::aboutTyped, this, field(&JointDraft::turnOffset, &Joint::turnOffset, tr("Change offset")));
  connect(card_, &JointCard::leadTyped, this, field(&JointDraft::lead, &Joint::lead, tr("Change lead")));
  connect(card_, &JointCard::curveChosen, this, [this](Id curve) {
    if (draft_) {
      draft_->first.curve = curve;
      applyDraft();
    } else {
      edit(tr("Change curve"),
           changedJoint(*bench_.document().mechanism(), editing_, [&](Joint& j) { j.curve = curve; }));
    }
  });
  connect(card_, &JointCard::referenceTyped, this, [this](double angle) {
    if (draft_) {
      draft_->refAngle = angle;
      applyDraft();
    } else {
      const double by = angle - reference_;
      reference_ = angle;
      edit(tr("Turn reference"), withReferenceTurned(*bench_.document().mechanism(), editing_, by));
    }
  });
  connect(card_, &JointCard::pickAnew, this, [this](int which) {
    which_ = which;
    beginPicking(Task::placeAnew);
  });
  connect(card_, &JointCard::pickReference, this, [this] { beginPicking(Task::reference); });
  connect(card_, &JointCard::readBetween, this, [this] { beginPicking(Task::reading); });
  connect(card_, &JointCard::moveToggled, this, [this](bool on) {
    moves_ = on;
    if (on && (draft_ || editing_))
      wiggle_.start(draft_ ? draft_->joint : editing_);
    else
      wiggle_.stop();
  });
  connect(&bench_.selection(), &Selection::stageChanged, this, [this] {
    const bool measures = task_ == Task::gauge || task_ == Task::path;
    if (bench_.selection().stage() != Stage::join && bench_.selection().stage() != Stage::shape && !measures) stop();
  });
}

/// What shows its freedom stands still once the pointer goes off for the next place.
bool Maker::eventFilter(QObject* watched, QEvent* event) {
  constexpr double kAway = 16;  // pixels
  if (event->type() == QEvent::MouseMove && draft_ && wiggle_.isRunning() &&
      QLineF(static_cast<QMouseEvent*>(event)->position(), pointer_).length() > kAway)
    wiggle_.stop();
  return QObject::eventFilter(watched, event);
}

QString Maker::linkName(Id link) const {
  const auto l = findLink(*bench_.document().mechanism(), link);
  return l ? q(l->name) : QString();
}

void Maker::beginPicking(Task task) {
  wiggle_.stop();
  task_ = task;
  first_.reset();
  forgetPartners();
  tools_.clear();
  builder_.clear();
  if (task != Task::joint && task != Task::seat) builder_.setMode(PlaceBuilder::Mode::single);
  card_->hide();
  const bool places = task == Task::joint || task == Task::placeAnew || task == Task::seat || task == Task::seatAnew ||
                      task == Task::gauge || task == Task::path || task == Task::shaft;
  scene_.picker().setPieces(!places);
  scene_.setChosenPlaces({});
  scene_.setPicking(true);
  scene_.setFocus();
  ask();
}

void Maker::startJoint(JointKind kind) {
  closeCard();
  kind_ = kind;
  beginPicking(Task::joint);
}

void Maker::chooseKind(JointKind kind) {
  if (card_->isVisible())
    emit card_->kindChosen(kind);
  else
    startJoint(kind);
}

void Maker::turnOverOrThree() {
  if (card_->isVisible())
    emit card_->turnedOver();
  else if (isPicking())
    setMode(PlaceBuilder::Mode::threePoints);
}

void Maker::setKeepInPlace(bool keep) { keepInPlace_ = keep; }

void Maker::startSeat() {
  closeCard();
  beginPicking(Task::seat);
}
void Maker::startSeatAnew(Id seat) {
  closeCard();
  seat_ = seat;
  beginPicking(Task::seatAnew);
}
void Maker::startSeatDirection(Id seat, bool axis) {
  closeCard();
  seat_ = seat;
  seatAxis_ = axis;
  beginPicking(Task::seatDirection);
}
void Maker::startShaft() {
  closeCard();
  beginPicking(Task::shaft);
}
void Maker::startMeasure() {
  closeCard();
  beginPicking(Task::measure);
}
void Maker::startGauges(std::vector<GaugeKind> kinds) {
  closeCard();
  gaugeKinds_ = std::move(kinds);
  beginPicking(Task::gauge);
}
void Maker::startPath() {
  closeCard();
  beginPicking(Task::path);
}
void Maker::startCut(Id body) {
  closeCard();
  body_ = body;
  beginPicking(Task::cut);
}

void Maker::startStretch(Id body) {
  closeCard();
  body_ = body;
  beginPicking(Task::stretch);
}

void Maker::startOutline() {
  closeCard();
  beginPicking(Task::outline);
}

void Maker::setMode(PlaceBuilder::Mode mode) {
  builder_.setMode(builder_.mode() == mode ? PlaceBuilder::Mode::single : mode);
  ask();
}

void Maker::forgetPartners() {
  partners_.clear();
  looked_ = {};
  scene_.picker().setLast(0);
}

/// Two links that share the axis under the pointer are offered as a joint at once.
void Maker::lookForPartner() {
  if (task_ != Task::joint || first_ || draft_) return;
  const PickedPlace* now = scene_.picker().present();
  const PickedPlace place = now ? *now : PickedPlace{};
  if (place.link == looked_.link && place.at == looked_.at && place.axis == looked_.axis) return;
  looked_ = place;
  const QString before = partnerName();
  partners_.clear();
  if (place.link) partners_ = partnersOf(bench_, place.link, place.at, place.axis, false);
  if (partners_.empty() || !partners_.front().onAxis) partners_.clear();
  if (partnerName() != before) ask();
}

QString Maker::partnerName() const { return partners_.empty() ? QString() : linkName(partners_.front().link); }

void Maker::onePick() {
  if (task_ != Task::joint) return;
  if (!first_) {
    if (partners_.empty()) return;
    first_ = looked_;
    firstPoses_ = bench_.pose().poses();
    partners_ = partnersOf(bench_, first_->link, first_->at, first_->axis, true);
  }
  if (partners_.empty()) {
    bench_.say(tr("There is no other link to join it to"), true);
    return;
  }
  draft_ = JointDraft{};
  draft_->first = firstPlace();
  draft_->onePick = true;
  draft_->second.link = partners_.front().link;
  cardAt_ = scene_.project(first_->at);
  openCard();
}

void Maker::editJoint(Id joint) {
  if (!findJoint(*bench_.document().mechanism(), joint)) return;
  stop();
  editing_ = joint;
  reference_ = 0;
  stepsBefore_ = bench_.document().undoStack()->index();
  bench_.document().endGesture();
  const auto& r = bench_.solution().resolved();
  for (const auto& j : r.joints)
    if (j.id == joint) cardAt_ = scene_.project((bench_.pose().poses()[static_cast<std::size_t>(j.linkA)] * j.seatA).p);
  openCard();
}

/// The first place where its link has gone since it was picked.
Place Maker::firstPlace() const {
  Place p = toPlace(*first_);
  const auto& links = bench_.document().mechanism()->links;
  for (std::size_t i = 0; i < links.size() && i < firstPoses_.size() && i < bench_.pose().poses().size(); ++i)
    if (links[i]->id == p.link) {
      const Pose went = bench_.pose().poses()[i] * firstPoses_[i].inverse();
      p.at = went * p.at;
      p.axis = went.R * p.axis;
      p.ref = went.R * p.ref;
    }
  return p;
}

/// Whether two picks lie where no joint in place can be meant: the pins or balls are not one.
bool Maker::apart(const JointDraft& d) {
  if (d.onePick) return false;
  constexpr double kTolerance = 1e-6;
  const Vec3 z = d.first.axis.normalized(), between = d.second.at - d.first.at;
  switch (d.kind) {
    case JointKind::spherical:
    case JointKind::universal: return between.norm() > kTolerance;
    case JointKind::revolute:
    case JointKind::cylindrical:
    case JointKind::screw:
      return (between - between.dot(z) * z).norm() > kTolerance ||
             z.cross(d.second.axis.normalized()).norm() > kTolerance;
    default: return false;
  }
}

void Maker::openCard() {
  // the next pick makes the joint that the card shows, and begins another
  if (draft_) {
    task_ = Task::joint;
    scene_.picker().setPieces(false);
  }
  scene_.setPicking(draft_.has_value());
  if (draft_ && !base_) {
    // places are where they were picked: on what is seen, not at home
    before_ = bench_.document().mechanism();
    basePoses_ = bench_.pose().poses();
    base_ =
        bench_.pose().isByHand() ? std::make_shared<const Mechanism>(withPlacements(*before_, basePoses_)) : before_;
    draft_->kind = kind_;
    // a hand brings two places near, not together: sideways they are to meet, along the axis they stay as they are
    draft_->keepInPlace = keepInPlace_ && !(bench_.pose().isByHand() && apart(*draft_));
    if (keepInPlace_ && !draft_->keepInPlace && draft_->kind == JointKind::revolute)
      draft_->slideOffset =
          placementOf({Mat3::Identity(),
                       Vec3((draft_->second.at - draft_->first.at).dot(draft_->first.axis.normalized()), 0, 0)},
                      base_->units)
              .at[0];
    stepsBefore_ = bench_.document().undoStack()->index();
    bench_.document().endGesture();
    turnAside();
    applyDraft();
    if (!draft_) return;
  } else {
    fillCard();
  }
  pointer_ = scene_.mapFromGlobal(QPointF(QCursor::pos()));
  placeCard();
  if (moves_) wiggle_.start(draft_ ? draft_->joint : editing_);
  bench_.say(draft_ ? tr("Enter makes the joint, Esc takes it back; a pick makes it and begins the next")
                    : tr("Change what is to change; Enter closes the card, Esc takes the changes back"));
  emit changed();
}

/// Where it covers neither of its links, and as little of the others as can be; where there is no such place the view
/// goes on until there is.
void Maker::placeCard() {
  const auto& m = *bench_.document().mechanism();
  const auto joint = findJoint(m, draft_ ? draft_->joint : editing_);
  std::vector<std::pair<QRectF, double>> seen;
  QRectF joined(cardAt_ - QPointF(40, 40), QSizeF(80, 80)), all = joined;
  for (const auto& l : m.links) {
    const auto holds = [&](Id seat) {
      const auto s = findSeat(m, seat);
      return s && s->link->id == l->id;
    };
    const QRectF rect = scene_.rectOf(l->id);
    const bool own = joint && (holds(joint->seats[0]) || holds(joint->seats[1]));
    seen.emplace_back(rect, own ? 10 : 1);
    if (own && !l->ground) joined = joined.united(rect);
    all = all.united(rect);
  }
  card_->openClearOf(seen, cardAt_);
  const bool inView = QRectF(scene_.rect()).contains(all);
  if (inView && !joined.intersects(card_->geometry())) return;
  // the others too: the next place is on one of them
  if (scene_.showBeside(all, card_->atSide())) card_->dock();
}

/// Brought together, two links that would lie on one another are opened about their axis, so that the next places can
/// be seen.
void Maker::turnAside() {
  if (!draft_) return;
  draft_->aside = 0;
  if (draft_->keepInPlace || draft_->onePick || !base_) return;
  if (draft_->kind != JointKind::revolute && draft_->kind != JointKind::cylindrical) return;
  const Id moved = draft_->moved ? draft_->moved : looserOf(*base_, draft_->first.link, draft_->second.link);
  const bool movesFirst = moved == draft_->first.link;
  const Id stays = movesFirst ? draft_->second.link : draft_->first.link;
  const Place& at = movesFirst ? draft_->second : draft_->first;
  const auto middleOf = [&](Id link) {
    shape::Extent box;
    forSolids(bench_, link, [&](const shape::SolidPtr& solid, const Pose& pose) {
      box.add(*bench_.shapes().store().extent(solid), pose);
    });
    return box;
  };
  const shape::Extent own = middleOf(moved), other = middleOf(stays);
  const std::size_t i = indexOf(*base_, moved).value_or(basePoses_.size());
  if (own.empty() || other.empty() || i >= basePoses_.size()) return;
  const Vec3 z = at.axis.normalized();
  const auto across = [&](const Vec3& p) { return Vec3((p - at.at) - (p - at.at).dot(z) * z); };
  const Vec3 toOther = across(other.middle());
  constexpr double kClear = 40 * kDegree, kAside = 60 * kDegree;
  double best = -1;
  for (const double aside : {0.0, kAside, -kAside}) {
    JointDraft d = *draft_;
    d.aside = aside;
    const auto made = withJoint(*base_, d, basePoses_);
    const auto pose = made.ok() ? poseOf(*made, made->links[i]->placement) : Result<Pose>(made.error());
    if (!pose.ok()) return;
    const Vec3 toOwn = across(*pose * (basePoses_[i].inverse() * own.middle()));
    if (toOwn.norm() < 0.05 * own.size() || toOther.norm() < 0.05 * other.size()) return;  // turns about its middle
    const double between = std::acos(std::clamp(toOwn.normalized().dot(toOther.normalized()), -1.0, 1.0));
    if (between <= best + 1e-6) continue;
    best = between;
    draft_->aside = aside;
    if (between >= kClear) return;
  }
}

void Maker::applyDraft() {
  // a point on a curve runs along a curve of the first link; the card offers the others
  if (draft_->kind == JointKind::pointCurve && draft_->first.curve == 0)
    if (const auto link = findLink(*base_, draft_->first.link); link && !link->curves.empty())
      draft_->first.curve = link->curves.front()->id;
  const bool moving = wiggle_.isRunning();
  wiggle_.stop();
  auto made = withJoint(*base_, *draft_, basePoses_);
  if (!made.ok() ||
      !bench_.document().apply(tr("Make %1 joint").arg(QLatin1String(infoOf(draft_->kind).name)), made, kMergeMaker)) {
    if (!made.ok()) bench_.say(q(made.error().text), true);
    if (bench_.document().mechanism() == before_) {  // nothing was made yet: pick again
      draft_.reset();
      base_.reset();
      before_.reset();
      startJoint(kind_);
      return;
    }
  }
  bench_.selection().select({draft_->joint});
  fillCard();
  if (moving) wiggle_.start(draft_->joint);
}

void Maker::edit(const QString& text, const Result<Mechanism>& next) {
  const bool moving = wiggle_.isRunning();
  wiggle_.stop();
  bench_.document().apply(text, next, kMergeMaker);
  fillCard();
  if (moving) wiggle_.start(editing_);
}

QString Maker::adviceFor(Id a, Id b, std::optional<JointKind>& kind) const {
  const shape::Part parts[2] = {facesOf(bench_, a), facesOf(bench_, b)};
  if (parts[0].solids.empty() || parts[1].solids.empty()) return {};
  const auto advice = shape::adviseJoint(parts[0], parts[1]);
  if (!advice.touching) return {};
  kind = advice.kind;
  return advice.kind
             ? tr("The faces: %1. They ask for %2.").arg(q(advice.why), QLatin1String(infoOf(*advice.kind).name))
             : tr("The faces: %1.").arg(q(advice.why));
}

/// Says so where a lead is one that was proposed.
QString Maker::leadNote(const Joint& j) const {
  const auto& m = *bench_.document().mechanism();
  const auto lead = evaluateField(m, j.lead, dimension::kLength);
  const auto pitch = likelyPitch(m, j);
  if (!lead.ok() || !pitch || std::abs(*lead - *pitch) > 1e-9) return {};
  return tr("Proposed: the coarse pitch of a thread of this diameter (ISO 261)");
}

void Maker::fillCard() {
  const Id id = draft_ ? draft_->joint : editing_;
  const auto j = findJoint(*bench_.document().mechanism(), id);
  if (!j) return;
  JointCard::Content c;
  c.title = q(j->name);
  c.kind = j->kind;
  c.making = draft_.has_value();
  c.along = j->slideOffset;
  c.about = j->turnOffset;
  c.lead = j->lead;
  if (j->kind == JointKind::screw) c.leadNote = leadNote(*j);
  c.moves = moves_;
  c.canTurnOver = !draft_ || !draft_->keepInPlace;
  const auto a = findSeat(*bench_.document().mechanism(), j->seats[0]),
             b = findSeat(*bench_.document().mechanism(), j->seats[1]);
  if (a && b) c.advice = adviceFor(a->link->id, b->link->id, c.advised);
  if (a && j->kind == JointKind::pointCurve) {
    for (const auto& curve : a->link->curves) c.curves.emplace_back(curve->id, q(curve->name));
    c.curve = j->curve;
  }
  if (draft_) {
    c.canChooseManner = !draft_->onePick;
    c.keepInPlace = draft_->keepInPlace;
    c.reference = draft_->refAngle;
    if (draft_->onePick)
      for (const Partner& p : partners_) {
        const auto l = findLink(*bench_.document().mechanism(), p.link);
        if (!l) continue;
        c.partners.emplace_back(l->id, p.onAxis    ? tr("%1 (on this axis)").arg(q(l->name))
                                       : p.touches ? tr("%1 (touches)").arg(q(l->name))
                                       : l->ground ? tr("%1 (ground)").arg(q(l->name))
                                                   : q(l->name));
      }
    else if (!draft_->keepInPlace)
      for (const Id link : {draft_->first.link, draft_->second.link})
        if (const auto l = findLink(*base_, link); l && !l->ground) c.movable.emplace_back(link, q(l->name));
    c.moved = draft_->moved ? draft_->moved : looserOf(*base_, draft_->first.link, draft_->second.link);
    c.partner = draft_->second.link;
  } else {
    c.reference = reference_;
  }
  card_->fill(c);
}

void Maker::closeCard() {
  wiggle_.stop();
  card_->hide();
  draft_.reset();
  base_.reset();
  before_.reset();
  editing_ = 0;
  bench_.document().endGesture();
}

void Maker::confirm() {
  if (task_ == Task::cut && !tools_.empty()) {
    const auto tools = tools_;
    const Id body = body_;
    stop();
    bench_.importer().cutBody(body, tools);
    return;
  }
  if (task_ == Task::joint && !card_->isVisible()) {
    onePick();
    return;
  }
  if (!card_->isVisible()) return;
  const bool making = draft_.has_value();
  closeCard();
  if (making)
    startJoint(kind_);  // the next one of the same kind
  else
    emit changed();
}

bool Maker::cancel() {
  if (card_->isVisible()) {
    const bool making = draft_.has_value();
    wiggle_.stop();
    card_->hide();
    while (bench_.document().undoStack()->index() > stepsBefore_) bench_.document().undoStack()->undo();
    closeCard();
    if (making)
      startJoint(kind_);
    else
      emit changed();
    return true;
  }
  if (task_ == Task::none) return false;
  if (editing_ || draft_) {  // a pick for the card was given up: the card comes back
    task_ = Task::none;
    openCard();
    return true;
  }
  if (first_ || !builder_.picks().empty() || !tools_.empty()) {
    first_.reset();
    forgetPartners();
    builder_.clear();
    tools_.clear();
    scene_.setChosenPlaces({});
    ask();
    return true;
  }
  stop();
  return true;
}

void Maker::stop() {
  closeCard();
  task_ = Task::none;
  first_.reset();
  forgetPartners();
  builder_.clear();
  tools_.clear();
  prompt_.clear();
  scene_.setPicking(false);
  emit changed();
}

}  // namespace cooperage::app
