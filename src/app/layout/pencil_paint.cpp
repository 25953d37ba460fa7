// SPDX-License-Identifier: GPL-3.0-or-later
// What the pencil shows over the picture: the sheet's axes, pivots, and what a click would make.
#include <QPainter>
#include <cmath>

#include "../theme.h"
#include "pencil.h"

namespace cooperage::app {

using Vec2 = Eigen::Vector2d;

void Pencil::paint(QPainter& p) {
  if (!isOn()) return;
  const Pose plane = snaps_.plane(sheet_);
  paintSheet(p, plane);
  paintPivots(p, plane);
  if (seen_) paintStroke(p, plane);
}

/// The sheet's axes, through its origin.
void Pencil::paintSheet(QPainter& p, const Pose& plane) {
  const double far = 2 * scene_.scale() * (scene_.width() + scene_.height());
  const Vec2 middle = snaps_.onSheet(plane, QPointF(scene_.width() / 2.0, scene_.height() / 2.0));
  p.setPen(QPen(theme().line, 1));
  p.drawLine(snaps_.toPixels(plane, {middle.x() - far, 0}), snaps_.toPixels(plane, {middle.x() + far, 0}));
  p.drawLine(snaps_.toPixels(plane, {0, middle.y() - far}), snaps_.toPixels(plane, {0, middle.y() + far}));
}

/// Every place at which a link can be joined; those of ground stand on stone.
void Pencil::paintPivots(QPainter& p, const Pose& plane) {
  const auto& m = *bench_.document().mechanism();
  const auto& r = bench_.solution().resolved();
  const auto& poses = bench_.pose().poses();
  for (std::size_t i = 0; i < r.links.size() && i < poses.size() && i < m.links.size(); ++i) {
    if (m.links[i]->hidden) continue;
    for (const auto& s : r.links[i].seats) {
      const Pose f = poses[i] * s.frame;
      if (std::abs(f.R.col(2).dot(plane.R.col(2))) < 1 - 1e-9) continue;
      const QPointF at = scene_.project(f.p);
      if (m.links[i]->ground) {
        p.setPen(QPen(theme().mute, 1.2));
        p.drawLine(at + QPointF(-9, 10), at + QPointF(9, 10));
        for (int k = -8; k <= 8; k += 4) p.drawLine(at + QPointF(k, 10), at + QPointF(k - 4, 15));
        p.drawLine(at, at + QPointF(-7, 10));
        p.drawLine(at, at + QPointF(7, 10));
      }
      p.setPen(QPen(theme().ink, 1.6));
      p.setBrush(theme().panel);
      p.drawEllipse(at, 4.5, 4.5);
    }
  }
}

void Pencil::paintStroke(QPainter& p, const Pose& plane) {
  const auto from = startPlace();
  QPointF end = snap_.at;
  if (from) {
    end = snaps_.toPixels(plane, pointerPlace());
    p.setPen(QPen(theme().accent, 2.2, Qt::SolidLine, Qt::RoundCap));
    if (const auto shape = curve(true)) {
      QPolygonF line;
      for (const Vec2& x : drawing::flattened(*shape, scene_.scale())) line << snaps_.toPixels(plane, x);
      p.setBrush(Qt::NoBrush);
      p.drawPolyline(line);
    } else {
      p.drawLine(snaps_.toPixels(plane, *from), end);
    }
  }
  p.setPen(QPen(theme().accent, 1.6));
  p.setBrush(snap_.word.isEmpty() ? QBrush(theme().panel) : QBrush(theme().accent));
  p.drawEllipse(end, 4, 4);
  if (tool_ == Tool::dimension) return;
  const bool onGround = (ground_ && snap_.spot.seat == 0) || (tool_ == Tool::link && begun_.empty() && !snap_.isPivot);
  if (onGround) {
    p.drawLine(end + QPointF(-9, 10), end + QPointF(9, 10));
    for (int k = -8; k <= 8; k += 4) p.drawLine(end + QPointF(k, 10), end + QPointF(k - 4, 15));
  }
  QString word = snap_.word;
  if (onGround && !snap_.isPivot) word = word.isEmpty() ? tr("pivot on ground") : tr("pivot on ground, %1").arg(word);
  if (word.isEmpty()) return;
  p.setFont(uiFont(8.8, QFont::DemiBold));
  const QRectF box = p.fontMetrics().boundingRect(word).adjusted(0, 0, 14, 6);
  QRectF flag(end.x() + 14, end.y() - box.height() - 8, box.width(), box.height());
  if (flag.right() > scene_.width() - 4) flag.moveRight(end.x() - 14);
  p.setPen(QPen(theme().line, 1));
  p.setBrush(theme().panel);
  p.drawRoundedRect(flag, 5, 5);
  p.setPen(theme().accent);
  p.drawText(flag, Qt::AlignCenter, word);
}

}  // namespace cooperage::app
