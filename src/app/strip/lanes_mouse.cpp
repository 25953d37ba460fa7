// SPDX-License-Identifier: GPL-3.0-or-later
// Lanes: what mouse, wheel and menu do.
#include <QContextMenuEvent>
#include <QHelpEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QToolTip>
#include <QWheelEvent>
#include <cmath>

#include "../workbench/pushing.h"
#include "lanes.h"
#include "model/gauge_edits.h"

namespace cooperage::app {

using namespace model;

void Lanes::overlay(int lane, int on) {
  const Lane &a = lanes_[static_cast<std::size_t>(lane)], &b = lanes_[static_cast<std::size_t>(on)];
  if (a.kind != Lane::gauge || b.kind != Lane::gauge) return;
  if (!(a.curves.front().dimension == b.curves.front().dimension)) {
    bench_.say(tr("%1 and %2 are not measured in the same unit").arg(a.title, b.title), true);
    return;
  }
  // the host must come first in the file: it owns the lane
  const auto& gauges = bench_.document().mechanism()->gauges;
  const auto place = [&](Id id) {
    std::size_t i = 0;
    while (i < gauges.size() && gauges[i]->id != id) ++i;
    return i;
  };
  const Id guest = place(a.id) > place(b.id) ? a.id : b.id, host = guest == a.id ? b.id : a.id;
  bench_.document().apply(tr("Overlay curves"), changed<Gauge>(*bench_.document().mechanism(), &Mechanism::gauges,
                                                               guest, [&](Gauge& g) { g.lane = host; }));
}

// ---------------------------------------------------------------- mouse

void Lanes::mousePressEvent(QMouseEvent* e) {
  pressed_ = e->position();
  hold_ = Hold::none;
  if (e->button() == Qt::MiddleButton) {
    hold_ = Hold::pan;
    panFrom_ = view_.from;
    return;
  }
  if (e->button() != Qt::LeftButton) return;
  if (const int edge = edgeAt(pressed_); edge >= 0) {
    hold_ = Hold::edge;
    held_ = edge;
    return;
  }
  if (bench_.checks().check())
    for (std::size_t i = 0; i < bench_.checks().check()->result.interference.size(); ++i)
      if (barRect(static_cast<int>(i)).contains(pressed_)) {
        bench_.selection().setStage(Stage::check);
        bench_.selection().select({});
        bench_.checks().chooseInterference(static_cast<int>(i));
        return;
      }
  if (pressed_.x() < view_.left - 6) {
    held_ = laneAt(pressed_.y());
    if (held_ < 0) return;
    hold_ = Hold::name;
    if (lanes_[static_cast<std::size_t>(held_)].id != 0)
      bench_.selection().select({lanes_[static_cast<std::size_t>(held_)].id});
    return;
  }
  if (e->modifiers() & Qt::ShiftModifier) {
    const double x = axisOf(pressed_.x());
    setSecondCursor(second_ && std::abs(xOf(*second_) - pressed_.x()) < 6 ? std::nullopt : std::optional<double>(x));
    return;
  }
  hold_ = Hold::cursor;
  goTo(pressed_.x());
}

void Lanes::mouseMoveEvent(QMouseEvent* e) {
  const QPointF at = e->position();
  switch (hold_) {
    case Hold::cursor:
      if (e->buttons() & Qt::LeftButton) goTo(at.x());
      return;
    case Hold::edge: {
      const Lane& l = lanes_[static_cast<std::size_t>(held_)];
      heights_[l.id] = std::clamp(at.y() + scroll_ - l.top, 24.0, 600.0);
      layOut();
      return;
    }
    case Hold::pan: {
      const double by = (pressed_.x() - at.x()) / std::max(1.0, view_.right - view_.left) * (view_.to - view_.from);
      const double span = view_.to - view_.from;
      view_.from = panFrom_ + by;
      view_.to = view_.from + span;
      zoom(1, view_.from);
      return;
    }
    case Hold::name: setCursor((at - pressed_).manhattanLength() > 8 ? Qt::DragMoveCursor : Qt::ArrowCursor); return;
    case Hold::none: break;
  }
  setCursor(edgeAt(at) >= 0 ? Qt::SplitVCursor : Qt::ArrowCursor);
}

void Lanes::mouseReleaseEvent(QMouseEvent* e) {
  if (hold_ == Hold::name && (e->position() - pressed_).manhattanLength() > 8) {
    const int on = laneAt(e->position().y());
    if (on >= 0 && on != held_) overlay(held_, on);
  }
  hold_ = Hold::none;
  setCursor(Qt::ArrowCursor);
}

void Lanes::mouseDoubleClickEvent(QMouseEvent* e) {
  const int lane = laneAt(e->position().y());
  if (lane < 0) return zoomWhole();
  Lane& l = lanes_[static_cast<std::size_t>(lane)];
  if (l.kind == Lane::programme) {  // its editor
    bench_.selection().setStage(Stage::drive);
    bench_.selection().select({l.id});
    return;
  }
  if (e->position().x() < view_.left) {
    acrossOf_.erase(l.id);
    heights_.erase(l.id);
    rebuild();
  }
}

void Lanes::contextMenuEvent(QContextMenuEvent* e) {
  const int lane = laneAt(e->pos().y());
  QMenu menu(this);
  const double at = axisOf(e->pos().x());
  menu.addAction(second_ ? tr("Remove the second cursor") : tr("Second cursor here"), this,
                 [this, at] { setSecondCursor(second_ ? std::nullopt : std::optional<double>(at)); });
  menu.addAction(tr("Whole travel"), this, [this] { zoomWhole(); });
  if (lane >= 0 && lanes_[static_cast<std::size_t>(lane)].kind == Lane::gauge) {
    const Lane& l = lanes_[static_cast<std::size_t>(lane)];
    const Id id = l.id;
    menu.addSeparator();
    auto* over = menu.addMenu(tr("Draw in the lane of"));
    for (std::size_t k = 0; k < lanes_.size(); ++k)
      if (static_cast<int>(k) != lane && lanes_[k].kind == Lane::gauge &&
          lanes_[k].curves.front().dimension == l.curves.front().dimension)
        over->addAction(lanes_[k].title, this, [this, lane, k] { overlay(lane, static_cast<int>(k)); });
    over->setEnabled(!over->isEmpty());
    if (l.curves.size() > 1) {
      std::vector<Id> guests;
      for (const auto& c : l.curves) guests.push_back(c.gauge);
      menu.addAction(tr("Each in a lane of its own"), this, [this, guests] {
        Mechanism next = *bench_.document().mechanism();
        for (Id g : guests) change<Gauge>(next.gauges, g, [](Gauge& x) { x.lane = 0; });
        bench_.document().apply(tr("Part curves"), next);
      });
    }
    menu.addAction(tr("Require a bound on it"), this, [this, id] {
      const auto made = withRequirement(*bench_.document().mechanism(), id, Measure::always);
      if (bench_.document().apply(tr("Add requirement"), made.first)) bench_.selection().select({made.second});
    });
    menu.addAction(tr("Show its value in the scene"), this, [this, id] {
      bench_.document().apply(tr("Show value in the scene"),
                              changed<Gauge>(*bench_.document().mechanism(), &Mechanism::gauges, id,
                                             [](Gauge& g) { g.flagged = !g.flagged; }));
    });
  }
  menu.exec(e->globalPos());
}

void Lanes::wheelEvent(QWheelEvent* e) {
  const double turns = (e->angleDelta().y() != 0 ? e->angleDelta().y() : e->angleDelta().x()) / 120.0;
  const QPointF at = e->position();
  if (e->modifiers() & Qt::ControlModifier) {
    zoom(std::pow(0.8, turns), axisOf(std::clamp(at.x(), view_.left, view_.right)));
  } else if (e->modifiers() & Qt::ShiftModifier) {
    const double by = -0.1 * turns * (view_.to - view_.from);
    view_.from += by;
    view_.to += by;
    zoom(1, view_.from);
  } else if (e->modifiers() & Qt::AltModifier) {
    const int lane = laneAt(at.y());
    if (lane < 0) return;
    const Lane& l = lanes_[static_cast<std::size_t>(lane)];
    const double share = (l.top + l.height - 3 - scroll_ - at.y()) / std::max(1.0, l.height - 6);
    zoomLane(lane, std::pow(0.8, turns), l.low + share * (l.high - l.low));
  } else {
    scroll_ = std::clamp(scroll_ - 40 * turns, 0.0, std::max(0.0, total_ - (view_.bottom)));
    cache_ = {};
    update();
  }
}

bool Lanes::event(QEvent* e) {
  if (e->type() == QEvent::ToolTip) {
    const auto* help = static_cast<QHelpEvent*>(e);
    QString text;
    if (bench_.checks().check())
      for (std::size_t i = 0; i < bench_.checks().check()->result.interference.size(); ++i)
        if (barRect(static_cast<int>(i)).contains(help->pos())) text = tr("Overlap: click to go to its deepest pose");
    if (const RunData* run = bench_.runs().run(); run && text.isEmpty())
      for (std::size_t i = 0; i < run->result.travel.marks.size(); ++i) {
        const auto& mark = run->result.travel.marks[i];
        if (!mark.links.empty() && markRect(static_cast<int>(i)).adjusted(-2, -2, 2, 2).contains(help->pos()))
          text = pushTitle(mark, *run, bench_.document().mechanism()->units) + QStringLiteral(": ") +
                 pushWord(mark.code) + QStringLiteral(", ") + pushText(mark, bench_.document().mechanism()->units);
      }
    const int lane = laneAt(help->pos().y());
    if (text.isEmpty() && lane >= 0 && help->pos().x() < view_.left) {
      const Lane& l = lanes_[static_cast<std::size_t>(lane)];
      text = l.title;
      for (const Band& b : l.bands) text += '\n' + (b.met ? tr("%1: met").arg(b.name) : tr("%1: not met").arg(b.name));
      if (l.kind == Lane::programme) text += '\n' + tr("Double-click edits the programme");
    }
    if (text.isEmpty())
      QToolTip::hideText();
    else
      QToolTip::showText(help->globalPos(), text, this);
    return true;
  }
  return QWidget::event(e);
}

}  // namespace cooperage::app
