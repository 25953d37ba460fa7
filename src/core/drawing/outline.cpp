// SPDX-License-Identifier: GPL-3.0-or-later
#include "drawing/outline.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/geometry.h"
#include "base/numeric.h"

namespace cooperage::drawing {
namespace {

constexpr double kRound = 1e-12;

double cross(const Vec2& a, const Vec2& b) { return a.x() * b.y() - a.y() * b.x(); }

/// An integral to rounding: panels are halved until both halves agree with the whole.
template <class F>
double integral(double a, double b, const F& f, double scale, int depth = 0) {
  const double whole = gauss5(a, b, f), m = 0.5 * (a + b);
  const double halves = gauss5(a, m, f) + gauss5(m, b, f);
  if (depth >= 24 || std::abs(whole - halves) <= 1e-14 * std::max(scale, std::abs(halves))) return halves;
  return integral(a, m, f, scale, depth + 1) + integral(m, b, f, scale, depth + 1);
}
template <class F>
double integral(const Piece& p, const F& f) {
  const auto spans = p.spans();
  double rough = 0;
  for (std::size_t i = 1; i < spans.size(); ++i) rough += std::abs(gauss5(spans[i - 1], spans[i], 4, f));
  double sum = 0;
  for (std::size_t i = 1; i < spans.size(); ++i) sum += integral(spans[i - 1], spans[i], f, rough);
  return sum;
}

}  // namespace

Affine similarity(const Vec2& a, const Vec2& b, const Vec2& toA, const Vec2& toB) {
  const Vec2 d = b - a, e = toB - toA;
  const double n = d.squaredNorm();
  Affine out;
  if (n > 0) {
    const double c = d.dot(e) / n, s = cross(d, e) / n;
    out.M << c, -s, s, c;
  }
  out.p = toA - out.M * a;
  return out;
}

Piece Piece::line(const Vec2& from, const Vec2& to) {
  Piece p;
  p.a = from;
  p.b = to;
  return p;
}
Piece Piece::conic(const Vec2& centre, const Vec2& u, const Vec2& v, double from, double to) {
  Piece p;
  p.kind = Kind::conic;
  p.centre = centre;
  p.u = u;
  p.v = v;
  p.from = from;
  p.to = to;
  return p;
}
Piece Piece::arc(const Vec2& centre, double radius, double from, double sweep) {
  return conic(centre, {radius, 0}, {0, radius}, from, from + sweep);
}
Piece Piece::of(Nurbs spline) {
  Piece p;
  p.kind = Kind::spline;
  p.spline = std::make_shared<const Nurbs>(std::move(spline));
  return p;
}

double Piece::low() const { return kind == Kind::line ? 0 : kind == Kind::conic ? from : spline->low(); }
double Piece::high() const { return kind == Kind::line ? 1 : kind == Kind::conic ? to : spline->high(); }

std::array<Vec2, 5> Piece::at(double t) const {
  if (kind == Kind::line) {
    const Vec2 none(0, 0);
    return {t == 1 ? b : Vec2(a + t * (b - a)), Vec2(b - a), none, none, none};
  }
  if (kind == Kind::spline) return spline->at(t);
  const double c = std::cos(t), s = std::sin(t);
  const Vec2 out = u * c + v * s, across = v * c - u * s;
  return {Vec2(centre + out), across, Vec2(-out), Vec2(-across), out};
}

std::vector<double> Piece::spans() const {
  if (kind == Kind::spline) return spline->spans();
  return {low(), high()};
}

std::optional<double> radiusOf(const Piece& p) {
  if (p.kind != Piece::Kind::conic) return std::nullopt;
  const double a = p.u.norm(), b = p.v.norm(), size = std::max(a, b);
  if (std::abs(a - b) > kRound * size || std::abs(p.u.dot(p.v)) > kRound * size * size) return std::nullopt;
  return a;
}

bool isFullTurn(const Piece& p) {
  return p.kind == Piece::Kind::conic && std::abs(std::abs(p.to - p.from) - 2 * kPi) < 1e-12;
}

Piece mapped(const Affine& map, const Piece& piece) {
  Piece p = piece;
  if (p.kind == Piece::Kind::line) {
    p.a = map * p.a;
    p.b = map * p.b;
  } else if (p.kind == Piece::Kind::conic) {
    p.centre = map * p.centre;
    p.u = map.M * p.u;
    p.v = map.M * p.v;
  } else {
    Nurbs s = *p.spline;
    for (Vec2& x : s.points) x = map * x;
    p.spline = std::make_shared<const Nurbs>(std::move(s));
  }
  return p;
}

Piece reversed(const Piece& piece) {
  Piece p = piece;
  std::swap(p.a, p.b);
  std::swap(p.from, p.to);
  if (p.kind == Piece::Kind::spline) {
    Nurbs s = *p.spline;
    std::reverse(s.points.begin(), s.points.end());
    std::reverse(s.weights.begin(), s.weights.end());
    std::reverse(s.knots.begin(), s.knots.end());
    const double sum = piece.spline->knots.front() + piece.spline->knots.back();
    for (double& k : s.knots) k = sum - k;
    p.spline = std::make_shared<const Nurbs>(std::move(s));
  }
  return p;
}

double lengthOf(const Piece& p) {
  if (p.kind == Piece::Kind::line) return (p.b - p.a).norm();
  if (const auto r = radiusOf(p)) return *r * std::abs(p.to - p.from);
  return std::abs(integral(p, [&](double t) { return p.at(t)[1].norm(); }));
}

Outline mapped(const Affine& map, const Outline& outline) {
  Outline out = outline;
  for (Piece& p : out.pieces) p = mapped(map, p);
  return out;
}

Outline reversed(const Outline& outline) {
  Outline out = outline;
  std::reverse(out.pieces.begin(), out.pieces.end());
  for (Piece& p : out.pieces) p = reversed(p);
  return out;
}

double lengthOf(const Outline& outline) {
  double sum = 0;
  for (const Piece& p : outline.pieces) sum += lengthOf(p);
  return sum;
}

double areaOf(const Outline& outline) {
  if (outline.pieces.empty()) return 0;
  const Vec2 o = outline.start();  // about its start: far from the origin costs no digits
  double sum = 0;
  for (const Piece& p : outline.pieces) {
    if (p.kind == Piece::Kind::line) {
      sum += cross(p.a - o, p.b - o);
    } else if (p.kind == Piece::Kind::conic) {
      // of (m + u cos + v sin) x d(u cos + v sin): m x chord + (u x v) (to - from)
      sum += cross(p.centre - o, p.end() - p.start()) + cross(p.u, p.v) * (p.to - p.from);
    } else {
      sum += integral(p, [&](double t) {
        const auto x = p.at(t);
        return cross(x[0] - o, x[1]);
      });
    }
  }
  return 0.5 * sum;  // the chord from its end back to its start, as seen from the start, encloses nothing
}

void Box::add(const Vec2& x) {
  if (empty()) {
    low = high = x;
    return;
  }
  low = low.cwiseMin(x);
  high = high.cwiseMax(x);
}
void Box::add(const Box& other) {
  if (other.empty()) return;
  add(other.low);
  add(other.high);
}
bool Box::holds(const Box& other) const {
  return !empty() && !other.empty() && (low.array() <= other.low.array()).all() &&
         (high.array() >= other.high.array()).all();
}
bool Box::meets(const Box& other) const {
  return !empty() && !other.empty() && (low.array() <= other.high.array()).all() &&
         (high.array() >= other.low.array()).all();
}

namespace {

/// Where a spline's x or y turns back, within one of its spans.
void addTurns(const Piece& p, double a, double b, int axis, Box& box) {
  constexpr int kParts = 16;
  const auto slope = [&](double t) { return p.at(t)[1][axis]; };
  double t0 = a, s0 = slope(a);
  for (int i = 1; i <= kParts; ++i) {
    const double t1 = a + (b - a) * i / kParts, s1 = slope(t1);
    if (s0 * s1 < 0) {
      double l = t0, h = t1;
      for (int k = 0; k < 60; ++k) {
        const double m = 0.5 * (l + h);
        (slope(m) * s0 > 0 ? l : h) = m;
      }
      box.add(p.at(0.5 * (l + h))[0]);
    }
    t0 = t1;
    s0 = s1;
  }
}

}  // namespace

Box boxOf(const Outline& outline) {
  Box box;
  for (const Piece& p : outline.pieces) {
    box.add(p.start());
    box.add(p.end());
    if (p.kind == Piece::Kind::conic) {
      const double low = std::min(p.from, p.to), high = std::max(p.from, p.to);
      for (int axis : {0, 1}) {
        const double turn = std::atan2(p.v[axis], p.u[axis]);
        for (double t = turn + std::ceil((low - turn) / kPi) * kPi; t <= high; t += kPi) box.add(p.at(t)[0]);
      }
    } else if (p.kind == Piece::Kind::spline) {
      const auto spans = p.spans();
      for (std::size_t i = 1; i < spans.size(); ++i)
        for (int axis : {0, 1}) addTurns(p, spans[i - 1], spans[i], axis, box);
      for (double t : spans) box.add(p.at(t)[0]);
    }
  }
  return box;
}

namespace {

void flatten(const Piece& p, double t0, const Vec2& x0, double t1, const Vec2& x1, double within, int depth,
             std::vector<Vec2>& out) {
  const Vec2 d = x1 - x0;
  const double n = d.norm();
  const auto off = [&](double t) {
    const Vec2 x = p.at(t)[0] - x0;
    return n > 0 ? std::abs(cross(d, x)) / n : x.norm();
  };
  const double m = 0.5 * (t0 + t1);
  const double worst = std::max({off(m), off(0.5 * (t0 + m)), off(0.5 * (m + t1))});
  if (depth >= 16 || worst <= 0.8 * within) {
    out.push_back(x1);
    return;
  }
  const Vec2 x = p.at(m)[0];
  flatten(p, t0, x0, m, x, within, depth + 1, out);
  flatten(p, m, x, t1, x1, within, depth + 1, out);
}

}  // namespace

std::vector<Vec2> flattened(const Outline& outline, double within) {
  std::vector<Vec2> out;
  if (outline.pieces.empty()) return out;
  out.push_back(outline.start());
  for (const Piece& p : outline.pieces) {
    if (p.kind == Piece::Kind::line) {
      out.push_back(p.b);
      continue;
    }
    if (p.kind == Piece::Kind::conic) {                     // equal parts: the arrow of an arc is r (1 - cos half)
      const double r = std::hypot(p.u.norm(), p.v.norm());  // no turn of it is sharper than its greatest radius
      const double step = 2 * std::acos(std::clamp(1 - within / std::max(r, within), -1.0, 1.0));
      const int n = std::clamp(static_cast<int>(std::ceil(std::abs(p.to - p.from) / std::max(step, 1e-3))), 1, 6000);
      for (int i = 1; i <= n; ++i) out.push_back(p.at(i == n ? p.to : p.from + (p.to - p.from) * i / n)[0]);
      continue;
    }
    const auto spans = p.spans();
    for (std::size_t i = 1; i < spans.size(); ++i)
      flatten(p, spans[i - 1], p.at(spans[i - 1])[0], spans[i], p.at(spans[i])[0], within, 0, out);
  }
  return out;
}

namespace {

/// Where the distance from a point stops falling, between two parameters: Newton, kept within the bracket.
double leastBetween(const Piece& p, const Vec2& x, double low, double high) {
  double t = 0.5 * (low + high);
  for (int k = 0; k < 60; ++k) {
    const auto c = p.at(t);
    const double slope = c[1].dot(c[0] - x), bend = c[1].squaredNorm() + c[2].dot(c[0] - x);
    (slope < 0 ? low : high) = t;
    double next = bend > 0 ? t - slope / bend : low;
    if (!(next > std::min(low, high) && next < std::max(low, high))) next = 0.5 * (low + high);
    if (next == t) break;
    t = next;
  }
  return t;
}

}  // namespace

NearPlace nearestPlace(const Outline& outline, const Vec2& x) {
  NearPlace best;
  best.distance = std::numeric_limits<double>::infinity();
  const auto take = [&](std::size_t piece, double t) {
    const Vec2 at = outline.pieces[piece].at(t)[0];
    if (const double d = (at - x).norm(); d < best.distance) best = {piece, t, at, d};
  };
  for (std::size_t i = 0; i < outline.pieces.size(); ++i) {
    const Piece& p = outline.pieces[i];
    if (p.kind == Piece::Kind::line) {
      const Vec2 d = p.b - p.a;
      take(i, d.squaredNorm() > 0 ? std::clamp(d.dot(x - p.a) / d.squaredNorm(), 0.0, 1.0) : 0);
      continue;
    }
    const auto spans = p.spans();
    const int parts = p.kind == Piece::Kind::conic ? 24 : 12;
    const auto slope = [&](double t) {
      const auto c = p.at(t);
      return c[1].dot(c[0] - x);
    };
    take(i, spans.front());
    double t0 = spans.front(), s0 = slope(t0);
    for (std::size_t k = 1; k < spans.size(); ++k)
      for (int j = 1; j <= parts; ++j) {
        const double t1 = spans[k - 1] + (spans[k] - spans[k - 1]) * j / parts, s1 = slope(t1);
        take(i, t1);
        const bool rises = t1 > t0;  // else it runs backwards, and its slope has the other sign
        if (rises ? s0 <= 0 && s1 >= 0 : s0 >= 0 && s1 <= 0)
          take(i, rises ? leastBetween(p, x, t0, t1) : leastBetween(p, x, t1, t0));
        t0 = t1;
        s0 = s1;
      }
  }
  return best;
}

}  // namespace cooperage::drawing
