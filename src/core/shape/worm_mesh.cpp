// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/worm_mesh.h"

#include <cmath>
#include <map>

#include "base/index.h"
#include "shape/shell.h"

namespace cooperage::shape {
namespace {

using elements::GearProfile;
using Kind = GearProfile::Kind;

/// A place of the axial section: distance from the axis, height.
struct Axial {
  double r, z;
};
/// Half of it, from the middle of the space to that of the tooth, by the angle f about the axis that a place of the
/// transverse section has to turn: z = -f / w.
std::vector<Axial> halfSection(const GearProfile& profile, double turn, double columnStep, double deflection) {
  std::vector<Axial> out;
  const double rb = profile.size().baseRadius, w = std::abs(turn);
  for (const auto& part : profile.parts()) {
    int n = 1;  // circles are straight here
    if (part.kind == Kind::involute) {
      // r = rb sqrt(1 + t^2), f = const - (t - atan t)
      const double d = std::abs(part.to - part.from);
      for (bool enough = false; !enough; n += 1 + n / 8) {
        enough = true;
        for (int i = 0; i < n && enough; ++i) {
          const double low = std::min(part.from, part.to) + d * i / n, high = low + d / n, h = d / n;
          const double r1 = rb * high / std::hypot(1, high);    // rises with t
          const double r2 = rb / std::pow(1 + low * low, 1.5);  // falls
          const double z2 = std::min(2 * high, 0.65) / w;       // 2 t / (1 + t^2)^2 is 0.6495 at most
          enough = h * h * std::hypot(r2, z2) + 2 * h * columnStep * r1 <= 4 * deflection;
        }
        if (enough) break;
      }
    } else if (part.kind == Kind::fillet) {
      return {};  // a worm has none
    }
    for (int i = 0; i <= n; ++i) {
      const auto p = profile.at(part, static_cast<double>(i) / n).at;
      const Axial a{p.norm(), -std::atan2(p.y(), p.x()) / w};
      if (!out.empty() && std::hypot(out.back().r - a.r, out.back().z - a.z) < 1e-12) continue;
      if (i == 0 && !out.empty()) {
        // a root circle below the base circle: straight to where the flank begins, but twisted
        const Axial last = out.back();
        const int steps = static_cast<int>(std::ceil(std::abs(a.r - last.r) * columnStep / (2 * deflection)));
        for (int k = 1; k < steps; ++k) {
          const double share = static_cast<double>(k) / steps;
          out.push_back({last.r + share * (a.r - last.r), last.z + share * (a.z - last.z)});
        }
      }
      out.push_back(a);
    }
  }
  return out;
}

/// What of a surface lies between two planes square to z; the cuts are chained to outlines.
class Cutter {
 public:
  Cutter(Shell& shell, double half) : shell_(shell), half_(half) {}

  void triangle(int a, int b, int c) {
    std::vector<int> p{a, b, c};
    for (const int side : {0, 1}) {
      p = cut(p, side);
      if (p.size() < 3) return;
    }
    for (std::size_t i = 1; i + 1 < p.size(); ++i) shell_.triangle(p[0], p[i], p[i + 1]);
  }
  /// The one outline in a plane, in the sense in which its triangles run; none if it isn't one.
  std::optional<int> outline(int side) {
    auto& next = next_[side];
    if (next.empty()) return {};
    std::vector<int> corners;
    const int first = next.begin()->first;
    for (int at = first; corners.empty() || at != first;) {
      corners.push_back(at);
      const auto it = next.find(at);
      if (it == next.end() || corners.size() > next.size()) return {};
      at = it->second;
    }
    if (corners.size() != next.size()) return {};
    return shell_.put(std::move(corners));
  }

 private:
  bool in(int v, int side) const { return side == 0 ? shell_.at(v).z() > -half_ : shell_.at(v).z() < half_; }
  int between(int a, int b, int side) {
    const auto key = std::minmax({a, b});
    const auto it = made_[side].find(key);
    if (it != made_[side].end()) return it->second;
    const Vec3 p = shell_.at(key.first), q = shell_.at(key.second);
    const double z = side == 0 ? -half_ : half_, t = (z - p.z()) / (q.z() - p.z());
    Vec3 x = p + t * (q - p);
    x.z() = z;
    const int v = shell_.corner(x);
    made_[side][key] = v;
    return v;
  }
  std::vector<int> cut(const std::vector<int>& p, int side) {
    std::vector<int> out;
    int leaves = -1, enters = -1;
    for (std::size_t i = 0; i < p.size(); ++i) {
      const int a = p[i], b = p[(i + 1) % p.size()];
      if (in(a, side)) out.push_back(a);
      if (in(a, side) == in(b, side)) continue;
      out.push_back(between(a, b, side));
      (in(a, side) ? leaves : enters) = out.back();
    }
    if (leaves >= 0) next_[side][enters] = leaves;  // the lid runs along the cut the other way
    return out;
  }
  Shell& shell_;
  double half_;
  std::map<std::pair<int, int>, int> made_[2];
  std::map<int, int> next_[2];
};

}  // namespace

std::optional<Mesh> wormMesh(const elements::GearSpec& g, double bore, double deflection) {
  const GearProfile profile(g);
  const double tip = profile.size().tipRadius, root = profile.size().rootRadius;
  const double turn = std::tan(g.helix) / profile.size().pitchRadius, half = 0.5 * g.width;
  if (bore > root - 2 * deflection) return {};
  // half of the deflection for the round, half for the flank with its twist
  constexpr double kMostColumns = 20000;
  const double columns = std::ceil(2 * kPi / std::sqrt(4 * deflection / tip));
  if (!(columns < kMostColumns)) return {};
  const int n = std::max(12, static_cast<int>(columns));
  auto section = halfSection(profile, turn, 2 * kPi / n, deflection);
  if (section.size() < 3) return {};
  for (std::size_t i = section.size() - 1; i-- > 1;) section.push_back({section[i].r, -section[i].z});
  const int points = static_cast<int>(section.size());
  const double pitch = 2 * kPi / (g.teeth * std::abs(turn)), lead = g.teeth * pitch;
  const int hand = turn > 0 ? 1 : -1;

  Shell shell;
  Cutter cutter(shell, half);
  std::map<std::pair<int, int>, int> known;
  // after a whole turn the surface has gone on by one lead
  const std::function<int(int, int)> corner = [&](int i, int k) {
    if (k == n) return corner(i + hand * g.teeth * points, 0);
    const auto [it, fresh] = known.try_emplace({i, k}, 0);
    if (fresh) {
      const int tooth = i >= 0 ? i / points : -((-i + points - 1) / points);
      const Axial& a = section[u(i - tooth * points)];
      const double f = 2 * kPi * k / n;
      it->second = shell.corner({a.r * std::cos(f), a.r * std::sin(f), a.z + tooth * pitch + hand * lead * k / n});
    }
    return it->second;
  };
  const int reach = static_cast<int>(std::ceil((half + lead) / pitch)) + 2;
  for (int k = 0; k < n; ++k)
    for (int i = -reach * points; i < reach * points; ++i) {
      const double low = (i < 0 ? -((-i + points - 1) / points) : i / points) * pitch - 0.5 * pitch,
                   rise = hand * lead * k / n;
      if (low + rise > half + pitch || low + rise < -half - 2 * pitch) continue;
      const int a = corner(i, k), b = corner(i, k + 1), c = corner(i + 1, k + 1), d = corner(i + 1, k);
      cutter.triangle(a, b, c);
      cutter.triangle(a, c, d);
    }
  const auto low = cutter.outline(0), high = cutter.outline(1);
  if (!low || !high) return {};
  std::vector<int> below, above;
  if (bore > 0) {
    Loop circle;
    const int m = std::max(12, static_cast<int>(std::ceil(2 * kPi / std::sqrt(8 * deflection / bore))));
    for (int i = 0; i < m; ++i) circle.emplace_back(bore * std::cos(2 * kPi * i / m), bore * std::sin(2 * kPi * i / m));
    below.push_back(shell.put(circle, -half));
    above.push_back(shell.put(circle, half));
    shell.wall(below[0], above[0], true);
  }
  if (!shell.lid(*low, below, false) || !shell.lid(*high, above, true)) return {};
  return shell.take();
}

}  // namespace cooperage::shape
