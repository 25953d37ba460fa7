// SPDX-License-Identifier: GPL-3.0-or-later
#include <BRepAlgoAPI_Cut.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCone.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <BRepPrimAPI_MakeTorus.hxx>
#include <BRepTools.hxx>
#include <IGESControl_Writer.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <filesystem>
#include <fstream>

#include "../../scratch_folder.h"
#include "../support.h"
#include "io/report.h"
#include "sample_assemblies.h"
#include "model/joint_edits.h"
#include "shape/cut.h"
#include "shape/measure.h"
#include "shape/refresh.h"
#include "shape/shape_store.h"

namespace cooperage::shape {
namespace {

using model::BodyKind;
using model::Id;

double volume(BodyKind kind, const std::vector<double>& f) {
  return volumeOf(*tessellate(*elementShape(kind, f), 2e-6));
}
SolidPtr solidOf(const TopoDS_Shape& shape) {
  auto s = std::make_shared<Solid>();
  s->shape = shape;
  meshForDisplay(s->shape);
  return s;
}
TopoDS_Shape faceWhere(const TopoDS_Shape& s, const std::function<bool(const model::Feature&)>& is) {
  for (TopExp_Explorer e(s, TopAbs_FACE); e.More(); e.Next())
    if (is(featureOf(s, e.Current()))) return e.Current();
  ADD_FAILURE() << "no such face";
  return {};
}

TEST(Elements, VolumesAreThoseOfTheirClosedForms) {
  const double w = 0.02, t = 0.006, b = 0.008;
  // a plate about a right-angled triangle: its area, half the width outside of every side, and one full circle of
  // bosses
  const double legs = 0.05, area = legs * legs / 2, rim = legs * (2 + std::sqrt(2.0));
  EXPECT_NEAR(volume(BodyKind::plate, {0, 0, legs, 0, 0, legs, w, t, b}),
              t * (area + rim * w / 2 + kPi * w * w / 4 - 3 * kPi * b * b / 4), 2e-9);
  // a fourth pivot inside takes another bore, in whatever order
  EXPECT_NEAR(volume(BodyKind::plate, {0.012, 0.012, 0, 0, legs, 0, 0, legs, w, t, b}),
              t * (area + rim * w / 2 + kPi * w * w / 4 - 4 * kPi * b * b / 4), 2e-9);
  const double l = 0.08, slot = 0.03, sw = 0.007;
  EXPECT_NEAR(volume(BodyKind::slottedBar, {l, w, t, b, slot, sw}),
              t * (l * w + kPi * w * w / 4 - kPi * b * b / 4 - slot * sw - kPi * sw * sw / 4), 2e-9);
  EXPECT_NEAR(volume(BodyKind::disc, {0.03, t, b}), t * kPi * (0.0009 - b * b / 4), 3e-9);
  EXPECT_NEAR(volume(BodyKind::roller, {0.01, 0.012, 0}), 0.012 * kPi * 1e-4, 1e-9);
  EXPECT_NEAR(volume(BodyKind::shaft, {0.005, 0.1, 0.009, 0.004, 0.02}), kPi * (0.1 * 25e-6 + 0.004 * (81e-6 - 25e-6)),
              4e-9);
  EXPECT_NEAR(volume(BodyKind::pin, {0.004, 0.03, 0.007, 0.003}), kPi * (0.03 * 16e-6 + 0.003 * 49e-6), 1e-9);
}

TEST(Elements, FiguresThatContradictAreRefusedByName) {
  const auto refused = [](const std::string& body) {
    const auto m = io::readCoop(R"({"format":"cooperage","version":1,"links":[{"name":"a","bodies":[)" + body + "]}]}");
    if (!m.ok()) return m.error().text;
    const auto r = model::resolve(*m);
    return r.ok() ? std::string() : r.error().text;
  };
  EXPECT_EQ(refused(R"({"name":"p","element":"plate","pivots":[[0,0],[9,0],[0,9]],"width":4,"thickness":2})"), "");
  EXPECT_THAT(refused(R"({"name":"p","element":"plate","pivots":[[0,0],[9,0]],"width":4,"thickness":2})"),
              testing::HasSubstr("three pivots"));
  EXPECT_THAT(
      refused(
          R"({"name":"s","element":"slotted-bar","length":10,"width":4,"thickness":2,"slot length":12,"slot width":2})"),
      testing::HasSubstr("slot is as long"));
  EXPECT_THAT(
      refused(
          R"({"name":"s","element":"shaft","radius":2,"length":10,"collar radius":4,"collar width":3,"collar at":8})"),
      testing::HasSubstr("collar reaches past"));
  EXPECT_THAT(refused(R"({"name":"d","element":"disc","radius":2,"thickness":1,"bore":4})"),
              testing::HasSubstr("bore"));
}

TEST(Cut, BothHalvesMakeTheWholeAndAFaceSetCutsAShaftOutOfItsDisc) {
  const auto box = *elementShape(BodyKind::box, {0.04, 0.02, 0.01});
  model::Cut cut{{{false, Vec3(0.005, 0, 0), Vec3(1, 0, 0), 0}}, true};
  const auto part = [&](bool inside) {
    cut.inside = inside;
    return volumeOf(*tessellate(*cutShape(box, cut), 1e-5));
  };
  EXPECT_NEAR(part(true), 0.025 * 0.02 * 0.01, 1e-12);  // behind the plane
  EXPECT_NEAR(part(false), 0.015 * 0.02 * 0.01, 1e-12);
  // a shaft with its disc in one solid: the shaft's own face cuts it out
  const auto shaft = *elementShape(BodyKind::shaft, {0.005, 0.1, 0.02, 0.01, 0.04});
  const auto side =
      faceWhere(shaft, [](const auto& f) { return f.kind == model::FeatureKind::cylinder && f.radius < 0.006; });
  const auto tool = cutToolOf(featureOf(shaft, side));
  ASSERT_TRUE(tool.ok());
  const double inner = volumeOf(*tessellate(*cutShape(shaft, {{*tool}, true}), 1e-6)),
               outer = volumeOf(*tessellate(*cutShape(shaft, {{*tool}, false}), 1e-6));
  EXPECT_NEAR(inner, kPi * 25e-6 * 0.1, 1e-8);
  EXPECT_NEAR(outer, kPi * (4e-4 - 25e-6) * 0.01, 1e-8);
  // a cut beside the solid leaves nothing on one side, and says so
  EXPECT_FALSE(cutShape(box, {{{false, Vec3(0.1, 0, 0), Vec3(1, 0, 0), 0}}, false}).ok());
}

/// A block with a bore; the block's length and the bore's place and radius as wanted, mm.
TopoDS_Shape block(double length, double x, double radius) {
  const TopoDS_Shape b = BRepPrimAPI_MakeBox(gp_Pnt(0, 0, 0), gp_Pnt(length, 30, 10)).Shape();
  const auto bored = cutShape(b, {{{true, Vec3(x, 15, 5) / 1e3, Vec3::UnitZ(), radius / 1e3}}, false});
  return *bored;
}

struct Seated {
  model::Mechanism m;
  Id seat;
};
Seated seatedOnBore(const TopoDS_Shape& shape) {
  model::Mechanism m;
  model::Link l;
  l.id = model::newId();
  l.name = "block";
  model::Body b;
  b.id = model::newId();
  b.name = "b";
  b.kind = BodyKind::file;
  b.file = "block.step";
  l.bodies.push_back(std::make_shared<const model::Body>(b));
  const auto bore = faceWhere(shape, [](const auto& f) { return f.kind == model::FeatureKind::cylinder && f.inward; });
  const auto snap = snapsOf(bore).front();
  model::Seat s;
  s.id = model::newId();
  s.name = "bearing";
  s.at = model::placementOf({Mat3::Identity(), snap.at}, m.units).at;
  s.source = model::SeatSource{b.id, snap.word, featureOf(shape, bore), {}};
  const Id seat = s.id;
  l.seats.push_back(std::make_shared<const model::Seat>(s));
  m.links.push_back(std::make_shared<const model::Link>(l));
  return {m, seat};
}

TEST(Refresh, SeatsAreFoundMovedOrLostAndNothingMovesByItself) {
  const auto before = block(60, 20, 6);
  const auto [m, seat] = seatedOnBore(before);
  const auto& link = *m.links[0];
  const auto check = [&](const TopoDS_Shape& now) { return checkSeats(m, link.bodies[0]->id, solidOf(now)).at(0); };
  // the block grows: another length, the same bore
  EXPECT_EQ(check(block(90, 20, 6)).state, SeatCheck::State::same);
  // the bore goes 12 mm on: told, not followed
  const auto moved = check(block(60, 32, 6));
  EXPECT_EQ(moved.state, SeatCheck::State::moved);
  EXPECT_NEAR(moved.distance, 0.012, 1e-9);
  EXPECT_NEAR(moved.frame.p.x(), 0.032, 1e-9);
  const auto marked = withChecks(m, {moved});
  EXPECT_TRUE(marked.links[0]->seats[0]->broken);
  EXPECT_NEAR(marked.links[0]->seats[0]->at[0].number, 20, 1e-9) << "it keeps its last place";
  const auto followed = withSeatFollowing(marked, moved, solidOf(block(60, 32, 6)));
  EXPECT_FALSE(followed.links[0]->seats[0]->broken);
  EXPECT_NEAR(followed.links[0]->seats[0]->at[0].number, 32, 1e-9);
  // another radius is another bore
  EXPECT_EQ(check(block(60, 20, 7)).state, SeatCheck::State::lost);
  EXPECT_EQ(check(*elementShape(BodyKind::box, {0.06, 0.03, 0.01})).state, SeatCheck::State::lost);
  // and when the file comes back as it was, the mark goes
  EXPECT_FALSE(withChecks(marked, {check(before)}).links[0]->seats[0]->broken);
  EXPECT_FALSE(withSeatKept(marked, seat).links[0]->seats[0]->source.has_value());
}

// A file that holds all its faces as splines offers the same bores, pins and balls to be picked.
TEST(Snaps, RoundFacesThatComeAsSplinesHaveTheirAxesToo) {
  const std::pair<TopoDS_Shape, model::FeatureKind> cases[] = {
      {block(60, 20, 6), model::FeatureKind::cylinder},
      {*elementShape(BodyKind::sphere, {0.01}), model::FeatureKind::sphere},
      {BRepPrimAPI_MakeCone(10, 4, 20).Shape(), model::FeatureKind::cone}};
  for (const auto& [exact, kind] : cases) {
    const auto splines = demo::asSplines(exact);
    int found = 0;
    TopTools_IndexedMapOfShape faces;
    TopExp::MapShapes(splines, TopAbs_FACE, faces);
    const auto recognised = facesOf(splines);
    for (const auto& face : recognised->faces) {
      if (face.feature.kind != kind) continue;
      ++found;
      const auto wanted = snapsOf(faceWhere(exact, [&, k = kind](const auto& f) { return f.kind == k; }));
      for (const Snap& w : wanted) {
        bool there = false;
        for (const Snap& s : snapsOf(faces(face.index + 1)))
          there =
              there || ((s.at - w.at).norm() < 2e-5 && s.axis.normalized().cross(w.axis.normalized()).norm() < 2e-3);
        EXPECT_TRUE(there) << wordFor(kind) << " " << w.word;
      }
    }
    EXPECT_GT(found, 0) << wordFor(kind);
  }
}

/// A bar along x with seats picked on all places that bear one word of its two bores, as a maker writes them.
std::pair<model::Mechanism, std::vector<Vec3>> barWithSeats(double length, double thickness) {
  model::Mechanism m;
  model::Link l;
  l.id = model::newId();
  l.name = "rod";
  model::Body b;
  b.id = model::newId();
  b.name = "rod";
  b.kind = BodyKind::bar;
  b.figures = {{"length", model::Field(length)},
               {"width", model::Field(20)},
               {"thickness", model::Field(thickness)},
               {"bore", model::Field(8)}};
  l.bodies.push_back(std::make_shared<const model::Body>(b));
  std::vector<Vec3> at;
  const auto shape = *elementShape(b.kind, {length * 1e-3, 0.02, thickness * 1e-3, 0.008});
  const auto found = facesOf(shape);
  for (const auto& face : found->faces) {
    if (face.feature.kind != model::FeatureKind::cylinder || !face.feature.inward) continue;
    TopTools_IndexedMapOfShape all;
    TopExp::MapShapes(shape, TopAbs_FACE, all);
    const auto part = all(face.index + 1);
    for (const Snap& snap : snapsOf(part)) {
      model::Seat s;
      s.id = model::newId();
      s.name = "s" + std::to_string(at.size());
      s.at = model::placementOf({Mat3::Identity(), snap.at}, m.units).at;
      s.axis = model::directionOf(snap.axis);
      s.ref = model::directionOf(snap.ref);
      s.source = model::SeatSource{b.id, snap.word, featureOf(shape, part), {}};
      l.seats.push_back(std::make_shared<const model::Seat>(s));
      at.push_back(snap.at);
    }
  }
  m.links.push_back(std::make_shared<const model::Link>(l));
  return {m, at};
}

// Both ends of a bore bear one word: a seat stays at its own.
RC_GTEST_PROP(Refresh, SeatsOfAnElementStayAtTheirEndOfTheirBoreAndComeBack, ()) {
  const double first = *rc::gen::inRange(60, 200), thick = *rc::gen::inRange(4, 12);
  const double second = *rc::gen::inRange(60, 200), thicker = *rc::gen::inRange(4, 12);
  const auto [m, at] = barWithSeats(first, thick);
  RC_ASSERT(at.size() == 6u);
  ShapeStore store;
  const auto sized = [](const model::Mechanism& from, double length, double thickness) {
    return model::changedBody(from, from.links[0]->bodies[0]->id, [&](model::Body& b) {
      b.figures["length"] = model::Field(length);
      b.figures["thickness"] = model::Field(thickness);
    });
  };
  const auto follow = [&](const model::Mechanism& from, double length, double thickness) {
    const auto next = sized(from, length, thickness);
    return withSeatsOfElements(from, *model::resolve(from), next, *model::resolve(next), store).value();
  };
  const auto places = [](const model::Mechanism& of) {
    std::vector<Vec3> out;
    for (const auto& s : of.links[0]->seats) out.push_back(model::frameOf(of, *s)->p);
    return out;
  };
  const auto there = follow(m, second, thicker), back = follow(there, first, thick);
  const auto now = places(there), again = places(back);
  for (std::size_t i = 0; i < at.size(); ++i) {
    const Vec3 wanted(at[i].x() < 1e-6 ? 0 : second * 1e-3, 0, at[i].z() * thicker / thick);
    RC_ASSERT((now[i] - wanted).norm() < 1e-9);
    RC_ASSERT((again[i] - at[i]).norm() < 1e-9);
    RC_ASSERT(!there.links[0]->seats[i]->broken);
  }
}

// A seat whose bore has gone on in a new file would follow to the end at which it was.
TEST(Refresh, AMovedBoreOffersTheEndThatTheSeatWasOn) {
  const auto shape = block(60, 20, 6);
  for (const bool top : {true, false}) {
    auto [m, seat] = seatedOnBore(shape);
    const auto bore =
        faceWhere(shape, [](const auto& f) { return f.kind == model::FeatureKind::cylinder && f.inward; });
    Vec3 end = Vec3::Zero();
    for (const Snap& s : snapsOf(bore))
      if (s.word == "axis end" && (s.at.z() > 0.005) == top) end = s.at;
    m = model::changedSeat(m, seat, [&](model::Seat& s) {
      s.at = model::placementOf({Mat3::Identity(), end}, m.units).at;
      s.source->word = "axis end";
    });
    const auto check = checkSeats(m, m.links[0]->bodies[0]->id, solidOf(block(60, 32, 6))).at(0);
    ASSERT_EQ(check.state, SeatCheck::State::moved);
    EXPECT_NEAR((check.frame.p - end - Vec3(0.012, 0, 0)).norm(), 0, 1e-9) << top;
  }
}

TEST(Refresh, TheSourceOfASeatSurvivesTheFile) {
  const auto [m, seat] = seatedOnBore(block(60, 20, 6));
  SeatCheck lost;
  lost.seat = seat;
  const std::string text = io::writeCoop(withChecks(m, {lost}));
  const auto again = io::readCoop(text);
  ASSERT_TRUE(again.ok()) << again.error().text;
  EXPECT_EQ(io::writeCoop(*again), text);
  const auto& s = *again->links[0]->seats[0];
  ASSERT_TRUE(s.source);
  EXPECT_TRUE(s.broken);
  EXPECT_EQ(s.source->body, again->links[0]->bodies[0]->id);
  EXPECT_NEAR(s.source->feature.radius, 0.006, 1e-12);
  // in another unit of the document the geometry is the same
  const auto inches = model::withUnits(*again, {"in", "deg", "kg", "s", "N"});
  EXPECT_NEAR(io::readCoop(io::writeCoop(inches))->links[0]->seats[0]->source->feature.radius, 0.006, 1e-12);
}

TEST(Measure, DistanceAngleAndCommonAxisOfKnownPieces) {
  const auto shape = block(60, 20, 6);
  const auto picked = [&](const std::function<bool(const model::Feature&)>& is, const Pose& at) {
    const auto face = faceWhere(shape, is);
    return Picked{face, featureOf(shape, face), at};
  };
  const auto bore = [](const model::Feature& f) { return f.kind == model::FeatureKind::cylinder; };
  const auto right = [](const model::Feature& f) { return f.kind == model::FeatureKind::plane && f.axis.x() > 0.9; };
  const auto left = [](const model::Feature& f) { return f.kind == model::FeatureKind::plane && f.axis.x() < -0.9; };
  const Pose there{rotationAbout(0, 0.4), Vec3(0.1, 0, 0)};
  const auto planes = measure(picked(left, {}), picked(right, {})).value();
  EXPECT_NEAR(*planes.distance, 0.06, 1e-9);
  EXPECT_NEAR(*planes.between, 0.06, 1e-9);
  EXPECT_NEAR(*planes.angle, 0, 1e-9);
  // two bores of equal parts, one tilted
  const auto bores = measure(picked(bore, {}), picked(bore, there)).value();
  EXPECT_NEAR(*bores.angle, 0.4, 1e-9);
  EXPECT_NEAR(*bores.radiusA, 0.006, 1e-12);
  const auto shifted = measure(picked(bore, {}), picked(bore, {Mat3::Identity(), Vec3(0, 0.03, 0.2)})).value();
  EXPECT_NEAR(*shifted.between, 0.03, 1e-9);
  EXPECT_FALSE(shifted.coaxial);
  EXPECT_TRUE(measure(picked(bore, {}), picked(bore, {Mat3::Identity(), Vec3(0, 0, 0.2)})).value().coaxial);
  // an axis against a plane counts from the plane
  EXPECT_NEAR(*measure(picked(bore, {}), picked(right, {})).value().angle, 0, 1e-9);
  EXPECT_NEAR(*measure(picked(right, {})).area, 30e-3 * 10e-3, 1e-12);
}

class GeometryFiles : public testing::Test {
 protected:
  test::ScratchFolder folder;
};

TEST_F(GeometryFiles, EveryFormatGivesTheSameSolid) {
  const auto shape = block(60, 20, 6);
  const double wanted = (60 * 30 - kPi * 36) * 10 * 1e-9;
  BRepTools::Write(shape, (folder / "b.brep").c_str());
  ASSERT_TRUE(writeStep({{shape, "b", {}, {}}}, "b", folder / "b.step").ok());
  IGESControl_Writer iges("MM", 1);
  iges.AddShape(shape);
  iges.ComputeModel();
  ASSERT_TRUE(iges.Write((folder / "b.igs").c_str()));
  IGESControl_Writer surfaces("MM", 0);  // only trimmed surfaces: they are sewn
  surfaces.AddShape(shape);
  surfaces.ComputeModel();
  ASSERT_TRUE(surfaces.Write((folder / "s.iges").c_str()));
  const auto mesh = tessellate(shape, 1e-6).value();
  std::ofstream(folder / "b.stl", std::ios::binary) << io::stlBinary(mesh, "b");
  std::ofstream obj(folder / "b.obj");
  obj.precision(12);
  for (const Vec3& v : mesh.vertices) obj << "v " << v.x() * 1e3 << ' ' << v.y() * 1e3 << ' ' << v.z() * 1e3 << '\n';
  for (const auto& t : mesh.triangles) obj << "f " << t[0] + 1 << ' ' << t[1] + 1 << ' ' << t[2] + 1 << '\n';
  obj.close();
  for (const char* name : {"b.brep", "b.step", "b.igs", "s.iges", "b.stl", "b.obj"}) {
    ASSERT_TRUE(isGeometryFile(folder / name)) << name;
    const auto solids = readGeometry(folder / name);
    ASSERT_TRUE(solids.ok()) << name << ": " << solids.error().text;
    ASSERT_EQ(solids->size(), 1u) << name;
    EXPECT_NEAR(volumeOf(*tessellate((*solids)[0]->shape, 1e-6)), wanted, 2e-9) << name;
  }
  EXPECT_FALSE(isGeometryFile("notes.txt"));
  std::ofstream(folder / "bad.brep") << "no geometry";
  std::ofstream(folder / "bad.stl") << "";
  std::ofstream(folder / "bad.igs") << "nothing";
  for (const char* name : {"bad.brep", "bad.stl", "bad.igs", "missing.obj"}) {
    const auto r = readGeometry(folder / name);
    ASSERT_FALSE(r.ok()) << name;
    EXPECT_THAT(r.error().text, testing::HasSubstr(name));
  }
}

TEST_F(GeometryFiles, HandedOverSolidsKeepNamesColoursPathsAndWhatTheyShare) {
  const TopoDS_Shape part = block(60, 20, 6);
  std::vector<SolidPtr> solids;
  for (int i = 0; i < 3; ++i) {
    auto s = std::make_shared<Solid>();
    gp_Trsf t;
    t.SetTranslation(gp_Vec(100 * i, 0, 0));
    s->shape = part.Moved(TopLoc_Location(t));
    s->name = "planet " + std::to_string(i);
    s->colour = model::Colour{0.1 * i, 0.5, 0.9};
    s->path = {"train#1", "stage#" + std::to_string(i)};
    solids.push_back(std::move(s));
  }
  ASSERT_TRUE(writeSolids(solids, folder / "x").ok());
  const auto again = readSolids(folder / "x");
  ASSERT_TRUE(again.ok());
  ASSERT_EQ(again->size(), 3u);
  for (std::size_t i = 0; i < 3; ++i) {
    EXPECT_EQ((*again)[i]->name, solids[i]->name);
    EXPECT_EQ((*again)[i]->path, solids[i]->path);
    EXPECT_TRUE((*again)[i]->shape.IsPartner((*again)[0]->shape)) << "equal parts share their geometry";
  }
  std::filesystem::resize_file(folder / "x", std::filesystem::file_size(folder / "x") / 2);
  EXPECT_FALSE(readSolids(folder / "x").ok());
}

/// Distance of a mesh from a surface that is known in closed form: corners and many places in between.
double farthest(const Mesh& mesh, const std::function<double(const Vec3&)>& distance) {
  double worst = 0;
  for (const auto& t : mesh.triangles) {
    const Vec3 &a = mesh.vertices[static_cast<std::size_t>(t[0])], &b = mesh.vertices[static_cast<std::size_t>(t[1])],
               &c = mesh.vertices[static_cast<std::size_t>(t[2])];
    for (int i = 0; i <= 4; ++i)
      for (int k = 0; k + i <= 4; ++k)
        worst = std::max(worst, std::abs(distance(a + 0.25 * i * (b - a) + 0.25 * k * (c - a))));
  }
  return worst;
}

// Switched off: half of what the bound says.
TEST(MeshBound, HoldsForBallsToriAndConesAndIsNotFarOff) {
  const double d = 1e-4;
  const Mesh ball = tessellate(BRepPrimAPI_MakeSphere(30).Shape(), d).value();
  ASSERT_TRUE(ball.bound.has_value());
  const double ofBall = farthest(ball, [](const Vec3& p) { return p.norm() - 0.03; });
  EXPECT_LE(ofBall, *ball.bound);
  EXPECT_GT(ofBall, 0.1 * *ball.bound);
  const Mesh torus = tessellate(BRepPrimAPI_MakeTorus(50, 20).Shape(), d).value();
  ASSERT_TRUE(torus.bound.has_value());
  const double ofTorus =
      farthest(torus, [](const Vec3& p) { return std::hypot(std::hypot(p.x(), p.y()) - 0.05, p.z()) - 0.02; });
  EXPECT_LE(ofTorus, *torus.bound);
  EXPECT_GT(ofTorus, 0.1 * *torus.bound);
  const Mesh cone = tessellate(BRepPrimAPI_MakeCone(30, 10, 40).Shape(), d).value();
  ASSERT_TRUE(cone.bound.has_value());
  const double ofCone = farthest(cone, [](const Vec3& p) {
    const double side = ((std::hypot(p.x(), p.y()) - 0.03) * 0.04 + p.z() * 0.02) / std::hypot(0.04, 0.02);
    return std::max({side, -p.z(), p.z() - 0.04});
  });
  EXPECT_LE(ofCone, *cone.bound);
  for (const Mesh* m : {&ball, &torus, &cone}) EXPECT_LE(*m->bound, 1.6 * d);
}

TEST(MeshBound, FreeFormFacesAndEdgesHaveNone) {
  // two cylinders that cross are parted by a curve of the fourth degree
  const TopoDS_Shape across = BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(0, 0, -50), gp_Dir(0, 0, 1)), 10, 100).Shape();
  const TopoDS_Shape along = BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(-50, 0, 0), gp_Dir(1, 0, 0)), 20, 100).Shape();
  EXPECT_FALSE(tessellate(BRepAlgoAPI_Cut(along, across).Shape(), 1e-5)->bound.has_value());
  EXPECT_TRUE(tessellate(along, 1e-5)->bound.has_value());
  // and a rectangle has an exact one
  EXPECT_LE(tessellate(BRepPrimAPI_MakeBox(10, 20, 30).Shape(), 1e-5)->bound.value(), 1e-9);
}

}  // namespace
}  // namespace cooperage::shape
