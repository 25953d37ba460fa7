// SPDX-License-Identifier: GPL-3.0-or-later
#include "sample_assemblies.h"

#include "blocks.h"

#include <BRepAlgoAPI_Cut.hxx>
#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakePolygon.hxx>
#include <BRepBuilderAPI_NurbsConvert.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCone.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakePrism.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <ShapeUpgrade_ShapeDivideAngle.hxx>
#include <ShapeUpgrade_UnifySameDomain.hxx>
#include <cmath>

namespace cooperage::demo {
namespace {

using model::JointKind;

/// A flat bar between two pivots in the plane, with round ends.
Block bar(double x0, double y0, double x1, double y1, double half, double z0, double z1) {
  const double l = std::hypot(x1 - x0, y1 - y0), dx = (y0 - y1) / l * half, dy = (x1 - x0) / l * half;
  BRepBuilderAPI_MakePolygon p(gp_Pnt(x0 + dx, y0 + dy, z0), gp_Pnt(x1 + dx, y1 + dy, z0), gp_Pnt(x1 - dx, y1 - dy, z0),
                               gp_Pnt(x0 - dx, y0 - dy, z0), true);
  Block b = BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(p.Wire()).Face(), gp_Vec(0, 0, z1 - z0)).Shape();
  b += upright(x0, y0, half, z0, z1);
  b += upright(x1, y1, half, z0, z1);
  return b;
}
/// A pin with a head that keeps what turns on it: shank from z0, head above z1.
Block headedPin(double x, double y, double r, double z0, double z1, double p) {
  Block b = upright(x, y, r - p, z0, z1 + 5);
  b += upright(x, y, r + 4, z1 + p, z1 + 5);
  return b;
}

Sample hoopLever(double p) {
  Block frame = box(-20, 140, -20, 20, 0, 10);
  frame += headedPin(0, 0, 8, 10, 22, p);
  frame += headedPin(120, 0, 8, 10, 22, p);
  Block crank = bar(0, 0, 0, 40, 12, 10 + p, 22);
  crank -= upright(0, 0, 8, 0, 40);
  crank += headedPin(0, 40, 6, 22, 34, p);
  Block rocker = bar(120, 0, 120, 60, 12, 10 + p, 22);
  rocker -= upright(120, 0, 8, 0, 40);
  rocker += headedPin(120, 60, 6, 22, 34, p);
  Block rod = bar(0, 40, 120, 60, 10, 22 + p, 34);
  rod -= upright(0, 40, 6, 0, 60);
  rod -= upright(120, 60, 6, 0, 60);
  return {"hoop lever",
          {{"frame", frame.tidy()}, {"crank", crank.tidy()}, {"rod", rod.tidy()}, {"rocker", rocker.tidy()}},
          {{0, 1, JointKind::revolute},
           {1, 2, JointKind::revolute},
           {2, 3, JointKind::revolute},
           {0, 3, JointKind::revolute}},
          {{0, 2}}};
}

Sample ramPress(double p) {
  Block frame = box(-20, 270, -30, 30, 0, 10);
  frame += headedPin(0, 0, 8, 10, 22, p);
  for (double side : {1.0, -1.0}) {
    const double y0 = side > 0 ? 15 + p : -25, y1 = side > 0 ? 25 : -15 - p;
    frame += box(150, 260, y0, y1, 10, 40);
    frame += box(190, 260, side > 0 ? 5 : -25, side > 0 ? 25 : -5, 30 + p, 40);
  }
  Block crank = bar(0, 0, 30, 30, 12, 10 + p, 22);
  crank -= upright(0, 0, 8, 0, 40);
  crank += upright(30, 30, 10, 22, 30);
  crank += headedPin(30, 30, 6, 30, 42, p);
  Block rod = bar(30, 30, 160, 0, 10, 30 + p, 42);
  rod -= upright(30, 30, 6, 0, 60);
  rod -= upright(160, 0, 6, 0, 60);
  Block ram = box(150, 230, -15, 15, 10 + p, 30);
  ram += headedPin(160, 0, 6, 30, 42, p);
  return {"ram press",
          {{"frame", frame.tidy()}, {"crank", crank.tidy()}, {"rod", rod.tidy()}, {"ram", ram.tidy()}},
          {{0, 1, JointKind::revolute},
           {1, 2, JointKind::revolute},
           {2, 3, JointKind::revolute},
           {0, 3, JointKind::prismatic}},
          {{0, 2}}};
}

Sample staveSwing(double p) {
  Block frame = box(-20, 170, -20, 20, 0, 10);
  frame += headedPin(0, 0, 8, 10, 22, p);
  frame += headedPin(150, 0, 8, 10, 22, p);
  const auto arm = [&](double x, double y) {
    Block b = bar(x, 0, x, y, 12, 10 + p, 22);
    b -= upright(x, 0, 8, 0, 40);
    b += upright(x, y, 4, 22, 36);
    b += ball(x, y, 36, 8 - p);
    return b;
  };
  Block rod = bar(0, 40, 150, 50, 6, 36, 42);
  for (const auto& [x, y] : {std::pair{0.0, 40.0}, {150.0, 50.0}}) {
    rod += ball(x, y, 36, 13);
    rod -= ball(x, y, 36, 8);
    rod -= box(x - 20, x + 20, y - 20, y + 20, 10, 32);
  }
  return {"stave swing",
          {{"frame", frame.tidy()}, {"crank", arm(0, 40).tidy()}, {"rod", rod.tidy()}, {"rocker", arm(150, 50).tidy()}},
          {{0, 1, JointKind::revolute},
           {0, 3, JointKind::revolute},
           {1, 2, JointKind::spherical},
           {2, 3, JointKind::spherical}},
          {}};
}

Sample headScrew(double p) {
  Block frame = box(-70, 70, -25, 25, 100, 120);
  frame -= upright(0, 0, 8, 90, 130);
  for (double side : {1.0, -1.0}) {
    Block column = side > 0 ? box(45, 70, -25, 25, 0, 100) : box(-70, -45, -25, 25, 0, 100);
    column -= side > 0 ? box(40, 55, -15 - p, 15 + p, -1, 101) : box(-55, -40, -15 - p, 15 + p, -1, 101);
    frame += column;
  }
  Block spindle = upright(0, 0, 10, 34 + p, 160);
  spindle += upright(0, 0, 6 - p, 20, 40);
  spindle += upright(0, 0, 9 - p, 16 + p, 24 - p);
  Block pad = box(-55 + p, 55 - p, -15, 15, 10, 34);
  pad -= upright(0, 0, 9, 16, 24);
  pad -= upright(0, 0, 6, 20, 40);
  return {"head screw",
          {{"frame", frame.tidy()}, {"spindle", spindle.tidy()}, {"pad", pad.tidy()}},
          {{0, 1, JointKind::screw}, {1, 2, JointKind::revolute}, {0, 2, JointKind::prismatic}},
          {}};
}

Sample crozeYoke(double p) {
  Block frame = box(-50, 180, -60, 60, 0, 10);
  frame += headedPin(0, 0, 8, 10, 20, p);
  frame += box(90, 130, -25, 25, 10, 50);
  frame -= box(80, 140, -8 - p, 8 + p, 20, 34 + p);
  Block crank = upright(0, 0, 40, 10 + p, 20);
  crank -= upright(0, 0, 8, 0, 40);
  crank += headedPin(30, 0, 6, 20, 34, p);
  Block yoke = box(15, 45, -50, 50, 20 + p, 34);
  yoke -= bar(30, -34, 30, 34, 6, 10, 50);
  yoke += box(45, 160, -8, 8, 20 + p, 34);
  return {"croze yoke",
          {{"frame", frame.tidy()}, {"crank", crank.tidy()}, {"yoke", yoke.tidy()}},
          {{0, 1, JointKind::revolute}, {1, 2, JointKind::pinSlot}, {0, 2, JointKind::prismatic}},
          {}};
}

Sample caskCart(double p) {
  Block frame = box(-50, 50, -40, 40, -10, 0);
  frame += box(-50, 50, -40, -30, 0, 60);
  frame += box(-50, 50, 30, 40, 0, 60);
  frame -= alongY(0, 30, 10, -50, 50);
  frame -= alongY(30, 45, 6, -50, 50);
  Block axle = alongY(0, 30, 10 - p, -70, 70);
  const auto wheel = [&](double y0, double y1) {
    Block b = alongY(0, 30, 50, y0, y1);
    b -= alongY(0, 30, 10, y0 - 1, y1 + 1);
    return b;
  };
  Block shaft = alongY(30, 45, 6 - p, -45, 45);
  shaft += alongY(30, 45, 9, -30 + p, -24);
  shaft += alongY(30, 45, 9, 24, 30 - p);
  Block roller = alongY(30, 45, 8.5, -20, 20);
  roller -= alongY(30, 45, 6, -21, 21);
  return {"cask cart",
          {{"frame", frame.tidy()},
           {"axle", axle.tidy()},
           {"wheel left", wheel(50, 62).tidy()},
           {"wheel right", wheel(-62, -50).tidy()},
           {"shaft", shaft.tidy()},
           {"roller", roller.tidy()}},
          {{0, 1, JointKind::cylindrical},
           {1, 2, JointKind::cylindrical},
           {1, 3, JointKind::cylindrical},
           {0, 4, JointKind::revolute},
           {4, 5, JointKind::cylindrical}},
          {{0, 2}, {0, 3}}};
}

Sample planingTable(double p) {
  Block bed = box(-100, 100, -60, 60, 0, 10);
  bed += box(-100, 100, -60, 60, 20 + p, 30);
  bed += box(-100, -90, -60, 60, -40, 30);
  bed += box(90, 100, -60, 60, -40, 30);
  bed += box(-100, 100, -60, 60, -40, -30);
  Block foot = ball(0, 0, -15, 15 - p);
  foot += alongX(0, -15, 4, 0, 60);
  return {"planing table",
          {{"bed", bed.tidy()}, {"table", box(-60, 60, -40, 40, 10 + p, 20).tidy()}, {"foot", foot.tidy()}},
          {{0, 1, JointKind::planar}, {0, 2, JointKind::pointPlane}},
          {}};
}

Sample bungBorer(double p) {
  const auto tail = [](double root, double crest, double depth, double z0, double z1) {
    BRepBuilderAPI_MakePolygon w(gp_Pnt(-root, 0, z0), gp_Pnt(-crest, depth, z0), gp_Pnt(crest, depth, z0),
                                 gp_Pnt(root, 0, z0), true);
    return Block(BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(w.Wire()).Face(), gp_Vec(0, 0, z1 - z0)).Shape());
  };
  Block column = box(-20, 20, -20, 0, 0, 200);
  column += tail(8, 12, 10, 0, 200);
  Block saddle = box(-25, 25, p, 32, 60, 120);
  saddle -= tail(8 + p, 12 + p, 10 + p, 50, 130);
  saddle -= upright(0, 20, 10, 50, 130);
  saddle += alongX(15, 90, 6 - p, 25, 42);
  saddle += alongX(15, 90, 10, 37 + p, 42);
  Block handle = box(25 + p, 37, 7, 23, 20, 100);
  handle -= alongX(15, 90, 6, 20, 40);
  return {"bung borer",
          {{"column", column.tidy()},
           {"saddle", saddle.tidy()},
           {"spindle", upright(0, 20, 10 - p, 20, 180).tidy()},
           {"handle", handle.tidy()}},
          {{0, 1, JointKind::prismatic}, {1, 2, JointKind::cylindrical}, {1, 3, JointKind::revolute}},
          {{0, 2}}};  // the spindle grazes the way
}

Sample caskCrane(double p) {
  Block base = box(-40, 40, -40, 40, 0, 60);
  base -= BRepPrimAPI_MakeCone(gp_Ax2(gp_Pnt(0, 0, 20), gp_Dir(0, 0, 1)), 10, 20, 40).Shape();
  Block column = BRepPrimAPI_MakeCone(gp_Ax2(gp_Pnt(0, 0, 20 + p), gp_Dir(0, 0, 1)), 10, 20, 40).Shape();
  column += upright(0, 0, 15, 60 + p, 200);
  column += box(-10, 10, -10, 10, 195, 230);
  column -= alongY(0, 215, 6, -20, 20);
  Block boom = alongY(0, 215, 6 - p, -18, 18);
  boom += box(-12, 60, 10 + p, 18, 203, 227);
  boom += box(-12, 60, -18, -10 - p, 203, 227);
  boom += box(40, 140, -18, 18, 203, 233);
  boom -= alongX(0, 215, 8, 30, 150);
  boom -= box(30, 150, -3, 3, 190, 215);
  Block hook = ball(90, 0, 215, 8 - p);
  hook += upright(90, 0, 2.5, 180, 213);
  return {"cask crane",
          {{"base", base.tidy()}, {"column", column.tidy()}, {"boom", boom.tidy()}, {"hook", hook.tidy()}},
          {{0, 1, JointKind::revolute}, {1, 2, JointKind::revolute}, {2, 3, JointKind::pointLine}},
          {}};
}

Sample caskStand(double p) {
  Block table = box(-150, 150, -80, 80, 0, 20);
  table -= upright(-110, -40, 4, 5, 30);
  table -= upright(-110, 40, 4, 5, 30);
  table -= upright(-110, 0, 4.6, -1, 30);
  for (double y : {-40.0, 30.0}) table += box(150, 170, y, y + 10, 0, 40);
  table -= alongY(160, 30, 5, -50, 50);
  Block cover = box(-140, -80, -60, 60, 20, 30);
  cover += upright(-110, -40, 4 - p, 10, 20);
  cover += upright(-110, 40, 4 - p, 10, 20);
  cover -= upright(-110, 0, 4.6, 10, 40);
  Block bolt = upright(-110, 0, 4, -5, 30);
  bolt += upright(-110, 0, 8, 30, 36);
  Block lid = alongY(160, 30, 10, -30 + p, 30 - p);
  lid += alongY(160, 30, 5 - p, -40, 40);
  lid += box(160, 260, -28, 28, 36, 40);
  Block hoop = upright(0, 0, 36, 20, 30);
  hoop -= upright(0, 0, 31, 10, 40);
  return {"cask stand",
          {{"table", table.tidy()},
           {"cover", cover.tidy()},
           {"bolt", bolt.tidy()},
           {"lid", lid.tidy()},
           {"cask", upright(0, 0, 30, 20, 100).tidy()},
           {"hoop", hoop.tidy()}},
          {{0, 1, JointKind::fixed}, {0, 3, JointKind::revolute}},
          {{0, 2}, {1, 2}, {0, 4}, {0, 5}, {4, 5}}};
}

}  // namespace

std::vector<Sample> sampleAssemblies(double play) {
  return {hoopLever(play), ramPress(play),     staveSwing(play), headScrew(play), crozeYoke(play),
          caskCart(play),  planingTable(play), bungBorer(play),  caskCrane(play), caskStand(play)};
}

TopoDS_Shape withHalfRounds(const TopoDS_Shape& shape) {
  ShapeUpgrade_ShapeDivideAngle divide(3.1416, shape);
  divide.Perform();
  return divide.Result();
}

TopoDS_Shape asSplines(const TopoDS_Shape& shape) { return BRepBuilderAPI_NurbsConvert(shape, true).Shape(); }

}  // namespace cooperage::demo
