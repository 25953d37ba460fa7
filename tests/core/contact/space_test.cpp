// SPDX-License-Identifier: GPL-3.0-or-later
// Gaps of exact faces in space: against distances of the solids, differences, and closed forms of runs.
#include <BRepAlgoAPI_Cut.hxx>
#include <BRepBuilderAPI_Transform.hxx>
#include <BRepExtrema_DistShapeShape.hxx>
#include <BRepFilletAPI_MakeFillet.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCone.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <BRepPrimAPI_MakeTorus.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <gp_Ax2.hxx>

#include <random>

#include "contact/bodies.h"
#include "contact/space_gap.h"
#include "shape/placement.h"
#include "study/studies.h"
#include "wheels.h"

namespace cooperage::contact::test {
namespace {

std::vector<std::pair<std::string, TopoDS_Shape>> spaceShapes() {
  const TopoDS_Shape box = BRepPrimAPI_MakeBox(gp_Pnt(-10, -6, -4), 20, 12, 8).Shape();
  const auto cylinder = [](double r, double h) {
    return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(0, 0, -0.5 * h), gp_Dir(0, 0, 1)), r, h).Shape();
  };
  BRepFilletAPI_MakeFillet rounded(box);
  for (TopExp_Explorer e(box, TopAbs_EDGE); e.More(); e.Next()) rounded.Add(1.5, TopoDS::Edge(e.Current()));
  return {{"box", box},
          {"cylinder", cylinder(5, 24)},
          {"cone", BRepPrimAPI_MakeCone(8, 3, 12).Shape()},
          {"torus", BRepPrimAPI_MakeTorus(12, 4).Shape()},
          {"ball", BRepPrimAPI_MakeSphere(6).Shape()},
          {"drilled box", BRepAlgoAPI_Cut(box, cylinder(3.5, 30)).Shape()},
          {"rounded box", rounded.Shape()}};
}

struct Placed {
  std::shared_ptr<const LinkFaces> faces;
  TopoDS_Shape shape;
};
Placed placed(const TopoDS_Shape& shape) {
  auto solid = std::make_shared<shape::Solid>();
  solid->shape = shape;
  const auto body = spaceBodyOf(solid, Pose());
  EXPECT_TRUE(body.ok()) << body.error().text;
  auto faces = std::make_shared<LinkFaces>();
  faces->bodies = {*body};
  return {faces, shape};
}

std::vector<Placed> allPlaced(const std::vector<std::pair<std::string, TopoDS_Shape>>& shapes) {
  std::vector<Placed> out;
  for (const auto& [name, shape] : shapes) out.push_back(placed(shape));
  return out;
}

double occtDistance(const TopoDS_Shape& a, const TopoDS_Shape& b, const Pose& aInB, Vec3* way = nullptr,
                    bool* sharp = nullptr) {
  const TopoDS_Shape moved = a.Moved(TopLoc_Location(shape::toTrsf(aInB)));
  BRepExtrema_DistShapeShape d(moved, b);
  EXPECT_TRUE(d.IsDone());
  const gp_Vec v(d.PointOnShape2(1), d.PointOnShape1(1));
  if (way) *way = 1e-3 * Vec3(v.X(), v.Y(), v.Z());
  if (sharp) {  // a corner with an edge or a corner has no gap of its own
    const auto x = d.SupportTypeShape1(1), y = d.SupportTypeShape2(1);
    *sharp = (x == BRepExtrema_IsVertex && y != BRepExtrema_IsInFace) ||
             (y == BRepExtrema_IsVertex && x != BRepExtrema_IsInFace);
  }
  return 1e-3 * d.Value();
}

TEST(SpaceGaps, NearToContactTheyAreTheDistanceOfTheSolids) {
  std::mt19937 random(11);
  std::uniform_real_distribution<double> any(-1, 1);
  int judged = 0, skipped = 0;
  const auto shapes = spaceShapes();
  const std::vector<Placed> all = allPlaced(shapes);
  for (std::size_t i = 0; i < all.size(); ++i)
    for (std::size_t k = 0; k < all.size(); ++k)
      for (int n = 0; n < 4; ++n) {
        SCOPED_TRACE(shapes[i].first + " and " + shapes[k].first);
        RelativeMotion m;
        m.R = rotationOf(3 * Vec3(any(random), any(random), any(random)));
        m.p = 0.05 * Vec3(any(random), any(random), any(random)).normalized();
        Vec3 way;
        if (occtDistance(all[i].shape, all[k].shape, {m.R, m.p}, &way) < 1e-4) continue;
        m.p -= way * (1 - 1e-5 / way.norm());
        bool sharp = false;
        const double truly = occtDistance(all[i].shape, all[k].shape, {m.R, m.p}, nullptr, &sharp);
        if (sharp) {
          ++skipped;
          continue;
        }
        ++judged;
        const auto pair = spacePair(all[i].faces, all[k].faces);
        PairGaps::Workspace work;
        std::vector<PairGaps::Found> found;
        std::vector<PlaceKey> among;
        pair->candidates(m, 1e-3, 0, among);
        pair->find(m, 1e-3, 0, among, work, found);
        double least = 1e300;
        for (const auto& f : found)
          if (f.gap.facing) least = std::min(least, f.gap.size);
        EXPECT_NEAR(least, truly, 1e-9);
      }
  EXPECT_GT(judged, 100);
  EXPECT_LT(skipped, 30);
}

TEST(SpaceGaps, RatesAndAccelerationsAreThoseOfDifferences) {
  std::mt19937 random(5);
  std::uniform_real_distribution<double> any(-1, 1);
  const auto vec = [&](double size) { return Vec3(size * Vec3(any(random), any(random), any(random))); };
  std::map<std::pair<int, int>, int> kinds;
  const auto shapes = spaceShapes();
  const std::vector<Placed> all = allPlaced(shapes);
  for (std::size_t i = 0; i < all.size(); ++i)
    for (std::size_t k = 0; k < all.size(); ++k)
      for (int n = 0; n < 4; ++n) {
        SCOPED_TRACE(shapes[i].first + " and " + shapes[k].first);
        RelativeMotion m;
        m.R = rotationOf(vec(3));
        m.p = 0.05 * vec(1).normalized();
        Vec3 way;
        if (occtDistance(all[i].shape, all[k].shape, {m.R, m.p}, &way) < 1e-4) continue;
        m.p -= way * (1 - 1e-4 / way.norm());
        m.w = vec(1);
        m.v = vec(0.02);
        m.alpha = vec(1);
        m.a = vec(0.02);
        const auto pair = spacePair(all[i].faces, all[k].faces);
        PairGaps::Workspace work;
        std::vector<PairGaps::Found> found;
        std::vector<PlaceKey> among;
        pair->candidates(m, 1e-3, 0, among);
        pair->find(m, 1e-3, 0, among, work, found);
        for (const auto& f : found) {
          const auto at = [&](double t) {
            RelativeMotion o;
            o.R = rotationOf(t * m.w + 0.5 * t * t * m.alpha) * m.R;
            o.p = m.p + t * m.v + 0.5 * t * t * m.a;
            PairGap g;
            return pair->at(f.key, o, false, g) ? g.size : std::nan("");
          };
          PairGap g;
          ASSERT_TRUE(pair->at(f.key, m, true, g));
          EXPECT_EQ(at(0), g.size);
          const auto first = [&](double h) { return (at(h) - at(-h)) / (2 * h); };
          const auto second = [&](double h) { return (at(h) - 2 * at(0) + at(-h)) / (h * h); };
          // how far two steps differ bounds what the finer one is off by; a foot that runs fast needs a finer one
          const double h = 2e-4, rate = first(h / 2), bend = second(h / 2);
          if (!(std::isfinite(first(h)) && std::isfinite(second(h)))) continue;
          const auto& fa = all[i].faces->bodies[0]->features[static_cast<std::size_t>(f.key.features.a)];
          const auto& fb = all[k].faces->bodies[0]->features[static_cast<std::size_t>(f.key.features.b)];
          ++kinds[{fa.dim, fb.dim}];
          EXPECT_NEAR(g.normal.dot(m.velocityAt(g.onA)), rate, 1e-10 + std::abs(rate - first(h)));
          EXPECT_NEAR(g.acceleration, bend, 1e-6 + std::abs(bend - second(h))) << fa.dim << " " << fb.dim;
        }
      }
  // faces with faces, edges and corners; edges with edges; balls with all
  for (const auto& kind : std::vector<std::pair<int, int>>{{2, 2}, {2, 1}, {1, 2}, {1, 1}, {2, 0}, {0, 2}, {0, 0}})
    EXPECT_GT((kinds[kind]), 0) << kind.first << " " << kind.second;
}

study::SolidOf solidsIn(shape::ShapeStore& store) {
  return [&store](const auto& link, const auto& body) {
    const auto s = store.body(body, link.name);
    return s.ok() ? *s : nullptr;
  };
}

// One inside another: no gap tells, since no face is near. It is told, with a way that takes it out.
TEST(SpaceGaps, ABodyInABodyIsTold) {
  const Placed small = placed(BRepPrimAPI_MakeBox(gp_Pnt(-1, -1, -1), 2, 2, 2).Shape()),
               large = placed(BRepPrimAPI_MakeBox(gp_Pnt(-20, -20, -8), 40, 40, 16).Shape());
  RelativeMotion m;
  m.R = rotationOf(Vec3(0.3, -0.2, 0.5));
  m.p = {0.004, 0, 0.001};
  for (const bool swapped : {false, true}) {
    SCOPED_TRACE(swapped);
    RelativeMotion way = m;
    if (swapped) {
      way.R = m.R.transpose();
      way.p = -(way.R * m.p);
    }
    const auto pair = swapped ? spacePair(large.faces, small.faces) : spacePair(small.faces, large.faces);
    const double out = pair->crossing(way);
    EXPECT_GT(out, 0.007) << "to the nearest side, and its own half";
    EXPECT_LT(out, 0.009);
    way.p *= 20;
    EXPECT_EQ(pair->crossing(way), 0) << "beside one another";
  }
}

/// A tilted plate that turns, and a plunger with a ball at its end that a weight holds on it.
TEST(SpaceRuns, APlungerOnATurningTiltedPlateFollowsItsClosedForm) {
  const double tilt = 0.2, ball = 4e-3, arm = 0.03, top = 5e-3;
  const auto m = io::readCoop(fmt::format(R"({{"format":"cooperage","version":1,"units":{{"length":"m","angle":"rad"}},
 "links":[{{"name":"frame","ground":true,"seats":[{{"name":"a"}},{{"name":"b","at":[{0},0,0]}}]}},
  {{"name":"plate","seats":[{{"name":"o"}}],"bodies":[{{"name":"disc","element":"cylinder","radius":0.05,"length":0.01,
    "placement":{{"turn":[{3},0,{4},0]}}}}]}},
  {{"name":"plunger","placement":{{"at":[{0},0,0.02]}},"seats":[{{"name":"o"}}],
   "bodies":[{{"name":"end","element":"sphere","radius":{2}}}]}}],
 "joints":[{{"name":"motor","kind":"revolute","between":["frame/a","plate/o"]}},
  {{"name":"guide","kind":"prismatic","between":["frame/b","plunger/o"],"home":{{"slide":0.02}}}}],
 "drives":[{{"name":"drive","value":"motor.turn","programme":[{{"law":"linear","to":6.2831853071795862,"time":1}}]}}],
 "contacts":[{{"name":"push","between":[["plate"],["plunger"]]}}],
 "forces":[{{"name":"weight","of":"guide.slide","effort":"-1 N"}}],
 "runs":[{{"name":"r","duration":1,"steps":72,"axis":"time"}}]}})",
                                          arm, tilt, ball, formatNumber(std::cos(0.5 * tilt)),
                                          formatNumber(std::sin(0.5 * tilt))));
  ASSERT_TRUE(m.ok()) << m.error().text;
  auto r = model::resolve(*m);
  ASSERT_TRUE(r.ok()) << r.error().text;
  shape::ShapeStore store;
  const auto prepared =
      study::prepare(std::make_shared<const model::Mechanism>(*m), std::move(r).value(), 0, solidsIn(store));
  ASSERT_FALSE(prepared->problem) << prepared->problem->text;
  ASSERT_EQ(prepared->contacts->pairs.size(), 1u);
  EXPECT_TRUE(prepared->contacts->pairs[0].facesA) << "its plane is turned about an axis aslant to its own";
  clearance::GeometryCache cache;
  const auto run = study::runStudy(prepared, 0, {store, cache, nullptr});
  ASSERT_TRUE(run.ok()) << run.error().text;
  ASSERT_TRUE(run->result.travel.completed);
  const double w = 2 * kPi;
  const auto& travel = *run->travel;
  const std::size_t dof = static_cast<std::size_t>(travel.system().dofOf({1, 0}));
  for (const auto& s : run->result.travel.steps) {
    const double a = w * s.t, c = std::cos(tilt), lift = arm * std::sin(tilt);
    EXPECT_NEAR(kinematics::jointValue(travel.system(), s.c, 1, 0, travel.resolved()),
                (ball + top - lift * std::cos(a)) / c, 1e-11);
    EXPECT_NEAR(s.qd[dof], lift * w * std::sin(a) / c, 1e-9);
    EXPECT_NEAR(s.qdd[dof], lift * w * w * std::cos(a) / c, 1e-7);
  }
}

}  // namespace
}  // namespace cooperage::contact::test
