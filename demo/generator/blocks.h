// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <BRepAlgoAPI_Cut.hxx>
#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <ShapeUpgrade_UnifySameDomain.hxx>
#include <TopoDS_Shape.hxx>

/// Solids of the workshop's made-up assemblies, mm.
namespace cooperage::demo {

/// A solid that can be added to and cut from.
class Block {
 public:
  Block(TopoDS_Shape s) : shape_(std::move(s)) {}  // NOLINT(google-explicit-constructor): shapes are blocks
  Block& operator+=(const Block& b) {
    shape_ = BRepAlgoAPI_Fuse(shape_, b.shape_).Shape();
    return *this;
  }
  Block& operator-=(const Block& b) {
    shape_ = BRepAlgoAPI_Cut(shape_, b.shape_).Shape();
    return *this;
  }
  TopoDS_Shape tidy() const {
    ShapeUpgrade_UnifySameDomain u(shape_);
    u.Build();
    return u.Shape();
  }

 private:
  TopoDS_Shape shape_;
};

inline Block box(double x0, double x1, double y0, double y1, double z0, double z1) {
  return BRepPrimAPI_MakeBox(gp_Pnt(x0, y0, z0), gp_Pnt(x1, y1, z1)).Shape();
}
inline Block upright(double x, double y, double r, double z0, double z1) {
  return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(x, y, z0), gp_Dir(0, 0, 1)), r, z1 - z0).Shape();
}
inline Block alongX(double y, double z, double r, double x0, double x1) {
  return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(x0, y, z), gp_Dir(1, 0, 0)), r, x1 - x0).Shape();
}
inline Block alongY(double x, double z, double r, double y0, double y1) {
  return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(x, y0, z), gp_Dir(0, 1, 0)), r, y1 - y0).Shape();
}
inline Block ball(double x, double y, double z, double r) { return BRepPrimAPI_MakeSphere(gp_Pnt(x, y, z), r).Shape(); }

}  // namespace cooperage::demo
