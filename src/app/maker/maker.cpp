// SPDX-License-Identifier: GPL-3.0-or-later
#include "maker.h"

#include "../merges.h"
#include "shape/advice.h"
#include "shape/cut.h"
#include "../theme.h"
#include "../text.h"

namespace cooperage::app {

using namespace model;

namespace {
QString q(const std::string& s) { return QString::fromStdString(s); }
}  // namespace

Maker::Maker(Session& session, Scene& scene)
    : QObject(&scene), session_(session), scene_(scene), card_(new JointCard(session, &scene)), wiggle_(session) {
  connect(&scene_, &Scene::picked, this, &Maker::place);
  connect(card_, &FloatCard::confirmed, this, &Maker::confirm);
  connect(card_, &FloatCard::cancelled, this, [this] { cancel(); });
  connect(card_, &JointCard::kindChosen, this, [this](JointKind kind) {
    if (draft_) {
      draft_->kind = kind_ = kind;
      applyDraft();
    } else {
      edit(tr("Change joint kind"), withKind(*session_.mechanism(), editing_, kind));
    }
  });
  connect(card_, &JointCard::reversed, this, [this] {
    if (draft_) {
      draft_->reverse = !draft_->reverse;
      applyDraft();
    } else {
      edit(tr("Reverse joint"), model::reversed(*session_.mechanism(), editing_));
    }
  });
  connect(card_, &JointCard::turnedOver, this, [this] {
    if (draft_) {
      draft_->turnedOver = !draft_->turnedOver;
      applyDraft();
    } else {
      edit(tr("Turn over"), changedJoint(*session_.mechanism(), editing_, [](Joint& j) { j.flip = !j.flip; }));
    }
  });
  connect(card_, &JointCard::mannerChosen, this, [this](bool keep) {
    keepInPlace_ = keep;
    if (!draft_) return;
    draft_->keepInPlace = keep;
    applyDraft();
  });
  connect(card_, &JointCard::partnerChosen, this, [this](Id link) {
    if (!draft_) return;
    draft_->second.link = link;
    applyDraft();
  });
  const auto field = [this](Field JointDraft::*ofDraft, Field Joint::*ofJoint, const QString& text) {
    return [this, ofDraft, ofJoint, text](const Field& f) {
      if (draft_) {
        (*draft_).*ofDraft = f;
        applyDraft();
      } else {
        edit(text, changedJoint(*session_.mechanism(), editing_, [&](Joint& j) { j.*ofJoint = f; }));
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
      edit(tr("Change curve"), changedJoint(*session_.mechanism(), editing_, [&](Joint& j) { j.curve = curve; }));
    }
  });
  connect(card_, &JointCard::referenceTyped, this, [this](double angle) {
    if (draft_) {
      draft_->refAngle = angle;
      applyDraft();
    } else {
      const double by = angle - reference_;
      reference_ = angle;
      edit(tr("Turn reference"), withReferenceTurned(*session_.mechanism(), editing_, by));
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
  connect(&session_, &Session::stageChanged, this, [this] {
    if (session_.stage() != Stage::join && session_.stage() != Stage::shape) stop();
  });
}

QString Maker::linkName(Id link) const {
  const auto l = findLink(*session_.mechanism(), link);
  return l ? q(l->name) : QString();
}

void Maker::beginPicking(Task task) {
  wiggle_.stop();
  task_ = task;
  first_.reset();
  tools_.clear();
  builder_.clear();
  if (task != Task::joint && task != Task::seat) builder_.setMode(PlaceBuilder::Mode::single);
  card_->hide();
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
void Maker::startMeasure() {
  closeCard();
  beginPicking(Task::measure);
}
void Maker::startCut(Id body) {
  closeCard();
  body_ = body;
  beginPicking(Task::cut);
}

void Maker::setMode(PlaceBuilder::Mode mode) {
  builder_.setMode(builder_.mode() == mode ? PlaceBuilder::Mode::single : mode);
  ask();
}

/// Says what is asked for next.
void Maker::ask() {
  const QString wants = builder_.wants();
  switch (task_) {
    case Task::none: prompt_.clear(); break;
    case Task::joint: {
      const QString kind = QLatin1String(infoOf(kind_).name);
      prompt_ = !first_ ? tr("%1: pick %2 on the first link").arg(kind, wants)
                        : tr("%1: now %2 on the second link, or Enter to join in place (first: %3, %4)")
                              .arg(kind, wants, first_->word, linkName(first_->link));
      break;
    }
    case Task::placeAnew:
      prompt_ = which_ == 0 ? tr("Pick the first place anew") : tr("Pick the second place anew");
      break;
    case Task::reference: prompt_ = tr("Pick a face or an edge that gives the reference direction"); break;
    case Task::reading:
      prompt_ = !first_ ? tr("Pick the face or edge of the first link from which the joint counts")
                        : tr("Pick the face or edge of the second link to which it counts");
      break;
    case Task::seat: prompt_ = tr("New seat: pick %1").arg(wants); break;
    case Task::seatAnew: {
      const auto s = findSeat(*session_.mechanism(), seat_);
      prompt_ = tr("Pick again what the seat %1 stands on").arg(s ? q(s->link->name + "/" + s->seat->name) : QString());
      break;
    }
    case Task::measure:
      prompt_ = !first_ ? tr("Measure: pick a face, an edge or a corner")
                        : tr("Measure: pick the second (first: %1)").arg(first_->of);
      break;
    case Task::cut:
      prompt_ = tools_.empty() ? tr("Cut in two: pick the flat or round face that parts the solid")
                               : tr("Cut in two: pick another face, or Enter to cut with %1")
                                     .arg(counted(static_cast<qsizetype>(tools_.size()), tr("face"), tr("faces")));
      break;
  }
  if (task_ != Task::none) session_.say(prompt_);
  emit changed();
}

void Maker::place(const PickedPlace& pick) {
  QString problem;
  const auto whole = builder_.add(pick, problem);
  if (!problem.isEmpty()) {
    session_.say(problem, true);
    return;
  }
  if (whole) {
    take(*whole);
    return;
  }
  std::vector<PickedPlace> chosen = builder_.picks();
  if (first_) chosen.insert(chosen.begin(), *first_);
  scene_.setChosenPlaces(chosen);
  ask();
}

void Maker::take(const PickedPlace& pick) {
  const auto& m = *session_.mechanism();
  switch (task_) {
    case Task::none: return;
    case Task::joint:
      if (!first_) {
        first_ = pick;
        scene_.setChosenPlaces({pick});
        ask();
        return;
      }
      if (first_->link == pick.link) {
        session_.say(tr("Both places are on one link: pick the second on another"), true);
        return;
      }
      draft_ = JointDraft{};
      draft_->first = toPlace(*first_);
      draft_->second = toPlace(pick);
      cardAt_ = scene_.project(pick.at);
      openCard();
      return;
    case Task::placeAnew:
      scene_.setPicking(false);
      task_ = Task::none;
      edit(tr("Pick place anew"), withPlace(m, editing_, which_, toPlace(pick), keepInPlace_, session_.poses()));
      openCard();
      return;
    case Task::reference: {
      scene_.setPicking(false);
      task_ = Task::none;
      if (draft_) {
        // the angle from the present reference of the draft, seen along its axis
        Mat3 axes;
        Vec3 axis = draft_->reverse ? Vec3(-draft_->first.axis) : draft_->first.axis;
        if (axesFrom(axis, draft_->first.ref, axes))
          draft_->refAngle = std::atan2(pick.axis.dot(axes.col(1)), pick.axis.dot(axes.col(0)));
        applyDraft();
      } else {
        edit(tr("Pick reference"), withReferenceAlong(m, editing_, pick.axis, session_.poses()));
      }
      openCard();
      return;
    }
    case Task::reading: takeReading(pick); return;
    case Task::seat: {
      Seat s;
      s.id = newId();
      const Place p = toPlace(pick);
      const auto link = findLink(m, p.link);
      std::size_t index = 0;
      while (index < m.links.size() && m.links[index] != link) ++index;
      if (!link || index >= session_.poses().size()) return;
      Pose place{Mat3::Identity(), p.at};
      if (!axesFrom(p.axis, p.ref, place.R)) return;
      const Pose local = session_.poses()[index].inverse() * place;
      s.name = freeName(link->seats, p.name);
      s.at = placementOf(local, m.units).at;
      s.axis = directionOf(local.R.col(2));
      s.ref = directionOf(local.R.col(0));
      s.source = p.source;
      const Id id = s.id;
      if (session_.apply(tr("Add seat"),
                         changedLink(m, p.link, [&](Link& l) { l.seats.push_back(std::make_shared<const Seat>(s)); })))
        session_.select({id});
      ask();
      return;
    }
    case Task::seatAnew: {
      const auto seat = findSeat(m, seat_);
      if (!seat || pick.link != seat->link->id) {
        session_.say(tr("Pick on the link %1: the seat belongs to it").arg(seat ? q(seat->link->name) : QString()),
                     true);
        return;
      }
      stop();
      std::size_t index = 0;
      while (index < m.links.size() && m.links[index] != seat->link) ++index;
      const Place p = toPlace(pick);
      Pose place{Mat3::Identity(), p.at};
      if (!axesFrom(p.axis, p.ref, place.R)) return;
      const Pose local = session_.poses()[index].inverse() * place;
      if (session_.apply(tr("Pick again"), changedSeat(m, seat_, [&](Seat& s) {
                           s.at = placementOf(local, m.units).at;
                           s.axis = directionOf(local.R.col(2));
                           s.ref = directionOf(local.R.col(0));
                           s.source = p.source;
                           s.broken = false;
                         })))
        session_.say(tr("The seat stands on its new geometry"));
      return;
    }
    case Task::measure: takeMeasure(pick); return;
    case Task::cut: {
      if (pick.hit.body != body_) {
        session_.say(tr("Pick a face of the solid that is cut"), true);
        return;
      }
      const auto tool = shape::cutToolOf(pick.feature);
      if (!tool.ok()) {
        session_.say(q(tool.error().text), true);
        return;
      }
      tools_.push_back(*tool);
      ask();
      return;
    }
  }
}

void Maker::takeReading(const PickedPlace& pick) {
  const auto& m = *session_.mechanism();
  const auto j = findJoint(m, editing_);
  if (!j) return;
  const auto s = findSeat(m, j->seats[first_ ? 1 : 0]);
  if (!s || s->link->id != pick.link) {
    session_.say(tr("Pick on the link %1").arg(s ? q(s->link->name) : QString()), true);
    return;
  }
  if (!first_) {
    first_ = pick;
    scene_.setChosenPlaces({pick});
    ask();
    return;
  }
  const Reading r{first_->axis, pick.axis, first_->at, pick.at};
  scene_.setPicking(false);
  task_ = Task::none;
  edit(tr("Read between two faces"), withReading(m, editing_, r, session_.poses()));
  openCard();
}

void Maker::takeMeasure(const PickedPlace& pick) {
  if (pick.hit.part.IsNull()) {
    session_.say(tr("Measure: pick a face, an edge or a corner"), true);
    return;
  }
  const shape::Picked b{pick.hit.part, pick.feature, pick.hit.placement};
  const auto& units = session_.mechanism()->units;
  if (!first_) {
    first_ = pick;
    scene_.setChosenPlaces({pick});
    const QString alone = wordsOf(shape::measure(b), units);
    ask();
    if (!alone.isEmpty()) emit measured(pick.of + QStringLiteral(": ") + alone);
    return;
  }
  const shape::Picked a{first_->hit.part, first_->feature, first_->hit.placement};
  const auto result = shape::measure(a, b);
  if (!result.ok()) {
    session_.say(q(result.error().text), true);
    return;
  }
  const QString text = wordsOf(*result, units);
  scene_.setChosenPlaces({*first_, pick});
  emit measured(tr("%1 \u2013 %2: %3").arg(first_->of, pick.of, text));
  first_.reset();
  ask();
  session_.say(text);
}

void Maker::onePick() {
  if (task_ != Task::joint || !first_) return;
  draft_ = JointDraft{};
  draft_->first = toPlace(*first_);
  draft_->onePick = true;
  // ground, or the first other link, until the card says otherwise
  for (const auto& l : session_.mechanism()->links)
    if (l->id != first_->link && (draft_->second.link == 0 || l->ground)) {
      draft_->second.link = l->id;
      if (l->ground) break;
    }
  if (draft_->second.link == 0) {
    draft_.reset();
    session_.say(tr("There is no other link to join it to"), true);
    return;
  }
  cardAt_ = scene_.project(first_->at);
  openCard();
}

void Maker::editJoint(Id joint) {
  if (!findJoint(*session_.mechanism(), joint)) return;
  stop();
  editing_ = joint;
  reference_ = 0;
  stepsBefore_ = session_.undoStack()->index();
  session_.endGesture();
  const auto& r = session_.resolved();
  for (const auto& j : r.joints)
    if (j.id == joint) cardAt_ = scene_.project((session_.poses()[static_cast<std::size_t>(j.linkA)] * j.seatA).p);
  openCard();
}

void Maker::openCard() {
  scene_.setPicking(false);
  if (draft_ && !base_) {
    session_.goHome();
    base_ = session_.mechanism();
    basePoses_ = session_.poses();
    draft_->kind = kind_;
    draft_->keepInPlace = keepInPlace_;
    stepsBefore_ = session_.undoStack()->index();
    session_.endGesture();
    applyDraft();
    if (!draft_) return;
  } else {
    fillCard();
  }
  card_->openBeside(cardAt_);
  if (moves_) wiggle_.start(draft_ ? draft_->joint : editing_);
  session_.say(draft_ ? tr("Change what is to change; Enter makes the joint, Esc takes it back")
                      : tr("Change what is to change; Enter closes the card, Esc takes the changes back"));
  emit changed();
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
      !session_.apply(tr("Make %1 joint").arg(QLatin1String(infoOf(draft_->kind).name)), made, kMergeMaker)) {
    if (!made.ok()) session_.say(q(made.error().text), true);
    if (session_.mechanism() == base_) {  // nothing was made yet: pick again
      draft_.reset();
      base_.reset();
      startJoint(kind_);
      return;
    }
  }
  session_.select({draft_->joint});
  fillCard();
  if (moving) wiggle_.start(draft_->joint);
}

void Maker::edit(const QString& text, const Result<Mechanism>& next) {
  const bool moving = wiggle_.isRunning();
  wiggle_.stop();
  session_.apply(text, next, kMergeMaker);
  fillCard();
  if (moving) wiggle_.start(editing_);
}

QString Maker::adviceFor(Id a, Id b, std::optional<JointKind>& kind) const {
  const auto& r = session_.resolved();
  shape::Part parts[2];
  for (std::size_t l = 0; l < r.links.size() && l < session_.poses().size(); ++l)
    for (int k = 0; k < 2; ++k)
      if (r.links[l].id == (k == 0 ? a : b))
        for (const auto& body : r.links[l].bodies)
          if (const auto s = session_.solid(body.id))
            parts[k].solids.emplace_back(session_.store().faces(s), session_.poses()[l] * body.placement);
  if (parts[0].solids.empty() || parts[1].solids.empty()) return {};
  const auto advice = shape::adviseJoint(parts[0], parts[1]);
  if (!advice.touching) return {};
  kind = advice.kind;
  return advice.kind
             ? tr("The faces: %1. They ask for %2.").arg(q(advice.why), QLatin1String(infoOf(*advice.kind).name))
             : tr("The faces: %1.").arg(q(advice.why));
}

void Maker::fillCard() {
  const Id id = draft_ ? draft_->joint : editing_;
  const auto j = findJoint(*session_.mechanism(), id);
  if (!j) return;
  JointCard::Content c;
  c.title = q(j->name);
  c.kind = j->kind;
  c.making = draft_.has_value();
  c.along = j->slideOffset;
  c.about = j->turnOffset;
  c.lead = j->lead;
  c.moves = moves_;
  c.canTurnOver = !draft_ || !draft_->keepInPlace;
  const auto a = findSeat(*session_.mechanism(), j->seats[0]), b = findSeat(*session_.mechanism(), j->seats[1]);
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
      for (const auto& l : session_.mechanism()->links)
        if (l->id != draft_->first.link)
          c.partners.emplace_back(l->id, l->ground ? tr("%1 (ground)").arg(q(l->name)) : q(l->name));
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
  editing_ = 0;
  session_.endGesture();
}

void Maker::confirm() {
  if (task_ == Task::cut && !tools_.empty()) {
    const auto tools = tools_;
    const Id body = body_;
    stop();
    session_.cutBody(body, tools);
    return;
  }
  if (task_ == Task::joint && first_ && !card_->isVisible()) {
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
    while (session_.undoStack()->index() > stepsBefore_) session_.undoStack()->undo();
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
  builder_.clear();
  tools_.clear();
  prompt_.clear();
  scene_.setPicking(false);
  emit changed();
}

QString wordsOf(const shape::Measured& m, const DocumentUnits& units) {
  QStringList out;
  const auto figure = [&](double v, const Dimension& d) {
    return withUnit(q(formatNumber(std::round(v / units.factor(d) * 1e5) / 1e5)), units.label(d));
  };
  const auto length = [&](double v) { return figure(v, dimension::kLength); };
  if (m.distance) out << QObject::tr("distance %1").arg(length(*m.distance));
  if (m.coaxial) out << QObject::tr("on one axis");
  if (m.between && !m.coaxial) out << QObject::tr("apart %1").arg(length(*m.between));
  if (m.angle) out << QObject::tr("angle %1").arg(figure(*m.angle, dimension::kAngle));
  if (m.radiusA) out << QObject::tr("radius %1").arg(length(*m.radiusA));
  if (m.radiusB) out << QObject::tr("radius %1").arg(length(*m.radiusB));
  if (m.length) out << QObject::tr("length %1").arg(length(*m.length));
  if (m.area) {
    const double unit = units.factor(dimension::kLength);
    out << QObject::tr("area %1 %2\u00b2")
               .arg(q(formatNumber(std::round(*m.area / unit / unit * 1e3) / 1e3)), q(units.length));
  }
  return out.join(QStringLiteral(", "));
}

}  // namespace cooperage::app
