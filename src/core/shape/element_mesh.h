// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>

#include "shape/solid.h"

namespace cooperage::shape {

/// Triangles of a gear, ring, rack, bevel gear or worm straight from its outline, each chord's and patch's distance
/// from the true surface bounded in closed form; none of other kinds, or where that can't be done (a hub wider than the
/// root): those are left to the general mesher.
///
/// The surface between two stations is S(s, z) = R(w z) p(s). A triangle over a step of length L along the outline, of
/// curvature k or less, and h along the axis lies within (k L^2 + 2 w L h + w^2 r h^2) / 8 of it, r the distance from
/// the axis (linear interpolation on a triangle: Waldron, SIAM J. Numer. Anal. 35 (1998), 1191). Prisms and bevels are
/// ruled by straight lines: there only the chords count.
/// @param figures as elementShape() takes them
/// @param deflection greatest distance of mesh and surface, m
bool hasElementMesh(model::BodyKind kind);
std::optional<Mesh> elementMesh(model::BodyKind kind, const std::vector<double>& figures, double deflection);

}  // namespace cooperage::shape
