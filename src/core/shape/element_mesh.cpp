// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/element_mesh.h"

#include <algorithm>
#include <cmath>

#include "base/index.h"
#include "elements/figures.h"
#include "shape/shell.h"
#include "shape/worm_mesh.h"

namespace cooperage::shape {
namespace {

using elements::GearProfile;
using elements::GearSpec;
using Vec2 = Eigen::Vector2d;

constexpr double kRounding = 1e-12;  // m: of figures of a size that is made
constexpr double kMostVertices = 3e6;

Vec2 turned(const Vec2& p, double angle) {
  const double c = std::cos(angle), s = std::sin(angle);
  return {c * p.x() - s * p.y(), s * p.x() + c * p.y()};
}

/// How an outline is followed.
struct Steps {
  double chord;    ///< distance of a chord and the curve, m
  double longest;  ///< step, m
};

/// Number of equal steps of a parameter from 0 to 1 so that each chord is as near as asked for.
/// @param bounds of first and second derivative between two parameters
template <class F>
int stepsOf(F bounds, const Steps& steps) {
  constexpr int kMost = static_cast<int>(kMostVertices);  // an outline of so many is refused
  for (int n = 1; n < kMost; n = n + std::max(1, n / 8)) {
    bool enough = true;
    for (int i = 0; i < n && enough; ++i) {
      const GearProfile::Bounds b = bounds(static_cast<double>(i) / n, (i + 1.0) / n);
      enough = b.second / n / n / 8 <= steps.chord && b.first / n <= steps.longest;
    }
    if (enough) return n;
  }
  return kMost;
}
/// Steps of an arc of a circle.
int stepsOfArc(double radius, double angle, const Steps& steps) {
  const double a = std::abs(angle);
  return stepsOf([&](double, double) { return GearProfile::Bounds{radius * a, radius * a * a}; }, steps);
}
void arc(Loop& out, double radius, double from, double to, const Steps& steps) {
  const int n = stepsOfArc(radius, to - from, steps);
  for (int i = 0; i <= n; ++i) {
    const double a = from + (to - from) * i / n;
    out.emplace_back(radius * std::cos(a), radius * std::sin(a));
  }
}
void line(Loop& out, const Vec2& a, const Vec2& b, const Steps& steps) {
  const int n = std::max(1, static_cast<int>(std::ceil((b - a).norm() / steps.longest)));
  for (int i = 0; i <= n; ++i) out.push_back(a + (b - a) * (static_cast<double>(i) / n));
}
Loop circle(double radius, double deflection) {
  Loop out;
  arc(out, radius, 0, 2 * kPi, {deflection, 0.5 * radius});
  out.pop_back();
  return out;
}
/// Takes out what stands twice in a row; pieces that don't meet (a root circle below the base circle) are joined by a
/// straight one.
Loop joined(const Loop& pieces, const Steps& steps) {
  Loop out;
  for (const Vec2& p : pieces) {
    if (!out.empty()) {
      const Vec2 last = out.back();
      if ((p - last).norm() < kRounding) continue;
      if ((p - last).norm() > steps.longest) {
        Loop between;
        line(between, last, p, steps);
        out.insert(out.end(), between.begin() + 1, between.end() - 1);
      }
    }
    out.push_back(p);
  }
  return out;
}

/// Half a tooth from the middle of the space to the middle of the tooth, the tooth on +x.
Loop halfTooth(const GearProfile& profile, const Steps& steps) {
  Loop out;
  for (const auto& part : profile.parts()) {
    const int n = stepsOf([&](double a, double b) { return profile.bounds(part, a, b); }, steps);
    for (int i = 0; i <= n; ++i) out.push_back(profile.at(part, static_cast<double>(i) / n).at);
  }
  return joined(out, steps);
}
Loop halfTooth(const elements::BevelProfile& profile, const Steps& steps) {
  Loop out;
  const auto at = [](double polar, double angle) {
    return Vec2(std::tan(polar) * Vec2(std::cos(angle), std::sin(angle)));
  };
  const double root = profile.rootCone(), half = profile.halfAngle(root), pitch = kPi / profile.spec().teeth;
  arc(out, std::tan(root), pitch, half, steps);
  out.push_back(at(root, half));
  const double from = profile.rollAt(root), to = profile.rollAt(profile.tipCone());
  const int n = stepsOf(
      [&](double, double b) {
        const double d = to - from;
        return GearProfile::Bounds{0, profile.flankSecond(from + d * b) * d * d};
      },
      steps);
  for (int i = 0; i <= n; ++i) out.push_back(profile.flankAt(from + (to - from) * i / n));
  arc(out, std::tan(profile.tipCone()), profile.halfAngle(profile.tipCone()), 0, steps);
  return joined(out, steps);
}
/// The whole wheel, counter-clockwise.
Wheel wheel(const Loop& half, int teeth) {
  Wheel made;
  made.points = 2 * static_cast<int>(half.size()) - 2;
  while (u(made.root + 2) < half.size() && std::abs(half[u(made.root + 1)].norm() - half[0].norm()) < kRounding)
    ++made.root;
  made.neck = static_cast<int>(half.size()) - 1;
  if (half.back().norm() < half.front().norm()) {
    // of a ring the fillet goes on round before it turns towards the tip, and the tip is hollow
    const auto lower = [](const Vec2& p, const Vec2& q) { return p.x() < q.x(); };
    made.root = static_cast<int>(std::max_element(half.begin(), half.end(), lower) - half.begin());
    made.neck = static_cast<int>(std::min_element(half.begin(), half.end(), lower) - half.begin()) - 1;
  }
  Loop& out = made.outline;
  for (int k = 0; k < teeth; ++k) {
    const double turn = 2 * kPi * k / teeth;
    for (std::size_t i = 0; i < half.size(); ++i) out.push_back(turned({half[i].x(), -half[i].y()}, turn));
    for (std::size_t i = half.size() - 1; i-- > 0;) out.push_back(turned(half[i], turn));
    out.pop_back();  // the middle of the space is the next tooth's first
  }
  return made;
}

Loop turned(const Loop& loop, double angle) {
  Loop out;
  for (const Vec2& p : loop) out.push_back(turned(p, angle));
  return out;
}
Loop scaled(const Loop& loop, double by) {
  Loop out;
  for (const Vec2& p : loop) out.push_back(by * p);
  return out;
}
Loop shifted(const Loop& loop, double x) {
  Loop out;
  for (const Vec2& p : loop) out.emplace_back(p.x() + x, p.y());
  return out;
}

/// How a helix is cut: steps along the outline, and stations along the axis.
struct HelixSteps {
  Steps outline;
  int stations;
};
HelixSteps helixSteps(double radius, double turnPerMetre, double width, double deflection, double size) {
  const double w = std::abs(turnPerMetre);
  if (w == 0) return {{deflection, 1e300}, 2};
  HelixSteps best{};
  double least = 1e300;
  for (double share = 0.1; share < 0.85; share += 0.1) {
    const double chord = share * deflection, left = deflection - chord;
    // as long as the chord of a tooth's size takes; longer ones (straight, or of a large circle) are halved
    const double longest = std::sqrt(8 * chord * size);
    // (2 w L h + w^2 r h^2) / 8 = left
    const double a = w * w * radius, b = 2 * w * longest;
    const double h = (-b + std::sqrt(b * b + 32 * a * left)) / (2 * a);
    const double many = width / h / longest;
    if (many < least) {
      least = many;
      best = {{chord, longest}, std::max(2, static_cast<int>(std::ceil(width / h)) + 1)};
    }
  }
  return best;
}

std::optional<Mesh> gearMesh(const GearSpec& g, double bore, double hubRadius, double hubLength, double rim,
                             double deflection) {
  const GearProfile profile(g);
  const double reach = std::max(profile.size().tipRadius, profile.size().rootRadius);
  const double turn = std::tan(g.helix) / profile.size().pitchRadius;
  // a flank's curvature is about that of a circle of a few modules
  const HelixSteps steps = helixSteps(reach, turn, g.width, deflection, 4 * g.module);
  const Loop tooth = halfTooth(profile, steps.outline);
  if (2.0 * static_cast<double>(tooth.size()) * g.teeth * steps.stations > kMostVertices) return {};
  const Wheel made = wheel(tooth, g.teeth);
  const Loop& outline = made.outline;
  const bool hub = hubRadius > 0 && hubLength > 0;
  const double least = g.internal ? 0 : std::min(profile.size().rootRadius, profile.size().formRadius);
  const double half = 0.5 * g.width;
  // chords of an outline cut up to the deflection from what lies inside of it
  if (std::max(bore, hub ? hubRadius : 0.0) > least - 2 * deflection && !g.internal) return {};
  if (hub && bore > hubRadius - 2 * deflection) return {};
  if (g.internal && rim < reach + 2 * deflection) return {};

  Shell shell;
  std::vector<int> rings;
  for (int k = 0; k < steps.stations; ++k) {
    const double z = k + 1 == steps.stations ? half : -half + g.width * k / (steps.stations - 1);
    rings.push_back(shell.put(turn == 0 ? outline : turned(outline, turn * z), z));
    if (k > 0) shell.wall(rings[u(k - 1)], rings[u(k)], g.internal);
  }
  const int bottom = rings.front(), top = rings.back();
  if (g.internal) {
    const Loop outer = circle(rim, deflection);
    const int low = shell.put(outer, -half), high = shell.put(outer, half);
    shell.wall(low, high, false);
    if (!shell.toothedLid(made, bottom, low, true, false) || !shell.toothedLid(made, top, high, true, true)) return {};
    return shell.take();
  }
  int below = -1, above = -1;
  const double end = hub ? half + hubLength : half;
  int hubTop = -1, boreTop = -1;
  if (hub) {
    const Loop c = circle(hubRadius, deflection);
    above = shell.put(c, half);
    hubTop = shell.put(c, end);
    shell.wall(above, hubTop, false);
  }
  if (bore > 0) {
    const Loop c = circle(bore, deflection);
    below = shell.put(c, -half);
    boreTop = shell.put(c, end);
    shell.wall(below, boreTop, true);
    if (!hub) above = boreTop;
  }
  if (!shell.toothedLid(made, bottom, below, false, false) || !shell.toothedLid(made, top, above, false, true))
    return {};
  if (hub && !shell.lid(hubTop, bore > 0 ? std::vector<int>{boreTop} : std::vector<int>{}, true)) return {};
  return shell.take();
}

std::optional<Mesh> bevelMesh(const elements::BevelSpec& b, double bore, double deflection) {
  const elements::BevelProfile profile(b);
  const double inner = profile.innerPlane(), outer = profile.outerPlane();
  // the outline stands in the plane z = 1: what is true to d there is true to d times the outer plane's distance
  const Loop tooth = halfTooth(profile, {deflection / outer, 1e300});
  if (4.0 * static_cast<double>(tooth.size()) * b.teeth > kMostVertices) return {};
  const Wheel made = wheel(tooth, b.teeth);
  if (bore > inner * std::tan(profile.rootCone()) - 2 * deflection) return {};
  Shell shell;
  const int low = shell.put(scaled(made.outline, inner), inner), high = shell.put(scaled(made.outline, outer), outer);
  shell.wall(low, high, false);
  int below = -1, above = -1;
  if (bore > 0) {
    const Loop c = circle(bore, deflection);
    below = shell.put(c, inner);
    above = shell.put(c, outer);
    shell.wall(below, above, true);
  }
  if (!shell.toothedLid(made, low, below, false, false) || !shell.toothedLid(made, high, above, false, true)) return {};
  return shell.take();
}

std::optional<Mesh> rackMesh(const GearSpec& g, double height, double deflection) {
  const auto half = elements::rackHalfTooth(g);
  const double pitch = kPi * g.module / std::cos(g.helix);
  const double floor = -(height > g.dedendum * g.module ? height : g.dedendum * g.module + 2.5 * g.module);
  const Steps steps{deflection, 1e300};
  // from the middle of the space to that of the tooth
  Loop rise;
  for (std::size_t i = 0; i < half.size(); ++i) {
    rise.push_back(half[i].at);
    if (half[i].bulge == 0 || i + 1 == half.size()) continue;
    const Vec2 a = half[i].at, b = half[i + 1].at, d = b - a;
    const double bulge = half[i].bulge;
    const Vec2 centre = 0.5 * (a + b) + Vec2(-d.y(), d.x()) * ((1 - bulge * bulge) / (4 * bulge));
    const Vec2 from = a - centre;
    const double start = std::atan2(from.y(), from.x()), sweep = 4 * std::atan(bulge);
    Loop round;
    arc(round, from.norm(), start, start + sweep, steps);
    for (std::size_t k = 1; k + 1 < round.size(); ++k) rise.push_back(centre + round[k]);
  }
  if (4.0 * static_cast<double>(rise.size()) * g.teeth > kMostVertices) return {};
  // counter-clockwise: over the teeth from right to left, below them back
  Loop outline;
  const int first = -g.teeth / 2;
  for (int k = g.teeth - 1; k >= 0; --k) {
    const double shift = (first + k) * pitch;
    for (const Vec2& p : rise) outline.emplace_back(p.x() + shift, p.y());
    for (std::size_t i = rise.size(); i-- > 0;) outline.emplace_back(-rise[i].x() + shift, rise[i].y());
  }
  outline = joined(outline, steps);
  const double left = outline.back().x(), right = outline.front().x();
  outline.emplace_back(left, floor);
  outline.emplace_back(right, floor);
  const double slant = std::tan(g.helix) * g.width;
  Shell shell;
  const int low = shell.put(shifted(outline, -0.5 * slant), -0.5 * g.width),
            high = shell.put(shifted(outline, 0.5 * slant), 0.5 * g.width);
  shell.wall(low, high, false);
  if (!shell.lid(low, {}, false) || !shell.lid(high, {}, true)) return {};
  return shell.take();
}

}  // namespace

bool hasElementMesh(model::BodyKind kind) {
  using model::BodyKind;
  return kind == BodyKind::gear || kind == BodyKind::worm || kind == BodyKind::ringGear || kind == BodyKind::rack ||
         kind == BodyKind::bevelGear;
}

std::optional<Mesh> elementMesh(model::BodyKind kind, const std::vector<double>& f, double deflection) {
  using model::BodyKind;
  switch (kind) {
    case BodyKind::gear: return gearMesh(elements::gearOf(f), 0.5 * f[6], f[7], f[8], 0, deflection);
    case BodyKind::worm: return wormMesh(elements::wormOf(f), 0.5 * f[5], deflection);
    case BodyKind::ringGear: {
      double rim = 0;
      const GearSpec g = elements::ringOf(f, rim);
      return gearMesh(g, 0, 0, 0, rim, deflection);
    }
    case BodyKind::rack: return rackMesh(elements::rackOf(f), f[5], deflection);
    case BodyKind::bevelGear: return bevelMesh(elements::bevelOf(f), 0.5 * f[5], deflection);
    default: return {};
  }
}

}  // namespace cooperage::shape
