// SPDX-License-Identifier: GPL-3.0-or-later
#include "joiner.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolButton>
#include <algorithm>

#include "../scene/outlines.h"
#include "../text.h"
#include "../theme.h"
#include "model/joint_kind.h"

namespace cooperage::app {

using namespace model;

Joiner::Joiner(Workbench& bench, Scene& scene)
    : SceneMode(bench, scene, QStringLiteral("join"), tr("Ends joining (Esc)")), all_(new QToolButton) {
  all_->setObjectName(QStringLiteral("join all"));
  all_->setToolTip(
      tr("A pin wherever centres of circles of two links lie within %1 mm of one another").arg(kOnePlace * 1e3));
  all_->setFocusPolicy(Qt::NoFocus);
  connect(all_, &QToolButton::clicked, this, &Joiner::pinAll);
  row()->addWidget(all_);
  row()->addStretch(1);
}

void Joiner::start() {
  first_.reset();
  asked_.reset();
  under_.clear();
  bench_.selection().select({});
  lookForPlaces();
  begin(Stage::join);
}

void Joiner::ended() {
  first_.reset();
  asked_.reset();
  under_.clear();
}

bool Joiner::stepBack() {
  if (!first_ && !asked_) return false;
  if (!asked_) first_.reset();
  asked_.reset();
  return true;
}

void Joiner::documentChanged() {
  const auto& m = *bench_.document().mechanism();
  if (first_ && (!findLink(m, first_->pick.link) || (first_->pick.curve != 0 && !findCurve(m, first_->pick.curve))))
    first_.reset();
  asked_.reset();
  lookForPlaces();
  say();
}

const PickUnder* Joiner::present() const { return under_.empty() ? nullptr : &under_[step_ % under_.size()]; }

void Joiner::step(int by) {
  if (under_.empty()) return;
  const int n = static_cast<int>(under_.size());
  step_ = u(((static_cast<int>(step_) + by) % n + n) % n);
  say();
  scene_.update();
}

std::vector<PlanePick> Joiner::meeting(double within) const {
  std::vector<PlanePick> out;
  const PickUnder* now = present();
  if (!now || now->pick.kind != PlanePick::Kind::point) return out;
  for (const PickUnder& p : under_) {
    if (p.pick.kind != PlanePick::Kind::point || misfitOf(now->pick, p.pick).distance > within) continue;
    const auto known = std::find_if(out.begin(), out.end(), [&](const PlanePick& k) { return k.link == p.pick.link; });
    if (known == out.end())
      out.push_back(p.pick);
    else if (known->seat == 0 && p.pick.seat != 0)
      *known = p.pick;  // a pivot that is there is used again
  }
  return out;
}

QString Joiner::prompt() const {
  const auto& m = *bench_.document().mechanism();
  const auto name = [&](Id link) {
    const auto l = findLink(m, link);
    return l ? q(l->name) : QString();
  };
  const auto length = [&](double v) { return figureText(v, dimension::kLength, m.units, 0, kOnePlace); };
  if (first_ && asked_) {
    const Misfit off = misfitOf(first_->pick, *asked_);
    return relationOf(first_->pick, *asked_) == PlaneRelation::pin
               ? tr("%1 and %2 lie %3 apart: click again to bring them together, Alt+click to pin them where %1 is")
                     .arg(name(first_->pick.link), name(asked_->link), length(off.distance))
               : tr("The point lies %1 off the line: click again to bring it there, Alt+click to let the slot run "
                    "through it")
                     .arg(length(off.distance));
  }
  const PickUnder* now = present();
  if (!first_) {
    const auto here = meeting(kOnePlace);
    QStringList names;
    for (const PlanePick& p : here) names << name(p.link);
    if (here.size() > 1) {
      const int missing = missingPins(m, here, bench_.pose().poses());
      if (missing > 0)
        return tr("%1 meet: click makes %2").arg(names.join(tr(" and ")), counted(missing, tr("pin"), tr("pins")));
    }
    const auto near = meeting(1e9);
    if (now && here.size() < near.size())
      for (const PlanePick& p : near)
        if (const double d = misfitOf(now->pick, p).distance; d > kOnePlace && p.link != now->pick.link)
          return tr("%1; %2 lies %3 beside it").arg(now->word, name(p.link), length(d));
    return now ? tr("First: %1").arg(now->word) : tr("Pick a point, a line or a curve of a link");
  }
  if (!now || now->pick.link == first_->pick.link)
    return tr("%1: now a point, a line or a curve of another link").arg(first_->word);
  switch (relationOf(first_->pick, now->pick)) {
    case PlaneRelation::pin: return tr("%1 \u2013 %2: a pin").arg(first_->word, now->word);
    case PlaneRelation::slot: return tr("%1 \u2013 %2: a slot").arg(first_->word, now->word);
    case PlaneRelation::slide: return tr("%1 \u2013 %2: a slide").arg(first_->word, now->word);
    case PlaneRelation::contact: break;
  }
  return tr("%1 \u2013 %2: a contact").arg(first_->word, now->word);
}

void Joiner::lookForPlaces() {
  places_ = placesWithoutPins(bench_, scene_);
  all_->setText(places_.empty() ? tr("No pin is missing where circles meet")
                                : tr("Pin all %1 where circles meet")
                                      .arg(counted(static_cast<qsizetype>(places_.size()), tr("place"), tr("places"))));
  all_->setEnabled(!places_.empty());
}

bool Joiner::take(const QString& text, const Result<PlaneJoint>& made) {
  asked_.reset();
  if (!made.ok()) {
    bench_.say(q(made.error().text), true);
    return false;
  }
  bench_.document().endGesture();
  if (!bench_.document().apply(text, made->mechanism)) return false;
  first_.reset();
  bench_.selection().select(made->made);
  QStringList said;
  const auto& m = *bench_.document().mechanism();
  for (const Id id : made->made)
    if (const auto j = findJoint(m, id))
      said << tr("%1 %2").arg(QLatin1String(infoOf(j->kind).name), q(j->name));
    else if (const auto pair = findById(m.camPairs, id))
      said << tr("contact %1").arg(q(pair->name));
  for (const std::string& s : made->said) said << q(s);
  bench_.say(said.join(QStringLiteral("; ")));
  return true;
}

void Joiner::pinAll() {
  const auto& poses = bench_.pose().poses();
  PlaneJoint all{*bench_.document().mechanism(), {}, {}};
  for (const auto& place : places_) {
    auto made = pinned(all.mechanism, place, poses);
    if (!made.ok()) {
      bench_.say(q(made.error().text), true);
      return;
    }
    all.mechanism = std::move(made->mechanism);
    all.made.insert(all.made.end(), made->made.begin(), made->made.end());
  }
  if (all.made.empty()) return;
  all.said.push_back(fmt::format("{} pins", all.made.size()));
  take(tr("Pin all"), all);
  say();
}

void Joiner::hover(const QPointF& at) {
  pointer_ = at;
  under_ = picksUnder(bench_, scene_, at);
  // after the first pick, what lies on its own link is not meant
  if (first_)
    std::stable_partition(under_.begin(), under_.end(),
                          [&](const PickUnder& p) { return p.pick.link != first_->pick.link; });
  step_ = 0;
  say();
  scene_.update();
}

void Joiner::click(Qt::KeyboardModifiers keys) {
  const auto& m = *bench_.document().mechanism();
  const auto& poses = bench_.pose().poses();
  const PickUnder* now = present();
  if (!now) {
    asked_.reset();
    say();
    return;
  }
  if (!first_) {
    const auto here = meeting(kOnePlace);
    if (here.size() > 1 && missingPins(m, here, poses) > 0) {
      take(tr("Pin"), pinned(m, here, poses));
      hover(pointer_);
      return;
    }
    first_ = *now;
    hover(pointer_);
    return;
  }
  if (now->pick.link == first_->pick.link) {
    first_ = *now;
    asked_.reset();
    hover(pointer_);
    return;
  }
  const PlaneRelation relation = relationOf(first_->pick, now->pick);
  const Misfit off = misfitOf(first_->pick, now->pick);
  const bool fits = relation == PlaneRelation::slide || relation == PlaneRelation::contact || off.distance <= kOnePlace;
  const bool alt = (keys & Qt::AltModifier) != 0;
  if (!fits && !alt && !(asked_ && asked_->link == now->pick.link && (asked_->at - now->pick.at).norm() < kOnePlace)) {
    asked_ = now->pick;
    say();
    scene_.update();
    return;
  }
  const PlaneManner manner = fits || alt ? PlaneManner::inPlace : PlaneManner::together;
  take(tr("Join in the plane"), joinedInPlane(m, first_->pick, asked_ ? *asked_ : now->pick, manner, poses));
  hover(pointer_);
}

bool Joiner::eventFilter(QObject* watched, QEvent* event) {
  if (!isOn() || watched != &scene_) return QObject::eventFilter(watched, event);
  switch (event->type()) {
    case QEvent::Resize: say(); return false;
    case QEvent::ShortcutOverride:
    case QEvent::KeyPress: {
      auto* e = static_cast<QKeyEvent*>(event);
      if (e->key() != Qt::Key_Escape) return false;
      event->accept();
      return event->type() == QEvent::ShortcutOverride || cancel();
    }
    case QEvent::MouseMove: {
      auto* e = static_cast<QMouseEvent*>(event);
      if (e->buttons() != Qt::NoButton) return false;
      hover(e->position());
      return true;
    }
    case QEvent::MouseButtonPress: return static_cast<QMouseEvent*>(event)->button() == Qt::LeftButton;
    case QEvent::MouseButtonRelease: {
      auto* e = static_cast<QMouseEvent*>(event);
      if (e->button() != Qt::LeftButton) return false;
      if ((e->position() - pointer_).manhattanLength() > 0) hover(e->position());
      click(e->modifiers());
      return true;
    }
    case QEvent::MouseButtonDblClick: return static_cast<QMouseEvent*>(event)->button() == Qt::LeftButton;
    default: return false;
  }
}

void Joiner::paint(QPainter& p) {
  if (!isOn()) return;
  const Theme& t = theme();
  const auto mark = [&](const PlanePick& pick, const QColor& colour) {
    if (pick.kind != PlanePick::Kind::point)
      for (const auto& l : scene_.outlines().lines()) {
        if (l.curve->id != pick.curve || l.link != pick.link) continue;
        QPolygonF line;
        for (const auto& x : *l.points) line << scene_.project(l.frame * Vec3(x.x(), x.y(), 0));
        p.setPen(QPen(colour, 3.5, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
        p.setBrush(Qt::NoBrush);
        p.drawPolyline(line);
      }
    const QPointF at = scene_.project(pick.at);
    p.setPen(QPen(t.panel, 1.5));
    p.setBrush(colour);
    p.drawEllipse(at, 5.5, 5.5);
  };
  if (first_) mark(first_->pick, t.curve[1]);
  if (asked_) mark(*asked_, t.warn);
  if (const PickUnder* now = present()) mark(now->pick, t.accent);
}

}  // namespace cooperage::app
