// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Used within shape/ only: flat parts of lines and arcs, mm.
#include <Eigen/Core>
#include <TopoDS_Shape.hxx>
#include <TopoDS_Wire.hxx>
#include <vector>

namespace cooperage::shape::flat {

using Point2 = Eigen::Vector2d;

TopoDS_Shape cylinderAt(double x, double y, double radius, double from, double length);
TopoDS_Shape unified(const TopoDS_Shape& s);
TopoDS_Shape fuse(const TopoDS_Shape& a, const TopoDS_Shape& b);
TopoDS_Shape prism(const std::vector<Point2>& polygon, double z, double thickness);
/// The body with parallel sides about the segment from a to b, without its round ends.
TopoDS_Shape strip(const Point2& a, const Point2& b, double width, double z, double thickness);
TopoDS_Shape bored(TopoDS_Shape s, const std::vector<Point2>& at, double bore, double z, double thickness);
/// A strip with both round ends: a bar without bores, or the hole of a slot.
TopoDS_Shape roundEnded(const Point2& a, const Point2& b, double width, double z, double thickness);
/// The rim at a distance about a convex polygon (two points: a strip), counter-clockwise: lines and arcs.
TopoDS_Wire roundedRim(const std::vector<Point2>& hull, double radius, double z);
/// A flat part of even thickness with holes, without boolean operations: milliseconds instead of tens of them.
TopoDS_Shape flatPart(const TopoDS_Wire& rim, const std::vector<TopoDS_Wire>& holes, double thickness);
TopoDS_Wire round(const Point2& at, double radius, double z);
std::vector<TopoDS_Wire> rounds(const std::vector<Point2>& at, double bore, double z);
/// Bores that neither meet one another nor break through the rim.
bool boresFit(const std::vector<Point2>& at, double bore, double width);

}  // namespace cooperage::shape::flat
