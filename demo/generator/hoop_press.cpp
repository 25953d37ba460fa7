// SPDX-License-Identifier: GPL-3.0-or-later
#include "hoop_press.h"

#include <BRepAlgoAPI_Cut.hxx>
#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakePolygon.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <BRepFilletAPI_MakeFillet.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakeRevol.hxx>
#include <BRep_Builder.hxx>
#include <GC_MakeArcOfCircle.hxx>
#include <ShapeUpgrade_UnifySameDomain.hxx>
#include <TopoDS_Compound.hxx>
#include <cmath>
#include <cstdio>

#include "shape/solid.h"

namespace cooperage::demo {
namespace {

using shape::StepPart;

constexpr double kToggle = 120, kCrank = 34, kRod = 136;  // lengths between pivots
constexpr double kTopZ = 560;                             // upper pivot of the toggle
constexpr double kShaftX = 175, kShaftZ = 452;            // crank shaft
constexpr double kPin = 8, kCrankPin = 10, kPost = 9;     // radii

const model::Colour kStone{0.72, 0.69, 0.64}, kCopper{0.76, 0.46, 0.18}, kPlum{0.49, 0.41, 0.65},
    kTeal{0.37, 0.55, 0.51}, kSky{0.54, 0.65, 0.71}, kBlue{0.30, 0.48, 0.62}, kOlive{0.51, 0.58, 0.31},
    kOak{0.78, 0.63, 0.41}, kIron{0.37, 0.35, 0.32};

TopoDS_Shape box(double x0, double x1, double y0, double y1, double z0, double z1) {
  return BRepPrimAPI_MakeBox(gp_Pnt(x0, y0, z0), gp_Pnt(x1, y1, z1)).Shape();
}
/// Cylinder along y from y0 to y1 about (x, z).
TopoDS_Shape across(double x, double z, double r, double y0, double y1) {
  return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(x, y0, z), gp_Dir(0, 1, 0)), r, y1 - y0).Shape();
}
TopoDS_Shape upright(double x, double y, double r, double z0, double z1) {
  return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(x, y, z0), gp_Dir(0, 0, 1)), r, z1 - z0).Shape();
}
TopoDS_Shape fuse(const TopoDS_Shape& a, const TopoDS_Shape& b) { return BRepAlgoAPI_Fuse(a, b).Shape(); }
TopoDS_Shape cut(const TopoDS_Shape& a, const TopoDS_Shape& b) { return BRepAlgoAPI_Cut(a, b).Shape(); }
/// Faces that continue one another become one, so that a bore offers one axis and not four.
TopoDS_Shape tidy(const TopoDS_Shape& s) {
  ShapeUpgrade_UnifySameDomain u(s);
  u.Build();
  return u.Shape();
}
/// A flat link along x with round ends and bores, from y0 to y1.
TopoDS_Shape flatLink(double length, double width, double endRadius, double y0, double y1, double bore0, double bore1) {
  TopoDS_Shape s = box(0, length, y0, y1, -width / 2, width / 2);
  s = fuse(s, across(0, 0, endRadius, y0, y1));
  s = fuse(s, across(length, 0, endRadius, y0, y1));
  if (bore0 > 0) s = cut(s, across(0, 0, bore0, y0 - 1, y1 + 1));
  if (bore1 > 0) s = cut(s, across(length, 0, bore1, y0 - 1, y1 + 1));
  return tidy(s);
}
TopoDS_Shape compound(const std::vector<TopoDS_Shape>& shapes) {
  TopoDS_Compound c;
  BRep_Builder b;
  b.MakeCompound(c);
  for (const auto& s : shapes) b.Add(c, s);
  return c;
}

TopoDS_Shape frame() {
  TopoDS_Shape s = box(-190, 235, -110, 110, 0, 20);
  s = fuse(s, box(-165, -135, 30, 70, 20, 640));
  s = fuse(s, box(135, 165, 30, 70, 20, 640));
  s = fuse(s, box(-165, 165, 30, 70, 600, 640));
  s = fuse(s, box(-22, 22, -19, 70, 580, 640));    // nose over the toggle
  s = fuse(s, box(-18, 18, -19, 19, kTopZ, 600));  // lug
  s = fuse(s, across(0, kTopZ, 18, -19, 19));
  s = fuse(s, across(0, kTopZ, kPin, -32, 32));  // pin of the upper toggle
  s = fuse(s, box(135, 207, 30, 70, kShaftZ - 32, kShaftZ + 32));
  s = cut(s, across(kShaftX, kShaftZ, 15, 20, 80));  // main bearing
  for (double x : {-112.0, 112.0}) s = fuse(s, upright(x, 0, kPost, 20, 400));
  return tidy(s);
}

TopoDS_Shape crank() {
  TopoDS_Shape s = across(0, 0, 50, 10, 26);
  s = fuse(s, across(0, 0, 15, 26, 84));
  s = fuse(s, across(kCrank, 0, kCrankPin, -9, 10));
  for (double angle : {2.3, 3.14159265358979, 3.98})  // lightening holes opposite the pin show which way it stands
    s = cut(s, across(31 * std::cos(angle), 31 * std::sin(angle), 8, 5, 30));
  return tidy(s);
}

TopoDS_Shape lowerToggle() {
  TopoDS_Shape s = fuse(flatLink(kToggle, 26, 15, 9, 19, 0, 0), flatLink(kToggle, 26, 15, -19, -9, 0, 0));
  s = fuse(s, across(0, 0, kPin, -31, 31));        // knuckle pin
  s = fuse(s, across(kToggle, 0, kPin, -21, 21));  // ram pin
  return tidy(s);
}

TopoDS_Shape ram() {
  TopoDS_Shape s = box(-136, 136, -28, 28, -44, -20);
  s = fuse(s, box(-16, 16, -8, 8, -20, 0));
  s = fuse(s, across(0, 0, 16, -8, 8));
  s = fuse(s, cut(upright(0, 0, 68, -60, -44), upright(0, 0, 54, -61, -43)));
  s = cut(s, across(0, 0, kPin, -9, 9));
  for (double x : {-112.0, 112.0}) s = cut(s, upright(x, 0, kPost, -60, 0));
  return tidy(s);
}

constexpr double kCaskHeight = 238, kCaskEnd = 68, kCaskBelly = 85;

/// Radius of the cask's outside at a height: an arc through both ends and the belly.
double caskRadius(double z) {
  const double sagitta = kCaskBelly - kCaskEnd, half = kCaskHeight / 2;
  const double r = (half * half + sagitta * sagitta) / (2 * sagitta);
  return kCaskBelly - r + std::sqrt(r * r - (z - half) * (z - half));
}
TopoDS_Shape revolved(const TopoDS_Face& face) {
  return BRepPrimAPI_MakeRevol(face, gp_Ax1(gp::Origin(), gp::DZ())).Shape();
}

TopoDS_Shape staves() {
  const gp_Pnt bottom(kCaskEnd, 0, 0), belly(kCaskBelly, 0, kCaskHeight / 2), top(kCaskEnd, 0, kCaskHeight);
  const gp_Pnt topAxis(0, 0, kCaskHeight - 8), topInner(kCaskEnd - 8, 0, kCaskHeight - 8),
      rim(kCaskEnd - 8, 0, kCaskHeight), bottomAxis(0, 0, 0);
  BRepBuilderAPI_MakeWire wire;
  wire.Add(BRepBuilderAPI_MakeEdge(GC_MakeArcOfCircle(bottom, belly, top).Value()));
  wire.Add(BRepBuilderAPI_MakeEdge(top, rim));
  wire.Add(BRepBuilderAPI_MakeEdge(rim, topInner));
  wire.Add(BRepBuilderAPI_MakeEdge(topInner, topAxis));
  wire.Add(BRepBuilderAPI_MakeEdge(topAxis, bottomAxis));
  wire.Add(BRepBuilderAPI_MakeEdge(bottomAxis, bottom));
  return revolved(BRepBuilderAPI_MakeFace(wire.Wire()));
}

TopoDS_Shape hoop(double z0, double z1) {
  BRepBuilderAPI_MakePolygon p;
  p.Add(gp_Pnt(caskRadius(z0), 0, z0));
  p.Add(gp_Pnt(caskRadius(z0) + 2.5, 0, z0));
  p.Add(gp_Pnt(caskRadius(z1) + 2.5, 0, z1));
  p.Add(gp_Pnt(caskRadius(z1), 0, z1));
  p.Close();
  return revolved(BRepBuilderAPI_MakeFace(p.Wire()));
}

bool write(const std::filesystem::path& folder, const char* name, const std::vector<StepPart>& parts) {
  const auto s = shape::writeStep(parts, name, folder / (std::string(name) + ".step"));
  if (!s.ok()) std::fprintf(stderr, "%s\n", s.error().text.c_str());
  return s.ok();
}

}  // namespace

bool makeHoopPress(const std::filesystem::path& folder) {
  const TopoDS_Shape cheeks =
      compound({flatLink(kToggle, 26, 15, 20, 30, kPin, kPin), flatLink(kToggle, 26, 15, -30, -20, kPin, kPin)});
  return write(folder, "frame", {{frame(), "frame", kStone, {}}}) &&
         write(folder, "crank", {{crank(), "crank", kCopper, {}}}) &&
         write(folder, "rod", {{flatLink(kRod, 22, 17, -8, 8, kPin, kCrankPin), "rod", kPlum, {}}}) &&
         write(folder, "upper-toggle", {{cheeks, "upper toggle", kTeal, {}}}) &&
         write(folder, "lower-toggle", {{lowerToggle(), "lower toggle", kSky, {}}}) &&
         write(folder, "ram", {{ram(), "ram", kBlue, {}}}) &&
         write(folder, "guard", {{box(-3, 3, -14, 30, 0, 140), "guard", kOlive, {}}}) &&
         write(folder, "cask",
               {{staves(), "staves", kOak, {}},
                {hoop(20, 38), "chime hoop", kIron, {}},
                {hoop(66, 82), "bilge hoop", kIron, {}},
                {hoop(156, 172), "upper bilge hoop", kIron, {}},
                {hoop(200, 218), "upper chime hoop", kIron, {}}});
}

}  // namespace cooperage::demo
