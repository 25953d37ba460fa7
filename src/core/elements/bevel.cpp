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
