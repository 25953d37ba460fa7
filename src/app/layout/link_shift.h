// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <QPointF>
#include <optional>

#include "../scene/scene.h"

namespace cooperage::app {

/// Shows one link away from the others while its row is dragged into the scene: what moves with it belongs to it.
/// Nothing is changed by it.
class LinkShift : public QObject {
  Q_OBJECT
 public:
  LinkShift(Workbench& bench, Scene& scene) : QObject(&scene), bench_(bench), scene_(scene) {}
  /// @param at pointer, on the screen
  void move(model::Id link, const QPointF& at);
  void end();

 private:
  Workbench& bench_;
  Scene& scene_;
  std::optional<QPointF> from_;
  std::vector<Pose> stood_;
};

}  // namespace cooperage::app
