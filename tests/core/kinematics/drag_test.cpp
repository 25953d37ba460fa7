// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/drag.h"

#include "../support.h"

namespace cooperage::kinematics {
namespace {

using namespace cooperage::test;

struct Bench {
  model::Resolved r;
  System s;
  Home h;
  explicit Bench(const std::string& text)
      : r(model::resolve(test::read(text)).value()), s(System::compile(r).value()), h(assemble(s, r).value()) {}
  void expectClosed(const Configuration& c) {
    Solver solver(s, {});
    solver.setHome(h.configuration);
    solver.forward(c);
    for (double x : solver.residual()) EXPECT_LT(std::abs(x), 1e-9);
  }
};

// The crank pin can only come as near to the pointer as its circle allows: the foot of the perpendicular on the circle.
TEST(Drag, TheGrabbedPointComesAsNearAsTheJointsAllow) {
  Bench b(sliderCrank(34, 120, 11));
  const double q = 30 * kPi / 180;
  Drag drag(b.s, b.r, b.h.configuration, 1, Vec3(0.034 * std::cos(q), 0.034 * std::sin(q), 0));
  const Vec3 target(0.02, 0.08, 0);
  for (int i = 0; i < 6; ++i) drag.pull(target);
  // a pull ends when it gains less than 1e-9 of the distance, which is quadratic in the angle: 3e-5 rad
  const double wanted = std::atan2(target.y(), target.x());
  EXPECT_NEAR(jointValue(b.s, drag.configuration(), 0, 0, b.r), wanted, 5e-5);
  b.expectClosed(drag.configuration());
}

TEST(Drag, NeverOpensAJointHoweverFarThePull) {
  Bench b(sliderCrank(34, 120, 11));
  Drag drag(b.s, b.r, b.h.configuration, 3, Vec3(0.14, 0.011, 0));
  for (const Vec3& target : {Vec3(9, 9, 9), Vec3(-9, 0, 0), Vec3(0.1, 0, 0)}) {
    drag.pull(target);
    b.expectClosed(drag.configuration());
  }
}

TEST(Drag, StopsHaltIt) {
  auto text = sliderCrank(34, 120, 0, 40);
  const std::string slide = R"("kind":"prismatic","between":["frame/guide","block/guide"])";
  text.replace(text.find(slide), slide.size(), slide + R"(,"stops":{"slide":[130,150]})");
  Bench b(text);
  const double x = jointValue(b.s, b.h.configuration, 3, 0, b.r);
  Drag drag(b.s, b.r, b.h.configuration, 3, Vec3(x, 0, 0));
  drag.pull(Vec3(0.5, 0, 0));
  const double after = jointValue(b.s, drag.configuration(), 3, 0, b.r);
  EXPECT_LE(after, 0.150 + 1e-9);
  EXPECT_GT(after, 0.149);
}

TEST(Drag, AFreeLinkFollowsWholly) {
  Bench b(
      R"({"format":"cooperage","version":1,"links":[{"name":"g","ground":true},{"name":"loose","placement":{"at":[10,0,0]}}]})");
  Drag drag(b.s, b.r, b.h.configuration, 1, Vec3(0.01, 0, 0));
  for (int i = 0; i < 20; ++i) drag.pull(Vec3(0.2, 0.1, 0.3));
  EXPECT_NEAR((drag.linkPoses()[1].p - Vec3(0.2, 0.1, 0.3)).norm(), 0, 1e-5);
}

}  // namespace
}  // namespace cooperage::kinematics
