// SPDX-License-Identifier: GPL-3.0-or-later
// Common volumes against closed forms, and how they end early.
#include "clearance/common_volume.h"

#include "../support.h"
#include "clearance/sweep_field.h"

namespace cooperage::clearance {
namespace {

/// Two links with bodies as JSON, and their common volume with the second one placed.
Result<CommonVolume> common(const std::string& a, const std::string& b, const Pose& place = {},
                            Progress* progress = nullptr) {
  const auto m = test::read(R"({"format":"cooperage","version":1,"links":[{"name":"a","ground":true,"bodies":[)" + a +
                            R"(]},{"name":"b","bodies":[)" + b +
                            R"(]}],"runs":[{"name":"r","duration":1,"accuracy":"0.02 mm"}]})");
  const auto r = model::resolve(m).value();
  shape::ShapeStore store;
  GeometryCache cache;
  const auto g = geometryFor(r, 0, store, cache, nullptr, Need::all).value();
  return commonVolume(*g.links[0], Pose{}, *g.links[1], place, 2e-5, progress);
}
Pose at(double x, double y, double z, const Mat3& R = Mat3::Identity()) {
  Pose p;
  p.R = R;
  p.p = Vec3(x, y, z);
  return p;
}
const char* const kBall = R"({"name":"ball","element":"sphere","radius":10})";
const char* const kRod = R"({"name":"rod","element":"cylinder","radius":5,"length":60})";
const char* const kBox = R"({"name":"box","element":"box","size":[20,30,40]})";

TEST(CommonVolume, OfTwoBallsIsALens) {
  const double r = 0.01, d = 0.013;
  const auto c = common(kBall, kBall, at(d, 0, 0));
  ASSERT_TRUE(c.ok()) << c.error().text;
  const double lens = kPi * (4 * r + d) * (2 * r - d) * (2 * r - d) / 12;
  EXPECT_NEAR(c->volume, lens, 1e-6 * lens);
  EXPECT_NEAR((c->centroid - Vec3(d / 2, 0, 0)).norm(), 0, 1e-8);
  EXPECT_NEAR(c->boxHigh.x() - c->boxLow.x(), 2 * r - d, 1e-4);
  EXPECT_NEAR(shape::volumeOf(c->mesh), lens, 0.02 * lens);
}

TEST(CommonVolume, OfTwoCrossedRodsIsTwoThirdsOfTheirCube) {
  Mat3 R;  // the second along x
  R << 0, 0, 1, 0, 1, 0, -1, 0, 0;
  const auto c = common(kRod, kRod, at(0, 0, 0, R));
  ASSERT_TRUE(c.ok()) << c.error().text;
  const double crossed = 16.0 / 3 * 0.005 * 0.005 * 0.005;
  EXPECT_NEAR(c->volume, crossed, 1e-6 * crossed);
}

TEST(CommonVolume, BodiesOfOneLinkThatOverlapCountOnce) {
  // two boxes one in the other, and a box that reaches 5 mm into both
  const std::string twice = std::string(kBox) + R"(,{"name":"inner","element":"box","size":[20,20,20]})";
  const auto c = common(twice, kBox, at(0.015, 0, 0));
  ASSERT_TRUE(c.ok()) << c.error().text;
  EXPECT_NEAR(c->volume, 0.005 * 0.03 * 0.04, 1e-12);
}

TEST(CommonVolume, OfBodiesApartOrOnlyTouchingIsNone) {
  for (const double x : {0.02, 0.3}) {
    const auto c = common(kBox, kBox, at(x, 0, 0));
    ASSERT_TRUE(c.ok()) << c.error().text;
    EXPECT_EQ(c->volume, 0);
    EXPECT_TRUE(c->mesh.triangles.empty());
  }
}

TEST(CommonVolume, CancelledWorkIsAnErrorThatSaysSo) {
  struct Stop : Progress {
    bool cancelled() const override { return true; }
  } stop;
  // a gear's flanks keep OCCT busy long enough to be asked
  const std::string gear = R"({"name":"gear","element":"gear","teeth":30,"module":2,"width":10})";
  const auto c = common(gear, gear, at(0.058, 0, 0), &stop);
  ASSERT_FALSE(c.ok());
  EXPECT_TRUE(c.error().cancelled);
}

TEST(Geometry, OnlyWhatIsMeasuredIsMeshedToComputeARun) {
  const auto document = [](const std::string& check, const std::string& stop) {
    const std::string ball = kBall;
    return test::read(
        R"({"format":"cooperage","version":1,"links":[{"name":"a","ground":true,"bodies":[)" + ball +
        R"(]},{"name":"b","bodies":[)" + ball + R"(]},{"name":"c","bodies":[)" + ball +
        R"(]}],"gauges":[{"name":"g","kind":"clearance","of":["a","c"]}],"runs":[{"name":"r","duration":1,"check":[)" +
        check + "]" + stop + "}]}");
  };
  const auto made = [](const model::Mechanism& m, Need need) {
    const auto r = model::resolve(m).value();
    shape::ShapeStore store;
    GeometryCache cache;
    return geometryFor(r, 0, store, cache, nullptr, need).value();
  };
  const auto interference = document(R"("interference")", "");
  const auto measured = made(interference, Need::measures);
  EXPECT_FALSE(measured.whole);
  EXPECT_FALSE(measured.links[0]->empty());
  EXPECT_TRUE(measured.links[1]->empty());
  EXPECT_FALSE(measured.links[2]->empty());
  EXPECT_TRUE(made(interference, Need::checks).whole);
  EXPECT_FALSE(made(document("", ""), Need::checks).whole);
  EXPECT_TRUE(made(document("", R"(,"stop_at_contact":true)"), Need::measures).whole);
  EXPECT_TRUE(made(document("", ""), Need::all).whole);
}

/// The field of a ball: what a sweep takes as exact is so to the mesh, what it only skips by is within its slack.
TEST(SweepField, OfABallIsExactAtTheSurfaceAndCloseElsewhere) {
  const double radius = 0.02, h = 5e-4, deflection = 1e-5;
  const auto mesh = shape::tessellate(*shape::elementShape(model::BodyKind::sphere, {radius}), deflection).value();
  const MeshDistance exact(mesh);
  for (const double level : {0.0, 0.004}) {
    const Field field(exact, exact.low(), exact.high(), h, level + 13 * h, level, 2.2, nullptr);
    double fine = 0, coarse = 0;
    std::srand(7);
    for (int i = 0; i < 20000; ++i) {
      const Vec3 p = (radius + level + 10 * h) * Vec3::Random();
      const double truth = p.norm() - radius, found = h * field.sample(p / h);
      double& worst = std::abs(truth - level) < 1.8 * h ? fine : coarse;
      worst = std::max(worst, std::abs(found - truth));
    }
    // trilinear between exact voxels: an eighth of the square of a voxel's diagonal over the radius
    EXPECT_LT(fine, deflection + 3 * h * h / (8 * radius));
    EXPECT_LT(coarse, 4 * h) << "but at the middle, where nothing is skipped by it";
    double near = 0;
    for (int i = 0; i < 20000; ++i) {
      const Vec3 p = (radius + level + 10 * h) * Vec3::Random();
      const double truth = p.norm() - radius;
      if (std::abs(truth - level) < 10 * h) near = std::max(near, std::abs(h * field.sample(p / h) - truth));
    }
    EXPECT_LT(near, 0.6 * h);
  }
}

}  // namespace
}  // namespace cooperage::clearance
