// SPDX-License-Identifier: GPL-3.0-or-later
#include "elements/figures.h"

#include <fmt/format.h>

#include <cmath>

#include "base/geometry.h"
#include "elements/belt.h"

namespace cooperage::elements {
namespace {

int whole(double x) { return static_cast<int>(std::lround(x)); }

std::string toothFault(double teeth, int least, const char* what = "teeth") {
  if (teeth != std::floor(teeth)) return fmt::format("{} must be a whole number, not {:.6g}", what, teeth);
  if (teeth < least || teeth > 2000) return fmt::format("{} must be {} to 2000, not {:.6g}", what, least, teeth);
  return {};
}
std::string gearFault(const GearSpec& g) {
  if (!(g.pressureAngle > 5 * kPi / 180) || !(g.pressureAngle < 40 * kPi / 180))
    return "the pressure angle must lie between 5 and 40 degrees";
  const GearSize s = gearSize(g);
  if (!(s.rootRadius > 0)) return "the root circle is gone; more teeth, less dedendum or more shift";
  if (!(s.thickness > 0)) return "the teeth have no thickness left; less backlash or another shift";
  if (!(g.addendum + g.dedendum > 0.2)) return "the teeth are too low; more addendum";
  if (!g.internal && std::abs(g.helix) < 0.8 && !(s.tipRadius > s.baseRadius))
    return "the whole tooth lies below the base circle; more shift or addendum";
  return {};
}

}  // namespace

namespace {

/// Where the figures that not all gears have stand in the order of a table; -1: it has none.
struct Columns {
  int shift, backlash, chamfer, addendum;  ///< dedendum and fillet follow the addendum
};
GearSpec toothed(const std::vector<double>& f, const Columns& at) {
  const auto figure = [&](int i) { return i < 0 ? 0.0 : f[static_cast<std::size_t>(i)]; };
  GearSpec g;
  g.module = f[0];
  g.teeth = whole(f[1]);
  g.pressureAngle = f[2];
  g.helix = f[3];
  g.width = f[4];
  g.shift = figure(at.shift);
  g.backlash = figure(at.backlash);
  g.chamfer = figure(at.chamfer);
  g.addendum = figure(at.addendum);
  g.dedendum = figure(at.addendum + 1);
  g.fillet = figure(at.addendum + 2);
  return g;
}

}  // namespace

GearSpec gearOf(const std::vector<double>& figures) { return toothed(figures, {5, 9, 10, 11}); }

GearSpec ringOf(const std::vector<double>& figures, double& rim) {
  GearSpec g = toothed(figures, {5, 7, -1, 8});
  g.internal = true;
  rim = figures[6] > 0 ? figures[6] : gearSize(g).rootRadius + 2.5 * g.module;
  return g;
}

GearSpec rackOf(const std::vector<double>& figures) { return toothed(figures, {-1, 6, -1, 7}); }

BevelSpec bevelOf(const std::vector<double>& f) { return {f[0], whole(f[1]), f[2], f[3], f[4], f[6], f[7], f[8]}; }

GearSpec wormOf(const std::vector<double>& f) {
  GearSpec g;
  g.module = f[0];
  g.teeth = whole(f[1]);
  g.helix = std::copysign(0.5 * kPi - std::abs(f[2]), f[2]);
  g.pressureAngle = f[3];
  g.width = f[4];
  g.backlash = f[6];
  g.addendum = f[7];
  g.dedendum = f[8];
  return g;
}

std::string elementFault(std::string_view element, const std::vector<double>& f) {
  const auto bore = [](double diameter, double root) {
    return diameter >= 2 * root ? std::string("the bore is as wide as the root circle; make it smaller")
                                : std::string();
  };
  if (element == "gear") {
    if (auto why = toothFault(f[1], 4); !why.empty()) return why;
    if (std::abs(f[3]) > 80 * kPi / 180) return "the helix angle must stay within 80 degrees";
    const GearSpec g = gearOf(f);
    if (auto why = gearFault(g); !why.empty()) return why;
    if (f[7] > 0 && f[7] >= gearSize(g).rootRadius) return "the hub is as wide as the root circle; make it smaller";
    if (f[7] > 0 && f[6] >= 2 * f[7]) return "the bore is as wide as the hub; make it smaller";
    return bore(f[6], gearSize(g).rootRadius);
  }
  if (element == "ring-gear") {
    if (auto why = toothFault(f[1], 12); !why.empty()) return why;
    if (std::abs(f[3]) > 45 * kPi / 180) return "the helix angle of a ring must stay within 45 degrees";
    double rim = 0;
    const GearSpec g = ringOf(f, rim);
    if (auto why = gearFault(g); !why.empty()) return why;
    return rim > gearSize(g).rootRadius ? std::string() : "the rim lies within the teeth; make its radius larger";
  }
  if (element == "rack") {
    if (auto why = toothFault(f[1], 1); !why.empty()) return why;
    if (std::abs(f[3]) > 45 * kPi / 180) return "the helix angle of a rack must stay within 45 degrees";
    if (!(f[2] > 5 * kPi / 180) || !(f[2] < 40 * kPi / 180))
      return "the pressure angle must lie between 5 and 40 degrees";
    return {};
  }
  if (element == "bevel-gear") {
    if (auto why = toothFault(f[1], 6); !why.empty()) return why;
    const BevelSpec b = bevelOf(f);
    if (!(b.cone > 2 * kPi / 180)) return "the cone angle must be 2 degrees or more";
    const BevelProfile p(b);
    if (!(p.tipCone() < 80 * kPi / 180)) return "the cone is too flat: its tip must stay below 80 degrees";
    if (!(p.rootCone() > 0)) return "the root cone is gone; more teeth";
    if (!(b.width < 0.9 * p.coneDistance())) return "the face is wider than the cone is long; make it narrower";
    if (!(p.halfAngle(p.tipCone()) > 0)) return "the tips are pointed; make the addendum less";
    return bore(f[5], std::tan(p.rootCone()) * p.innerPlane());
  }
  if (element == "worm") {
    if (auto why = toothFault(f[1], 1, "starts"); !why.empty()) return why;
    if (!(std::abs(f[2]) < 40 * kPi / 180) || !(std::abs(f[2]) > 0.5 * kPi / 180))
      return "the lead angle must lie between 0.5 and 40 degrees (negative: left hand)";
    const GearSpec g = wormOf(f);
    if (auto why = gearFault(g); !why.empty()) return why;
    return bore(f[5], gearSize(g).rootRadius);
  }
  if (element == "pulley") {
    if (f[4] >= f[0]) return "the groove is as deep as the pulley; make it shallower";
    return bore(f[2], f[0] - f[4]);
  }
  if (element == "sprocket") {
    if (auto why = toothFault(f[1], 6); !why.empty()) return why;
    if (!(f[2] < 0.9 * f[0])) return "the rollers are as thick as the pitch; make them thinner";
    return bore(f[4], sprocketRadius(f[0], whole(f[1])) - 0.55 * f[2]);
  }
  if (element == "screw") {
    if (auto why = toothFault(f[2], 1, "starts"); !why.empty()) return why;
    const double pitch = std::abs(f[1]) / f[2];
    if (!(1.2 * pitch < f[0])) return "the thread is deeper than the screw; make the lead smaller or take more starts";
    if (f[3] / std::abs(f[1]) > 400) return "the thread has more than 400 turns; make it shorter";
    return {};
  }
  if (element == "nut") return f[2] < f[0] ? std::string() : "the bore is as wide as the nut; make it smaller";
  if (element == "cam" && f[2] > 0 && f[1] >= 2 * f[2]) return "the bore is as wide as the hub; make it smaller";
  return {};
}

std::vector<std::string> elementWarnings(std::string_view element, const std::vector<double>& f) {
  double rim = 0;
  if (element == "gear") return gearWarnings(gearOf(f));
  if (element == "ring-gear") return gearWarnings(ringOf(f, rim));
  if (element == "bevel-gear") return bevelWarnings(bevelOf(f));
  return {};
}

}  // namespace cooperage::elements
