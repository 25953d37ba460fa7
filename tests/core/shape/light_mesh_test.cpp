// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <Eigen/Geometry>
#include <cmath>

#include "base/geometry.h"
#include "shape/solid.h"

namespace cooperage::shape {
namespace {

Vec3 vec(const LightMesh::Point& p) { return {p[0], p[1], p[2]}; }

LightMeshPtr lightOf(model::BodyKind kind, const std::vector<double>& figures) {
  const auto shape = elementShape(kind, figures);
  EXPECT_TRUE(shape.ok());
  meshForDisplay(*shape);
  return lightMesh(*shape);
}

TEST(LightMesh, OfABallLiesOnItWithFewTrianglesThatFaceOutward) {
  const double r = 30;  // mm
  const auto light = lightOf(model::BodyKind::sphere, {r * 1e-3});
  ASSERT_NE(light, nullptr);
  EXPECT_LT(light->triangles.size() / 3, static_cast<std::size_t>(light->fullSize) / 2);
  const double displayed = 2 * r * std::sqrt(3.0) / 1500 + 0.02;  // the display mesh's own deflection
  EXPECT_LE(light->error, 0.01 * 2 * r * std::sqrt(3.0));
  double area = 0;
  for (std::size_t i = 0; i < light->triangles.size(); i += 3) {
    Vec3 at[3], normals = Vec3::Zero();
    for (std::size_t k = 0; k < 3; ++k) {
      at[k] = vec(light->points[light->triangles[i + k]]);
      normals += vec(light->normals[light->triangles[i + k]]);
      EXPECT_NEAR(at[k].norm(), r, displayed);
    }
    const Vec3 n = (at[1] - at[0]).cross(at[2] - at[0]), middle = (at[0] + at[1] + at[2]) / 3;
    area += n.norm() / 2;
    EXPECT_GT(n.dot(middle), 0);
    EXPECT_GT(normals.dot(middle), 0);
    EXPECT_GT(middle.norm(), r - 2 * light->error - displayed);
  }
  EXPECT_NEAR(area, 4 * kPi * r * r, 0.03 * 4 * kPi * r * r);
}

TEST(LightMesh, KeepsTheRimsOfADisc) {
  const double r = 40, bore = 12, t = 8;  // mm; bore: diameter
  const auto light = lightOf(model::BodyKind::disc, {r * 1e-3, t * 1e-3, bore * 1e-3});
  ASSERT_NE(light, nullptr);
  const double off = 0.005 * std::hypot(2 * r, 2 * r, t) + 0.02;
  double rims = 0;
  for (const auto& line : light->edges)
    for (std::size_t k = 0; k + 1 < line.size(); ++k) {
      const Vec3 a = vec(line[k]), b = vec(line[k + 1]);
      if (std::abs(a.z() - b.z()) > 1e-3) continue;  // the seam, along the axis
      const double at = Eigen::Vector2d(0.5 * (a.x() + b.x()), 0.5 * (a.y() + b.y())).norm();
      EXPECT_LT(std::min(std::abs(at - r), std::abs(at - bore / 2)), off);
      rims += (b - a).norm();
    }
  EXPECT_NEAR(rims, 2 * 2 * kPi * (r + bore / 2), 0.02 * 4 * kPi * (r + bore / 2));
}

TEST(LightMesh, OfWhatIsSmallAlreadyThereIsNone) {
  EXPECT_EQ(lightOf(model::BodyKind::box, {0.04, 0.02, 0.01}), nullptr);
}

TEST(LightMesh, SolidsReadyToShowKeepWhatTheyAre) {
  auto box = std::make_shared<Solid>();
  box->shape = *elementShape(model::BodyKind::box, {0.04, 0.02, 0.01});
  box->name = "box";
  auto ball = std::make_shared<Solid>();
  ball->shape = *elementShape(model::BodyKind::sphere, {0.03});
  ball->name = "ball";
  ball->path = {"arm"};
  const auto ready = readyToShow({box, ball});
  ASSERT_EQ(ready.size(), 2U);
  EXPECT_EQ(ready[0]->name, "box");
  EXPECT_EQ(ready[0]->light, nullptr);
  EXPECT_TRUE(displayMesh(ready[0]->shape).has_value());
  EXPECT_EQ(ready[1]->path, std::vector<std::string>{"arm"});
  ASSERT_NE(ready[1]->light, nullptr);
  EXPECT_TRUE(ready[1]->shape.IsSame(ball->shape));
}

}  // namespace
}  // namespace cooperage::shape
