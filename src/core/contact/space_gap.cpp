// SPDX-License-Identifier: GPL-3.0-or-later
#include "contact/space_gap.h"

#include <Eigen/LU>
#include <Eigen/QR>
#include <algorithm>
#include <cmath>

namespace cooperage::contact {
namespace {

using Eigen::Index;
/// At most two parameters of either side: nothing is allocated.
using Vector = Eigen::Matrix<double, Eigen::Dynamic, 1, 0, 4, 1>;
using Matrix = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, 0, 4, 4>;

constexpr int kRounds = 30;
constexpr double kFlat = 1e-6;   // of the largest: a direction in which both lie against one another along a line
constexpr double kAngle = 1e-7;  // rad: how far a normal may be off where the search ends
constexpr double kAside = 1e-8;  // m: the same of the foot

/// A feature where it is looked at, in the axes of B.
struct Side {
  const SpaceFeature* f;
  double x[2] = {0, 0};
  SpacePoint p;
  double speed[2] = {1, 1};  // m per unit of a parameter
  Vec3 n{0, 0, 0}, dn[2] = {{0, 0, 0}, {0, 0, 0}};

  explicit Side(const SpaceFeature& feature) : f(&feature) {
    for (int i = 0; i < f->dim; ++i) x[i] = 0.5 * (f->low[i] + f->high[i]);
  }
  const Vec3& second(int i, int k) const { return p.dd[i + k]; }
  /// @param R, o axes of the feature's body in those of B; null: the same
  bool look(const Mat3* R, const Vec3* o) {
    f->of->at(x, p);
    if (R) {
      p.x = *R * p.x + *o;
      for (int i = 0; i < f->dim; ++i) p.d[i] = *R * p.d[i];
      for (int i = 0; i < (f->dim == 2 ? 3 : f->dim); ++i) p.dd[i] = *R * p.dd[i];
    }
    for (int i = 0; i < f->dim; ++i) {
      speed[i] = p.d[i].norm();
      if (!(speed[i] > 1e-12)) return false;
    }
    if (f->dim < 2) return true;
    const Vec3 N = f->sense * p.d[0].cross(p.d[1]);
    const double size = N.norm();
    if (!(size > 1e-9 * speed[0] * speed[1])) return false;
    n = N / size;
    for (int i = 0; i < 2; ++i) {
      const Vec3 d = f->sense * (second(0, i).cross(p.d[1]) + p.d[0].cross(second(1, i)));
      dn[i] = (d - n * n.dot(d)) / size;
    }
    return true;
  }
  void move(int i, double by) {
    const double span = f->high[i] - f->low[i];
    x[i] = std::clamp(x[i] + by, f->low[i] - span, f->high[i] + span);
  }
  /// Does it lie farther beyond its ends than a share of its length?
  bool isAstray(double share) const {
    for (int i = 0; i < f->dim; ++i) {
      const double room = share * (f->high[i] - f->low[i]);
      if (x[i] < f->low[i] - room || x[i] > f->high[i] + room) return true;
    }
    return false;
  }
  /// How far it lies within its ends, m, negative beyond them; NaN where a rim is nearer that isn't one of them.
  double room(double slack) const {
    double least = 1e300;
    for (int i = 0; i < f->dim; ++i)
      least = std::min({least, (x[i] - f->low[i]) * speed[i] + slack, (f->high[i] - x[i]) * speed[i] + slack});
    return f->of->covers(x) ? least : std::nan("");
  }
  bool inside(double slack) const {
    for (int i = 0; i < f->dim; ++i) {
      const double room = slack / speed[i];
      if (x[i] < f->low[i] - room || x[i] > f->high[i] + room) return false;
    }
    return f->of->covers(x);
  }
};

enum class By { faceOfB, faceOfA, cross, distance };

/// The equations of a foot, scaled to lengths.
struct Foot {
  Side a, b;
  By by;
  double length;    // by which angles become lengths
  double turn = 1;  // which of the two normals of crossing edges
  Vec3 d, n;
  Vec3 dn[4], dd[4];
  Vector f;
  Matrix J;

  Foot(const SpaceFeature& fa, const SpaceFeature& fb, const Mat3& R)
      : a(fa),
        b(fb),
        by(fb.dim == 2                  ? By::faceOfB
           : fa.dim == 2                ? By::faceOfA
           : fa.dim == 1 && fb.dim == 1 ? By::cross
                                        : By::distance),
        length(std::max({fa.bound, fb.bound, 1e-4})),
        f(fa.dim + fb.dim),
        J(fa.dim + fb.dim, fa.dim + fb.dim) {
    if (by == By::cross) {
      a.look(&R, &fa.centre);  // only its direction counts
      b.look(nullptr, nullptr);
      turn = a.p.d[0].cross(b.p.d[0]).dot(fb.axis - R * fa.axis) < 0 ? -1 : 1;
    }
  }
  int dimA() const { return a.f->dim; }
  int dimB() const { return b.f->dim; }
  int size() const { return dimA() + dimB(); }
  double speed(int j) const { return j < dimA() ? a.speed[j] : b.speed[j - dimA()]; }

  bool look(const RelativeMotion& m) {
    if (!a.look(&m.R, &m.p) || !b.look(nullptr, nullptr)) return false;
    d = a.p.x - b.p.x;
    for (int j = 0; j < size(); ++j) {
      dd[j] = j < dimA() ? a.p.d[j] : Vec3(-b.p.d[j - dimA()]);
      dn[j] = Vec3::Zero();
    }
    switch (by) {
      case By::faceOfB:
        n = b.n;
        for (int i = 0; i < 2; ++i) dn[dimA() + i] = b.dn[i];
        return true;
      case By::faceOfA:
        n = -a.n;
        for (int i = 0; i < 2; ++i) dn[i] = -a.dn[i];
        return true;
      case By::cross: {
        const Vec3 N = turn * a.p.d[0].cross(b.p.d[0]);
        const double s = N.norm();
        if (!(s > 1e-6 * a.speed[0] * b.speed[0])) return false;
        n = N / s;
        dn[0] = square(turn * a.second(0, 0).cross(b.p.d[0]) / s);
        dn[1] = square(turn * a.p.d[0].cross(b.second(0, 0)) / s);
        return true;
      }
      case By::distance: {
        const double s = d.norm();
        if (!(s > 1e-12)) return false;
        n = d / s;
        for (int j = 0; j < size(); ++j) dn[j] = square(dd[j] / s);
        return true;
      }
    }
    return false;
  }
  Vec3 square(const Vec3& x) const { return x - n * n.dot(x); }

  /// The equations: the normal square to a side's tangents (angle), or the connection to them (length).
  template <class Each>
  void each(const Each& one) const {
    const bool angleA = by == By::faceOfB, angleB = by == By::faceOfA;
    int row = 0;
    for (int i = 0; i < dimA(); ++i) one(row++, a, i, angleA);
    for (int i = 0; i < dimB(); ++i) one(row++, b, i, angleB);
  }
  double scale(const Side& s, int i, bool angle) const { return (angle ? length : 1.0) / s.speed[i]; }
  void equations() {
    each([&](int row, const Side& s, int i, bool angle) {
      f[row] = (angle ? n : d).dot(s.p.d[i]) * scale(s, i, angle);
    });
  }
  void slopes() {
    each([&](int row, const Side& s, int i, bool angle) {
      const bool ofA = &s == &a;
      for (int j = 0; j < size(); ++j) {
        double x = (angle ? dn[j] : dd[j]).dot(s.p.d[i]);
        if ((j < dimA()) == ofA) x += (angle ? n : d).dot(s.second(i, ofA ? j : j - dimA()));
        J(row, j) = x * scale(s, i, angle) / speed(j);
      }
    });
  }
  template <int N>
  bool solveFixed(const Vector& right, Vector& out) const {
    const Eigen::Matrix<double, N, N> fixed = J;
    const Eigen::PartialPivLU<Eigen::Matrix<double, N, N>> lu(fixed);
    const auto pivots = lu.matrixLU().diagonal().cwiseAbs();
    if (!(pivots.minCoeff() > 1e3 * kFlat * pivots.maxCoeff())) return false;
    out = lu.solve(Eigen::Matrix<double, N, 1>(right));
    return true;
  }
  /// What moves the parameters so that the equations change by that; lengths.
  Vector solve(const Vector& right) const {
    // quick where it is far from a line
    Vector out(size());
    if (size() == 4 && solveFixed<4>(right, out)) return out;
    if (size() == 3 && solveFixed<3>(right, out)) return out;
    if (size() == 2 && solveFixed<2>(right, out)) return out;
    Eigen::CompleteOrthogonalDecomposition<Matrix> qr(size(), size());
    qr.setThreshold(kFlat);
    qr.compute(J);
    return qr.solve(right);
  }
};

bool search(Foot& foot, const RelativeMotion& m) {
  const double most = foot.length;
  double last = 1e300;
  for (int round = 0; round < kRounds; ++round) {
    if (!foot.look(m)) return false;
    if (foot.size() == 0) return true;
    const double room = round > 2 ? 0.5 : 0.9;
    if (round > 1 && (foot.a.isAstray(room) || foot.b.isAstray(room))) return false;
    foot.equations();
    foot.slopes();
    Vector step = -foot.solve(foot.f);
    const double size = step.norm();
    if (size < 1e-14 * (1 + foot.length) || (size >= 0.5 * last && size < 1e-10)) break;
    last = size;
    if (size > most) step *= most / size;
    for (int j = 0; j < foot.size(); ++j) {
      const double by = step[j] / foot.speed(j);
      j < foot.dimA() ? foot.a.move(j, by) : foot.b.move(j - foot.dimA(), by);
    }
  }
  bool good = true;
  foot.each([&](int row, const Side&, int, bool angle) {
    good = good && std::abs(foot.f[row]) < (angle ? kAngle * foot.length : kAside);
  });
  return good;
}

/// Second derivative of the gap along the motion: the foot goes on as the equations' derivatives ask.
double accelerationOf(Foot& foot, const RelativeMotion& m) {
  const Vec3 V = m.velocityAt(foot.a.p.x);
  Vec3 nt = Vec3::Zero();  // of the normal while the parameters stand
  if (foot.by == By::faceOfA) nt = m.w.cross(foot.n);
  if (foot.by == By::cross)
    nt = foot.square(foot.turn * m.w.cross(foot.a.p.d[0]).cross(foot.b.p.d[0]) /
                     foot.a.p.d[0].cross(foot.b.p.d[0]).norm());
  if (foot.by == By::distance) nt = foot.square(V / foot.d.norm());
  Vec3 place = V, normal = nt;
  if (foot.size() > 0) {
    foot.slopes();
    Vector right(foot.size());
    foot.each([&](int row, const Side& s, int i, bool angle) {
      double x = (angle ? nt : V).dot(s.p.d[i]);
      if (&s == &foot.a) x += (angle ? foot.n : foot.d).dot(m.w.cross(s.p.d[i]));
      right[row] = -x * foot.scale(s, i, angle);
    });
    const Vector rates = foot.solve(right);
    for (int j = 0; j < foot.size(); ++j) {
      const double rate = rates[j] / foot.speed(j);
      normal += foot.dn[j] * rate;
      if (j < foot.dimA()) place += foot.dd[j] * rate;
    }
  }
  const Vec3 change = m.a + m.alpha.cross(foot.a.p.x - m.p) - m.w.cross(m.v) + m.w.cross(place);
  return normal.dot(V) + foot.n.dot(change);
}

}  // namespace

bool spaceGap(const SpaceFeature& a, const SpaceFeature& b, const RelativeMotion& m, bool second, double slack,
              PairGap& out) {
  const bool balls = a.radius > 0 || b.radius > 0;
  if (a.dim + b.dim < 2 && !balls) return false;  // a corner on an edge: their neighbours touch as well
  if (a.dim == 1 && b.dim == 1 && balls) return false;
  Foot foot(a, b, m.R);
  if (!search(foot, m)) return false;
  if (a.dim == 2 && b.dim == 2 && !(foot.a.n.dot(foot.b.n) < 0)) return false;
  out.size = foot.d.dot(foot.n) - a.radius - b.radius;
  out.normal = foot.n;
  out.onA = foot.a.p.x - a.radius * foot.n;
  out.within = foot.a.inside(slack) && foot.b.inside(slack);
  out.facing = false;
  if (out.within) {
    const bool coneA = a.dim == 2 || a.of->faces(foot.a.x, m.R.transpose() * -foot.n);
    const bool coneB = b.dim == 2 || b.of->faces(foot.b.x, foot.n);
    // a corner or an edge against something round or flat needs no normal of its own; two edges, and balls, do
    const bool edges = a.dim == 1 && b.dim == 1;
    out.within = (coneA || (a.radius == 0 && !edges)) && (coneB || (b.radius == 0 && !edges));
    out.facing = coneA && coneB;
  }
  out.acceleration = second ? accelerationOf(foot, m) : 0;
  return true;
}

double spaceRoom(const SpaceFeature& a, const SpaceFeature& b, const RelativeMotion& m, double slack) {
  if (a.dim != 2 || b.dim != 2) return std::nan("");
  Foot foot(a, b, m.R);
  if (!search(foot, m)) return std::nan("");
  return std::min(foot.a.room(slack), foot.b.room(slack));
}

bool nearestOn(const SpaceFeature& f, const Vec3& point, double slack, double& signedDistance) {
  Side s(f);
  double last = 1e300;
  for (int round = 0; round < kRounds; ++round) {
    if (!s.look(nullptr, nullptr)) return false;
    if (f.dim == 0) break;
    Vector r(f.dim);
    Matrix J(f.dim, f.dim);
    for (int i = 0; i < f.dim; ++i) {
      r[i] = (s.p.x - point).dot(s.p.d[i]) / s.speed[i];
      for (int k = 0; k < f.dim; ++k)
        J(i, k) = (s.p.d[k].dot(s.p.d[i]) + (s.p.x - point).dot(s.second(i, k))) / (s.speed[i] * s.speed[k]);
    }
    Vector step = -Matrix(J).colPivHouseholderQr().solve(r);
    const double size = step.norm();
    if (size < 1e-14 || (size >= 0.5 * last && size < 1e-10)) break;
    last = size;
    const double most = std::max(f.bound, 1e-4);
    if (size > most) step *= most / size;
    for (int i = 0; i < f.dim; ++i) s.move(i, step[i] / s.speed[i]);
  }
  if (!s.inside(slack)) return false;
  const Vec3 d = point - s.p.x;
  if (f.dim == 2) {
    signedDistance = d.dot(s.n);
    return d.norm() < std::abs(signedDistance) + 1e-9;
  }
  signedDistance = d.norm() - f.radius;
  return f.radius == 0 || f.of->faces(s.x, d.normalized());
}

}  // namespace cooperage::contact
