// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <TopoDS_Shape.hxx>
#include <optional>

namespace cooperage::shape {

/// How far the triangles that a shape carries lie from its true faces at most, mm, by proof and not by the mesher's
/// word; none where that can't be told.
///
/// A triangle whose corners lie on a surface S(u, v), within du and dv of one another, is nowhere farther from it than
/// (Muu du^2 + 2 Muv du dv + Mvv dv^2) / 8, M bounds of the second derivatives (Taylor about the place; the variance of
/// what lies within a range d is d^2 / 4 at most). Planes, cylinders, cones, spheres and tori have them in closed form.
/// Balls and tori are told by their curvature k, too: the distance from the surface bends by no more than that, and so
/// is k r^2 / 2 at most in a triangle that a ball of radius r holds. Edges must be straight in the parameters of such a
/// face, so that its triangles leave nothing of it out; in a plane they may be lines, circles and ellipses, whose
/// chords count. What corners and edges may stand off the faces by (their tolerances) is added. Free-form faces and
/// edges: none.
std::optional<double> meshBound(const TopoDS_Shape& shape);

}  // namespace cooperage::shape
