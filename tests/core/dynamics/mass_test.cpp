// SPDX-License-Identifier: GPL-3.0-or-later
// Masses of solids against closed forms, and of links made of several.
#include "shape/mass.h"

#include <gmock/gmock.h>

#include "../support.h"
#include "shape/shape_store.h"

namespace cooperage::test {
namespace {

/// The mass of a mechanism's only moving link.
model::Resolved::MassR massIn(const std::string& bodies, const std::string& materials = "") {
  const auto m = test::read(R"({"format":"cooperage","version":1,)" + materials +
                            R"("links":[{"name":"g","ground":true},{"name":"part","bodies":[)" + bodies + "]}]}");
  auto r = model::resolve(m);
  if (!r.ok()) {
    ADD_FAILURE() << r.error().text;
    return {};
  }
  shape::ShapeStore store;
  model::Resolved& figures = r.value();
  shape::attachMasses(figures, [&](const auto& link, const auto& body) {
    const auto s = store.body(body, link.name);
    return s.ok() ? *s : nullptr;
  });
  if (!figures.links[1].mass) {
    ADD_FAILURE() << "massless";
    return {};
  }
  return *figures.links[1].mass;
}

constexpr double kShare = 1e-9;

TEST(Mass, OfElementsEqualsTheClosedForm) {
  const auto box = massIn(R"({"name":"b","element":"box","size":[30,50,20],"density":"7850 kg/m^3"})");
  const double m = 7850 * 0.03 * 0.05 * 0.02;
  EXPECT_NEAR(box.value, m, kShare * m);
  EXPECT_NEAR(box.inertia(0, 0), m / 12 * (0.05 * 0.05 + 0.02 * 0.02), kShare * box.inertia(0, 0));
  EXPECT_NEAR(box.inertia(2, 2), m / 12 * (0.03 * 0.03 + 0.05 * 0.05), kShare * box.inertia(2, 2));
  EXPECT_NEAR(box.inertia(0, 1), 0, kShare * box.inertia(0, 0));

  const auto cylinder = massIn(R"({"name":"c","element":"cylinder","radius":12,"length":70,"material":"oak"})");
  const double c = 700 * kPi * 0.012 * 0.012 * 0.07;
  EXPECT_NEAR(cylinder.value, c, kShare * c);
  EXPECT_NEAR(cylinder.inertia(2, 2), c * 0.012 * 0.012 / 2, kShare * c * 0.012 * 0.012);
  EXPECT_NEAR(cylinder.inertia(0, 0), c * (3 * 0.012 * 0.012 + 0.07 * 0.07) / 12, kShare * c * 0.07 * 0.07);

  const auto ball = massIn(R"({"name":"s","element":"sphere","radius":25,"density":"1000 kg/m^3"})");
  const double b = 1000 * 4.0 / 3 * kPi * 0.025 * 0.025 * 0.025;
  EXPECT_NEAR(ball.value, b, kShare * b);
  EXPECT_NEAR(ball.inertia(1, 1), 0.4 * b * 0.025 * 0.025, kShare * b * 0.025 * 0.025);

  // a bar with round ends about its pivots, less two bores
  const auto bar =
      massIn(R"({"name":"l","element":"bar","length":100,"width":20,"thickness":6,"bore":8,"density":"1000 kg/m^3"})");
  const double area = 0.1 * 0.02 + kPi * 0.01 * 0.01 - 2 * kPi * 0.004 * 0.004;
  EXPECT_NEAR(bar.value, 1000 * area * 0.006, kShare * bar.value);
  EXPECT_NEAR(bar.centre.x(), 0.05, kShare * 0.1);
  // about z: a rectangle, two half discs (their own centres 4r/3pi out), less two discs
  const double t = 0.006 * 1000, r = 0.01, rect = t * 0.1 * 0.02 * (0.1 * 0.1 + 0.02 * 0.02) / 12,
               half = t * kPi * r * r / 2;
  const double out = 4 * r / (3 * kPi), polar = half * r * r / 2 - half * out * out;
  const double ends = 2 * (polar + half * (0.05 + out) * (0.05 + out));
  const double bore = t * kPi * 0.004 * 0.004, bores = 2 * (bore * 0.004 * 0.004 / 2 + bore * 0.05 * 0.05);
  EXPECT_NEAR(bar.inertia(2, 2), rect + ends - bores, kShare * (rect + ends));
}

TEST(Mass, OfALinkIsThatOfAllItsBodiesWithADensity) {
  // a dumb-bell of two balls, one of them turned and of a material of the document's own, and a rod that weighs nothing
  const auto link = massIn(
      R"({"name":"a","element":"sphere","radius":10,"density":"2000 kg/m^3","placement":{"at":[-40,0,0]}},
         {"name":"b","element":"box","size":[20,10,10],"material":"cork","placement":{"at":[60,0,0],"turn":[0.7071067811865476,0,0,0.7071067811865476]}},
         {"name":"rod","element":"cylinder","radius":2,"length":100})",
      R"("materials":[{"name":"cork","density":"240 kg/m^3"}],)");
  const double a = 2000 * 4.0 / 3 * kPi * 1e-6, b = 240 * 2e-6;
  EXPECT_NEAR(link.value, a + b, kShare * a);
  const double x = (-0.04 * a + 0.06 * b) / (a + b);
  EXPECT_NEAR(link.centre.x(), x, kShare);
  const double apart = a * b / (a + b) * 0.1 * 0.1;
  EXPECT_NEAR(link.inertia(2, 2), 0.4 * a * 1e-4 + b / 12 * (0.02 * 0.02 + 0.01 * 0.01) + apart, kShare * apart);
  EXPECT_NEAR(link.inertia(0, 0), 0.4 * a * 1e-4 + b / 12 * (0.02 * 0.02 + 0.01 * 0.01), kShare * apart)
      << "the box lies turned by a right angle";
}

TEST(Mass, AMaterialThatIsNotKnownIsSaidAndWeighsNothing) {
  const auto r = model::resolve(test::read(
      R"({"format":"cooperage","version":1,"links":[{"name":"g","ground":true,"bodies":[{"name":"b","element":"sphere","radius":3,"material":"moonstone"}]}]})"));
  ASSERT_TRUE(r.ok());
  ASSERT_EQ(r->messages.size(), 1u);
  EXPECT_THAT(r->messages[0].text, ::testing::HasSubstr("g/b: there is no material 'moonstone'"));
  EXPECT_FALSE(r->links[0].bodies[0].density);
}

}  // namespace
}  // namespace cooperage::test
