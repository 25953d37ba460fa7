// SPDX-License-Identifier: GPL-3.0-or-later
#include "contact/outline.h"

#include <algorithm>
#include <cmath>

#include "base/geometry.h"
#include "base/index.h"

namespace cooperage::contact {
namespace {

constexpr double kTangent = 1e-7;  // rad: a joint of two pieces that turns less is no corner

bool isArc(const Piece& p) { return p.radius > 0; }
bool isCircle(const Piece& p) { return isArc(p) && (p.to - p.from).norm() < 1e-12; }

/// Angle that an arc sweeps, positive counter-clockwise.
double sweepOf(const Piece& p) {
  if (isCircle(p)) return p.ccw ? 2 * kPi : -2 * kPi;
  const Vec2 a = p.from - p.centre, b = p.to - p.centre;
  double s = std::atan2(cross(a, b), a.dot(b));
  if (p.ccw && s <= 0) s += 2 * kPi;
  if (!p.ccw && s >= 0) s -= 2 * kPi;
  return s;
}
Vec2 turned(const Vec2& v, double angle) {
  const double c = std::cos(angle), s = std::sin(angle);
  return {c * v.x() - s * v.y(), s * v.x() + c * v.y()};
}
Vec2 startTangent(const Piece& p) {
  if (!isArc(p)) return (p.to - p.from).normalized();
  const Vec2 r = (p.from - p.centre).normalized();
  return p.ccw ? left(r) : Vec2(-left(r));
}
Vec2 endTangent(const Piece& p) {
  if (!isArc(p)) return (p.to - p.from).normalized();
  const Vec2 r = (p.to - p.centre).normalized();
  return p.ccw ? left(r) : Vec2(-left(r));
}

double distanceTo(const Piece& p, const Vec2& x) {
  if (!isArc(p)) {
    const Vec2 d = p.to - p.from;
    const double s = std::clamp((x - p.from).dot(d) / d.squaredNorm(), 0.0, 1.0);
    return (x - p.from - s * d).norm();
  }
  const Vec2 r = x - p.centre;
  const double sweep = sweepOf(p);
  const Vec2 a = p.from - p.centre;
  double at = std::atan2(cross(a, r), a.dot(r));
  if (sweep > 0 && at < 0) at += 2 * kPi;
  if (sweep < 0 && at > 0) at -= 2 * kPi;
  if (isCircle(p) || std::abs(at) <= std::abs(sweep)) return std::abs(r.norm() - p.radius);
  return std::min((x - p.from).norm(), (x - p.to).norm());
}

/// Angle that the direction to a piece sweeps as seen from a point.
double seenFrom(const Piece& p, const Vec2& x) {
  const auto chord = [&](const Vec2& a, const Vec2& b) {
    const Vec2 u = a - x, v = b - x;
    return std::atan2(cross(u, v), u.dot(v));
  };
  if (!isArc(p)) return chord(p.from, p.to);
  if (isCircle(p)) return (x - p.centre).norm() < p.radius ? (p.ccw ? 2 * kPi : -2 * kPi) : 0;
  // in parts of less than a third of a turn: a part and its chord differ by a whole turn between them
  const double sweep = sweepOf(p);
  const int n = static_cast<int>(std::ceil(std::abs(sweep) / 2.0));
  double sum = 0;
  Vec2 a = p.from;
  for (int k = 1; k <= n; ++k) {
    const Vec2 b = k == n ? p.to : Vec2(p.centre + turned(p.from - p.centre, sweep * k / n));
    sum += chord(a, b);
    const double side = cross(b - a, x - a);  // beyond the chord, within the circle: between chord and arc
    if (side * sweep < 0 && (x - p.centre).norm() < p.radius) sum += sweep > 0 ? 2 * kPi : -2 * kPi;
    a = b;
  }
  return sum;
}

}  // namespace

Outline::Outline(std::vector<Loop> loops) : loops_(std::move(loops)) {
  makeFeatures();
  measure();
}

void Outline::makeFeatures() {
  int run = 0;
  for (const Loop& loop : loops_) {
    const std::size_t firstOfLoop = features_.size();
    const int firstRun = ++run;
    bool closesSmoothly = false;
    for (std::size_t i = 0; i < loop.size(); ++i) {
      const Piece& p = loop[i];
      Feature f;
      f.run = run;
      if (!isArc(p)) {
        f.kind = Feature::Kind::side;
        f.at = p.from;
        f.length = (p.to - p.from).norm();
        f.along = (p.to - p.from) / f.length;
        f.normal = -left(f.along);
        f.boundAt = 0.5 * (p.from + p.to);
        f.bound = 0.5 * f.length;
      } else {
        const double sweep = sweepOf(p);
        f.kind = p.ccw ? Feature::Kind::round : Feature::Kind::hollow;
        f.at = p.centre;
        f.radius = p.radius;
        f.half = std::min(kPi, 0.5 * std::abs(sweep));
        f.normal = turned((p.from - p.centre).normalized(), 0.5 * sweep);
        if (f.half >= 0.5 * kPi) {
          f.boundAt = p.centre;
          f.bound = p.radius;
        } else {
          f.boundAt = 0.5 * (p.from + p.to);
          f.bound = (p.from - f.boundAt).norm();
          f.boundAt = p.centre + p.radius * std::cos(f.half) * f.normal;
          f.bound = std::max(f.bound, p.radius * (1 - std::cos(f.half)));
        }
      }
      f.cosHalf = std::cos(f.half);
      features_.push_back(f);
      if (isCircle(p)) continue;
      const Piece& next = loop[(i + 1) % loop.size()];
      const Vec2 in = endTangent(p), out = startTangent(next);
      const double turn = std::atan2(cross(in, out), in.dot(out));
      closesSmoothly = std::abs(turn) <= kTangent;
      if (closesSmoothly) continue;
      ++run;
      Feature corner;
      corner.run = run++;
      corner.kind = turn > 0 ? Feature::Kind::round : Feature::Kind::notch;
      corner.at = p.to;
      corner.half = 0.5 * std::abs(turn);
      corner.cosHalf = std::cos(corner.half);
      corner.normal = turned(turn > 0 ? Vec2(-left(in)) : left(in), 0.5 * turn);
      corner.boundAt = p.to;
      features_.push_back(corner);
    }
    if (closesSmoothly)  // the last piece goes on into the first
      for (std::size_t k = firstOfLoop; k < features_.size(); ++k)
        if (features_[k].run == run) features_[k].run = firstRun;
  }
  if (features_.empty()) return;
  low_ = high_ = features_[0].boundAt;
  for (const Feature& f : features_) {
    low_ = low_.cwiseMin(f.boundAt - Vec2::Constant(f.bound));
    high_ = high_.cwiseMax(f.boundAt + Vec2::Constant(f.bound));
  }
  constexpr std::size_t kFew = 48;
  if (features_.size() <= kFew) return;
  cell_ = (high_ - low_).maxCoeff() / 40;
  columns_ = static_cast<int>((high_.x() - low_.x()) / cell_) + 1;
  rows_ = static_cast<int>((high_.y() - low_.y()) / cell_) + 1;
  cells_.resize(u(columns_ * rows_));
  for (std::size_t i = 0; i < features_.size(); ++i) {
    const Feature& f = features_[i];
    const auto span = [&](double at, double from, int n) {
      const auto to = [&](double x) { return std::clamp(static_cast<int>((x - from) / cell_), 0, n - 1); };
      return std::pair<int, int>{to(at - f.bound), to(at + f.bound)};
    };
    const auto [x0, x1] = span(f.boundAt.x(), low_.x(), columns_);
    const auto [y0, y1] = span(f.boundAt.y(), low_.y(), rows_);
    for (int y = y0; y <= y1; ++y)
      for (int x = x0; x <= x1; ++x) cells_[u(y * columns_ + x)].push_back(static_cast<int>(i));
  }
}

void Outline::near(const Vec2& at, double reach, std::vector<int>& out) const {
  out.clear();
  const auto take = [&](int i) {
    const Feature& f = features_[u(i)];
    const double r = reach + f.bound;
    if ((f.boundAt - at).squaredNorm() <= r * r) out.push_back(i);
  };
  const auto takeAll = [&] {
    for (std::size_t i = 0; i < features_.size(); ++i) take(static_cast<int>(i));
  };
  if (cells_.empty()) return takeAll();
  const auto to = [&](double x, double from, int n) {
    return std::clamp(static_cast<int>(std::floor((x - from) / cell_)), 0, n - 1);
  };
  if (at.x() + reach < low_.x() || at.y() + reach < low_.y() || at.x() - reach > high_.x() ||
      at.y() - reach > high_.y())
    return;
  const int x0 = to(at.x() - reach, low_.x(), columns_), x1 = to(at.x() + reach, low_.x(), columns_);
  const int y0 = to(at.y() - reach, low_.y(), rows_), y1 = to(at.y() + reach, low_.y(), rows_);
  if (4 * u((x1 - x0 + 1) * (y1 - y0 + 1)) > features_.size()) return takeAll();  // quicker than by the cells
  for (int y = y0; y <= y1; ++y)
    for (int x = x0; x <= x1; ++x)
      for (const int i : cells_[u(y * columns_ + x)]) take(i);
  std::sort(out.begin(), out.end());
  out.erase(std::unique(out.begin(), out.end()), out.end());
}

double Outline::reachFrom(const Vec2& place) const {
  double most = 0;
  for (const Loop& loop : loops_)
    for (const Piece& p : loop) {
      most = std::max({most, (p.from - place).norm(), (p.to - place).norm()});
      if (isArc(p)) most = std::max(most, (p.centre - place).norm() + p.radius);
    }
  return most;
}

bool Outline::isInside(const Vec2& x) const {
  double sum = 0;
  for (const Loop& loop : loops_)
    for (const Piece& p : loop) sum += seenFrom(p, x);
  return sum > kPi;
}

double Outline::signedWithin(const Vec2& x, double reach, std::vector<int>& work) const {
  constexpr double kEnds = 1e-9;  // rad and of a length: ends belong to both neighbours
  double out = reach;
  near(x, reach, work);
  for (const int i : work) {
    const Feature& f = features_[u(i)];
    const Vec2 r = x - f.at;
    double d = 0;
    if (f.kind == Feature::Kind::side) {
      const double foot = r.dot(f.along);
      if (foot < -kEnds * f.length || foot > (1 + kEnds) * f.length) continue;
      d = r.dot(f.normal);
    } else {
      const double far = r.norm();
      if (far > 0 && f.half < kPi - 1e-12 && std::atan2(std::abs(cross(f.normal, r)), f.normal.dot(r)) > f.half + kEnds)
        continue;
      d = f.kind == Feature::Kind::round ? far - f.radius : f.kind == Feature::Kind::hollow ? f.radius - far : -far;
    }
    if (std::abs(d) < std::abs(out)) out = d;
  }
  return out;
}

double Outline::distanceToBoundary(const Vec2& x) const {
  double least = 1e300;
  for (const Loop& loop : loops_)
    for (const Piece& p : loop) least = std::min(least, distanceTo(p, x));
  return least;
}

/// How far it is from a point of the outline, square to it, through the material to the other side.
double Outline::thicknessAt(const Vec2& x, const Vec2& inward) const {
  double least = 1e300;
  const double skip = 1e-9;
  for (const Loop& loop : loops_)
    for (const Piece& p : loop) {
      if (!isArc(p)) {
        const Vec2 d = p.to - p.from;
        const double det = cross(inward, d);
        if (std::abs(det) < 1e-12 * d.norm()) continue;
        const double s = cross(p.from - x, d) / det, at = cross(p.from - x, inward) / det;
        if (s > skip && at >= 0 && at <= 1) least = std::min(least, s);
      } else {
        const Vec2 r = x - p.centre;
        const double b = r.dot(inward), c = r.squaredNorm() - p.radius * p.radius, disc = b * b - c;
        if (disc <= 0) continue;
        for (const double s : {-b - std::sqrt(disc), -b + std::sqrt(disc)}) {
          if (s <= skip) continue;
          if (distanceTo(p, x + s * inward) < 1e-9) least = std::min(least, s);
        }
      }
    }
  return least;
}

/// Area, centroid and polar moment by Green's theorem: lines exactly, arcs by the segments beyond their chords.
void Outline::measure() {
  double area = 0, polar = 0, segments = 0;
  Vec2 first{0, 0};
  // about a place near by, so that digits are kept
  const Vec2 o = features_.empty() ? Vec2(0, 0) : features_[0].boundAt;
  const auto triangle = [&](const Vec2& a, const Vec2& b) {
    const double s = cross(a, b);
    area += 0.5 * s;
    first += s / 6 * (a + b);
    polar += s / 12 * (a.squaredNorm() + a.dot(b) + b.squaredNorm());
  };
  for (const Loop& loop : loops_)
    for (const Piece& p : loop) {
      if (!isArc(p)) {
        triangle(p.from - o, p.to - o);
        continue;
      }
      const double sweep = sweepOf(p);
      const int n = 2 + static_cast<int>(std::abs(sweep) / 0.02);
      const double part = sweep / n;
      segments += 0.5 * p.radius * p.radius * n * (part - std::sin(part));  // beyond the chords
      Vec2 a = p.from - o;
      for (int k = 1; k <= n; ++k) {
        const Vec2 b = k == n ? Vec2(p.to - o) : Vec2(p.centre - o + turned(p.from - p.centre, sweep * k / n));
        triangle(a, b);
        a = b;
      }
    }
  area_ = std::abs(area + segments);
  if (area_ > 0) {  // weights of a metric, for which chords are near enough
    const Vec2 c = first / area;
    centroid_ = c + o;
    gyration2_ = std::max(0.0, std::abs(polar / area) - c.squaredNorm());
  }
  middle_ = 0.5 * (low_ + high_);
  reach_ = reachFrom(middle_);
  thinnest_ = 1e300;
  for (const Loop& loop : loops_)
    for (const Piece& p : loop) {
      const Vec2 middle =
          isArc(p) ? Vec2(p.centre + turned(p.from - p.centre, 0.5 * sweepOf(p))) : Vec2(0.5 * (p.from + p.to));
      const Vec2 out = isArc(p) ? Vec2((p.ccw ? 1.0 : -1.0) * (middle - p.centre).normalized())
                                : Vec2(-left(p.to - p.from).normalized());
      thinnest_ = std::min(thinnest_, thicknessAt(middle, -out));
    }
  const double extent = (high_ - low_).maxCoeff();
  thinnest_ = std::clamp(thinnest_, 2e-3 * extent, extent);
}

}  // namespace cooperage::contact
