// SPDX-License-Identifier: GPL-3.0-or-later
#include "elements/gear.h"

#include <fmt/format.h>

#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>

#include "base/geometry.h"

namespace cooperage::elements {
namespace {

Vec2 polar(double radius, double angle) { return radius * Vec2(std::cos(angle), std::sin(angle)); }
Vec2 turned(const Vec2& v, double angle) { return Eigen::Rotation2Dd(angle) * v; }
Vec2 quarter(const Vec2& v) { return {-v.y(), v.x()}; }
double angleAt(double baseRadius, double radius) { return std::acos(std::min(1.0, baseRadius / radius)); }
/// Above this helix the fillet is left out: the involute runs to the root (worms).
constexpr double kSteep = 50 * kPi / 180;

}  // namespace

double involute(double a) { return std::tan(a) - a; }

double inverseInvolute(double value) {
  double a = std::cbrt(3 * value);  // tan a - a = a^3/3 + ...
  a = std::min(a, 1.5);
  for (int i = 0; i < 60; ++i) {
    const double t = std::tan(a), step = (t - a - value) / (t * t + 1e-300);
    a = std::clamp(a - step, 0.5 * a, 0.5 * (a + 0.5 * kPi));
    if (std::abs(step) < 1e-16) break;
  }
  return a;
}

double undercutTeeth(double pressureAngle, double addendum) {
  const double s = std::sin(pressureAngle);
  return 2 * addendum / (s * s);
}

GearSize gearSize(const GearSpec& g) {
  GearSize s;
  const double c = std::cos(g.helix), m = g.module, z = g.teeth;
  s.module = m / c;
  s.pressureAngle = std::atan(std::tan(g.pressureAngle) / c);
  s.pitchRadius = 0.5 * z * s.module;
  s.baseRadius = s.pitchRadius * std::cos(s.pressureAngle);
  s.basePitch = 2 * kPi * s.baseRadius / z;
  const double widened = 2 * g.shift * m * std::tan(s.pressureAngle), inv = involute(s.pressureAngle);
  if (g.internal) {
    s.thickness = 0.5 * kPi * s.module - widened - g.backlash;
    s.tipRadius = std::max(s.pitchRadius - (g.addendum - g.shift) * m, 1.0005 * s.baseRadius);
    s.rootRadius = s.pitchRadius + (g.dedendum + g.shift) * m;
    s.tipThickness =
        2 * s.tipRadius * (0.5 * s.thickness / s.pitchRadius - inv + involute(angleAt(s.baseRadius, s.tipRadius)));
    s.pin = 1.68 * m;
    const double at =
        inverseInvolute(std::max(0.0, inv + (0.5 * kPi * s.module + widened + g.backlash) / (2 * s.pitchRadius) -
                                          s.pin / (z * m * std::cos(g.pressureAngle))));
    const double middle = s.baseRadius / std::cos(at);
    s.overPins = 2 * middle * (g.teeth % 2 == 0 ? 1 : std::cos(0.5 * kPi / z)) - s.pin;
    return s;
  }
  s.thickness = 0.5 * kPi * s.module + widened - g.backlash;
  s.tipRadius = s.pitchRadius + (g.addendum + g.shift) * m;
  s.rootRadius = s.pitchRadius - (g.dedendum - g.shift) * m;
  s.tipThickness =
      2 * s.tipRadius * (0.5 * s.thickness / s.pitchRadius + inv - involute(angleAt(s.baseRadius, s.tipRadius)));
  const double sine = std::sin(s.pressureAngle);
  s.leastShift = g.dedendum - g.fillet * (1 - sine) - 0.5 * z * sine * sine / c;
  s.undercut = g.shift < s.leastShift && std::abs(g.helix) < kSteep;
  s.pin = 1.728 * m;
  const double at = inverseInvolute(
      std::max(0.0, inv + s.pin / (z * m * std::cos(g.pressureAngle)) + 0.5 * s.thickness / s.pitchRadius - kPi / z));
  const double middle = s.baseRadius / std::cos(at);
  s.overPins = 2 * middle * (g.teeth % 2 == 0 ? 1 : std::cos(0.5 * kPi / z)) + s.pin;
  return s;
}

GearProfile::GearProfile(const GearSpec& spec) : spec_(spec), size_(gearSize(spec)) {
  const double inv = involute(size_.pressureAngle);
  if (spec.internal) {
    baseHalf_ = kPi / spec.teeth - 0.5 * size_.thickness / size_.pitchRadius + inv;
    makeInternal();
  } else {
    baseHalf_ = 0.5 * size_.thickness / size_.pitchRadius + inv;
    makeExternal();
  }
}

double GearProfile::halfAngle(double radius) const {
  const double half = baseHalf_ - involute(angleAt(size_.baseRadius, radius));
  return spec_.internal ? kPi / spec_.teeth - half : half;
}

void GearProfile::makeExternal() {
  const double m = spec_.module, r = size_.pitchRadius, a = size_.pressureAngle, rb = size_.baseRadius;
  const double rootRadius = size_.rootRadius, pitch = kPi / spec_.teeth;
  double tip = size_.tipRadius;
  if (size_.tipThickness < 0) {  // the flanks meet below the tip circle: the tooth ends there
    tip = rb / std::cos(inverseInvolute(baseHalf_));
    size_.tipRadius = tip;
  }
  const auto roll = [&](double radius) { return std::sqrt(std::max(0.0, radius * radius / (rb * rb) - 1)); };
  const double chamfer = std::min({spec_.chamfer, 0.4 * (tip - r), std::max(0.0, 0.9 * tip * halfAngle(tip))});
  double formRoll = 0;
  if (std::abs(spec_.helix) < kSteep) {
    // the rack's tooth with its rounded corner: widened by what the gear's tooth is thinner
    const double half = 0.5 * (0.5 * kPi * size_.module + spec_.backlash), depth = spec_.dedendum * m;
    const double room = (half - depth * std::tan(a)) * std::cos(a) / (1 - std::sin(a));
    rounding_ = std::min(spec_.fillet * m, 0.999 * room);
    cornerX_ = half - (depth - rounding_) * std::tan(a) - rounding_ / std::cos(a);
    cornerDepth_ = depth - spec_.shift * m - rounding_;
    double end = 1 / std::tan(a);
    const double flankEnd = cornerDepth_ + rounding_ * std::sin(a);  // depth of the flank's end below the pitch line
    if (flankEnd <= r * std::sin(a) * std::sin(a)) {
      formRoll = (r * std::sin(a) - flankEnd / std::sin(a)) / rb;
      size_.undercut = false;
    } else {
      // the trochoid cuts the involute: its upper end lies in the space, and walking down it goes into the tooth
      size_.undercut = true;
      const auto outside = [&](double t) {
        const Vec2 p = trochoid(t).at;
        return std::atan2(p.y(), p.x()) > halfAngle(std::max(p.norm(), rb));
      };
      for (int i = 1; i <= 200; ++i) {
        double in = end * (1 - i / 200.0);
        if (outside(in)) continue;
        double out = end * (1 - (i - 1) / 200.0);
        for (int k = 0; k < 60; ++k) {
          const double mid = 0.5 * (out + in);
          (outside(mid) ? out : in) = mid;
        }
        end = out;
        break;
      }
      formRoll = roll(trochoid(end).at.norm());
    }
    const double bottom = std::atan2(trochoid(0).at.y(), trochoid(0).at.x());
    if (bottom < pitch) parts_.push_back({Kind::rootArc, pitch, bottom});
    parts_.push_back({Kind::fillet, 0, end});
  } else {
    formRoll = roll(rootRadius);
    parts_.push_back({Kind::rootArc, pitch, halfAngle(std::max(rootRadius, rb))});
  }
  size_.formRadius = rb * std::hypot(1, formRoll);
  const double flankTop = roll(tip - chamfer);
  parts_.push_back({Kind::involute, formRoll, flankTop});
  if (chamfer > 0) parts_.push_back({Kind::chamfer, 0, chamfer});
  const double top = halfAngle(tip) - (chamfer > 0 ? chamfer / tip : 0);
  if (top > 1e-9) parts_.push_back({Kind::tipArc, top, 0});
}

void GearProfile::makeInternal() {
  const double m = spec_.module, r = size_.pitchRadius, a = size_.pressureAngle, rb = size_.baseRadius;
  const double pitch = kPi / spec_.teeth;
  const auto roll = [&](double radius) { return std::sqrt(std::max(0.0, radius * radius / (rb * rb) - 1)); };
  // the root is rounded as a pinion cutter of three fifths of the teeth would do it
  const double z0 = std::max(10.0, std::round(0.6 * spec_.teeth));
  cutterRadius_ = 0.5 * z0 * size_.module;
  const double rb0 = cutterRadius_ * std::cos(a), tip0 = cutterRadius_ + (spec_.dedendum + spec_.shift) * m;
  const double half0 = 0.5 * (2 * pitch * r - size_.thickness) / cutterRadius_ + involute(a);
  rounding_ = spec_.fillet * m;
  for (int i = 0; i < 40; ++i, rounding_ *= 0.8) {  // as round as the cutter's tooth has room for
    cornerRadius_ = tip0 - rounding_;
    cornerAngle_ = half0 - involute(angleAt(rb0, cornerRadius_)) - rounding_ / rb0;
    if (cornerAngle_ > 0) break;
  }
  const double reach =
      -cutterRadius_ * std::sin(a) + std::sqrt(std::max(0.0, cornerRadius_ * cornerRadius_ - rb0 * rb0));
  const Vec2 end(reach * std::cos(a), cutterRadius_ + reach * std::sin(a));  // from the cutter's middle
  const double last = std::atan2(end.x(), end.y());
  const Vec2 bottom = trochoid(0).at;
  const double bottomAngle = std::atan2(bottom.y(), bottom.x());
  if (bottomAngle < pitch) parts_.push_back({Kind::rootArc, pitch, bottomAngle});
  parts_.push_back({Kind::fillet, 0, last});
  size_.formRadius = trochoid(last).at.norm();
  parts_.push_back({Kind::involute, roll(size_.formRadius), roll(size_.tipRadius)});
  parts_.push_back({Kind::tipArc, halfAngle(size_.tipRadius), 0});
}

/// The cutter's rounded corner envelopes the fillet: the contact's normal passes through the pitch point. Of an
/// external gear the parameter is the slope of that normal (rack), of a ring the turn of the corner from the line of
/// centres.
GearProfile::Place GearProfile::trochoid(double t) const {
  const double r = size_.pitchRadius, pitch = kPi / spec_.teeth;
  Vec2 at, slope;
  double back = 0, backSlope = 0;
  if (!spec_.internal) {
    const double w = std::sqrt(1 + t * t);
    at = Vec2(cornerDepth_ * t, r - cornerDepth_) + rounding_ * Vec2(t, -1) / w;
    slope = Vec2(cornerDepth_, 0) + rounding_ * Vec2(1, t) / (w * w * w);
    back = -(cornerX_ - cornerDepth_ * t) / r;
    backSlope = cornerDepth_ / r;
  } else {
    const Vec2 d(cornerRadius_ * std::sin(t), cornerRadius_ * std::cos(t) - cutterRadius_);  // from the pitch point
    const Vec2 d1(cornerRadius_ * std::cos(t), -cornerRadius_ * std::sin(t));
    const double length = d.norm(), sign = d.y() < 0 ? -1 : 1;
    const Vec2 n = sign * d / length;
    at = Vec2(0, r) + d + rounding_ * n;
    slope = d1 + rounding_ * sign * (d1 - n.dot(d1) * n) / length;
    back = -(cornerAngle_ - t) * cutterRadius_ / r;
    backSlope = cutterRadius_ / r;
  }
  const double turn = back + pitch - 0.5 * kPi;  // from the middle of the space on +y to the tooth's axes
  return {turned(at, turn), turned(slope + backSlope * quarter(at), turn)};
}

GearProfile::Place GearProfile::at(const Part& part, double share) const {
  const double p = part.from + (part.to - part.from) * share, d = part.to - part.from;
  const double rb = size_.baseRadius;
  switch (part.kind) {
    case Kind::rootArc: return {polar(size_.rootRadius, p), d * quarter(polar(size_.rootRadius, p))};
    case Kind::tipArc: return {polar(size_.tipRadius, p), d * quarter(polar(size_.tipRadius, p))};
    case Kind::fillet: {
      const Place t = trochoid(p);
      return {t.at, d * t.slope};
    }
    case Kind::involute: {
      const double side = spec_.internal ? 1 : -1;
      const double turn = spec_.internal ? kPi / spec_.teeth - baseHalf_ : baseHalf_;
      const Vec2 at(std::cos(p) + p * std::sin(p), side * (std::sin(p) - p * std::cos(p)));
      const Vec2 slope(p * std::cos(p), side * p * std::sin(p));
      return {turned(rb * at, turn), turned(d * rb * slope, turn)};
    }
    case Kind::chamfer: {
      const double low = size_.tipRadius - part.to;
      const Vec2 a = polar(low, halfAngle(low)),
                 b = polar(size_.tipRadius, halfAngle(size_.tipRadius) - part.to / size_.tipRadius);
      return {a + (b - a) * share, b - a};
    }
  }
  return {};
}

GearProfile::Bounds GearProfile::bounds(const Part& part, double from, double to) const {
  const double d = std::abs(part.to - part.from), rb = size_.baseRadius, r = size_.pitchRadius;
  const double a = part.from + (part.to - part.from) * from, b = part.from + (part.to - part.from) * to;
  const double low = std::min(std::abs(a), std::abs(b)), high = std::max(std::abs(a), std::abs(b));
  switch (part.kind) {
    case Kind::rootArc: return {size_.rootRadius * d, size_.rootRadius * d * d};
    case Kind::tipArc: return {size_.tipRadius * d, size_.tipRadius * d * d};
    case Kind::chamfer: return {at(part, 0).slope.norm(), 0};
    case Kind::involute: return {rb * high * d, rb * std::hypot(1, high) * d * d};
    case Kind::fillet: break;
  }
  // the corner's path c(t) seen from a rack or cutter, turned at the rate w: p'' = c'' + 2 i w c' - w^2 c
  double place = 0, first = 0, second = 0, w = 0;
  if (!spec_.internal) {
    // (t, -1) / sqrt(1 + t^2) has the derivatives 1 / (1 + t^2) and sqrt(1 + 4 t^2) / (1 + t^2)^2
    const double wide = 1 + low * low;
    place = std::hypot(cornerDepth_ * high, r - cornerDepth_) + rounding_;
    first = std::abs(cornerDepth_) + rounding_ / wide;
    second = rounding_ * std::hypot(1, 2 * high) / (wide * wide);
    w = std::abs(cornerDepth_) / r;
  } else {
    // d from the pitch point to the corner's middle, which runs on a circle; its direction n = d / |d|
    const double c = cornerRadius_;
    const double length = std::sqrt(
        std::max(1e-300, c * c + cutterRadius_ * cutterRadius_ - 2 * c * cutterRadius_ * std::cos(std::min(low, kPi))));
    place = std::abs(r - cutterRadius_) + c + rounding_;
    first = c + rounding_ * c / length;
    second = c + rounding_ * (2 * c / length + 5 * c * c / (length * length));
    w = cutterRadius_ / r;
  }
  return {(first + w * place) * d, (second + 2 * w * first + w * w * place) * d * d};
}

std::vector<Vec2> GearProfile::outline(int n) const {
  std::vector<Vec2> flank;
  for (const Part& part : parts_)
    for (int i = 0; i < n; ++i) flank.push_back(at(part, static_cast<double>(i) / n).at);
  flank.push_back(at(parts_.back(), 1).at);
  std::vector<Vec2> out;
  for (int k = 0; k < spec_.teeth; ++k) {
    const double turn = 2 * kPi * k / spec_.teeth;
    for (const Vec2& p : flank) out.push_back(turned({p.x(), -p.y()}, turn));  // rising flank, then falling
    for (std::size_t i = flank.size() - 1; i-- > 1;) out.push_back(turned(flank[i], turn));
  }
  return out;
}

std::vector<RackPoint> rackHalfTooth(const GearSpec& g) {
  const double m = g.module, a = std::atan(std::tan(g.pressureAngle) / std::cos(g.helix)),
               pitch = kPi * m / std::cos(g.helix);
  const double half = 0.5 * (0.5 * pitch - g.backlash), top = g.addendum * m, bottom = -g.dedendum * m;
  const auto flank = [&](double y) { return half - y * std::tan(a); };  // half width of the tooth
  const double room = 0.5 * pitch - flank(bottom);
  const double rounding = std::min(g.fillet * m, 0.99 * room / std::tan(0.5 * (0.5 * kPi - a)));
  // the arc is tangent to the floor and to the flank
  const double reach = rounding * std::tan(0.5 * (0.5 * kPi - a));
  const Vec2 corner(flank(bottom), bottom), up = Vec2(-std::sin(a), std::cos(a));
  return {{{0.5 * pitch, bottom}, 0},
          {corner + Vec2(reach, 0), -std::tan(0.25 * (0.5 * kPi - a))},
          {corner + reach * up, 0},
          {{flank(top), top}, 0},
          {{0, top}, 0}};
}

std::vector<std::string> gearWarnings(const GearSpec& g) {
  std::vector<std::string> out;
  const GearSize s = GearProfile(g).size();
  if (s.undercut)
    out.push_back(
        fmt::format("undercut: the flank begins at radius {:.3f} mm only; a shift of {:.3f} or more avoids it",
                    s.formRadius * 1e3, s.leastShift));
  if (const double tip = gearSize(g).tipThickness; tip < 0.2 * g.module)
    out.push_back(tip <= 0 ? fmt::format("pointed tip: the flanks meet at radius {:.3f} mm; less shift or addendum",
                                         s.tipRadius * 1e3)
                           : fmt::format("thin tip: {:.3f} mm, less than a fifth of the module", tip * 1e3));
  return out;
}

}  // namespace cooperage::elements
