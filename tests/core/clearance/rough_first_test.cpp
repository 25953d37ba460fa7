// SPDX-License-Identifier: GPL-3.0-or-later
// Bodies are looked at by the meshes that are at hand first: that must save work and change no answer.
#include <gmock/gmock.h>

#include <BRepPrimAPI_MakeTorus.hxx>

#include "checked.h"
#include "clearance/nearest.h"

namespace cooperage::clearance {
namespace {

TEST(RoughFirst, TheMeshThatIsShownIsAsNearTheBodyAsItSays) {
  using model::BodyKind;
  std::vector<TopoDS_Shape> shapes{
      BRepPrimAPI_MakeTorus(250, 90).Shape(), *shape::elementShape(BodyKind::bar, {0.6, 0.12, 0.03, 0.05}),
      *shape::elementShape(BodyKind::gear, {0.006, 31, 20 * kPi / 180, 0.2, 0.05, 0, 0.04, 0, 0, 0, 0, 1, 1.25, 0.38})};
  for (const char* name : {"cask.step", "ram.step", "lower-toggle.step"}) {
    const auto solids = shape::readStep(std::filesystem::path(COOPERAGE_DEMO) / "hoop-press/parts" / name);
    ASSERT_TRUE(solids.ok()) << solids.error().text;
    shapes.push_back(solids->front()->shape);
  }
  for (const auto& s : shapes) {
    shape::meshForDisplay(s);
    const auto shown = shape::displayMesh(s);
    ASSERT_TRUE(shown);
    const double error = shape::displayDeflection(s);
    const MeshDistance rough(*shown);
    const auto fine = shape::tessellate(s, error / 12).value();
    double worst = 0;
    const std::size_t stride = std::max<std::size_t>(1, fine.vertices.size() / 4000);
    for (std::size_t i = 0; i < fine.vertices.size(); i += stride)
      worst = std::max(worst, std::abs(rough.signedDistance(fine.vertices[i])));
    EXPECT_LT(worst, error);
    EXPECT_GT(worst, 0.01 * error) << "else it is no rough mesh";
  }
}

std::string document(const std::string& moving, const std::string& standing, bool gauge, int steps = 60) {
  std::string text = test::turning(moving, standing, steps, 0, R"("interference")", 0.05);
  if (!gauge) {  // a gauge has its links meshed finely at once
    const auto from = text.find(R"("gauges")"), to = text.find(R"("runs")");
    text.erase(from, to - from);
  }
  return text;
}
std::string body(const std::string& element, double x, double y, double z) {
  return "{\"name\":\"b\"," + element + R"(,"placement":{"at":[)" + formatNumber(x) + "," + formatNumber(y) + "," +
         formatNumber(z) + "]}}";
}

TEST(RoughFirst, FindsTheSameContacts) {
  const std::string elements[] = {R"("element":"bar","length":240,"width":60,"thickness":20,"bore":30)",
                                  R"("element":"cylinder","radius":45,"length":60)",
                                  R"("element":"disc","radius":90,"thickness":25,"bore":60)"};
  // through one another, a hair apart above one another, beside one another, far
  const Vec3 places[] = {{300, 10, 8}, {260, 40, 22.53}, {395, 0, 5}, {380, 30, 90}};
  int met = 0, free = 0;
  for (int m = 0; m < 3; ++m)
    for (const std::string& standing : elements) {
      const Vec3& at = places[(m + static_cast<int>(&standing - elements)) % 4];
      for (const Vec3& place : {at, Vec3(at + Vec3(7, -5, 11))}) {
        const std::string one = body(elements[m], 150, 0, 0), other = body(standing, place.x(), place.y(), place.z());
        const auto roughly = test::check(document(one, other, false)), finely = test::check(document(one, other, true));
        const auto &x = roughly.result, &y = finely.result;
        ASSERT_EQ(x.interference.size(), y.interference.size());
        for (std::size_t i = 0; i < y.interference.size(); ++i) {
          EXPECT_NEAR(x.interference[i].fromTime, y.interference[i].fromTime, 1e-7);
          EXPECT_NEAR(x.interference[i].toTime, y.interference[i].toTime, 1e-7);
          EXPECT_NEAR(x.interference[i].deepest.depth, y.interference[i].deepest.depth,
                      0.05 * y.interference[i].deepest.depth + 1e-5);
        }
        EXPECT_EQ(x.pairsFree, y.pairsFree);
        EXPECT_EQ(x.provenShare, y.provenShare);
        met += y.interference.empty() ? 0 : 1;
        free += y.pairsFree;
      }
    }
  EXPECT_GT(met, 3);
  EXPECT_GT(free, 3);
}

// The corners of a rough mesh lie on the body, its facets inside: two discs that are 0.1 mm one in the other look
// apart by them wherever facet faces facet. Their errors must be counted.
// Switched off: the errors of the meshes, where bodies are said to be free.
TEST(RoughFirst, WhatOnlyTheFacetsKeepApartIsFound) {
  const std::string disc = R"("element":"disc","radius":400,"thickness":20,"bore":50)";
  const TopoDS_Shape shape = shape::elementShape(model::BodyKind::disc, {0.4, 0.02, 0.05}).value();
  shape::meshForDisplay(shape);
  const MeshTree rough(*shape::displayMesh(shape));
  double widest = 0, at = 0;  // the direction in which their facets are farthest apart
  for (int k = 0; k < 400; ++k) {
    Pose beside;
    beside.p = 0.7999 * Vec3(std::cos(k * kPi / 200), std::sin(k * kPi / 200), 0);
    const double gap = MeshTree::distance(rough, rough, beside).distance;
    if (gap > widest) {
      widest = gap;
      at = k * kPi / 200;
    }
  }
  ASSERT_GT(widest, 1e-4) << "else this shows nothing";
  // the travel begins there, in small steps: each interval's facets stay apart
  const auto c = test::check(
      document(body(disc, 0, 0, 0), body(disc, 799.9 * std::cos(at), 799.9 * std::sin(at), 0), false, 3600));
  ASSERT_EQ(c.result.interference.size(), 1u);
  EXPECT_NEAR(c.result.interference[0].fromTime, 0, 1e-9);
  EXPECT_NEAR(c.result.interference[0].toTime, 1, 1e-9);
  EXPECT_NEAR(c.result.interference[0].deepest.depth, 1e-4, 3e-5);
}

TEST(RoughFirst, BodiesThatStayFarAreNotMeshedFinely) {
  const std::string bar = R"("element":"bar","length":300,"width":80,"thickness":20,"bore":40)";
  const auto far = test::check(document(body(bar, 0, 0, 0), body(bar, 0, 0, 60), false));
  ASSERT_EQ(far.result.pairsFree, 1);
  EXPECT_EQ(far.result.pairsProven, 1);
  const Part& part = *far.geometry.links[2]->parts()[0];
  EXPECT_FALSE(part.isFine());
  EXPECT_GT(part.rough().error(), 4 * far.geometry.deflection);
  // 30 um beside one another: the rough meshes can't tell
  const auto near = test::check(document(body(bar, 0, 0, 0), body(bar, 0, 0, 20.03), false));
  EXPECT_EQ(near.result.pairsFree, 1);
  EXPECT_TRUE(near.geometry.links[2]->parts()[0]->isFine());
}

TEST(RoughFirst, DistancesAreThoseOfTheFineMeshes) {
  // a link of three bodies, of which the nearest is not the first
  const std::string disc = R"("element":"disc","radius":110,"thickness":30,"bore":40)";
  const std::string three = body(disc, 0, 0, 900) + "," + body(disc, 0, 0, 320) + "," + body(disc, 0, 0, -900);
  const auto c = test::check(document(body(disc, 0, 0, 0), three, false));
  const LinkGeometry &one = *c.geometry.links[2], &many = *c.geometry.links[1];
  LinkDistance distance(one, many);
  Pose turned;
  turned.R = rotationOf(Vec3(0.4, 0.2, 0.1));
  const Gap g = distance.at(turned, Pose{});
  EXPECT_EQ(g.partB, 1);
  EXPECT_TRUE(many.parts()[1]->isFine());
  EXPECT_FALSE(many.parts()[0]->isFine());
  EXPECT_FALSE(many.parts()[2]->isFine());
  const double whole =
      MeshTree::distance(one.parts()[0]->fine().whole(), many.parts()[1]->fine().whole(), turned.inverse()).distance;
  EXPECT_NEAR(g.distance, whole, 1e-13);
}

}  // namespace
}  // namespace cooperage::clearance
