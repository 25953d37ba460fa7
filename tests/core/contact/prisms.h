// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Outlines as solids, for distances by the modelling kernel.
#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <BRepExtrema_DistShapeShape.hxx>
#include <BRepPrimAPI_MakePrism.hxx>
#include <GC_MakeArcOfCircle.hxx>
#include <TopLoc_Location.hxx>
#include <gp_Circ.hxx>

#include "contact/outline.h"
#include "shape/placement.h"

namespace cooperage::contact::test {

/// In mm, as solids are.
inline TopoDS_Shape prism(const Loop& loop, double low = -0.005, double high = 0.005) {
  const auto at = [&](const Vec2& x) { return gp_Pnt(1e3 * x.x(), 1e3 * x.y(), 1e3 * low); };
  BRepBuilderAPI_MakeWire wire;
  for (const Piece& p : loop) {
    if (p.radius == 0) {
      wire.Add(BRepBuilderAPI_MakeEdge(at(p.from), at(p.to)));
      continue;
    }
    const gp_Circ circle(gp_Ax2(at(p.centre), gp_Dir(0, 0, p.ccw ? 1 : -1)), 1e3 * p.radius);
    if (p.from == p.to)
      wire.Add(BRepBuilderAPI_MakeEdge(circle));
    else
      wire.Add(BRepBuilderAPI_MakeEdge(GC_MakeArcOfCircle(circle, at(p.from), at(p.to), true).Value()));
  }
  return BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(wire.Wire()), gp_Vec(0, 0, 1e3 * (high - low)));
}

/// Distance of two solids at their poses, mm; 0 where they share space.
inline double distance(const TopoDS_Shape& a, const Pose& atA, const TopoDS_Shape& b, const Pose& atB) {
  BRepExtrema_DistShapeShape d(a.Moved(TopLoc_Location(shape::toTrsf(atA))),
                               b.Moved(TopLoc_Location(shape::toTrsf(atB))));
  return d.IsDone() ? d.InnerSolution() ? 0 : d.Value() : -1;
}

}  // namespace cooperage::contact::test
