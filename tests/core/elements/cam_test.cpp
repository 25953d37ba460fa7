// SPDX-License-Identifier: GPL-3.0-or-later
// Cams: from a law to the profile and back through the contact of the solver, for every follower; the eccentric's
// closed forms (Norton, Cam Design and Manufacturing Handbook, ch. 7); undercut.
#include "elements/cam.h"

#include <rapidcheck/gtest.h>

#include "../maker.h"
#include "elements/outline.h"

namespace cooperage::elements {
namespace {

using namespace cooperage::test;

struct Follower {
  std::string kind;
  bool swing;
  double offset;
  int hand;
  std::string form = "disc";
};

Json rowsOf(bool swing) {
  const double lift = swing ? 0.12 : 0.012;  // rad or m
  return {{{"law", "poly-4567"}, {"over", 100 * kDegree}, {"lift", lift}},
          {{"law", "dwell"}, {"over", 50 * kDegree}},
          {{"law", "cycloidal"}, {"over", 60 * kDegree}, {"lift", -0.4 * lift}},
          {{"law", "modified-sine"}, {"over", 90 * kDegree}, {"lift", -0.6 * lift}},
          {{"law", "dwell"}, {"over", 60 * kDegree}}};
}

/// The cam on a shaft, its follower at its lowest place, driven one turn in 2 pi seconds.
Maker cam(const Follower& f, const Json& rows, const Json& profile = {}) {
  const double base = 0.04, roller = 0.008, arm = 0.07;
  const Eigen::Vector2d pivot(0.075, 0.01);
  Maker m;
  if (f.form == "linear")
    m.slide("shaft", "g", "cam", 0, 0, 1, 0);
  else
    m.hinge("shaft", "g", "cam", 0, 0);
  m.seat("cam", "plane", Vec3::Zero(), Vec3::UnitZ(), Vec3::UnitX());
  Json follower = {{"kind", f.kind}, {"motion", f.swing ? "swing" : "slide"}, {"offset", f.offset}};
  if (f.kind == "roller") follower["radius"] = roller;
  if (f.swing) {
    follower["pivot"] = {pivot.x(), pivot.y()};
    follower["arm"] = arm;
    follower["hand"] = f.hand;
  }
  Json curve = {{"name", "law"}, {"seat", "plane"}, {"kind", "cam-law"},
                {"base", base},  {"rows", rows},    {"follower", follower}};
  if (f.form != "disc") curve["form"] = f.form;
  if (profile.is_object()) curve = profile;
  m.find("cam")["curves"].push_back(curve);
  const double reach = base + (f.kind == "roller" ? roller : 0);
  if (f.swing) {
    m.hinge("guide", "g", "follower", pivot.x(), pivot.y());
    if (f.kind == "flat") {
      // a line at `offset` from the pivot, touching the base circle, that lifts off when it turns by `hand`
      const double toPivot = std::atan2(pivot.y(), pivot.x());
      const double normal = toPivot - f.hand * std::acos((base - f.offset) / pivot.norm());
      const Vec3 n(std::cos(normal), std::sin(normal), 0);
      m.seat("follower", "foot", Vec3(pivot.x(), pivot.y(), 0) + f.offset * n, -n, Vec3::UnitZ());
    } else {
      // two circles meet: the place from which turning by `hand` leads away from the cam
      const double d = pivot.norm(), x = (reach * reach - arm * arm + d * d) / (2 * d),
                   y = std::sqrt(reach * reach - x * x);
      const Vec3 along(pivot.x() / d, pivot.y() / d, 0), across(-along.y(), along.x(), 0);
      const Vec3 place = x * along - f.hand * y * across;
      m.seat("follower", "foot", place, Vec3::UnitZ(), Vec3::UnitX());
    }
  } else {
    const double y = f.form == "linear" || f.kind == "flat" ? reach : std::sqrt(reach * reach - f.offset * f.offset);
    m.slide("guide", "g", "follower", f.offset, y, 0, 1);
    m.seat("follower", "foot", {f.offset, y, 0}, f.kind == "flat" ? Vec3(0, -1, 0) : Vec3(0, 0, 1),
           f.kind == "flat" ? Vec3::UnitZ() : Vec3::UnitX());
  }
  Json pair = {{"name", "contact"}, {"kind", f.kind}, {"cam", "cam/law"}, {"follower", "follower/foot"}};
  if (f.kind == "roller") pair["radius"] = roller;
  m.add("cam_pairs", pair);
  const std::string value = f.form == "linear" ? "shaft.slide" : "shaft.turn";
  m.steady(value, f.form == "linear" ? 0.02 : 1);
  m.gauge("pressure", "pressure-angle", "contact");
  m.gauge("bend", "curvature", "contact");
  m.run(f.form == "linear" ? 2 * kPi - 0.01 : 2 * kPi, 360);
  return m;
}

std::shared_ptr<const CamSpec> specOf(const Maker& m) {
  const auto r = model::resolve(m.read());
  if (!r.ok()) {
    ADD_FAILURE() << r.error().text;
    return nullptr;
  }
  return r->curveList.at(0).cam;
}

void roundTrip(const Follower& f, double tolerance = 1e-7) {
  SCOPED_TRACE(testing::Message() << f.form << ' ' << f.kind << (f.swing ? " swinging " : " sliding ") << f.hand);
  Json rows = rowsOf(f.swing);
  if (f.form == "linear")
    for (Json& r : rows) r["over"] = 0.02 * r["over"].get<double>();
  const Maker m = cam(f, rows);
  const auto spec = specOf(m);
  ASSERT_TRUE(spec);
  const auto result = runFirst(m.read());
  ASSERT_TRUE(result.travel.completed) << said(result);
  const double sign = f.swing ? f.hand : 1, rate = f.form == "linear" ? 0.02 : 1;
  const std::string value = f.swing ? "guide.turn" : "guide.slide";
  const auto law = [&](std::size_t i) { return spec->law->derivatives(rate * result.rows[i][0]); };
  EXPECT_LT(worstShare(result, value, [&](std::size_t i) { return sign * law(i)[0]; }), tolerance);
  EXPECT_LT(worstShare(result, value + " rate", [&](std::size_t i) { return sign * rate * law(i)[1]; }),
            100 * tolerance);
  EXPECT_LT(worstShare(result, value + " acc", [&](std::size_t i) { return sign * rate * rate * law(i)[2]; }),
            1e4 * tolerance);
  // the solver's pressure angle and curvature, measured on its own, agree with those of the synthesis
  const std::size_t pressure = column(result, "pressure"), bend = column(result, "bend");
  for (std::size_t i = 3; i < result.rows.size(); i += 7) {
    const CamPlace p = camAt(*spec, rate * result.rows[i][0]);
    EXPECT_NEAR(result.rows[i][pressure], p.pressure, 1e-6) << i;
    EXPECT_NEAR(result.rows[i][bend], p.profileCurvature, 1e-5 * (1 + std::abs(p.profileCurvature))) << i;
  }
}

TEST(CamRoundTrip, SlidingPoint) { roundTrip({"point", false, 0.006, 1}); }
TEST(CamRoundTrip, SlidingRoller) { roundTrip({"roller", false, -0.009, 1}); }
TEST(CamRoundTrip, SlidingFlat) { roundTrip({"flat", false, 0.004, 1}); }
TEST(CamRoundTrip, SwingingPoint) {
  roundTrip({"point", true, 0, 1});
  roundTrip({"point", true, 0, -1});
}
TEST(CamRoundTrip, SwingingRoller) {
  roundTrip({"roller", true, 0, 1});
  roundTrip({"roller", true, 0, -1});
}
TEST(CamRoundTrip, SwingingFlat) {
  roundTrip({"flat", true, 0.005, -1});
  roundTrip({"flat", true, -0.005, 1});
}
TEST(CamRoundTrip, LinearCamWithRoller) { roundTrip({"roller", false, 0, 1, "linear"}); }

/// The profile as 3,600 exported points, read back as one spline: an outline that knows nothing of the law.
TEST(CamRoundTrip, ThroughAnExportedOutline) {
  const Follower f{"roller", false, -0.009, 1};
  const auto spec = specOf(cam(f, rowsOf(false)));
  ASSERT_TRUE(spec);
  const auto profile = camProfile(*spec);
  Json points = Json::array();
  for (int i = 0; i < 3600; ++i) {
    const auto p = profile->at(2 * kPi * i / 3600)[0];
    points.push_back({p.x(), p.y()});
  }
  points.push_back(points[0]);
  const Json curve = {
      {"name", "law"}, {"seat", "plane"}, {"kind", "chain"}, {"closed", true}, {"pieces", {{{"spline", points}}}}};
  const auto result = runFirst(cam(f, rowsOf(false), curve).read());
  ASSERT_TRUE(result.travel.completed) << said(result);
  EXPECT_LT(
      worstShare(result, "guide.slide", [&](std::size_t i) { return spec->law->derivatives(result.rows[i][0])[0]; }),
      1e-7);
  EXPECT_LT(worstShare(result, "guide.slide rate",
                       [&](std::size_t i) { return spec->law->derivatives(result.rows[i][0])[1]; }),
            1e-5);
}

/// A barrel cam: the pin of the follower runs in a groove around the drum, along its axis.
TEST(CamRoundTrip, BarrelWithAPinInItsGroove) {
  Maker m;
  m.hinge("shaft", "g", "cam", 0, 0);
  m.seat("cam", "plane", Vec3::Zero(), Vec3::UnitZ(), Vec3::UnitX());
  m.find("cam")["curves"].push_back({{"name", "law"},
                                     {"seat", "plane"},
                                     {"kind", "cam-law"},
                                     {"form", "barrel"},
                                     {"base", 0.04},
                                     {"rows", rowsOf(false)},
                                     {"follower", {{"kind", "roller"}, {"radius", 0.004}}}});
  m.joint("guide", "prismatic", "g", "follower", {0, 0.04, 0}, Vec3::UnitZ(), Vec3::UnitX());
  m.seat("follower", "pin", {0, 0.04, 0});
  m.add("cam_pairs",
        {{"name", "contact"}, {"kind", "roller"}, {"cam", "cam/law"}, {"follower", "follower/pin"}, {"radius", 0.004}});
  m.steady("shaft.turn", 1);
  m.run(2 * kPi, 360);
  const auto spec = specOf(m);
  ASSERT_TRUE(spec);
  const auto result = runFirst(m.read());
  ASSERT_TRUE(result.travel.completed) << said(result);
  EXPECT_LT(
      worstShare(result, "guide.slide", [&](std::size_t i) { return spec->law->derivatives(result.rows[i][0])[0]; }),
      1e-7);
  EXPECT_LT(worstShare(result, "guide.slide rate",
                       [&](std::size_t i) { return spec->law->derivatives(result.rows[i][0])[1]; }),
            1e-5);
}

/// An eccentric of radius R about a point e off the shaft, as a law of its follower.
CamSpec eccentric(double e, double R, double roller) {
  const double L = R + roller;
  CamSpec c;
  c.follower = CamSpec::Follower::roller;
  c.base = R - e;
  c.roller = roller;
  const auto lift = [e, L](const Jet& t) {
    return Jet(e - L) - Jet(e) * cos(t) + sqrt(Jet(L * L) - Jet(e * e) * sin(t) * sin(t));
  };
  c.law = std::make_shared<const motion::Programme>(
      motion::Programme::compile({{motion::LawKind::formula, {{"time", 2 * kPi}}, {}, {}, {}, lift}}, 0, false, "e")
          .value());
  return c;
}

TEST(Cam, EccentricHasTheClosedFormsOfPressureAngleAndCurvature) {
  const double e = 0.012, R = 0.04, r = 0.01;
  const CamSpec c = eccentric(e, R, r);
  ASSERT_TRUE(checkCam(c, "e").ok());
  for (double q = 0.05; q < 2 * kPi; q += 0.13) {
    const CamPlace p = camAt(c, q);
    EXPECT_NEAR(p.pathCurvature, 1 / (R + r), 1e-9 / (R + r)) << q;
    EXPECT_NEAR(p.profileCurvature, 1 / R, 1e-9 / R) << q;
    EXPECT_NEAR(p.pressure, std::asin(e * std::abs(std::sin(q)) / (R + r)), 1e-10) << q;
    // the profile is the circle
    const Vec3 at = camProfile(c)->at(q)[0];
    EXPECT_NEAR((at - Vec3(0, -e, 0)).norm(), R, 1e-12) << q;
  }
  const CamReport report = camReport(c, 30 * kDegree);
  EXPECT_NEAR(report.steepest.pressure, std::asin(e / (R + r)), 1e-9);
  EXPECT_TRUE(report.undercut.empty());
}

/// A flat on two harmonic moves is an eccentric too: radius of curvature base + e everywhere, and no pressure angle.
TEST(Cam, HarmonicLawWithAFlatIsAnEccentric) {
  CamSpec c;
  c.follower = CamSpec::Follower::flat;
  c.base = 0.03;
  c.law = std::make_shared<const motion::Programme>(
      motion::Programme::compile({{motion::LawKind::harmonic, {{"by", 0.02}, {"time", kPi}}, {}, {}, {}, nullptr},
                                  {motion::LawKind::harmonic, {{"by", -0.02}, {"time", kPi}}, {}, {}, {}, nullptr}},
                                 0, false, "e")
          .value());
  for (double q = 0.05; q < 2 * kPi; q += 0.13) {
    EXPECT_NEAR(camAt(c, q).profileCurvature, 1 / 0.04, 1e-9 / 0.04);
    EXPECT_EQ(camAt(c, q).pressure, 0);
  }
}

// For a flat the radius of curvature is base + s + s'': undercut exactly where that falls below zero.
TEST(Cam, UndercutIsFlaggedWhereTheCurvatureChangesItsSign) {
  CamSpec c;
  c.follower = CamSpec::Follower::flat;
  c.base = 0.01;
  c.law = std::make_shared<const motion::Programme>(
      motion::Programme::compile(
          {{motion::LawKind::cycloidal, {{"by", 0.03}, {"time", 1.4}}, {}, {}, {}, nullptr},
           {motion::LawKind::cycloidal, {{"by", -0.03}, {"time", 2 * kPi - 1.4}}, {}, {}, {}, nullptr}},
          0, false, "e")
          .value());
  const auto radius = [&](double q) {
    const auto d = c.law->derivatives(q);
    return c.base + d[0] + d[2];
  };
  const CamReport report = camReport(c, 90 * kDegree);
  ASSERT_EQ(report.undercut.size(), 1u);
  EXPECT_NEAR(radius(report.undercut[0].first), 0, 1e-9);
  EXPECT_NEAR(radius(report.undercut[0].second), 0, 1e-9);
  for (double q = 0; q < 2 * kPi; q += 0.01) EXPECT_EQ(camAt(c, q).undercut, radius(q) <= 0) << q;
  ASSERT_GT(report.smallestBase, c.base);
  CamSpec enough = c;
  enough.base = report.smallestBase;
  EXPECT_TRUE(camReport(enough, 90 * kDegree).undercut.empty());
  enough.base *= 0.99;
  EXPECT_FALSE(camReport(enough, 90 * kDegree).undercut.empty());
}

TEST(Cam, WrongLawsAreNamed) {
  Json rows = rowsOf(false);
  rows.erase(rows.size() - 1);
  auto r = model::resolve(cam({"roller", false, 0, 1}, rows).read());
  ASSERT_FALSE(r.ok());
  EXPECT_THAT(r.error().text, testing::HasSubstr("300 degrees"));
  rows = rowsOf(false);
  rows[3]["lift"] = -0.001;
  r = model::resolve(cam({"roller", false, 0, 1}, rows).read());
  ASSERT_FALSE(r.ok());
  EXPECT_THAT(r.error().text, testing::HasSubstr("add up to"));
  rows[3]["law"] = "bumpy";
  EXPECT_FALSE(model::resolve(cam({"roller", false, 0, 1}, rows).read()).ok());
}

/// Any closed law of moves: written, read and written again is the same text, and the profile closes.
RC_GTEST_PROP(Cam, LawsSurviveTheFileAndClose, ()) {
  const auto kinds = motion::Law::kinds();
  Json rows = Json::array();
  const int pairs = *rc::gen::inRange(1, 4);
  const double over = kPi / pairs;
  for (int i = 0; i < pairs; ++i) {
    const double lift = *rc::gen::inRange(1, 20) * 1e-4;
    for (double sign : {1.0, -1.0}) {
      const auto law = *rc::gen::elementOf(kinds);
      rows.push_back({{"law", wordFor(law == motion::LawKind::linear ? motion::LawKind::harmonic : law)},
                      {"over", over},
                      {"lift", sign * lift}});
    }
  }
  const auto m = cam({"roller", false, 0.002, 1}, rows).read();
  const std::string once = io::writeCoop(m);
  RC_ASSERT(io::writeCoop(test::read(once)) == once);
  const auto r = model::resolve(m);
  RC_ASSERT(r.ok());
  const auto& curve = *r->curveList[0].curve;
  RC_ASSERT((curve.at(0)[0] - curve.at(2 * kPi - 1e-12)[0]).norm() < 1e-9);
}

TEST(Outline, ExportsHoldThePointsInMillimetres) {
  const auto c = curves::circle({0, 0}, 0.02);
  const auto points = sampled(*c, 1e-6);
  for (std::size_t i = 0; i < points.size(); ++i) {  // chords within a micrometre of the circle
    const Eigen::Vector2d middle = 0.5 * (points[i] + points[(i + 1) % points.size()]);
    EXPECT_GT(middle.norm(), 0.02 - 1.01e-6);
  }
  const std::string csv = outlineCsv(points), dxf = outlineDxf(points, true), svg = outlineSvg(points, true);
  EXPECT_EQ(csv.substr(0, 14), "x [mm],y [mm]\n");
  EXPECT_THAT(csv, testing::HasSubstr("20.000000000,0.000000000"));
  EXPECT_EQ(std::count(dxf.begin(), dxf.end(), '\n'), static_cast<std::ptrdiff_t>(26 + 10 * points.size()));
  EXPECT_THAT(dxf, testing::HasSubstr("POLYLINE"));
  EXPECT_THAT(svg, testing::HasSubstr("width=\"39.999"));
}

}  // namespace
}  // namespace cooperage::elements
