// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "../scene/plane_picks.h"
#include "scene_mode.h"

class QToolButton;

namespace cooperage::app {

/// Joins links in the plane by what is picked on their outlines: where two links meet one click makes a pin; else the
/// first pick is on one link, the second on another. Places that don't fit are named with how far apart they are, and
/// joined at a second click only.
class Joiner : public SceneMode {
  Q_OBJECT
 public:
  Joiner(Workbench& bench, Scene& scene);
  void start();
  QString prompt() const override;
  /// The next of the places under the pointer.
  void step(int by);

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;
  bool stepBack() override;
  void ended() override;
  void paint(QPainter& p) override;
  void documentChanged() override;

 private:
  void hover(const QPointF& at);
  void click(Qt::KeyboardModifiers keys);
  void pinAll();
  bool take(const QString& text, const Result<model::PlaneJoint>& made);
  /// The points of different links that are one with the nearest, or near it.
  std::vector<model::PlanePick> meeting(double within) const;
  const PickUnder* present() const;
  void lookForPlaces();

  QToolButton* all_;
  QPointF pointer_;
  std::vector<PickUnder> under_;
  std::vector<std::vector<model::PlanePick>> places_;  ///< where pins are missing; looked for after a change only
  std::size_t step_ = 0;
  std::optional<PickUnder> first_;
  std::optional<model::PlanePick> asked_;  ///< a second pick that doesn't fit the first, clicked once
};

}  // namespace cooperage::app
