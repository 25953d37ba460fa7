// SPDX-License-Identifier: GPL-3.0-or-later
#include "elements/gear_pair.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/geometry.h"

namespace cooperage::elements {
namespace {

double sideOf(const GearSpec& b) { return b.internal ? -1 : 1; }
double flankTo(double tip, double base) { return std::sqrt(std::max(0.0, tip * tip - base * base)); }

}  // namespace

double crossedCentre(const GearSpec& a, const GearSpec& b) {
  const GearSize sa = gearSize(a), sb = gearSize(b);
  return sa.pitchRadius + sb.pitchRadius + (a.shift * a.module + b.shift * b.module);
}

PairSize pairSize(const GearSpec& a, const GearSpec& b, std::optional<double> centre) {
  const GearSize sa = gearSize(a), sb = gearSize(b);
  const double side = sideOf(b), z = b.teeth + side * a.teeth;
  PairSize p;
  const double nominal = sb.pitchRadius + side * sa.pitchRadius;
  const double shift = 2 * std::tan(a.pressureAngle) * (b.shift + side * a.shift) / z;
  p.pressureAngle = inverseInvolute(std::max(0.0, involute(sa.pressureAngle) + shift));
  p.centre = nominal * std::cos(sa.pressureAngle) / std::cos(p.pressureAngle);
  if (centre) {
    p.pressureAngle = std::acos(std::min(1.0, nominal * std::cos(sa.pressureAngle) / *centre));
    p.centre = *centre;
  }
  p.basePitch = sa.basePitch;
  const double working = std::sin(p.pressureAngle);
  const double pinion = flankTo(sa.tipRadius, sa.baseRadius), wheel = flankTo(sb.tipRadius, sb.baseRadius);
  // no contact beyond the base circle's tangent point
  const double whole = p.centre * working;
  const double path =
      b.internal ? pinion - std::max(wheel, whole) + whole : std::min(pinion, whole) + std::min(wheel, whole) - whole;
  p.contactRatio = path / p.basePitch;
  p.overlapRatio = std::min(a.width, b.width) * std::sin(std::abs(a.helix)) / (kPi * a.module);
  // the flanks slide with the sum (difference) of the speeds times the distance from the pitch point
  const double ratio = static_cast<double>(a.teeth) / b.teeth;
  const double rolling = p.centre / (1 + side * ratio);  // first gear's working pitch radius is ratio times it
  const double firstPitch = ratio * rolling;
  const double beyond = std::max(std::abs(pinion - firstPitch * working), std::abs(wheel - rolling * working));
  p.sliding = (1 + side * ratio) * beyond;
  p.tipClearance = b.internal
                       ? std::min(sb.rootRadius - p.centre - sa.tipRadius, sb.tipRadius - p.centre - sa.rootRadius)
                       : p.centre - std::max(sa.tipRadius + sb.rootRadius, sb.tipRadius + sa.rootRadius);
  return p;
}

double backlashAt(const GearSpec& a, const GearSpec& b, double centre) {
  const GearSize sa = gearSize(a), sb = gearSize(b);
  const double side = sideOf(b), nominal = sb.pitchRadius + side * sa.pitchRadius;
  const double cosine = nominal * std::cos(sa.pressureAngle) / centre;
  if (cosine > 1) return -centre;
  const double inv = involute(std::acos(cosine)), own = involute(sa.pressureAngle);
  const double scale = std::cos(sa.pressureAngle) / cosine;  // working to reference pitch radius
  const double ra = sa.pitchRadius * scale, rb = sb.pitchRadius * scale;
  const double ta = 2 * ra * (0.5 * sa.thickness / sa.pitchRadius + own - inv);
  const double tb = 2 * rb * (0.5 * sb.thickness / sb.pitchRadius + side * (own - inv));
  return 2 * kPi * ra / a.teeth - ta - tb;
}

double centreFor(const GearSpec& a, const GearSpec& b, double backlash) {
  const double side = sideOf(b), start = pairSize(a, b).centre;
  // monotone: growing with the distance of external pairs, falling of internal ones
  double lo = start - 0.3 * a.module, hi = start + 0.3 * a.module;
  for (int i = 0; i < 200 && hi - lo > 1e-16; ++i) {
    const double mid = 0.5 * (lo + hi);
    ((backlashAt(a, b, mid) < backlash) == (side > 0) ? lo : hi) = mid;
  }
  return 0.5 * (lo + hi);
}

PairSize rackPair(const GearSpec& g, const GearSpec& rack) {
  const GearSize s = gearSize(g);
  PairSize p;
  p.centre = s.pitchRadius + g.shift * g.module;  // from the gear's axis to the rack's datum line
  p.pressureAngle = s.pressureAngle;
  p.basePitch = s.basePitch;
  const double sine = std::sin(s.pressureAngle), below = s.pitchRadius * sine;
  const double fromRack = std::min(below, (rack.addendum - g.shift) * rack.module / sine);
  p.contactRatio = (flankTo(s.tipRadius, s.baseRadius) - below + fromRack) / p.basePitch;
  p.overlapRatio = std::min(g.width, rack.width) * std::sin(std::abs(g.helix)) / (kPi * g.module);
  p.sliding = std::max(flankTo(s.tipRadius, s.baseRadius) - below, fromRack);
  p.tipClearance = std::min(p.centre + rack.dedendum * rack.module - s.tipRadius,
                            p.centre - rack.addendum * rack.module - s.rootRadius);
  return p;
}

double meshingTurn(const GearSpec& a, const GearSpec& b, double turn, double line) {
  // in the line of centres a tooth of one stands over a space of the other
  if (b.internal) {
    const double away = line + kPi;  // from the ring's middle over the pinion's to the teeth that mesh
    return away + (turn - away) * a.teeth / b.teeth + kPi / b.teeth;
  }
  return line + kPi - (turn - line) * a.teeth / b.teeth + kPi / b.teeth;
}

double meshingTurnOfFirst(const GearSpec& a, const GearSpec& b, double other, double line) {
  const double away = line + kPi, ratio = static_cast<double>(b.teeth) / a.teeth;
  if (b.internal) return away + (other - away - kPi / b.teeth) * ratio;
  return line - (other - away - kPi / b.teeth) * ratio;
}

std::vector<std::string> pairWarnings(const GearSpec& a, const GearSpec& b, std::optional<double> centre) {
  std::vector<std::string> out;
  const double c = centre.value_or(pairSize(a, b).centre);
  const PairSize p = pairSize(a, b, c);
  if (p.contactRatio + p.overlapRatio < 1.2)
    out.push_back(fmt::format("contact ratio {:.3f}{}; 1.2 or more is wanted", p.contactRatio + p.overlapRatio,
                              p.contactRatio + p.overlapRatio < 1 ? ": teeth lose touch" : ""));
  const double play = backlashAt(a, b, c);
  if (play < -1e-9)
    out.push_back(fmt::format("the axes are {:.4f} mm apart, the teeth jam by {:.4f} mm; {:.4f} mm has no play",
                              c * 1e3, -play * 1e3, pairSize(a, b).centre * 1e3));
  if (p.tipClearance < 0)
    out.push_back(fmt::format("a tip reaches {:.3f} mm into the other's root", -p.tipClearance * 1e3));
  const GearProfile pa(a), pb(b);
  const double working = c * std::sin(p.pressureAngle);
  // where the tip of one ends on the other's flank
  const auto meets = [&](const GearProfile& tip, const GearProfile& flank, const char* of) {
    const double reach = flankTo(tip.size().tipRadius, tip.size().baseRadius);
    const double along = flank.spec().internal ? reach + working
                         : tip.spec().internal ? reach - working
                                               : working - reach;
    const double radius = std::hypot(flank.size().baseRadius, along);
    const bool beyond = flank.spec().internal ? radius > flank.size().formRadius + 1e-7
                                              : along < 0 || radius < flank.size().formRadius - 1e-7;
    if (beyond)
      out.push_back(
          fmt::format("the tip of the {} gear runs into the other's root fillet (flank ends at radius {:.3f} mm)", of,
                      flank.size().formRadius * 1e3));
  };
  meets(pa, pb, "first");
  meets(pb, pa, "second");
  if (b.internal) {
    const double ra = pa.size().tipRadius, rb = pb.size().tipRadius;
    const double cosA = (rb * rb - ra * ra - c * c) / (2 * c * ra), cosB = (rb * rb + c * c - ra * ra) / (2 * c * rb);
    if (std::abs(cosA) < 1 && std::abs(cosB) < 1) {
      const double inv = involute(p.pressureAngle);
      const double one =
          a.teeth * (std::acos(cosA) + involute(std::acos(std::min(1.0, pa.size().baseRadius / ra))) - inv);
      const double two =
          b.teeth * (std::acos(cosB) + involute(std::acos(std::min(1.0, pb.size().baseRadius / rb))) - inv);
      if (one < two)
        out.push_back(
            fmt::format("tips of pinion and ring meet beside the line of centres (by {:.3f} degrees of the ring); "
                        "more difference of teeth or a shorter addendum",
                        (two - one) / b.teeth * 180 / kPi));
    }
  }
  return out;
}

double ringAddendum(const GearSpec& pinion, const GearSpec& ring) {
  const PairSize p = pairSize(pinion, ring);
  const GearProfile a(pinion);
  const GearSize s = gearSize(ring);
  const double low = flankTo(a.size().formRadius, a.size().baseRadius) + p.centre * std::sin(p.pressureAngle);
  const double addendum = (s.pitchRadius - std::hypot(s.baseRadius, low)) / ring.module + ring.shift;
  return std::min(1.0, std::floor(100 * addendum) / 100);
}

bool planetsCanBeSpread(int sun, int ring, int planets) { return planets > 0 && (sun + ring) % planets == 0; }

int mostPlanets(const GearSpec& sun, const GearSpec& planet) {
  const double c = pairSize(sun, planet).centre, tip = gearSize(planet).tipRadius;
  return tip >= c ? 1 : static_cast<int>(std::floor(kPi / std::asin(tip / c) - 1e-9));
}

}  // namespace cooperage::elements
