// SPDX-License-Identifier: GPL-3.0-or-later
// What the maker asks for, and what becomes of a pick.
#include "../scene/picker.h"
#include "../text.h"
#include "maker.h"
#include "model/gauge_edits.h"
#include "model/train_edits.h"
#include "model/cam_edits.h"
#include "shape/edge_curve.h"
#include "shape/cut.h"

namespace cooperage::app {

using namespace model;

/// Says what is asked for next.
void Maker::ask() {
  const QString wants = builder_.wants();
  switch (task_) {
    case Task::none: prompt_.clear(); break;
    case Task::joint: {
      const QString kind = QLatin1String(infoOf(kind_).name);
      if (!first_)
        prompt_ = partners_.empty() ? tr("%1: pick %2 on the first link").arg(kind, wants)
                                    : tr("%1: pick %2 on the first link, or Enter joins %3 and %4 here")
                                          .arg(kind, wants, linkName(looked_.link), partnerName());
      else
        prompt_ = partners_.empty()
                      ? tr("%1: now %2 on the second link (first: %3)").arg(kind, wants, linkName(first_->link))
                      : tr("%1: now %2 on the second link, or Enter joins %3 and %4 here")
                            .arg(kind, wants, linkName(first_->link), partnerName());
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
      const auto s = findSeat(*bench_.document().mechanism(), seat_);
      prompt_ = tr("Pick again what the seat %1 stands on").arg(s ? q(s->link->name + "/" + s->seat->name) : QString());
      break;
    }
    case Task::shaft: prompt_ = tr("Shaft: pick the axis of a bore, a pin or a seat about which it turns"); break;
    case Task::seatDirection: prompt_ = tr("Pick an axis, an edge or a face: its direction is taken"); break;
    case Task::measure:
      prompt_ = !first_ ? tr("Measure: pick a face, an edge or a corner")
                        : tr("Measure: pick the second (first: %1)").arg(first_->of);
      break;
    case Task::gauge: {
      const bool two = picksOf(gaugeKinds_.front()) == 2;
      QStringList kinds;
      for (const GaugeKind k : gaugeKinds_) kinds << q(wordFor(k)).replace('-', ' ');
      const QString kind = kinds.join(QStringLiteral(", "));
      prompt_ = !two      ? tr("Gauge %1: pick the point or the link").arg(kind)
                : !first_ ? tr("Gauge %1: pick the first place").arg(kind)
                          : tr("Gauge %1: pick the second place, on another link (first: %2 of %3)")
                                .arg(kind, first_->word, linkName(first_->link));
      break;
    }
    case Task::path: prompt_ = tr("Path: pick the point whose curve is drawn"); break;
    case Task::outline:
      prompt_ = tr("Curve: pick a face, or an edge of an outline; tangent pieces are gathered");
      break;
    case Task::cut:
      prompt_ = tools_.empty() ? tr("Cut in two: pick the flat or round face, or a seat, that parts the solid")
                               : tr("Cut in two: pick another face, or Ctrl+Enter to cut with %1")
                                     .arg(counted(static_cast<qsizetype>(tools_.size()), tr("face"), tr("faces")));
      break;
    case Task::stretch:
      prompt_ = tr("Make longer or shorter: pick a straight edge that runs along it, or the flat face that is to move");
      break;
  }
  if (task_ != Task::none) bench_.say(prompt_);
  emit changed();
}

void Maker::place(const PickedPlace& pick) {
  QString problem;
  const auto whole = builder_.add(pick, problem);
  if (!problem.isEmpty()) {
    bench_.say(problem, true);
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
  switch (task_) {
    case Task::none: return;
    case Task::joint: takeJointPlace(pick); return;
    case Task::placeAnew: takePlaceAnew(pick); return;
    case Task::reference: takeReference(pick); return;
    case Task::reading: takeReading(pick); return;
    case Task::seat: takeSeat(pick); return;
    case Task::seatAnew: takeSeatAnew(pick); return;
    case Task::seatDirection: takeSeatDirection(pick); return;
    case Task::shaft: takeShaft(pick); return;
    case Task::measure: takeMeasure(pick); return;
    case Task::gauge:
    case Task::path: takeGauge(pick); return;
    case Task::outline: takeOutline(pick); return;
    case Task::cut: takeCut(pick); return;
    case Task::stretch: takeStretch(pick); return;
  }
}

void Maker::takeJointPlace(const PickedPlace& pick) {
  if (draft_) {  // on an open card: that joint is made, this is the first place of the next
    closeCard();
    beginPicking(Task::joint);
  }
  if (!first_) {
    first_ = pick;
    firstPoses_ = bench_.pose().poses();
    partners_ = partnersOf(bench_, pick.link, pick.at, pick.axis, true);
    scene_.picker().setLast(pick.link);
    scene_.setChosenPlaces({pick});
    ask();
    return;
  }
  if (first_->link == pick.link) {
    bench_.say(tr("Both places are on one link: pick the second on another"), true);
    return;
  }
  draft_ = JointDraft{};
  draft_->first = firstPlace();
  draft_->second = toPlace(pick);
  cardAt_ = scene_.project(pick.at);
  openCard();
}

void Maker::takePlaceAnew(const PickedPlace& pick) {
  const auto& m = *bench_.document().mechanism();
  scene_.setPicking(false);
  task_ = Task::none;
  edit(tr("Pick place anew"), withPlace(m, editing_, which_, toPlace(pick), keepInPlace_, bench_.pose().poses()));
  openCard();
}

void Maker::takeReference(const PickedPlace& pick) {
  const auto& m = *bench_.document().mechanism();
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
    edit(tr("Pick reference"), withReferenceAlong(m, editing_, pick.axis, bench_.pose().poses()));
  }
  openCard();
}

/// Puts a seat where a place is, in the axes of its link. @return false if the link isn't shown or the place has no
/// axis
bool Maker::putOnLink(const Place& p, Seat& s) const {
  const auto& m = *bench_.document().mechanism();
  const auto& poses = bench_.pose().poses();
  const auto link = findLink(m, p.link);
  const auto index = static_cast<std::size_t>(std::find(m.links.begin(), m.links.end(), link) - m.links.begin());
  Pose at{Mat3::Identity(), p.at};
  if (index >= poses.size() || !axesFrom(p.axis, p.ref, at.R)) return false;
  const Pose local = poses[index].inverse() * at;
  s.at = placementOf(local, m.units).at;
  s.axis = directionOf(local.R.col(2));
  s.ref = directionOf(local.R.col(0));
  s.source = p.source;
  return true;
}

void Maker::takeSeat(const PickedPlace& pick) {
  const auto& m = *bench_.document().mechanism();
  Seat s;
  s.id = newId();
  const Place p = toPlace(pick);
  const auto link = findLink(m, p.link);
  if (!link || !putOnLink(p, s)) return;
  s.name = freeName(link->seats, p.name);
  const Id id = s.id;
  if (bench_.document().apply(
          tr("Add seat"), changedLink(m, p.link, [&](Link& l) { l.seats.push_back(std::make_shared<const Seat>(s)); })))
    bench_.selection().select({id});
  ask();
}

void Maker::takeSeatAnew(const PickedPlace& pick) {
  const auto& m = *bench_.document().mechanism();
  const auto seat = findSeat(m, seat_);
  if (!seat || pick.link != seat->link->id) {
    bench_.say(tr("Pick on the link %1: the seat belongs to it").arg(seat ? q(seat->link->name) : QString()), true);
    return;
  }
  stop();
  Seat placed;
  if (!putOnLink(toPlace(pick), placed)) return;
  if (bench_.document().apply(tr("Pick again"), changedSeat(m, seat_, [&](Seat& s) {
                                s.at = placed.at;
                                s.axis = placed.axis;
                                s.ref = placed.ref;
                                s.source = placed.source;
                                s.broken = false;
                              })))
    bench_.say(tr("The seat stands on its new geometry"));
}

void Maker::takeSeatDirection(const PickedPlace& pick) {
  const auto& m = *bench_.document().mechanism();
  const auto seat = findSeat(m, seat_);
  const std::size_t index = seat ? indexOf(m, seat->link->id).value_or(m.links.size()) : m.links.size();
  if (index >= bench_.pose().poses().size()) return stop();
  const auto frame = frameOf(m, *seat->seat);
  if (!frame.ok()) return stop();
  const Vec3 along = (bench_.pose().poses()[index].R.transpose() * pick.axis).normalized();
  const Vec3 other = frame->R.col(seatAxis_ ? 0 : 2);
  const bool parallel = along.cross(other).norm() < 1e-6;
  stop();
  if (bench_.document().apply(seatAxis_ ? tr("Change axis") : tr("Change reference"),
                              changedSeat(m, seat_, [&](Seat& s) {
                                (seatAxis_ ? s.axis : s.ref) = directionOf(along);
                                if (parallel) (seatAxis_ ? s.ref : s.axis) = directionOf(anyPerpendicular(along));
                              })))
    bench_.selection().select({seat_});
}

void Maker::takeShaft(const PickedPlace& pick) {
  Mechanism m = *bench_.document().mechanism();
  Id seat = pick.seat;
  if (seat == 0) {
    Seat s;
    s.id = seat = newId();
    const Place p = toPlace(pick);
    const auto link = findLink(m, p.link);
    if (!link || !putOnLink(p, s)) return;
    s.name = freeName(link->seats, p.name);
    m = changedLink(m, p.link, [&](Link& l) { l.seats.push_back(std::make_shared<const Seat>(s)); });
  }
  auto poses = bench_.pose().poses();
  const Id joint = newId();
  auto made = withShaft(m, seat, joint, poses);
  if (!made.ok()) {
    bench_.say(q(made.error().text), true);
    return;
  }
  if (pick.feature.kind == FeatureKind::cylinder) {  // as thick as what it was picked on, and a little longer
    const auto span = shape::spanOf(roundsOf(bench_, pick.link), pick.at, pick.axis.normalized());
    const double reach = span ? std::max(-span->low, span->high) : pick.feature.radius;
    Body shaft;
    shaft.id = newId();
    shaft.kind = BodyKind::cylinder;
    shaft.name = made->links.back()->name;
    const double unit = m.units.factor(dimension::kLength);
    const auto rounded = [&](double v) { return Field(std::round(v / unit * 1e6) / 1e6); };
    shaft.figures = {{"radius", rounded(pick.feature.radius)}, {"length", rounded(3 * reach)}};
    made = changedLink(*made, made->links.back()->id,
                       [&](Link& l) { l.bodies.push_back(std::make_shared<const Body>(shaft)); });
  }
  stop();
  if (bench_.document().apply(tr("Add shaft"), made)) bench_.selection().select({joint});
}

void Maker::takeCut(const PickedPlace& pick) {
  if (pick.seat) {  // the plane of a seat parts it too: behind its axis is inside
    const auto& r = bench_.solution().resolved();
    for (std::size_t l = 0; l < r.links.size() && l < bench_.pose().poses().size(); ++l)
      for (const auto& b : r.links[l].bodies) {
        if (b.id != body_) continue;
        const Pose toBody = (bench_.pose().poses()[l] * b.placement).inverse();
        CutTool& plane = tools_.emplace_back();
        plane.at = toBody * pick.at;
        plane.axis = toBody.R * pick.axis;
      }
    ask();
    return;
  }
  if (pick.hit.body != body_) {
    bench_.say(tr("Pick a face of the solid that is cut"), true);
    return;
  }
  const auto tool = shape::cutToolOf(pick.feature);
  if (!tool.ok()) {
    bench_.say(q(tool.error().text), true);
    return;
  }
  tools_.push_back(*tool);
  ask();
}

void Maker::takeStretch(const PickedPlace& pick) {
  if (pick.hit.body != body_) {
    bench_.say(tr("Pick an edge or a face of the solid that is made longer"), true);
    return;
  }
  const bool face = pick.feature.kind == FeatureKind::plane;
  if (!face && pick.feature.kind != FeatureKind::line && pick.feature.kind != FeatureKind::cylinder) {
    bench_.say(tr("A straight edge, a round face or a flat face tells the way it is to grow"), true);
    return;
  }
  // the feature's own figures: its axis is the outward normal of a face
  if (!bench_.importer().stretchBody(body_, pick.feature.at, pick.feature.axis, face)) return;
  stop();
  emit stretchMade();
}

/// One place or two make a gauge, one a path; the run is computed anew with it.
void Maker::takeGauge(const PickedPlace& pick) {
  if (task_ == Task::gauge && picksOf(gaugeKinds_.front()) == 2 && !first_) {
    first_ = pick;
    scene_.setChosenPlaces({pick});
    ask();
    return;
  }
  std::vector<Place> places;
  if (first_) places.push_back(toPlace(*first_));
  places.push_back(toPlace(pick));
  const auto& m = *bench_.document().mechanism();
  const bool path = task_ == Task::path;
  const auto made = path ? withPath(m, places.front(), bench_.pose().poses())
                         : withGauges(m, gaugeKinds_, places, Component::size, bench_.pose().poses());
  if (!made.ok()) {
    bench_.say(q(made.error().text), true);
    return;  // another second place may do
  }
  stop();
  if (bench_.document().apply(path                     ? tr("Add path")
                              : gaugeKinds_.size() > 1 ? tr("Add gauges")
                                                       : tr("Add gauge"),
                              made->first))
    bench_.selection().select({made->second});
}

void Maker::takeOutline(const PickedPlace& pick) {
  if (!pick.hit.solid || pick.hit.part.IsNull()) {
    bench_.say(tr("Pick a face or an edge of a body: its outline becomes a curve"), true);
    return;
  }
  const auto found = shape::outlineAt(pick.hit.solid, pick.hit.part);
  if (!found.ok()) {
    bench_.say(q(found.error().text), true);
    return;
  }
  const auto body = findBody(*bench_.document().mechanism(), pick.hit.body);
  const auto placement = body ? poseOf(*bench_.document().mechanism(), body->body->placement)
                              : Result<Pose>(Error{"missing", "", "the body is gone"});
  if (!placement.ok()) return;
  const Pose plane = *placement * found->plane;
  std::vector<std::string> remarks;
  const auto curve = shape::edgeCurve(pick.hit.solid, found->edges, found->plane.inverse(), "outline", &remarks);
  if (!curve.ok()) {
    bench_.say(q(curve.error().text), true);
    return;
  }
  const Id id = newId();
  stop();
  if (!bench_.document().apply(tr("Make curve"), withEdgeCurve(*bench_.document().mechanism(), pick.hit.body,
                                                               found->edges, plane, id, newId())))
    return;
  bench_.selection().select({id});
  bench_.say(remarks.empty() ? tr("%1 pieces make one %2 curve of %3 mm")
                                   .arg(found->edges.size())
                                   .arg((*curve)->closed() ? tr("closed") : tr("open"))
                                   .arg((*curve)->lengthTo((*curve)->high()) * 1e3, 0, 'f', 2)
                             : q(remarks.front()),
             !remarks.empty());
}

void Maker::takeReading(const PickedPlace& pick) {
  const auto& m = *bench_.document().mechanism();
  const auto j = findJoint(m, editing_);
  if (!j) return;
  const auto s = findSeat(m, j->seats[first_ ? 1 : 0]);
  if (!s || s->link->id != pick.link) {
    bench_.say(tr("Pick on the link %1").arg(s ? q(s->link->name) : QString()), true);
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
  edit(tr("Read between two faces"), withReading(m, editing_, r, bench_.pose().poses()));
  openCard();
}

void Maker::takeMeasure(const PickedPlace& pick) {
  if (pick.hit.part.IsNull()) {
    bench_.say(tr("Measure: pick a face, an edge or a corner"), true);
    return;
  }
  const shape::Picked b{pick.hit.part, pick.feature, pick.hit.placement};
  const auto& units = bench_.document().mechanism()->units;
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
    bench_.say(q(result.error().text), true);
    return;
  }
  const QString text = wordsOf(*result, units);
  scene_.setChosenPlaces({*first_, pick});
  emit measured(tr("%1 \u2013 %2: %3").arg(first_->of, pick.of, text));
  first_.reset();
  ask();
  bench_.say(text);
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
