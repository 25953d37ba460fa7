// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <vector>

#include "drawing/outline.h"

namespace cooperage::app {

/// What a click of the pencil makes: a link from pivot to pivot, a curve on the sheet, or a dimension.
enum class DrawTool { link, line, rectangle, circle, arc, centreArc, spline, dimension };

/// How many points end a curve; a spline takes any number.
std::size_t pointsWanted(DrawTool tool);
/// The curve through points: of a line its last two; of an arc its ends and a point between, or its centre first; while
/// points are missing, what there is so far. @return none if they make no curve
std::optional<drawing::Outline> curveThrough(DrawTool tool, const std::vector<Eigen::Vector2d>& points);

}  // namespace cooperage::app
