// SPDX-License-Identifier: GPL-3.0-or-later
#include "motion/law.h"

#include <algorithm>
#include <cmath>

#include "base/geometry.h"
#include "curves/table.h"

namespace cooperage::motion {
namespace {

using Piece = Law::Piece;

Piece polynomial(const std::array<double, 8>& c) { return {0, c}; }

/// Puts a move together from pieces of its acceleration, by integrating them one after another.
class FromAcceleration {
 public:
  /// a = constant + amplitude * sin(rate * r + phase) over the next `length`
  void add(double length, double constant, double amplitude = 0, double rate = 1, double phase = 0) {
    Piece p{x_, {}};
    const double w = rate, b = amplitude / w;
    p.poly[0] = s_ + b / w * std::sin(phase);
    p.poly[1] = v_ + b * std::cos(phase);
    p.poly[2] = 0.5 * constant;
    p.amplitude = -b / w;
    p.rate = w;
    p.phase = phase;
    pieces.push_back(p);
    s_ = p.poly[0] + length * (p.poly[1] + length * p.poly[2]) + p.amplitude * std::sin(w * length + phase);
    v_ = p.poly[1] + 2 * length * p.poly[2] + p.amplitude * w * std::cos(w * length + phase);
    x_ += length;
  }
  std::vector<Piece> pieces;

 private:
  double x_ = 0, s_ = 0, v_ = 0;
};

}  // namespace

const std::vector<LawKind>& Law::kinds() {
  static const std::vector<LawKind> kKinds{LawKind::linear,       LawKind::parabolic,         LawKind::harmonic,
                                           LawKind::cycloidal,    LawKind::poly345,           LawKind::poly4567,
                                           LawKind::modifiedSine, LawKind::modifiedTrapezoid, LawKind::trapezoidSpeed,
                                           LawKind::smoothStep};
  return kKinds;
}

std::optional<Law> Law::named(const Word<LawKind>& kind, double up, double down) {
  Law law;
  law.mirrored_ = true;
  if (kind == LawKind::linear) {
    law.pieces_ = {polynomial({0, 1})};
  } else if (kind == LawKind::parabolic) {
    law.pieces_ = {polynomial({0, 0, 2})};
  } else if (kind == LawKind::smoothStep) {
    law.pieces_ = {polynomial({0, 0, 3, -2})};
  } else if (kind == LawKind::poly345) {
    law.pieces_ = {polynomial({0, 0, 0, 10, -15, 6})};
  } else if (kind == LawKind::poly4567) {
    law.pieces_ = {polynomial({0, 0, 0, 0, 35, -84, 70, -20})};
  } else if (kind == LawKind::harmonic) {
    law.pieces_ = {{0, {0.5}, -0.5, kPi, 0, true}};  // 1/2 - cos(pi x)/2
  } else if (kind == LawKind::cycloidal) {
    law.pieces_ = {{0, {0, 1}, -1 / (2 * kPi), 2 * kPi, 0}};
  } else if (kind == LawKind::modifiedSine) {
    // quarter of a sine over 1/8, then a slower cosine over 3/4 (Neklutin)
    const double a = 4 * kPi * kPi / (4 + kPi);
    FromAcceleration f;
    f.add(1.0 / 8, 0, a, 4 * kPi, 0);
    f.add(3.0 / 8, 0, a, 4 * kPi / 3, kPi / 2);
    law.pieces_ = f.pieces;
  } else if (kind == LawKind::modifiedTrapezoid) {
    // trapezoid of acceleration with corners rounded by quarters of a sine (Neklutin)
    const double a = 8 * kPi / (2 + kPi);
    FromAcceleration f;
    f.add(1.0 / 8, 0, a, 4 * kPi, 0);
    f.add(1.0 / 4, a);
    f.add(1.0 / 8, 0, a, 4 * kPi, kPi / 2);
    law.pieces_ = f.pieces;
  } else if (kind == LawKind::trapezoidSpeed) {
    law.mirrored_ = up == down;
    const double v = 1 / (1 - 0.5 * (up + down));
    FromAcceleration f;
    f.add(up, v / up);
    const double plateau = 1 - up - down;
    if (plateau > 1e-12) f.add(law.mirrored_ ? 0.5 * plateau : plateau, 0);
    if (!law.mirrored_) f.add(down, -v / down);
    law.pieces_ = f.pieces;
  } else {
    return std::nullopt;
  }
  return law;
}

Law Law::quintic(double v0, double a0, double v1, double a1) {
  // s = v0 x + a0/2 x^2 + c3 x^3 + c4 x^4 + c5 x^5 with s(1) = 1, s'(1) = v1, s''(1) = a1
  const double p = 1 - v0 - 0.5 * a0, q = v1 - v0 - a0, r = a1 - a0;
  Law law;
  law.pieces_ = {polynomial({0, v0, 0.5 * a0, 10 * p - 4 * q + 0.5 * r, -15 * p + 7 * q - r, 6 * p - 3 * q + 0.5 * r})};
  return law;
}

Law Law::spline(const std::vector<std::pair<double, double>>& points) {
  std::vector<double> x{0};
  std::vector<Eigen::Vector2d> s{{0, 0}};
  for (const auto& [a, b] : points) {
    x.push_back(a);
    s.emplace_back(b, 0);
  }
  x.push_back(1);
  s.emplace_back(1, 0);
  const Eigen::Vector2d rest(0, 0);
  const auto slopes = curves::cubicSlopes(x, s, &rest, &rest, false);
  Law law;
  for (std::size_t i = 0; i + 1 < x.size(); ++i) {
    const double h = x[i + 1] - x[i], chord = (s[i + 1].x() - s[i].x()) / h, a = slopes[i].x(), b = slopes[i + 1].x();
    law.pieces_.push_back({x[i], {s[i].x(), a, (3 * chord - 2 * a - b) / h, (a + b - 2 * chord) / (h * h)}});
  }
  return law;
}

Derivatives Law::pieceAt(double x, bool endOfPiece) const {
  std::size_t i = 0;
  while (i + 1 < pieces_.size() && (endOfPiece ? x > pieces_[i + 1].from : x >= pieces_[i + 1].from)) ++i;
  const Piece& p = pieces_[i];
  const double r = x - p.from;
  Derivatives d{};
  for (std::size_t n = 0; n < d.size(); ++n) {
    double sum = 0;
    for (std::size_t k = p.poly.size(); k-- > n;) {
      double c = p.poly[k];  // times k (k-1) ... of the derivative
      for (std::size_t f = 0; f < n; ++f) c *= static_cast<double>(k - f);
      sum = sum * r + c;
    }
    d[n] = sum;
  }
  if (p.amplitude != 0) {
    const double s = std::sin(p.rate * r + p.phase), c = std::cos(p.rate * r + p.phase);
    const double cycle[4] = {s, c, -s, -c};
    double factor = p.amplitude;
    for (std::size_t n = 0; n < d.size(); ++n, factor *= p.rate) d[n] += factor * cycle[(n + (p.cosine ? 1 : 0)) % 4];
  }
  return d;
}

Derivatives Law::at(double x) const {
  Derivatives d;
  if (!mirrored_ || x < 0.5) {
    d = pieceAt(x, false);
  } else {
    d = pieceAt(1 - x, true);
    d[0] = 1 - d[0];
    for (std::size_t n = 2; n < d.size(); n += 2) d[n] = -d[n];
  }
  if (x == 0) d[0] = 0;
  if (x == 1) d[0] = 1;
  return d;
}

std::vector<double> Law::joints() const {
  std::vector<double> out;
  for (std::size_t i = 1; i < pieces_.size(); ++i) out.push_back(pieces_[i].from);
  if (!mirrored_) return out;
  out.push_back(0.5);
  for (std::size_t i = pieces_.size(); i-- > 1;) out.push_back(1 - pieces_[i].from);
  return out;
}

double mostOfSecond(const double* poly, std::size_t count, double r0, double r1) {
  const double m = 0.5 * (r0 + r1), h = 0.5 * (r1 - r0);
  // second derivative c_k r^k, then its Taylor coefficients about the middle by repeated division (Horner)
  std::vector<double> c;
  for (std::size_t k = 2; k < count; ++k) c.push_back(static_cast<double>(k * (k - 1)) * poly[k]);
  double most = 0, power = 1;
  for (std::size_t n = 0; n < c.size(); ++n, power *= h) {
    for (std::size_t k = c.size() - 1; k-- > n;) c[k] += m * c[k + 1];
    most += std::abs(c[n]) * power;
  }
  return most;
}

double mostOfSine(double a, double b) {
  if (!(b - a < kPi)) return 1;
  const double peak = kPi / 2 + kPi * std::ceil((a - kPi / 2) / kPi);
  return peak <= b ? 1 : std::max(std::abs(std::sin(a)), std::abs(std::sin(b)));
}

double Law::mostAcceleration(double x0, double x1) const {
  if (mirrored_ && x1 > 0.5) {
    const double there = x0 < 0.5 ? mostAcceleration(x0, 0.5) : 0;
    Law half = *this;
    half.mirrored_ = false;
    return std::max(there, half.mostAcceleration(std::max(0.0, 1 - x1), std::min(0.5, 1 - x0)));
  }
  double most = 0;
  for (std::size_t i = 0; i < pieces_.size(); ++i) {
    const Piece& p = pieces_[i];
    // the first and the last piece reach on beyond their ends
    const double low = i == 0 ? x0 : std::max(x0, p.from);
    const double high = i + 1 < pieces_.size() ? std::min(x1, pieces_[i + 1].from) : x1;
    if (low > high) continue;
    double a = mostOfSecond(p.poly.data(), p.poly.size(), low - p.from, high - p.from);
    if (p.amplitude != 0) {
      const double quarter = p.cosine ? kPi / 2 : 0;
      const double u = p.rate * (low - p.from) + p.phase + quarter, v = p.rate * (high - p.from) + p.phase + quarter;
      a += std::abs(p.amplitude) * p.rate * p.rate * mostOfSine(std::min(u, v), std::max(u, v));
    }
    most = std::max(most, a);
  }
  return most * (1 + 1e-12);
}

LawFigures Law::figures() const {
  LawFigures f;
  std::vector<double> joints = this->joints();
  joints.insert(joints.begin(), 0.0);
  joints.push_back(1);
  double* most[] = {&f.cv, &f.ca, &f.cj};
  constexpr int kSamples = 400;
  Derivatives before{};  // at rest
  for (std::size_t i = 0; i + 1 < joints.size(); ++i) {
    const double a = joints[i], h = (joints[i + 1] - a) * (1 - 1e-12);
    const Derivatives first = at(a), last = at(a + h);
    f.speedJumps = f.speedJumps || std::abs(first[1] - before[1]) > 1e-6;
    f.accelerationJumps = f.accelerationJumps || std::abs(first[2] - before[2]) > 1e-6;
    before = last;
    for (std::size_t n = 0; n < 3; ++n) {
      // samples, then the zero of the next derivative by halving where it changes its sign
      double x0 = a, d0 = first[n + 2];
      *most[n] = std::max({*most[n], std::abs(first[n + 1]), std::abs(last[n + 1])});
      for (int k = 1; k <= kSamples; ++k) {
        const double x1 = a + h * k / kSamples, d1 = at(x1)[n + 2];
        if (d0 * d1 < 0) {
          double lo = x0, hi = x1;
          for (int it = 0; it < 60; ++it) {
            const double mid = 0.5 * (lo + hi);
            (at(mid)[n + 2] * d0 > 0 ? lo : hi) = mid;
          }
          *most[n] = std::max(*most[n], std::abs(at(lo)[n + 1]));
        }
        x0 = x1;
        d0 = d1;
      }
    }
  }
  f.speedJumps = f.speedJumps || std::abs(before[1]) > 1e-6;
  f.accelerationJumps = f.accelerationJumps || std::abs(before[2]) > 1e-6;
  return f;
}

}  // namespace cooperage::motion
