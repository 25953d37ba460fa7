// SPDX-License-Identifier: GPL-3.0-or-later
#include "many_parts.h"

#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakePolygon.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <BRepPrimAPI_MakePrism.hxx>
#include <cmath>
#include <gp_Circ.hxx>
#include <gp_Pln.hxx>

#include "shape/solid.h"

namespace cooperage::demo {
namespace {

/// A plate with a row of bores, made of one face: quick, however many they are.
TopoDS_Shape plate(double length, double width, double thickness, int holes) {
  const BRepBuilderAPI_MakePolygon rim(gp_Pnt(0, 0, 0), gp_Pnt(length, 0, 0), gp_Pnt(length, width, 0),
                                       gp_Pnt(0, width, 0), true);
  BRepBuilderAPI_MakeFace face(gp_Pln(gp::XOY()), BRepBuilderAPI_MakePolygon(rim).Wire());
  const int rows = static_cast<int>(std::ceil(std::sqrt(holes / 2.0)));
  const int columns = (holes + rows - 1) / rows;
  const double radius = 0.3 * std::min(width / rows, length / columns);
  for (int i = 0; i < holes; ++i) {
    const double x = length * (i % columns + 0.5) / columns, y = width * (i / columns + 0.5) / rows;
    const gp_Circ circle(gp_Ax2(gp_Pnt(x, y, 0), gp_Dir(0, 0, -1)), radius);
    face.Add(BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(circle).Edge()).Wire());
  }
  return BRepPrimAPI_MakePrism(face.Face(), gp_Vec(0, 0, thickness)).Shape();
}

}  // namespace

bool makeManyParts(const std::filesystem::path& file, int parts, int different, int holes) {
  std::vector<shape::StepPart> list;
  std::vector<TopoDS_Shape> shapes;
  for (int i = 0; i < parts; ++i) {
    if (i < different) shapes.push_back(plate(80 + i % 7, 30 + i % 5, 6 + i % 3, holes));
    const TopoDS_Shape& s = shapes[static_cast<std::size_t>(i % different)];
    Pose at;
    at.p = Vec3(0.1 * (i % 25), 0.05 * (i / 25 % 10), 0.03 * (i / 250));
    list.push_back({s, "stave " + std::to_string(i + 1), {}, at});
  }
  return shape::writeStep(list, "yard", file).ok();
}

}  // namespace cooperage::demo
