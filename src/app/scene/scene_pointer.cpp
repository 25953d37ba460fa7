// SPDX-License-Identifier: GPL-3.0-or-later
// What the pointer does in the scene: hovering, picking, dragging links and stops, boxes, turning the view.
#include <QKeyEvent>
#include <QMouseEvent>
#include <QWheelEvent>
#include <algorithm>

#include "marks.h"
#include "picker.h"
// OCCT last
#include "scene_parts.h"

namespace cooperage::app {

using model::Id;

namespace {
constexpr std::size_t kMany = 60;  // parts; so many are finished before the pointer asks
}

std::vector<Hit> Scene::hitsAt(const QPointF& at) {
  std::vector<Hit> out;
  if (!context()) return out;
  // a few parts are finished at once, or the first click after a change would miss them
  if (filling_ && d_->bodies.size() <= kMany) fill(1e9);
  const double ratio = devicePixelRatioF();
  Handle(V3d_View) view = context()->CurrentViewer()->ActiveViewIterator().Value();
  context()->MoveTo(static_cast<int>(at.x() * ratio), static_cast<int>(at.y() * ratio), view, false);
  struct Under {
    Hit hit;
    int link, body;
    SelectMgr_SortCriterion order;
  };
  std::vector<Under> found;
  const auto& selector = context()->MainSelector();
  for (int i = 1; i <= selector->NbPicked(); ++i) {
    const Handle(SelectMgr_EntityOwner) owner = selector->Picked(i);
    for (const auto& [id, entry] : d_->bodies) {
      if (entry.object != owner->Selectable()) continue;
      const auto l = static_cast<std::size_t>(entry.link);
      const auto& link = bench_.solution().resolved().links[l];
      Hit hit{link.id, id, {}, entry.solid, {}};
      if (l < bench_.pose().poses().size())
        hit.placement = bench_.pose().poses()[l] * link.bodies[static_cast<std::size_t>(entry.body)].placement;
      const Handle(StdSelect_BRepOwner) part = Handle(StdSelect_BRepOwner)::DownCast(owner);
      if (picking_ && !part.IsNull() && part->HasShape()) hit.part = part->Shape();
      found.push_back({std::move(hit), entry.link, entry.body, selector->PickedData(i)});
      break;
    }
  }
  // what lies in one plane would come in any order: the links in theirs
  constexpr double kOnePlane = 0.01;  // mm
  for (std::size_t i = 1; i < found.size(); ++i)
    for (std::size_t k = i; k > 0; --k) {
      const auto &a = found[k - 1], &b = found[k];
      if (a.order.Priority != b.order.Priority || std::abs(a.order.Depth - b.order.Depth) > kOnePlane ||
          std::tie(a.link, a.body) <= std::tie(b.link, b.body))
        break;
      std::swap(found[k - 1], found[k]);
    }
  for (Under& u : found) out.push_back(std::move(u.hit));
  return out;
}

std::optional<PickedPlace> Scene::placeAt(const QPointF& at) {
  picker_->hover(at);
  const PickedPlace* place = picker_->present();
  return place ? std::optional<PickedPlace>(*place) : std::nullopt;
}

Id Scene::bodyAt(const QPointF& at) {
  const auto hits = hitsAt(at);
  return hits.empty() ? 0 : hits.front().body;
}

void Scene::stepCandidate(int by) {
  picker_->step(by);
  emit candidateChanged();
  update();
}

void Scene::keepCandidates(bool keep) {
  picker_->setKeep(keep);
  update();
}

void Scene::setFilter(const PickFilter& filter) {
  picker_->setFilter(filter);
  update();
}

void Scene::mousePressEvent(QMouseEvent* e) {
  pressed_ = last_ = e->pos();
  button_ = e->button();
  moved_ = false;
  pulling_ = false;
  grabbedLink_ = 0;
  handle_.reset();
  if (button_ != Qt::LeftButton || picking_ || boxing_ || (e->modifiers() & Qt::ShiftModifier)) return;
  if ((handle_ = marks_->handleAt(e->position()))) return;
  const auto hits = hitsAt(e->position());
  if (hits.empty()) {
    const Id line = outlines_.at(e->position(), &grabbed_);
    if (model::findLink(*bench_.document().mechanism(), line)) grabbedLink_ = line;
    return;
  }
  grabbedLink_ = hits.front().link;
  if (context()->MainSelector()->NbPicked() > 0) {
    const gp_Pnt p = context()->MainSelector()->PickedPoint(1);
    grabbed_ = Vec3(p.X(), p.Y(), p.Z()) / 1e3;
  }
}

void Scene::forgetPointer() {
  hoverLink_ = 0;
  grabbedLink_ = 0;
  pulling_ = false;
  handle_.reset();
  setToolTip({});
  setBoxing(false);
}

void Scene::hover(const QPointF& at) {
  if (picking_) {
    picker_->hover(at);
    emit candidateChanged();
    update();
    return;
  }
  const auto hits = hitsAt(at);
  Id now = hits.empty() ? 0 : hits.front().link;
  const Id line = now == 0 ? outlines_.at(at) : 0;
  if (model::findLink(*bench_.document().mechanism(), line)) now = line;
  if (line != 0 && now == 0) {
    setCursor(Qt::PointingHandCursor);
  } else if (marks_->ghostAt(at) >= 0 || (!boxing_ && marks_->objectAt(at) != 0))
    setCursor(Qt::PointingHandCursor);
  else if (marks_->handleAt(at))
    setCursor(Qt::SizeAllCursor);
  else
    setCursor(boxing_ ? Qt::CrossCursor : Qt::ArrowCursor);
  if (now == hoverLink_) return;
  hoverLink_ = now;
  const auto link = model::findLink(*bench_.document().mechanism(), now);
  setToolTip(link ? QString::fromStdString(link->name) : QString());
  update();
}

void Scene::mouseMoveEvent(QMouseEvent* e) {
  const QPoint by = e->pos() - last_;
  // a release that went to another widget, like the bar over the scene, is never told
  if (button_ != Qt::NoButton && !(e->buttons() & button_)) {
    button_ = Qt::NoButton;
    grabbedLink_ = 0;
    handle_.reset();
    if (pulling_) bench_.pose().endDrag(true);
    pulling_ = false;
  }
  if (button_ == Qt::NoButton) {
    hover(e->position());
    return;
  }
  if (!moved_ && (e->pos() - pressed_).manhattanLength() < 4) return;
  moved_ = true;
  last_ = e->pos();
  if (handle_) {
    marks_->drag(*handle_, e->position());
    return;
  }
  if (boxing_ && button_ == Qt::LeftButton) {
    band_ = true;
    update();
    return;
  }
  const bool shift = e->modifiers() & Qt::ShiftModifier;
  if (button_ == Qt::LeftButton && grabbedLink_ != 0) {
    if (!pulling_) {
      pulling_ = bench_.pose().beginDrag(grabbedLink_, grabbed_);
      if (!pulling_) grabbedLink_ = 0;  // ground: turn the view instead
    }
    if (pulling_) {
      Vec3 origin, direction;
      ray(e->position(), origin, direction);
      bench_.pose().dragTo(origin + direction * (grabbed_ - origin).dot(direction));
      return;
    }
  }
  if (button_ == Qt::MiddleButton || shift)
    pan(by);
  else
    orbit(by);
}

void Scene::mouseReleaseEvent(QMouseEvent* e) {
  const Qt::MouseButton was = button_;
  button_ = Qt::NoButton;
  if (handle_) {
    handle_.reset();
    bench_.document().endGesture();
    return;
  }
  if (band_) {
    band_ = false;
    last_ = e->pos();
    selectBox(QRectF(QRect(pressed_, last_).normalized()), e->modifiers() & Qt::ControlModifier);
    setBoxing(false);
    return;
  }
  if (pulling_) {
    bench_.pose().endDrag(true);
    bench_.say(tr("Moved by hand. H returns home; \u201cTake as home\u201d keeps this pose."));
    pulling_ = false;
    return;
  }
  if (moved_ || was != Qt::LeftButton) return;
  if (picking_) {
    if (const auto place = placeAt(e->position())) {
      picker_->setKeep(false);  // what was held is picked
      emit picked(*place);
    }
    return;
  }
  if (const int way = marks_->ghostAt(e->position()); way >= 0) {
    bench_.pose().takeWay(way);
    return;
  }
  Id hit = marks_->objectAt(e->position());
  if (hit == 0)
    if (const auto hits = hitsAt(e->position()); !hits.empty()) hit = solids_ ? hits.front().body : hits.front().link;
  if (hit == 0) hit = outlines_.at(e->position());
  std::vector<Id> now;
  if (e->modifiers() & Qt::ControlModifier) now = bench_.selection().ids();
  if (hit) {
    const auto it = std::find(now.begin(), now.end(), hit);
    if (it == now.end())
      now.push_back(hit);
    else
      now.erase(it);
  }
  bench_.selection().select(now);
}

void Scene::setBoxing(bool on) {
  boxing_ = on;
  band_ = false;
  setCursor(on ? Qt::CrossCursor : Qt::ArrowCursor);
  if (on) bench_.say(tr("Drag a box around what you want; what lies wholly in it is selected. Ctrl adds. Esc ends."));
  update();
}

/// What lies wholly within a rectangle of the picture: links, or single solids.
void Scene::selectBox(const QRectF& box, bool add) {
  std::vector<Id> now;
  if (add) now = bench_.selection().ids();
  std::map<int, bool> links;
  for (const auto& [id, entry] : d_->bodies) {
    if (entry.object.IsNull() || !context()->IsDisplayed(entry.object)) continue;
    const auto l = static_cast<std::size_t>(entry.link);
    const Pose p = bench_.pose().poses()[l] *
                   bench_.solution().resolved().links[l].bodies[static_cast<std::size_t>(entry.body)].placement;
    bool inside = true;
    for (int c = 0; c < 8 && inside; ++c) inside = box.contains(project(p * entry.box.corner(c)));
    if (solids_ && inside && std::find(now.begin(), now.end(), id) == now.end()) now.push_back(id);
    const auto known = links.emplace(entry.link, true).first;
    known->second = known->second && inside;
  }
  if (!solids_)
    for (const auto& [l, inside] : links) {
      const Id id = bench_.solution().resolved().links[static_cast<std::size_t>(l)].id;
      if (inside && std::find(now.begin(), now.end(), id) == now.end()) now.push_back(id);
    }
  for (const Id id : outlines_.within(box)) {
    const auto known = std::find_if(links.begin(), links.end(), [&](const auto& l) {
      return bench_.solution().resolved().links[static_cast<std::size_t>(l.first)].id == id;
    });
    if (known == links.end() && std::find(now.begin(), now.end(), id) == now.end()) now.push_back(id);
  }
  bench_.selection().select(now);
  bench_.say(tr("%1 selected").arg(now.size()));
}

void Scene::wheelEvent(QWheelEvent* e) { zoom(e->position(), std::pow(1.0015, e->angleDelta().y())); }

void Scene::keyPressEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_Escape && pulling_) {
    bench_.pose().endDrag(false);
    pulling_ = false;
    button_ = Qt::NoButton;
    return;
  }
  if (e->key() == Qt::Key_Escape && boxing_) {
    setBoxing(false);
    return;
  }
  if (picking_ && (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter) && e->modifiers() == Qt::NoModifier) {
    emit entered();
    return;
  }
  QWidget::keyPressEvent(e);
}

void Scene::leaveEvent(QEvent*) {
  if (hoverLink_ == 0) return;
  hoverLink_ = 0;
  update();
}

}  // namespace cooperage::app
