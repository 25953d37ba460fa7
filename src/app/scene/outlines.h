// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QPointF>
#include <QRectF>
#include <unordered_map>
#include <vector>

#include "../workbench/workbench.h"
#include "drawing/outline.h"

class QPainter;

namespace cooperage::app {

class Scene;

/// The lines of sheets and links as they are drawn in the scene: a link's in its colour, what belongs to no link grey,
/// construction dashed, what its drawing holds no more in the colour of a warning.
class Outlines {
 public:
  Outlines(Workbench& bench, Scene& scene) : bench_(bench), scene_(scene) {}

  struct Line {
    std::shared_ptr<const model::Curve> curve;
    model::Id link = 0;   ///< 0: it lies on a sheet and belongs to none
    int index = -1;       ///< of the link
    model::Id sheet = 0;  ///< of one that belongs to no link
    Pose frame;           ///< its plane, ground axes
    const std::vector<Eigen::Vector2d>* points = nullptr;
    const drawing::Outline* outline = nullptr;  ///< exact; without pieces where there is none
    Eigen::Vector2d middle{0, 0};               ///< of a circle around it and its centres
    double radius = 0;
  };
  /// Whether a line may come within so many pixels of a place: most are told off by the circle around them.
  bool isNear(const Line& line, const QPointF& at, double reach) const;
  /// All that are shown, where they are seen.
  std::vector<Line> lines();
  void paint(QPainter& p);
  /// The link or the loose curve whose line is there, 0 if none. @param place receives where, ground axes
  model::Id at(const QPointF& at, Vec3* place = nullptr);
  /// The curve whose line is there. @param first of lines over one another that of this link comes first
  std::optional<Line> lineAt(const QPointF& at, model::Id first = 0, Vec3* place = nullptr);
  /// All that belongs to other links, or to none, fades; none: nothing does.
  void setFocus(std::optional<model::Id> link) { focus_ = link; }
  /// Links and loose curves that lie wholly in a box.
  std::vector<model::Id> within(const QRectF& box);
  /// Corners of all that is shown, ground axes; of one link if that is asked for.
  std::vector<Vec3> extent(model::Id link = 0);

 private:
  struct Known {
    std::shared_ptr<const model::Curve> curve;
    model::MechanismPtr of;  ///< where its figures are formulas: the document that they were worked out in
    drawing::Outline outline;
    std::vector<Eigen::Vector2d> points;
    drawing::Box box;  ///< of the curve and the centres of its arcs
  };
  const Known& knownOf(const std::shared_ptr<const model::Curve>& curve);
  void paintTexts(QPainter& p, const std::vector<Line>& all);
  Line lineOf(const std::shared_ptr<const model::Curve>& curve, const Pose& frame);

  Workbench& bench_;
  Scene& scene_;
  std::optional<model::Id> focus_;
  std::unordered_map<const model::Curve*, Known> known_;
};

}  // namespace cooperage::app
