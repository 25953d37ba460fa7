// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/envelope.h"

#include "../support.h"
#include "clearance/outline.h"
#include "io/report.h"

namespace cooperage::clearance {
namespace {

using namespace cooperage::test;

/// Sweeps links of a document's first run.
Result<Envelope> sweepLinks(const std::string& text, const EnvelopeOptions& options) {
  const auto r = model::resolve(read(text)).value();
  auto run = kinematics::TravelRun::prepare(r, 0).value();
  kinematics::Measurer measurer(*run);
  const auto travel = run->run();
  shape::ShapeStore store;
  return sweep(*run, measurer, travel, store, options, nullptr);
}
Envelope swept(const std::string& text, const EnvelopeOptions& options) {
  auto e = sweepLinks(text, options);
  if (!e.ok()) ADD_FAILURE() << e.error().text;
  return e.ok() ? *e : Envelope{};
}

std::string sliding(const std::string& body) {
  return R"({"format":"cooperage","version":1,"links":[{"name":"g","ground":true,"seats":[{"name":"s","axis":[1,0,0],"ref":[0,1,0]}]},
    {"name":"m","seats":[{"name":"s","axis":[1,0,0],"ref":[0,1,0]}],"bodies":[)" +
         body + R"(]}],
   "joints":[{"name":"j","kind":"prismatic","between":["g/s","m/s"]}],
   "drives":[{"name":"d","value":"j.slide","programme":[{"law":"poly-345","to":100,"time":1}]}],
   "runs":[{"name":"r","duration":1,"steps":20}]})";
}
/// A link that turns about z by an angle.
std::string turningBy(const std::string& body, double degrees) {
  return R"({"format":"cooperage","version":1,"links":[{"name":"g","ground":true,"seats":[{"name":"s"}]},
    {"name":"m","seats":[{"name":"s"}],"bodies":[)" +
         body + R"(]}],
   "joints":[{"name":"j","kind":"revolute","between":["g/s","m/s"]}],
   "drives":[{"name":"d","value":"j.turn","programme":[{"law":"linear","to":")" +
         formatNumber(degrees) + R"( deg","time":1}]}],
   "runs":[{"name":"r","duration":1,"steps":12}]})";
}

EnvelopeOptions optionsFor(double clearance, double accuracy) {
  EnvelopeOptions options;
  options.links = {1};
  options.clearance = clearance;
  options.accuracy = accuracy;
  options.outlineAxis = 2;
  return options;
}
Envelope sweepOf(const std::string& body, double clearance, double accuracy) {
  return swept(sliding(body), optionsFor(clearance, accuracy));
}

/// The true volume lies within the bounds, and these within half a per cent.
void expectVolume(const Envelope& e, double volume) {
  EXPECT_LE(e.low, volume);
  EXPECT_GE(e.high, volume);
  EXPECT_GE(e.low, 0.995 * volume);
  EXPECT_LE(e.high, 1.005 * volume);
}

// A sphere of radius r along a straight way of length s sweeps a capsule: pi r^2 s + 4/3 pi r^3; its shadow 2 r s + pi
// r^2.
TEST(Envelope, ASphereAlongALineSweepsACapsule) {
  const double r = 0.02, s = 0.1;
  const auto e = sweepOf(R"({"name":"b","element":"sphere","radius":20})", 0, 0.14 / 200);
  const double volume = kPi * r * r * s + 4.0 / 3 * kPi * r * r * r;
  expectVolume(e, volume);
  EXPECT_NEAR(e.outlineArea, 2 * r * s + kPi * r * r, 0.01 * (2 * r * s + kPi * r * r));
  EXPECT_NEAR(e.boxHigh.x() - e.boxLow.x(), s + 2 * r, 1e-3);
}

TEST(Envelope, ClearanceGrowsItAllRound) {
  const double r = 0.022, s = 0.1;  // 20 mm and 2 mm clearance
  const auto e = sweepOf(R"({"name":"b","element":"sphere","radius":20})", 0.002, 5e-4);
  const double volume = kPi * r * r * s + 4.0 / 3 * kPi * r * r * r;
  EXPECT_NEAR(e.volume, volume, 0.01 * volume);
}

TEST(Envelope, TheMeshIsClosedAndTheStlHoldsAllOfIt) {
  const auto e = sweepOf(R"({"name":"b","element":"box","size":[10,20,30]})", 0, 1e-3);
  std::map<std::pair<int, int>, int> edges;
  for (const auto& t : e.mesh.triangles)
    for (std::size_t k = 0; k < 3; ++k) ++edges[{t[k], t[(k + 1) % 3]}];
  for (const auto& [edge, n] : edges) EXPECT_EQ(edges.count({edge.second, edge.first}), 1u);
  EXPECT_EQ(io::stlBinary(e.mesh, "x").size(), 84 + 50 * e.mesh.triangles.size());
  EXPECT_NEAR(e.volume, 0.11 * 0.02 * 0.03, 0.03 * 0.11 * 0.02 * 0.03);
}

// A square of 20 mm turned by a quarter and more sweeps the circle about it: radius 10 sqrt 2.
TEST(Envelope, ABoxThatTurnsSweepsACylinder) {
  const auto e =
      swept(turningBy(R"({"name":"b","element":"box","size":[20,20,10]})", 95), optionsFor(0, 28.3e-3 / 200));
  expectVolume(e, kPi * 200e-6 * 0.01);
}

// A ball on an arm sweeps a part of a torus with half a ball at each end: a pi R r^2 + 4/3 pi r^3.
TEST(Envelope, ABallOnAnArmSweepsPartOfATorus) {
  const double R = 0.05, r = 0.012, a = 200 * kPi / 180;
  const auto e = swept(turningBy(R"({"name":"b","element":"sphere","radius":12,"placement":{"at":[50,0,0]}})", 200),
                       optionsFor(0, 0.124 / 200));
  expectVolume(e, a * kPi * R * r * r + 4.0 / 3 * kPi * r * r * r);
}

// A pin square to the plane of a slider-crank, in the middle of its rod: a band 2 r wide along the way of its centre,
// with half a circle at each end (Steiner). The way is added up from the closed form of the rod's middle.
TEST(Envelope, APinInPlaneMotionSweepsABandAlongItsWay) {
  const double r = 40, l = 130, pin = 6, tall = 20;
  std::string text = sliderCrank(r, l, 0, 0);
  const std::string was = R"({"law":"constant-speed","speed":"60 rpm","time":"1 s"})";
  text.replace(text.find(was), was.size(), R"({"law":"linear","to":"150 deg","time":"1 s"})");
  const std::string middle = R"({"name":"middle","at":[65,10,0]}])";
  text.replace(
      text.find(middle), middle.size(),
      middle + R"(,"bodies":[{"name":"p","element":"cylinder","radius":6,"length":20,"placement":{"at":[65,0,0]}}])");
  const auto centre = [&](double q) {
    const double x = r * std::cos(q) + std::sqrt(l * l - r * r * std::sin(q) * std::sin(q));
    return Vec3(0.5 * (r * std::cos(q) + x), 0.5 * r * std::sin(q), 0);
  };
  double way = 0;
  constexpr int kN = 20000;
  for (int i = 0; i < kN; ++i)
    way += (centre(150 * kPi / 180 * (i + 1) / kN) - centre(150 * kPi / 180 * i / kN)).norm();
  EnvelopeOptions options = optionsFor(0, 0.09 / 200);
  options.links = {2};
  const auto e = swept(text, options);
  expectVolume(e, (2 * pin * way + kPi * pin * pin) * tall * 1e-9);
}

TEST(Envelope, HalfTheVoxelIsHalfTheError) {
  const std::string body = R"({"name":"b","element":"sphere","radius":20})";
  const auto coarse = sweepOf(body, 0, 2e-3), fine = sweepOf(body, 0, 1e-3);
  EXPECT_LT(fine.high - fine.low, 0.65 * (coarse.high - coarse.low));
  EXPECT_NEAR(fine.error, 0.5 * coarse.error, 0.05 * coarse.error);
}

TEST(Envelope, APartOfTheTravelSweepsThatPart) {
  EnvelopeOptions options = optionsFor(0, 5e-4);
  options.from = 0.4;
  options.to = 0.5;  // of a quintic move over 100 mm: 10 s^3 - 15 s^4 + 6 s^5
  const auto at = [](double s) { return 0.1 * (10 * s * s * s - 15 * s * s * s * s + 6 * s * s * s * s * s); };
  const auto e = swept(sliding(R"({"name":"b","element":"box","size":[10,20,30]})"), options);
  EXPECT_NEAR(e.boxLow.x(), at(0.4) - 5e-3, 1e-3);
  EXPECT_NEAR(e.boxHigh.x(), at(0.5) + 5e-3, 1e-3);
}

TEST(Envelope, WhatItTakesIsKnownBeforeAndTooMuchIsRefusedWithTheFigure) {
  // a bored disc is swept in cubes
  const std::string disc = sliding(R"({"name":"b","element":"disc","radius":20,"thickness":10,"bore":6})");
  const auto r = model::resolve(read(disc)).value();
  auto run = kinematics::TravelRun::prepare(r, 0).value();
  kinematics::Measurer measurer(*run);
  const auto travel = run->run();
  shape::ShapeStore store;
  const auto coarse = estimateSweep(*run, measurer, travel, store, optionsFor(0, 1e-3), nullptr).value();
  const auto fine = estimateSweep(*run, measurer, travel, store, optionsFor(0, 5e-4), nullptr).value();
  EXPECT_GT(fine.bytes, 2 * coarse.bytes);
  EXPECT_GT(fine.poses, 1.8 * coarse.poses);
  EXPECT_TRUE(coarse.fits);
  const auto huge = sweepLinks(disc, optionsFor(0, 5e-6));
  ASSERT_FALSE(huge.ok());
  EXPECT_NE(huge.error().text.find("GB"), std::string::npos) << huge.error().text;

  auto options = optionsFor(0, 1e-3);
  int told = 0;
  options.told = [&](const EnvelopeEstimate& ahead) { told = ahead.poses; };
  options.mostSeconds = 0.1;
  const auto slow = sweepLinks(disc, options);
  ASSERT_FALSE(slow.ok());
  EXPECT_NE(slow.error().text.find("hours"), std::string::npos) << slow.error().text;
  EXPECT_EQ(told, 0);
  options.mostSeconds = 3600;
  EXPECT_TRUE(sweepLinks(disc, options).ok());
  EXPECT_EQ(told, coarse.poses);
}

TEST(Outline, OfASquareWithAHoleHasTwoRims) {
  const auto mesh = shape::tessellate(*shape::elementShape(model::BodyKind::disc, {0.03, 0.01, 0.02}), 1e-5).value();
  const auto o = outlineOf(mesh, 2, 2e-5);
  ASSERT_EQ(o.rims.size(), 2u);
  EXPECT_NEAR(o.area, kPi * (0.03 * 0.03 - 0.01 * 0.01), 2e-6);
  // signed areas: the outer rim to the left, the hole to the right
  double area = 0;
  for (const auto& rim : o.rims)
    for (std::size_t i = 0; i < rim.size(); ++i) {
      const auto &a = rim[i], &b = rim[(i + 1) % rim.size()];
      area += 0.5 * (a.x() * b.y() - b.x() * a.y());
      EXPECT_NEAR(a.norm(), a.norm() > 0.02 ? 0.03 : 0.01, 6e-5);
    }
  EXPECT_NEAR(area, o.area, 4e-6);
}

}  // namespace
}  // namespace cooperage::clearance
