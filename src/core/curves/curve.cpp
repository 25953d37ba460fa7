// SPDX-License-Identifier: GPL-3.0-or-later
#include "curves/curve.h"

#include <algorithm>
#include <cmath>

#include "base/numeric.h"

namespace cooperage::curves {

namespace {
constexpr int kPanels = 256;  // of the tables; Gauss-Legendre makes the length exact to rounding on smooth panels

double panelLength(const Curve& c, double a, double b) {
  return gauss5(a, b, [&](double u) { return c.at(u)[1].norm(); });
}

/// x' and y' as jets of u.
std::pair<Jet, Jet> slope(const CurvePoint& p) {
  return {Jet(p[1].x(), p[2].x(), p[3].x(), p[4].x()), Jet(p[1].y(), p[2].y(), p[3].y(), p[4].y())};
}
}  // namespace

void Curve::measure() {
  knots_.clear();
  for (int i = 0; i <= kPanels; ++i) knots_.push_back(low_ + (high_ - low_) * i / kPanels);
  knots_.insert(knots_.end(), corners_.begin(), corners_.end());
  std::sort(knots_.begin(), knots_.end());
  knots_.erase(std::unique(knots_.begin(), knots_.end()), knots_.end());
  lengths_.assign(1, 0);
  double area = 0;
  for (std::size_t i = 1; i < knots_.size(); ++i) {
    lengths_.push_back(lengths_.back() + panelLength(*this, knots_[i - 1], knots_[i]));
    const Vec3 a = at(knots_[i - 1])[0], b = at(knots_[i])[0];
    area += 0.5 * (a.x() * b.y() - a.y() * b.x());
  }
  winding_ = area < 0 ? -1 : 1;
}

double Curve::lengthTo(double u) const {
  double rounds = 0;
  const double period = high_ - low_;
  if (closed_) {
    rounds = std::floor((u - low_) / period);
    u -= rounds * period;
  } else if (u > high_) {
    return lengths_.back() + (u - high_) * at(high_)[1].norm();
  } else if (u < low_) {
    return (u - low_) * at(low_)[1].norm();
  }
  const auto it = std::upper_bound(knots_.begin(), knots_.end(), u);
  const std::size_t i = it == knots_.begin() ? 0 : static_cast<std::size_t>(it - knots_.begin()) - 1;
  return rounds * lengths_.back() + lengths_[i] + panelLength(*this, knots_[i], u);
}

double Curve::atLength(double s) const {
  const double whole = lengths_.back(), period = high_ - low_;
  const double rounds = closed_ ? std::floor(s / whole) : 0;
  const double rest = s - rounds * whole;
  auto it = std::upper_bound(lengths_.begin(), lengths_.end(), rest);
  std::size_t i = it == lengths_.begin() ? 0 : static_cast<std::size_t>(it - lengths_.begin()) - 1;
  i = std::min(i, knots_.size() - 2);
  double u = knots_[i] + (knots_[i + 1] - knots_[i]) * (rest - lengths_[i]) / (lengths_[i + 1] - lengths_[i]);
  for (int k = 0; k < 20; ++k) {
    const double speed = at(u)[1].norm(), miss = lengthTo(u) - rest;
    if (!(speed > 0)) break;
    u -= miss / speed;
    if (std::abs(miss) < 1e-15 * whole) break;
  }
  return u + rounds * period;
}

double Curve::nearest(const Vec3& x) const {
  double best = low_, least = 1e300;
  for (double u : knots_) {
    const double d = (at(u)[0] - x).squaredNorm();
    if (d < least) {
      least = d;
      best = u;
    }
  }
  double u = best;  // Newton on the distance's derivative, kept if it comes nearer
  for (int k = 0; k < 30; ++k) {
    const CurvePoint p = at(u);
    const Vec3 d = p[0] - x;
    const double slopeOf = d.dot(p[1]);
    double bend = p[1].squaredNorm() + d.dot(p[2]);
    if (!(bend > 0)) bend = p[1].squaredNorm();
    double next = u - slopeOf / bend;
    if (!closed_) next = std::clamp(next, low_, high_);
    if (!std::isfinite(next) || std::abs(next - u) < 1e-16 * (high_ - low_)) break;
    u = next;
  }
  return (at(u)[0] - x).squaredNorm() <= least ? u : best;
}

double Curve::farthest(const Vec3& direction) const {
  double best = low_, most = -1e300;
  for (double u : knots_) {
    const double d = at(u)[0].dot(direction);
    if (d > most) {
      most = d;
      best = u;
    }
  }
  double u = best;
  for (int k = 0; k < 30; ++k) {
    const CurvePoint p = at(u);
    const double bend = p[2].dot(direction);
    if (!(bend < 0)) break;
    double next = u - p[1].dot(direction) / bend;
    if (!closed_) next = std::clamp(next, low_, high_);
    if (!std::isfinite(next) || std::abs(next - u) < 1e-16 * (high_ - low_)) break;
    u = next;
  }
  return at(u)[0].dot(direction) >= most ? u : best;
}

ScalarJet Curve::tangent(double u) const {
  const auto [x, y] = slope(at(u));
  const Jet a = atan2(y, x);
  return {a.v, a.d1, a.d2, a.d3};
}

double Curve::curvature(double u) const {
  const CurvePoint p = at(u);
  const double speed = std::hypot(p[1].x(), p[1].y());
  return (p[1].x() * p[2].y() - p[1].y() * p[2].x()) / (speed * speed * speed);
}

namespace {

class Circle final : public Curve {
 public:
  Circle(const Eigen::Vector2d& centre, double radius) : centre_(centre.x(), centre.y(), 0), r_(radius) {
    high_ = 2 * kPi;
    closed_ = true;
    measure();
  }
  CurvePoint at(double u) const override {
    const Vec3 a(r_ * std::cos(u), r_ * std::sin(u), 0), b(-a.y(), a.x(), 0);
    return {centre_ + a, b, -a, -b, a};
  }

 private:
  Vec3 centre_;
  double r_;
};

class Formula final : public Curve {
 public:
  explicit Formula(FormulaParts parts) : parts_(std::move(parts)) {
    low_ = parts_.low;
    high_ = parts_.high;
    const double gap = (at(low_)[0] - at(high_)[0]).norm(), bend = (at(low_)[1] - at(high_)[1]).norm();
    closed_ = gap < 1e-9 && bend < 1e-6 * at(low_)[1].norm();
    measure();
  }
  CurvePoint at(double u) const override {
    if (closed_) u -= std::floor((u - low_) / (high_ - low_)) * (high_ - low_);
    const double inside = closed_ ? u : std::clamp(u, low_, high_);
    CurvePoint p = raw(inside);
    // formulas give three orders exactly; the fourth, which only a jerk over an offset needs, from the third's slope
    const double h = 1e-4 * (high_ - low_);
    p[4] = (raw(inside + h)[3] - raw(inside - h)[3]) / (2 * h);
    if (inside != u) {
      p[0] += p[1] * (u - inside);
      p[2] = p[3] = p[4] = Vec3::Zero();
    }
    return p;
  }

 private:
  CurvePoint raw(double u) const {
    CurvePoint p;
    for (Vec3& v : p) v.setZero();
    for (int k = 0; k < 3; ++k) {
      const auto& part = parts_.parts[static_cast<std::size_t>(k)];
      if (!part) {
        p[0][k] = parts_.constants[static_cast<std::size_t>(k)];
        continue;
      }
      const Jet j =
          part->jet([&](const Symbol& s) { return s.id == 0 && s.member == "u" ? Jet(u, 1, 0, 0) : parts_.lookup(s); });
      const double scale = parts_.constants[static_cast<std::size_t>(k)];  // document units of a formula without units
      p[0][k] = scale * j.v;
      p[1][k] = scale * j.d1;
      p[2][k] = scale * j.d2;
      p[3][k] = scale * j.d3;
    }
    return p;
  }
  FormulaParts parts_;
};

class Offset final : public Curve {
 public:
  Offset(CurvePtr base, double distance) : base_(std::move(base)), d_(distance) {
    low_ = base_->low();
    high_ = base_->high();
    closed_ = base_->closed();
    corners_ = base_->corners();
    measure();
  }
  CurvePoint at(double u) const override {
    CurvePoint p = base_->at(u);
    const auto [x, y] = slope(p);
    const Jet speed = sqrt(x * x + y * y);
    const Jet nx = -(y / speed), ny = x / speed;
    const auto add = [&](std::size_t n, double a, double b) { p[n] += d_ * Vec3(a, b, 0); };
    add(0, nx.v, ny.v);
    add(1, nx.d1, ny.d1);
    add(2, nx.d2, ny.d2);
    add(3, nx.d3, ny.d3);
    p[4].setZero();
    return p;
  }
  const CurvePtr& base() const { return base_; }
  double distance() const { return d_; }

 private:
  CurvePtr base_;
  double d_;
};

}  // namespace

CurvePtr circle(const Eigen::Vector2d& centre, double radius) { return std::make_shared<const Circle>(centre, radius); }
CurvePtr formula(FormulaParts parts) { return std::make_shared<const Formula>(std::move(parts)); }
CurvePtr offset(CurvePtr base, double distance) {
  if (const auto* twice = dynamic_cast<const Offset*>(base.get())) {
    distance += twice->distance();
    base = twice->base();
  }
  if (std::abs(distance) < 1e-15) return base;
  return std::make_shared<const Offset>(std::move(base), distance);
}

PoseJet contactFrame(const Curve& curve, double u) {
  PoseJet g = turnJet(2, curve.tangent(u));
  const CurvePoint p = curve.at(u);
  for (std::size_t n = 0; n < 4; ++n) g.p[n] = p[n];
  return g;
}

Rolling::Rolling(CurvePtr first, CurvePtr second, double u0, double w0, double sign)
    : first_(std::move(first)),
      second_(std::move(second)),
      u0_(u0),
      s0_(first_->lengthTo(u0)),
      t0_(second_->lengthTo(w0)),
      sign_(sign) {}

double Rolling::partner(double u) const { return second_->atLength(t0_ + sign_ * (first_->lengthTo(u) - s0_)); }

PoseJet Rolling::at(double u) const {
  const double w = partner(u);
  // dw/du = sign |C1'(u)| / |C2'(w)|, with both speeds as jets of their own parameter
  const auto [x1, y1] = slope(first_->at(u));
  const auto [x2, y2] = slope(second_->at(w));
  const Jet a = sqrt(x1 * x1 + y1 * y1), b = reciprocal(sqrt(x2 * x2 + y2 * y2));
  const double w1 = sign_ * a.v * b.v;
  const double w2 = sign_ * (a.d1 * b.v + a.v * b.d1 * w1);
  const double w3 = sign_ * (a.d2 * b.v + 2 * a.d1 * b.d1 * w1 + a.v * (b.d2 * w1 * w1 + b.d1 * w2));
  PoseJet second = along(contactFrame(*second_, w), {w, w1, w2, w3});
  if (sign_ < 0) second = second * Pose{rotationAbout(2, kPi), Vec3::Zero()};
  return contactFrame(*first_, u) * inverse(second);
}

}  // namespace cooperage::curves
