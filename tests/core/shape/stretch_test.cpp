// SPDX-License-Identifier: GPL-3.0-or-later
// Solids made longer and shorter at a plane: volumes by closed forms, what can't be done by its reason.
#include "shape/stretch.h"

#include <gmock/gmock.h>
#include <rapidcheck/gtest.h>

#include <BRepAlgoAPI_Common.hxx>
#include <BRepAlgoAPI_Cut.hxx>
#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepBuilderAPI_Transform.hxx>
#include <BRepCheck_Analyzer.hxx>
#include <BRepGProp.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCone.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <GProp_GProps.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedMapOfShape.hxx>

#include "../../scratch_folder.h"
#include "../support.h"
#include "io/coop_file.h"
#include "model/joint_edits.h"
#include "shape/refresh.h"

namespace cooperage::shape {
namespace {

using testing::HasSubstr;

double volume(const TopoDS_Shape& s) {
  GProp_GProps g;
  BRepGProp::VolumeProperties(s, g);
  return g.Mass();
}
int faces(const TopoDS_Shape& s) {
  int n = 0;
  for (TopExp_Explorer e(s, TopAbs_FACE); e.More(); e.Next()) ++n;
  return n;
}
TopoDS_Shape bar() { return elementShape(model::BodyKind::bar, {0.08, 0.012, 0.005, 0.006}, {}, {}).value(); }

TEST(Stretch, ABarGrowsByItsSection) {
  for (const double by : {0.03, 1e-4, -0.02}) {
    const auto out = stretched(bar(), {0.04, 0, 0}, {1, 0, 0}, by);
    ASSERT_TRUE(out.ok()) << out.error().text;
    EXPECT_NEAR(volume(*out), volume(bar()) + by * 1e3 * 12 * 5, 1e-6);
    EXPECT_EQ(faces(*out), faces(bar())) << "faces go on: its bores and sides are found again";
    EXPECT_TRUE(BRepCheck_Analyzer(*out).IsValid());
  }
  // there and back is the same solid
  const auto longer = stretched(bar(), {0.04, 0, 0}, {1, 0, 0}, 0.025);
  const auto back = stretched(*longer, {0.06, 0, 0}, {1, 0, 0}, -0.025);
  ASSERT_TRUE(back.ok()) << back.error().text;
  EXPECT_NEAR(volume(*back), volume(bar()), 1e-6);
}

TEST(Stretch, WhatIsNotConstantIsRefused) {
  const auto why = [](const TopoDS_Shape& solid, const Vec3& at, const Vec3& axis, double by) {
    const auto out = stretched(solid, at, axis, by);
    return out.ok() ? std::string("done") : out.error().text;
  };
  const TopoDS_Shape cone = BRepPrimAPI_MakeCone(10, 5, 40).Shape();
  EXPECT_THAT(why(cone, {0, 0, 0.02}, {0, 0, 1}, 0.01), HasSubstr("an edge runs through it aslant"));
  EXPECT_THAT(why(bar(), {0.002, 0, 0}, {1, 0, 0}, 0.01), HasSubstr("a round edge of 6 mm")) << "in the bore";
  EXPECT_THAT(why(bar(), {0.04, 0, 0}, {1, 0.1, 0}, 0.01), HasSubstr("aslant")) << "not along its sides";
  EXPECT_THAT(why(bar(), {0.2, 0, 0}, {1, 0, 0}, 0.01), HasSubstr("doesn't cut"));
  // between the rims of the bores its section is that of the bar, or of the bar and the roundings
  EXPECT_THAT(why(bar(), {0.04, 0, 0}, {1, 0, 0}, -0.075), HasSubstr("constant over 74 mm"));
  EXPECT_EQ(why(bar(), {0.04, 0, 0}, {1, 0, 0}, -0.0739), "done");
  const TopoDS_Shape dome =
      BRepAlgoAPI_Fuse(BRepPrimAPI_MakeCylinder(10, 30), BRepPrimAPI_MakeSphere(gp_Pnt(0, 0, 30), 10)).Shape();
  EXPECT_THAT(why(dome, {0, 0, 0.035}, {0, 0, 1}, 0.01), HasSubstr("not constant"));
  EXPECT_EQ(why(dome, {0, 0, 0.015}, {0, 0, 1}, 0.01), "done");
  // faces without a surface
  const TopoDS_Shape none = TopoDS_Shape(BRepPrimAPI_MakeBox(10, 10, 10).Shape()).EmptyCopied();
  EXPECT_NE(why(none, {0, 0, 0.005}, {0, 0, 1}, 0.01), "done");
}

TEST(Stretch, TubesKeepTheirSection) {
  const TopoDS_Shape tube = BRepAlgoAPI_Cut(BRepPrimAPI_MakeCylinder(10, 50), BRepPrimAPI_MakeCylinder(7, 50)).Shape();
  const auto out = stretched(tube, {0, 0, 0.03}, {0, 0, -1}, 0.02);
  ASSERT_TRUE(out.ok()) << out.error().text;
  EXPECT_NEAR(volume(*out), kPi * (100 - 49) * 70, 1e-6);
  EXPECT_EQ(faces(*out), faces(tube));
}

/// A fork: a shank with a cross bore near its foot, a bridge and two tines; mm, its shank along x.
TopoDS_Shape fork() {
  TopoDS_Shape s = BRepPrimAPI_MakeBox(gp_Pnt(-10, -8, 0), gp_Pnt(90, 8, 10)).Shape();
  s = BRepAlgoAPI_Fuse(s, BRepPrimAPI_MakeBox(gp_Pnt(90, -40, 0), gp_Pnt(104, 40, 10)).Shape()).Shape();
  for (const double y : {-40.0, 26.0})
    s = BRepAlgoAPI_Fuse(s, BRepPrimAPI_MakeBox(gp_Pnt(104, y, 0), gp_Pnt(150, y + 14, 10)).Shape()).Shape();
  return BRepAlgoAPI_Cut(s, BRepPrimAPI_MakeCylinder(4, 10)).Shape();
}
TopoDS_Shape placed(const TopoDS_Shape& s, const gp_Trsf& t) { return BRepBuilderAPI_Transform(s, t, true).Shape(); }

/// The same by cutting, moving and joining the halves: a second method.
TopoDS_Shape byHalves(const TopoDS_Shape& s, double x, double by) {
  const gp_Pnt far(500, 500, 500), near(-500, -500, -500);
  gp_Trsf on;
  on.SetTranslation(gp_Vec(by, 0, 0));
  const TopoDS_Shape
      foot = BRepAlgoAPI_Common(s, BRepPrimAPI_MakeBox(near, gp_Pnt(x + std::min(by, 0.0), 500, 500)).Shape()).Shape(),
      head = BRepAlgoAPI_Common(s, BRepPrimAPI_MakeBox(gp_Pnt(x, -500, -500), far).Shape()).Shape();
  TopoDS_Shape out = BRepAlgoAPI_Fuse(foot, placed(head, on)).Shape();
  if (by > 0) out = BRepAlgoAPI_Fuse(out, BRepPrimAPI_MakeBox(gp_Pnt(x, -8, 0), gp_Pnt(x + by, 8, 10)).Shape()).Shape();
  return out;
}

TEST(Stretch, AForkIsTheSameAsByHalvesWhereverItLies) {
  gp_Trsf lies;
  lies.SetRotation(gp_Ax1(gp_Pnt(3, -7, 11), gp_Dir(1, 2, -0.5)), 0.7);
  const gp_Pnt at = gp_Pnt(50, 3, 2).Transformed(lies);
  const gp_Dir axis = gp_Dir(1, 0, 0).Transformed(lies);
  for (const double by : {35.0, -40.0}) {
    const TopoDS_Shape wanted = placed(byHalves(fork(), 50, by), lies);
    const auto out =
        stretched(placed(fork(), lies), Vec3(at.X(), at.Y(), at.Z()) * 1e-3, {axis.X(), axis.Y(), axis.Z()}, by * 1e-3);
    ASSERT_TRUE(out.ok()) << out.error().text;
    EXPECT_TRUE(BRepCheck_Analyzer(*out).IsValid());
    GProp_GProps a, b;
    BRepGProp::VolumeProperties(wanted, a);
    BRepGProp::VolumeProperties(*out, b);
    EXPECT_NEAR(b.Mass(), a.Mass(), 1e-9 * a.Mass());
    EXPECT_LT(a.CentreOfMass().Distance(b.CentreOfMass()), 1e-7);
    EXPECT_NEAR(volume(BRepAlgoAPI_Common(wanted, *out).Shape()), a.Mass(), 1e-7 * a.Mass());
  }
}

// Each face is the one it was: what was picked on it is found by its number.
TEST(Stretch, FacesAndEdgesStayTheSameOnes) {
  const auto out = stretched(fork(), {0.05, 0, 0}, {1, 0, 0}, 0.03);
  ASSERT_TRUE(out.ok());
  for (const TopAbs_ShapeEnum type : {TopAbs_FACE, TopAbs_EDGE, TopAbs_VERTEX}) {
    TopTools_IndexedMapOfShape was, now;
    TopExp::MapShapes(fork(), type, was);
    TopExp::MapShapes(*out, type, now);
    ASSERT_EQ(was.Extent(), now.Extent());
    for (int i = 1; i <= was.Extent(); ++i) {
      const auto a = featureOf(was(i)), b = featureOf(now(i));
      EXPECT_EQ(a.kind, b.kind);
      EXPECT_NEAR((a.axis - b.axis).norm(), 0, 1e-9);
      const Vec3 moved = b.at - a.at;
      EXPECT_NEAR(moved.y(), 0, 1e-9);
      EXPECT_NEAR(moved.z(), 0, 1e-9);
      if (a.at.x() > 0.0901) {
        EXPECT_NEAR(moved.x(), 0.03, 1e-9) << "beyond the plane";
      }
      if (a.kind == model::FeatureKind::cylinder) {
        EXPECT_NEAR(moved.x(), 0, 1e-9) << "the bore in its foot";
      }
    }
  }
}

// Planes stand where they do in the solid as it came: a second one beyond the first goes along with it.
TEST(Stretch, SeveralPlanes) {
  using S = model::Resolved::StretchR;
  const double whole = volume(fork());
  const S shank{{0.05, 0, 0}, {1, 0, 0}, 0.03}, tines{{0.12, 0, 0}, {1, 0, 0}, -0.01},
      bridge{{0.097, 0.02, 0}, {0, 1, 0}, 0.02};
  const double wanted = whole + 30 * 160 - 10 * 2 * 140 + 20 * 140;
  for (const std::vector<S>& order :
       {std::vector<S>{shank, tines, bridge}, {tines, bridge, shank}, {bridge, shank, tines}}) {
    const auto out = stretched(fork(), order);
    ASSERT_TRUE(out.ok()) << out.error().text;
    EXPECT_NEAR(volume(*out), wanted, 1e-6);
  }
  EXPECT_FALSE(stretched(fork(), {shank, {{0.12, 0, 0}, {1, 0, 0}, -0.06}}).ok());
}

// A place goes with the solid and comes back; what lies in a section that was drawn out comes to its plane.
RC_GTEST_PROP(Stretch, PlacesComeBackFromTheStretchedSolid, ()) {
  using S = model::Resolved::StretchR;
  const auto mm = [](int from, int to) { return *rc::gen::inRange(from, to) * 1e-3; };
  const std::vector<S> planes{{{0.05, 0, 0}, {1, 0, 0}, mm(-30, 60)}, {{0.12, 0, 0}, {2, 0, 0}, mm(-10, 40)}};
  const Vec3 was(mm(-10, 151) + 1e-4, mm(-40, 41), mm(0, 11));
  Vec3 now = was;
  for (const S& s : planes)
    if (was.x() > s.at.x()) now.x() += s.by;
  // near a plane at which it is shorter two places became one
  const bool clear = std::abs(was.x() - 0.05) > 0.031 && std::abs(was.x() - 0.12) > 0.011;
  if (clear) RC_ASSERT((unstretched(planes, now) - was).norm() < 1e-12);
  const std::vector<S> longer{{{0.05, 0, 0}, {1, 0, 0}, 0.04}};
  RC_ASSERT((unstretched(longer, {0.05 + mm(0, 40), 0.001, 0.002}) - Vec3(0.05, 0.001, 0.002)).norm() < 1e-12);
}

// The face that is to move out tells the plane: the nearest behind it where the section allows it.
TEST(Stretch, ThePlaneBehindAFaceIsFound) {
  const auto tip = placeBehind(fork(), {0.15, -0.03, 0.005}, {1, 0, 0});
  ASSERT_TRUE(tip.ok()) << tip.error().text;
  EXPECT_NEAR(tip->x(), 0.127, 1e-9) << "the middle of the tines";
  const auto foot = placeBehind(fork(), {-0.01, 0, 0.005}, {-1, 0, 0});
  ASSERT_TRUE(foot.ok()) << foot.error().text;
  EXPECT_NEAR(foot->x(), -0.007, 1e-9) << "between its end and the bore";
  EXPECT_FALSE(placeBehind(BRepPrimAPI_MakeCone(10, 5, 40).Shape(), {0, 0, 0.04}, {0, 0, 1}).ok());
}

struct Lifter {
  test::ScratchFolder folder;
  ShapeStore store;
  model::Mechanism m;
  Lifter() {
    store.setFolder(folder.path());
    EXPECT_TRUE(writeStep({{fork(), "fork", {}, {}}}, "fork", folder.path() / "fork.step").ok());
    m = *io::readCoop(R"({"format": "cooperage", "version": 1, "title": "t", "units": {"length": "mm", "angle": "deg"},
      "parameters": [{"name": "reach", "value": "150 mm"}],
      "links": [{"name": "frame", "ground": true}, {"name": "fork", "bodies": [{"name": "fork", "file": "fork.step", "solid": 0,
        "stretches": [{"at": [50, 0, 0], "axis": [1, 0, 0], "by": "reach - 150 mm"}]}]}]})");
  }
  model::Mechanism with(const std::string& reach) {
    auto next = m;
    auto p = *next.parameters[0];
    p.value = *model::parseField(m, reach);
    next.parameters[0] = std::make_shared<const model::Parameter>(p);
    auto whole = withSeatsOfElements(m, *model::resolve(m), next, *model::resolve(next), store);
    EXPECT_TRUE(whole.ok()) << whole.error().text;
    return whole.ok() ? *whole : m;
  }
};

// Seats on the fork's faces go with them as its reach changes, and come back.
TEST(Stretch, SeatsBeyondThePlaneGoAlong) {
  Lifter l;
  const auto solid = l.store.body(model::resolve(l.m)->links[1].bodies[0], "fork");
  ASSERT_TRUE(solid.ok()) << solid.error().text;
  // a seat in each place of each face
  std::vector<Vec3> at;
  l.m = model::changedLink(l.m, l.m.links[1]->id, [&](model::Link& link) {
    for (TopExp_Explorer e((*solid)->shape, TopAbs_FACE); e.More(); e.Next())
      for (const Snap& s : snapsOf(e.Current())) {
        model::Seat seat;
        Pose frame{Mat3::Identity(), s.at};
        if (!axesFrom(s.axis, s.ref, frame.R)) continue;
        seat.id = model::newId();
        seat.name = "s" + std::to_string(at.size());
        seat.at = model::placementOf(frame, l.m.units).at;
        seat.axis = model::directionOf(frame.R.col(2));
        seat.ref = model::directionOf(frame.R.col(0));
        seat.source = model::SeatSource{link.bodies[0]->id, s.word, featureOf((*solid)->shape, e.Current()), {}};
        link.seats.push_back(std::make_shared<const model::Seat>(seat));
        at.push_back(s.at);
      }
  });
  ASSERT_GT(at.size(), 10u);
  const auto longer = l.with("200 mm");
  int beyond = 0, behind = 0;
  for (std::size_t i = 0; i < at.size(); ++i) {
    const auto& seat = *longer.links[1]->seats[i];
    EXPECT_FALSE(seat.broken);
    const Vec3 moved = model::frameOf(longer, seat)->p - at[i];
    EXPECT_NEAR(moved.y(), 0, 1e-9);
    EXPECT_NEAR(moved.z(), 0, 1e-9);
    if (at[i].x() > 0.0899) {
      EXPECT_NEAR(moved.x(), 0.05, 1e-9);
      ++beyond;
    }
    if (at[i].x() < 0.011) {
      EXPECT_NEAR(moved.x(), 0, 1e-9);
      ++behind;
    }
  }
  EXPECT_GT(beyond, 5);
  EXPECT_GT(behind, 0);
  const auto there = l.store.body(model::resolve(longer)->links[1].bodies[0], "fork");
  for (const auto& check : checkSeats(longer, longer.links[1]->bodies[0]->id, *there))
    EXPECT_EQ(check.state, SeatCheck::State::same) << "found again in the longer solid";
  EXPECT_NEAR(volume((*there)->shape) - volume(fork()), 50 * 160, 1e-3);
  // a reach that the shank doesn't have is refused with its reason, by the body's name
  auto next = l.m;
  auto p = *next.parameters[0];
  p.value = *model::parseField(l.m, "40 mm");
  next.parameters[0] = std::make_shared<const model::Parameter>(p);
  const auto no = withSeatsOfElements(l.m, *model::resolve(l.m), next, *model::resolve(next), l.store);
  ASSERT_FALSE(no.ok());
  EXPECT_THAT(no.error().text, HasSubstr("fork/fork"));
  EXPECT_THAT(no.error().text, HasSubstr("constant over"));
}

// The figure tells solids apart: no two reaches share one.
TEST(Stretch, EachFigureHasItsSolid) {
  Lifter l;
  std::vector<SolidPtr> made;
  for (const char* reach : {"150 mm", "160 mm", "160.0001 mm", "150 mm"})
    made.push_back(*l.store.body(model::resolve(l.with(reach))->links[1].bodies[0], "fork"));
  EXPECT_NEAR(volume(made[1]->shape) - volume(made[0]->shape), 1600, 1e-3);
  EXPECT_NEAR(volume(made[2]->shape) - volume(made[1]->shape), 0.016, 1e-6);
  EXPECT_EQ(made[3], made[0]);
  // saved and read again
  const std::string text = io::writeCoop(l.m);
  const auto again = io::readCoop(text);
  ASSERT_TRUE(again.ok()) << again.error().text;
  EXPECT_EQ(io::writeCoop(*again), text);
  EXPECT_THAT(text, HasSubstr("reach - 150 mm"));
}

}  // namespace
}  // namespace cooperage::shape
