// SPDX-License-Identifier: GPL-3.0-or-later
#include "fastened_stand.h"

#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakePolygon.hxx>
#include <BRepPrimAPI_MakeCone.hxx>
#include <BRepPrimAPI_MakePrism.hxx>
#include <cmath>

#include "blocks.h"
#include "sample_assemblies.h"

namespace cooperage::demo {
namespace {

/// A hexagon about the z axis at a place.
Block hexagon(double x, double y, double flats, double z0, double z1) {
  BRepBuilderAPI_MakePolygon p;
  for (int i = 0; i < 6; ++i) {
    const double a = M_PI / 3 * i, r = flats / std::sqrt(3.0);
    p.Add(gp_Pnt(x + r * std::cos(a), y + r * std::sin(a), z0));
  }
  p.Close();
  return BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(p.Wire()).Face(), gp_Vec(0, 0, z1 - z0)).Shape();
}

Block cone(const gp_Ax2& at, double r0, double r1, double height) {
  return BRepPrimAPI_MakeCone(at, r0, r1, height).Shape();
}
gp_Ax2 up(double x, double y, double z) { return {gp_Pnt(x, y, z), gp_Dir(0, 0, 1)}; }

/// The same about the x axis: z becomes x.
TopoDS_Shape alongX(const TopoDS_Shape& s, double y, double z) {
  gp_Trsf t;
  t.SetDisplacement(gp_Ax3(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1)), gp_Ax3(gp_Pnt(0, y, z), gp_Dir(1, 0, 0)));
  return s.Moved(TopLoc_Location(t));
}

class Stand {
 public:
  explicit Stand(const FastenedStand& how) : h_(how), d_(how.bolt) {}

  std::vector<shape::StepPart> parts() {
    const double t = 10, foot = 8;  // base and bracket feet
    Block base = box(-100, 100, -40, 40, 0, t);
    std::vector<Block> brackets;
    for (const double x : {-60.0, 60.0}) {
      Block b = box(x - 25, x + 25, -30, 30, t, t + foot);
      b += box(x - 6, x + 6, -30, 30, t, 90);
      for (const double y : {-18.0, 18.0}) bolt(base, b, x + (x < 0 ? -16 : 16), y, t, t + foot);
      // the rod's bore
      b -= Block(alongX(upright(0, 0, 0.5 * h_.rod + 0.1, x - 20, x + 20).tidy(), 0, 65));
      brackets.push_back(b);
    }
    std::vector<shape::StepPart> out;
    add(out, base.tidy());
    for (Block& b : brackets) add(out, b.tidy());
    for (auto* some : {&bolts_, &nuts_, &washers_})
      for (Block& b : *some) add(out, b.tidy());
    add(out, alongX(upright(0, 0, 0.5 * h_.rod, -95, 95).tidy(), 0, 65));
    for (const double x : {-67.0 - h_.rod * 0.8, 67.0})
      add(out, alongX(nut(0, 0, h_.rod, x, x + 0.8 * h_.rod).tidy(), 0, 65));
    return out;
  }

 private:
  void add(std::vector<shape::StepPart>& out, const TopoDS_Shape& s) const {
    out.push_back({h_.splines ? asSplines(s) : s, "", {}, {}});
  }
  Block nut(double x, double y, double d, double z0, double z1) const {
    Block n = hexagon(x, y, 1.6 * d, z0, z1);
    n -= upright(x, y, 0.5 * 0.85 * d, z0 - 1, z1 + 1);  // drawn with the core of its thread
    if (h_.chamfers) n -= cone(up(x, y, z0), 0.5 * d, 0.5 * 0.85 * d, 0.075 * d);
    return n;
  }
  /// One bolt from above through both, with its holes.
  void bolt(Block& base, Block& bracket, double x, double y, double t, double top) {
    const double hole = 0.5 * d_ * 1.1, washer = h_.washers && !h_.tapped ? 0.2 * d_ : 0;
    const double low = h_.tapped ? 1 : -washer;
    bracket -= upright(x, y, hole, t - 1, top + 1);
    base -= upright(x, y, h_.tapped ? 0.5 * d_ * 0.85 : hole, h_.tapped ? 0.5 : -1, t + 1);
    if (h_.chamfers) {
      bracket -= cone(up(x, y, t), hole + 0.5, hole, 0.5);
      base -= h_.tapped ? cone(up(x, y, t - 0.5), 0.5 * d_ * 0.85, 0.5 * d_ * 0.85 + 0.5, 0.5)
                        : cone(up(x, y, t - 0.5), hole, hole + 0.5, 0.5);
    }
    const double tip = h_.tapped ? low : low - 1.2 * d_;
    Block b = upright(x, y, 0.5 * d_, tip, top + 0.1);
    b += h_.socket ? upright(x, y, 0.75 * d_, top, top + d_) : hexagon(x, y, 1.6 * d_, top, top + 0.65 * d_);
    if (h_.socket) b -= hexagon(x, y, 0.75 * d_, top + 0.5 * d_, top + d_ + 1);
    if (h_.chamfers) {
      Block end = upright(x, y, d_, tip - 1, tip + 0.1 * d_);
      end -= cone(up(x, y, tip), 0.4 * d_, 0.5 * d_, 0.1 * d_);
      b -= end;
    }
    bolts_.push_back(b);
    if (h_.tapped) return;
    nuts_.push_back(nut(x, y, d_, low - 0.8 * d_, low));
    if (washer == 0) return;
    Block w = upright(x, y, d_, -washer, 0);
    w -= upright(x, y, 0.525 * d_, -washer - 1, 1);
    washers_.push_back(w);
  }

  FastenedStand h_;
  double d_;
  std::vector<Block> bolts_, nuts_, washers_;
};

}  // namespace

std::vector<shape::StepPart> fastenedStand(const FastenedStand& how) { return Stand(how).parts(); }

}  // namespace cooperage::demo
