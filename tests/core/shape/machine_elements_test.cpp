// SPDX-License-Identifier: GPL-3.0-or-later
// Solids of machine elements: closed, of the volume that their exact outlines ask for, with their surfaces on them.
#include <BRepCheck_Analyzer.hxx>
#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <BRepPrimAPI_MakePrism.hxx>
#include <GC_MakeArcOfCircle.hxx>
#include <gp_Pln.hxx>

#include "../maker.h"
#include "elements/figures.h"
#include "shape/edge_curve.h"
#include "shape/shape_store.h"
#include "shape/surface.h"

namespace cooperage::shape {
namespace {

using namespace cooperage::test;
using model::BodyKind;

double areaOf(const std::vector<Eigen::Vector2d>& p) {
  double sum = 0;
  for (std::size_t i = 0; i < p.size(); ++i) {
    const auto &a = p[i], &b = p[(i + 1) % p.size()];
    sum += 0.5 * (a.x() * b.y() - a.y() * b.x());
  }
  return sum;
}
/// Figures of a gear in the order of its table.
std::vector<double> gear(int teeth, double helix = 0, double bore = 0, double hub = 0) {
  return {2e-3, static_cast<double>(teeth), 20 * kDegree, helix, 0.012, 0, bore, hub, hub > 0 ? 0.01 : 0, 0, 0, 1, 1.25,
          0.38};
}
double volume(const TopoDS_Shape& s, double deflection = 4e-6) { return volumeOf(tessellate(s, deflection).value()); }

TEST(MachineElements, GearsHaveTheVolumeOfTheirOutline) {
  for (int teeth : {12, 24, 40}) {
    const auto f = gear(teeth);
    const double area = areaOf(elements::GearProfile(elements::gearOf(f)).outline(60));
    const auto shape = elementShape(BodyKind::gear, f);
    ASSERT_TRUE(shape.ok()) << shape.error().text;
    EXPECT_TRUE(BRepCheck_Analyzer(*shape).IsValid());
    EXPECT_NEAR(volume(*shape) / (area * 0.012), 1, 2e-4) << teeth;
  }
  // twisting leaves the sections as they are (Cavalieri)
  for (double helix : {20 * kDegree, -30 * kDegree}) {
    const auto f = gear(24, helix, 0.01);
    const double area = areaOf(elements::GearProfile(elements::gearOf(f)).outline(60)) - kPi * 0.005 * 0.005;
    const auto shape = elementShape(BodyKind::gear, f);
    ASSERT_TRUE(shape.ok());
    EXPECT_TRUE(BRepCheck_Analyzer(*shape).IsValid());
    EXPECT_NEAR(volume(*shape) / (area * 0.012), 1, 2e-4) << helix;
  }
  const double hub = kPi * (0.012 * 0.012 - 0.005 * 0.005) * 0.01;
  EXPECT_NEAR(volume(*elementShape(BodyKind::gear, gear(24, 0, 0.01, 0.012))) -
                  volume(*elementShape(BodyKind::gear, gear(24, 0, 0.01))),
              hub, 2e-3 * hub);
}

TEST(MachineElements, RingsRacksAndWormsToo) {
  const std::vector<double> ring{2e-3, 60, 20 * kDegree, 0, 0.012, 0, 0.07, 0, 1, 1.25, 0.38};
  double rim = 0;
  const double inner = areaOf(elements::GearProfile(elements::ringOf(ring, rim)).outline(60));
  for (double helix : {0.0, 15 * kDegree}) {
    auto f = ring;
    f[3] = helix;
    const double hole = areaOf(elements::GearProfile(elements::ringOf(f, rim)).outline(60));
    const auto shape = elementShape(BodyKind::ringGear, f);
    ASSERT_TRUE(shape.ok());
    EXPECT_TRUE(BRepCheck_Analyzer(*shape).IsValid());
    EXPECT_NEAR(volume(*shape) / ((kPi * rim * rim - hole) * 0.012), 1, 3e-4);
  }
  EXPECT_GT(inner, kPi * 0.058 * 0.058);
  // a rack's tooth is as wide as its space on the pitch line; fillets aside, its area is that of trapezoids
  const std::vector<double> rack{2e-3, 9, 20 * kDegree, 0, 0.012, 0.008, 0, 1, 1.25, 0.01};
  const auto bar = elementShape(BodyKind::rack, rack);
  ASSERT_TRUE(bar.ok());
  const double pitch = kPi * 2e-3, t = std::tan(20 * kDegree);
  const double tooth = 4.5e-3 * 0.5 * ((0.5 * pitch - 2 * 2e-3 * t) + (0.5 * pitch + 2 * 2.5e-3 * t));
  EXPECT_NEAR(volume(*bar) / (0.012 * 9 * (tooth + pitch * 5.5e-3)), 1, 1e-3);
  const std::vector<double> worm{2e-3, 2, 8 * kDegree, 20 * kDegree, 0.04, 0.008, 0, 1, 1.25};
  const auto screw = elementShape(BodyKind::worm, worm);
  ASSERT_TRUE(screw.ok());
  EXPECT_TRUE(BRepCheck_Analyzer(*screw).IsValid());
  const double section = areaOf(elements::GearProfile(elements::wormOf(worm)).outline(200)) - kPi * 0.004 * 0.004;
  EXPECT_NEAR(volume(*screw, 2e-5) / (section * 0.04), 1, 2e-3);
}

/// Corners of the mesh lie on the exact flanks, turned back along the helix.
TEST(MachineElements, SurfacesLieOnTheExactProfile) {
  for (double helix : {25 * kDegree, 82 * kDegree}) {
    const bool worm = helix > 1;
    const auto f =
        worm ? std::vector<double>{2e-3, 2, 8 * kDegree, 20 * kDegree, 0.03, 0, 0, 1, 1.25} : gear(24, helix);
    const elements::GearSpec g = worm ? elements::wormOf(f) : elements::gearOf(f);
    const elements::GearProfile p(g);
    const auto mesh = tessellate(*elementShape(worm ? BodyKind::worm : BodyKind::gear, f), 2e-5).value();
    const double twist = std::tan(g.helix) / p.size().pitchRadius, pitch = 2 * kPi / g.teeth;
    double worst = 0;
    int looked = 0;
    for (const Vec3& v : mesh.vertices) {
      const double radius = v.head<2>().norm();
      if (radius < 1.001 * p.size().formRadius || radius > 0.999 * p.size().tipRadius) continue;
      double angle = std::atan2(v.y(), v.x()) - twist * v.z();
      angle -= pitch * std::round(angle / pitch);
      worst = std::max(worst, radius * std::abs(std::abs(angle) - p.halfAngle(radius)));
      ++looked;
    }
    EXPECT_GT(looked, 200);
    EXPECT_LT(worst, worm ? 4e-6 : 1e-6) << helix;
  }
}

TEST(MachineElements, BevelsStandOnTheirCones) {
  const std::vector<double> f{3e-3, 20, 33.69 * kDegree, 20 * kDegree, 0.012, 0.01, 0, 1, 1.25};
  const auto shape = elementShape(BodyKind::bevelGear, f);
  ASSERT_TRUE(shape.ok());
  EXPECT_TRUE(BRepCheck_Analyzer(*shape).IsValid());
  const elements::BevelProfile p(elements::bevelOf(f));
  const auto mesh = tessellate(*shape, 5e-6).value();
  double worst = 0;
  int looked = 0;
  for (const Vec3& v : mesh.vertices) {
    const double polar = std::atan2(v.head<2>().norm(), v.z());
    if (polar < p.baseCone() + 1e-3 || polar > p.tipCone() - 1e-3) continue;
    double angle = std::atan2(v.y(), v.x());
    angle -= 2 * kPi / 20 * std::round(angle / (2 * kPi / 20));
    worst = std::max(worst, v.head<2>().norm() * std::abs(std::abs(angle) - p.halfAngle(polar)));
    ++looked;
  }
  EXPECT_GT(looked, 200);
  EXPECT_LT(worst, 5e-6);
}

TEST(MachineElements, WheelsScrewsAndNutsCanBeMade) {
  const auto sound = [](BodyKind kind, const std::vector<double>& f) {
    const auto s = elementShape(kind, f);
    EXPECT_TRUE(s.ok()) << (s.ok() ? "" : s.error().text);
    return s.ok() && BRepCheck_Analyzer(*s).IsValid() ? volume(*s, 2e-5) : 0;
  };
  EXPECT_NEAR(sound(BodyKind::pulley, {0.04, 0.02, 0.01, 0, 0}), kPi * (0.04 * 0.04 - 0.005 * 0.005) * 0.02,
              1e-3 * 1e-4);
  EXPECT_GT(sound(BodyKind::pulley, {0.04, 0.02, 0.01, 0.003, 0.008}), 5e-5);
  EXPECT_GT(sound(BodyKind::sprocket, {0.0127, 17, 0.0085, 0.007, 0.012}), 1e-5);
  EXPECT_NEAR(sound(BodyKind::nut, {0.03, 0.02, 0.016}),
              0.02 * (std::sqrt(3.0) / 2 * 0.03 * 0.03 - kPi * 0.008 * 0.008), 1e-8);
  // grooves: a trapezoid of 0.63 and 0.37 pitches, half a pitch deep, turned about the axis (Pappus: area times the way
  // of its centroid, which lies 0.46 of the depth below the crest); 33 fit on 0.1 m at a pitch of 3 mm
  const double p = 0.003, r = 0.01, depth = 0.5 * p;
  const double groove = 0.5 * depth * p * 2 * kPi * (r - depth * (0.63 + 2 * 0.37) / 3);
  for (double lead : {0.006, -0.006})
    EXPECT_NEAR(sound(BodyKind::screw, {2 * r, lead, 2, 0.1, 0, 0}), kPi * r * r * 0.1 - 33 * groove, 6e-8);
  // right and left hand with a plain stretch of 20 mm between: 15 turns of 6 mm on each side
  const double coarse = 0.5 * 0.003 * 0.006 * 2 * kPi * (r - 0.003 * (0.63 + 2 * 0.37) / 3);
  EXPECT_NEAR(sound(BodyKind::screw, {0.02, 0.006, 1, 0.2, 0.02, 1}), kPi * r * r * 0.2 - 30 * coarse, 1.2e-7);
}

TEST(MachineElements, FiguresThatCantBeAreNamedWithTheMend) {
  const auto fault = [](const char* element, std::vector<double> f) { return elements::elementFault(element, f); };
  auto f = gear(24);
  f[1] = 24.5;
  EXPECT_THAT(fault("gear", f), testing::HasSubstr("whole number"));
  f = gear(24, 0, 0.05);
  EXPECT_THAT(fault("gear", f), testing::HasSubstr("bore"));
  EXPECT_EQ(fault("gear", gear(24)), "");
  EXPECT_THAT(fault("bevel-gear", {3e-3, 20, 79 * kDegree, 20 * kDegree, 0.012, 0, 0, 1, 1.25}),
              testing::HasSubstr("80 degrees"));
}

/// One wrong figure at a time: which is named, and the right ones pass.
TEST(MachineElements, EveryElementNamesItsWrongFigure) {
  struct Wrong {
    const char* element;
    std::vector<double> good;
    std::size_t at;
    double value;
    const char* word;
  };
  const double a = 20 * kDegree;
  const std::vector<double> ring{2e-3, 60, a, 0, 0.012, 0, 0, 0, 1, 1.25, 0.38},
      rack{2e-3, 9, a, 0, 0.012, 0, 0, 1, 1.25, 0.38}, bevel{3e-3, 20, 45 * kDegree, a, 0.01, 0, 0, 1, 1.25},
      worm{2e-3, 1, 5 * kDegree, a, 0.04, 0, 0, 1, 1.25}, pulley{0.04, 0.02, 0.01, 0, 0.005},
      sprocket{0.0127, 17, 0.0085, 0.007, 0.01}, screw{0.02, 0.004, 1, 0.1, 0, 0}, nut{0.03, 0.02, 0.016},
      cam{0.01, 0.01, 0.02, 0.01, 0};
  const Wrong cases[] = {{"gear", gear(24), 1, 3, "teeth must be 4"},
                         {"gear", gear(24), 2, 45 * kDegree, "pressure angle"},
                         {"gear", gear(24), 3, 85 * kDegree, "helix angle"},
                         {"gear", gear(24, 0, 0, 0.012), 6, 0.03, "hub"},
                         {"gear", gear(24), 7, 0.03, "hub"},
                         {"gear", gear(24), 9, 4e-3, "no thickness"},
                         {"gear", gear(24), 12, 13, "root circle"},
                         {"ring-gear", ring, 1, 8, "teeth must be 12"},
                         {"ring-gear", ring, 6, 0.05, "rim"},
                         {"ring-gear", ring, 3, 60 * kDegree, "helix angle"},
                         {"rack", rack, 2, 1 * kDegree, "pressure angle"},
                         {"rack", rack, 1, 2.5, "whole number"},
                         {"bevel-gear", bevel, 2, 1 * kDegree, "cone angle"},
                         {"bevel-gear", bevel, 4, 0.05, "wider than the cone"},
                         {"bevel-gear", bevel, 7, 2.5, "pointed"},
                         {"worm", worm, 1, 0, "starts"},
                         {"worm", worm, 2, 50 * kDegree, "lead angle"},
                         {"pulley", pulley, 4, 0.05, "groove"},
                         {"sprocket", sprocket, 1, 5, "teeth"},
                         {"sprocket", sprocket, 2, 0.012, "pitch"},
                         {"screw", screw, 1, 0.03, "deeper"},
                         {"screw", screw, 3, 3, "400 turns"},
                         {"nut", nut, 2, 0.04, "wide as the nut"},
                         {"cam", cam, 1, 0.05, "hub"}};
  for (const Wrong& c : cases) {
    EXPECT_EQ(elements::elementFault(c.element, c.good), "") << c.element;
    auto f = c.good;
    f[c.at] = c.value;
    EXPECT_THAT(elements::elementFault(c.element, f), testing::HasSubstr(c.word)) << c.element << ' ' << c.at;
  }
}

/// A cam's link: its curve and a body of it.
TEST(MachineElements, CamSolidsFollowTheirCurve) {
  Maker m;
  m.seat("g", "hub", Vec3::Zero(), Vec3::UnitZ(), Vec3::UnitX());
  m.find("g")["curves"].push_back(
      {{"name", "law"},
       {"seat", "hub"},
       {"kind", "cam-law"},
       {"base", 0.03},
       {"rows",
        {{{"law", "harmonic"}, {"over", kPi}, {"lift", 0.02}}, {{"law", "harmonic"}, {"over", kPi}, {"lift", -0.02}}}},
       {"follower", {{"kind", "flat"}}}});
  m.find("g")["bodies"] = {
      {{"name", "cam"}, {"element", "cam"}, {"curve", "law"}, {"thickness", 0.01}, {"bore", 0.012}}};
  const auto mechanism = m.read();
  EXPECT_EQ(io::writeCoop(test::read(io::writeCoop(mechanism))), io::writeCoop(mechanism));
  const auto r = model::resolve(mechanism);
  ASSERT_TRUE(r.ok()) << r.error().text;
  ShapeStore store;
  const auto solid = store.body(r->links[0].bodies[0], "g");
  ASSERT_TRUE(solid.ok()) << solid.error().text;
  EXPECT_TRUE(BRepCheck_Analyzer((*solid)->shape).IsValid());
  // it is the eccentric of radius base + e
  EXPECT_NEAR(volume((*solid)->shape), 0.01 * (kPi * 0.04 * 0.04 - kPi * 0.006 * 0.006), 5e-9);
}

TEST(MachineElements, BarrelAndLinearCams) {
  for (const char* form : {"barrel", "linear"}) {
    Maker m;
    m.seat("g", "hub", Vec3::Zero(), Vec3::UnitZ(), Vec3::UnitX());
    const double over = form[0] == 'b' ? kPi : 0.05;
    m.find("g")["curves"].push_back({{"name", "law"},
                                     {"seat", "hub"},
                                     {"kind", "cam-law"},
                                     {"form", form},
                                     {"base", 0.03},
                                     {"rows",
                                      {{{"law", "cycloidal"}, {"over", over}, {"lift", 0.02}},
                                       {{"law", "cycloidal"}, {"over", over}, {"lift", -0.02}}}},
                                     {"follower", {{"kind", "roller"}, {"radius", 0.004}}}});
    m.find("g")["bodies"] = {{{"name", "cam"},
                              {"element", "cam"},
                              {"curve", "law"},
                              {"thickness", form[0] == 'b' ? 0.05 : 0.01},
                              {"depth", form[0] == 'b' ? 0.005 : 0.02}}};
    const auto r = model::resolve(m.read());
    ASSERT_TRUE(r.ok()) << r.error().text;
    ShapeStore store;
    const auto solid = store.body(r->links[0].bodies[0], "g");
    ASSERT_TRUE(solid.ok()) << solid.error().text;
    EXPECT_TRUE(BRepCheck_Analyzer((*solid)->shape).IsValid()) << form;
    const double v = volume((*solid)->shape, 1e-5);
    if (form[0] == 'b') {
      const double whole = kPi * 0.03 * 0.03 * 0.05, groove = whole - v;
      // the groove is 8 mm wide and 5 mm deep, about as long as the drum is round
      EXPECT_GT(groove, 0.008 * 0.005 * 2 * kPi * 0.0275 * 0.98);
      EXPECT_LT(groove, 0.008 * 0.005 * 2 * kPi * 0.03 * 1.3);
    } else {
      EXPECT_GT(v, 0.1 * 0.02 * 0.01);
    }
  }
}

/// A plate whose outline is a rounded hexagon: six lines and six arcs.
TopoDS_Shape rounded() {
  const double side = 40, r = 8;
  BRepBuilderAPI_MakeWire wire;
  std::vector<gp_Pnt> from, to, centre;
  for (int k = 0; k < 6; ++k) {
    const double a = kPi / 3 * k;
    const Eigen::Vector2d corner = side * Eigen::Vector2d(std::cos(a), std::sin(a));
    const Eigen::Vector2d in = corner - corner.normalized() * r / std::cos(kPi / 6);
    const auto at = [&](double angle) { return gp_Pnt(in.x() + r * std::cos(angle), in.y() + r * std::sin(angle), 0); };
    from.push_back(at(a - kPi / 6));
    centre.push_back(at(a));
    to.push_back(at(a + kPi / 6));
  }
  for (int k = 0; k < 6; ++k) {
    const auto i = static_cast<std::size_t>(k), next = (i + 1) % 6;
    wire.Add(BRepBuilderAPI_MakeEdge(GC_MakeArcOfCircle(from[i], centre[i], to[i]).Value()));
    wire.Add(BRepBuilderAPI_MakeEdge(to[i], from[next]));
  }
  return BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(wire.Wire()).Face(), gp_Vec(0, 0, 10)).Shape();
}
SolidPtr plainSolid(const TopoDS_Shape& s) {
  auto solid = std::make_shared<Solid>();
  solid->shape = s;
  return solid;
}
int faceAtTop(const SolidPtr& s) {
  const auto faces = facesOf(s->shape);
  for (std::size_t i = 0; i < faces->faces.size(); ++i)
    if (faces->faces[i].feature.kind == model::FeatureKind::plane && faces->faces[i].feature.axis.z() > 0.9)
      return static_cast<int>(i);
  return -1;
}

TEST(EdgeCurve, TwelveTangentPiecesAreOneClosedCurve) {
  const SolidPtr solid = plainSolid(rounded());
  const int top = faceAtTop(solid);
  ASSERT_GE(top, 0);
  const auto around = edgesAround(solid, top);
  ASSERT_EQ(around.size(), 12u);
  EXPECT_EQ(tangentEdges(solid, around[4]).size(), 12u) << "one edge finds the others";
  const auto plane = planeOfEdges(solid, around);
  ASSERT_TRUE(plane.ok());
  EXPECT_NEAR(plane->p.z(), 0.01, 1e-12);
  auto shuffled = around;
  std::swap(shuffled[1], shuffled[7]);
  std::vector<std::string> remarks;
  const auto curve = edgeCurve(solid, shuffled, plane->inverse(), "cam/rim", &remarks);
  ASSERT_TRUE(curve.ok()) << curve.error().text;
  EXPECT_TRUE((*curve)->closed());
  EXPECT_TRUE(remarks.empty());
  EXPECT_EQ((*curve)->corners().size(), 12u);
  // six sides of 40 less twice r tan 30, and a circle of r
  const double side = 0.04 - 2 * 0.008 * std::tan(kPi / 6);
  EXPECT_NEAR((*curve)->lengthTo((*curve)->high()), 6 * side + 2 * kPi * 0.008, 1e-9);
}

/// A plate whose upper edge winds in twelve pieces, lines and arcs in turn, all tangent but after one of them.
TopoDS_Shape winding(int kinked, double kink, gp_Pnt& place) {
  BRepBuilderAPI_MakeWire wire;
  gp_Pnt at(0, 0, 0);
  const gp_Pnt start = at;
  double heading = 0.1;
  const auto on = [&](double angle, double length) {
    return gp_Pnt(at.X() + length * std::cos(angle), at.Y() + length * std::sin(angle), 0);
  };
  for (int i = 0; i < 12; ++i) {
    gp_Pnt end;
    if (i % 2 == 0) {
      end = on(heading, 10);
      wire.Add(BRepBuilderAPI_MakeEdge(at, end));
    } else {
      const double turn = (i % 4 == 1 ? -1 : 1) * 30 * kDegree, radius = 8;
      const auto along = [&](double share) {  // chord of a part of the arc
        return on(heading + 0.5 * share * turn, 2 * radius * std::sin(0.5 * share * std::abs(turn)));
      };
      end = along(1);
      wire.Add(BRepBuilderAPI_MakeEdge(GC_MakeArcOfCircle(at, along(0.5), end).Value()));
      heading += turn;
    }
    at = end;
    if (i + 1 == kinked) {
      heading += kink;
      place = at;
    }
  }
  const gp_Pnt low(at.X(), -60, 0), corner(start.X(), -60, 0);
  wire.Add(BRepBuilderAPI_MakeEdge(at, low));
  wire.Add(BRepBuilderAPI_MakeEdge(low, corner));
  wire.Add(BRepBuilderAPI_MakeEdge(corner, start));
  return BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(wire.Wire()).Face(), gp_Vec(0, 0, 10)).Shape();
}

TEST(EdgeCurve, AKinkIsReportedWithPlaceAndAngle) {
  gp_Pnt place;
  const SolidPtr solid = plainSolid(winding(7, 0.5 * kDegree, place));
  const auto around = edgesAround(solid, faceAtTop(solid));
  ASSERT_EQ(around.size(), 15u);
  // the piece of the chain that is nearest to the kink finds the eleven others, kink and all
  std::vector<int> chain;
  for (int e : around)
    if (chain.size() < 12) chain = tangentEdges(solid, e);
  ASSERT_EQ(chain.size(), 12u);
  std::vector<std::string> remarks;
  EXPECT_THAT(edgeCurve(solid, chain, Pose{}, "cam/rim", &remarks).error().text,
              testing::HasSubstr("leaves the plane"));
  const Pose top{Mat3::Identity(), Vec3(0, 0, -0.01)};
  const auto curve = edgeCurve(solid, chain, top, "cam/rim", &remarks);
  ASSERT_TRUE(curve.ok()) << curve.error().text;
  ASSERT_EQ(remarks.size(), 1u);
  EXPECT_THAT(remarks[0], testing::HasSubstr("a kink of 0.5 degrees"));
  const std::size_t at = remarks[0].find("at (");
  ASSERT_NE(at, std::string::npos) << remarks[0];
  EXPECT_NEAR(std::stod(remarks[0].substr(at + 4)), place.X(), 1e-3);
  EXPECT_EQ((*curve)->corners().size(), 12u);
  // a tangent one has nothing to be remarked, a sharper one is refused
  remarks.clear();
  const SolidPtr smooth = plainSolid(winding(7, 0, place));
  std::vector<int> whole;
  for (int e : edgesAround(smooth, faceAtTop(smooth)))
    if (whole.size() < 12) whole = tangentEdges(smooth, e);
  EXPECT_TRUE(edgeCurve(smooth, whole, top, "cam/rim", &remarks).ok());
  EXPECT_TRUE(remarks.empty());
  const SolidPtr sharp = plainSolid(winding(7, 10 * kDegree, place));
  std::vector<int> all = edgesAround(sharp, faceAtTop(sharp));
  const auto refused = edgeCurve(sharp, all, top, "cam/rim", &remarks);
  ASSERT_FALSE(refused.ok());
  EXPECT_THAT(refused.error().text, testing::HasSubstr("kink"));
}

/// An eccentric cut from a plate: its rim, picked as an edge, drives a follower like the circle that it is.
TEST(EdgeCurve, AnImportedRimIsAContactCurve) {
  Maker m;
  m.hinge("shaft", "g", "cam", 0, 0);
  m.seat("cam", "plane", {0.012, 0, 0.005}, Vec3::UnitZ(), Vec3::UnitX());
  m.find("cam")["bodies"] = {{{"name", "disc"},
                              {"element", "cylinder"},
                              {"radius", 0.03},
                              {"length", 0.01},
                              {"placement", {{"at", {0.012, 0, 0}}}}}};
  ShapeStore store;
  // the upper rim's edge
  auto trial = model::resolve(m.read()).value();
  const auto solid = store.body(trial.links[1].bodies[0], "cam").value();
  const int top = faceAtTop(solid);
  m.find("cam")["curves"].push_back(
      {{"name", "rim"}, {"seat", "plane"}, {"kind", "edges"}, {"body", "disc"}, {"edges", edgesAround(solid, top)}});
  m.slide("guide", "g", "follower", 0, std::sqrt(0.03 * 0.03 - 0.012 * 0.012), 0, 1);
  m.seat("follower", "tip", {0, std::sqrt(0.03 * 0.03 - 0.012 * 0.012), 0});
  m.add("cam_pairs", {{"name", "contact"}, {"kind", "point"}, {"cam", "cam/rim"}, {"follower", "follower/tip"}});
  m.steady("shaft.turn", 1);
  m.run(6, 60);
  auto r = model::resolve(m.read()).value();
  EXPECT_FALSE(kinematics::TravelRun::prepare(r, 0).ok()) << "without the geometry the curve isn't known";
  const Status s =
      attachGeometry(r, [&](const auto& link, const auto& body) { return store.body(body, link.name).value(); });
  ASSERT_TRUE(s.ok()) << s.error().text;
  auto run = kinematics::TravelRun::prepare(r, 0);
  ASSERT_TRUE(run.ok()) << run.error().text;
  kinematics::Measurer measurer(**run);
  const auto result = kinematics::tabulate(**run, measurer);
  ASSERT_TRUE(result.travel.completed) << said(result);
  const double y0 = std::sqrt(0.03 * 0.03 - 0.012 * 0.012);
  EXPECT_LT(worstShare(result, "guide.slide",
                       [&](std::size_t i) {
                         const double q = result.rows[i][0], x = 0.012 * std::cos(q);
                         return 0.012 * std::sin(q) + std::sqrt(0.03 * 0.03 - x * x) - y0;
                       }),
            1e-9);
}

}  // namespace
}  // namespace cooperage::shape
