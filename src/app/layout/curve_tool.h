// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <vector>

#include "drawing/outline.h"

namespace cooperage::app {

/// What a click of the pencil makes: a link from pivot to pivot, one more pivot of a link, a link with an outline by
/// its corners, a curve on the sheet, or a dimension.
enum class DrawTool { link, pivot, plate, line, rectangle, circle, arc, centreArc, spline, dimension };

/// Whether it draws a curve on the sheet.
bool drawsCurve(DrawTool tool);
/// How many points end a curve; a spline and a plate take any number.
std::size_t pointsWanted(DrawTool tool);
/// The curve through points: of a line its last two; of an arc its ends and a point between, or its centre first; while
/// points are missing, what there is so far. @return none if they make no curve
std::optional<drawing::Outline> curveThrough(DrawTool tool, const std::vector<Eigen::Vector2d>& points);

}  // namespace cooperage::app
