// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QPointF>
#include <QString>

#include "../scene/scene.h"
#include "model/layout.h"

namespace cooperage::app {

/// Where the pointer lands on a sheet, and what that is called.
struct Snap {
  model::LayoutSpot spot;
  QPointF at;    ///< pixels
  QString word;  ///< "pivot of crank", "end of line 3", "horizontal"; empty: nothing there
  bool isPivot = false;
  model::Id guide = 0;  ///< a loose curve along which the end slides
};

/// Finds what the pointer lands on: pivots first, then ends, centres and middles of lines, crossings, where a circle is
/// touched and a line met squarely, lines on which an end can slide, the horizontal and the vertical, and round places.
class Snaps {
 public:
  Snaps(Workbench& bench, Scene& scene) : bench_(bench), scene_(scene) {}

  /// @param from  where the link begins, sheet axes; none before the first click
  /// @param held  link that the new one begins on: its own places don't answer
  /// @param loose a held key lets go of everything
  /// @param joins whether an end on a line slides along it, as that of a link
  Snap at(model::Id sheet, const QPointF& pointer, const std::optional<Eigen::Vector2d>& from, model::Id held,
          bool loose, bool joins = true);
  /// The plane of a sheet, ground axes; of none the plane x, y.
  Pose plane(model::Id sheet) const;
  /// Place on the sheet under a pixel.
  Eigen::Vector2d onSheet(const Pose& plane, const QPointF& pointer) const;
  QPointF toPixels(const Pose& plane, const Eigen::Vector2d& at) const;
  /// A round length at this zoom, m: places snap to it.
  double round() const;

 private:
  Workbench& bench_;
  Scene& scene_;
};

}  // namespace cooperage::app
