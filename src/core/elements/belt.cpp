// SPDX-License-Identifier: GPL-3.0-or-later
#include "elements/belt.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/geometry.h"

namespace cooperage::elements {

using Vec2 = Eigen::Vector2d;

Result<BeltPath> beltPath(const std::vector<BeltWheel>& given, const std::string& name) {
  std::vector<BeltWheel> wheels = given;
  const std::size_t n = wheels.size();
  if (n < 2) return Error{"belt", name, name + ": a belt needs two wheels or more"};
  double area = 0;
  for (std::size_t i = 0; i < n; ++i) {
    const Vec2 &a = wheels[i].at, &b = wheels[(i + 1) % n].at;
    area += a.x() * b.y() - a.y() * b.x();
  }
  // the belt runs counter-clockwise about the wheels that it has inside
  const bool reversed = n > 2 && area < 0;
  if (reversed) std::reverse(wheels.begin(), wheels.end());
  BeltPath path;
  std::vector<double> way(n);  // direction of the straight piece after each wheel
  std::vector<Vec2> leaves(n), meets(n);
  for (std::size_t i = 0; i < n; ++i) {
    const BeltWheel &a = wheels[i], &b = wheels[(i + 1) % n];
    const Vec2 d = b.at - a.at;
    const double sine = (b.side * b.radius - a.side * a.radius) / d.norm();
    if (!(std::abs(sine) < 1))
      return Error{"belt", name,
                   fmt::format("{}: wheels {} and {} overlap; move them apart", name, i + 1, (i + 1) % n + 1)};
    way[i] = std::atan2(d.y(), d.x()) - std::asin(sine);
    const Vec2 left(-std::sin(way[i]), std::cos(way[i]));
    leaves[i] = a.at - a.side * a.radius * left;
    meets[(i + 1) % n] = b.at - b.side * b.radius * left;
  }
  for (std::size_t i = 0; i < n; ++i) {
    const BeltWheel& w = wheels[i];
    double wrap = std::fmod(w.side * (way[i] - way[(i + n - 1) % n]), 2 * kPi);
    if (wrap < -1e-12) wrap += 2 * kPi;
    wrap = std::max(0.0, wrap);
    path.wrap.push_back(wrap);
    path.length += wrap * w.radius + (meets[(i + 1) % n] - leaves[i]).norm();
    path.pieces.push_back({curves::Piece::Kind::arc, {meets[i], leaves[i]}, w.at, w.side > 0});
    path.pieces.push_back({curves::Piece::Kind::line, {leaves[i], meets[(i + 1) % n]}, Vec2::Zero(), true});
  }
  if (reversed) std::reverse(path.wrap.begin(), path.wrap.end());
  return path;
}

double sprocketRadius(double pitch, int teeth) { return 0.5 * pitch / std::sin(kPi / teeth); }

std::vector<curves::Piece> sprocketOutline(double pitch, int teeth, double roller) {
  const double radius = sprocketRadius(pitch, teeth), seat = 0.505 * roller, half = kPi / teeth;
  // a roller's seat at angle 0, tips at +-half: the flank runs straight from the seat's end to the tip
  const double reach = 62 * kPi / 180;  // half the angle of the seat
  const double tip = radius + 0.3 * roller, tipHalf = 0.16 * half;
  const auto at = [](double r, double a) { return Vec2(r * std::cos(a), r * std::sin(a)); };
  const Vec2 middle(radius, 0), low = middle + seat * Vec2(-std::cos(reach), -std::sin(reach));
  const Vec2 high(low.x(), -low.y());
  std::vector<curves::Piece> out;
  using Kind = curves::Piece::Kind;
  for (int k = 0; k < teeth; ++k) {
    const double turn = 2 * half * k;
    const Eigen::Rotation2Dd spin(turn);
    const Vec2 tip0 = at(tip, turn + half - tipHalf), tip1 = at(tip, turn + half + tipHalf);
    const Vec2 next = Eigen::Rotation2Dd(turn + 2 * half) * low;
    out.push_back({Kind::arc, {spin * low, spin * high}, spin * middle, false});
    out.push_back({Kind::line, {spin * high, tip0}, Vec2::Zero(), true});
    out.push_back({Kind::arc, {tip0, tip1}, Vec2::Zero(), true});
    out.push_back({Kind::line, {tip1, next}, Vec2::Zero(), true});
  }
  return out;
}

}  // namespace cooperage::elements
