// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <memory>
#include <vector>

#include "shape/solid.h"

namespace cooperage::shape {

/// One face of a solid as what it is, also where the file holds it as a spline surface. Figures in m, axes of the
/// solid.
struct Face {
  int index = 0;           ///< among the solid's faces, from 0
  model::Feature feature;  ///< kind, place, axis, radius
  double angle = 0;        ///< of a cylinder or cone: how far it reaches round its axis, rad
  double halfAngle = 0;    ///< of a cone, rad
  double share = 0;        ///< of a sphere: how much of the whole it is
  /// Of a plane: its triangles in the solid's axes.
  std::vector<std::array<Vec3, 3>> triangles;
  Vec3 low{0, 0, 0}, high{0, 0, 0};  ///< box around it
};

/// All faces of one solid, found once.
struct SolidFaces {
  std::vector<Face> faces;
  Vec3 low{0, 0, 0}, high{0, 0, 0};
};
using SolidFacesPtr = std::shared_ptr<const SolidFaces>;

/// Finds out what every face is. Spline surfaces are sampled: equal normals are a plane, normals square to one
/// direction and a common distance a cylinder, normals through one point a sphere (to 1e-3 of their size).
SolidFacesPtr facesOf(const TopoDS_Shape& solid);

/// What a face, edge or corner of a solid is, with the kinds of the faces beside it.
model::Feature featureOf(const TopoDS_Shape& solid, const TopoDS_Shape& part);

/// The same without its neighbourhood: quick enough for every move of the pointer.
model::Feature featureOf(const TopoDS_Shape& part);

/// Its edges as lines to draw, in its own axes, m.
std::vector<std::vector<Vec3>> linesOf(const TopoDS_Shape& shape);

/// Faces, edges and corners of a solid that could be the one that a seat came from, nearest in kind and place first.
struct Found {
  TopoDS_Shape part;
  model::Feature feature;
  double distance = 0;  ///< of its place from the one that was asked for, m
  bool same = false;    ///< kind, radius, axis and place agree to the tolerance
  bool alike = false;   ///< kind, radius and axis agree, its place is another
};
/// @param tolerance m; how far the place may be off to be the same
std::vector<Found> findAgain(const TopoDS_Shape& solid, const model::Feature& wanted, double tolerance = 1e-5);

}  // namespace cooperage::shape
