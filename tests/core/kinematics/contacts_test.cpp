// SPDX-License-Identifier: GPL-3.0-or-later
// Contacts against closed forms: an eccentric disc (Norton, Cam Design and Manufacturing Handbook, ch. 7), wheels that
// roll, a groove on a drum, a bead on a wire.
#include "../maker.h"

namespace cooperage::kinematics {
namespace {

using namespace cooperage::test;
constexpr double kOffset = 0.012, kRadius = 0.030;

/// A disc of radius kRadius about a point kOffset off the shaft; the follower slides along y. Home: disc's centre at
/// angle q0.
Maker eccentric(const std::string& kind, double r, double q0 = 0.4) {
  Maker m;
  m.hinge("shaft", "g", "cam", 0, 0);
  m.seat("cam", "plane", Vec3::Zero(), Vec3::UnitZ(), Vec3::UnitX());
  m.find("cam")["curves"].push_back({{"name", "disc"},
                                     {"seat", "plane"},
                                     {"kind", "circle"},
                                     {"centre", {kOffset * std::cos(q0), kOffset * std::sin(q0)}},
                                     {"radius", kRadius}});
  const double y = kind == "flat" ? kOffset * std::sin(q0) + kRadius
                                  : kOffset * std::sin(q0) + std::sqrt((kRadius + r) * (kRadius + r) -
                                                                       kOffset * kOffset * std::cos(q0) * std::cos(q0));
  m.slide("guide", "g", "follower", 0, y, 0, 1);
  m.seat("follower", "foot", {0, y, 0}, kind == "flat" ? Vec3(0, -1, 0) : Vec3(0, 0, 1), Vec3::UnitX());
  Json pair = {
      {"name", "contact"}, {"kind", kind}, {"cam", "cam/disc"}, {"follower", "follower/foot"}, {"side", "outside"}};
  if (kind == "roller") pair["radius"] = r;
  m.add("cam_pairs", pair);
  m.steady("shaft.turn", 3);
  m.gauge("pressure", "pressure-angle", "contact");
  m.gauge("bend", "curvature", "contact");
  m.gauge("jerk", "joint-jerk", "guide.slide");
  m.run(5, 100);
  return m;
}

void checkEccentric(const std::string& kind, double r) {
  SCOPED_TRACE(kind);
  const double q0 = 0.4;
  const auto result = runFirst(eccentric(kind, r, q0).read());
  ASSERT_TRUE(result.travel.completed) << said(result);
  const auto y = [&](std::size_t i) {
    const Jet q(q0 + 3 * result.rows[i][0], 3, 0, 0);
    if (kind == "flat") return Jet(kRadius) + Jet(kOffset) * sin(q);
    const Jet x = Jet(kOffset) * cos(q);
    return Jet(kOffset) * sin(q) + sqrt(Jet((kRadius + r) * (kRadius + r)) - x * x);
  };
  const double y0 = y(0).v;
  EXPECT_LT(worstShare(result, "guide.slide", [&](std::size_t i) { return y(i).v - y0; }), kClosedForm);
  EXPECT_LT(worstShare(result, "guide.slide rate", [&](std::size_t i) { return y(i).d1; }), kClosedForm);
  EXPECT_LT(worstShare(result, "guide.slide acc", [&](std::size_t i) { return y(i).d2; }), kClosedForm);
  EXPECT_LT(worstShare(result, "jerk", [&](std::size_t i) { return y(i).d3; }), kClosedForm);
  EXPECT_LT(worstShare(result, "bend", [&](std::size_t) { return 1 / kRadius; }), kClosedForm);
  EXPECT_LT(worstShare(result, "pressure",
                       [&](std::size_t i) {
                         const double q = q0 + 3 * result.rows[i][0];
                         return kind == "flat" ? 1e-30 : std::asin(std::abs(kOffset * std::cos(q)) / (kRadius + r));
                       }) *
                (kind == "flat" ? 1e-30 : 1),
            kClosedForm);
}

TEST(Contacts, EccentricWithPoint) { checkEccentric("point", 0); }
TEST(Contacts, EccentricWithRoller) { checkEccentric("roller", 0.008); }
TEST(Contacts, EccentricWithFlat) { checkEccentric("flat", 0); }

TEST(Contacts, AContactIsOneRowMore) {
  const auto a = analysed(eccentric("roller", 0.008).read());
  EXPECT_EQ(a.m.freedoms, 1);
  EXPECT_EQ(a.m.left, 0);
}

/// A cam of two arcs joined by lines and a hollow arc, so that some contacts are lost.
Maker hollow(const std::string& kind, double r) {
  Maker m;
  m.hinge("shaft", "g", "cam", 0, 0);
  m.seat("cam", "plane", Vec3::Zero(), Vec3::UnitZ(), Vec3::UnitX());
  // a wave about a circle: 40 mm with four bumps of 4 mm; hollow between them
  m.find("cam")["curves"].push_back({{"name", "wave"},
                                     {"seat", "plane"},
                                     {"kind", "formula"},
                                     {"u", {0, "2*pi"}},
                                     {"x", "(40 mm+4 mm*cos(4*u))*cos(u)"},
                                     {"y", "(40 mm+4 mm*cos(4*u))*sin(u)"}});
  m.slide("guide", "g", "follower", 0, 0.044 + r, 0, 1);
  m.seat("follower", "foot", {0, 0.044 + r, 0}, kind == "flat" ? Vec3(0, -1, 0) : Vec3(0, 0, 1), Vec3::UnitX());
  Json pair = {
      {"name", "contact"}, {"kind", kind}, {"cam", "cam/wave"}, {"follower", "follower/foot"}, {"side", "outside"}};
  if (kind == "roller") pair["radius"] = r;
  m.add("cam_pairs", pair);
  m.steady("shaft.turn", 1);
  m.run(1.2, 120)["axis"] = "motor";
  return m;
}

TEST(Contacts, ARollerLargerThanTheHollowLosesTouchAndTheIntervalIsTold) {
  const auto small = runFirst(hollow("roller", 0.010).read());
  ASSERT_TRUE(small.travel.completed) << said(small);
  EXPECT_TRUE(small.travel.marks.empty()) << said(small);
  // curvature of r(u) = 40 + 4 cos 4u (polar): (r^2 + 2 r'^2 - r r'')/(r^2 + r'^2)^(3/2); at the valley u = 45 degrees
  // it is (36^2 - 36*64)/36^3 = -1/46.3
  for (const char* kind : {"roller", "flat"}) {
    auto p = prepare(hollow(kind, 0.060).read());
    ASSERT_TRUE(p.run);
    Measurer measurer(*p.run);
    const auto large = tabulate(*p.run, measurer);
    ASSERT_TRUE(large.travel.ended.has_value()) << said(large);
    ASSERT_EQ(large.travel.marks.size(), 1u);
    EXPECT_EQ(large.travel.marks[0].code, "contact-lost");
    EXPECT_EQ(large.travel.marks[0].object, "contact");
    // there the curve is just as hollow as the roller, or just straight
    const TravelStep& s = large.travel.steps.back();
    const auto bend = [](double u) {
      const double r = 40 + 4 * std::cos(4 * u), r1 = -16 * std::sin(4 * u), r2 = -64 * std::cos(4 * u);
      return (r * r + 2 * r1 * r1 - r * r2) / std::pow(r * r + r1 * r1, 1.5) * 1e3;
    };
    const double wanted = std::string(kind) == "roller" ? -1 / 0.060 : 0.0;
    for (const auto& j : p.run->system().joints)
      if (j.pair >= 0) {
        EXPECT_NEAR(bend(s.c.q[static_cast<std::size_t>(j.firstDof)]), wanted, 0.05) << kind;
      }
  }
  const auto open = runFirst(hollow("roller", 0.044).read());
  EXPECT_TRUE(open.travel.completed) << "the valley is 46 mm round: a roller of 44 mm follows it\n" << said(open);
}

// Two wheels without slip: turns as radii, whatever their axes carry.
TEST(Contacts, CirclesRollAsGears) {
  Maker m;
  m.hinge("a", "g", "one", 0, 0);
  m.hinge("b", "g", "two", 0.07, 0);
  for (const auto& [link, x, r] : {std::tuple{"one", 0.0, 0.05}, std::tuple{"two", 0.07, 0.02}}) {
    m.seat(link, "plane", {x, 0, 0}, Vec3::UnitZ(), Vec3::UnitX());
    m.find(link)["curves"].push_back(
        {{"name", "rim"}, {"seat", "plane"}, {"kind", "circle"}, {"centre", {0, 0}}, {"radius", r}});
  }
  m.add("cam_pairs",
        {{"name", "roll"}, {"kind", "rolling"}, {"cam", "one/rim"}, {"follower", "two/rim"}, {"side", "outside"}});
  m.steady("a.turn", 2);
  m.run(7, 60);
  const auto r = runFirst(m.read());
  ASSERT_TRUE(r.travel.completed) << said(r);
  EXPECT_LT(worstShare(r, "b.turn", [&](std::size_t i) { return -2 * r.rows[i][0] * 0.05 / 0.02; }), kClosedForm);
  EXPECT_LT(worstShare(r, "b.turn rate", [&](std::size_t) { return -5.0; }), kClosedForm);
}

// Equal ellipses that roll about their foci: tan(b/2) = (1+k)/(1-k) tan(a/2), k the excentricity (Olsson 1953,
// Non-circular Cylindrical Gears; from the focal property).
TEST(Contacts, EqualEllipsesRollAboutTheirFoci) {
  const double A = 0.05, k = 0.4, B = A * std::sqrt(1 - k * k);
  Maker m;
  m.hinge("a", "g", "one", 0, 0);
  m.hinge("b", "g", "two", 2 * A, 0);
  m.seat("one", "plane", {0, 0, 0}, Vec3::UnitZ(), Vec3::UnitX());
  m.seat("two", "plane", {2 * A, 0, 0}, Vec3::UnitZ(), Vec3::UnitX());
  const std::string b = formatNumber(B * 1e3) + " mm*sin(u)", a = formatNumber(A * 1e3) + " mm*cos(u)";
  const std::string c = formatNumber(A * k * 1e3) + " mm";
  // at home: perihelion of the first to the right, aphelion of the second to the left
  m.find("one")["curves"].push_back(
      {{"name", "rim"}, {"seat", "plane"}, {"kind", "formula"}, {"u", {0, "2*pi"}}, {"x", a + " - " + c}, {"y", b}});
  m.find("two")["curves"].push_back(
      {{"name", "rim"}, {"seat", "plane"}, {"kind", "formula"}, {"u", {0, "2*pi"}}, {"x", a + " - " + c}, {"y", b}});
  m.add("cam_pairs",
        {{"name", "roll"}, {"kind", "rolling"}, {"cam", "one/rim"}, {"follower", "two/rim"}, {"side", "outside"}});
  m.steady("a.turn", 1);
  m.run(6.2, 90);
  const auto r = runFirst(m.read());
  ASSERT_TRUE(r.travel.completed) << said(r);
  // distances of the contact from both foci add up to 2 A; radius of the first at angle -a from its perihelion
  EXPECT_LT(worstShare(r, "b.turn rate",
                       [&](std::size_t i) {
                         const double radius = A * (1 - k * k) / (1 + k * std::cos(r.rows[i][0]));
                         return -radius / (2 * A - radius);
                       }),
            kClosedForm);
  const double turn = last(r, "a.turn");
  const double other = 2 * std::atan((1 - k) / (1 + k) * std::tan(turn / 2));
  EXPECT_NEAR(std::remainder(last(r, "b.turn") + other, 2 * kPi), 0, 1e-9);
}

// A pin in the helical groove of a drum: the groove's advance per radian.
TEST(Contacts, RollerInABarrelCamsGroove) {
  const double radius = 0.04, lead = 0.03;
  Maker m;
  m.joint("drum", "revolute", "g", "barrel", {0, 0, 0}, Vec3::UnitZ(), Vec3::UnitX());
  m.seat("barrel", "plane", Vec3::Zero(), Vec3::UnitZ(), Vec3::UnitX());
  m.find("barrel")["curves"].push_back({{"name", "groove"},
                                        {"seat", "plane"},
                                        {"kind", "formula"},
                                        {"u", {"-2*pi", "2*pi"}},
                                        {"x", "40 mm*cos(u)"},
                                        {"y", "40 mm*sin(u)"},
                                        {"z", "30 mm*u/(2*pi) + 5 mm*sin(u)"}});
  m.joint("guide", "prismatic", "g", "carriage", {radius, 0, 0}, Vec3::UnitZ(), Vec3::UnitX());
  m.seat("carriage", "pin", {radius, 0, 0}, Vec3::UnitX(), Vec3::UnitZ());
  Json& j = m.add(
      "joints",
      {{"name", "track"}, {"kind", "point-curve"}, {"between", {"barrel/plane", "carriage/pin"}}, {"curve", "groove"}});
  (void)j;
  m.follow("drum.turn", "2*sin(t)");
  m.run(6, 80);
  const auto r = runFirst(m.read());
  ASSERT_TRUE(r.travel.completed) << said(r);
  const auto z = [&](std::size_t i) {
    const Jet u = Jet(-2) * sin(Jet(r.rows[i][0], 1, 0, 0));  // the drum turns under the pin
    return Jet(lead / (2 * kPi)) * u + Jet(0.005) * sin(u);
  };
  EXPECT_LT(worstShare(r, "guide.slide", [&](std::size_t i) { return z(i).v; }), kClosedForm);
  EXPECT_LT(worstShare(r, "guide.slide rate", [&](std::size_t i) { return z(i).d1; }), kClosedForm);
  EXPECT_LT(worstShare(r, "guide.slide acc", [&](std::size_t i) { return z(i).d2; }), kClosedForm);
}

// A bead driven along a chain of line, arc and line: arc length along the whole chain, and the end of an open wire.
TEST(Contacts, ABeadOnAWireStopsAtItsEnd) {
  Maker m;
  m.seat("g", "plane", Vec3::Zero(), Vec3::UnitZ(), Vec3::UnitX());
  m.find("g")["curves"].push_back(
      {{"name", "wire"},
       {"seat", "plane"},
       {"kind", "chain"},
       {"closed", false},
       {"pieces",
        {{{"line", {{0, 0}, {0.1, 0}}}},
         {{"arc", {{"from", {0.1, 0}}, {"to", {0.1, 0.08}}, {"centre", {0.1, 0.04}}, {"ccw", true}}}},
         {{"line", {{0.1, 0.08}, {0, 0.08}}}}}}});
  m.seat("bead", "hole", {0.02, 0, 0}, Vec3::UnitZ(), Vec3::UnitX());
  m.add("joints",
        {{"name", "ride"}, {"kind", "point-curve"}, {"between", {"g/plane", "bead/hole"}}, {"curve", "wire"}});
  m.steady("ride.along", 0.05);
  m.gauge("x", "point-position", "bead/hole", {{"component", "x"}});
  m.gauge("y", "point-position", "bead/hole", {{"component", "y"}});
  m.gauge("a", "point-acceleration", "bead/hole", {{"component", "size"}});
  m.run(10, 100);
  const auto r = runFirst(m.read());
  const double arc = kPi * 0.04, whole = 0.2 + arc;
  ASSERT_TRUE(r.travel.ended.has_value()) << said(r);
  EXPECT_EQ(r.travel.ended->kind, EndKind::stop);
  EXPECT_NEAR(r.travel.ended->at, (whole - 0.02) / 0.05, 1e-6);
  for (const auto& row : r.rows) {
    const double s = 0.02 + 0.05 * row[0];
    double x = s, y = 0, a = 0;
    if (s > 0.1) {
      x = 0.1 + 0.04 * std::sin((s - 0.1) / 0.04);
      y = 0.04 - 0.04 * std::cos((s - 0.1) / 0.04);
      a = 0.05 * 0.05 / 0.04;
    }
    if (s > 0.1 + arc) {
      x = 0.1 - (s - 0.1 - arc);
      y = 0.08;
      a = 0;
    }
    EXPECT_NEAR(row[column(r, "x")], x, 1e-10);
    EXPECT_NEAR(row[column(r, "y")], y, 1e-10);
    if (std::abs(s - 0.1) > 1e-6 && std::abs(s - 0.1 - arc) > 1e-6) {
      EXPECT_NEAR(row[column(r, "a")], a, 1e-9);
    }
  }
}

}  // namespace
}  // namespace cooperage::kinematics
