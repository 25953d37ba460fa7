// SPDX-License-Identifier: GPL-3.0-or-later
// What pointer and keys do while links are drawn.
#include <QApplication>
#include <QKeyEvent>
#include <QLineEdit>
#include <QMouseEvent>

#include "../merges.h"
#include "model/joint_edits.h"
#include "pencil.h"

namespace cooperage::app {

using namespace model;
using Vec2 = Eigen::Vector2d;

namespace {
constexpr double kPull = 4;  // pixels before a press becomes a pull
}

void Pencil::hover(const QPointF& at, Qt::KeyboardModifiers keys) {
  pointer_ = at;
  seen_ = true;
  ground_ = (keys & Qt::ShiftModifier) != 0 && (tool_ == Tool::plate || (!begun_.empty() && tool_ == Tool::link));
  const auto& m = *bench_.document().mechanism();
  const auto begun = begun_.empty() ? std::nullopt : findSeat(m, begun_.back());
  snap_ = snaps_.at(sheet_, at, startPlace(), begun ? begun->link->id : 0, (keys & Qt::AltModifier) != 0,
                    tool_ == Tool::link);
  scene_.setCursor(tool_ == Tool::link && begun_.empty() && snap_.isPivot ? Qt::SizeAllCursor : Qt::CrossCursor);
  if (isBegun() && !fields_->isAncestorOf(QApplication::focusWidget())) showFields();
  scene_.update();
}

bool Pencil::onKey(QKeyEvent* e) {
  const bool enter = e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter;
  if (e->key() == Qt::Key_Escape) return cancel();
  if (e->type() != QEvent::KeyPress && e->key() != Qt::Key_Shift && e->key() != Qt::Key_Alt) return false;
  if (enter && tool_ != Tool::link && !points_.empty()) {
    if (tool_ == Tool::spline)
      finishCurve();
    else if (tool_ == Tool::plate)
      finishPlate();
    else
      forgetPoints();
    fields_->hide();
    say();
    scene_.update();
    return true;
  }
  if (enter && !begun_.empty()) {
    if (anyTyped())
      commit((e->modifiers() & Qt::ShiftModifier) != 0);
    else
      cancel();
    return true;
  }
  if (e->key() == Qt::Key_Shift || e->key() == Qt::Key_Alt) {
    hover(pointer_, e->type() == QEvent::KeyPress
                        ? e->modifiers() | (e->key() == Qt::Key_Shift ? Qt::ShiftModifier : Qt::AltModifier)
                        : Qt::NoModifier);
    return false;
  }
  const QString text = e->text();
  const bool plain = (e->modifiers() & ~(Qt::ShiftModifier | Qt::KeypadModifier)) == 0;
  if (e->type() != QEvent::KeyPress || !isBegun() || !plain || text.isEmpty() || !text[0].isPrint()) return false;
  showFields();
  edits_[0]->setFocus();
  edits_[0]->insert(text);
  return true;
}

bool Pencil::eventFilter(QObject* watched, QEvent* event) {
  if (!isOn()) return false;
  if (watched != &scene_) {  // a field
    if (event->type() != QEvent::KeyPress) return false;
    auto* e = static_cast<QKeyEvent*>(event);
    const auto i = static_cast<std::size_t>(std::find(edits_.begin(), edits_.end(), watched) - edits_.begin());
    if (e->key() == Qt::Key_Tab || e->key() == Qt::Key_Backtab) {
      QLineEdit* next = edits_[(i + (e->key() == Qt::Key_Tab ? 1 : edits_.size() - 1)) % edits_.size()];
      next->setFocus();
      next->selectAll();
      return true;
    }
    if (e->key() == Qt::Key_Escape) return cancel();
    if ((e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter) && tool_ == Tool::plate) {
      addCorner((e->modifiers() & Qt::ShiftModifier) != 0);
      return true;
    }
    if ((e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter) && tool_ != Tool::link) {
      addPoint();
      return true;
    }
    if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter) {
      commit((e->modifiers() & Qt::ShiftModifier) != 0);
      return true;
    }
    return false;
  }
  switch (event->type()) {
    case QEvent::ShortcutOverride: {  // keys that are typed are figures, not commands
      auto* e = static_cast<QKeyEvent*>(event);
      const bool plain = (e->modifiers() & ~(Qt::ShiftModifier | Qt::KeypadModifier)) == 0;
      const bool ours =
          e->key() == Qt::Key_Escape || (isBegun() && plain && !e->text().isEmpty() && e->text()[0].isPrint());
      if (ours) event->accept();
      return ours;
    }
    case QEvent::KeyPress:
    case QEvent::KeyRelease: return onKey(static_cast<QKeyEvent*>(event));
    case QEvent::Resize: say(); return false;
    case QEvent::Leave:
      seen_ = false;
      scene_.update();
      return false;
    case QEvent::MouseMove: {
      auto* e = static_cast<QMouseEvent*>(event);
      if (e->buttons() & (Qt::MiddleButton | Qt::RightButton)) return false;
      if (pulled_ != 0 && (e->buttons() & Qt::LeftButton)) {
        if (!moved_ && (e->position() - pressed_).manhattanLength() < kPull) return true;
        moved_ = true;
        const Vec2 to = snaps_.at(sheet_, e->position(), std::nullopt, 0, true).spot.at;
        bench_.document().apply(
            tr("Pull a pivot"),
            withPivotPulled(*bench_.document().mechanism(), sheet_, pulled_, to, bench_.pose().poses()), kMergePivot);
        return true;
      }
      hover(e->position(), e->modifiers());
      return true;
    }
    case QEvent::MouseButtonPress: {
      auto* e = static_cast<QMouseEvent*>(event);
      if (e->button() != Qt::LeftButton) return false;
      hover(e->position(), e->modifiers());
      pressed_ = e->position();
      moved_ = false;
      if (!isBegun() && (tool_ == Tool::link || tool_ == Tool::dimension) && dimensions_.openAt(e->position())) {
        overFigure_ = true;
        return true;
      }
      if (tool_ != Tool::dimension) dimensions_.close();
      pulled_ = tool_ == Tool::link && begun_.empty() && snap_.isPivot ? snap_.spot.seat : 0;
      bench_.document().endGesture();
      return true;
    }
    case QEvent::MouseButtonRelease: {
      auto* e = static_cast<QMouseEvent*>(event);
      if (e->button() != Qt::LeftButton) return false;
      if (overFigure_) {
        overFigure_ = false;
        return true;
      }
      const bool pulled = pulled_ != 0 && moved_;
      pulled_ = 0;
      bench_.document().endGesture();
      if (!pulled) {
        hover(e->position(), e->modifiers());
        click(e->modifiers());
      }
      return true;
    }
    case QEvent::MouseButtonDblClick: return !dimensions_.isOver(static_cast<QMouseEvent*>(event)->position());
    default: return false;
  }
}

}  // namespace cooperage::app
