// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "law_lanes.h"

namespace cooperage::app {

/// The law of a chosen cam over its machine degrees, as derivatives to the turn. Knots between the rows are dragged
/// along (how long) and up or down (how far).
class CamLanes : public LawLanes {
  Q_OBJECT
 public:
  CamLanes(Workbench& bench, QWidget* parent = nullptr);
  /// The curve whose law is shown: chosen itself, by its body, or by its contact. 0 for none.
  model::Id cam() const { return cam_; }
  /// Pixel of the knot between row i and the next, on the displacement.
  QPointF knotAt(int row) const { return pixelOfKnot(row + 1); }

 signals:
  void camChanged();

 protected:
  bool hasLaw() const override { return spec_ != nullptr; }
  double end() const override { return spec_->law->end(); }
  motion::Derivatives at(double x) const override { return spec_->law->derivatives(x); }
  std::vector<double> knots() const override { return spec_->law->knots(); }
  std::pair<int, int> draggable() const override { return {1, static_cast<int>(spec_->law->knots().size()) - 2}; }
  LaneText laneText(int lane, double most, double range) const override;
  Axis axis() const override;
  std::pair<QString, bool> reading(double x) const override;
  void dragKnot(int knot, const QPointF& to, Qt::KeyboardModifiers keys) override;

 private:
  void look();

  model::Id cam_ = 0;
  std::shared_ptr<const elements::CamSpec> spec_;
};

}  // namespace cooperage::app
