// SPDX-License-Identifier: GPL-3.0-or-later
#include "elements/bevel.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/geometry.h"

namespace cooperage::elements {
namespace {

/// Angle about the axis that a spherical involute has turned at a cone of half angle `polar` above its base cone: a
/// great circle rolls off the base cone (Litvin, Gear Geometry and Applied Theory, sec. on spherical involutes).
double sphericalInvolute(double base, double polar) {
  const double c = std::min(1.0, std::cos(polar) / std::cos(base));
  const double t = std::clamp(std::tan(base) / std::tan(polar), -1.0, 1.0);
  return std::acos(c) / std::sin(base) - std::acos(t);
}

}  // namespace

double bevelCone(int teeth, int mate, double shaft) {
  return std::atan2(std::sin(shaft), static_cast<double>(mate) / teeth + std::cos(shaft));
}

BevelProfile::BevelProfile(const BevelSpec& s) : spec_(s) {
  base_ = std::asin(std::sin(s.cone) * std::cos(s.pressureAngle));
  const double distance = coneDistance();
  tip_ = s.cone + std::atan(s.addendum * s.module / distance);
  root_ = s.cone - std::atan(s.dedendum * s.module / distance);
  half_ = 0.5 * (0.5 * kPi * s.module - s.backlash) / pitchRadius() + sphericalInvolute(base_, s.cone);
}

double BevelProfile::coneDistance() const { return pitchRadius() / std::sin(spec_.cone); }

double BevelProfile::halfAngle(double polar) const {
  return polar <= base_ ? half_ : half_ - sphericalInvolute(base_, polar);
}

std::vector<Vec2> BevelProfile::halfTooth(int n) const {
  std::vector<Vec2> out;
  const auto add = [&](double polar, double angle) {
    out.push_back(std::tan(polar) * Vec2(std::cos(angle), std::sin(angle)));
  };
  add(root_, kPi / spec_.teeth);
  const double low = std::max(root_, base_);
  if (root_ < base_) add(root_, half_);
  for (int i = 0; i < n; ++i) {
    const double s = static_cast<double>(i) / (n - 1);
    const double polar = low + (tip_ - low) * s * s;  // denser where it bends most
    add(polar, halfAngle(polar));
  }
  add(tip_, 0);
  return out;
}

double BevelProfile::rollAt(double polar) const {
  return std::acos(std::clamp(std::cos(std::max(polar, base_)) / std::cos(base_), -1.0, 1.0));
}

Vec2 BevelProfile::flankAt(double roll) const {
  // cos t B - sin t T: B on the base cone where the great circle touches it, T along the cone there
  const double turn = roll / std::sin(base_), c = std::cos(roll), s = std::sin(roll);
  const Vec2 B(std::sin(base_) * std::cos(turn), std::sin(base_) * std::sin(turn));
  const Vec2 T(-std::sin(turn), std::cos(turn));
  const Vec2 p = (c * B - s * T) / (c * std::cos(base_));
  // the involute begins at angle 0 and turns forwards; the flank begins at the half angle and turns back
  return {std::cos(half_) * p.x() + std::sin(half_) * p.y(), std::sin(half_) * p.x() - std::cos(half_) * p.y()};
}

double BevelProfile::flankSecond(double roll) const {
  // X on the unit sphere, to the turn f = roll / sin b: |X'| = sin t cos b, |X''| <= sin b cos b + sin t cos^2 b, and
  // its height z = cos b cos t; p = X / z
  const double sb = std::sin(base_), cb = std::cos(base_), s = std::sin(roll), z = cb * std::cos(roll);
  const double x1 = s * cb, x2 = sb * cb + s * cb * cb, z1 = s * sb * cb, z2 = sb * sb * cb;
  const double x = std::sqrt(std::max(0.0, 1 - z * z));
  const double second = x2 / z + 2 * x1 * z1 / (z * z) + x * (2 * z1 * z1 / (z * z * z) + z2 / (z * z));
  return second / (sb * sb);
}

double BevelProfile::outerPlane() const { return coneDistance() * std::cos(spec_.cone); }
double BevelProfile::innerPlane() const { return (coneDistance() - spec_.width) * std::cos(spec_.cone); }

std::vector<std::string> bevelWarnings(const BevelSpec& s) {
  std::vector<std::string> out;
  const BevelProfile p(s);
  const double virtualTeeth = s.teeth / std::cos(s.cone), least = undercutTeeth(s.pressureAngle, s.addendum);
  if (virtualTeeth < least)
    out.push_back(
        fmt::format("undercut: it counts as {:.1f} teeth (teeth over the cosine of the cone), less than {:.1f}",
                    virtualTeeth, least));
  if (s.width > p.coneDistance() / 3)
    out.push_back(fmt::format("face width {:.2f} mm is more than a third of the cone distance {:.2f} mm", s.width * 1e3,
                              p.coneDistance() * 1e3));
  if (p.halfAngle(p.tipCone()) <= 0)
    out.push_back("pointed tip: the flanks meet below the tip cone; make the addendum less");
  return out;
}

}  // namespace cooperage::elements
