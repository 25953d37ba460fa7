// SPDX-License-Identifier: GPL-3.0-or-later
// Involute gears: geometry against the definition of the involute, pairs rolled through a tooth pitch, figures against
// textbooks, pins against circles laid between the flanks.
#include <gmock/gmock.h>

#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>

#include "base/geometry.h"
#include "elements/belt.h"
#include "elements/bevel.h"
#include "elements/gear_pair.h"

namespace cooperage::elements {
namespace {

GearSpec gear(int teeth, double shift = 0, double helix = 0, bool internal = false, double module = 2e-3) {
  GearSpec g;
  g.module = module;
  g.teeth = teeth;
  g.pressureAngle = 20 * kDegree;
  g.shift = shift;
  g.helix = helix;
  g.internal = internal;
  g.width = 0.02;
  return g;
}

TEST(Gear, NormalsOfTheFlankTouchTheBaseCircle) {
  for (const GearSpec& g : {gear(12, 0.3), gear(17), gear(34), gear(61, 0, 15 * kDegree), gear(60, 0, 0, true),
                            gear(60, 0.4, 0, true), gear(2, 0, 80 * kDegree)}) {
    const GearProfile p(g);
    for (const auto& part : p.parts()) {
      if (part.kind != GearProfile::Kind::involute) continue;
      for (int i = 1; i <= 50; ++i) {
        const auto at = p.at(part, i / 50.0);
        const Vec2 tangent = at.slope.normalized();
        // the normal's distance from the axis
        EXPECT_NEAR(std::abs(at.at.dot(tangent)), p.size().baseRadius, 1e-9 * p.size().baseRadius) << g.teeth;
      }
    }
  }
}

TEST(Gear, PartsOfAFlankFollowOneAnother) {
  for (const GearSpec& g :
       {gear(8), gear(12, 0.3), gear(17), gear(34), gear(60, 0, 0, true), gear(20, 0, 25 * kDegree)}) {
    GearSpec chamfered = g;
    chamfered.chamfer = g.internal ? 0 : 1e-4;
    const GearProfile p(chamfered);
    double tilt = 0;
    for (std::size_t i = 0; i + 1 < p.parts().size(); ++i) {
      const auto a = p.at(p.parts()[i], 1), b = p.at(p.parts()[i + 1], 0);
      EXPECT_LT((a.at - b.at).norm(), 1e-9) << g.teeth << " after part " << i;
      const bool smooth = i == 0 || (i == 1 && !p.size().undercut);  // root to fillet to involute
      tilt = std::abs(a.slope.x() * b.slope.y() - a.slope.y() * b.slope.x()) / (a.slope.norm() * b.slope.norm());
      EXPECT_LT(smooth ? tilt : 0, 1e-6) << g.teeth << " after part " << i;
    }
    const auto end = p.at(p.parts().back(), 1);
    EXPECT_NEAR(end.at.y(), 0, 1e-12);
    // slopes are those of the points
    for (const auto& part : p.parts()) {
      const double h = 1e-6;
      const Vec2 d = (p.at(part, 0.5 + h).at - p.at(part, 0.5 - h).at) / (2 * h);
      EXPECT_LT((d - p.at(part, 0.5).slope).norm(), 1e-6 * (1e-3 + d.norm())) << g.teeth;
    }
  }
}

/// Angle of the flank of one tooth as a function of the radius, from a dense outline.
struct FlankTable {
  std::vector<std::pair<double, double>> rows;  ///< radius, angle
  int teeth;
  bool internal;
  explicit FlankTable(const GearSpec& g) : teeth(g.teeth), internal(g.internal) {
    const GearProfile p(g);
    for (const auto& part : p.parts())
      for (int i = 0; i < 400; ++i) {
        if (part.kind == GearProfile::Kind::rootArc || part.kind == GearProfile::Kind::tipArc) continue;
        const Vec2 at = p.at(part, i / 399.0).at;
        rows.emplace_back(at.norm(), std::atan2(at.y(), at.x()));
      }
    std::sort(rows.begin(), rows.end());
    tip = p.size().tipRadius;
    root = p.size().rootRadius;
  }
  double tip, root;
  /// Distance of a point from the tooth whose middle is nearest: negative inside; the sign of `side` tells which flank.
  double distance(const Vec2& x, int& side) const {
    const double radius = x.norm(), pitch = 2 * kPi / teeth;
    double angle = std::atan2(x.y(), x.x());
    angle -= pitch * std::round(angle / pitch);
    side = angle < 0 ? -1 : 1;
    angle = std::abs(angle);
    if (internal ? radius < tip : radius > tip) return 1;
    if (internal ? radius > root : radius < root) return internal ? root - radius : radius - root;
    auto it = std::lower_bound(rows.begin(), rows.end(), std::make_pair(radius, -1e300));
    it = std::clamp(it, rows.begin() + 1, rows.end() - 1);
    const auto &a = *(it - 1), &b = *it;
    const double share = b.first > a.first ? (radius - a.first) / (b.first - a.first) : 0;
    const double flank = a.second + share * (b.second - a.second);
    const double slope = b.first > a.first ? radius * (b.second - a.second) / (b.first - a.first) : 1e9;
    return radius * (angle - flank) / std::hypot(1, slope);
  }
};

/// Rolls a pair by the exact ratio and looks how deep points of the first lie in the second, and how near they come.
void rollPair(const GearSpec& a, const GearSpec& b, double backlash) {
  SCOPED_TRACE(testing::Message() << a.teeth << (b.internal ? " in " : " and ") << b.teeth);
  const FlankTable table(b);
  const GearProfile p(a);
  std::vector<Vec2> points;
  for (const auto& part : p.parts())
    for (int i = 0; i <= 120; ++i) points.push_back(p.at(part, i / 120.0).at);
  const double centre = pairSize(a, b).centre, pitch = 2 * kPi / a.teeth;
  const double play = backlash * std::cos(pairSize(a, b).pressureAngle);  // along the normal
  double deepest = 0, widest = 0;
  for (int pose = 0; pose < 200; ++pose) {
    const double turn = pitch * pose / 200, other = meshingTurn(a, b, turn, 0);
    double nearest[2] = {1, 1};
    for (int tooth = -3; tooth <= 3; ++tooth)
      for (double mirror : {1.0, -1.0}) {
        const double base = b.internal ? kPi : 0;  // teeth near the line of centres
        const double spin = turn + pitch * (tooth + std::round((base - turn) / pitch));
        for (const Vec2& x : points) {
          const Vec2 fixed = Eigen::Rotation2Dd(spin) * Vec2(x.x(), mirror * x.y());
          const Vec2 inB = Eigen::Rotation2Dd(-other) * (fixed - Vec2(centre, 0));
          int side = 0;
          const double d = table.distance(inB, side);
          deepest = std::max(deepest, -d);
          double& n = nearest[side > 0 ? 1 : 0];
          n = std::min(n, d);
        }
      }
    widest = std::max(widest, nearest[0] + nearest[1]);
  }
  EXPECT_LT(deepest, 1e-6) << "overlap";
  EXPECT_LT(widest, play + 2e-6) << "gap of both flanks together";
  EXPECT_GT(widest, play - 1e-6);
}

TEST(Gear, PairsRollThroughAToothPitchWithoutOverlapOrGap) {
  rollPair(gear(12, 0.35), gear(12, 0.35), 0);
  rollPair(gear(17), gear(34), 0);
  rollPair(gear(20), gear(61), 0);
  GearSpec ring = gear(60, 0, 0, true);
  EXPECT_THAT(pairWarnings(gear(20), ring), testing::Contains(testing::HasSubstr("second gear runs")));
  ring.addendum = ringAddendum(gear(20), ring);
  EXPECT_GT(ring.addendum, 0.8);
  EXPECT_TRUE(pairWarnings(gear(20), ring).empty());
  rollPair(gear(20), ring, 0);
  rollPair(gear(18, 0.2, 20 * kDegree), gear(37, -0.1, -20 * kDegree), 0);
}

TEST(Gear, BacklashIsWhatWasAskedFor) {
  GearSpec a = gear(17), b = gear(34), ring = gear(60, 0, 0, true);
  for (GearSpec* g : {&a, &b, &ring}) g->backlash = 25e-6;
  rollPair(a, b, 50e-6);
  EXPECT_NEAR(backlashAt(a, b, pairSize(a, b).centre), 50e-6, 1e-12);
  EXPECT_NEAR(backlashAt(a, ring, pairSize(a, ring).centre), 50e-6, 1e-12);
  // play by spreading the axes instead: 2 sin a of the distance, to first order
  const double wide = centreFor(gear(17), gear(34), 50e-6);
  EXPECT_NEAR(wide - pairSize(gear(17), gear(34)).centre, 50e-6 / (2 * std::tan(20 * kDegree)), 1e-6);
}

TEST(Gear, RackMeshesWithItsGear) {
  const GearSpec g = gear(20);
  const GearProfile p(g);
  const double r = p.size().pitchRadius, pitch = kPi * g.module;
  const auto half = rackHalfTooth(g);
  double deepest = 0, widest = 0;
  for (int pose = 0; pose < 200; ++pose) {
    const double x = pitch * pose / 200;  // the rack slides to +x above... the gear lies below its pitch line at y = -r
    double nearest[2] = {1, 1};
    for (const auto& part : p.parts())
      for (int i = 0; i <= 120; ++i)
        for (double mirror : {1.0, -1.0})
          for (int tooth = -3; tooth <= 3; ++tooth) {
            const Vec2 at = p.at(part, i / 120.0).at;
            // a space of the gear stands under the rack's tooth at x = 0; the rack's teeth point down
            const double spin = kPi / 2 + kPi / g.teeth - x / r + 2 * kPi * (tooth + pose / 200) / g.teeth;
            const Vec2 fixed = Eigen::Rotation2Dd(spin) * Vec2(at.x(), mirror * at.y()) + Vec2(0, -r);
            double along = fixed.x() - x;
            along -= pitch * std::round(along / pitch);
            const double y = -fixed.y();  // into the rack's own axes
            if (y > half[3].at.y() || y < half[2].at.y()) continue;
            const double flank = 0.25 * pitch - y * std::tan(20 * kDegree);
            const double d = (std::abs(along) - flank) * std::cos(20 * kDegree);
            deepest = std::max(deepest, -d);
            double& n = nearest[along > 0 ? 1 : 0];
            n = std::min(n, d);
          }
    widest = std::max(widest, nearest[0] + nearest[1]);
  }
  EXPECT_LT(deepest, 1e-6);
  EXPECT_LT(widest, 2e-6);
}

// Figures that are printed in gear handbooks for module 3 and 20 degrees: a shifted pair of 12 and 24 teeth, and a
// pinion of 16 in a ring of 24.
TEST(Gear, WorkingAngleAndDistanceOfHandbookExamples) {
  const PairSize shifted = pairSize(gear(12, 0.6, 0, false, 3e-3), gear(24, 0.36, 0, false, 3e-3));
  EXPECT_NEAR(shifted.pressureAngle / kDegree, 26.0886, 5e-5);
  EXPECT_NEAR(shifted.centre * 1e3, 56.4999, 6e-5);
  const PairSize ring = pairSize(gear(16, 0, 0, false, 3e-3), gear(24, 0.5, 0, true, 3e-3));
  EXPECT_NEAR(ring.pressureAngle / kDegree, 31.0937, 1e-4) << "printed after rounding the involute to six places";
  EXPECT_NEAR(ring.centre * 1e3, 13.1683, 6e-5);
}

TEST(Gear, ContactRatioOfGreatGearsIsThatOfTwoRacks) {
  // 2 ha / (pi sin a cos a) = 1.981 for 20 degrees, the greatest of full-depth teeth
  EXPECT_NEAR(pairSize(gear(20000), gear(20000)).contactRatio,
              2 / (kPi * std::sin(20 * kDegree) * std::cos(20 * kDegree)), 2e-3);
  GearSpec a = gear(25, 0, 15 * kDegree), b = gear(40, 0, -15 * kDegree);
  EXPECT_NEAR(pairSize(a, b).overlapRatio, 0.02 * std::sin(15 * kDegree) / (kPi * 2e-3), 1e-12);
}

TEST(Gear, UndercutBeginsBelowSeventeenTeeth) {
  EXPECT_NEAR(undercutTeeth(20 * kDegree, 1), 17.097, 5e-4);
  // with the rounded corner of the rack the flank ends at one module: the same figure
  EXPECT_TRUE(GearProfile(gear(17)).size().undercut) << "17 is a little under 17.097";
  EXPECT_NEAR(gearSize(gear(17)).leastShift, (17.097 - 17) / 17.097, 1e-4);
  EXPECT_FALSE(GearProfile(gear(18)).size().undercut);
  EXPECT_TRUE(GearProfile(gear(12)).size().undercut);
  EXPECT_FALSE(GearProfile(gear(12, 0.31)).size().undercut) << "(17.097 - 12) / 17.097 = 0.298";
  EXPECT_TRUE(GearProfile(gear(12, 0.29)).size().undercut);
  EXPECT_THAT(gearWarnings(gear(12)), testing::Contains(testing::HasSubstr("undercut")));
  EXPECT_THAT(gearWarnings(gear(10, 1.2)), testing::Contains(testing::HasSubstr("tip")));
  EXPECT_TRUE(gearWarnings(gear(30)).empty());
}

TEST(Gear, PairsAreWarnedOfWithFigures) {
  EXPECT_TRUE(pairWarnings(gear(20), gear(40)).empty());
  EXPECT_THAT(pairWarnings(gear(20), gear(40), 0.0598), testing::Contains(testing::HasSubstr("jam")));
  EXPECT_THAT(pairWarnings(gear(20), gear(40), 0.0635), testing::Contains(testing::HasSubstr("contact ratio")));
  EXPECT_THAT(pairWarnings(gear(22), gear(25, 0, 0, true)),
              testing::Contains(testing::HasSubstr("tips of pinion and ring")));
}

/// The pin is the circle on the space's middle line that touches both flanks.
double pinDistance(const GearProfile& p, double middle) {
  const double pitch = kPi / p.spec().teeth;
  const Vec2 at = middle * Vec2(std::cos(pitch), std::sin(pitch));
  double least = 1;
  for (const auto& part : p.parts()) {
    if (part.kind != GearProfile::Kind::involute) continue;
    for (int i = 0; i <= 20000; ++i) least = std::min(least, (p.at(part, i / 20000.0).at - at).norm());
  }
  return least;
}
TEST(Gear, PinsLieOnBothFlanks) {
  for (const GearSpec& g : {gear(20), gear(31, 0.2), gear(60, 0, 0, true)}) {
    const GearProfile p(g);
    const GearSize& s = p.size();
    const double sign = g.internal ? -1 : 1;
    const double middle = 0.5 * (s.overPins - sign * s.pin) / (g.teeth % 2 == 0 ? 1 : std::cos(0.5 * kPi / g.teeth));
    EXPECT_NEAR(pinDistance(p, middle), 0.5 * s.pin, 1e-9) << g.teeth;
  }
}

TEST(Gear, PlanetsGoInWhereTeethDivide) {
  EXPECT_TRUE(planetsCanBeSpread(24, 96, 3));
  EXPECT_TRUE(planetsCanBeSpread(24, 96, 4));
  EXPECT_FALSE(planetsCanBeSpread(24, 96, 7));
  // tips of 36 teeth on a circle of 60 teeth's diameter: sin(180/n) > 38/60, so four fit and five do not
  EXPECT_EQ(mostPlanets(gear(24), gear(36)), 4);
}

/// Spherical involutes roll on one another about a common apex: points of one gear's teeth in the other's.
TEST(Bevel, PairsMeshWithinTenMicrometres) {
  for (const auto& [z1, z2, shaft] : {std::tuple{20, 30, 90.0}, {18, 24, 75.0}, {16, 16, 90.0}}) {
    BevelSpec a{3e-3, z1, bevelCone(z1, z2, shaft * kDegree), 20 * kDegree, 0.01, 0};
    BevelSpec b{3e-3, z2, bevelCone(z2, z1, shaft * kDegree), 20 * kDegree, 0.01, 0};
    EXPECT_NEAR((a.cone + b.cone) / kDegree, shaft, 1e-12);
    const BevelProfile pa(a), pb(b);
    const double distance = pa.coneDistance();
    EXPECT_NEAR(distance, pb.coneDistance(), 1e-15);
    const Vec3 axisB(std::sin(shaft * kDegree), 0, std::cos(shaft * kDegree));
    double deepest = 0, widest = 0;
    for (int pose = 0; pose < 100; ++pose) {
      const double turn = 2 * kPi / z1 * pose / 100;
      // about axis a the second axis lies at angle 0; about its own, the first lies at angle 0 of its x
      const double other = -turn * z1 / z2 + kPi / z2;
      double nearest[2] = {1, 1};
      for (int tooth = -3; tooth <= 3; ++tooth)
        for (int i = 0; i <= 200; ++i) {
          const double low = std::max(pa.rootCone(), pa.baseCone());
          const double polar = low + (pa.tipCone() - low) * i / 200;
          for (double side : {1.0, -1.0}) {
            const double angle =
                turn + 2 * kPi * (tooth - std::round(turn * z1 / (2 * kPi))) / z1 + side * pa.halfAngle(polar);
            const Vec3 x(std::sin(polar) * std::cos(angle), std::sin(polar) * std::sin(angle), std::cos(polar));
            // in b's axes: its x points towards a's axis, y square to both
            const Vec3 xb = (Vec3::UnitZ() - axisB * axisB.z()).normalized(), yb = axisB.cross(xb);
            const double in = std::atan2(yb.dot(x), xb.dot(x)), polarB = std::acos(std::clamp(axisB.dot(x), -1.0, 1.0));
            if (polarB > pb.tipCone() || polarB < pb.baseCone()) continue;
            const double pitch = 2 * kPi / z2;
            // counter-clockwise about b's axis is the other way round seen along the line of axes
            double about = in - other;
            about -= pitch * std::round(about / pitch);
            const double d =
                (std::abs(about) - pb.halfAngle(polarB)) * std::sin(polarB) * distance * std::cos(20 * kDegree);
            deepest = std::max(deepest, -d);
            double& n = nearest[about > 0 ? 1 : 0];
            n = std::min(n, d);
          }
        }
      widest = std::max(widest, nearest[0] + nearest[1]);
    }
    EXPECT_LT(deepest, 10e-6) << z1 << '/' << z2;
    EXPECT_LT(widest, 20e-6) << z1 << '/' << z2;
  }
}

/// A worm is a helicoid of its transverse involute; its wheel a helical gear on a crossed axis.
TEST(Worm, MeshesWithItsWheelWithinTenMicrometres) {
  const double lead = 8 * kDegree;
  GearSpec worm = gear(2, 0, 82 * kDegree), wheel = gear(40, 0, lead);
  worm.width = 0.04;
  const GearProfile pw(worm), pg(wheel);
  const FlankTable table(wheel);
  const double centre = crossedCentre(worm, wheel);
  // axes square to one another: worm along y at x = 0, wheel along z at x = centre
  const double wormTwist = std::tan(worm.helix) / pw.size().pitchRadius,
               wheelTwist = std::tan(lead) / pg.size().pitchRadius;
  double deepest = 0, widest = 0;
  for (int pose = 0; pose < 60; ++pose) {
    const double turn = 2 * kPi * pose / 60, other = kPi + kPi / wheel.teeth - turn * worm.teeth / wheel.teeth;
    double nearest[2] = {1, 1};
    for (const auto& part : pw.parts()) {
      if (part.kind != GearProfile::Kind::involute) continue;
      for (int i = 0; i <= 60; ++i)
        for (double mirror : {1.0, -1.0})
          for (int start = 0; start < 2; ++start)
            for (int k = -500; k <= 500; ++k) {
              const double along = 0.008 * k / 500;
              const Vec2 at = pw.at(part, i / 60.0).at;
              const Vec2 p = Eigen::Rotation2Dd(turn + kPi * start + wormTwist * along) * Vec2(at.x(), mirror * at.y());
              // worm's axes: x towards the wheel, its axis along -y of the fixed ones so that right hands mesh
              const Vec3 fixed(p.x(), -along, p.y());
              if (fixed.x() < 0) continue;
              const Vec3 rel = fixed - Vec3(centre, 0, 0);
              if (std::abs(rel.z()) > 0.5 * wheel.width) continue;
              const Vec2 inWheel = Eigen::Rotation2Dd(-other - wheelTwist * rel.z()) * Vec2(rel.x(), rel.y());
              if (inWheel.norm() < pg.size().formRadius) continue;
              int side = 0;
              const double d = table.distance(inWheel, side);
              deepest = std::max(deepest, -d);
              double& n = nearest[side > 0 ? 1 : 0];
              n = std::min(n, d);
            }
    }
    widest = std::max(widest, nearest[0] + nearest[1]);
  }
  EXPECT_LT(deepest, 10e-6);
  EXPECT_LT(widest, 20e-6);
}

// Open and crossed belts over two wheels: textbook lengths.
TEST(Belt, LengthsOfOpenAndCrossedBelts) {
  const double c = 0.3, r = 0.04, R = 0.1;
  const double a = std::asin((R - r) / c);
  const auto open = beltPath({{{0, 0}, r, 1}, {{c, 0}, R, 1}}, "b").value();
  EXPECT_NEAR(open.length, 2 * c * std::cos(a) + r * (kPi - 2 * a) + R * (kPi + 2 * a), 1e-12);
  EXPECT_NEAR(open.wrap[0], kPi - 2 * a, 1e-12);
  const double b = std::asin((R + r) / c);
  const auto crossed = beltPath({{{0, 0}, r, 1}, {{c, 0}, R, -1}}, "b").value();
  EXPECT_NEAR(crossed.length, 2 * c * std::cos(b) + (R + r) * (kPi + 2 * b), 1e-12);
  EXPECT_FALSE(beltPath({{{0, 0}, r, 1}, {{0.05, 0}, R, 1}}, "b").ok());
  // three equal wheels: the perimeter of the triangle and one whole turn, in whatever order they are named
  for (bool swap : {false, true}) {
    std::vector<BeltWheel> w{{{0, 0}, r, 1}, {{c, 0}, r, 1}, {{0, 0.4}, r, 1}};
    if (swap) std::swap(w[1], w[2]);
    EXPECT_NEAR(beltPath(w, "b").value().length, 0.3 + 0.4 + 0.5 + 2 * kPi * r, 1e-12);
  }
  // a chain's wheel: chords of one pitch close it
  EXPECT_NEAR(2 * sprocketRadius(0.0127, 17) * std::sin(kPi / 17), 0.0127, 1e-15);
}

}  // namespace
}  // namespace cooperage::elements
