// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "model/edits.h"

/// Dimensions of links that are drawn as lines. What they hold is solved within each link: its points move as little as
/// can be until all dimensions are met. Points at one place are one point; figures that are formulas, and seats on
/// which curves lie, stay; pieces of a chain that are tangent stay tangent.
namespace cooperage::model {

/// Whether any link has one.
bool hasDimensions(const Mechanism& m);

/// The document with all its dimensions met. Where they are met already to rounding, it is the same document.
/// @return an error that names the link, where its dimensions contradict one another or a figure can't be worked out
Result<Mechanism> settled(const Mechanism& m);

/// How much of a link's lines is held.
struct Held {
  int free = 0;     ///< figures that are missing until its shape is fixed
  int surplus = 0;  ///< dimensions that say what others have said
};
Held heldOf(const Mechanism& m, Id link);
/// Whether a point or a piece of a link can't move any more within it.
bool isHeld(const Mechanism& m, Id link, const DimensionEnd& end);

/// What a dimension measures now, SI, whatever it should be. @return none if what it is of is gone
std::optional<double> measured(const Mechanism& m, Id link, const DrawnDimension& d);

/// The same dimension if there is one, by its kind and what it is of, either way round.
std::shared_ptr<const DrawnDimension> findDimension(const Link& link, DimensionKind kind,
                                                    const std::vector<DimensionEnd>& of);

/// Sets a dimension, a new one or one that is there, and moves the link's lines until it is met.
/// @param step by which it is rounded from now on; none: as before
Result<Mechanism> withDimension(const Mechanism& m, Id link, DimensionKind kind, const std::vector<DimensionEnd>& of,
                                const Field& value, const std::optional<Field>& step = std::nullopt);
/// Takes dimensions away: their lines are free again.
Mechanism withoutDimensions(const Mechanism& m, const std::vector<Id>& dimensions);

/// Moves points of a link, in its axes, m; all its dimensions stay met, other points move as little as can be.
struct PointMove {
  Id seat = 0;
  Eigen::Vector2d to{0, 0};
};
Result<Mechanism> withPointsMoved(const Mechanism& m, Id link, const std::vector<PointMove>& moves);

}  // namespace cooperage::model
