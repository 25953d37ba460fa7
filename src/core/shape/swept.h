// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Used within shape/ only: solids from closed outlines, swept straight, along a helix, or tapering.
#include <Geom_Curve.hxx>
#include <TopoDS_Shape.hxx>
#include <vector>

#include "base/geometry.h"

namespace cooperage::shape {

/// One smooth piece of an outline in a plane, in mm: points at rising parameters, with the derivatives at both ends.
/// A piece of two points is straight unless it is an arc.
struct OutlinePiece {
  std::vector<double> at;
  std::vector<Eigen::Vector2d> points;
  Eigen::Vector2d first, last;  ///< derivatives to `at` at both ends
  bool arc = false;             ///< about the origin, or about `centre`
  Eigen::Vector2d centre{0, 0};
};
/// Piece of a function, sampled at n points (exact at them, cubic between).
template <class F>
OutlinePiece pieceOf(F at, double from, double to, int n) {
  OutlinePiece p;
  for (int i = 0; i < n; ++i) {
    const double u = from + (to - from) * i / (n - 1);
    const auto [x, slope] = at(u);
    p.at.push_back(to > from ? u : -u);
    p.points.push_back(x);
    if (i == 0) p.first = to > from ? slope : Eigen::Vector2d(-slope);
    p.last = to > from ? slope : Eigen::Vector2d(-slope);
  }
  return p;
}
OutlinePiece straight(const Eigen::Vector2d& a, const Eigen::Vector2d& b);
OutlinePiece arcPiece(const Eigen::Vector2d& a, const Eigen::Vector2d& b, const Eigen::Vector2d& centre);
/// The piece turned about the origin; the piece run backwards; its mirror image in x, run backwards.
OutlinePiece turnedPiece(const OutlinePiece& p, double angle);
OutlinePiece mirrored(const OutlinePiece& p);

/// Where the outline stands at one height: turned, and scaled about the axis.
struct Station {
  double z = 0, turn = 0, scale = 1;
};

/// The solid within a closed counter-clockwise outline, from the first station to the last. Between them it runs
/// straight (two stations) or smoothly (more). With a bore: radius of a round hole along the axis, 0 for none. With a
/// rim, the solid lies between the outline and the rim instead (a ring).
TopoDS_Shape sweptSolid(const std::vector<OutlinePiece>& outline, const std::vector<Station>& stations, double bore,
                        double rim = 0);
/// The same with a prism: faces of arcs become true cylinders. Holes are closed outlines too.
TopoDS_Shape prismSolid(const std::vector<OutlinePiece>& outline, const std::vector<std::vector<OutlinePiece>>& holes,
                        double z, const gp_Vec& along);
std::vector<OutlinePiece> circleOutline(double radius);

}  // namespace cooperage::shape
