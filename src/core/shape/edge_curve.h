// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "curves/curve.h"
#include "shape/solid.h"

namespace cooperage::shape {

/// Edges of a solid, put end to end in whatever order they come, as one curve in the plane of a seat. Lines and arcs
/// are exact; other edges keep their own form. The parameter is the arc length in m.
/// @param edges    indices among the solid's edges, from 0
/// @param toSeat   solid's axes (m) to the axes of the seat
/// @param remarks  kinks of up to 2 degrees, with place and angle
/// @return an error that names the place and size of a gap, the angle of a kink, an edge that leaves the plane
Result<curves::CurvePtr> edgeCurve(const SolidPtr& solid, const std::vector<int>& edges, const Pose& toSeat,
                                   const std::string& name, std::vector<std::string>* remarks);

/// Edges around a face (its outer wire), in order.
std::vector<int> edgesAround(const SolidPtr& solid, int face);
/// The edges that go on from one without a kink of more than 2 degrees, as far as they lie in one plane, in order.
std::vector<int> tangentEdges(const SolidPtr& solid, int edge);
/// What a picked face (all around it) or edge (all that goes on from it) makes.
struct Outline {
  std::vector<int> edges;
  Pose plane;  ///< X_BS, m
};
Result<Outline> outlineAt(const SolidPtr& solid, const TopoDS_Shape& picked);
/// Plane in which edges lie, in the solid's axes, m: origin in their middle, axis square to it.
Result<Pose> planeOfEdges(const SolidPtr& solid, const std::vector<int>& edges);

}  // namespace cooperage::shape
