// SPDX-License-Identifier: GPL-3.0-or-later
// Chains of lines, arcs and splines as one curve over the arc length.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "curves/curve.h"
#include "base/numeric.h"
#include "curves/table.h"

namespace cooperage::curves {
namespace {

using Vec2 = Eigen::Vector2d;
Vec3 flat(const Vec2& v) { return {v.x(), v.y(), 0}; }

/// One piece over its own arc length, from 0 to length.
struct Part {
  Piece::Kind kind;
  double length = 0;
  Vec2 from, direction, centre;             // line; arc
  double radius = 0, angle = 0, sense = 1;  // arc
  std::vector<double> t;                    // spline: parameter at the points (chord length)
  std::vector<Vec2> x, slope;               // points and their slopes
  std::vector<double> lengths;              // arc length at the points
  std::function<CurvePoint(double)> own;    // general: by its own parameter

  CurvePoint spline(double p) const {  // by its own parameter
    if (own) return own(p);
    const auto it = std::upper_bound(t.begin(), t.end(), p);
    const std::size_t i = std::clamp<std::size_t>(static_cast<std::size_t>(it - t.begin()), 1, t.size() - 1) - 1;
    const double h = t[i + 1] - t[i], r = p - t[i];
    const Vec2 chord = (x[i + 1] - x[i]) / h;
    const Vec2 c2 = (3 * chord - 2 * slope[i] - slope[i + 1]) / h, c3 = (slope[i] + slope[i + 1] - 2 * chord) / (h * h);
    return {flat(x[i] + r * (slope[i] + r * (c2 + r * c3))), flat(slope[i] + r * (2 * c2 + 3 * r * c3)),
            flat(2 * c2 + 6 * r * c3), flat(6 * c3), Vec3::Zero()};
  }
  double splineLength(double a, double b) const {
    return gauss5(a, b, 4, [this](double p) { return spline(p)[1].norm(); });
  }

  CurvePoint at(double s) const {
    if (kind == Piece::Kind::line)
      return {flat(from + s * direction), flat(direction), Vec3::Zero(), Vec3::Zero(), Vec3::Zero()};
    if (kind == Piece::Kind::arc) {
      const double a = angle + sense * s / radius, k = sense / radius;
      const Vec3 out = flat(radius * Vec2(std::cos(a), std::sin(a)));
      const Vec3 across(-out.y(), out.x(), 0);
      return {flat(centre) + out, k * across, -k * k * out, -k * k * k * across, k * k * k * k * out};
    }
    // spline: its parameter as a function of the arc length, by Newton; derivatives by the chain rule
    const auto it = std::upper_bound(lengths.begin(), lengths.end(), s);
    const std::size_t i =
        std::clamp<std::size_t>(static_cast<std::size_t>(it - lengths.begin()), 1, lengths.size() - 1) - 1;
    double p = t[i] + (t[i + 1] - t[i]) * (s - lengths[i]) / (lengths[i + 1] - lengths[i]);
    for (int k = 0; k < 12; ++k) {
      const double miss = lengths[i] + splineLength(t[i], p) - s;
      p -= miss / spline(p)[1].norm();
      if (std::abs(miss) < 1e-15 * length) break;
    }
    const CurvePoint c = spline(p);
    const Jet x1(c[1].x(), c[2].x(), c[3].x(), c[4].x()), y1(c[1].y(), c[2].y(), c[3].y(), c[4].y());
    const Jet b = reciprocal(sqrt(x1 * x1 + y1 * y1));  // dp/ds as a jet of p
    const double p1 = b.v, p2 = b.d1 * p1, p3 = b.d2 * p1 * p1 + b.d1 * p2;
    const double p4 = b.d3 * p1 * p1 * p1 + 3 * b.d2 * p1 * p2 + b.d1 * p3;
    return {c[0], c[1] * p1, c[2] * p1 * p1 + c[1] * p2, c[3] * p1 * p1 * p1 + 3 * c[2] * p1 * p2 + c[1] * p3,
            c[4] * p1 * p1 * p1 * p1 + 6 * c[3] * p1 * p1 * p2 + c[2] * (3 * p2 * p2 + 4 * p1 * p3) + c[1] * p4};
  }
  Vec2 start() const { return at(0)[0].head<2>(); }
  Vec2 end() const { return at(length)[0].head<2>(); }
};

class Chain final : public Curve {
 public:
  Chain(std::vector<Part> parts, bool closed) : parts_(std::move(parts)) {
    closed_ = closed;
    double s = 0;
    for (const Part& p : parts_) {
      corners_.push_back(s);
      s += p.length;
    }
    high_ = s;
    measure();
  }
  CurvePoint at(double u) const override {
    double past = 0;
    if (closed_)
      u -= std::floor(u / high_) * high_;
    else
      past = u - std::clamp(u, low_, high_);
    u = std::clamp(u, low_, high_);
    const auto it = std::upper_bound(corners_.begin(), corners_.end(), u);
    const std::size_t i = static_cast<std::size_t>(it - corners_.begin()) - 1;
    CurvePoint p = parts_[i].at(u - corners_[i]);
    if (past != 0) {
      p[0] += past * p[1];
      p[2] = p[3] = p[4] = Vec3::Zero();
    }
    return p;
  }

 private:
  std::vector<Part> parts_;
};

std::string place(const Vec2& p) { return fmt::format("({:.6g}, {:.6g}) mm", p.x() * 1e3, p.y() * 1e3); }

}  // namespace

Result<CurvePtr> chain(const std::vector<Piece>& pieces, bool closed, const std::string& name, double kinks,
                       std::vector<std::string>* remarks) {
  const auto wrong = [&](const std::string& text) { return Error{"curve", name, "curve " + name + ": " + text}; };
  if (pieces.empty()) return wrong("it has no pieces");
  std::vector<Part> parts;
  for (std::size_t i = 0; i < pieces.size(); ++i) {
    const Piece& p = pieces[i];
    Part part{p.kind, 0, {}, {}, p.centre, 0, 0, 1, {}, {}, {}, {}, p.own};
    if (p.kind == Piece::Kind::general) {
      part.t = p.breaks;
      parts.push_back(std::move(part));
      continue;
    }
    if (p.points.size() < 2) return wrong(fmt::format("piece {} needs two points", i + 1));
    for (std::size_t k = 1; k < p.points.size(); ++k)
      if (!((p.points[k] - p.points[k - 1]).norm() > 1e-12))
        return wrong(fmt::format("piece {} has two equal points at {}", i + 1, place(p.points[k])));
    const Vec2 a = p.points.front(), b = p.points.back();
    part.from = a;
    if (p.kind == Piece::Kind::line) {
      part.length = (b - a).norm();
      part.direction = (b - a) / part.length;
    } else if (p.kind == Piece::Kind::arc) {
      const double ra = (a - p.centre).norm(), rb = (b - p.centre).norm();
      if (!(ra > 0) || std::abs(ra - rb) > 1e-6 * std::max(ra, rb))
        return wrong(
            fmt::format("the ends of arc {} are {:.6g} and {:.6g} mm from its centre", i + 1, ra * 1e3, rb * 1e3));
      part.radius = 0.5 * (ra + rb);
      part.sense = p.ccw ? 1 : -1;
      part.angle = std::atan2(a.y() - p.centre.y(), a.x() - p.centre.x());
      double turn = part.sense * (std::atan2(b.y() - p.centre.y(), b.x() - p.centre.x()) - part.angle);
      while (turn <= 1e-12) turn += 2 * kPi;
      part.length = part.radius * turn;
    } else {
      part.x = p.points;
      part.t.assign(1, 0);
      for (std::size_t k = 1; k < p.points.size(); ++k)
        part.t.push_back(part.t.back() + (p.points[k] - p.points[k - 1]).norm());
    }
    parts.push_back(std::move(part));
  }
  const std::size_t n = parts.size();
  // slopes of the splines from their neighbours
  const auto slopeAt = [&](std::size_t i, bool atEnd) -> std::optional<Vec2> {
    const Part& p = parts[i];
    if (p.kind == Piece::Kind::spline) return std::nullopt;
    if (p.kind == Piece::Kind::general) return Vec2(p.own(atEnd ? p.t.back() : p.t.front())[1].head<2>().normalized());
    return Vec2(p.at(atEnd ? p.length : 0)[1].head<2>());
  };
  for (std::size_t i = 0; i < n; ++i) {
    Part& p = parts[i];
    if (p.kind != Piece::Kind::spline && p.kind != Piece::Kind::general) continue;
    if (p.kind == Piece::Kind::spline) {
      std::optional<Vec2> first, last;
      if (i > 0 || closed) first = slopeAt((i + n - 1) % n, true);
      if (i + 1 < n || closed) last = slopeAt((i + 1) % n, false);
      const bool periodic = closed && n == 1 && p.x.size() > 3;
      p.slope = cubicSlopes(p.t, p.x, first ? &*first : nullptr, last ? &*last : nullptr, periodic);
    }
    p.lengths.assign(1, 0);
    for (std::size_t k = 1; k < p.t.size(); ++k)
      p.lengths.push_back(p.lengths.back() + p.splineLength(p.t[k - 1], p.t[k]));
    p.length = p.lengths.back();
  }
  double whole = 0;
  for (const Part& p : parts) whole += p.length;
  for (std::size_t i = 0; i < n; ++i) {
    if (i + 1 == n && !closed) break;
    const Part &a = parts[i], &b = parts[(i + 1) % n];
    const double gap = (a.end() - b.start()).norm();
    if (gap > 1e-6 * whole)
      return wrong(fmt::format("a gap of {:.6g} mm after piece {} at {}", gap * 1e3, i + 1, place(a.end())));
    const Vec3 u = a.at(a.length)[1], v = b.at(0)[1];
    const double kink = std::atan2(u.cross(v).norm(), u.dot(v));
    if (kink <= 1e-4) continue;
    const std::string text = fmt::format("a kink of {:.4g} degrees after piece {} at {}; the pieces should be tangent",
                                         kink * 180 / kPi, i + 1, place(a.end()));
    if (kink > kinks) return wrong(text);
    if (remarks) remarks->push_back("curve " + name + ": " + text);
  }
  return CurvePtr(std::make_shared<const Chain>(std::move(parts), closed));
}

}  // namespace cooperage::curves
